//! Weighted sums of rows: half of what resizing spends its time in.
//!
//! Up to [`TOGETHER`] outputs are summed at once, as neighbours are made of much the same rows: a row is read and unpacked
//! once for all of them. The plain loops are the definition. Whole numbers are multiplied by pairs and added in one
//! instruction, and all sums are exact in `i32`; floats are multiplied and added row by row, in order, without fusing, so
//! that every set gives the same numbers.

use super::Level;
use super::lanes::{Lanes, Wide};

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
pub(super) fn narrowed(sum: i32, shift: u32) -> i16 {
    ((sum + (1 << (shift - 1))) >> shift).clamp(i32::from(i16::MIN), i32::from(i16::MAX)) as i16
}

/// The sum for one number of one output.
#[inline(always)]
fn sum_at<T: Copy + Into<i32>>(rows: &[[&[T]; 2]], weights: &[PairWeights], output: usize, i: usize) -> i32 {
    rows.iter().zip(weights).fold(0, |sum, ([a, b], weights)| {
        let (first, second) = (weights[output] as i16, (weights[output] >> 16) as i16);
        sum + a[i].into() * i32::from(first) + b[i].into() * i32::from(second)
    })
}

impl Level {
    /// Pairs of rows of bytes times their weights, summed and divided by 2^shift (at least 1), to nearest. The weights are
    /// those of both rows, for each of the outputs, of which there are up to [`TOGETHER`], equally long; rows are as long
    /// or longer. The sums must fit `i32`.
    pub(crate) fn mix_bytes(self, rows: &[[&[u8]; 2]], weights: &[PairWeights], shift: u32, outs: &mut [&mut [i16]]) {
        let done = self.wide(Pairs { rows, weights, shift, outs: &mut *outs });
        for (output, out) in outs.iter_mut().enumerate() {
            for (i, to) in out.iter_mut().enumerate().skip(done) {
                *to = narrowed(sum_at(rows, weights, output, i), shift);
            }
        }
    }

    /// Rows of words times their weights, as [`mix_bytes`](Level::mix_bytes), to nearest and within a byte.
    pub(crate) fn mix_words(self, rows: &[[&[i16]; 2]], weights: &[PairWeights], shift: u32, outs: &mut [&mut [u8]]) {
        let done = self.wide(Pairs { rows, weights, shift, outs: &mut *outs });
        for (output, out) in outs.iter_mut().enumerate() {
            for (i, to) in out.iter_mut().enumerate().skip(done) {
                *to = narrowed(sum_at(rows, weights, output, i), shift).clamp(0, 255) as u8;
            }
        }
    }

    /// Rows times their weights as floats, summed in the order of the rows; a row counts only where its weight is not zero.
    /// Outputs as [`mix_bytes`](Level::mix_bytes) has them. Rows of pixels with alpha begin with a whole pixel.
    pub(crate) fn mix_floats(self, rows: FloatRows<'_>, weights: &[[f32; TOGETHER]], outs: &mut [&mut [f32]]) {
        let done = match rows {
            FloatRows::U8(rows, alpha) => self.wide(Floats { rows, weights, alpha, outs: &mut *outs }),
            FloatRows::U16(rows, alpha) => self.wide(Floats { rows, weights, alpha, outs: &mut *outs }),
            FloatRows::F32(rows, alpha) => self.wide(Floats { rows, weights, alpha, outs: &mut *outs }),
        };
        for (output, out) in outs.iter_mut().enumerate() {
            for (i, to) in out.iter_mut().enumerate().skip(done) {
                let counts = weights.iter().enumerate().filter(|(_, w)| w[output] != 0.0);
                *to = counts.fold(0.0, |sum, (row, w)| sum + rows.at(row, i) * w[output]);
            }
        }
    }
}

/// Rows of numbers that are mixed as floats, colours times alpha where there is alpha.
#[derive(Clone, Copy)]
pub(crate) enum FloatRows<'a> {
    U8(&'a [&'a [u8]], Alpha),
    U16(&'a [&'a [u16]], Alpha),
    F32(&'a [&'a [f32]], Alpha),
}

/// How colours are weighted by the alpha that comes behind them.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Alpha {
    /// Channels of a pixel with alpha, 2 or 4; of others 1.
    pub(crate) channels: usize,
    /// One over full alpha.
    pub(crate) unit: f32,
}

impl Alpha {
    /// There is none.
    pub(crate) const NONE: Alpha = Alpha { channels: 1, unit: 1.0 };

    /// A number of a row, times alpha if it is colour.
    #[inline(always)]
    fn weighed(self, i: usize, at: impl Fn(usize) -> f32) -> f32 {
        let alpha = i / self.channels * self.channels + self.channels - 1;
        if i == alpha { at(i) } else { at(i) * (at(alpha) * self.unit) }
    }
}

impl FloatRows<'_> {
    #[inline(always)]
    fn at(self, row: usize, i: usize) -> f32 {
        match self {
            FloatRows::F32(rows, alpha) => alpha.weighed(i, |i| rows[row][i]),
            FloatRows::U8(rows, alpha) => alpha.weighed(i, |i| rows[row][i].into()),
            FloatRows::U16(rows, alpha) => alpha.weighed(i, |i| rows[row][i].into()),
        }
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
        for (group, outs) in outs.chunks_mut(L::TOGETHER).enumerate() {
            let first = group * L::TOGETHER;
            match outs {
                [a] => pairs(lanes, rows, weights, shift, first, [a]),
                [a, b] => pairs(lanes, rows, weights, shift, first, [a, b]),
                [a, b, c] => pairs(lanes, rows, weights, shift, first, [a, b, c]),
                [a, b, c, d] => pairs(lanes, rows, weights, shift, first, [a, b, c, d]),
                _ => return 0,
            }
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
        lanes.put_bytes(sums, to, at);
    }
}

#[inline(always)]
fn add_pairs<L: Lanes>(lanes: L, sums: &mut [L::Ints; 4], pairs: [L::Ints; 4], w: i32) {
    if w == 0 {
        return;
    }
    let w = lanes.splat(w);
    for (sum, pair) in sums.iter_mut().zip(pairs) {
        *sum = lanes.add(*sum, lanes.multiply_pairs(pair, w));
    }
}

#[inline(always)]
fn add_floats<L: Lanes>(lanes: L, sums: &mut [L::Floats; 4], values: [L::Floats; 4], w: f32) {
    if w == 0.0 {
        return;
    }
    let w = lanes.splat_float(w);
    for (sum, value) in sums.iter_mut().zip(values) {
        *sum = lanes.add_floats(*sum, lanes.multiply(value, w));
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
    mut outs: [&mut &mut [To]; G],
) {
    let half = lanes.splat(1 << (shift - 1));
    let block = 2 * L::WORDS;
    for at in (0..outs[0].len() / block).map(|i| i * block) {
        let mut sums = [[half; 4]; G];
        for ([a, b], weights) in rows.iter().zip(weights) {
            let pairs = From::load(lanes, a, b, at);
            // Written out: a loop would not be unrolled, and its sums not stay in registers.
            let weights = &weights[first..][..G];
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
        for (out, &[a, b, c, d]) in outs.iter_mut().zip(&sums) {
            // Written out: a closure would not be inlined.
            let sums = [lanes.shift(a, shift), lanes.shift(b, shift), lanes.shift(c, shift), lanes.shift(d, shift)];
            From::put(lanes, sums, out, at);
        }
    }
}

/// Numbers that are loaded as floats.
trait FloatRow: Copy {
    fn load<L: Lanes>(lanes: L, from: &[Self], at: usize) -> L::Floats;
}

impl FloatRow for f32 {
    #[inline(always)]
    fn load<L: Lanes>(lanes: L, from: &[f32], at: usize) -> L::Floats {
        lanes.load_floats(from, at)
    }
}

impl FloatRow for u8 {
    #[inline(always)]
    fn load<L: Lanes>(lanes: L, from: &[u8], at: usize) -> L::Floats {
        lanes.load_bytes(from, at)
    }
}

impl FloatRow for u16 {
    #[inline(always)]
    fn load<L: Lanes>(lanes: L, from: &[u16], at: usize) -> L::Floats {
        lanes.load_words(from, at)
    }
}

struct Floats<'a, 'b, 'c, T> {
    rows: &'a [&'a [T]],
    weights: &'a [[f32; TOGETHER]],
    alpha: Alpha,
    outs: &'b mut [&'c mut [f32]],
}

impl<T: FloatRow> Wide for Floats<'_, '_, '_, T> {
    #[inline(always)]
    fn work<L: Lanes>(self, lanes: L) -> usize {
        match self.alpha.channels {
            1 => self.of_channels::<L, 1>(lanes),
            2 => self.of_channels::<L, 2>(lanes),
            _ => self.of_channels::<L, 4>(lanes),
        }
    }
}

impl<T: FloatRow> Floats<'_, '_, '_, T> {
    #[inline(always)]
    fn of_channels<L: Lanes, const C: usize>(self, lanes: L) -> usize {
        let Floats { rows, weights, alpha, outs } = self;
        let block = 4 * L::FLOATS;
        let done = outs.first().map_or(0, |out| out.len()) / block * block;
        for (group, outs) in outs.chunks_mut(L::TOGETHER).enumerate() {
            let first = group * L::TOGETHER;
            match outs {
                [a] => floats::<L, T, C, 1>(lanes, rows, weights, alpha.unit, first, [a]),
                [a, b] => floats::<L, T, C, 2>(lanes, rows, weights, alpha.unit, first, [a, b]),
                [a, b, c] => floats::<L, T, C, 3>(lanes, rows, weights, alpha.unit, first, [a, b, c]),
                [a, b, c, d] => floats::<L, T, C, 4>(lanes, rows, weights, alpha.unit, first, [a, b, c, d]),
                _ => return 0,
            }
        }
        done
    }
}

/// Outputs `first..` of the weights, in one go over the rows.
#[inline(always)]
fn floats<L: Lanes, T: FloatRow, const C: usize, const G: usize>(
    lanes: L,
    rows: &[&[T]],
    weights: &[[f32; TOGETHER]],
    unit: f32,
    first: usize,
    mut outs: [&mut &mut [f32]; G],
) {
    let block = 4 * L::FLOATS;
    for at in (0..outs[0].len() / block).map(|i| i * block) {
        let mut sums = [[lanes.zero(); 4]; G];
        for (row, weights) in rows.iter().zip(weights) {
            let mut values = [lanes.zero(); 4];
            for (i, value) in values.iter_mut().enumerate() {
                let loaded = T::load(lanes, row, at + i * L::FLOATS);
                *value = if C == 1 { loaded } else { lanes.weigh::<C>(loaded, unit) };
            }
            // Written out: a loop would not be unrolled, and its sums not stay in registers.
            let weights = &weights[first..][..G];
            add_floats(lanes, &mut sums[0], values, weights[0]);
            if G > 1 {
                add_floats(lanes, &mut sums[1], values, weights[1]);
            }
            if G > 2 {
                add_floats(lanes, &mut sums[2], values, weights[2]);
            }
            if G > 3 {
                add_floats(lanes, &mut sums[3], values, weights[3]);
            }
        }
        for (out, sums) in outs.iter_mut().zip(sums) {
            for (i, sum) in sums.into_iter().enumerate() {
                lanes.put_floats(sum, out, at + i * L::FLOATS);
            }
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

    fn rows_of<T>(count: usize, make: impl Fn(u32) -> Vec<T>) -> Vec<Vec<T>> {
        (0..count as u32).map(make).collect()
    }

    fn lent<T>(rows: &[Vec<T>]) -> Vec<&[T]> {
        rows.iter().map(Vec::as_slice).collect()
    }

    /// Two by two, the last of an odd number with itself.
    fn paired<T>(rows: &[Vec<T>]) -> Vec<[&[T]; 2]> {
        rows.chunks(2).map(|two| [&two[0][..], &two[two.len() - 1]]).collect()
    }

    /// As many outputs as asked for, each as long.
    fn mixed<T: Clone + Default>(outputs: usize, length: usize, mix: impl FnOnce(&mut [&mut [T]])) -> Vec<Vec<T>> {
        let mut outs = vec![vec![T::default(); length]; outputs];
        mix(&mut outs.iter_mut().map(Vec::as_mut_slice).collect::<Vec<_>>());
        outs
    }

    /// What every level makes of the same work, which must be what the plain one makes.
    fn alike<T: PartialEq + std::fmt::Debug>(what: &str, make: impl Fn(Level) -> T) {
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
    fn every_level_mixes_floats_to_the_same_bits() {
        for length in [0, 4, 20, 60, 64, 128, 1000, 4096, 4100] {
            for (taps, outputs) in [(1, 1), (2, 2), (5, 3), (9, 4)] {
                let bytes = rows_of(taps, |t| noise(length, t).map(|v| v as u8).collect::<Vec<u8>>());
                let wide = rows_of(taps, |t| noise(length, t).map(|v| v as u16).collect::<Vec<u16>>());
                let floats = rows_of(taps, |t| noise(length, t).map(|v| v as f32 / 7e6 - 1.0).collect::<Vec<f32>>());
                let weights: Vec<[f32; TOGETHER]> = (0..taps)
                    .map(|t| std::array::from_fn(|g| if t % 4 == g { 0.0 } else { 0.3 - (t * g) as f32 / 30.0 }))
                    .collect();
                for channels in [1, 2, 4] {
                    let alpha = Alpha { channels, unit: 1.0 / 255.0 };
                    let (bytes, wide, floats) = (lent(&bytes), lent(&wide), lent(&floats));
                    let all = [
                        FloatRows::U8(&bytes, alpha),
                        FloatRows::U16(&wide, alpha),
                        FloatRows::F32(&floats, alpha),
                        FloatRows::F32(&floats, Alpha::NONE),
                    ];
                    for rows in all {
                        alike(&format!("{length} {taps} {channels}"), |level| {
                            let sums = mixed::<f32>(outputs, length, |outs| level.mix_floats(rows, &weights, outs));
                            sums.concat().iter().map(|v| v.to_bits()).collect::<Vec<_>>()
                        });
                    }
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
        // Half of what is there of the colours: (10 * 51 + 20 * 255) / 255 / 2 = 11; alphas (51 + 255) / 2.
        let alpha = Alpha { channels: 2, unit: 1.0 / 255.0 };
        let rows: [&[u8]; 2] = [&[10, 51], &[20, 255]];
        let halves = [[0.5, 0.0, 0.0, 0.0]; 2];
        let sums = mixed(1, 2, |outs| Level::best().mix_floats(FloatRows::U8(&rows, alpha), &halves, outs));
        assert_eq!(sums, [[11.0, 153.0]]);
        // Infinity counts where its weight is not zero.
        let rows: [&[f32]; 2] = [&[2.0], &[f32::INFINITY]];
        let weights = [[1.0, 1.0, 0.0, 0.0], [0.0, 1.0, 0.0, 0.0]];
        let sums = mixed(2, 1, |outs| Level::best().mix_floats(FloatRows::F32(&rows, Alpha::NONE), &weights, outs));
        assert_eq!(sums, [[2.0], [f32::INFINITY]]);
    }
}
