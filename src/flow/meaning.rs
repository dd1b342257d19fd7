//! The meaning of samples, stated by the caller: what a file's format cannot say.

use super::{Stage, Step, by_rows};
use crate::error::Result;
use crate::frame::{Facts, MEANING_UNSAID};
use crate::pixel::{Meaning, Transfer};

/// States what the samples mean; no sample changes.
#[derive(Debug, Clone)]
pub struct StateMeaning {
    meaning: Meaning,
    linear: bool,
}

impl StateMeaning {
    /// Encoded colour: by the curve that the picture names, or by that of sRGB where it names none.
    pub fn encoded() -> StateMeaning {
        StateMeaning { meaning: Meaning::Color, linear: false }
    }

    /// Linear light.
    pub fn linear() -> StateMeaning {
        StateMeaning { meaning: Meaning::Color, linear: true }
    }

    /// Values without a stated unit or range.
    pub fn values() -> StateMeaning {
        StateMeaning { meaning: Meaning::values(), linear: false }
    }
}

impl Step for StateMeaning {
    fn name(&self) -> &'static str {
        "meaning"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let mut output = input.clone();
        output.metadata.meaning = self.meaning.clone();
        output.remarks.retain(|line| !line.starts_with(MEANING_UNSAID));
        match (self.linear, output.metadata.transfer) {
            (true, _) => output.metadata.transfer = Transfer::Linear,
            (false, Transfer::Linear) => output.metadata.transfer = Transfer::Srgb,
            _ => {}
        }
        Ok(by_rows(output, |content, _| content.copied()))
    }

    fn takes_codes(&self) -> bool {
        true
    }
}
