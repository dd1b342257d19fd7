//! False colour as a step: limits that are given or found, then a ramp.

use super::input::rows_of;
use super::{Sees, Stage, Step, Strip};
use crate::color::{Painter, Ramp, RampKind, RampRules};
use crate::convert::depth::Window;
use crate::error::{Error, Result};
use crate::frame::{Change, Content, Facts, Levels, PixelFormat};
use crate::measure::{Histogram, HistogramRules, Mask, Scan};
use crate::memory::Charge;
use crate::pixel::{Depth, Layout, Meaning, NumberKind, Primaries, Transfer};
use std::ops::Range;
use std::sync::{Arc, Mutex, PoisonError};

/// The values that get a ramp's first and last colour.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[non_exhaustive]
pub enum RampLimits {
    /// All that samples can say: 0 to the max code of integers, 0 to 1 of colour in floats, the range that the metadata state of values;
    /// where none is stated, what is used.
    #[default]
    Whole,
    /// The least and the greatest finite value.
    Used,
    /// These: codes of 8- and 16-bit integers, values of other numbers.
    Levels(f64, f64),
    /// The values at these percentiles of the finite ones.
    Percentiles(f64, f64),
}

/// Paints gray pixels, or a single plane, with a ramp: sRGB in 8 bits, alpha kept.
///
/// Limits that are found make 8- and 16-bit integers be seen twice; of other numbers percentiles need the whole picture at once. A
/// ramp of categories takes numbers for classes and needs no limits.
#[derive(Debug, Clone)]
pub struct FalseColor {
    ramp: Ramp,
    limits: RampLimits,
    rules: RampRules,
    found: FoundLimits,
}

/// Limits that a [`FalseColor`] has used: codes or values, available once its chain has begun to give rows.
#[derive(Debug, Clone, Default)]
pub struct FoundLimits(Arc<Mutex<Option<(f64, f64)>>>);

impl FoundLimits {
    /// The limits; none before they were found, and of categories.
    pub fn limits(&self) -> Option<(f64, f64)> {
        // A panic elsewhere leaves the value as whole as it was.
        *self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }
}

impl FalseColor {
    /// A step with this ramp, between these limits.
    pub fn new(ramp: Ramp, limits: RampLimits) -> FalseColor {
        FalseColor { ramp, limits, rules: RampRules::default(), found: FoundLimits::default() }
    }

    /// Sets the rules.
    pub fn rules(self, rules: &RampRules) -> FalseColor {
        FalseColor { rules: rules.clone(), ..self }
    }

    /// Handle to the limits.
    pub fn found(&self) -> FoundLimits {
        self.found.clone()
    }
}

impl Step for FalseColor {
    fn name(&self) -> &'static str {
        "false color"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        if input.metadata.meaning == Meaning::Indices {
            let reason = "indices into a palette are colours already; a ramp needs numbers of one channel";
            return Err(Error::invalid("input", reason));
        }
        let (kind, layout) = match &input.pixel_format {
            PixelFormat::Pixels { depth, layout: Layout::Gray } => (depth.number_kind(), Layout::Rgb),
            PixelFormat::Pixels { depth, layout: Layout::GrayAlpha } => (depth.number_kind(), Layout::Rgba),
            PixelFormat::Planes { number, names } if names.len() == 1 => (*number, Layout::Rgb),
            other => {
                let reason = format!("a ramp paints one channel, the picture is {}; pick one first", other.describe());
                return Err(Error::invalid("input", reason));
            }
        };
        let (low, high) = match self.limits {
            RampLimits::Percentiles(low, high) | RampLimits::Levels(low, high) => (low, high),
            _ => (0.0, 1.0),
        };
        let percents = matches!(self.limits, RampLimits::Percentiles(..));
        if Window::new(low, high).is_err() || low > high || percents && (low < 0.0 || high > 100.0) {
            let what = if percents { "percentiles, 0 to 100" } else { "limits" };
            let reason = format!("{what} go from a lower to a higher one, not from {low} to {high}");
            return Err(Error::not_a_range("limits", (low, high), reason));
        }
        let mut metadata = input.metadata.after(Change::Channels { channels: layout.channels(), model: true });
        metadata.max_codes = None;
        (metadata.meaning, metadata.primaries, metadata.transfer) = (Meaning::Color, Primaries::Srgb, Transfer::Srgb);
        let counts = matches!(kind, NumberKind::U8 | NumberKind::U16);
        let known = match self.limits {
            _ if self.ramp.kind() == RampKind::Categories => Some((0.0, 1.0)),
            RampLimits::Levels(low, high) => Some((low, high)),
            RampLimits::Whole => whole(input, kind),
            _ => None,
        };
        let facts = Facts::new(input.size, PixelFormat::Pixels { depth: Depth::U8, layout }, metadata);
        Ok(Box::new(Painting {
            step: self.clone(),
            facts,
            kind,
            levels: if counts { Levels::of(&input.metadata) } else { Levels::Full },
            // Codes were scaled before this step sees them.
            full: if counts { scale_of(input, kind) } else { 1.0 },
            known,
            counted: None,
            scan: Scan::default(),
            painter: None,
        }))
    }
}

/// The sample that stands for one code.
fn scale_of(input: &Facts, kind: NumberKind) -> f64 {
    let full = if kind == NumberKind::U8 { 255.0 } else { 65_535.0 };
    let code = input.metadata.max_codes.as_ref().and_then(|codes| codes.first()).copied();
    code.filter(|code| *code > 0).map_or(1.0, |code| full / f64::from(code))
}

/// All that samples can say, where that is known: in codes or values.
fn whole(input: &Facts, kind: NumberKind) -> Option<(f64, f64)> {
    let stated = input.metadata.value_range();
    if input.metadata.meaning.needs_window() || stated.is_some() {
        return stated;
    }
    match kind {
        NumberKind::U8 => Some((0.0, 255.0 / scale_of(input, kind))),
        NumberKind::U16 => Some((0.0, 65_535.0 / scale_of(input, kind))),
        NumberKind::F32 if matches!(input.pixel_format, PixelFormat::Pixels { .. }) => Some((0.0, 1.0)),
        _ => None,
    }
}

struct Painting {
    step: FalseColor,
    facts: Facts,
    kind: NumberKind,
    levels: Levels,
    /// The sample that stands for one code; 1 of other numbers.
    full: f64,
    /// Limits that need no look at the picture.
    known: Option<(f64, f64)>,
    counted: Option<Histogram>,
    scan: Scan,
    painter: Option<Painter>,
}

impl Painting {
    fn counts(&self) -> bool {
        matches!(self.kind, NumberKind::U8 | NumberKind::U16)
    }

    /// The limits, in codes or values.
    fn limits(&self, whole: &Content) -> Result<(f64, f64)> {
        if let Some(known) = self.known {
            return Ok(known);
        }
        let found = match (&self.step.limits, &self.counted) {
            (RampLimits::Percentiles(low, high), Some(counted)) => match counted.channels.first() {
                Some(h) => h.percentile(*low)?.zip(h.percentile(*high)?),
                None => None,
            },
            (_, Some(counted)) => counted.channels.first().map(|h| (h.stats.min, h.stats.max)),
            (RampLimits::Percentiles(low, high), None) => percentiles(whole, *low, *high)?,
            _ => self.scan.used.first().copied().filter(|used| used.0.is_finite() && used.1.is_finite()),
        };
        let nothing = "no number of the picture is finite, so that there are no limits to find; give them";
        let (low, high) = found.ok_or_else(|| Error::invalid("limits", nothing))?;
        // Of one value everywhere: it gets the middle.
        Ok(if low < high { (low, high) } else { (low - 0.5, low + 0.5) })
    }
}

/// The finite values at two percentiles of one channel: the smallest whose cumulative share reaches each.
fn percentiles(content: &Content, low: f64, high: f64) -> Result<Option<(f64, f64)>> {
    let views = content.views();
    let Some(view) = views.first() else { return Ok(None) };
    let _charge = Charge::take(view.account(), view.size().pixels().saturating_mul(8))?;
    let (mut all, mut row) = (Vec::new(), Vec::new());
    for y in 0..view.size().height {
        view.row(y).gather(0, view.channels().count, &mut row);
        all.extend(row.iter().filter(|v| v.is_finite()));
    }
    let Some(last) = all.len().checked_sub(1) else { return Ok(None) };
    let mut at = |percent: f64| {
        let rank = ((percent / 100.0 * all.len() as f64).ceil() as usize).saturating_sub(1).min(last);
        *all.select_nth_unstable_by(rank, f64::total_cmp).1
    };
    Ok(Some((at(low), at(high))))
}

impl Stage for Painting {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn sees(&self) -> Sees {
        match (self.known, self.step.limits) {
            (Some(_), _) => Sees::Once,
            (None, RampLimits::Percentiles(..)) if !self.counts() => Sees::Whole,
            _ => Sees::Twice,
        }
    }

    fn watch(&mut self, strip: &Strip) -> Result<()> {
        if !self.counts() {
            self.scan.add(&strip.content);
            return Ok(());
        }
        let rules = HistogramRules::default().levels(self.levels.clone()).threads(self.step.rules.threads);
        let counted = strip.content.counted(&Mask::ALL, &rules, false)?;
        match &mut self.counted {
            Some(sum) => sum.merge(&counted)?,
            None => self.counted = Some(counted),
        }
        Ok(())
    }

    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        if self.sees() == Sees::Whole { 0..self.facts.size.height } else { output }
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let painter = match self.painter.take() {
            Some(painter) => painter,
            None => {
                let (low, high) = self.limits(&input.content)?;
                if self.step.ramp.kind() != RampKind::Categories {
                    *self.step.found.0.lock().unwrap_or_else(PoisonError::into_inner) = Some((low, high));
                }
                let window = Window::new(low * self.full, high * self.full)?;
                Painter::new(&self.step.ramp, window, self.kind, &self.step.rules)
            }
        };
        let part = rows_of(input, &output)?;
        let painted = part.as_ref().unwrap_or(&input.content).painted(&painter)?;
        self.painter = Some(painter);
        Ok(painted.into())
    }
}
