//! What lies between two pictures of one type, summed up in one pass over both.

use super::one_pass::strips;
use crate::frame::AnyNumbers;
use crate::pixel::{Number, NumbersRef};
use crate::simd::arrays;
use crate::simd::{Level, Work};
use crate::threads::Threads;
use std::ops::Range;

/// Sums over one channel. Of 8- and 16-bit integers they are whole numbers and exact.
#[derive(Debug, Clone, Copy, Default)]
pub(super) struct Gap {
    /// Pairs compared, and pairs in which just one is not a number.
    pub(super) count: u64,
    pub(super) nan: u64,
    /// Absolute differences, their squares, and the squares of the first picture.
    pub(super) sums: DifferenceSums,
    pub(super) max: f64,
    /// Where the greatest difference is first met; none where all are zero.
    pub(super) at: Option<(u32, u32)>,
    /// Differences beyond the threshold.
    pub(super) over: u64,
}

#[derive(Debug, Clone, Copy, Default)]
pub(super) struct DifferenceSums {
    whole: [u128; 3],
    real: [f64; 3],
}

impl DifferenceSums {
    /// Absolute differences, their squares, squares of the first picture.
    pub(super) fn values(&self) -> [f64; 3] {
        arrays::from_fn(|i| self.whole[i] as f64 + self.real[i])
    }
}

impl Gap {
    /// Adds what came further down.
    pub(super) fn add(&mut self, other: &Gap) {
        (self.count, self.nan, self.over) = (self.count + other.count, self.nan + other.nan, self.over + other.over);
        for i in 0..3 {
            self.sums.whole[i] += other.sums.whole[i];
            self.sums.real[i] += other.sums.real[i];
        }
        if other.max > self.max {
            (self.max, self.at) = (other.max, other.at);
        }
    }
}

/// Per-channel difference sums of two views of one size, gathered in one pass.
pub(super) fn gaps(a: AnyNumbers<'_>, b: AnyNumbers<'_>, threshold: f64, threads: Threads) -> Vec<Gap> {
    let rows = |y: u32| (a.row(y), b.row(y));
    let count = a.channels().count;
    let parts = strips(a.size(), threads, a.bytes() + b.bytes(), &|strip| rows_of(&rows, strip, count, threshold));
    let mut all = vec![Gap::default(); count];
    for part in &parts {
        all.iter_mut().zip(part).for_each(|(sum, more)| sum.add(more));
    }
    all
}

/// Lanes of bytes, words and floats: multiples of every number of channels.
const BYTES: usize = 48;
const WORDS: usize = 24;
const REALS: usize = 12;

fn rows_of<'a>(
    pair: &dyn Fn(u32) -> (NumbersRef<'a>, NumbersRef<'a>),
    rows: Range<u32>,
    channels: usize,
    threshold: f64,
) -> Vec<Gap> {
    let mut all = vec![Gap::default(); channels];
    let mut bytes = Whole::<u8, BYTES>::new(threshold);
    let mut words = Whole::<u16, WORDS>::new(threshold);
    let mut reals = Reals::<REALS>::new(threshold);
    let (mut first, mut second) = (Vec::new(), Vec::new());
    for y in rows {
        let (a, b) = pair(y);
        match (a, b) {
            (NumbersRef::U8(a), NumbersRef::U8(b)) => bytes.add_row(a, b),
            (NumbersRef::U16(a), NumbersRef::U16(b)) => words.add_row(a, b),
            (NumbersRef::F32(a), NumbersRef::F32(b)) => reals_row(&mut reals, a, b),
            _ => {
                a.gather(0, 1, &mut first);
                b.gather(0, 1, &mut second);
                reals_row(&mut reals, &first, &second);
            }
        }
        let is_greater = match a {
            NumbersRef::U8(_) => bytes.is_greater(),
            NumbersRef::U16(_) => words.is_greater(),
            _ => true,
        };
        if !is_greater {
            continue;
        }
        for (channel, gap) in all.iter_mut().enumerate() {
            // Sums of floats are taken row by row, so that errors stay small; whole ones are exact however long they go on.
            let (max, row) = match a {
                NumbersRef::U8(_) => (bytes.max(channel, channels), None),
                NumbersRef::U16(_) => (words.max(channel, channels), None),
                _ => {
                    let row = reals.channel(channel, channels);
                    (row.max, Some(row))
                }
            };
            if max > gap.max {
                let x = match (a, b) {
                    (NumbersRef::U8(a), NumbersRef::U8(b)) => place(a, b, channel, channels, max),
                    (NumbersRef::U16(a), NumbersRef::U16(b)) => place(a, b, channel, channels, max),
                    (NumbersRef::F32(a), NumbersRef::F32(b)) => place(a, b, channel, channels, max),
                    // Gathered above.
                    _ => place(&first, &second, channel, channels, max),
                };
                (gap.max, gap.at) = (max, x.map(|x| (x, y)));
            }
            if let Some(row) = row {
                gap.add(&row);
                if channel + 1 == channels {
                    reals.clear();
                }
            }
        }
    }
    for (channel, gap) in all.iter_mut().enumerate() {
        gap.add(&bytes.channel(channel, channels));
        gap.add(&words.channel(channel, channels));
    }
    all
}

fn reals_row<T: Number, const L: usize>(reals: &mut Reals<L>, a: &[T], b: &[T]) {
    Level::best().work(Adding { to: reals, a, b });
}

/// Lanes that take a row of each picture.
trait TakesPair<T> {
    /// Must be inlined always: it is compiled for wider registers.
    fn take(&mut self, a: &[T], b: &[T]);
}

/// A row of each picture on its way into lanes.
struct Adding<'a, A, T> {
    to: &'a mut A,
    a: &'a [T],
    b: &'a [T],
}

impl<A: TakesPair<T>, T> Work for Adding<'_, A, T> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        self.to.take(self.a, self.b);
    }
}

impl<const L: usize> TakesPair<u8> for Whole<u8, L> {
    #[inline(always)]
    fn take(&mut self, a: &[u8], b: &[u8]) {
        byte_row(a, b, self);
    }
}

impl<const L: usize> TakesPair<u16> for Whole<u16, L> {
    #[inline(always)]
    fn take(&mut self, a: &[u16], b: &[u16]) {
        word_row(a, b, self);
    }
}

impl<T: Number, const L: usize> TakesPair<T> for Reals<L> {
    #[inline(always)]
    fn take(&mut self, a: &[T], b: &[T]) {
        self.row(a, b);
    }
}

impl<T: Number + Ord, const L: usize> Whole<T, L> {
    fn add_row(&mut self, a: &[T], b: &[T])
    where
        Self: TakesPair<T>,
    {
        for (a, b) in a.chunks(L * MOST).zip(b.chunks(L * MOST)) {
            let chunks = a.len().div_ceil(L);
            if self.chunks + chunks > MOST {
                self.flush();
            }
            self.chunks += chunks;
            self.samples += a.len() as u64;
            Level::best().work(Adding { to: &mut *self, a, b });
        }
    }
}

/// Where in a row a difference of a channel is first met.
fn place<T: Number>(a: &[T], b: &[T], channel: usize, channels: usize, wanted: f64) -> Option<u32> {
    let at = (channel..a.len().min(b.len())).step_by(channels);
    (0u32..).zip(at).find(|&(_, i)| (a[i].to_f64() - b[i].to_f64()).abs() == wanted).map(|(x, _)| x)
}

/// Chunks after which 32-bit lanes go over into 64 bits: 65,536 x 255^2 is below 2^32.
const MOST: usize = 65_536;

struct Whole<T, const L: usize> {
    threshold: T,
    max: [T; L],
    /// What it was when it was last asked for.
    asked: [T; L],
    over: [u32; L],
    /// Differences, their squares, squares: for a while, and for the row.
    short: [[u32; L]; 3],
    long: [[u64; L]; 3],
    over_of: [u64; L],
    /// Chunks since the last flush, and samples of all rows.
    chunks: usize,
    samples: u64,
}

impl<T: Number + Ord, const L: usize> Whole<T, L> {
    fn new(threshold: f64) -> Self {
        Whole {
            // A whole difference is beyond a threshold if it is beyond the whole number below that.
            threshold: T::from_f64(threshold.floor()),
            max: [T::default(); L],
            asked: [T::default(); L],
            over: [0; L],
            short: [[0; L]; 3],
            long: [[0; L]; 3],
            over_of: [0; L],
            chunks: 0,
            samples: 0,
        }
    }

    fn flush(&mut self) {
        for (short, long) in self.short.iter_mut().zip(&mut self.long) {
            short.iter_mut().zip(long).for_each(|(short, long)| *long += u64::from(std::mem::take(short)));
        }
        for (over, sum) in self.over.iter_mut().zip(&mut self.over_of) {
            *sum += u64::from(std::mem::take(over));
        }
        self.chunks = 0;
    }

    /// Whether a lane's greatest difference has grown since this was asked before.
    fn is_greater(&mut self) -> bool {
        let is_greater = self.max != self.asked;
        self.asked = self.max;
        is_greater
    }

    /// The greatest difference of a channel in all rows so far.
    fn max(&self, channel: usize, channels: usize) -> f64 {
        self.max[channel..].iter().step_by(channels).max().map_or(0.0, |max| max.to_f64())
    }

    /// The sums of a channel over all rows; where its greatest difference lies is not known here.
    fn channel(&mut self, channel: usize, channels: usize) -> Gap {
        self.flush();
        let (count, max) = (self.samples / channels as u64, self.max(channel, channels));
        let mut gap = Gap { count, max, ..Gap::default() };
        for k in (channel..L).step_by(channels) {
            for i in 0..3 {
                gap.sums.whole[i] += u128::from(self.long[i][k]);
            }
            gap.over += self.over_of[k];
        }
        gap
    }
}

#[inline(always)]
fn byte_row<const L: usize>(a: &[u8], b: &[u8], lanes: &mut Whole<u8, L>) {
    let ((chunks, rest), (others, other_rest)) = (a.as_chunks::<L>(), b.as_chunks::<L>());
    let [mut apart, mut squares, mut own] = lanes.short;
    let (mut max, mut over, threshold) = (lanes.max, lanes.over, lanes.threshold);
    // By indices: a pair of iterators is a call, where the linker does not inline it.
    for i in 0..chunks.len().min(others.len()) {
        let (a, b) = (&chunks[i], &others[i]);
        for k in 0..L {
            let d = a[k].abs_diff(b[k]);
            let (wide, a) = (u16::from(d), u16::from(a[k]));
            apart[k] += u32::from(d);
            squares[k] += u32::from(wide * wide);
            own[k] += u32::from(a * a);
            max[k] = max[k].max(d);
            over[k] += u32::from(d > threshold);
        }
    }
    for (k, (&a, &b)) in rest.iter().zip(other_rest).enumerate() {
        let d = a.abs_diff(b);
        apart[k] += u32::from(d);
        squares[k] += u32::from(d) * u32::from(d);
        own[k] += u32::from(a) * u32::from(a);
        max[k] = max[k].max(d);
        over[k] += u32::from(d > threshold);
    }
    lanes.short = [apart, squares, own];
    (lanes.max, lanes.over) = (max, over);
}

#[inline(always)]
fn word_row<const L: usize>(a: &[u16], b: &[u16], lanes: &mut Whole<u16, L>) {
    let ((chunks, rest), (others, other_rest)) = (a.as_chunks::<L>(), b.as_chunks::<L>());
    let ([mut apart, ..], [_, mut squares, mut own]) = (lanes.short, lanes.long);
    let (mut max, mut over, threshold) = (lanes.max, lanes.over, lanes.threshold);
    // By indices: a pair of iterators is a call, where the linker does not inline it.
    for i in 0..chunks.len().min(others.len()) {
        let (a, b) = (&chunks[i], &others[i]);
        for k in 0..L {
            let d = a[k].abs_diff(b[k]);
            let (wide, a) = (u32::from(d), u32::from(a[k]));
            apart[k] += wide;
            squares[k] += u64::from(wide * wide);
            own[k] += u64::from(a * a);
            max[k] = max[k].max(d);
            over[k] += u32::from(d > threshold);
        }
    }
    for (k, (&a, &b)) in rest.iter().zip(other_rest).enumerate() {
        let d = a.abs_diff(b);
        apart[k] += u32::from(d);
        squares[k] += u64::from(d) * u64::from(d);
        own[k] += u64::from(a) * u64::from(a);
        max[k] = max[k].max(d);
        over[k] += u32::from(d > threshold);
    }
    lanes.short[0] = apart;
    (lanes.long[1], lanes.long[2]) = (squares, own);
    (lanes.max, lanes.over) = (max, over);
}

/// Floats and wide integers.
struct Reals<const L: usize> {
    threshold: f64,
    sums: [[f64; L]; 3],
    max: [f64; L],
    over: [u64; L],
    count: [u64; L],
    nan: [u64; L],
}

impl<const L: usize> Reals<L> {
    fn new(threshold: f64) -> Self {
        Reals { threshold, sums: [[0.0; L]; 3], max: [0.0; L], over: [0; L], count: [0; L], nan: [0; L] }
    }

    fn clear(&mut self) {
        *self = Reals::new(self.threshold);
    }

    #[inline(always)]
    fn row<T: Number>(&mut self, a: &[T], b: &[T]) {
        let ((chunks, rest), (others, other_rest)) = (a.as_chunks::<L>(), b.as_chunks::<L>());
        for (a, b) in chunks.iter().zip(others) {
            for k in 0..L {
                self.add(k, a[k].to_f64(), b[k].to_f64());
            }
        }
        for (k, (a, b)) in rest.iter().zip(other_rest).enumerate() {
            self.add(k, a.to_f64(), b.to_f64());
        }
    }

    /// Without a branch, so that lanes go side by side. Two NaN are alike and count nowhere.
    #[inline(always)]
    fn add(&mut self, k: usize, a: f64, b: f64) {
        let known = !(a.is_nan() || b.is_nan());
        // Equal infinities are no distance apart.
        let d = if known && a != b { (a - b).abs() } else { 0.0 };
        let own = if known { a } else { 0.0 };
        self.sums[0][k] += d;
        self.sums[1][k] += d * d;
        self.sums[2][k] += own * own;
        self.max[k] = if d > self.max[k] { d } else { self.max[k] };
        self.over[k] += u64::from(d > self.threshold);
        self.count[k] += u64::from(known);
        self.nan[k] += u64::from(a.is_nan() != b.is_nan());
    }

    fn channel(&self, channel: usize, channels: usize) -> Gap {
        let mut gap = Gap::default();
        for k in (channel..L).step_by(channels) {
            for i in 0..3 {
                gap.sums.real[i] += self.sums[i][k];
            }
            gap.max = gap.max.max(self.max[k]);
            gap.over += self.over[k];
            gap.count += self.count[k];
            gap.nan += self.nan[k];
        }
        gap
    }
}
