//! Weighted sums of rows of whole numbers: half of what resizing spends its time in.
//!
//! Up to [`TOGETHER`] outputs are summed at once, as neighbours are made of much the same rows: a row is read and unpacked
//! once for all of them. The plain loops are the definition. Pairs are multiplied and added in one instruction, and all sums
//! are exact in `i32`, so that every set gives the same numbers.
//!
//! Not here: floats ([`mix_floats`](super::mix_floats)).

use super::lanes::{Lanes, Wide};
use crate::simd::{Level, prefetch};

/// Outputs that are summed at once.
pub(crate) const TOGETHER: usize = 4;

/// The weights of two rows, the first in the lower half, for each output.
pub(crate) type PairWeights = [i32; TOGETHER];

/// Two weights as one number.
#[inline(always)]
pub(crate) fn both(first: i16, second: i16) -> i32 {
    i32::from(second) << 16 | i32::from(first as u16)
}

/// A sum over 2^shift, to nearest, halves up, held in 16 bits.
#[inline(always)]
pub(crate) fn narrowed(sum: i32, shift: u32) -> i16 {
    ((sum + (1 << (shift - 1))) >> shift).clamp(i32::from(i16::MIN), i32::from(i16::MAX)) as i16
}

/// Numbers that are summed together where there are no registers to speak of: the compiler makes them wide.
pub(super) const BLOCK: usize = 64;

/// The sums of one output from number `first` on, as many as there is room for.
fn plain<T: Copy + Into<i32>>(
    rows: &[[&[T]; 2]],
    weights: &[PairWeights],
    output: usize,
    first: usize,
    sums: &mut [i32],
) {
    for ([a, b], weights) in rows.iter().zip(weights) {
        let (v, w) = (i32::from(weights[output] as i16), weights[output] >> 16);
        let (a, b) = (&a[first..][..sums.len()], &b[first..][..sums.len()]);
        for (sum, (&a, &b)) in sums.iter_mut().zip(a.iter().zip(b)) {
            *sum += a.into() * v + b.into() * w;
        }
    }
}

/// The numbers of all outputs that are not done yet, each from its sum.
fn plain_rest<T: Copy + Into<i32>, To>(
    rows: &[[&[T]; 2]],
    weights: &[PairWeights],
    outs: &mut [&mut [To]],
    done: usize,
    finish: impl Fn(i32) -> To,
) {
    for (output, out) in outs.iter_mut().enumerate() {
        for (block, to) in out[done..].chunks_mut(BLOCK).enumerate() {
            let mut sums = [0; BLOCK];
            let sums = &mut sums[..to.len()];
            plain(rows, weights, output, done + block * BLOCK, sums);
            to.iter_mut().zip(sums).for_each(|(to, sum)| *to = finish(*sum));
        }
    }
}

impl Level {
    /// Pairs of rows of bytes times their weights, summed and divided by 2^shift (at least 1), to nearest. The weights are
    /// those of both rows, for each of the outputs, of which there are up to [`TOGETHER`], equally long; rows are as long
    /// or longer. The sums must fit `i32`.
    pub(crate) fn mix_bytes(self, rows: &[[&[u8]; 2]], weights: &[PairWeights], shift: u32, outs: &mut [&mut [i16]]) {
        let done = self.wide(Pairs { rows, weights, shift, outs: &mut *outs });
        plain_rest(rows, weights, outs, done, |sum| narrowed(sum, shift));
    }

    /// Rows of words times their weights, as [`mix_bytes`](Level::mix_bytes), to nearest and within a byte.
    pub(crate) fn mix_words(self, rows: &[[&[i16]; 2]], weights: &[PairWeights], shift: u32, outs: &mut [&mut [u8]]) {
        let done = self.wide(Pairs { rows, weights, shift, outs: &mut *outs });
        plain_rest(rows, weights, outs, done, |sum| narrowed(sum, shift).clamp(0, 255) as u8);
    }
}

/// Whole numbers that are summed by pairs of rows into numbers of another type.
struct Pairs<'a, 'b, 'c, From, To> {
    rows: &'a [[&'a [From]; 2]],
    weights: &'a [PairWeights],
    shift: u32,
    outs: &'b mut [&'c mut [To]],
}

impl<From: Paired<To>, To> Wide for Pairs<'_, '_, '_, From, To> {
    #[inline(always)]
    fn work<L: Lanes>(self, lanes: L) -> usize {
        let Pairs { rows, weights, shift, outs } = self;
        let block = 2 * L::WORDS;
        let done = outs.first().map_or(0, |out| out.len()) / block * block;
        let (mut first, mut rest) = (0, outs);
        while !rest.is_empty() {
            let (outs, others) = rest.split_at_mut(L::TOGETHER.min(rest.len()));
            rest = others;
            match outs {
                [a] => pairs(lanes, rows, weights, shift, first, [a]),
                [a, b] => pairs(lanes, rows, weights, shift, first, [a, b]),
                _ => {
                    // Not even compiled where no register takes so many.
                    if const { L::TOGETHER > 2 } {
                        match outs {
                            [a, b, c] => pairs(lanes, rows, weights, shift, first, [a, b, c]),
                            [a, b, c, d] => pairs(lanes, rows, weights, shift, first, [a, b, c, d]),
                            _ => return 0,
                        }
                    }
                }
            }
            first += L::TOGETHER;
        }
        done
    }
}

/// Numbers of two rows beside one another, and what becomes of their sums: of so many that they fill four registers.
trait Paired<To>: Copy {
    fn load<L: Lanes>(lanes: L, a: &[Self], b: &[Self], at: usize) -> [L::Ints; 4];
    fn put<L: Lanes>(lanes: L, sums: [L::Ints; 4], to: &mut [To], at: usize);
}

impl Paired<i16> for u8 {
    #[inline(always)]
    fn load<L: Lanes>(lanes: L, a: &[u8], b: &[u8], at: usize) -> [L::Ints; 4] {
        lanes.byte_pairs(a, b, at)
    }

    #[inline(always)]
    fn put<L: Lanes>(lanes: L, sums: [L::Ints; 4], to: &mut [i16], at: usize) {
        lanes.put_words(sums, to, at);
    }
}

impl Paired<u8> for i16 {
    #[inline(always)]
    fn load<L: Lanes>(lanes: L, a: &[i16], b: &[i16], at: usize) -> [L::Ints; 4] {
        let ([a, b], [c, d]) = (lanes.word_pairs(a, b, at), lanes.word_pairs(a, b, at + L::WORDS));
        [a, b, c, d]
    }

    #[inline(always)]
    fn put<L: Lanes>(lanes: L, sums: [L::Ints; 4], to: &mut [u8], at: usize) {
        // The target's own rows.
        prefetch::ahead(to, at);
        lanes.put_bytes(sums, to, at);
    }
}

#[inline(always)]
fn add_pairs<L: Lanes>(lanes: L, sums: &mut [L::Ints; 4], pairs: [L::Ints; 4], w: i32) {
    if w == 0 {
        return;
    }
    let w = lanes.splat(w);
    // By indices: iterators over registers are compiled at length.
    for i in 0..4 {
        sums[i] = lanes.add(sums[i], lanes.multiply_pairs(pairs[i], w));
    }
}

/// Outputs `first..` of the weights, in one go over the rows.
#[inline(always)]
fn pairs<L: Lanes, From: Paired<To>, To, const G: usize>(
    lanes: L,
    rows: &[[&[From]; 2]],
    weights: &[PairWeights],
    shift: u32,
    first: usize,
    outs: [&mut &mut [To]; G],
) {
    let half = lanes.splat(1 << (shift - 1));
    let block = 2 * L::WORDS;
    for at in (0..outs[0].len() / block).map(|i| i * block) {
        let mut sums = [[half; 4]; G];
        // By indices: pairs of iterators would be calls, where the linker does not inline them.
        for k in 0..rows.len().min(weights.len()) {
            let [a, b] = rows[k];
            let pairs = From::load(lanes, a, b, at);
            // Written out: a loop would not be unrolled, and its sums not stay in registers.
            let weights = &weights[k][first..][..G];
            add_pairs(lanes, &mut sums[0], pairs, weights[0]);
            if G > 1 {
                add_pairs(lanes, &mut sums[1], pairs, weights[1]);
            }
            if G > 2 {
                add_pairs(lanes, &mut sums[2], pairs, weights[2]);
            }
            if G > 3 {
                add_pairs(lanes, &mut sums[3], pairs, weights[3]);
            }
        }
        for g in 0..G {
            let [a, b, c, d] = sums[g];
            // Written out: a closure would not be inlined.
            let sums = [lanes.shift(a, shift), lanes.shift(b, shift), lanes.shift(c, shift), lanes.shift(d, shift)];
            From::put(lanes, sums, outs[g], at);
        }
    }
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;

    pub(crate) fn noise(count: usize, seed: u32) -> impl Iterator<Item = u32> {
        (0..count as u32).map(move |i| {
            let x = (i.wrapping_add(seed.wrapping_mul(977))).wrapping_mul(2_654_435_761);
            (x ^ x >> 15).wrapping_mul(2_246_822_519) >> 8
        })
    }

    pub(crate) fn words(count: usize, seed: u32, most: i32) -> Vec<i16> {
        noise(count, seed).map(|v| (v as i32 % (2 * most) - most) as i16).collect()
    }

    pub(crate) fn rows_of<T>(count: usize, make: impl Fn(u32) -> Vec<T>) -> Vec<Vec<T>> {
        (0..count as u32).map(make).collect()
    }

    pub(crate) fn lent<T>(rows: &[Vec<T>]) -> Vec<&[T]> {
        rows.iter().map(Vec::as_slice).collect()
    }

    /// Two by two, the last of an odd number with itself.
    fn paired<T>(rows: &[Vec<T>]) -> Vec<[&[T]; 2]> {
        rows.chunks(2).map(|two| [&two[0][..], &two[two.len() - 1]]).collect()
    }

    /// As many outputs as asked for, each as long.
    pub(crate) fn mixed<T: Clone + Default>(
        outputs: usize,
        length: usize,
        mix: impl FnOnce(&mut [&mut [T]]),
    ) -> Vec<Vec<T>> {
        let mut outs = vec![vec![T::default(); length]; outputs];
        mix(&mut outs.iter_mut().map(Vec::as_mut_slice).collect::<Vec<_>>());
        outs
    }

    /// What every level makes of the same work, which must be what the plain one makes.
    pub(crate) fn alike<T: PartialEq + std::fmt::Debug>(what: &str, make: impl Fn(Level) -> T) {
        let wanted = make(Level::PLAIN);
        for level in Level::present() {
            assert!(make(level) == wanted, "{level:?} {what}");
        }
    }

    #[test]
    fn every_level_mixes_rows_to_the_same_numbers() {
        for length in (0..70).map(|i| i * 2).chain([1000, 1001, 4099]) {
            for taps in [1usize, 2, 3, 4, 7, 16] {
                for outputs in 1..=TOGETHER {
                    let what = format!("{length} numbers, {taps} taps, {outputs} outputs");
                    let bytes = rows_of(taps, |t| noise(length, t).map(|v| v as u8).collect());
                    let wide = rows_of(taps, |t| words(length, t, 20_000));
                    // Weights large enough that both clamps are met, and some that are zero.
                    let w = words(2 * taps * TOGETHER, 5, 5000);
                    let weights: Vec<PairWeights> = (0..taps.div_ceil(2))
                        .map(|p| std::array::from_fn(|g| both(w[p * 8 + g], w[p * 8 + 4 + g]) * i32::from(p != g)))
                        .collect();
                    alike(&what, |level| {
                        mixed(outputs, length, |outs| level.mix_bytes(&paired(&bytes), &weights, 5, outs))
                    });
                    alike(&what, |level| {
                        mixed(outputs, length, |outs| level.mix_words(&paired(&wide), &weights, 18, outs))
                    });
                }
            }
        }
    }

    #[test]
    fn sums_worked_by_hand() {
        let weights = [[both(3, -1), both(1, 0), 0, 0]];
        // (3 * 10 - 1 * 20) / 4 = 2.5, up to 3; (3 * 1 - 1 * 7) / 4 = -1. 10 / 4 up to 3, 1 / 4 down.
        let sums = mixed(2, 2, |outs| Level::best().mix_bytes(&[[&[10, 1], &[20, 7]]], &weights, 2, outs));
        assert_eq!(sums, [[3, -1], [3, 0]]);
        let weights = [[both(1, 1), 0, 0, 0]];
        let sums = mixed(1, 2, |outs| Level::best().mix_words(&[[&[100, -9], &[500, 3]]], &weights, 1, outs));
        assert_eq!(sums, [[255, 0]]);
    }
}
