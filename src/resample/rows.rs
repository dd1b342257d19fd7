//! The rows of a source that are at hand, and what an edge shows beside them.

use super::axis::Axis;
use crate::access::Edge;
use crate::frame::{AnySamples, View};
use crate::pixel::{Gray, Pixel, Sample, SamplesRef};
use crate::simd::resample::mix::TOGETHER;

/// Rows of a picture, counted as the picture counts them: all of it, or a strip that begins further down.
#[derive(Clone, Copy)]
pub(super) struct SourceRows<'a, P: Pixel> {
    pub(super) view: View<'a, P>,
    /// The picture's row that is the view's first.
    pub(super) first: u32,
    /// A row of what a constant edge shows; empty for other edges.
    pub(super) constant: &'a [P::Number],
}

impl<'a, P: Pixel> SourceRows<'a, P> {
    pub(super) fn width(&self) -> u32 {
        self.view.width()
    }

    /// The numbers of the row at a position of the axis.
    #[inline(always)]
    pub(super) fn at(&self, rows: &Axis, position: u32) -> &'a [P::Number] {
        match rows.inside(position) {
            Some(y) => self.view.row_samples(y - self.first),
            None => self.constant,
        }
    }
}

/// Rows whose sample type is known at run time: what is written over these is compiled once.
#[derive(Clone, Copy)]
pub(super) struct AnyRows<'a> {
    pub(super) view: AnySamples<'a>,
    /// The picture's row that is the view's first.
    pub(super) first: u32,
    /// The pixel that a constant edge shows, once or more; empty for other edges.
    pub(super) constant: SamplesRef<'a>,
}

impl<'a> AnyRows<'a> {
    /// The samples of the row at a position of the axis.
    pub(super) fn at(&self, rows: &Axis, position: u32) -> SamplesRef<'a> {
        match rows.inside(position) {
            Some(y) => self.view.row(y - self.first),
            None => self.constant,
        }
    }

    /// Samples of a row.
    pub(super) fn length(&self) -> usize {
        self.view.size().width as usize * self.view.channels().count
    }
}

impl<'a, S: Sample> From<SourceRows<'a, Gray<S>>> for AnyRows<'a> {
    fn from(rows: SourceRows<'a, Gray<S>>) -> Self {
        AnyRows { view: rows.view.samples_any(), first: rows.first, constant: S::lend_ref(rows.constant) }
    }
}

/// The pixel of this many channels that a constant edge shows, given as fractions of full; `None` for other edges.
pub(super) fn constant_of<S: Sample>(edge: Edge<[f64; 4]>, channels: usize) -> Option<Vec<S>> {
    match edge {
        Edge::Constant(all) => {
            let mut pixel = Vec::with_capacity(channels);
            for &v in &all[..channels] {
                pixel.push(S::from_fraction(v));
            }
            Some(pixel)
        }
        _ => None,
    }
}

/// Fills what an edge shows beside a row of pixels of `channels` numbers.
#[inline(always)]
pub(super) fn fill_beside<T: Copy>(row: &mut [T], columns: &Axis, channels: usize, constant: &[T]) {
    let (before, source) = (columns.before, columns.source);
    let beside = (0..before).chain(before + source..columns.length());
    for position in beside {
        let to = position as usize * channels;
        match columns.inside(position) {
            Some(x) => {
                let from = (before + x) as usize * channels;
                row.copy_within(from..from + channels, to);
            }
            None => row[to..to + channels].copy_from_slice(constant),
        }
    }
}

/// Rows as slices. Written out, as are those below: closures over arrays are compiled at length.
#[inline]
pub(super) fn lent<T>([a, b, c, d]: &[Vec<T>; TOGETHER]) -> [&[T]; TOGETHER] {
    [a, b, c, d]
}

/// Rows as slices to write.
#[inline]
pub(super) fn lent_mut<T>([a, b, c, d]: &mut [Vec<T>; TOGETHER]) -> [&mut [T]; TOGETHER] {
    [a, b, c, d]
}

/// Rows of a length, all zero.
pub(super) fn zeroed_rows<T: Copy + Default>(length: usize) -> [Vec<T>; TOGETHER] {
    let row = || vec![T::default(); length];
    [row(), row(), row(), row()]
}

/// Parts of rows to write.
#[inline]
pub(super) fn parts_mut<T>(
    [a, b, c, d]: &mut [Vec<T>; TOGETHER],
    part: std::ops::Range<usize>,
) -> [&mut [T]; TOGETHER] {
    [&mut a[part.clone()], &mut b[part.clone()], &mut c[part.clone()], &mut d[part]]
}
