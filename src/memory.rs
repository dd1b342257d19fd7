//! How much memory may be held at once: a budget that pictures, strips, metadata and tables are charged to.
//!
//! A budget is a value. It is given to the options of reading and writing, to a chain, or to a picture
//! ([`charged_to`](crate::Frame::charged_to)), and goes along with what is made under it: a copy, a region made larger, a histogram of a
//! frame are charged where the frame is. It never hangs on a thread, so that work of several callers in one pool stays apart. What is
//! made without a budget is charged to none.
//!
//! Not here: limits on what a file may claim ([`Limits`](crate::Limits)), and memory that the caller owns before.

use crate::error::{Error, ErrorKind, Help, Result};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Bytes of memory that may be held at once by all that is charged to it. A clone is the same budget.
///
/// Counted are pictures and planes, strips, what decoders and encoders hold (coefficients, pictures of runs, tables of their size, texts)
/// and metadata while a file is read. Not counted are a few hundred kilobytes that any call may take, and what the caller makes without
/// the library. Costs one addition an allocation.
///
/// # Examples
/// ```
/// use rahmen::{Frame, MemoryBudget, Rgb, Size};
/// let budget = MemoryBudget::new(1_000_000);
/// let frame = Frame::<Rgb<u8>>::new(Size::new(500, 500))?.charged_to(&budget)?;
/// assert_eq!(budget.held(), 750_000);
/// // What is made of it is charged to the same budget, on whatever thread.
/// let second = frame.crop(frame.size().region());
/// assert!(second.unwrap_err().to_string().starts_with("750000 bytes more, beside 750000 held, are over the memory budget of 1000000 bytes"));
/// drop(frame);
/// assert_eq!(budget.held(), 0);
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Clone)]
pub struct MemoryBudget(Arc<Counter>);

struct Counter {
    limit: u64,
    held: AtomicU64,
    /// Whether it bounds what the reading of one file takes, and nothing that is made of the picture later.
    of_reading: bool,
}

/// The budget that something is charged to, if any.
pub(crate) type Account<'a> = Option<&'a MemoryBudget>;

impl std::fmt::Debug for MemoryBudget {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "MemoryBudget({} of {} bytes)", self.held(), self.limit())
    }
}

impl PartialEq for MemoryBudget {
    /// Whether both are the same budget, not whether they are as large.
    fn eq(&self, other: &MemoryBudget) -> bool {
        Arc::ptr_eq(&self.0, &other.0)
    }
}

impl Eq for MemoryBudget {}

impl MemoryBudget {
    /// A budget of so many bytes, of which none is held.
    pub fn new(bytes: u64) -> MemoryBudget {
        MemoryBudget(Arc::new(Counter { limit: bytes, held: AtomicU64::new(0), of_reading: false }))
    }

    /// The budget of the reading of one file that was given none: its picture and what the decoder holds, and nothing that is made of the
    /// picture.
    pub(crate) fn of_reading(bytes: u64) -> MemoryBudget {
        MemoryBudget(Arc::new(Counter { limit: bytes, held: AtomicU64::new(0), of_reading: true }))
    }

    /// The budget as one that what is made later is charged to, too.
    pub(crate) fn to_inherit(&self) -> Account<'_> {
        (!self.0.of_reading).then_some(self)
    }

    /// Bytes that may be held.
    pub fn limit(&self) -> u64 {
        self.0.limit
    }

    /// Bytes that are held.
    pub fn held(&self) -> u64 {
        self.0.held.load(Ordering::Relaxed)
    }
}

/// A zeroed vector, or an error where the system has no memory for it: for whatever a file or a caller sizes. Zero pages come from the
/// system untouched.
pub(crate) fn zeros<T: bytemuck::Zeroable>(length: usize) -> Result<Vec<T>> {
    bytemuck::allocation::try_zeroed_vec(length).map_err(|()| out_of_memory::<T>(length))
}

/// An empty vector with room for `length` values, or an error where the system has no memory for it.
pub(crate) fn room<T>(length: usize) -> Result<Vec<T>> {
    let mut room = Vec::new();
    reserve(&mut room, length)?;
    Ok(room)
}

/// Room for so many values in all.
pub(crate) fn reserve<T>(vector: &mut Vec<T>, length: usize) -> Result<()> {
    let more = length.saturating_sub(vector.len());
    vector.try_reserve_exact(more).map_err(|_| out_of_memory::<T>(more))
}

/// Makes a vector at least so long, with zeros, or gives an error where the system has no memory for it.
pub(crate) fn lengthen<T: Copy + Default>(vector: &mut Vec<T>, length: usize) -> Result<()> {
    reserve(vector, length)?;
    vector.resize(length.max(vector.len()), T::default());
    Ok(())
}

#[cold]
fn out_of_memory<T>(length: usize) -> Error {
    ErrorKind::OutOfMemory { bytes: (length as u64).saturating_mul(size_of::<T>() as u64) }.into()
}

/// Bytes charged to a budget; given back when this is dropped.
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
    /// Nothing, of no budget.
    pub(crate) const NONE: Charge = Charge { budget: None, bytes: 0 };

    /// Nothing yet, of this budget: it may [grow](Charge::grow).
    pub(crate) fn on(account: Account<'_>) -> Charge {
        Charge { budget: account.cloned(), bytes: 0 }
    }

    /// So many bytes, before they are allocated.
    ///
    /// # Errors
    /// More than the budget has left.
    pub(crate) fn take(account: Account<'_>, bytes: u64) -> Result<Charge> {
        let mut charge = Charge::on(account);
        charge.grow(bytes)?;
        Ok(charge)
    }

    /// Bytes that are there already, whatever the budget says: what comes after them is refused.
    pub(crate) fn of_held(account: Account<'_>, bytes: u64) -> Charge {
        if let Some(budget) = account {
            budget.0.held.fetch_add(bytes, Ordering::Relaxed);
        }
        Charge { budget: account.cloned(), bytes }
    }

    /// So many bytes more.
    ///
    /// # Errors
    /// More than the budget has left; what was taken before stays.
    pub(crate) fn grow(&mut self, bytes: u64) -> Result<()> {
        let Some(budget) = &self.budget else { return Ok(()) };
        let limit = budget.limit();
        let added = budget.0.held.fetch_update(Ordering::Relaxed, Ordering::Relaxed, |held| {
            held.checked_add(bytes).filter(|&sum| sum <= limit)
        });
        match added {
            Ok(_) => {
                self.bytes = self.bytes.saturating_add(bytes);
                Ok(())
            }
            Err(held) => Err(refused(budget, held, bytes)),
        }
    }

    /// The same bytes charged to another budget, and no longer to the one before.
    ///
    /// # Errors
    /// More than the other has left.
    pub(crate) fn moved_to(&mut self, budget: &MemoryBudget, bytes: u64) -> Result<()> {
        if self.budget.as_ref() != Some(budget) {
            *self = Charge::take(Some(budget), bytes)?;
        }
        Ok(())
    }

    /// The budget that what is made of the same is charged to.
    pub(crate) fn account(&self) -> Account<'_> {
        self.budget.as_ref().and_then(MemoryBudget::to_inherit)
    }
}

#[cold]
fn refused(budget: &MemoryBudget, held: u64, asked: u64) -> Error {
    let limit = budget.limit();
    match budget.0.of_reading {
        false => Error::from(ErrorKind::Budget { limit, held, asked }).with_help(&[Help::RaiseBudget]),
        true => {
            let what = match held {
                0 => "what is made".to_string(),
                _ => format!("to hold {asked} bytes more, beside {held} held already,"),
            };
            let needed = held.saturating_add(asked);
            Error::from(ErrorKind::Limit { what, needed, limit, unit: "bytes" })
                .with_help(&[Help::RaiseLimit("memory")])
        }
    }
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
        Charge::of_held(self.budget.as_ref(), self.bytes)
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

    #[test]
    fn what_is_charged_is_given_back() {
        let budget = MemoryBudget::new(100);
        let account = Some(&budget);
        let first = Charge::take(account, 60).unwrap();
        assert!(Charge::take(account, 41).is_err());
        let mut second = Charge::take(account, 40).unwrap();
        assert!(second.grow(1).is_err());
        assert_eq!(budget.held(), 100);
        drop(first);
        second.grow(10).unwrap();
        assert_eq!(budget.held(), 50);
        let copy = second.clone();
        assert_eq!(budget.held(), 100);
        // What is there already counts even beyond the limit.
        let there = Charge::of_held(account, 30);
        assert_eq!(budget.held(), 130);
        assert!(Charge::take(account, 0).is_err());
        drop((second, copy, there));
        assert_eq!(budget.held(), 0);
        assert_eq!(Charge::take(None, u64::MAX).unwrap().bytes, 0);
        let mut moved = Charge::take(account, 10).unwrap();
        let other = MemoryBudget::new(5);
        assert!(moved.moved_to(&other, 10).is_err());
        moved.moved_to(&other, 5).unwrap();
        assert_eq!((budget.held(), other.held()), (0, 5));
        drop(moved);
        assert_eq!((budget.held(), other.held()), (0, 0));
    }

    #[test]
    fn an_error_names_the_budget_what_is_held_and_what_was_asked_for() {
        let budget = MemoryBudget::new(100);
        let _held = Charge::take(Some(&budget), 60).unwrap();
        let error = Charge::take(Some(&budget), 41).unwrap_err();
        assert!(matches!(error.kind(), ErrorKind::Budget { limit: 100, held: 60, asked: 41 }), "{error:?}");
        assert_eq!(error.help(), [Help::RaiseBudget]);
        // The budget of one reading is a limit of files, and ends with the picture.
        let reading = MemoryBudget::of_reading(100);
        let error = Charge::take(Some(&reading), 101).unwrap_err();
        assert_eq!(error.help(), [Help::RaiseLimit("memory")]);
        assert!(Charge::on(Some(&reading)).account().is_none());
        assert_eq!(Charge::on(Some(&budget)).account(), Some(&budget));
    }
}
