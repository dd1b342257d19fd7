//! Steps that give up alpha: laid on a background, or dropped.

use super::input::{pixel_form, same_size};
use super::{Stage, Step, by_rows};
use crate::error::Result;
use crate::frame::{Change, Facts};
use crate::pixel::Layout;

/// Lays pixels with alpha on a background and drops alpha.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Flatten {
    /// Red, green and blue of the background, as fractions of full.
    pub background: [f64; 3],
}

impl Flatten {
    /// Lays pixels on this background: red, green and blue as fractions of full.
    pub fn new(background: [f64; 3]) -> Flatten {
        Flatten { background }
    }
}

impl Step for Flatten {
    fn name(&self) -> &'static str {
        "flatten"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (depth, layout) = pixel_form(input, "flatten")?;
        let [r, g, b] = self.background;
        let to = match layout {
            Layout::GrayAlpha if r == g && g == b => Layout::Gray,
            Layout::GrayAlpha | Layout::Rgba => Layout::Rgb,
            other => other,
        };
        let change = if to == layout { Change::Crop } else { Change::Values };
        let (facts, background) = (same_size(input, depth, to, input.metadata.after(change)), self.background);
        Ok(by_rows(facts, move |content, _| Ok(content.pixels()?.flatten(background)?.into())))
    }
}

/// Drops alpha and leaves the colours as they are.
#[derive(Debug, Clone, Default)]
pub struct DropAlpha;

impl Step for DropAlpha {
    fn name(&self) -> &'static str {
        "drop alpha"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (depth, layout) = pixel_form(input, "dropping alpha")?;
        let to = layout.without_alpha();
        let metadata = input.metadata.after(Change::Channels { channels: to.channels(), model: false });
        let facts = same_size(input, depth, to, metadata);
        Ok(by_rows(facts, |content, _| Ok(content.pixels()?.drop_alpha()?.into())))
    }
}
