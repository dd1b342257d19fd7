//! Steps that give up alpha: laid on a background, or dropped.

use super::input::{on_pixels, pixel_form, same_size};
use super::{Step, Strip};
use crate::color;
use crate::convert::channels;
use crate::error::Result;
use crate::frame::{Change, Content, Facts};
use crate::pixel::Layout;
use std::ops::Range;

/// Lays pixels with alpha on a background and drops alpha.
#[derive(Debug, Clone)]
pub struct Flatten {
    /// Red, green and blue of the background, as fractions of full.
    pub background: [f64; 3],
}

impl Step for Flatten {
    fn name(&self) -> &'static str {
        "flatten"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        let (depth, layout) = pixel_form(input, "flatten")?;
        let [r, g, b] = self.background;
        let to = match layout {
            Layout::GrayAlpha if r == g && g == b => Layout::Gray,
            Layout::GrayAlpha | Layout::Rgba => Layout::Rgb,
            other => other,
        };
        let change = if to == layout { Change::Crop } else { Change::Values };
        Ok(same_size(input, depth, to, input.metadata.after(change)))
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        on_pixels(input, output, |p| color::flatten(p, self.background))
    }
}

/// Drops alpha and leaves the colours as they are.
#[derive(Debug, Clone, Default)]
pub struct DropAlpha;

impl Step for DropAlpha {
    fn name(&self) -> &'static str {
        "drop alpha"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        let (depth, layout) = pixel_form(input, "dropping alpha")?;
        let to = layout.without_alpha();
        let metadata = input.metadata.after(Change::Channels { channels: to.channels(), model: false });
        Ok(same_size(input, depth, to, metadata))
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        on_pixels(input, output, channels::drop_alpha)
    }
}
