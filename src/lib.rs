//! Rahmen is the pixel data core that imaging tools are built on: containers that know what their numbers mean, file
//! reading and writing, pixel and region access, bit depths, channel layouts, colour conversion, interpolated resizing
//! and histograms.
//!
//! ```
//! use rahmen::{Frame, Region, Rgb, Size, color, measure, resample};
//!
//! // A picture of one's own; `rahmen::read("quay.png")?.frame::<Rgb<u8>>()?` gives one from a file.
//! let quay = Frame::from_fn(Size::new(320, 200), |x, y| Rgb::new(x as u8, y as u8, 128))?;
//! let board = quay.region(Region::new(40..200, 20..120)?)?;               // a view: no copy
//! let small = resample::resize(board, Size::new(80, 50), resample::Kernel::CatmullRom)?;
//! let gray = color::gray(small.view(), color::GrayWeights::Bt709)?;
//! let counted = measure::histogram(gray.view(), &measure::HistogramRules::default())?;
//! assert_eq!(counted.channels[0].stats.count, 4000);
//! # Ok::<(), rahmen::Error>(())
//! ```
//!
//! Where to start:
//!
//! - Your own pixels of a known type: [`Frame`]. Memory that exists already: [`View`] and [`ViewMut`].
//! - A file, or a type known at run time only: [`read`], [`Picture`], and [`Visitor`](frame::Visitor) to get to typed code.
//! - Numbers that are not pictures, or more than four channels: [`Planes`].
//! - A picture larger than memory: [`file::Reader`], [`flow`], [`file::Writer`].
//!
//! Rows and ranges: (0, 0) is the top left pixel, x comes first, ranges are half-open. Integers span 0 to full;
//! a change of depth rescales, rounded to nearest, ties up. Alpha is straight. Nothing panics on input; indexing with
//! `[(x, y)]` does, at the caller's line.
#![warn(clippy::print_stdout, clippy::print_stderr)]
// A build without some of the formats has helpers that only those use.
#![cfg_attr(
    not(all(
        feature = "png",
        feature = "jpeg",
        feature = "pnm",
        feature = "pfm",
        feature = "bmp",
        feature = "tga",
        feature = "qoi",
        feature = "tiff",
        feature = "gif",
        feature = "npy",
        feature = "raw"
    )),
    allow(dead_code)
)]

pub mod access;
mod cancel;
pub mod color;
pub mod convert;
mod error;
pub mod file;
pub mod flow;
pub mod frame;
pub mod measure;
mod memory;
pub mod pixel;
pub mod resample;
mod simd;
mod threads;
pub mod tone;

pub use cancel::Cancel;
pub use error::{Error, ErrorKind, Help, Result};
pub use file::{read, write};
pub use frame::{
    AnyPlanes, Content, Facts, FileFormat, Frame, Levels, Metadata, Orientation, Picture, PixelFormat, Planes, Region,
    Size, View, ViewMut,
};
pub use memory::MemoryBudget;
pub use pixel::{
    Cmyk, Depth, Gray, GrayAlpha, Lab, Layout, Meaning, Number, NumberKind, PicturePixel, Pixel, Primaries, Rgb, Rgba,
    Sample, Transfer,
};
pub use threads::Threads;

/// The README's and the guides' examples are compiled and run with the tests.
#[cfg(doctest)]
mod documents {
    #[doc = include_str!("../README.md")]
    struct Readme;
}
