//! PNG: Portable Network Graphics, ISO/IEC 15948 (third edition). Section numbers in this folder are that standard's.
//!
//! Read: everything. Palettes and transparent colours are expanded, codes below 8 bits scaled; an interlaced picture is
//! held whole; frames of an animation are pages, drawn as a viewer shows them. Written: gray, gray+alpha, rgb, rgb+alpha at 8 and 16 bits,
//! gray of 1, 2 and 4 bits where the max code says so, palettes, interlaced by choice, several pages as an animation.

mod bits;
mod canvas;
mod chunks;
mod color;
mod decode;
mod encode;
mod expand;
mod filter;
mod frames;
mod header;
mod interlaced;
mod pack;
mod packed;
mod passes;
mod player;
mod rows;
mod texts;
mod unfilter;
mod walk;

pub(super) use decode::PngDecoder;
pub(super) use encode::PngEncoder;

/// The eight bytes every file starts with (5.2).
const SIGNATURE: [u8; 8] = *b"\x89PNG\r\n\x1a\n";
