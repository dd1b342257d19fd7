//! Two channels against each other: how often pairs of values occur, and how far they go together.

use super::mask::Mask;
use crate::error::{Error, Result};
use crate::frame::{AnyNumbers, View, same_size};
use crate::pixel::Pixel;

/// Joint histogram: counts of pairs of values, first channel across, second down.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(try_from = "Unchecked"))]
#[non_exhaustive]
pub struct JointHistogram {
    /// Bins for the first and the second channel.
    pub bins: (usize, usize),
    /// The half-open range that the bins of each cover evenly; a value at the upper limit falls in the last bin.
    pub ranges: [(f64, f64); 2],
    /// Counts, row by row: `counts[second * bins.0 + first]`.
    pub counts: Vec<u64>,
    /// Pairs with a value outside its range, or without one.
    pub outside: u64,
    /// The correlation of all pairs of numbers (Pearson's); NaN where one channel does not vary.
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub correlation: f64,
}

/// What stands in a file may be anything.
#[cfg(feature = "serde")]
#[derive(serde::Deserialize)]
struct Unchecked {
    bins: (usize, usize),
    ranges: [(f64, f64); 2],
    counts: Vec<u64>,
    outside: u64,
    #[serde(with = "super::null")]
    correlation: f64,
}

#[cfg(feature = "serde")]
impl TryFrom<Unchecked> for JointHistogram {
    type Error = Error;

    fn try_from(from: Unchecked) -> Result<JointHistogram> {
        let Unchecked { bins, ranges, counts, outside, correlation } = from;
        let product = bins.0.checked_mul(bins.1).filter(|&n| n > 0 && n <= MOST);
        if product != Some(counts.len()) {
            let (across, down, found) = (bins.0, bins.1, counts.len());
            return Err(Error::invalid("bins", format!("{across} x {down} bins, but {found} counts")));
        }
        if !ranges.iter().all(|(low, high)| low.is_finite() && high.is_finite() && low < high) {
            return Err(Error::not_a_range("ranges", ranges[0], "a range goes from a lower to a higher number"));
        }
        Ok(JointHistogram { bins, ranges, counts, outside, correlation })
    }
}

impl JointHistogram {
    /// How often this pair of bins occurs; 0 beyond the bins.
    pub fn at(&self, first: usize, second: usize) -> u64 {
        let inside = first < self.bins.0 && second < self.bins.1;
        if inside { self.counts[second * self.bins.0 + first] } else { 0 }
    }
}

/// More pairs of bins than this are refused: 16 million.
const MOST: usize = 1 << 24;

/// Joint histogram of two channels, of one picture or of two of one size, by numbers of bins over ranges. One
/// pass over both.
///
/// # Errors
/// Channels that are not there, sizes that differ, no bins or too many, ranges that are not finite or run backwards, a
/// mask of another size.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Rgb, Size, measure::{Mask, joint_histogram}};
/// let frame = Frame::from_fn(Size::new(4, 4), |x, _| Rgb::new(x as u8 * 80, x as u8 * 60, 9))?;
/// let against = joint_histogram((frame.view(), 0), (frame.view(), 1), (4, 4), [(0.0, 256.0); 2], &Mask::ALL)?;
/// assert_eq!((against.at(0, 0), against.at(3, 2)), (4, 4));
/// assert!((against.correlation - 1.0).abs() < 1e-12);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn joint_histogram<P: Pixel, Q: Pixel>(
    first: (View<'_, P>, usize),
    second: (View<'_, Q>, usize),
    bins: (usize, usize),
    ranges: [(f64, f64); 2],
    mask: &Mask<'_>,
) -> Result<JointHistogram> {
    for (channel, channels, what) in [(first.1, P::CHANNELS, P::describe()), (second.1, Q::CHANNELS, Q::describe())] {
        if channel >= channels {
            return Err(Error::not_there(
                "channel",
                channel as u64,
                channels as u64,
                format!("channel {channel} is outside 0..{channels} of {what}"),
            ));
        }
    }
    joint_any((first.0.numbers_any(), first.1), (second.0.numbers_any(), second.1), bins, ranges, mask)
}

pub(super) fn joint_any(
    (a, channel): (AnyNumbers<'_>, usize),
    (b, other): (AnyNumbers<'_>, usize),
    bins: (usize, usize),
    ranges: [(f64, f64); 2],
    mask: &Mask<'_>,
) -> Result<JointHistogram> {
    same_size("the second picture", a.size(), b.size())?;
    mask.check(a.size())?;
    if bins.0 == 0 || bins.1 == 0 || bins.0.saturating_mul(bins.1) > MOST {
        return Err(Error::invalid("bins", format!("{} x {} bins are none or more than {MOST}", bins.0, bins.1)));
    }
    for (low, high) in ranges {
        crate::convert::depth::Window::new(low, high)?;
    }
    let mut sums = Pairs::default();
    let mut out = JointHistogram { bins, ranges, counts: vec![0; bins.0 * bins.1], outside: 0, correlation: f64::NAN };
    let mut weights = vec![0; a.size().width as usize];
    let (mut firsts, mut seconds) = (Vec::new(), Vec::new());
    for y in 0..a.size().height {
        mask.row(y, &mut weights);
        a.row(y).gather(channel, a.channels().count, &mut firsts);
        b.row(y).gather(other, b.channels().count, &mut seconds);
        for ((&a, &b), &weight) in firsts.iter().zip(&seconds).zip(&weights) {
            let weight = u64::from(weight);
            sums.add(a, b, weight as f64);
            match (bin(a, ranges[0], bins.0), bin(b, ranges[1], bins.1)) {
                (Some(i), Some(j)) => out.counts[j * bins.0 + i] += weight,
                _ => out.outside += weight,
            }
        }
    }
    out.correlation = sums.correlation();
    Ok(out)
}

fn bin(value: f64, (low, high): (f64, f64), bins: usize) -> Option<usize> {
    // False for NaN.
    let inside = value >= low && value <= high;
    inside.then(|| (((value - low) / (high - low) * bins as f64) as usize).min(bins - 1))
}

/// Means and the sums of products of distances from them, pair by pair (Welford's method).
#[derive(Default)]
struct Pairs {
    count: f64,
    mean: [f64; 2],
    squares: [f64; 2],
    product: f64,
}

impl Pairs {
    fn add(&mut self, a: f64, b: f64, weight: f64) {
        if weight == 0.0 || a.is_nan() || b.is_nan() {
            return;
        }
        self.count += weight;
        let apart = [a - self.mean[0], b - self.mean[1]];
        self.mean[0] += apart[0] * weight / self.count;
        self.mean[1] += apart[1] * weight / self.count;
        self.squares[0] += weight * apart[0] * (a - self.mean[0]);
        self.squares[1] += weight * apart[1] * (b - self.mean[1]);
        self.product += weight * apart[0] * (b - self.mean[1]);
    }

    fn correlation(&self) -> f64 {
        match self.squares[0] * self.squares[1] {
            squares if squares > 0.0 => self.product / squares.sqrt(),
            _ => f64::NAN,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, Size};
    use crate::pixel::Gray;

    #[test]
    fn pairs_are_counted_and_correlation_is_that_of_the_formula() {
        let size = Size::new(5, 1);
        let a = Frame::<Gray<u8>>::from_samples(size, vec![1, 2, 3, 4, 200]).unwrap();
        let b = Frame::<Gray<f32>>::from_samples(size, vec![2.0, 1.0, 4.0, 3.0, f32::NAN]).unwrap();
        let ranges = [(0.0, 5.0), (0.0, 4.0)];
        let j = joint_histogram((a.view(), 0), (b.view(), 0), (5, 4), ranges, &Mask::ALL).unwrap();
        assert_eq!((j.at(1, 2), j.at(2, 1), j.at(3, 3), j.at(4, 3), j.outside), (1, 1, 1, 1, 1));
        // Means 2.5 and 2.5; products of distances 0.75 + 0.75 + 0.75 + 0.75; squares 5 and 5.
        assert!((j.correlation - 0.6).abs() < 1e-12);
        assert!(joint_histogram((a.view(), 1), (b.view(), 0), (5, 4), ranges, &Mask::ALL).is_err());
        assert!(joint_histogram((a.view(), 0), (b.view(), 0), (0, 4), ranges, &Mask::ALL).is_err());
        assert!(joint_histogram((a.view(), 0), (b.view(), 0), (5, 4), [(1.0, 1.0); 2], &Mask::ALL).is_err());
    }
}
