//! Weighted sums of rows as floats, up to [`TOGETHER`] outputs at once ([`mix`](super::mix)).
//!
//! Bytes and words become floats on the way, and colours are weighted by their alpha. Products are added row by row, in
//! order, and never fused with their sums, so that plain code, the definition, gives the same bits.

use super::lanes::{Lanes, Wide};
use super::mix::{BLOCK, TOGETHER};
use crate::simd::Level;

impl Level {
    /// Rows times their weights as floats, summed in the order of the rows; a row counts only where its weight is not zero.
    /// Outputs as [`mix_bytes`](Level::mix_bytes) has them. Rows of pixels with alpha begin with a whole pixel.
    pub(crate) fn mix_floats(self, rows: FloatRows<'_>, weights: &[[f32; TOGETHER]], outs: &mut [&mut [f32]]) {
        let done = match rows {
            FloatRows::U8(rows, alpha) => self.wide(Floats { rows, weights, alpha, outs: &mut *outs }),
            FloatRows::U16(rows, alpha) => self.wide(Floats { rows, weights, alpha, outs: &mut *outs }),
            FloatRows::F32(rows, alpha) => self.wide(Floats { rows, weights, alpha, outs: &mut *outs }),
        };
        for (output, out) in outs.iter_mut().enumerate() {
            for (block, to) in out[done..].chunks_mut(BLOCK).enumerate() {
                to.fill(0.0);
                let mut values = [0.0; BLOCK];
                let values = &mut values[..to.len()];
                for (row, w) in weights.iter().map(|w| w[output]).enumerate().filter(|(_, w)| *w != 0.0) {
                    rows.load(row, done + block * BLOCK, values);
                    to.iter_mut().zip(&*values).for_each(|(sum, v)| *sum += v * w);
                }
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

    /// Whole pixels of a row as floats, colours times alpha.
    fn load<T: Copy + Into<f32>>(self, row: &[T], to: &mut [f32]) {
        to.iter_mut().zip(row).for_each(|(to, &v)| *to = v.into());
        if self.channels > 1 {
            for pixel in to.chunks_exact_mut(self.channels) {
                if let Some((alpha, colours)) = pixel.split_last_mut() {
                    let share = *alpha * self.unit;
                    colours.iter_mut().for_each(|v| *v *= share);
                }
            }
        }
    }
}

impl FloatRows<'_> {
    /// Numbers of a row from `first` on, which begins a pixel.
    fn load(self, row: usize, first: usize, to: &mut [f32]) {
        match self {
            FloatRows::U8(rows, alpha) => alpha.load(&rows[row][first..], to),
            FloatRows::U16(rows, alpha) => alpha.load(&rows[row][first..], to),
            FloatRows::F32(rows, alpha) => alpha.load(&rows[row][first..], to),
        }
    }
}

#[inline(always)]
fn add_floats<L: Lanes>(lanes: L, sums: &mut [L::Floats; 4], values: [L::Floats; 4], w: f32) {
    if w == 0.0 {
        return;
    }
    let w = lanes.splat_float(w);
    // By indices, here and below: iterators over registers are compiled at length, for each set and kind of rows.
    for i in 0..4 {
        sums[i] = lanes.add_floats(sums[i], lanes.multiply(values[i], w));
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
            1 => self.of_rows::<L, false>(lanes),
            _ => self.of_rows::<L, true>(lanes),
        }
    }
}

impl<T: FloatRow> Floats<'_, '_, '_, T> {
    #[inline(always)]
    fn of_rows<L: Lanes, const ALPHA: bool>(self, lanes: L) -> usize {
        let Floats { rows, weights, alpha, outs } = self;
        let block = 4 * L::FLOATS;
        let done = outs.first().map_or(0, |out| out.len()) / block * block;
        let (mut first, mut rest) = (0, outs);
        while !rest.is_empty() {
            let (outs, others) = rest.split_at_mut(L::TOGETHER.min(rest.len()));
            rest = others;
            match outs {
                [a] => floats::<L, T, ALPHA, 1>(lanes, rows, weights, alpha, first, [a]),
                [a, b] => floats::<L, T, ALPHA, 2>(lanes, rows, weights, alpha, first, [a, b]),
                _ => {
                    // Not even compiled where no register takes so many.
                    if const { L::TOGETHER > 2 } {
                        match outs {
                            [a, b, c] => floats::<L, T, ALPHA, 3>(lanes, rows, weights, alpha, first, [a, b, c]),
                            [a, b, c, d] => {
                                floats::<L, T, ALPHA, 4>(lanes, rows, weights, alpha, first, [a, b, c, d]);
                            }
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

/// Outputs `first..` of the weights, in one go over the rows.
#[inline(always)]
fn floats<L: Lanes, T: FloatRow, const ALPHA: bool, const G: usize>(
    lanes: L,
    rows: &[&[T]],
    weights: &[[f32; TOGETHER]],
    alpha: Alpha,
    first: usize,
    outs: [&mut &mut [f32]; G],
) {
    let block = 4 * L::FLOATS;
    for at in (0..outs[0].len() / block).map(|i| i * block) {
        let mut sums = [[lanes.zero(); 4]; G];
        for k in 0..rows.len().min(weights.len()) {
            let row = rows[k];
            let mut values = [lanes.zero(); 4];
            for i in 0..4 {
                let loaded = T::load(lanes, row, at + i * L::FLOATS);
                values[i] = match alpha.channels {
                    _ if !ALPHA => loaded,
                    2 => lanes.weigh::<2>(loaded, alpha.unit),
                    _ => lanes.weigh::<4>(loaded, alpha.unit),
                };
            }
            // Written out: a loop would not be unrolled, and its sums not stay in registers.
            let weights = &weights[k][first..][..G];
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
        for g in 0..G {
            for i in 0..4 {
                lanes.put_floats(sums[g][i], outs[g], at + i * L::FLOATS);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::super::mix::tests::{alike, lent, mixed, noise, rows_of};
    use super::*;

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
