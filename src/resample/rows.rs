//! The rows of a source that are at hand.

use crate::frame::View;
use crate::pixel::Pixel;

/// Rows of a picture, counted as the picture counts them: all of it, or a strip that begins further down.
#[derive(Clone, Copy)]
pub(super) struct SourceRows<'a, P: Pixel> {
    pub(super) view: View<'a, P>,
    /// The picture's row that is the view's first.
    pub(super) first: u32,
}

impl<'a, P: Pixel> SourceRows<'a, P> {
    pub(super) fn width(&self) -> u32 {
        self.view.width()
    }

    #[inline(always)]
    pub(super) fn row(&self, y: u32) -> &'a [P] {
        self.view.row(y - self.first)
    }

    #[inline(always)]
    pub(super) fn row_numbers(&self, y: u32) -> &'a [P::Number] {
        self.view.row_numbers(y - self.first)
    }
}
