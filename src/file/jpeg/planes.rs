//! From rows of pixels to the samples of components, and to their quantised coefficients.
// Sums of bytes times constants below 2^16: far from the ends of i32.
#![allow(clippy::arithmetic_side_effects)]

use super::fdct::{Samples, quantised};
use super::shape::{McuLayout, Row};
use crate::simd::arrays;
use crate::simd::{Level, Work};

/// What is done to a row of MCUs.
#[derive(Debug, Clone)]
pub(super) struct Forward {
    pub(super) shape: McuLayout,
    /// Reciprocals of the quantisers of luminance and chroma.
    pub(super) luminance: [f32; 64],
    pub(super) chroma: [f32; 64],
}

/// Luminance and the two of chroma (JFIF): weights in 16 fraction bits.
#[inline(always)]
fn ycbcr(r: u8, g: u8, b: u8) -> [u8; 3] {
    let (r, g, b) = (i32::from(r), i32::from(g), i32::from(b));
    // A half less than a level, so that the largest is 255.
    const MIDDLE: i32 = (128 << 16) + 32_767;
    let y = (19_595 * r + 38_470 * g + 7471 * b + 32_768) >> 16;
    let cb = (-11_059 * r - 21_709 * g + 32_768 * b + MIDDLE) >> 16;
    let cr = (32_768 * r - 27_439 * g - 5329 * b + MIDDLE) >> 16;
    [y as u8, cb as u8, cr as u8]
}

/// Transforms and quantises a row of MCUs: `pixels` are its rows, the last one standing for those that are missing.
pub(super) fn row_of_mcus(forward: &Forward, pixels: &[u8]) -> Row {
    let shape = &forward.shape;
    let ((h, v), channels, width) = (shape.most, shape.factors.len(), usize::from(shape.size.0));
    let (across, down) = (shape.mcus.0 * 8 * h, 8 * v);
    let mut planes: [Vec<u8>; 4] = [vec![0; across * down], Vec::new(), Vec::new(), Vec::new()];
    planes.iter_mut().take(channels).skip(1).for_each(|plane| *plane = vec![0; across * down]);
    let row_bytes = width * channels;
    let level = Level::best();
    let [a, b, c, d] = &mut planes;
    for y in 0..down {
        let Some(row) = pixels.chunks_exact(row_bytes.max(1)).take(y + 1).next_back() else { continue };
        let parts = [&mut *a, &mut *b, &mut *c, &mut *d];
        let [a, b, c, d] = parts.map(|p| p.get_mut(y * across..).and_then(|p| p.get_mut(..across)).unwrap_or_default());
        match channels {
            // Ink is stored inverted.
            4 => level.fan_out(row, [a, b, c, d], |row, a, b, c, d| {
                let rows = a.iter_mut().zip(b.iter_mut()).zip(c.iter_mut().zip(d.iter_mut()));
                for (&[ci, m, y, k], ((a, b), (c, d))) in row.as_chunks::<4>().0.iter().zip(rows) {
                    [*a, *b, *c, *d] = [!ci, !m, !y, !k];
                }
                for plane in [a, b, c, d] {
                    extend(plane, width);
                }
            }),
            3 => level.fan_out(row, [a, b, c, &mut []], |row, a, b, c, _| {
                let pixels = row.as_chunks::<3>().0.iter();
                for (&[r, g, bb], (a, (b, c))) in pixels.zip(a.iter_mut().zip(b.iter_mut().zip(c.iter_mut()))) {
                    [*a, *b, *c] = ycbcr(r, g, bb);
                }
                for plane in [a, b, c] {
                    extend(plane, width);
                }
            }),
            _ => {
                a.iter_mut().zip(row).for_each(|(to, v)| *to = *v);
                extend(a, width);
            }
        }
    }
    if channels == 4 {
        return planes.iter().map(|plane| blocks_of(plane, across, &forward.luminance, level)).collect();
    }
    let [luminance, cb, cr, _] = planes;
    let blocks = |plane: &[u8], width: usize, reciprocals: &[f32; 64]| blocks_of(plane, width, reciprocals, level);
    if channels == 1 {
        return vec![blocks(&luminance, across, &forward.luminance)];
    }
    let chroma = |plane: Vec<u8>| {
        let small = if h * v == 1 { plane } else { shrunk(&plane, across, h, v) };
        blocks(&small, across / h, &forward.chroma)
    };
    vec![blocks(&luminance, across, &forward.luminance), chroma(cb), chroma(cr)]
}

/// Repeats the last sample of a row that counts.
fn extend(row: &mut [u8], width: usize) {
    if let Some(&last) = width.checked_sub(1).and_then(|at| row.get(at)) {
        row.iter_mut().skip(width).for_each(|v| *v = last);
    }
}

/// Means of 2 x 1 or 2 x 2 samples, rounded to nearest.
fn shrunk(plane: &[u8], across: usize, h: usize, v: usize) -> Vec<u8> {
    let mut out = vec![0u8; plane.len() / (h * v)];
    let rows = plane.chunks_exact(across * v).map(|rows| rows.split_at(if v == 1 { 0 } else { across }));
    for (to, (upper, lower)) in out.chunks_exact_mut(across / h).zip(rows) {
        // One row stands for two where only the width is halved.
        let upper = if v == 1 { lower } else { upper };
        let pairs = upper.as_chunks::<2>().0.iter().zip(lower.as_chunks::<2>().0);
        for (to, ([a, b], [c, d])) in to.iter_mut().zip(pairs) {
            *to = ((u16::from(*a) + u16::from(*b) + u16::from(*c) + u16::from(*d) + 2) >> 2) as u8;
        }
    }
    out
}

/// A block's transform and quantising, to be compiled for wide registers.
struct Transform<'a>(&'a Samples, &'a [f32; 64]);

impl Work for Transform<'_> {
    type Out = [i16; 64];

    #[inline(always)]
    fn work(self) -> [i16; 64] {
        quantised(self.0, self.1)
    }
}

/// The blocks of a plane, row by row.
fn blocks_of(plane: &[u8], across: usize, reciprocals: &[f32; 64], level: Level) -> Vec<[i16; 64]> {
    let mut out = Vec::with_capacity(plane.len() / 64);
    for rows in plane.chunks_exact(across.max(1) * 8) {
        for x in (0..across).step_by(8) {
            let mut block: Samples = [0.0; 64];
            for (to, row) in block.as_chunks_mut::<8>().0.iter_mut().zip(rows.chunks_exact(across)) {
                if let Some(from) = row.get(x..).and_then(|r| r.first_chunk::<8>()) {
                    *to = arrays::map(*from, |v| f32::from(v) - 128.0);
                }
            }
            out.push(level.work(Transform(&block, reciprocals)));
        }
    }
    out
}
