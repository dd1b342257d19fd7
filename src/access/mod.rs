//! Everything done with memory that holds pixels without changing their colour: moving, filling, depth, layout.
//!
//! Not here: colour conversion ([`color`](crate::color)), interpolation ([`resample`](crate::resample)).

pub mod channels;
pub mod depth;
mod fill;
