//! Colours of bytes to another space by tables and a matrix in `f32`, and again in `f64` wherever rounding could tell: the result is that of
//! `f64` to the last bit.
//!
//! Not here: samples of 16 bits and floats, which go through `f64` alone.

use super::curves::Curves;
use super::lanes::{Lanes, RUN, interleave, separate};
use super::space::Matrix;
use super::steps::Steps;
use crate::simd::{FusedWork, Level, ladder, multiply_add};

/// Tables and matrix of a conversion of bytes.
#[derive(Debug, Clone)]
pub(super) struct Quick {
    /// Light of every code, a channel each.
    light: [[f32; 256]; 3],
    matrix: [[f32; 3]; 3],
    /// One for all channels where their curves are one: a smaller table stays nearer.
    steps: Vec<Steps>,
}

impl Quick {
    /// The tables, where light and matrix are numbers of a usual size.
    pub(super) fn new(from: &[Curves], to: &[Curves], matrix: &Matrix) -> Option<Quick> {
        let mut light = [[0.0; 256]; 3];
        for (c, table) in light.iter_mut().enumerate() {
            let curves = &from[c.min(from.len() - 1)];
            for (light, code) in table.iter_mut().zip(0..=255u8) {
                *light = curves.decode(code) as f32;
            }
        }
        if light.iter().flatten().any(|v: &f32| !(-1e3..=1e3).contains(v))
            || matrix.iter().flatten().any(|v| v.abs() > 1e3)
        {
            return None;
        }
        let steps = to.iter().map(Steps::new).collect::<Option<Vec<_>>>()?;
        Some(Quick { light, matrix: matrix.map(|row| row.map(|v| v as f32)), steps })
    }

    /// A row of bytes of three channels, or four of which the last stays. `exact` is asked where a sum lies near a step.
    pub(super) fn row(
        &self,
        level: Level,
        (from, to): (&[u8], &mut [u8]),
        channels: usize,
        exact: &dyn Fn([u8; 3]) -> [u8; 3],
    ) {
        let mut run = Run { light: [[0.0; RUN]; 3], bounds: [[0.0; RUN]; 3] };
        let mut codes: Lanes<u8> = [[0; RUN]; 4];
        for (from, to) in from.chunks(RUN * channels).zip(to.chunks_mut(RUN * channels)) {
            separate(from, channels, &mut codes);
            for c in 0..3 {
                ladder::entries(level, &self.light[c], &codes[c], &mut run.light[c]);
            }
            level.work_fused(Sums { matrix: &self.matrix, run: &mut run });
            let mut near = 0;
            for c in 0..3 {
                let steps = self.steps.get(c).or(self.steps.first());
                if let Some(steps) = steps {
                    near |= steps.near_codes(level, &run.light[c], &run.bounds[c], &mut codes[c]);
                }
            }
            interleave(&codes, channels, to);
            while near != 0 {
                let at = near.trailing_zeros() as usize * channels;
                // Beyond the row's end stands what was there before.
                if let (Some([r, g, b, ..]), Some(to)) = (from.get(at..), to.get_mut(at..at + 3)) {
                    to.copy_from_slice(&exact([*r, *g, *b]));
                }
                near &= near - 1;
            }
        }
    }
}

struct Run {
    /// Of one space, then of the other.
    light: [[f32; RUN]; 3],
    /// How far that may be off.
    bounds: [[f32; RUN]; 3],
}

/// Light to that of the other space.
struct Sums<'a> {
    matrix: &'a [[f32; 3]; 3],
    run: &'a mut Run,
}

/// Three products and two sums, each of them and the numbers in them rounded: below eight half units of the terms.
const OFF: f32 = 4.0 * f32::EPSILON;

impl FusedWork for Sums<'_> {
    type Out = ();

    #[inline(always)]
    fn work<const FUSED: bool>(self) {
        let [mr, mg, mb] = *self.matrix;
        let Run { light: [r, g, b], bounds: [off_r, off_g, off_b] } = self.run;
        for i in 0..RUN {
            let of = [r[i], g[i], b[i]];
            (r[i], off_r[i]) = sum::<FUSED>(mr, of);
            (g[i], off_g[i]) = sum::<FUSED>(mg, of);
            (b[i], off_b[i]) = sum::<FUSED>(mb, of);
        }
    }
}

/// A sum of three terms, and how far it may be off.
#[inline(always)]
fn sum<const FUSED: bool>([x, y, z]: [f32; 3], [r, g, b]: [f32; 3]) -> (f32, f32) {
    let sum = multiply_add::<FUSED>(x, r, multiply_add::<FUSED>(y, g, z * b));
    let terms = multiply_add::<FUSED>(x.abs(), r.abs(), multiply_add::<FUSED>(y.abs(), g.abs(), z.abs() * b.abs()));
    (sum, terms * OFF)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::color::space::{Adaptation, ColorSpace, times};
    use crate::pixel::Depth;

    #[test]
    fn every_colour_of_bytes_is_that_of_doubles() {
        // Every colour, or, without optimisation, every blue of every seventh red and green.
        let step = if cfg!(debug_assertions) { 7 } else { 1 };
        let spaces = [ColorSpace::DISPLAY_P3, ColorSpace::ADOBE_RGB, ColorSpace::BT2020, ColorSpace::ROMM];
        for to in spaces {
            for (from, to) in [(ColorSpace::SRGB, to), (to, ColorSpace::SRGB)] {
                let matrix = from.matrix_to(&to, Adaptation::Bradford).unwrap();
                let (decode, encode) = (Curves::new(from.transfer, Depth::U8), Curves::new(to.transfer, Depth::U8));
                let exact =
                    |rgb: [u8; 3]| times(&matrix, rgb.map(|v| decode.decode(v))).map(|v| encode.encode::<u8>(v));
                let Some(quick) = Quick::new(std::slice::from_ref(&decode), std::slice::from_ref(&encode), &matrix)
                else {
                    panic!("{from:?} {to:?}");
                };
                for r in (0..=255u8).step_by(step) {
                    let row: Vec<u8> =
                        (0..=255u8).step_by(step).flat_map(|g| (0..=255).flat_map(move |b| [r, g, b])).collect();
                    let wanted: Vec<u8> = row.as_chunks::<3>().0.iter().flat_map(|&rgb| exact(rgb)).collect();
                    for level in Level::present() {
                        let mut out = vec![0; row.len()];
                        quick.row(level, (&row, &mut out), 3, &exact);
                        for (i, from) in row.as_chunks::<3>().0.iter().enumerate() {
                            assert_eq!(out[3 * i..][..3], wanted[3 * i..][..3], "{level:?} {from:?}");
                        }
                    }
                }
            }
        }
    }
}
