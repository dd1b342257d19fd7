//! Everything done with memory that holds pixels without changing their colour: moving, filling, tiles, surroundings,
//! channels, depth, foreign memory, and a user's own closures.
//!
//! Not here: colour conversion ([`color`](crate::color)), interpolation ([`resample`](crate::resample)).
//!
//! Much of it is methods of [`View`](crate::View) and [`ViewMut`](crate::ViewMut): `turned`, `padded`, `shifted`, `tiles`,
//! `map`, `zip`, `fold`, `paste`, `fill`, `copy_within`. What makes a new frame also has a form that writes into a view
//! the caller owns.

pub mod channels;
pub mod codes;
pub mod depth;
mod edge;
mod fill;
mod foreign;
mod map;
mod neighbors;
mod pad;
mod paste;
pub mod premultiply;
pub(crate) mod swizzle;
mod tiles;
mod turn;

pub use edge::Edge;
pub use neighbors::{Around, AroundRow, Neighbors};
pub use pad::Margins;
pub use tiles::{Overlap, Rest, Tile, TileGrid, contact, contact_into};
pub use turn::Turn;
