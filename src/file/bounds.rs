//! What the reading of one file may use: its limits, the budget that it is charged to, the work that it has done, and a signal that ends it.
//!
//! Not here: the figures of the limits ([`limits`](super::limits)), and what metadata have taken so far ([`budget`](super::budget)).

use super::limits::Limits;
use super::options::ReadOptions;
use crate::cancel::Cancel;
use crate::error::{Error, ErrorKind, Help, Result};
use crate::memory::{Account, Charge, MemoryBudget};
use std::ops::Deref;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Units of work that any file may take: some tenths of a second.
const FREE_WORK: u64 = 1 << 28;
/// Units for each byte of a file, for each pixel of [`Limits::work`]: a pixel counts when it is unpacked and when it is given.
const UNITS: u64 = 2;
/// Units that an entry of a directory counts for.
#[cfg_attr(not(any(feature = "tiff", feature = "npy")), allow(dead_code))]
pub(super) const AN_ENTRY: u64 = 16;
/// Units between two looks at the signal.
const LOOK: u64 = 1 << 20;

/// The bounds of one reading: a clone is the same. Its limits are had through it.
#[derive(Debug, Clone)]
pub struct Bounds {
    limits: Limits,
    memory: MemoryBudget,
    cancel: Option<Cancel>,
    work: Arc<Work>,
}

#[derive(Debug, Default)]
struct Work {
    done: AtomicU64,
    /// What was done when the signal was looked at last.
    looked: AtomicU64,
    /// The file's bytes, or those that have come of a stream.
    bytes: AtomicU64,
}

impl Deref for Bounds {
    type Target = Limits;

    fn deref(&self) -> &Limits {
        &self.limits
    }
}

impl Bounds {
    /// The bounds that options set. Without a budget the file has one of its own.
    pub(super) fn new(options: &ReadOptions) -> Bounds {
        let memory = options.budget.clone().unwrap_or_else(|| MemoryBudget::of_reading(options.limits.memory));
        Bounds { limits: options.limits, memory, cancel: options.cancel.clone(), work: Arc::default() }
    }

    /// Bounds of these limits alone.
    pub(super) fn of(limits: Limits) -> Bounds {
        Bounds { limits, memory: MemoryBudget::of_reading(limits.memory), cancel: None, work: Arc::default() }
    }

    /// The budget that what is read is charged to.
    pub(super) fn account(&self) -> Account<'_> {
        Some(&self.memory)
    }

    /// The budget that what is made of the picture later is charged to.
    pub(super) fn to_inherit(&self) -> Account<'_> {
        self.memory.to_inherit()
    }

    /// Charges `bytes` of memory that a decoder holds until it drops the charge.
    ///
    /// # Errors
    /// More than [`memory`](Limits::memory), or than the budget has left.
    pub(super) fn charge(&self, what: &str, bytes: u64) -> Result<Charge> {
        self.check_memory(what, bytes)?;
        Charge::take(self.account(), bytes)
    }

    /// Whether there is a signal that may end the reading.
    pub(super) fn may_end(&self) -> bool {
        self.cancel.is_some()
    }

    /// An error where the signal is set.
    pub(super) fn check_cancel(&self) -> Result<()> {
        self.cancel.as_ref().map_or(Ok(()), Cancel::check)
    }

    /// Says how many bytes the file has, or how many of a stream have come: what the work is measured by.
    pub(super) fn of_bytes(&self, bytes: u64) {
        self.work.bytes.fetch_max(bytes, Ordering::Relaxed);
    }

    /// Work that has been done.
    pub(super) fn done(&self) -> u64 {
        self.work.done.load(Ordering::Relaxed)
    }

    /// Takes back what has been done since, where a caller begins again.
    pub(super) fn back_to(&self, done: u64) {
        self.work.done.store(done, Ordering::Relaxed);
        self.work.looked.store(done, Ordering::Relaxed);
    }

    /// Counts units of work before they are done: one for a byte that is parsed or unpacked, a code, or a pixel that is given; sixteen for
    /// an entry of a directory, and for a place in the file that is gone to.
    ///
    /// # Errors
    /// More than [`Limits::work`] allows for the bytes of the file, or a signal that is set.
    pub fn work(&self, units: u64) -> Result<()> {
        let done = self.work.done.fetch_add(units, Ordering::Relaxed).saturating_add(units);
        if done > FREE_WORK && done > self.most() {
            return Err(self.too_much(done));
        }
        if self.may_end() && done.saturating_sub(self.work.looked.load(Ordering::Relaxed)) >= LOOK {
            self.work.looked.store(done, Ordering::Relaxed);
            return self.check_cancel();
        }
        Ok(())
    }

    fn most(&self) -> u64 {
        let bytes = self.work.bytes.load(Ordering::Relaxed);
        u64::from(self.limits.work).saturating_mul(UNITS).saturating_mul(bytes).saturating_add(FREE_WORK)
    }

    #[cold]
    fn too_much(&self, needed: u64) -> Error {
        let bytes = self.work.bytes.load(Ordering::Relaxed);
        let what = format!("reading all of a file of {bytes} bytes");
        let (limit, unit) = (self.most(), "units of work");
        Error::from(ErrorKind::Limit { what, needed, limit, unit }).with_help(&[Help::RaiseLimit("work")])
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn work_is_bounded_by_the_bytes_of_the_file() {
        let bounds = Bounds::of(Limits::default().work(10));
        bounds.work(FREE_WORK).unwrap();
        let again = bounds.clone();
        assert!(again.work(1).is_err());
        bounds.of_bytes(5);
        bounds.back_to(FREE_WORK);
        again.work(100).unwrap();
        let error = again.work(1).unwrap_err();
        assert!(
            matches!(error.kind(), ErrorKind::Limit { needed, limit, unit: "units of work", .. } if *needed == limit + 1)
        );
        assert_eq!(error.help(), [Help::RaiseLimit("work")]);
    }

    #[test]
    fn a_signal_is_looked_at_before_long() {
        let cancel = Cancel::new();
        let bounds = Bounds { cancel: Some(cancel.clone()), ..Bounds::of(Limits::default()) };
        bounds.work(LOOK).unwrap();
        cancel.cancel();
        bounds.work(LOOK - 1).unwrap();
        assert!(matches!(bounds.work(1).unwrap_err().kind(), ErrorKind::Cancelled));
        let late = Bounds { cancel: Some(Cancel::at(std::time::Instant::now())), ..Bounds::of(Limits::default()) };
        assert!(matches!(late.work(LOOK).unwrap_err().kind(), ErrorKind::DeadlinePassed));
    }
}
