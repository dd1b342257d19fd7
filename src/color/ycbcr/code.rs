//! What codes of luma and colour differences are held in.

use crate::pixel::Sample;

/// A type that codes are held in: `u8` for 8 bits, `u16` for 8 to 16. Sealed, as [`Sample`] is.
pub trait YcbcrCode: Sample {
    /// Bits that have room.
    const BITS: u8;
    /// The code nearest to a number that was clamped and biased.
    #[doc(hidden)]
    fn of_floor(value: f64) -> Self;
}

impl YcbcrCode for u8 {
    const BITS: u8 = 8;
    #[inline(always)]
    fn of_floor(value: f64) -> u8 {
        whole(value) as u8
    }
}

impl YcbcrCode for u16 {
    const BITS: u8 = 16;
    #[inline(always)]
    fn of_floor(value: f64) -> u16 {
        whole(value) as u16
    }
}

/// The whole part of a number from 0 to 65,535: it stands in the low bits of its sum with 2^52, where a cast would be checked.
#[inline(always)]
pub(super) fn whole(value: f64) -> u64 {
    (value.floor() + 4_503_599_627_370_496.0).to_bits()
}
