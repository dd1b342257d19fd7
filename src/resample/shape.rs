//! Weights of the pixels about any place, evaluated anew for each: what warping asks for.
//!
//! Not here: the weights of a resize, which are worked out once ([`axis`](super::axis)).

use super::kernel::Kernel;
use super::point::scaled_weight;
use super::weights::no_sum;
use crate::error::{Error, Result};

/// The kernel as a function that is quick to ask.
pub(super) enum KernelShape {
    /// Its own formula: a few multiplications.
    Formula,
    /// A cubic's four coefficients within a pixel from the middle, and beyond to two; those of the highest power first.
    Cubic([[f64; 4]; 2]),
    /// Values at [`STEPS`] places a pixel from the middle on, between which a line is drawn: for kernels of sines, which it
    /// meets within 3.1e-8 (the greatest second derivative, over 8 STEPS squared).
    Table(Vec<f64>),
}

/// Places a pixel that a table has.
const STEPS: f64 = 4096.0;

impl KernelShape {
    pub(super) fn new(kernel: &Kernel) -> KernelShape {
        match kernel {
            Kernel::Lanczos2 | Kernel::Lanczos3 => {}
            Kernel::CatmullRom => return KernelShape::cubic(0.0, 0.5),
            Kernel::Mitchell => return KernelShape::cubic(1.0 / 3.0, 1.0 / 3.0),
            Kernel::Cubic { b, c } => return KernelShape::cubic(*b, *c),
            _ => return KernelShape::Formula,
        }
        let count = (kernel.support() * STEPS) as u32 + 2;
        KernelShape::Table((0..count).map(|i| kernel.at(f64::from(i) / STEPS)).collect())
    }

    /// The cubics of [`Kernel::Cubic`].
    fn cubic(b: f64, c: f64) -> KernelShape {
        let inner = [2.0 - 1.5 * b - c, -3.0 + 2.0 * b + c, 0.0, 1.0 - b / 3.0];
        let outer = [-b / 6.0 - c, b + 5.0 * c, -2.0 * b - 8.0 * c, 4.0 / 3.0 * b + 4.0 * c];
        KernelShape::Cubic([inner, outer])
    }
}

/// The kernel along one axis of the source.
pub(super) struct Along<'a> {
    pub(super) shape: &'a KernelShape,
    pub(super) kernel: &'a Kernel,
    /// How far the kernel is widened.
    pub(super) scale: f64,
}

impl Along<'_> {
    /// How far from a place pixels count.
    #[inline(always)]
    pub(super) fn reach(&self) -> f64 {
        match self.kernel {
            // A pixel counts as soon as a part of it is covered.
            Kernel::Box => self.scale / 2.0 + 0.5,
            kernel => kernel.support() * self.scale,
        }
    }

    /// How much the `N` pixels from `first` on count at a place that lies between the middle two, for a kernel that reaches
    /// no further and is not widened: a line for two, a cubic or a table for four, a table for six.
    #[inline(always)]
    pub(super) fn few_weights<const N: usize>(&self, first: f64, at: f64) -> [f64; N] {
        let mut distances = [0.0f64; N];
        for i in 0..N {
            distances[i] = (first + (i as f64 + 0.5) - at).abs();
        }
        let mut weights = [0.0; N];
        match self.shape {
            KernelShape::Formula => {
                for i in 0..N {
                    weights[i] = 1.0 - distances[i];
                }
            }
            KernelShape::Cubic([inner, outer]) => {
                for i in 0..N {
                    let t = distances[i];
                    let [a, b, c, d] = if i == 0 || i == N - 1 { outer } else { inner };
                    weights[i] = ((a * t + b) * t + c) * t + d;
                }
            }
            KernelShape::Table(values) => {
                for i in 0..N {
                    weights[i] = interpolated(values, distances[i]);
                }
            }
        }
        weights
    }

    /// How much a pixel counts at a place, before weights are divided by their sum.
    #[inline(always)]
    pub(super) fn weight(&self, pixel: i64, at: f64) -> f64 {
        let KernelShape::Table(values) = self.shape else { return scaled_weight(self.kernel, pixel, at, self.scale) };
        interpolated(values, ((pixel as f64 + 0.5 - at) / self.scale).abs())
    }

    /// The weights of the pixels about a place, over their sum, and the first of them. Not inlined: every formula of a kernel
    /// stands in it.
    #[inline(never)]
    pub(super) fn weights(&self, at: f64, weights: &mut Vec<f64>) -> Result<i64> {
        if at.abs() > 1e12 {
            return Err(too_far(at));
        }
        // The first and the last pixel whose centre is less than the reach away.
        let reach = self.reach();
        let (first, last) = ((at - reach + 0.5).floor() as i64, (at + reach - 0.5).ceil() as i64 - 1);
        weights.clear();
        let mut sum = 0.0;
        for pixel in first..=last {
            let weight = self.weight(pixel, at);
            weights.push(weight);
            sum += weight;
        }
        if !sum.is_finite() || sum.abs() < 1e-9 {
            return Err(no_sum(sum));
        }
        let share = 1.0 / sum;
        weights.iter_mut().for_each(|w| *w *= share);
        Ok(first)
    }
}

/// A table's value at a distance; zero behind its end.
#[inline(always)]
fn interpolated(values: &[f64], distance: f64) -> f64 {
    let place = distance * STEPS;
    let (below, part) = (place as usize, place - place.trunc());
    match values.get(below..).and_then(|v| v.first_chunk::<2>()) {
        Some([a, b]) => a + (b - a) * part,
        None => 0.0,
    }
}

#[cold]
fn too_far(at: f64) -> Error {
    Error::invalid("map", format!("a map that leads to {at}, far from any picture"))
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn tables_meet_their_formula() {
        for kernel in [Kernel::Lanczos2, Kernel::Lanczos3] {
            let shape = KernelShape::new(&kernel);
            for scale in [1.0, 1.7] {
                let along = Along { shape: &shape, kernel: &kernel, scale };
                for step in -70_000..70_000 {
                    let at = f64::from(step) / 9973.0;
                    let error = along.weight(0, at) - kernel.at((0.5 - at) / scale);
                    assert!(error.abs() < 3.1e-8, "{kernel} {at}: {error}");
                }
            }
        }
    }

    #[test]
    fn few_weights_meet_their_kernel() {
        fn check<const N: usize>(kernel: Kernel) {
            let along = Along { shape: &KernelShape::new(&kernel), kernel: &kernel, scale: 1.0 };
            for step in 0..1000 {
                // Between the centres of the middle two of pixels 7, 8, ...
                let at = 7.0 + N as f64 / 2.0 - 0.5 + f64::from(step) / 1000.0;
                let found = along.few_weights::<N>(7.0, at);
                for (i, weight) in found.into_iter().enumerate() {
                    let error = weight - kernel.at(7.5 + i as f64 - at);
                    assert!(error.abs() < 3.1e-8, "{kernel} {at} {i}: {error}");
                }
            }
        }
        check::<2>(Kernel::Linear);
        check::<4>(Kernel::CatmullRom);
        check::<4>(Kernel::Mitchell);
        check::<4>(Kernel::Cubic { b: 0.2, c: 0.9 });
        check::<4>(Kernel::Lanczos2);
        check::<6>(Kernel::Lanczos3);
    }

    #[test]
    fn weights_worked_by_hand() {
        let along = Along { shape: &KernelShape::Formula, kernel: &Kernel::Linear, scale: 1.0 };
        let mut weights = Vec::new();
        // Between the centres of pixels 2 and 3, a quarter of the way.
        assert_eq!(along.weights(2.75, &mut weights).unwrap(), 2);
        assert_eq!(weights, [0.75, 0.25]);
        assert!(along.weights(1e13, &mut weights).is_err());
        let none = crate::resample::CustomKernel::new(|_| 0.0, 1.0).unwrap();
        let along = Along { kernel: &Kernel::Custom(none), ..along };
        assert!(along.weights(2.75, &mut weights).is_err());
    }
}
