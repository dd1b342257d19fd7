//! The weights along one axis, in float64, and the tables that the passes use, made from them.

use super::kernel::Kernel;
use super::tap::Tap;
use super::weights::{Along, round_to_sum, taps_of};
use crate::access::Edge;
use crate::error::{ErrorKind, Result};
use crate::memory::{Account, Charge};
use std::ops::Range;

/// Weights are stored in groups of this many taps, the last group filled up with zeros.
pub(super) const GROUP: usize = 8;
/// Bytes that the weights of an axis may take.
const MOST_BYTES: u64 = 1 << 30;

/// For every output pixel along an axis: which source pixels count, and how much.
///
/// Positions count from `before` pixels to the left of the source, where an edge shows pixels there; clamped and reflected
/// pixels are folded onto those that they repeat. Every output has the same number of taps; where fewer are needed the rest
/// are zero. Where all of the source is resized, the lower half of the outputs is computed and the upper half is its mirror
/// image to the last bit.
#[derive(Debug, Clone)]
pub(super) struct Axis {
    pub(super) source: u32,
    pub(super) target: u32,
    pub(super) before: u32,
    pub(super) after: u32,
    pub(super) taps: usize,
    pub(super) starts: Vec<u32>,
    /// The least start of an output and all behind it: where a kernel's weights vanish on a pixel, a later output may begin
    /// before an earlier one, and rows that have gone by are not had again.
    earliest: Vec<u32>,
    weights: Vec<f64>,
    edge: Edge<()>,
    /// What the weights take, in all the types that they are made of.
    _charge: Charge,
}

/// Weights of another type, each output's in whole groups.
#[derive(Debug, Clone)]
pub(super) struct Weights<T> {
    stride: usize,
    all: Vec<T>,
}

impl<T> Weights<T> {
    /// The weights of one output, in whole groups.
    #[inline(always)]
    pub(super) fn of(&self, x: usize) -> &[T] {
        &self.all[x * self.stride..][..self.stride]
    }

    /// All of them, and how many an output has.
    pub(super) fn all(&self) -> (&[T], usize) {
        (&self.all, self.stride)
    }
}

/// Weights as `i16` with `bits` fraction bits; those of one output sum to 2^bits exactly.
#[derive(Debug, Clone)]
pub(super) struct FixedWeights {
    pub(super) bits: u32,
    pub(super) weights: Weights<i16>,
}

impl Axis {
    pub(super) fn new(along: &Along, kernel: &Kernel, widen: bool, account: Account<'_>) -> Result<Axis> {
        let (source, target) = (along.source, along.target);
        let ratio = along.ratio();
        let scale = if widen { ratio.max(1.0) } else { 1.0 };
        let reach = if matches!(kernel, Kernel::Box) { ratio / 2.0 } else { kernel.support() * scale };
        // Before memory is taken: taps at most, in float64, f32 and i16.
        let most = match along.edge {
            Edge::Clamp | Edge::Reflect => (2.0 * reach + 2.0).min(f64::from(source)),
            _ => 2.0 * reach + 2.0,
        };
        let needed = (most + 2.0 * GROUP as f64) * 14.0 * f64::from(target);
        let charge = Charge::take(account, needed as u64)?;
        if needed > MOST_BYTES as f64 {
            let what = format!("the weights of a resize from {source} to {target}");
            return Err(ErrorKind::Limit { what, needed: needed as u64, limit: MOST_BYTES, unit: "bytes" }.into());
        }
        let mirrored = along.is_whole();
        let count = if mirrored { target.div_ceil(2) } else { target };
        let taps_of = |x| taps_of(x, along, reach, scale, kernel);
        let computed = (0..count).map(taps_of).collect::<Result<Vec<(i64, Vec<f64>)>>>()?;
        let taps = computed.iter().map(|(_, w)| w.len()).max().unwrap_or(1);
        let low = computed.iter().map(|(first, _)| *first).min().unwrap_or(0).min(0);
        let high = computed.iter().map(|(first, w)| first + w.len() as i64).max().unwrap_or(0);
        let before = low.unsigned_abs() as u32;
        let after = match mirrored {
            true => before,
            false => (high - i64::from(source)).max(0) as u32,
        };
        let (starts, weights) = (vec![0; target as usize], vec![0.0; target as usize * taps]);
        let earliest = Vec::new();
        let mut axis =
            Axis { source, target, before, after, taps, starts, earliest, weights, edge: along.edge, _charge: charge };
        for (x, (first, mut weights)) in computed.into_iter().enumerate() {
            let first = (first + i64::from(before)) as u32;
            let twin = target as usize - 1 - x;
            let twin_first = axis.length() - (first + weights.len() as u32).min(axis.length());
            if mirrored && twin == x && twin_first == first {
                // The middle output is its own mirror image; rounding may have left the two sides a bit apart.
                for i in 0..weights.len() / 2 {
                    let other = weights.len() - 1 - i;
                    weights[other] = weights[i];
                }
            }
            axis.place(x, first, &weights);
            if mirrored && twin != x {
                let mirrored: Vec<f64> = weights.iter().rev().copied().collect();
                axis.place(twin, twin_first, &mirrored);
            }
        }
        axis.earliest = axis.starts.clone();
        for x in (1..target as usize).rev() {
            axis.earliest[x - 1] = axis.earliest[x - 1].min(axis.earliest[x]);
        }
        Ok(axis)
    }

    /// Positions in all: the source, and what the edge shows beside it.
    pub(super) fn length(&self) -> u32 {
        self.before + self.source + self.after
    }

    /// The source pixel at a position; none where the edge shows a constant.
    #[inline(always)]
    pub(super) fn inside(&self, position: u32) -> Option<u32> {
        self.edge.inside(i64::from(position) - i64::from(self.before), self.source)
    }

    /// Stores one output's taps, moved left where the common number of taps would reach behind the end.
    fn place(&mut self, x: usize, first: u32, weights: &[f64]) {
        let start = first.min(self.length() - self.taps as u32);
        let skip = (first - start) as usize;
        self.starts[x] = start;
        self.weights[x * self.taps + skip..][..weights.len()].copy_from_slice(weights);
    }

    /// The weights of one output.
    pub(super) fn weights_of(&self, x: usize) -> &[f64] {
        &self.weights[x * self.taps..][..self.taps]
    }

    /// The source pixels of one output and their weights.
    pub(super) fn taps_at(&self, x: u32) -> Vec<Tap> {
        let start = self.starts[x as usize];
        let tap = |i: usize| {
            let position = start + i as u32;
            let (at, inside) = (i64::from(position) - i64::from(self.before), self.inside(position));
            Tap { at, inside, weight: self.weights_of(x as usize)[i] }
        };
        self.used(x as usize).map(tap).filter(|tap| tap.weight != 0.0).collect()
    }

    /// Which of the taps of one output count.
    pub(super) fn used(&self, x: usize) -> Range<usize> {
        let weights = self.weights_of(x);
        let first = weights.iter().position(|&w| w != 0.0).unwrap_or(0);
        first..weights.iter().rposition(|&w| w != 0.0).map_or(first + 1, |last| last + 1)
    }

    /// The source pixels that outputs need, and those behind them too: later outputs never ask for earlier pixels.
    pub(super) fn reach(&self, outputs: Range<u32>) -> Range<u32> {
        let starts = &self.starts[outputs.start as usize..outputs.end as usize];
        let (Some(&low), Some(&high)) = (self.earliest.get(outputs.start as usize), starts.iter().max()) else {
            return 0..0;
        };
        let (low, high) = (low, high + self.taps as u32);
        let beside = |at: u32| at < self.before || at >= self.before + self.source;
        let inner =
            low.max(self.before) - self.before..high.min(self.before + self.source).max(self.before) - self.before;
        let outer = (low..high.min(self.before)).chain((self.before + self.source).max(low)..high);
        let all = outer.filter(|&at| beside(at)).filter_map(|at| self.inside(at)).fold(inner, |range, at| {
            if range.is_empty() { at..at + 1 } else { range.start.min(at)..range.end.max(at + 1) }
        });
        if all.is_empty() { 0..1 } else { all }
    }

    /// The least position that an output or one behind it is made of.
    pub(super) fn first_from(&self, output: usize) -> u32 {
        self.earliest[output]
    }

    /// The largest sums of an output's positive weights, and of its negative ones without their sign.
    pub(super) fn swing(&self) -> (f64, f64) {
        let sum = |x: usize, sign: f64| self.weights_of(x).iter().map(|w| (w * sign).max(0.0)).sum::<f64>();
        let most = |sign: f64| (0..self.target as usize).map(|x| sum(x, sign)).fold(0.0, f64::max);
        (most(1.0), most(-1.0))
    }

    fn stride(&self) -> usize {
        self.taps.next_multiple_of(GROUP)
    }

    pub(super) fn to_f32(&self) -> Weights<f32> {
        let stride = self.stride();
        let mut all = vec![0.0f32; self.target as usize * stride];
        for (to, from) in all.chunks_exact_mut(stride).zip(self.weights.chunks_exact(self.taps)) {
            to.iter_mut().zip(from).for_each(|(to, &w)| *to = w as f32);
        }
        Weights { stride, all }
    }

    /// 14 fraction bits, or up to `most` where all weights are small: wide kernels have many small weights, whose rounding
    /// would else add up. The rounding keeps mirror images mirror images. `None` where a weight is too large.
    pub(super) fn to_fixed(&self, most: u32) -> Option<FixedWeights> {
        let largest = self.weights.iter().fold(0.0f64, |m, w| m.max(w.abs()));
        let bits = (14..=most).rev().find(|&b| (largest * f64::from(1u32 << b)).round() < 32_766.0)?;
        let stride = self.stride();
        let mut all = vec![0i16; self.target as usize * stride];
        for x in 0..self.target as usize {
            let used = self.used(x);
            let weights = &self.weights_of(x)[used.clone()];
            let twin = self.target as usize - 1 - x;
            let twin_used = self.used(twin);
            let twin_weights = &self.weights_of(twin)[twin_used.clone()];
            // The later of two mirror images is rounded as the earlier one was.
            let mirrored = twin < x && weights.iter().eq(twin_weights.iter().rev());
            let rounded: Vec<i16> = match mirrored {
                true => all[twin * stride..][twin_used].iter().rev().copied().collect(),
                false => round_to_sum(weights, bits),
            };
            all[x * stride..][used].copy_from_slice(&rounded);
        }
        Some(FixedWeights { bits, weights: Weights { stride, all } })
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    fn axis(source: u32, target: u32, kernel: Kernel, widen: bool, edge: Edge<()>) -> Axis {
        Axis::new(&Along { source, part: 0.0..f64::from(source), target, edge }, &kernel, widen, None).unwrap()
    }

    fn cases() -> impl Iterator<Item = Axis> {
        let sides = [1u32, 2, 3, 5, 7, 16, 33, 100, 1001];
        let pairs = sides.into_iter().flat_map(move |s| sides.map(|t| (s, t)));
        pairs.flat_map(|(s, t)| {
            Kernel::ALL.iter().skip(1).cloned().flat_map(move |k| {
                [(true, Edge::Clamp), (false, Edge::Reflect), (true, Edge::Wrap), (true, Edge::Constant(()))]
                    .map(|(widen, edge)| axis(s, t, k.clone(), widen, edge))
            })
        })
    }

    #[test]
    fn weights_sum_to_one_stay_inside_and_keep_the_centroid() {
        for axis in cases() {
            let fixed = axis.to_fixed(16).unwrap();
            for x in 0..axis.target as usize {
                let start = axis.starts[x];
                assert!(start as usize + axis.taps <= axis.length() as usize);
                assert!((axis.weights_of(x).iter().sum::<f64>() - 1.0).abs() < 1e-12);
                let sum: i32 = fixed.weights.of(x).iter().map(|&w| i32::from(w)).sum();
                assert_eq!(sum, 1 << fixed.bits);
                for (w, &f) in axis.weights_of(x).iter().zip(fixed.weights.of(x)) {
                    let error = w * f64::from(1u32 << fixed.bits) - f64::from(f);
                    assert!(error.abs() <= 1.5, "{w} {f}");
                }
            }
        }
        // The mean of positions that a pixel is made of is its centre, where no edge is near: what is seen stays in place.
        for kernel in Kernel::ALL.iter().skip(1) {
            for (s, t) in [(90, 37), (90, 90), (37, 90)] {
                let axis = axis(s, t, kernel.clone(), true, Edge::Wrap);
                let mean: f64 = (0..t as usize)
                    .map(|x| {
                        let places = axis.weights_of(x).iter().zip(axis.starts[x]..);
                        let place: f64 = places.map(|(w, at)| w * (f64::from(at) - f64::from(axis.before) + 0.5)).sum();
                        place - (x as f64 + 0.5) * f64::from(s) / f64::from(t)
                    })
                    .sum();
                assert!(mean.abs() < 1e-9, "{kernel} {s} -> {t}: {mean}");
            }
        }
    }

    #[test]
    fn the_upper_half_mirrors_the_lower_to_the_last_bit() {
        for axis in cases().filter(|a| a.source <= 100) {
            let fixed = axis.to_fixed(16).unwrap();
            let at = |x: usize, i: u32| {
                let tap = i.checked_sub(axis.starts[x]).map(|t| t as usize).filter(|&t| t < axis.taps);
                tap.map_or((0.0, 0), |t| (axis.weights_of(x)[t], fixed.weights.of(x)[t]))
            };
            for x in 0..axis.target as usize {
                let twin = axis.target as usize - 1 - x;
                for i in 0..axis.length() {
                    assert_eq!(at(x, i), at(twin, axis.length() - 1 - i), "{} -> {}", axis.source, axis.target);
                }
            }
        }
    }

    #[test]
    fn rows_of_weights_worked_by_hand() {
        // 4 -> 2, linear, widened: centre 1, scale 2: distances of pixels 0..3 are 0.25, 0.25, 0.75 and 1.25; pixel -1
        // at 0.75 folds onto pixel 0. Weights 0.75 + 0.25, 0.75, 0.25, 0, over their sum 2.
        let a = axis(4, 2, Kernel::Linear, true, Edge::Clamp);
        assert_eq!((a.starts[0], a.weights_of(0)), (0, &[0.5, 0.375, 0.125][..]));
        // 2 -> 4, linear: centre 0.25: pixel 0 at 0.25, pixel -1 (folded) at 0.75.
        let a = axis(2, 4, Kernel::Linear, true, Edge::Clamp);
        assert_eq!((a.weights_of(0), a.weights_of(1)), (&[1.0, 0.0][..], &[0.75, 0.25][..]));
        // The same where the picture is seen again: pixel -1 is one before the first position.
        let a = axis(2, 4, Kernel::Linear, true, Edge::Wrap);
        assert_eq!((a.before, a.starts[0], a.weights_of(0), a.inside(0)), (1, 0, &[0.25, 0.75][..], Some(1)));
        assert_eq!((a.reach(0..1), a.reach(1..2)), (0..2, 0..2));
        // 5 -> 2, box: 2.5 pixels each.
        let a = axis(5, 2, Kernel::Box, false, Edge::Clamp);
        assert_eq!((a.weights_of(0), a.weights_of(1)), (&[0.4, 0.4, 0.2][..], &[0.2, 0.4, 0.4][..]));
        // Pixels 0.5 to 2.5 of 3 as one: half of the first, the second, half of the third.
        let along = Along { source: 3, part: 0.5..2.5, target: 1, edge: Edge::Clamp };
        assert_eq!(Axis::new(&along, &Kernel::Box, true, None).unwrap().weights_of(0), [0.25, 0.5, 0.25]);
        assert_eq!(along.nearest(0), 1);
    }

    #[test]
    fn weights_that_cannot_be_are_errors() {
        let own = |at: fn(f64) -> f64| Kernel::Custom(crate::resample::CustomKernel::new(at, 1.0).unwrap());
        let along = Along { source: 9, part: 0.0..9.0, target: 5, edge: Edge::Clamp };
        assert!(Axis::new(&along, &own(|_| 0.0), true, None).is_err());
        assert!(Axis::new(&along, &own(|t| if t > 0.1 { f64::NAN } else { 1.0 }), true, None).is_err());
        assert!(Axis::new(&Along { target: u32::MAX, ..along.clone() }, &Kernel::Linear, true, None).is_err());
        let wide = Axis::new(&along, &own(|t| if t.abs() < 0.6 { 9.0 } else { -4.0 }), false, None).unwrap();
        assert!(wide.to_fixed(16).is_none_or(|fixed| fixed.bits >= 14));
    }
}
