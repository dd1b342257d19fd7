//! The pass along rows: up to four rows at a time, outputs close together or far apart.

use super::axis::{Axis, FixedWeights, Weights};
use crate::simd::resample::across::{AcrossFloats, AcrossWords, Finite, ROWS, one_row};
use crate::simd::resample::few::FewTaps;
use crate::simd::resample::spread::{SpreadFloats, SpreadWords, Taps};
use crate::simd::resample::{SLACK, mix};
use crate::simd::{Level, Work};

fn taps_of<'a, W>(axis: &'a Axis, weights: &'a Weights<W>, channels: usize) -> Taps<'a, W> {
    let (weights, stride) = weights.all();
    Taps { starts: &axis.starts, weights, stride, taps: axis.taps, channels }
}

/// `ROWS` rows, the first one instead of those that are missing.
fn filled<'a, T>(rows: &[&'a [T]]) -> [&'a [T]; ROWS] {
    let row = |i: usize| rows.get(i).or(rows.first()).copied().unwrap_or(&[]);
    [row(0), row(1), row(2), row(3)]
}

/// The pass for whole numbers.
#[derive(Debug)]
pub(super) enum WordColumns<'a> {
    Close { spread: SpreadWords<'a>, channels: usize, pairs: Vec<i32> },
    Few(FewTaps<'a>),
    Apart(AcrossWords),
}

impl<'a> WordColumns<'a> {
    pub(super) fn new(level: Level, axis: &'a Axis, fixed: &'a FixedWeights, channels: usize) -> WordColumns<'a> {
        let taps = taps_of(axis, &fixed.weights, channels);
        if let Some(spread) = SpreadWords::new(level, taps) {
            let pairs = vec![0; axis.length() as usize * channels + SLACK - channels];
            return WordColumns::Close { spread, channels, pairs };
        }
        match FewTaps::new(level, taps) {
            Some(few) => WordColumns::Few(few),
            None => WordColumns::Apart(AcrossWords::new(level, taps)),
        }
    }

    /// Rows that are best given at once.
    pub(super) fn together(&self) -> usize {
        match self {
            WordColumns::Close { .. } | WordColumns::Few(_) => 1,
            WordColumns::Apart(_) => ROWS,
        }
    }

    /// Outputs of up to [`ROWS`] rows, over 2^shift. Rows have [`SLACK`] numbers more than the axis is long.
    pub(super) fn run(&mut self, level: Level, rows: &[&[i16]], shift: u32, outs: &mut [&mut [i16]]) {
        match self {
            WordColumns::Close { spread, channels, pairs } => {
                for (row, out) in rows.iter().zip(outs) {
                    level.work(Paired { row, next: &row[*channels..], to: pairs });
                    spread.run(pairs, shift, out);
                }
            }
            WordColumns::Few(few) => rows.iter().zip(outs).for_each(|(row, out)| few.run(row, shift, out)),
            WordColumns::Apart(across) => across.run(filled(rows), shift, outs),
        }
    }
}

/// Numbers and those of the next pixel.
struct Paired<'a> {
    row: &'a [i16],
    next: &'a [i16],
    to: &'a mut [i32],
}

impl Work for Paired<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        for (to, (&a, &b)) in self.to.iter_mut().zip(self.row.iter().zip(self.next)) {
            *to = mix::both(a, b);
        }
    }
}

/// The pass for floats.
#[derive(Debug)]
pub(super) enum FloatColumns<'a> {
    Close { spread: SpreadFloats<'a>, taps: Taps<'a, f32> },
    Apart(AcrossFloats<'a>),
}

impl<'a> FloatColumns<'a> {
    pub(super) fn new(level: Level, axis: &'a Axis, weights: &'a Weights<f32>, channels: usize) -> FloatColumns<'a> {
        let taps = taps_of(axis, weights, channels);
        match SpreadFloats::new(level, taps) {
            Some(spread) => FloatColumns::Close { spread, taps },
            None => FloatColumns::Apart(AcrossFloats::new(level, taps)),
        }
    }

    /// Rows that are best given at once.
    pub(super) fn together(&self) -> usize {
        match self {
            FloatColumns::Close { .. } => 1,
            FloatColumns::Apart(_) => ROWS,
        }
    }

    /// Outputs of up to [`ROWS`] rows. Rows have [`SLACK`] numbers more than the axis is long. A tap counts only where its
    /// weight is not zero, also beside numbers that are not finite.
    pub(super) fn run(&mut self, level: Level, rows: &[&[f32]], outs: &mut [&mut [f32]]) {
        match self {
            FloatColumns::Close { spread, taps } => {
                for (row, out) in rows.iter().zip(outs) {
                    match level.work(Finite(row)) {
                        true => spread.run(row, out),
                        false => one_row(taps, row, out),
                    }
                }
            }
            FloatColumns::Apart(across) => across.run(filled(rows), outs),
        }
    }
}
