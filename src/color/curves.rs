//! A transfer curve as tables for one sample type, rounded as the curve itself is: from codes to light in `f64`, and back to the
//! nearest code by the light where each begins.
//!
//! Not here: the curves' formulas ([`Transfer`]), and the tables in `f32` that resizing uses.

use super::icc::Curve;
use crate::pixel::{Depth, Sample, Transfer};

/// The tables of a curve; of floats there are none, and the formulas serve.
#[derive(Debug, Clone)]
pub(super) struct Curves {
    curve: Curve,
    /// The light that is 1 here: conversions keep the white of a page.
    white: f64,
    /// Light of every code.
    decoded: Vec<f64>,
    /// The least light that becomes code 1, 2 and so on.
    steps: Vec<f64>,
    /// By the upper bits of light as `f32`, from [`LEAST`] on: the code that it becomes at least.
    guesses: Vec<u32>,
    /// Bits below those.
    shift: u32,
}

/// Light below this has no guess of its own: 2^-24.
const LEAST: f32 = 1.0 / 16_777_216.0;

impl Curves {
    pub(super) fn new(transfer: Transfer, depth: Depth) -> Curves {
        Curves::of(&Curve::Named(transfer), depth)
    }

    /// The tables of any curve.
    pub(super) fn of(curve: &Curve, depth: Depth) -> Curves {
        let (white, curve) = (curve.reference_white(), curve.clone());
        let Some(full) = depth.max_code().map(f64::from) else {
            return Curves { curve, white, decoded: Vec::new(), steps: Vec::new(), guesses: Vec::new(), shift: 0 };
        };
        let light = |code: f64| curve.decode(code / full) / white;
        let (mut decoded, mut steps) = (Vec::new(), Vec::new());
        for code in 0..=full as u32 {
            decoded.push(light(code.into()));
            if f64::from(code) < full {
                steps.push(light(f64::from(code) + 0.5));
            }
        }
        // A few codes are left between two guesses.
        let shift = if full == 255.0 { 16 } else { 12 };
        let mut guesses = Vec::new();
        for bits in LEAST.to_bits() >> shift..=1f32.to_bits() >> shift {
            // Light that is rounded to an f32 may have been a little less.
            let least = f64::from(f32::from_bits(bits << shift)) * (1.0 - 1e-7);
            guesses.push(steps.partition_point(|&step| step <= least) as u32);
        }
        Curves { curve, white, decoded, steps, guesses, shift }
    }

    /// The least light that becomes code 1, 2 and so on; none of floats.
    pub(super) fn thresholds(&self) -> &[f64] {
        &self.steps
    }

    /// What light is encoded as, as a number of codes.
    pub(super) fn height(&self, light: f64) -> f64 {
        self.curve.encode(light * self.white) * self.steps.len() as f64
    }

    /// The light that a sample stands for.
    #[inline(always)]
    pub(super) fn decode<S: Sample>(&self, sample: S) -> f64 {
        match self.decoded.get(sample.to_f64() as usize) {
            Some(light) if const { !matches!(S::DEPTH, Depth::F32) } => *light,
            _ => self.curve.decode(sample.to_f64()) / self.white,
        }
    }

    /// The sample nearest to an amount of light, ties up; of integers clamped.
    #[inline(always)]
    pub(super) fn encode<S: Sample>(&self, light: f64) -> S {
        if const { matches!(S::DEPTH, Depth::F32) } {
            return S::from_fraction(self.curve.encode(light * self.white));
        }
        // NaN becomes 0.
        if light.is_nan() || light <= 0.0 {
            return S::from_f64(0.0);
        }
        let at =
            ((light.min(1.0) as f32).to_bits() >> self.shift).saturating_sub(LEAST.to_bits() >> self.shift) as usize;
        let mut code = if light < f64::from(LEAST) { 0 } else { self.guesses[at] as usize };
        // Where guesses lie far apart, the step is looked for from both sides.
        let next = self.guesses.get(at + 1).map_or(self.steps.len(), |&next| next as usize);
        if next > code + 4 {
            code += self.steps[code..next].partition_point(|&step| step <= light);
        }
        while code < self.steps.len() && light >= self.steps[code] {
            code += 1;
        }
        // A code as it is: rounding a float would be a call.
        if const { matches!(S::DEPTH, Depth::U8) } { S::from_u8(code as u8) } else { S::from_u16(code as u16) }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    const ALL: [Transfer; 7] = [
        Transfer::Srgb,
        Transfer::Linear,
        Transfer::Power(2.2),
        Transfer::Bt709,
        Transfer::Romm,
        Transfer::Pq,
        Transfer::Hlg,
    ];

    #[test]
    fn every_code_comes_back_and_light_between_goes_to_the_nearest() {
        for transfer in ALL {
            let (bytes, words) = (Curves::new(transfer, Depth::U8), Curves::new(transfer, Depth::U16));
            assert!((0..=255u8).all(|code| bytes.encode::<u8>(bytes.decode(code)) == code), "{transfer:?}");
            assert!((0..=65_535u16).all(|code| words.encode::<u16>(words.decode(code)) == code), "{transfer:?}");
            for i in 0..100_000u32 {
                let light = (f64::from(i) / 99_000.0).powi(3) / transfer.reference_white();
                let exact = transfer.encode(light * transfer.reference_white()) * 65_535.0;
                let found = f64::from(words.encode::<u16>(light));
                assert!((found - exact.min(65_535.0)).abs() <= 0.5 + 1e-6, "{transfer:?} {light} {found} {exact}");
            }
            assert_eq!([-1.0, f64::NAN, f64::INFINITY].map(|v| bytes.encode::<u8>(v)), [0, 0, 255]);
        }
    }
}
