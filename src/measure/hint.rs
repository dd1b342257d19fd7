//! What would make two unequal pictures equal: the accidents that happen between two tools.

use crate::access::orient_bytes;
use crate::convert::depth::pixels_to_depth;
use crate::frame::{AnyNumbers, Content, Orientation, Pixels, Region, SampleView, SampleViewMut};
use crate::pixel::Depth;
use crate::threads::Threads;

/// Likely cause of a difference: a change that makes two pictures equal.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Hint {
    /// Red and blue exchanged.
    RedBlueSwapped,
    /// The second picture mirrored left-right.
    MirroredLeftRight,
    /// The second picture mirrored top-bottom.
    MirroredTopBottom,
    /// The second picture rotated by 90 degrees clockwise.
    RotatedRight,
    /// The second picture rotated by 180 degrees.
    RotatedHalf,
    /// The second picture rotated by 90 degrees counter-clockwise.
    RotatedLeft,
    /// The second picture transposed.
    Transposed,
    /// The second picture transposed about the other diagonal.
    AntiTransposed,
    /// The finer of the two at the depth of the coarser, 8 bits.
    AtU8,
    /// The finer of the two at the depth of the coarser, 16 bits.
    AtU16,
}

impl Hint {
    /// The hint in words: `r and b are swapped`.
    pub fn words(self) -> &'static str {
        match self {
            Hint::RedBlueSwapped => "r and b are swapped",
            Hint::MirroredLeftRight => "the second is mirrored left-right",
            Hint::MirroredTopBottom => "the second is mirrored top-bottom",
            Hint::RotatedRight => "the second is rotated by 90 degrees clockwise",
            Hint::RotatedHalf => "the second is rotated by 180 degrees",
            Hint::RotatedLeft => "the second is rotated by 90 degrees counter-clockwise",
            Hint::Transposed => "the second is transposed",
            Hint::AntiTransposed => "the second is transposed about the other diagonal",
            Hint::AtU8 => "both are taken at u8",
            Hint::AtU16 => "both are taken at u16",
        }
    }

    fn of(orientation: Orientation) -> Option<Hint> {
        Some(match orientation {
            Orientation::Upright => return None,
            Orientation::MirroredLeftRight => Hint::MirroredLeftRight,
            Orientation::MirroredTopBottom => Hint::MirroredTopBottom,
            Orientation::RotatedRight => Hint::RotatedRight,
            Orientation::RotatedHalf => Hint::RotatedHalf,
            Orientation::RotatedLeft => Hint::RotatedLeft,
            Orientation::Transposed => Hint::Transposed,
            Orientation::AntiTransposed => Hint::AntiTransposed,
        })
    }
}

/// What would make two views equal that are not. Ends each try at the first rows that differ.
pub(super) fn hint(a: AnyNumbers<'_>, b: AnyNumbers<'_>, names: &[&str]) -> Option<Hint> {
    let each = a.kind().bytes();
    let (a, b) = (a.as_bytes(), b.as_bytes());
    if names.starts_with(&["r", "g", "b"]) && a.size() == b.size() && swapped(a, b, each) {
        return Some(Hint::RedBlueSwapped);
    }
    oriented(a, b)
}

fn oriented(a: SampleView<'_, u8>, b: SampleView<'_, u8>) -> Option<Hint> {
    Orientation::ALL[1..].iter().find(|&&orientation| equal_once_oriented(a, b, orientation)).and_then(|&o| Hint::of(o))
}

/// Whether red and blue, of so many bytes each, are exchanged.
fn swapped(a: SampleView<'_, u8>, b: SampleView<'_, u8>, each: usize) -> bool {
    let pixel = a.channels().count;
    a.rows().zip(b.rows()).all(|(a, b)| {
        a.chunks_exact(pixel).zip(b.chunks_exact(pixel)).all(|(a, b)| {
            a[..each] == b[2 * each..3 * each]
                && a[each..2 * each] == b[each..2 * each]
                && a[2 * each..3 * each] == b[..each]
                && a[3 * each..] == b[3 * each..]
        })
    })
}

/// Rows looked at together.
const STRIP: u32 = 16;

/// Whether `b` laid down this way equals `a`.
fn equal_once_oriented(a: SampleView<'_, u8>, b: SampleView<'_, u8>, orientation: Orientation) -> bool {
    if orientation.size(b.size()) != a.size() || a.channels() != b.channels() {
        return false;
    }
    let row = a.width() as usize * a.channels().count;
    // At most as large as a strip of a picture that is there.
    let mut memory = vec![0; row * STRIP.min(a.height()) as usize];
    (0..a.height()).step_by(STRIP as usize).all(|y| {
        let rows = y..a.height().min(y.saturating_add(STRIP));
        let strip = a.band(rows);
        let part = Region { x: 0, y, width: a.width(), height: strip.height() };
        let Ok(source) = orientation.source_of(part, b.size()) else { return false };
        let memory = &mut memory[..row * strip.height() as usize];
        orient_bytes(b.part(source), orientation, SampleViewMut::packed(memory, strip.size(), a.channels()));
        strip.rows().zip(memory.chunks_exact(row.max(1))).all(|(a, b)| a == b)
    })
}

/// What would make two contents equal that cannot be compared: another size or depth.
pub(super) fn hint_of_contents(a: &Content, b: &Content) -> Option<Hint> {
    let (Content::Pixels(a), Content::Pixels(b)) = (a, b) else { return None };
    if a.layout() != b.layout() {
        return None;
    }
    if a.depth() == b.depth() {
        return oriented(a.samples_any().as_bytes(), b.samples_any().as_bytes());
    }
    let at = |depth: Depth| -> Option<bool> {
        let to = |p: &Pixels| pixels_to_depth(p, depth, None, Threads::ALL).ok();
        Some(a.size() == b.size() && to(a)? == to(b)?)
    };
    let coarser = [Depth::U8, Depth::U16].into_iter().find(|d| [a.depth(), b.depth()].contains(d))?;
    let hint = if coarser == Depth::U8 { Hint::AtU8 } else { Hint::AtU16 };
    at(coarser)?.then_some(hint)
}
