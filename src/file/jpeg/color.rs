//! Colour as JPEG files store it, to rgb and to ink: JFIF's YCbCr (of ITU-R BT.601, full range), and the YCbCr of ink.
// Sums of products of samples with constants below 2^17: far from the ends of i32.
#![allow(clippy::arithmetic_side_effects)]

use super::strips::Code;
use crate::simd::Level;
use crate::simd::arrays;

/// What the components of a pixel are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Model {
    Gray,
    Rgb,
    Ycbcr,
    /// Ink, stored as it is or inverted.
    Cmyk {
        inverted: bool,
    },
    /// YCbCr of the first three inks, and the fourth.
    Ycck {
        inverted: bool,
    },
}

/// 1.402, 0.344136, 0.714136 and 1.772 in 16 fraction bits.
const RED: i32 = 91_881;
const GREEN_BLUE: i32 = 22_554;
const GREEN_RED: i32 = 46_802;
const BLUE: i32 = 116_130;

#[inline(always)]
fn rgb_of<S: Code>(y: S, cb: S, cr: S, middle: i32) -> [S; 3] {
    let number = |v: S| -> i32 {
        let v: u32 = v.into();
        v as i32
    };
    let (y, cb, cr) = ((number(y) << 16) + (1 << 15), number(cb) - middle, number(cr) - middle);
    [
        S::clamped((y + RED * cr) >> 16),
        S::clamped((y - GREEN_BLUE * cb - GREEN_RED * cr) >> 16),
        S::clamped((y + BLUE * cb) >> 16),
    ]
}

/// A row of pixels from a row of each component. `full` is the largest code.
pub(super) fn row<S: Code>(model: Model, from: &[Vec<S>], to: &mut [S], full: S) {
    let [a, b, c, d] = arrays::map([0, 1, 2, 3], |i| from.get(i).map_or(&[][..], Vec::as_slice));
    let top: u32 = full.into();
    let middle = (top as i32 + 1) / 2;
    let flip = |v: S, inverted: bool| {
        let v: u32 = v.into();
        S::of(if inverted { top - v } else { v })
    };
    match model {
        Model::Gray => to.iter_mut().zip(a).for_each(|(to, v)| *to = *v),
        Model::Rgb => Level::best().fan_in([a, b, c, d], to, |a, b, c, _, to| {
            let pixels = to.as_chunks_mut::<3>().0.iter_mut().zip(a.iter().zip(b).zip(c));
            pixels.for_each(|(to, ((r, g), b))| *to = [*r, *g, *b]);
        }),
        Model::Ycbcr => Level::best().fan_in([a, b, c, d], to, |a, b, c, _, to| {
            let pixels = to.as_chunks_mut::<3>().0.iter_mut().zip(a.iter().zip(b).zip(c));
            pixels.for_each(|(to, ((y, cb), cr))| *to = rgb_of(*y, *cb, *cr, middle));
        }),
        Model::Cmyk { inverted } => {
            let pixels = to.as_chunks_mut::<4>().0.iter_mut().zip(a.iter().zip(b).zip(c.iter().zip(d)));
            pixels.for_each(|(to, ((c, m), (y, k)))| *to = arrays::map([*c, *m, *y, *k], |v| flip(v, inverted)));
        }
        Model::Ycck { inverted } => {
            let pixels = to.as_chunks_mut::<4>().0.iter_mut().zip(a.iter().zip(b).zip(c.iter().zip(d)));
            pixels.for_each(|(to, ((y, cb), (cr, k)))| {
                // The three are what is left of the light: red of cyan, and so on; stored inverted they are ink.
                let [r, g, b] = rgb_of(*y, *cb, *cr, middle);
                let [c, m, y] = arrays::map([r, g, b], |v| flip(v, !inverted));
                *to = [c, m, y, flip(*k, inverted)];
            });
        }
    }
}
