//! Views as plain numbers: the number type is a type, the channels are a value.
//!
//! What is the same for pixels of every layout is written over these, so that it is compiled once a number type (or once
//! for all) and not once a pixel type: see docs/build.md. [`View`] and [`ViewMut`] are the typed shells around them.
//!
//! Not here: the step from run-time types to these ([`visit`](super::visit)), and views whose number type is known at run
//! time only ([`any_view`](super::any_view)).

use super::split::{Window, WindowMut};
use super::view::in_numbers;
use super::{Region, Size, View, ViewMut};
use crate::error::Result;
use crate::memory::{Account, Charge};
use crate::pixel::{Channels, Gray, Number, Pixel};
use crate::threads::{self, Threads};

/// A borrowed window onto pixels seen as plain numbers of type `T`: rows of `width * channels` numbers. `Copy`.
pub struct SampleView<'a, T: Number> {
    window: Window<'a, T>,
    size: Size,
    channels: Channels,
}

/// A borrowed, exclusive window onto pixels seen as plain numbers of type `T`.
pub struct SampleViewMut<'a, T: Number> {
    window: WindowMut<'a, T>,
    size: Size,
    channels: Channels,
}

impl<T: Number> Clone for SampleView<'_, T> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<T: Number> Copy for SampleView<'_, T> {}

impl<T: Number> std::fmt::Debug for SampleView<'_, T> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "SampleView({} {} x {})", self.size, self.channels.count, T::KIND)
    }
}

impl<T: Number> std::fmt::Debug for SampleViewMut<'_, T> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "SampleViewMut({} {} x {})", self.size, self.channels.count, T::KIND)
    }
}

impl<'a, T: Number> SampleView<'a, T> {
    /// Width and height in pixels.
    #[inline]
    pub fn size(&self) -> Size {
        self.size
    }

    /// Width in pixels.
    #[inline]
    pub fn width(&self) -> u32 {
        self.size.width
    }

    /// Height in pixels.
    #[inline]
    pub fn height(&self) -> u32 {
        self.size.height
    }

    /// The channels of a pixel.
    #[inline]
    pub fn channels(&self) -> Channels {
        self.channels
    }

    /// One row of numbers, `channels` a pixel.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[inline]
    #[track_caller]
    pub fn row(&self, y: u32) -> &'a [T] {
        self.window.row(y as usize)
    }

    /// The rows from the top.
    pub fn rows(&self) -> SampleRows<'a, T> {
        SampleRows { window: self.window, left: 0..self.size.height as usize }
    }

    /// All samples as one slice, where the rows have no gaps between them.
    pub fn as_packed(&self) -> Option<&'a [T]> {
        self.window.packed()
    }

    /// A copy of the numbers, rows without gaps, or an error where the system has no memory. One pass: the memory is not
    /// cleared before.
    pub(crate) fn copied(&self) -> Result<(Vec<T>, Charge)> {
        // As many as are borrowed already: they fit the address space.
        let row = self.size.width as usize * self.channels.count;
        let (mut numbers, charge) = super::gate::reserve(row * self.size.height as usize, self.account())?;
        match self.as_packed() {
            Some(all) => numbers.extend_from_slice(all),
            None => self.rows().for_each(|row| numbers.extend_from_slice(row)),
        }
        Ok((numbers, charge))
    }

    /// The budget that what is made of the pixels is charged to.
    #[inline]
    pub(crate) fn account(&self) -> Account<'a> {
        self.window.account()
    }

    /// Bytes that the pixels take, gaps between rows left out.
    pub(crate) fn bytes(&self) -> u64 {
        self.size.pixels().saturating_mul((self.channels.count * size_of::<T>()) as u64)
    }

    /// A region that is known to be inside.
    pub(crate) fn part(&self, region: Region) -> SampleView<'a, T> {
        let c = self.channels.count;
        let (x, y, w, h) = (region.x as usize, region.y as usize, region.width as usize, region.height as usize);
        SampleView { window: self.window.part(x * c, y, w * c, h), size: region.size(), channels: self.channels }
    }

    /// Rows that are known to be there.
    pub(crate) fn band(&self, rows: std::ops::Range<u32>) -> SampleView<'a, T> {
        self.part(Region { x: 0, y: rows.start, width: self.size.width, height: rows.end - rows.start })
    }

    /// The same memory as bytes, as many a pixel as it takes.
    pub(crate) fn as_bytes(&self) -> SampleView<'a, u8> {
        let channels = Channels::plain(self.channels.count * size_of::<T>());
        SampleView { window: self.window.bytes(), size: self.size, channels }
    }
}

impl<'a, T: Number> SampleViewMut<'a, T> {
    /// Width and height in pixels.
    #[inline]
    pub fn size(&self) -> Size {
        self.size
    }

    /// Width in pixels.
    #[inline]
    pub fn width(&self) -> u32 {
        self.size.width
    }

    /// Height in pixels.
    #[inline]
    pub fn height(&self) -> u32 {
        self.size.height
    }

    /// The channels of a pixel.
    #[inline]
    pub fn channels(&self) -> Channels {
        self.channels
    }

    /// One row of numbers, mutable.
    ///
    /// # Panics
    /// If `y` is not below the height.
    #[inline]
    #[track_caller]
    pub fn row_mut(&mut self, y: u32) -> &mut [T] {
        self.window.row(y as usize)
    }

    /// The rows from the top, mutable; all of them may be held at once.
    pub fn into_rows(self) -> SampleRowsMut<'a, T> {
        SampleRowsMut { window: self.window }
    }

    /// The rows from the top, while this view is borrowed.
    pub fn rows_mut(&mut self) -> SampleRowsMut<'_, T> {
        SampleRowsMut { window: self.window.reborrow() }
    }

    /// All samples as one slice, where the rows have no gaps between them.
    pub fn as_packed_mut(&mut self) -> Option<&mut [T]> {
        self.window.packed()
    }

    /// The same numbers, read-only, while this view is borrowed.
    #[inline]
    pub fn as_view(&self) -> SampleView<'_, T> {
        SampleView { window: self.window.as_read(), size: self.size, channels: self.channels }
    }

    /// The same view for a shorter time.
    #[inline]
    pub fn reborrow(&mut self) -> SampleViewMut<'_, T> {
        SampleViewMut { window: self.window.reborrow(), size: self.size, channels: self.channels }
    }

    /// Bytes that the pixels take, gaps between rows left out.
    pub(crate) fn bytes(&self) -> u64 {
        self.as_view().bytes()
    }

    /// A region that is known to be inside.
    pub(crate) fn part(self, region: Region) -> SampleViewMut<'a, T> {
        let c = self.channels.count;
        let (x, y, w, h) = (region.x as usize, region.y as usize, region.width as usize, region.height as usize);
        SampleViewMut { window: self.window.part(x * c, y, w * c, h), size: region.size(), channels: self.channels }
    }

    /// The first `rows` rows, or all there are, and the rest.
    pub(crate) fn cut_rows(self, rows: u32) -> (SampleViewMut<'a, T>, SampleViewMut<'a, T>) {
        let SampleViewMut { window, size: Size { width, height }, channels } = self;
        let y = rows.min(height);
        let (top, bottom) = window.split_at_row(y as usize);
        let half = |window, height| SampleViewMut { window, size: Size::new(width, height), channels };
        (half(top, y), half(bottom, height - y))
    }

    /// Runs `work` on bands of rows, each with the number of its first row, on as many threads as are allowed and worth
    /// it for work that touches `bytes` bytes.
    pub(crate) fn each_band(self, threads: Threads, bytes: u64, work: &(dyn Fn(u32, SampleViewMut<'_, T>) + Sync)) {
        let channels = self.channels;
        // Bands are cut as bytes, so that this is compiled once; parts of numbers are whole numbers again.
        byte_bands(self.into_bytes(), threads, bytes, &|first, part| {
            if let Some(part) = part.numbers(channels) {
                work(first, part);
            }
        });
    }

    /// The same memory as bytes, as many a pixel as it takes.
    pub(crate) fn into_bytes(self) -> SampleViewMut<'a, u8> {
        let channels = Channels::plain(self.channels.count * size_of::<T>());
        SampleViewMut { window: self.window.bytes(), size: self.size, channels }
    }
}

/// The one way that rows of a target are spread over threads.
fn byte_bands(
    target: SampleViewMut<'_, u8>,
    threads: Threads,
    bytes: u64,
    work: &(dyn Fn(u32, SampleViewMut<'_, u8>) + Sync),
) {
    let bands = threads::bands(target.height(), threads.bands(bytes));
    if bands.len() <= 1 {
        return work(0, target);
    }
    let mut rest = target;
    let mut jobs = Vec::with_capacity(bands.len());
    for band in bands {
        let (part, below) = rest.cut_rows(band.end - band.start);
        rest = below;
        jobs.push((band.start, part));
    }
    threads::each(threads, jobs, |(first, part)| work(first, part));
}

impl<'a> SampleView<'a, u8> {
    /// Bytes as numbers of a type, this many channels a pixel; `None` where they are not whole numbers in their place.
    pub(crate) fn numbers<T: Number>(self, channels: Channels) -> Option<SampleView<'a, T>> {
        Some(SampleView { window: self.window.numbers()?, size: self.size, channels })
    }
}

impl<'a> SampleViewMut<'a, u8> {
    /// Bytes as numbers of a type, this many channels a pixel; `None` where they are not whole numbers in their place.
    pub(crate) fn numbers<T: Number>(self, channels: Channels) -> Option<SampleViewMut<'a, T>> {
        Some(SampleViewMut { window: self.window.numbers()?, size: self.size, channels })
    }
}

/// The rows of a view of numbers, from the top; from both ends.
///
/// A type of its own, not a chain of adapters, whose every method would be compiled for each type of numbers.
#[derive(Clone)]
pub struct SampleRows<'a, T: Number> {
    window: Window<'a, T>,
    left: std::ops::Range<usize>,
}

impl<T: Number> std::fmt::Debug for SampleRows<'_, T> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "SampleRows({} left)", self.left.len())
    }
}

impl<'a, T: Number> Iterator for SampleRows<'a, T> {
    type Item = &'a [T];

    #[inline]
    fn next(&mut self) -> Option<Self::Item> {
        match self.left.next() {
            Some(y) => Some(self.window.row(y)),
            None => None,
        }
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        (self.left.len(), Some(self.left.len()))
    }
}

impl<T: Number> DoubleEndedIterator for SampleRows<'_, T> {
    fn next_back(&mut self) -> Option<Self::Item> {
        match self.left.next_back() {
            Some(y) => Some(self.window.row(y)),
            None => None,
        }
    }
}

impl<T: Number> ExactSizeIterator for SampleRows<'_, T> {}

/// The rows of a mutable view of numbers, from the top; from both ends.
pub struct SampleRowsMut<'a, T: Number> {
    window: WindowMut<'a, T>,
}

impl<T: Number> std::fmt::Debug for SampleRowsMut<'_, T> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "SampleRowsMut({} left)", self.window.rows())
    }
}

impl<'a, T: Number> Iterator for SampleRowsMut<'a, T> {
    type Item = &'a mut [T];

    #[inline]
    fn next(&mut self) -> Option<Self::Item> {
        self.window.pop_first()
    }

    fn size_hint(&self) -> (usize, Option<usize>) {
        (self.window.rows(), Some(self.window.rows()))
    }
}

impl<T: Number> DoubleEndedIterator for SampleRowsMut<'_, T> {
    fn next_back(&mut self) -> Option<Self::Item> {
        self.window.pop_last()
    }
}

impl<T: Number> ExactSizeIterator for SampleRowsMut<'_, T> {}

impl<'a, P: Pixel> View<'a, P> {
    /// The same pixels as plain numbers with their channels as a value. No cost.
    #[inline]
    pub fn samples(&self) -> SampleView<'a, P::Number> {
        SampleView { window: self.window, size: self.size(), channels: Channels::of::<P>() }
    }

    /// The same pixels as bytes: what moves work on.
    #[inline]
    pub(crate) fn as_bytes(&self) -> SampleView<'a, u8> {
        self.samples().as_bytes()
    }
}

impl<'a, P: Pixel> ViewMut<'a, P> {
    /// The same pixels as plain numbers with their channels as a value, mutable. No cost.
    #[inline]
    pub fn into_samples(self) -> SampleViewMut<'a, P::Number> {
        let size = self.size();
        SampleViewMut { window: self.into_window(), size, channels: Channels::of::<P>() }
    }

    /// The same pixels as bytes, to write: what moves work on.
    #[inline]
    pub(crate) fn into_bytes(self) -> SampleViewMut<'a, u8> {
        self.into_samples().into_bytes()
    }
}

impl<'a, P: Pixel> ViewMut<'a, P> {
    /// A view of plain numbers as pixels; `None` where the channels are not those of the type.
    pub(super) fn of_samples(samples: SampleViewMut<'a, P::Number>) -> Option<ViewMut<'a, P>> {
        (samples.channels == Channels::of::<P>()).then(|| ViewMut::from_window(samples.window, samples.size))
    }
}

impl<P: Pixel> ViewMut<'_, P> {
    /// Runs `work` on bands of rows, each with the number of its first row, on as many threads as are allowed and worth it
    /// for work that touches `bytes` bytes.
    pub(crate) fn each_band(self, threads: Threads, bytes: u64, work: impl Fn(u32, ViewMut<'_, P>) + Sync) {
        self.into_samples().each_band(threads, bytes, &|first, part| {
            // Parts of this view have its channels.
            if let Some(part) = ViewMut::of_samples(part) {
                work(first, part);
            }
        });
    }
}

impl<'a, T: Number> SampleView<'a, T> {
    /// Packed numbers that are known to be as many as the size and the channels need.
    pub(crate) fn packed(numbers: &'a [T], size: Size, channels: Channels, account: Account<'a>) -> SampleView<'a, T> {
        let shape = super::gate::Extent::known(size, channels.count);
        SampleView { window: Window::over(numbers, &shape, size.height).charged(account), size, channels }
    }
}

impl<'a, T: Number> SampleViewMut<'a, T> {
    /// Packed numbers that are known to be as many as the size and the channels need.
    pub(crate) fn packed(numbers: &'a mut [T], size: Size, channels: Channels) -> SampleViewMut<'a, T> {
        let shape = super::gate::Extent::known(size, channels.count);
        SampleViewMut { window: WindowMut::over(numbers, &shape, size.height), size, channels }
    }
}

impl<'a, T: Number> SampleView<'a, T> {
    /// The samples as a plane: a view of gray pixels, as many times as wide as there are channels.
    pub(crate) fn as_gray(&self) -> Result<View<'a, Gray<T>>> {
        Ok(View::from_window(self.window, in_numbers(self.size, self.channels.count)?))
    }
}

impl<'a, T: Number> SampleViewMut<'a, T> {
    /// The samples as a mutable plane.
    pub(crate) fn into_gray(self) -> Result<ViewMut<'a, Gray<T>>> {
        Ok(ViewMut::from_window(self.window, in_numbers(self.size, self.channels.count)?))
    }
}

/// Runs `work` on each row of a view and the same row of another of its size; as one long row where neither has gaps.
pub(crate) fn row_pairs<A: Number, B: Number>(
    from: SampleView<'_, A>,
    mut to: SampleViewMut<'_, B>,
    work: &mut dyn FnMut(&[A], &mut [B]),
) {
    if let (Some(from), Some(to)) = (from.as_packed(), to.as_packed_mut()) {
        return work(from, to);
    }
    for y in 0..from.height().min(to.height()) {
        work(from.row(y), to.row_mut(y));
    }
}
