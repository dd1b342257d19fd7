//! Windows bitmaps, after the public description of BITMAPFILEHEADER and the header structures that followed it.
//!
//! Read: 1, 4, 8, 16, 24 and 32 bits, palettes, bit fields with and without alpha, RLE4 and RLE8, rows from below or from
//! the top. A palette of grays comes as gray. Fields of less than 8 bits are scaled, and their max codes remembered;
//! fields of more come as u16. Colour profiles inside (version 5) are passed over. Written: gray by a palette of grays,
//! rgb in 24 bits, rgb+alpha in 32 bits with fields, from below.

mod decode;
mod encode;
mod header;
mod runs;

pub(super) use decode::BmpDecoder;
pub(super) use encode::BmpEncoder;
