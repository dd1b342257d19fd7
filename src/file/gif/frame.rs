//! A frame whose codes are being unpacked.

use crate::memory::Charge;
use weezl::decode;

/// The frame that is being drawn.
#[derive(Default)]
pub(super) struct Frame {
    pub(super) indices: Vec<u8>,
    pub(super) have: usize,
    pub(super) lzw: Option<decode::Decoder>,
    pub(super) colors: Vec<[u8; 4]>,
    /// Bytes of a part of data that are still to come; and whether the parts have ended.
    pub(super) left: usize,
    pub(super) begun: bool,
    pub(super) charge: Charge,
}

impl Frame {
    /// Takes what the codes that have come still give.
    pub(super) fn flush(&mut self) {
        while let (Some(lzw), Some(room)) = (&mut self.lzw, self.indices.get_mut(self.have..)) {
            let done = lzw.decode_bytes(&[], room);
            self.have = self.have.saturating_add(done.consumed_out);
            if done.consumed_out == 0 || done.status.is_err() {
                return;
            }
        }
    }
}
