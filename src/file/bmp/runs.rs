//! Runs of indices (RLE4, RLE8): a machine that is pushed bytes and fills a canvas of indices, lowest row first.

use crate::error::{Error, Result};
use crate::frame::Size;
use crate::memory;

/// What the machine waits for.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Wants {
    /// A pair of bytes.
    Pair,
    /// The distances of a jump.
    Jump,
    /// So many indices as they are, and what they are padded with to an even number of bytes.
    Literal { indices: usize, bytes: usize },
}

/// The canvas and the place in it.
pub(super) struct Runs {
    size: Size,
    four: bool,
    canvas: Vec<u8>,
    x: usize,
    y: usize,
    wants: Wants,
    part: Vec<u8>,
    /// Pixels that have come.
    put: u64,
    pub(super) ended: bool,
}

impl Runs {
    /// A canvas of index 0. The caller has checked the size against the limits.
    pub(super) fn new(size: Size, four: bool) -> Result<Runs> {
        let pixels = (size.width as usize).saturating_mul(size.height as usize);
        let part = Vec::new();
        let canvas = memory::zeros(pixels)?;
        Ok(Runs { size, four, canvas, x: 0, y: 0, wants: Wants::Pair, part, put: 0, ended: false })
    }

    /// A row of indices, counted from the top.
    pub(super) fn row(&self, y: u32) -> &[u8] {
        let width = self.size.width as usize;
        let from_below = self.size.height.saturating_sub(y).saturating_sub(1) as usize;
        self.canvas.get(from_below.saturating_mul(width)..).and_then(|r| r.get(..width)).unwrap_or_default()
    }

    /// Rows, counted from the top, that no run has reached the end of yet.
    pub(super) fn rows_missing(&self) -> u32 {
        let complete = if self.x >= self.size.width as usize { self.y.saturating_add(1) } else { self.y };
        self.size.height.saturating_sub(u32::try_from(complete).unwrap_or(u32::MAX))
    }

    /// Pixels that jumps and early ends of rows have passed over, once the end mark has come.
    pub(super) fn left_out(&self) -> u64 {
        self.size.pixels().saturating_sub(self.put)
    }

    /// Takes bytes until the end mark; true when it was seen.
    pub(super) fn take(&mut self, input: &mut &[u8]) -> Result<bool> {
        while !self.ended {
            let wanted = match self.wants {
                Wants::Pair | Wants::Jump => 2,
                Wants::Literal { bytes, .. } => bytes,
            };
            let missing = wanted.saturating_sub(self.part.len()).min(input.len());
            let (head, tail) = input.split_at(missing);
            self.part.extend_from_slice(head);
            *input = tail;
            if self.part.len() < wanted {
                return Ok(false);
            }
            let part = std::mem::take(&mut self.part);
            self.step(&part)?;
        }
        Ok(true)
    }

    fn step(&mut self, part: &[u8]) -> Result<()> {
        match (std::mem::replace(&mut self.wants, Wants::Pair), part) {
            (Wants::Pair, &[0, 0]) => (self.x, self.y) = (0, self.y.saturating_add(1)),
            (Wants::Pair, &[0, 1]) => self.ended = true,
            (Wants::Pair, &[0, 2]) => self.wants = Wants::Jump,
            (Wants::Pair, &[0, n]) => {
                let indices = usize::from(n);
                let bytes = if self.four { indices.div_ceil(2) } else { indices };
                self.wants = Wants::Literal { indices, bytes: bytes.next_multiple_of(2) };
            }
            (Wants::Pair, &[n, v]) => {
                let pair = if self.four { [v >> 4, v & 15] } else { [v; 2] };
                for index in pair.into_iter().cycle().take(usize::from(n)) {
                    self.put(index)?;
                }
            }
            (Wants::Jump, &[dx, dy]) => {
                self.x = self.x.saturating_add(usize::from(dx));
                self.y = self.y.saturating_add(usize::from(dy));
            }
            (Wants::Literal { indices, .. }, bytes) => {
                for i in 0..indices {
                    let byte = bytes.get(if self.four { i / 2 } else { i }).copied().unwrap_or(0);
                    self.put(match (self.four, i % 2) {
                        (true, 0) => byte >> 4,
                        (true, _) => byte & 15,
                        _ => byte,
                    })?;
                }
            }
            _ => {}
        }
        Ok(())
    }

    fn put(&mut self, index: u8) -> Result<()> {
        let (width, height) = (self.size.width as usize, self.size.height as usize);
        if self.x >= width || self.y >= height {
            return Err(Error::malformed(format!(
                "a run goes beyond the picture at column {}, row {} from below",
                self.x, self.y
            )));
        }
        if let Some(to) = self.canvas.get_mut(self.y.saturating_mul(width).saturating_add(self.x)) {
            *to = index;
            self.put = self.put.saturating_add(1);
        }
        self.x = self.x.saturating_add(1);
        Ok(())
    }
}
