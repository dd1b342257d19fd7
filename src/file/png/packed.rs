//! What chunks of metadata share: packed streams within them, and lists of them.

use crate::error::{Error, Result};
use crate::file::options::Limits;
use std::io::Read;

/// Unpacks a zlib stream within the limit for metadata.
pub(super) fn unpack(packed: &[u8], limits: &Limits) -> Result<Vec<u8>> {
    let mut out = Vec::new();
    let most = limits.metadata;
    let unpacked = flate2::read::ZlibDecoder::new(packed);
    let read = unpacked.take(most.saturating_add(1)).read_to_end(&mut out);
    read.map_err(|e| Error::malformed(format!("a packed chunk cannot be unpacked: {e}")))?;
    limits.check_metadata(out.len() as u64)?;
    Ok(out)
}

/// Chunks, each with its kind.
pub(super) type Chunks = Vec<([u8; 4], Vec<u8>)>;
