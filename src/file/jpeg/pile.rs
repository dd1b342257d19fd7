//! Bytes that wait to be read.

/// Bytes that are added behind and dropped in front.
#[derive(Debug, Default)]
pub(super) struct Pile {
    bytes: Vec<u8>,
    dropped: usize,
}

impl Pile {
    pub(super) fn add(&mut self, bytes: &[u8]) {
        self.bytes.drain(..self.dropped);
        self.dropped = 0;
        self.bytes.extend_from_slice(bytes);
    }

    pub(super) fn drop_front(&mut self, count: usize) {
        self.dropped = self.dropped.saturating_add(count).min(self.bytes.len());
    }
}

impl std::ops::Deref for Pile {
    type Target = [u8];

    fn deref(&self) -> &[u8] {
        self.bytes.get(self.dropped..).unwrap_or_default()
    }
}
