//! Resizing by interpolation.
//!
//! # Definition
//!
//! For an output pixel of index x: centre c = (x + 0.5) * source / target; half-width scale s = max(1, source / target),
//! or 1 with widening off; weight of source pixel i: w = k((i + 0.5 - c) / s) over the kernel's support, divided by the
//! sum of all weights. A tap outside the source takes the value of the nearest edge pixel; it is not dropped. The axes
//! are separable; the result is rounded once at the end, half up, and clamped.
//!
//! Where there is alpha, colours are weighted by it and divided by the resulting alpha; where that is zero, so is the
//! colour.
//!
//! Not here: moves that make no new values (mirror, turn, crop), which are exact ([`access`](crate::access)).

mod axis;
mod fixed;
mod float;
mod kernel;
mod nearest;
mod plan;
mod rows;
mod target;

pub use kernel::Kernel;
pub use plan::{Plan, ResizeRules, resize, resize_pixels};
pub use target::Target;
