//! Packets of runs: a machine that is pushed bytes and gives rows of pixels as they would stand in a plain file.

use crate::error::{Error, Result};
use crate::file::decoder::gather;

/// What the machine is in the middle of.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Packet {
    /// Nothing: a count comes next.
    Count,
    /// A pixel that comes so many times comes next.
    Run(usize),
    /// Such a pixel has come; so many are left of it.
    Repeat(usize),
    /// So many pixels as they are.
    Pixels(usize),
}

/// Packets of pixels of this many bytes.
pub(super) struct Packets {
    pixel_bytes: usize,
    row_bytes: usize,
    packet: Packet,
    /// The pixel of a run, or a pixel that is not complete.
    pixel: Vec<u8>,
    pub(super) row: Vec<u8>,
}

impl Packets {
    pub(super) fn new(pixel_bytes: usize, row_bytes: usize) -> Packets {
        Packets { pixel_bytes, row_bytes, packet: Packet::Count, pixel: Vec::new(), row: Vec::new() }
    }

    /// Takes bytes until a row is complete; true when it is. The caller clears it.
    pub(super) fn take(&mut self, input: &mut &[u8]) -> Result<bool> {
        while self.row.len() < self.row_bytes {
            // Whole pixels that the row still has room for.
            let room = self.row_bytes.saturating_sub(self.row.len()).checked_div(self.pixel_bytes).unwrap_or(0);
            match self.packet {
                Packet::Count => {
                    let Some((&count, rest)) = input.split_first() else { return Ok(false) };
                    *input = rest;
                    let pixels = usize::from(count & 127).saturating_add(1);
                    self.packet = if count & 128 != 0 { Packet::Run(pixels) } else { Packet::Pixels(pixels) };
                }
                Packet::Run(count) => {
                    if !gather(&mut self.pixel, input, self.pixel_bytes) {
                        return Ok(false);
                    }
                    self.packet = Packet::Repeat(count);
                }
                Packet::Repeat(count) => {
                    let now = count.min(room);
                    (0..now).for_each(|_| self.row.extend_from_slice(&self.pixel));
                    self.left(count.saturating_sub(now), Packet::Repeat);
                }
                Packet::Pixels(count) if self.pixel.is_empty() && input.len() >= self.pixel_bytes => {
                    let there = input.len().checked_div(self.pixel_bytes).unwrap_or(0);
                    let now = count.min(room).min(there);
                    let (head, tail) = input.split_at(now.saturating_mul(self.pixel_bytes).min(input.len()));
                    self.row.extend_from_slice(head);
                    *input = tail;
                    self.left(count.saturating_sub(now), Packet::Pixels);
                }
                Packet::Pixels(count) => {
                    if !gather(&mut self.pixel, input, self.pixel_bytes) {
                        return Ok(false);
                    }
                    self.row.extend_from_slice(&self.pixel);
                    self.pixel.clear();
                    self.left(count.saturating_sub(1), Packet::Pixels);
                }
            }
        }
        Ok(true)
    }

    fn left(&mut self, count: usize, more: impl Fn(usize) -> Packet) {
        self.packet = if count == 0 { Packet::Count } else { more(count) };
        if count == 0 {
            self.pixel.clear();
        }
    }

    /// Behind the last row: nothing of a packet may be left.
    pub(super) fn check_end(&self) -> Result<()> {
        match self.packet {
            Packet::Count => Ok(()),
            _ => Err(Error::malformed("a packet goes on beyond the last pixel")),
        }
    }
}
