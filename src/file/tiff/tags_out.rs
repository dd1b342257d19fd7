//! A directory as it is written: little-endian, its values behind it.

use super::subtree::Tree;
use super::tags;
use crate::error::{Error, Result};

/// One tag and its values.
#[derive(Debug, Clone)]
pub(super) struct Tag {
    tag: u16,
    kind: u16,
    count: u64,
    bytes: Vec<u8>,
}

/// Offsets or counts of bytes, as wide as the file's are.
pub(super) fn offset_bytes(values: &[u64], wide: bool) -> Vec<u8> {
    let mut bytes = Vec::with_capacity(values.len().saturating_mul(8));
    for v in values {
        let all = v.to_le_bytes();
        bytes.extend_from_slice(if wide { &all } else { all.get(..4).unwrap_or_default() });
    }
    bytes
}

/// The tags of a directory.
#[derive(Debug, Clone, Default)]
pub(super) struct Tags(Vec<Tag>);

impl Tags {
    pub(super) fn words(&mut self, tag: u16, values: &[u16]) {
        let bytes: Vec<[u8; 2]> = values.iter().map(|v| v.to_le_bytes()).collect();
        self.put(tag, tags::SHORT, values.len() as u64, bytes.into_flattened());
    }

    pub(super) fn longs(&mut self, tag: u16, values: &[u32]) {
        let bytes: Vec<[u8; 4]> = values.iter().map(|v| v.to_le_bytes()).collect();
        self.put(tag, tags::LONG, values.len() as u64, bytes.into_flattened());
    }

    /// Offsets or counts of bytes, as wide as the file's are.
    pub(super) fn offsets(&mut self, tag: u16, values: &[u64], wide: bool) {
        let kind = if wide { tags::LONG8 } else { tags::LONG };
        self.put(tag, kind, values.len() as u64, offset_bytes(values, wide));
    }

    pub(super) fn text(&mut self, tag: u16, text: &str) {
        let bytes: Vec<u8> = text.bytes().chain([0]).collect();
        self.put(tag, tags::ASCII, bytes.len() as u64, bytes);
    }

    pub(super) fn bytes(&mut self, tag: u16, kind: u16, bytes: &[u8]) {
        self.put(tag, kind, bytes.len() as u64, bytes.to_vec());
    }

    pub(super) fn fraction(&mut self, tag: u16, value: f64) {
        let (over, under) = fraction(value);
        self.put(tag, tags::RATIONAL, 1, [over.to_le_bytes(), under.to_le_bytes()].concat());
    }

    pub(super) fn put(&mut self, tag: u16, kind: u16, count: u64, bytes: Vec<u8>) {
        self.0.push(Tag { tag, kind, count, bytes });
    }

    /// The directory as it stands at byte `at` of the file, and where in these bytes it has its link to the next.
    ///
    /// # Errors
    /// A place beyond 4 GiB in a file whose offsets have 32 bits.
    pub(super) fn directory(&self, at: u64, wide: bool) -> Result<(Vec<u8>, usize)> {
        let mut all: Vec<&Tag> = self.0.iter().collect();
        all.sort_unstable_by_key(|t| t.tag);
        let room = if wide { 8 } else { 4 };
        let count = all.len() as u64;
        let mut out = number(count, if wide { 8 } else { 2 }, at)?;
        let entries = all.len().saturating_mul(if wide { 20 } else { 12 });
        let link = out.len().saturating_add(entries);
        let start = link.saturating_add(room);
        let mut place = at.saturating_add(start as u64);
        for tag in &all {
            out.extend(tag.tag.to_le_bytes());
            out.extend(tag.kind.to_le_bytes());
            out.extend(number(tag.count, room, at)?);
            if tag.bytes.len() <= room {
                out.extend_from_slice(&tag.bytes);
                out.resize(out.len().saturating_add(room.saturating_sub(tag.bytes.len())), 0);
            } else {
                out.extend(number(place, room, at)?);
                place = place.saturating_add((tag.bytes.len() as u64).next_multiple_of(2));
            }
        }
        out.resize(start, 0);
        out.reserve_exact(usize::try_from(place.saturating_sub(at)).unwrap_or(0).saturating_sub(start));
        for tag in all.iter().filter(|tag| tag.bytes.len() > room) {
            out.extend_from_slice(&tag.bytes);
            if tag.bytes.len() % 2 == 1 {
                out.push(0);
            }
        }
        Ok((out, link))
    }
}

/// A number of so many bytes.
fn number(value: u64, bytes: usize, at: u64) -> Result<Vec<u8>> {
    let all = value.to_le_bytes();
    let fits = bytes >= 8 || value.checked_shr((bytes as u32).saturating_mul(8)).unwrap_or(0) == 0;
    match all.get(..bytes) {
        Some(part) if fits => Ok(part.to_vec()),
        _ => Err(Error::not_supported(format!("a directory at byte {at} that needs offsets of 64 bits"))),
    }
}

/// The tags of a tree of camera directories, in the order of bytes of the file that is written.
pub(super) fn of_tree(tree: &Tree, big_endian: bool) -> Tags {
    let mut out = Tags::default();
    for (tag, kind, count, bytes) in &tree.entries {
        let mut bytes = bytes.clone();
        if big_endian {
            let each = match kind {
                3 | 8 => 2,
                4 | 5 | 9 | 10 | 11 => 4,
                12 => 8,
                _ => 1,
            };
            bytes.chunks_exact_mut(each).for_each(<[u8]>::reverse);
        }
        out.put(*tag, *kind, *count, bytes);
    }
    out
}

/// A positive number as a fraction: the one of the least numbers that is as near as an f64 can tell, or the nearest of 32 bits.
pub(super) fn fraction(value: f64) -> (u32, u32) {
    // Continued fractions: each step comes nearer.
    let (mut before, mut now) = ((0u64, 1u64), (1u64, 0u64));
    let mut rest = value.max(0.0);
    for _ in 0..64 {
        let whole = rest.floor();
        if !(0.0..=f64::from(u32::MAX)).contains(&whole) {
            break;
        }
        let next = |a: u64, b: u64| (whole as u64).checked_mul(a).and_then(|v| v.checked_add(b));
        let (Some(over), Some(under)) = (next(now.0, before.0), next(now.1, before.1)) else { break };
        if over > u64::from(u32::MAX) || under > u64::from(u32::MAX) {
            break;
        }
        (before, now) = (now, (over, under));
        let found = over as f64 / under as f64;
        if (found - value).abs() <= value * 1e-12 || rest == whole {
            break;
        }
        rest = 1.0 / (rest - whole);
    }
    (now.0 as u32, now.1.max(1) as u32)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn fractions_are_the_shortest() {
        for (value, want) in
            [(72.0, (72, 1)), (0.5, (1, 2)), (118.11, (11_811, 100)), (1.0 / 3.0, (1, 3)), (0.0, (0, 1))]
        {
            assert_eq!(fraction(value), want, "{value}");
        }
        let (over, under) = fraction(std::f64::consts::PI);
        assert!((f64::from(over) / f64::from(under) - std::f64::consts::PI).abs() < 1e-11);
        assert_eq!(fraction(f64::from(u32::MAX)), (u32::MAX, 1));
    }
}
