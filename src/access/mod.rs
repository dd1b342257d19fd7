//! Where pixels are: moving, filling, tiles, surroundings, and a user's own closures.
//!
//! Not here: the same pixels as other numbers ([`convert`](crate::convert)), new colours ([`color`](crate::color)),
//! interpolation ([`resample`](crate::resample)).
//!
//! Much of it is methods of [`View`](crate::View) and [`ViewMut`](crate::ViewMut): `oriented`, `padded`, `shifted`, `tiles`,
//! `map`, `zip`, `fold`, `paste`, `fill`, `copy_within`. What makes a new frame also has a form that writes into a view
//! the caller owns.

pub(crate) mod bytes;
mod content;
mod edge;
mod fill;
mod map;
mod neighbors;
mod orient;
mod pad;
mod paste;
mod tiles;

pub use edge::Edge;
pub(crate) use fill::random_samples;
pub use neighbors::{Around, AroundRow, Neighbors};
pub(crate) use orient::orient_bytes;
pub use pad::Margins;
pub(crate) use pad::visible;
pub use tiles::{Overlap, Rest, Tile, TileGrid, contact, contact_into};
