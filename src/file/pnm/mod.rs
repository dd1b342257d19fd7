//! The portable maps: PBM, PGM and PPM (plain and raw, P1 to P6) and PAM (P7), after their public descriptions.
//!
//! Any maximum value from 1 to 65,535 is read: samples are scaled to the full range of `u8` (up to 255) or `u16`, and
//! the maximum is remembered as the max code, so that writing gives the same codes again. A bilevel map has max code 1
//! and its black, which the file stores as 1, comes as 0.

mod decode;
mod encode;
mod header;
mod plain;
mod scale;

pub(super) use decode::PnmDecoder;
pub(super) use encode::PnmEncoder;
