//! The plain number types that planes and pixels are made of.

use super::sealed::Sealed;
use std::fmt::{Debug, Display};

/// A plain number type: `u8`, `u16`, `u32`, `u64`, `i8`, `i16`, `i32`, `i64`, `f32`, `f64`. Sealed.
pub trait Number:
    Copy + Default + PartialEq + PartialOrd + Debug + Display + Send + Sync + bytemuck::Zeroable + Sealed + 'static
{
    /// The type, at run time.
    const KIND: NumberKind;

    /// The number as `f64`; exact but for 64-bit integers beyond 2^53, which are rounded to nearest.
    fn to_f64(self) -> f64;

    /// The nearest number of this type: integers clamp, ties go up, NaN becomes 0; floats are rounded to nearest.
    fn from_f64(value: f64) -> Self;

    /// True for a float that is not a number; never for integers.
    fn is_nan(self) -> bool {
        false
    }

    /// The number as another type, its value kept as far as that can hold it and **not** rescaled: 255 stays 255.
    /// Integers clamp to the range; floats become integers as [`from_f64`](Number::from_f64) says.
    fn cast_unscaled<T: Number>(self) -> T;

    /// The number of 64 even random bits between two, both included for integers, `high` left out for floats.
    #[doc(hidden)]
    fn between(low: Self, high: Self, bits: u64) -> Self;

    #[doc(hidden)]
    fn from_i128(value: i128) -> Self;

    #[doc(hidden)]
    fn lend_numbers(numbers: &[Self]) -> NumbersRef<'_>;
}

/// Borrowed numbers of one of the ten types: how a kernel that is written for one of them gets at its rows.
#[derive(Debug, Clone, Copy)]
#[doc(hidden)]
#[allow(missing_docs)] // each arm is named after its type
pub enum NumbersRef<'a> {
    U8(&'a [u8]),
    U16(&'a [u16]),
    U32(&'a [u32]),
    U64(&'a [u64]),
    I8(&'a [i8]),
    I16(&'a [i16]),
    I32(&'a [i32]),
    I64(&'a [i64]),
    F32(&'a [f32]),
    F64(&'a [f64]),
}

/// Number type, at run time.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "lowercase"))]
#[allow(missing_docs)] // each name is the Rust type it stands for
pub enum NumberKind {
    U8,
    U16,
    U32,
    U64,
    I8,
    I16,
    I32,
    I64,
    F32,
    F64,
}

impl NumberKind {
    /// All ten, in declaration order.
    pub const ALL: [NumberKind; 10] = [
        NumberKind::U8,
        NumberKind::U16,
        NumberKind::U32,
        NumberKind::U64,
        NumberKind::I8,
        NumberKind::I16,
        NumberKind::I32,
        NumberKind::I64,
        NumberKind::F32,
        NumberKind::F64,
    ];

    /// The Rust name of the type, such as `"u16"`.
    pub fn name(self) -> &'static str {
        match self {
            NumberKind::U8 => "u8",
            NumberKind::U16 => "u16",
            NumberKind::U32 => "u32",
            NumberKind::U64 => "u64",
            NumberKind::I8 => "i8",
            NumberKind::I16 => "i16",
            NumberKind::I32 => "i32",
            NumberKind::I64 => "i64",
            NumberKind::F32 => "f32",
            NumberKind::F64 => "f64",
        }
    }

    /// Whether it holds whole numbers alone.
    pub fn is_integer(self) -> bool {
        !matches!(self, NumberKind::F32 | NumberKind::F64)
    }

    /// Bytes one number takes.
    pub fn bytes(self) -> usize {
        match self {
            NumberKind::U8 | NumberKind::I8 => 1,
            NumberKind::U16 | NumberKind::I16 => 2,
            NumberKind::U32 | NumberKind::I32 | NumberKind::F32 => 4,
            NumberKind::U64 | NumberKind::I64 | NumberKind::F64 => 8,
        }
    }
}

impl NumberKind {
    /// Values to the bytes of numbers of this kind, in this machine's byte order, rounded as [`Number::from_f64`] does.
    pub(crate) fn put(self, values: &[f64], bytes: &mut [u8]) {
        fn each<T: Number + bytemuck::NoUninit>(values: &[f64], bytes: &mut [u8]) {
            for (to, v) in bytes.chunks_exact_mut(size_of::<T>()).zip(values) {
                to.copy_from_slice(bytemuck::bytes_of(&T::from_f64(*v)));
            }
        }
        match self {
            NumberKind::U8 => each::<u8>(values, bytes),
            NumberKind::U16 => each::<u16>(values, bytes),
            NumberKind::U32 => each::<u32>(values, bytes),
            NumberKind::U64 => each::<u64>(values, bytes),
            NumberKind::I8 => each::<i8>(values, bytes),
            NumberKind::I16 => each::<i16>(values, bytes),
            NumberKind::I32 => each::<i32>(values, bytes),
            NumberKind::I64 => each::<i64>(values, bytes),
            NumberKind::F32 => each::<f32>(values, bytes),
            NumberKind::F64 => each::<f64>(values, bytes),
        }
    }
}

impl std::fmt::Display for NumberKind {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

/// Runs an expression on borrowed numbers, whatever their type.
macro_rules! with_numbers {
    ($numbers:expr, $row:ident => $run:expr) => {
        match $numbers {
            $crate::pixel::NumbersRef::U8($row) => $run,
            $crate::pixel::NumbersRef::U16($row) => $run,
            $crate::pixel::NumbersRef::U32($row) => $run,
            $crate::pixel::NumbersRef::U64($row) => $run,
            $crate::pixel::NumbersRef::I8($row) => $run,
            $crate::pixel::NumbersRef::I16($row) => $run,
            $crate::pixel::NumbersRef::I32($row) => $run,
            $crate::pixel::NumbersRef::I64($row) => $run,
            $crate::pixel::NumbersRef::F32($row) => $run,
            $crate::pixel::NumbersRef::F64($row) => $run,
        }
    };
}

impl<'a> NumbersRef<'a> {
    /// Bytes as numbers of a kind; `None` where they are not a whole number of them, or do not start where one may.
    pub(crate) fn of_bytes(kind: NumberKind, bytes: &'a [u8]) -> Option<NumbersRef<'a>> {
        Some(match kind {
            NumberKind::U8 => NumbersRef::U8(bytes),
            NumberKind::U16 => NumbersRef::U16(bytemuck::try_cast_slice(bytes).ok()?),
            NumberKind::U32 => NumbersRef::U32(bytemuck::try_cast_slice(bytes).ok()?),
            NumberKind::U64 => NumbersRef::U64(bytemuck::try_cast_slice(bytes).ok()?),
            NumberKind::I8 => NumbersRef::I8(bytemuck::try_cast_slice(bytes).ok()?),
            NumberKind::I16 => NumbersRef::I16(bytemuck::try_cast_slice(bytes).ok()?),
            NumberKind::I32 => NumbersRef::I32(bytemuck::try_cast_slice(bytes).ok()?),
            NumberKind::I64 => NumbersRef::I64(bytemuck::try_cast_slice(bytes).ok()?),
            NumberKind::F32 => NumbersRef::F32(bytemuck::try_cast_slice(bytes).ok()?),
            NumberKind::F64 => NumbersRef::F64(bytemuck::try_cast_slice(bytes).ok()?),
        })
    }

    /// The number at an index as `f64`; `None` behind the last one.
    pub(crate) fn get(self, index: usize) -> Option<f64> {
        with_numbers!(self, row => row.get(index).map(|v| v.to_f64()))
    }

    /// The numbers from an index on; none behind the last.
    pub(crate) fn from(self, first: usize) -> NumbersRef<'a> {
        with_numbers!(self, row => Number::lend_numbers(row.get(first..).unwrap_or_default()))
    }

    /// Every `step`th number from `first` on as `f64`, in place of what the buffer held.
    pub(crate) fn gather(self, first: usize, step: usize, into: &mut Vec<f64>) {
        into.clear();
        with_numbers!(self, row => {
            into.reserve(row.len().saturating_sub(first).div_ceil(step));
            let mut at = first;
            while at < row.len() {
                into.push(row[at].to_f64());
                at += step;
            }
        });
    }
}

/// The greatest number below one half: numbers that are not negative and are a tie are carried over by their sum with it,
/// as that sum is rounded up, and none below a tie is.
const BELOW_HALF: f64 = 0.5f64.next_down();

/// The nearest whole number, ties up, exactly: a sum with 1/2 would itself be rounded, and carry numbers just below a tie
/// over it and large odd ones to even ones.
#[inline(always)]
pub(crate) fn round_half_up(value: f64) -> f64 {
    let below = value.floor();
    // The distance is exact; of infinities it is NaN, which is not one half.
    if value - below >= 0.5 { below + 1.0 } else { below }
}

macro_rules! integers {
    ($($t:ident $kind:ident),*) => {$(
        impl Sealed for $t {}
        impl Number for $t {
            const KIND: NumberKind = NumberKind::$kind;
            #[inline(always)]
            fn lend_numbers(numbers: &[Self]) -> NumbersRef<'_> { NumbersRef::$kind(numbers) }
            #[inline(always)]
            fn to_f64(self) -> f64 { self as f64 }
            // `as` clamps to the type's range and turns NaN into 0: just the rule.
            #[inline(always)]
            fn from_f64(value: f64) -> Self {
                // Cut off towards zero, which is down where nothing is negative.
                if <$t>::MIN == 0 { (value + BELOW_HALF) as $t } else { round_half_up(value) as $t }
            }
            #[inline(always)]
            fn cast_unscaled<T: Number>(self) -> T { T::from_i128(self as i128) }
            fn between(low: Self, high: Self, bits: u64) -> Self {
                let span = (high as i128 - low as i128) as u128 + 1;
                // span is at most 2^64, so the product takes at most 128 bits but for that one span.
                let step = if span > u128::from(u64::MAX) { u128::from(bits) } else { (span * u128::from(bits)) >> 64 };
                (low as i128 + step as i128) as $t
            }
            #[inline(always)]
            fn from_i128(value: i128) -> Self { value.clamp(<$t>::MIN as i128, <$t>::MAX as i128) as $t }
        }
    )*};
}
integers!(u8 U8, u16 U16, u32 U32, u64 U64, i8 I8, i16 I16, i32 I32, i64 I64);

macro_rules! floats {
    ($($t:ident $kind:ident),*) => {$(
        impl Sealed for $t {}
        impl Number for $t {
            const KIND: NumberKind = NumberKind::$kind;
            #[inline(always)]
            fn lend_numbers(numbers: &[Self]) -> NumbersRef<'_> { NumbersRef::$kind(numbers) }
            #[inline(always)]
            fn to_f64(self) -> f64 { self as f64 }
            #[inline(always)]
            fn from_f64(value: f64) -> Self { value as $t }
            #[inline(always)]
            fn cast_unscaled<T: Number>(self) -> T { T::from_f64(self as f64) }
            fn between(low: Self, high: Self, bits: u64) -> Self {
                let share = (bits >> 11) as f64 / (1u64 << 53) as f64;
                let value = (low as f64 + (high as f64 - low as f64) * share) as $t;
                // Rounding may reach the upper end, which is left out.
                if value < high || low == high { value } else { low }
            }
            #[inline(always)]
            fn from_i128(value: i128) -> Self { value as $t }
            fn is_nan(self) -> bool { <$t>::is_nan(self) }
        }
    )*};
}
floats!(f32 F32, f64 F64);

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn names_sizes_and_kinds_agree_with_the_types() {
        fn check<T: Number>() {
            assert_eq!(T::KIND.bytes(), size_of::<T>());
            assert_eq!(T::KIND.name(), std::any::type_name::<T>());
        }
        check::<u8>();
        check::<u16>();
        check::<u32>();
        check::<u64>();
        check::<i8>();
        check::<i16>();
        check::<i32>();
        check::<i64>();
        check::<f32>();
        check::<f64>();
        assert_eq!(NumberKind::ALL.len(), 10);
    }

    #[test]
    fn casts_keep_the_value_and_clamp_to_the_range() {
        assert_eq!((300u16.cast_unscaled::<u8>(), (-7i8).cast_unscaled::<u8>()), (255, 0));
        assert_eq!((255u8.cast_unscaled::<f32>(), 2.5f32.cast_unscaled::<i16>()), (255.0, 3));
        assert_eq!((u64::MAX.cast_unscaled::<i64>(), i64::MIN.cast_unscaled::<u64>()), (i64::MAX, 0));
        assert_eq!((u64::MAX - 1).cast_unscaled::<u64>(), u64::MAX - 1);
    }

    #[test]
    fn from_f64_clamps_rounds_ties_up_and_takes_nan_as_zero() {
        assert_eq!(u8::from_f64(254.5), 255);
        assert_eq!(u8::from_f64(1e9), 255);
        assert_eq!(u8::from_f64(-3.0), 0);
        assert_eq!(i8::from_f64(-2.5), -2);
        assert_eq!(i16::from_f64(f64::NAN), 0);
        assert_eq!(u64::from_f64(f64::INFINITY), u64::MAX);
        assert!(f32::from_f64(f64::NAN).is_nan());
        // Sums with 1/2 that are themselves rounded: 1 and ...498 would come of these.
        assert_eq!(u8::from_f64(0.499_999_999_999_999_94), 0);
        assert_eq!(i64::from_f64(4_503_599_627_370_497.0), 4_503_599_627_370_497);
        assert_eq!(i64::from_f64(-0.5), 0);
        assert_eq!(i64::from_f64(-0.500_000_000_000_000_1), -1);
        assert_eq!(i64::from_f64(f64::NEG_INFINITY), i64::MIN);
    }
}
