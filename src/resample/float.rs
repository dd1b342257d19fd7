//! The two passes in `f32`: 16-bit and float samples, everything with alpha, and linear light.
//!
//! The order of the sums is fixed, so that neither the number of threads nor the instruction set shows. Colours of pixels
//! with alpha are weighted by it on the way in and divided by the resulting alpha on the way out.

use super::axis::{Axis, Weights};
use super::columns::FloatColumns;
use super::group::{Group, Kept, reach};
use super::light::Curve;
use super::rows::{SourceRows, fill_beside};
use super::samples::{Channels, Load, Store};
use crate::frame::ViewMut;
use crate::pixel::{Depth, Gray, Sample, samples_of_mut};
use crate::simd::mix::{Alpha, FloatRows, TOGETHER};
use crate::simd::{Level, SLACK};

/// One axis with its `f32` weights.
pub(super) struct FloatAxis<'a> {
    pub(super) axis: &'a Axis,
    pub(super) weights: &'a Weights<f32>,
}

/// What a band of output rows is made with.
pub(super) struct Band<'a> {
    pub(super) columns: FloatAxis<'a>,
    pub(super) rows: FloatAxis<'a>,
    pub(super) channels: Channels,
    pub(super) vertical_first: bool,
    /// The curve to linear light and back, where that is mixed.
    pub(super) curve: Option<&'a Curve>,
    pub(super) level: Level,
}

impl Band<'_> {
    /// Output rows `first..` of the whole target, as many as the view has.
    pub(super) fn run<S: Sample>(&self, source: SourceRows<'_, Gray<S>>, target: ViewMut<'_, Gray<S>>, first: u32) {
        let count = self.channels.count;
        let columns = FloatColumns::new(self.level, self.columns.axis, self.columns.weights, count);
        let mut constant = vec![0.0f32; source.constant.len().min(count)];
        self.load(&source.constant[..constant.len()], &mut constant);
        let before = self.columns.axis.before as usize * count;
        let rows = Rows { source, constant, inner: before..before + source.width() as usize };
        match self.vertical_first {
            true => self.vertical_first(&rows, target, first, columns),
            false => self.horizontal_first(&rows, target, first, columns),
        }
    }

    /// Vertical pass first, for shrinking. Rows are mixed as they lie in the source; light is made of them first.
    fn vertical_first<S: Sample>(
        &self,
        rows: &Rows<'_, S>,
        target: ViewMut<'_, Gray<S>>,
        first: u32,
        mut columns: FloatColumns<'_>,
    ) {
        let (axis, level) = (self.rows.axis, self.level);
        let mut middle = [(); TOGETHER].map(|()| self.padded());
        let mut done = [(); TOGETHER].map(|()| vec![0.0f32; target.width() as usize]);
        let mut lights = Kept::new();
        let mut light = vec![0.0; rows.inner.len()];
        let mut y = first as usize;
        for strip in target.strips(TOGETHER as u32) {
            let count = strip.height() as usize;
            let group = Group::of(axis, self.rows.weights, y..y + count);
            let mut outs = middle.each_mut().map(|row| &mut row[rows.inner.clone()]);
            if self.curve.is_some() {
                for position in lights.missing(&group.positions, 1, 0).concat() {
                    self.load(rows.source.at(axis, position), &mut light);
                    lights.swap_in(position, &group.positions, &mut light);
                }
                let picked: Vec<&[f32]> = group.positions.iter().map(|&position| lights.get(position)).collect();
                level.mix_floats(FloatRows::F32(&picked, Alpha::NONE), &group.weights, &mut outs[..count]);
            } else {
                let picked: Vec<&[S]> = group.positions.iter().map(|&row| rows.source.at(axis, row)).collect();
                self.mix_samples(&picked, &group.weights, &mut outs[..count]);
            }
            for row in &mut middle[..count] {
                fill_beside(row, self.columns.axis, self.channels.count, &rows.constant);
            }
            let rows = middle.each_ref().map(Vec::as_slice);
            let mut outs = done.each_mut().map(Vec::as_mut_slice);
            columns.run(level, &rows[..count], &mut outs[..count]);
            self.store(&mut done, strip);
            y += count;
        }
    }

    /// Horizontal pass first, for enlarging: each source row is resized once and kept while it is needed.
    fn horizontal_first<S: Sample>(
        &self,
        rows: &Rows<'_, S>,
        target: ViewMut<'_, Gray<S>>,
        first: u32,
        mut columns: FloatColumns<'_>,
    ) {
        let (axis, level) = (self.rows.axis, self.level);
        let mut padded = [(); TOGETHER].map(|()| self.padded());
        let mut made = [(); TOGETHER].map(|()| vec![0.0f32; target.width() as usize]);
        let mut done = made.clone();
        let mut kept = Kept::new();
        let end = reach(axis, first as usize..first as usize + target.height() as usize).end;
        let mut y = first as usize;
        for strip in target.strips(TOGETHER as u32) {
            let count = strip.height() as usize;
            let group = Group::of(axis, self.rows.weights, y..y + count);
            for positions in kept.missing(&group.positions, columns.together(), end) {
                for (row, &position) in padded.iter_mut().zip(&positions) {
                    self.load(rows.source.at(axis, position), &mut row[rows.inner.clone()]);
                    fill_beside(row, self.columns.axis, self.channels.count, &rows.constant);
                }
                let (rows, count) = (padded.each_ref().map(Vec::as_slice), positions.len());
                let mut outs = made.each_mut().map(Vec::as_mut_slice);
                columns.run(level, &rows[..count], &mut outs[..count]);
                for (row, &position) in made.iter_mut().zip(&positions) {
                    kept.swap_in(position, &group.positions, row);
                }
            }
            let picked: Vec<&[f32]> = group.positions.iter().map(|&position| kept.get(position)).collect();
            let mut outs = done.each_mut().map(Vec::as_mut_slice);
            level.mix_floats(FloatRows::F32(&picked, Alpha::NONE), &group.weights, &mut outs[..count]);
            self.store(&mut done, strip);
            y += count;
        }
    }

    fn load<S: Sample>(&self, from: &[S], to: &mut [f32]) {
        self.level.work(Load { from, to, channels: self.channels, curve: self.curve });
    }

    fn store<S: Sample>(&self, rows: &mut [Vec<f32>], mut strip: ViewMut<'_, Gray<S>>) {
        for (from, to) in rows.iter_mut().zip(strip.rows_mut()) {
            let to = samples_of_mut(to);
            self.level.work(Store { from, to, channels: self.channels, curve: self.curve });
        }
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

    /// A row of the source's width, with room for what an edge shows beside it.
    fn padded(&self) -> Vec<f32> {
        vec![0.0; self.columns.axis.length() as usize * self.channels.count + SLACK]
    }
}

/// Rows as the type that they have.
fn all_of<'a, S: Sample, T: Sample>(rows: &[&'a [S]]) -> Vec<&'a [T]> {
    rows.iter().filter_map(|row| T::pick(S::lend_ref(row))).collect()
}

/// The source's rows, the pixel that a constant edge shows, and where numbers lie in a row that has room beside them.
struct Rows<'a, S: Sample> {
    source: SourceRows<'a, Gray<S>>,
    constant: Vec<f32>,
    inner: std::ops::Range<usize>,
}
