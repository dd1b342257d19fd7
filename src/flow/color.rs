//! Steps between gray, ink, palettes and rgb.

use super::indices::look_up;
use super::input::{on_pixels, pixel_form, same_size};
use super::{Step, Strip};
use crate::color::{self, GrayWeights};
use crate::error::Result;
use crate::frame::{Change, Content, Facts, Palette};
use crate::pixel::{Depth, Layout, Meaning};
use crate::threads::Threads;
use std::ops::Range;

/// Colour to gray; alpha is kept.
#[derive(Debug, Clone, Default)]
pub struct ToGray {
    /// Weights of red, green and blue.
    pub weights: GrayWeights,
    /// Maximum number of threads.
    pub threads: Threads,
}

impl Step for ToGray {
    fn name(&self) -> &'static str {
        "gray"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        let (depth, layout) = pixel_form(input, "gray")?;
        let to = if layout.has_alpha() { Layout::GrayAlpha } else { Layout::Gray };
        if !layout.is_color() {
            return Ok(same_size(input, depth, layout, input.metadata.clone()));
        }
        let metadata = input.metadata.after(Change::Channels { channels: to.channels(), model: true });
        Ok(same_size(input, depth, to, metadata))
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        on_pixels(input, output, |p| color::pixels_to_gray(p, self.weights, self.threads))
    }
}

/// Gray, ink, or indices into a palette to rgb; alpha is kept.
#[derive(Debug, Clone, Default)]
pub struct ToColor {
    /// The palette, where the input is indices.
    palette: Option<Palette>,
}

impl Step for ToColor {
    fn name(&self) -> &'static str {
        "color"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        if let (Meaning::Indices, Some(palette)) = (&input.metadata.meaning, &input.metadata.palette) {
            let layout = if palette.is_opaque() { Layout::Rgb } else { Layout::Rgba };
            let mut metadata = input.metadata.clone();
            self.palette = metadata.palette.take();
            metadata.meaning = Meaning::Encoded;
            return Ok(same_size(input, Depth::U8, layout, metadata));
        }
        let (depth, layout) = pixel_form(input, "color")?;
        let to = if layout.has_alpha() { Layout::Rgba } else { Layout::Rgb };
        let change = Change::Channels { channels: to.channels(), model: layout == Layout::Cmyk };
        let mut metadata = input.metadata.after(change);
        if to != layout {
            metadata.icc = None;
        }
        Ok(same_size(input, depth, to, metadata))
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        match &self.palette {
            Some(palette) => on_pixels(input, output, |p| look_up(p, palette)),
            None => on_pixels(input, output, color::pixels_to_color),
        }
    }
}
