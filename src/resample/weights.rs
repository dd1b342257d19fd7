//! The normalised weights of one output pixel, in float64, straight from the definition.

use super::kernel::Kernel;
use crate::access::Edge;
use crate::error::{Error, Result};
use std::ops::Range;

/// Source, part and target along an axis.
#[derive(Debug, Clone)]
pub(super) struct Along {
    /// Pixels of the source.
    pub(super) source: u32,
    /// The part of it that is resized.
    pub(super) part: Range<f64>,
    /// Pixels of the target.
    pub(super) target: u32,
    pub(super) edge: Edge<()>,
}

impl Along {
    /// Source pixels for one of the target.
    pub(super) fn ratio(&self) -> f64 {
        (self.part.end - self.part.start) / f64::from(self.target)
    }

    pub(super) fn is_whole(&self) -> bool {
        self.part == (0.0..f64::from(self.source))
    }

    /// Where the output pixel's centre lies.
    fn center(&self, x: u32) -> f64 {
        self.part.start + (f64::from(x) + 0.5) * self.ratio()
    }

    /// The source pixel that an output pixel's centre lies in.
    pub(super) fn nearest(&self, x: u32) -> u32 {
        if self.is_whole() {
            let twice = 2 * u64::from(x) + 1;
            // Below the source, as x is below the target.
            return (u128::from(twice) * u128::from(self.source) / (2 * u128::from(self.target))) as u32;
        }
        (self.center(x).floor() as u32).min(self.source.saturating_sub(1))
    }
}

/// The first position and the normalised weights of output `x`.
pub(super) fn taps_of(x: u32, along: &Along, reach: f64, scale: f64, kernel: &Kernel) -> Result<(i64, Vec<f64>)> {
    let center = along.center(x);
    let low = (center - reach - 0.5).floor() as i64;
    let high = (center + reach + 0.5).ceil() as i64;
    let overlap = |i: i64| {
        // In whole numbers where that is exact: pixel i is [i T, (i + 1) T), the output [x S, (x + 1) S).
        let (start, end, pixel) = match along.is_whole() {
            true => {
                let (s, t) = (i64::from(along.source), i64::from(along.target));
                return ((i + 1) * t).min((i64::from(x) + 1) * s).saturating_sub((i * t).max(i64::from(x) * s)).max(0)
                    as f64;
            }
            false => (center - reach, center + reach, i as f64),
        };
        ((pixel + 1.0).min(end) - pixel.max(start)).max(0.0)
    };
    let weight = |i: i64| match kernel {
        Kernel::Box => overlap(i),
        _ => kernel.at((i as f64 + 0.5 - center) / scale),
    };
    weights_between(low..=high, along.source, along.edge, &weight)
}

#[cold]
pub(super) fn no_sum(sum: f64) -> Error {
    Error::invalid("kernel", format!("a kernel whose weights sum to {sum} where a pixel is made"))
}

/// Weights of pixels, which may lie outside, over their sum; clamped and reflected ones folded onto those that they repeat.
pub(super) fn weights_between(
    pixels: std::ops::RangeInclusive<i64>,
    source: u32,
    edge: Edge<()>,
    weight: &dyn Fn(i64) -> f64,
) -> Result<(i64, Vec<f64>)> {
    let folds = matches!(edge, Edge::Clamp | Edge::Reflect);
    let place = |i: i64| if folds { edge.inside(i, source).map_or(i, i64::from) } else { i };
    let first = pixels.clone().map(place).min().unwrap_or(0);
    let last = pixels.clone().map(place).max().unwrap_or(0);
    let mut weights = vec![0.0; (last - first + 1) as usize];
    for i in pixels {
        weights[(place(i) - first) as usize] += weight(i);
    }
    // At the very edge of the support rounding may leave a trace instead of zero.
    weights.iter_mut().filter(|w| w.abs() < 1e-13).for_each(|w| *w = 0.0);
    let sum: f64 = weights.iter().sum();
    if !sum.is_finite() || sum.abs() < 1e-9 {
        return Err(no_sum(sum));
    }
    let lead = weights.iter().take_while(|&&w| w == 0.0).count();
    let tail = weights.iter().rev().take_while(|&&w| w == 0.0).count();
    Ok((first + lead as i64, weights[lead..weights.len() - tail].iter().map(|w| w / sum).collect()))
}

/// Rounds weights to whole numbers that sum to 2^bits: each to its nearest, then what is missing goes to those that
/// were rounded furthest the other way, in pairs from both ends where the weights are symmetric.
pub(super) fn round_to_sum(weights: &[f64], bits: u32) -> Vec<i16> {
    let one = f64::from(1u32 << bits);
    let exact: Vec<f64> = weights.iter().map(|w| w * one).collect();
    let mut rounded: Vec<i32> = exact.iter().map(|w| (w + 0.5).floor() as i32).collect();
    let first = weights.iter().position(|&w| w != 0.0).unwrap_or(0);
    let last = weights.iter().rposition(|&w| w != 0.0).unwrap_or(0);
    let mirror = |i: usize| first + last - i;
    let symmetric = (first..=last).all(|i| weights[i] == weights[mirror(i)]);
    let missing = (1i32 << bits) - rounded.iter().sum::<i32>();
    let (step, mut left) = (missing.signum(), missing.unsigned_abs() as usize);
    let center = first + (last - first) / 2;
    if symmetric && left % 2 != 0 && mirror(center) == center {
        rounded[center] += step;
        left -= 1;
    }
    // A pair takes two; its middle, which is no pair, is passed over.
    let ends = first..=if symmetric { center } else { last };
    let mut order: Vec<usize> = ends.filter(|&i| !symmetric || mirror(i) != i).collect();
    let each = if symmetric { 2 } else { 1 };
    left = left.div_ceil(each);
    // A weight is off by half at most, so that one round does; each takes a time that grows with the number of weights alone.
    while left > 0 && !order.is_empty() {
        let wants = |i: &usize| (exact[*i] - f64::from(rounded[*i])) * f64::from(step);
        let now = left.min(order.len());
        if now < order.len() {
            order.select_nth_unstable_by(now, |a, b| wants(b).total_cmp(&wants(a)).then(a.cmp(b)));
        }
        for &at in &order[..now] {
            rounded[at] += step;
            if symmetric {
                rounded[mirror(at)] += step;
            }
        }
        left -= now;
    }
    // Callers choose `bits` so that every weight fits with a unit to spare.
    rounded.into_iter().map(|w| w.clamp(i32::from(i16::MIN), i32::from(i16::MAX)) as i16).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    /// One unit after the other, each to the weight that lacks most: the definition, in the square of the time.
    fn by_one(weights: &[f64], bits: u32) -> Vec<i16> {
        let exact: Vec<f64> = weights.iter().map(|w| w * f64::from(1u32 << bits)).collect();
        let mut rounded: Vec<i32> = exact.iter().map(|w| (w + 0.5).floor() as i32).collect();
        let n = weights.len();
        let symmetric = (0..n).all(|i| weights[i] == weights[n - 1 - i]);
        loop {
            let missing = (1i32 << bits) - rounded.iter().sum::<i32>();
            let step = missing.signum();
            let wants = |i: usize| (exact[i] - f64::from(rounded[i])) * f64::from(step);
            let at = match (symmetric, missing % 2 != 0) {
                (_, false) if missing == 0 => return rounded.into_iter().map(|w| w as i16).collect(),
                (true, true) => n / 2,
                (true, false) => (0..n / 2).rev().max_by(|a, b| wants(*a).total_cmp(&wants(*b))).unwrap(),
                _ => (0..n).rev().max_by(|a, b| wants(*a).total_cmp(&wants(*b))).unwrap(),
            };
            rounded[at] += step;
            if symmetric && at != n - 1 - at {
                rounded[n - 1 - at] += step;
            }
        }
    }

    #[test]
    fn weights_are_rounded_as_the_definition_says_and_many_of_them_in_one_go() {
        let mut state = 7u64;
        for n in 1..200usize {
            for symmetric in [false, true] {
                let mut weights: Vec<f64> = (0..n)
                    .map(|_| {
                        state = state.wrapping_mul(6_364_136_223_846_793_005).wrapping_add(1_442_695_040_888_963_407);
                        (state >> 40) as f64 / 2e7 - 0.1
                    })
                    .map(|w| if w == 0.0 { 1.0 } else { w })
                    .collect();
                if symmetric {
                    (0..n / 2).for_each(|i| weights[n - 1 - i] = weights[i]);
                }
                let sum: f64 = weights.iter().sum();
                weights.iter_mut().for_each(|w| *w /= sum);
                if weights.iter().any(|w| w.abs() > 1.9) {
                    continue;
                }
                for bits in [8, 12, 14] {
                    assert_eq!(round_to_sum(&weights, bits), by_one(&weights, bits), "{n} {symmetric} {bits}");
                }
            }
        }
        // All round to nothing, and all of the sum is missing.
        let many = vec![1.0 / 3_000_001.0; 3_000_001];
        let rounded = round_to_sum(&many, 14);
        assert_eq!(rounded.iter().map(|w| i64::from(*w)).sum::<i64>(), 1 << 14);
    }
}
