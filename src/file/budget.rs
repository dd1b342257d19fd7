//! What a file's metadata may take in all, counted as it is held: bytes after unpacking, and what each item costs beside its bytes.

use super::bounds::Bounds;
use crate::error::Result;
use crate::memory::Charge;

/// Bytes that an item costs beside its own: a text is two strings, each with its place in memory and in a list, and each step of a chain has a
/// list of its own (measured: 200,000 texts of one letter, behind a resize, take 1,060 bytes each).
const ITEM: u64 = 1024;

/// A count of what metadata have taken so far.
#[derive(Debug)]
pub(super) struct Budget {
    bounds: Bounds,
    used: u64,
    charge: Charge,
}

impl Budget {
    pub(super) fn new(bounds: Bounds) -> Budget {
        Budget { used: 0, charge: Charge::on(bounds.account()), bounds }
    }

    /// Counts an item of so many bytes.
    ///
    /// # Errors
    /// More than the limit for metadata with it, or than the memory that may be held.
    pub(super) fn take(&mut self, bytes: u64) -> Result<()> {
        let cost = bytes.saturating_add(ITEM);
        self.used = self.used.saturating_add(cost);
        self.bounds.check_metadata(self.used)?;
        self.charge.grow(cost)
    }

    /// Bytes that are held beside an item for a moment, while it is brought to its form.
    ///
    /// # Errors
    /// More than the memory that may be held.
    #[cfg_attr(not(any(feature = "png", feature = "gif")), allow(dead_code))]
    pub(super) fn beside(&self, bytes: usize) -> Result<Charge> {
        Charge::take(self.bounds.account(), bytes as u64)
    }

    /// Bytes that an item may still have.
    #[cfg_attr(not(feature = "png"), allow(dead_code))]
    pub(super) fn left(&self) -> u64 {
        self.bounds.metadata.saturating_sub(self.used).saturating_sub(ITEM)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn items_cost_more_than_their_bytes_and_add_up() {
        let mut budget = Budget::new(Bounds::of(crate::file::limits::Limits::default().metadata(3000)));
        assert_eq!(budget.left(), 1976);
        budget.take(476).unwrap();
        assert_eq!(budget.left(), 476);
        budget.take(476).unwrap();
        assert_eq!(budget.left(), 0);
        assert!(budget.take(0).is_err());
    }
}
