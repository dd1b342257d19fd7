//! A tone that is known before the picture is seen.

use super::part::{Part, apply, tone_form};
use crate::error::Result;
use crate::flow::input::same_form;
use crate::flow::{Stage, Step, by_rows};
use crate::frame::{Change, Facts, Levels};
use crate::threads::Threads;
use crate::tone::Tone;

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

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        tone_form(input, self.name)?;
        self.part.check(input)?;
        let (tone, part) = (self.tone.clone().levels(Levels::of(&input.metadata)), self.part.clone());
        let mut metadata = input.metadata.after(Change::Values);
        if self.keeps_codes {
            metadata.max_codes = input.metadata.max_codes.clone();
        }
        Ok(by_rows(same_form(input, input.size, metadata), move |content, first| {
            let mut content = content.clone();
            apply(&tone, &part, &mut content, first)?;
            Ok(content)
        }))
    }
}
