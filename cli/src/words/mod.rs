//! The words that several verbs share: ranges, places, sizes, kernels, amounts of memory. Colours have a file of their own.

mod color;

pub(crate) use color::{Color, EdgeWord};

use rahmen::Size;
use rahmen::color::ycbcr::YcbcrLayout;
use rahmen::file::{ChromaSampling, TiffCompression};
use rahmen::frame::RawLayout;
use rahmen::resample::{Kernel, Target};
use rahmen::tone::{Dither, PaletteRules};
use std::str::FromStr;

/// A half-open range of rows or columns, either end left out: `10..20`, `10..`, `..20`, `10:20`; or one of them: `10`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct RangeWord {
    pub(crate) start: Option<u32>,
    pub(crate) end: Option<u32>,
}

/// The two ends of a range word, either of which may be left out; `None` where it is not a range.
fn ends<T: FromStr>(word: &str) -> Option<(Option<T>, Option<T>)> {
    let (start, end) = word.split_once("..").or_else(|| word.split_once(':'))?;
    let end_of = |text: &str| match text.trim() {
        "" => Some(None),
        digits => digits.parse().ok().map(Some),
    };
    Some((end_of(start)?, end_of(end)?))
}

impl FromStr for RangeWord {
    type Err = String;

    fn from_str(word: &str) -> Result<RangeWord, String> {
        if let Ok(one) = word.trim().parse::<u32>() {
            return Ok(RangeWord { start: Some(one), end: Some(one.saturating_add(1)) });
        }
        let wrong = || format!("a range is START..END in whole pixels, such as 10..20, 10.. or ..20, not {word}");
        ends(word).map(|(start, end)| RangeWord { start, end }).ok_or_else(wrong)
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
        let between = || pair(word, ',', "a place is X,Y, such as 120,80, or 12.4,7.75 with --interpolation");
        whole.or_else(|_| between().map(|(x, y)| Place::Between(x, y)))
    }
}

/// A half-open range that may begin and end between pixels, either end left out: `10.5..20`; or one column or row: `10`.
#[derive(Debug, Clone, Copy, PartialEq)]
pub(crate) struct RealRange {
    start: Option<f64>,
    end: Option<f64>,
}

impl FromStr for RealRange {
    type Err = String;

    fn from_str(word: &str) -> Result<RealRange, String> {
        if let Ok(one) = word.trim().parse::<u32>() {
            return Ok(RealRange { start: Some(one.into()), end: Some(f64::from(one) + 1.0) });
        }
        let wrong = || format!("a range is START..END, such as 10..20.5, 10.. or ..20, not {word}");
        ends(word).map(|(start, end)| RealRange { start, end }).ok_or_else(wrong)
    }
}

impl RealRange {
    /// The range within `0..side`, its open ends filled in.
    pub(crate) fn within(self, side: u32) -> std::ops::Range<f64> {
        self.start.unwrap_or(0.0)..self.end.unwrap_or(side.into())
    }
}

/// A number that is one, and above 0.
pub(crate) fn above_none(word: &str) -> Result<f64, String> {
    let number = word.parse::<f64>().ok().filter(|number| number.is_finite() && *number > 0.0);
    number.ok_or_else(|| format!("a number above 0 is expected, not {word}"))
}

/// How to interpolate: a kernel by its name, or a cubic by its two numbers.
pub(crate) fn kernel(word: &str) -> Result<Kernel, String> {
    let names = Kernel::ALL.iter().map(|kernel| kernel.name()).collect::<Vec<_>>().join(", ");
    if let Some(numbers) = word.strip_prefix("cubic=") {
        let (b, c) = pair(numbers, ',', "a cubic is cubic=B,C, such as cubic=0.3,0.35")?;
        return match f64::is_finite(b) && f64::is_finite(c) {
            true => Ok(Kernel::Cubic { b, c }),
            false => Err(format!("a cubic's B and C are finite numbers, not {numbers}")),
        };
    }
    // Names that are as common for the same kernels.
    let name = match word {
        "area" | "average" => "box",
        "bilinear" => "linear",
        "bicubic" => "catmull-rom",
        other => other,
    };
    let unknown = || format!("interpolation is {names} or cubic=B,C, not {word}");
    Kernel::ALL.iter().find(|&k| k.name() == name).cloned().ok_or_else(unknown)
}

/// A place that may lie outside: `X,Y`, each with a sign.
pub(crate) fn signed_place(word: &str) -> Result<(i64, i64), String> {
    pair(word, ',', "a place is X,Y in whole pixels, such as 120,80 or -5,0")
}

/// A size: `WxH`, or one number for both sides.
pub(crate) fn size(word: &str) -> Result<Size, String> {
    if let Ok(side) = word.trim().parse() {
        return Ok(Size::new(side, side));
    }
    let word = word.replace(['X', '\u{d7}'], "x");
    let (w, h) = pair(&word, 'x', "a size is WIDTHxHEIGHT in pixels, such as 640x480, or one number for both")?;
    Ok(Size::new(w, h))
}

/// A target size of a resize: a factor `10`, `0.5`, `40%`, or a size `WxH`.
pub(crate) fn target(word: &str) -> Result<Target, String> {
    if word.contains(['x', 'X', '\u{d7}']) {
        return size(word).map(Target::Exact);
    }
    if word.ends_with('%') {
        return percent(word).map(|p| Target::Scale(p / 100.0, p / 100.0));
    }
    factors(word).map(|(x, y)| Target::Scale(x, y))
}

/// A share in percent: `30` or `30%`.
pub(crate) fn percent(word: &str) -> Result<f64, String> {
    let number = word.trim().trim_end_matches('%').trim_end();
    number.parse().map_err(|_| format!("percent is a number such as 30 or 30%, not {word}"))
}

/// A chroma sampling ratio.
pub(crate) fn sampling(word: &str) -> Result<ChromaSampling, String> {
    match word {
        "4:4:4" | "444" => Ok(ChromaSampling::Ratio444),
        "4:2:2" | "422" => Ok(ChromaSampling::Ratio422),
        "4:2:0" | "420" => Ok(ChromaSampling::Ratio420),
        _ => Err(format!("sampling is 4:4:4, 4:2:2 or 4:2:0, not {word}")),
    }
}

/// A page: `3`, or one that hangs below it: `3.1`.
pub(crate) fn page(word: &str) -> Result<(u32, u32), String> {
    let number = |text: &str| text.parse::<u32>().ok().filter(|&n| n > 0);
    let parsed = match word.split_once('.') {
        Some((page, below)) => number(page).zip(number(below)),
        None => number(word).map(|page| (page, 0)),
    };
    parsed.ok_or_else(|| format!("pages count from 1: 3, or 3.1 for the first that hangs below it, not {word}"))
}

/// Seconds: `0.1`.
pub(crate) fn seconds(word: &str) -> Result<f64, String> {
    let number = word.trim_end_matches('s').parse::<f64>().ok().filter(|s| (0.0..=655.35).contains(s));
    number.ok_or_else(|| format!("a delay is 0 to 655.35 seconds, such as 0.1, not {word}"))
}

/// Colours of a palette: `64`, `64,ordered`, `64,diffusion`.
pub(crate) fn palette(word: &str) -> Result<PaletteRules, String> {
    let wrong =
        || format!("a palette has 2 to 256 colours, dithered or not: 64, 64,ordered or 64,diffusion, not {word}");
    let (count, dither) = word.split_once(',').unwrap_or((word, "none"));
    let count = count.parse::<u16>().ok().filter(|n| (2..=256).contains(n)).ok_or_else(wrong)?;
    let dither = match dither {
        "none" => Dither::None,
        "ordered" => Dither::Ordered,
        "diffusion" => Dither::Diffusion,
        _ => return Err(wrong()),
    };
    Ok(PaletteRules::colors(count).dither(dither))
}

/// Compression: a level, or a packing of TIFF.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Compression {
    Level(u8),
    Tiff(TiffCompression),
}

/// `0` to `9`, or none, packbits, lzw, deflate.
pub(crate) fn compression(word: &str) -> Result<Compression, String> {
    let tiff = match word.to_ascii_lowercase().as_str() {
        "none" => return Ok(Compression::Level(0)),
        "packbits" => TiffCompression::PackBits,
        "lzw" => TiffCompression::Lzw,
        "deflate" => TiffCompression::Deflate,
        other => {
            let level = other.parse::<u8>().ok().filter(|&level| level <= 9);
            let wrong = || format!("compression is 0 to 9, or for TIFF none, packbits, lzw or deflate, not {word}");
            return level.map(Compression::Level).ok_or_else(wrong);
        }
    };
    Ok(Compression::Tiff(tiff))
}

/// Numbers of bits: `3`, or from one to another, both included: `1..7`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Bits {
    pub(crate) from: u32,
    pub(crate) to: u32,
}

impl FromStr for Bits {
    type Err = String;

    fn from_str(word: &str) -> Result<Bits, String> {
        let wrong = || format!("bits are 1 to 16: one number, or from..to such as 1..7, not {word}");
        let one = word.parse().ok().map(|n| (Some(n), Some(n)));
        let (from, to) = one.or_else(|| ends(word)).ok_or_else(wrong)?;
        let bits = Bits { from: from.unwrap_or(1), to: to.unwrap_or(16) };
        if (1..=16).contains(&bits.from) && (bits.from..=16).contains(&bits.to) { Ok(bits) } else { Err(wrong()) }
    }
}

/// How raw bytes lie: pixels, or luma and colour differences.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Raw {
    Pixels(RawLayout),
    Ycbcr(YcbcrLayout),
}

impl Raw {
    fn of(words: &str, size: Option<Size>) -> Result<Raw, String> {
        let ycbcr = words.split_whitespace().any(|word| word.starts_with("ycbcr="));
        let layout = match ycbcr {
            true => YcbcrLayout::from_words(words, size).map(Raw::Ycbcr),
            false => RawLayout::from_words(words, size).map(Raw::Pixels),
        };
        layout.map_err(|e| e.to_string())
    }
}

/// How bytes lie in a file that is read: words of a raw layout, the size among them.
pub(crate) fn raw(words: &str) -> Result<Raw, String> {
    Raw::of(words, None)
}

/// How bytes are to lie in a file that is written. The size is the picture's, so a word for it is refused.
pub(crate) fn raw_out(words: &str) -> Result<Raw, String> {
    if words.split_whitespace().any(|w| w.starts_with("size=")) {
        return Err("the size is that of the picture that is written; leave size= out".to_string());
    }
    Raw::of(words, Some(Size::new(1, 1)))
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

/// A limit that has no option of its own.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum LimitName {
    Metadata,
    Side,
    Pages,
    Channels,
    Scans,
    Work,
}

/// A limit by its name: `metadata=1GiB`, `work=50000`.
pub(crate) fn limit(word: &str) -> Result<(LimitName, u64), String> {
    let wrong = || "a limit is metadata=SIZE, side=N, pages=N, channels=N, scans=N or work=N".to_string();
    let (name, value) = word.split_once('=').ok_or_else(wrong)?;
    let name = match name {
        "metadata" => return Ok((LimitName::Metadata, memory(value)?)),
        "side" => LimitName::Side,
        "pages" => LimitName::Pages,
        "channels" => LimitName::Channels,
        "scans" => LimitName::Scans,
        "work" => LimitName::Work,
        "memory" => return Err("memory has an option of its own: --limit-memory SIZE".to_string()),
        _ => return Err(wrong()),
    };
    Ok((name, value.parse().map_err(|_| format!("a whole number is expected, not {value}"))?))
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
        assert_eq!(
            (range("3:7"), range("5"), size("32"), size("3X2")),
            (Ok(3..7), Ok(5..6), Ok(Size::new(32, 32)), Ok(Size::new(3, 2)))
        );
        assert_eq!((percent("30%"), percent("12.5")), (Ok(30.0), Ok(12.5)));
        assert_eq!(
            (kernel("bilinear"), kernel("area"), kernel("bicubic")),
            (Ok(Kernel::Linear), Ok(Kernel::Box), Ok(Kernel::CatmullRom))
        );
        assert_eq!(("1..7".parse(), "3".parse()), (Ok(Bits { from: 1, to: 7 }), Ok(Bits { from: 3, to: 3 })));
        assert_eq!((sampling("4:2:0"), sampling("422")), (Ok(ChromaSampling::Ratio420), Ok(ChromaSampling::Ratio422)));
    }

    #[test]
    fn wrong_words_say_how_they_should_look() {
        for wrong in ["x", "a..b", "1..-2", "1...2x", "1.5"] {
            assert!(wrong.parse::<RangeWord>().unwrap_err().contains("10..20"), "{wrong}");
        }
        assert!("0..3".parse::<Bits>().is_err() && "9..2".parse::<Bits>().is_err() && sampling("half").is_err());
        assert!(size("640x").is_err() && place("1;2").is_err() && limits("3,1").is_err() && limits("NaN,1").is_err());
        assert!(memory("99999999999GiB").is_err() && memory("2 parsecs").is_err());
    }
}
