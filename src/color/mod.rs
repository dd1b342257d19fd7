//! Colour: gray from colour, colour from gray and ink, spaces of red, green and blue and what lies between them, other models of a
//! colour, differences of colours, laying pixels with alpha on a background.
//!
//! Not here: depth and channel moves, which make no new colours ([`convert`](crate::convert)).

mod convert;
mod curves;
mod difference;
mod flatten;
mod gray;
mod light;
mod model;
mod model_values;
mod space;
mod to_space;

pub use convert::{AlphaRule, ConvertRules, convert, convert_into};
pub(crate) use convert::{check_layouts, prepared};
pub use difference::{DifferenceFormula, color_difference};
pub(crate) use gray::gray_any;
pub use gray::{GrayWeights, gray, gray_into};
pub(crate) use light::encoded;
pub use model::pixel_of;
pub(crate) use model::samples_of_color;
pub use model_values::{
    hsl_of, hsl_to, hsv_of, hsv_to, lab_of, lab_to_xyz, luv_of, luv_to_xyz, oklab_of, oklab_to_xyz, polar_of, polar_to,
    xyy_of, xyy_to_xyz,
};
pub use space::{Adaptation, ColorSpace, Matrix};
pub(crate) use to_space::Plan;
pub use to_space::{Gamut, SpaceRules, to_space, to_space_into};
