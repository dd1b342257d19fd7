//! Colour: gray from colour, colour from gray and ink, spaces of red, green and blue and what lies between them, other models of a
//! colour, differences of colours, false colours, laying pictures with alpha over each other.
//!
//! Not here: depth and channel moves, which make no new colours ([`convert`](crate::convert)).

mod blend;
mod convert;
mod curves;
mod difference;
mod flatten;
mod gray;
mod icc;
mod ink;
mod lanes;
mod light;
mod models;
mod quick;
mod ramp;
mod space;
mod steps;
mod to_space;
mod vision;
pub mod ycbcr;

pub(crate) use blend::is_mask;
pub use blend::{BlendMode, BlendRules, Gradient, GradientShape, Operator, blend};
pub use convert::{AlphaRule, ConvertRules, convert, convert_into};
pub(crate) use convert::{check_layouts, prepared};
pub use difference::{DifferenceFormula, DifferenceRules, color_difference};
pub(crate) use gray::gray_any;
pub use gray::{GrayWeights, gray, gray_into};
pub use icc::{Encoding, Profile};
pub use ink::pixel_of;
pub(crate) use ink::samples_of_color;
pub(crate) use light::encoded;
pub use models::values::{
    hsl_of, hsl_to, hsv_of, hsv_to, lab_of, lab_to_xyz, luv_of, luv_to_xyz, oklab_of, oklab_to_xyz, polar_of, polar_to,
    xyy_of, xyy_to_xyz,
};
pub(crate) use models::{FromModel, ToModel};
pub use models::{Model, ModelPixel, ModelRules, from_model, from_model_into, to_model, to_model_into};
pub(crate) use ramp::Painter;
pub use ramp::{Ramp, RampKind, RampRules, color_labels, false_color, false_color_into, label_color};
pub(crate) use space::times;
pub use space::{Adaptation, ColorSpace, Matrix};
pub(crate) use to_space::Plan;
pub use to_space::{Gamut, SpaceRules, to_space, to_space_into};
pub use vision::Vision;
