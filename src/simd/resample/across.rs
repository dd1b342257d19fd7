//! Weighted sums of pixels along four rows at once: the other half of what shrinking spends its time in.
//!
//! The rows are laid side by side first, number by number, so that a register holds all channels of a pixel of all four
//! rows: a weight counts for all of them, and sums need no adding up afterwards. Whole numbers lie there by pairs of
//! pixels, which are multiplied and added in one instruction.
//!
//! The plain bodies are the definition; every set gives the same numbers.
//!
//! Not here: outputs that lie close together ([`spread`](super::spread)).

use super::lanes::{Lanes, Line, Wide};
use super::mix::{both, narrowed};
use super::spread::Taps;
use crate::simd::{Level, Work};

/// Rows that go across together.
pub(crate) const ROWS: usize = 4;

/// Lines that are laid before they are needed.
const AHEAD: usize = 64;

/// How pixels of four rows lie in lines, and which of them make each output.
#[derive(Debug)]
struct Lines<W> {
    channels: usize,
    /// Pixels of a line.
    pixels: usize,
    /// The first line of each output.
    starts: Vec<u32>,
    /// Weights of this many pixels, or pairs of them, an output.
    weights: Vec<W>,
    each: usize,
    /// Lines of an output.
    count: usize,
    /// Lines that outputs look at in all.
    reach: usize,
}

impl<W> Lines<W> {
    /// Outputs begin with whole lines: where their first pixel is not the first of a line, weights of zero come before.
    /// `weight` puts those of `together` neighbours together.
    fn new<V: Copy + Default>(
        taps: &Taps<'_, V>,
        pixels: usize,
        together: usize,
        weight: impl Fn(&dyn Fn(usize) -> V, usize) -> W,
    ) -> Lines<W> {
        let lines = |start: &u32| (*start as usize % pixels + taps.taps).div_ceil(pixels);
        let count = taps.starts.iter().map(lines).max().unwrap_or(1);
        let each = count * pixels / together;
        let starts: Vec<u32> = taps.starts.iter().map(|start| start / pixels as u32).collect();
        let mut weights = Vec::with_capacity(starts.len() * each);
        for (start, all) in taps.starts.iter().zip(taps.weights.chunks_exact(taps.stride)) {
            let (lead, all) = (*start as usize % pixels, &all[..taps.taps]);
            let of = |at: usize| at.checked_sub(lead).and_then(|tap| all.get(tap)).copied().unwrap_or_default();
            weights.extend((0..each).map(|i| weight(&of, i * together)));
        }
        let reach = starts.iter().max().map_or(0, |&start| start as usize + count);
        Lines { channels: taps.channels, pixels, starts, weights, each, count, reach }
    }

    /// Up to where lines are to be laid for outputs that begin there, if they are not: some more at once, but not many, so
    /// that they are still in the innermost cache when they are looked at.
    #[inline(always)]
    fn missing(&self, starts: &[u32; 4], laid: usize) -> Option<usize> {
        let last = starts.iter().fold(0, |last, &start| last.max(start)) as usize;
        let needed = last + self.count;
        (needed > laid).then(|| (needed + AHEAD).min(self.reach))
    }

    /// Numbers of a row that lines hold.
    fn numbers(&self) -> usize {
        self.reach * self.pixels * self.channels
    }
}

/// Whole numbers.
#[derive(Debug)]
pub(crate) struct AcrossWords {
    level: Level,
    lines: Lines<i32>,
    beside: Vec<Line<i32>>,
}

impl AcrossWords {
    /// A few operations a tap.
    pub(crate) fn new(level: Level, taps: Taps<'_, i16>) -> AcrossWords {
        let pixels = if taps.channels == 1 { 8 } else { 2 };
        let lines = Lines::new(&taps, pixels, 2, |of, at| both(of(at), of(at + 1)));
        AcrossWords { level, beside: vec![Line::default(); lines.reach], lines }
    }

    /// The outputs along rows: sums over their taps, divided by 2^shift, to nearest. The rows have
    /// [`SLACK`](super::SLACK) numbers behind the last pixel. There may be fewer outputs than rows.
    pub(crate) fn run(&mut self, rows: [&[i16]; ROWS], shift: u32, outs: &mut [&mut [i16]]) {
        let channels = self.lines.channels;
        let done = match channels {
            1 => self.level.wide(Words::<1> { across: self, rows, shift, outs: &mut *outs }),
            3 => self.level.wide(Words::<3> { across: self, rows, shift, outs: &mut *outs }),
            4 => self.level.wide(Words::<4> { across: self, rows, shift, outs: &mut *outs }),
            _ => 0,
        };
        let Lines { pixels, starts, weights, each, .. } = &self.lines;
        for (out, row) in outs.iter_mut().zip(rows) {
            for (x, to) in out.chunks_exact_mut(channels).enumerate().skip(done) {
                for (c, to) in to.iter_mut().enumerate() {
                    let values = row[starts[x] as usize * pixels * channels + c..].iter().step_by(channels);
                    let weights = &weights[x * each..][..*each];
                    let mut sum = 0;
                    for (k, &v) in values.take(2 * each).enumerate() {
                        // Two weights of 16 bits in each number.
                        let weight = (weights[k / 2] >> (16 * (k % 2))) as i16;
                        sum += i32::from(v) * i32::from(weight);
                    }
                    *to = narrowed(sum, shift);
                }
            }
        }
    }
}

struct Words<'a, 'b, 'c, const C: usize> {
    across: &'a mut AcrossWords,
    rows: [&'a [i16]; ROWS],
    shift: u32,
    outs: &'b mut [&'c mut [i16]],
}

impl<const C: usize> Wide for Words<'_, '_, '_, C> {
    #[inline(always)]
    fn work<L: Lanes>(self, lanes: L) -> usize {
        let Words { across: AcrossWords { lines, beside, .. }, rows, shift, outs } = self;
        let (fours, _) = lines.starts.as_chunks::<4>();
        let each = 4 * lines.each;
        let mut laid = 0;
        // By indices, as iterators side by side are calls where the linker does not inline them.
        for four in 0..fours.len() {
            let (starts, weights) = (&fours[four], &lines.weights[four * each..][..each]);
            if let Some(next) = lines.missing(starts, laid) {
                let at = laid * lines.pixels * C;
                lanes.lay_words::<C>(from_on(rows, at), &mut beside[laid..next]);
                laid = next;
            }
            // Few lines want no loop.
            let words = match lines.count {
                1 => lanes.across_words::<C, 1>(beside, starts, weights, shift),
                2 => lanes.across_words::<C, 2>(beside, starts, weights, shift),
                4 => lanes.across_words::<C, 4>(beside, starts, weights, shift),
                _ => lanes.across_words::<C, 0>(beside, starts, weights, shift),
            };
            put_four::<i16, C>(&words, outs, four);
        }
        fours.len() * 4
    }
}

/// Four pixels of each row to where they belong; there may be fewer outputs than rows.
#[inline(always)]
#[allow(clippy::manual_memcpy)] // copying between slices is a call of its own, where the linker does not inline it
fn put_four<T: Copy, const C: usize>(from: &[[T; 16]; ROWS], outs: &mut [&mut [T]], four: usize) {
    for row in 0..outs.len().min(ROWS) {
        let to = &mut outs[row][four * 4 * C..][..4 * C];
        for i in 0..4 * C {
            to[i] = from[row][i];
        }
    }
}

/// Rows from a number on.
#[inline(always)]
fn from_on<T>([a, b, c, d]: [&[T]; ROWS], at: usize) -> [&[T]; ROWS] {
    [&a[at..], &b[at..], &c[at..], &d[at..]]
}

/// Floats.
#[derive(Debug)]
pub(crate) struct AcrossFloats<'a> {
    level: Level,
    taps: Taps<'a, f32>,
    lines: Lines<f32>,
    beside: Vec<Line<f32>>,
}

impl<'a> AcrossFloats<'a> {
    /// A few operations a tap.
    pub(crate) fn new(level: Level, taps: Taps<'a, f32>) -> AcrossFloats<'a> {
        let pixels = if taps.channels > 2 { 1 } else { 4 / taps.channels };
        let lines = Lines::new(&taps, pixels, 1, |of, at| of(at));
        AcrossFloats { level, taps, beside: vec![Line::default(); lines.reach], lines }
    }

    /// The outputs along rows. Taps are summed in order; of one channel those at every fourth pixel of the row, of two
    /// those at every second one, and these sums added as (0 + 2) + (1 + 3), or 0 + 1. A tap counts only where its weight
    /// is not zero: rows with numbers that are not finite are summed all in order. The rows have [`SLACK`](super::SLACK) numbers behind
    /// the last pixel. There may be fewer outputs than rows.
    pub(crate) fn run(&mut self, rows: [&[f32]; ROWS], outs: &mut [&mut [f32]]) {
        let channels = self.taps.channels;
        let done = match channels {
            1 => self.level.wide(Floats::<1> { across: self, rows, outs: &mut *outs }),
            2 => self.level.wide(Floats::<2> { across: self, rows, outs: &mut *outs }),
            3 => self.level.wide(Floats::<3> { across: self, rows, outs: &mut *outs }),
            4 => self.level.wide(Floats::<4> { across: self, rows, outs: &mut *outs }),
            _ => 0,
        };
        let Lines { pixels, starts, weights, each, .. } = &self.lines;
        for (out, row) in outs.iter_mut().zip(rows) {
            if !self.level.work(Finite(&row[..self.lines.numbers()])) {
                one_row(&self.taps, row, out);
                continue;
            }
            for (x, to) in out.chunks_exact_mut(channels).enumerate().skip(done) {
                for (c, to) in to.iter_mut().enumerate() {
                    let values = row[starts[x] as usize * pixels * channels + c..].iter().step_by(channels);
                    let mut sums = [0.0f32; 4];
                    for (i, (v, w)) in values.zip(&weights[x * each..][..*each]).enumerate() {
                        sums[i % pixels] += v * w;
                    }
                    *to = if channels == 1 { (sums[0] + sums[2]) + (sums[1] + sums[3]) } else { sums[0] + sums[1] };
                }
            }
        }
    }
}

struct Floats<'a, 'b, 'c, 'd, const C: usize> {
    across: &'a mut AcrossFloats<'d>,
    rows: [&'a [f32]; ROWS],
    outs: &'b mut [&'c mut [f32]],
}

impl<const C: usize> Wide for Floats<'_, '_, '_, '_, C> {
    #[inline(always)]
    fn work<L: Lanes>(self, lanes: L) -> usize {
        let Floats { across: AcrossFloats { lines, beside, .. }, rows, outs } = self;
        let (fours, _) = lines.starts.as_chunks::<4>();
        let each = 4 * lines.each;
        let mut laid = 0;
        // By indices, as iterators side by side are calls where the linker does not inline them.
        for four in 0..fours.len() {
            let (starts, weights) = (&fours[four], &lines.weights[four * each..][..each]);
            if let Some(next) = lines.missing(starts, laid) {
                let at = laid * lines.pixels * C;
                lanes.lay_floats(from_on(rows, at), lines.pixels * C, &mut beside[laid..next]);
                laid = next;
            }
            let floats = lanes.across_floats::<C>(beside, starts, weights);
            put_four::<f32, C>(&floats, outs, four);
        }
        fours.len() * 4
    }
}

/// One row, tap by tap, and only those that count.
pub(crate) fn one_row(taps: &Taps<'_, f32>, row: &[f32], out: &mut [f32]) {
    let channels = taps.channels;
    for ((to, &start), weights) in
        out.chunks_exact_mut(channels).zip(taps.starts).zip(taps.weights.chunks_exact(taps.stride))
    {
        to.fill(0.0);
        for (tap, &w) in weights[..taps.taps].iter().enumerate().filter(|(_, w)| **w != 0.0) {
            let pixel = &row[(start as usize + tap) * channels..];
            to.iter_mut().zip(pixel).for_each(|(to, v)| *to += v * w);
        }
    }
}

/// Whether no number is infinite, or not a number.
pub(crate) struct Finite<'a>(pub(crate) &'a [f32]);

impl Work for Finite<'_> {
    type Out = bool;
    #[inline(always)]
    fn work(self) -> bool {
        // All ones in the exponent.
        let worst = self.0.iter().fold(0u32, |worst, v| worst.max(v.to_bits() & 0x7f80_0000));
        worst != 0x7f80_0000
    }
}

#[cfg(test)]
mod tests {
    use super::super::SLACK;
    use super::super::mix::tests::{noise, words};
    use super::*;

    /// Widths, outputs, taps and channels.
    fn shapes() -> impl Iterator<Item = (usize, usize, usize, usize)> {
        let sizes =
            [(1, 1, 1), (5, 3, 3), (9, 13, 4), (40, 7, 5), (41, 62, 8), (300, 77, 9), (1003, 250, 17), (1203, 301, 40)];
        sizes.into_iter().flat_map(|(width, outputs, taps)| (1..=4).map(move |c| (width, outputs, taps, c)))
    }

    /// First pixels, evenly spaced and now and then one off.
    fn starts(width: usize, outputs: usize, taps: usize) -> Vec<u32> {
        let last = width - taps;
        (0..outputs).map(|x| ((x * (last + 1) / outputs) + x % 2).min(last) as u32).collect()
    }

    fn outputs<T: Clone + Default>(rows: usize, length: usize, run: impl FnOnce(&mut [&mut [T]])) -> Vec<Vec<T>> {
        let mut outs = vec![vec![T::default(); length]; rows];
        run(&mut outs.iter_mut().map(Vec::as_mut_slice).collect::<Vec<_>>());
        outs
    }

    #[test]
    fn every_level_takes_words_across_to_the_same_numbers() {
        for (width, count, taps, channels) in shapes() {
            let starts = starts(width, count, taps);
            let stride = taps.next_multiple_of(8);
            let weights = words(count * stride, 9, 9000);
            let rows: Vec<Vec<i16>> = (0..4).map(|r| words(width * channels + SLACK, r, 20_000)).collect();
            let rows = [&rows[0][..], &rows[1], &rows[2], &rows[3]];
            let taps = Taps { starts: &starts, weights: &weights, stride, taps, channels };
            // From the definition: pixel by pixel, without pairs.
            let wanted: Vec<Vec<i16>> = rows
                .iter()
                .map(|row| {
                    (0..count * channels)
                        .map(|i| {
                            let at = |tap| row[(starts[i / channels] as usize + tap) * channels + i % channels];
                            let weight = |tap| weights[i / channels * stride + tap];
                            let sum = (0..taps.taps).map(|tap| i32::from(at(tap)) * i32::from(weight(tap))).sum();
                            narrowed(sum, 16)
                        })
                        .collect()
                })
                .collect();
            for level in Level::present() {
                for given in [1, 4] {
                    let mut across = AcrossWords::new(level, taps);
                    let found = outputs(given, count * channels, |outs| across.run(rows, 16, outs));
                    assert!(found == wanted[..given], "{level:?} {width} {count} {channels}");
                }
            }
        }
    }

    #[test]
    fn every_level_takes_floats_across_to_the_same_bits() {
        for (width, count, taps, channels) in shapes() {
            let starts = starts(width, count, taps);
            let stride = taps.next_multiple_of(8);
            let weights: Vec<f32> = noise(count * stride, 9).map(|v| v as f32 / 1e7 - 0.4).collect();
            let rows: Vec<Vec<f32>> =
                (0..4).map(|r| noise(width * channels + SLACK, r).map(|v| v as f32 / 1e6 - 3.0).collect()).collect();
            let rows = [&rows[0][..], &rows[1], &rows[2], &rows[3]];
            let taps = Taps { starts: &starts, weights: &weights, stride, taps, channels };
            let run = |level, given| {
                outputs::<f32>(given, count * channels, |outs| AcrossFloats::new(level, taps).run(rows, outs))
            };
            let wanted = run(Level::PLAIN, 4);
            for level in Level::present() {
                assert!(run(level, 4) == wanted, "{level:?} {width} {count} {channels}");
                assert!(run(level, 2) == wanted[..2]);
            }
            // Close to the sum in order, in float64.
            for (row, sums) in rows.iter().zip(&wanted) {
                for (i, sum) in sums.iter().enumerate() {
                    let at = |tap| row[(starts[i / channels] as usize + tap) * channels + i % channels];
                    let weight = |tap| weights[i / channels * stride + tap];
                    let exact: f64 = (0..taps.taps).map(|tap| f64::from(at(tap)) * f64::from(weight(tap))).sum();
                    assert!((exact - f64::from(*sum)).abs() < 1e-4);
                }
            }
        }
    }

    #[test]
    fn infinity_counts_where_its_weight_is_not_zero() {
        let taps = Taps { starts: &[0, 1], weights: &[0.0, 1.0, 0.5, 0.5], stride: 2, taps: 2, channels: 1 };
        let mut row = vec![f32::INFINITY, 3.0, 5.0];
        row.extend([0.0; SLACK]);
        let rows = [&row[..]; 4];
        let found = outputs(4, 2, |outs| AcrossFloats::new(Level::best(), taps).run(rows, outs));
        assert_eq!(found, vec![vec![3.0, 4.0]; 4]);
    }
}
