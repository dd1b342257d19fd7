//! Stretching the used part of the range over all of it.

use super::apply::{Basis, Tone, Toned, measured};
use super::curve::Curve;
use super::equalize::ONE_LEVEL;
use crate::error::{Error, Result};
use crate::frame::{Levels, Metadata, View};
use crate::measure::{ChannelHistogram, Histogram, Mask};
use crate::pixel::PicturePixel;
use crate::threads::Threads;

/// Levels that become 0 and full.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[non_exhaustive]
pub enum StretchBy {
    /// The least and the greatest level used.
    #[default]
    MinMax,
    /// The levels at these percentiles, so that single outliers do not count.
    Percentiles(f64, f64),
    /// These levels: codes of integers, values of floats.
    Levels(f64, f64),
}

/// Rules of stretching.
#[derive(Debug, Clone, PartialEq, Default)]
#[non_exhaustive]
pub struct StretchRules {
    /// Levels that become 0 and full.
    pub by: StretchBy,
    /// Basis (default: all channels together).
    pub basis: Basis,
    /// How integer samples stand for levels.
    pub levels: Levels,
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl StretchRules {
    /// The default rules with the levels of a picture's metadata.
    pub fn of(metadata: &Metadata) -> StretchRules {
        StretchRules::default().levels(Levels::of(metadata))
    }

    /// Sets the basis.
    pub fn basis(self, basis: Basis) -> StretchRules {
        StretchRules { basis, ..self }
    }

    /// Sets how integer samples stand for levels.
    pub fn levels(self, levels: Levels) -> StretchRules {
        StretchRules { levels, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> StretchRules {
        StretchRules { threads, ..self }
    }

    /// By the least and greatest level, percentiles, or levels.
    pub fn new(by: StretchBy) -> StretchRules {
        StretchRules { by, ..StretchRules::default() }
    }
}

/// The tone that stretches what a histogram was [`measured`] of. A channel of one level stays as it is.
///
/// # Errors
/// Percentiles that are not within 0 to 100 or not rising; levels that are not finite or not rising.
pub fn stretching(histogram: &Histogram, rules: &StretchRules) -> Result<Tone> {
    match rules.by {
        StretchBy::Percentiles(low, high) if low >= high || low.is_nan() || high.is_nan() => {
            return Err(Error::not_a_range(
                "by",
                (low, high),
                format!("percentiles go from a lower to a higher one, not from {low} to {high}"),
            ));
        }
        StretchBy::Levels(low, high) => {
            crate::convert::depth::Window::new(low, high)?;
        }
        _ => {}
    }
    let curves = histogram.channels.iter().map(|h| window(h, rules.by)).collect::<Result<Vec<_>>>()?;
    if curves.iter().all(Option::is_none) {
        return Ok(Tone::nothing(ONE_LEVEL, rules.threads));
    }
    let curves = curves.into_iter().map(|c| c.unwrap_or_else(Curve::identity)).collect();
    let tone = Tone::each(curves)?;
    Ok(Tone { basis: rules.basis, threads: rules.threads, levels: rules.levels.clone(), ..tone })
}

fn window(h: &ChannelHistogram, by: StretchBy) -> Result<Option<Curve>> {
    let (low, high) = match by {
        StretchBy::MinMax => (h.stats.min, h.stats.max),
        StretchBy::Percentiles(low, high) => {
            let at = |percent| Ok::<f64, Error>(h.percentile(percent)?.unwrap_or(f64::NAN));
            (at(low)?, at(high)?)
        }
        StretchBy::Levels(low, high) => (low, high),
    };
    // Levels as fractions: of the max code for integers.
    let full = h.levels().map_or(1.0, |levels| (levels - 1) as f64);
    match low < high {
        true => Curve::window(low / full, high / full).map(Some),
        false => Ok(None),
    }
}

/// Stretches a picture. One pass to measure and one to apply; a new frame. A picture of one level stays as it is, and
/// [`Toned::unchanged`] says so.
///
/// # Errors
/// As [`stretching`]; a view without pixels.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, tone::{StretchRules, stretch}};
/// let row = Frame::<Gray<u8>>::from_samples(Size::new(3, 1), vec![100, 120, 150])?;
/// assert_eq!(stretch(row.view(), &StretchRules::default())?.frame.samples(), [0, 102, 255]);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn stretch<P: PicturePixel>(view: View<'_, P>, rules: &StretchRules) -> Result<Toned<P>> {
    let counted = measured(view, &Mask::ALL, rules.basis, &rules.levels, rules.threads)?;
    let tone = stretching(&counted, rules)?;
    Ok(Toned { frame: tone.applied(view)?, tone })
}
