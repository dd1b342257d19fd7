//! Copying a picture, or a part of one, to a place in the same or another picture.

use super::pad::visible;
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{Region, SampleView, SampleViewMut, Size, View, ViewMut, row_pairs};
use crate::pixel::Pixel;

impl<P: Pixel> ViewMut<'_, P> {
    /// Pastes a picture with its top left corner at (x, y); all of it must fit. One pass over what is copied.
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
    /// assert_eq!(sea[(4, 2)].value, 200);
    /// assert!(sea.view_mut().paste(&boat.view(), 5, 2).is_err());
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn paste(&mut self, source: &View<'_, P>, x: i64, y: i64) -> Result<()> {
        fits(x, y, source.size(), self.size())?;
        self.paste_clipped(source, x, y);
        Ok(())
    }

    /// Pastes the part of a picture that lies inside with its top left corner at (x, y), and gives the region that
    /// was: an empty one where nothing is inside. One pass over what is copied.
    pub fn paste_clipped(&mut self, source: &View<'_, P>, x: i64, y: i64) -> Region {
        paste_bytes(self.reborrow().into_bytes(), source.as_bytes(), x, y)
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
        let from = Region::at(region.x() + part.x(), region.y() + part.y(), to.size())?;
        copy_bytes_within(self.reborrow().into_bytes(), from, to);
        Ok(to)
    }
}

/// As much of a picture as lies inside at (x, y), and which region that is. Both have pixels of as many bytes.
pub(crate) fn paste_bytes(target: SampleViewMut<'_, u8>, source: SampleView<'_, u8>, x: i64, y: i64) -> Region {
    let Some((to, from)) = visible(x, y, source.size(), target.size()) else {
        return Region::default();
    };
    // Both regions come from `visible`, so they lie inside and agree in size.
    row_pairs(source.part(from), target.part(to), &mut |from, to| to.copy_from_slice(from));
    to
}

/// A region over another of its size, both inside.
fn copy_bytes_within(mut view: SampleViewMut<'_, u8>, from: Region, to: Region) {
    let bytes = view.channels().count;
    let (from_x, to_x) = (from.x() as usize * bytes, to.x() as usize * bytes);
    let width = to.width() as usize * bytes;
    // The order in which no row is overwritten before it has been copied.
    let down = to.y() <= from.y();
    for i in 0..to.height() {
        let i = if down { i } else { to.height() - 1 - i };
        let (from, to) = (from.y() + i, to.y() + i);
        if from == to {
            view.row_mut(to).copy_within(from_x..from_x + width, to_x);
            continue;
        }
        let (mut above, mut below) = view.reborrow().cut_rows(from.max(to));
        let (upper, lower) = (above.row_mut(from.min(to)), below.row_mut(0));
        let (source, target) = if from < to { (upper, lower) } else { (lower, upper) };
        target[to_x..to_x + width].copy_from_slice(&source[from_x..from_x + width]);
    }
}

/// Whether a picture of size `part` at (x, y) lies within `size`.
pub(crate) fn fits(x: i64, y: i64, part: Size, size: Size) -> Result<()> {
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
        assert!(sea.samples().iter().all(|&v| v == 0));
        assert_eq!(sea.view_mut().paste_clipped(&boat.view(), -2, 3), Region::new(0..1, 3..4).unwrap());
        assert_eq!(sea.samples().iter().filter(|&&v| v == 9).count(), 1);
        for (x, y) in [(6, 0), (0, -2), (i64::MAX, 0), (0, i64::MIN)] {
            assert!(sea.view_mut().paste_clipped(&boat.view(), x, y).is_empty());
        }
    }
}
