//! Copying a picture, or a part of one, to a place in the same or another picture.

use super::pad::visible;
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{Region, Size, View, ViewMut};
use crate::pixel::Pixel;

impl<P: Pixel> ViewMut<'_, P> {
    /// Copies a picture here with its top left corner at (x, y); all of it must fit. One pass over what is copied.
    ///
    /// # Errors
    /// A picture that would reach outside: the error names the axis. [`paste_clipped`](ViewMut::paste_clipped) takes
    /// what fits.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Size};
    /// let mut sea = Frame::filled(Size::new(6, 4), Gray::new(10u8))?;
    /// let boat = Frame::filled(Size::new(2, 1), Gray::new(200u8))?;
    /// sea.view_mut().paste(&boat.view(), 3, 2)?;
    /// assert_eq!(sea[(4, 2)].v, 200);
    /// assert!(sea.view_mut().paste(&boat.view(), 5, 2).is_err());
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn paste(&mut self, source: &View<'_, P>, x: i64, y: i64) -> Result<()> {
        fits(x, y, source.size(), self.size())?;
        self.paste_clipped(source, x, y);
        Ok(())
    }

    /// Copies as much of a picture here as lies inside with its top left corner at (x, y), and says which region that
    /// was: an empty one where nothing is inside. One pass over what is copied.
    pub fn paste_clipped(&mut self, source: &View<'_, P>, x: i64, y: i64) -> Region {
        let Some((to, from)) = visible(x, y, source.size(), self.size()) else {
            return Region::default();
        };
        // Both regions come from `visible`, so they lie inside and agree in size.
        let (rows, cols) = (to.rows_range(), to.x() as usize..to.cols_range().end as usize);
        let first = from.x() as usize;
        for (y, from_y) in rows.zip(from.rows_range()) {
            let row = &source.row(from_y)[first..][..cols.len()];
            self.row_mut(y)[cols.clone()].copy_from_slice(row);
        }
        to
    }

    /// Copies a region of this picture to another place in it, where its top left corner comes to (x, y); the two may
    /// overlap, and all of it must fit. One pass over what is copied, no memory.
    ///
    /// # Errors
    /// A region that reaches outside before or after.
    pub fn copy_within(&mut self, region: Region, x: i64, y: i64) -> Result<()> {
        region.inside(self.size())?;
        fits(x, y, region.size(), self.size())?;
        self.copy_within_clipped(region, x, y)?;
        Ok(())
    }

    /// [`copy_within`](ViewMut::copy_within) of as much as lies inside at the new place; says which region that was.
    ///
    /// # Errors
    /// A region that reaches outside before.
    pub fn copy_within_clipped(&mut self, region: Region, x: i64, y: i64) -> Result<Region> {
        region.inside(self.size())?;
        let Some((to, part)) = visible(x, y, region.size(), self.size()) else {
            return Ok(Region::default());
        };
        let (from_x, from_y) = ((region.x() + part.x()) as usize, region.y() + part.y());
        let (to_x, width) = (to.x() as usize, to.width() as usize);
        // The order in which no row is overwritten before it has been copied.
        let down = to.y() <= from_y;
        for i in 0..to.height() {
            let i = if down { i } else { to.height() - 1 - i };
            let (from, to) = (from_y + i, to.y() + i);
            if from == to {
                self.row_mut(to).copy_within(from_x..from_x + width, to_x);
                continue;
            }
            let (mut above, mut below) = self.reborrow().cut_rows(from.max(to));
            let (upper, lower) = (above.row_mut(from.min(to)), below.row_mut(0));
            let (source, target) = if from < to { (upper, lower) } else { (lower, upper) };
            target[to_x..to_x + width].copy_from_slice(&source[from_x..from_x + width]);
        }
        Ok(to)
    }
}

/// Whether a picture of size `part` at (x, y) lies within `size`.
fn fits(x: i64, y: i64, part: Size, size: Size) -> Result<()> {
    let check = |axis, at: i64, part: u32, side: u32| {
        let end = at.saturating_add(i64::from(part));
        if at >= 0 && end <= i64::from(side) {
            return Ok(());
        }
        Err(Error::from(ErrorKind::RegionOutside { axis, wanted: at..end, range: 0..i64::from(side) }))
    };
    check("x", x, part.width, size.width)?;
    check("y", y, part.height, size.height)
}

#[cfg(test)]
mod tests {
    use crate::frame::{Frame, Region, Size};
    use crate::pixel::Gray;

    #[test]
    fn what_does_not_fit_is_an_error_that_names_the_axis_or_is_clipped_by_name() {
        let mut sea = Frame::<Gray<u8>>::new(Size::new(6, 4)).unwrap();
        let boat = Frame::filled(Size::new(3, 2), Gray::new(9u8)).unwrap();
        let error = sea.view_mut().paste(&boat.view(), 1, 3).unwrap_err();
        assert_eq!(error.to_string(), "y 3..5 is outside 0..4");
        assert!(sea.view_mut().paste(&boat.view(), -1, 0).is_err());
        assert!(sea.numbers().iter().all(|&v| v == 0));
        assert_eq!(sea.view_mut().paste_clipped(&boat.view(), -2, 3), Region::new(0..1, 3..4).unwrap());
        assert_eq!(sea.numbers().iter().filter(|&&v| v == 9).count(), 1);
        for (x, y) in [(6, 0), (0, -2), (i64::MAX, 0), (0, i64::MIN)] {
            assert!(sea.view_mut().paste_clipped(&boat.view(), x, y).is_empty());
        }
    }
}
