//! Whether pixels are mixed as they are encoded, or as the light that they stand for.

use super::Metadata;
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
    pub fn linear_of(metadata: &Metadata) -> Light {
        match metadata.meaning {
            Meaning::Color => Light::Linear(metadata.transfer),
            _ => Light::Encoded,
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
