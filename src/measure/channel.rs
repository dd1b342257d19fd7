//! The histogram of a channel: its bins, what follows from them (shares, percentiles, mode, entropy), and merging.
//!
//! Not here: counting ([`histogram`](super::histogram)).

use super::figures::Stats;
use super::moments::Moments;
use crate::error::{Error, Result};

/// More bins than this are refused: 16 million, 128 MiB a channel.
pub(super) const MOST_BINS: usize = 1 << 24;

/// Histogram: the count of each level, per channel.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct Histogram {
    /// A histogram a channel, in channel order.
    pub channels: Vec<ChannelHistogram>,
}

/// One channel's histogram and the figures over **all** its values (NaN left out), within the bins' range or not. What
/// follows from the bins (shares, percentiles, entropy and so on) are methods.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(try_from = "stored::Unchecked"))]
#[non_exhaustive]
pub struct ChannelHistogram {
    /// The channel's or plane's name.
    pub name: String,
    /// Count, extremes, mean, variance, standard deviation and median.
    #[cfg_attr(feature = "serde", serde(flatten))]
    pub stats: Stats,
    /// The share of the possible levels between the least and the greatest that occur: (max - min + 1) / levels for
    /// integers; `None` for floats, which have no possible range.
    pub used: Option<f64>,
    /// Values below the range.
    pub under: u64,
    /// Values above the range.
    pub over: u64,
    /// Number of NaN values.
    pub nan: u64,
    /// Values at the lower end of the possible levels of integers, of the range of floats, or below it; and at or above
    /// the upper end.
    pub at_ends: (u64, u64),
    /// The half-open range that the bins cover evenly.
    pub range: (f64, f64),
    /// How many values fall in each bin.
    pub bins: Vec<u64>,
    /// Possible levels of integers, and the value of the first: 0 but for differences.
    pub(super) levels: Option<usize>,
    pub(super) first: i64,
    pub(super) moments: Moments,
}

/// What stands in a file may be anything: what the methods rest on is looked at before there is a histogram.
#[cfg(feature = "serde")]
mod stored {
    use super::{ChannelHistogram, Moments, Stats};
    use crate::error::{Error, Result};

    #[derive(serde::Deserialize)]
    pub(super) struct Unchecked {
        name: String,
        #[serde(flatten)]
        stats: Stats,
        used: Option<f64>,
        under: u64,
        over: u64,
        nan: u64,
        at_ends: (u64, u64),
        range: (f64, f64),
        bins: Vec<u64>,
        levels: Option<usize>,
        first: i64,
        moments: Moments,
    }

    impl TryFrom<Unchecked> for ChannelHistogram {
        type Error = Error;

        fn try_from(from: Unchecked) -> Result<ChannelHistogram> {
            let wrong = |what: &str| Err(Error::invalid("histogram", format!("channel {}: {what}", from.name)));
            let (low, high) = from.range;
            if from.bins.is_empty() || from.bins.len() > super::MOST_BINS {
                return wrong("it has no bin, or more than are counted");
            }
            if !(low.is_finite() && high.is_finite() && low < high) {
                return wrong("its range is not one from a lower to a higher number");
            }
            if from.levels.is_some_and(|levels| !(1..=1 << 17).contains(&levels)) {
                return wrong("its number of levels is not one of 8 or 16 bits");
            }
            let outside = [from.under, from.over, from.nan];
            let sum = from.bins.iter().chain(&outside).try_fold(0u64, |sum, &n| sum.checked_add(n));
            if sum.is_none_or(|sum| sum >= 1 << 62) || from.first.unsigned_abs() >= 1 << 53 {
                return wrong("its counts are beyond what can be counted");
            }
            let Unchecked { name, stats, used, under, over, nan, at_ends, range, bins, levels, first, moments } = from;
            Ok(ChannelHistogram { name, stats, used, under, over, nan, at_ends, range, bins, levels, first, moments })
        }
    }
}

impl Histogram {
    /// A histogram of these channels.
    pub fn new(channels: Vec<ChannelHistogram>) -> Histogram {
        Histogram { channels }
    }

    /// The histogram of this part and another, or of several pictures, together. For 8- and 16-bit integers exact and the
    /// same in any order; for other numbers bins and counts are exact and sums are within the bound that
    /// [`Moments`] states. The median stays exact where bins are levels; else it becomes that of the bins, off by at most
    /// a bin's width.
    ///
    /// # Errors
    /// Another number of channels, other bins or another range: for floats give the rules a range.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Size, measure::{HistogramRules, histogram}};
    /// let rules = HistogramRules::default();
    /// let dark = Frame::filled(Size::new(3, 1), Gray::new(1u8))?;
    /// let mut both = histogram(dark.view(), &rules)?;
    /// both.merge(&histogram(Frame::filled(Size::new(1, 1), Gray::new(9u8))?.view(), &rules)?)?;
    /// assert_eq!((both.channels[0].stats.mean, both.channels[0].stats.count), (3.0, 4));
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn merge(&mut self, other: &Histogram) -> Result<()> {
        if self.channels.len() != other.channels.len() {
            let (mine, theirs) = (self.channels.len(), other.channels.len());
            return Err(Error::wrong_count(
                "other",
                theirs,
                (mine, mine),
                format!("histograms of {mine} and of {theirs} channels do not add up"),
            ));
        }
        for (mine, theirs) in self.channels.iter().zip(&other.channels) {
            if mine.range != theirs.range
                || mine.bins.len() != theirs.bins.len()
                || mine.levels != theirs.levels
                || mine.first != theirs.first
            {
                let of = |c: &ChannelHistogram| format!("{} bins over {}..{}", c.bins.len(), c.range.0, c.range.1);
                return Err(Error::invalid(
                    "other",
                    format!(
                        "{}: {} and {} do not add up; count both over the same range",
                        mine.name,
                        of(mine),
                        of(theirs)
                    ),
                ));
            }
        }
        self.channels.iter_mut().zip(&other.channels).for_each(|(mine, theirs)| mine.add_all(theirs));
        Ok(())
    }
}

impl ChannelHistogram {
    /// The histogram of levels 0, 1, 2 ... that occur so often.
    pub fn of_counts(name: &str, counts: &[u64]) -> ChannelHistogram {
        ChannelHistogram::of_counts_from(name, 0, counts)
    }

    /// The histogram of levels `first`, `first` + 1 ... that occur so often: of differences, which go below 0.
    pub fn of_counts_from(name: &str, first: i64, counts: &[u64]) -> ChannelHistogram {
        let moments = Moments::of_counts(counts);
        let stats = Stats::of_counts(counts).moved_by(first as f64);
        let used = match stats.count {
            0 => 0.0,
            _ => (stats.max - stats.min + 1.0) / counts.len() as f64,
        };
        ChannelHistogram {
            name: name.to_string(),
            used: Some(used),
            stats,
            under: 0,
            over: 0,
            nan: 0,
            at_ends: (counts.first().copied().unwrap_or(0), counts.last().copied().unwrap_or(0)),
            range: (first as f64, first as f64 + counts.len() as f64),
            bins: counts.to_vec(),
            levels: Some(counts.len()),
            first,
            moments,
        }
    }

    /// Counts a value `count` times. A value equal to the upper limit of a float range falls in the last bin.
    pub(super) fn add(&mut self, value: f64, count: u64) {
        let (low, high) = self.range;
        if value < low {
            self.under += count;
        } else if value > high || (value == high && self.is_by_level()) {
            self.over += count;
        } else if let Some(last) = self.bins.len().checked_sub(1) {
            let at = ((value - low) / (high - low) * self.bins.len() as f64) as usize;
            self.bins[at.min(last)] += count;
        }
    }

    /// Adds a histogram of the same bins.
    fn add_all(&mut self, other: &ChannelHistogram) {
        self.bins.iter_mut().zip(&other.bins).for_each(|(sum, more)| *sum = sum.saturating_add(*more));
        self.moments.merge(&other.moments);
        let add = u64::saturating_add;
        (self.under, self.over, self.nan) =
            (add(self.under, other.under), add(self.over, other.over), add(self.nan, other.nan));
        self.at_ends = (add(self.at_ends.0, other.at_ends.0), add(self.at_ends.1, other.at_ends.1));
        if self.has_every_level() {
            self.stats = Stats::of_counts(&self.bins).moved_by(self.first as f64);
        } else {
            // Only histograms by level begin elsewhere than at 0.
            let median = self.quantile(0.5).unwrap_or(f64::NAN);
            self.stats = Stats::of_moments(&self.moments, median);
        }
        self.used = self.levels.map(|levels| match self.stats.count {
            0 => 0.0,
            _ => (self.stats.max - self.stats.min + 1.0) / levels as f64,
        });
    }
}

impl ChannelHistogram {
    /// Whether each bin is one level of integers, so that figures from the bins are exact.
    pub fn is_by_level(&self) -> bool {
        let first = self.first as f64;
        self.levels.is_some() && self.range == (first, first + self.bins.len() as f64)
    }

    /// Whether there is a bin for each level that is possible.
    pub(crate) fn has_every_level(&self) -> bool {
        self.is_by_level() && self.levels == Some(self.bins.len())
    }

    /// How many levels are possible; `None` for floats.
    pub fn levels(&self) -> Option<usize> {
        self.levels
    }

    /// The value that stands for a bin: the level itself, or the middle of the bin.
    pub fn level(&self, bin: usize) -> f64 {
        match self.is_by_level() {
            true => self.first as f64 + bin as f64,
            false => {
                let (low, high) = self.limits(bin);
                (low + high) / 2.0
            }
        }
    }

    /// The half-open range of a bin.
    pub fn limits(&self, bin: usize) -> (f64, f64) {
        let (low, high) = self.range;
        let edge = |i: usize| low + (high - low) * i as f64 / self.bins.len() as f64;
        (edge(bin), edge(bin + 1))
    }

    /// Values in bins.
    pub fn in_bins(&self) -> u64 {
        self.bins.iter().fold(0, |sum, &n| sum.saturating_add(n))
    }

    /// The share of the values in bins that each bin has; zeros where there is none.
    pub fn shares(&self) -> Vec<f64> {
        let all = self.in_bins().max(1) as f64;
        self.bins.iter().map(|&n| n as f64 / all).collect()
    }

    /// Values in each bin and those before it.
    pub fn cumulative(&self) -> Vec<u64> {
        let mut sum = 0;
        let add = |n: &u64| {
            sum += n;
            sum
        };
        self.bins.iter().map(add).collect()
    }

    /// The share of the values in bins that lie in each bin or before it: the cumulative distribution.
    pub fn cumulative_shares(&self) -> Vec<f64> {
        let all = self.in_bins().max(1) as f64;
        self.cumulative().into_iter().map(|n| n as f64 / all).collect()
    }

    /// The smallest level whose cumulative share reaches `percent`: exact by level, else the middle of its bin, off by at
    /// most half its width. `None` where no value is in a bin.
    ///
    /// # Errors
    /// A percentage that is not within 0 to 100.
    pub fn percentile(&self, percent: f64) -> Result<Option<f64>> {
        if !(0.0..=100.0).contains(&percent) {
            return Err(Error::out_of_range(
                "percent",
                percent,
                (0.0, 100.0),
                format!("a percentile is 0 to 100, not {percent}"),
            ));
        }
        Ok(self.bin_of_share(percent / 100.0).map(|bin| self.level(bin)))
    }

    /// The first bin with values whose cumulative share reaches this one.
    pub(crate) fn bin_of_share(&self, share: f64) -> Option<usize> {
        let all = self.in_bins();
        // Shares are compared as counts: a count that is a whole number but for rounding is that number.
        let exact = share * all as f64;
        let needed = if (exact - exact.round()).abs() < 1e-6 { exact.round() } else { exact.ceil() }.max(1.0) as u64;
        let mut sum = 0;
        self.bins.iter().position(|n| {
            sum += n;
            *n > 0 && sum >= needed.min(all)
        })
    }

    /// The value with this share of all values below it, evenly spread within its bin; `None` where it lies outside the
    /// bins.
    pub(super) fn quantile(&self, share: f64) -> Option<f64> {
        let all = self.in_bins() + self.under + self.over;
        let mut left = share * all as f64 - self.under as f64;
        if left < 0.0 || all == 0 {
            return None;
        }
        for (bin, &n) in self.bins.iter().enumerate() {
            if left <= n as f64 && n > 0 {
                let (low, high) = self.limits(bin);
                return Some(low + (high - low) * left / n as f64);
            }
            left -= n as f64;
        }
        None
    }

    /// The level that occurs most often, the smallest of several; `None` where no value is in a bin.
    pub fn mode(&self) -> Option<f64> {
        let most = self.bins.iter().copied().max().filter(|&n| n > 0)?;
        self.bins.iter().position(|&n| n == most).map(|bin| self.level(bin))
    }

    /// The entropy of the bins in bits a value: the sum of -p log2 p (Shannon 1948).
    pub fn entropy(&self) -> f64 {
        let bits = |p: &f64| if *p > 0.0 { -p * p.log2() } else { 0.0 };
        self.shares().iter().map(bits).sum()
    }

    /// The share of all values at the lower end of what is possible or below it, and at the upper end or above: the first
    /// and the last level of integers, the ends of the range of floats.
    pub fn clipped(&self) -> (f64, f64) {
        let all = self.stats.count.max(1) as f64;
        (self.at_ends.0 as f64 / all, self.at_ends.1 as f64 / all)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn merged_counts_beyond_32_bits_stay_exact() {
        let many = 1u64 << 40;
        let mut half = ChannelHistogram::of_counts("v", &[3, many, 0, 1]);
        let other = ChannelHistogram::of_counts("v", &[1, many, 7, 1]);
        let mut both = Histogram { channels: vec![half.clone()] };
        both.merge(&Histogram { channels: vec![other.clone()] }).unwrap();
        half = both.channels.swap_remove(0);
        assert_eq!(half, ChannelHistogram::of_counts("v", &[4, 2 * many, 7, 2]));
    }

    #[test]
    fn what_follows_from_the_bins_is_that_of_a_worked_example() {
        // Levels 0..=4, counts 4 9 9 5 3 of 30.
        let h = ChannelHistogram::of_counts("v", &[4, 9, 9, 5, 3]);
        assert_eq!(h.cumulative(), [4, 13, 22, 27, 30]);
        assert_eq!(h.cumulative_shares()[1], 13.0 / 30.0);
        let at = |p| h.percentile(p).unwrap().unwrap();
        // 4 of 30 is 13.33 %, 13 of 30 is 43.33 %.
        assert_eq!(
            [0.0, 13.3, 13.34, 43.3, 43.4, 50.0, 90.0, 90.1, 100.0].map(at),
            [0.0, 0.0, 1.0, 1.0, 2.0, 2.0, 3.0, 4.0, 4.0]
        );
        assert!(h.percentile(100.1).is_err() && h.percentile(f64::NAN).is_err());
        assert_eq!((h.mode(), h.clipped()), (Some(1.0), (4.0 / 30.0, 0.1)));
        let p = [4.0, 9.0, 9.0, 5.0, 3.0].map(|n: f64| n / 30.0);
        let bits: f64 = p.iter().map(|p| -p * p.ln() / 2f64.ln()).sum();
        assert!((h.entropy() - bits).abs() < 1e-12);
        assert_eq!(ChannelHistogram::of_counts("v", &[0, 8, 8]).entropy(), 1.0);
        let none = ChannelHistogram::of_counts("v", &[0, 0]);
        assert_eq!((none.percentile(50.0).unwrap(), none.mode(), none.entropy()), (None, None, 0.0));
    }
}
