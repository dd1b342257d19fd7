//! The meaning of samples, stated by the caller: what a file's format cannot say.

use super::input::rows_of;
use super::{Step, Strip};
use crate::error::Result;
use crate::frame::{Content, Facts};
use crate::pixel::{Meaning, Transfer};
use std::ops::Range;

/// States what the samples mean; no sample changes. Encoded colour that had no curve gets that of sRGB.
#[derive(Debug, Clone)]
pub struct StateMeaning {
    meaning: Meaning,
}

impl StateMeaning {
    /// States this meaning.
    pub fn new(meaning: Meaning) -> StateMeaning {
        StateMeaning { meaning }
    }
}

impl Step for StateMeaning {
    fn name(&self) -> &'static str {
        "meaning"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        let mut output = input.clone();
        let transfer = &mut output.metadata.transfer;
        match self.meaning {
            Meaning::Linear => *transfer = Transfer::Linear,
            Meaning::Encoded if *transfer == Transfer::Linear => *transfer = Transfer::Srgb,
            _ => {}
        }
        output.metadata.meaning = self.meaning.clone();
        Ok(output)
    }

    fn takes_codes(&self) -> bool {
        true
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        Ok(rows_of(input, &output)?.unwrap_or_else(|| input.content.clone()))
    }
}
