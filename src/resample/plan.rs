//! A resize worked out once, to be run on any number of pictures of one size.

use super::axis::{Axis, FixedWeights};
use super::fixed::{self, FixedAxis};
use super::float::{self, FloatAxis};
use super::kernel::Kernel;
use super::nearest;
use super::rows::SourceRows;
use crate::error::{Error, Result};
use crate::frame::{Frame, Job, Pixels, Size, View, ViewMut};
use crate::pixel::{Number, NumberKind, Pixel, Sample, Stored};
use crate::simd::Level;
use crate::threads::{self, Threads};

/// How to resize.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct ResizeRules {
    /// How to interpolate; Catmull-Rom by default.
    pub kernel: Kernel,
    /// Whether kernels widen when shrinking, so that no detail is skipped; on by default. Off, fine detail aliases.
    pub widen: bool,
    /// How many threads may be used; all by default.
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
        ResizeRules { kernel, widen: true, threads: Threads::ALL }
    }

    /// The same rules with kernels that keep their width when shrinking: faster, and aliased.
    pub fn without_widening(self) -> ResizeRules {
        ResizeRules { widen: false, ..self }
    }

    /// The same rules on so many threads.
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
    tables: Tables,
}

#[derive(Debug, Clone)]
enum Tables {
    Nearest { columns: Vec<u32>, rows: Vec<u32> },
    Weighted { columns: Box<Weights>, rows: Box<Weights>, vertical_first: bool },
}

#[derive(Debug, Clone)]
struct Weights {
    axis: Axis,
    fixed: FixedWeights,
    floats: Vec<f32>,
}

impl Weights {
    fn new(source: u32, target: u32, rules: &ResizeRules) -> Weights {
        let axis = Axis::new(source, target, rules.kernel, rules.widen);
        Weights { fixed: axis.to_fixed(), floats: axis.to_f32(), axis }
    }

    fn as_fixed(&self) -> FixedAxis<'_> {
        FixedAxis { axis: &self.axis, fixed: &self.fixed }
    }

    fn as_float(&self) -> FloatAxis<'_> {
        FloatAxis { axis: &self.axis, weights: &self.floats }
    }
}

impl Plan {
    /// Works out a resize from one size to another. Costs a few operations a tap of each row and column.
    ///
    /// # Errors
    /// A size without pixels.
    pub fn new(from: Size, to: Size, rules: ResizeRules) -> Result<Plan> {
        if from.is_empty() {
            return Err(Error::unusable(format!("a picture of {from} has no pixel to resize")));
        }
        if to.is_empty() {
            return Err(Error::unusable(format!("a target of {to} has no pixel; each side must be at least 1")));
        }
        let tables = if rules.kernel == Kernel::Nearest {
            Tables::Nearest {
                columns: nearest::indices(from.width, to.width),
                rows: nearest::indices(from.height, to.height),
            }
        } else {
            let columns = Box::new(Weights::new(from.width, to.width, &rules));
            let rows = Box::new(Weights::new(from.height, to.height, &rules));
            // The bulk of the work should be vertical: first where there are many columns left to drop.
            let cost = |outputs: u32, width: u32, taps: usize| f64::from(outputs) * f64::from(width) * taps as f64;
            let vertical =
                cost(to.height, from.width, rows.axis.taps) + 2.0 * cost(to.height, to.width, columns.axis.taps);
            let horizontal =
                2.0 * cost(from.height, to.width, columns.axis.taps) + cost(to.height, to.width, rows.axis.taps);
            Tables::Weighted { columns, rows, vertical_first: vertical <= horizontal }
        };
        Ok(Plan { from, to, rules, tables })
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
    pub fn rows_needed(&self, outputs: std::ops::Range<u32>) -> std::ops::Range<u32> {
        match &self.tables {
            Tables::Nearest { rows, .. } => match &rows[outputs.start as usize..outputs.end as usize] {
                [] => 0..0,
                [only] => *only..only + 1,
                [first, .., last] => *first..last + 1,
            },
            Tables::Weighted { rows, .. } => rows.axis.reach(outputs),
        }
    }

    /// Resizes a view into another, both of the planned sizes. Needs memory for a few rows a thread.
    ///
    /// # Errors
    /// A view of another size than planned.
    pub fn run<P: Pixel<Number: Sample>>(&self, source: View<'_, P>, target: ViewMut<'_, P>) -> Result<()> {
        if source.size() != self.from {
            return Err(Error::sizes("the source", self.from, source.size()));
        }
        if target.size() != self.to {
            return Err(Error::sizes("the target", self.to, target.size()));
        }
        self.run_bands(SourceRows { view: source, first: 0 }, 0, target);
        Ok(())
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
        if source.width() != self.from.width || target.width() != self.to.width {
            let wanted = Size::new(self.from.width, source.height());
            return match source.width() == self.from.width {
                true => Err(Error::sizes("the target", Size::new(self.to.width, target.height()), target.size())),
                false => Err(Error::sizes("the source", wanted, source.size())),
            };
        }
        let whole = self.to.region();
        let outputs = whole.rows(first_output..first_output.saturating_add(target.height()))?.rows_range();
        let need = self.rows_needed(outputs);
        let have = first_row..first_row.saturating_add(source.height());
        if need.start < have.start || need.end > have.end {
            return Err(Error::unusable(format!("source rows {need:?} are needed, rows {have:?} are there")));
        }
        self.run_bands(SourceRows { view: source, first: first_row }, first_output, target);
        Ok(())
    }

    fn run_bands<P: Pixel<Number: Sample>>(&self, source: SourceRows<'_, P>, first: u32, target: ViewMut<'_, P>) {
        let bytes = (source.view.size().pixels() + target.size().pixels()) as usize * size_of::<P>();
        let mut jobs = Vec::new();
        let mut rest = target;
        for band in threads::bands(rest.height(), self.rules.threads.bands(bytes)) {
            let (part, below) = rest.cut_rows(band.end - band.start);
            rest = below;
            jobs.push((first + band.start, part));
        }
        let level = Level::best();
        threads::each(jobs, |(first, mut part)| self.band(source, &mut part, first, level));
    }

    fn band<P: Pixel<Number: Sample>>(
        &self,
        source: SourceRows<'_, P>,
        part: &mut ViewMut<'_, P>,
        first: u32,
        level: Level,
    ) {
        match &self.tables {
            Tables::Nearest { columns, rows } => {
                let rows = &rows[first as usize..][..part.height() as usize];
                nearest::run(source, part, columns, rows);
            }
            Tables::Weighted { columns, rows, vertical_first } if P::Number::KIND == NumberKind::U8 && !P::ALPHA => {
                let run = if *vertical_first { fixed::vertical_first } else { fixed::horizontal_first };
                run(source, part, first, &columns.as_fixed(), &rows.as_fixed(), level);
            }
            Tables::Weighted { columns, rows, vertical_first } => {
                float::run(source, part, first, &columns.as_float(), &rows.as_float(), *vertical_first, level);
            }
        }
    }
}

/// A view resized with default rules but for the kernel, as a new frame.
///
/// # Errors
/// A size without pixels, or no memory.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, resample::{Kernel, resize}};
/// let two = Frame::from_numbers(Size::new(2, 1), vec![0u8, 100])?;
/// let four = resize(two.view(), Size::new(4, 1), Kernel::Linear)?;
/// assert_eq!(four.numbers(), [0, 25, 75, 100]);
/// # let _: Frame<Gray<u8>> = four;
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn resize<P: Pixel<Number: Sample>>(view: View<'_, P>, to: Size, kernel: Kernel) -> Result<Frame<P>> {
    let plan = Plan::new(view.size(), to, ResizeRules::new(kernel))?;
    let mut out = Frame::new(to)?;
    plan.run(view, out.view_mut())?;
    Ok(out)
}

/// Any pixels resized.
///
/// # Errors
/// A size without pixels, or no memory.
pub fn resize_pixels(pixels: &Pixels, to: Size, rules: ResizeRules) -> Result<Pixels> {
    struct Resize(Size, ResizeRules);
    impl Job for Resize {
        type Out = Result<Pixels>;
        fn run<P: Stored>(self, view: View<'_, P>) -> Result<Pixels> {
            let plan = Plan::new(view.size(), self.0, self.1)?;
            let mut out = Frame::<P>::new(self.0)?;
            plan.run(view, out.view_mut())?;
            Ok(out.into())
        }
    }
    pixels.visit(Resize(to, rules))
}
