//! The two passes in `f32`: 16-bit and float samples, and everything with alpha.
//!
//! The order of the sums is fixed, so that the number of threads never shows. Colours of pixels with alpha are weighted
//! by it on the way in and divided by the resulting alpha on the way out.

use super::axis::Axis;
use super::rows::SourceRows;
use crate::frame::ViewMut;
use crate::pixel::{Number, Pixel, Sample};
use crate::simd::Level;

/// One axis with its `f32` weights.
pub(super) struct FloatAxis<'a> {
    pub(super) axis: &'a Axis,
    pub(super) weights: &'a [f32],
}

impl FloatAxis<'_> {
    fn weights_of(&self, x: usize) -> &[f32] {
        &self.weights[x * self.axis.taps..][..self.axis.taps]
    }
}

/// Output rows `first..` of the whole target, as many as the view has.
pub(super) fn run<P: Pixel<Number: Sample>>(
    source: SourceRows<'_, P>,
    target: &mut ViewMut<'_, P>,
    first: u32,
    columns: &FloatAxis<'_>,
    rows: &FloatAxis<'_>,
    vertical_first: bool,
    level: Level,
) {
    let (wide, narrow) = (source.width() as usize * P::CHANNELS, target.width() as usize * P::CHANNELS);
    let kept = if vertical_first { wide } else { narrow };
    let mut ring: Vec<Vec<f32>> = vec![vec![0.0; kept]; rows.axis.taps];
    let mut held: Vec<Option<u32>> = vec![None; rows.axis.taps];
    let (mut loaded, mut mixed, mut done) = (vec![0.0f32; wide], vec![0.0f32; kept], vec![0.0f32; narrow]);
    for y in 0..target.height() {
        let out = (first + y) as usize;
        let start = rows.axis.starts[out];
        for row in start..start + rows.axis.taps as u32 {
            let slot = row as usize % ring.len();
            if held[slot] == Some(row) {
                continue;
            }
            held[slot] = Some(row);
            level.run(|| {
                if vertical_first {
                    load::<P>(source.row_numbers(row), &mut ring[slot]);
                } else {
                    load::<P>(source.row_numbers(row), &mut loaded);
                    across::<P>(&loaded, &mut ring[slot], columns);
                }
            });
        }
        level.run(|| {
            mixed.fill(0.0);
            for (i, &w) in (0u32..).zip(rows.weights_of(out)) {
                add_row(&mut mixed, &ring[(start + i) as usize % ring.len()], w);
            }
            if vertical_first {
                across::<P>(&mixed, &mut done, columns);
                store::<P>(&done, target.row_numbers_mut(y));
            } else {
                store::<P>(&mixed, target.row_numbers_mut(y));
            }
        });
    }
}

/// Samples as floats on their own scale (0..=255, 0..=65,535, 0..=1); colours times alpha as a fraction.
#[inline(always)]
fn load<P: Pixel<Number: Sample>>(from: &[P::Number], to: &mut [f32]) {
    match (P::ALPHA, P::CHANNELS) {
        (true, 2) => load_alpha::<P::Number, 2>(from, to),
        (true, 4) => load_alpha::<P::Number, 4>(from, to),
        _ => {
            for (to, from) in to.iter_mut().zip(from) {
                *to = from.to_f64() as f32;
            }
        }
    }
}

#[inline(always)]
fn load_alpha<S: Sample, const C: usize>(from: &[S], to: &mut [f32]) {
    let unit = 1.0 / S::FULL.to_f64() as f32;
    for (from, to) in from.as_chunks::<C>().0.iter().zip(to.as_chunks_mut::<C>().0) {
        let alpha = from[C - 1].to_f64() as f32;
        let weight = alpha * unit;
        *to = std::array::from_fn(|i| if i == C - 1 { alpha } else { from[i].to_f64() as f32 * weight });
    }
}

/// Back to samples: rounded once, half up, clamped; colours divided by alpha, zero where the stored alpha is zero.
#[inline(always)]
fn store<P: Pixel<Number: Sample>>(from: &[f32], to: &mut [P::Number]) {
    match (P::ALPHA, P::CHANNELS) {
        (true, 2) => store_alpha::<P::Number, 2>(from, to),
        (true, 4) => store_alpha::<P::Number, 4>(from, to),
        _ => {
            for (to, &from) in to.iter_mut().zip(from) {
                *to = P::Number::from_f64(f64::from(from));
            }
        }
    }
}

#[inline(always)]
fn store_alpha<S: Sample, const C: usize>(from: &[f32], to: &mut [S]) {
    let full = S::FULL.to_f64();
    for (from, to) in from.as_chunks::<C>().0.iter().zip(to.as_chunks_mut::<C>().0) {
        let alpha = f64::from(from[C - 1]);
        let stored = S::from_f64(alpha);
        let scale = if stored.to_f64() > 0.0 { full / alpha } else { 0.0 };
        *to = std::array::from_fn(|i| if i == C - 1 { stored } else { S::from_f64(f64::from(from[i]) * scale) });
    }
}

#[inline(always)]
fn add_row(sums: &mut [f32], row: &[f32], weight: f32) {
    for (sum, &v) in sums.iter_mut().zip(row) {
        *sum += v * weight;
    }
}

#[inline(always)]
fn across<P: Pixel>(row: &[f32], to: &mut [f32], columns: &FloatAxis<'_>) {
    match P::CHANNELS {
        1 => across_channels::<1>(row, to, columns),
        2 => across_channels::<2>(row, to, columns),
        3 => across_channels::<3>(row, to, columns),
        _ => across_channels::<4>(row, to, columns),
    }
}

#[inline(always)]
fn across_channels<const C: usize>(row: &[f32], to: &mut [f32], columns: &FloatAxis<'_>) {
    let pixels = row.as_chunks::<C>().0;
    let taps = columns.axis.taps;
    let weights = columns.weights.chunks_exact(taps);
    for ((to, weights), &start) in to.as_chunks_mut::<C>().0.iter_mut().zip(weights).zip(&columns.axis.starts) {
        let mut sums = [0.0f32; C];
        for (p, &w) in pixels[start as usize..start as usize + taps].iter().zip(weights) {
            for (sum, &v) in sums.iter_mut().zip(p) {
                *sum += v * w;
            }
        }
        *to = sums;
    }
}
