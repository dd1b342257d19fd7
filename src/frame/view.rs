//! A borrowed, read-only window onto pixels.

use super::gate::Extent;
use super::split::Window;
use super::{Frame, Region, Size, ViewMut};
use crate::error::{Error, ErrorKind, Result};
use crate::memory::{Account, Charge};
use crate::pixel::{Gray, Pixel, pixels_of};

/// A borrowed window onto pixels of type `P`: `Copy`, as cheap as two references.
///
/// The rows may lie further apart than they are long (a region of a larger picture, padded foreign memory), so a view
/// lends rows, not one slice of everything.
pub struct View<'a, P: Pixel> {
    pub(super) window: Window<'a, P::Number>,
    size: Size,
}

impl<P: Pixel> Clone for View<'_, P> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<P: Pixel> Copy for View<'_, P> {}

impl<P: Pixel> std::fmt::Debug for View<'_, P> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "View({} {})", self.size, P::describe())
    }
}

impl<'a, P: Pixel> View<'a, P> {
    /// Wraps samples in memory without a copy: rows of `width * CHANNELS` samples, each starting
    /// `stride` **numbers** behind the one before. `(height - 1) * stride + width * CHANNELS` numbers are needed, none
    /// for an empty size; a longer slice is accepted.
    ///
    /// # Errors
    /// A stride shorter than a row, a slice too short, or a size beyond the address space.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Rgb, Size, View};
    /// // Two rows of one pixel, each padded to four bytes.
    /// let memory = [1u8, 2, 3, 0, 4, 5, 6, 0];
    /// let view = View::<Rgb<u8>>::wrap(&memory, Size::new(1, 2), 4)?;
    /// assert_eq!(view.at(0, 1)?, Rgb::new(4, 5, 6));
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn wrap(numbers: &'a [P::Number], size: Size, stride: usize) -> Result<Self> {
        let shape = Extent::strided(size, P::CHANNELS, size_of::<P::Number>(), stride)?;
        shape.holds(numbers.len())?;
        Ok(View { window: Window::over(numbers, &shape, size.height), size })
    }

    /// Wraps samples whose rows follow each other without a gap.
    ///
    /// # Errors
    /// As [`wrap`](View::wrap).
    pub fn packed(numbers: &'a [P::Number], size: Size) -> Result<Self> {
        let shape = Extent::packed(size, P::CHANNELS, size_of::<P::Number>())?;
        shape.holds(numbers.len())?;
        Ok(View { window: Window::over(numbers, &shape, size.height), size })
    }

    /// All of a frame: numbers that are known to be as many as the size needs.
    #[inline]
    pub(super) fn of_whole(numbers: &'a [P::Number], size: Size, account: Account<'a>) -> Self {
        let window = Window::over(numbers, &Extent::known(size, P::CHANNELS), size.height);
        View { window: window.charged(account), size }
    }

    /// The budget that what is made of the pixels is charged to.
    #[inline]
    pub(crate) fn account(&self) -> Account<'a> {
        self.window.account()
    }

    pub(super) fn from_window(window: Window<'a, P::Number>, size: Size) -> Self {
        View { window, size }
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

    /// The pixel at (x, y), or `None` outside.
    #[inline]
    pub fn get(&self, x: u32, y: u32) -> Option<P> {
        if self.size.contains(x, y) { Some(self.row(y)[x as usize]) } else { None }
    }

    /// The pixel at (x, y).
    ///
    /// # Errors
    /// Outside: the error names axis, value and range, and says when the swapped pair would be inside.
    #[inline]
    pub fn at(&self, x: u32, y: u32) -> Result<P> {
        self.get(x, y).ok_or_else(|| outside(self.size, x, y))
    }

    /// One row of pixels.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[inline]
    #[track_caller]
    pub fn row(&self, y: u32) -> &'a [P] {
        pixels_of(self.window.row(y as usize))
    }

    /// One row as plain samples, `CHANNELS` a pixel.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[inline]
    #[track_caller]
    pub fn row_samples(&self, y: u32) -> &'a [P::Number] {
        self.window.row(y as usize)
    }

    /// The rows from the top.
    pub fn rows(&self) -> Rows<'a, P> {
        Rows { view: *self, next: 0, end: self.size.height }
    }

    /// The rows from the top, each with its y.
    pub fn rows_with_y(&self) -> impl ExactSizeIterator<Item = (u32, &'a [P])> + DoubleEndedIterator + use<'a, P> {
        let rows = self.rows();
        PlacedRows(rows)
    }

    /// The samples as a plane: a view of gray pixels, `CHANNELS` times as wide. No copy. What works on pixels
    /// then works on numbers, alpha included.
    ///
    /// # Errors
    /// A row of more than `u32::MAX` numbers.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Rgb, Size};
    /// let frame = Frame::filled(Size::new(2, 1), Rgb::new(1u8, 2, 3))?;
    /// let doubled = frame.view().as_plane()?.map(|v| Gray::new(v.value * 2))?;
    /// assert_eq!(doubled.samples(), [2, 4, 6, 2, 4, 6]);
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn as_plane(&self) -> Result<View<'a, Gray<P::Number>>> {
        Ok(View { window: self.window, size: in_numbers(self.size, P::CHANNELS)? })
    }

    /// All pixels, row by row from the top left.
    pub fn pixels(&self) -> impl Iterator<Item = P> + use<'a, P> {
        self.rows().flatten().copied()
    }

    /// All pixels with their coordinates, row by row: `(x, y, pixel)`.
    pub fn pixels_with_xy(&self) -> impl Iterator<Item = (u32, u32, P)> + use<'a, P> {
        self.rows_with_y().flat_map(|(y, row)| (0u32..).zip(row).map(move |(x, &p)| (x, y, p)))
    }

    /// A view of a region, without a copy. An empty region is allowed.
    ///
    /// # Errors
    /// A region that reaches outside this view.
    pub fn region(&self, region: Region) -> Result<View<'a, P>> {
        let region = region.inside(self.size)?;
        Ok(self.part(region))
    }

    /// A region that is known to be inside.
    pub(crate) fn part(&self, region: Region) -> View<'a, P> {
        let c = P::CHANNELS;
        let (x, y, w, h) = (region.x as usize, region.y as usize, region.width as usize, region.height as usize);
        View { window: self.window.part(x * c, y, w * c, h), size: region.size() }
    }

    /// All samples as one slice, where the rows have no gaps between them.
    pub fn as_packed(&self) -> Option<&'a [P::Number]> {
        self.window.packed()
    }

    /// A packed copy. One pass; panics only where the system has no memory at all.
    pub fn to_frame(&self) -> Frame<P> {
        let mut numbers = Vec::with_capacity(self.size.width as usize * self.size.height as usize * P::CHANNELS);
        match self.as_packed() {
            Some(all) => numbers.extend_from_slice(all),
            None => (0..self.size.height).for_each(|y| numbers.extend_from_slice(self.row_samples(y))),
        }
        let charge = Charge::of_held(self.account(), numbers.len().saturating_mul(size_of::<P::Number>()) as u64);
        Frame::from_whole(self.size, (numbers, charge))
    }

    /// [`to_frame`](View::to_frame), or an error where there is no memory.
    pub(crate) fn try_to_frame(&self) -> Result<Frame<P>> {
        Ok(Frame::from_whole(self.size, self.samples().copied()?))
    }

    /// Copies the pixels into a view of the same size. One pass.
    ///
    /// # Errors
    /// Sizes that differ.
    pub fn copy_into(&self, mut target: ViewMut<'_, P>) -> Result<()> {
        if target.size() != self.size {
            return Err(Error::sizes("the target", self.size, target.size()));
        }
        if let (Some(from), Some(to)) = (self.as_packed(), target.as_packed_mut()) {
            to.copy_from_slice(from);
            return Ok(());
        }
        for y in 0..self.size.height {
            target.row_samples_mut(y).copy_from_slice(self.row_samples(y));
        }
        Ok(())
    }
}

impl<P: Pixel> std::ops::Index<(u32, u32)> for View<'_, P> {
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

/// Two views are equal if their sizes and all pixels are.
impl<P: Pixel> PartialEq for View<'_, P> {
    fn eq(&self, other: &Self) -> bool {
        self.size == other.size && self.rows().eq(other.rows())
    }
}

#[cold]
pub(super) fn outside(size: Size, x: u32, y: u32) -> Error {
    let (axis, value, side) = if x >= size.width { ("x", x, size.width) } else { ("y", y, size.height) };
    let swap = size.contains(y, x).then_some((y, x));
    ErrorKind::Outside { axis, value: i64::from(value), range: 0..i64::from(side), swap }.into()
}

#[cold]
#[track_caller]
pub(super) fn panic_outside(size: Size, x: u32, y: u32) -> ! {
    panic!("{}", outside(size, x, y))
}

/// A size in numbers instead of pixels.
pub(super) fn in_numbers(size: Size, channels: usize) -> Result<Size> {
    let width = u64::from(size.width) * channels as u64;
    let width = u32::try_from(width).map_err(|_| ErrorKind::TooLarge { what: format!("a row of {width} numbers") })?;
    Ok(Size::new(width, size.height))
}

/// The rows of a view, from the top; from both ends.
#[derive(Debug, Clone)]
pub struct Rows<'a, P: Pixel> {
    view: View<'a, P>,
    next: u32,
    end: u32,
}

impl<'a, P: Pixel> Iterator for Rows<'a, P> {
    type Item = &'a [P];

    #[inline]
    fn next(&mut self) -> Option<&'a [P]> {
        (self.next < self.end).then(|| {
            self.next += 1;
            self.view.row(self.next - 1)
        })
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        let left = (self.end - self.next) as usize;
        (left, Some(left))
    }
}

impl<P: Pixel> DoubleEndedIterator for Rows<'_, P> {
    fn next_back(&mut self) -> Option<Self::Item> {
        (self.next < self.end).then(|| {
            self.end -= 1;
            self.view.row(self.end)
        })
    }
}

impl<P: Pixel> ExactSizeIterator for Rows<'_, P> {}

struct PlacedRows<'a, P: Pixel>(Rows<'a, P>);

impl<'a, P: Pixel> Iterator for PlacedRows<'a, P> {
    type Item = (u32, &'a [P]);

    #[inline]
    fn next(&mut self) -> Option<Self::Item> {
        let y = self.0.next;
        self.0.next().map(|row| (y, row))
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        self.0.size_hint()
    }
}

impl<P: Pixel> DoubleEndedIterator for PlacedRows<'_, P> {
    fn next_back(&mut self) -> Option<Self::Item> {
        self.0.next_back().map(|row| (self.0.end, row))
    }
}

impl<P: Pixel> ExactSizeIterator for PlacedRows<'_, P> {}
