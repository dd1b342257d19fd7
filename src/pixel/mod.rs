//! What one pixel is: number types, depths, channel layouts, pixel types with named fields, and the tags that say what
//! the numbers mean.
//!
//! Not here: anything that holds more than one pixel (that is [`frame`](crate::frame)), and anything that changes a
//! pixel's colour (that is [`color`](crate::color)).

pub(crate) mod cast;
mod channels;
pub(crate) mod codes;
mod depth;
mod layout;
mod meaning;
mod models;
mod number;
mod premultiplied;
mod primaries;
mod sample;
mod samples;
mod sampling;
mod transfer;
mod types;

pub use cast::{pixels_of, pixels_of_mut, samples_of, samples_of_mut};
pub use channels::Channels;
pub use depth::Depth;
pub use layout::{Layout, PicturePixel, Pixel};
pub use meaning::Meaning;
pub use models::{Hsl, Hsv, Lab, Lch, LinearRgb, Luv, Oklab, Oklch, Xyy, Xyz, Ycbcr};
pub use number::{Number, NumberKind, NumbersRef};
pub use premultiplied::Premultiplied;
pub use primaries::Primaries;
pub use sample::Sample;
pub use samples::{Samples, SamplesMut, SamplesRef};
pub use sampling::{ChromaSampling, ChromaSiting};
pub use transfer::Transfer;
pub use types::{Cmyk, Gray, GrayAlpha, Rgb, Rgba};

/// Keeps the traits of this module closed: layouts and sizes are proved once, for the types listed here.
pub(crate) mod sealed {
    pub trait Sealed {}
}
