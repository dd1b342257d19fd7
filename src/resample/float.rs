//! The two passes in `f32`: 16-bit and float samples, everything with alpha, and linear light.
//!
//! The order of the sums is fixed, so that neither the number of threads nor the instruction set shows. Colours of pixels
//! with alpha are weighted by it on the way in and divided by the resulting alpha on the way out.

use super::axis::{Axis, GROUP, Weights};
use super::light::Curve;
use super::rows::{SourceRows, fill_beside};
use super::samples::{Load, Store};
use crate::frame::{SamplesRef, ViewMut};
use crate::pixel::{Pixel, Sample};
use crate::simd::{Level, Work};

/// One axis with its `f32` weights.
pub(super) struct FloatAxis<'a> {
    pub(super) axis: &'a Axis,
    pub(super) weights: &'a Weights<f32>,
}

/// What a band of output rows is made with.
pub(super) struct Band<'a> {
    pub(super) columns: FloatAxis<'a>,
    pub(super) rows: FloatAxis<'a>,
    pub(super) vertical_first: bool,
    /// The curve to linear light and back, where that is mixed.
    pub(super) curve: Option<&'a Curve>,
    pub(super) level: Level,
}

impl Band<'_> {
    /// Output rows `first..` of the whole target, as many as the view has.
    pub(super) fn run<P: Pixel<Number: Sample>>(
        &self,
        source: SourceRows<'_, P>,
        target: &mut ViewMut<'_, P>,
        first: u32,
    ) {
        let Band { columns, rows, vertical_first, curve, level } = self;
        let channels = P::CHANNELS;
        let (wide, narrow) = (source.width() as usize * channels, target.width() as usize * channels);
        let (at, length) = (columns.axis.before as usize * channels, columns.axis.length() as usize * channels);
        let mut constant = vec![0.0f32; source.constant.len().min(channels)];
        Load::<P>(&source.constant[..constant.len()], &mut constant, *curve).work();
        // Floats that stay as they are need not be kept: the rows are looked at where they lie.
        let plain =
            *vertical_first && curve.is_none() && !P::ALPHA && matches!(P::Number::lend_ref(&[]), SamplesRef::F32(_));
        let kept = if *vertical_first { wide } else { narrow };
        let held_rows = if plain { 0 } else { rows.axis.taps };
        let mut ring: Vec<Vec<f32>> = vec![vec![0.0; kept]; held_rows];
        let mut held: Vec<Option<u32>> = vec![None; held_rows];
        let mut padded = vec![0.0f32; length + GROUP * 4];
        let mut done = vec![0.0f32; narrow];
        for y in 0..target.height() {
            let out = (first + y) as usize;
            let (start, used) = (rows.axis.starts[out], rows.axis.used(out));
            let weights = &rows.weights.of(out)[used.clone()];
            let taps = start + used.start as u32..start + used.end as u32;
            for row in taps.clone().filter(|_| !plain) {
                let slot = row as usize % ring.len();
                if held[slot] == Some(row) {
                    continue;
                }
                held[slot] = Some(row);
                let numbers = source.at(rows.axis, row);
                if *vertical_first {
                    level.work(Load::<P>(numbers, &mut ring[slot], *curve));
                } else {
                    level.work(Load::<P>(numbers, &mut padded[at..at + wide], *curve));
                    fill_beside(&mut padded, columns.axis, channels, &constant);
                    self.across::<P>(&padded, &mut ring[slot]);
                }
            }
            let picked: Vec<&[f32]> = match plain {
                true => taps.map(|row| floats_of(source.at(rows.axis, row))).collect(),
                false => taps.map(|row| ring[row as usize % ring.len()].as_slice()).collect(),
            };
            match *vertical_first {
                true => {
                    level.work(Mix(&picked, weights, &mut padded[at..at + wide]));
                    fill_beside(&mut padded, columns.axis, channels, &constant);
                    self.across::<P>(&padded, &mut done);
                }
                false => level.work(Mix(&picked, weights, &mut done)),
            }
            level.work(Store::<P>(&mut done, target.row_numbers_mut(y), *curve));
        }
    }

    fn across<P: Pixel>(&self, row: &[f32], to: &mut [f32]) {
        // Weights behind the last tap are zero, but zero times infinity is not.
        let finite = self.level.work(Finite(row));
        let columns = &self.columns;
        match (finite, P::CHANNELS) {
            (true, 1) => self.level.work(AcrossOne { row, to, columns }),
            (true, 3) => self.level.work(AcrossThree { row, to, columns }),
            (true, 4) => self.level.work(AcrossFour { row, to, columns }),
            (_, channels) => across_each(row, to, columns, channels),
        }
    }
}

fn floats_of<S: Sample>(samples: &[S]) -> &[f32] {
    match S::lend_ref(samples) {
        SamplesRef::F32(floats) => floats,
        _ => &[],
    }
}

struct Finite<'a>(&'a [f32]);

impl Work for Finite<'_> {
    type Out = bool;
    #[inline(always)]
    fn work(self) -> bool {
        // All ones in the exponent: infinite, or not a number.
        let worst = self.0.iter().fold(0u32, |worst, v| worst.max(v.to_bits() & 0x7f80_0000));
        worst != 0x7f80_0000
    }
}

/// Numbers that are summed together, in registers.
const BLOCK: usize = 64;

/// Rows times their weights, summed in order.
struct Mix<'a>(&'a [&'a [f32]], &'a [f32], &'a mut [f32]);

impl Work for Mix<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let Mix(rows, weights, to) = self;
        let (blocks, rest) = to.as_chunks_mut::<BLOCK>();
        let done = blocks.len() * BLOCK;
        for (i, to) in blocks.iter_mut().enumerate() {
            let mut sums = [0.0f32; BLOCK];
            for (row, &w) in rows.iter().zip(weights) {
                let Some(part) = row.get(i * BLOCK..).and_then(|r| r.first_chunk::<BLOCK>()) else { continue };
                for (sum, v) in sums.iter_mut().zip(part) {
                    *sum += v * w;
                }
            }
            *to = sums;
        }
        for (i, to) in rest.iter_mut().enumerate() {
            *to = rows.iter().zip(weights).map(|(row, w)| row[done + i] * w).fold(0.0, |a, b| a + b);
        }
    }
}

/// One channel: eight sums of every eighth tap, added in pairs.
struct AcrossOne<'a> {
    row: &'a [f32],
    to: &'a mut [f32],
    columns: &'a FloatAxis<'a>,
}

impl Work for AcrossOne<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let (weights, stride) = self.columns.weights.all();
        for ((to, weights), &start) in
            self.to.iter_mut().zip(weights.chunks_exact(stride)).zip(&self.columns.axis.starts)
        {
            let mut sums = [0.0f32; 8];
            let values = &self.row[start as usize..][..stride];
            for (values, weights) in values.as_chunks::<8>().0.iter().zip(weights.as_chunks::<8>().0) {
                for (sum, (v, w)) in sums.iter_mut().zip(values.iter().zip(weights)) {
                    *sum += v * w;
                }
            }
            let [a, b, c, d, e, f, g, h] = sums;
            *to = ((a + e) + (c + g)) + ((b + f) + (d + h));
        }
    }
}

/// Four channels, two sums each: of even taps and of odd ones.
struct AcrossFour<'a> {
    row: &'a [f32],
    to: &'a mut [f32],
    columns: &'a FloatAxis<'a>,
}

impl Work for AcrossFour<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let (weights, stride) = self.columns.weights.all();
        let taps = self.columns.axis.taps.next_multiple_of(2);
        let outputs = self.to.as_chunks_mut::<4>().0.iter_mut();
        for ((to, weights), &start) in outputs.zip(weights.chunks_exact(stride)).zip(&self.columns.axis.starts) {
            let mut sums = [0.0f32; 8];
            let values = &self.row[start as usize * 4..][..taps * 4];
            for (values, weights) in values.as_chunks::<8>().0.iter().zip(weights.as_chunks::<2>().0) {
                let [a, b] = *weights;
                for (sum, (v, w)) in sums.iter_mut().zip(values.iter().zip([a, a, a, a, b, b, b, b])) {
                    *sum += v * w;
                }
            }
            let [a, b, c, d, e, f, g, h] = sums;
            *to = [a + e, b + f, c + g, d + h];
        }
    }
}

/// Three channels as if they were four, the last one that of the next pixel and not used.
struct AcrossThree<'a> {
    row: &'a [f32],
    to: &'a mut [f32],
    columns: &'a FloatAxis<'a>,
}

impl Work for AcrossThree<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let (weights, stride) = self.columns.weights.all();
        let taps = self.columns.axis.taps.next_multiple_of(2);
        let outputs = self.to.as_chunks_mut::<3>().0.iter_mut();
        for ((to, weights), &start) in outputs.zip(weights.chunks_exact(stride)).zip(&self.columns.axis.starts) {
            let mut sums = [[0.0f32; 4]; 2];
            let values = &self.row[start as usize * 3..][..taps * 3 + 1];
            for (i, weights) in weights.as_chunks::<2>().0[..taps / 2].iter().enumerate() {
                for (k, (sums, w)) in sums.iter_mut().zip(weights).enumerate() {
                    if let Some(values) = values.get(i * 6 + k * 3..).and_then(|v| v.first_chunk::<4>()) {
                        for (sum, v) in sums.iter_mut().zip(values) {
                            *sum += v * w;
                        }
                    }
                }
            }
            let [[a, b, c, _], [d, e, f, _]] = sums;
            *to = [a + d, b + e, c + f];
        }
    }
}

/// Any channels, tap by tap, and only those that count.
fn across_each(row: &[f32], to: &mut [f32], columns: &FloatAxis<'_>, channels: usize) {
    for (x, to) in to.chunks_exact_mut(channels).enumerate() {
        let start = columns.axis.starts[x] as usize;
        to.fill(0.0);
        for (tap, &w) in columns.weights.of(x).iter().enumerate().take(columns.axis.taps).filter(|(_, w)| **w != 0.0) {
            for (to, v) in to.iter_mut().zip(&row[(start + tap) * channels..]) {
                *to += v * w;
            }
        }
    }
}
