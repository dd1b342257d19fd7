//! Lanes of sums side by side: what the figures of one pass are added up in, for bytes, words and floats.
//!
//! Not here: what the figures mean, and how parts of a picture add up ([`moments`](super::moments)).

use super::moments::{MomentSums, Moments};
use crate::pixel::{Number, NumbersRef};
use crate::simd::sums::{self, ByteSums};
use crate::simd::{Level, Work};
use std::ops::Range;

/// Lanes of bytes, words and floats: multiples of every number of channels.
const BYTES: usize = 48;
const WORDS: usize = 24;
const REALS: usize = 12;

/// The figures of some rows, by as many lanes as suit the number type.
pub(super) fn rows_of<'a>(
    row: &dyn Fn(u32) -> NumbersRef<'a>,
    width: u32,
    rows: Range<u32>,
    channels: usize,
    whole: bool,
) -> Vec<Moments> {
    let (mut bytes, mut words) = (Lanes::<u8, BYTES>::new(u8::MAX), Lanes::<u16, WORDS>::new(u16::MAX));
    let (mut reals, mut wide): (Option<Reals<REALS>>, Vec<f64>) = (None, Vec::new());
    let pixels = u64::from(width) * u64::from(rows.end - rows.start);
    let (mut is_bytes, level) = (false, Level::best());
    for y in rows {
        let numbers = row(y);
        let start = || Reals::new(first_numbers(numbers, channels));
        match numbers {
            NumbersRef::U8(row) => {
                is_bytes = true;
                match channels {
                    1 => bytes.add_sums(sums::of_bytes(level, row)),
                    _ => bytes.add_row(row),
                }
            }
            NumbersRef::U16(row) => words.add_row(row),
            NumbersRef::F32(row) => reals_row(reals.get_or_insert_with(start), row),
            other => {
                other.gather(0, 1, &mut wide);
                reals_row(reals.get_or_insert_with(start), &wide);
            }
        }
    }
    let channel = |channel| match (&reals, pixels) {
        (_, 0) => Moments::none(whole),
        (Some(reals), _) => reals.channel(channel, channels),
        (None, n) if is_bytes => bytes.channel(channel, channels, n),
        (None, n) => words.channel(channel, channels, n),
    };
    (0..channels).map(channel).collect()
}

fn reals_row<T: Number, const L: usize>(reals: &mut Reals<L>, row: &[T]) {
    Level::best().work(Adding { to: reals, row });
}

/// Lanes that take a row.
trait TakesRow<T> {
    /// Must be inlined always: it is compiled for wider registers.
    fn take(&mut self, row: &[T]);
}

/// A row on its way into lanes.
struct Adding<'a, A, T> {
    to: &'a mut A,
    row: &'a [T],
}

impl<A: TakesRow<T>, T> Work for Adding<'_, A, T> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        self.to.take(self.row);
    }
}

impl<const L: usize> TakesRow<u8> for Lanes<u8, L> {
    #[inline(always)]
    fn take(&mut self, row: &[u8]) {
        byte_row(row, self);
    }
}

impl<const L: usize> TakesRow<u16> for Lanes<u16, L> {
    #[inline(always)]
    fn take(&mut self, row: &[u16]) {
        word_row(row, self);
    }
}

impl<T: Number, const L: usize> TakesRow<T> for Reals<L> {
    #[inline(always)]
    fn take(&mut self, row: &[T]) {
        self.row(row);
    }
}

impl<const L: usize> Lanes<u8, L> {
    /// What a row of one channel sums up to, as the first lane's.
    fn add_sums(&mut self, row: ByteSums) {
        self.sums[0] += row.sum;
        self.squares[0] += row.squares;
        (self.min[0], self.max[0]) = (self.min[0].min(row.min), self.max[0].max(row.max));
    }

    /// So few numbers at a time that no 32-bit lane overflows.
    fn add_row(&mut self, row: &[u8]) {
        for part in row.chunks(L * MOST) {
            Level::best().work(Adding { to: &mut *self, row: part });
            self.flush();
        }
    }
}

impl<const L: usize> Lanes<u16, L> {
    fn add_row(&mut self, row: &[u16]) {
        for part in row.chunks(L * MOST) {
            Level::best().work(Adding { to: &mut *self, row: part });
            self.flush();
        }
    }
}

/// Chunks after which a lane of byte squares goes over into 64 bits: 65,536 x 255^2 is below 2^32.
const MOST: usize = 65_536;

struct Lanes<T, const L: usize> {
    sum: [u32; L],
    squares: [u64; L],
    /// Squares of bytes, which fit 32 bits for a while.
    short: [u32; L],
    min: [T; L],
    max: [T; L],
    sums: [u64; L],
}

impl<T: Number + Ord, const L: usize> Lanes<T, L> {
    fn new(top: T) -> Self {
        Lanes { sum: [0; L], squares: [0; L], short: [0; L], min: [top; L], max: [T::default(); L], sums: [0; L] }
    }

    fn flush(&mut self) {
        for k in 0..L {
            self.sums[k] += u64::from(std::mem::take(&mut self.sum[k]));
            self.squares[k] += u64::from(std::mem::take(&mut self.short[k]));
        }
    }

    fn channel(&self, channel: usize, channels: usize, count: u64) -> Moments {
        let (mut sum, mut squares) = (0u128, 0u128);
        // A channel has a lane: there are at least as many lanes as channels.
        let (mut min, mut max) = (self.min[channel], self.max[channel]);
        for k in (channel..L).step_by(channels) {
            sum += u128::from(self.sums[k]);
            squares += u128::from(self.squares[k]);
            (min, max) = (min.min(self.min[k]), max.max(self.max[k]));
        }
        let (min, max) = (min.to_f64(), max.to_f64());
        Moments { count, nan: 0, min, max, sums: MomentSums::Whole { sum, squares } }
    }
}

#[inline(always)]
fn byte_row<const L: usize>(row: &[u8], lanes: &mut Lanes<u8, L>) {
    let (chunks, rest) = row.as_chunks::<L>();
    let (mut sum, mut squares) = (lanes.sum, lanes.short);
    let (mut min, mut max) = (lanes.min, lanes.max);
    for chunk in chunks {
        for k in 0..L {
            let wide = u16::from(chunk[k]);
            sum[k] += u32::from(wide);
            squares[k] += u32::from(wide * wide);
            min[k] = min[k].min(chunk[k]);
            max[k] = max[k].max(chunk[k]);
        }
    }
    for (k, &v) in rest.iter().enumerate() {
        sum[k] += u32::from(v);
        squares[k] += u32::from(v) * u32::from(v);
        (min[k], max[k]) = (min[k].min(v), max[k].max(v));
    }
    (lanes.sum, lanes.short, lanes.min, lanes.max) = (sum, squares, min, max);
}

#[inline(always)]
fn word_row<const L: usize>(row: &[u16], lanes: &mut Lanes<u16, L>) {
    let (chunks, rest) = row.as_chunks::<L>();
    let (mut sum, mut squares) = (lanes.sum, lanes.squares);
    let (mut min, mut max) = (lanes.min, lanes.max);
    for chunk in chunks {
        for k in 0..L {
            let wide = u32::from(chunk[k]);
            sum[k] += wide;
            squares[k] += u64::from(wide * wide);
            min[k] = min[k].min(chunk[k]);
            max[k] = max[k].max(chunk[k]);
        }
    }
    for (k, &v) in rest.iter().enumerate() {
        let wide = u32::from(v);
        sum[k] += wide;
        squares[k] += u64::from(wide * wide);
        (min[k], max[k]) = (min[k].min(v), max[k].max(v));
    }
    (lanes.sum, lanes.squares, lanes.min, lanes.max) = (sum, squares, min, max);
}

/// Floats and wide integers, as distances from a number of their own size.
struct Reals<const L: usize> {
    from: [f64; L],
    sum: [f64; L],
    squares: [f64; L],
    count: [u64; L],
    all: [u64; L],
    min: [f64; L],
    max: [f64; L],
}

/// A finite number of each channel to measure distances from: the first of a row.
fn first_numbers(row: NumbersRef<'_>, channels: usize) -> Vec<f64> {
    let mut all = Vec::new();
    row.gather(0, 1, &mut all);
    let first = |c: usize| all.iter().skip(c).step_by(channels).copied().find(|v| v.is_finite());
    (0..channels).map(|c| first(c).unwrap_or(0.0)).collect()
}

impl<const L: usize> Reals<L> {
    fn new(from: Vec<f64>) -> Self {
        let mut lanes = [0.0; L];
        lanes.iter_mut().zip(from.iter().cycle()).for_each(|(lane, &v)| *lane = v);
        Reals {
            from: lanes,
            sum: [0.0; L],
            squares: [0.0; L],
            count: [0; L],
            all: [0; L],
            min: [f64::INFINITY; L],
            max: [f64::NEG_INFINITY; L],
        }
    }

    #[inline(always)]
    fn row<T: Number>(&mut self, row: &[T]) {
        let (chunks, rest) = row.as_chunks::<L>();
        for chunk in chunks {
            for (k, v) in chunk.iter().enumerate() {
                self.add(k, v.to_f64());
            }
        }
        for (k, v) in rest.iter().enumerate() {
            self.add(k, v.to_f64());
        }
    }

    /// Without a branch, so that lanes go side by side.
    #[inline(always)]
    fn add(&mut self, k: usize, v: f64) {
        let apart = if v.is_nan() { 0.0 } else { v - self.from[k] };
        self.sum[k] += apart;
        self.squares[k] += apart * apart;
        self.count[k] += u64::from(!v.is_nan());
        self.all[k] += 1;
        // False for NaN.
        self.min[k] = if v < self.min[k] { v } else { self.min[k] };
        self.max[k] = if v > self.max[k] { v } else { self.max[k] };
    }

    fn channel(&self, channel: usize, channels: usize) -> Moments {
        let mut out = Moments::none(false);
        for k in (channel..L).step_by(channels) {
            let n = self.count[k] as f64;
            let sums = MomentSums::Real {
                mean: self.from[k] + self.sum[k] / n,
                squares: (self.squares[k] - self.sum[k] * self.sum[k] / n).max(0.0),
            };
            let nan = self.all[k] - self.count[k];
            match self.count[k] {
                0 => out.nan += nan,
                count => out.merge(&Moments { count, nan, min: self.min[k], max: self.max[k], sums }),
            }
        }
        out
    }
}
