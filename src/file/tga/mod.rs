//! Truevision TGA, after the public specification of version 2.0.
//!
//! Read: palettes, colour and gray, plain and as runs (types 1, 2, 3, 9, 10, 11), 8 to 32 bits, any of the four corners
//! first. Fields of 5 bits are scaled, and their max codes remembered. Alpha is what the header counts as attribute bits,
//! unless the extension area calls it undefined; associated alpha is divided. Written: gray, rgb, rgb+alpha and indices,
//! plain, from the top, with an extension area that says what alpha is.

mod area;
mod decode;
mod encode;
mod header;
mod runs;

pub(super) use decode::TgaDecoder;
pub(super) use encode::TgaEncoder;
