//! The two passes for 8-bit samples without alpha, in whole numbers: the same result on every processor.
//!
//! Written over any sample type because the caller is; only ever run on `u8`.
//!
//! Weights have 14 fraction bits or more; between the passes a row of `i16` keeps 6 fraction bits, so that overshoot and
//! rounding survive to the end.

use super::axis::{Axis, FixedWeights};
use super::rows::{SourceRows, fill_beside};
use crate::frame::{SamplesMut, SamplesRef, ViewMut};
use crate::pixel::{Pixel, Sample};
use crate::simd::Level;
use crate::simd::mix::{Columns, SLACK};

/// Fraction bits of the row between the passes.
pub(super) const KEPT: u32 = 6;

/// One axis with its fixed-point weights.
pub(super) struct FixedAxis<'a> {
    pub(super) axis: &'a Axis,
    pub(super) fixed: &'a FixedWeights,
}

impl FixedAxis<'_> {
    /// The positions that output `x` is made of, and their weights.
    fn taps_of(&self, x: usize) -> (std::ops::Range<u32>, &[i16]) {
        let used = self.axis.used(x);
        let start = self.axis.starts[x];
        (start + used.start as u32..start + used.end as u32, &self.fixed.weights.of(x)[used])
    }

    fn columns(&self) -> Columns<'_> {
        let (weights, stride) = self.fixed.weights.all();
        Columns { starts: &self.axis.starts, weights, stride, taps: self.axis.taps }
    }
}

/// What a band of output rows is made with.
pub(super) struct Band<'a> {
    pub(super) columns: FixedAxis<'a>,
    pub(super) rows: FixedAxis<'a>,
    pub(super) level: Level,
}

impl Band<'_> {
    /// Output rows `first..` of the whole target, as many as the view has; vertical pass first (for shrinking).
    pub(super) fn vertical_first<P: Pixel<Number: Sample>>(
        &self,
        source: SourceRows<'_, P>,
        target: &mut ViewMut<'_, P>,
        first: u32,
    ) {
        let Band { columns, rows, level } = self;
        let (at, width) = (columns.axis.before as usize * P::CHANNELS, source.width() as usize * P::CHANNELS);
        let mut middle = vec![0i16; columns.axis.length() as usize * P::CHANNELS + SLACK];
        let mut words = vec![0i16; target.width() as usize * P::CHANNELS];
        let constant: Vec<i16> =
            bytes_of(source.constant).iter().take(P::CHANNELS).map(|&v| i16::from(v) << KEPT).collect();
        let mut picked = Vec::with_capacity(rows.axis.taps);
        for y in 0..target.height() {
            let (taps, weights) = rows.taps_of((first + y) as usize);
            picked.clear();
            picked.extend(taps.map(|row| bytes_of(source.at(rows.axis, row))));
            level.mix_bytes(&picked, weights, rows.fixed.bits - KEPT, &mut middle[at..at + width]);
            fill_beside(&mut middle, columns.axis, P::CHANNELS, &constant);
            self.across::<P>(&middle, columns.fixed.bits + KEPT, &mut words);
            if let SamplesMut::U8(out) = P::Number::lend(target.row_numbers_mut(y)) {
                level.row(&words, out, |from, to| {
                    to.iter_mut().zip(from).for_each(|(to, v)| *to = (*v).clamp(0, 255) as u8);
                });
            }
        }
    }

    /// The same rows, horizontal pass first (for enlarging): each source row is resized once and kept while it is needed.
    pub(super) fn horizontal_first<P: Pixel<Number: Sample>>(
        &self,
        source: SourceRows<'_, P>,
        target: &mut ViewMut<'_, P>,
        first: u32,
    ) {
        let Band { columns, rows, level } = self;
        let (at, width) = (columns.axis.before as usize * P::CHANNELS, source.width() as usize * P::CHANNELS);
        let numbers = target.width() as usize * P::CHANNELS;
        let mut ring: Vec<Vec<i16>> = vec![vec![0i16; numbers]; rows.axis.taps];
        let mut held: Vec<Option<u32>> = vec![None; rows.axis.taps];
        let mut widened = vec![0i16; columns.axis.length() as usize * P::CHANNELS + SLACK];
        let constant: Vec<i16> = bytes_of(source.constant).iter().take(P::CHANNELS).map(|&v| i16::from(v)).collect();
        for y in 0..target.height() {
            let (taps, weights) = rows.taps_of((first + y) as usize);
            for row in taps.clone() {
                let slot = row as usize % ring.len();
                if held[slot] == Some(row) {
                    continue;
                }
                level.row(bytes_of(source.at(rows.axis, row)), &mut widened[at..at + width], |from, to| {
                    to.iter_mut().zip(from).for_each(|(to, &v)| *to = i16::from(v));
                });
                fill_beside(&mut widened, columns.axis, P::CHANNELS, &constant);
                self.across::<P>(&widened, columns.fixed.bits - KEPT, &mut ring[slot]);
                held[slot] = Some(row);
            }
            let picked: Vec<&[i16]> = taps.map(|row| ring[row as usize % ring.len()].as_slice()).collect();
            if let SamplesMut::U8(out) = P::Number::lend(target.row_numbers_mut(y)) {
                level.mix_words(&picked, weights, rows.fixed.bits + KEPT, out);
            }
        }
    }

    fn across<P: Pixel>(&self, row: &[i16], shift: u32, out: &mut [i16]) {
        let (columns, level) = (self.columns.columns(), self.level);
        match P::CHANNELS {
            1 => level.across::<1>(row, columns, shift, out),
            2 => level.across::<2>(row, columns, shift, out),
            3 => level.across::<3>(row, columns, shift, out),
            _ => level.across::<4>(row, columns, shift, out),
        }
    }
}

/// The bytes that samples are.
#[inline(always)]
fn bytes_of<S: Sample>(samples: &[S]) -> &[u8] {
    match S::lend_ref(samples) {
        SamplesRef::U8(bytes) => bytes,
        _ => &[],
    }
}
