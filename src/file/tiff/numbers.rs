//! Numbers in the file's byte order, and the widths that tell BigTIFF from TIFF.

/// Byte order and width of offsets.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Numbers {
    pub(super) big_endian: bool,
    /// Whether counts and offsets have 64 bits: BigTIFF.
    pub(super) wide: bool,
}

impl Numbers {
    pub(super) fn word(self, bytes: &[u8]) -> Option<u16> {
        let bytes = *bytes.first_chunk::<2>()?;
        Some(if self.big_endian { u16::from_be_bytes(bytes) } else { u16::from_le_bytes(bytes) })
    }

    pub(super) fn long(self, bytes: &[u8]) -> Option<u32> {
        let bytes = *bytes.first_chunk::<4>()?;
        Some(if self.big_endian { u32::from_be_bytes(bytes) } else { u32::from_le_bytes(bytes) })
    }

    pub(super) fn long8(self, bytes: &[u8]) -> Option<u64> {
        let bytes = *bytes.first_chunk::<8>()?;
        Some(if self.big_endian { u64::from_be_bytes(bytes) } else { u64::from_le_bytes(bytes) })
    }

    /// An offset or a count of values.
    pub(super) fn offset(self, bytes: &[u8]) -> Option<u64> {
        if self.wide { self.long8(bytes) } else { self.long(bytes).map(u64::from) }
    }

    /// Bytes of the number of entries, of an entry, and of what an entry has room for itself.
    pub(super) fn count_bytes(self) -> usize {
        if self.wide { 8 } else { 2 }
    }

    pub(super) fn entry_bytes(self) -> usize {
        if self.wide { 20 } else { 12 }
    }

    pub(super) fn offset_bytes(self) -> usize {
        if self.wide { 8 } else { 4 }
    }

    /// Whether numbers lie as this machine has them.
    pub(super) fn is_native(self) -> bool {
        self.big_endian == cfg!(target_endian = "big")
    }
}
