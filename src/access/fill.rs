//! Filling with a value or a function.

use crate::frame::ViewMut;
use crate::pixel::Pixel;

impl<P: Pixel> ViewMut<'_, P> {
    /// Sets every pixel to one value. One pass.
    pub fn fill(&mut self, pixel: P) {
        for row in self.rows_mut() {
            row.fill(pixel);
        }
    }

    /// Sets every pixel to a function of its place in this view, called row by row. One pass.
    pub fn fill_with(&mut self, mut pixel: impl FnMut(u32, u32) -> P) {
        for (y, row) in (0u32..).zip(self.rows_mut()) {
            for (x, p) in (0u32..).zip(row) {
                *p = pixel(x, y);
            }
        }
    }
}
