//! TIFF 6.0 (Adobe, 1992), with its technical notes, and its form with offsets of 64 bits (BigTIFF).
//!
//! A file is a chain of directories, each a list of tagged values that describe one picture; the pixels lie in strips or tiles
//! anywhere in the file. What a directory says is checked once ([`shape`]); strips and tiles are fetched as rows are asked for,
//! unpacked on all threads, and put together to bands of whole rows, of which one at a time is held.
//!
//! Not here: JPEG-compressed strips in the form of 1992, which was withdrawn, and the log-encoded light of later extensions; both are
//! refused by name.

mod band;
mod chunk;
mod codecs;
mod color;
mod curve;
mod decode;
mod directory;
mod encode;
mod fax;
mod fax_codes;
mod fetch;
mod form;
mod halves;
mod jpeg;
mod notes;
mod numbers;
mod page_out;
mod page_tags;
mod pieces;
mod predictor;
mod rows;
mod shape;
mod subtree;
mod tags;
mod tags_out;
mod unpack;
mod walk;

pub(super) use decode::TiffDecoder;
pub(super) use encode::TiffEncoder;
