//! The figures of a channel: count, extremes, mean, deviation, median.
//!
//! Not here: what follows from the bins of a histogram ([`channel`](super::channel)).

use super::levels::{count_levels, levels_of};
use super::mask::Mask;
use super::moments::Moments;
use super::one_pass::moments_any;
use crate::frame::{AnyNumbers, View};
use crate::pixel::Pixel;
use crate::threads::Threads;

/// Statistics of one channel, NaN left out. Where there is no value, all but the count are NaN.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct Stats {
    /// Values counted.
    pub count: u64,
    /// The minimum.
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub min: f64,
    /// The maximum.
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub max: f64,
    /// The mean.
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub mean: f64,
    /// The variance over n.
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub variance: f64,
    /// The standard deviation over n.
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub std: f64,
    /// The middle value; the mean of the two middle ones where the count is even.
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub median: f64,
    /// Number of NaN values, which count nowhere else.
    #[cfg_attr(feature = "serde", serde(skip))]
    pub nan: u64,
}

/// Statistics of every channel of a view, the median included. Integers of 8 and 16 bits: one pass, and exact. Other
/// numbers: up to six passes, five of them for the median. [`moments`](super::moments()) gives the rest in one quick pass.
pub fn stats<P: Pixel>(view: View<'_, P>) -> Vec<Stats> {
    stats_any(view.numbers_any())
}

fn stats_any(view: AnyNumbers<'_>) -> Vec<Stats> {
    if levels_of(view.kind()).is_some() {
        return count_levels(view, &Mask::ALL, Threads::ALL).iter().map(|c| Stats::of_counts(c)).collect();
    }
    let each = moments_any(view, Threads::ALL).into_iter().enumerate();
    each.map(|(channel, moments)| {
        let values = |value: &mut dyn FnMut(f64, u32)| each_value(view, channel, &Mask::ALL, value);
        Stats::of_moments(&moments, median_of(&values, moments.count))
    })
    .collect()
}

/// Calls `value` with every number of a channel that counts, and how often it does; NaN left out.
pub(super) fn each_value(view: AnyNumbers<'_>, channel: usize, mask: &Mask<'_>, value: &mut dyn FnMut(f64, u32)) {
    let (size, channels) = (view.size(), view.channels().count);
    let (mut weights, mut row) = (vec![1; size.width as usize], Vec::new());
    for y in 0..size.height {
        if !mask.is_all() {
            mask.row(y, &mut weights);
        }
        view.row(y).gather(channel, channels, &mut row);
        for (&v, &weight) in row.iter().zip(&weights) {
            if weight > 0 && !v.is_nan() {
                value(v, weight);
            }
        }
    }
}

/// Values of a channel and how often each counts, gone through as often as is asked for.
pub(super) type Values<'a> = dyn Fn(&mut dyn FnMut(f64, u32)) + 'a;

/// The median of values that count `count` times in all; NaN of none. Up to five passes over them and half a megabyte, however many
/// they are: the sixteen highest bits of the value of the middle rank are found first, then the next ones.
pub(super) fn median_of(values: &Values<'_>, count: u64) -> f64 {
    if count == 0 {
        return f64::NAN;
    }
    let (mut rank, mut found) = (count / 2, 0u64);
    for shift in [48, 32, 16, 0] {
        let mut counts = vec![0u64; 1 << 16];
        values(&mut |value, weight| {
            let bits = ordered(value) >> shift;
            if bits >> 16 == found {
                counts[(bits & 0xffff) as usize] += u64::from(weight);
            }
        });
        let mut next = 0;
        while next < 0xffff && rank >= counts[next] {
            rank -= counts[next];
            next += 1;
        }
        found = found << 16 | next as u64;
    }
    let upper = value_of(found);
    // An even count has two in the middle; the lower one is the same value where it is not the first of them.
    if count % 2 == 1 || rank > 0 {
        return upper;
    }
    let mut lower = f64::NEG_INFINITY;
    values(&mut |value, weight| {
        if weight > 0 && value.total_cmp(&upper).is_lt() && value > lower {
            lower = value;
        }
    });
    (lower + upper) / 2.0
}

/// A whole number that is greater where the value is, in the total order of floats.
fn ordered(value: f64) -> u64 {
    let bits = value.to_bits();
    if value.is_sign_negative() { !bits } else { bits | 1 << 63 }
}

/// The value of an [`ordered`] number.
fn value_of(ordered: u64) -> f64 {
    f64::from_bits(if ordered >> 63 == 1 { ordered & !(1 << 63) } else { !ordered })
}

impl Stats {
    pub(super) fn of_moments(moments: &Moments, median: f64) -> Stats {
        Stats {
            count: moments.count,
            min: moments.min(),
            max: moments.max(),
            mean: moments.mean(),
            variance: moments.variance(),
            std: moments.std(),
            median,
            nan: moments.nan,
        }
    }

    /// The figures of values that all lie further up by so much.
    pub(super) fn moved_by(self, by: f64) -> Stats {
        let moved = |v: f64| v + by;
        Stats { min: moved(self.min), max: moved(self.max), mean: moved(self.mean), median: moved(self.median), ..self }
    }

    /// The figures of levels 0, 1, 2 ... that occur so often. Sums are exact whole numbers.
    pub fn of_counts(counts: &[u64]) -> Stats {
        let moments = Moments::of_counts(counts);
        let level_at = |rank: u64| {
            let mut seen = 0;
            let found = counts.iter().position(|&c| {
                seen += c;
                seen > rank
            });
            found.map_or(f64::NAN, |level| level as f64)
        };
        let median = match moments.count {
            0 => f64::NAN,
            n => (level_at((n - 1) / 2) + level_at(n / 2)) / 2.0,
        };
        Stats::of_moments(&moments, median)
    }
}

/// 10 log10 of a ratio of powers; infinite for no noise.
pub(crate) fn decibels(signal: f64, noise: f64) -> f64 {
    if noise == 0.0 { f64::INFINITY } else { 10.0 * (signal / noise).log10() }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, Size};
    use crate::measure::moments;
    use crate::pixel::{Gray, Rgb};

    #[test]
    fn figures_of_values_and_of_counts_agree_with_hand_computation() {
        let frame = Frame::<Gray<i16>>::from_samples(Size::new(4, 1), vec![-2, 0, 4, 6]).unwrap();
        let s = &stats(frame.view())[0];
        // Mean 2; squared distances 16, 4, 4, 16: variance 10.
        assert_eq!((s.count, s.min, s.max, s.mean, s.median, s.variance), (4, -2.0, 6.0, 2.0, 2.0, 10.0));
        assert!((s.std - 10f64.sqrt()).abs() < 1e-12);
        let odd = Frame::<Gray<f64>>::from_samples(Size::new(3, 1), vec![9.0, 1.0, 2.0]).unwrap();
        assert_eq!(stats(odd.view())[0].median, 2.0);
        let counts = Stats::of_counts(&[0, 2, 1, 0, 1]);
        assert_eq!((counts.mean, counts.median, counts.min, counts.max), (2.0, 1.5, 1.0, 4.0));
        assert!((counts.std - 1.5f64.sqrt()).abs() < 1e-12);
        let median_of = |all: &[(f64, u32)]| {
            let values = |value: &mut dyn FnMut(f64, u32)| all.iter().for_each(|(v, weight)| value(*v, *weight));
            median_of(&values, all.iter().map(|v| u64::from(v.1)).sum())
        };
        // Worked by weight: 1 once, 5 three times, 9 twice: the two middle ones of six are 5.
        assert_eq!(median_of(&[(9.0, 2), (1.0, 1), (5.0, 3)]), 5.0);
        // The middle lies between two values, an odd count has one, and what weighs nothing does not count.
        assert_eq!(median_of(&[(9.0, 2), (1.0, 1), (5.0, 1)]), 7.0);
        assert_eq!(median_of(&[(9.0, 2), (1.0, 2), (5.0, 1)]), 5.0);
        assert_eq!(median_of(&[(2.0, 1), (4.0, 1), (1.0, 1), (3.0, 1)]), 2.5);
        assert_eq!(median_of(&[(7.0, 0), (1.0, 1), (2.0, 3), (0.5, 4)]), 0.75);
        assert!(median_of(&[(1.0, 0)]).is_nan());
        // Below zero, next to each other, infinite.
        assert_eq!(median_of(&[(-2.0, 1), (-3.0, 1), (5.0, 1)]), -2.0);
        assert_eq!(median_of(&[(1.0f64.next_up(), 1), (1.0, 1), (1.0f64.next_down(), 1)]), 1.0);
        assert_eq!(median_of(&[(f64::NEG_INFINITY, 3), (f64::INFINITY, 2)]), f64::NEG_INFINITY);
        // Against sorting.
        let mut all: Vec<f64> = (0..1001u32).map(|i| f64::from(i.wrapping_mul(2_654_435_761)) / 1e9 - 2.0).collect();
        let found = median_of(&all.iter().map(|v| (*v, 1)).collect::<Vec<_>>());
        all.sort_unstable_by(f64::total_cmp);
        assert_eq!(found, all[500]);
    }

    #[test]
    fn counts_beyond_32_bits_stay_exact() {
        let many = 1u64 << 40;
        let s = Stats::of_counts(&[many, 0, many]);
        assert_eq!((s.count, s.mean, s.std, s.median), (2 * many, 1.0, 1.0, 1.0));
    }

    #[test]
    fn one_pass_gives_what_two_passes_give() {
        let frame = Frame::from_fn(Size::new(701, 133), |x, y| {
            let v = (x * 31 + y * 17) as f32 * 0.1 + 1000.0;
            Rgb::new(if x == 5 { f32::NAN } else { v }, v.sqrt(), 1.0 / (v + 1.0))
        })
        .unwrap();
        for threads in [Threads::ALL, Threads::ONE, Threads::at_most(7)] {
            assert_eq!(moments(frame.view(), threads), moments(frame.view(), Threads::ONE));
        }
        for (channel, m) in moments(frame.view(), Threads::ALL).iter().enumerate() {
            let values: Vec<f64> = frame
                .samples()
                .iter()
                .skip(channel)
                .step_by(3)
                .map(|v| f64::from(*v))
                .filter(|v| !v.is_nan())
                .collect();
            let mean = values.iter().sum::<f64>() / values.len() as f64;
            let variance = values.iter().map(|v| (v - mean).powi(2)).sum::<f64>() / values.len() as f64;
            assert!((m.mean() / mean - 1.0).abs() < 1e-12 && (m.variance() / variance - 1.0).abs() < 1e-9, "{m:?}");
            assert_eq!(m.count + m.nan, 701 * 133);
            assert_eq!(m.min(), values.iter().copied().fold(f64::INFINITY, f64::min));
            assert_eq!(m.max(), values.iter().copied().fold(0.0, f64::max));
        }
        let whole =
            Frame::from_fn(Size::new(1001, 70), |x, y| Rgb::new((x * y) as u16, (x ^ y) as u16, 65_535)).unwrap();
        let bytes = Frame::from_fn(Size::new(1001, 70), |x, y| Rgb::new((x * y) as u8, 255, (x ^ y) as u8)).unwrap();
        let by_level = |counts: Vec<Vec<u64>>| counts.iter().map(|c| Moments::of_counts(c)).collect::<Vec<_>>();
        assert_eq!(
            moments(whole.view(), Threads::ALL),
            by_level(count_levels(whole.view().numbers_any(), &Mask::ALL, Threads::ALL))
        );
        assert_eq!(
            moments(bytes.view(), Threads::ALL),
            by_level(count_levels(bytes.view().numbers_any(), &Mask::ALL, Threads::ALL))
        );
    }
}
