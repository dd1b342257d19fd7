//! A tone found from the picture that it then changes.

use super::part::{Part, apply, tone_form};
use crate::error::{Error, Result};
use crate::flow::input::{rows_of, same_form};
use crate::flow::{Sees, Stage, Step, Strip};
use crate::frame::{Change, Content, Facts, Levels};
use crate::measure::Histogram;
use crate::pixel::{Depth, Layout};
use crate::threads::Threads;
use crate::tone::{
    Basis, EqualizeBy, EqualizeRules, StretchBy, StretchRules, ThresholdBy, ThresholdRules, Tone, equalization,
    matching, measured_any, stretching, thresholding,
};
use std::ops::Range;
use std::sync::{Arc, Mutex};

/// Kind of tone that is found from a picture.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub enum Find {
    /// Equalising.
    Equalize(EqualizeBy),
    /// Stretching.
    Stretch(StretchBy),
    /// A threshold.
    Threshold(ThresholdBy),
    /// Matching this distribution.
    Match(Histogram),
}

/// Result of a [`FindTone`], available once its chain has run.
#[derive(Debug, Clone, Default)]
pub struct Found(Arc<Mutex<Option<Tone>>>);

impl Found {
    /// The tone; none before the picture was seen.
    pub fn tone(&self) -> Option<Tone> {
        // A panic elsewhere leaves the value as whole as it was.
        self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner).clone()
    }

    fn set(&self, tone: &Tone) {
        *self.0.lock().unwrap_or_else(std::sync::PoisonError::into_inner) = Some(tone.clone());
    }
}

/// A tone found from the picture: every strip is counted first and changed then.
#[derive(Debug, Clone)]
pub struct FindTone {
    find: Find,
    basis: Basis,
    part: Part,
    threads: Threads,
    found: Found,
}

impl FindTone {
    /// A step that finds this kind of tone, on this basis.
    pub fn new(find: Find, basis: Basis) -> FindTone {
        FindTone { find, basis, part: Part::default(), threads: Threads::ALL, found: Found::default() }
    }

    /// Restricts the step to a part of the picture.
    pub fn part(self, part: Part) -> FindTone {
        FindTone { part, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> FindTone {
        FindTone { threads, ..self }
    }

    /// Handle to the result, available once the chain has run.
    pub fn found(&self) -> Found {
        self.found.clone()
    }

    /// The max codes that the output has, where its values are codes.
    fn codes_after(&self, input: &Facts, layout: Layout) -> Option<Vec<u32>> {
        let mixed = matches!(self.basis, Basis::GrayValue(_)) && layout.without_alpha() == Layout::Rgb;
        match &self.find {
            Find::Equalize(_) if !mixed => input.metadata.max_codes.clone(),
            // As many levels as there are thresholds, and one.
            Find::Threshold(by) if !mixed && (self.part.is_all() || self.part.everywhere) && !layout.has_alpha() => {
                let top = if let ThresholdBy::Levels(levels) = by { levels.len() as u32 } else { 1 };
                (top < 256).then(|| vec![top; layout.channels()])
            }
            _ => None,
        }
    }
}

impl Step for FindTone {
    fn name(&self) -> &'static str {
        match self.find {
            Find::Equalize(_) => "equalize",
            Find::Stretch(_) => "stretch",
            Find::Threshold(_) => "threshold",
            Find::Match(_) => "match",
        }
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (depth, layout) = tone_form(input, self.name())?;
        self.part.check(input)?;
        let mut metadata = input.metadata.after(Change::Values);
        let own = self.codes_after(input, layout).filter(|_| depth != Depth::F32);
        metadata.max_codes = own.or(metadata.max_codes);
        Ok(Box::new(Finding {
            step: self.clone(),
            levels: Levels::of(&input.metadata),
            sum: None,
            tone: None,
            facts: same_form(input, input.size, metadata),
        }))
    }
}

/// The step on its way through a picture.
struct Finding {
    step: FindTone,
    levels: Levels,
    sum: Option<Histogram>,
    tone: Option<Tone>,
    facts: Facts,
}

impl Finding {
    fn tone(&mut self) -> Result<Tone> {
        if let Some(tone) = &self.tone {
            return Ok(tone.clone());
        }
        let Some(sum) = &self.sum else {
            return Err(Error::invalid("part", "the part that is to be measured has no pixel"));
        };
        let (basis, threads, levels) = (self.step.basis, self.step.threads, self.levels.clone());
        let tone = match &self.step.find {
            Find::Equalize(by) => equalization(sum, &EqualizeRules { by: *by, basis, levels, threads })?,
            Find::Stretch(by) => stretching(sum, &StretchRules { by: *by, basis, levels, threads })?,
            Find::Threshold(by) => thresholding(sum, &ThresholdRules { by: by.clone(), basis, levels, threads })?,
            Find::Match(to) => matching(sum, to, basis, threads)?.levels(levels),
        };
        self.step.found.set(&tone);
        self.tone = Some(tone.clone());
        Ok(tone)
    }
}

impl Stage for Finding {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn sees(&self) -> Sees {
        Sees::Twice
    }

    fn watch(&mut self, strip: &Strip) -> Result<()> {
        let FindTone { part, basis, threads, .. } = &self.step;
        let Some((region, mask)) = part.of_strip(&strip.rows(), strip.content.size().width)? else { return Ok(()) };
        let pixels = strip.content.pixels()?;
        let view = pixels.samples_any().part(region.inside(pixels.size())?);
        let counted = measured_any(view, pixels.layout(), &mask, *basis, (&self.levels, false), *threads)?;
        match &mut self.sum {
            Some(sum) => sum.merge(&counted)?,
            None => self.sum = Some(counted),
        }
        Ok(())
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let tone = self.tone()?;
        let mut content = rows_of(input, &output)?.unwrap_or_else(|| input.content.clone());
        apply(&tone, &self.step.part, &mut content, output.start)?;
        Ok(content)
    }
}
