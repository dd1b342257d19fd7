//! A picture as terminal text.

use crate::render::{Look, fitted, look_window, render};
use crate::{Error, Result, space_name};
use rahmen::{Content, Frame, Rgb, Size};

/// Which colours a terminal can show.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Colors {
    /// Red, green and blue of 8 bits each.
    #[default]
    True,
    /// The 6 x 6 x 6 cube and the grays of 256 colours.
    Palette256,
    /// None: characters by brightness.
    Plain,
}

/// Properties of a terminal: colours and size.
#[derive(Debug, Clone, Copy)]
#[non_exhaustive]
pub struct Terminal {
    /// Its colours.
    pub colors: Colors,
    /// Characters a line that may be used.
    pub columns: u32,
    /// Lines that may be used.
    pub rows: u32,
    /// Where rulers with pixel coordinates begin to count, x and y; no rulers without it.
    pub rulers: Option<(u32, u32)>,
    /// The size of the picture that is shown, where what is given is a reduction of it: rulers and facts count in its pixels.
    pub whole: Option<Size>,
}

impl Terminal {
    /// A terminal of this many columns and rows.
    pub fn new(colors: Colors, columns: u32, rows: u32) -> Terminal {
        Terminal { colors, columns, rows, rulers: None, whole: None }
    }

    /// The same with rulers that begin at a place: where the picture was cut out of a larger one.
    pub fn rulers(self, x: u32, y: u32) -> Terminal {
        Terminal { rulers: Some((x, y)), ..self }
    }

    /// The same for a picture that is a reduction of one of this size.
    pub fn whole(self, size: Size) -> Terminal {
        Terminal { whole: Some(size), ..self }
    }
}

/// Brightness from dark to light, for terminals without colours.
const SHADES: [char; 8] = [' ', '.', ',', ':', 'o', 'x', '8', '@'];

/// Columns from one number of the upper ruler to the next, and lines on the left one.
const TICK: u32 = 10;
const TICK_ROWS: u32 = 5;

/// Text of a picture fitted into a terminal, with a line of facts under it. A character stands for one pixel of the fitted picture across
/// and two down. Behind alpha lies a checkered ground; numbers that are not bytes go through a window, which the facts name.
///
/// # Errors
/// A picture without pixels, or planes that are no colours (more than four: pick one).
pub fn picture(content: &Content, terminal: Terminal, look: Look) -> Result<String> {
    let size = content.size();
    if size.is_empty() {
        return Err(Error::Drawing(format!("a picture of {size} has no pixel to look at")));
    }
    let whole = terminal.whole.unwrap_or(size);
    let (x0, y0) = terminal.rulers.unwrap_or((0, 0));
    let digits = y0.saturating_add(whole.height.saturating_sub(1)).to_string().len() as u32;
    let (left, top) = if terminal.rulers.is_some() { (digits + 1, 2) } else { (0, 0) };
    let columns = terminal.columns.saturating_sub(left).max(1);
    // A line is kept for the facts.
    let lines = terminal.rows.saturating_sub(top + 1).max(1);
    let shown = fitted(size, Size::new(columns, 2 * lines));
    let window = look_window(content, &look);
    let frame = render(content, shown, &look.clone().window(window), 4)?;
    let mut out = String::new();
    if terminal.rulers.is_some() {
        upper_ruler(&mut out, x0, whole.width, shown.width, left);
    }
    for y in (0..shown.height).step_by(2) {
        if terminal.rulers.is_some() {
            let label = row_label(y, y0, whole.height, shown.height);
            let mark = if label.is_empty() { ' ' } else { '-' };
            out.push_str(&format!("{label:>width$}{mark}", width = digits as usize));
        }
        match terminal.colors {
            Colors::Plain => plain_line(&mut out, &frame, y),
            colors => colored_line(&mut out, &frame, y, colors),
        }
        out.push('\n');
    }
    out.push_str(&facts(content, whole, Some(shown), window.map(|w| (w.low(), w.high())), &look));
    Ok(out)
}

/// The pixel that a column or row of the fitted picture begins with.
fn place(at: u32, side: u32, shown: u32) -> u32 {
    (u64::from(at) * u64::from(side) / u64::from(shown.max(1))) as u32
}

/// The number of the row of pixels that begins in a line of the fitted picture, which has rows `y` and `y + 1`: every fifth
/// line, or where a pixel takes more than a line, every row or so that begins in it.
fn row_label(y: u32, first: u32, height: u32, shown: u32) -> String {
    let row = place(y, height, shown);
    if shown <= height {
        return if (y / 2).is_multiple_of(TICK_ROWS) { first.saturating_add(row).to_string() } else { String::new() };
    }
    // Enlarged by a whole factor: a row begins at a multiple of it.
    let factor = shown / height;
    let every = (2 * TICK_ROWS).div_ceil(factor);
    let begins = [y, y + 1].into_iter().find(|at| at.is_multiple_of(factor)).map(|at| at / factor);
    match begins {
        Some(row) if row < height && row.is_multiple_of(every) => first.saturating_add(row).to_string(),
        _ => String::new(),
    }
}

fn upper_ruler(out: &mut String, first: u32, width: u32, shown: u32, left: u32) {
    let (mut numbers, mut marks) = (" ".repeat(left as usize), " ".repeat(left as usize));
    let mut x = 0;
    while x < shown {
        let label = first.saturating_add(place(x, width, shown)).to_string();
        // Enlarged by a whole factor, numbers stand where a pixel begins.
        let factor = (shown / width.max(1)).max(1);
        let step = TICK.max(label.len() as u32 + 1).next_multiple_of(factor).min(shown - x);
        // A number that would stick out is left out.
        let label = if label.len() as u32 <= step { label } else { String::new() };
        numbers.push_str(&format!("{label:<width$}", width = step as usize));
        marks.push('|');
        marks.push_str(&" ".repeat(step as usize - 1));
        x += step;
    }
    out.push_str(&format!("{}\n{}\n", numbers.trim_end(), marks.trim_end()));
}

/// Two rows of pixels as upper halves of blocks: the text colour above, the ground colour below.
fn colored_line(out: &mut String, frame: &Frame<Rgb<u8>>, y: u32, colors: Colors) {
    let code = |p: Rgb<u8>| match colors {
        Colors::Palette256 => format!("5;{}", nearest_256(p)),
        _ => format!("2;{};{};{}", p.r, p.g, p.b),
    };
    let mut last = (None, None);
    for x in 0..frame.width() {
        let (upper, lower) = (frame[(x, y)], frame.get(x, y + 1));
        if last.0 != Some(upper) {
            out.push_str(&format!("\x1b[38;{}m", code(upper)));
        }
        if last.1 != Some(lower) {
            out.push_str(&lower.map_or("\x1b[49m".to_string(), |p| format!("\x1b[48;{}m", code(p))));
        }
        last = (Some(upper), Some(lower));
        out.push('\u{2580}');
    }
    out.push_str("\x1b[0m");
}

fn plain_line(out: &mut String, frame: &Frame<Rgb<u8>>, y: u32) {
    let light = |p: Rgb<u8>| 0.2126 * f64::from(p.r) + 0.7152 * f64::from(p.g) + 0.0722 * f64::from(p.b);
    let mut line = String::new();
    for x in 0..frame.width() {
        let upper = frame[(x, y)];
        let mean = (light(upper) + light(frame.get(x, y + 1).unwrap_or(upper))) / 2.0;
        line.push(SHADES[((mean / 256.0 * SHADES.len() as f64) as usize).min(SHADES.len() - 1)]);
    }
    out.push_str(line.trim_end());
}

/// The nearest of the colours 16..=255: the cube of 0, 95, 135, 175, 215, 255 and the grays 8, 18 ... 238 (ECMA-48 leaves
/// the indices to the terminal; these are what terminals agree on).
fn nearest_256(p: Rgb<u8>) -> u8 {
    const STEPS: [i32; 6] = [0, 95, 135, 175, 215, 255];
    let [r, g, b] = [p.r, p.g, p.b].map(i32::from);
    let step = |v: i32| (0..6).min_by_key(|&i| (STEPS[i] - v).abs()).unwrap_or(0);
    let apart = |to: [i32; 3]| (to[0] - r).pow(2) + (to[1] - g).pow(2) + (to[2] - b).pow(2);
    let cube = [r, g, b].map(step);
    let gray = (((r + g + b) / 3 - 3) / 10).clamp(0, 23);
    match apart([8 + 10 * gray; 3]) < apart(cube.map(|i| STEPS[i])) {
        true => (232 + gray) as u8,
        false => (16 + 36 * cube[0] + 6 * cube[1] + cube[2]) as u8,
    }
}

/// A number of a window in six digits at most, where that is not what it is by itself.
fn short(value: f64) -> String {
    let plain = value.to_string();
    if plain.len() <= 8 {
        return plain;
    }
    let digits = (5 - value.abs().log10().floor() as i32).clamp(0, 12);
    let text = format!("{value:.*}", digits as usize);
    if text.contains('.') { text.trim_end_matches('0').trim_end_matches('.').to_string() } else { text }
}

/// The line of facts; `shown` in characters, where it is shown in them.
pub(super) fn facts(
    content: &Content,
    size: Size,
    shown: Option<Size>,
    window: Option<(f64, f64)>,
    look: &Look,
) -> String {
    let cell = shown.map_or(String::new(), |shown| match f64::from(size.width) / f64::from(shown.width) {
        r if r > 1.0 => {
            let wide = format!("{r:.3}");
            format!(", a character is {} pixels wide", wide.trim_end_matches('0').trim_end_matches('.'))
        }
        r if r < 1.0 => format!(", a pixel is {} characters wide", (1.0 / r).round()),
        _ => ", a character is a pixel wide".to_string(),
    });
    let window = window
        .map_or(String::new(), |(low, high)| format!(", {} to {} shown as black to white", short(low), short(high)));
    let space = look.space.as_deref().and_then(space_name).map_or(String::new(), |name| format!(", {name}"));
    format!("{size} {}{space}{cell}{window}\n", content.pixel_format().describe())
}

#[cfg(test)]
mod tests {
    use super::*;
    use rahmen::{Gray, Planes};

    fn two_by_two() -> Content {
        Frame::from_pixels(
            Size::new(2, 2),
            vec![Rgb::new(255u8, 0, 0), Rgb::new(0, 255, 0), Rgb::new(0, 0, 255), Rgb::new(9, 9, 9)],
        )
        .unwrap()
        .into()
    }

    #[test]
    fn half_blocks_carry_the_upper_and_the_lower_pixel() {
        let text = picture(&two_by_two(), Terminal::new(Colors::True, 2, 2), Look::default()).unwrap();
        let line = text.lines().next().unwrap();
        assert_eq!(line, "\x1b[38;2;255;0;0m\x1b[48;2;0;0;255m▀\x1b[38;2;0;255;0m\x1b[48;2;9;9;9m▀\x1b[0m");
        assert!(text.ends_with("2x2 rgb u8, a character is a pixel wide\n"));
        let text = picture(&two_by_two(), Terminal::new(Colors::Palette256, 2, 2), Look::default()).unwrap();
        assert!(text.starts_with("\x1b[38;5;196m\x1b[48;5;21m▀\x1b[38;5;46m\x1b[48;5;232m▀"), "{text:?}");
    }

    #[test]
    fn plain_characters_grow_with_brightness_and_rulers_count_pixels() {
        let ramp = Frame::from_fn(Size::new(400, 40), |x, _| Gray::new((x * 255 / 399) as u8)).unwrap();
        let text = picture(&ramp.into(), Terminal::new(Colors::Plain, 44, 60).rulers(0, 0), Look::default()).unwrap();
        let lines: Vec<_> = text.lines().collect();
        // Three columns for the row numbers leave 41: a character is 9.756 pixels.
        assert_eq!(lines[0], "   0         97        195       292");
        assert_eq!(lines[1], "   |         |         |         |         |");
        assert!(lines[2].starts_with(" 0- ") && lines[2].ends_with('@'), "{:?}", lines[2]);
        assert!(lines.last().unwrap().contains("a character is 9.756 pixels wide"));
    }

    #[test]
    fn windows_are_named_and_planes_can_be_looked_at() {
        let deep = Frame::from_fn(Size::new(4, 4), |x, _| Gray::new(i32::try_from(x).unwrap() - 2)).unwrap();
        let planes: Content = Content::Planes(Planes::new(Size::new(4, 4)).with("z", deep).unwrap().into());
        let text = picture(&planes, Terminal::new(Colors::Plain, 4, 4), Look::default()).unwrap();
        assert!(text.contains(", -2 to 1 shown as black to white"), "{text}");
        let none: Content = Frame::<Gray<u8>>::new(Size::new(0, 3)).unwrap().into();
        assert!(picture(&none, Terminal::new(Colors::Plain, 4, 4), Look::default()).is_err());
    }
}
