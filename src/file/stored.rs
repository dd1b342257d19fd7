//! Rows that lie in a file as they are, so many bytes each, from the top or from the lowest: given from the top in
//! bounded memory, rows that are not wanted jumped over.
//!
//! Not here: what the bytes of a row mean.

use super::decoder::{Jump, RowsOut, Slot, Stop, gather};
use crate::error::Result;
use crate::frame::RowOrder;

/// Bytes of rows from below that are held at a time; always room for one row.
const BLOCK_BYTES: u64 = 48 << 10;

/// Where the rows lie, and how many have been given.
#[derive(Debug)]
pub(super) struct StoredRows {
    /// Where the first row of the file starts.
    start: u64,
    /// Bytes of a row, and from one row's start to the next one's.
    row: usize,
    stride: usize,
    height: u32,
    bottom_up: bool,
    given: u32,
    /// Where in the file the next byte of input lies.
    at: u64,
    /// Bytes of a row that is not complete; from below, of a block of rows.
    part: Vec<u8>,
    /// Rows of that block that are still to be given.
    block: u32,
}

/// What is done with the bytes of a row.
pub(super) type Put<'p> = &'p mut dyn FnMut(&[u8], Slot<'_>) -> Result<()>;

impl StoredRows {
    /// Rows that start at byte `start` of the file, which is where the input stands. The caller has checked `row` and
    /// `stride` (never less than `row`) against the limits.
    pub(super) fn new(start: u64, row: usize, stride: usize, height: u32, bottom_up: bool) -> StoredRows {
        StoredRows { start, row, stride, height, bottom_up, given: 0, at: start, part: Vec::new(), block: 0 }
    }

    /// Where the first row of the file starts.
    pub(super) fn start(&self) -> u64 {
        self.start
    }

    /// The same for input that stands somewhere else.
    pub(super) fn with_input_at(self, at: u64) -> StoredRows {
        StoredRows { at, ..self }
    }

    pub(super) fn order(&self) -> RowOrder {
        if self.bottom_up { RowOrder::BottomUp } else { RowOrder::TopDown }
    }

    /// The row that is expected next, in words.
    pub(super) fn expected(&self) -> String {
        format!("row {} of {}", self.given, self.height)
    }

    fn left(&self) -> u32 {
        self.height.saturating_sub(self.given)
    }

    /// Where the row of the file with this number starts.
    fn place(&self, row: u32) -> u64 {
        self.start.saturating_add(u64::from(row).saturating_mul(self.stride as u64))
    }

    /// Where the last row ends.
    pub(super) fn end(&self) -> u64 {
        self.place(self.height.saturating_sub(1)).saturating_add(self.row as u64)
    }

    /// Takes bytes and gives rows, as [`Decoder::feed`](super::decoder::Decoder::feed) does.
    pub(super) fn feed(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>, put: Put<'_>) -> Result<Stop> {
        loop {
            if self.left() == 0 {
                return Ok(Stop::Done);
            }
            if out.is_full() {
                return Ok(Stop::RowsGiven);
            }
            if out.skips() && self.part.is_empty() {
                let rows = out.left().min(self.left());
                out.pass(rows);
                self.given = self.given.saturating_add(rows);
                continue;
            }
            let stop = if self.bottom_up { self.up(rest, out, put)? } else { self.down(rest, out, put)? };
            if let Some(stop) = stop {
                return Ok(stop);
            }
        }
    }

    /// One row from the top, straight from the input where all of it is there.
    fn down(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>, put: Put<'_>) -> Result<Option<Stop>> {
        let begin = self.place(self.given);
        if self.part.is_empty() && self.at != begin {
            // Only ever forward: over a gap, or over rows that were passed over.
            let gap = usize::try_from(begin.saturating_sub(self.at)).unwrap_or(usize::MAX);
            self.at = begin;
            match rest.get(gap..) {
                Some(behind) => *rest = behind,
                None => return Ok(Some(Stop::forward(begin))),
            }
        }
        let before = rest.len();
        let result = match rest.split_at_checked(self.row) {
            Some((row, tail)) if self.part.is_empty() => {
                *rest = tail;
                put(row, out.next_row())
            }
            _ => {
                let complete = gather(&mut self.part, rest, self.row);
                if !complete {
                    self.at = self.at.saturating_add(before as u64);
                    return Ok(Some(Stop::NeedInput));
                }
                let result = put(&self.part, out.next_row());
                self.part.clear();
                result
            }
        };
        self.at = self.at.saturating_add(before.saturating_sub(rest.len()) as u64);
        self.given = self.given.saturating_add(1);
        result.inspect_err(|_| out.spoil()).map(|()| None)
    }

    /// A block of rows from below, straight from the input where all of it is there.
    fn up(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>, put: Put<'_>) -> Result<Option<Stop>> {
        if self.block == 0 {
            let most = BLOCK_BYTES.checked_div(self.stride as u64).unwrap_or(1).max(1);
            self.block = out.left().min(self.left()).min(u32::try_from(most).unwrap_or(u32::MAX));
            let begin = self.place(self.left().saturating_sub(self.block));
            if self.at != begin {
                self.at = begin;
                let wanted = self.block_bytes();
                return Ok(Some(Stop::Elsewhere(Jump { to: begin, keep_to: Some(self.end()), wanted })));
            }
        }
        let wanted = self.block_bytes();
        if self.part.is_empty()
            && let Some((bytes, tail)) = rest.split_at_checked(wanted)
        {
            *rest = tail;
            self.at = self.at.saturating_add(wanted as u64);
            let result = self.give_block(bytes, self.block, out, put);
            if self.block > 0 {
                self.part.extend_from_slice(bytes);
            }
            return result.map(|()| None);
        }
        let before = rest.len();
        let complete = gather(&mut self.part, rest, wanted);
        self.at = self.at.saturating_add(before.saturating_sub(rest.len()) as u64);
        if !complete {
            return Ok(Some(Stop::NeedInput));
        }
        self.give_part(self.block, out, put).map(|()| None)
    }

    fn block_bytes(&self) -> usize {
        (self.block.saturating_sub(1) as usize).saturating_mul(self.stride).saturating_add(self.row)
    }

    /// Gives rows of the block that was collected.
    fn give_part(&mut self, have: u32, out: &mut RowsOut<'_>, put: Put<'_>) -> Result<()> {
        let mut part = std::mem::take(&mut self.part);
        let result = self.give_block(&part, have, out, put);
        if self.block == 0 {
            part.clear();
        }
        self.part = part;
        result
    }

    /// Gives the rows of the block from the top; the lowest `have` of them are there.
    fn give_block(&mut self, bytes: &[u8], have: u32, out: &mut RowsOut<'_>, put: Put<'_>) -> Result<()> {
        let mut result = Ok(());
        while self.block > 0 && !out.is_full() && result.is_ok() {
            let number = self.block.saturating_sub(1);
            let start = (number as usize).saturating_mul(self.stride);
            match bytes.get(start..).and_then(|b| b.get(..self.row)) {
                Some(row) if number < have => result = put(row, out.next_row()).inspect_err(|_| out.spoil()),
                _ => out.lose(1),
            }
            self.block = number;
            self.given = self.given.saturating_add(1);
        }
        result
    }

    /// As [`Decoder::salvage`](super::decoder::Decoder::salvage): from below, rows further down may still be there.
    pub(super) fn salvage(&mut self, out: &mut RowsOut<'_>, put: Put<'_>) -> bool {
        if !self.bottom_up {
            return false;
        }
        let whole = self.part.len().checked_div(self.stride).unwrap_or(0);
        let more = self.part.len().saturating_sub(whole.saturating_mul(self.stride)) >= self.row;
        let have = u32::try_from(whole).unwrap_or(u32::MAX).saturating_add(u32::from(more));
        // A row that cannot be used is lost by itself.
        while self.block > 0 && !out.is_full() {
            if self.give_part(have, out, put).is_err() {
                continue;
            }
        }
        true
    }
}
