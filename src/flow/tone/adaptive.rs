//! Equalising over tiles as a step.

use super::part::tone_form;
use crate::error::{Error, Result};
use crate::flow::input::{rows_of, same_form};
use crate::flow::{Sees, Step, Strip};
use crate::frame::{Change, Content, Facts};
use crate::tone::{AdaptiveRules, AdaptiveTone};
use std::ops::Range;

/// Adaptive equalising with a limit of contrast.
#[derive(Debug, Clone)]
pub struct EqualizeAdaptive {
    rules: AdaptiveRules,
    tone: Option<AdaptiveTone>,
}

impl EqualizeAdaptive {
    /// A step with these rules.
    pub fn new(rules: AdaptiveRules) -> EqualizeAdaptive {
        EqualizeAdaptive { rules, tone: None }
    }
}

impl Step for EqualizeAdaptive {
    fn name(&self) -> &'static str {
        "equalize"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        let (depth, layout) = tone_form(input, "equalize")?;
        self.tone = Some(AdaptiveTone::of(input.size, layout.into(), depth, self.rules)?);
        Ok(same_form(input, input.size, input.metadata.after(Change::Values)))
    }

    fn sees(&self) -> Sees {
        Sees::Twice
    }

    fn watch(&mut self, strip: &Strip) -> Result<()> {
        let Some(tone) = &mut self.tone else { return Err(unplanned()) };
        tone.watch_any(strip.first_row, strip.content.pixels()?.samples_any())
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let mut content = rows_of(input, &output)?.unwrap_or_else(|| input.content.clone());
        let Some(tone) = &mut self.tone else { return Err(unplanned()) };
        tone.apply_any(output.start, content.pixels_mut()?.samples_any_mut())?;
        Ok(content)
    }
}

#[cold]
fn unplanned() -> Error {
    Error::wrong_order("a step was run before it was planned")
}
