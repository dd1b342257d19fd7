//! A change of depth as a step.

use super::input::{pixel_form, same_size};
use super::{Stage, Step, by_rows};
use crate::color;
use crate::convert::depth::{Window, layout_of_planes, needs_meaning, needs_window};
use crate::error::{Error, Result};
use crate::frame::{Change, Facts, PixelFormat};
use crate::pixel::{Depth, Layout, Meaning, Transfer};
use crate::threads::Threads;

/// Another depth, through a window where the numbers are values with a unit. Linear light in floats that becomes integers is
/// encoded by the curve of sRGB, unless it is to stay linear.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct ToDepth {
    /// The depth to go to.
    pub depth: Depth,
    /// Window: which values become 0 and full (default: none, full to full; values with a known range go by that).
    pub window: Option<Window>,
    /// Whether integers keep linear light (default: it is encoded).
    pub keep_linear: bool,
    /// Maximum number of threads.
    pub threads: Threads,
}

impl ToDepth {
    /// A step to this depth, full to full.
    pub fn new(depth: Depth) -> ToDepth {
        ToDepth { depth, window: None, keep_linear: false, threads: Threads::ALL }
    }

    /// Sets the window: which values become 0 and full; none is full to full.
    pub fn window(self, window: impl Into<Option<Window>>) -> ToDepth {
        ToDepth { window: window.into(), ..self }
    }

    /// Keeps linear light where floats become integers.
    pub fn keep_linear(self) -> ToDepth {
        ToDepth { keep_linear: true, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> ToDepth {
        ToDepth { threads, ..self }
    }
}

/// Why values do not become integers, and what would help.
fn refusal(input: &Facts) -> Error {
    let holds = input.pixel_format.describe();
    let plain = matches!(input.metadata.meaning, Meaning::Values { unit: None, .. });
    match input.pixel_format {
        PixelFormat::Pixels { depth: Depth::F32, .. } if plain => needs_meaning(&holds),
        _ => needs_window(&holds),
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
        let (depth, threads) = (self.depth, self.threads);
        let mut window = self.window;
        let mut metadata = input.metadata.after(Change::Depth(depth));
        if metadata.meaning.needs_window() {
            if window.is_none() && depth != Depth::F32 {
                let (low, high) = metadata.value_range().ok_or_else(|| refusal(input))?;
                window = Some(Window::new(low, high)?);
            }
            if window.is_some() {
                metadata.meaning = Meaning::Color;
            }
        }
        if window.is_some() {
            metadata.max_codes = None;
        }
        let floats = matches!(input.pixel_format, PixelFormat::Pixels { depth: Depth::F32, .. });
        let encodes = floats && depth != Depth::F32 && input.metadata.is_linear() && !self.keep_linear;
        if encodes && layout != Layout::Cmyk {
            metadata.transfer = Transfer::Srgb;
        }
        let facts = same_size(input, depth, layout, metadata);
        if !encodes {
            return Ok(by_rows(facts, move |content, _| Ok(content.to_pixels(depth, window, threads)?.into())));
        }
        Ok(by_rows(facts, move |content, _| {
            let light = match window {
                Some(window) => content.to_pixels(Depth::F32, Some(window), threads)?,
                None => content.pixels()?.clone(),
            };
            let encoded = color::encoded(&light, Transfer::Srgb, threads)?.unwrap_or(light);
            Ok(encoded.to_depth(depth, None, threads)?.into())
        }))
    }
}
