//! From light in `f32` to codes of 8 bits: exact for every number.
//!
//! Where registers hold a table, by a [`Ladder`]. Elsewhere by one look-up and one sum: light is looked up by its upper bits. What stands there
//! is the code, fifteen bits higher, and as much as is missing from the step to the next code: with the lower bits of light added, the sum has
//! reached the next code just where light has reached the step.
//!
//! Not here: codes of 16 bits, which [`Curves`] finds.

use super::curves::Curves;
use super::lanes::RUN;
use crate::simd::ladder::Ladder;
use crate::simd::{Level, Work};

/// Both ways from light to codes.
#[derive(Debug, Clone)]
pub(super) struct Steps {
    /// Sums by the upper bits of light.
    sums: Vec<u32>,
    ladder: Option<Box<Ladder>>,
}

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
            let below = |bits: u32| steps.partition_point(|&step| step < bits);
            let near = below(start.saturating_sub(NEAR)) < below(end + NEAR);
            let missing = next.map_or(0, |step| (1 << SHIFT) - (step.max(start) - start));
            table.push((if near { 0 } else { FLAT } | (code as u32) << SHIFT) + missing);
        }
        // As long as an index can be.
        table.resize(PLACES, *table.last()?);
        let ladder = Ladder::new(all, &|light| curves.height(light)).map(Box::new);
        Some(Steps { sums: table, ladder })
    }

    /// The codes of a run of light, each by itself off by its bound at most; and a bit for each that might be another one.
    pub(super) fn near_codes(&self, level: Level, light: &[f32; RUN], bounds: &[f32; RUN], to: &mut [u8; RUN]) -> u128 {
        if let Some(near) = self.ladder.as_ref().and_then(|ladder| ladder.codes(level, light, bounds, to)) {
            return near;
        }
        let (mut keys, mut off) = ([0; RUN], [0; RUN]);
        level.work(Keys { light, bounds, keys: &mut keys, off: &mut off });
        self.sums(&mut keys);
        let is_near = level.work(Codes { keys: &keys, off: &off, codes: to });
        let bits = (0..RUN).filter(|&i| is_near && Steps::is_near(keys[i], off[i]));
        bits.fold(0, |near, i| near | 1 << i)
    }

    /// The codes of a run of light that is what it is.
    pub(super) fn codes(&self, level: Level, light: &[f32; RUN], to: &mut [u8; RUN]) {
        if let Some(mut near) = self.ladder.as_ref().and_then(|ladder| ladder.codes(level, light, &[0.0; RUN], to)) {
            while near != 0 {
                let at = near.trailing_zeros() as usize;
                let mut key = [Steps::key(light[at])];
                self.sums(&mut key);
                to[at] = Steps::code(key[0]);
                near &= near - 1;
            }
            return;
        }
        let mut keys = [0; RUN];
        level.work(Keys { light, bounds: &[0.0; RUN], keys: &mut keys, off: &mut [0; RUN] });
        self.sums(&mut keys);
        level.work(Codes { keys: &keys, off: &[0; RUN], codes: to });
    }

    /// The sums of keys, in their place. One at a time: gathering registers were measured and are slower.
    #[inline]
    fn sums(&self, keys: &mut [u32]) {
        // As long as an index can be.
        let Some(all) = self.sums.first_chunk::<PLACES>() else { return };
        for key in keys {
            *key = all[(*key >> SHIFT) as usize & (PLACES - 1)] + (*key & LOW);
        }
    }

    /// What light is looked up by; NaN as nothing.
    #[inline(always)]
    #[allow(clippy::manual_clamp)] // clamping would keep NaN
    fn key(light: f32) -> u32 {
        // In this order NaN ends as the least.
        light.max(LEAST).min(MOST).to_bits() - (FIRST << SHIFT)
    }

    /// The code of a sum.
    #[inline(always)]
    fn code(sum: u32) -> u8 {
        (sum >> SHIFT) as u8
    }

    /// Whether light that is off by this, in least steps of its own, might have another code.
    #[inline(always)]
    fn is_near(sum: u32, off: u32) -> bool {
        let apart = (sum & LOW).wrapping_add(off) & LOW;
        (sum & FLAT == 0) & (apart <= 2 * off) | (off > NEAR)
    }
}

/// What a run of light is looked up by, and how far that may be off.
struct Keys<'a> {
    light: &'a [f32; RUN],
    bounds: &'a [f32; RUN],
    keys: &'a mut [u32; RUN],
    off: &'a mut [u32; RUN],
}

impl Work for Keys<'_> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Keys { light, bounds, keys, off } = self;
        for i in 0..RUN {
            keys[i] = Steps::key(light[i]);
            // One more: the sum is rounded.
            off[i] = Steps::key(light[i] + bounds[i]) - keys[i] + 1;
        }
    }
}

/// The codes of a run, and whether any may be another one.
struct Codes<'a> {
    keys: &'a [u32; RUN],
    off: &'a [u32; RUN],
    codes: &'a mut [u8; RUN],
}

impl Work for Codes<'_> {
    type Out = bool;

    #[inline(always)]
    fn work(self) -> bool {
        let Codes { keys, off, codes } = self;
        let mut near = 0;
        for i in 0..RUN {
            codes[i] = Steps::code(keys[i]);
            near |= u32::from(Steps::is_near(keys[i], off[i]));
        }
        near != 0
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixel::{Depth, Transfer};

    fn sum(steps: &Steps, light: f32) -> u32 {
        let mut keys = [Steps::key(light)];
        steps.sums(&mut keys);
        keys[0]
    }

    const CURVES: [Transfer; 8] = [
        Transfer::Srgb,
        Transfer::Linear,
        Transfer::Power(2.2),
        Transfer::Power(563.0 / 256.0),
        Transfer::Power(1.8),
        Transfer::Bt709,
        Transfer::Bt2020,
        Transfer::Romm,
    ];

    #[test]
    fn every_step_and_its_neighbours_are_those_of_the_exact_curve() {
        for transfer in CURVES {
            let curves = Curves::new(transfer, Depth::U8);
            let steps = Steps::new(&curves).unwrap();
            assert!(steps.ladder.is_some(), "{transfer:?}");
            let mut light = vec![-1.0, -0.0, 0.0, 1.0, 1.5, f32::NAN, f32::INFINITY, f32::NEG_INFINITY];
            for step in curves.thresholds() {
                let near = *step as f32;
                light.extend([near.next_down().next_down(), near.next_down(), near, near.next_up()]);
            }
            light.extend((0..200_000).map(|i| f32::from_bits(i * 5400)));
            light.resize(light.len().next_multiple_of(RUN), 0.5);
            for (level, light) in Level::present()
                .into_iter()
                .flat_map(|level| light.as_chunks::<RUN>().0.iter().map(move |l| (level, l)))
            {
                let mut found = [0; RUN];
                steps.codes(level, light, &mut found);
                for (light, found) in light.iter().zip(found) {
                    assert_eq!(found, curves.encode::<u8>((*light).into()), "{level:?} {transfer:?} {light:e}");
                }
            }
        }
        // Of floats and words there are none.
        assert!(Steps::new(&Curves::new(Transfer::Srgb, Depth::U16)).is_none());
        assert!(Steps::new(&Curves::new(Transfer::Srgb, Depth::F32)).is_none());
    }

    #[test]
    fn light_that_is_off_has_its_code_or_is_told() {
        for transfer in CURVES {
            let curves = Curves::new(transfer, Depth::U8);
            let steps = Steps::new(&curves).unwrap();
            let mut sure = vec![0; Level::present().len()];
            for (k, step) in curves.thresholds().iter().enumerate() {
                // Around the step, in parts of a thousandth of it and less.
                let light: [f32; RUN] = std::array::from_fn(|i| {
                    let apart = (i as f64 - 64.0) / 64.0;
                    (step * (1.0 + apart.powi(5) * 0.02)) as f32
                });
                let bounds = light.map(|v| v * (k % 7) as f32 * 1e-7);
                for (level, sure) in Level::present().into_iter().zip(&mut sure) {
                    let mut found = [0; RUN];
                    let near = steps.near_codes(level, &light, &bounds, &mut found);
                    for i in (0..RUN).filter(|i| near >> i & 1 == 0) {
                        *sure += 1;
                        for off in [-1.0, 0.0, 1.0] {
                            let exact = f64::from(light[i]) + off * f64::from(bounds[i]);
                            assert_eq!(found[i], curves.encode::<u8>(exact), "{level:?} {transfer:?} {exact:e}");
                        }
                    }
                }
            }
            assert!(sure.iter().all(|sure| *sure > 255 * RUN / 2), "{transfer:?} {sure:?}");
        }
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
