//! Checksums of a PNG file made right again after a change, so that what is behind them is reached.

/// Walks over the chunks of a PNG file and gives each its checksum; a chunk that is longer than the rest is made to end with it.
pub fn mend(bytes: &mut [u8]) {
    let mut at = 8;
    while at + 12 <= bytes.len() {
        let declared = u32::from_be_bytes([bytes[at], bytes[at + 1], bytes[at + 2], bytes[at + 3]]) as usize;
        let length = declared.min(bytes.len() - at - 12);
        bytes[at..at + 4].copy_from_slice(&(length as u32).to_be_bytes());
        let mut crc = crc32fast::Hasher::new();
        crc.update(&bytes[at + 4..at + 8 + length]);
        let end = at + 8 + length;
        bytes[end..end + 4].copy_from_slice(&crc.finalize().to_be_bytes());
        at = end + 4;
    }
}
