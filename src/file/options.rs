//! Options of reading and writing: plain values with stated defaults.
//!
//! Not here: limits ([`limits`](super::limits)).

mod read;
mod write;

pub use read::{Chroma, ReadAs, ReadOptions, Reduced, Salvage, StatedMeaning};
pub use write::{JpegOptions, TiffCompression, TiffOptions, WriteOptions};

use crate::frame::{Facts, MEANING_UNSAID, PixelFormat};
use crate::pixel::{Depth, Meaning};

/// A remark on what floats of a format are taken as that does not say what they mean.
#[cfg_attr(not(any(feature = "npy", feature = "pfm")), allow(dead_code))]
pub(super) fn unsaid_meaning(facts: &Facts) -> Option<String> {
    let floats = matches!(facts.pixel_format, PixelFormat::Pixels { depth: Depth::F32, .. });
    let taken = match facts.metadata.meaning {
        Meaning::Color if facts.metadata.is_linear() => "linear light",
        Meaning::Color => "encoded colour",
        Meaning::Values { .. } => "values",
        Meaning::Indices => return None,
    };
    floats.then(|| format!("{MEANING_UNSAID}: they are taken as {taken}"))
}
