//! The two passes in `f32`: 16-bit and float samples, everything with alpha, and linear light.
//!
//! The order of the sums is fixed, so that neither the number of threads nor the instruction set shows. Colours of pixels
//! with alpha are weighted by it on the way in and divided by the resulting alpha on the way out.

use super::axis::{Axis, Weights};
use super::columns::FloatColumns;
use super::group::{Group, Kept, reach, together};
use super::light::Curve;
use super::rows::{AnyRows, fill_beside, lent, lent_mut, parts_mut, zeroed_rows};
use super::samples::{load, store};
use crate::frame::AnySamplesMut;
use crate::pixel::{Channels, Sample, SamplesRef};
use crate::simd::Level;
use crate::simd::resample::SLACK;
use crate::simd::resample::mix::TOGETHER;
use crate::simd::resample::mix_floats::{Alpha, FloatRows};
use std::ops::Range;

/// One axis with its `f32` weights.
#[derive(Clone, Copy)]
pub(super) struct FloatAxis<'a> {
    pub(super) axis: &'a Axis,
    pub(super) weights: &'a Weights<f32>,
}

/// What output rows are made with.
#[derive(Clone, Copy)]
pub(super) struct Recipe<'a> {
    pub(super) columns: FloatAxis<'a>,
    pub(super) rows: FloatAxis<'a>,
    pub(super) channels: Channels,
    pub(super) vertical_first: bool,
    /// The curve to linear light and back, where that is mixed.
    pub(super) curve: Option<&'a Curve>,
    pub(super) level: Level,
}

impl Recipe<'_> {
    fn load(&self, from: SamplesRef<'_>, to: &mut [f32]) {
        load(self.level, from, to, self.channels, self.curve);
    }

    /// Rows of the source mixed as they lie there.
    fn mix_samples(&self, rows: &[SamplesRef<'_>], weights: &[[f32; TOGETHER]], outs: &mut [&mut [f32]]) {
        let alpha = |full: f32| match self.channels.alpha {
            true => Alpha { channels: self.channels.count, unit: 1.0 / full },
            false => Alpha::NONE,
        };
        match rows.first() {
            Some(SamplesRef::U8(_)) => {
                self.level.mix_floats(FloatRows::U8(&all_of(rows), alpha(255.0)), weights, outs);
            }
            Some(SamplesRef::U16(_)) => {
                self.level.mix_floats(FloatRows::U16(&all_of(rows), alpha(65_535.0)), weights, outs);
            }
            _ => self.level.mix_floats(FloatRows::F32(&all_of(rows), alpha(1.0)), weights, outs),
        }
    }
}

/// A band of output rows in the making, from the first to the last.
pub(super) struct Passes<'a> {
    recipe: Recipe<'a>,
    columns: FloatColumns<'a>,
    /// Rows of the source's width, with room for what an edge shows beside them, and where the source's numbers lie in one.
    padded: [Vec<f32>; TOGETHER],
    inner: Range<usize>,
    /// Rows of the target's width.
    made: [Vec<f32>; TOGETHER],
    /// The pixel that a constant edge shows.
    constant: Vec<f32>,
    /// Source rows that may be needed again: resized, or as light.
    kept: Kept<f32>,
    /// Behind the last position that the band needs.
    end: u32,
    /// Output rows that are mixed in one go.
    together: usize,
}

impl<'a> Passes<'a> {
    /// For output rows `outputs` of the whole target.
    pub(super) fn new(recipe: Recipe<'a>, source: AnyRows<'_>, outputs: Range<usize>) -> Passes<'a> {
        Passes::of(recipe, source.length(), source.constant, outputs)
    }

    /// The pass along rows alone, for rows of `width` numbers that were summed elsewhere ([`row`](Passes::row)).
    pub(super) fn along(recipe: Recipe<'a>, width: usize, constant: SamplesRef<'_>) -> Passes<'a> {
        Passes::of(recipe, width, constant, 0..0)
    }

    fn of(recipe: Recipe<'a>, width: usize, shown: SamplesRef<'_>, outputs: Range<usize>) -> Passes<'a> {
        let Recipe { columns, rows, channels: Channels { count, .. }, level, .. } = recipe;
        let length = columns.axis.length() as usize * count + SLACK;
        let before = columns.axis.before as usize * count;
        let mut constant = vec![0.0f32; shown.len().min(count)];
        recipe.load(shown, &mut constant);
        Passes {
            recipe,
            columns: FloatColumns::new(level, columns.axis, columns.weights, count),
            padded: zeroed_rows(length),
            inner: before..before + width,
            made: zeroed_rows(columns.axis.target as usize * count),
            constant,
            kept: Kept::new(),
            end: reach(rows.axis, outputs).end,
            together: together(rows.axis),
        }
    }

    /// Up to [`TOGETHER`] output rows, the first of which is row `first` of the whole target.
    pub(super) fn run(&mut self, source: AnyRows<'_>, mut strip: AnySamplesMut<'_>, first: usize) {
        let Recipe { rows, channels, curve, level, vertical_first, .. } = self.recipe;
        let count = strip.size().height as usize;
        match vertical_first {
            true => self.vertical_first(source, first, count),
            false => {
                let group = Group::of(rows.axis, rows.weights, first..first + count);
                self.horizontal_first(source, &group, count);
            }
        }
        for (y, from) in (0u32..).zip(&self.made).take(count) {
            store(level, from, strip.row_mut(y), channels, curve);
        }
    }

    /// Vertical pass first, for shrinking. Rows are mixed as they lie in the source; light is made of them first.
    fn vertical_first(&mut self, source: AnyRows<'_>, first: usize, count: usize) {
        let Recipe { rows, curve, level, .. } = self.recipe;
        let mut outs = parts_mut(&mut self.padded, self.inner.clone());
        for (part, outs) in outs[..count].chunks_mut(self.together).enumerate() {
            let from = first + part * self.together;
            let group = Group::of(rows.axis, rows.weights, from..from + outs.len());
            if curve.is_none() {
                let picked: Vec<SamplesRef<'_>> =
                    group.positions.iter().map(|&row| source.at(rows.axis, row)).collect();
                self.recipe.mix_samples(&picked, &group.weights, outs);
                continue;
            }
            for position in self.kept.missing(&group.positions, 1, 0).concat() {
                let mut light = self.kept.take_out(&group.positions, self.inner.len());
                self.recipe.load(source.at(rows.axis, position), &mut light);
                self.kept.put_in(position, light);
            }
            let picked: Vec<&[f32]> = group.positions.iter().map(|&position| self.kept.get(position)).collect();
            level.mix_floats(FloatRows::F32(&picked, Alpha::NONE), &group.weights, outs);
        }
        self.across(count);
    }

    /// One output row from the sums of its source rows.
    pub(super) fn row(&mut self, sums: &[f32], mut target: AnySamplesMut<'_>) {
        let Recipe { channels, curve, level, .. } = self.recipe;
        self.padded[0][self.inner.clone()].copy_from_slice(sums);
        self.across(1);
        store(level, &self.made[0], target.row_mut(0), channels, curve);
    }

    /// The pass along the rows that the pass down has made.
    fn across(&mut self, count: usize) {
        let Recipe { columns, channels, level, .. } = self.recipe;
        for row in &mut self.padded[..count] {
            fill_beside(row, columns.axis, channels.count, &self.constant);
        }
        let rows = lent(&self.padded);
        let mut outs = lent_mut(&mut self.made);
        self.columns.run(level, &rows[..count], &mut outs[..count]);
    }

    /// Horizontal pass first, for enlarging: each source row is resized once and kept while it is needed.
    fn horizontal_first(&mut self, source: AnyRows<'_>, group: &Group<f32>, count: usize) {
        let Recipe { columns, rows, channels, level, .. } = self.recipe;
        for positions in self.kept.missing(&group.positions, self.columns.together(), self.end) {
            for (row, &position) in self.padded.iter_mut().zip(&positions) {
                self.recipe.load(source.at(rows.axis, position), &mut row[self.inner.clone()]);
                fill_beside(row, columns.axis, channels.count, &self.constant);
            }
            let (count, rows) = (positions.len(), lent(&self.padded));
            let mut outs = lent_mut(&mut self.made);
            self.columns.run(level, &rows[..count], &mut outs[..count]);
            for (row, &position) in self.made.iter_mut().zip(&positions) {
                let free = self.kept.take_out(&group.positions, row.len());
                self.kept.put_in(position, std::mem::replace(row, free));
            }
        }
        let picked: Vec<&[f32]> = group.positions.iter().map(|&position| self.kept.get(position)).collect();
        let mut outs = lent_mut(&mut self.made);
        level.mix_floats(FloatRows::F32(&picked, Alpha::NONE), &group.weights, &mut outs[..count]);
    }
}

/// Rows as the type that they have.
fn all_of<'a, S: Sample>(rows: &[SamplesRef<'a>]) -> Vec<&'a [S]> {
    let mut out = Vec::with_capacity(rows.len());
    rows.iter().for_each(|row| out.extend(S::pick(*row)));
    out
}
