//! Pictures inside terminal text, for terminals that can show them: sixel graphics (the VT330/VT340 reference manual, chapter 14), and
//! PNG in the open terminal graphics protocol of application programming commands that begin with G.

use super::terminal::facts;
use crate::plot::png_of_picture;
use crate::render::{Look, fitted, look_window, render};
use crate::{Error, Result};
use base64::Engine;
use rahmen::flow::{Chain, PictureSource, ToIndices};
use rahmen::tone::{Dither, PaletteRules};
use rahmen::{Content, Frame, Gray, Picture, Region, Rgb, Rgba, Size};

/// How a terminal takes pictures.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Images {
    /// As sixel graphics.
    Sixel,
    /// As PNG within commands.
    Inline,
}

/// Bytes of base64 a command takes at most.
const PART: usize = 4096;

/// A picture fitted into so many screen pixels, and a line of facts under it, which counts in pixels of `whole` where the picture is a
/// reduction of that.
///
/// # Errors
/// A picture without pixels, or planes that are no colours.
pub fn image(content: &Content, images: Images, room: Size, whole: Option<Size>, look: Look) -> Result<String> {
    let image = Image::fitted(content, room, whole, look)?;
    Ok(format!("{}\n{}", images_beside(std::slice::from_ref(&image), images, 0)?, image.facts))
}

/// A picture as large as it is shown.
#[derive(Debug, Clone)]
pub struct Image {
    frame: Frame<Rgb<u8>>,
    /// The line of facts that goes below it, with a line break.
    pub facts: String,
}

impl Image {
    /// A picture fitted into so many screen pixels; the facts count in pixels of `whole` where it is a reduction of that.
    ///
    /// # Errors
    /// As [`image`].
    pub fn fitted(content: &Content, room: Size, whole: Option<Size>, look: Look) -> Result<Image> {
        let size = content.size();
        if size.is_empty() {
            return Err(Error::Drawing(format!("a picture of {size} has no pixel to look at")));
        }
        let window = look_window(content, &look);
        let frame = render(content, fitted(size, room), &look.clone().window(window), 8)?;
        let facts = facts(content, whole.unwrap_or(size), None, window.map(|w| (w.low(), w.high())), &look);
        Ok(Image { frame, facts })
    }
}

/// Pictures side by side, `step` screen pixels from the left side of one to that of the next; between them, and below shorter
/// ones, the terminal's background stays. One picture for the terminal: it need not move to and fro.
///
/// # Errors
/// No picture, or one that is wider than the step.
pub fn images_beside(row: &[Image], images: Images, step: u32) -> Result<String> {
    let high = row.iter().map(|image| image.frame.height()).max().unwrap_or(0);
    let Some(last) = row.last() else { return Err(Error::Drawing("no picture to look at".to_string())) };
    let wide = step.saturating_mul(row.len() as u32 - 1).saturating_add(last.frame.width());
    let mut all = Frame::<Rgba<u8>>::new(Size::new(wide, high))?;
    for (i, image) in (0u32..).zip(row) {
        let place = Region::at(step.saturating_mul(i), 0, image.frame.size())?;
        image.frame.view().map_into(all.region_mut(place)?, |p| Rgba::new(p.r, p.g, p.b, 255))?;
    }
    match images {
        Images::Sixel => sixel(&all),
        Images::Inline => inline(&all),
    }
}

fn inline(frame: &Frame<Rgba<u8>>) -> Result<String> {
    let opaque = frame.pixels().iter().all(|p| p.a == 255);
    let picture = match opaque {
        true => Picture::from(colors_of(frame)?),
        false => Picture::from(frame.clone()),
    };
    let text = base64::engine::general_purpose::STANDARD.encode(png_of_picture(&picture)?);
    let mut out = String::new();
    let mut rest = text.as_str();
    let mut head = "a=T,f=100,";
    loop {
        let (part, more) = rest.split_at(rest.len().min(PART));
        out.push_str(&format!("\x1b_G{head}m={};{part}\x1b\\", u8::from(!more.is_empty())));
        if more.is_empty() {
            return Ok(out);
        }
        (rest, head) = (more, "");
    }
}

fn colors_of(frame: &Frame<Rgba<u8>>) -> Result<Frame<Rgb<u8>>> {
    Ok(frame.view().map(|p| Rgb::new(p.r, p.g, p.b))?)
}

fn sixel(frame: &Frame<Rgba<u8>>) -> Result<String> {
    let mut source = Chain::new(Box::new(PictureSource::new(Picture::from(colors_of(frame)?))), Vec::new())?;
    let step = ToIndices::reduced(&mut source, &PaletteRules::default().dither(Dither::Diffusion))?;
    let colors = step.palette().colors().to_vec();
    let numbers = Chain::new(Box::new(source), vec![Box::new(step)])?.picture()?;
    let numbers = numbers.pixels()?.view::<Gray<u8>>()?;
    let (width, height) = (frame.width(), frame.height());
    // The second parameter: what is not drawn stays as it is.
    let mut out = format!("\x1bP0;1q\"1;1;{width};{height}");
    for (number, color) in colors.iter().enumerate() {
        // Colours are said in percent.
        let [r, g, b] = [color.r, color.g, color.b].map(|v| (u32::from(v) * 200 + 255) / 510);
        out.push_str(&format!("#{number};2;{r};{g};{b}"));
    }
    for top in (0..height).step_by(6) {
        let mut used = [false; 256];
        for y in top..height.min(top + 6) {
            let drawn = numbers.row(y).iter().zip(frame.row(y)).filter(|(_, pixel)| pixel.a > 0);
            drawn.for_each(|(number, _)| used[number.value as usize] = true);
        }
        let mut first = true;
        for number in (0u8..=255).filter(|n| used[*n as usize]) {
            if !std::mem::take(&mut first) {
                out.push('$');
            }
            out.push_str(&format!("#{number}"));
            let bits = |x: u32| {
                let is = |dy: u32| {
                    let y = top + dy;
                    y < height && numbers[(x, y)].value == number && frame[(x, y)].a > 0
                };
                (0..6).fold(0u8, |bits, dy| bits | u8::from(is(dy)) << dy)
            };
            runs(&mut out, (0..width).map(bits));
        }
        out.push('-');
    }
    out.push_str("\x1b\\");
    Ok(out)
}

/// Columns of six pixels, repeated ones counted; empty ones at the end are left out.
fn runs(out: &mut String, columns: impl Iterator<Item = u8>) {
    let mut put = |bits: u8, count: u32| {
        let letter = char::from(63 + bits);
        match count {
            0..=3 => out.extend((0..count).map(|_| letter)),
            _ => out.push_str(&format!("!{count}{letter}")),
        }
    };
    let mut run = (0, 0);
    for bits in columns {
        if bits == run.0 {
            run.1 += 1;
            continue;
        }
        put(run.0, run.1);
        run = (bits, 1);
    }
    if run.0 != 0 {
        put(run.0, run.1);
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// What a terminal draws: the colours in percent of every pixel.
    fn drawn(text: &str, size: Size) -> Vec<[u32; 3]> {
        let body = text.strip_prefix("\x1bP0;1q").unwrap().split("\x1b\\").next().unwrap();
        let mut pixels = vec![[999; 3]; size.pixels() as usize];
        let mut colors = vec![[0; 3]; 256];
        let mut rest = body.strip_prefix(&format!("\"1;1;{};{}", size.width, size.height)).unwrap().chars().peekable();
        let (mut x, mut top, mut color) = (0usize, 0usize, 0usize);
        while let Some(c) = rest.next() {
            let mut number = || {
                let mut n = 0;
                while let Some(d) = rest.peek().and_then(|c| c.to_digit(10)) {
                    n = n * 10 + d;
                    rest.next();
                }
                n
            };
            match c {
                '#' => {
                    color = number() as usize;
                    if rest.peek() == Some(&';') {
                        let mut values = Vec::new();
                        while rest.next_if_eq(&';').is_some() {
                            let digits: String = std::iter::from_fn(|| rest.next_if(char::is_ascii_digit)).collect();
                            values.push(digits.parse::<u32>().unwrap());
                        }
                        assert_eq!(values[0], 2);
                        colors[color] = [values[1], values[2], values[3]];
                    }
                }
                '$' => x = 0,
                '-' => (x, top) = (0, top + 6),
                _ => {
                    let (count, letter) = if c == '!' { (number(), rest.next().unwrap()) } else { (1, c) };
                    let bits = letter as u32 - 63;
                    for _ in 0..count {
                        for dy in (0..6).filter(|dy| bits >> dy & 1 == 1) {
                            pixels[(top + dy) * size.width as usize + x] = colors[color];
                        }
                        x += 1;
                    }
                }
            }
        }
        pixels
    }

    #[test]
    fn a_terminal_draws_every_pixel_in_its_colour() {
        let frame = Frame::from_fn(Size::new(13, 8), |x, y| match (x + y) % 5 {
            0 => Rgb::new(255u8, 0, 51),
            1 => Rgb::new(0, 102, 204),
            _ => Rgb::new(255, 255, 0),
        });
        let frame = frame.unwrap();
        let opaque = frame.view().map(|p| Rgba::new(p.r, p.g, p.b, 255)).unwrap();
        let shown = drawn(&sixel(&opaque).unwrap(), frame.size());
        for (pixel, percent) in frame.pixels().iter().zip(shown) {
            assert_eq!([pixel.r, pixel.g, pixel.b].map(|v| u32::from(v) * 100 / 255), percent);
        }
    }

    #[test]
    fn inline_parts_are_one_png() {
        let noise = |x: u32, y: u32| (x.wrapping_mul(2_654_435_761) ^ y.wrapping_mul(97_531)).to_le_bytes();
        let frame = Frame::from_fn(Size::new(64, 64), |x, y| {
            let [r, g, b, _] = noise(x, y);
            Rgba::new(r, g, b, 255)
        });
        let frame = frame.unwrap();
        let text = inline(&frame).unwrap();
        let parts: Vec<&str> = text.split_terminator("\x1b\\").map(|p| p.strip_prefix("\x1b_G").unwrap()).collect();
        assert!(
            parts.len() > 1 && parts[0].starts_with("a=T,f=100,m=1;") && parts[parts.len() - 1].starts_with("m=0;")
        );
        let joined: String = parts.iter().map(|p| p.split_once(';').unwrap().1).collect();
        let bytes = base64::engine::general_purpose::STANDARD.decode(joined).unwrap();
        let picture = rahmen::file::decode(&bytes, rahmen::file::ReadOptions::default()).unwrap();
        let row: Vec<Rgb<u8>> = frame.row(9).iter().map(|p| Rgb::new(p.r, p.g, p.b)).collect();
        assert_eq!(picture.pixels().unwrap().view::<Rgb<u8>>().unwrap().row(9), row);
    }

    #[test]
    fn between_pictures_the_background_stays() {
        let plain = |size: Size, color: Rgb<u8>| -> Image {
            let content: Content = Frame::filled(size, color).unwrap().into();
            Image::fitted(&content, size, None, Look::default()).unwrap()
        };
        let row = [plain(Size::new(4, 7), Rgb::new(255, 0, 0)), plain(Size::new(3, 2), Rgb::new(0, 0, 255))];
        let size = Size::new(9, 7);
        let shown = drawn(&images_beside(&row, Images::Sixel, 6).unwrap(), size);
        let text = images_beside(&row, Images::Inline, 6).unwrap();
        let body = text.strip_prefix("\x1b_Ga=T,f=100,m=0;").unwrap().strip_suffix("\x1b\\").unwrap();
        let bytes = base64::engine::general_purpose::STANDARD.decode(body).unwrap();
        let picture = rahmen::file::decode(&bytes, rahmen::file::ReadOptions::default()).unwrap();
        let inline = picture.pixels().unwrap().view::<Rgba<u8>>().unwrap();
        for (i, percent) in shown.into_iter().enumerate() {
            let (x, y) = (i as u32 % 9, i as u32 / 9);
            let (want, pixel) = match (x, y) {
                (0..4, _) => ([100, 0, 0], Rgba::new(255, 0, 0, 255)),
                (6.., 0..2) => ([0, 0, 100], Rgba::new(0, 0, 255, 255)),
                _ => ([999; 3], Rgba::new(0, 0, 0, 0)),
            };
            assert_eq!((percent, inline[(x, y)]), (want, pixel), "{x},{y}");
        }
        assert!(images_beside(&[], Images::Sixel, 6).is_err() && images_beside(&row, Images::Sixel, 0).is_err());
    }

    #[test]
    fn the_facts_count_in_pixels_of_the_whole() {
        let small: Content = Frame::filled(Size::new(4, 4), Rgb::new(1u8, 2, 3)).unwrap().into();
        let text = image(&small, Images::Sixel, Size::new(8, 8), Some(Size::new(400, 400)), Look::default()).unwrap();
        assert!(text.ends_with("\n400x400 rgb u8\n"), "{text:?}");
    }
}
