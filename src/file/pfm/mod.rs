//! Portable float maps (`Pf`, `PF`), after their public description: gray or rgb floats, the lowest row first.
//!
//! Rgb files hold linear light, gray ones values. A byte order is stated by the sign of the scale; its size is not
//! applied. The rows are upside down, so a picture is held whole, both ways.

mod decode;
mod encode;

pub(super) use decode::PfmDecoder;
pub(super) use encode::PfmEncoder;
