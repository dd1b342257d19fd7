//! Picture files: reading, writing, and what is in them.
//!
//! A file is opened by its content, never by its extension, and written by its extension. Sizes are checked against
//! [`Limits`] before memory is taken; a damaged file is an error with format and byte offset; a file is replaced
//! atomically, so that a failed write leaves the old one whole.
//!
//! Not here: what is done with the pixels on the way ([`flow`](crate::flow)).
#![cfg_attr(not(test), deny(clippy::indexing_slicing, clippy::arithmetic_side_effects, clippy::unwrap_used))]

mod as_picture;
#[cfg(any(feature = "png", feature = "bmp", feature = "tiff"))]
mod bits;
#[cfg(feature = "bmp")]
mod bmp;
mod bounds;
#[cfg(any(feature = "png", feature = "jpeg"))]
mod budget;
mod decoder;
mod encoder;
#[cfg(any(feature = "png", feature = "jpeg"))]
mod exif;
mod extensions;
mod feed;
mod formats;
#[cfg(feature = "gif")]
mod gif;
mod holds;
mod input;
#[cfg(any(feature = "pnm", feature = "npy"))]
mod interleaved;
#[cfg(feature = "jpeg")]
mod jpeg;
mod limits;
mod lossless;
#[cfg(feature = "npy")]
mod npy;
#[cfg(feature = "npy")]
mod npz;
mod options;
#[cfg(feature = "pfm")]
mod pfm;
#[cfg(feature = "png")]
mod png;
#[cfg(feature = "pnm")]
mod pnm;
#[cfg(any(feature = "png", feature = "jpeg", feature = "bmp"))]
mod profile;
#[cfg(feature = "qoi")]
mod qoi;
#[cfg(feature = "raw")]
mod raw;
mod reader;
mod replace;
#[cfg(any(feature = "bmp", feature = "pfm", feature = "raw"))]
mod reversed;
mod rows;
mod sniff;
mod stored;
#[cfg(feature = "tga")]
mod tga;
#[cfg(feature = "tiff")]
mod tiff;
mod transcode;
mod whole;
mod with_formats;
mod words;
mod writer;

pub use crate::pixel::ChromaSampling;
pub use as_picture::AsPicture;
pub use bounds::Bounds;
pub use decoder::{Decoder, Jump, RowsOut, Slot, Start, Stop, gather};
pub use encoder::{Encoder, Output};
pub use extensions::writable_extensions;
pub use formats::{Format, Formats};
pub use holds::{Holds, Item, holds};
pub use limits::Limits;
pub use lossless::{LosslessRules, OrientedFile, PartialBlocks, orient_lossless, orient_lossless_from};
pub use options::{
    Chroma, JpegOptions, ReadAs, ReadOptions, Reduced, Salvage, StatedMeaning, TiffCompression, TiffOptions,
    WriteOptions,
};
pub use reader::Reader;
pub use transcode::{Transcoded, pages_left, transcode};
pub use whole::{
    decode, encode, facts, facts_from, facts_with, read, read_from, read_with, write, write_bytes, write_with,
};
pub use writer::Writer;
