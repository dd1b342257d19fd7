//! Colour: gray from colour, colour from gray and ink, laying pixels with alpha on a background.
//!
//! Not here: depth and channel moves, which make no new colours ([`convert`](crate::convert)).

mod convert;
mod flatten;
mod gray;
mod light;
mod model;

pub use convert::{AlphaRule, ConvertRules, convert, convert_into};
pub(crate) use convert::{check_layouts, prepared};
pub(crate) use gray::gray_any;
pub use gray::{GrayWeights, gray, gray_into};
pub(crate) use light::encoded;
pub use model::pixel_of;
pub(crate) use model::samples_of_color;
