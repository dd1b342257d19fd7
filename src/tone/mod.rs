//! Changing pictures by their tone: curves, stretching, equalising, thresholds, and fewer levels.
//!
//! A [`Curve`] maps fractions of full; a [`Tone`] is curves and what they work on, ready to be applied to pixels of any
//! type: by table on 8 and 16 bits, as a function on floats, alpha left alone. What depends on the picture is found from a
//! [`Histogram`](crate::measure::Histogram) first, so that it can be measured on one part and applied to another, or be
//! collected strip by strip.
//!
//! Not here: measuring ([`measure`](crate::measure)), gray and colour models ([`color`](crate::color)).

mod adaptive;
mod apply;
mod curve;
mod dither;
mod equalize;
mod palette;
mod palette_map;
mod quantize;
mod quantizer;
mod stretch;
mod study;
mod threshold;

pub use adaptive::{AdaptiveRules, AdaptiveTone, equalize_adaptive};
pub(crate) use apply::measured_any;
pub use apply::{Basis, Tone, Toned, measured};
pub use curve::Curve;
pub use dither::Dither;
pub use equalize::{EqualizeBy, EqualizeRules, LevelRow, equalization, equalize, level_table, matching};
pub use palette::{ColorCounts, PaletteRules};
pub(crate) use palette_map::PaletteMap;
pub(crate) use quantize::quantize_any;
pub use quantize::{QuantizeRules, quantize};
pub use quantizer::{Cell, Quantizer, Reconstruction};
pub use stretch::{StretchBy, StretchRules, stretch, stretching};
pub use study::{BitLevel, BitStudy, bit_study, quantization_error};
pub use threshold::{ThresholdBy, ThresholdRules, otsu, threshold, thresholding};
