//! Bytes without a header, read and written as a [`RawLayout`](crate::frame::RawLayout) describes them; only when one is
//! named.

mod decode;
mod encode;

pub(super) use decode::RawDecoder;
pub(super) use encode::RawEncoder;
