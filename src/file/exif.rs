//! The fields of an EXIF block that speak of the pixels themselves: the orientation, read and written, resolution and colour
//! space, read, and sizes, which are corrected on writing. The block is a TIFF structure (JEITA CP-3451, 4.5; TIFF 6.0, section 2); everything else in it is
//! carried as it stands.

use crate::frame::{Orientation, Resolution, ResolutionUnit, Size};
use crate::pixel::{Primaries, Transfer};

/// The tag Orientation (4.6.4 A) and the type SHORT.
const ORIENTATION: u16 = 0x0112;
const SHORT: u16 = 3;

/// The type LONG, and the tag of the EXIF directory.
const LONG: u16 = 4;
const EXIF_DIRECTORY: u16 = 0x8769;
/// The tag of the colour space in the EXIF directory, and that of the directory that has the interoperability index.
#[cfg_attr(not(feature = "jpeg"), allow(dead_code))]
const COLOR_SPACE: u16 = 0xa001;
#[cfg_attr(not(feature = "jpeg"), allow(dead_code))]
const INTEROPERABILITY: u16 = 0xa005;
/// The tags of width and height in the first directory and in the EXIF directory.
const SIDES: [[u16; 2]; 2] = [[0x0100, 0x0101], [0xa002, 0xa003]];

/// Numbers of a block, in its byte order.
#[derive(Clone, Copy)]
struct Block<'a> {
    bytes: &'a [u8],
    big: bool,
}

impl<'a> Block<'a> {
    fn open(bytes: &'a [u8]) -> Option<Block<'a>> {
        let big = match bytes.first_chunk::<4>()? {
            [b'I', b'I', 42, 0] => false,
            [b'M', b'M', 0, 42] => true,
            _ => return None,
        };
        Some(Block { bytes, big })
    }

    fn word(&self, at: usize) -> Option<u16> {
        let bytes = *self.bytes.get(at..)?.first_chunk::<2>()?;
        Some(if self.big { u16::from_be_bytes(bytes) } else { u16::from_le_bytes(bytes) })
    }

    fn long(&self, at: usize) -> Option<u32> {
        let bytes = *self.bytes.get(at..)?.first_chunk::<4>()?;
        Some(if self.big { u32::from_be_bytes(bytes) } else { u32::from_le_bytes(bytes) })
    }

    fn put_word(&self, value: u16) -> [u8; 2] {
        if self.big { value.to_be_bytes() } else { value.to_le_bytes() }
    }

    fn put_long(&self, value: u32) -> [u8; 4] {
        if self.big { value.to_be_bytes() } else { value.to_le_bytes() }
    }

    /// Where the first directory is, and how many entries it has.
    fn directory(&self) -> Option<(usize, usize)> {
        let at = self.long(4)? as usize;
        Some((at, usize::from(self.word(at)?)))
    }

    /// Where the orientation's value stands.
    fn orientation_at(&self) -> Option<usize> {
        let (directory, count) = self.directory()?;
        (0..count).find_map(|i| {
            let entry = directory.checked_add(2)?.checked_add(i.checked_mul(12)?)?;
            let is_it = self.word(entry)? == ORIENTATION && self.word(entry.checked_add(2)?)? == SHORT;
            is_it.then_some(entry.checked_add(8)?)
        })
    }

    /// Where the entry of a tag is in the directory that starts at `directory`.
    fn entry_of(&self, directory: usize, tag: u16) -> Option<usize> {
        let count = usize::from(self.word(directory)?);
        (0..count).find_map(|i| {
            let entry = directory.checked_add(2)?.checked_add(i.checked_mul(12)?)?;
            (self.word(entry)? == tag).then_some(entry)
        })
    }

    /// What has to be written where, so that the sizes in the block are `size`. Where they were others, the preview in the
    /// second directory no longer shows the picture: the link to it goes.
    fn size_edits(&self, size: Size) -> Option<Vec<(usize, Vec<u8>)>> {
        let (first, count) = self.directory()?;
        let own = self.entry_of(first, EXIF_DIRECTORY).and_then(|e| self.long(e.checked_add(8)?)).map(|at| at as usize);
        let mut edits = Vec::new();
        for (directory, tags) in [Some(first), own].into_iter().zip(SIDES) {
            for (tag, side) in tags.into_iter().zip([size.width, size.height]) {
                let Some(entry) = directory.and_then(|d| self.entry_of(d, tag)) else { continue };
                let (kind, value) = (entry.checked_add(2)?, entry.checked_add(8)?);
                let stated = match self.word(kind)? {
                    SHORT => u32::from(self.word(value)?),
                    LONG => self.long(value)?,
                    _ => continue,
                };
                if stated != side {
                    edits.push((kind, self.put_word(LONG).to_vec()));
                    edits.push((value, self.put_long(side).to_vec()));
                }
            }
        }
        if !edits.is_empty() {
            edits.push((first.checked_add(2)?.checked_add(count.checked_mul(12)?)?, vec![0; 4]));
        }
        Some(edits)
    }

    /// The entry for an orientation.
    fn entry(&self, orientation: Orientation) -> Vec<u8> {
        let [tag, kind, value] = [ORIENTATION, SHORT, orientation.exif()].map(|v| self.put_word(v));
        [&tag[..], &kind, &self.put_long(1), &value, &[0, 0]].concat()
    }
}

/// The orientation that a block states; `None` where it states none that exists, or is no EXIF block.
pub(super) fn orientation_of(exif: &[u8]) -> Option<Orientation> {
    let block = Block::open(exif)?;
    Orientation::from_exif(block.word(block.orientation_at()?)?)
}

/// The resolution that a block states in its first directory: two fractions and a unit (EXIF 2.3, 4.6.4 A).
#[cfg_attr(not(feature = "jpeg"), allow(dead_code))]
pub(super) fn resolution_of(exif: &[u8]) -> Option<Resolution> {
    let block = Block::open(exif)?;
    let (first, _) = block.directory()?;
    let fraction = |tag: u16| {
        let entry = block.entry_of(first, tag)?;
        let at = block.long(entry.checked_add(8)?)? as usize;
        let (over, under) = (block.long(at)?, block.long(at.checked_add(4)?)?);
        (over > 0 && under > 0).then(|| f64::from(over) / f64::from(under))
    };
    let (x, y) = (fraction(0x011a)?, fraction(0x011b)?);
    let unit = block.entry_of(first, 0x0128).and_then(|entry| block.word(entry.checked_add(8)?));
    Some(match unit {
        // A centimetre.
        Some(3) => Resolution { x: x * 100.0, y: y * 100.0, unit: ResolutionUnit::Metre },
        Some(1) => Resolution { x, y, unit: ResolutionUnit::Ratio },
        _ => Resolution { x, y, unit: ResolutionUnit::Inch },
    })
}

/// The colour space that a block states (EXIF 2.3, 4.6.5 B): sRGB, or, where it is said to be none that has a number, the
/// optional colour space of DCF (JEITA CP-3461, 3.1.4) where the interoperability index is R03, else unknown. `None` where
/// nothing is stated.
#[cfg_attr(not(feature = "jpeg"), allow(dead_code))]
pub(super) fn color_of(exif: &[u8]) -> Option<(Primaries, Transfer)> {
    let block = Block::open(exif)?;
    let (first, _) = block.directory()?;
    let linked = |directory: usize, tag: u16| {
        let entry = block.entry_of(directory, tag)?;
        Some(block.long(entry.checked_add(8)?)? as usize)
    };
    let own = linked(first, EXIF_DIRECTORY)?;
    match block.word(block.entry_of(own, COLOR_SPACE)?.checked_add(8)?)? {
        1 => Some((Primaries::Srgb, Transfer::Srgb)),
        _ => {
            let index = linked(own, INTEROPERABILITY).and_then(|at| block.entry_of(at, 1));
            let index = index.and_then(|entry| block.bytes.get(entry.checked_add(8)?..)?.first_chunk::<3>());
            match index {
                // Its curve is a power of 563/256.
                Some(b"R03") => Some((Primaries::AdobeRgb, Transfer::Power(2.199_218_75))),
                _ => Some((Primaries::Other, Transfer::Srgb)),
            }
        }
    }
}

/// The block for a picture of this orientation and size: see [`with_orientation`]; sizes that it states are corrected, and
/// a preview of another picture is cut off.
pub(super) fn for_picture(exif: Option<&[u8]>, orientation: Orientation, size: Size) -> Option<Vec<u8>> {
    let mut out = with_orientation(exif, orientation)?;
    let edits = Block::open(&out).and_then(|block| block.size_edits(size)).unwrap_or_default();
    for (at, bytes) in edits {
        if let Some(place) = at.checked_add(bytes.len()).and_then(|end| out.get_mut(at..end)) {
            place.copy_from_slice(&bytes);
        }
    }
    Some(out)
}

/// A block that states this orientation: the given one changed in that place or by a directory with one more entry, or a
/// new one with nothing else. `None` where there is nothing to state.
fn with_orientation(exif: Option<&[u8]>, orientation: Orientation) -> Option<Vec<u8>> {
    let Some(bytes) = exif else {
        return (!orientation.is_upright()).then(|| {
            let empty = Block { bytes: &[], big: true };
            [b"MM\0\x2a\0\0\0\x08\0\x01", empty.entry(orientation).as_slice(), &[0; 4]].concat()
        });
    };
    let mut out = bytes.to_vec();
    let Some(block) = Block::open(bytes) else { return Some(out) };
    if let Some(at) = block.orientation_at() {
        if let Some(place) = at.checked_add(2).and_then(|end| out.get_mut(at..end)) {
            place.copy_from_slice(&block.put_word(orientation.exif()));
        }
        return Some(out);
    }
    if orientation.is_upright() {
        return Some(out);
    }
    Some(one_entry_more(block, orientation).unwrap_or(out))
}

/// The block with a new first directory at its end, which has the orientation among the old entries, in the order of
/// tags that TIFF asks for. Nothing that other offsets point to moves.
fn one_entry_more(block: Block<'_>, orientation: Orientation) -> Option<Vec<u8>> {
    let (directory, count) = block.directory()?;
    let entries = directory.checked_add(2)?;
    let end = entries.checked_add(count.checked_mul(12)?)?;
    let mut all: Vec<Vec<u8>> = block.bytes.get(entries..end)?.chunks_exact(12).map(<[u8]>::to_vec).collect();
    let next = block.bytes.get(end..end.checked_add(4)?)?;
    let tag = |entry: &Vec<u8>| Block { bytes: entry, ..block }.word(0).unwrap_or(0);
    let place = all.partition_point(|entry| tag(entry) < ORIENTATION);
    all.insert(place, block.entry(orientation));
    let mut out = block.bytes.to_vec();
    if out.len() % 2 == 1 {
        out.push(0);
    }
    let at = u32::try_from(out.len()).ok()?;
    out.get_mut(4..8)?.copy_from_slice(&block.put_long(at));
    out.extend(block.put_word(u16::try_from(all.len()).ok()?));
    all.iter().for_each(|entry| out.extend(entry));
    out.extend(next);
    Some(out)
}

#[cfg(test)]
mod tests {
    use super::*;

    /// One directory with two entries, in either byte order.
    fn block(big: bool, tags: &[(u16, u16)]) -> Vec<u8> {
        let word = |v: u16| if big { v.to_be_bytes() } else { v.to_le_bytes() };
        let long = |v: u32| if big { v.to_be_bytes() } else { v.to_le_bytes() };
        let mut out = if big { b"MM\0\x2a".to_vec() } else { b"II\x2a\0".to_vec() };
        out.extend(long(8));
        out.extend(word(tags.len() as u16));
        for &(tag, value) in tags {
            out.extend([word(tag), word(3)].concat());
            out.extend(long(1));
            out.extend([word(value), [0, 0]].concat());
        }
        out.extend(long(0));
        out
    }

    #[test]
    fn orientations_are_read_changed_and_added() {
        for big in [false, true] {
            for exif in 1..=8 {
                let o = Orientation::from_exif(exif).unwrap();
                let stated = block(big, &[(0x10f, 7), (0x112, exif), (0x128, 2)]);
                assert_eq!(orientation_of(&stated), Some(o));
                let changed = with_orientation(Some(&stated), Orientation::Upright).unwrap();
                assert_eq!(changed, block(big, &[(0x10f, 7), (0x112, 1), (0x128, 2)]));
                let silent = block(big, &[(0x10f, 7), (0x128, 2)]);
                assert_eq!(orientation_of(&silent), None);
                let added = with_orientation(Some(&silent), o).unwrap();
                if exif > 1 {
                    assert_eq!(orientation_of(&added), Some(o));
                    assert_eq!(&added[8..silent.len()], &silent[8..]);
                    assert_eq!(added[silent.len()..], block(big, &[(0x10f, 7), (0x112, exif), (0x128, 2)])[8..]);
                }
                assert_eq!(with_orientation(None, o).and_then(|b| orientation_of(&b)), (exif > 1).then_some(o));
            }
        }
    }

    #[test]
    fn sizes_are_corrected_and_a_preview_of_another_size_is_cut_off() {
        // Width, height and the EXIF directory in the first one, which links to a second; then the EXIF directory.
        let make = |w: u32, h: u32, link: u32| {
            let mut out = b"II\x2a\0\x08\0\0\0\x03\0".to_vec();
            for (tag, kind, value) in [(0x100u16, 3u16, w), (0x101, 4, h), (0x8769, 4, 50)] {
                out.extend([tag.to_le_bytes(), kind.to_le_bytes()].concat());
                out.extend([1, value].map(u32::to_le_bytes).concat());
            }
            out.extend(link.to_le_bytes());
            out.extend([2, 0]);
            for (tag, value) in [(0xa002u16, w), (0xa003, h)] {
                out.extend([tag.to_le_bytes(), 4u16.to_le_bytes()].concat());
                out.extend([1, value].map(u32::to_le_bytes).concat());
            }
            out
        };
        let same = make(30, 20, 99);
        assert_eq!(for_picture(Some(&same), Orientation::Upright, Size::new(30, 20)), Some(same.clone()));
        let mut want = make(7, 70_000, 0);
        want[12] = 4; // the width is a LONG now
        assert_eq!(for_picture(Some(&same), Orientation::Upright, Size::new(7, 70_000)), Some(want));
        for length in 0..same.len() {
            assert!(for_picture(Some(&same[..length]), Orientation::Upright, Size::new(1, 1)).is_some());
        }
    }

    #[test]
    fn colour_spaces_are_read() {
        // The first directory links to the EXIF directory at 26, that to the one of interoperability at 56.
        let make = |space: u16, index: &[u8; 4]| {
            let mut out = b"II\x2a\0\x08\0\0\0\x01\0".to_vec();
            let mut entry = |tag: u16, kind: u16, count: u32, value: [u8; 4]| {
                out.extend([tag.to_le_bytes(), kind.to_le_bytes()].concat());
                out.extend(count.to_le_bytes());
                out.extend(value);
            };
            entry(0x8769, 4, 1, 26u32.to_le_bytes());
            out.extend([0, 0, 0, 0, 2, 0]);
            let mut entry = |tag: u16, kind: u16, count: u32, value: [u8; 4]| {
                out.extend([tag.to_le_bytes(), kind.to_le_bytes()].concat());
                out.extend(count.to_le_bytes());
                out.extend(value);
            };
            entry(0xa001, 3, 1, u32::from(space).to_le_bytes());
            entry(0xa005, 4, 1, 56u32.to_le_bytes());
            out.extend([0, 0, 0, 0, 1, 0, 1, 0, 2, 0, 4, 0, 0, 0]);
            out.extend(index);
            out
        };
        assert_eq!(color_of(&make(1, b"R98\0")), Some((Primaries::Srgb, Transfer::Srgb)));
        assert_eq!(color_of(&make(0xffff, b"R98\0")), Some((Primaries::Other, Transfer::Srgb)));
        let optional = color_of(&make(0xffff, b"R03\0"));
        assert!(matches!(optional, Some((Primaries::AdobeRgb, Transfer::Power(_)))));
        assert_eq!(color_of(&block(true, &[(0x112, 6)])), None);
        let whole = make(0xffff, b"R03\0");
        // The index ends one byte before the block does; what is cut before that says less.
        for length in 0..whole.len() {
            assert_eq!(color_of(&whole[..length]) == color_of(&whole), length == 69, "{length} of {}", whole.len());
        }
    }

    #[test]
    fn blocks_cut_anywhere_are_taken_as_they_are() {
        let whole = block(false, &[(0x10f, 7), (0x112, 6)]);
        for length in 0..whole.len() {
            let part = &whole[..length];
            let _ = orientation_of(part);
            assert!(with_orientation(Some(part), Orientation::Upright).is_some());
        }
        let mut far = whole.clone();
        far[4..8].fill(0xff);
        assert_eq!(orientation_of(&far), None);
        assert_eq!(with_orientation(Some(&far), Orientation::from_exif(3).unwrap()), Some(far));
    }
}
