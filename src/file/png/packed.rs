//! What chunks of metadata share: packed streams within them, and lists of them.

use crate::error::{Error, Result};
use crate::file::budget::Budget;
use std::io::Read;

/// Unpacks a zlib stream within what metadata may still take.
pub(super) fn unpack(packed: &[u8], budget: &mut Budget) -> Result<Vec<u8>> {
    let mut out = Vec::new();
    let unpacked = flate2::read::ZlibDecoder::new(packed);
    let read = unpacked.take(budget.left().saturating_add(1)).read_to_end(&mut out);
    read.map_err(|e| Error::malformed(format!("a packed chunk cannot be unpacked: {e}")))?;
    budget.take(out.len() as u64)?;
    Ok(out)
}

/// Chunks, each with its kind.
pub(super) type Chunks = Vec<([u8; 4], Vec<u8>)>;
