//! How a stored picture has to be turned to be seen upright: the eight cases of EXIF.

/// How the stored rows and columns lie when the picture is seen upright: the eight values of the EXIF tag Orientation
/// (JEITA CP-3451, 4.6.4).
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct Orientation(u8);

impl Orientation {
    /// The stored picture is upright as it is (value 1).
    pub const UPRIGHT: Orientation = Orientation(0);

    /// The orientation of an EXIF value, 1 to 8.
    pub fn from_exif(value: u16) -> Option<Orientation> {
        (1..=8).contains(&value).then(|| Orientation(value as u8 - 1))
    }

    /// The EXIF value, 1 to 8.
    pub fn exif(self) -> u16 {
        u16::from(self.0) + 1
    }

    /// Whether the picture is upright as stored.
    pub fn is_upright(self) -> bool {
        self == Orientation::UPRIGHT
    }

    /// Whether width and height are exchanged when the picture is turned upright.
    pub fn swaps_axes(self) -> bool {
        self.0 >= 4
    }

    /// What has to be done to the stored picture, in words.
    pub fn describe(self) -> &'static str {
        match self.0 {
            0 => "upright",
            1 => "to be mirrored left-right",
            2 => "to be turned 180 degrees",
            3 => "to be mirrored top-bottom",
            4 => "to be transposed",
            5 => "to be turned 90 degrees clockwise",
            6 => "to be transposed about the other diagonal",
            _ => "to be turned 90 degrees counter-clockwise",
        }
    }

    /// Transpose first, then mirror left-right, then mirror top-bottom: which of the three this is made of.
    pub(crate) fn parts(self) -> (bool, bool, bool) {
        match self.0 {
            0 => (false, false, false),
            1 => (false, true, false),
            2 => (false, true, true),
            3 => (false, false, true),
            4 => (true, false, false),
            5 => (true, true, false),
            6 => (true, true, true),
            _ => (true, false, true),
        }
    }

    /// The orientation made of these three, in that order.
    pub(crate) fn from_parts(transpose: bool, left_right: bool, top_bottom: bool) -> Orientation {
        let all = (0..8).map(Orientation);
        // Eight cases, eight values: the search always finds one.
        all.into_iter().find(|o| o.parts() == (transpose, left_right, top_bottom)).unwrap_or_default()
    }

    /// The orientation of stored pixels that were turned by `done`, so that what is seen is what was seen before, turned by
    /// `done`: first back, then as it was, then `done` again.
    pub fn seen_turned(self, done: Orientation) -> Orientation {
        done.compose(self.compose(done.inverse()))
    }

    /// The turn that undoes this one.
    pub fn inverse(self) -> Orientation {
        match self.parts() {
            (false, ..) => self,
            // A transposition carries left-right over into top-bottom.
            (true, lr, tb) => Orientation::from_parts(true, tb, lr),
        }
    }

    /// First `first`, then this one.
    pub(crate) fn compose(self, first: Orientation) -> Orientation {
        let (t1, lr1, tb1) = first.parts();
        let (t2, lr2, tb2) = self.parts();
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
        let all: Vec<_> = (1..=8).map(|v| Orientation::from_exif(v).unwrap()).collect();
        for &whole in &all {
            for &done in &all {
                // What is seen of the turned pixels is what was seen, turned.
                let rest = whole.seen_turned(done);
                let size_after = |o: Orientation, (w, h): (i32, i32)| if o.swaps_axes() { (h, w) } else { (w, h) };
                for at in [(0, 0), (2, 0), (0, 4), (1, 3)] {
                    let stored = moved(rest, moved(done, at, size), size_after(done, size));
                    let seen = moved(done, moved(whole, at, size), size_after(whole, size));
                    assert_eq!(stored, seen, "{whole:?} {done:?}");
                }
            }
            assert_eq!(whole.inverse().inverse(), whole);
            assert!(whole.compose(whole.inverse()).is_upright());
        }
        assert_eq!((Orientation::from_exif(0), Orientation::from_exif(9)), (None, None));
    }
}
