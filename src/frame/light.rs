//! Whether pixels are mixed as they are encoded, or as the light that they stand for.

use super::Metadata;
use crate::error::{Error, Result};
use crate::pixel::{Meaning, Transfer};

/// Light that is mixed in.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[non_exhaustive]
pub enum Light {
    /// The numbers as they are encoded: the usual way, and quick.
    #[default]
    Encoded,
    /// The light that they stand for by this curve, so that a fine pattern shrinks to the brightness it has from afar.
    Linear(Transfer),
}

impl Light {
    /// Linear light by the curve of a picture; encoded where its numbers are light or values already.
    ///
    /// # Errors
    /// A picture whose ICC profile has a curve without a formula, or cannot be used: convert it to a named space first.
    pub fn linear_of(metadata: &Metadata) -> Result<Light> {
        // A profile whose curve is known has stated it.
        let unknown = metadata.transfer == Transfer::Other && metadata.code_points.is_none();
        match metadata.meaning {
            Meaning::Color if unknown => Err(Error::invalid(
                "light",
                "linear light needs the picture's curve, and its ICC profile has none with a formula; convert it to a named space first (`to_space`)",
            )),
            Meaning::Color => Ok(Light::Linear(metadata.transfer)),
            _ => Ok(Light::Encoded),
        }
    }

    /// The curve that has to be undone first; none where numbers are mixed as they are.
    pub(crate) fn curve(self) -> Option<Transfer> {
        match self {
            Light::Encoded | Light::Linear(Transfer::Linear) => None,
            Light::Linear(curve) => Some(curve),
        }
    }
}
