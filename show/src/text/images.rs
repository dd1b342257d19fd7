//! Pictures inside terminal text, for terminals that can show them: sixel graphics (the VT330/VT340 reference manual, chapter 14), and
//! PNG in the open terminal graphics protocol of application programming commands that begin with G.

use super::terminal::facts;
use crate::plot::png_of;
use crate::render::{Look, fitted, look_window, render};
use crate::{Error, Result};
use base64::Engine;
use rahmen::flow::{Chain, PictureSource, ToIndices};
use rahmen::tone::{Dither, PaletteRules};
use rahmen::{Content, Frame, Gray, Picture, Rgb, Size};

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
    let size = content.size();
    if size.is_empty() {
        return Err(Error::Drawing(format!("a picture of {size} has no pixel to look at")));
    }
    let window = look_window(content, &look);
    let shown = fitted(size, room);
    let frame = render(content, shown, &look.window(window), 8)?;
    let mut out = match images {
        Images::Sixel => sixel(&frame)?,
        Images::Inline => inline(&frame)?,
    };
    out.push('\n');
    out.push_str(&facts(content, whole.unwrap_or(size), None, window.map(|w| (w.low(), w.high()))));
    Ok(out)
}

fn inline(frame: &Frame<Rgb<u8>>) -> Result<String> {
    let text = base64::engine::general_purpose::STANDARD.encode(png_of(frame)?);
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

fn sixel(frame: &Frame<Rgb<u8>>) -> Result<String> {
    let mut source = Chain::new(Box::new(PictureSource::new(Picture::from(frame.clone()))), Vec::new())?;
    let step = ToIndices::reduced(&mut source, &PaletteRules::default().dither(Dither::Diffusion))?;
    let colors = step.palette().colors().to_vec();
    let numbers = Chain::new(Box::new(source), vec![Box::new(step)])?.picture()?;
    let numbers = numbers.pixels()?.view::<Gray<u8>>()?;
    let (width, height) = (frame.width(), frame.height());
    let mut out = format!("\x1bPq\"1;1;{width};{height}");
    for (number, color) in colors.iter().enumerate() {
        // Colours are said in percent.
        let [r, g, b] = [color.r, color.g, color.b].map(|v| (u32::from(v) * 200 + 255) / 510);
        out.push_str(&format!("#{number};2;{r};{g};{b}"));
    }
    for top in (0..height).step_by(6) {
        let mut used = [false; 256];
        (top..height.min(top + 6)).flat_map(|y| numbers.row(y)).for_each(|p| used[p.value as usize] = true);
        let mut first = true;
        for number in (0u8..=255).filter(|n| used[*n as usize]) {
            if !std::mem::take(&mut first) {
                out.push('$');
            }
            out.push_str(&format!("#{number}"));
            let bits = |x: u32| {
                let is = |dy: u32| top + dy < height && numbers[(x, top + dy)].value == number;
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
        let body = text.strip_prefix("\x1bPq").unwrap().split("\x1b\\").next().unwrap();
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
        let shown = drawn(&sixel(&frame).unwrap(), frame.size());
        for (pixel, percent) in frame.pixels().iter().zip(shown) {
            assert_eq!([pixel.r, pixel.g, pixel.b].map(|v| u32::from(v) * 100 / 255), percent);
        }
    }

    #[test]
    fn inline_parts_are_one_png() {
        let noise = |x: u32, y: u32| (x.wrapping_mul(2_654_435_761) ^ y.wrapping_mul(97_531)).to_le_bytes();
        let frame = Frame::from_fn(Size::new(64, 64), |x, y| {
            let [r, g, b, _] = noise(x, y);
            Rgb::new(r, g, b)
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
        assert_eq!(picture.pixels().unwrap().view::<Rgb<u8>>().unwrap().row(9), frame.view().row(9));
    }

    #[test]
    fn the_facts_count_in_pixels_of_the_whole() {
        let small: Content = Frame::filled(Size::new(4, 4), Rgb::new(1u8, 2, 3)).unwrap().into();
        let text = image(&small, Images::Sixel, Size::new(8, 8), Some(Size::new(400, 400)), Look::default()).unwrap();
        assert!(text.ends_with("\n400x400 rgb u8\n"), "{text:?}");
    }
}
