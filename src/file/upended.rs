//! Rows of files that store the lowest row first: collected whole, then given or written from the top.

use super::decoder::{RowsOut, Slot};
use super::options::Limits;
use crate::error::Result;
use crate::frame::SamplesMut;

/// All rows of a picture as bytes, lowest first.
pub(super) struct Upended {
    row_bytes: usize,
    height: u32,
    bytes: Vec<u8>,
    given: u32,
}

impl Upended {
    /// Room for the rows, which must be within the limit.
    pub(super) fn new(row_bytes: usize, height: u32, limits: &Limits) -> Result<Upended> {
        let all = (row_bytes as u64).saturating_mul(u64::from(height));
        limits.check_memory("a picture stored from its lowest row, which is held whole,", all)?;
        Ok(Upended { row_bytes, height, bytes: Vec::new(), given: 0 })
    }

    /// Takes bytes off the front of the input; true once all rows are there. Memory grows with what comes.
    pub(super) fn take(&mut self, input: &mut &[u8]) -> bool {
        let all = self.row_bytes.saturating_mul(self.height as usize);
        let missing = all.saturating_sub(self.bytes.len());
        let (head, tail) = input.split_at(missing.min(input.len()));
        self.bytes.extend_from_slice(head);
        *input = tail;
        self.bytes.len() >= all
    }

    /// Rows that have come.
    pub(super) fn have(&self) -> usize {
        self.bytes.len().checked_div(self.row_bytes).unwrap_or(0)
    }

    /// Gives the rows that are wanted, from the top; true once all are given.
    pub(super) fn give(&mut self, out: &mut RowsOut<'_>, mut put: impl FnMut(&[u8], SamplesMut<'_>)) -> bool {
        while self.given < self.height {
            let from_below = (self.height.saturating_sub(self.given).saturating_sub(1)) as usize;
            let start = from_below.saturating_mul(self.row_bytes);
            match out.next() {
                Slot::Full => return false,
                Slot::Skip => {}
                Slot::Row(to) => {
                    put(self.bytes.get(start..).and_then(|b| b.get(..self.row_bytes)).unwrap_or_default(), to)
                }
            }
            self.given = self.given.saturating_add(1);
        }
        true
    }
}
