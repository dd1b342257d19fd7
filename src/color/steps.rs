//! From light in `f32` to codes of 8 bits by one look-up and one sum: exact for every number.
//!
//! Light is looked up by its upper bits. What stands there is the code, fifteen bits higher, and as much as is missing from the step to the next
//! code: with the lower bits of light added, the sum has reached the next code just where light has reached the step.
//!
//! Not here: codes of 16 bits, which [`Curves`] finds.

use super::curves::Curves;
use super::lanes::RUN;

/// Sums by the upper bits of light.
#[derive(Debug, Clone)]
pub(super) struct Steps(Vec<u32>);

/// Light below this is looked up as this: 2^-24.
const LEAST: f32 = 1.0 / 16_777_216.0;
/// Light above this is looked up as this: no code begins above 1.
const MOST: f32 = 1.0 + 1.0 / 512.0;
/// Bits below those that are looked up: eight of the fraction stay, so that of 256 codes no two begin in one place.
const SHIFT: u32 = 15;
const LOW: u32 = (1 << SHIFT) - 1;
const FIRST: u32 = LEAST.to_bits() >> SHIFT;
/// A power of two beyond the number of places.
const PLACES: usize = 8192;
/// Set where no code begins in a place, nor within [`NEAR`] of it.
const FLAT: u32 = 1 << 31;
/// How many of the least steps of an `f32` count as near.
const NEAR: u32 = 64;

impl Steps {
    /// The sums of a curve's bytes, where each place holds one code or two.
    pub(super) fn new(curves: &Curves) -> Option<Steps> {
        let all = curves.thresholds();
        if all.len() != 255 {
            return None;
        }
        // The least number of 32 bits that is not below each step.
        let bits = |exact: &f64| {
            let near = *exact as f32;
            if f64::from(near) < *exact { near.next_up().to_bits() } else { near.to_bits() }
        };
        let steps: Vec<u32> = all.iter().map(bits).collect();
        let last = MOST.to_bits() >> SHIFT;
        let mut table = Vec::with_capacity(PLACES);
        for place in FIRST..=last {
            let (start, end) = (place << SHIFT, (place + 1) << SHIFT);
            // The first place holds all light below it too.
            let code = if place == FIRST { 0 } else { steps.partition_point(|&step| step <= start) };
            let next = steps.get(code).copied().filter(|step| *step < end);
            // Of two that begin here only one could be told.
            if next.is_some() && steps.get(code + 1).is_some_and(|step| *step < end) {
                return None;
            }
            let near = steps.iter().any(|step| (start.saturating_sub(NEAR)..end + NEAR).contains(step));
            let missing = next.map_or(0, |step| (1 << SHIFT) - (step.max(start) - start));
            table.push((if near { 0 } else { FLAT } | (code as u32) << SHIFT) + missing);
        }
        // As long as an index can be.
        table.resize(PLACES, *table.last()?);
        Some(Steps(table))
    }

    /// The sums of keys, in their place. One at a time: gathering registers were measured and are slower.
    #[inline]
    pub(super) fn sums(&self, keys: &mut [u32; RUN]) {
        // As long as an index can be.
        let Some(all) = self.0.first_chunk::<PLACES>() else { return };
        for key in keys {
            *key = all[(*key >> SHIFT) as usize & (PLACES - 1)] + (*key & LOW);
        }
    }

    /// What light is looked up by; NaN as nothing.
    #[inline(always)]
    #[allow(clippy::manual_clamp)] // clamping would keep NaN
    pub(super) fn key(light: f32) -> u32 {
        // In this order NaN ends as the least.
        light.max(LEAST).min(MOST).to_bits() - (FIRST << SHIFT)
    }

    /// The code of a sum.
    #[inline(always)]
    pub(super) fn code(sum: u32) -> u8 {
        (sum >> SHIFT) as u8
    }

    /// Whether light that is off by this, in least steps of its own, might have another code.
    #[inline(always)]
    pub(super) fn is_near(sum: u32, off: u32) -> bool {
        let apart = (sum & LOW).wrapping_add(off) & LOW;
        (sum & FLAT == 0) & (apart <= 2 * off) | (off > NEAR)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixel::{Depth, Transfer};

    fn sum(steps: &Steps, light: f32) -> u32 {
        let mut keys = [Steps::key(light); RUN];
        steps.sums(&mut keys);
        keys[0]
    }

    #[test]
    fn every_step_and_its_neighbours_are_those_of_the_exact_curve() {
        for transfer in [Transfer::Srgb, Transfer::Linear, Transfer::Power(2.2), Transfer::Bt709, Transfer::Romm] {
            let curves = Curves::new(transfer, Depth::U8);
            let steps = Steps::new(&curves).unwrap();
            let check = |light: f32| {
                let found = Steps::code(sum(&steps, light));
                assert_eq!(found, curves.encode::<u8>(light.into()), "{transfer:?} {light:e}");
            };
            for step in curves.thresholds() {
                let near = *step as f32;
                [near.next_down().next_down(), near.next_down(), near, near.next_up()].into_iter().for_each(check);
            }
            (0..200_000).for_each(|i| check(f32::from_bits(i * 5400)));
            [-1.0, 0.0, 1.0, 1.5, f32::NAN, f32::INFINITY].into_iter().for_each(check);
        }
        // Of floats and words there are none.
        assert!(Steps::new(&Curves::new(Transfer::Srgb, Depth::U16)).is_none());
        assert!(Steps::new(&Curves::new(Transfer::Srgb, Depth::F32)).is_none());
    }

    #[test]
    fn light_near_a_step_is_told_on_both_sides() {
        let curves = Curves::new(Transfer::Srgb, Depth::U8);
        let steps = Steps::new(&curves).unwrap();
        let near = |light: f32, off: u32| Steps::is_near(sum(&steps, light), off);
        for step in curves.thresholds() {
            let bits = (*step as f32).to_bits();
            for apart in 0..=20 {
                assert!(
                    near(f32::from_bits(bits + apart), 22) && near(f32::from_bits(bits - apart), 22),
                    "{step} {apart}"
                );
            }
        }
        // What is far from all steps is not, black and white among it.
        assert!(!near(0.0, 8) && !near(1.0, 8) && !near(7.0, 8) && !near(0.5, 8));
        assert!(near(0.5, 65));
    }
}
