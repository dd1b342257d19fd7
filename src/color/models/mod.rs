//! The colour models beside red, green and blue: whole pictures there and back, and single colours.
//!
//! - [`Model`] names them; [`to_model`] and [`from_model`] take views of pixels there and back, [`Pixels::to_model`] and
//!   [`Picture::to_model`](crate::Picture::to_model) pictures, to named planes with alpha beside them.
//! - `values`: each model as a function of one colour in `f64`, with its source.
//!
//! Not here: spaces of red, green and blue ([`ColorSpace`](super::ColorSpace)), and codes of luma and colour differences as cameras and
//! decoders hand them over ([`super::ycbcr`]).

mod back;
mod convert;
mod formulas;
pub(super) mod values;

use super::space::{Adaptation, ColorSpace};
use super::ycbcr::LumaWeights;
use crate::error::Result;
use crate::pixel::{Hsl, Hsv, Lab, Lch, LinearRgb, Luv, Oklab, Oklch, Pixel, Xyy, Xyz, Ycbcr};
use crate::threads::Threads;
pub(crate) use back::FromModel;
pub use back::{from_model, from_model_into};
pub(crate) use convert::ToModel;
pub use convert::{to_model, to_model_into};

/// A colour model of three channels.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum Model {
    /// Linear light of the space's own primaries.
    LinearRgb,
    /// CIE 1931 XYZ, the Y of the white 1.
    Xyz,
    /// CIE 1931 x, y and Y.
    Xyy,
    /// CIE 1976 L\*a\*b\* (CIE 15:2018, 8.2.1).
    Lab,
    /// L\*a\*b\* as lightness, chroma and hue in degrees.
    Lch,
    /// CIE 1976 L\*u\*v\* (CIE 15:2018, 8.2.2).
    Luv,
    /// Oklab (Ottosson 2020), always under D65.
    Oklab,
    /// Oklab as lightness, chroma and hue in degrees.
    Oklch,
    /// Hue in degrees, saturation and value of encoded channels (Smith 1978).
    Hsv,
    /// Hue in degrees, saturation and lightness of encoded channels (Joblove and Greenberg 1978).
    Hsl,
    /// Luma and colour differences of encoded channels, by these weights: Y 0 to 1, Cb and Cr -1/2 to 1/2.
    Ycbcr(LumaWeights),
}

impl Model {
    /// The models and their words.
    pub const NAMED: &'static [(&'static str, Model)] = &[
        ("linear-rgb", Model::LinearRgb),
        ("xyz", Model::Xyz),
        ("xyy", Model::Xyy),
        ("lab", Model::Lab),
        ("lch", Model::Lch),
        ("luv", Model::Luv),
        ("oklab", Model::Oklab),
        ("oklch", Model::Oklch),
        ("hsv", Model::Hsv),
        ("hsl", Model::Hsl),
        ("ycbcr-bt601", Model::Ycbcr(LumaWeights::Bt601)),
        ("ycbcr-bt709", Model::Ycbcr(LumaWeights::Bt709)),
        ("ycbcr-bt2020", Model::Ycbcr(LumaWeights::Bt2020)),
    ];

    /// The model of this word.
    pub fn named(name: &str) -> Option<Model> {
        Model::NAMED.iter().find(|(own, _)| *own == name).map(|(_, model)| *model)
    }

    /// The word for it.
    pub fn name(self) -> &'static str {
        Model::NAMED.iter().find(|(_, model)| *model == self).map_or("model", |(name, _)| *name)
    }

    /// The names of its channels, which its planes get.
    pub fn channel_names(self) -> [&'static str; 3] {
        let names = match self {
            Model::LinearRgb => LinearRgb::CHANNEL_NAMES,
            Model::Xyz => Xyz::CHANNEL_NAMES,
            Model::Xyy => Xyy::CHANNEL_NAMES,
            Model::Lab => Lab::CHANNEL_NAMES,
            Model::Lch => Lch::CHANNEL_NAMES,
            Model::Luv => Luv::CHANNEL_NAMES,
            Model::Oklab => Oklab::CHANNEL_NAMES,
            Model::Oklch => Oklch::CHANNEL_NAMES,
            Model::Hsv => Hsv::CHANNEL_NAMES,
            Model::Hsl => Hsl::CHANNEL_NAMES,
            Model::Ycbcr(_) => Ycbcr::CHANNEL_NAMES,
        };
        [names[0], names[1], names[2]]
    }

    /// The values that become 0 and full where a channel is stored in integers: those of the ICC's Lab encodings (ICC.1:2022, 10.10: L 0 to
    /// 100, a and b -128 to 127), 0 to 360 for hues, what sRGB reaches at most for the rest.
    pub fn ranges(self) -> [(f64, f64); 3] {
        const UNIT: (f64, f64) = (0.0, 1.0);
        const HUE: (f64, f64) = (0.0, 360.0);
        match self {
            Model::LinearRgb | Model::Xyy => [UNIT; 3],
            // Z of a white under D65 is 1.089.
            Model::Xyz => [UNIT, UNIT, (0.0, 1.1)],
            Model::Lab => [(0.0, 100.0), (-128.0, 127.0), (-128.0, 127.0)],
            Model::Lch => [(0.0, 100.0), (0.0, 181.0), HUE],
            Model::Luv => [(0.0, 100.0), (-134.0, 220.0), (-140.0, 122.0)],
            Model::Oklab => [UNIT, (-0.5, 0.5), (-0.5, 0.5)],
            Model::Oklch => [UNIT, (0.0, 0.5), HUE],
            Model::Hsv | Model::Hsl => [HUE, UNIT, UNIT],
            Model::Ycbcr(_) => [UNIT, (-0.5, 0.5), (-0.5, 0.5)],
        }
    }

    /// Whether it is made of encoded numbers, and not of light: no primaries or white are asked for.
    pub fn is_of_encoded(self) -> bool {
        matches!(self, Model::Hsv | Model::Hsl | Model::Ycbcr(_))
    }
}

/// A pixel type of a [`Model`]; sealed, as [`Pixel`] is.
pub trait ModelPixel: Pixel<Number = f32> {
    /// The model; of luma and colour differences that of BT.709.
    const MODEL: Model;
}

macro_rules! models {
    ($($pixel:ident $model:expr),* $(,)?) => {$(
        impl ModelPixel for $pixel {
            const MODEL: Model = $model;
        }
    )*};
}
models! {
    LinearRgb Model::LinearRgb, Xyz Model::Xyz, Xyy Model::Xyy, Lab Model::Lab, Lch Model::Lch, Luv Model::Luv, Oklab Model::Oklab,
    Oklch Model::Oklch, Hsv Model::Hsv, Hsl Model::Hsl, Ycbcr Model::Ycbcr(LumaWeights::Bt709),
}

/// Rules of a conversion to or from a model.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[non_exhaustive]
pub struct ModelRules {
    /// The white that XYZ, xyY, Lab, LCh and Luv are under, as CIE XYZ with Y = 1; that of the space by default. D50 is
    /// [`ColorSpace::ROMM`]'s. Oklab is always under D65.
    pub white: Option<[f64; 3]>,
    /// How the white of the space becomes that one.
    pub adaptation: Adaptation,
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl ModelRules {
    /// Sets the white: CIE XYZ, Y = 1; none is the space's own.
    pub fn white(self, white: impl Into<Option<[f64; 3]>>) -> ModelRules {
        ModelRules { white: white.into(), ..self }
    }

    /// Sets how whites become each other.
    pub fn adaptation(self, adaptation: Adaptation) -> ModelRules {
        ModelRules { adaptation, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> ModelRules {
        ModelRules { threads, ..self }
    }

    /// The white of a model, and the matrix from the space's linear light to CIE XYZ under it.
    fn under_white(&self, model: Model, space: &ColorSpace) -> Result<([f64; 3], super::Matrix)> {
        let own = space.white()?;
        let white = match model {
            Model::Oklab | Model::Oklch => ColorSpace::SRGB.white()?,
            _ => self.white.unwrap_or(own),
        };
        let adapted = match white == own {
            true => space.to_xyz()?,
            false => super::space::product(&self.adaptation.matrix(own, white), &space.to_xyz()?),
        };
        Ok((white, adapted))
    }
}
