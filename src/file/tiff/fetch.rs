//! Bytes of one place of the file, collected from what is fed.

use super::numbers::Numbers;
use crate::file::decoder::{Stop, collect};

/// Bytes that room is made for at once.
const MOST_AT_ONCE: usize = 16 << 20;

/// Where the input stands, and what has been collected.
#[derive(Debug, Default)]
pub(super) struct Fetch {
    /// Where in the file the next byte of input lies.
    at: u64,
    part: Vec<u8>,
}

impl Fetch {
    /// Collects `wanted` bytes from `place` on; the stop that is due until all are there. Then [`take`](Fetch::take) gives them.
    pub(super) fn collect(&mut self, input: &mut &[u8], place: u64, wanted: usize) -> Option<Stop> {
        let missing = wanted.saturating_sub(self.part.len());
        if missing == 0 {
            return None;
        }
        // Never more than the file has, which has been checked.
        self.part.reserve(missing.min(MOST_AT_ONCE));
        collect((&mut self.part, &mut self.at), input, place, wanted, missing)
    }

    /// What has been collected.
    pub(super) fn take(&mut self) -> Vec<u8> {
        std::mem::take(&mut self.part)
    }

    /// The bytes from `place` on as they lie in the input, where all of them are there; else they are to be [collected](Fetch::collect).
    pub(super) fn straight<'i>(&mut self, input: &mut &'i [u8], place: u64, wanted: usize) -> Option<&'i [u8]> {
        let gap = usize::try_from(place.checked_sub(self.at)?).ok()?;
        let (bytes, rest) = input.get(gap..)?.split_at_checked(wanted).filter(|_| self.part.is_empty())?;
        *input = rest;
        self.at = place.saturating_add(wanted as u64);
        Some(bytes)
    }

    /// The same place with nothing collected.
    pub(super) fn restarted(&self) -> Fetch {
        Fetch { at: self.at, part: Vec::new() }
    }

    /// Takes room back that has been used, to be used again.
    pub(super) fn give_back(&mut self, mut bytes: Vec<u8>) {
        bytes.clear();
        self.part = bytes;
    }

    /// What has been collected, to look at.
    pub(super) fn bytes(&self) -> &[u8] {
        &self.part
    }

    /// The number of entries that what has been collected begins with.
    pub(super) fn count(&self, numbers: Numbers) -> Option<u64> {
        if numbers.wide { numbers.long8(&self.part) } else { numbers.word(&self.part).map(u64::from) }
    }
}
