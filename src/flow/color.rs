//! Steps between gray, ink, palettes and rgb.

use super::indices::look_up;
use super::input::{pixel_form, same_size};
use super::{Stage, Step, by_rows};
use crate::color::{self, GrayWeights};
use crate::error::Result;
use crate::frame::{Change, Facts};
use crate::pixel::{Depth, Layout, Meaning};
use crate::threads::Threads;

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

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (depth, layout) = pixel_form(input, "gray")?;
        let to = if layout.has_alpha() { Layout::GrayAlpha } else { Layout::Gray };
        let metadata = match layout.is_color() {
            true => input.metadata.after(Change::Channels { channels: to.channels(), model: true }),
            false => input.metadata.clone(),
        };
        let (weights, threads) = (self.weights, self.threads);
        Ok(by_rows(same_size(input, depth, to, metadata), move |content, _| {
            Ok(color::pixels_to_gray(content.pixels()?, weights, threads)?.into())
        }))
    }
}

/// Gray, ink, or indices into a palette to rgb; alpha is kept.
#[derive(Debug, Clone, Default)]
pub struct ToColor;

impl Step for ToColor {
    fn name(&self) -> &'static str {
        "color"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        if let (Meaning::Indices, Some(palette)) = (&input.metadata.meaning, &input.metadata.palette) {
            let layout = if palette.is_opaque() { Layout::Rgb } else { Layout::Rgba };
            let mut metadata = input.metadata.clone();
            metadata.palette = None;
            metadata.meaning = Meaning::Color;
            let palette = palette.clone();
            return Ok(by_rows(same_size(input, Depth::U8, layout, metadata), move |content, _| {
                Ok(look_up(content.pixels()?, &palette)?.into())
            }));
        }
        let (depth, layout) = pixel_form(input, "color")?;
        let to = if layout.has_alpha() { Layout::Rgba } else { Layout::Rgb };
        let change = Change::Channels { channels: to.channels(), model: layout == Layout::Cmyk };
        let mut metadata = input.metadata.after(change);
        if to != layout {
            metadata.icc = None;
        }
        Ok(by_rows(same_size(input, depth, to, metadata), |content, _| {
            Ok(color::pixels_to_color(content.pixels()?)?.into())
        }))
    }
}
