//! The sums of resizing in wide registers: down over rows, along them, and back to samples.
//!
//! Not here: which pixels make which ([`resample`](crate::resample)), and bodies that others use too.

pub(crate) mod across;
pub(crate) mod few;
pub(crate) mod finish;
mod lanes;
pub(crate) mod mix;
pub(crate) mod mix_floats;
pub(crate) mod spread;

/// Numbers behind the end of a row that kernels along rows may look at; they do not count, but must be finite.
pub(crate) const SLACK: usize = 64;
