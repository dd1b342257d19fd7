//! Histograms, a channel each, or of the gray value.

use super::channel::MOST_BINS;
pub(super) use super::channel::{ChannelHistogram, Histogram};
use super::figures::Stats;
use super::levels::{count_levels, levels_of};
use super::mask::Mask;
use super::moments::Moments;
use super::one_pass::masked_moments_any;
use crate::color::{GrayWeights, gray_any};
use crate::error::{Error, Result};
use crate::frame::PixelFormat;
use crate::frame::{AnyNumbers, AnySamples, Levels, Metadata, Pixels, Region, Size, View};
use crate::pixel::{Depth, Layout, PicturePixel, Pixel};
use crate::threads::Threads;

/// Rules of a histogram.
#[derive(Debug, Clone, PartialEq, Default)]
#[non_exhaustive]
pub struct HistogramRules {
    /// Number of bins (default: one a level for integers, 256 for floats).
    pub bins: Option<usize>,
    /// Half-open range that the bins cover evenly, in codes or float values (default: all levels; for floats
    /// the values' minimum to maximum). A value equal to the upper limit falls in the last bin.
    pub range: Option<(f64, f64)>,
    /// How integer samples stand for levels.
    pub levels: Levels,
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl HistogramRules {
    /// The default rules with the levels of a picture's metadata.
    pub fn of(metadata: &Metadata) -> HistogramRules {
        HistogramRules::default().levels(Levels::of(metadata))
    }

    /// Sets how integer samples stand for levels.
    pub fn levels(self, levels: Levels) -> HistogramRules {
        HistogramRules { levels, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> HistogramRules {
        HistogramRules { threads, ..self }
    }

    /// Sets the number of bins.
    pub fn bins(self, bins: usize) -> HistogramRules {
        HistogramRules { bins: Some(bins), ..self }
    }

    /// Bytes that the counts of a picture take.
    pub(crate) fn bytes(&self, format: &PixelFormat) -> u64 {
        let (channels, levels) = match format {
            PixelFormat::Pixels { depth, layout } => {
                (layout.channels(), depth.max_code().map_or(256, |max| max as usize + 1))
            }
            PixelFormat::Planes { number, names } => (names.len(), if number.bytes() == 2 { 1 << 16 } else { 256 }),
        };
        (channels as u64).saturating_mul(self.bins.unwrap_or(levels) as u64).saturating_mul(size_of::<u64>() as u64)
    }

    /// Sets the half-open range that the bins cover.
    pub fn range(self, low: f64, high: f64) -> HistogramRules {
        HistogramRules { range: Some((low, high)), ..self }
    }

    fn check(&self) -> Result<()> {
        if self.bins == Some(0) {
            return Err(Error::out_of_range(
                "bins",
                0.0,
                (1.0, MOST_BINS as f64),
                "a histogram needs at least one bin",
            ));
        }
        if self.bins.is_some_and(|b| b > MOST_BINS) {
            return Err(Error::out_of_range(
                "bins",
                self.bins.unwrap_or(0) as f64,
                (1.0, MOST_BINS as f64),
                format!("a histogram has at most {MOST_BINS} bins"),
            ));
        }
        match self.range {
            Some((low, high)) if !(low.is_finite() && high.is_finite() && low < high) => Err(Error::not_a_range(
                "range",
                (low, high),
                format!("a range goes from a lower to a higher number, not from {low} to {high}"),
            )),
            _ => Ok(()),
        }
    }
}

/// The histogram of a view, a channel each. One pass for 8- and 16-bit integers; three for other numbers (extremes, bins,
/// median) and memory for one channel.
///
/// Integers are counted by level: 0..=255 or 0..=65,535, or the codes 0..=max code that the rules' [`Levels`] say, and the figures are
/// in levels and exact.
///
/// # Errors
/// No bins, a range that is not finite or runs backwards, a view without pixels, a sample above the max code, or samples that
/// are unscaled codes where the rules say scaled ones.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, measure::{HistogramRules, histogram}};
/// let row = Frame::<Gray<u8>>::from_samples(Size::new(4, 1), vec![7, 9, 9, 12])?;
/// let counted = histogram(row.view(), &HistogramRules::default())?;
/// assert_eq!(counted.channels[0].bins[9], 2);
/// assert_eq!(counted.channels[0].stats.mean, 9.25);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn histogram<P: Pixel>(view: View<'_, P>, rules: &HistogramRules) -> Result<Histogram> {
    masked_histogram(view, &Mask::ALL, rules)
}

/// The [`histogram`] of the pixels that count. One pass for integers, without a copy of picture or mask.
///
/// # Errors
/// As [`histogram`], or a mask of another size.
pub fn masked_histogram<P: Pixel>(view: View<'_, P>, mask: &Mask<'_>, rules: &HistogramRules) -> Result<Histogram> {
    histogram_any(view.numbers_any(), P::CHANNEL_NAMES, mask, rules, true)
}

/// One view, its channels by these names. Whether it is all that is measured: then samples that cannot be scaled codes are found.
pub(crate) fn histogram_any(
    view: AnyNumbers<'_>,
    names: &[&str],
    mask: &Mask<'_>,
    rules: &HistogramRules,
    is_whole: bool,
) -> Result<Histogram> {
    rules.check()?;
    mask.check(view.size())?;
    if view.size().is_empty() {
        return Err(Error::no_pixels(
            "view",
            view.size(),
            format!("a region of {} has no pixel to measure", view.size()),
        ));
    }
    let names = names.iter();
    let channels = match levels_of(view.kind()) {
        Some(levels) => {
            let max_codes = rules.levels.max_codes(view.channels(), levels as u32 - 1)?;
            let counts = count_levels(view, mask, rules.threads);
            let each = names.zip(counts).enumerate();
            let channel = |(i, (name, counts)): (usize, (&&str, Vec<u64>))| {
                let counts = rules.levels.count(counts, max_codes[i], is_whole)?;
                Ok(from_levels(name, &counts, rules))
            };
            each.map(channel).collect::<Result<_>>()?
        }
        None if rules.levels.are_codes() => {
            let number = view.kind().name();
            return Err(Error::invalid("levels", format!("codes are numbers of 8 or 16 bits, not {number}")));
        }
        None => {
            let moments = masked_moments_any(view, mask, rules.threads)?;
            names.zip(moments).enumerate().map(|(i, (name, m))| from_values(name, view, i, m, mask, rules)).collect()
        }
    };
    Ok(Histogram { channels })
}

/// Rows of gray made at a time on the way to a histogram.
const STRIP: u32 = 64;

/// The histogram of the gray value of pixels: one channel named `gray`. Gray is made in strips, so that no second picture
/// is held. Two passes for integers.
///
/// # Errors
/// As [`masked_histogram`]; weights that are not finite.
pub fn gray_histogram<P: PicturePixel>(
    view: View<'_, P>,
    weights: GrayWeights,
    mask: &Mask<'_>,
    rules: &HistogramRules,
) -> Result<Histogram> {
    gray_histogram_any(view.samples_any(), P::LAYOUT, weights, mask, rules)
}

pub(crate) fn gray_histogram_any(
    view: AnySamples<'_>,
    layout: Layout,
    weights: GrayWeights,
    mask: &Mask<'_>,
    rules: &HistogramRules,
) -> Result<Histogram> {
    mask.check(view.size())?;
    let rules = rules.clone().levels(rules.levels.together());
    let names = Layout::Gray.channel_names();
    if view.depth() == Depth::F32 || !mask.is_all() {
        // Floats are gone through more than once, and a mask belongs to whole rows: all of it is made.
        let mut gray = Pixels::zeros(view.size(), Layout::Gray, view.depth(), view.account())?;
        gray_any(view, layout, gray.samples_any_mut(), weights, rules.threads)?;
        return histogram_any(gray.samples_any().into(), names, mask, &rules, false);
    }
    let whole = HistogramRules { bins: None, range: None, ..rules.clone() };
    let mut sum: Option<Histogram> = None;
    let Size { width, height } = view.size();
    let mut strip = Pixels::zeros(Size::new(width, STRIP.min(height)), Layout::Gray, view.depth(), view.account())?;
    for y in (0..height).step_by(STRIP as usize) {
        let rows = y..height.min(y.saturating_add(STRIP));
        let part = Region { x: 0, y: 0, width, height: rows.end - rows.start };
        gray_any(view.band(rows), layout, strip.samples_any_mut().part(part), weights, rules.threads)?;
        let counted = histogram_any(strip.samples_any().part(part).into(), names, &Mask::ALL, &whole, false)?;
        match &mut sum {
            Some(sum) => sum.merge(&counted)?,
            None => sum = Some(counted),
        }
    }
    let sum = sum.ok_or_else(|| {
        Error::no_pixels("view", view.size(), format!("a region of {} has no pixel to measure", view.size()))
    })?;
    rules.check()?;
    let channels = sum.channels.iter().map(|c| from_levels(&c.name, &c.bins, &rules)).collect();
    Ok(Histogram { channels })
}

fn from_levels(name: &str, counts: &[u64], rules: &HistogramRules) -> ChannelHistogram {
    let all = ChannelHistogram::of_counts(name, counts);
    if rules.range.is_none() && rules.bins.is_none_or(|b| b == counts.len()) {
        return all;
    }
    let range = rules.range.unwrap_or((0.0, counts.len() as f64));
    let bins = rules.bins.unwrap_or_else(|| ((range.1 - range.0).ceil() as usize).clamp(1, counts.len()));
    // Bins of one level each are levels, wherever they begin.
    let whole = range.0.fract() == 0.0 && range.1 - range.0 == bins as f64 && range.0.abs() < 9e15;
    let first = if whole { range.0 as i64 } else { 0 };
    let mut out = ChannelHistogram { range, bins: vec![0; bins], first, ..all };
    for (level, &count) in counts.iter().enumerate() {
        out.add(level as f64, count);
    }
    out
}

/// Floats and wide integers: the extremes are known, bins and median follow.
fn from_values(
    name: &str,
    view: AnyNumbers<'_>,
    channel: usize,
    moments: Moments,
    mask: &Mask<'_>,
    rules: &HistogramRules,
) -> ChannelHistogram {
    let mut range = rules.range.unwrap_or((moments.min(), moments.max()));
    if !(range.0.is_finite() && range.1.is_finite()) {
        // Nothing, or infinities: a range has to be finite.
        range = (finite_or(range.0, 0.0), finite_or(range.1, 1.0));
    }
    if range.0 >= range.1 {
        range.1 = range.0 + 1.0;
    }
    let mut out = ChannelHistogram {
        name: name.to_string(),
        stats: Stats::of_moments(&moments, f64::NAN),
        used: None,
        under: 0,
        over: 0,
        nan: moments.nan,
        at_ends: (0, 0),
        range,
        bins: vec![0; rules.bins.unwrap_or(256)],
        levels: None,
        first: 0,
        moments,
    };
    let count = out.moments.count;
    super::figures::each_value(view, channel, mask, &mut |value, weight| {
        out.add(value, weight.into());
        out.at_ends.0 += if value <= range.0 { u64::from(weight) } else { 0 };
        out.at_ends.1 += if value >= range.1 { u64::from(weight) } else { 0 };
    });
    let values = |value: &mut dyn FnMut(f64, u32)| super::figures::each_value(view, channel, mask, value);
    out.stats.median = super::figures::median_of(&values, count);
    out
}

fn finite_or(value: f64, other: f64) -> f64 {
    if value.is_finite() { value } else { other }
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
        let frame = Frame::<Gray<u8>>::from_samples(Size::new(6, 5), samples).unwrap();
        let h = one(&frame, HistogramRules::default().levels(Levels::scaled(4)));
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
        let frame = Frame::<Gray<f32>>::from_samples(Size::new(7, 1), values).unwrap();
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
        let empty = Frame::<Gray<u8>>::new(Size::new(0, 3)).unwrap();
        let refused = histogram(empty.view(), &HistogramRules::default()).unwrap_err();
        assert_eq!(refused.to_string(), "a region of 0x3 has no pixel to measure");
    }
}
