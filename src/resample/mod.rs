//! Resizing by interpolation, and pixels at places between the pixels.
//!
//! # Definition
//!
//! For an output pixel of index x: centre c = (x + 0.5) * source / target; half-width scale s = max(1, source / target),
//! or 1 with widening off; weight of source pixel i: w = k((i + 0.5 - c) / s) over the kernel's support, divided by the
//! sum of all weights. A tap outside the source takes the value that the edge gives; it is not dropped. A box weighs by the
//! exact overlap of the source pixel with [x * source / target, (x + 1) * source / target). Nearest takes the source pixel
//! that contains c. The axes are separable; the result is rounded once at the end, half up, and clamped. Of a part of a
//! picture, c = start + (x + 0.5) * length / target.
//!
//! Targets of up to 65,536 pixels from sources of up to 4,194,304, and any with [`ResizeRules::exact`], are summed just so in
//! `f64`. Larger ones go quicker ways whose sums lie up to 0.02 of a level off: there a tie may go either way.
//!
//! (A source index of round(x / factor), as is often taught, lies half a pixel off this: enlarged twice, pixels come out
//! as 0 1 1 2 2 3 instead of 0 0 1 1 2 2.)
//!
//! Where there is alpha, colours are weighted by it and divided by the resulting alpha; where that is zero, so is the
//! colour.
//!
//! Not here: moves that make no new values (mirror, turn, crop), which are exact ([`access`](crate::access)).

mod affine;
mod area;
mod axis;
mod columns;
mod content;
#[cfg(test)]
mod every_set;
mod exact;
mod fixed;
mod float;
mod group;
mod kernel;
mod light;
mod nearest;
mod opaque;
mod plan;
mod plane;
mod point;
mod rows;
mod samples;
mod shape;
mod spots;
mod sums;
mod tap;
mod target;
mod warp;
mod weighted;
mod weights;

pub use crate::frame::Light;
pub use affine::Affine;
pub use area::Area;
pub use kernel::{CustomKernel, Kernel};
pub use plan::{Plan, ResizeRules, resize, resize_area};
pub use plane::resize_planes;
pub use point::{sample, sample_in, taps};
pub(crate) use sums::RowSums;
pub use tap::{Tap, Taps};
pub use target::Target;
pub(crate) use warp::warp_any;
pub use warp::{WarpRules, rotated_whole, warp};
