//! Weighted sums along a row whose outputs lie closer together than its pixels: enlarging, and shrinking by a little.
//!
//! A register of outputs is made of few neighbouring pixels, so that all its taps are picked from two registers of them. This
//! goes number by number and knows nothing of pixels: outputs of every channel stand side by side.
//!
//! Not here: outputs that lie far apart ([`across`](super::across)).

use super::lanes::{Lanes, Wide};
use super::mix::{both, narrowed};
use crate::simd::Level;

/// Outputs of a block, and the numbers that they are picked from: a register, and two.
const BLOCKS: [(usize, usize); 2] = [(8, 16), (16, 32)];

/// Where each output's taps begin, and how much they count.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Taps<'a, W> {
    /// The first pixel of each output pixel.
    pub(crate) starts: &'a [u32],
    /// Weights, `stride` an output pixel, of which the first `taps` count.
    pub(crate) weights: &'a [W],
    pub(crate) stride: usize,
    pub(crate) taps: usize,
    /// Numbers of a pixel.
    pub(crate) channels: usize,
}

impl<W: Copy> Taps<'_, W> {
    /// The number that an output number begins at.
    #[inline(always)]
    fn start(&self, i: usize) -> usize {
        self.starts[i / self.channels] as usize * self.channels + i % self.channels
    }

    #[inline(always)]
    fn weight(&self, pixel: usize, tap: usize) -> W {
        self.weights[pixel * self.stride + tap]
    }

    /// The numbers of a row that an output number is made of, and their weights.
    #[inline(always)]
    fn of<'t, T>(&'t self, row: &'t [T], i: usize) -> (impl Iterator<Item = &'t T>, &'t [W]) {
        let weights = &self.weights[i / self.channels * self.stride..][..self.taps];
        (row[self.start(i)..].iter().step_by(self.channels), weights)
    }

    /// Of every output number its pixel, and the number that it begins at.
    fn places(&self) -> Vec<(usize, usize)> {
        let mut places = Vec::with_capacity(self.starts.len() * self.channels);
        for (pixel, &start) in self.starts.iter().enumerate() {
            for channel in 0..self.channels {
                places.push((pixel, start as usize * self.channels + channel));
            }
        }
        places
    }
}

/// Whether every block of outputs begins within its window, for all sets alike.
fn fits(places: &[(usize, usize)]) -> bool {
    BLOCKS.iter().all(|&(outputs, window)| {
        places.chunks_exact(outputs).all(|block| {
            let ends = block.iter().fold((usize::MAX, 0), |(low, high), &(_, at)| (low.min(at), high.max(at)));
            ends.1 - ends.0 < window
        })
    })
}

/// The taps of a row by blocks of as many outputs as a register has.
#[derive(Debug, Clone)]
struct Blocks<W> {
    bases: Vec<usize>,
    places: Vec<i32>,
    /// Of each block the weights of its first tap, or pair of taps, then of the next.
    weights: Vec<W>,
}

impl<W> Blocks<W> {
    /// `weight` of a pixel and a step; `None` where outputs lie too far apart.
    fn new(
        level: Level,
        places: &[(usize, usize)],
        steps: usize,
        weight: impl Fn(usize, usize) -> W,
    ) -> Option<Blocks<W>> {
        let mut made = Blocks { bases: Vec::new(), places: Vec::new(), weights: Vec::new() };
        if !fits(places) {
            return None;
        }
        let Some(lanes) = level.lanes() else { return Some(made) };
        for block in places.chunks_exact(lanes) {
            let base = block.iter().map(|&(_, at)| at).min().unwrap_or(0);
            made.bases.push(base);
            made.places.extend(block.iter().map(|&(_, at)| (at - base) as i32));
            for step in 0..steps {
                made.weights.extend(block.iter().map(|&(pixel, _)| weight(pixel, step)));
            }
        }
        Some(made)
    }
}

/// Whole numbers: taps are multiplied by pairs.
#[derive(Debug)]
pub(crate) struct SpreadWords<'a> {
    level: Level,
    taps: Taps<'a, i16>,
    blocks: Blocks<i32>,
    pairs: usize,
}

impl<'a> SpreadWords<'a> {
    /// `None` where outputs lie too far apart. A few operations a tap.
    pub(crate) fn new(level: Level, taps: Taps<'a, i16>) -> Option<Self> {
        let pairs = taps.taps.div_ceil(2);
        let weight = |pixel, pair: usize| {
            let second = if pair * 2 + 1 < taps.taps { taps.weight(pixel, pair * 2 + 1) } else { 0 };
            both(taps.weight(pixel, pair * 2), second)
        };
        let blocks = Blocks::new(level, &taps.places(), pairs, weight)?;
        Some(SpreadWords { level, taps, blocks, pairs })
    }

    /// Outputs over their taps, divided by 2^shift, to nearest. Each number of the row has that of the next pixel's same
    /// channel beside it ([`both`]); the row has [`SLACK`](super::SLACK) numbers behind the last one.
    pub(crate) fn run(&self, row: &[i32], shift: u32, out: &mut [i16]) {
        let done = self.level.wide(WordsWork { spread: self, row, shift, out: &mut *out });
        for (i, to) in out.iter_mut().enumerate().skip(done) {
            let (values, weights) = self.taps.of(row, i);
            let sum = values.zip(weights).map(|(&v, &w)| i32::from(v as i16) * i32::from(w)).sum();
            *to = narrowed(sum, shift);
        }
    }
}

struct WordsWork<'a, 'b> {
    spread: &'a SpreadWords<'b>,
    row: &'a [i32],
    shift: u32,
    out: &'a mut [i16],
}

impl Wide for WordsWork<'_, '_> {
    #[inline(always)]
    fn work<L: Lanes>(self, lanes: L) -> usize {
        match self.spread.pairs {
            1 => self.of_pairs::<L, 1>(lanes),
            2 => self.of_pairs::<L, 2>(lanes),
            _ => self.of_pairs::<L, 0>(lanes),
        }
    }
}

impl WordsWork<'_, '_> {
    /// So many pairs, or as many as there are.
    #[inline(always)]
    fn of_pairs<L: Lanes, const N: usize>(self, lanes: L) -> usize {
        let WordsWork { spread, row, shift, out } = self;
        let pairs = if N == 0 { spread.pairs } else { N };
        let step = 2 * spread.taps.channels;
        let half = lanes.splat(1 << (shift - 1));
        let (all, each) = (&spread.blocks, 2 * L::FLOATS);
        let bases = all.bases.as_chunks::<2>().0;
        let blocks = (out.len() / each).min(all.places.len() / each).min(bases.len());
        // Cut to what the loop takes, so that its checks are made once; by indices, as iterators side by side are calls where
        // the linker does not inline them.
        let (bases, all_places, out) = (&bases[..blocks], &all.places[..blocks * each], &mut out[..blocks * each]);
        let mut all_weights = &all.weights[..];
        for block in 0..blocks {
            let weights = &all_weights[..each * pairs];
            all_weights = &all_weights[each * pairs..];
            let mut sums = [half; 2];
            for side in 0..2 {
                let places = lanes.load(all_places, block * each + side * L::FLOATS);
                for pair in 0..pairs {
                    let values = lanes.pick(row, bases[block][side] + pair * step, places);
                    let weights = lanes.load(weights, (side * pairs + pair) * L::FLOATS);
                    sums[side] = lanes.add(sums[side], lanes.multiply_pairs(values, weights));
                }
                sums[side] = lanes.shift(sums[side], shift);
            }
            lanes.put_sums(sums, out, block * each);
        }
        blocks * each
    }
}

/// Floats, tap by tap in order.
#[derive(Debug)]
pub(crate) struct SpreadFloats<'a> {
    level: Level,
    taps: Taps<'a, f32>,
    blocks: Blocks<f32>,
}

impl<'a> SpreadFloats<'a> {
    /// `None` where outputs lie too far apart. A few operations a tap.
    pub(crate) fn new(level: Level, taps: Taps<'a, f32>) -> Option<Self> {
        let blocks = Blocks::new(level, &taps.places(), taps.taps, |pixel, tap| taps.weight(pixel, tap))?;
        Some(SpreadFloats { level, taps, blocks })
    }

    /// Outputs over their taps. All numbers must be finite: a weight of zero is multiplied too. The row has [`SLACK`]
    /// numbers behind the last one.
    pub(crate) fn run(&self, row: &[f32], out: &mut [f32]) {
        let done = self.level.wide(FloatsWork { spread: self, row, out: &mut *out });
        for (i, to) in out.iter_mut().enumerate().skip(done) {
            let (values, weights) = self.taps.of(row, i);
            *to = values.zip(weights).fold(0.0, |sum, (v, w)| sum + v * w);
        }
    }
}

struct FloatsWork<'a, 'b> {
    spread: &'a SpreadFloats<'b>,
    row: &'a [f32],
    out: &'a mut [f32],
}

impl Wide for FloatsWork<'_, '_> {
    #[inline(always)]
    fn work<L: Lanes>(self, lanes: L) -> usize {
        match self.spread.taps.taps {
            2 => self.of_taps::<L, 2>(lanes),
            4 => self.of_taps::<L, 4>(lanes),
            6 => self.of_taps::<L, 6>(lanes),
            _ => self.of_taps::<L, 0>(lanes),
        }
    }
}

impl FloatsWork<'_, '_> {
    /// So many taps, or as many as there are.
    #[inline(always)]
    fn of_taps<L: Lanes, const N: usize>(self, lanes: L) -> usize {
        let FloatsWork { spread, row, out } = self;
        let (taps, channels) = (if N == 0 { spread.taps.taps } else { N }, spread.taps.channels);
        let (all, each) = (&spread.blocks, L::FLOATS);
        let blocks = (out.len() / each).min(all.places.len() / each).min(all.bases.len());
        // Cut as above.
        let (bases, all_places, out) = (&all.bases[..blocks], &all.places[..blocks * each], &mut out[..blocks * each]);
        let mut all_weights = &all.weights[..];
        for block in 0..blocks {
            let weights = &all_weights[..each * taps];
            all_weights = &all_weights[each * taps..];
            let places = lanes.load(all_places, block * each);
            let mut sum = lanes.zero();
            for tap in 0..taps {
                let values = lanes.pick_floats(row, bases[block] + tap * channels, places);
                sum = lanes.add_floats(sum, lanes.multiply(values, lanes.load_floats(weights, tap * each)));
            }
            lanes.put_floats(sum, out, block * each);
        }
        blocks * each
    }
}

#[cfg(test)]
mod tests {
    use super::super::SLACK;
    use super::super::mix::tests::{noise, words};
    use super::*;

    /// First pixels of outputs that lie `source / target` apart, `taps` within `source` pixels.
    fn starts(source: usize, target: usize, taps: usize) -> Vec<u32> {
        (0..target).map(|x| (x * source / target).min(source - taps) as u32).collect()
    }

    fn shapes() -> impl Iterator<Item = (usize, usize, usize, usize)> {
        let sizes = [(1, 1, 1), (2, 9, 2), (5, 40, 3), (33, 33, 4), (40, 41, 4), (300, 1203, 6), (250, 500, 2)];
        sizes.into_iter().flat_map(|(s, t, taps)| (1..=4).map(move |channels| (s, t, taps, channels)))
    }

    #[test]
    fn every_level_spreads_words_to_the_same_numbers() {
        for (source, target, taps, channels) in shapes() {
            let starts = starts(source, target, taps);
            let weights = words(target * 8, 9, 5000);
            let taps = Taps { starts: &starts, weights: &weights, stride: 8, taps, channels };
            let row = words((source + 1) * channels + SLACK, 3, 20_000);
            let row: Vec<i32> = row.iter().zip(&row[channels..]).map(|(&a, &b)| both(a, b)).chain([0; 8]).collect();
            let mut wanted = vec![0; target * channels];
            SpreadWords::new(Level::PLAIN, taps).expect("close together").run(&row, 14, &mut wanted);
            for level in Level::present() {
                let mut found = vec![0; target * channels];
                SpreadWords::new(level, taps).expect("close together").run(&row, 14, &mut found);
                assert!(found == wanted, "{level:?} {source} -> {target}, {channels}");
            }
        }
    }

    #[test]
    fn every_level_spreads_floats_to_the_same_bits() {
        for (source, target, taps, channels) in shapes() {
            let starts = starts(source, target, taps);
            let weights: Vec<f32> = noise(target * 8, 9).map(|v| v as f32 / 1e7 - 0.4).collect();
            let taps = Taps { starts: &starts, weights: &weights, stride: 8, taps, channels };
            let row: Vec<f32> = noise(source * channels + SLACK, 3).map(|v| v as f32 / 1e6 - 3.0).collect();
            let mut wanted = vec![0.0; target * channels];
            SpreadFloats::new(Level::PLAIN, taps).expect("close together").run(&row, &mut wanted);
            for level in Level::present() {
                let mut found = vec![0.0; target * channels];
                SpreadFloats::new(level, taps).expect("close together").run(&row, &mut found);
                assert!(found == wanted, "{level:?} {source} -> {target}, {channels}");
            }
        }
    }

    #[test]
    fn outputs_far_apart_are_left_to_others() {
        let far: Vec<u32> = (0..64).map(|x| x * 3).collect();
        let taps = Taps { starts: &far, weights: &[1.0f32; 64], stride: 1, taps: 1, channels: 1 };
        assert!(SpreadFloats::new(Level::best(), taps).is_none());
    }

    #[test]
    fn sums_worked_by_hand() {
        let taps = Taps { starts: &[0, 0, 1], weights: &[4i16, 0, 3, 1, 1, 3], stride: 2, taps: 2, channels: 1 };
        let row: Vec<i32> = [(10, 20), (20, 30), (30, 0)].map(|(a, b)| both(a, b)).into_iter().chain([0; 32]).collect();
        let mut out = [0; 3];
        SpreadWords::new(Level::best(), taps).expect("close together").run(&row, 2, &mut out);
        // (30 + 20) / 4 is 12.5, up to 13; (20 + 90) / 4 is 27.5.
        assert_eq!(out, [10, 13, 28]);
    }
}
