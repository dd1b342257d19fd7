//! The meaning of samples, stated by the caller: what a file's format cannot say.

use super::{Stage, Step, by_rows};
use crate::error::Result;
use crate::frame::Facts;
use crate::pixel::{Meaning, Transfer};

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

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let mut output = input.clone();
        let transfer = &mut output.metadata.transfer;
        match self.meaning {
            Meaning::Linear => *transfer = Transfer::Linear,
            Meaning::Encoded if *transfer == Transfer::Linear => *transfer = Transfer::Srgb,
            _ => {}
        }
        output.metadata.meaning = self.meaning.clone();
        Ok(by_rows(output, |content, _| Ok(content.clone())))
    }

    fn takes_codes(&self) -> bool {
        true
    }
}
