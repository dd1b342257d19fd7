//! Equalising by the cumulative distribution, and matching one distribution to another.

use super::apply::{Basis, Tone, Toned, measured};
use super::curve::Curve;
use crate::error::{Error, Result};
use crate::frame::{Levels, Metadata, View};
use crate::measure::{ChannelHistogram, Histogram, Mask};
use crate::pixel::PicturePixel;
use crate::threads::Threads;

/// Definition of equalising, for N values, c(k) of them at level k or below, and L levels.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum EqualizeBy {
    /// Level k becomes (L - 1) c(k) / N, rounded half up.
    #[default]
    Cumulative,
    /// Level k becomes (L - 1) (c(k) - c0) / (N - c0), rounded half up, where c0 values have the lowest level used: that
    /// one becomes 0.
    Pinned,
}

/// Rules of equalising.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct EqualizeRules {
    /// The definition.
    pub by: EqualizeBy,
    /// Basis (default: gray value).
    pub basis: Basis,
    /// How integer samples stand for levels.
    pub levels: Levels,
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl Default for EqualizeRules {
    fn default() -> Self {
        EqualizeRules {
            by: EqualizeBy::Cumulative,
            basis: Basis::GRAY_VALUE,
            levels: Levels::Full,
            threads: Threads::ALL,
        }
    }
}

impl EqualizeRules {
    /// The default rules with the levels of a picture's metadata.
    pub fn of(metadata: &Metadata) -> EqualizeRules {
        EqualizeRules::default().levels(Levels::of(metadata))
    }

    /// Sets the definition.
    pub fn by(self, by: EqualizeBy) -> EqualizeRules {
        EqualizeRules { by, ..self }
    }

    /// Sets the basis.
    pub fn basis(self, basis: Basis) -> EqualizeRules {
        EqualizeRules { basis, ..self }
    }

    /// Sets how integer samples stand for levels.
    pub fn levels(self, levels: Levels) -> EqualizeRules {
        EqualizeRules { levels, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> EqualizeRules {
        EqualizeRules { threads, ..self }
    }
}

/// Why an all-equal picture stays as it is.
pub(super) const ONE_LEVEL: &str = "all pixels have one level; there is nothing to spread";

/// Equalised levels: as they are computed, and rounded half up on the exact fraction.
fn new_levels(h: &ChannelHistogram, by: EqualizeBy) -> Vec<(f64, f64)> {
    // Of no levels there is none to be mapped.
    let last = (h.bins.len() as u128).saturating_sub(1);
    let below = match by {
        EqualizeBy::Cumulative => 0,
        EqualizeBy::Pinned => h.bins.iter().copied().find(|&n| n > 0).unwrap_or(0),
    };
    let all = u128::from((h.in_bins() - below).max(1));
    let level = |sum: u64| {
        let sum = u128::from(sum.saturating_sub(below));
        ((last * sum) as f64 / all as f64, ((2 * last * sum + all) / (2 * all)) as f64)
    };
    h.cumulative().into_iter().map(level).collect()
}

fn curve(h: &ChannelHistogram, by: EqualizeBy) -> Result<Option<Curve>> {
    if h.bins.iter().filter(|&&n| n > 0).count() < 2 {
        return Ok(None);
    }
    if h.levels().is_some() && !h.has_every_level() {
        return Err(Error::invalid("histogram", "equalising integers needs a histogram with a bin for every level"));
    }
    if h.has_every_level() {
        let last = h.bins.len() as f64 - 1.0;
        let fractions: Vec<f64> = new_levels(h, by).into_iter().map(|(_, level)| level / last).collect();
        return Curve::levels(&fractions).map(Some);
    }
    // Floats: the share of the values below each bin's end, straight in between; nothing is rounded.
    let below = match by {
        EqualizeBy::Cumulative => 0.0,
        EqualizeBy::Pinned => h.bins.iter().copied().find(|&n| n > 0).unwrap_or(0) as f64,
    };
    let all = h.in_bins() as f64 - below;
    let sums = std::iter::once(0).chain(h.cumulative());
    let points: Vec<_> =
        sums.enumerate().map(|(i, sum)| (h.limits(i).0, ((sum as f64 - below) / all).max(0.0))).collect();
    Curve::points(&points).map(Some)
}

fn tone_of(
    histogram: &Histogram,
    basis: Basis,
    threads: Threads,
    curve: impl Fn(&ChannelHistogram) -> Result<Option<Curve>>,
) -> Result<Tone> {
    let curves = histogram.channels.iter().map(curve).collect::<Result<Vec<_>>>()?;
    if curves.iter().all(Option::is_none) {
        return Ok(Tone::nothing(ONE_LEVEL, threads));
    }
    let curves = curves.into_iter().map(|c| c.unwrap_or_else(Curve::identity)).collect();
    Ok(Tone { basis, threads, ..Tone::each(curves)? })
}

/// The tone that equalises what a histogram was [`measured`] of. A channel of one level stays as it is.
///
/// # Errors
/// A histogram without channels.
pub fn equalization(histogram: &Histogram, rules: &EqualizeRules) -> Result<Tone> {
    let tone = tone_of(histogram, rules.basis, rules.threads, |h| curve(h, rules.by))?;
    Ok(Tone { levels: rules.levels.clone(), ..tone })
}

/// Equalises a picture. One pass to count and one to apply the table, two to count luminance; a new frame. A picture of one
/// level stays as it is, and [`Toned::unchanged`] says so.
///
/// # Errors
/// A view without pixels; cmyk with luminance.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, tone::{EqualizeRules, equalize}};
/// let row = Frame::<Gray<u8>>::from_samples(Size::new(4, 1), vec![100, 101, 101, 103])?;
/// // 255 times 1/4, 3/4 and 4/4: 63.75, 191.25, 255.
/// let done = equalize(row.view(), &EqualizeRules::default())?;
/// assert_eq!(done.frame.samples(), [64, 191, 191, 255]);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn equalize<P: PicturePixel>(view: View<'_, P>, rules: &EqualizeRules) -> Result<Toned<P>> {
    let counted = measured(view, &Mask::ALL, rules.basis, &rules.levels, rules.threads)?;
    let tone = equalization(&counted, rules)?;
    Ok(Toned { frame: tone.applied(view)?, tone })
}

/// The tone that gives what `from` was measured of the distribution of `to`: level k becomes the lowest level of `to` whose
/// cumulative share reaches that of k. `to` has one channel, which serves all, or as many as `from`; its number of levels
/// may differ.
///
/// # Errors
/// Other numbers of channels; a distribution without a value.
pub fn matching(from: &Histogram, to: &Histogram, basis: Basis, threads: Threads) -> Result<Tone> {
    if to.channels.len() != 1 && to.channels.len() != from.channels.len() {
        let (from, to) = (from.channels.len(), to.channels.len());
        let reason = format!("{from} channels cannot be matched to {to}; give one, or as many");
        return Err(Error::wrong_count("to", to, (1, from), reason));
    }
    let target = |i: usize| &to.channels[i.min(to.channels.len() - 1)];
    if let Some(empty) = to.channels.iter().find(|c| c.in_bins() == 0) {
        return Err(Error::invalid("to", format!("channel {} of the distribution to match has no value", empty.name)));
    }
    let curves = from.channels.iter().enumerate().map(|(i, from)| {
        let to = target(i);
        let (last, sums) = ((to.bins.len() - 1).max(1) as f64, to.cumulative());
        let (all, to_all) = (u128::from(from.in_bins().max(1)), u128::from(to.in_bins()));
        let level = |sum: u64| {
            // sums / to_all >= sum / all, in whole numbers.
            let at = sums.partition_point(|&t| u128::from(t) * all < u128::from(sum) * to_all);
            at.min(to.bins.len() - 1) as f64 / last
        };
        Curve::levels(&from.cumulative().into_iter().map(level).collect::<Vec<_>>())
    });
    Ok(Tone { basis, threads, ..Tone::each(curves.collect::<Result<_>>()?)? })
}

/// Row of the equalising table of a histogram.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct LevelRow {
    /// The level.
    pub level: f64,
    /// Number of values at the level.
    pub count: u64,
    /// Share of the values at the level.
    pub probability: f64,
    /// Cumulative share: values at the level or below.
    pub cumulative: f64,
    /// The level after equalising, before it is rounded.
    pub exact_level: f64,
    /// The level after equalising.
    pub new_level: f64,
}

/// The worked table of a histogram by level: each level's count, probability, cumulative share, and what equalising makes
/// of it, as one would fill it in by hand.
///
/// # Errors
/// A histogram whose bins are not levels.
pub fn level_table(histogram: &ChannelHistogram, by: EqualizeBy) -> Result<Vec<LevelRow>> {
    if !histogram.has_every_level() {
        return Err(Error::invalid("histogram", "a table of levels needs a histogram with a bin a level"));
    }
    let shares = histogram.shares().into_iter().zip(histogram.cumulative_shares());
    let rows = histogram.bins.iter().zip(new_levels(histogram, by)).zip(shares).enumerate();
    Ok(rows
        .map(|(i, ((&count, (exact_level, new_level)), (probability, cumulative)))| LevelRow {
            level: histogram.level(i),
            count,
            probability,
            cumulative,
            exact_level,
            new_level,
        })
        .collect())
}
