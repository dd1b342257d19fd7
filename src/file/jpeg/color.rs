//! Colour as JPEG files store it, to rgb and to ink: JFIF's YCbCr (of ITU-R BT.601, full range), and the YCbCr of ink.
// Sums of products of samples with constants below 2^17: far from the ends of i32.
#![allow(clippy::arithmetic_side_effects)]

use super::strips::Code;
use crate::convert::swizzle::interleave_run;
use crate::simd::{Level, Work, arrays};

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

/// YCbCr of a row to rgb. The loop goes by indices, so that no linker has to inline what walks three rows at once.
struct ToRgb<'a, S> {
    rows: [&'a [S]; 3],
    to: &'a mut [[S; 3]],
    middle: i32,
}

impl<S: Code> Work for ToRgb<'_, S> {
    type Out = ();

    #[inline(always)]
    // All four are cut to one length before the loop.
    #[allow(clippy::indexing_slicing)]
    fn work(self) {
        let ([y, cb, cr], middle) = (self.rows, self.middle);
        let n = self.to.len().min(y.len()).min(cb.len()).min(cr.len());
        let (to, y, cb, cr) = (&mut self.to[..n], &y[..n], &cb[..n], &cr[..n]);
        for i in 0..n {
            to[i] = rgb_of(y[i], cb[i], cr[i], middle);
        }
    }
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
        Model::Gray => {
            let n = to.len().min(a.len());
            if let (Some(to), Some(from)) = (to.get_mut(..n), a.get(..n)) {
                to.copy_from_slice(from);
            }
        }
        Model::Rgb => interleave_run(Level::best(), [a, b, c, &[]], to),
        Model::Ycbcr => {
            let to = to.as_chunks_mut::<3>().0;
            Level::best().work_in_256_bits(ToRgb { rows: [a, b, c], to, middle });
        }
        Model::Cmyk { inverted } => {
            interleave_run(Level::best(), [a, b, c, d], to);
            to.iter_mut().for_each(|v| *v = flip(*v, inverted));
        }
        Model::Ycck { inverted } => {
            interleave_run(Level::best(), [a, b, c, d], to);
            for to in to.as_chunks_mut::<4>().0 {
                // The three are what is left of the light: red of cyan, and so on; stored inverted they are ink.
                let [y, cb, cr, k] = *to;
                let [c, m, y] = arrays::map(rgb_of(y, cb, cr, middle), |v| flip(v, !inverted));
                *to = [c, m, y, flip(k, inverted)];
            }
        }
    }
}
