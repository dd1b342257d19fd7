//! The steps that need no more rows than they give: crop, gray, colour, depth, alpha.

use super::{Step, Strip};
use crate::access::channels;
use crate::access::depth::{Window, needs_window, to_depth};
use crate::color::{self, GrayWeights};
use crate::error::{Error, Result};
use crate::frame::{Change, Content, Facts, Form, Metadata, Palette, Pixels, Region, Size};
use crate::pixel::{Depth, Layout, Meaning};
use crate::threads::Threads;
use std::ops::Range;

/// The rows of a strip that are wanted, as content; the strip itself where it holds no others.
pub(super) fn rows_of(input: &Strip, rows: &Range<u32>) -> Result<Option<Content>> {
    if input.rows() == *rows {
        return Ok(None);
    }
    let first = rows.start.saturating_sub(input.first_row);
    let part = input.content.size().region().rows(first..first + (rows.end - rows.start))?;
    Ok(Some(input.content.crop(part)?))
}

/// Runs pixel work on the wanted rows of a strip.
pub(super) fn on_pixels(
    input: &Strip,
    rows: Range<u32>,
    work: impl FnOnce(&Pixels) -> Result<Pixels>,
) -> Result<Content> {
    let part = rows_of(input, &rows)?;
    Ok(work(part.as_ref().unwrap_or(&input.content).pixels()?)?.into())
}

pub(super) fn pixel_form(input: &Facts, step: &str) -> Result<(Depth, Layout)> {
    if input.metadata.meaning == Meaning::Indices {
        return Err(Error::unusable(format!(
            "{step} works on colours, not on indices into a palette; leave --as indices out, or make them colours \
             first (--as color)"
        )));
    }
    match &input.form {
        Form::Pixels { depth, layout } => Ok((*depth, *layout)),
        planes => Err(Error::unusable(format!(
            "{step} works on pixels, not on {}; make them a picture first (--depth f32)",
            planes.describe()
        ))),
    }
}

/// The facts of a picture of the same form in another size.
pub(super) fn same_form(input: &Facts, size: Size, metadata: Metadata) -> Facts {
    Facts::new(size, input.form.clone(), metadata)
}

fn same_size(input: &Facts, depth: Depth, layout: Layout, metadata: Metadata) -> Facts {
    Facts::new(input.size, Form::Pixels { depth, layout }, metadata)
}

/// Cuts out a region. Rows above it are passed over, rows below it are not read.
#[derive(Debug, Clone)]
pub struct Crop {
    region: Region,
}

impl Crop {
    /// Cuts out this region.
    pub fn new(region: Region) -> Crop {
        Crop { region }
    }
}

impl Step for Crop {
    fn name(&self) -> &'static str {
        "crop"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        self.region.inside(input.size)?;
        if self.region.is_empty() {
            return Err(Error::unusable(format!("the region {} has no pixel", self.region)));
        }
        Ok(same_form(input, self.region.size(), input.metadata.after(Change::Crop)))
    }

    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        // Cannot overflow: the rows lie inside the region, whose edges are u32.
        self.region.y + output.start..self.region.y + output.end
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let need = self.rows_needed(output);
        let first = need.start.saturating_sub(input.first_row);
        let part = input.content.size().region().rows(first..first + (need.end - need.start))?;
        input.content.crop(part.cols(self.region.cols_range())?)
    }
}

/// Colour to gray; alpha is kept.
#[derive(Debug, Clone, Default)]
pub struct ToGray {
    /// How much red, green and blue count.
    pub weights: GrayWeights,
    /// How many threads may be used.
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
            Some(palette) => on_pixels(input, output, |p| super::indices::look_up(p, palette)),
            None => on_pixels(input, output, color::pixels_to_color),
        }
    }
}

/// Another depth, through a window where the numbers are values with a unit.
#[derive(Debug, Clone)]
pub struct ToDepth {
    /// The depth to go to.
    pub depth: Depth,
    /// Which values become none and full; full to full without it.
    pub window: Option<Window>,
    /// How many threads may be used.
    pub threads: Threads,
}

impl ToDepth {
    /// To this depth, full to full.
    pub fn new(depth: Depth) -> ToDepth {
        ToDepth { depth, window: None, threads: Threads::ALL }
    }
}

impl Step for ToDepth {
    fn name(&self) -> &'static str {
        "depth"
    }

    fn plan(&mut self, input: &Facts) -> Result<Facts> {
        let layout = match &input.form {
            Form::Pixels { .. } => pixel_form(input, "depth")?.1,
            Form::Planes { names, .. } => match names.len() {
                1 => Layout::Gray,
                2 => Layout::GrayAlpha,
                3 => Layout::Rgb,
                4 => Layout::Rgba,
                n => {
                    return Err(Error::unusable(format!("{n} planes do not make a picture; pick one to four of them")));
                }
            },
        };
        let mut metadata = input.metadata.after(Change::Depth(self.depth));
        if metadata.meaning.needs_window() {
            match self.window {
                Some(_) => metadata.meaning = Meaning::Encoded,
                None if self.depth == Depth::F32 => {}
                None => return Err(needs_window(&input.form.describe())),
            }
        }
        if self.window.is_some() {
            metadata.top_codes = None;
        }
        Ok(same_size(input, self.depth, layout, metadata))
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let part = rows_of(input, &output)?;
        let content = part.as_ref().unwrap_or(&input.content);
        Ok(to_depth(content, self.depth, self.window, self.threads)?.into())
    }
}

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
