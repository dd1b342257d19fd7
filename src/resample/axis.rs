//! The weights along one axis, in float64, and the tables that the passes use, made from them.

use super::kernel::Kernel;

/// For every output pixel along an axis: which source pixels count, and how much.
///
/// Every output has the same number of taps; where fewer are needed the rest are zero. `starts[x] + taps <= source`.
/// The lower half of the outputs is computed, the upper half is its mirror image to the last bit.
#[derive(Debug, Clone)]
pub(super) struct Axis {
    pub(super) source: u32,
    pub(super) target: u32,
    pub(super) taps: usize,
    pub(super) starts: Vec<u32>,
    pub(super) weights: Vec<f64>,
}

/// Weights as `i16` with `bits` fraction bits; those of one output sum to 2^bits exactly.
#[derive(Debug, Clone)]
pub(super) struct FixedWeights {
    pub(super) bits: u32,
    pub(super) weights: Vec<i16>,
}

impl Axis {
    pub(super) fn new(source: u32, target: u32, kernel: Kernel, widen: bool) -> Axis {
        let ratio = f64::from(source) / f64::from(target);
        let scale = if widen { ratio.max(1.0) } else { 1.0 };
        let reach = kernel.support() * scale;
        let computed: Vec<(u32, Vec<f64>)> =
            (0..target.div_ceil(2)).map(|x| taps_of(x, source, ratio, reach, scale, kernel)).collect();
        let taps = computed.iter().map(|(_, w)| w.len()).max().unwrap_or(1);
        let mut axis =
            Axis { source, target, taps, starts: vec![0; target as usize], weights: vec![0.0; target as usize * taps] };
        for (x, (first, mut weights)) in computed.into_iter().enumerate() {
            let twin = target as usize - 1 - x;
            if twin == x && first + weights.len() as u32 == source - first {
                // The middle output is its own mirror image; rounding may have left the two sides a bit apart.
                for i in 0..weights.len() / 2 {
                    let other = weights.len() - 1 - i;
                    weights[other] = weights[i];
                }
            }
            axis.place(x, first, &weights);
            if twin != x {
                let first = source - first - weights.len() as u32;
                let mirrored: Vec<f64> = weights.iter().rev().copied().collect();
                axis.place(twin, first, &mirrored);
            }
        }
        axis
    }

    /// Stores one output's taps, moved left where the common number of taps would reach behind the source.
    fn place(&mut self, x: usize, first: u32, weights: &[f64]) {
        let start = first.min(self.source - self.taps as u32);
        let skip = (first - start) as usize;
        self.starts[x] = start;
        self.weights[x * self.taps + skip..][..weights.len()].copy_from_slice(weights);
    }

    /// The weights of one output.
    pub(super) fn weights_of(&self, x: usize) -> &[f64] {
        &self.weights[x * self.taps..][..self.taps]
    }

    /// The source pixels that outputs `from..to` need.
    pub(super) fn reach(&self, outputs: std::ops::Range<u32>) -> std::ops::Range<u32> {
        let starts = &self.starts[outputs.start as usize..outputs.end as usize];
        match (starts.iter().min(), starts.iter().max()) {
            (Some(&low), Some(&high)) => low..high + self.taps as u32,
            _ => 0..0,
        }
    }

    pub(super) fn to_f32(&self) -> Vec<f32> {
        self.weights.iter().map(|&w| w as f32).collect()
    }

    /// 14 fraction bits, or up to 16 where all weights are small: wide kernels have many small weights, whose rounding
    /// would else add up. The rounding keeps mirror images mirror images.
    pub(super) fn to_fixed(&self) -> FixedWeights {
        let largest = self.weights.iter().fold(0.0f64, |m, w| m.max(w.abs()));
        let bits = (14..=16).rev().find(|&b| (largest * f64::from(1u32 << b)).round() < 32_766.0).unwrap_or(14);
        let mut weights = vec![0i16; self.weights.len()];
        for x in 0..self.target.div_ceil(2) as usize {
            let rounded = round_to_sum(self.weights_of(x), bits);
            let twin = self.target as usize - 1 - x;
            weights[x * self.taps..][..self.taps].copy_from_slice(&rounded);
            if twin != x {
                // The twin's taps are the same weights in reverse; both may be padded, so line up the non-zero ends.
                let shift = self.weights_of(twin).iter().position(|&w| w != 0.0).unwrap_or(0);
                let last = self.weights_of(x).iter().rposition(|&w| w != 0.0).unwrap_or(0);
                let first = self.weights_of(x).iter().position(|&w| w != 0.0).unwrap_or(0);
                let target = &mut weights[twin * self.taps..][..self.taps];
                for (i, &w) in rounded[first..=last].iter().rev().enumerate() {
                    target[shift + i] = w;
                }
            }
        }
        FixedWeights { bits, weights }
    }
}

/// The first source pixel and the normalised weights of output `x`. Taps outside are folded onto the edge pixel.
fn taps_of(x: u32, source: u32, ratio: f64, reach: f64, scale: f64, kernel: Kernel) -> (u32, Vec<f64>) {
    let center = (f64::from(x) + 0.5) * ratio;
    let low = (center - reach - 0.5).floor() as i64;
    let high = (center + reach + 0.5).ceil() as i64;
    let last = i64::from(source) - 1;
    let (first, end) = (low.clamp(0, last), high.clamp(0, last));
    let mut weights = vec![0.0; (end - first + 1) as usize];
    for i in low..=high {
        let w = kernel.at((i as f64 + 0.5 - center) / scale);
        weights[(i.clamp(0, last) - first) as usize] += w;
    }
    // At the very edge of the support rounding may leave a trace instead of zero.
    weights.iter_mut().filter(|w| w.abs() < 1e-13).for_each(|w| *w = 0.0);
    let sum: f64 = weights.iter().sum();
    let lead = weights.iter().take_while(|&&w| w == 0.0).count();
    let tail = weights.iter().rev().take_while(|&&w| w == 0.0).count();
    let kept = weights[lead..weights.len() - tail].iter().map(|w| w / sum).collect();
    (first as u32 + lead as u32, kept)
}

/// Rounds weights to whole numbers that sum to 2^bits: each to its nearest, then what is missing goes to those that
/// were rounded furthest the other way, in pairs from both ends where the weights are symmetric.
fn round_to_sum(weights: &[f64], bits: u32) -> Vec<i16> {
    let one = f64::from(1u32 << bits);
    let exact: Vec<f64> = weights.iter().map(|w| w * one).collect();
    let mut rounded: Vec<i32> = exact.iter().map(|w| (w + 0.5).floor() as i32).collect();
    let first = weights.iter().position(|&w| w != 0.0).unwrap_or(0);
    let last = weights.iter().rposition(|&w| w != 0.0).unwrap_or(0);
    let mirror = |i: usize| first + last - i;
    let symmetric = (first..=last).all(|i| weights[i] == weights[mirror(i)]);
    let mut missing = (1i32 << bits) - rounded.iter().sum::<i32>();
    while missing != 0 {
        let step = missing.signum();
        let wants = |i: usize, rounded: &[i32]| (exact[i] - f64::from(rounded[i])) * f64::from(step);
        let center = mirror(first) == last && (last - first) % 2 == 0;
        let candidates = first..=if symmetric { first + (last - first) / 2 } else { last };
        let odd_left = symmetric && missing % 2 != 0;
        let pick = if odd_left && center {
            Some(first + (last - first) / 2)
        } else {
            // A pair takes two; its middle, which is no pair, is passed over.
            candidates
                .filter(|&i| !symmetric || mirror(i) != i)
                .max_by(|&a, &b| wants(a, &rounded).total_cmp(&wants(b, &rounded)).then(b.cmp(&a)))
        };
        let at = pick.unwrap_or(first);
        rounded[at] += step;
        missing -= step;
        if symmetric && mirror(at) != at {
            rounded[mirror(at)] += step;
            missing -= step;
        }
    }
    // Callers choose `bits` so that every weight fits with a unit to spare.
    rounded.into_iter().map(|w| w.clamp(i32::from(i16::MIN), i32::from(i16::MAX)) as i16).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    fn cases() -> impl Iterator<Item = Axis> {
        let sides = [1u32, 2, 3, 5, 7, 16, 33, 100, 1001];
        let pairs = sides.into_iter().flat_map(move |s| sides.map(|t| (s, t)));
        pairs.flat_map(|(s, t)| {
            [Kernel::Linear, Kernel::CatmullRom]
                .into_iter()
                .flat_map(move |k| [true, false].map(|widen| Axis::new(s, t, k, widen)))
        })
    }

    #[test]
    fn weights_sum_to_one_stay_inside_and_keep_the_centroid() {
        for axis in cases() {
            let fixed = axis.to_fixed();
            for x in 0..axis.target as usize {
                let start = axis.starts[x];
                assert!(start as usize + axis.taps <= axis.source as usize);
                assert!((axis.weights_of(x).iter().sum::<f64>() - 1.0).abs() < 1e-12);
                let fixed_sum: i32 = fixed.weights[x * axis.taps..][..axis.taps].iter().map(|&w| i32::from(w)).sum();
                assert_eq!(fixed_sum, 1 << fixed.bits);
                for (w, &f) in axis.weights_of(x).iter().zip(&fixed.weights[x * axis.taps..]) {
                    let error = w * f64::from(1u32 << fixed.bits) - f64::from(f);
                    assert!(error.abs() <= 1.5, "{w} {f}");
                }
            }
        }
    }

    #[test]
    fn the_upper_half_mirrors_the_lower_to_the_last_bit() {
        for axis in cases() {
            let fixed = axis.to_fixed();
            let at = |x: usize, i: u32| {
                let tap = i.checked_sub(axis.starts[x]).map(|t| t as usize).filter(|&t| t < axis.taps);
                tap.map_or((0.0, 0), |t| (axis.weights_of(x)[t], fixed.weights[x * axis.taps + t]))
            };
            for x in 0..axis.target as usize {
                let twin = axis.target as usize - 1 - x;
                for i in 0..axis.source {
                    assert_eq!(at(x, i), at(twin, axis.source - 1 - i), "{} -> {} at {x}", axis.source, axis.target);
                }
            }
        }
    }

    #[test]
    fn a_row_of_weights_worked_by_hand() {
        // 4 -> 2, linear, widened: centre 1, scale 2: distances of pixels 0..3 are 0.25, 0.25, 0.75 and 1.25; pixel -1
        // at 0.75 folds onto pixel 0. Weights 0.75 + 0.25, 0.75, 0.25, 0, over their sum 2.
        let axis = Axis::new(4, 2, Kernel::Linear, true);
        assert_eq!((axis.starts[0], axis.weights_of(0)), (0, &[0.5, 0.375, 0.125][..]));
        // 2 -> 4, linear: centre 0.25: pixel 0 at 0.25, pixel -1 (folded) at 0.75.
        let axis = Axis::new(2, 4, Kernel::Linear, true);
        assert_eq!((axis.weights_of(0), axis.weights_of(1)), (&[1.0, 0.0][..], &[0.75, 0.25][..]));
    }
}
