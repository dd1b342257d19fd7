//! Bytes without a header, read and written as a [`RawLayout`](crate::frame::RawLayout) or a
//! [`YcbcrLayout`](crate::color::ycbcr::YcbcrLayout) describes them; only when one is named.

mod decode;
mod encode;
mod ycbcr;

pub(super) use decode::RawDecoder;
pub(super) use encode::RawEncoder;
pub(super) use ycbcr::{YcbcrDecoder, YcbcrEncoder};
