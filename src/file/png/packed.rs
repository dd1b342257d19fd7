//! What chunks of metadata share: packed streams within them, and lists of them.

use crate::error::{Error, Result};
use crate::file::budget::Budget;
use crate::memory;
use std::io::Read;

/// Unpacks a zlib stream within what metadata may still take. It is gone through twice, so that no more memory is taken than it needs, once
/// that is charged.
pub(super) fn unpack(packed: &[u8], budget: &mut Budget) -> Result<Vec<u8>> {
    let failed = |e| Error::malformed(format!("a packed chunk cannot be unpacked: {e}"));
    let most = budget.left().saturating_add(1);
    let unpacked = || flate2::read::ZlibDecoder::new(packed).take(most);
    let length = std::io::copy(&mut unpacked(), &mut std::io::sink()).map_err(failed)?;
    budget.take(length)?;
    let mut out = memory::room(usize::try_from(length).unwrap_or(usize::MAX))?;
    // A stream that goes on has been refused.
    unpacked().take(length).read_to_end(&mut out).map_err(failed)?;
    Ok(out)
}

/// Chunks, each with its kind.
pub(super) type Chunks = Vec<([u8; 4], Vec<u8>)>;
