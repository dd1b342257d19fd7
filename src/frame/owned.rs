//! An owned picture of one pixel type.

use super::gate::{Extent, reserve, zeroed};
use super::view::panic_outside;
use super::{Region, Size, View, ViewMut};
use crate::error::{ErrorKind, Result};
use crate::memory::{Account, Charge, MemoryBudget};
use crate::pixel::{Pixel, cast, pixels_of, pixels_of_mut};

/// An owned picture of one pixel type: rows from the top, packed, in a `Vec` of samples. Bare: no metadata.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Rgb, Size};
/// let ramp = Frame::from_fn(Size::new(256, 2), |x, y| Rgb::new(x as u8, 0, 255 * y as u8))?;
/// assert_eq!(ramp[(7, 1)], Rgb::new(7, 0, 255));
/// assert_eq!(ramp.at(1, 7).unwrap_err().to_string(),
///     "y 7 is outside 0..2; the swapped pair (7, 1) is inside: x comes first");
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Clone, PartialEq)]
pub struct Frame<P: Pixel> {
    numbers: Vec<P::Number>,
    size: Size,
    charge: Charge,
}

impl<P: Pixel> std::fmt::Debug for Frame<P> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Frame({} {})", self.size, P::describe())
    }
}

impl<P: Pixel> Frame<P> {
    /// A frame of zeros. A size without pixels is allowed.
    ///
    /// # Errors
    /// A size beyond the address space or the system's memory.
    pub fn new(size: Size) -> Result<Frame<P>> {
        Frame::zeros(size, None)
    }

    /// A frame of zeros, charged to a budget.
    pub(crate) fn zeros(size: Size, account: Account<'_>) -> Result<Frame<P>> {
        let shape = Extent::packed(size, P::CHANNELS, size_of::<P::Number>())?;
        let (numbers, charge) = zeroed(shape.needed, account)?;
        Ok(Frame { numbers, size, charge })
    }

    /// The frame, charged to a budget from now on, as all that is made of it is: in place of the one that it was charged to. No cost.
    ///
    /// # Errors
    /// More than the budget has left.
    pub fn charged_to(mut self, budget: &MemoryBudget) -> Result<Frame<P>> {
        self.charge_to(budget)?;
        Ok(self)
    }

    pub(super) fn charge_to(&mut self, budget: &MemoryBudget) -> Result<()> {
        let bytes = self.numbers.len().saturating_mul(size_of::<P::Number>()) as u64;
        self.charge.moved_to(budget, bytes)
    }

    /// The budget that the frame is charged to, and that what is made of it is.
    pub(crate) fn account(&self) -> Account<'_> {
        self.charge.account()
    }

    /// A frame filled with one pixel.
    ///
    /// # Errors
    /// As [`new`](Frame::new).
    pub fn filled(size: Size, pixel: P) -> Result<Frame<P>> {
        let (mut pixels, charge) = Frame::with_room(size)?;
        pixels.resize((size.pixels()) as usize, pixel);
        Ok(Frame { numbers: cast::into_samples(pixels), size, charge })
    }

    /// A frame filled by a function of the place, called row by row from the top left.
    ///
    /// # Errors
    /// As [`new`](Frame::new).
    pub fn from_fn(size: Size, mut pixel: impl FnMut(u32, u32) -> P) -> Result<Frame<P>> {
        let (mut pixels, charge) = Frame::with_room(size)?;
        for y in 0..size.height {
            pixels.extend((0..size.width).map(|x| pixel(x, y)));
        }
        Ok(Frame { numbers: cast::into_samples(pixels), size, charge })
    }

    fn with_room(size: Size) -> Result<(Vec<P>, Charge)> {
        Extent::packed(size, P::CHANNELS, size_of::<P::Number>())?;
        reserve(size.pixels() as usize, None)
    }

    /// A frame from a vector of pixels, row by row from the top left. No copy.
    ///
    /// # Errors
    /// A vector whose length is not width x height.
    pub fn from_pixels(size: Size, pixels: Vec<P>) -> Result<Frame<P>> {
        Frame::from_samples(size, cast::into_samples(pixels))
    }

    /// A frame from a vector of samples, `CHANNELS` a pixel. No copy.
    ///
    /// # Errors
    /// A vector whose length is not width x height x `CHANNELS`.
    pub fn from_samples(size: Size, numbers: Vec<P::Number>) -> Result<Frame<P>> {
        let shape = Extent::packed(size, P::CHANNELS, size_of::<P::Number>())?;
        if numbers.len() != shape.needed {
            let detail = format!(" ({size} {}); a frame takes exactly as many", P::describe());
            return Err(
                ErrorKind::WrongLength { unit: "samples", needed: shape.needed, found: numbers.len(), detail }.into()
            );
        }
        Ok(Frame { numbers, size, charge: Charge::NONE })
    }

    /// A frame of numbers that are known to be as many as the size needs, and charged already.
    pub(crate) fn from_whole(size: Size, (numbers, charge): (Vec<P::Number>, Charge)) -> Frame<P> {
        debug_assert_eq!(numbers.len(), size.pixels() as usize * P::CHANNELS);
        Frame { numbers, size, charge }
    }

    /// The numbers and what was charged for them.
    pub(crate) fn into_charged(self) -> (Vec<P::Number>, Charge) {
        (self.numbers, self.charge)
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

    /// A view of the whole frame.
    #[inline]
    pub fn view(&self) -> View<'_, P> {
        View::of_whole(&self.numbers, self.size, self.account())
    }

    /// A mutable view of the whole frame.
    #[inline]
    pub fn view_mut(&mut self) -> ViewMut<'_, P> {
        ViewMut::of_whole(&mut self.numbers, self.size)
    }

    /// A view of a region, without a copy.
    ///
    /// # Errors
    /// A region that reaches outside.
    pub fn region(&self, region: Region) -> Result<View<'_, P>> {
        self.view().region(region)
    }

    /// A region as a frame of its own. One copy.
    ///
    /// # Errors
    /// A region that reaches outside, or no memory.
    pub fn crop(&self, region: Region) -> Result<Frame<P>> {
        self.region(region)?.try_to_frame()
    }

    /// A mutable view of a region.
    ///
    /// # Errors
    /// A region that reaches outside.
    pub fn region_mut(&mut self, region: Region) -> Result<ViewMut<'_, P>> {
        self.view_mut().region(region)
    }

    /// The pixel at (x, y), or `None` outside.
    #[inline]
    pub fn get(&self, x: u32, y: u32) -> Option<P> {
        if self.size.contains(x, y) { Some(self.row(y)[x as usize]) } else { None }
    }

    /// The pixel at (x, y).
    ///
    /// # Errors
    /// As [`View::at`].
    #[inline]
    pub fn at(&self, x: u32, y: u32) -> Result<P> {
        self.view().at(x, y)
    }

    /// Sets the pixel at (x, y).
    ///
    /// # Errors
    /// As [`View::at`].
    #[inline]
    pub fn set(&mut self, x: u32, y: u32, pixel: P) -> Result<()> {
        self.view_mut().set(x, y, pixel)
    }

    /// All pixels, row by row from the top left.
    pub fn pixels(&self) -> &[P] {
        pixels_of(&self.numbers)
    }

    /// All pixels, mutable.
    pub fn pixels_mut(&mut self) -> &mut [P] {
        pixels_of_mut(&mut self.numbers)
    }

    /// All samples, `CHANNELS` a pixel.
    pub fn samples(&self) -> &[P::Number] {
        &self.numbers
    }

    /// All numbers, mutable.
    pub fn samples_mut(&mut self) -> &mut [P::Number] {
        &mut self.numbers
    }

    /// The samples as a vector. No copy.
    pub fn into_samples(self) -> Vec<P::Number> {
        self.numbers
    }

    /// One row of pixels.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[inline]
    #[track_caller]
    pub fn row(&self, y: u32) -> &[P] {
        assert!(y < self.size.height, "row {y} is outside 0..{}", self.size.height);
        let width = self.size.width as usize;
        &self.pixels()[y as usize * width..][..width]
    }

    /// One row of pixels, mutable.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[inline]
    #[track_caller]
    pub fn row_mut(&mut self, y: u32) -> &mut [P] {
        assert!(y < self.size.height, "row {y} is outside 0..{}", self.size.height);
        let width = self.size.width as usize;
        &mut self.pixels_mut()[y as usize * width..][..width]
    }

    /// The rows from the top.
    pub fn rows(&self) -> super::Rows<'_, P> {
        self.view().rows()
    }
}

impl<P: Pixel> std::ops::Index<(u32, u32)> for Frame<P> {
    type Output = P;

    /// # Panics
    /// Outside the frame, with the same message as [`View::at`].
    #[inline]
    #[track_caller]
    fn index(&self, (x, y): (u32, u32)) -> &P {
        if !self.size.contains(x, y) {
            panic_outside(self.size, x, y);
        }
        &self.row(y)[x as usize]
    }
}

impl<P: Pixel> std::ops::IndexMut<(u32, u32)> for Frame<P> {
    /// # Panics
    /// Outside the frame, with the same message as [`View::at`].
    #[inline]
    #[track_caller]
    fn index_mut(&mut self, (x, y): (u32, u32)) -> &mut P {
        if !self.size.contains(x, y) {
            panic_outside(self.size, x, y);
        }
        &mut self.row_mut(y)[x as usize]
    }
}

impl<P: Pixel> From<View<'_, P>> for Frame<P> {
    fn from(view: View<'_, P>) -> Frame<P> {
        view.to_frame()
    }
}
