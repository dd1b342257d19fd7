//! Cutting out a region, strip by strip.

use super::input::same_form;
use super::{Stage, Step, Strip};
use crate::error::{Error, Result};
use crate::frame::{Change, Content, Facts, Region};
use std::ops::Range;

/// Crops to a region. Rows above it are skipped, rows below it are not read.
#[derive(Debug, Clone)]
pub struct Crop {
    region: Region,
}

impl Crop {
    /// A step that crops to this region.
    pub fn new(region: Region) -> Crop {
        Crop { region }
    }
}

impl Step for Crop {
    fn name(&self) -> &'static str {
        "crop"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        self.region.inside(input.size)?;
        if self.region.is_empty() {
            return Err(Error::no_pixels(
                "region",
                self.region.size(),
                format!("the region {} has no pixel", self.region),
            ));
        }
        let facts = same_form(input, self.region.size(), input.metadata.after(Change::Crop));
        Ok(Box::new(Cropping { region: self.region, facts }))
    }

    fn takes_codes(&self) -> bool {
        true
    }
}

struct Cropping {
    region: Region,
    facts: Facts,
}

impl Stage for Cropping {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        // Cannot overflow: the rows lie inside the region, whose edges are u32.
        self.region.y + output.start..self.region.y + output.end
    }

    fn columns_needed(&self) -> Option<Range<u32>> {
        Some(self.region.cols_range())
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let need = self.rows_needed(output);
        let first = need.start.saturating_sub(input.first_row);
        let part = input.content.size().region().rows(first..first + (need.end - need.start))?;
        input.content.crop(part.cols(self.region.cols_range())?)
    }
}
