//! Target sizes: from a factor, one side, or a box to fit into.

use crate::error::{Error, Result};
use crate::frame::Size;

/// A target size, exact or derived from the source's.
///
/// Derived sides are rounded to the nearest whole pixel, halves up, and are never below 1.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub enum Target {
    /// Just this size.
    Exact(Size),
    /// This width; the height follows the aspect ratio.
    Width(u32),
    /// This height; the width follows the aspect ratio.
    Height(u32),
    /// The largest size of the source's aspect ratio that fits inside.
    Fit(Size),
    /// Factors along x and y, each above 0.
    Scale(f64, f64),
}

impl Target {
    /// The size that a source of this size gets.
    ///
    /// # Errors
    /// A side or factor that is zero, negative, not a number or too large, or a source without pixels.
    pub fn size(self, source: Size) -> Result<Size> {
        if source.is_empty() {
            return Err(Error::unusable(format!("a picture of {source} has no pixel to resize")));
        }
        let by_width = |w: u32| scaled(source.height, f64::from(w) / f64::from(source.width));
        let by_height = |h: u32| scaled(source.width, f64::from(h) / f64::from(source.height));
        let size = match self {
            Target::Exact(size) => size,
            Target::Width(w) => Size::new(w, by_width(w)?),
            Target::Height(h) => Size::new(by_height(h)?, h),
            Target::Fit(room) => {
                // Which side is the tight one, in whole numbers: w/W <= h/H.
                let tight_width = u64::from(room.width) * u64::from(source.height)
                    <= u64::from(room.height) * u64::from(source.width);
                if tight_width {
                    Size::new(room.width, by_width(room.width)?.min(room.height))
                } else {
                    Size::new(by_height(room.height)?.min(room.width), room.height)
                }
            }
            Target::Scale(x, y) => {
                for factor in [x, y] {
                    if !factor.is_finite() || factor <= 0.0 {
                        return Err(Error::unusable(format!("a scale factor must be a number above 0, not {factor}")));
                    }
                }
                Size::new(scaled(source.width, x)?, scaled(source.height, y)?)
            }
        };
        if size.is_empty() {
            return Err(Error::unusable(format!("a target of {size} has no pixel; each side must be at least 1")));
        }
        Ok(size)
    }
}

/// A side times a factor, to the nearest whole pixel, halves up, at least 1.
fn scaled(side: u32, factor: f64) -> Result<u32> {
    let exact = (f64::from(side) * factor + 0.5).floor().max(1.0);
    if exact > f64::from(u32::MAX) {
        return Err(Error::unusable(format!("{side} pixels times {factor} are more than a picture can have")));
    }
    Ok(exact as u32)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn sides_follow_the_stated_rule() {
        let source = Size::new(300, 201);
        for (target, want) in [
            (Target::Exact(Size::new(7, 9)), (7, 9)),
            (Target::Width(100), (100, 67)),
            (Target::Height(67), (100, 67)),
            (Target::Fit(Size::new(100, 100)), (100, 67)),
            (Target::Fit(Size::new(1000, 67)), (100, 67)),
            (Target::Scale(0.5, 0.5), (150, 101)),
            (Target::Scale(0.0001, 2.0), (1, 402)),
        ] {
            assert_eq!(target.size(source).unwrap(), Size::new(want.0, want.1), "{target:?}");
        }
    }

    #[test]
    fn what_cannot_be_a_size_is_an_error() {
        let source = Size::new(300, 200);
        for target in [
            Target::Width(0),
            Target::Exact(Size::new(5, 0)),
            Target::Scale(0.0, 1.0),
            Target::Scale(-1.0, 1.0),
            Target::Scale(1.0, f64::NAN),
            Target::Scale(1e9, 1.0),
        ] {
            assert!(target.size(source).is_err(), "{target:?}");
        }
        assert!(Target::Width(5).size(Size::new(0, 5)).is_err());
    }
}
