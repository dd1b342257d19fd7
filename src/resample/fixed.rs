//! The two passes for 8-bit samples without alpha, in whole numbers: the same result on every processor.
//!
//! Written over any sample type because the caller is; only ever run on `u8`.
//!
//! Weights have 14 fraction bits or more; between the passes a row of `i16` keeps 6 fraction bits, so that overshoot and
//! rounding survive to the end.

use super::axis::{Axis, FixedWeights};
use super::columns::WordColumns;
use super::group::{Group, Kept, reach};
use super::rows::{SourceRows, fill_beside};
use crate::frame::ViewMut;
use crate::pixel::{Gray, Sample, samples_of_mut};
use crate::simd::mix::TOGETHER;
use crate::simd::{Level, SLACK, Work};

/// Fraction bits of the row between the passes.
pub(super) const KEPT: u32 = 6;

/// One axis with its fixed-point weights.
pub(super) struct FixedAxis<'a> {
    pub(super) axis: &'a Axis,
    pub(super) fixed: &'a FixedWeights,
}

/// What a band of output rows is made with.
pub(super) struct Band<'a> {
    pub(super) columns: FixedAxis<'a>,
    pub(super) rows: FixedAxis<'a>,
    /// Numbers of a pixel.
    pub(super) channels: usize,
    pub(super) vertical_first: bool,
    pub(super) level: Level,
}

impl Band<'_> {
    /// Output rows `first..` of the whole target, as many as the view has.
    pub(super) fn run<S: Sample>(&self, source: SourceRows<'_, Gray<S>>, target: ViewMut<'_, Gray<S>>, first: u32) {
        let columns = WordColumns::new(self.level, self.columns.axis, self.columns.fixed, self.channels);
        match self.vertical_first {
            true => self.vertical_first(source, target, first, columns),
            false => self.horizontal_first(source, target, first, columns),
        }
    }

    /// Vertical pass first, for shrinking: the rows that an output row needs become one.
    fn vertical_first<S: Sample>(
        &self,
        source: SourceRows<'_, Gray<S>>,
        target: ViewMut<'_, Gray<S>>,
        first: u32,
        mut columns: WordColumns<'_>,
    ) {
        let (axis, level, bits) = (self.rows.axis, self.level, self.rows.fixed.bits);
        let inner = self.inner(source.width() as usize);
        let mut middle = [(); TOGETHER].map(|()| self.padded());
        let mut words = [(); TOGETHER].map(|()| vec![0i16; target.width() as usize]);
        let constant: Vec<i16> = self.constant(source).map(|v| v << KEPT).collect();
        let mut y = first as usize;
        for mut strip in target.strips(TOGETHER as u32) {
            let count = strip.height() as usize;
            let (positions, weights) = Group::of(axis, &self.rows.fixed.weights, y..y + count).by_pairs();
            let picked: Vec<[&[u8]; 2]> =
                positions.iter().map(|pair| pair.map(|row| bytes_of(source.at(axis, row)))).collect();
            let mut outs = middle.each_mut().map(|row| &mut row[inner.clone()]);
            level.mix_bytes(&picked, &weights, bits - KEPT, &mut outs[..count]);
            for row in &mut middle[..count] {
                fill_beside(row, self.columns.axis, self.channels, &constant);
            }
            let rows = middle.each_ref().map(Vec::as_slice);
            let mut outs = words.each_mut().map(Vec::as_mut_slice);
            columns.run(level, &rows[..count], self.columns.fixed.bits + KEPT, &mut outs[..count]);
            for (row, words) in strip.rows_mut().zip(&words) {
                if let Some(to) = u8::pick_mut(S::lend(samples_of_mut(row))) {
                    level.work(ToBytes { from: words, to });
                }
            }
            y += count;
        }
    }

    /// Horizontal pass first, for enlarging: each source row is resized once and kept while it is needed.
    fn horizontal_first<S: Sample>(
        &self,
        source: SourceRows<'_, Gray<S>>,
        target: ViewMut<'_, Gray<S>>,
        first: u32,
        mut columns: WordColumns<'_>,
    ) {
        let (axis, level) = (self.rows.axis, self.level);
        let inner = self.inner(source.width() as usize);
        let mut padded = [(); TOGETHER].map(|()| self.padded());
        let mut made = [(); TOGETHER].map(|()| vec![0i16; target.width() as usize]);
        let constant: Vec<i16> = self.constant(source).collect();
        let mut kept = Kept::new();
        let last = reach(axis, first as usize..first as usize + target.height() as usize).end;
        let mut y = first as usize;
        for mut strip in target.strips(TOGETHER as u32) {
            let count = strip.height() as usize;
            let group = Group::of(axis, &self.rows.fixed.weights, y..y + count);
            for positions in kept.missing(&group.positions, columns.together(), last) {
                for (row, &position) in padded.iter_mut().zip(&positions) {
                    let from = bytes_of(source.at(axis, position));
                    level.work(ToWords { from, to: &mut row[inner.clone()] });
                    fill_beside(row, self.columns.axis, self.channels, &constant);
                }
                let rows = padded.each_ref().map(Vec::as_slice);
                let mut outs = made.each_mut().map(Vec::as_mut_slice);
                let count = positions.len();
                columns.run(level, &rows[..count], self.columns.fixed.bits - KEPT, &mut outs[..count]);
                for (row, &position) in made.iter_mut().zip(&positions) {
                    kept.swap_in(position, &group.positions, row);
                }
            }
            let (positions, weights) = group.by_pairs();
            let picked: Vec<[&[i16]; 2]> = positions.iter().map(|pair| pair.map(|row| kept.get(row))).collect();
            let bytes = strip.rows_mut().filter_map(|row| u8::pick_mut(S::lend(samples_of_mut(row))));
            let mut outs: Vec<&mut [u8]> = bytes.collect();
            level.mix_words(&picked, &weights, self.rows.fixed.bits + KEPT, &mut outs);
            y += count;
        }
    }

    /// A row of the source's width, with room for what an edge shows beside it.
    fn padded(&self) -> Vec<i16> {
        vec![0; self.columns.axis.length() as usize * self.channels + SLACK]
    }

    /// Where the source's numbers lie in such a row.
    fn inner(&self, width: usize) -> std::ops::Range<usize> {
        let before = self.columns.axis.before as usize * self.channels;
        before..before + width
    }

    /// The pixel that a constant edge shows.
    fn constant<'s, S: Sample>(&self, source: SourceRows<'s, Gray<S>>) -> impl Iterator<Item = i16> + use<'s, S> {
        bytes_of(source.constant).iter().take(self.channels).map(|&v| i16::from(v))
    }
}

struct ToBytes<'a> {
    from: &'a [i16],
    to: &'a mut [u8],
}

impl Work for ToBytes<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        self.to.iter_mut().zip(self.from).for_each(|(to, v)| *to = (*v).clamp(0, 255) as u8);
    }
}

struct ToWords<'a> {
    from: &'a [u8],
    to: &'a mut [i16],
}

impl Work for ToWords<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        self.to.iter_mut().zip(self.from).for_each(|(to, &v)| *to = i16::from(v));
    }
}

/// The bytes that samples are.
#[inline(always)]
fn bytes_of<S: Sample>(samples: &[S]) -> &[u8] {
    u8::pick(S::lend_ref(samples)).unwrap_or(&[])
}
