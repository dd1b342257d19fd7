//! The inverse cosine transform of 8 x 8 coefficients (A.3.3), in whole numbers, and that of its lowest 4 x 4, 2 x 2 and
//! 1 x 1, which give the picture at a half, a quarter and an eighth of its size.
//!
//! One dimension splits into an even half - a sum, a difference and one rotation - and an odd half of four outputs by
//! four inputs, each a sum of products with cosines in 13 fraction bits. Five further bits are kept between the passes,
//! two for samples of 12 bits. It meets the accuracy of IEEE 1180-1990.
// All arithmetic wraps, so that wrong coefficients give wrong samples and nothing else; every array is of a fixed size
// and walked by constants.
#![allow(clippy::arithmetic_side_effects, clippy::indexing_slicing)]

use std::num::Wrapping;

/// Fraction bits of a cosine.
const BITS: usize = 13;

/// cos(k pi / 16) times the square root of 2, in 13 bits, for k = 1 to 7 (0 is the square root of 2 itself and unused).
const C1: i32 = 11_363;
const C2: i32 = 10_703;
const C3: i32 = 9633;
const C5: i32 = 6436;
const C6: i32 = 4433;
const C7: i32 = 2260;

/// Coefficients of a block in rows, dequantised.
pub(super) type Block = [i32; 64];

/// One dimension over eight columns at a time: values 8 apart are transformed, scaled by the square root of 8.
#[inline(always)]
fn pass(input: &[Wrapping<i32>; 64], bias: i32, shift: usize) -> [Wrapping<i32>; 64] {
    let mut out = [Wrapping(0); 64];
    let w = Wrapping;
    for x in 0..8 {
        let v = |k: usize| input[8 * k + x];
        let sum = (v(0) + v(4)) << BITS;
        let difference = (v(0) - v(4)) << BITS;
        let a = v(2) * w(C2) + v(6) * w(C6);
        let b = v(2) * w(C6) - v(6) * w(C2);
        let even = [sum + a, difference + b, difference - b, sum - a];
        let (p, q, r, s) = (v(1), v(3), v(5), v(7));
        let odd = [
            p * w(C1) + q * w(C3) + r * w(C5) + s * w(C7),
            p * w(C3) - q * w(C7) - r * w(C1) - s * w(C5),
            p * w(C5) - q * w(C1) + r * w(C7) + s * w(C3),
            p * w(C7) - q * w(C5) + r * w(C3) - s * w(C1),
        ];
        for k in 0..4 {
            out[8 * k + x] = (even[k] + odd[k] + w(bias)) >> shift;
            out[8 * (7 - k) + x] = (even[k] - odd[k] + w(bias)) >> shift;
        }
    }
    out
}

#[inline(always)]
fn transposed(block: &[Wrapping<i32>; 64]) -> [Wrapping<i32>; 64] {
    let mut out = [Wrapping(0); 64];
    for y in 0..8 {
        for x in 0..8 {
            out[8 * x + y] = block[8 * y + x];
        }
    }
    out
}

/// The samples of a block, level-shifted by `middle` and not clamped. `KEPT` bits are kept between the passes.
///
/// Sums wrap on the way; what they come to at last fits, as samples of 10 bits (14 where two are kept) do beside the
/// fraction bits.
#[inline(always)]
pub(super) fn inverse<const KEPT: usize>(block: &Block, middle: i32) -> Block {
    // By indices, here and below: the map of an array is a call, where the linker does not inline it.
    let mut input = [Wrapping(0); 64];
    for i in 0..64 {
        input[i] = Wrapping(block[i]);
    }
    // Both passes together scale by 8.
    let columns = pass(&input, 1 << (BITS - KEPT - 1), BITS - KEPT);
    let shift = BITS + KEPT + 3;
    let rows = pass(&transposed(&columns), (1 << (shift - 1)) + (middle << shift), shift);
    let (all, mut out) = (transposed(&rows), [0; 64]);
    for i in 0..64 {
        out[i] = all[i].0;
    }
    out
}

/// The samples of a block that holds nothing but its DC coefficient.
#[inline(always)]
pub(super) fn flat(mean: i32, middle: i32) -> i32 {
    // What `inverse` gives: once rounded between the passes, where nothing is lost, and once at the end.
    (mean.wrapping_add(4) >> 3).wrapping_add(middle)
}

/// `n` x `n` samples of the lowest coefficients, for n = 1, 2 or 4; the same mean, so an `8 / n`-th of the size. The
/// transform of so few is worked out in floats.
pub(super) fn inverse_small(block: &Block, n: usize, middle: i32) -> [i32; 16] {
    let mut out = [0; 16];
    let basis = |k: usize, x: usize| -> f64 {
        let scale = if k == 0 { 1.0 } else { std::f64::consts::SQRT_2 };
        scale * ((2 * x + 1) as f64 * k as f64 * std::f64::consts::PI / (2 * n) as f64).cos()
    };
    for y in 0..n {
        for x in 0..n {
            let mut sum = 0.0;
            for v in 0..n {
                for u in 0..n {
                    sum += f64::from(block[8 * v + u]) * basis(u, x) * basis(v, y);
                }
            }
            out[n * y + x] = ((sum / 8.0 + 0.5).floor() as i32).wrapping_add(middle);
        }
    }
    out
}

#[cfg(test)]
mod tests {
    use super::*;

    /// The share of coefficient j in sample i by the definition, A.3.3, in f64; by itself both ways.
    fn shares() -> Vec<[f64; 64]> {
        let c = |k: usize| if k == 0 { std::f64::consts::FRAC_1_SQRT_2 } else { 1.0 };
        let cosine = |x: usize, k: usize| ((2 * x + 1) as f64 * k as f64 * std::f64::consts::PI / 16.0).cos();
        let share = |i: usize, j: usize| c(j % 8) * c(j / 8) * cosine(i % 8, j % 8) * cosine(i / 8, j / 8) / 4.0;
        (0..64).map(|i| std::array::from_fn(|j| share(i, j))).collect()
    }

    fn reference(shares: &[[f64; 64]], block: &[f64; 64], forward: bool) -> [f64; 64] {
        std::array::from_fn(|i| (0..64).map(|j| block[j] * if forward { shares[j][i] } else { shares[i][j] }).sum())
    }

    /// The generator of random numbers that the standard names.
    struct Random(u32);

    impl Random {
        fn between(&mut self, low: i32, high: i32) -> i32 {
            self.0 = self.0.wrapping_mul(1_103_515_245).wrapping_add(12_345);
            let x = f64::from(self.0 & 0x7fff_fffe) / f64::from(0x7fff_ffffu32) * f64::from(low + high + 1);
            x as i32 - low
        }
    }

    #[test]
    fn the_transform_passes_ieee_1180() {
        let shares = shares();
        for (low, high) in [(256, 255), (5, 5), (300, 300)] {
            for sign in [1, -1] {
                let mut random = Random(1);
                let count = 10_000;
                let (mut errors, mut squares, mut peak) = ([0i64; 64], [0i64; 64], 0i64);
                for _ in 0..count {
                    let samples: [f64; 64] = std::array::from_fn(|_| f64::from(sign * random.between(low, high)));
                    let block: Block =
                        reference(&shares, &samples, true).map(|v| (v + 0.5).floor().clamp(-2048.0, 2047.0) as i32);
                    let want = reference(&shares, &block.map(f64::from), false)
                        .map(|v| (v + 0.5).floor().clamp(-256.0, 255.0) as i64);
                    let got = inverse::<5>(&block, 0).map(|v| i64::from(v.clamp(-256, 255)));
                    for i in 0..64 {
                        let error = got[i] - want[i];
                        errors[i] += error;
                        squares[i] += error * error;
                        peak = peak.max(error.abs());
                    }
                }
                let count = f64::from(count);
                assert!(peak <= 1, "peak {peak}");
                let worst = |all: &[i64; 64]| all.iter().map(|v| v.abs()).max().unwrap() as f64 / count;
                let mean = |all: &[i64; 64]| all.iter().sum::<i64>().abs() as f64 / count / 64.0;
                assert!(worst(&squares) <= 0.06 && mean(&squares) <= 0.02, "{} {}", worst(&squares), mean(&squares));
                assert!(worst(&errors) <= 0.015 && mean(&errors) <= 0.0015, "{} {}", worst(&errors), mean(&errors));
            }
        }
        assert_eq!(inverse::<5>(&[0; 64], 0), [0; 64]);
    }

    #[test]
    fn flat_and_small_blocks_are_what_the_definition_gives() {
        for mean in -1100..1100 {
            let mut block = [0; 64];
            block[0] = mean;
            assert_eq!(inverse::<5>(&block, 128), [flat(mean, 128); 64]);
            assert_eq!(inverse::<2>(&block, 128), [flat(mean, 128); 64]);
            for n in [1, 2, 4] {
                assert!(inverse_small(&block, n, 128)[..n * n].iter().all(|&v| v == flat(mean, 128)));
            }
        }
        // A ramp stays a ramp.
        let shares = shares();
        let samples: [f64; 64] = std::array::from_fn(|i| (i % 8 * 20) as f64 - 70.0);
        let block = reference(&shares, &samples, true).map(|v| v.round() as i32);
        let half = inverse_small(&block, 4, 0);
        for (x, want) in [-60, -20, 20, 60].into_iter().enumerate() {
            assert!((half[x] - want).abs() <= 3, "{half:?}");
        }
    }
}
