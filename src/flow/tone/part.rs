//! The part of a picture that a tone is measured on and changes.

use crate::convert::depth::needs_window;
use crate::error::{Error, Result};
use crate::flow::input::pixel_form;
use crate::frame::{Content, Facts, Pixels, Region};
use crate::measure::Mask;
use crate::pixel::{Depth, Layout};
use crate::tone::Tone;
use std::ops::Range;
use std::sync::Arc;

/// The form of a picture whose tone may be changed: pixels of colour or light.
pub(super) fn tone_form(input: &Facts, step: &str) -> Result<(Depth, Layout)> {
    let form = pixel_form(input, step)?;
    if input.metadata.meaning.needs_window() {
        return Err(needs_window(&input.pixel_format.describe()));
    }
    Ok(form)
}

/// Part of a picture that is measured and changed: all of it, a region, or the pixels of a mask.
#[derive(Debug, Clone, Default)]
#[non_exhaustive]
pub struct Part {
    /// Only this region.
    pub region: Option<Region>,
    /// Only where this gray mask, of the picture's size, is at half of full or above.
    pub mask: Option<Arc<Pixels>>,
    /// Whether the tone that was found there is applied to all of the picture.
    pub everywhere: bool,
}

impl Part {
    /// Sets the region.
    pub fn region(self, region: impl Into<Option<Region>>) -> Part {
        Part { region: region.into(), ..self }
    }

    /// Sets the mask: a gray picture of the whole's size.
    pub fn mask(self, mask: impl Into<Option<Arc<Pixels>>>) -> Part {
        Part { mask: mask.into(), ..self }
    }

    /// Applies what is found in the part to all of the picture.
    pub fn everywhere(self) -> Part {
        Part { everywhere: true, ..self }
    }

    pub(super) fn check(&self, facts: &Facts) -> Result<()> {
        if let Some(region) = self.region {
            region.inside(facts.size)?;
            if region.is_empty() {
                return Err(Error::no_pixels("region", region.size(), format!("the region {region} has no pixel")));
            }
        }
        self.mask.as_ref().map_or(Ok(()), |mask| Mask::of_pixels(mask)?.check(facts.size))
    }

    pub(super) fn is_all(&self) -> bool {
        self.region.is_none() && self.mask.is_none()
    }

    /// The region of a strip of the picture that is meant, and its mask; none where the strip has no part in it.
    pub(super) fn of_strip(&self, rows: &Range<u32>, width: u32) -> Result<Option<(Region, Mask<'_>)>> {
        let strip = Region::new(0..width, rows.clone())?;
        let region = self.region.map_or(strip, |region| region.intersect(strip));
        if region.is_empty() {
            return Ok(None);
        }
        let mask = match &self.mask {
            Some(mask) => Mask::of_pixels(mask)?.region(region)?,
            None => Mask::ALL,
        };
        let inside = Region::at(region.x(), region.y() - rows.start, region.size())?;
        Ok(Some((inside, mask)))
    }
}

/// Applies a tone to the part of some rows that is meant; they begin at the picture's row `first`.
pub(super) fn apply(tone: &Tone, part: &Part, rows: &mut Content, first: u32) -> Result<()> {
    let size = rows.size();
    let range = first..first.saturating_add(size.height);
    let meant = if part.everywhere { Some((size.region(), Mask::ALL)) } else { part.of_strip(&range, size.width)? };
    if let Some((region, mask)) = meant {
        let region = region.inside(size)?;
        tone.apply_any(rows.pixels_mut()?.samples_any_mut().part(region), &mask)?;
    }
    Ok(())
}
