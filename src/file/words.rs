//! Small helpers that several formats share: numbers as bytes, and text of a file as it may be shown.
//!
//! Written once and without generics where that is possible: what is made of iterators is compiled for each use.

/// The largest of some bytes; 0 of none.
pub(super) fn largest(bytes: &[u8]) -> u8 {
    // Not by `max` of the iterator, which keeps the place of the largest and is not done side by side.
    bytes.iter().fold(0, |most, &v| if v > most { v } else { most })
}

/// Numbers one behind the other, the lowest byte first.
#[cfg(feature = "tga")]
pub(super) fn words_le(numbers: &[u16]) -> Vec<u8> {
    let mut out = Vec::with_capacity(numbers.len().saturating_mul(2));
    numbers.iter().for_each(|n| out.extend_from_slice(&n.to_le_bytes()));
    out
}

/// Numbers one behind the other, the highest byte first.
#[cfg(feature = "jpeg")]
pub(super) fn words_be(numbers: &[u16]) -> Vec<u8> {
    let mut out = Vec::with_capacity(numbers.len().saturating_mul(2));
    extend_words_be(&mut out, numbers);
    out
}

/// Numbers behind others, the highest byte first.
#[cfg(any(feature = "png", feature = "jpeg", feature = "pnm"))]
pub(super) fn extend_words_be(out: &mut Vec<u8>, numbers: &[u16]) {
    let start = out.len();
    out.resize(start.saturating_add(numbers.len().saturating_mul(2)), 0);
    if let Some(room) = out.get_mut(start..) {
        room.as_chunks_mut::<2>().0.iter_mut().zip(numbers).for_each(|(to, n)| *to = n.to_be_bytes());
    }
}

/// The first characters of text from a file, without what a terminal or a line would take amiss.
#[cfg(any(feature = "npy", feature = "pnm", feature = "pfm"))]
pub(super) fn shown(text: &str, most: usize) -> String {
    let mut out = String::new();
    text.chars().take(most).for_each(|c| out.extend(c.escape_default()));
    out
}

/// A float of 16 bits (IEEE 754 binary16) as one of 32, which holds each exactly.
#[cfg(any(feature = "npy", feature = "tiff"))]
pub(super) fn half_to_f32(bits: u16) -> f32 {
    let (exponent, fraction) = (u32::from(bits >> 10 & 31), u32::from(bits & 1023));
    let magnitude = match exponent {
        // Multiples of 2^-24.
        0 => fraction as f32 / 16_777_216.0,
        // Infinity, and what is not a number.
        31 => f32::from_bits(0x7f80_0000 | fraction << 13),
        // The exponents' biases are 15 and 127.
        _ => f32::from_bits(exponent.wrapping_add(112) << 23 | fraction << 13),
    };
    if bits >> 15 == 1 { -magnitude } else { magnitude }
}

#[cfg(all(test, any(feature = "npy", feature = "tiff")))]
mod tests {
    use super::*;

    #[test]
    fn every_half_float_is_what_ieee_754_says() {
        for bits in 0..=u16::MAX {
            // (-1)^s x 2^(e - 15) x (1 + f / 1024), or without the one and with e = 1 where e is 0 (3.4 of the standard).
            let (e, f) = (i32::from(bits >> 10 & 31), f64::from(bits & 1023) / 1024.0);
            let magnitude = match e {
                31 if f > 0.0 => f64::NAN,
                31 => f64::INFINITY,
                0 => f * 2f64.powi(-14),
                e => (1.0 + f) * 2f64.powi(e - 15),
            };
            let wanted = if bits >> 15 == 1 { -magnitude } else { magnitude };
            let found = f64::from(half_to_f32(bits));
            assert!(found.is_nan() && wanted.is_nan() || found.to_bits() == wanted.to_bits(), "{bits:#x}: {found}");
        }
    }
}
