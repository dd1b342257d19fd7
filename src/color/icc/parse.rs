//! The bytes of a profile, read: header, table of tags, and the tags that are used. Every offset and count is checked against the bytes that there
//! are; nothing is made larger than those.

use super::{Curve, Kind, Profile};
use crate::error::{Error, Result};
use crate::pixel::Transfer;
use std::sync::Arc;

/// Bytes of the header (ICC.1:2022, 7.2).
const HEADER: usize = 128;
/// Tags that a profile may have at most here; those in use have some twenty.
const MOST_TAGS: usize = 1000;
/// Entries of a curve at most: one a code of 16 bits.
const MOST_ENTRIES: usize = 65_536;

fn wrong(what: impl Into<String>) -> Error {
    Error::malformed(format!("the ICC profile: {}", what.into()))
}

/// Numbers of a part of the bytes, highest byte first.
struct Part<'a>(&'a [u8]);

impl<'a> Part<'a> {
    fn bytes(&self, at: usize, count: usize) -> Option<&'a [u8]> {
        self.0.get(at..at.checked_add(count)?)
    }

    fn u16(&self, at: usize) -> Option<u16> {
        Some(u16::from_be_bytes(self.bytes(at, 2)?.try_into().ok()?))
    }

    fn u32(&self, at: usize) -> Option<u32> {
        Some(u32::from_be_bytes(self.bytes(at, 4)?.try_into().ok()?))
    }

    /// A signed number with 16 bits behind the point.
    fn fixed(&self, at: usize) -> Option<f64> {
        Some(f64::from(self.u32(at)? as i32) / 65_536.0)
    }
}

/// A four-letter word as it is told.
fn word(bytes: &[u8]) -> String {
    String::from_utf8_lossy(bytes).trim_end().escape_debug().to_string()
}

pub(super) fn profile(bytes: &[u8]) -> Result<Profile> {
    let all = Part(bytes);
    let header =
        all.bytes(0, HEADER).ok_or_else(|| wrong(format!("{} bytes; the header alone has 128", bytes.len())))?;
    if &header[36..40] != b"acsp" {
        return Err(wrong("the word acsp is missing at byte 36"));
    }
    let size = all.u32(0).unwrap_or_default() as usize;
    if size > bytes.len() || size < HEADER + 4 {
        return Err(wrong(format!("it says that it has {size} bytes, there are {}", bytes.len())));
    }
    let all = Part(&bytes[..size]);
    let version = (header[8], header[9] >> 4);
    if !matches!(version.0, 2 | 4) {
        return Err(Error::not_supported(format!("ICC profiles of version {}", version.0)));
    }
    let (class, colors, connection) = (&header[12..16], &header[16..20], &header[20..24]);
    let tags = Tags { all, version };
    let unusable =
        |what: String| Error::not_supported(format!("{what}; the profile is kept with the picture, and not used"));
    if !matches!(class, b"mntr" | b"scnr" | b"prtr" | b"spac") {
        return Err(unusable(format!("an ICC profile of the class {}", word(class))));
    }
    let description = tags.description();
    let kind = match (colors, connection) {
        (b"GRAY", b"XYZ ") => Kind::Gray { curve: tags.curve(b"kTRC")? },
        (b"GRAY", b"Lab ") => Kind::Gray { curve: Curve::Lightness(Arc::new(tags.curve(b"kTRC")?)) },
        (b"RGB ", b"XYZ ") if tags.find(b"rXYZ")?.is_some() => {
            let columns = [tags.xyz(b"rXYZ")?, tags.xyz(b"gXYZ")?, tags.xyz(b"bXYZ")?];
            let to_xyz = [0, 1, 2].map(|i| [columns[0][i], columns[1][i], columns[2][i]]);
            if super::super::space::inverse(&to_xyz).is_none() {
                return Err(wrong("its colorants span no space"));
            }
            Kind::Rgb { to_xyz, curves: [tags.curve(b"rTRC")?, tags.curve(b"gTRC")?, tags.curve(b"bTRC")?] }
        }
        (b"RGB ", _) => return Err(unusable("an ICC profile of rgb by tables, without a matrix".to_string())),
        (other, _) => return Err(unusable(format!("an ICC profile of {}", word(other)))),
    };
    Ok(Profile { description, version, kind })
}

/// The tags of a profile.
struct Tags<'a> {
    all: Part<'a>,
    version: (u8, u8),
}

impl<'a> Tags<'a> {
    /// The body of a tag, and where it begins.
    fn find(&self, name: &[u8; 4]) -> Result<Option<(usize, Part<'a>)>> {
        let count = self.all.u32(HEADER).unwrap_or_default() as usize;
        if count > MOST_TAGS {
            return Err(wrong(format!("{count} tags; more than {MOST_TAGS} are not believed")));
        }
        for i in 0..count {
            let at = HEADER + 4 + 12 * i;
            let entry =
                self.all.bytes(at, 12).ok_or_else(|| wrong(format!("the table of {count} tags ends at byte {at}")))?;
            if &entry[..4] != name {
                continue;
            }
            let entry = Part(entry);
            let (start, size) = (entry.u32(4).unwrap_or_default() as usize, entry.u32(8).unwrap_or_default() as usize);
            let outside = || wrong(format!("the tag {} of {size} bytes at byte {start} lies outside", word(name)));
            return Ok(Some((start, Part(self.all.bytes(start, size).ok_or_else(outside)?))));
        }
        Ok(None)
    }

    fn needed(&self, name: &[u8; 4]) -> Result<(usize, Part<'a>)> {
        self.find(name)?.ok_or_else(|| wrong(format!("the tag {} is missing", word(name))))
    }

    /// A colorant (10.31).
    fn xyz(&self, name: &[u8; 4]) -> Result<[f64; 3]> {
        let (at, body) = self.needed(name)?;
        let read = || -> Option<[f64; 3]> {
            (body.bytes(0, 4)? == b"XYZ ").then_some(())?;
            Some([body.fixed(8)?, body.fixed(12)?, body.fixed(16)?])
        };
        read().ok_or_else(|| wrong(format!("the tag {} at byte {at} is no XYZ number", word(name))))
    }

    /// A curve (10.6, 10.18).
    fn curve(&self, name: &[u8; 4]) -> Result<Curve> {
        let (at, body) = self.needed(name)?;
        let place = || format!("the curve {} at byte {at}", word(name));
        match body.bytes(0, 4) {
            Some(b"curv") => table(&body, &place),
            Some(b"para") => parametric(&body, &place).map(Curve::Named),
            _ => Err(wrong(format!("{} is no curve", place()))),
        }
    }

    /// What the profile calls itself: of version 2 a text (6.5.17 of ICC.1:2001-04), of version 4 a text in several languages (10.15).
    fn description(&self) -> String {
        let read = || -> Option<String> {
            let (_, body) = self.find(b"desc").ok()??;
            if self.version.0 == 2 && body.bytes(0, 4)? == b"desc" {
                let count = body.u32(8)? as usize;
                let text = body.bytes(12, count.min(200))?;
                return Some(String::from_utf8_lossy(text).into_owned());
            }
            (body.bytes(0, 4)? == b"mluc" && body.u32(8)? > 0).then_some(())?;
            let (size, start) = (body.u32(20)? as usize, body.u32(24)? as usize);
            let text = body.bytes(start, size.min(400))?;
            let units: Vec<u16> = text.as_chunks::<2>().0.iter().map(|unit| u16::from_be_bytes(*unit)).collect();
            Some(String::from_utf16_lossy(&units))
        };
        let text = read().unwrap_or_default();
        text.trim_end_matches('\0').trim().to_string()
    }
}

/// A sampled curve, a power, or none.
fn table(body: &Part<'_>, place: &dyn Fn() -> String) -> Result<Curve> {
    let count = body.u32(8).ok_or_else(|| wrong(format!("{} is cut off", place())))? as usize;
    if count > MOST_ENTRIES {
        return Err(wrong(format!("{} has {count} entries; more than {MOST_ENTRIES} are not believed", place())));
    }
    let bytes =
        body.bytes(12, 2 * count).ok_or_else(|| wrong(format!("{} has fewer than {count} entries", place())))?;
    let words: Vec<u16> = bytes.as_chunks::<2>().0.iter().map(|word| u16::from_be_bytes(*word)).collect();
    match words.as_slice() {
        [] => Ok(Curve::Named(Transfer::Linear)),
        [0] => Err(wrong(format!("{} has the power 0", place()))),
        [256] => Ok(Curve::Named(Transfer::Linear)),
        [power] => Ok(Curve::Named(Transfer::Power(f64::from(*power) / 256.0))),
        words if !words.is_sorted() || words.first() == words.last() => {
            Err(Error::not_supported(format!("an ICC profile whose curve does not rise ({})", place())))
        }
        words => {
            let curve = Curve::Table(words.iter().map(|word| f32::from(*word) / 65_535.0).collect());
            // As good as a formula: then it is the formula.
            Ok(curve.transfer().map_or(curve, Curve::Named))
        }
    }
}

/// A parametric curve (10.18, table 68), of any of its five kinds as that with seven parameters.
fn parametric(body: &Part<'_>, place: &dyn Fn() -> String) -> Result<Transfer> {
    let cut = || wrong(format!("{} is cut off", place()));
    let kind = body.u16(8).ok_or_else(cut)?;
    let count = match kind {
        0 => 1,
        1 => 3,
        2 => 4,
        3 => 5,
        4 => 7,
        other => return Err(wrong(format!("{} is of the kind {other}; there are 0 to 4", place()))),
    };
    let mut p = [0.0; 7];
    for (i, value) in p.iter_mut().take(count).enumerate() {
        *value = body.fixed(12 + 4 * i).ok_or_else(cut)?;
    }
    let [g, a, b, c, d, e, f] = p;
    let all = match kind {
        0 => [g, 1.0, 0.0, 0.0, 0.0, 0.0, 0.0],
        // Nothing below the place where the power begins.
        1 | 2 if a == 0.0 => return Err(wrong(format!("{} divides by 0", place()))),
        1 => [g, a, b, 0.0, -b / a, 0.0, 0.0],
        2 => [g, a, b, 0.0, -b / a, c, c],
        3 => [g, a, b, c, d, 0.0, 0.0],
        _ => [g, a, b, c, d, e, f],
    };
    let transfer = Transfer::Parametric(all);
    if !transfer.rises() {
        return Err(Error::not_supported(format!("an ICC profile whose curve does not rise ({})", place())));
    }
    Ok(transfer.simplified())
}
