//! Equalising over tiles as a step.

use super::part::tone_form;
use crate::error::Result;
use crate::flow::input::{rows_of, same_form};
use crate::flow::{Sees, Stage, Step, Strip};
use crate::frame::{Change, Content, Facts};
use crate::tone::{AdaptiveRules, AdaptiveTone};
use std::ops::Range;

/// Adaptive equalising with a limit of contrast.
#[derive(Debug, Clone)]
pub struct EqualizeAdaptive {
    rules: AdaptiveRules,
}

impl EqualizeAdaptive {
    /// A step with these rules.
    pub fn new(rules: AdaptiveRules) -> EqualizeAdaptive {
        EqualizeAdaptive { rules }
    }
}

impl Step for EqualizeAdaptive {
    fn name(&self) -> &'static str {
        "equalize"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (depth, layout) = tone_form(input, "equalize")?;
        let tone = AdaptiveTone::of(input.size, layout.into(), depth, &self.rules)?;
        let facts = same_form(input, input.size, input.metadata.after(Change::Values));
        Ok(Box::new(Equalizing { tone, facts }))
    }
}

struct Equalizing {
    tone: AdaptiveTone,
    facts: Facts,
}

impl Stage for Equalizing {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn sees(&self) -> Sees {
        Sees::Twice
    }

    fn watch(&mut self, strip: &Strip) -> Result<()> {
        self.tone.watch_any(strip.first_row, strip.content.pixels()?.samples_any())
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let mut content = rows_of(input, &output)?.map_or_else(|| input.content.copied(), Ok)?;
        self.tone.apply_any(output.start, content.pixels_mut()?.samples_any_mut())?;
        Ok(content)
    }
}
