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
use crate::simd::across::{Columns, SLACK};

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

    /// The same rows, horizontal pass first (for enlarging): each source row is resized once and kept while it is needed,
    /// alone and beside the next one, as both are summed at once.
    pub(super) fn horizontal_first<P: Pixel<Number: Sample>>(
        &self,
        source: SourceRows<'_, P>,
        target: &mut ViewMut<'_, P>,
        first: u32,
    ) {
        let Band { columns, rows, level } = self;
        let mut across = Across {
            padded: vec![0; columns.axis.length() as usize * P::CHANNELS + SLACK],
            constant: bytes_of(source.constant).iter().take(P::CHANNELS).map(|&v| i16::from(v)).collect(),
        };
        let numbers = target.width() as usize * P::CHANNELS;
        let count = rows.axis.taps;
        let slot = |row: u32| row as usize % count;
        let (mut ring, mut held) = (vec![vec![0i16; numbers]; count], vec![None; count]);
        let (mut pairs, mut paired) = (vec![vec![0i16; numbers * 2]; count], vec![None; count]);
        let (mut picked, mut pair_weights) = (Vec::with_capacity(count), Vec::with_capacity(count));
        for y in 0..target.height() {
            let (taps, weights) = rows.taps_of((first + y) as usize);
            for row in taps.clone() {
                if held[slot(row)] != Some(row) {
                    self.resized::<P>(source.at(rows.axis, row), &mut across, &mut ring[slot(row)]);
                    held[slot(row)] = Some(row);
                }
            }
            // Taps two by two; the last of an odd number goes with the one before it, which counts for nothing there.
            picked.clear();
            pair_weights.clear();
            let mut row = taps.start;
            for weights in weights.chunks(2) {
                match *weights {
                    [v, w] => (picked.push(row), pair_weights.push([v, w])),
                    [w] if row > taps.start => (picked.push(row - 1), pair_weights.push([0, w])),
                    _ => break,
                };
                row += 2;
            }
            for &row in picked.iter().filter(|&&row| paired[slot(row)] != Some(row)).collect::<Vec<_>>() {
                let (above, below) = (&ring[slot(row)], &ring[slot(row + 1)]);
                level.run(|| {
                    for (to, (a, b)) in pairs[slot(row)].as_chunks_mut::<2>().0.iter_mut().zip(above.iter().zip(below))
                    {
                        *to = [*a, *b];
                    }
                });
                paired[slot(row)] = Some(row);
            }
            let SamplesMut::U8(out) = P::Number::lend(target.row_numbers_mut(y)) else { continue };
            let shift = rows.fixed.bits + KEPT;
            match picked.is_empty() {
                true => level.mix_words(&[&ring[slot(taps.start)]], weights, shift, out),
                false => {
                    let pairs: Vec<&[i16]> = picked.iter().map(|&row| pairs[slot(row)].as_slice()).collect();
                    level.mix_pairs(&pairs, &pair_weights, shift, out);
                }
            }
        }
    }

    /// A source row, resized.
    fn resized<P: Pixel<Number: Sample>>(&self, row: &[P::Number], across: &mut Across, out: &mut [i16]) {
        let columns = &self.columns;
        let at = columns.axis.before as usize * P::CHANNELS;
        self.level.row(bytes_of(row), &mut across.padded[at..at + row.len()], |from, to| {
            to.iter_mut().zip(from).for_each(|(to, &v)| *to = i16::from(v));
        });
        fill_beside(&mut across.padded, columns.axis, P::CHANNELS, &across.constant);
        self.across::<P>(&across.padded, columns.fixed.bits - KEPT, out);
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

/// A source row as words, with what an edge shows beside it.
struct Across {
    padded: Vec<i16>,
    /// The pixel that a constant edge shows.
    constant: Vec<i16>,
}

/// The bytes that samples are.
#[inline(always)]
fn bytes_of<S: Sample>(samples: &[S]) -> &[u8] {
    match S::lend_ref(samples) {
        SamplesRef::U8(bytes) => bytes,
        _ => &[],
    }
}
