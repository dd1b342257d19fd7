//! How much memory may be held at once: a budget that pictures, strips, metadata and tables are charged to.
//!
//! A budget is in force while [`MemoryBudget::run`] works, on the caller's thread and on those that its work is spread over. Whatever
//! is made meanwhile is charged to it and gives its share back when it is dropped, wherever and whenever that is. Without one nothing
//! is counted, and the limits of each call stand alone.
//!
//! Not here: limits on what a file may claim ([`Limits`](crate::Limits)), and memory that the caller owns before.

use crate::error::{Error, ErrorKind, Help, Result};
use std::cell::RefCell;
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

thread_local! {
    static IN_FORCE: RefCell<Option<MemoryBudget>> = const { RefCell::new(None) };
}

/// Bytes of memory that may be held at once by all that is made while it is in force. A clone is the same budget.
///
/// Counted are pictures and planes, strips, what decoders and encoders hold (coefficients, pictures of runs, tables of their size) and
/// metadata while a file is read. Not counted are a few hundred kilobytes that any call may take, and what the caller makes without
/// the library. Costs one addition an allocation.
///
/// # Examples
/// ```
/// use rahmen::{Frame, MemoryBudget, Rgb, Size};
/// let budget = MemoryBudget::new(1_000_000);
/// let frame = budget.run(|| Frame::<Rgb<u8>>::new(Size::new(500, 500)))?;
/// assert_eq!(budget.held(), 750_000);
/// let second = budget.run(|| Frame::<Rgb<u8>>::new(Size::new(500, 500)));
/// assert!(second.unwrap_err().to_string().starts_with("to hold 750000 bytes more, beside 750000 held already, needs"));
/// drop(frame);
/// assert_eq!(budget.held(), 0);
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Clone)]
pub struct MemoryBudget(Arc<Counter>);

struct Counter {
    limit: u64,
    held: AtomicU64,
}

impl std::fmt::Debug for MemoryBudget {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "MemoryBudget({} of {} bytes)", self.held(), self.limit())
    }
}

impl MemoryBudget {
    /// A budget of so many bytes, of which none is held.
    pub fn new(bytes: u64) -> MemoryBudget {
        MemoryBudget(Arc::new(Counter { limit: bytes, held: AtomicU64::new(0) }))
    }

    /// Bytes that may be held.
    pub fn limit(&self) -> u64 {
        self.0.limit
    }

    /// Bytes that are held.
    pub fn held(&self) -> u64 {
        self.0.held.load(Ordering::Relaxed)
    }

    /// Runs work under this budget, in place of one that is in force.
    pub fn run<R>(&self, work: impl FnOnce() -> R) -> R {
        let _before = Before(IN_FORCE.with(|slot| slot.replace(Some(self.clone()))));
        work()
    }
}

/// The budget that was in force before; in force again when this is dropped, however the work ended.
struct Before(Option<MemoryBudget>);

impl Drop for Before {
    fn drop(&mut self) {
        IN_FORCE.with(|slot| *slot.borrow_mut() = self.0.take());
    }
}

/// The budget in force on this thread.
pub(crate) fn in_force() -> Option<MemoryBudget> {
    IN_FORCE.with(|slot| slot.borrow().clone())
}

/// Runs work under a budget that was in force on another thread.
#[cfg_attr(not(feature = "parallel"), allow(dead_code))]
pub(crate) fn under(budget: &Option<MemoryBudget>, work: &dyn Fn()) {
    match budget {
        Some(budget) => budget.run(work),
        None => work(),
    }
}

/// Bytes charged to the budget that was in force when they were asked for; given back when this is dropped.
///
/// It goes along with what it was taken for and says nothing about it: two are always equal, and a clone is charged as much.
pub(crate) struct Charge {
    budget: Option<MemoryBudget>,
    bytes: u64,
}

impl Default for Charge {
    fn default() -> Charge {
        Charge::NONE
    }
}

impl Charge {
    /// Nothing.
    pub(crate) const NONE: Charge = Charge { budget: None, bytes: 0 };

    /// So many bytes, before they are allocated.
    ///
    /// # Errors
    /// More than the budget in force has left.
    pub(crate) fn take(bytes: u64) -> Result<Charge> {
        Charge::of(in_force(), bytes)
    }

    fn of(budget: Option<MemoryBudget>, bytes: u64) -> Result<Charge> {
        let Some(budget) = budget else { return Ok(Charge::NONE) };
        let limit = budget.limit();
        let added = budget.0.held.fetch_update(Ordering::Relaxed, Ordering::Relaxed, |held| {
            held.checked_add(bytes).filter(|&sum| sum <= limit)
        });
        match added {
            Ok(_) => Ok(Charge { budget: Some(budget), bytes }),
            Err(held) => Err(refused(held, bytes, limit)),
        }
    }

    /// Bytes that are there already, whatever the budget says: what comes after them is refused.
    pub(crate) fn of_held(bytes: u64) -> Charge {
        Charge::to(in_force(), bytes)
    }

    fn to(budget: Option<MemoryBudget>, bytes: u64) -> Charge {
        if let Some(budget) = &budget {
            budget.0.held.fetch_add(bytes, Ordering::Relaxed);
        }
        Charge { budget, bytes }
    }

    /// So many bytes more, of the budget that the first ones were taken from; of the one in force where there was none.
    ///
    /// # Errors
    /// More than it has left; what was taken before stays.
    pub(crate) fn grow(&mut self, bytes: u64) -> Result<()> {
        let mut more = Charge::of(self.budget.clone().or_else(in_force), bytes)?;
        // What is given back later is given back once, to the budget that both are of.
        more.bytes = more.bytes.saturating_add(std::mem::take(&mut self.bytes));
        *self = more;
        Ok(())
    }
}

#[cold]
fn refused(held: u64, bytes: u64, limit: u64) -> Error {
    let what = match held {
        0 => "what is made".to_string(),
        _ => format!("to hold {bytes} bytes more, beside {held} held already,"),
    };
    Error::from(ErrorKind::Limit { what, needed: held.saturating_add(bytes), limit, unit: "bytes" })
        .with_help(&[Help::RaiseLimit("memory")])
}

impl Drop for Charge {
    fn drop(&mut self) {
        if let Some(budget) = &self.budget {
            budget.0.held.fetch_sub(self.bytes, Ordering::Relaxed);
        }
    }
}

impl Clone for Charge {
    fn clone(&self) -> Charge {
        Charge::to(self.budget.clone(), self.bytes)
    }
}

impl PartialEq for Charge {
    fn eq(&self, _: &Charge) -> bool {
        true
    }
}

impl std::fmt::Debug for Charge {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "Charge({})", self.bytes)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::threads::{self, Threads};

    #[test]
    fn what_is_charged_is_given_back() {
        let budget = MemoryBudget::new(100);
        budget.run(|| {
            let first = Charge::take(60).unwrap();
            assert!(Charge::take(41).is_err());
            let mut second = Charge::take(40).unwrap();
            assert!(second.grow(1).is_err());
            assert_eq!(budget.held(), 100);
            drop(first);
            second.grow(10).unwrap();
            assert_eq!(budget.held(), 50);
            let _copy = second.clone();
            assert_eq!(budget.held(), 100);
            // What is there already counts even beyond the limit.
            let _there = Charge::of_held(30);
            assert_eq!(budget.held(), 130);
            assert!(Charge::take(0).is_err());
        });
        assert_eq!(budget.held(), 0);
        assert_eq!(Charge::take(u64::MAX).unwrap().bytes, 0);
        // Whatever is in force later, it grows and shrinks where it began.
        let other = MemoryBudget::new(5);
        let mut charge = budget.run(|| Charge::take(10).unwrap());
        other.run(|| charge.grow(20).unwrap());
        assert_eq!((budget.held(), other.held()), (30, 0));
        charge.grow(1).unwrap();
        drop(charge);
        assert_eq!((budget.held(), other.held()), (0, 0));
    }

    #[test]
    fn one_budget_is_in_force_at_a_time_and_ends_with_its_work() {
        let (outer, inner) = (MemoryBudget::new(10), MemoryBudget::new(20));
        outer.run(|| {
            let kept = inner.run(|| Charge::take(15).unwrap());
            assert_eq!((outer.held(), inner.held()), (0, 15));
            assert!(Charge::take(15).is_err());
            drop(kept);
            assert_eq!(inner.held(), 0);
        });
        let caught = std::panic::catch_unwind(|| outer.run(|| panic!("on purpose")));
        assert!(caught.is_err() && in_force().is_none());
    }

    #[test]
    fn threads_that_work_is_spread_over_are_under_the_budget() {
        let budget = MemoryBudget::new(1000);
        let kept = budget.run(|| threads::collect(Threads::at_most(4), vec![(); 40], |()| Charge::take(10).unwrap()));
        assert_eq!(budget.held(), 400);
        drop(kept);
        assert_eq!(budget.held(), 0);
    }
}
