//! Rows that come from the top and are written from the lowest: put where they belong where the output lets one go there,
//! otherwise kept until all are there, in memory as long as they are small, in a temporary file beyond that.

use super::encoder::{Output, put_bytes};
use crate::error::{Error, Result};
use std::io::{Read, Seek, SeekFrom, Write};

/// Bytes kept in memory before a temporary file takes them.
const KEPT_IN_MEMORY: usize = 16 << 20;
/// Bytes put at a time; always room for one row.
const BLOCK_BYTES: usize = 1 << 20;

/// Rows of this many bytes each.
pub(super) struct ReversedRows {
    row_bytes: usize,
    /// Where the lowest row starts.
    start: u64,
    /// Rows that have not come.
    left: u32,
    block: Vec<u8>,
    /// Rows as they are to be written, where they cannot be put in place.
    kept: Option<tempfile::SpooledTempFile>,
}

impl ReversedRows {
    /// `height` rows, the lowest at byte `start` of the output.
    pub(super) fn new(row_bytes: usize, height: u32, start: u64) -> ReversedRows {
        ReversedRows { row_bytes: row_bytes.max(1), start, left: height, block: Vec::new(), kept: None }
    }

    /// Takes the next `count` rows, which `fill` gives by their numbers. The bytes it is given to fill have been zero
    /// where it has never put any.
    pub(super) fn put(
        &mut self,
        count: u32,
        out: &mut dyn Output,
        mut fill: impl FnMut(u32, &mut [u8]) -> Result<()>,
    ) -> Result<()> {
        let most = u32::try_from(BLOCK_BYTES.checked_div(self.row_bytes).unwrap_or(1).max(1)).unwrap_or(u32::MAX);
        let mut done = 0u32;
        while done < count {
            let rows = most.min(count.saturating_sub(done));
            let bytes = (rows as usize).saturating_mul(self.row_bytes);
            if self.block.len() < bytes {
                self.block.resize(bytes, 0);
            }
            let block = self.block.get_mut(..bytes).unwrap_or_default();
            for (y, row) in (done..).zip(block.chunks_exact_mut(self.row_bytes).rev()) {
                fill(y, row)?;
            }
            done = done.saturating_add(rows);
            self.left = self.left.saturating_sub(rows);
            let place = u64::from(self.left).saturating_mul(self.row_bytes as u64);
            if self.kept.is_none() && out.place(self.start.saturating_add(place))? {
                put_bytes(out, block)?;
                continue;
            }
            let kept = self.kept.get_or_insert_with(|| tempfile::spooled_tempfile(KEPT_IN_MEMORY));
            kept.seek(SeekFrom::Start(place)).and_then(|_| kept.write_all(block)).map_err(keeping)?;
        }
        Ok(())
    }

    /// Writes the rows that were kept.
    pub(super) fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        let Some(kept) = &mut self.kept else { return Ok(()) };
        kept.rewind().map_err(keeping)?;
        self.block.resize(BLOCK_BYTES, 0);
        loop {
            match kept.read(&mut self.block).map_err(keeping)? {
                0 => return Ok(()),
                count => put_bytes(out, self.block.get(..count).unwrap_or_default())?,
            }
        }
    }
}

fn keeping(e: std::io::Error) -> Error {
    Error::io("cannot keep the rows in a temporary file", e)
}
