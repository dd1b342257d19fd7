//! Histograms, a channel each, and the figures that follow from them.

use super::levels::{count_levels, levels_of};
use super::stats::ChannelStats;
use crate::error::{Error, Result};
use crate::frame::{Content, Job, Metadata, Planes, PlanesJob, View};
use crate::pixel::{Number, Pixel, Stored};
use crate::threads::Threads;

/// How to count.
#[derive(Debug, Clone, PartialEq, Default)]
#[non_exhaustive]
pub struct HistogramRules {
    /// Bins; for integers as many as there are levels, for floats 256, unless given.
    pub bins: Option<usize>,
    /// The half-open range that the bins cover evenly, in codes or float values; for integers all levels, for floats
    /// the values' own minimum to maximum, unless given. A value equal to the upper limit falls in the last bin.
    pub range: Option<(f64, f64)>,
    /// The top code of each channel, where it is not the full range: levels are codes 0..=top then.
    pub top_codes: Option<Vec<u32>>,
    /// How many threads may be used; the result never depends on it.
    pub threads: Threads,
}

impl HistogramRules {
    /// The default rules, with the top codes that a picture carries.
    pub fn of(metadata: &Metadata) -> HistogramRules {
        HistogramRules { top_codes: metadata.top_codes.clone(), ..HistogramRules::default() }
    }

    /// The same rules with so many bins.
    pub fn bins(self, bins: usize) -> HistogramRules {
        HistogramRules { bins: Some(bins), ..self }
    }

    /// The same rules over this half-open range.
    pub fn range(self, low: f64, high: f64) -> HistogramRules {
        HistogramRules { range: Some((low, high)), ..self }
    }

    fn check(&self) -> Result<()> {
        if self.bins == Some(0) {
            return Err(Error::unusable("a histogram needs at least one bin"));
        }
        if self.bins.is_some_and(|b| b > MOST_BINS) {
            return Err(Error::unusable(format!("a histogram has at most {MOST_BINS} bins")));
        }
        match self.range {
            Some((low, high)) if !(low.is_finite() && high.is_finite() && low < high) => {
                Err(Error::unusable(format!("a range goes from a lower to a higher number, not from {low} to {high}")))
            }
            _ => Ok(()),
        }
    }
}

/// More bins than this are refused: 16 million, 128 MiB a channel.
const MOST_BINS: usize = 1 << 24;

/// How often each level occurs, a channel each.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct Histogram {
    /// A histogram a channel, in stored order.
    pub channels: Vec<ChannelHistogram>,
}

/// One channel's histogram and the figures over **all** its values (NaN left out), within the bins' range or not.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct ChannelHistogram {
    /// The channel's or plane's name.
    pub name: String,
    /// Count, extremes, mean, standard deviation and median.
    #[cfg_attr(feature = "serde", serde(flatten))]
    pub stats: ChannelStats,
    /// The share of the possible levels between the least and the greatest that occur: (max - min + 1) / levels for
    /// integers; `None` for floats, which have no possible range.
    pub used: Option<f64>,
    /// Values below the range.
    pub under: u64,
    /// Values above the range.
    pub over: u64,
    /// Values that are not numbers.
    pub nan: u64,
    /// The half-open range that the bins cover evenly.
    pub range: (f64, f64),
    /// How many values fall in each bin.
    pub bins: Vec<u64>,
}

/// The histogram of a view, a channel each. One pass for integers, three for floats (extremes, bins, median).
///
/// Integers are counted by code: `top + 1` levels, 0..=255 or 0..=65,535 unless the rules hold top codes, and the figures
/// are in codes and exact.
///
/// # Errors
/// No bins, or a range that is not finite or runs backwards.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, measure::{HistogramRules, histogram}};
/// let row = Frame::<Gray<u8>>::from_numbers(Size::new(4, 1), vec![7, 9, 9, 12])?;
/// let counted = histogram(row.view(), &HistogramRules::default())?;
/// assert_eq!(counted.channels[0].bins[9], 2);
/// assert_eq!(counted.channels[0].stats.mean, 9.25);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn histogram<P: Pixel>(view: View<'_, P>, rules: &HistogramRules) -> Result<Histogram> {
    rules.check()?;
    let channels = (0..P::CHANNELS).map(|channel| {
        let name = P::CHANNEL_NAMES[channel];
        channel_histogram(name, view, channel, rules)
    });
    Ok(Histogram { channels: channels.collect::<Result<_>>()? })
}

/// The histogram of any content: its channels, or its planes.
///
/// # Errors
/// As [`histogram`].
pub fn content_histogram(content: &Content, rules: &HistogramRules) -> Result<Histogram> {
    struct Count<'a>(&'a HistogramRules);
    impl Job for Count<'_> {
        type Out = Result<Histogram>;
        fn run<P: Stored>(self, view: View<'_, P>) -> Self::Out {
            histogram(view, self.0)
        }
    }
    impl PlanesJob for Count<'_> {
        type Out = Result<Histogram>;
        fn run<T: Number>(self, planes: &Planes<T>) -> Self::Out {
            self.0.check()?;
            let each = planes.iter().map(|(name, frame)| channel_histogram(name, frame.view(), 0, self.0));
            Ok(Histogram { channels: each.collect::<Result<_>>()? })
        }
    }
    match content {
        Content::Pixels(pixels) => pixels.visit(Count(rules)),
        Content::Planes(planes) => planes.visit(Count(rules)),
    }
}

fn channel_histogram<P: Pixel>(
    name: &str,
    view: View<'_, P>,
    channel: usize,
    rules: &HistogramRules,
) -> Result<ChannelHistogram> {
    match levels_of::<P::Number>() {
        Some(levels) => {
            let full = levels as u32 - 1;
            let top = rules.top_codes.as_ref().and_then(|t| t.get(channel).copied()).unwrap_or(full).clamp(1, full);
            let counts = count_levels(view, channel, levels, rules.threads);
            Ok(from_levels(name, &by_code(&counts, top), rules))
        }
        None => from_values(name, view, channel, rules),
    }
}

/// Counts of stored values as counts of codes 0..=top.
fn by_code(counts: &[u64], top: u32) -> Vec<u64> {
    let full = counts.len() as u64 - 1;
    if u64::from(top) == full {
        return counts.to_vec();
    }
    let mut codes = vec![0u64; top as usize + 1];
    for (value, &count) in (0u64..).zip(counts) {
        let code = (2 * value * u64::from(top) + full) / (2 * full);
        codes[code as usize] += count;
    }
    codes
}

fn from_levels(name: &str, counts: &[u64], rules: &HistogramRules) -> ChannelHistogram {
    let levels = counts.len();
    let stats = ChannelStats::of_counts(counts);
    let range = rules.range.unwrap_or((0.0, levels as f64));
    let mut out = ChannelHistogram {
        name: name.to_string(),
        used: Some(if stats.count == 0 { 0.0 } else { (stats.max - stats.min + 1.0) / levels as f64 }),
        stats,
        under: 0,
        over: 0,
        nan: 0,
        range,
        bins: Vec::new(),
    };
    if rules.range.is_none() && rules.bins.is_none_or(|b| b == levels) {
        out.bins = counts.to_vec();
        return out;
    }
    out.bins = vec![0; rules.bins.unwrap_or_else(|| ((range.1 - range.0).ceil() as usize).clamp(1, levels))];
    for (level, &count) in counts.iter().enumerate() {
        out.add(level as f64, count);
    }
    out
}

/// Floats and wide integers: extremes first, then bins.
fn from_values<P: Pixel>(
    name: &str,
    view: View<'_, P>,
    channel: usize,
    rules: &HistogramRules,
) -> Result<ChannelHistogram> {
    let stats = super::stats::of_channel(view, channel, rules.threads);
    let mut range = rules.range.unwrap_or((stats.min, stats.max));
    if !(range.0.is_finite() && range.1.is_finite()) {
        // Nothing, or infinities: a range has to be finite.
        range = (finite_or(range.0, 0.0), finite_or(range.1, 1.0));
    }
    if range.0 >= range.1 {
        range.1 = range.0 + 1.0;
    }
    let bins = vec![0; rules.bins.unwrap_or(256)];
    let mut out =
        ChannelHistogram { name: name.to_string(), used: None, under: 0, over: 0, nan: stats.nan, range, bins, stats };
    for row in view.rows() {
        for value in crate::pixel::samples_of(row).iter().skip(channel).step_by(P::CHANNELS) {
            if !value.is_nan() {
                out.add(value.to_f64(), 1);
            }
        }
    }
    Ok(out)
}

fn finite_or(value: f64, other: f64) -> f64 {
    if value.is_finite() { value } else { other }
}

impl ChannelHistogram {
    /// Counts a value `count` times. A value equal to the upper limit of a float range falls in the last bin.
    fn add(&mut self, value: f64, count: u64) {
        let (low, high) = self.range;
        if value < low {
            self.under += count;
        } else if value > high {
            self.over += count;
        } else {
            let last = self.bins.len() - 1;
            let at = ((value - low) / (high - low) * self.bins.len() as f64) as usize;
            self.bins[at.min(last)] += count;
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, Size};
    use crate::pixel::{Gray, Rgb};

    fn one<P: Pixel>(frame: &Frame<P>, rules: HistogramRules) -> ChannelHistogram {
        histogram(frame.view(), &rules).unwrap().channels.swap_remove(0)
    }

    #[test]
    fn a_small_picture_worked_by_hand() {
        // 6 x 5 pixels with codes 0..=4; 63.75, 127.5 and 191.25 of 255 are stored as 64, 128 and 191.
        let codes = [0, 0, 1, 1, 1, 2, 0, 1, 1, 2, 2, 2, 0, 1, 1, 2, 2, 3, 1, 1, 2, 3, 3, 4, 2, 2, 3, 3, 4, 4];
        let samples = codes.map(|code: usize| [0u8, 64, 128, 191, 255][code]).to_vec();
        let frame = Frame::<Gray<u8>>::from_numbers(Size::new(6, 5), samples).unwrap();
        let h = one(&frame, HistogramRules { top_codes: Some(vec![4]), ..HistogramRules::default() });
        assert_eq!(h.bins, [4, 9, 9, 5, 3]);
        assert_eq!((h.stats.count, h.stats.min, h.stats.max, h.stats.median), (30, 0.0, 4.0, 2.0));
        // Mean (9 + 18 + 15 + 12) / 30 = 1.8; mean of squares (9 + 36 + 45 + 48) / 30 = 4.6; variance 1.36.
        assert!((h.stats.mean - 1.8).abs() < 1e-12);
        assert!((h.stats.std - 1.36f64.sqrt()).abs() < 1e-12);
        assert_eq!((h.used, h.range), (Some(1.0), (0.0, 5.0)));
    }

    #[test]
    fn threads_and_padding_do_not_show() {
        let frame =
            Frame::from_fn(Size::new(1201, 901), |x, y| Rgb::new((x * y) as u8, (x ^ y) as u8, (x * 7 + y) as u8))
                .unwrap();
        let all = histogram(frame.view(), &HistogramRules::default()).unwrap();
        let alone = histogram(frame.view(), &HistogramRules { threads: Threads::ONE, ..Default::default() }).unwrap();
        assert_eq!(all, alone);
        let mut plain = vec![0u64; 256];
        frame.pixels().iter().for_each(|p| plain[p.g as usize] += 1);
        assert_eq!(all.channels[1].bins, plain);
        let part = frame.region(crate::Region::new(5..12, 3..9).unwrap()).unwrap();
        assert_eq!(one(&part.to_frame(), HistogramRules::default()), {
            histogram(part, &HistogramRules::default()).unwrap().channels.swap_remove(0)
        });
    }

    #[test]
    fn floats_count_what_is_outside_and_what_is_no_number() {
        let values = vec![-1.0f32, 0.0, 0.25, 0.5, 1.0, 7.0, f32::NAN];
        let frame = Frame::<Gray<f32>>::from_numbers(Size::new(7, 1), values).unwrap();
        let h = one(&frame, HistogramRules::default().bins(4).range(0.0, 1.0));
        assert_eq!((h.under, h.over, h.nan), (1, 1, 1));
        assert_eq!(h.bins, [1, 1, 1, 1]);
        assert_eq!((h.stats.count, h.stats.min, h.stats.max, h.stats.median), (6, -1.0, 7.0, 0.375));
        let own = one(&frame, HistogramRules::default());
        assert_eq!((own.range, own.bins.len(), own.bins[255]), ((-1.0, 7.0), 256, 1));
    }

    #[test]
    fn bins_and_ranges_that_make_no_sense_are_refused() {
        let frame = Frame::filled(Size::new(2, 2), Gray::new(3u8)).unwrap();
        let odd = [
            HistogramRules::default().bins(0),
            HistogramRules::default().bins(usize::MAX),
            HistogramRules::default().range(1.0, 1.0),
            HistogramRules::default().range(f64::NAN, 1.0),
        ];
        for rules in odd {
            assert!(histogram(frame.view(), &rules).is_err(), "{rules:?}");
        }
        let empty = one(&Frame::<Gray<u8>>::new(Size::new(0, 3)).unwrap(), HistogramRules::default());
        assert_eq!((empty.stats.count, empty.stats.mean.is_nan()), (0, true));
    }
}
