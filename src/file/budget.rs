//! What a file's metadata may take in all, counted as it is held: bytes after unpacking, and what each item costs beside its bytes.

use super::bounds::Bounds;
use crate::error::Result;
use crate::memory::Charge;

/// Bytes that an item costs beside its own: a text is two strings, each with its place in memory and in a list.
const ITEM: u64 = 160;

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
        let mut budget = Budget::new(Bounds::of(crate::file::limits::Limits::default().metadata(1000)));
        assert_eq!(budget.left(), 840);
        budget.take(340).unwrap();
        assert_eq!(budget.left(), 340);
        budget.take(340).unwrap();
        assert_eq!(budget.left(), 0);
        assert!(budget.take(0).is_err());
    }
}
