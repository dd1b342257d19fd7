//! Comparing two pictures: equal or not, how far apart, where, and what would make them equal.

use super::figures::decibels;
use super::fix::Hint;
use super::gap::{Gap, gaps};
use super::hint::{hint, hint_of_contents};
use super::ssim::ssim;
use crate::error::{Error, Result};
use crate::frame::{AnyNumbers, Content, Metadata, Scale, View, same_size};
use crate::pixel::{NumberKind, Pixel};
use crate::threads::Threads;

/// Rules of a comparison.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct CompareRules {
    /// Peak of PSNR and SSIM (default: full scale of the depth, 255, 65,535 or 1; for wide and signed
    /// numbers, which have none, the greatest magnitude of the first picture).
    pub peak: Option<f64>,
    /// Differences beyond this are counted; 0 counts every difference.
    pub threshold: f64,
    /// Whether to compute SSIM, which takes many times as long as all the rest.
    pub ssim: bool,
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl CompareRules {
    /// The default rules for pictures of these metadata: unscaled codes have their largest max code as peak.
    pub fn of(metadata: &Metadata) -> CompareRules {
        let codes = metadata.max_codes.as_ref().filter(|_| metadata.scale == Scale::Codes);
        let peak = codes.and_then(|codes| codes.iter().max().map(|&max| f64::from(max)));
        CompareRules { peak, ..CompareRules::default() }
    }
}

impl CompareRules {
    /// Sets the peak of PSNR and SSIM.
    pub fn peak(self, peak: f64) -> CompareRules {
        CompareRules { peak: Some(peak), ..self }
    }

    /// Sets the difference beyond which pixels are counted.
    pub fn threshold(self, threshold: f64) -> CompareRules {
        CompareRules { threshold, ..self }
    }

    /// Leaves SSIM out.
    pub fn without_ssim(self) -> CompareRules {
        CompareRules { ssim: false, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> CompareRules {
        CompareRules { threads, ..self }
    }
}

impl Default for CompareRules {
    fn default() -> Self {
        CompareRules { peak: None, threshold: 0.0, ssim: true, threads: Threads::ALL }
    }
}

/// Difference figures of two channels, or of all of them together, in codes or values of the pictures.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct Difference {
    /// Pairs of numbers compared; pairs with one that is not a number are left out.
    pub count: u64,
    /// Pairs in which just one is not a number: they make pictures unequal.
    pub nan: u64,
    /// The greatest absolute difference.
    pub max_abs: f64,
    /// Where it is met first, x and y; none where there is no difference.
    pub max_at: Option<(u32, u32)>,
    /// The mean absolute difference.
    pub mae: f64,
    /// The mean squared difference.
    pub mse: f64,
    /// Its root.
    pub rmse: f64,
    /// 10 log10(sum of a^2 / sum of (a - b)^2), in dB; infinite where nothing differs.
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub snr_db: f64,
    /// 10 log10(peak^2 / mse), in dB; infinite where nothing differs.
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub psnr_db: f64,
    /// Structural similarity, 1 for equal; none where it was not asked for or a side is below 11 pixels.
    pub ssim: Option<f64>,
    /// The share of pairs that differ by more than the threshold.
    pub over: f64,
}

/// Result of a comparison: all channels but alpha together, and each channel.
///
/// SSIM is the mean over the positions of an 11 x 11 Gaussian window of standard deviation 1.5, with K1 = 0.01, K2 = 0.03
/// and L the peak (Wang, Bovik, Sheikh and Simoncelli 2004), of the whole the mean of its channels.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct Comparison {
    /// Whether every number is equal, alpha included; two NaN are.
    pub equal: bool,
    /// The peak that PSNR and SSIM used.
    pub peak: f64,
    /// The threshold beyond which differences were counted.
    pub threshold: f64,
    /// All channels but alpha together.
    #[cfg_attr(feature = "serde", serde(flatten))]
    pub whole: Difference,
    /// The likely cause of the difference, where one is known.
    pub hint: Option<Hint>,
    /// A channel or plane each.
    pub channels: Vec<ChannelDifference>,
}

/// Difference figures of one channel.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct ChannelDifference {
    /// The channel's or plane's name.
    pub name: String,
    /// The difference figures.
    #[cfg_attr(feature = "serde", serde(flatten))]
    pub difference: Difference,
}

/// Compares two views. One pass over both; SSIM another, with a few rows of memory a thread. Sums of 8- and 16-bit
/// integers are exact.
///
/// # Errors
/// Sizes that differ, views without pixels, a peak or threshold that makes no sense.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, measure::{CompareRules, compare}};
/// let a = Frame::<Gray<u8>>::from_samples(Size::new(4, 1), vec![10, 20, 30, 40])?;
/// let b = Frame::<Gray<u8>>::from_samples(Size::new(4, 1), vec![10, 22, 30, 36])?;
/// let found = compare(a.view(), b.view(), &CompareRules::default())?.whole;
/// assert_eq!((found.max_abs, found.max_at, found.mae, found.mse), (4.0, Some((3, 0)), 1.5, 5.0));
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn compare<P: Pixel>(a: View<'_, P>, b: View<'_, P>, rules: &CompareRules) -> Result<Comparison> {
    compare_any(a.numbers_any(), b.numbers_any(), P::CHANNEL_NAMES, rules)
}

pub(super) fn compare_any(
    a: AnyNumbers<'_>,
    b: AnyNumbers<'_>,
    names: &[&str],
    rules: &CompareRules,
) -> Result<Comparison> {
    let (mut out, _) = compared(a, b, names, rules)?;
    out.hint = if out.equal { None } else { hint(a, b, names, out.peak, out.whole.psnr_db) };
    Ok(out)
}

/// The comparison without a hint, and the sums that it was made of: planes are put together from those of each.
fn compared(
    a: AnyNumbers<'_>,
    b: AnyNumbers<'_>,
    names: &[&str],
    rules: &CompareRules,
) -> Result<(Comparison, Vec<Gap>)> {
    same_size("the second picture", a.size(), b.size())?;
    if a.size().is_empty() {
        return Err(Error::no_pixels("a", a.size(), format!("pictures of {} have no pixel to compare", a.size())));
    }
    check(rules)?;
    let peak = rules.peak.unwrap_or_else(|| full_scale(a));
    let gaps = gaps(a, b, rules.threshold, rules.threads);
    let similar = |channel| if rules.ssim { ssim(a, b, channel, peak, rules.threads) } else { None };
    let channels = names.iter().zip(&gaps).enumerate().map(|(channel, (name, gap))| ChannelDifference {
        name: name.to_string(),
        difference: Difference::new(gap, peak, similar(channel)),
    });
    let out = together(channels.collect(), &gaps, a.channels().colors(), peak, rules);
    Ok((out, gaps))
}

/// Planes of one number type, each by itself and all together.
pub(super) fn compare_planes(
    a: &[AnyNumbers<'_>],
    b: &[AnyNumbers<'_>],
    names: &[String],
    rules: &CompareRules,
) -> Result<Comparison> {
    check(rules)?;
    let peak = rules.peak.unwrap_or_else(|| a.iter().map(|a| full_scale(*a)).fold(0.0, f64::max));
    let rules = CompareRules { peak: Some(peak), ..*rules };
    let mut channels = Vec::new();
    let mut sums = Vec::new();
    for ((a, b), name) in a.iter().zip(b).zip(names) {
        let (found, gaps) = compared(*a, *b, &[name], &rules)?;
        channels.push(ChannelDifference { name: name.clone(), difference: found.whole });
        sums.extend(gaps);
    }
    let used = sums.len();
    Ok(together(channels, &sums, used, peak, &rules))
}

fn check(rules: &CompareRules) -> Result<()> {
    if rules.peak.is_some_and(|p| !p.is_finite() || p <= 0.0) {
        let peak = rules.peak.unwrap_or(0.0);
        let reason = format!("a peak is a number above 0, not {peak}");
        return Err(Error::out_of_range("peak", peak, (f64::MIN_POSITIVE, f64::MAX), reason));
    }
    if !rules.threshold.is_finite() || rules.threshold < 0.0 {
        return Err(Error::out_of_range(
            "threshold",
            rules.threshold,
            (0.0, f64::MAX),
            format!("a threshold is a number from 0, not {}", rules.threshold),
        ));
    }
    Ok(())
}

/// The full scale: of the depth, or the greatest magnitude of wide and signed numbers.
fn full_scale(view: AnyNumbers<'_>) -> f64 {
    match view.kind() {
        NumberKind::U8 => 255.0,
        NumberKind::U16 => 65_535.0,
        NumberKind::F32 => 1.0,
        _ => {
            let each = super::one_pass::moments_any(view, Threads::ALL);
            each.iter().flat_map(|m| [m.min().abs(), m.max().abs()]).filter(|v| v.is_finite()).fold(0.0, f64::max)
        }
    }
}

fn together(
    channels: Vec<ChannelDifference>,
    gaps: &[Gap],
    colors: usize,
    peak: f64,
    rules: &CompareRules,
) -> Comparison {
    let mut sum = Gap::default();
    gaps[..colors].iter().for_each(|gap| sum.add(gap));
    let similar: Option<Vec<f64>> = channels[..colors].iter().map(|c| c.difference.ssim).collect();
    let similar = similar.filter(|s| !s.is_empty()).map(|s| s.iter().sum::<f64>() / s.len() as f64);
    Comparison {
        equal: gaps.iter().all(|gap| gap.max == 0.0 && gap.nan == 0),
        peak,
        threshold: rules.threshold,
        whole: Difference::new(&sum, peak, similar),
        hint: None,
        channels,
    }
}

impl Difference {
    fn new(gap: &Gap, peak: f64, ssim: Option<f64>) -> Difference {
        let n = gap.count.max(1) as f64;
        let [apart, squares, own] = gap.sums.values();
        Difference {
            count: gap.count,
            nan: gap.nan,
            max_abs: gap.max,
            max_at: gap.at,
            mae: apart / n,
            mse: squares / n,
            rmse: (squares / n).sqrt(),
            snr_db: decibels(own, squares),
            psnr_db: decibels(peak * peak, squares / n),
            ssim,
            over: gap.over as f64 / n,
        }
    }
}

/// How two pictures that cannot be compared differ, and what would make them equal.
#[cold]
pub(super) fn differ(a: &Content, b: &Content) -> Error {
    let hint = hint_of_contents(a, b).map_or(String::new(), |hint| format!("; they are equal if {}", hint.words()));
    let (first, second) = (a.pixel_format().describe(), b.pixel_format().describe());
    let line = match (a.size() == b.size(), first == second) {
        (false, true) => format!("the first picture is {}, the second {}", a.size(), b.size()),
        (true, _) => format!("the first picture holds {first}, the second {second}"),
        (false, false) => format!("the first picture is {} {first}, the second {} {second}", a.size(), b.size()),
    };
    Error::invalid("b", format!("{line}; only pictures of one size and type can be compared{hint}"))
}
