//! What a viewer shows: frames drawn one over the other.
// Places within the canvas, whose size is checked.
#![allow(clippy::arithmetic_side_effects)]

use super::blocks::{Disposal, FrameInfo};
use crate::error::Result;
use crate::file::bounds::Bounds;
use crate::frame::Size;
use crate::memory::{self, Charge};

/// The canvas, in red, green, blue and alpha.
pub(super) struct Canvas {
    pub(super) size: Size,
    pub(super) pixels: Vec<[u8; 4]>,
    /// What is to be done before the next frame is drawn.
    before_next: Option<Before>,
    _charge: Charge,
}

enum Before {
    Clear(FrameInfo),
    Restore { frame: FrameInfo, pixels: Vec<[u8; 4]>, _charge: Charge },
}

impl Canvas {
    /// A blank canvas: transparent.
    pub(super) fn new(size: Size, bounds: &Bounds) -> Result<Canvas> {
        let bytes = size.pixels().saturating_mul(4);
        let charge = bounds.charge("the canvas of the frames, which is held whole,", bytes)?;
        let pixels = memory::zeros(usize::try_from(size.pixels()).unwrap_or(usize::MAX))?;
        Ok(Canvas { size, pixels, before_next: None, _charge: charge })
    }

    /// Does what the last frame asks for.
    pub(super) fn dispose(&mut self) {
        match self.before_next.take() {
            Some(Before::Clear(frame)) => self.each_row(&frame, |_, row, _| row.fill([0; 4])),
            Some(Before::Restore { frame, pixels, .. }) => self.each_row(&frame, |y, row, width| {
                let from = pixels.get(y * width..).and_then(|p| p.get(..row.len())).unwrap_or_default();
                row.iter_mut().zip(from).for_each(|(to, v)| *to = *v);
            }),
            None => {}
        }
    }

    /// The rows of the canvas that a frame covers, with the frame's row and the columns that lie inside.
    fn each_row(&mut self, frame: &FrameInfo, mut work: impl FnMut(usize, &mut [[u8; 4]], usize)) {
        let width = self.size.width as usize;
        let left = (frame.x as usize).min(width);
        let right = (frame.x as usize + frame.size.width as usize).min(width);
        let rows = self.pixels.chunks_exact_mut(width.max(1)).skip(frame.y as usize).take(frame.size.height as usize);
        for (y, row) in rows.enumerate() {
            if let Some(part) = row.get_mut(left..right) {
                work(y, part, right - left);
            }
        }
    }

    /// Draws a frame: its indices row by row, in the order in which they are seen. Pixels without a number stay.
    ///
    /// # Errors
    /// No memory for the pixels below it, where they are to be restored.
    pub(super) fn draw(
        &mut self,
        frame: &FrameInfo,
        indices: &[u8],
        have: usize,
        colors: &[[u8; 4]; 256],
        bounds: &Bounds,
    ) -> Result<()> {
        match frame.disposal {
            Disposal::Keep => {}
            Disposal::Clear => self.before_next = Some(Before::Clear(*frame)),
            Disposal::Restore => {
                let inside = |place: u32, side: u32, all: u32| all.saturating_sub(place).min(side);
                let (Size { width, height }, whole) = (frame.size, self.size);
                let width = inside(frame.x, width, whole.width);
                let pixels = Size::new(width, inside(frame.y, height, whole.height)).pixels();
                let charge = bounds.charge("what a frame covers, which is restored,", pixels.saturating_mul(4))?;
                let mut kept = memory::room(usize::try_from(pixels).unwrap_or(usize::MAX))?;
                self.each_row(frame, |_, row, _| kept.extend_from_slice(row));
                self.before_next = Some(Before::Restore { frame: *frame, pixels: kept, _charge: charge });
            }
        }
        let width = frame.size.width as usize;
        let opaque = frame.transparent.is_none();
        // Every number has a colour.
        let color = |i: u8| colors.get(usize::from(i)).copied().unwrap_or([0; 4]);
        self.each_row(frame, |y, row, _| {
            let start = y * width;
            let end = (start + row.len()).min(have.max(start));
            let numbers = indices.get(start..end).unwrap_or_default();
            if opaque {
                row.iter_mut().zip(numbers).for_each(|(to, &i)| *to = color(i));
                return;
            }
            for (to, &i) in row.iter_mut().zip(numbers) {
                let color = color(i);
                if color != [0; 4] {
                    *to = color;
                }
            }
        });
        Ok(())
    }
}

/// The row of the picture that each row of an interlaced frame is: every eighth, then those between (appendix E).
pub(super) fn interlaced_rows(height: u32) -> impl Iterator<Item = u32> {
    [(0u32, 8usize), (4, 8), (2, 4), (1, 2)].into_iter().flat_map(move |(first, step)| (first..height).step_by(step))
}

#[cfg(test)]
mod tests {
    #[test]
    fn interlaced_rows_are_those_of_the_standards_figure() {
        let rows: Vec<u32> = super::interlaced_rows(20).collect();
        assert_eq!(rows, [0, 8, 16, 4, 12, 2, 6, 10, 14, 18, 1, 3, 5, 7, 9, 11, 13, 15, 17, 19]);
        for height in 0..40 {
            let mut rows: Vec<u32> = super::interlaced_rows(height).collect();
            rows.sort();
            assert_eq!(rows, (0..height).collect::<Vec<_>>());
        }
    }
}
