//! A change of depth as a step.

use super::input::{pixel_form, same_size};
use super::{Stage, Step, by_rows};
use crate::convert::depth::{Window, layout_of_planes, needs_window, to_depth};
use crate::error::Result;
use crate::frame::{Change, Facts, PixelFormat};
use crate::pixel::{Depth, Meaning};
use crate::threads::Threads;

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

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
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
        let (depth, window, threads) = (self.depth, self.window, self.threads);
        Ok(by_rows(same_size(input, depth, layout, metadata), move |content, _| {
            Ok(to_depth(content, depth, window, threads)?.into())
        }))
    }
}
