//! A resize worked out once, to be run on any number of pictures of one size.

use super::area::Area;
use super::axis::Axis;
use super::exact::Exact;
use super::fixed::KEPT;
use super::kernel::Kernel;
use super::nearest;
use super::rows::{SourceRows, constant_of};
use super::tap::{Tap, Taps};
use super::weighted::{MOST_TAPS, Table, Weighted};
use super::weights::Along;
use crate::access::Edge;
use crate::error::{Error, Result};
use crate::frame::Light;
use crate::frame::{AnySamples, AnySamplesMut, Frame, Size, View, ViewMut, depths_differ};
use crate::memory::Account;
use crate::pixel::{Pixel, Sample};
use crate::threads::Threads;
use std::ops::Range;

/// How to resize.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct ResizeRules {
    /// How to interpolate; Catmull-Rom by default.
    pub kernel: Kernel,
    /// Whether kernels widen when shrinking, so that no detail is skipped; on by default. Off, fine detail aliases.
    pub widen: bool,
    /// What lies outside the picture; clamp by default. The channels of a constant are fractions of full, in the order that
    /// the pixels have them; those that the pixels do not have are passed over.
    pub edge: Edge<[f64; 4]>,
    /// Whether numbers are mixed as they are encoded, the default, or as light.
    pub light: Light,
    /// Whether every sum is worked out in `f64` and rounded half up (default: for small pictures only). Slower: see
    /// [`resample`](crate::resample).
    pub exact: bool,
    /// Maximum number of threads (default: all); the result does not depend on it.
    pub threads: Threads,
}

impl Default for ResizeRules {
    fn default() -> Self {
        ResizeRules::new(Kernel::default())
    }
}

impl ResizeRules {
    /// The default rules with this kernel.
    pub fn new(kernel: Kernel) -> ResizeRules {
        ResizeRules {
            kernel,
            widen: true,
            edge: Edge::Clamp,
            light: Light::Encoded,
            exact: false,
            threads: Threads::ALL,
        }
    }

    /// Keeps the kernel's width when shrinking: faster, and aliased.
    pub fn without_antialias(self) -> ResizeRules {
        ResizeRules { widen: false, ..self }
    }

    /// Works every sum out in `f64` and rounds half up, whatever the size.
    pub fn exact(self) -> ResizeRules {
        ResizeRules { exact: true, ..self }
    }

    /// Sets the edge rule.
    pub fn edge(self, edge: Edge<[f64; 4]>) -> ResizeRules {
        ResizeRules { edge, ..self }
    }

    /// Sets the light that is mixed in.
    pub fn light(self, light: Light) -> ResizeRules {
        ResizeRules { light, ..self }
    }

    /// The rules that a picture's metadata ask for where light is to be mixed: linear by its own curve, or as its numbers
    /// are where those are light or values already.
    ///
    /// # Errors
    /// As [`Light::linear_of`].
    pub fn of(kernel: Kernel, metadata: &crate::frame::Metadata) -> Result<ResizeRules> {
        Ok(ResizeRules::new(kernel).light(Light::linear_of(metadata)?))
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> ResizeRules {
        ResizeRules { threads, ..self }
    }
}

/// Which source pixels make which output pixels, and how much each counts. Not generic: one plan serves every pixel
/// type.
#[derive(Debug, Clone)]
pub struct Plan {
    from: Size,
    to: Size,
    rules: ResizeRules,
    /// Whether all of the source is resized, not a part.
    is_whole: bool,
    /// Whether the definition is summed as it stands.
    pub(super) exact: bool,
    tables: Tables,
}

#[derive(Debug, Clone)]
pub(super) enum Tables {
    Nearest { columns: nearest::Indices, rows: nearest::Indices },
    Weighted { columns: Box<Table>, rows: Box<Table>, vertical_first: bool },
}

/// Pixels of a target and of a source up to which the definition is summed in `f64`: slower, but of no account there.
const EXACT_TARGET: u64 = 1 << 16;
const EXACT_SOURCE: u64 = 1 << 22;
/// Terms of the vertical sums up to which that is so; a picture of that many pixels has 2^25 by the widest kernel, in either direction.
const EXACT_TERMS: u128 = 1 << 26;

/// Fraction bits of the weights of the pass that sees the bytes, and of the one behind it, at most.
const FIRST_BITS: u32 = 20;
const SECOND_BITS: u32 = 16;

/// Whether whole numbers hold all sums: the row between the passes 16 bits, the last sums 32.
fn fixed_fits(first: &Table, second: &Table) -> bool {
    let (Some(_), Some(fixed)) = (&first.fixed, &second.fixed) else { return false };
    let ((up, down), (second_up, second_down)) = (first.axis.swing(), second.axis.swing());
    let unit = 255.0 * f64::from(1u32 << KEPT);
    let most = unit * up.max(down) + 2.0;
    let last = (unit * (up * second_up + down * second_down).max(up * second_down + down * second_up) + 2.0)
        * f64::from(1u32 << fixed.bits);
    let few = first.axis.taps.max(second.axis.taps) <= MOST_TAPS;
    // A rounding half is added to the last sums.
    few && most < 32_767.0 && last + f64::from(1u32 << (fixed.bits + KEPT)) < f64::from(i32::MAX)
}

impl Plan {
    /// Works out a resize from one size to another. Costs a few operations a tap of each row and column.
    ///
    /// # Errors
    /// A size without pixels, sides whose weights would take over a gibibyte, or a kernel whose weights have no sum.
    pub fn new(from: Size, to: Size, rules: &ResizeRules) -> Result<Plan> {
        Plan::of_area(from, Area::of(from), to, rules)
    }

    /// Works out a resize of a part of a picture, whose corners may lie between pixels. What lies beside the part is the
    /// picture's own; the edge begins where the picture ends.
    ///
    /// # Errors
    /// As [`new`](Plan::new), or a part that is not inside.
    pub fn of_area(from: Size, area: Area, to: Size, rules: &ResizeRules) -> Result<Plan> {
        Plan::charged(from, area, to, rules, None)
    }

    /// [`of_area`](Plan::of_area), its weights charged to a budget.
    pub(crate) fn charged(from: Size, area: Area, to: Size, rules: &ResizeRules, account: Account<'_>) -> Result<Plan> {
        if from.is_empty() {
            return Err(Error::no_pixels("from", from, format!("a picture of {from} has no pixel to resize")));
        }
        if to.is_empty() {
            return Err(Error::no_pixels(
                "to",
                to,
                format!("a target of {to} has no pixel; each side must be at least 1"),
            ));
        }
        area.check_within(from)?;
        let is_whole = area == Area::of(from);
        let (rules, edge) = (rules.clone(), rules.edge.kind());
        let across = Along { source: from.width, part: area.x(), target: to.width, edge };
        let down = Along { source: from.height, part: area.y(), target: to.height, edge };
        let small = to.pixels() <= EXACT_TARGET && from.pixels() <= EXACT_SOURCE;
        let exact = rules.exact || small;
        if rules.kernel == Kernel::Nearest {
            let (columns, rows) = (nearest::Indices::new(&across)?, nearest::Indices::new(&down)?);
            return Ok(Plan { from, to, rules, is_whole, exact, tables: Tables::Nearest { columns, rows } });
        }
        let columns = Axis::new(&across, &rules.kernel, rules.widen, account)?;
        let rows = Axis::new(&down, &rules.kernel, rules.widen, account)?;
        // A row's sums are made for each row of the target: of a few long rows that become many that is no small work.
        let terms = u128::from(to.height) * rows.taps as u128 * u128::from(from.width);
        let exact = rules.exact || (small && terms <= EXACT_TERMS);
        // The bulk of the work should be vertical: first where there are many columns left to drop.
        let cost = |outputs: u32, width: u32, taps: usize| f64::from(outputs) * f64::from(width) * taps as f64;
        let vertical = cost(to.height, from.width, rows.taps) + 2.0 * cost(to.height, to.width, columns.taps);
        let horizontal = 2.0 * cost(from.height, to.width, columns.taps) + cost(to.height, to.width, rows.taps);
        let vertical_first = vertical <= horizontal;
        let (across, down) = if vertical_first { (SECOND_BITS, FIRST_BITS) } else { (FIRST_BITS, SECOND_BITS) };
        let (mut columns, rows) = (Table::new(columns, across), Table::new(rows, down));
        let (first, second) = if vertical_first { (&rows, &columns) } else { (&columns, &rows) };
        if !fixed_fits(first, second) {
            columns.fixed = None;
        }
        let tables = Tables::Weighted { columns: Box::new(columns), rows: Box::new(rows), vertical_first };
        Ok(Plan { from, to, rules, is_whole, exact, tables })
    }

    /// The source size.
    pub fn source(&self) -> Size {
        self.from
    }

    /// The target size.
    pub fn target(&self) -> Size {
        self.to
    }

    /// The source rows that output rows need.
    ///
    /// # Panics
    /// If the rows are not rows of the target.
    pub fn rows_needed(&self, outputs: Range<u32>) -> Range<u32> {
        match &self.tables {
            Tables::Nearest { rows, .. } => rows.reach(outputs),
            Tables::Weighted { rows, .. } => rows.axis.reach(outputs),
        }
    }

    /// The source pixels that the output pixel (x, y) is made of, and their weights. Pixels that an edge repeats are listed as
    /// those that they repeat.
    ///
    /// # Errors
    /// A pixel outside the target.
    pub fn taps(&self, x: u32, y: u32) -> Result<Taps> {
        self.to.check_place(x, y)?;
        Ok(match &self.tables {
            Tables::Nearest { columns, rows } => {
                let one = |at: u32| vec![Tap { at: at.into(), inside: Some(at), weight: 1.0 }];
                Taps { x: one(columns.source_of(x)), y: one(rows.source_of(y)) }
            }
            Tables::Weighted { columns, rows, .. } => Taps { x: columns.axis.taps_at(x), y: rows.axis.taps_at(y) },
        })
    }

    /// Resizes a view into another, both of the planned sizes. One pass over both, with a multiply-add for each tap of each
    /// row and column. Needs memory for a dozen rows or so, and where it enlarges, or mixes light, for as many rows as the
    /// kernel has taps; for each thread.
    ///
    /// # Errors
    /// A view of another size than planned, or rows of more than `u32::MAX` numbers.
    pub fn run<P: Pixel<Number: Sample>>(&self, source: View<'_, P>, target: ViewMut<'_, P>) -> Result<()> {
        if source.size() != self.from {
            return Err(Error::sizes("the source", self.from, source.size()));
        }
        if target.size() != self.to {
            return Err(Error::sizes("the target", self.to, target.size()));
        }
        self.run_any(source.samples_any(), 0, target.into_samples_any(), 0)
    }

    /// Makes the output rows from `first_output` on, as many as the target has, from a strip of the source that begins
    /// at row `first_row` and holds at least [`rows_needed`](Plan::rows_needed). The same values as [`run`](Plan::run)
    /// gives.
    ///
    /// # Errors
    /// Widths other than planned, output rows that are not there, or source rows that are missing.
    pub fn run_rows<P: Pixel<Number: Sample>>(
        &self,
        source: View<'_, P>,
        first_row: u32,
        target: ViewMut<'_, P>,
        first_output: u32,
    ) -> Result<()> {
        self.run_rows_any(source.samples_any(), first_row, target.into_samples_any(), first_output)
    }

    /// [`run_rows`](Plan::run_rows) of samples whose type is known at run time.
    pub(crate) fn run_rows_any(
        &self,
        source: AnySamples<'_>,
        first_row: u32,
        target: AnySamplesMut<'_>,
        first_output: u32,
    ) -> Result<()> {
        self.check_rows(source.size(), first_row, target.size(), first_output)?;
        self.run_any(source, first_row, target, first_output)
    }

    /// Whether a strip of the source holds what rows of the target need.
    pub(super) fn check_rows(&self, source: Size, first_row: u32, target: Size, first_output: u32) -> Result<()> {
        if source.width != self.from.width || target.width != self.to.width {
            let wanted = Size::new(self.from.width, source.height);
            return match source.width == self.from.width {
                true => Err(Error::sizes("the target", Size::new(self.to.width, target.height), target)),
                false => Err(Error::sizes("the source", wanted, source)),
            };
        }
        let whole = self.to.region();
        let outputs = whole.rows(first_output..first_output.saturating_add(target.height))?.rows_range();
        let need = self.rows_needed(outputs);
        let have = first_row..first_row.saturating_add(source.height);
        if need.start < have.start || need.end > have.end {
            return Err(Error::invalid("source", format!("source rows {need:?} are needed, rows {have:?} are there")));
        }
        Ok(())
    }

    pub(super) fn rules(&self) -> &ResizeRules {
        &self.rules
    }

    pub(super) fn tables(&self) -> &Tables {
        &self.tables
    }

    pub(super) fn run_any(
        &self,
        source: AnySamples<'_>,
        row: u32,
        target: AnySamplesMut<'_>,
        first: u32,
    ) -> Result<()> {
        match &self.tables {
            Tables::Nearest { columns, rows } => {
                let (source, target) = (source.as_bytes(), target.into_bytes());
                let bytes = source.bytes() + target.bytes();
                target.each_band(self.rules.threads, bytes, &|band, part| {
                    nearest::run((source, row), part, columns, rows, first + band);
                });
                Ok(())
            }
            Tables::Weighted { columns, rows, .. } if self.exact => {
                if source.depth() != target.depth() {
                    return Err(depths_differ(source.depth(), target.depth()));
                }
                let ResizeRules { edge, light, threads, .. } = self.rules;
                let (columns, rows) = (&columns.axis, &rows.axis);
                let exact = Exact { columns, rows, edge, curve: light.curve(), threads };
                exact.run(source, row, target, first);
                Ok(())
            }
            Tables::Weighted { columns, rows, vertical_first } => {
                let channels = source.channels();
                let weighted = Weighted { columns, rows, channels, vertical_first: *vertical_first };
                match (source, target) {
                    (AnySamples::U8(source), AnySamplesMut::U8(target)) => {
                        let constant = self.constant_row(source.channels().count);
                        let source = SourceRows { view: source.as_gray()?, first: row, constant: &constant };
                        weighted.run_bytes(source, target.into_gray()?, first, &self.rules);
                    }
                    (AnySamples::U16(source), AnySamplesMut::U16(target)) => {
                        let constant = self.constant_row(source.channels().count);
                        let source = SourceRows { view: source.as_gray()?, first: row, constant: &constant };
                        weighted.run(source.into(), target.into_gray()?.into_samples_any(), first, &self.rules);
                    }
                    (AnySamples::F32(source), AnySamplesMut::F32(target)) => {
                        let constant = self.constant_row(source.channels().count);
                        let source = SourceRows { view: source.as_gray()?, first: row, constant: &constant };
                        weighted.run(source.into(), target.into_gray()?.into_samples_any(), first, &self.rules);
                    }
                    (source, target) => return Err(depths_differ(source.depth(), target.depth())),
                }
                Ok(())
            }
        }
    }

    /// Whether every output is one of the source's pixels, so that their codes stay: nearest, and boxes that repeat pixels a
    /// whole number of times.
    pub(crate) fn keeps_values(&self) -> bool {
        let whole = |from: u32, to: u32| to >= from && to.is_multiple_of(from);
        match self.tables {
            Tables::Nearest { .. } => true,
            Tables::Weighted { .. } => {
                let repeats = whole(self.from.width, self.to.width) && whole(self.from.height, self.to.height);
                self.rules.kernel == Kernel::Box && self.is_whole && repeats
            }
        }
    }

    /// What a constant edge shows, as a row of pixels of this many channels; empty for other edges.
    pub(super) fn constant_row<S: Sample>(&self, channels: usize) -> Vec<S> {
        let pixel = constant_of::<S>(self.rules.edge, channels).unwrap_or_default();
        pixel.repeat(self.from.width as usize)
    }
}

/// A view resized with default rules but for the kernel, as a new frame.
///
/// # Errors
/// As [`Plan::new`], or no memory.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, resample::{Kernel, resize}};
/// let two = Frame::from_samples(Size::new(2, 1), vec![0u8, 100])?;
/// let four = resize(two.view(), Size::new(4, 1), Kernel::Linear)?;
/// assert_eq!(four.samples(), [0, 25, 75, 100]);
/// # let _: Frame<Gray<u8>> = four;
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn resize<P: Pixel<Number: Sample>>(view: View<'_, P>, to: Size, kernel: Kernel) -> Result<Frame<P>> {
    resize_area(view, Area::of(view.size()), to, &ResizeRules::new(kernel))
}

/// A part of a view resized by any rules, as a new frame.
///
/// # Errors
/// As [`Plan::of_area`], or no memory.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, resample::{Area, Kernel, ResizeRules, resize_area}};
/// let row = Frame::<Gray<u8>>::from_samples(Size::new(4, 1), vec![0, 100, 200, 40])?;
/// // Half of the second pixel, the third, half of the last one.
/// let part = Area::new(1.5..3.5, 0.0..1.0)?;
/// let one = resize_area(row.view(), part, Size::new(1, 1), &ResizeRules::new(Kernel::Box))?;
/// assert_eq!(one.samples(), [135]);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn resize_area<P: Pixel<Number: Sample>>(
    view: View<'_, P>,
    area: Area,
    to: Size,
    rules: &ResizeRules,
) -> Result<Frame<P>> {
    let plan = Plan::charged(view.size(), area, to, rules, view.account())?;
    let mut out = Frame::zeros(to, view.account())?;
    plan.run(view, out.view_mut())?;
    Ok(out)
}
