//! PNG: Portable Network Graphics, ISO/IEC 15948 (third edition). Section numbers in this folder are that standard's.
//!
//! Read and written: every colour type but palettes, at 8 and 16 bits, not interlaced, with all filters. What is legal
//! and not done yet (palettes, 1 to 4 bits, Adam7, tRNS) is an error that names it.

mod chunks;
mod decode;
mod encode;
mod filter;
mod header;
mod unfilter;

pub(super) use decode::PngDecoder;
pub(super) use encode::PngEncoder;

/// The eight bytes every file starts with (5.2).
const SIGNATURE: [u8; 8] = *b"\x89PNG\r\n\x1a\n";
