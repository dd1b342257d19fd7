//! Regions: half-open rectangles of whole pixels.

use super::Size;
use crate::error::{Error, ErrorKind, Result};
use std::ops::{Bound, Range, RangeBounds};

/// A rectangle of whole pixels: columns `x..x + width`, rows `y..y + height`, both half-open.
///
/// Made by functions that check it, so that its right and bottom edges are `u32` values too. It need not lie inside any
/// picture; [`View::region`](super::View::region) checks that, [`clip_to`](Region::clip_to) makes it so.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize))]
pub struct Region {
    pub(crate) x: u32,
    pub(crate) y: u32,
    pub(crate) width: u32,
    pub(crate) height: u32,
}

impl Region {
    /// The columns `x` and rows `y`, half-open.
    ///
    /// # Errors
    /// A range whose start lies behind its end.
    ///
    /// # Examples
    /// ```
    /// let board = rahmen::Region::new(100..180, 40..90)?;
    /// assert_eq!(board.size(), rahmen::Size::new(80, 50));
    /// assert!(rahmen::Region::new(10..5, 0..1).is_err());
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn new(x: Range<u32>, y: Range<u32>) -> Result<Region> {
        let length = |axis: &str, r: &Range<u32>| {
            r.end.checked_sub(r.start).ok_or_else(|| {
                Error::not_a_range(
                    "range",
                    (r.start.into(), r.end.into()),
                    format!("{axis} {}..{} runs backwards: a range is start..end", r.start, r.end),
                )
            })
        };
        Ok(Region { x: x.start, y: y.start, width: length("x", &x)?, height: length("y", &y)? })
    }

    /// The region of a size whose top left pixel is at (x, y).
    ///
    /// # Errors
    /// An edge beyond the largest coordinate.
    pub fn at(x: u32, y: u32, size: Size) -> Result<Region> {
        let end = |axis: &'static str, start: u32, length: u32| {
            start.checked_add(length).ok_or_else(|| {
                Error::invalid(
                    "length",
                    format!("{axis} {start} and {length} pixels reach beyond the largest coordinate"),
                )
            })
        };
        Region::new(x..end("x", x, size.width)?, y..end("y", y, size.height)?)
    }

    /// The region spanned by two corner pixels, both inside it, in any order.
    ///
    /// # Errors
    /// A corner at the largest coordinate, which no half-open range can include.
    pub fn from_corners(a: (u32, u32), b: (u32, u32)) -> Result<Region> {
        let (x0, x1) = (a.0.min(b.0), a.0.max(b.0));
        let (y0, y1) = (a.1.min(b.1), a.1.max(b.1));
        Region::at(x0, y0, Size::new(1, 1))?;
        Region::at(x1, y1, Size::new(1, 1))?;
        Region::new(x0..x1 + 1, y0..y1 + 1)
    }

    /// The region of a size around a centre pixel: as many pixels before it as behind it, one more before it where the
    /// size is even.
    ///
    /// # Errors
    /// A region that would start before 0 or end beyond the largest coordinate.
    pub fn around(x: u32, y: u32, size: Size) -> Result<Region> {
        let start = |axis: &str, center: u32, length: u32| {
            center.checked_sub(length / 2).ok_or_else(|| {
                Error::invalid("center", format!("{length} pixels around {axis} {center} would start before 0"))
            })
        };
        Region::at(start("x", x, size.width)?, start("y", y, size.height)?, size)
    }

    /// The part of a size between fractions of its sides, such as `0.25..0.75`; edges are rounded to the nearest pixel
    /// edge, ties up.
    ///
    /// # Errors
    /// A fraction outside 0..=1 or not a number, or a range that runs backwards.
    pub fn from_fractions(size: Size, x: Range<f64>, y: Range<f64>) -> Result<Region> {
        let edges = |axis: &str, r: Range<f64>, side: u32| {
            let inside = |v: f64| (0.0..=1.0).contains(&v);
            if !inside(r.start) || !inside(r.end) {
                return Err(Error::not_a_range(
                    "fractions",
                    (r.start, r.end),
                    format!("{axis} {}..{} is outside the fractions 0..1", r.start, r.end),
                ));
            }
            let edge = |v: f64| (v * f64::from(side) + 0.5).floor() as u32;
            Ok(edge(r.start)..edge(r.end))
        };
        Region::new(edges("x", x, size.width)?, edges("y", y, size.height)?)
    }

    /// The first column.
    pub fn x(self) -> u32 {
        self.x
    }

    /// The first row.
    pub fn y(self) -> u32 {
        self.y
    }

    /// Columns in it.
    pub fn width(self) -> u32 {
        self.width
    }

    /// Rows in it.
    pub fn height(self) -> u32 {
        self.height
    }

    /// Its width and height.
    pub fn size(self) -> Size {
        Size::new(self.width, self.height)
    }

    /// Its columns, half-open.
    pub fn cols_range(self) -> Range<u32> {
        self.x..self.x + self.width
    }

    /// Its rows, half-open.
    pub fn rows_range(self) -> Range<u32> {
        self.y..self.y + self.height
    }

    /// Whether it has no pixel.
    pub fn is_empty(self) -> bool {
        self.size().is_empty()
    }

    /// This region with only these rows; both ends are coordinates of the picture, an open end keeps the region's own.
    ///
    /// # Errors
    /// A range that runs backwards or reaches outside this region.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Region, Size};
    /// let r = Size::new(640, 480).region().rows(100..)?.cols(..=9)?;
    /// assert_eq!(r, Region::new(0..10, 100..480)?);
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn rows(self, rows: impl RangeBounds<u32>) -> Result<Region> {
        let r = narrow("y", self.rows_range(), rows)?;
        Region::new(self.cols_range(), r)
    }

    /// This region with only these columns; as [`rows`](Region::rows).
    ///
    /// # Errors
    /// A range that runs backwards or reaches outside this region.
    pub fn cols(self, cols: impl RangeBounds<u32>) -> Result<Region> {
        let r = narrow("x", self.cols_range(), cols)?;
        Region::new(r, self.rows_range())
    }

    /// The part that lies inside a picture of this size; empty if there is none.
    pub fn clip_to(self, size: Size) -> Region {
        self.intersect(size.region())
    }

    /// The part that two regions share; empty if there is none (at the larger of the two starts).
    pub fn intersect(self, other: Region) -> Region {
        let side = |a: Range<u32>, b: Range<u32>| {
            let start = a.start.max(b.start);
            (start, a.end.min(b.end).saturating_sub(start))
        };
        let (x, width) = side(self.cols_range(), other.cols_range());
        let (y, height) = side(self.rows_range(), other.rows_range());
        Region { x, y, width, height }
    }

    /// The smallest region that contains both; an empty one adds nothing.
    pub fn union(self, other: Region) -> Region {
        if self.is_empty() {
            return other;
        }
        if other.is_empty() {
            return self;
        }
        let side = |a: Range<u32>, b: Range<u32>| {
            let start = a.start.min(b.start);
            (start, a.end.max(b.end) - start)
        };
        let (x, width) = side(self.cols_range(), other.cols_range());
        let (y, height) = side(self.rows_range(), other.rows_range());
        Region { x, y, width, height }
    }

    /// Whether the pixel (x, y) lies in it.
    pub fn contains(self, x: u32, y: u32) -> bool {
        self.cols_range().contains(&x) && self.rows_range().contains(&y)
    }

    /// Whether all of another region lies in it; an empty one does where its start is inside or on the border.
    pub fn contains_region(self, other: Region) -> bool {
        let side = |a: Range<u32>, b: Range<u32>| a.start <= b.start && b.end <= a.end;
        side(self.cols_range(), other.cols_range()) && side(self.rows_range(), other.rows_range())
    }

    /// Passes it if it lies inside a picture of this size.
    pub(crate) fn inside(self, size: Size) -> Result<Region> {
        let whole = size.region();
        check_inside("x", self.cols_range(), whole.cols_range())?;
        check_inside("y", self.rows_range(), whole.rows_range())?;
        Ok(self)
    }
}

impl std::fmt::Display for Region {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        let (x, y) = (self.cols_range(), self.rows_range());
        write!(f, "x {}..{} y {}..{}", x.start, x.end, y.start, y.end)
    }
}

fn check_inside(axis: &'static str, wanted: Range<u32>, range: Range<u32>) -> Result<()> {
    if range.start <= wanted.start && wanted.end <= range.end {
        return Ok(());
    }
    let wide = |r: Range<u32>| i64::from(r.start)..i64::from(r.end);
    Err(ErrorKind::RegionOutside { axis, wanted: wide(wanted), range: wide(range) }.into())
}

fn narrow(axis: &'static str, range: Range<u32>, wanted: impl RangeBounds<u32>) -> Result<Range<u32>> {
    let beyond = || Error::invalid("offset", format!("{axis}: no range can reach beyond the largest coordinate"));
    let start = match wanted.start_bound() {
        Bound::Included(&v) => v,
        Bound::Excluded(&v) => v.checked_add(1).ok_or_else(beyond)?,
        Bound::Unbounded => range.start,
    };
    let end = match wanted.end_bound() {
        Bound::Included(&v) => v.checked_add(1).ok_or_else(beyond)?,
        Bound::Excluded(&v) => v,
        Bound::Unbounded => range.end,
    };
    if start > end {
        // An open end that lies before the start: the start is outside, say so rather than "backwards".
        if matches!(wanted.end_bound(), Bound::Unbounded) || matches!(wanted.start_bound(), Bound::Unbounded) {
            check_inside(axis, start.min(end)..start.max(end), range)?;
        }
        return Err(Error::not_a_range(
            "range",
            (0.0, 0.0),
            format!("{axis} {start}..{end} runs backwards: a range is start..end"),
        ));
    }
    check_inside(axis, start..end, range)?;
    Ok(start..end)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn r(x: Range<u32>, y: Range<u32>) -> Region {
        Region::new(x, y).unwrap()
    }

    #[test]
    fn the_ways_to_make_one_agree() {
        let wanted = r(2..6, 3..8);
        assert_eq!(Region::at(2, 3, Size::new(4, 5)).unwrap(), wanted);
        assert_eq!(Region::from_corners((5, 7), (2, 3)).unwrap(), wanted);
        assert_eq!(Region::around(4, 5, Size::new(4, 5)).unwrap(), wanted);
        assert_eq!(Region::from_fractions(Size::new(8, 10), 0.25..0.75, 0.3..0.8).unwrap(), wanted);
        assert_eq!(Size::new(9, 9).region().rows(3..8).unwrap().cols(2..=5).unwrap(), wanted);
    }

    #[test]
    #[allow(clippy::reversed_empty_ranges)] // just that is tested
    fn what_cannot_be_is_an_error_with_the_figures() {
        assert_eq!(Region::new(7..3, 0..1).unwrap_err().to_string(), "x 7..3 runs backwards: a range is start..end");
        assert!(Region::at(u32::MAX, 0, Size::new(1, 1)).is_err());
        assert!(Region::from_corners((0, 0), (0, u32::MAX)).is_err());
        assert!(Region::around(1, 9, Size::new(4, 1)).is_err());
        assert!(Region::from_fractions(Size::new(4, 4), 0.0..f64::NAN, 0.0..1.0).is_err());
        let narrow = Size::new(9, 23).region().rows(20..24).unwrap_err();
        assert_eq!(narrow.to_string(), "y 20..24 is outside 0..23");
        assert!(Size::new(9, 9).region().rows(..=u32::MAX).is_err());
        assert_eq!(Size::new(9, 9).region().rows(12..).unwrap_err().to_string(), "y 9..12 is outside 0..9");
    }

    #[test]
    fn set_operations_follow_the_ranges() {
        let (a, b) = (r(0..5, 0..5), r(3..9, 4..6));
        assert_eq!(a.intersect(b), r(3..5, 4..5));
        assert_eq!(a.union(b), r(0..9, 0..6));
        assert!(a.intersect(r(7..9, 0..1)).is_empty());
        assert_eq!(a.union(r(7..7, 2..3)), a);
        assert!(a.contains(4, 0) && !a.contains(5, 0));
        assert!(a.contains_region(r(1..5, 2..3)) && !a.contains_region(b));
        assert_eq!(b.clip_to(Size::new(4, 5)), r(3..4, 4..5));
    }
}
