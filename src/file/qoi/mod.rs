//! QOI, after its public specification (version 1.0): rgb and rgb+alpha at 8 bits, in one sequential pass each way.
//!
//! The colour space byte is kept: 0 is sRGB, 1 is linear light in all channels.

mod decode;
mod encode;

pub(super) use decode::QoiDecoder;
pub(super) use encode::QoiEncoder;

/// The four bytes every file starts with.
const MAGIC: [u8; 4] = *b"qoif";

/// What every file ends with.
const END: [u8; 8] = [0, 0, 0, 0, 0, 0, 0, 1];

/// A pixel, alpha last.
type Rgba = [u8; 4];

/// The pixel before the first one.
const START: Rgba = [0, 0, 0, 255];

/// Where a pixel is kept among the 64 seen last.
fn place([r, g, b, a]: Rgba) -> usize {
    let sum = u32::from(r).wrapping_mul(3).wrapping_add(u32::from(g).wrapping_mul(5));
    let sum = sum.wrapping_add(u32::from(b).wrapping_mul(7)).wrapping_add(u32::from(a).wrapping_mul(11));
    (sum & 63) as usize
}
