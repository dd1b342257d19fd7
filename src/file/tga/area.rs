//! What version 2.0 adds at the end of a file: the extension area (author, comments, time, aspect, gamma, what the
//! attribute bits are) and the footer that leads to it.

use crate::file::words::words_le;
use crate::frame::{Metadata, Resolution, ResolutionUnit, Text, Time};
use crate::pixel::Transfer;
use crate::simd::arrays;

/// Bytes of the footer.
pub(super) const FOOTER: usize = 26;
/// Bytes of the extension area.
pub(super) const AREA: usize = 495;
/// What the footer ends with.
const MARK: &[u8; 18] = b"TRUEVISION-XFILE.\0";

/// Places within the area.
const AUTHOR: usize = 2;
const COMMENTS: usize = 43;
const TIME: usize = 367;
const TITLE: usize = 379;
const SOFTWARE: usize = 426;
const ASPECT: usize = 474;
const GAMMA: usize = 478;
const ATTRIBUTES: usize = 494;
/// A field of text is 40 characters and a zero, a line of comments 80 and a zero.
const FIELD: usize = 40;
const LINE: usize = 80;

/// Where the extension area lies, if the footer is one and names it.
pub(super) fn area_at(footer: &[u8]) -> Option<u64> {
    let (at, rest) = footer.split_first_chunk::<4>()?;
    (rest.get(4..)? == MARK).then(|| u64::from(u32::from_le_bytes(*at))).filter(|&at| at > 0)
}

/// What the attribute bits of the pixels are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Attributes {
    /// Nothing that counts.
    Nothing,
    /// Straight alpha.
    Alpha,
    /// Alpha that the colours have been multiplied by.
    Associated,
}

/// Takes the area into the metadata, and says what attribute bits are; `None` where the area is not complete.
pub(super) fn read(area: &[u8], into: &mut Metadata) -> Option<Attributes> {
    let area = area.first_chunk::<AREA>()?;
    let word = |at: usize| area.get(at..)?.first_chunk().map(|b| u16::from_le_bytes(*b));
    let text = |at: usize, length: usize| {
        let bytes = area.get(at..at.saturating_add(length)).unwrap_or_default();
        let end = bytes.iter().position(|&b| b == 0).unwrap_or(bytes.len());
        bytes.get(..end).unwrap_or_default().iter().map(|&b| char::from(b)).collect::<String>().trim_end().to_string()
    };
    let lines: Vec<String> = (0..4usize).map(|i| text(COMMENTS.saturating_add(i.saturating_mul(81)), LINE)).collect();
    let comments = lines.join("\n").trim_end().to_string();
    let all = [
        ("Author", text(AUTHOR, FIELD)),
        ("Comment", comments),
        ("Title", text(TITLE, FIELD)),
        ("Software", text(SOFTWARE, FIELD)),
    ];
    for (keyword, text) in all.into_iter().filter(|(_, text)| !text.is_empty()) {
        into.text.push(Text { keyword: keyword.to_string(), text: text.into() });
    }
    let [month, day, year, hour, minute, second] =
        arrays::map([0usize, 2, 4, 6, 8, 10], |i| word(TIME.saturating_add(i)).unwrap_or(0));
    if year > 0 && (1..=12).contains(&month) && (1..=31).contains(&day) && hour < 24 && minute < 60 && second < 60 {
        let [month, day, hour, minute, second] = arrays::map([month, day, hour, minute, second], |v| v as u8);
        into.changed = Some(Time { year, month, day, hour, minute, second });
    }
    // The width of a pixel by its height: the more pixels a unit, the smaller they are.
    if let (Some(width @ 1..), Some(height @ 1..)) = (word(ASPECT), word(ASPECT.saturating_add(2))) {
        let (x, y) = (f64::from(height), f64::from(width));
        into.resolution = Some(Resolution { x, y, unit: ResolutionUnit::Ratio });
    }
    if let (Some(over @ 1..), Some(under @ 1..)) = (word(GAMMA), word(GAMMA.saturating_add(2))) {
        let exponent = f64::from(over) / f64::from(under);
        into.transfer = if exponent == 1.0 { Transfer::Linear } else { Transfer::Power(exponent) };
    }
    Some(match area.get(ATTRIBUTES) {
        Some(0 | 1) => Attributes::Nothing,
        Some(4) => Attributes::Associated,
        _ => Attributes::Alpha,
    })
}

/// The area and the footer for a picture, the area to lie at byte `at` of the file; and what of the metadata has no
/// place in them.
pub(super) fn write(metadata: &Metadata, alpha: bool, at: u32) -> (Vec<u8>, Metadata) {
    let mut area = vec![0u8; AREA];
    let mut left = metadata.clone();
    let mut put = |at: usize, bytes: &[u8]| {
        area.iter_mut().skip(at).zip(bytes).for_each(|(to, v)| *to = *v);
    };
    put(0, &(AREA as u16).to_le_bytes());
    for (keyword, place) in [("Author", AUTHOR), ("Title", TITLE), ("Software", SOFTWARE)] {
        if let Some(found) = left.text.iter().position(|t| t.keyword == keyword && fits(&t.text, FIELD)) {
            put(place, left.text.remove(found).text.as_bytes());
        }
    }
    let short = |t: &Text| t.text.split('\n').count() <= 4 && t.text.split('\n').all(|line| fits(line, LINE));
    if let Some(found) = left.text.iter().position(|t| t.keyword == "Comment" && short(t)) {
        for (i, line) in left.text.remove(found).text.split('\n').enumerate() {
            put(COMMENTS.saturating_add(i.saturating_mul(81)), line.as_bytes());
        }
    }
    if let Some(t) = left.changed.take() {
        let all = [u16::from(t.month), u16::from(t.day), t.year, t.hour.into(), t.minute.into(), t.second.into()];
        put(TIME, &words_le(&all));
    }
    let word = |v: f64| (v.fract() == 0.0 && (1.0..=65_535.0).contains(&v)).then_some(v as u16);
    if let Some(Resolution { x, y, unit: ResolutionUnit::Ratio }) = left.resolution
        && let (Some(x), Some(y)) = (word(x), word(y))
    {
        put(ASPECT, &words_le(&[y, x]));
        left.resolution = None;
    }
    match left.transfer {
        Transfer::Linear => {
            put(GAMMA, &words_le(&[1, 1]));
            left.transfer = Transfer::Srgb;
        }
        Transfer::Power(exponent) if (0.001..=60.0).contains(&exponent) => {
            put(GAMMA, &words_le(&[(exponent * 1000.0 + 0.5) as u16, 1000]));
            left.transfer = Transfer::Srgb;
        }
        _ => {}
    }
    put(ATTRIBUTES, &[if alpha { 3 } else { 0 }]);
    area.extend(at.to_le_bytes());
    area.extend([0; 4]);
    area.extend(MARK);
    (area, left)
}

/// Whether a text can stand in a field of so many characters.
fn fits(text: &str, length: usize) -> bool {
    text.is_ascii() && text.len() <= length && !text.bytes().any(|b| b == 0)
}
