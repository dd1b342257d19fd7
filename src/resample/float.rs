//! The two passes in `f32`: 16-bit and float samples, everything with alpha, and linear light.
//!
//! The order of the sums is fixed, so that neither the number of threads nor the instruction set shows. Colours of pixels
//! with alpha are weighted by it on the way in and divided by the resulting alpha on the way out.

use super::axis::{Axis, Weights};
use super::columns::FloatColumns;
use super::group::{Group, Kept, reach, together};
use super::light::Curve;
use super::rows::{SourceRows, fill_beside};
use super::samples::{Channels, Load, store};
use crate::frame::ViewMut;
use crate::pixel::{Depth, Gray, Sample, samples_of_mut};
use crate::simd::mix::TOGETHER;
use crate::simd::mix_floats::{Alpha, FloatRows};
use crate::simd::{Level, SLACK};
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
    fn load<S: Sample>(&self, from: &[S], to: &mut [f32]) {
        self.level.work(Load { from, to, channels: self.channels, curve: self.curve });
    }

    /// Rows of the source mixed as they lie there.
    fn mix_samples<S: Sample>(&self, rows: &[&[S]], weights: &[[f32; TOGETHER]], outs: &mut [&mut [f32]]) {
        let alpha = match self.channels.alpha {
            true => Alpha { channels: self.channels.count, unit: 1.0 / S::FULL.to_f64() as f32 },
            false => Alpha::NONE,
        };
        match S::DEPTH {
            Depth::U8 => self.level.mix_floats(FloatRows::U8(&all_of(rows), alpha), weights, outs),
            Depth::U16 => self.level.mix_floats(FloatRows::U16(&all_of(rows), alpha), weights, outs),
            Depth::F32 => self.level.mix_floats(FloatRows::F32(&all_of(rows), alpha), weights, outs),
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
    pub(super) fn new<S: Sample>(
        recipe: Recipe<'a>,
        source: SourceRows<'_, Gray<S>>,
        outputs: Range<usize>,
    ) -> Passes<'a> {
        let Recipe { columns, rows, channels: Channels { count, .. }, level, .. } = recipe;
        let length = columns.axis.length() as usize * count + SLACK;
        let before = columns.axis.before as usize * count;
        let mut constant = vec![0.0f32; source.constant.len().min(count)];
        recipe.load(&source.constant[..constant.len()], &mut constant);
        Passes {
            recipe,
            columns: FloatColumns::new(level, columns.axis, columns.weights, count),
            padded: [(); TOGETHER].map(|()| vec![0.0; length]),
            inner: before..before + source.width() as usize,
            made: [(); TOGETHER].map(|()| vec![0.0; columns.axis.target as usize * count]),
            constant,
            kept: Kept::new(),
            end: reach(rows.axis, outputs).end,
            together: together(rows.axis),
        }
    }

    /// Up to [`TOGETHER`] output rows, the first of which is row `first` of the whole target.
    pub(super) fn run<S: Sample>(
        &mut self,
        source: SourceRows<'_, Gray<S>>,
        mut strip: ViewMut<'_, Gray<S>>,
        first: usize,
    ) {
        let Recipe { rows, channels, curve, level, vertical_first, .. } = self.recipe;
        let count = strip.height() as usize;
        match vertical_first {
            true => self.vertical_first(source, first, count),
            false => {
                let group = Group::of(rows.axis, rows.weights, first..first + count);
                self.horizontal_first(source, &group, count);
            }
        }
        for (from, to) in self.made.iter().zip(strip.rows_mut()) {
            store(level, from, samples_of_mut(to), channels, curve);
        }
    }

    /// Vertical pass first, for shrinking. Rows are mixed as they lie in the source; light is made of them first.
    fn vertical_first<S: Sample>(&mut self, source: SourceRows<'_, Gray<S>>, first: usize, count: usize) {
        let Recipe { columns, rows, channels, curve, level, .. } = self.recipe;
        let mut outs = self.padded.each_mut().map(|row| &mut row[self.inner.clone()]);
        for (part, outs) in outs[..count].chunks_mut(self.together).enumerate() {
            let from = first + part * self.together;
            let group = Group::of(rows.axis, rows.weights, from..from + outs.len());
            if curve.is_none() {
                let picked: Vec<&[S]> = group.positions.iter().map(|&row| source.at(rows.axis, row)).collect();
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
        for row in &mut self.padded[..count] {
            fill_beside(row, columns.axis, channels.count, &self.constant);
        }
        let rows = self.padded.each_ref().map(Vec::as_slice);
        let mut outs = self.made.each_mut().map(Vec::as_mut_slice);
        self.columns.run(level, &rows[..count], &mut outs[..count]);
    }

    /// Horizontal pass first, for enlarging: each source row is resized once and kept while it is needed.
    fn horizontal_first<S: Sample>(&mut self, source: SourceRows<'_, Gray<S>>, group: &Group<f32>, count: usize) {
        let Recipe { columns, rows, channels, level, .. } = self.recipe;
        for positions in self.kept.missing(&group.positions, self.columns.together(), self.end) {
            for (row, &position) in self.padded.iter_mut().zip(&positions) {
                self.recipe.load(source.at(rows.axis, position), &mut row[self.inner.clone()]);
                fill_beside(row, columns.axis, channels.count, &self.constant);
            }
            let (count, rows) = (positions.len(), self.padded.each_ref().map(Vec::as_slice));
            let mut outs = self.made.each_mut().map(Vec::as_mut_slice);
            self.columns.run(level, &rows[..count], &mut outs[..count]);
            for (row, &position) in self.made.iter_mut().zip(&positions) {
                let free = self.kept.take_out(&group.positions, row.len());
                self.kept.put_in(position, std::mem::replace(row, free));
            }
        }
        let picked: Vec<&[f32]> = group.positions.iter().map(|&position| self.kept.get(position)).collect();
        let mut outs = self.made.each_mut().map(Vec::as_mut_slice);
        level.mix_floats(FloatRows::F32(&picked, Alpha::NONE), &group.weights, &mut outs[..count]);
    }
}

/// Rows as the type that they have.
fn all_of<'a, S: Sample, T: Sample>(rows: &[&'a [S]]) -> Vec<&'a [T]> {
    rows.iter().filter_map(|row| T::pick(S::lend_ref(row))).collect()
}
