//! More picture around a picture, and the picture shifted with wrap.

use super::Edge;
use super::bytes::{self, MOST, bytes_of, with_pixel_bytes};
use crate::error::{ErrorKind, Result};
use crate::frame::{Frame, Region, SampleView, SampleViewMut, Size, View, ViewMut, same_size};
use crate::pixel::Pixel;

/// Pixels to add at each side.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Margins {
    /// Columns at the left.
    pub left: u32,
    /// Rows at the top.
    pub top: u32,
    /// Columns at the right.
    pub right: u32,
    /// Rows at the bottom.
    pub bottom: u32,
}

impl Margins {
    /// The same width at every side.
    pub const fn all(pixels: u32) -> Margins {
        Margins { left: pixels, top: pixels, right: pixels, bottom: pixels }
    }

    /// The size of a picture of `inner` with these margins.
    ///
    /// # Errors
    /// A side beyond `u32`.
    pub fn around(self, inner: Size) -> Result<Size> {
        let side = |a: u32, inner: u32, b: u32| a.checked_add(inner).and_then(|n| n.checked_add(b));
        match (side(self.left, inner.width, self.right), side(self.top, inner.height, self.bottom)) {
            (Some(width), Some(height)) => Ok(Size::new(width, height)),
            _ => Err(ErrorKind::TooLarge { what: format!("{inner} with margins {self:?}") }.into()),
        }
    }
}

impl<P: Pixel> View<'_, P> {
    /// Pads the pixels with margins filled by an edge rule. One pass.
    ///
    /// # Errors
    /// An empty picture with an edge that needs a pixel, or a size beyond the address space or the system's memory.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Size, access::{Edge, Margins}};
    /// let row = Frame::<Gray<u8>>::from_samples(Size::new(3, 1), vec![1, 2, 3])?;
    /// let wide = row.view().padded(Margins { left: 2, right: 4, ..Margins::default() }, Edge::Reflect)?;
    /// assert_eq!(wide.samples(), [2, 1, 1, 2, 3, 3, 2, 1, 1]);
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn padded(&self, margins: Margins, edge: Edge<P>) -> Result<Frame<P>> {
        let mut out = Frame::zeros(margins.around(self.size())?, self.account())?;
        self.pad_into(margins, edge, out.view_mut())?;
        Ok(out)
    }

    /// [`padded`](View::padded) into a view of just that size.
    ///
    /// # Errors
    /// An empty picture with an edge that needs a pixel, or a target of another size.
    pub fn pad_into(&self, margins: Margins, edge: Edge<P>, target: ViewMut<'_, P>) -> Result<()> {
        pad_bytes(self.as_bytes(), margins, edge.map(bytes_of), target.into_bytes())
    }

    /// Shifts the pixels by (dx, dy) cyclically: what leaves at one side comes in at the other. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn shifted(&self, dx: i64, dy: i64) -> Result<Frame<P>> {
        let mut out = Frame::zeros(self.size(), self.account())?;
        self.shift_into(dx, dy, out.view_mut())?;
        Ok(out)
    }

    /// [`shifted`](View::shifted) into a view of the same size.
    ///
    /// # Errors
    /// A target of another size.
    pub fn shift_into(&self, dx: i64, dy: i64, target: ViewMut<'_, P>) -> Result<()> {
        same_size("the target", self.size(), target.size())?;
        shift_bytes(self.as_bytes(), dx, dy, target.into_bytes());
        Ok(())
    }
}

/// Pixels of any kind with margins.
pub(super) fn pad_bytes(
    from: SampleView<'_, u8>,
    margins: Margins,
    edge: Edge<[u8; MOST]>,
    to: SampleViewMut<'_, u8>,
) -> Result<()> {
    let outer = margins.around(from.size())?;
    same_size("the target", outer, to.size())?;
    if !outer.is_empty() {
        edge.needs_pixels(from.size())?;
    }
    with_pixel_bytes!(from.channels().count, N => padded::<N>(from, margins, edge.map(|p| bytes::first(&p)), to));
    Ok(())
}

fn padded<const N: usize>(from: SampleView<'_, u8>, margins: Margins, edge: Edge<[u8; N]>, to: SampleViewMut<'_, u8>) {
    let outside = if let Edge::Constant(pixel) = edge { pixel } else { [0; N] };
    for (y, row) in (0u32..).zip(to.into_rows()) {
        let row = bytes::pixels_mut(row);
        match edge.inside(i64::from(y) - i64::from(margins.top), from.height()) {
            Some(y) => pad_row(bytes::row(&from, y), margins.left, &edge, outside, row),
            None => row.fill(outside),
        }
    }
}

fn shift_bytes(from: SampleView<'_, u8>, dx: i64, dy: i64, to: SampleViewMut<'_, u8>) {
    if from.size().is_empty() {
        return;
    }
    let (dx, dy) = (wrapped(dx, from.width()) * from.channels().count, wrapped(dy, from.height()));
    let height = from.height() as usize;
    for (y, row) in to.into_rows().enumerate() {
        let from = from.row(((y + height - dy) % height) as u32);
        let (end, start) = from.split_at(from.len() - dx);
        row[..dx].copy_from_slice(start);
        row[dx..].copy_from_slice(end);
    }
}

impl<P: Pixel> ViewMut<'_, P> {
    /// Shifts the pixels by (dx, dy) cyclically in place: what leaves at one side comes in at the other. Two passes where dy is
    /// not 0, with memory for one row.
    pub fn shift(&mut self, dx: i64, dy: i64) {
        if self.size().is_empty() {
            return;
        }
        let bytes = self.reborrow().into_bytes();
        let (dx, dy) = (wrapped(dx, bytes.width()) * bytes.channels().count, wrapped(dy, bytes.height()));
        let mut rows: Vec<_> = bytes.into_rows().collect();
        if dx > 0 {
            rows.iter_mut().for_each(|row| row.rotate_right(dx));
        }
        if dy > 0 {
            // Three reversals are a rotation: rows change places by swapping their pixels.
            reverse(&mut rows);
            let (top, bottom) = rows.split_at_mut(dy);
            reverse(top);
            reverse(bottom);
        }
    }
}

/// Exchanges the pixels of the first row with those of the last, and so on inward.
fn reverse(rows: &mut [&mut [u8]]) {
    let mut rows = rows.iter_mut();
    while let (Some(a), Some(b)) = (rows.next(), rows.next_back()) {
        a.swap_with_slice(b);
    }
}

/// A distance as one from 0 to below the side.
fn wrapped(by: i64, side: u32) -> usize {
    by.rem_euclid(i64::from(side)) as usize
}

/// A row with what lies beyond its ends. Where the margins are wider than the row, positions are looked up one by one.
pub(super) fn pad_row<T: Copy, E>(from: &[T], left: u32, edge: &Edge<E>, outside: T, to: &mut [T]) {
    let (before, rest) = to.split_at_mut(left as usize);
    let (inner, behind) = rest.split_at_mut(from.len());
    inner.copy_from_slice(from);
    let beyond = |to: &mut [T], first: i64| {
        for i in 0..to.len() {
            let x = edge.inside(first + i as i64, from.len() as u32);
            to[i] = if let Some(x) = x { from[x as usize] } else { outside };
        }
    };
    beyond(before, -i64::from(left));
    beyond(behind, from.len() as i64);
}

/// The part of a region with signed corners that lies inside a size, and where in the region it starts.
pub(crate) fn visible(x: i64, y: i64, part: Size, size: Size) -> Option<(Region, Region)> {
    let along = |at: i64, part: u32, side: u32| {
        let end = at.saturating_add(i64::from(part)).min(i64::from(side));
        let start = at.max(0);
        (start < end).then(|| (start as u32..end as u32, (start - at) as u32..(end - at) as u32))
    };
    let (x_to, x_from) = along(x, part.width, size.width)?;
    let (y_to, y_from) = along(y, part.height, size.height)?;
    let region = |x: std::ops::Range<u32>, y: std::ops::Range<u32>| Region::new(x, y).ok();
    Some((region(x_to, y_to)?, region(x_from, y_from)?))
}
