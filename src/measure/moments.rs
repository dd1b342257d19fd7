//! Count, extremes, sums: the figures that one pass gives, and that parts of a picture add up to.

use super::levels::levels_of;
use super::mask::Mask;
use crate::error::Result;
use crate::frame::{AnyNumbers, Size, View};
use crate::pixel::{Number, NumbersRef, Pixel};
use crate::simd::sums::{self, ByteSums};
use crate::simd::{Level, Work};
use crate::threads::{self, Threads};
use std::ops::Range;

/// What one pass says of a channel, NaN left out. Of 8- and 16-bit integers everything is exact, and parts computed on
/// threads or machines [merge](Moments::merge) to the same figures in any order. Of other numbers sums run in strips of 64
/// rows from the top; their relative error is at most 2^-53 times the numbers of a strip and as many again as there are
/// strips.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct Moments {
    /// Values counted.
    pub count: u64,
    /// Values that are not numbers, which count nowhere else.
    pub nan: u64,
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    min: f64,
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    max: f64,
    sums: Sums,
}

#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
enum Sums {
    /// The sum and the sum of squares of whole numbers from 0.
    Whole {
        #[cfg_attr(feature = "serde", serde(with = "super::null::whole"))]
        sum: u128,
        #[cfg_attr(feature = "serde", serde(with = "super::null::whole"))]
        squares: u128,
    },
    /// The mean and the sum of squared distances from it.
    Real {
        #[cfg_attr(feature = "serde", serde(with = "super::null"))]
        mean: f64,
        #[cfg_attr(feature = "serde", serde(with = "super::null"))]
        squares: f64,
    },
}

impl Moments {
    /// Of levels 0, 1, 2 ... that occur so often. Exact.
    pub fn of_counts(counts: &[u64]) -> Moments {
        let (mut sum, mut squares) = (0u128, 0u128);
        for (level, &n) in (0u128..).zip(counts) {
            sum += level * u128::from(n);
            squares += level * level * u128::from(n);
        }
        let end = |at: Option<usize>| at.map_or(f64::NAN, |level| level as f64);
        Moments {
            count: counts.iter().sum(),
            nan: 0,
            min: end(counts.iter().position(|&n| n > 0)),
            max: end(counts.iter().rposition(|&n| n > 0)),
            sums: Sums::Whole { sum, squares },
        }
    }

    fn none(whole: bool) -> Moments {
        let sums = match whole {
            true => Sums::Whole { sum: 0, squares: 0 },
            false => Sums::Real { mean: 0.0, squares: 0.0 },
        };
        Moments { count: 0, nan: 0, min: f64::NAN, max: f64::NAN, sums }
    }

    /// The least value; NaN where there is none.
    pub fn min(&self) -> f64 {
        self.min
    }

    /// The greatest value; NaN where there is none.
    pub fn max(&self) -> f64 {
        self.max
    }

    /// The mean; NaN where there is no value.
    pub fn mean(&self) -> f64 {
        match (self.count, self.sums) {
            (0, _) => f64::NAN,
            (n, Sums::Whole { sum, .. }) => sum as f64 / n as f64,
            (_, Sums::Real { mean, .. }) => mean,
        }
    }

    /// The variance over n; NaN where there is no value.
    pub fn variance(&self) -> f64 {
        match (self.count, self.sums) {
            (0, _) => f64::NAN,
            (n, Sums::Whole { sum, squares }) => {
                // n * squares - sum^2 is not negative, and exact where it fits; only the division rounds.
                let wide = u128::from(n);
                match (wide.checked_mul(squares), sum.checked_mul(sum)) {
                    (Some(a), Some(b)) => (a - b) as f64 / (n as f64 * n as f64),
                    _ => {
                        let mean = sum as f64 / n as f64;
                        (squares as f64 / n as f64 - mean * mean).max(0.0)
                    }
                }
            }
            (n, Sums::Real { squares, .. }) => squares / n as f64,
        }
    }

    /// The standard deviation over n; NaN where there is no value.
    pub fn std(&self) -> f64 {
        self.variance().sqrt()
    }

    /// The same figures of this part and another together. Exact and in any order for 8- and 16-bit integers.
    pub fn merge(&mut self, other: &Moments) {
        let (a, b) = (self.count as f64, other.count as f64);
        self.sums = match (self.sums, other.sums) {
            (Sums::Whole { sum, squares }, Sums::Whole { sum: more, squares: more_squares }) => {
                Sums::Whole { sum: sum + more, squares: squares + more_squares }
            }
            (mine, _) if other.count == 0 => mine,
            (_, theirs) if self.count == 0 => theirs,
            (mine, theirs) => {
                // Chan, Golub and LeVeque, "Updating formulae and a pairwise algorithm for computing sample variances" (1979).
                let ((mean, squares), (other_mean, other_squares)) = (mine.real(self.count), theirs.real(other.count));
                let apart = other_mean - mean;
                Sums::Real {
                    mean: mean + apart * (b / (a + b)),
                    squares: squares + other_squares + apart * apart * (a * b / (a + b)),
                }
            }
        };
        // `min` and `max` take the other side where one is NaN.
        (self.min, self.max) = (self.min.min(other.min), self.max.max(other.max));
        (self.count, self.nan) = (self.count + other.count, self.nan + other.nan);
    }
}

impl Sums {
    fn real(self, count: u64) -> (f64, f64) {
        match self {
            Sums::Real { mean, squares } => (mean, squares),
            Sums::Whole { sum, squares } => {
                let mean = sum as f64 / count as f64;
                (mean, (squares as f64 - mean * sum as f64).max(0.0))
            }
        }
    }
}

/// Count, extremes, mean and variance of every channel, one pass over all of them.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, Threads, measure::moments};
/// let row = Frame::<Gray<u8>>::from_numbers(Size::new(4, 1), vec![1, 2, 3, 6])?;
/// let of = &moments(row.view(), Threads::ALL)[0];
/// assert_eq!((of.min(), of.max(), of.mean(), of.variance()), (1.0, 6.0, 3.0, 3.5));
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn moments<P: Pixel>(view: View<'_, P>, threads: Threads) -> Vec<Moments> {
    moments_any(view.numbers_any(), threads)
}

pub(crate) fn moments_any(view: AnyNumbers<'_>, threads: Threads) -> Vec<Moments> {
    let (row, width) = (|y: u32| view.row(y), view.size().width);
    let whole = levels_of(view.kind()).is_some();
    let channels = view.channels().count;
    in_strips(view, threads, &|rows| rows_of(&row, width, rows, channels, whole))
}

/// [`moments`] of the pixels that count. One pass, number by number.
///
/// # Errors
/// A mask of another size.
pub fn masked_moments<P: Pixel>(view: View<'_, P>, mask: &Mask<'_>, threads: Threads) -> Result<Vec<Moments>> {
    masked_moments_any(view.numbers_any(), mask, threads)
}

pub(super) fn masked_moments_any(view: AnyNumbers<'_>, mask: &Mask<'_>, threads: Threads) -> Result<Vec<Moments>> {
    mask.check(view.size())?;
    if mask.is_all() {
        return Ok(moments_any(view, threads));
    }
    let (whole, channels) = (levels_of(view.kind()).is_some(), view.channels().count);
    Ok(in_strips(view, threads, &|rows| {
        let (mut weights, mut row) = (vec![0; view.size().width as usize], Vec::new());
        let mut sums = vec![Moments::none(whole); channels];
        for y in rows {
            mask.row(y, &mut weights);
            view.row(y).gather(0, 1, &mut row);
            for (pixel, &weight) in row.chunks_exact(channels).zip(&weights) {
                sums.iter_mut().zip(pixel).for_each(|(sum, &v)| sum.add(v, weight));
            }
        }
        sums
    }))
}

impl Moments {
    fn add(&mut self, value: f64, weight: u32) {
        if weight == 0 {
            return;
        }
        if value.is_nan() {
            self.nan += u64::from(weight);
            return;
        }
        self.count += u64::from(weight);
        (self.min, self.max) = (self.min.min(value), self.max.max(value));
        match &mut self.sums {
            Sums::Whole { sum, squares } => {
                let level = value as u128;
                *sum += level * u128::from(weight);
                *squares += level * level * u128::from(weight);
            }
            Sums::Real { mean, squares } => {
                let apart = value - *mean;
                *mean += apart * f64::from(weight) / self.count as f64;
                *squares += apart * (value - *mean) * f64::from(weight);
            }
        }
    }
}

/// Rows summed up together, so that the order of float sums does not depend on the number of threads.
const STRIP: u32 = 64;

/// The figures of each strip, merged from the top.
fn in_strips(
    view: AnyNumbers<'_>,
    threads: Threads,
    strip: &(dyn Fn(Range<u32>) -> Vec<Moments> + Sync),
) -> Vec<Moments> {
    let whole = levels_of(view.kind()).is_some();
    let mut all = vec![Moments::none(whole); view.channels().count];
    for part in &strips(view.size(), threads, view.bytes(), strip) {
        all.iter_mut().zip(part).for_each(|(sum, more)| sum.merge(more));
    }
    all
}

/// Work on strips of 64 rows that touches so many bytes, in order, on as many threads as are allowed and worth it.
pub(super) fn strips<T: Send>(
    size: Size,
    threads: Threads,
    bytes: u64,
    strip: &(dyn Fn(Range<u32>) -> T + Sync),
) -> Vec<T> {
    let strips = (0..size.height).step_by(STRIP as usize).map(|y| y..size.height.min(y.saturating_add(STRIP)));
    let threads = if threads.bands(bytes) == 1 { Threads::ONE } else { threads };
    threads::collect(threads, strips.collect(), strip)
}

/// Lanes of bytes, words and floats: multiples of every number of channels.
const BYTES: usize = 48;
const WORDS: usize = 24;
const REALS: usize = 12;

/// The figures of some rows, by as many lanes as suit the number type.
fn rows_of<'a>(
    row: &dyn Fn(u32) -> NumbersRef<'a>,
    width: u32,
    rows: Range<u32>,
    channels: usize,
    whole: bool,
) -> Vec<Moments> {
    let (mut bytes, mut words) = (Lanes::<u8, BYTES>::new(u8::MAX), Lanes::<u16, WORDS>::new(u16::MAX));
    let (mut reals, mut wide): (Option<Reals<REALS>>, Vec<f64>) = (None, Vec::new());
    let pixels = u64::from(width) * u64::from(rows.end - rows.start);
    let mut is_bytes = false;
    for y in rows {
        let numbers = row(y);
        let start = || Reals::new(first_numbers(numbers, channels));
        match numbers {
            NumbersRef::U8(row) => {
                is_bytes = true;
                match channels {
                    1 => bytes.add_sums(sums::of_bytes(Level::best(), row)),
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
        let lanes = || (channel..L).step_by(channels);
        let sum = lanes().map(|k| u128::from(self.sums[k])).sum();
        let squares = lanes().map(|k| u128::from(self.squares[k])).sum();
        let min = lanes().map(|k| self.min[k]).min().map_or(f64::NAN, T::to_f64);
        let max = lanes().map(|k| self.max[k]).max().map_or(f64::NAN, T::to_f64);
        Moments { count, nan: 0, min, max, sums: Sums::Whole { sum, squares } }
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
            let sums = Sums::Real {
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
