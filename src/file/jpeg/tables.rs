//! The example quantisers of the standard (annex K.1), scaled by a quality.
//!
//! Quality 50 is the examples themselves; every 15 steps up halve the quantisers' steps, every 15 down double them, so
//! that 100 divides them by ten and 1 multiplies them by nearly ten. The scale is Rahmen's own: numbers of other programs
//! mean something near to it, not the same.

use crate::simd::arrays;

/// Steps of quality that halve a quantiser.
const HALVING: f64 = 15.0;

/// Of gray and luminance (table K.1), in rows.
#[rustfmt::skip]
pub(super) const LUMINANCE: [u8; 64] = [
    16, 11, 10, 16, 24, 40, 51, 61,
    12, 12, 14, 19, 26, 58, 60, 55,
    14, 13, 16, 24, 40, 57, 69, 56,
    14, 17, 22, 29, 51, 87, 80, 62,
    18, 22, 37, 56, 68, 109, 103, 77,
    24, 35, 55, 64, 81, 104, 113, 92,
    49, 64, 78, 87, 103, 121, 120, 101,
    72, 92, 95, 98, 112, 100, 103, 99,
];

/// Of chroma (table K.2), in rows.
#[rustfmt::skip]
pub(super) const CHROMA: [u8; 64] = [
    17, 18, 24, 47, 99, 99, 99, 99,
    18, 21, 26, 66, 99, 99, 99, 99,
    24, 26, 56, 99, 99, 99, 99, 99,
    47, 66, 99, 99, 99, 99, 99, 99,
    99, 99, 99, 99, 99, 99, 99, 99,
    99, 99, 99, 99, 99, 99, 99, 99,
    99, 99, 99, 99, 99, 99, 99, 99,
    99, 99, 99, 99, 99, 99, 99, 99,
];

/// An example scaled to a quality, 1 to 100; steps are 1 to 255.
pub(super) fn scaled(example: &[u8; 64], quality: u8) -> [u16; 64] {
    let factor = ((50.0 - f64::from(quality.clamp(1, 100))) / HALVING).exp2();
    arrays::map(*example, |v| (f64::from(v) * factor + 0.5).clamp(1.0, 255.0) as u16)
}

/// The quality whose scale a quantiser of luminance comes nearest to, if it is like the example at all.
pub(super) fn quality_of(quantiser: &[u16; 64]) -> Option<u8> {
    let distance = |quality: &u8| -> u32 {
        let scaled = scaled(&LUMINANCE, *quality);
        scaled.iter().zip(quantiser).map(|(a, b)| u32::from(a.abs_diff(*b))).fold(0, u32::saturating_add)
    };
    let best = (1..=100u8).min_by_key(distance)?;
    let all = quantiser.iter().map(|&v| u32::from(v)).fold(0, u32::saturating_add);
    // Steps that differ by a quarter on average are another table.
    (distance(&best) <= (all >> 2).max(64)).then_some(best)
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn qualities_halve_every_15_and_are_told_again() {
        assert_eq!(scaled(&LUMINANCE, 50), LUMINANCE.map(u16::from));
        assert_eq!(scaled(&LUMINANCE, 65)[0], 8);
        assert_eq!(scaled(&CHROMA, 80)[63], 25);
        assert_eq!((scaled(&LUMINANCE, 100)[0], scaled(&LUMINANCE, 1)[63]), (2, 255));
        for quality in 1..=100 {
            let told = quality_of(&scaled(&LUMINANCE, quality)).unwrap();
            assert!(told.abs_diff(quality) <= 1, "{quality} told as {told}");
        }
        assert_eq!(quality_of(&std::array::from_fn(|i| if i == 0 { 1 } else { 60_000 })), None);
    }
}
