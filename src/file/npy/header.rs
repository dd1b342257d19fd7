//! The header: mark, version, length, and a dictionary of three entries.

use super::element::Element;
use crate::error::{Error, Result};
use crate::file::words::shown;

/// What every file starts with.
pub(super) const MARK: &[u8; 6] = b"\x93NUMPY";
/// Longer headers are refused: three entries never need so much.
const HEADER_BYTES: usize = 32 << 10;
/// More channels are refused: each becomes a plane of its own.
const CHANNELS: u64 = 65_536;

#[derive(Debug, Clone, PartialEq)]
pub(super) struct Header {
    pub(super) element: Element,
    pub(super) big_endian: bool,
    /// Whether the first axis runs fastest.
    pub(super) columns_first: bool,
    pub(super) height: u64,
    pub(super) width: u64,
    pub(super) channels: usize,
    pub(super) version: u8,
    /// Where the numbers start.
    pub(super) data_at: usize,
}

/// Bytes up to the numbers, as far as can be told: more may be needed once so many are there.
pub(super) fn wanted(bytes: &[u8]) -> Result<usize> {
    let fixed = |version: u8| if version == 1 { 10usize } else { 12 };
    let Some(&version) = bytes.get(6) else { return Ok(7) };
    if !matches!(version, 1..=3) {
        return Err(Error::not_supported(format!("version {version} of the format")));
    }
    let Some(length) = bytes.get(8..fixed(version)) else { return Ok(fixed(version)) };
    let length = length.iter().rev().fold(0usize, |n, &b| (n << 8) | usize::from(b));
    if length > HEADER_BYTES {
        return Err(Error::malformed(format!("the header is longer than {HEADER_BYTES} bytes")));
    }
    Ok(fixed(version).saturating_add(length))
}

impl Header {
    /// From all the bytes before the numbers.
    pub(super) fn parse(bytes: &[u8]) -> Result<Header> {
        if !bytes.starts_with(MARK) {
            return Err(Error::malformed("the mark is not that of NPY"));
        }
        let version = bytes.get(6).copied().unwrap_or(0);
        let text = bytes.get(if version == 1 { 10 } else { 12 }..).unwrap_or_default();
        let text = std::str::from_utf8(text).map_err(|_| Error::malformed("the header is not text"))?;
        let (mut element, mut columns_first, mut shape) = (None, None, None);
        let mut words = Words { rest: text };
        words.expect('{')?;
        while !words.take('}') {
            let key = words.quoted()?;
            words.expect(':')?;
            match key {
                "descr" => element = Some(description(&mut words)?),
                "fortran_order" => columns_first = Some(words.truth()?),
                "shape" => shape = Some(words.numbers()?),
                other => {
                    let shown = shown(other, 24);
                    return Err(Error::malformed(format!("the header has an entry {shown}, which does not exist")));
                }
            }
            if !words.take(',') && !words.rest.trim_start().starts_with('}') {
                return Err(words.wrong("a comma or a closing brace"));
            }
        }
        let (Some((element, big_endian)), Some(columns_first), Some(shape)) = (element, columns_first, shape) else {
            return Err(Error::malformed("the header lacks one of descr, fortran_order, shape"));
        };
        let (height, width, channels) = match *shape.as_slice() {
            [height, width] => (height, width, 1),
            [height, width, channels] => (height, width, channels),
            _ => {
                let axes = shape.len();
                let line =
                    format!("an array of {axes} axes; (height, width) or (height, width, channels) is a picture");
                return Err(Error::not_supported(line));
            }
        };
        if channels == 0 || channels > CHANNELS {
            return Err(Error::not_supported(format!("an array of {channels} channels; 1 to {CHANNELS} can be read")));
        }
        let channels = channels as usize;
        Ok(Header { element, big_endian, columns_first, height, width, channels, version, data_at: bytes.len() })
    }

    /// Bytes of a row of the picture.
    pub(super) fn row_bytes(&self) -> u64 {
        self.width.saturating_mul(self.channels as u64).saturating_mul(self.element.bytes() as u64)
    }

    /// The description in words.
    pub(super) fn describe(&self) -> String {
        let (order, bytes) = match (self.columns_first, self.big_endian, self.element.bytes()) {
            (columns, _, 1) => (columns, ""),
            (columns, true, _) => (columns, ", big-endian"),
            (columns, false, _) => (columns, ", little-endian"),
        };
        let order = if order { "columns in order" } else { "rows in order" };
        let shape = match self.channels {
            1 => format!("{} x {}", self.height, self.width),
            n => format!("{} x {} x {n}", self.height, self.width),
        };
        format!("version {}, {shape} {}{bytes}, {order}", self.version, self.element.describe())
    }
}

/// Byte order and type: `'<f4'`. A list of them describes records, which are no pictures.
fn description(words: &mut Words<'_>) -> Result<(Element, bool)> {
    if words.rest.trim_start().starts_with('[') {
        return Err(Error::not_supported("an array of records"));
    }
    let text = words.quoted()?;
    let (big_endian, letters) = match text.as_bytes() {
        [b'<' | b'|', ..] => (false, text.get(1..).unwrap_or_default()),
        [b'>', ..] => (true, text.get(1..).unwrap_or_default()),
        [b'=', ..] => (cfg!(target_endian = "big"), text.get(1..).unwrap_or_default()),
        _ => (cfg!(target_endian = "big"), text),
    };
    Ok((Element::from_letters(letters)?, big_endian))
}

/// The words of a literal: strings in quotes, truths, numbers in brackets.
struct Words<'a> {
    rest: &'a str,
}

impl<'a> Words<'a> {
    fn take(&mut self, mark: char) -> bool {
        let trimmed = self.rest.trim_start();
        match trimmed.strip_prefix(mark) {
            Some(rest) => {
                self.rest = rest;
                true
            }
            None => false,
        }
    }

    fn expect(&mut self, mark: char) -> Result<()> {
        if self.take(mark) { Ok(()) } else { Err(self.wrong(&format!("{mark:?}"))) }
    }

    #[cold]
    fn wrong(&self, wanted: &str) -> Error {
        let shown: String = self.rest.trim_start().chars().take(16).collect();
        Error::malformed(format!("the header has {shown:?} where {wanted} is expected"))
    }

    fn quoted(&mut self) -> Result<&'a str> {
        let trimmed = self.rest.trim_start();
        let mark =
            trimmed.chars().next().filter(|c| matches!(c, '\'' | '"')).ok_or_else(|| self.wrong("a text in quotes"))?;
        let inside = trimmed.get(1..).unwrap_or_default();
        let (text, rest) = inside.split_once(mark).ok_or_else(|| self.wrong("a closed text"))?;
        self.rest = rest;
        Ok(text)
    }

    fn truth(&mut self) -> Result<bool> {
        let trimmed = self.rest.trim_start();
        for (word, value) in [("True", true), ("False", false)] {
            if let Some(rest) = trimmed.strip_prefix(word) {
                self.rest = rest;
                return Ok(value);
            }
        }
        Err(self.wrong("True or False"))
    }

    fn numbers(&mut self) -> Result<Vec<u64>> {
        self.expect('(')?;
        let mut all = Vec::new();
        while !self.take(')') {
            let trimmed = self.rest.trim_start();
            let digits = trimmed.bytes().take_while(u8::is_ascii_digit).count();
            let (word, rest) = trimmed.split_at_checked(digits).unwrap_or((trimmed, ""));
            let number = word.parse().map_err(|_| self.wrong("a number"))?;
            all.push(number);
            // Numbers that the first writers wrote ended with an L.
            self.rest = rest.strip_prefix('L').unwrap_or(rest);
            if !self.take(',') && !self.rest.trim_start().starts_with(')') {
                return Err(self.wrong("a comma or a closing bracket"));
            }
            if all.len() > 32 {
                return Err(Error::not_supported("an array of more than 32 axes"));
            }
        }
        Ok(all)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixel::NumberKind;

    fn parsed(text: &str) -> Result<Header> {
        let mut bytes = MARK.to_vec();
        bytes.extend([1, 0]);
        bytes.extend((text.len() as u16).to_le_bytes());
        bytes.extend(text.as_bytes());
        assert_eq!(wanted(&bytes).unwrap(), bytes.len());
        Header::parse(&bytes)
    }

    #[test]
    fn the_dictionary_may_be_written_in_any_order_and_spacing() {
        let one = parsed("{'descr': '>f8', 'fortran_order': True, 'shape': (3, 4, 5), }   \n").unwrap();
        assert_eq!((one.height, one.width, one.channels), (3, 4, 5));
        assert!(one.big_endian && one.columns_first);
        let two = parsed("{ \"shape\":(3,4) ,\"fortran_order\":False,\"descr\":\"|u1\"}\n").unwrap();
        assert_eq!((two.element, two.channels), (Element::Number(NumberKind::U8), 1));
    }

    #[test]
    fn what_is_no_picture_is_told() {
        for (text, words) in [
            ("{'descr': '<f4', 'fortran_order': False, 'shape': (3,), }", "1 axes"),
            ("{'descr': '<f4', 'fortran_order': False, 'shape': (), }", "0 axes"),
            ("{'descr': '<c8', 'fortran_order': False, 'shape': (3, 4), }", "c8"),
            ("{'descr': [('a', '<f4')], 'fortran_order': False, 'shape': (3, 4), }", "records"),
            ("{'descr': '<f4', 'fortran_order': False}", "lacks"),
            ("{'descr': '<f4', 'fortran_order': Maybe, 'shape': (3, 4), }", "True or False"),
            ("{'descr': '<f4', 'fortran_order': False, 'shape': (3, -4), }", "a number"),
            ("{'descr': '<f4', 'fortran_order': False, 'shape': (3, 99999999999999999999), }", "a number"),
            ("{'descr': '<f4', 'fortran_order': False, 'shape': (3, 4, 0), }", "0 channels"),
            ("'descr'", "'{'"),
        ] {
            let error = parsed(text).unwrap_err().to_string();
            assert!(error.contains(words), "{text}: {error}");
        }
    }
}
