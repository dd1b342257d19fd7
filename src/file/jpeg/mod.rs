//! JPEG (ITU-T T.81, ISO/IEC 10918-1), in files as JFIF and EXIF have them.
//!
//! Read: baseline, extended sequential (8 and 12 bits) and progressive, any sampling, restart intervals, one, three and
//! four components. Written: gray and YCbCr of 8 bits, baseline and progressive. Not here: arithmetic coding, lossless and hierarchical modes, which hardly any file has; they are
//! refused by name.

mod bits;
mod canvas;
mod codes;
mod coding;
mod coefficients;
mod color;
mod decode;
mod encode;
mod fdct;
mod frame;
mod held;
mod huffman;
mod idct;
mod lossless;
mod picture;
mod pile;
mod planes;
mod running;
mod scan;
mod scans;
mod segments;
mod shape;
mod strips;
mod tables;

pub(super) use decode::JpegDecoder;
pub(super) use encode::JpegEncoder;
pub(super) use lossless::oriented;
