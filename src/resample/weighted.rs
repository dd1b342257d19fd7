//! Running a plan with weights: which passes pixels of a kind go through, and the bands of rows that threads take.
//!
//! Not here: the weights, and the passes themselves.

use super::ResizeRules;
use super::axis::{Axis, FixedWeights, Weights};
use super::fixed::{self, FixedAxis};
use super::float::{self, FloatAxis};
use super::light::Curve;
use super::opaque::Opaque;
use super::rows::SourceRows;
use super::samples::Channels;
use crate::frame::{View, ViewMut};
use crate::pixel::{Gray, NumberKind, Pixel, Sample};
use crate::simd::Level;
use crate::simd::mix::TOGETHER;
use crate::threads::{self, Threads};
use std::ops::Range;

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
        Table { fixed: axis.to_fixed(most), floats: axis.to_f32(), axis }
    }

    fn as_float(&self) -> FloatAxis<'_> {
        FloatAxis { axis: &self.axis, weights: &self.floats }
    }
}

/// Runs bands of the target's rows on as many threads as are allowed and worth it.
pub(super) fn each_band<P: Pixel, Q: Pixel>(
    source: View<'_, P>,
    target: ViewMut<'_, Q>,
    first: u32,
    threads: Threads,
    run: impl Fn(u32, ViewMut<'_, Q>) + Sync + Send,
) {
    let bytes = source.size().pixels() as usize * size_of::<P>() + target.size().pixels() as usize * size_of::<Q>();
    let mut jobs = Vec::new();
    let mut rest = target;
    for band in threads::bands(rest.height(), threads.bands(bytes)) {
        let (part, below) = rest.cut_rows(band.end - band.start);
        rest = below;
        jobs.push((first + band.start, part));
    }
    threads::each(jobs, |(first, part)| run(first, part));
}

/// The tables of a plan for pixels of a kind, number by number: one body for all layouts of a depth.
pub(super) struct Weighted<'a> {
    pub(super) columns: &'a Table,
    pub(super) rows: &'a Table,
    pub(super) channels: Channels,
    pub(super) vertical_first: bool,
}

impl Weighted<'_> {
    /// Output rows `first..` of the whole target, as many as the view has, in bands on several threads.
    pub(super) fn run<S: Sample>(
        &self,
        source: SourceRows<'_, Gray<S>>,
        target: ViewMut<'_, Gray<S>>,
        first: u32,
        rules: &ResizeRules,
    ) {
        let Weighted { columns, rows, channels, vertical_first } = *self;
        let level = Level::best();
        let curve = rules.light.curve().map(|transfer| Curve::new(transfer, S::KIND));
        let curve = curve.as_ref();
        let floats = float::Recipe {
            columns: columns.as_float(),
            rows: rows.as_float(),
            channels,
            vertical_first,
            curve,
            level,
        };
        let whole_numbers = match (&columns.fixed, &rows.fixed) {
            (Some(across), Some(down)) if S::KIND == NumberKind::U8 && curve.is_none() => Some(fixed::Recipe {
                columns: FixedAxis { axis: &columns.axis, fixed: across },
                rows: FixedAxis { axis: &rows.axis, fixed: down },
                channels: channels.count,
                vertical_first,
                level,
            }),
            _ => None,
        };
        each_band(source.view, target, first, rules.threads, |first, part| {
            let outputs = first as usize..first as usize + part.height() as usize;
            match whole_numbers {
                Some(recipe) if !channels.alpha => {
                    let mut passes = fixed::Passes::new(recipe, source, outputs.clone());
                    each_strip(part, outputs, |strip, first| passes.run(source, strip, first));
                }
                Some(recipe) if Opaque::can_be(channels, source.constant) => {
                    let mut passes = fixed::Passes::new(recipe, source, outputs.clone());
                    let mut weighing = float::Passes::new(floats, source, outputs.clone());
                    let mut opaque = Opaque::new(level, &rows.axis);
                    each_strip(part, outputs, |strip, first| {
                        for (strip, first, is_opaque) in opaque.runs(source, strip, first) {
                            match is_opaque {
                                true => passes.run(source, strip, first),
                                false => weighing.run(source, strip, first),
                            }
                        }
                    });
                }
                _ => {
                    let mut passes = float::Passes::new(floats, source, outputs.clone());
                    each_strip(part, outputs, |strip, first| passes.run(source, strip, first));
                }
            }
        });
    }
}

/// Output rows by as many as are made together, each with the number of its first one.
fn each_strip<P: Pixel>(band: ViewMut<'_, P>, outputs: Range<usize>, mut run: impl FnMut(ViewMut<'_, P>, usize)) {
    band.strips(TOGETHER as u32).zip(outputs.step_by(TOGETHER)).for_each(|(strip, first)| run(strip, first));
}
