//! From rows of pixels to the samples of components, and to their quantised coefficients.
// Sums of bytes times constants below 2^16: far from the ends of i32.
#![allow(clippy::arithmetic_side_effects)]

use super::fdct::quantised;
use super::shape::{McuLayout, Row};
use crate::convert::swizzle::separate;
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

/// Rgb of a row to its luminance and chroma. The loop goes by indices, so that no linker has to inline what walks several rows at once.
struct ToYcbcr<'a>(&'a [[u8; 3]], [&'a mut [u8]; 3]);

impl Work for ToYcbcr<'_> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        /// Rows that come as arguments of their own are known not to overlap.
        #[inline(always)]
        // All are cut to one length before the loop.
        #[allow(clippy::indexing_slicing)]
        fn rows(from: &[[u8; 3]], y: &mut [u8], cb: &mut [u8], cr: &mut [u8]) {
            let n = from.len().min(y.len()).min(cb.len()).min(cr.len());
            let (from, y, cb, cr) = (&from[..n], &mut y[..n], &mut cb[..n], &mut cr[..n]);
            for i in 0..n {
                let [r, g, b] = from[i];
                [y[i], cb[i], cr[i]] = ycbcr(r, g, b);
            }
        }
        let ToYcbcr(from, [y, cb, cr]) = self;
        rows(from, y, cb, cr);
    }
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
        let mut parts = parts.map(|p| p.get_mut(y * across..).and_then(|p| p.get_mut(..across)).unwrap_or_default());
        match channels {
            4 => {
                let [a, b, c, d] = &mut parts;
                separate(row, [a, b, c, d]);
                // Ink is stored inverted.
                parts.iter_mut().flat_map(|plane| plane.iter_mut()).for_each(|v| *v = !*v);
            }
            3 => {
                let [y, cb, cr, _] = &mut parts;
                level.work_in_256_bits(ToYcbcr(row.as_chunks().0, [y, cb, cr]));
            }
            _ => parts[0].iter_mut().zip(row).for_each(|(to, v)| *to = *v),
        }
        parts.into_iter().for_each(|plane| extend(plane, width));
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
struct Transform<'a>(&'a [u8; 64], &'a [f32; 64]);

impl Work for Transform<'_> {
    type Out = [i16; 64];

    #[inline(always)]
    fn work(self) -> [i16; 64] {
        quantised(&arrays::map(*self.0, |v| f32::from(v) - 128.0), self.1)
    }
}

/// The blocks of a plane, row by row.
fn blocks_of(plane: &[u8], across: usize, reciprocals: &[f32; 64], level: Level) -> Vec<[i16; 64]> {
    let mut out = Vec::with_capacity(plane.len() / 64);
    for rows in plane.chunks_exact(across.max(1) * 8) {
        for x in (0..across).step_by(8) {
            let mut block = [0u8; 64];
            for (y, to) in block.as_chunks_mut::<8>().0.iter_mut().enumerate() {
                if let Some(from) = rows.get(y * across + x..).and_then(|r| r.first_chunk::<8>()) {
                    *to = *from;
                }
            }
            out.push(level.work(Transform(&block, reciprocals)));
        }
    }
    out
}
