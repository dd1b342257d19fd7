//! The two passes for 8-bit samples without alpha, in whole numbers: the same result on every processor.
//!
//! Written over any sample type because the caller is; only ever run on `u8`.
//!
//! Weights have 14 fraction bits or more; between the passes a row of `i16` keeps 6 fraction bits, so that overshoot and
//! rounding survive to the end.

use super::axis::{Axis, FixedWeights};
use super::columns::WordColumns;
use super::group::{Group, Kept, reach, together};
use super::rows::{SourceRows, fill_beside, lent, lent_mut, parts_mut, zeroed_rows};
use crate::frame::{SampleViewMut, ViewMut};
use crate::pixel::{Gray, samples_of_mut};
use crate::simd::resample::SLACK;
use crate::simd::resample::mix::{TOGETHER, narrowed};
use crate::simd::{Level, Work};
use std::ops::Range;

/// Fraction bits of the row between the passes.
pub(super) const KEPT: u32 = 6;

/// One axis with its fixed-point weights.
#[derive(Clone, Copy)]
pub(super) struct FixedAxis<'a> {
    pub(super) axis: &'a Axis,
    pub(super) fixed: &'a FixedWeights,
}

/// What output rows are made with.
#[derive(Clone, Copy)]
pub(super) struct Recipe<'a> {
    pub(super) columns: FixedAxis<'a>,
    pub(super) rows: FixedAxis<'a>,
    /// Numbers of a pixel.
    pub(super) channels: usize,
    pub(super) vertical_first: bool,
    pub(super) level: Level,
}

/// A band of output rows in the making, from the first to the last.
pub(super) struct Passes<'a> {
    recipe: Recipe<'a>,
    columns: WordColumns<'a>,
    /// Rows of the source's width, with room for what an edge shows beside them, and where the source's numbers lie in one.
    padded: [Vec<i16>; TOGETHER],
    inner: Range<usize>,
    /// Rows of the target's width.
    made: [Vec<i16>; TOGETHER],
    /// The pixel that a constant edge shows.
    constant: Vec<i16>,
    /// Source rows that were resized and may be needed again.
    kept: Kept<i16>,
    /// Behind the last position that the band needs.
    end: u32,
    /// Output rows that are mixed in one go.
    together: usize,
}

impl<'a> Passes<'a> {
    /// For output rows `outputs` of the whole target.
    pub(super) fn new(recipe: Recipe<'a>, source: SourceRows<'_, Gray<u8>>, outputs: Range<usize>) -> Passes<'a> {
        Passes::of(recipe, source.width() as usize, source.constant, outputs)
    }

    /// The pass along rows alone, for rows of `width` numbers that were summed elsewhere ([`row`](Passes::row)).
    pub(super) fn along(recipe: Recipe<'a>, width: usize, constant: &[u8]) -> Passes<'a> {
        Passes::of(recipe, width, constant, 0..0)
    }

    fn of(recipe: Recipe<'a>, width: usize, constant: &[u8], outputs: Range<usize>) -> Passes<'a> {
        let Recipe { columns, rows, channels, level, .. } = recipe;
        let length = columns.axis.length() as usize * channels + SLACK;
        let before = columns.axis.before as usize * channels;
        let constant = constant.iter().take(channels).map(|&v| i16::from(v));
        Passes {
            recipe,
            columns: WordColumns::new(level, columns.axis, columns.fixed, channels),
            padded: zeroed_rows(length),
            inner: before..before + width,
            made: zeroed_rows(columns.axis.target as usize * channels),
            constant: constant.collect(),
            kept: Kept::new(),
            end: reach(rows.axis, outputs).end,
            together: together(rows.axis),
        }
    }

    /// Up to [`TOGETHER`] output rows, the first of which is row `first` of the whole target.
    pub(super) fn run(&mut self, source: SourceRows<'_, Gray<u8>>, strip: ViewMut<'_, Gray<u8>>, first: usize) {
        match self.recipe.vertical_first {
            true => self.vertical_first(source, strip, first),
            false => self.horizontal_first(source, strip, first),
        }
    }

    /// Vertical pass first, for shrinking: the rows that an output row needs become one.
    fn vertical_first(&mut self, source: SourceRows<'_, Gray<u8>>, mut strip: ViewMut<'_, Gray<u8>>, first: usize) {
        let Recipe { rows, level, .. } = self.recipe;
        let count = strip.height() as usize;
        let mut outs = parts_mut(&mut self.padded, self.inner.clone());
        for (part, outs) in outs[..count].chunks_mut(self.together).enumerate() {
            let from = first + part * self.together;
            let group = Group::of(rows.axis, &rows.fixed.weights, from..from + outs.len());
            let (positions, weights) = group.by_pairs();
            let row = |position: u32| source.at(rows.axis, position);
            let picked: Vec<[&[u8]; 2]> = positions.iter().map(|pair| pair.map(row)).collect();
            level.mix_bytes(&picked, &weights, rows.fixed.bits - KEPT, outs);
        }
        self.finish(strip.rows_mut().map(samples_of_mut));
    }

    /// One output row from the sums of its source rows.
    pub(super) fn row(&mut self, sums: &[i32], target: SampleViewMut<'_, u8>) {
        let shift = self.recipe.rows.fixed.bits - KEPT;
        let words = &mut self.padded[0][self.inner.clone()];
        words.iter_mut().zip(sums).for_each(|(to, sum)| *to = narrowed(*sum, shift));
        self.finish(target.into_rows());
    }

    /// The pass along the rows that the pass down has made, and bytes of what it gives.
    fn finish<'t>(&mut self, strip: impl ExactSizeIterator<Item = &'t mut [u8]>) {
        let Recipe { columns, channels, level, .. } = self.recipe;
        let count = strip.len();
        let constant: Vec<i16> = self.constant.iter().map(|v| v << KEPT).collect();
        for row in &mut self.padded[..count] {
            fill_beside(row, columns.axis, channels, &constant);
        }
        let rows = lent(&self.padded);
        let mut outs = lent_mut(&mut self.made);
        self.columns.run(level, &rows[..count], columns.fixed.bits + KEPT, &mut outs[..count]);
        for (to, from) in strip.zip(&self.made) {
            level.work(Narrowed { from, to });
        }
    }

    /// Horizontal pass first, for enlarging: each source row is resized once and kept while it is needed.
    fn horizontal_first(&mut self, source: SourceRows<'_, Gray<u8>>, mut strip: ViewMut<'_, Gray<u8>>, first: usize) {
        let Recipe { columns, rows, channels, level, .. } = self.recipe;
        let group = Group::of(rows.axis, &rows.fixed.weights, first..first + strip.height() as usize);
        for positions in self.kept.missing(&group.positions, self.columns.together(), self.end) {
            for (row, &position) in self.padded.iter_mut().zip(&positions) {
                let from = source.at(rows.axis, position);
                level.work(Widened { from, to: &mut row[self.inner.clone()] });
                fill_beside(row, columns.axis, channels, &self.constant);
            }
            let (count, rows) = (positions.len(), lent(&self.padded));
            let mut outs = lent_mut(&mut self.made);
            self.columns.run(level, &rows[..count], columns.fixed.bits - KEPT, &mut outs[..count]);
            for (row, &position) in self.made.iter_mut().zip(&positions) {
                let free = self.kept.take_out(&group.positions, row.len());
                self.kept.put_in(position, std::mem::replace(row, free));
            }
        }
        let (positions, weights) = group.by_pairs();
        let picked: Vec<[&[i16]; 2]> = positions.iter().map(|pair| pair.map(|row| self.kept.get(row))).collect();
        let bytes = strip.rows_mut().map(samples_of_mut);
        level.mix_words(&picked, &weights, rows.fixed.bits + KEPT, &mut bytes.collect::<Vec<&mut [u8]>>());
    }
}

struct Narrowed<'a> {
    from: &'a [i16],
    to: &'a mut [u8],
}

impl Work for Narrowed<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        self.to.iter_mut().zip(self.from).for_each(|(to, v)| *to = (*v).clamp(0, 255) as u8);
    }
}

struct Widened<'a> {
    from: &'a [u8],
    to: &'a mut [i16],
}

impl Work for Widened<'_> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        self.to.iter_mut().zip(self.from).for_each(|(to, &v)| *to = i16::from(v));
    }
}
