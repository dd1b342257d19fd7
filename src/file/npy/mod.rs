//! NumPy arrays (NPY, versions 1 to 3 of its public description): the bridge to notebooks.
//!
//! Read: arrays of two axes (height, width) or three (height, width, channels), both byte orders, both memory orders,
//! booleans, integers of 8 to 64 bits, floats of 16 to 64. One to four channels of u8, u16 or f32 come as gray,
//! gray+alpha, rgb and rgb+alpha, half floats as f32, booleans as gray of max code 1; all else comes as planes named by
//! their place on the last axis. Written: version 1, little-endian, rows in order, of the own type.

mod decode;
mod element;
mod encode;
mod header;

pub(super) use decode::NpyDecoder;
pub(super) use encode::NpyEncoder;
