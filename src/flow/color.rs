//! Steps between gray, ink, palettes and rgb.

use super::indices::look_up;
use super::input::{pixel_form, same_size, without_profile};
use super::{Stage, Step, by_rows};
use crate::color::GrayWeights;
use crate::error::{Error, Result};
use crate::frame::{Change, Content, Facts, PixelFormat};
use crate::pixel::{Depth, Layout, Meaning};
use crate::threads::Threads;

/// Some planes of several, in any order: what becomes a picture of one to four of them.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct PickPlanes {
    /// Places of the planes, counted from 0.
    pub places: Vec<usize>,
}

impl PickPlanes {
    /// Planes at these places, counted from 0, in this order.
    pub fn new(places: Vec<usize>) -> PickPlanes {
        PickPlanes { places }
    }
}

impl Step for PickPlanes {
    fn name(&self) -> &'static str {
        "planes"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let PixelFormat::Planes { number, names } = &input.pixel_format else {
            return Err(Error::invalid("input", format!("{} has no planes", input.pixel_format.describe())));
        };
        let pick = |&place: &usize| {
            let there = || format!("there is no plane {place}; there are {}, counted from 0", names.len());
            names
                .get(place)
                .cloned()
                .ok_or_else(|| Error::not_there("places", place as u64, names.len() as u64, there()))
        };
        let names = self.places.iter().map(pick).collect::<Result<Vec<_>>>()?;
        let format = PixelFormat::Planes { number: *number, names };
        let places = self.places.clone();
        Ok(by_rows(Facts::new(input.size, format, input.metadata.clone()), move |content, _| match content {
            Content::Planes(planes) => Ok(Content::Planes(planes.pick(&places)?)),
            pixels => pixels.copied(),
        }))
    }
}

/// Colour to gray; alpha is kept.
#[derive(Debug, Clone, Default)]
#[non_exhaustive]
pub struct ToGray {
    /// Weights of red, green and blue.
    pub weights: GrayWeights,
    /// Maximum number of threads.
    pub threads: Threads,
}

impl ToGray {
    /// By these weights.
    pub fn new(weights: GrayWeights) -> ToGray {
        ToGray { weights, ..ToGray::default() }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> ToGray {
        ToGray { threads, ..self }
    }
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
        Ok(by_rows(without_profile(input, same_size(input, depth, to, metadata)), move |content, _| {
            Ok(content.pixels()?.gray(weights, threads)?.into())
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
        Ok(by_rows(without_profile(input, same_size(input, depth, to, metadata)), |content, _| {
            Ok(content.pixels()?.color()?.into())
        }))
    }
}
