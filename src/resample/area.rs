//! A part of a picture with fractional corners.

use crate::error::{Error, Result};
use crate::frame::{Region, Size};
use std::ops::Range;

/// A part of a picture, its corners anywhere: x and y as in all coordinates, so that pixel (x, y) covers [x, x + 1) x
/// [y, y + 1).
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Area {
    x: f64,
    y: f64,
    width: f64,
    height: f64,
}

impl Area {
    /// From half-open ranges.
    ///
    /// # Errors
    /// A range that is backwards, empty, or not of finite numbers.
    pub fn new(x: Range<f64>, y: Range<f64>) -> Result<Area> {
        for (name, range) in [("x", &x), ("y", &y)] {
            let finite = range.start.is_finite() && range.end.is_finite();
            if !finite || range.start >= range.end {
                return Err(Error::not_a_range(
                    "area",
                    (range.start, range.end),
                    format!("{name} {}..{} is no part of a picture", range.start, range.end),
                ));
            }
        }
        Ok(Area { x: x.start, y: y.start, width: x.end - x.start, height: y.end - y.start })
    }

    /// All of a picture.
    pub fn of(size: Size) -> Area {
        Area { x: 0.0, y: 0.0, width: size.width.into(), height: size.height.into() }
    }

    /// Columns, half-open.
    pub fn x(self) -> Range<f64> {
        self.x..self.x + self.width
    }

    /// Rows, half-open.
    pub fn y(self) -> Range<f64> {
        self.y..self.y + self.height
    }

    /// Pixels across, and down.
    pub fn sides(self) -> (f64, f64) {
        (self.width, self.height)
    }

    /// Whether it lies in a picture.
    ///
    /// # Errors
    /// A part that does not, or has no extent.
    pub(crate) fn check_within(self, size: Size) -> Result<()> {
        if self.width <= 0.0 || self.height <= 0.0 {
            return Err(Error::no_pixels("source", size, format!("a picture of {size} has no pixel to resize")));
        }
        for (name, range, side) in [("x", self.x(), size.width), ("y", self.y(), size.height)] {
            if range.start < 0.0 || range.end > f64::from(side) {
                let line = format!("{name} {}..{} is outside the picture's 0..{side}", range.start, range.end);
                return Err(Error::not_a_range("area", (range.start, range.end), line));
            }
        }
        Ok(())
    }

    /// The part of this one that has the sides' ratio of `size` and is as large as can be; what is left over is cut off
    /// where the anchor does not hold on: 0 keeps the left or upper end, 1 the right or lower one, 1/2 the middle.
    pub(crate) fn cut_to_ratio(self, size: Size, anchor: (f64, f64)) -> Area {
        let (w, h) = (f64::from(size.width), f64::from(size.height));
        let (width, height) = match self.width * h > self.height * w {
            true => (self.height * w / h, self.height),
            false => (self.width, self.width * h / w),
        };
        let (x, y) = (self.x + (self.width - width) * anchor.0, self.y + (self.height - height) * anchor.1);
        Area { x, y, width, height }
    }
}

impl From<Region> for Area {
    fn from(region: Region) -> Area {
        let (x, y) = (f64::from(region.x()), f64::from(region.y()));
        Area { x, y, width: region.width().into(), height: region.height().into() }
    }
}
