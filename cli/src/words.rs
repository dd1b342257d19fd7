//! The words that several verbs share: ranges, places, sizes, colours, amounts of memory.

use rahmen::Size;
use rahmen::access::Edge;
use rahmen::frame::RawLayout;
use rahmen::resample::Kernel;
use std::str::FromStr;

/// A half-open range of rows or columns, either end left out: `10..20`, `10..`, `..20`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct RangeWord {
    pub(crate) start: Option<u32>,
    pub(crate) end: Option<u32>,
}

impl FromStr for RangeWord {
    type Err = String;

    fn from_str(word: &str) -> Result<RangeWord, String> {
        let wanted = || format!("a range is START..END, such as 10..20, 10.. or ..20, not {word}");
        let (start, end) = word.split_once("..").ok_or_else(wanted)?;
        let edge = |text: &str| match text {
            "" => Ok(None),
            digits => digits.parse().map(Some).map_err(|_| wanted()),
        };
        Ok(RangeWord { start: edge(start)?, end: edge(end)? })
    }
}

impl RangeWord {
    /// The range within `0..side`, its open ends filled in.
    pub(crate) fn within(self, side: u32) -> std::ops::Range<u32> {
        self.start.unwrap_or(0)..self.end.unwrap_or(side)
    }
}

fn pair<T: FromStr>(word: &str, between: char, wanted: &str) -> Result<(T, T), String> {
    let wrong = || format!("{wanted}, not {word}");
    let (a, b) = word.split_once(between).ok_or_else(wrong)?;
    Ok((a.trim().parse().map_err(|_| wrong())?, b.trim().parse().map_err(|_| wrong())?))
}

/// A place: `X,Y`.
pub(crate) fn place(word: &str) -> Result<(u32, u32), String> {
    pair(word, ',', "a place is X,Y in whole pixels, such as 120,80")
}

/// A place in whole pixels, or anywhere between them.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum Place {
    Pixel(u32, u32),
    Between(f64, f64),
}

impl FromStr for Place {
    type Err = String;

    fn from_str(word: &str) -> Result<Place, String> {
        let whole = place(word).map(|(x, y)| Place::Pixel(x, y));
        let between = || pair(word, ',', "a place is X,Y, such as 120,80, or 12.4,7.75 with --kernel");
        whole.or_else(|_| between().map(|(x, y)| Place::Between(x, y)))
    }
}

/// A half-open range that may begin and end between pixels, either end left out: `10.5..20`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct RealRange {
    start: Option<f64>,
    end: Option<f64>,
}

impl FromStr for RealRange {
    type Err = String;

    fn from_str(word: &str) -> Result<RealRange, String> {
        let wanted = || format!("a range is START..END, such as 10..20.5, 10.. or ..20, not {word}");
        let (start, end) = word.split_once("..").ok_or_else(wanted)?;
        let edge = |text: &str| match text {
            "" => Ok(None),
            digits => digits.parse().map(Some).map_err(|_| wanted()),
        };
        Ok(RealRange { start: edge(start)?, end: edge(end)? })
    }
}

impl RealRange {
    /// The range within `0..side`, its open ends filled in.
    pub(crate) fn within(self, side: u32) -> std::ops::Range<f64> {
        self.start.unwrap_or(0.0)..self.end.unwrap_or(side.into())
    }
}

/// A kernel: a name, or a cubic by its two numbers.
pub(crate) fn kernel(word: &str) -> Result<Kernel, String> {
    let names = Kernel::ALL.map(Kernel::name).join(", ");
    if let Some(numbers) = word.strip_prefix("cubic=") {
        let (b, c) = pair(numbers, ',', "a cubic is cubic=B,C, such as cubic=0.3,0.35")?;
        return match f64::is_finite(b) && f64::is_finite(c) {
            true => Ok(Kernel::Cubic { b, c }),
            false => Err(format!("a cubic's B and C are finite numbers, not {numbers}")),
        };
    }
    let unknown = || format!("the kernels are {names} and cubic=B,C");
    Kernel::ALL.into_iter().find(|k| k.name() == word).ok_or_else(unknown)
}

/// A place that may lie outside: `X,Y`, each with a sign.
pub(crate) fn signed_place(word: &str) -> Result<(i64, i64), String> {
    pair(word, ',', "a place is X,Y in whole pixels, such as 120,80 or -5,0")
}

/// What lies outside a picture: clamp, reflect, wrap, or a colour.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) enum EdgeWord {
    Clamp,
    Reflect,
    Wrap,
    Color(Color),
}

impl FromStr for EdgeWord {
    type Err = String;

    fn from_str(word: &str) -> Result<EdgeWord, String> {
        match word {
            "clamp" => Ok(EdgeWord::Clamp),
            "reflect" => Ok(EdgeWord::Reflect),
            "wrap" => Ok(EdgeWord::Wrap),
            color => {
                let wrong =
                    |_| format!("an edge is clamp, reflect, wrap or a colour such as black or #rrggbb, not {word}");
                color.parse().map(EdgeWord::Color).map_err(wrong)
            }
        }
    }
}

impl EdgeWord {
    pub(crate) fn is_color(self) -> bool {
        matches!(self, EdgeWord::Color(_))
    }

    /// The edge for pixels of a layout, a constant's channels as fractions.
    pub(crate) fn of_layout(self, layout: rahmen::Layout) -> Result<Edge<[f64; 4]>, String> {
        Ok(match self {
            EdgeWord::Clamp => Edge::Clamp,
            EdgeWord::Reflect => Edge::Reflect,
            EdgeWord::Wrap => Edge::Wrap,
            EdgeWord::Color(color) => {
                color.fits(layout)?;
                let ([r, g, b], a) = (color.rgb, color.opacity());
                Edge::Constant(match layout {
                    rahmen::Layout::Gray => [r, 0.0, 0.0, 0.0],
                    rahmen::Layout::GrayAlpha => [r, a, 0.0, 0.0],
                    rahmen::Layout::Rgb | rahmen::Layout::Rgba => [r, g, b, a],
                    // Ink: what is missing of white.
                    _ => [1.0 - r, 1.0 - g, 1.0 - b, 0.0],
                })
            }
        })
    }

    /// The edge for pixels of a type.
    pub(crate) fn of<P: rahmen::Stored>(self) -> rahmen::Result<Edge<P>> {
        Ok(match self {
            EdgeWord::Clamp => Edge::Clamp,
            EdgeWord::Reflect => Edge::Reflect,
            EdgeWord::Wrap => Edge::Wrap,
            EdgeWord::Color(color) => Edge::Constant(color.pixel()?),
        })
    }
}

impl Color {
    /// Alpha, full where the word does not name it.
    pub(crate) fn opacity(self) -> f64 {
        self.alpha.unwrap_or(1.0)
    }

    /// The colour as a pixel of a type.
    pub(crate) fn pixel<P: rahmen::Stored>(self) -> rahmen::Result<P> {
        rahmen::color::pixel_of(self.rgb, self.opacity())
    }

    /// Whether a picture of this layout can show the colour; otherwise what to do.
    pub(crate) fn fits(self, layout: rahmen::Layout) -> Result<(), String> {
        let [r, g, b] = self.rgb;
        if (r != g || g != b) && !layout.is_color() {
            return Err(format!("the picture is {layout}, the colour is not; add --as color"));
        }
        if self.opacity() < 1.0 && !layout.has_alpha() {
            return Err(format!("the picture is {layout} and has no alpha; `rahmen channels --pick` adds one (full)"));
        }
        Ok(())
    }
}

/// A size: `WxH`.
pub(crate) fn size(word: &str) -> Result<Size, String> {
    let (w, h) = pair(word, 'x', "a size is WIDTHxHEIGHT, such as 640x480")?;
    Ok(Size::new(w, h))
}

/// How bytes lie in a file that is read: words of a raw layout, the size among them.
pub(crate) fn raw(words: &str) -> Result<RawLayout, String> {
    RawLayout::from_words(words, None).map_err(|e| e.to_string())
}

/// How bytes are to lie in a file that is written. The size is the picture's, so a word for it is refused.
pub(crate) fn raw_out(words: &str) -> Result<RawLayout, String> {
    if words.split_whitespace().any(|w| w.starts_with("size=")) {
        return Err("the size is that of the picture that is written; leave size= out".to_string());
    }
    RawLayout::from_words(words, Some(Size::new(1, 1))).map_err(|e| e.to_string())
}

/// A range of values: `LO,HI`.
pub(crate) fn limits(word: &str) -> Result<(f64, f64), String> {
    let (low, high) = pair(word, ',', "limits are LOW,HIGH, such as 0,255 or -40,12.5")?;
    match low < high {
        true => Ok((low, high)),
        false => Err(format!("limits go from a lower to a higher number, not from {low} to {high}")),
    }
}

/// Where a part holds on: `X,Y`, each from 0 to 1.
pub(crate) fn anchor(word: &str) -> Result<(f64, f64), String> {
    let (x, y) = pair(word, ',', "an anchor is X,Y, such as 0.5,0 for the upper middle")?;
    match [x, y].iter().all(|v| (0.0..=1.0).contains(v)) {
        true => Ok((x, y)),
        false => Err(format!("an anchor's numbers are 0 to 1, not {word}")),
    }
}

/// One factor for both axes, or one each: `F` or `FX,FY`, each a number or a fraction such as 1/3.
pub(crate) fn factors(word: &str) -> Result<(f64, f64), String> {
    let wrong = || format!("a scale is a factor such as 0.5 or 1/3, or two such as 2,1, not {word}");
    let factor = |text: &str| -> Option<f64> {
        match text.split_once('/') {
            Some((a, b)) => Some(a.trim().parse::<f64>().ok()? / b.trim().parse::<f64>().ok()?),
            None => text.trim().parse().ok(),
        }
    };
    let (x, y) = word.split_once(',').unwrap_or((word, word));
    factor(x).zip(factor(y)).ok_or_else(wrong)
}

/// A colour as fractions of full: red, green, blue and alpha.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct Color {
    pub(crate) rgb: [f64; 3],
    /// Alpha, where the word names it.
    pub(crate) alpha: Option<f64>,
}

impl FromStr for Color {
    type Err = String;

    fn from_str(word: &str) -> Result<Color, String> {
        let plain = |rgb: [f64; 3]| Ok(Color { rgb, alpha: None });
        match word {
            "black" => return plain([0.0; 3]),
            "white" => return plain([1.0; 3]),
            "gray" => return plain([0.5; 3]),
            "red" => return plain([1.0, 0.0, 0.0]),
            "green" => return plain([0.0, 1.0, 0.0]),
            "blue" => return plain([0.0, 0.0, 1.0]),
            "clear" => return Ok(Color { rgb: [0.0; 3], alpha: Some(0.0) }),
            _ => {}
        }
        let wrong = || {
            format!(
                "a colour is #rrggbb, #rrggbbaa, percents such as 50% or 100%,40%,0%, or one of black, white, gray, \
                 red, green, blue, clear, not {word}"
            )
        };
        let parts = match word.strip_prefix('#') {
            Some(digits) => hex(digits).ok_or_else(wrong)?,
            None => percents(word).ok_or_else(wrong)?,
        };
        match parts[..] {
            [v] => plain([v; 3]),
            [r, g, b] => plain([r, g, b]),
            [r, g, b, a] => Ok(Color { rgb: [r, g, b], alpha: Some(a) }),
            _ => Err(wrong()),
        }
    }
}

fn hex(digits: &str) -> Option<Vec<f64>> {
    if !matches!(digits.len(), 6 | 8) || !digits.bytes().all(|b| b.is_ascii_hexdigit()) {
        return None;
    }
    let byte = |i: usize| u8::from_str_radix(digits.get(i..i + 2)?, 16).ok();
    (0..digits.len()).step_by(2).map(|i| byte(i).map(|v| f64::from(v) / 255.0)).collect()
}

fn percents(word: &str) -> Option<Vec<f64>> {
    let one = |part: &str| {
        let value: f64 = part.trim().strip_suffix('%')?.parse().ok()?;
        (0.0..=100.0).contains(&value).then_some(value / 100.0)
    };
    word.split(',').map(one).collect()
}

/// An amount of memory: a number with or without KiB, MiB, GiB.
pub(crate) fn memory(word: &str) -> Result<u64, String> {
    let wrong = || format!("an amount of memory is a number with KiB, MiB or GiB, such as 512MiB, not {word}");
    let digits = word.find(|c: char| !c.is_ascii_digit()).unwrap_or(word.len());
    let (number, unit) = word.split_at(digits);
    let shift = match unit.trim().to_ascii_lowercase().as_str() {
        "" | "b" => 0,
        "kib" | "k" => 10,
        "mib" | "m" => 20,
        "gib" | "g" => 30,
        _ => return Err(wrong()),
    };
    number.parse::<u64>().ok().and_then(|n| n.checked_mul(1 << shift)).ok_or_else(wrong)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn words_mean_what_they_say() {
        let range = |w: &str| w.parse::<RangeWord>().map(|r| r.within(100));
        assert_eq!(
            (range("3..7"), range(".."), range("5.."), range("..9")),
            (Ok(3..7), Ok(0..100), Ok(5..100), Ok(0..9))
        );
        assert_eq!((place("3,4"), signed_place("-3,4")), (Ok((3, 4)), Ok((-3, 4))));
        assert_eq!(size("640x480"), Ok(Size::new(640, 480)));
        assert_eq!(factors("0.5"), Ok((0.5, 0.5)));
        assert_eq!((factors("2,0.25"), factors("1/4,2")), (Ok((2.0, 0.25)), Ok((0.25, 2.0))));
        assert_eq!((memory("2KiB"), memory("7"), memory("1GiB")), (Ok(2048), Ok(7), Ok(1 << 30)));
        assert_eq!("#ff0080".parse(), Ok(Color { rgb: [1.0, 0.0, 128.0 / 255.0], alpha: None }));
        assert_eq!("50%,0%,100%,25%".parse(), Ok(Color { rgb: [0.5, 0.0, 1.0], alpha: Some(0.25) }));
    }

    #[test]
    fn wrong_words_say_how_they_should_look() {
        for wrong in ["7", "a..b", "1..-2", "1...2x"] {
            assert!(wrong.parse::<RangeWord>().unwrap_err().contains("10..20"), "{wrong}");
        }
        for wrong in ["#12345", "#gggggg", "purplish", "0.5", "50%,50%", "120%", ""] {
            assert!(wrong.parse::<Color>().is_err(), "{wrong}");
        }
        assert!(size("640").is_err() && place("1;2").is_err() && limits("3,1").is_err() && limits("NaN,1").is_err());
        assert!(memory("99999999999GiB").is_err() && memory("2 parsecs").is_err());
    }
}
