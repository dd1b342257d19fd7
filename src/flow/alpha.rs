//! Steps about alpha: laid on a background, dropped, taken from a mask, multiplied into the colours and divided out again.

use super::input::{pixel_form, same_size};
use super::{Stage, Step, by_rows};
use crate::color::is_mask;
use crate::error::{Error, Result};
use crate::frame::{Change, Facts, Pixels};
use crate::pixel::Layout;
use std::sync::Arc;

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
        let metadata = match to == layout {
            true => input.metadata.clone(),
            false => {
                let fewer = Change::Channels { channels: to.channels(), model: false };
                input.metadata.after(fewer).after(Change::Values)
            }
        };
        let (facts, background) = (same_size(input, depth, to, metadata), self.background);
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

/// Takes a gray mask of the picture's size for alpha: full is opaque ([`Pixels::with_alpha`]).
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct MaskAlpha {
    /// The mask, of any depth.
    pub mask: Arc<Pixels>,
    /// Whether alpha that is there is multiplied by it, instead of replaced.
    pub multiply: bool,
}

impl MaskAlpha {
    /// Takes this mask, by which alpha that is there is multiplied.
    pub fn new(mask: impl Into<Arc<Pixels>>) -> MaskAlpha {
        MaskAlpha { mask: mask.into(), multiply: true }
    }

    /// Replaces alpha that is there.
    pub fn replace(self) -> MaskAlpha {
        MaskAlpha { multiply: false, ..self }
    }
}

impl Step for MaskAlpha {
    fn name(&self) -> &'static str {
        "alpha from a mask"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (depth, layout) = pixel_form(input, "alpha")?;
        is_mask(&self.mask)?;
        if self.mask.size() != input.size {
            return Err(Error::sizes("the mask", input.size, self.mask.size()));
        }
        let to = layout.with_alpha().ok_or_else(|| Error::not_supported("alpha beside ink; convert to rgb first"))?;
        let metadata = input.metadata.after(Change::Channels { channels: to.channels(), model: false });
        let (mask, multiply) = (self.mask.clone(), self.multiply);
        Ok(by_rows(same_size(input, depth, to, metadata), move |content, first| {
            Ok(content.pixels()?.with_alpha_of(&mask, first, multiply)?.into())
        }))
    }
}

/// Multiplies colours by alpha, or divides them by it: for what wants them so. A file of such pixels says nothing of it, and any reader
/// takes their alpha as straight.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct MultiplyAlpha {
    /// Whether colours are divided instead.
    pub divide: bool,
}

impl MultiplyAlpha {
    /// Multiplies, or divides.
    pub fn new(divide: bool) -> MultiplyAlpha {
        MultiplyAlpha { divide }
    }
}

impl Step for MultiplyAlpha {
    fn name(&self) -> &'static str {
        if self.divide { "divide by alpha" } else { "multiply by alpha" }
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let (depth, layout) = pixel_form(input, self.name())?;
        if !layout.has_alpha() {
            return Err(Error::invalid("input", format!("the picture is {layout} and has no alpha")));
        }
        let divide = self.divide;
        let facts = same_size(input, depth, layout, input.metadata.after(Change::Values));
        Ok(by_rows(facts, move |content, _| {
            let pixels = content.pixels()?;
            Ok(if divide { pixels.unpremultiplied() } else { pixels.premultiplied() }?.into())
        }))
    }
}
