//! The picture that is being read: its canvas, the coefficients where they are collected, and what of it is damaged.

use super::canvas::Canvas;
use super::coefficients::Coefficients;
use super::frame::FrameHeader;
use super::idct::Block;
use crate::file::decoder::RowsOut;
use crate::simd::arrays;
use std::ops::Range;

/// The picture that is being put together.
pub(super) struct PartialPicture {
    pub(super) canvas: Box<dyn Canvas>,
    /// Samples that a block gives across and down, and rows of pixels in all.
    pub(super) n: u32,
    pub(super) height: u32,
    /// Whether rows are given while the first scan is read.
    pub(super) streams: bool,
    /// Coefficients of each component, block by block in rows, where they are collected; and its quantiser, kept from
    /// its first scan on.
    pub(super) coefficients: Vec<Coefficients>,
    pub(super) quantisers: Vec<Option<[u16; 64]>>,
    /// Rows of MCUs that the canvas has got, and rows of pixels that have been given.
    pub(super) rows: u32,
    pub(super) given: u32,
    /// Rows of MCUs that are not whole, and those of which nothing is there.
    pub(super) damaged: Vec<std::ops::Range<u32>>,
    pub(super) lost: Vec<std::ops::Range<u32>>,
}

impl PartialPicture {
    /// Gives the rows that are there; true where no more are wanted and there is one.
    pub(super) fn give(&mut self, frame: &FrameHeader, out: &mut RowsOut<'_>) -> bool {
        let all = self.rows >= frame.mcus.1;
        while self.given < self.height {
            if out.is_full() {
                return true;
            }
            if !self.canvas.has(self.given, all) {
                break;
            }
            // Colour that is sampled less is mixed of rows that may be those of a neighbour.
            let reach = if frame.components.iter().any(|c| c.v != frame.v) { u32::from(frame.v) } else { 0 };
            let row_of = |y: u32| y.checked_div(u32::from(frame.v).saturating_mul(self.n)).unwrap_or(0);
            let near =
                arrays::map([self.given.saturating_sub(reach), self.given, self.given.saturating_add(reach)], row_of);
            let touches = |ranges: &[std::ops::Range<u32>], row: u32| ranges.iter().any(|r| r.contains(&row));
            if touches(&self.lost, row_of(self.given)) {
                out.lose(1);
            } else {
                self.canvas.give(self.given, out.next_row());
                if near.iter().any(|&row| touches(&self.damaged, row)) {
                    out.doubt();
                }
            }
            self.given = self.given.saturating_add(1);
        }
        false
    }

    /// The rows of pixels that MCUs of a scan have a part in, those beside them too where colour is sampled less.
    pub(super) fn pixel_rows(&self, frame: &FrameHeader, mcus: Range<u64>, across: u64, rows_each: u32) -> Range<u32> {
        if mcus.is_empty() {
            return 0..0;
        }
        let row = |mcu: u64| mcu.checked_div(across.max(1)).and_then(|r| u32::try_from(r).ok()).unwrap_or(u32::MAX);
        let of = |row: u32| row.checked_div(rows_each.max(1)).unwrap_or(row);
        let each = u32::from(frame.v).saturating_mul(self.n);
        let reach = if frame.components.iter().any(|c| c.v != frame.v) { u32::from(frame.v) } else { 0 };
        let first = of(row(mcus.start)).saturating_mul(each).saturating_sub(reach);
        let end = of(row(mcus.end.saturating_sub(1))).saturating_add(1).saturating_mul(each);
        first..end.saturating_add(reach).min(self.height)
    }

    /// MCUs of a scan that damage has cost.
    pub(super) fn lose(&mut self, mcus: std::ops::Range<u64>, across: u64, rows_each: u32) {
        let across = across.max(1);
        let row = |mcu: u64| mcu.checked_div(across).and_then(|r| u32::try_from(r).ok()).unwrap_or(u32::MAX);
        // A single component's rows of blocks may be several in a row of MCUs.
        let of = |row: u32| row.checked_div(rows_each.max(1)).unwrap_or(row);
        if mcus.is_empty() {
            return;
        }
        self.damaged.push(of(row(mcus.start))..of(row(mcus.end.saturating_sub(1))).saturating_add(1));
        if self.streams {
            self.lost.push(row(mcus.start.saturating_add(across).saturating_sub(1))..row(mcus.end));
        }
    }

    /// Brings the next row of MCUs from its coefficients to the canvas.
    pub(super) fn row_of_coefficients(&mut self, frame: &FrameHeader) {
        self.canvas.advance();
        for (index, (component, blocks)) in frame.components.iter().zip(&self.coefficients).enumerate() {
            let quantiser = self.quantisers.get(index).copied().flatten().unwrap_or([0; 64]);
            let across = component.padded.0;
            for down in 0..u32::from(component.v) {
                let row = self.rows.saturating_mul(u32::from(component.v)).saturating_add(down);
                let start = (row as usize).saturating_mul(across as usize);
                for (column, at) in (0..across).zip(start..) {
                    let Some(coefficients) = blocks.block(at) else { break };
                    let mut block: Block = [0; 64];
                    for (to, (&v, &q)) in block.iter_mut().zip(coefficients.iter().zip(&quantiser)) {
                        *to = i32::from(v).wrapping_mul(i32::from(q));
                    }
                    let flat = coefficients.iter().skip(1).all(|&v| v == 0);
                    self.canvas.block(index, column, down, &block, if flat { 0 } else { 63 });
                }
            }
        }
        self.rows = self.rows.saturating_add(1);
    }
}
