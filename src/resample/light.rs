//! Tables of a curve for mixing pixels as the light that they stand for.

use crate::pixel::{NumberKind, Sample, Transfer};

/// A curve as tables for one sample type: from samples to light in `f32`, full light being 1, and back to the nearest
/// sample. Bytes and words are looked up; words on the way back, and floats both ways, go through the curve itself.
#[derive(Debug, Clone)]
pub(super) struct Curve {
    transfer: Transfer,
    /// Light of every code of an integer type.
    decoded: Vec<f32>,
    /// For bytes: the least light that becomes code 1, 2 and so on.
    steps: Vec<f32>,
    /// For bytes: a code that light of these upper bits becomes at least.
    guesses: Vec<u8>,
}

/// Bits of an `f32` below those that a guess is looked up by: sign, exponent and seven of the fraction stay.
const SHIFT: u32 = 16;
/// Light below this has no guess of its own: 2^-14.
const LEAST: u32 = (127 - 14) << 7;
/// Upper bits of full light.
const FULL: u32 = 127 << 7;

impl Curve {
    /// The tables for samples of a kind.
    pub(super) fn new(transfer: Transfer, kind: NumberKind) -> Curve {
        let full = match kind {
            NumberKind::U8 => 255u32,
            NumberKind::U16 => 65_535,
            _ => return Curve { transfer, decoded: Vec::new(), steps: Vec::new(), guesses: Vec::new() },
        };
        let light = |code: f64| transfer.decode(code / f64::from(full));
        let decoded = (0..=full).map(|code| light(code.into()) as f32).collect();
        let (mut steps, mut guesses) = (Vec::new(), Vec::new());
        if full == 255 {
            // The least f32 that is not below the exact step.
            let step =
                |exact: f64| if f64::from(exact as f32) < exact { (exact as f32).next_up() } else { exact as f32 };
            steps = (0..255).map(|code| step(light(f64::from(code) + 0.5))).collect();
            let least = |bits: u32| steps.partition_point(|&s| s <= f32::from_bits(bits << SHIFT)) as u8;
            guesses = (LEAST..=FULL).map(least).collect();
        }
        Curve { transfer, decoded, steps, guesses }
    }

    /// The light that a sample stands for.
    #[inline(always)]
    pub(super) fn decode<S: Sample>(&self, sample: S) -> f32 {
        match S::KIND {
            NumberKind::U8 | NumberKind::U16 => self.decoded.get(sample.to_f64() as usize).copied().unwrap_or(0.0),
            _ => self.transfer.decode(sample.to_f64()) as f32,
        }
    }

    /// A row of bytes as light.
    #[inline(always)]
    pub(super) fn decode_bytes(&self, from: &[u8], to: &mut [f32]) {
        if let Some(table) = self.decoded.first_chunk::<256>() {
            to.iter_mut().zip(from).for_each(|(to, &code)| *to = table[usize::from(code)]);
        }
    }

    /// The sample that is nearest to an amount of light, halves up.
    #[inline(always)]
    pub(super) fn encode<S: Sample>(&self, light: f32) -> S {
        if S::KIND != NumberKind::U8 {
            return S::from_fraction(self.transfer.encode(light.into()));
        }
        // NaN becomes 0.
        let light = if light > 0.0 { light.min(1.0) } else { 0.0 };
        let mut code = match (light.to_bits() >> SHIFT).checked_sub(LEAST) {
            Some(at) => self.guesses.get(at as usize).copied().unwrap_or(255),
            None => 0,
        };
        while self.steps.get(usize::from(code)).is_some_and(|&step| light >= step) {
            code += 1;
        }
        S::from_u8(code)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bytes_come_back_and_light_between_goes_to_the_nearest() {
        for transfer in [Transfer::Srgb, Transfer::Power(2.2), Transfer::Power(1.0)] {
            let curve = Curve::new(transfer, NumberKind::U8);
            for code in 0..=255u8 {
                assert_eq!(curve.encode::<u8>(curve.decode(code)), code);
            }
            for i in 0..200_000u32 {
                let light = f64::from((f64::from(i) / 190_000.0) as f32);
                let wanted = (transfer.encode(light) * 255.0 + 0.5).floor().min(255.0);
                let exact = transfer.encode(light) * 255.0 + 0.5;
                let found = f64::from(curve.encode::<u8>(light as f32));
                // At a tie the formula itself is only as exact as its floats.
                assert!(found == wanted || (exact - exact.round()).abs() < 1e-9, "{transfer:?} {light}");
            }
            assert_eq!([-1.0, f32::NAN, 2.0].map(|v| curve.encode::<u8>(v)), [0, 0, 255]);
        }
        let curve = Curve::new(Transfer::Srgb, NumberKind::U16);
        assert!((0..=65_535u16).all(|code| curve.encode::<u16>(curve.decode(code)).abs_diff(code) <= 1));
    }
}
