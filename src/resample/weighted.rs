//! Running a plan with weights: which passes pixels of a kind go through, and the bands of rows that threads take.
//!
//! Not here: the weights, and the passes themselves.

use super::ResizeRules;
use super::axis::{Axis, FixedWeights, Weights};
use super::fixed::{self, FixedAxis};
use super::float::{self, FloatAxis};
use super::light::Curve;
use super::opaque::Opaque;
use super::rows::{AnyRows, SourceRows};
use crate::frame::{AnyNumbers, AnySamplesMut, Region, ViewMut};
use crate::pixel::{Channels, Gray};
use crate::simd::Level;
use crate::simd::resample::mix::TOGETHER;
use crate::threads::COMPUTED;
use std::ops::Range;

/// Taps up to which weights of 16 bits are good enough.
pub(super) const MOST_TAPS: usize = 256;

/// An axis with its weights for floats and, where they are not too large, for bytes.
#[derive(Debug, Clone)]
pub(super) struct Table {
    pub(super) axis: Axis,
    pub(super) fixed: Option<FixedWeights>,
    floats: Weights<f32>,
}

impl Table {
    /// `most` fraction bits at most.
    pub(super) fn new(axis: Axis, most: u32) -> Table {
        // Of more taps than bytes are summed by no whole weight is asked for.
        let fixed = if axis.taps <= MOST_TAPS { axis.to_fixed(most) } else { None };
        Table { fixed, floats: axis.to_f32(), axis }
    }

    pub(super) fn floats(&self) -> &Weights<f32> {
        &self.floats
    }

    fn as_float(&self) -> FloatAxis<'_> {
        FloatAxis { axis: &self.axis, weights: &self.floats }
    }
}

/// The tables of a plan for pixels of a kind, number by number: one body for all layouts of a depth.
pub(super) struct Weighted<'a> {
    pub(super) columns: &'a Table,
    pub(super) rows: &'a Table,
    pub(super) channels: Channels,
    pub(super) vertical_first: bool,
}

impl Weighted<'_> {
    pub(super) fn floats<'b>(&'b self, curve: Option<&'b Curve>) -> float::Recipe<'b> {
        let Weighted { columns, rows, channels, vertical_first } = *self;
        let (columns, rows) = (columns.as_float(), rows.as_float());
        float::Recipe { columns, rows, channels, vertical_first, curve, level: Level::best() }
    }

    /// Output rows `first..` of the whole target, as many as the view has, in bands on several threads.
    pub(super) fn run(&self, source: AnyRows<'_>, target: AnySamplesMut<'_>, first: u32, rules: &ResizeRules) {
        let kind = AnyNumbers::from(source.view).kind();
        let curve = rules.light.curve().map(|transfer| Curve::new(transfer, kind));
        let floats = self.floats(curve.as_ref());
        let bytes = (source.view.bytes() + target.as_view().bytes()).saturating_mul(COMPUTED);
        target.each_band(rules.threads, bytes, &|band, mut part| {
            let (first, height) = ((first + band) as usize, part.size().height);
            let mut passes = float::Passes::new(floats, source, first..first + height as usize);
            for y in (0..height).step_by(TOGETHER) {
                let rows = Region { x: 0, y, width: part.size().width, height: (height - y).min(TOGETHER as u32) };
                passes.run(source, part.reborrow().part(rows), first + y as usize);
            }
        });
    }

    /// What whole numbers make of bytes, where they hold all sums.
    pub(super) fn fixed(&self) -> Option<fixed::Recipe<'_>> {
        let Weighted { columns, rows, channels, vertical_first } = *self;
        Some(fixed::Recipe {
            columns: FixedAxis { axis: &columns.axis, fixed: columns.fixed.as_ref()? },
            rows: FixedAxis { axis: &rows.axis, fixed: rows.fixed.as_ref()? },
            channels: channels.count,
            vertical_first,
            level: Level::best(),
        })
    }

    /// [`run`](Weighted::run) of bytes, in whole numbers where those hold all sums.
    pub(super) fn run_bytes(
        &self,
        source: SourceRows<'_, Gray<u8>>,
        target: ViewMut<'_, Gray<u8>>,
        first: u32,
        rules: &ResizeRules,
    ) {
        let Weighted { rows, channels, .. } = *self;
        let (Some(recipe), None) = (self.fixed(), rules.light.curve()) else {
            return self.run(source.into(), target.into_samples_any(), first, rules);
        };
        if channels.alpha && !Opaque::can_be(channels, source.constant) {
            return self.run(source.into(), target.into_samples_any(), first, rules);
        }
        let level = Level::best();
        let floats = self.floats(None);
        let bytes = source.view.samples().bytes() + target.as_view().samples().bytes();
        let bytes = bytes.saturating_mul(COMPUTED);
        target.each_band(rules.threads, bytes, |band, part| {
            let outputs = outputs(first + band, &part);
            let mut passes = fixed::Passes::new(recipe, source, outputs.clone());
            if !channels.alpha {
                each_strip(part, outputs, |strip, first| passes.run(source, strip, first));
                return;
            }
            let mut weighing = float::Passes::new(floats, source.into(), outputs.clone());
            let mut opaque = Opaque::new(level, &rows.axis);
            each_strip(part, outputs, |strip, first| {
                for (strip, first, is_opaque) in opaque.runs(source, strip, first) {
                    match is_opaque {
                        true => passes.run(source, strip, first),
                        false => weighing.run(source.into(), strip.into_samples_any(), first),
                    }
                }
            });
        });
    }
}

/// The rows of the whole target that a band is, from this one on.
fn outputs(first: u32, band: &ViewMut<'_, Gray<u8>>) -> Range<usize> {
    first as usize..first as usize + band.height() as usize
}

/// Output rows by as many as are made together, each with the number of its first one.
fn each_strip(band: ViewMut<'_, Gray<u8>>, outputs: Range<usize>, mut run: impl FnMut(ViewMut<'_, Gray<u8>>, usize)) {
    band.strips(TOGETHER as u32).zip(outputs.step_by(TOGETHER)).for_each(|(strip, first)| run(strip, first));
}
