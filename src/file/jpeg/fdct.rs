//! The cosine transform of 8 x 8 samples (A.3.3) and its quantising, in f32 without fused operations, so that every
//! machine gives the same coefficients.
// Every array is of a fixed size and walked by constants.
#![allow(clippy::arithmetic_side_effects, clippy::indexing_slicing)]

use super::scan::NATURAL;

/// cos(k pi / 16) / 2, for k = 1 to 7.
const C: [f32; 8] =
    [0.0, 0.490_392_64, 0.461_939_77, 0.415_734_8, 0.353_553_4, 0.277_785_12, 0.191_341_72, 0.097_545_16];
/// Added and taken off again it rounds to the nearest whole number: 1.5 times 2^23.
const ROUND: f32 = 12_582_912.0;

/// Samples of a block in rows, level-shifted.
pub(super) type Samples = [f32; 64];

/// What each coefficient is multiplied by, in rows.
pub(super) fn reciprocals(quantiser: &[u16; 64]) -> [f32; 64] {
    quantiser.map(|q| 1.0 / f32::from(q))
}

/// One dimension over eight columns at a time.
#[inline(always)]
fn pass(input: &Samples) -> Samples {
    let mut out = [0.0; 64];
    for x in 0..8 {
        let v = |k: usize| input[8 * k + x];
        let (s0, s1, s2, s3) = (v(0) + v(7), v(1) + v(6), v(2) + v(5), v(3) + v(4));
        let (d0, d1, d2, d3) = (v(0) - v(7), v(1) - v(6), v(2) - v(5), v(3) - v(4));
        let (a, b, c, d) = (s0 + s3, s1 + s2, s0 - s3, s1 - s2);
        out[x] = (a + b) * C[4];
        out[32 + x] = (a - b) * C[4];
        out[16 + x] = c * C[2] + d * C[6];
        out[48 + x] = c * C[6] - d * C[2];
        out[8 + x] = d0 * C[1] + d1 * C[3] + d2 * C[5] + d3 * C[7];
        out[24 + x] = d0 * C[3] - d1 * C[7] - d2 * C[1] - d3 * C[5];
        out[40 + x] = d0 * C[5] - d1 * C[1] + d2 * C[7] + d3 * C[3];
        out[56 + x] = d0 * C[7] - d1 * C[5] + d2 * C[3] - d3 * C[1];
    }
    out
}

#[inline(always)]
fn transposed(block: &Samples) -> Samples {
    let mut out = [0.0; 64];
    for y in 0..8 {
        for x in 0..8 {
            out[8 * x + y] = block[8 * y + x];
        }
    }
    out
}

/// The quantised coefficients of a block, in zigzag order, each the nearest whole number.
#[inline(always)]
pub(super) fn quantised(samples: &Samples, reciprocals: &[f32; 64]) -> [i16; 64] {
    let done = transposed(&pass(&transposed(&pass(samples))));
    let mut rounded = [0i16; 64];
    for i in 0..64 {
        rounded[i] = ((done[i] * reciprocals[i] + ROUND).to_bits().wrapping_sub(ROUND.to_bits())) as i16;
    }
    let mut out = [0; 64];
    for i in 0..64 {
        out[i] = rounded[usize::from(NATURAL[i] & 63)];
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn coefficients_are_those_of_the_definition() {
        let cosine = |x: usize, k: usize| {
            let c = if k == 0 { 0.5f64.sqrt() } else { 1.0 };
            c / 2.0 * ((2 * x + 1) as f64 * k as f64 * std::f64::consts::PI / 16.0).cos()
        };
        let mut state = 7u32;
        for round in 0..200 {
            let samples: Samples = std::array::from_fn(|i| {
                state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
                if round == 0 { i as f32 - 32.0 } else { (state >> 24) as f32 - 128.0 }
            });
            let got = quantised(&samples, &[1.0; 64]);
            for (k, got) in got.iter().enumerate() {
                let (u, v) = (usize::from(NATURAL[k]) % 8, usize::from(NATURAL[k]) / 8);
                let want: f64 = (0..64).map(|i| f64::from(samples[i]) * cosine(i % 8, u) * cosine(i / 8, v)).sum();
                assert!((f64::from(*got) - want).abs() < 0.501, "{u} {v}: {got} for {want}");
            }
        }
    }
}
