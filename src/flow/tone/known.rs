//! A tone that is known before the picture is seen.

use super::part::{Part, apply, tone_form};
use crate::error::Result;
use crate::flow::input::same_form;
use crate::flow::{Step, Strip};
use crate::frame::{Change, Content, Facts};
use crate::threads::Threads;
use crate::tone::Tone;
use std::ops::Range;

/// A tone that is known.
#[derive(Debug, Clone)]
pub struct Retone {
    name: &'static str,
    tone: Tone,
    part: Part,
    keeps_codes: bool,
}

impl Retone {
    /// A step with this tone, under a name.
    pub fn new(name: &'static str, tone: Tone) -> Retone {
        Retone { name, tone, part: Part::default(), keeps_codes: false }
    }

    /// A step that gives the negative: codes stay codes, k becomes max code - k.
    pub fn negative() -> Retone {
        Retone { keeps_codes: true, ..Retone::new("negative", Tone::new(crate::tone::Curve::negative())) }
    }

    /// Restricts the step to a part of the picture.
    pub fn part(self, part: Part) -> Retone {
        Retone { part, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> Retone {
        Retone { tone: self.tone.threads(threads), ..self }
    }
}

impl Step for Retone {
    fn name(&self) -> &'static str {
        self.name
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        tone_form(input, self.name)?;
        self.part.check(input)?;
        self.tone = self.tone.clone().max_codes(&input.metadata);
        let mut metadata = input.metadata.after(Change::Values);
        if self.keeps_codes {
            metadata.max_codes = input.metadata.max_codes.clone();
        }
        Ok(same_form(input, input.size, metadata))
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        apply(&self.tone, &self.part, input, &output)
    }
}
