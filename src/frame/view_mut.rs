//! A borrowed, exclusive window onto pixels.

use super::gate::Extent;
use super::split::WindowMut;
use super::view::{outside, panic_outside};
use super::{Region, Size, View};
use crate::error::{Error, ErrorKind, Result};
use crate::pixel::{Gray, Pixel, pixels_of_mut};

/// A borrowed, exclusive window onto pixels of type `P`. Halves, strips and tiles of it can be written side by side,
/// on several threads, without unsafe code.
///
/// One view after the other writes the same pixels, and a part is read before the whole is written:
/// ```
/// use rahmen::{Frame, Gray, Region, Size};
/// let mut frame = Frame::<Gray<u8>>::new(Size::new(4, 4))?;
/// let mut a = frame.view_mut();
/// a.set(0, 0, Gray::new(1));
/// let mut b = frame.view_mut();
/// b.set(0, 0, Gray::new(2));
/// let part = frame.region(Region::new(0..2, 0..2)?)?;
/// println!("{:?}", part.at(0, 0));
/// frame.view_mut().fill(Gray::new(1));
/// # Ok::<(), rahmen::Error>(())
/// ```
///
/// The same lines in another order do not build: two mutable views of the same pixels that live at once,
/// ```compile_fail,E0499
/// use rahmen::{Frame, Gray, Region, Size};
/// let mut frame = Frame::<Gray<u8>>::new(Size::new(4, 4))?;
/// let mut a = frame.view_mut();
/// let mut b = frame.view_mut();
/// a.set(0, 0, Gray::new(1));
/// b.set(0, 0, Gray::new(2));
/// # Ok::<(), rahmen::Error>(())
/// ```
/// a part that is still in use while the whole is written,
/// ```compile_fail,E0502
/// use rahmen::{Frame, Gray, Region, Size};
/// let mut frame = Frame::<Gray<u8>>::new(Size::new(4, 4))?;
/// let part = frame.region(Region::new(0..2, 0..2)?)?;
/// frame.view_mut().fill(Gray::new(1));
/// println!("{:?}", part.at(0, 0));
/// # Ok::<(), rahmen::Error>(())
/// ```
/// and a view that outlives its frame:
/// ```compile_fail,E0716
/// use rahmen::{Frame, Gray, Size};
/// let view = Frame::<Gray<u8>>::new(Size::new(4, 4))?.view();
/// println!("{:?}", view.at(0, 0));
/// # Ok::<(), rahmen::Error>(())
/// ```
pub struct ViewMut<'a, P: Pixel> {
    window: WindowMut<'a, P::Number>,
    size: Size,
}

impl<P: Pixel> std::fmt::Debug for ViewMut<'_, P> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "ViewMut({} {})", self.size, P::describe())
    }
}

impl<'a, P: Pixel> ViewMut<'a, P> {
    /// Wraps samples in memory, as [`View::wrap`] does.
    ///
    /// # Errors
    /// A stride shorter than a row, a slice too short, or a size beyond the address space.
    pub fn wrap(numbers: &'a mut [P::Number], size: Size, stride: usize) -> Result<Self> {
        let shape = Extent::strided(size, P::CHANNELS, size_of::<P::Number>(), stride)?;
        shape.holds(numbers.len())?;
        Ok(ViewMut { window: WindowMut::over(numbers, &shape, size.height), size })
    }

    /// Wraps samples whose rows follow each other without a gap.
    ///
    /// # Errors
    /// As [`wrap`](ViewMut::wrap).
    pub fn packed(numbers: &'a mut [P::Number], size: Size) -> Result<Self> {
        let shape = Extent::packed(size, P::CHANNELS, size_of::<P::Number>())?;
        shape.holds(numbers.len())?;
        Ok(ViewMut { window: WindowMut::over(numbers, &shape, size.height), size })
    }

    /// All of a frame: numbers that are known to be as many as the size needs.
    #[inline]
    pub(super) fn of_whole(numbers: &'a mut [P::Number], size: Size) -> Self {
        ViewMut { window: WindowMut::over(numbers, &Extent::known(size, P::CHANNELS), size.height), size }
    }

    pub(super) fn from_window(window: WindowMut<'a, P::Number>, size: Size) -> Self {
        ViewMut { window, size }
    }

    #[inline]
    pub(super) fn into_window(self) -> WindowMut<'a, P::Number> {
        self.window
    }

    /// Width and height.
    pub fn size(&self) -> Size {
        self.size
    }

    /// Width in pixels.
    pub fn width(&self) -> u32 {
        self.size.width
    }

    /// Height in pixels.
    pub fn height(&self) -> u32 {
        self.size.height
    }

    /// Row stride: samples from the start of one row to the start of the next.
    pub fn stride(&self) -> usize {
        self.window.stride()
    }

    /// The same pixels, read-only, while this one is borrowed.
    #[inline]
    pub fn as_view(&self) -> View<'_, P> {
        View::from_window(self.window.as_read(), self.size)
    }

    /// The same view for a shorter time: pass it on and have it back.
    #[inline]
    pub fn reborrow(&mut self) -> ViewMut<'_, P> {
        ViewMut { window: self.window.reborrow(), size: self.size }
    }

    /// The pixel at (x, y), or `None` outside.
    #[inline]
    pub fn get(&self, x: u32, y: u32) -> Option<P> {
        self.as_view().get(x, y)
    }

    /// The pixel at (x, y).
    ///
    /// # Errors
    /// As [`View::at`].
    #[inline]
    pub fn at(&self, x: u32, y: u32) -> Result<P> {
        self.as_view().at(x, y)
    }

    /// Sets the pixel at (x, y).
    ///
    /// # Errors
    /// As [`View::at`].
    #[inline]
    pub fn set(&mut self, x: u32, y: u32, pixel: P) -> Result<()> {
        if !self.size.contains(x, y) {
            return Err(outside(self.size, x, y));
        }
        self.row_mut(y)[x as usize] = pixel;
        Ok(())
    }

    /// One row of pixels.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[inline]
    #[track_caller]
    pub fn row(&self, y: u32) -> &[P] {
        self.as_view().row(y)
    }

    /// One row of pixels, mutable.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[inline]
    #[track_caller]
    pub fn row_mut(&mut self, y: u32) -> &mut [P] {
        pixels_of_mut(self.window.row(y as usize))
    }

    /// One row as plain samples, mutable.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[inline]
    #[track_caller]
    pub fn row_samples_mut(&mut self, y: u32) -> &mut [P::Number] {
        self.window.row(y as usize)
    }

    /// The rows from the top, mutable; all of them may be held at once.
    pub fn rows_mut(&mut self) -> RowsMut<'_, P> {
        self.reborrow().into_rows()
    }

    /// The rows from the top, for as long as the pixels are borrowed.
    pub fn into_rows(self) -> RowsMut<'a, P> {
        RowsMut { window: self.window }
    }

    /// The samples as a mutable plane: see [`View::as_plane`].
    ///
    /// # Errors
    /// A row of more than `u32::MAX` numbers.
    pub fn into_plane(self) -> Result<ViewMut<'a, Gray<P::Number>>> {
        let size = super::view::in_numbers(self.size, P::CHANNELS)?;
        Ok(ViewMut { window: self.window, size })
    }

    /// All samples as one slice, where the rows have no gaps between them.
    pub fn as_packed_mut(&mut self) -> Option<&mut [P::Number]> {
        self.window.packed()
    }

    /// A region as a view of its own, without a copy; the rest is out of reach until this one is given back, so borrow
    /// with [`reborrow`](ViewMut::reborrow) first to keep it. An empty region is allowed.
    ///
    /// # Errors
    /// A region that reaches outside this view.
    pub fn region(self, region: Region) -> Result<ViewMut<'a, P>> {
        let region = region.inside(self.size)?;
        let c = P::CHANNELS;
        let (x, y, w, h) = (region.x as usize, region.y as usize, region.width as usize, region.height as usize);
        Ok(ViewMut { window: self.window.part(x * c, y, w * c, h), size: region.size() })
    }

    /// Splits the view into the rows above `y` and the rest. `y` may be 0 or the height.
    ///
    /// # Errors
    /// `y` behind the height.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Size};
    /// let mut frame = Frame::<Gray<u8>>::new(Size::new(3, 4))?;
    /// let (mut sky, mut water) = frame.view_mut().split_at_row(1)?;
    /// sky.fill(Gray::new(200));
    /// water.fill(Gray::new(40));
    /// assert_eq!((frame[(0, 0)].value, frame[(2, 3)].value), (200, 40));
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn split_at_row(self, y: u32) -> Result<(ViewMut<'a, P>, ViewMut<'a, P>)> {
        let Size { width, height } = self.size;
        if y > height {
            return Err(split_outside("y", y, height));
        }
        let (top, bottom) = self.window.split_at_row(y as usize);
        let half = |window, height| ViewMut { window, size: Size::new(width, height) };
        Ok((half(top, y), half(bottom, height - y)))
    }

    /// Splits the view into the columns left of `x` and the rest. `x` may be 0 or the width.
    ///
    /// # Errors
    /// `x` behind the width.
    pub fn split_at_col(self, x: u32) -> Result<(ViewMut<'a, P>, ViewMut<'a, P>)> {
        let Size { width, height } = self.size;
        if x > width {
            return Err(split_outside("x", x, width));
        }
        let (left, right) = self.window.split_at_col(x as usize * P::CHANNELS);
        let half = |window, width| ViewMut { window, size: Size::new(width, height) };
        Ok((half(left, x), half(right, width - x)))
    }

    /// Strips of `rows_each` rows from the top, the last one perhaps lower; all may be written at once. None where
    /// there is no row; one strip of all rows for `rows_each` 0 would never end, so 0 counts as 1.
    pub fn strips(self, rows_each: u32) -> impl Iterator<Item = ViewMut<'a, P>> + use<'a, P> {
        let mut rest = Some(self);
        std::iter::from_fn(move || {
            let all = rest.take().filter(|v| v.height() > 0)?;
            let (strip, below) = all.cut_rows(rows_each.max(1));
            rest = Some(below);
            Some(strip)
        })
    }

    /// The first `rows` rows, or all there are, and the rest.
    pub(crate) fn cut_rows(self, rows: u32) -> (ViewMut<'a, P>, ViewMut<'a, P>) {
        let Size { width, height } = self.size;
        let y = rows.min(height);
        let (top, bottom) = self.window.split_at_row(y as usize);
        let half = |window, height| ViewMut { window, size: Size::new(width, height) };
        (half(top, y), half(bottom, height - y))
    }
}

#[cold]
fn split_outside(axis: &'static str, value: u32, side: u32) -> Error {
    ErrorKind::Outside { axis, value: i64::from(value), range: 0..i64::from(side) + 1, swap: None }.into()
}

impl<P: Pixel> std::ops::Index<(u32, u32)> for ViewMut<'_, P> {
    type Output = P;

    /// # Panics
    /// Outside the view, with the same message as [`View::at`].
    #[inline]
    #[track_caller]
    fn index(&self, (x, y): (u32, u32)) -> &P {
        if !self.size.contains(x, y) {
            panic_outside(self.size, x, y);
        }
        &self.row(y)[x as usize]
    }
}

impl<P: Pixel> std::ops::IndexMut<(u32, u32)> for ViewMut<'_, P> {
    /// # Panics
    /// Outside the view, with the same message as [`View::at`].
    #[inline]
    #[track_caller]
    fn index_mut(&mut self, (x, y): (u32, u32)) -> &mut P {
        if !self.size.contains(x, y) {
            panic_outside(self.size, x, y);
        }
        &mut self.row_mut(y)[x as usize]
    }
}

/// The rows of a mutable view, from the top; from both ends.
pub struct RowsMut<'a, P: Pixel> {
    window: WindowMut<'a, P::Number>,
}

impl<P: Pixel> std::fmt::Debug for RowsMut<'_, P> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "RowsMut({} left)", self.window.rows())
    }
}

impl<'a, P: Pixel> Iterator for RowsMut<'a, P> {
    type Item = &'a mut [P];

    #[inline]
    fn next(&mut self) -> Option<Self::Item> {
        self.window.pop_first().map(pixels_of_mut)
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        (self.window.rows(), Some(self.window.rows()))
    }
}

impl<P: Pixel> DoubleEndedIterator for RowsMut<'_, P> {
    fn next_back(&mut self) -> Option<Self::Item> {
        self.window.pop_last().map(pixels_of_mut)
    }
}

impl<P: Pixel> ExactSizeIterator for RowsMut<'_, P> {}
