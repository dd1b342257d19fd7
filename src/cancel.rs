//! A signal that ends work early: a flag that any thread may set, and a point in time.
//!
//! It is given to the options of reading and writing and to chains, and looked at between rows and blocks of bytes.

use crate::error::{ErrorKind, Result};
use std::sync::Arc;
use std::sync::atomic::{AtomicBool, Ordering};
use std::time::Instant;

/// Ends work from outside: once it is [cancelled](Cancel::cancel), or once its deadline has passed, calls that were given it end with an
/// error of a kind of its own ([`ErrorKind::Cancelled`], [`ErrorKind::DeadlinePassed`]). A clone is the same signal.
///
/// It is looked at whenever about a million bytes have been read, unpacked or made, and before each strip of a chain; what a step does to
/// a strip, or to a picture that it must see whole, is not interrupted.
///
/// # Examples
/// ```
/// use rahmen::{Cancel, ErrorKind, file::{ReadOptions, decode}};
/// let cancel = Cancel::new();
/// cancel.clone().cancel();
/// let error = decode(b"P2 1 1 255 7", ReadOptions::default().cancel(&cancel)).unwrap_err();
/// assert!(matches!(error.kind(), ErrorKind::Cancelled));
/// ```
#[derive(Debug, Clone, Default)]
pub struct Cancel {
    flag: Arc<AtomicBool>,
    deadline: Option<Instant>,
}

impl PartialEq for Cancel {
    /// Whether both are the same signal.
    fn eq(&self, other: &Cancel) -> bool {
        Arc::ptr_eq(&self.flag, &other.flag) && self.deadline == other.deadline
    }
}

impl Cancel {
    /// A signal that is not set and has no deadline.
    pub fn new() -> Cancel {
        Cancel::default()
    }

    /// A signal that is set by itself at a point in time.
    pub fn at(deadline: Instant) -> Cancel {
        Cancel { deadline: Some(deadline), ..Cancel::default() }
    }

    /// Sets the signal, for all that were given it.
    pub fn cancel(&self) {
        self.flag.store(true, Ordering::Relaxed);
    }

    /// An error where the signal is set or its deadline has passed.
    ///
    /// # Errors
    /// [`ErrorKind::Cancelled`] or [`ErrorKind::DeadlinePassed`].
    pub fn check(&self) -> Result<()> {
        if self.flag.load(Ordering::Relaxed) {
            return Err(ErrorKind::Cancelled.into());
        }
        match self.deadline {
            Some(deadline) if Instant::now() >= deadline => Err(ErrorKind::DeadlinePassed.into()),
            _ => Ok(()),
        }
    }
}
