//! The two passes for 8-bit samples without alpha, in whole numbers: the same result on every processor.
//!
//! Written over any sample type because the caller is; only ever run on `u8`, for which the conversions are nothing.
//!
//! Weights have 14 to 16 fraction bits; between the passes a row of `i16` keeps 6 fraction bits, so that overshoot and
//! rounding survive to the end.

use super::axis::{Axis, FixedWeights};
use super::rows::SourceRows;
use crate::frame::ViewMut;
use crate::pixel::{Pixel, Sample};
use crate::simd::Level;

/// Fraction bits of the row between the passes.
const KEPT: u32 = 6;

/// One axis with its fixed-point weights.
pub(super) struct FixedAxis<'a> {
    pub(super) axis: &'a Axis,
    pub(super) fixed: &'a FixedWeights,
}

impl FixedAxis<'_> {
    fn weights_of(&self, x: usize) -> &[i16] {
        &self.fixed.weights[x * self.axis.taps..][..self.axis.taps]
    }
}

/// Output rows `first..` of the whole target, as many as the view has; vertical pass first (for shrinking).
pub(super) fn vertical_first<P: Pixel<Number: Sample>>(
    source: SourceRows<'_, P>,
    target: &mut ViewMut<'_, P>,
    first: u32,
    columns: &FixedAxis<'_>,
    rows: &FixedAxis<'_>,
    level: Level,
) {
    let numbers = source.width() as usize * P::CHANNELS;
    let (mut sums, mut middle) = (vec![0i32; numbers], vec![0i16; numbers]);
    for y in 0..target.height() {
        let out = (first + y) as usize;
        let start = rows.axis.starts[out];
        let weights = rows.weights_of(out);
        level.run(|| {
            sums.fill(1 << (rows.fixed.bits - KEPT - 1));
            for (i, &w) in (0u32..).zip(weights) {
                add_row(&mut sums, source.row_numbers(start + i), w);
            }
            narrow_middle(&sums, &mut middle, rows.fixed.bits - KEPT);
            across::<P, P::Number>(&middle, target.row_numbers_mut(y), columns, |sum| {
                P::Number::from_u8(to_byte(sum, columns.fixed.bits + KEPT))
            });
        });
    }
}

/// The same rows, horizontal pass first (for enlarging): each source row is resized once and kept while it is needed.
pub(super) fn horizontal_first<P: Pixel<Number: Sample>>(
    source: SourceRows<'_, P>,
    target: &mut ViewMut<'_, P>,
    first: u32,
    columns: &FixedAxis<'_>,
    rows: &FixedAxis<'_>,
    level: Level,
) {
    let numbers = target.width() as usize * P::CHANNELS;
    let mut ring: Vec<Vec<i16>> = vec![vec![0i16; numbers]; rows.axis.taps];
    let mut held: Vec<Option<u32>> = vec![None; rows.axis.taps];
    let mut widened = vec![0i16; source.width() as usize * P::CHANNELS];
    let mut sums = vec![0i32; numbers];
    for y in 0..target.height() {
        let out = (first + y) as usize;
        let start = rows.axis.starts[out];
        for row in start..start + rows.axis.taps as u32 {
            let slot = row as usize % ring.len();
            if held[slot] != Some(row) {
                level.run(|| {
                    for (to, &from) in widened.iter_mut().zip(source.row_numbers(row)) {
                        *to = i16::from(from.to_depth::<u8>());
                    }
                    let (bits, half) = (columns.fixed.bits - KEPT, 1 << (columns.fixed.bits - KEPT - 1));
                    across::<P, i16>(&widened, &mut ring[slot], columns, |sum| clamp_i16((sum + half) >> bits));
                });
                held[slot] = Some(row);
            }
        }
        let shift = rows.fixed.bits + KEPT;
        level.run(|| {
            sums.fill(0);
            for (i, &w) in (0u32..).zip(rows.weights_of(out)) {
                add_wide_row(&mut sums, &ring[(start + i) as usize % ring.len()], w);
            }
            for (to, &sum) in target.row_numbers_mut(y).iter_mut().zip(&sums) {
                *to = P::Number::from_u8(to_byte(sum, shift));
            }
        });
    }
}

#[inline(always)]
fn add_row<S: Sample>(sums: &mut [i32], row: &[S], weight: i16) {
    let weight = i32::from(weight);
    for (sum, &v) in sums.iter_mut().zip(row) {
        *sum += i32::from(v.to_depth::<u8>()) * weight;
    }
}

#[inline(always)]
fn add_wide_row(sums: &mut [i32], row: &[i16], weight: i16) {
    let weight = i32::from(weight);
    for (sum, &v) in sums.iter_mut().zip(row) {
        *sum += i32::from(v) * weight;
    }
}

#[inline(always)]
fn narrow_middle(sums: &[i32], middle: &mut [i16], shift: u32) {
    for (to, &sum) in middle.iter_mut().zip(sums) {
        *to = clamp_i16(sum >> shift);
    }
}

#[inline(always)]
fn clamp_i16(v: i32) -> i16 {
    v.clamp(i32::from(i16::MIN), i32::from(i16::MAX)) as i16
}

#[inline(always)]
fn to_byte(sum: i32, shift: u32) -> u8 {
    ((sum + (1 << (shift - 1))) >> shift).clamp(0, 255) as u8
}

/// The horizontal pass over one row of `i16`.
#[inline(always)]
fn across<P: Pixel, T: Copy>(row: &[i16], to: &mut [T], columns: &FixedAxis<'_>, finish: impl Fn(i32) -> T) {
    match P::CHANNELS {
        1 => across_channels::<1, T>(row, to, columns, finish),
        2 => across_channels::<2, T>(row, to, columns, finish),
        3 => across_channels::<3, T>(row, to, columns, finish),
        _ => across_channels::<4, T>(row, to, columns, finish),
    }
}

#[inline(always)]
fn across_channels<const C: usize, T: Copy>(
    row: &[i16],
    to: &mut [T],
    columns: &FixedAxis<'_>,
    finish: impl Fn(i32) -> T,
) {
    let pixels = row.as_chunks::<C>().0;
    let taps = columns.axis.taps;
    let weights = columns.fixed.weights.chunks_exact(taps);
    for ((to, weights), &start) in to.as_chunks_mut::<C>().0.iter_mut().zip(weights).zip(&columns.axis.starts) {
        let mut sums = [0i32; C];
        for (p, &w) in pixels[start as usize..start as usize + taps].iter().zip(weights) {
            for (sum, &v) in sums.iter_mut().zip(p) {
                *sum += i32::from(v) * i32::from(w);
            }
        }
        *to = sums.map(&finish);
    }
}
