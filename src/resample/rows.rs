//! The rows of a source that are at hand, and what an edge shows beside them.

use super::axis::Axis;
use crate::access::Edge;
use crate::frame::View;
use crate::pixel::{Pixel, Sample};

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

    #[inline(always)]
    pub(super) fn row(&self, y: u32) -> &'a [P] {
        self.view.row(y - self.first)
    }

    /// The numbers of the row at a position of the axis.
    #[inline(always)]
    pub(super) fn at(&self, rows: &Axis, position: u32) -> &'a [P::Number] {
        match rows.inside(position) {
            Some(y) => self.view.row_numbers(y - self.first),
            None => self.constant,
        }
    }
}

/// The pixel that a constant edge shows, its channels given as fractions of full; `None` for other edges.
pub(super) fn constant_of<P: Pixel<Number: Sample>>(edge: Edge<[f64; 4]>) -> Option<Vec<P::Number>> {
    match edge {
        Edge::Constant(all) => Some(all[..P::CHANNELS].iter().map(|&v| P::Number::from_fraction(v)).collect()),
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
