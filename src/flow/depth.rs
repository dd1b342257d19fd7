//! A change of depth as a step.

use super::input::{pixel_form, rows_of, same_size};
use super::{Step, Strip};
use crate::convert::depth::{Window, layout_of_planes, needs_window, to_depth};
use crate::error::Result;
use crate::frame::{Change, Content, Facts, PixelFormat};
use crate::pixel::{Depth, Meaning};
use crate::threads::Threads;
use std::ops::Range;

/// Another depth, through a window where the numbers are values with a unit.
#[derive(Debug, Clone)]
pub struct ToDepth {
    /// The depth to go to.
    pub depth: Depth,
    /// Window: which values become 0 and full (default: none, full to full).
    pub window: Option<Window>,
    /// Maximum number of threads.
    pub threads: Threads,
}

impl ToDepth {
    /// A step to this depth, full to full.
    pub fn new(depth: Depth) -> ToDepth {
        ToDepth { depth, window: None, threads: Threads::ALL }
    }
}

impl Step for ToDepth {
    fn name(&self) -> &'static str {
        "depth"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        let layout = match &input.pixel_format {
            PixelFormat::Pixels { .. } => pixel_form(input, "depth")?.1,
            PixelFormat::Planes { names, .. } => layout_of_planes(names.len())?,
        };
        let mut metadata = input.metadata.after(Change::Depth(self.depth));
        if metadata.meaning.needs_window() {
            match self.window {
                Some(_) => metadata.meaning = Meaning::Encoded,
                None if self.depth == Depth::F32 => {}
                None => return Err(needs_window(&input.pixel_format.describe())),
            }
        }
        if self.window.is_some() {
            metadata.max_codes = None;
        }
        Ok(same_size(input, self.depth, layout, metadata))
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let part = rows_of(input, &output)?;
        let content = part.as_ref().unwrap_or(&input.content);
        Ok(to_depth(content, self.depth, self.window, self.threads)?.into())
    }
}
