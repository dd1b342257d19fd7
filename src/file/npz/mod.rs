//! Several NumPy arrays in a ZIP archive (NPZ; PKWARE's APPNOTE 6.3), each a page with the name of its entry.
//!
//! Read: entries whose name ends with .npy, stored or packed by Deflate. Written: an entry a page, packed unless the compression level is
//! 0, with sizes behind the data, so that memory stays bounded. Not here: archives of over 4 GiB, encryption, other packings.

mod archive;
mod decode;
mod encode;

pub(super) use decode::NpzDecoder;
pub(super) use encode::NpzEncoder;
