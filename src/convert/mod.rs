//! The same pixels as other numbers: another depth, values through a window, codes, channels picked and merged, alpha
//! multiplied into colour and taken out, foreign memory.
//!
//! Not here: moving pixels ([`access`](crate::access)), and new colours ([`color`](crate::color)).
//!
//! Everything works on samples and a number of channels; the functions over pixel types are shells around that.

pub mod channels;
pub mod codes;
mod content;
pub mod depth;
mod foreign;
pub mod premultiply;
mod select;
pub(crate) mod swizzle;
mod window;
