//! The headers: words and numbers in ASCII, with comments.

use crate::error::{Error, Result};
use crate::file::words::shown;
use crate::frame::{PixelFormat, Size};
use crate::pixel::{Depth, Layout, NumberKind};

/// What a header says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Header {
    pub(super) size: Size,
    /// That of a picture; `None` of channels that a PAM has no known type for, which are planes.
    pub(super) layout: Option<Layout>,
    pub(super) channels: usize,
    /// The maximum value, 1 to 65,535.
    pub(super) top: u16,
    /// Whether the samples are written as decimal numbers.
    pub(super) plain: bool,
    pub(super) arbitrary: bool,
    /// Whether samples are bits, 1 for black (P1, P4).
    pub(super) bits: bool,
}

impl Header {
    pub(super) fn depth(&self) -> Depth {
        if self.top < 256 { Depth::U8 } else { Depth::U16 }
    }

    pub(super) fn form(&self) -> PixelFormat {
        match (self.layout, self.depth()) {
            (Some(layout), depth) => PixelFormat::Pixels { depth, layout },
            (None, depth) => {
                let number = if depth == Depth::U8 { NumberKind::U8 } else { NumberKind::U16 };
                PixelFormat::Planes { number, names: (0..self.channels).map(|i| i.to_string()).collect() }
            }
        }
    }

    pub(super) fn describe(&self) -> String {
        if self.bits {
            return format!("bilevel, {}", if self.plain { "plain digits" } else { "raw bits" });
        }
        let kind = if self.plain { "plain numbers" } else { "raw" };
        let what = self.layout.map_or_else(|| format!("{} channels", self.channels), |layout| layout.to_string());
        format!("{what}, maximum value {}, {kind}", self.top)
    }

    /// Samples a row.
    pub(super) fn row_samples(&self) -> usize {
        (self.size.width as usize).saturating_mul(self.channels)
    }

    /// Bytes a row, where samples are raw.
    pub(super) fn row_bytes(&self) -> usize {
        match self.bits {
            true => self.row_samples().div_ceil(8),
            false => self.row_samples().saturating_mul(self.depth().bytes()),
        }
    }

    /// Bytes of all rows, where samples are raw.
    pub(super) fn body_bytes(&self) -> u64 {
        (self.row_bytes() as u64).saturating_mul(u64::from(self.size.height))
    }

    /// Reads a header off the front of a file: the header and its length, or `None` where there is more to come.
    pub(super) fn parse(bytes: &[u8]) -> Result<Option<(Header, usize)>> {
        match bytes {
            [b'P', b'7', ..] => parse_arbitrary(bytes),
            [b'P', kind, ..] => parse_map(*kind, bytes),
            _ => Ok(None),
        }
    }
}

fn parse_map(kind: u8, bytes: &[u8]) -> Result<Option<(Header, usize)>> {
    let (layout, plain) = match kind {
        b'1' => (Layout::Gray, true),
        b'4' => (Layout::Gray, false),
        b'2' => (Layout::Gray, true),
        b'3' => (Layout::Rgb, true),
        b'5' => (Layout::Gray, false),
        b'6' => (Layout::Rgb, false),
        _ => return Err(Error::malformed(format!("a map of kind P{}", char::from(kind).escape_default()))),
    };
    let bits = matches!(kind, b'1' | b'4');
    let mut words = Words { bytes, at: 2 };
    // A bilevel map has no maximum value: it is 1.
    let mut numbers = [0, 0, 1u32];
    let count = if bits { 2 } else { 3 };
    for (number, what) in numbers.iter_mut().zip(["width", "height", "maximum value"]).take(count) {
        match words.next_word()? {
            Some(word) => *number = parse_number(word, what)?,
            None => return Ok(None),
        }
    }
    let [width, height, top] = numbers;
    let top = check_top(top)?;
    // Just one white-space character stands between the header and the samples; next_word has seen it.
    let length = words.at.saturating_add(1);
    let (size, channels) = (Size::new(width, height), layout.channels());
    Ok(Some((Header { size, layout: Some(layout), channels, top, plain, arbitrary: false, bits }, length)))
}

fn check_top(top: u32) -> Result<u16> {
    u16::try_from(top)
        .ok()
        .filter(|&t| t > 0)
        .ok_or_else(|| Error::malformed(format!("a maximum value of {top}; it is 1 to 65535")))
}

/// Digits that a number may have, leading noughts among them.
const MOST_DIGITS: usize = 20;

fn parse_number(word: &[u8], what: &str) -> Result<u32> {
    let digits = |text: &&str| text.len() <= MOST_DIGITS && text.bytes().all(|b| b.is_ascii_digit());
    let text = std::str::from_utf8(word).ok().filter(digits);
    text.and_then(|t| t.parse().ok()).ok_or_else(|| {
        let shown = shown(&String::from_utf8_lossy(word), 16);
        Error::malformed(format!("the {what} is not a number: {shown}"))
    })
}

/// Words between white space; `#` starts a comment that ends with its line.
struct Words<'a> {
    bytes: &'a [u8],
    at: usize,
}

impl<'a> Words<'a> {
    /// The next word, once the character behind it is there too. `at` is then that character's place.
    fn next_word(&mut self) -> Result<Option<&'a [u8]>> {
        loop {
            let rest = self.bytes.get(self.at..).unwrap_or_default();
            match rest.first() {
                None => return Ok(None),
                Some(b'#') => match rest.iter().position(|b| matches!(b, b'\n' | b'\r')) {
                    Some(end) => self.at = self.at.saturating_add(end),
                    None => return Ok(None),
                },
                Some(b) if b.is_ascii_whitespace() => self.at = self.at.saturating_add(1),
                Some(_) => {
                    let length = rest.iter().position(|b| b.is_ascii_whitespace() || *b == b'#');
                    // A longer word is none, whether or not its end is there yet: as much as shows that is taken.
                    let length = match length {
                        Some(length) => length.min(MOST_DIGITS + 1),
                        None if rest.len() > MOST_DIGITS => MOST_DIGITS + 1,
                        None => return Ok(None),
                    };
                    self.at = self.at.saturating_add(length);
                    return Ok(rest.get(..length));
                }
            }
        }
    }
}

/// P7: a line a field, until ENDHDR.
fn parse_arbitrary(bytes: &[u8]) -> Result<Option<(Header, usize)>> {
    let (mut width, mut height, mut depth, mut top) = (None, None, None, None);
    let mut kind = String::new();
    let mut at = 0usize;
    for line in bytes.split_inclusive(|&b| b == b'\n') {
        let (b'\n', text) = line.split_last().map_or((0, line), |(last, text)| (*last, text)) else { return Ok(None) };
        at = at.saturating_add(line.len());
        let text = text.trim_ascii();
        let space = text.iter().position(u8::is_ascii_whitespace).unwrap_or(text.len());
        let (word, value) = text.split_at_checked(space).unwrap_or((text, &[]));
        let value = value.trim_ascii();
        match word {
            b"P7" | b"" => {}
            b"WIDTH" => width = Some(parse_number(value, "width")?),
            b"HEIGHT" => height = Some(parse_number(value, "height")?),
            b"DEPTH" => depth = Some(parse_number(value, "depth")?),
            b"MAXVAL" => top = Some(parse_number(value, "maximum value")?),
            b"TUPLTYPE" => kind.push_str(&String::from_utf8_lossy(value)),
            b"ENDHDR" => {
                let (Some(width), Some(height), Some(depth), Some(top)) = (width, height, depth, top) else {
                    return Err(Error::malformed("the header lacks one of WIDTH, HEIGHT, DEPTH, MAXVAL"));
                };
                let (layout, size, top) = (layout_of(&kind, depth)?, Size::new(width, height), check_top(top)?);
                let channels = depth as usize;
                let header = Header { size, layout, channels, top, plain: false, arbitrary: true, bits: false };
                return Ok(Some((header, at)));
            }
            [b'#', ..] => {}
            other => {
                let shown = shown(&String::from_utf8_lossy(other), 16);
                return Err(Error::malformed(format!("the header has a field {shown}, which does not exist")));
            }
        }
    }
    Ok(None)
}

/// The most channels of a PAM: names of planes and rows of each take memory whatever the width is.
const MOST_CHANNELS: u32 = 4096;

/// The layout of a tuple type; of one that is not known, or where there is none and no gray or rgb, `None`.
fn layout_of(kind: &str, depth: u32) -> Result<Option<Layout>> {
    let layout = match kind {
        "GRAYSCALE" | "BLACKANDWHITE" => Layout::Gray,
        "GRAYSCALE_ALPHA" | "BLACKANDWHITE_ALPHA" => Layout::GrayAlpha,
        "RGB" => Layout::Rgb,
        "RGB_ALPHA" => Layout::Rgba,
        "CMYK" => Layout::Cmyk,
        "" if depth == 1 => Layout::Gray,
        "" if depth == 3 => Layout::Rgb,
        _ if depth == 0 => return Err(Error::malformed("a PAM without channels")),
        _ if depth > MOST_CHANNELS => {
            return Err(Error::not_supported(format!("a PAM of {depth} channels; at most {MOST_CHANNELS} are read")));
        }
        _ => return Ok(None),
    };
    if layout.channels() as u32 != depth {
        return Err(Error::malformed(format!(
            "tuple type {kind} has {} channels, DEPTH says {depth}",
            layout.channels()
        )));
    }
    Ok(Some(layout))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn headers_may_hold_comments_and_any_white_space() {
        let bytes = b"P5 # gray\n# second\n 3\t2\r\n1000\n....";
        let (header, length) = Header::parse(bytes).unwrap().unwrap();
        assert_eq!((header.size, header.layout, header.top), (Size::new(3, 2), Some(Layout::Gray), 1000));
        assert_eq!(&bytes[length..], b"....");
        for end in 0..length {
            assert_eq!(Header::parse(&bytes[..end]).unwrap(), None, "cut at {end}");
        }
    }

    #[test]
    fn arbitrary_maps_name_their_tuple_type() {
        let bytes = b"P7\nWIDTH 3\n# note\nHEIGHT 2\nDEPTH 4\nMAXVAL 255\nTUPLTYPE RGB_ALPHA\nENDHDR\nxx";
        let (header, length) = Header::parse(bytes).unwrap().unwrap();
        assert_eq!((header.size, header.layout, &bytes[length..]), (Size::new(3, 2), Some(Layout::Rgba), &b"xx"[..]));
        let wrong = b"P7\nWIDTH 3\nHEIGHT 2\nDEPTH 3\nMAXVAL 255\nTUPLTYPE RGB_ALPHA\nENDHDR\n";
        assert!(Header::parse(wrong).unwrap_err().to_string().contains("DEPTH says 3"));
    }

    #[test]
    fn numbers_that_are_none_are_damage() {
        for bytes in
            [&b"P5 x 2 255\n"[..], b"P5 3 2 0\n", b"P5 3 2 65536\n", b"P5 3 99999999999 255\n", b"P5 -3 2 255\n"]
        {
            assert!(Header::parse(bytes).is_err(), "{}", bytes.escape_ascii());
        }
    }
}
