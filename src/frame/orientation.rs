//! The eight ways to lay a picture down: as metadata (how to show the stored pixels upright) and as a transform. What moves the
//! pixels is in [`access`](crate::access).

use super::{Region, Size};
use crate::error::Result;
use std::ops::Range;

/// One of the eight ways to lay a picture down, made of mirrors and quarter turns.
///
/// In [`Metadata`](super::Metadata) it says what has to be done to the stored pixels to see the picture upright (the EXIF tag
/// Orientation, JEITA CP-3451, 4.6.4). As a transform, [`View::oriented`](crate::View::oriented) does just that.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
pub enum Orientation {
    /// As it is (EXIF value 1).
    #[default]
    Upright,
    /// Mirrored left-right: x becomes width - 1 - x (EXIF value 2).
    MirroredLeftRight,
    /// Rotated by 180 degrees (EXIF value 3).
    RotatedHalf,
    /// Mirrored top-bottom: y becomes height - 1 - y (EXIF value 4).
    MirroredTopBottom,
    /// Transposed about the diagonal from the top left: (x, y) becomes (y, x) (EXIF value 5).
    Transposed,
    /// Rotated by 90 degrees clockwise (EXIF value 6).
    RotatedRight,
    /// Transposed about the other diagonal: (x, y) becomes (height - 1 - y, width - 1 - x) (EXIF value 7).
    AntiTransposed,
    /// Rotated by 90 degrees counter-clockwise (EXIF value 8).
    RotatedLeft,
}

impl Orientation {
    /// All eight, in the order of their EXIF values.
    pub const ALL: [Orientation; 8] = [
        Orientation::Upright,
        Orientation::MirroredLeftRight,
        Orientation::RotatedHalf,
        Orientation::MirroredTopBottom,
        Orientation::Transposed,
        Orientation::RotatedRight,
        Orientation::AntiTransposed,
        Orientation::RotatedLeft,
    ];

    /// The orientation of an EXIF value, 1 to 8.
    pub fn from_exif(value: u16) -> Option<Orientation> {
        Orientation::ALL.get(usize::from(value).checked_sub(1)?).copied()
    }

    /// The EXIF value, 1 to 8.
    pub fn exif(self) -> u16 {
        self as u16 + 1
    }

    /// Whether the picture is upright as stored.
    pub fn is_upright(self) -> bool {
        self == Orientation::Upright
    }

    /// Whether width and height are exchanged.
    pub fn swaps_axes(self) -> bool {
        self.parts().0
    }

    /// The transform to see the stored pixels upright, in words.
    pub fn describe(self) -> &'static str {
        match self {
            Orientation::Upright => "upright",
            Orientation::MirroredLeftRight => "to be mirrored left-right",
            Orientation::RotatedHalf => "to be rotated by 180 degrees",
            Orientation::MirroredTopBottom => "to be mirrored top-bottom",
            Orientation::Transposed => "to be transposed",
            Orientation::RotatedRight => "to be rotated by 90 degrees clockwise",
            Orientation::AntiTransposed => "to be transposed about the other diagonal",
            Orientation::RotatedLeft => "to be rotated by 90 degrees counter-clockwise",
        }
    }

    /// The size of a picture of this size once it is laid down this way.
    pub fn size(self, size: Size) -> Size {
        if self.swaps_axes() { size.transposed() } else { size }
    }

    /// The region of a picture of this size that becomes `part` of the oriented picture.
    ///
    /// # Errors
    /// A part that reaches outside the oriented picture.
    pub fn source_of(self, part: Region, size: Size) -> Result<Region> {
        let oriented = self.size(size);
        let part = part.inside(oriented)?;
        let (transpose, left_right, top_bottom) = self.parts();
        let mirrored = |range: Range<u32>, side: u32, back: bool| match back {
            true => side - range.end..side - range.start,
            false => range,
        };
        let x = mirrored(part.cols_range(), oriented.width, left_right);
        let y = mirrored(part.rows_range(), oriented.height, top_bottom);
        if transpose { Region::new(y, x) } else { Region::new(x, y) }
    }

    /// The three steps it is made of, in this order: transpose, mirror left-right, mirror top-bottom.
    pub(crate) fn parts(self) -> (bool, bool, bool) {
        match self {
            Orientation::Upright => (false, false, false),
            Orientation::MirroredLeftRight => (false, true, false),
            Orientation::RotatedHalf => (false, true, true),
            Orientation::MirroredTopBottom => (false, false, true),
            Orientation::Transposed => (true, false, false),
            Orientation::RotatedRight => (true, true, false),
            Orientation::AntiTransposed => (true, true, true),
            Orientation::RotatedLeft => (true, false, true),
        }
    }

    /// The orientation made of these three steps, in that order.
    pub(crate) fn from_parts(transpose: bool, left_right: bool, top_bottom: bool) -> Orientation {
        match (transpose, left_right, top_bottom) {
            (false, false, false) => Orientation::Upright,
            (false, true, false) => Orientation::MirroredLeftRight,
            (false, true, true) => Orientation::RotatedHalf,
            (false, false, true) => Orientation::MirroredTopBottom,
            (true, false, false) => Orientation::Transposed,
            (true, true, false) => Orientation::RotatedRight,
            (true, true, true) => Orientation::AntiTransposed,
            (true, false, true) => Orientation::RotatedLeft,
        }
    }

    /// The orientation to record once the stored pixels were transformed by `done`, so that the picture is seen as before,
    /// transformed by `done`.
    pub fn seen_through(self, done: Orientation) -> Orientation {
        done.after(self.after(done.inverse()))
    }

    /// The orientation that undoes this one.
    pub fn inverse(self) -> Orientation {
        match self {
            Orientation::RotatedRight => Orientation::RotatedLeft,
            Orientation::RotatedLeft => Orientation::RotatedRight,
            other => other,
        }
    }

    /// The orientation that has the effect of `first`, then of this one.
    pub fn after(self, first: Orientation) -> Orientation {
        let (t1, lr1, tb1) = first.parts();
        let (t2, lr2, tb2) = self.parts();
        // A transposition carries left-right over into top-bottom.
        let (lr1, tb1) = if t2 { (tb1, lr1) } else { (lr1, tb1) };
        Orientation::from_parts(t1 ^ t2, lr1 ^ lr2, tb1 ^ tb2)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    /// Where an orientation takes the pixel (x, y) of a picture of this size, straight from the words.
    fn moved(o: Orientation, (x, y): (i32, i32), (w, h): (i32, i32)) -> (i32, i32) {
        match o.exif() {
            1 => (x, y),
            2 => (w - 1 - x, y),
            3 => (w - 1 - x, h - 1 - y),
            4 => (x, h - 1 - y),
            5 => (y, x),
            6 => (h - 1 - y, x),
            7 => (h - 1 - y, w - 1 - x),
            _ => (y, w - 1 - x),
        }
    }

    #[test]
    fn composition_and_inverse_agree_with_moving_pixels() {
        let size = (3, 5);
        for whole in Orientation::ALL {
            for done in Orientation::ALL {
                // What is seen of the turned pixels is what was seen, turned.
                let rest = whole.seen_through(done);
                let size_after = |o: Orientation, (w, h): (i32, i32)| if o.swaps_axes() { (h, w) } else { (w, h) };
                for at in [(0, 0), (2, 0), (0, 4), (1, 3)] {
                    let stored = moved(rest, moved(done, at, size), size_after(done, size));
                    let seen = moved(done, moved(whole, at, size), size_after(whole, size));
                    assert_eq!(stored, seen, "{whole:?} {done:?}");
                }
            }
            assert_eq!(whole.inverse().inverse(), whole);
            assert!(whole.after(whole.inverse()).is_upright());
        }
        assert_eq!((Orientation::from_exif(0), Orientation::from_exif(9)), (None, None));
    }
}
