//! JPEG (ITU-T T.81, ISO/IEC 10918-1), in files as JFIF and EXIF have them.
//!
//! Read: baseline, extended sequential (8 and 12 bits) and progressive, any sampling, restart intervals, one, three and
//! four components. Not here: arithmetic coding, lossless and hierarchical modes, which hardly any file has; they are
//! refused by name.

mod bits;
mod canvas;
mod color;
mod decode;
mod frame;
mod huffman;
mod idct;
mod scan;
mod segments;
mod strips;
mod tables;

pub(super) use decode::JpegDecoder;
