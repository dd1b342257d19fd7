//! Samples: the three number types that pictures are made of, and the exact conversion between them.

use super::depth::Depth;
use super::number::Number;
use super::samples::{Samples, SamplesMut, SamplesRef};

/// Sample type of pictures: `u8`, `u16` or `f32`.
///
/// Integers span 0 = none to their largest value = full; `f32` spans 0.0 to 1.0 nominally and may lie outside.
pub trait Sample: Number {
    /// The type, at run time.
    const DEPTH: Depth;
    /// The value that means "full": 255, 65,535 or 1.0.
    const FULL: Self;

    /// The sample as a fraction of full, exactly rounded to `f64`.
    fn to_fraction(self) -> f64;

    /// The sample nearest to a fraction of full: ties up on the exact product; integers clamp, NaN becomes 0.
    /// `f32` is not clamped.
    fn from_fraction(fraction: f64) -> Self;

    /// This sample at another depth: full to full, rounded to nearest, ties up, decided on the exact product.
    fn to_depth<T: Sample>(self) -> T;

    /// The number itself as `f32`, exactly: a code stays a code.
    #[doc(hidden)]
    fn to_f32(self) -> f32;

    /// From the three depths; `to_depth` picks one of these.
    #[doc(hidden)]
    fn from_u8(value: u8) -> Self;
    #[doc(hidden)]
    fn from_u16(value: u16) -> Self;
    #[doc(hidden)]
    fn from_f32(value: f32) -> Self;

    /// This colour multiplied by an alpha: colour x alpha / full, rounded to nearest (integers have no ties).
    #[doc(hidden)]
    fn multiplied(self, alpha: Self) -> Self;
    /// The colour that an alpha was multiplied into: colour x full / alpha, rounded to nearest, ties up, at most full;
    /// 0 where alpha is 0.
    #[doc(hidden)]
    fn divided(self, alpha: Self) -> Self;

    /// Bytes as samples of this machine's byte order, where they are aligned and a whole number of samples.
    #[doc(hidden)]
    fn of_bytes(bytes: &[u8]) -> Option<&[Self]>;
    #[doc(hidden)]
    fn of_bytes_mut(bytes: &mut [u8]) -> Option<&mut [Self]>;
    /// One sample from its bytes, and back, in this machine's byte order or the other.
    #[doc(hidden)]
    fn load(bytes: &[u8], swap: bool) -> Self;
    #[doc(hidden)]
    fn store(self, bytes: &mut [u8], swap: bool);

    /// Views a run-time choice of sample slice as this type, if it is this type.
    #[doc(hidden)]
    fn pick<'a>(samples: SamplesRef<'a>) -> Option<&'a [Self]>;
    #[doc(hidden)]
    fn pick_mut<'a>(samples: SamplesMut<'a>) -> Option<&'a mut [Self]>;
    #[doc(hidden)]
    fn lend_ref(samples: &[Self]) -> SamplesRef<'_>;
    #[doc(hidden)]
    fn lend(samples: &mut [Self]) -> SamplesMut<'_>;
    #[doc(hidden)]
    fn take(samples: Samples) -> Result<Vec<Self>, Samples>;
    #[doc(hidden)]
    fn wrap(samples: Vec<Self>) -> Samples;
}

/// Rounds half up after a multiplication that is exact in `f64`: a 24-bit float mantissa times at most 16 bits.
///
/// The sum with 0.5 is exact too wherever the result depends on it: near a tie the product has at most 40 significant
/// bits above 2^-41; far smaller products cannot reach the next integer.
#[inline(always)]
fn scale_up(value: f32, full: f64) -> f64 {
    let product = f64::from(value) * full;
    (product + 0.5).floor()
}

/// A fraction times full, rounded half up, decided on the exact product: the product itself is rounded, and may be
/// rounded onto a tie from below it.
#[inline(always)]
fn scale_fraction(fraction: f64, full: f64) -> f64 {
    let product = fraction * full;
    let below = product.floor();
    let above = product - below;
    // What rounding took from the product is not negative: a fused multiply-add gives it exactly. Rarely asked for.
    let up = above > 0.5 || (above == 0.5 && fraction.mul_add(full, -product) >= 0.0);
    if up { below + 1.0 } else { below }
}

impl Sample for u8 {
    const DEPTH: Depth = Depth::U8;
    const FULL: Self = 255;

    fn to_fraction(self) -> f64 {
        f64::from(self) / 255.0
    }
    fn from_fraction(fraction: f64) -> Self {
        scale_fraction(fraction, 255.0) as u8
    }
    #[inline(always)]
    fn to_f32(self) -> f32 {
        f32::from(self)
    }
    #[inline(always)]
    fn to_depth<T: Sample>(self) -> T {
        T::from_u8(self)
    }
    #[inline(always)]
    fn from_u8(value: u8) -> Self {
        value
    }
    #[inline(always)]
    fn from_u16(value: u16) -> Self {
        // 65,535 / 255 is 257, an odd number: there are no ties.
        ((u32::from(value) + 128) / 257) as u8
    }
    #[inline(always)]
    fn from_f32(value: f32) -> Self {
        scale_up(value, 255.0) as u8
    }
    #[inline(always)]
    fn multiplied(self, alpha: Self) -> Self {
        // Exact for all 65,536 pairs: a test goes through them.
        let t = u32::from(self) * u32::from(alpha) + 128;
        ((t + (t >> 8)) >> 8) as u8
    }
    #[inline(always)]
    fn divided(self, alpha: Self) -> Self {
        // (2 n + 1) / 4 a is never within 1 / 4 a of a whole number, 3.8e-6 of it at least: far more than what rounding
        // the reciprocal and the product takes. Whole numbers below 2^23 stand in the low bits of their sum with 2^23.
        let (c, a) = (f32::from(self), f32::from(alpha));
        let share = if alpha == 0 { 0.0 } else { 1.0 / (4.0 * a) };
        let quotient = (c * (4.0 * 255.0) + (2.0 * a + 1.0)) * share;
        (quotient.min(255.0).floor() + 8_388_608.0).to_bits() as u8
    }
    fn of_bytes(bytes: &[u8]) -> Option<&[Self]> {
        bytemuck::try_cast_slice(bytes).ok()
    }
    fn of_bytes_mut(bytes: &mut [u8]) -> Option<&mut [Self]> {
        bytemuck::try_cast_slice_mut(bytes).ok()
    }
    #[inline(always)]
    fn load(bytes: &[u8], _: bool) -> Self {
        bytes[0]
    }
    #[inline(always)]
    fn store(self, bytes: &mut [u8], _: bool) {
        bytes[0] = self;
    }
    fn pick<'a>(samples: SamplesRef<'a>) -> Option<&'a [Self]> {
        if let SamplesRef::U8(s) = samples { Some(s) } else { None }
    }
    fn pick_mut<'a>(samples: SamplesMut<'a>) -> Option<&'a mut [Self]> {
        if let SamplesMut::U8(s) = samples { Some(s) } else { None }
    }
    fn lend_ref(samples: &[Self]) -> SamplesRef<'_> {
        SamplesRef::U8(samples)
    }
    fn lend(samples: &mut [Self]) -> SamplesMut<'_> {
        SamplesMut::U8(samples)
    }
    fn take(samples: Samples) -> Result<Vec<Self>, Samples> {
        if let Samples::U8(s) = samples { Ok(s) } else { Err(samples) }
    }
    fn wrap(samples: Vec<Self>) -> Samples {
        Samples::U8(samples)
    }
}

impl Sample for u16 {
    const DEPTH: Depth = Depth::U16;
    const FULL: Self = 65_535;

    fn to_fraction(self) -> f64 {
        f64::from(self) / 65_535.0
    }
    fn from_fraction(fraction: f64) -> Self {
        scale_fraction(fraction, 65_535.0) as u16
    }
    #[inline(always)]
    fn to_f32(self) -> f32 {
        f32::from(self)
    }
    #[inline(always)]
    fn to_depth<T: Sample>(self) -> T {
        T::from_u16(self)
    }
    #[inline(always)]
    fn from_u8(value: u8) -> Self {
        u16::from(value) * 257
    }
    #[inline(always)]
    fn from_u16(value: u16) -> Self {
        value
    }
    #[inline(always)]
    fn from_f32(value: f32) -> Self {
        scale_up(value, 65_535.0) as u16
    }
    #[inline(always)]
    fn multiplied(self, alpha: Self) -> Self {
        // The same in 32 bits: 65,535^2 + 32,768 and its 65,536th still fit.
        let t = u32::from(self) * u32::from(alpha) + 32_768;
        ((t + (t >> 16)) >> 16) as u16
    }
    #[inline(always)]
    fn divided(self, alpha: Self) -> Self {
        let (c, a) = (f64::from(self), f64::from(alpha));
        let quotient = (c * (4.0 * 65_535.0) + (2.0 * a + 1.0)) / (4.0 * a);
        if alpha == 0 { 0 } else { quotient.min(65_535.0) as u16 }
    }
    fn of_bytes(bytes: &[u8]) -> Option<&[Self]> {
        bytemuck::try_cast_slice(bytes).ok()
    }
    fn of_bytes_mut(bytes: &mut [u8]) -> Option<&mut [Self]> {
        bytemuck::try_cast_slice_mut(bytes).ok()
    }
    #[inline(always)]
    fn load(bytes: &[u8], swap: bool) -> Self {
        // Byte by byte, here and below: one read or write of memory in the end, and no call.
        let bits = u16::from_ne_bytes([bytes[0], bytes[1]]);
        if swap { bits.swap_bytes() } else { bits }
    }
    #[inline(always)]
    fn store(self, bytes: &mut [u8], swap: bool) {
        let bits = self;
        let bits = if swap { bits.swap_bytes() } else { bits };
        [bytes[0], bytes[1]] = bits.to_ne_bytes();
    }
    fn pick<'a>(samples: SamplesRef<'a>) -> Option<&'a [Self]> {
        if let SamplesRef::U16(s) = samples { Some(s) } else { None }
    }
    fn pick_mut<'a>(samples: SamplesMut<'a>) -> Option<&'a mut [Self]> {
        if let SamplesMut::U16(s) = samples { Some(s) } else { None }
    }
    fn lend_ref(samples: &[Self]) -> SamplesRef<'_> {
        SamplesRef::U16(samples)
    }
    fn lend(samples: &mut [Self]) -> SamplesMut<'_> {
        SamplesMut::U16(samples)
    }
    fn take(samples: Samples) -> Result<Vec<Self>, Samples> {
        if let Samples::U16(s) = samples { Ok(s) } else { Err(samples) }
    }
    fn wrap(samples: Vec<Self>) -> Samples {
        Samples::U16(samples)
    }
}

impl Sample for f32 {
    const DEPTH: Depth = Depth::F32;
    const FULL: Self = 1.0;

    fn to_fraction(self) -> f64 {
        f64::from(self)
    }
    fn from_fraction(fraction: f64) -> Self {
        fraction as f32
    }
    #[inline(always)]
    fn to_f32(self) -> f32 {
        self
    }
    #[inline(always)]
    fn to_depth<T: Sample>(self) -> T {
        T::from_f32(self)
    }
    // One division of two exact floats is correctly rounded (IEEE 754).
    #[inline(always)]
    fn from_u8(value: u8) -> Self {
        f32::from(value) / 255.0
    }
    #[inline(always)]
    fn from_u16(value: u16) -> Self {
        f32::from(value) / 65_535.0
    }
    #[inline(always)]
    fn from_f32(value: f32) -> Self {
        value
    }
    #[inline(always)]
    fn multiplied(self, alpha: Self) -> Self {
        self * alpha
    }
    #[inline(always)]
    fn divided(self, alpha: Self) -> Self {
        if alpha == 0.0 { 0.0 } else { self / alpha }
    }
    fn of_bytes(bytes: &[u8]) -> Option<&[Self]> {
        bytemuck::try_cast_slice(bytes).ok()
    }
    fn of_bytes_mut(bytes: &mut [u8]) -> Option<&mut [Self]> {
        bytemuck::try_cast_slice_mut(bytes).ok()
    }
    #[inline(always)]
    fn load(bytes: &[u8], swap: bool) -> Self {
        let bits = u32::from_ne_bytes([bytes[0], bytes[1], bytes[2], bytes[3]]);
        f32::from_bits(if swap { bits.swap_bytes() } else { bits })
    }
    #[inline(always)]
    fn store(self, bytes: &mut [u8], swap: bool) {
        let bits = self.to_bits();
        let bits = if swap { bits.swap_bytes() } else { bits };
        [bytes[0], bytes[1], bytes[2], bytes[3]] = bits.to_ne_bytes();
    }
    fn pick<'a>(samples: SamplesRef<'a>) -> Option<&'a [Self]> {
        if let SamplesRef::F32(s) = samples { Some(s) } else { None }
    }
    fn pick_mut<'a>(samples: SamplesMut<'a>) -> Option<&'a mut [Self]> {
        if let SamplesMut::F32(s) = samples { Some(s) } else { None }
    }
    fn lend_ref(samples: &[Self]) -> SamplesRef<'_> {
        SamplesRef::F32(samples)
    }
    fn lend(samples: &mut [Self]) -> SamplesMut<'_> {
        SamplesMut::F32(samples)
    }
    fn take(samples: Samples) -> Result<Vec<Self>, Samples> {
        if let Samples::F32(s) = samples { Ok(s) } else { Err(samples) }
    }
    fn wrap(samples: Vec<Self>) -> Samples {
        Samples::F32(samples)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_integer_conversion_is_the_exactly_rounded_quotient() {
        for v in 0..=u16::MAX {
            let want = ((u64::from(v) * 2 * 255 + 65_535) / (2 * 65_535)) as u8;
            assert_eq!(v.to_depth::<u8>(), want, "u16 {v} to u8");
            assert_eq!(v.to_depth::<f32>().to_depth::<u16>(), v, "u16 {v} through f32");
        }
        for v in 0..=u8::MAX {
            assert_eq!(v.to_depth::<u16>(), u16::from(v) * 257);
            assert_eq!(v.to_depth::<u16>().to_depth::<u8>(), v);
            assert_eq!(v.to_depth::<f32>().to_depth::<u8>(), v);
        }
    }

    /// The rule in integers: a float is mantissa x 2^exponent, so value x full can be compared with k - 1/2 exactly.
    fn exact_scale(value: f32, full: u32) -> u32 {
        if value.is_nan() || value <= 0.0 {
            return 0;
        }
        if value >= 1.0 {
            return full;
        }
        let bits = value.to_bits();
        let (mantissa, shift) = match bits >> 23 {
            0 => (u128::from(bits & 0x7f_ffff), 149),
            e => (u128::from((bits & 0x7f_ffff) | 0x80_0000), 150 - e),
        };
        if shift > 100 {
            return 0; // below 2^-76: nowhere near one half
        }
        ((mantissa * u128::from(full) * 2 + (1 << shift)) >> (shift + 1)) as u32
    }

    #[test]
    fn fractions_round_as_the_exact_product_says() {
        assert_eq!(u8::from_fraction(0.499_999_999_999_999_94 / 255.0), 0);
        for k in 0..255u32 {
            let tie = (f64::from(k) + 0.5) / 255.0;
            for by in -2..=2i64 {
                let fraction = f64::from_bits(tie.to_bits().wrapping_add_signed(by));
                // mantissa x 2^exponent x 255 against k + 1/2, in whole numbers.
                let bits = fraction.to_bits();
                let (mantissa, shift) = (u128::from((bits & ((1 << 52) - 1)) | (1 << 52)), 1075 - (bits >> 52));
                let reaches = mantissa * 255 * 2 >= u128::from(2 * k + 1) << shift;
                assert_eq!(u32::from(u8::from_fraction(fraction)), k + u32::from(reaches), "{k} {by}");
            }
        }
        assert_eq!([-1.0, f64::NAN, 2.0, f64::INFINITY].map(u16::from_fraction), [0, 0, 65_535, 65_535]);
    }

    #[test]
    fn floats_next_to_every_tie_round_as_the_exact_product_says() {
        for k in 0..255u32 {
            let tie = ((f64::from(k) + 0.5) / 255.0) as f32;
            for bits in tie.to_bits() - 3..=tie.to_bits() + 3 {
                let v = f32::from_bits(bits);
                assert_eq!(u32::from(v.to_depth::<u8>()), exact_scale(v, 255), "{v:e}");
            }
        }
        for k in 0..65_535u32 {
            let tie = ((f64::from(k) + 0.5) / 65_535.0) as f32;
            for bits in tie.to_bits() - 2..=tie.to_bits() + 2 {
                let v = f32::from_bits(bits);
                assert_eq!(u32::from(v.to_depth::<u16>()), exact_scale(v, 65_535), "{v:e}");
            }
        }
    }

    #[test]
    fn multiplying_and_dividing_by_alpha_round_the_exact_quotient() {
        for a in 0..=255u32 {
            for c in 0..=255u32 {
                assert_eq!(u32::from((c as u8).multiplied(a as u8)), (2 * c * a + 255) / 510, "{c} x {a}");
                let quotient = if a == 0 { 0 } else { ((2 * c * 255 + a) / (2 * a)).min(255) };
                assert_eq!(u32::from((c as u8).divided(a as u8)), quotient, "{c} / {a}");
            }
        }
        for a in (0..=65_535u64).step_by(251).chain([1, 2, 3, 65_534]) {
            for c in (0..=65_535u64).step_by(127).chain([1, 2, 3, 65_534]) {
                assert_eq!(u64::from((c as u16).multiplied(a as u16)), (2 * c * a + 65_535) / 131_070, "{c} x {a}");
                let quotient = if a == 0 { 0 } else { ((2 * c * 65_535 + a) / (2 * a)).min(65_535) };
                assert_eq!(u64::from((c as u16).divided(a as u16)), quotient, "{c} / {a}");
            }
        }
        assert_eq!((0.5f32.multiplied(0.25), 0.25f32.divided(0.5), 0.3f32.divided(0.0)), (0.125, 0.5, 0.0));
    }

    #[test]
    fn floats_outside_the_range_clamp_and_nan_is_none() {
        for (value, want) in [(-0.1, 0), (1.5, 255), (f32::INFINITY, 255), (f32::NEG_INFINITY, 0), (f32::NAN, 0)] {
            assert_eq!(value.to_depth::<u8>(), want, "{value}");
        }
        assert_eq!(2.5f32.to_depth::<f32>(), 2.5);
    }
}
