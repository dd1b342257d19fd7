//! Thresholds: fixed ones, several, and those found from the distribution.

use super::apply::{Basis, Tone, Toned, measured};
use super::curve::Curve;
use crate::error::{Error, Result};
use crate::frame::{Levels, View};
use crate::measure::{ChannelHistogram, Histogram, Mask};
use crate::pixel::PicturePixel;
use crate::threads::Threads;

/// Rule for the threshold; values at it or above become full.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub enum ThresholdBy {
    /// This level: a code of integers, a value of floats.
    Level(f64),
    /// Several levels: a value becomes the share of them that it reaches, so that n of them part n + 1 grays.
    Levels(Vec<f64>),
    /// The level that parts the values into two classes of greatest variance between them (Otsu 1979).
    Otsu,
    /// The level below which this percentage of the values lie, or a few more.
    Percentile(f64),
}

/// Rules of thresholding.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct ThresholdRules {
    /// Threshold.
    pub by: ThresholdBy,
    /// Basis (default: all channels together).
    pub basis: Basis,
    /// How integer samples stand for levels.
    pub levels: Levels,
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl ThresholdRules {
    /// The default rules with this threshold.
    pub fn new(by: ThresholdBy) -> ThresholdRules {
        ThresholdRules { by, basis: Basis::Together, levels: Levels::Full, threads: Threads::ALL }
    }

    /// Sets the basis.
    pub fn basis(self, basis: Basis) -> ThresholdRules {
        ThresholdRules { basis, ..self }
    }

    /// Sets how integer samples stand for levels.
    pub fn levels(self, levels: Levels) -> ThresholdRules {
        ThresholdRules { levels, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> ThresholdRules {
        ThresholdRules { threads, ..self }
    }
}

/// The threshold of Otsu, "A threshold selection method from gray-level histograms" (IEEE Transactions on Systems, Man, and
/// Cybernetics 9, 1979): values at it or above are the upper class. Of several equally good ones the middle one; `None`
/// where all values have one level.
pub fn otsu(histogram: &ChannelHistogram) -> Option<f64> {
    let bins = &histogram.bins;
    let all = histogram.in_bins() as f64;
    // Levels count from 0 here: where they lie does not change which bin it is.
    let total: f64 = bins.iter().enumerate().map(|(i, &n)| i as f64 * n as f64).sum();
    let (mut below, mut sum) = (0u64, 0.0);
    let mut best: Option<(f64, usize, usize)> = None;
    for (i, &n) in bins.iter().enumerate() {
        below += n;
        sum += i as f64 * n as f64;
        let (a, b) = (below as f64, all - below as f64);
        if a == 0.0 || b == 0.0 {
            continue;
        }
        let between = a * b * (sum / a - (total - sum) / b).powi(2);
        match &mut best {
            Some((most, _, last)) if between == *most => *last = i,
            Some((most, ..)) if between < *most => {}
            _ => best = Some((between, i, i)),
        }
    }
    let (_, first, last) = best?;
    // The upper class begins behind the last level of the lower one.
    let at = (first + last) / 2 + 1;
    Some(if histogram.is_by_level() { histogram.level(at) } else { histogram.limits(at).0 })
}

/// The tone that thresholds what a histogram was [`measured`] of, by the levels of each channel.
///
/// # Errors
/// A level that is not a number, a percentage that is not within 0 to 100.
pub fn thresholding(histogram: &Histogram, rules: &ThresholdRules) -> Result<Tone> {
    let threads = rules.threads;
    let curve = |h: &ChannelHistogram| -> Result<Option<Curve>> {
        let levels = match &rules.by {
            ThresholdBy::Level(level) => vec![*level],
            ThresholdBy::Levels(levels) => levels.clone(),
            ThresholdBy::Otsu => match otsu(h) {
                Some(level) => vec![level],
                None => return Ok(None),
            },
            ThresholdBy::Percentile(percent) => vec![percentile_level(h, *percent)?],
        };
        let full = h.levels().map_or(1.0, |levels| (levels - 1) as f64);
        Curve::steps(&levels.iter().map(|level| level / full).collect::<Vec<_>>()).map(Some)
    };
    let curves = histogram.channels.iter().map(curve).collect::<Result<Vec<_>>>()?;
    if curves.iter().all(Option::is_none) {
        return Ok(Tone::nothing("all pixels have one level; nothing parts them", threads));
    }
    let curves = curves.into_iter().map(|c| c.unwrap_or_else(Curve::identity)).collect();
    Ok(Tone { basis: rules.basis, levels: rules.levels.clone(), threads, ..Tone::each(curves)? })
}

fn percentile_level(h: &ChannelHistogram, percent: f64) -> Result<f64> {
    h.percentile(percent)?;
    let bin = h.bin_of_share(percent / 100.0).filter(|_| percent > 0.0);
    Ok(match bin {
        // The level behind the last one below.
        Some(bin) if h.is_by_level() => h.level(bin) + 1.0,
        Some(bin) => h.limits(bin).1,
        None => f64::NEG_INFINITY,
    })
}

/// Thresholds a picture on all channels together, each, or its gray value, by the basis: none below, full at the threshold and above. One
/// pass to measure and one to apply; a new frame.
///
/// # Errors
/// As [`thresholding`]; a view without pixels.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, tone::{ThresholdBy, ThresholdRules, threshold}};
/// let row = Frame::<Gray<u8>>::from_samples(Size::new(5, 1), vec![9, 10, 11, 200, 210])?;
/// let parted = threshold(row.view(), &ThresholdRules::new(ThresholdBy::Otsu))?;
/// assert_eq!(parted.frame.samples(), [0, 0, 0, 255, 255]);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn threshold<P: PicturePixel>(view: View<'_, P>, rules: &ThresholdRules) -> Result<Toned<P>> {
    if let ThresholdBy::Levels(levels) = &rules.by
        && levels.is_empty()
    {
        return Err(Error::invalid("levels", "a threshold needs a level"));
    }
    let counted = measured(view, &Mask::ALL, rules.basis, &rules.levels, rules.threads)?;
    let tone = thresholding(&counted, rules)?;
    Ok(Toned { frame: tone.applied(view)?, tone })
}
