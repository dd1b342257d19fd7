//! draft
pub mod access;
pub mod color;
mod error;
pub mod measure;
pub mod resample;
pub mod frame;
pub mod pixel;
mod simd;
mod threads;
pub use error::{Error, ErrorKind, Result};
pub use frame::*;
pub use pixel::*;
pub use threads::Threads;
