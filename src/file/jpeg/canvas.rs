//! From blocks of coefficients to rows of pixels.

use super::color::{self, Model};
use super::frame::FrameHeader;
use super::idct::{Block, flat, inverse, inverse_small};
use super::strips::{Code, Stretch, Strips};
use crate::error::Result;
use crate::file::decoder::Slot;
use crate::pixel::{Depth, Sample, codes};
use crate::simd::{Level, Work};

/// Takes blocks, a row of MCUs after the other, and gives rows of pixels.
pub(super) trait Canvas: Send {
    /// Makes room for the next row of MCUs.
    fn advance(&mut self);
    /// A block of the last row of MCUs: its component, its column, its row within the MCUs, its coefficients, and the last
    /// of them in zigzag order that is not zero.
    fn block(&mut self, component: usize, column: u32, row: u32, block: &Block, last: u8);
    /// Whether all is there that a row needs; `all` where no more MCUs come.
    fn has(&self, y: u32, all: bool) -> bool;
    /// Gives a row.
    fn give(&mut self, y: u32, slot: Slot<'_>);
}

/// A canvas for a frame, whose blocks come as `n` x `n` samples.
pub(super) fn canvas(frame: &FrameHeader, model: Model, n: u32, stretch: Stretch) -> Result<Box<dyn Canvas>> {
    Ok(match frame.bits {
        8 => Box::new(Rows::<u8>::new(frame, model, n, stretch)?),
        _ => Box::new(Rows::<u16>::new(frame, model, n, stretch)?),
    })
}

/// Bytes that a canvas takes.
pub(super) fn memory(frame: &FrameHeader) -> u64 {
    if frame.bits == 8 { Strips::<u8>::memory(frame) } else { Strips::<u16>::memory(frame) }
}

struct Rows<S> {
    strips: Strips<S>,
    model: Model,
    n: u32,
    level: Level,
    full: S,
    middle: i32,
    /// Codes of 12 bits as samples.
    scale: Vec<u16>,
    rows: Vec<Vec<S>>,
}

impl<S: Code> Rows<S> {
    fn new(frame: &FrameHeader, model: Model, n: u32, stretch: Stretch) -> Result<Rows<S>> {
        let full = (1u32 << frame.bits).saturating_sub(1);
        let scale = if frame.bits == 8 { Vec::new() } else { codes::samples_of_codes(full as u16, Depth::U16) };
        Ok(Rows {
            strips: Strips::new(frame, n, stretch)?,
            model,
            n,
            level: Level::best(),
            full: S::of(full),
            middle: 1 << frame.bits.saturating_sub(1),
            scale,
            rows: frame.components.iter().map(|_| Vec::new()).collect(),
        })
    }
}

/// A block's transform and clamping, to be compiled for wide registers.
struct Inverse<'a, S> {
    block: &'a Block,
    middle: i32,
    code: std::marker::PhantomData<S>,
}

impl<S: Code> Work for Inverse<'_, S> {
    type Out = [S; 64];

    #[inline(always)]
    fn work(self) -> [S; 64] {
        let all = match size_of::<S>() {
            1 => inverse::<5>(self.block, self.middle),
            _ => inverse::<2>(self.block, self.middle),
        };
        let mut out = [S::default(); 64];
        for (i, to) in out.iter_mut().enumerate() {
            *to = S::clamped(all.get(i).copied().unwrap_or(0));
        }
        out
    }
}

impl<S: Code + Sample> Canvas for Rows<S> {
    fn advance(&mut self) {
        self.strips.advance();
    }

    fn block(&mut self, component: usize, column: u32, row: u32, block: &Block, last: u8) {
        let (n, middle) = (self.n as usize, self.middle);
        let (samples, stride) = self.strips.last(component);
        let start = (row as usize).saturating_mul(n).saturating_mul(stride);
        let at = start.saturating_add((column as usize).saturating_mul(n));
        let rows = samples.get_mut(at..).unwrap_or_default().chunks_mut(stride.max(1)).take(n);
        let mean = block.first().copied().unwrap_or(0);
        match (last, n) {
            (0, _) => {
                let value = S::clamped(flat(mean, middle));
                rows.for_each(|row| row.iter_mut().take(n).for_each(|v| *v = value));
            }
            (_, 8) => {
                let all: [S; 64] = self.level.work(Inverse { block, middle, code: std::marker::PhantomData });
                for (row, values) in rows.zip(all.as_chunks::<8>().0) {
                    if let Some(row) = row.first_chunk_mut::<8>() {
                        *row = *values;
                    }
                }
            }
            _ => {
                let all = inverse_small(block, n, middle);
                for (row, values) in rows.zip(all.chunks_exact(n.max(1))) {
                    row.iter_mut().zip(values).for_each(|(to, v)| *to = S::clamped(*v));
                }
            }
        }
    }

    fn has(&self, y: u32, all: bool) -> bool {
        self.strips.has(y, all)
    }

    fn give(&mut self, y: u32, slot: Slot<'_>) {
        let Slot::Row(to) = slot else { return };
        for (component, row) in self.rows.iter_mut().enumerate() {
            self.strips.row(component, y, row);
        }
        match (S::pick_mut(to), self.scale.is_empty()) {
            (Some(to), true) => color::row(self.model, &self.rows, to, self.full),
            (Some(to), false) => {
                color::row(self.model, &self.rows, to, self.full);
                for v in to {
                    let code: u32 = (*v).into();
                    *v = S::of(self.scale.get(code as usize).copied().map_or(code, u32::from));
                }
            }
            (None, _) => {}
        }
    }
}
