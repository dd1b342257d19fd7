//! Fewer levels as a step.

use super::part::tone_form;
use crate::convert::codes;
use crate::error::{Error, Result};
use crate::flow::input::{rows_of, same_form};
use crate::flow::{Sees, Stage, Step, Strip};
use crate::frame::{Change, Content, Facts, Levels, Pixels};
use crate::pixel::Depth;
use crate::tone::{Dither, QuantizeRules, Reconstruction, quantize_any};
use std::ops::Range;

/// Fewer levels. Error diffusion needs the picture whole; everything else goes strip by strip.
#[derive(Debug, Clone)]
pub struct Quantize {
    rules: QuantizeRules,
    as_codes: bool,
}

impl Quantize {
    /// By these rules. [`Reconstruction::Indices`] are numbers that no picture of colours holds: use
    /// [`as_codes`](Quantize::as_codes) for files that store them.
    pub fn new(rules: QuantizeRules) -> Quantize {
        Quantize { rules, as_codes: false }
    }

    /// The numbers of the cells as the picture's codes: spread over the full range, with a max code of 2^bits - 1, so that
    /// a file that can stores just the numbers.
    pub fn as_codes(rules: QuantizeRules) -> Quantize {
        Quantize { as_codes: true, ..Quantize::new(rules.reconstruction(Reconstruction::Spread)) }
    }
}

impl Step for Quantize {
    fn name(&self) -> &'static str {
        "quantize"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (depth, layout) = tone_form(input, "quantize")?;
        if self.rules.reconstruction == Reconstruction::Indices {
            return Err(Error::invalid("input", "indices are no colours; a step gives them as codes of its picture"));
        }
        let rules = self.rules.clone().levels(Levels::of(&input.metadata));
        let mut metadata = input.metadata.after(Change::Values);
        if self.as_codes {
            let top = (1u32 << self.rules.bits.min(16)) - 1;
            codes::check_top(depth, top)?;
            metadata.max_codes = Some(vec![top; layout.channels()]);
        } else if self.rules.dither == Dither::None || depth != Depth::F32 {
            metadata.max_codes = input.metadata.max_codes.clone();
        }
        // Whether bits and levels go together is found out here, not at the first row.
        quantize_any(Pixels::new(crate::Size::new(1, 1), layout, depth)?.samples_any_mut(), &rules)?;
        Ok(Box::new(Quantizing { rules, whole: None, facts: same_form(input, input.size, metadata) }))
    }
}

struct Quantizing {
    rules: QuantizeRules,
    /// Error diffusion's picture, once it is made.
    whole: Option<Content>,
    facts: Facts,
}

impl Stage for Quantizing {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn sees(&self) -> Sees {
        if self.rules.dither == Dither::Diffusion { Sees::Whole } else { Sees::Once }
    }

    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        match self.rules.dither {
            Dither::Diffusion => 0..self.facts.size.height,
            // Thresholds count from the picture's top: whole periods of 8 rows.
            Dither::Ordered => output.start / 8 * 8..output.end,
            Dither::None => output,
        }
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let make = |rows: Range<u32>| -> Result<Content> {
            let mut content = rows_of(input, &rows)?.map_or_else(|| input.content.copied(), Ok)?;
            quantize_any(content.pixels_mut()?.samples_any_mut(), &self.rules)?;
            Ok(content)
        };
        let (start, end) = (output.start, output.end);
        let part = |made: &Content, first: u32| made.crop(made.size().region().rows(start - first..end - first)?);
        match self.rules.dither {
            Dither::None => make(output),
            Dither::Ordered => part(&make(input.first_row..end)?, input.first_row),
            Dither::Diffusion => {
                let whole = match self.whole.take() {
                    Some(whole) => whole,
                    None => make(0..self.facts.size.height)?,
                };
                let rows = part(&whole, 0)?;
                self.whole = Some(whole);
                Ok(rows)
            }
        }
    }
}
