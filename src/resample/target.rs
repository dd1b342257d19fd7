//! Target sizes: from a factor, one side, or a box to fit into or to cover.

use super::area::Area;
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
    /// The size of [`Fit`](Target::Fit), but never above the source's: what is small enough keeps its size.
    ShrinkToFit(Size),
    /// Just this size, from the largest part of the source that has its aspect ratio.
    Cover {
        /// The size.
        size: Size,
        /// Which part: across and down, 0 keeps the left or upper end, 1 the right or lower one, 1/2 the middle.
        anchor: (f64, f64),
    },
    /// Factors along x and y, each above 0.
    Scale(f64, f64),
}

impl From<Size> for Target {
    /// Just this size.
    fn from(size: Size) -> Target {
        Target::Exact(size)
    }
}

impl Target {
    /// The size that a source of this size gets.
    ///
    /// # Errors
    /// A side or factor that is zero, negative, not a number or too large, or a source without pixels.
    pub fn size(self, source: Size) -> Result<Size> {
        Ok(self.of_area(source, Area::of(source))?.1)
    }

    /// The part of a source that is taken, and the size it gets; `area` is what of the source is meant at all.
    ///
    /// # Errors
    /// As [`size`](Target::size), an area outside the source, or an anchor that is not 0 to 1.
    pub fn of_area(self, source: Size, area: Area) -> Result<(Area, Size)> {
        if source.is_empty() {
            return Err(Error::no_pixels("source", source, format!("a picture of {source} has no pixel to resize")));
        }
        area.check_within(source)?;
        let (width, height) = area.sides();
        let by_width = |w: u32| scaled(height, f64::from(w) / width);
        let by_height = |h: u32| scaled(width, f64::from(h) / height);
        let size = match self {
            Target::Exact(size) | Target::Cover { size, .. } => size,
            Target::Width(w) => Size::new(w, by_width(w)?),
            Target::Height(h) => Size::new(by_height(h)?, h),
            Target::ShrinkToFit(room) if f64::from(room.width) >= width && f64::from(room.height) >= height => {
                // As it is, whole pixels where an area ends between them.
                Size::new(scaled(width, 1.0)?, scaled(height, 1.0)?)
            }
            Target::Fit(room) | Target::ShrinkToFit(room) => {
                // Which side is the tight one: products of whole numbers are exact below 2^53.
                match f64::from(room.width) * height <= f64::from(room.height) * width {
                    true => Size::new(room.width, by_width(room.width)?.min(room.height)),
                    false => Size::new(by_height(room.height)?.min(room.width), room.height),
                }
            }
            Target::Scale(x, y) => {
                for factor in [x, y] {
                    if !factor.is_finite() || factor <= 0.0 {
                        return Err(Error::out_of_range(
                            "factor",
                            factor,
                            (f64::MIN_POSITIVE, f64::MAX),
                            format!("a scale factor must be a number above 0, not {factor}"),
                        ));
                    }
                }
                Size::new(scaled(width, x)?, scaled(height, y)?)
            }
        };
        if size.is_empty() {
            return Err(Error::no_pixels(
                "target",
                size,
                format!("a target of {size} has no pixel; each side must be at least 1"),
            ));
        }
        match self {
            Target::Cover { anchor, .. } => {
                if ![anchor.0, anchor.1].iter().all(|a| (0.0..=1.0).contains(a)) {
                    let line = format!("an anchor of {},{}; each is 0 to 1", anchor.0, anchor.1);
                    return Err(Error::invalid("target", line));
                }
                Ok((area.cut_to_ratio(size, anchor), size))
            }
            _ => Ok((area, size)),
        }
    }
}

/// A side times a factor, to the nearest whole pixel, halves up, at least 1.
fn scaled(side: f64, factor: f64) -> Result<u32> {
    let exact = (side * factor + 0.5).floor().max(1.0);
    if exact > f64::from(u32::MAX) {
        return Err(Error::out_of_range(
            "factor",
            factor,
            (0.0, f64::from(u32::MAX) / side),
            format!("{side} pixels times {factor} are more than a picture can have"),
        ));
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
            (Target::Cover { size: Size::new(50, 70), anchor: (0.5, 0.5) }, (50, 70)),
            (Target::Scale(0.5, 0.5), (150, 101)),
            (Target::ShrinkToFit(Size::new(301, 999)), (300, 201)),
            (Target::ShrinkToFit(Size::new(100, u32::MAX)), (100, 67)),
            (Target::ShrinkToFit(Size::new(u32::MAX, 67)), (100, 67)),
            (Target::Scale(0.0001, 2.0), (1, 402)),
        ] {
            assert_eq!(target.size(source).unwrap(), Size::new(want.0, want.1), "{target:?}");
        }
    }

    #[test]
    fn covering_takes_the_anchored_part_and_areas_are_sources_of_their_own() {
        let source = Size::new(300, 200);
        let part = |size, anchor| Target::Cover { size, anchor }.of_area(source, Area::of(source)).unwrap().0;
        let square = Size::new(10, 10);
        assert_eq!(part(square, (0.5, 0.5)), Area::new(50.0..250.0, 0.0..200.0).unwrap());
        assert_eq!(part(square, (1.0, 0.0)), Area::new(100.0..300.0, 0.0..200.0).unwrap());
        assert_eq!(part(Size::new(60, 10), (0.3, 0.0)), Area::new(0.0..300.0, 0.0..50.0).unwrap());
        let area = Area::new(10.5..60.5, 0.0..25.0).unwrap();
        assert_eq!(Target::Width(100).of_area(source, area).unwrap(), (area, Size::new(100, 50)));
        assert_eq!(Target::Scale(0.5, 2.0).of_area(source, area).unwrap().1, Size::new(25, 50));
        assert!(Target::Width(5).of_area(source, Area::new(0.0..300.5, 0.0..1.0).unwrap()).is_err());
        assert!(Area::new(3.0..3.0, 0.0..1.0).is_err() && Area::new(0.0..f64::NAN, 0.0..1.0).is_err());
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
            Target::Cover { size: Size::new(1, 1), anchor: (1.5, 0.0) },
            Target::Fit(Size::new(0, 9)),
        ] {
            assert!(target.size(source).is_err(), "{target:?}");
        }
        assert!(Target::Width(5).size(Size::new(0, 5)).is_err());
    }
}
