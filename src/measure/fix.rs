//! Likely causes of a difference, as changes that would take it away.

use crate::frame::Orientation;
use crate::pixel::Depth;

/// A change that makes the second picture equal to the first, or much closer.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct Hint {
    /// The change.
    pub fix: Fix,
    /// PSNR after the change, in dB; infinite where the pictures are equal then.
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub psnr_db: f64,
}

/// A change of the second picture.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Fix {
    /// Its channels in another order: which of them become red, green and blue.
    Channels([u8; 3]),
    /// Another way to lay it down.
    Orientation(Orientation),
    /// Both pictures at this depth, the coarser of the two.
    Depth(Depth),
    /// Encoded by the sRGB curve: it holds linear light, the first does not, or it was decoded once too often.
    Encoded,
    /// Decoded by the sRGB curve: the first holds linear light, or the second was encoded once too often.
    Decoded,
    /// Inverted.
    Negative,
    /// Multiplied by a factor, of three decimals.
    Gain(f64),
    /// Raised to a power as fractions of the peak, of three decimals.
    Gamma(f64),
    /// Moved by whole pixels to the right and down, up to 8 each.
    Shift(i8, i8),
}

impl Fix {
    /// The change in words: `r and b are swapped`.
    pub fn words(self) -> String {
        match self {
            Fix::Channels([2, 1, 0]) => "r and b are swapped".into(),
            Fix::Channels([1, 0, 2]) => "r and g are swapped".into(),
            Fix::Channels([0, 2, 1]) => "g and b are swapped".into(),
            Fix::Channels(order) => {
                let letters: Vec<_> =
                    order.iter().filter_map(|&c| ["r", "g", "b"].get(usize::from(c))).copied().collect();
                format!("the channels of the second are taken as {}", letters.join(","))
            }
            Fix::Orientation(orientation) => {
                let word = match orientation {
                    Orientation::Upright => "left as it is",
                    Orientation::MirroredLeftRight => "mirrored left-right",
                    Orientation::MirroredTopBottom => "mirrored top-bottom",
                    Orientation::RotatedHalf => "rotated by 180 degrees",
                    Orientation::RotatedRight => "rotated by 90 degrees clockwise",
                    Orientation::RotatedLeft => "rotated by 90 degrees counter-clockwise",
                    Orientation::Transposed => "transposed",
                    Orientation::AntiTransposed => "transposed about the other diagonal",
                };
                format!("the second is {word}")
            }
            Fix::Depth(depth) => format!("both are taken at {depth}"),
            Fix::Encoded => "the second is encoded by the sRGB curve: it holds the first as linear light".into(),
            Fix::Decoded => {
                "the second is decoded by the sRGB curve: the first is linear light, or the second was encoded twice"
                    .into()
            }
            Fix::Negative => "the second is inverted: it is a negative of the first".into(),
            Fix::Gain(factor) => format!("the second is multiplied by {factor}"),
            Fix::Gamma(exponent) => format!("the second is raised to the power {exponent} (a gamma)"),
            Fix::Shift(x, y) => format!("the second is moved by {x},{y} pixels"),
        }
    }
}

impl Hint {
    /// The hint in words: `equal if r and b are swapped`, or how much closer the pictures are than `before`, in dB.
    pub fn words(self, before: f64) -> String {
        let fix = self.fix.words();
        match self.psnr_db.is_infinite() {
            true => format!("equal if {fix}"),
            false => format!("much closer if {fix}: {:.1} dB instead of {before:.1}", self.psnr_db),
        }
    }
}
