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
    /// Values at [`STEPS`] places a pixel from the middle on, between which a line is drawn: for kernels of sines, which it
    /// meets within 3.1e-8 (the greatest second derivative, over 8 STEPS squared).
    Table(Vec<f64>),
}

/// Places a pixel that a table has.
const STEPS: f64 = 4096.0;

impl KernelShape {
    pub(super) fn new(kernel: &Kernel) -> KernelShape {
        if !matches!(kernel, Kernel::Lanczos2 | Kernel::Lanczos3) {
            return KernelShape::Formula;
        }
        let count = (kernel.support() * STEPS) as u32 + 2;
        KernelShape::Table((0..count).map(|i| kernel.at(f64::from(i) / STEPS)).collect())
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

    /// How much a pixel counts at a place, before weights are divided by their sum.
    #[inline(always)]
    pub(super) fn weight(&self, pixel: i64, at: f64) -> f64 {
        let KernelShape::Table(values) = self.shape else { return scaled_weight(self.kernel, pixel, at, self.scale) };
        let place = ((pixel as f64 + 0.5 - at) / self.scale).abs() * STEPS;
        let (below, part) = (place as usize, place - place.trunc());
        match values.get(below..).and_then(|v| v.first_chunk::<2>()) {
            Some([a, b]) => a + (b - a) * part,
            None => 0.0,
        }
    }

    /// The weights of the pixels about a place, over their sum, and the first of them.
    #[inline(always)]
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
