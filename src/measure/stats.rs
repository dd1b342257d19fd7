//! Count, extremes, mean, standard deviation and median.

use super::levels::{count_levels, levels_of};
use crate::frame::View;
use crate::pixel::{Number, Pixel, samples_of};
use crate::threads::{self, Threads};

/// The figures of one channel, NaN left out. Where there is no value, all but the count are NaN.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct ChannelStats {
    /// Values counted.
    pub count: u64,
    /// The least.
    pub min: f64,
    /// The greatest.
    pub max: f64,
    /// The mean.
    pub mean: f64,
    /// The standard deviation over n.
    pub std: f64,
    /// The middle value; the mean of the two middle ones where the count is even.
    pub median: f64,
    /// Values that are not numbers, which count nowhere else.
    #[cfg_attr(feature = "serde", serde(skip))]
    pub nan: u64,
}

/// The figures of every channel of a view. Integers of 8 and 16 bits: one pass a channel, and exact. Other numbers:
/// two passes a channel, and memory for one channel (the median sorts).
pub fn stats<P: Pixel>(view: View<'_, P>) -> Vec<ChannelStats> {
    let of = |channel| match levels_of::<P::Number>() {
        Some(levels) => ChannelStats::of_counts(&count_levels(view, channel, levels, Threads::ALL)),
        None => of_channel(view, channel, Threads::ALL),
    };
    (0..P::CHANNELS).map(of).collect()
}

/// Rows summed up together, so that the order of float sums does not depend on the number of threads.
const STRIP: u32 = 64;

pub(super) fn of_channel<P: Pixel>(view: View<'_, P>, channel: usize, threads: Threads) -> ChannelStats {
    let values = |y: u32| {
        let row = samples_of(view.row(y)).iter().skip(channel).step_by(P::CHANNELS);
        row.filter(|v| !v.is_nan()).map(|v| v.to_f64())
    };
    let strips: Vec<_> = (0..view.height()).step_by(STRIP as usize).collect();
    let bands = threads.bands(view.size().pixels() as usize * size_of::<P>());
    // One job a strip; the sums are then added in the strips' order.
    let sum_of = |value: &(dyn Fn(f64) -> f64 + Sync)| {
        let strip = |&top: &u32| {
            let rows = top..view.height().min(top.saturating_add(STRIP));
            rows.flat_map(values).fold((0.0, 0u64), |(sum, n), v| (sum + value(v), n + 1))
        };
        let parts = if bands > 1 {
            threads::collect(strips.iter().collect(), strip)
        } else {
            strips.iter().map(strip).collect()
        };
        parts.into_iter().fold((0.0, 0u64), |(a, n), (b, m)| (a + b, n + m))
    };
    let (sum, count) = sum_of(&|v| v);
    let total = u64::from(view.width()) * u64::from(view.height());
    if count == 0 {
        return ChannelStats::none(total);
    }
    let mean = sum / count as f64;
    let (squares, _) = sum_of(&|v| (v - mean) * (v - mean));
    let mut all: Vec<f64> = (0..view.height()).flat_map(values).collect();
    let median = median_of(&mut all);
    let (min, max) = all.iter().fold((f64::INFINITY, f64::NEG_INFINITY), |(a, b), &v| (a.min(v), b.max(v)));
    ChannelStats { count, min, max, mean, std: (squares / count as f64).sqrt(), median, nan: total - count }
}

fn median_of(values: &mut [f64]) -> f64 {
    let (middle, even) = (values.len() / 2, values.len().is_multiple_of(2));
    let (below, &mut upper, _) = values.select_nth_unstable_by(middle, f64::total_cmp);
    if even {
        let lower = below.iter().copied().fold(f64::NEG_INFINITY, f64::max);
        return (lower + upper) / 2.0;
    }
    upper
}

impl ChannelStats {
    fn none(nan: u64) -> ChannelStats {
        let v = f64::NAN;
        ChannelStats { count: 0, min: v, max: v, mean: v, std: v, median: v, nan }
    }

    /// The figures of levels 0, 1, 2 ... that occur so often. Sums are exact whole numbers.
    pub(super) fn of_counts(counts: &[u64]) -> ChannelStats {
        let count: u64 = counts.iter().sum();
        if count == 0 {
            return ChannelStats::none(0);
        }
        let (mut sum, mut squares) = (0u128, 0u128);
        for (level, &n) in (0u128..).zip(counts) {
            sum += level * u128::from(n);
            squares += level * level * u128::from(n);
        }
        let n = u128::from(count);
        // n * squares - sum^2 is exact and not negative; only the last division rounds.
        let variance = (n * squares - sum * sum) as f64 / (count as f64 * count as f64);
        let level_at = |rank: u64| {
            let mut seen = 0;
            let found = counts.iter().position(|&c| {
                seen += c;
                seen > rank
            });
            found.unwrap_or(0) as f64
        };
        ChannelStats {
            count,
            min: level_at(0),
            max: level_at(count - 1),
            mean: sum as f64 / count as f64,
            std: variance.sqrt(),
            median: (level_at((count - 1) / 2) + level_at(count / 2)) / 2.0,
            nan: 0,
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, Size};
    use crate::pixel::{Gray, Rgb};

    #[test]
    fn figures_of_values_and_of_counts_agree_with_hand_computation() {
        let frame = Frame::<Gray<i16>>::from_numbers(Size::new(4, 1), vec![-2, 0, 4, 6]).unwrap();
        let s = &stats(frame.view())[0];
        // Mean 2; squared distances 16, 4, 4, 16: variance 10.
        assert_eq!((s.count, s.min, s.max, s.mean, s.median), (4, -2.0, 6.0, 2.0, 2.0));
        assert!((s.std - 10f64.sqrt()).abs() < 1e-12);
        let odd = Frame::<Gray<f64>>::from_numbers(Size::new(3, 1), vec![9.0, 1.0, 2.0]).unwrap();
        assert_eq!(stats(odd.view())[0].median, 2.0);
        let counts = ChannelStats::of_counts(&[0, 2, 1, 0, 1]);
        assert_eq!((counts.mean, counts.median, counts.min, counts.max), (2.0, 1.5, 1.0, 4.0));
        assert!((counts.std - 1.5f64.sqrt()).abs() < 1e-12);
    }

    #[test]
    fn figures_of_levels_are_those_of_the_values() {
        let small = Frame::from_fn(Size::new(31, 7), |x, y| Gray::new((x * x + 5 * y) as u8)).unwrap();
        let by_level = &stats(small.view())[0];
        let by_value = of_channel(small.view(), 0, Threads::ONE);
        assert!((by_level.mean - by_value.mean).abs() < 1e-10 && (by_level.std - by_value.std).abs() < 1e-10);
        let rest = |s: &ChannelStats| (s.count, s.min, s.max, s.median, s.nan);
        assert_eq!(rest(by_level), rest(&by_value));
    }

    #[test]
    fn counts_beyond_32_bits_stay_exact() {
        let many = 1u64 << 40;
        let s = ChannelStats::of_counts(&[many, 0, many]);
        assert_eq!((s.count, s.mean, s.std, s.median), (2 * many, 1.0, 1.0, 1.0));
    }

    #[test]
    fn float_sums_do_not_depend_on_threads() {
        let frame = Frame::from_fn(Size::new(700, 900), |x, y| {
            let v = (x * 31 + y * 17) as f32 * 0.1;
            Rgb::new(v, v.sqrt(), 1.0 / (v + 1.0))
        })
        .unwrap();
        for channel in 0..3 {
            let all = of_channel(frame.view(), channel, Threads::at_most(7));
            assert_eq!(all, of_channel(frame.view(), channel, Threads::ONE));
        }
    }
}
