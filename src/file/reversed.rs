//! Rows that come from the top and are written from the lowest: kept until all are there, in memory as long as they are
//! small, in a temporary file otherwise.

use super::encoder::put_bytes;
use crate::error::{Error, Result};
use std::io::{Read, Seek, SeekFrom, Write};

/// Bytes kept in memory before a temporary file takes them.
const KEPT_IN_MEMORY: usize = 16 << 20;
/// Bytes brought back at a time; always room for one row.
const BLOCK_BYTES: usize = 1 << 20;

/// Rows of so many bytes each.
pub(super) struct ReversedRows {
    row_bytes: usize,
    rows: u32,
    kept: tempfile::SpooledTempFile,
}

impl ReversedRows {
    pub(super) fn new(row_bytes: usize) -> ReversedRows {
        ReversedRows { row_bytes: row_bytes.max(1), rows: 0, kept: tempfile::spooled_tempfile(KEPT_IN_MEMORY) }
    }

    /// Keeps a row.
    pub(super) fn push(&mut self, row: &[u8]) -> Result<()> {
        self.rows = self.rows.saturating_add(1);
        self.kept.write_all(row).map_err(keeping)
    }

    /// Writes all rows, the last one first.
    pub(super) fn write(&mut self, out: &mut dyn Write) -> Result<()> {
        let most = BLOCK_BYTES.checked_div(self.row_bytes).unwrap_or(1).max(1);
        let mut block = vec![0; most.min(self.rows as usize).saturating_mul(self.row_bytes)];
        let mut left = self.rows as usize;
        while left > 0 {
            let count = most.min(left);
            left = left.saturating_sub(count);
            let place = (left as u64).saturating_mul(self.row_bytes as u64);
            let part = block.get_mut(..count.saturating_mul(self.row_bytes)).unwrap_or_default();
            self.kept.seek(SeekFrom::Start(place)).map_err(keeping)?;
            self.kept.read_exact(part).map_err(keeping)?;
            part.chunks(self.row_bytes).rev().try_for_each(|row| put_bytes(out, row))?;
        }
        Ok(())
    }
}

fn keeping(e: std::io::Error) -> Error {
    Error::io("cannot keep the rows in a temporary file", e)
}
