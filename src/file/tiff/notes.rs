//! What a directory says beside the pixels: orientation, resolution, profile, EXIF, XMP, texts, the time; and what numbers mean, in a
//! tag of our own.

use super::curve::{self, Curve};
use super::directory::Values;
use super::subtree;
use super::tags;
use crate::error::Result;
use crate::file::exif;
use crate::frame::{Metadata, Orientation, Resolution, ResolutionUnit, Text, Time};
use crate::pixel::{Meaning, Primaries, Transfer};

/// Tags of texts, and the keywords that they get.
pub(super) const TEXTS: [(u16, &str); 9] = [
    (tags::DOCUMENT_NAME, "Title"),
    (tags::DESCRIPTION, "Description"),
    (tags::MAKE, "Make"),
    (tags::MODEL, "Model"),
    (tags::PAGE_NAME, "Page name"),
    (tags::SOFTWARE, "Software"),
    (tags::ARTIST, "Author"),
    (tags::HOST_COMPUTER, "Source"),
    (tags::COPYRIGHT, "Copyright"),
];

/// Bytes of all values that are kept as metadata.
pub(super) fn bytes(v: &Values<'_>) -> u64 {
    let kept =
        |tag: u16| matches!(tag, tags::ICC | tags::XMP | tags::MEANING) || TEXTS.iter().any(|(text, _)| *text == tag);
    let all = v.directory.entries.iter().filter(|e| kept(e.tag)).filter_map(|e| e.bytes());
    all.fold(0u64, u64::saturating_add)
}

/// Reads what stands beside the pixels. What cannot be read is left out and remarked on.
pub(super) fn read(v: &mut Values<'_>, m: &mut Metadata, remarks: &mut Vec<String>) {
    let mut soft = Soft { remarks };
    if let Some(number) = soft.of(v.one(tags::ORIENTATION)) {
        match u16::try_from(number).ok().and_then(Orientation::from_exif) {
            Some(orientation) => m.orientation = orientation,
            None => soft.say(format!("there is no orientation {number}; the picture is taken as upright")),
        }
    }
    m.resolution = resolution(v, &mut soft);
    if let Some(xmp) = soft.of(v.bytes(tags::XMP)) {
        match String::from_utf8(xmp) {
            Ok(text) => m.xmp = Some(text.trim_end_matches('\0').into()),
            Err(_) => soft.say("the XMP packet is no UTF-8 and is left out".to_string()),
        }
    }
    for (tag, keyword) in TEXTS {
        if let Some(text) = soft.of(v.text(tag)) {
            m.text.push(Text { keyword: keyword.to_string(), text: text.into() });
        }
    }
    m.changed = soft.of(v.text(tags::DATE_TIME)).and_then(|text| time(&text));
    primaries(v, m, &mut soft);
    match soft.of(curve::read(v)) {
        Some(Curve::Named(transfer)) => m.transfer = transfer,
        Some(Curve::LeftOut(why)) => soft.say(format!("TransferFunction is left out: {why}")),
        None => {}
    }
    if let Some(exif) = soft.of(subtree::block(v)) {
        // The directory itself stands above what cameras say in the block.
        if m.icc.is_none()
            && m.primaries == Primaries::Srgb
            && let Some((primaries, transfer)) = exif::color_of(&exif)
            && m.transfer == Transfer::Srgb
        {
            (m.primaries, m.transfer) = (primaries, transfer);
        }
        m.exif = Some(exif.into());
    }
    if let Some(icc) = soft.of(v.bytes(tags::ICC)) {
        crate::file::profile::keep(icc.into(), m);
    }
}

/// What goes wrong beside the pixels is said, and does not end the reading.
struct Soft<'a> {
    remarks: &'a mut Vec<String>,
}

impl Soft<'_> {
    fn of<T>(&mut self, found: Result<Option<T>>) -> Option<T> {
        found.unwrap_or_else(|error| {
            self.say(format!("left out: {}", error.kind()));
            None
        })
    }

    fn say(&mut self, line: String) {
        self.remarks.push(line);
    }
}

fn resolution(v: &mut Values<'_>, soft: &mut Soft<'_>) -> Option<Resolution> {
    let x = soft.of(v.fractions(tags::X_RESOLUTION, 1))?.first().copied()?;
    let y = soft.of(v.fractions(tags::Y_RESOLUTION, 1))?.first().copied()?;
    let usable = |v: f64| v.is_finite() && v > 0.0;
    if !usable(x) || !usable(y) {
        return None;
    }
    Some(match soft.of(v.one(tags::RESOLUTION_UNIT)) {
        Some(1) => Resolution { x, y, unit: ResolutionUnit::Ratio },
        // A centimetre.
        Some(3) => Resolution { x: x * 100.0, y: y * 100.0, unit: ResolutionUnit::Metre },
        _ => Resolution { x, y, unit: ResolutionUnit::Inch },
    })
}

/// Chromaticities of white and of the primaries (section 20), where both are stated.
fn primaries(v: &mut Values<'_>, m: &mut Metadata, soft: &mut Soft<'_>) {
    let white = soft.of(v.fractions(tags::WHITE_POINT, 2)).unwrap_or_default();
    let colors = soft.of(v.fractions(tags::PRIMARIES, 6)).unwrap_or_default();
    let mut all = [0; 8];
    let stated = white.iter().chain(&colors);
    if white.len() != 2 || colors.len() != 6 {
        return;
    }
    for (to, &v) in all.iter_mut().zip(stated) {
        if !(0.0..=1.0).contains(&v) {
            return;
        }
        *to = (v * 100_000.0).round() as u32;
    }
    m.primaries = Primaries::of_chromaticities(all);
}

/// `2026:11:27 08:15:00`.
fn time(text: &str) -> Option<Time> {
    let mut all = text.split([':', ' ']).map(|part| part.parse::<u16>().ok());
    let mut next = || all.next().flatten();
    let (year, month, day) = (next()?, next()?, next()?);
    let (hour, minute, second) = (next()?, next()?, next()?);
    let fits = (1..=12).contains(&month) && (1..=31).contains(&day) && hour < 24 && minute < 60 && second < 61;
    let [month, day, hour, minute, second] = [month, day, hour, minute, second].map(|v| v as u8);
    fits.then_some(Time { year, month, day, hour, minute, second })
}

/// What the tag of our own says: lines of a word and its values.
#[derive(Debug, Clone, Default, PartialEq)]
pub(super) struct Meant {
    /// Whether the meaning is said.
    pub(super) said: bool,
    meaning: Option<Meaning>,
    linear: bool,
    pub(super) max_codes: Option<Vec<u32>>,
    /// The names of planes, which the picture is then made of.
    pub(super) names: Option<Vec<String>>,
    pub(super) planes: bool,
}

impl Meant {
    /// What metadata say that no other tag does.
    pub(super) fn of(m: &Metadata, names: Option<&[String]>, max_codes: Option<&[u32]>) -> Meant {
        Meant {
            said: true,
            meaning: Some(m.meaning.clone()),
            linear: m.is_linear(),
            max_codes: max_codes.map(<[u32]>::to_vec),
            names: names.map(<[String]>::to_vec),
            planes: names.is_some(),
        }
    }

    pub(super) fn read(v: &mut Values<'_>) -> Result<Meant> {
        Ok(v.text(tags::MEANING)?.map_or_else(Meant::default, |text| Meant::parse(&text)))
    }

    fn parse(text: &str) -> Meant {
        let mut meant = Meant::default();
        let (mut unit, mut range) = (None, None);
        for line in text.lines() {
            let (word, rest) = line.split_once(' ').unwrap_or((line, ""));
            match word {
                "encoded" => (meant.said, meant.meaning) = (true, Some(Meaning::Color)),
                "linear" => (meant.said, meant.linear, meant.meaning) = (true, true, Some(Meaning::Color)),
                "values" => (meant.said, meant.meaning) = (true, Some(Meaning::values())),
                "unit" => unit = Some(rest.to_string()),
                "range" => {
                    let both = rest.split_once(' ').and_then(|(a, b)| Some((a.parse().ok()?, b.parse().ok()?)));
                    range = both.filter(|(a, b): &(f64, f64)| a.is_finite() && b.is_finite() && a < b);
                }
                "max" => {
                    let all: Option<Vec<u32>> = rest.split(' ').map(|n| n.parse().ok().filter(|&n| n > 0)).collect();
                    meant.max_codes = all;
                }
                "planes" => {
                    meant.planes = true;
                    meant.names = Some(rest.split('\t').map(str::to_string).collect());
                }
                _ => {}
            }
        }
        if let Some(Meaning::Values { unit: own, range: limits }) = &mut meant.meaning {
            (*own, *limits) = (unit, range);
        }
        meant
    }

    /// The tag's text; none where a reader takes the numbers as they are meant without.
    pub(super) fn text(&self) -> String {
        let mut lines = Vec::new();
        match &self.meaning {
            Some(Meaning::Values { unit, range }) => {
                lines.push("values".to_string());
                lines.extend(unit.as_ref().map(|unit| format!("unit {unit}")));
                lines.extend(range.map(|(low, high)| format!("range {low} {high}")));
            }
            Some(Meaning::Color) if self.linear => lines.push("linear".to_string()),
            _ => lines.push("encoded".to_string()),
        }
        if let Some(codes) = &self.max_codes {
            let codes: Vec<String> = codes.iter().map(u32::to_string).collect();
            lines.push(format!("max {}", codes.join(" ")));
        }
        if let Some(names) = &self.names {
            lines.push(format!("planes {}", names.join("\t")));
        }
        lines.join("\n")
    }

    /// Puts it into metadata.
    pub(super) fn put_into(&self, m: &mut Metadata) {
        if let Some(meaning) = &self.meaning {
            m.meaning = meaning.clone();
            m.transfer = if self.linear { Transfer::Linear } else { Transfer::Srgb };
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_numbers_mean_is_written_and_read_again() {
        let values = Meaning::Values { unit: Some("m".into()), range: Some((-0.5, 12.25)) };
        for (meaning, linear) in [(values, false), (Meaning::Color, true), (Meaning::Color, false)] {
            let mut m = Metadata { meaning, ..Metadata::default() };
            if linear {
                m.transfer = Transfer::Linear;
            }
            let names = ["depth of water".to_string(), "noise".to_string()];
            let meant = Meant::of(&m, Some(&names), Some(&[1000, 7]));
            assert_eq!(Meant::parse(&meant.text()), meant, "{}", meant.text());
            let mut back = Metadata::default();
            meant.put_into(&mut back);
            assert_eq!((back.meaning, back.transfer), (m.meaning, m.transfer));
        }
        assert_eq!(Meant::parse("max 7 0"), Meant::default());
        assert_eq!(Meant::parse("nonsense\nrange x"), Meant::default());
    }

    #[test]
    fn times_that_exist_are_read() {
        let found = time("2026:11:27 08:15:59").unwrap();
        assert_eq!(
            (found.year, found.month, found.day, found.hour, found.minute, found.second),
            (2026, 11, 27, 8, 15, 59)
        );
        for wrong in ["", "2026:13:27 08:15:59", "2026:11:27", "2026:11:27 24:00:00", "x:11:27 08:15:59"] {
            assert_eq!(time(wrong), None, "{wrong}");
        }
    }
}
