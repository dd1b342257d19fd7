//! Colours as people with a colour vision deficiency see them.
//!
//! Not here: ramps that are made for them ([`Ramp`](super::Ramp)).

use super::space::{Matrix, times};
use crate::pixel::Transfer;

/// A kind of colour vision.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[non_exhaustive]
pub enum Vision {
    /// All three kinds of cones.
    #[default]
    Full,
    /// Without cones for long waves.
    Protanopia,
    /// Without cones for middle waves.
    Deuteranopia,
    /// Without cones for short waves.
    Tritanopia,
}

impl Vision {
    /// All of them.
    pub const ALL: &'static [Vision] = &[Vision::Full, Vision::Protanopia, Vision::Deuteranopia, Vision::Tritanopia];

    /// The word for it in reports.
    pub fn name(self) -> &'static str {
        match self {
            Vision::Full => "full",
            Vision::Protanopia => "protanopia",
            Vision::Deuteranopia => "deuteranopia",
            Vision::Tritanopia => "tritanopia",
        }
    }

    /// An sRGB colour, as fractions of encoded full, as it is seen: Machado, Oliveira and Fernandes (2009), table 1 at severity 1, in
    /// linear light; clamped.
    ///
    /// # Examples
    /// ```
    /// use rahmen::color::Vision;
    /// assert!(Vision::Deuteranopia.seen([1.0; 3]).iter().all(|v| (v - 1.0).abs() < 1e-5));
    /// ```
    pub fn seen(self, rgb: [f64; 3]) -> [f64; 3] {
        let matrix: Matrix = match self {
            Vision::Full => return rgb,
            Vision::Protanopia => [
                [0.152_286, 1.052_583, -0.204_868],
                [0.114_503, 0.786_281, 0.099_216],
                [-0.003_882, -0.048_116, 1.051_998],
            ],
            Vision::Deuteranopia => [
                [0.367_322, 0.860_646, -0.227_968],
                [0.280_085, 0.672_501, 0.047_413],
                [-0.011_820, 0.042_940, 0.968_881],
            ],
            Vision::Tritanopia => [
                [1.255_528, -0.076_749, -0.178_779],
                [-0.078_411, 0.930_809, 0.147_602],
                [0.004_733, 0.691_367, 0.303_900],
            ],
        };
        times(&matrix, rgb.map(|v| Transfer::Srgb.decode(v))).map(|v| Transfer::Srgb.encode(v.clamp(0.0, 1.0)))
    }
}
