//! The step to any depth and layout: what a viewer or an encoder asks for, whatever the source holds.

use super::indices::look_up;
use super::{Stage, Step, by_rows};
use crate::color::{AlphaRule, ConvertRules, prepared};
use crate::convert::depth::{Window, layout_of_planes, needs_window};
use crate::error::Result;
use crate::frame::{Change, Content, Facts, Metadata, Palette, PixelFormat, Pixels, ViewMut};
use crate::pixel::{Depth, Layout, Meaning, PicturePixel, Transfer};

/// Pixels of a depth and layout from any others: from indices through their palette, from linear light through the curve of sRGB,
/// from values through the window of the rules or the range that the metadata know, from one to four planes.
///
/// # Examples
/// ```
/// use rahmen::{Depth, Frame, Gray, Layout, Picture, Rgba, Size, flow};
/// let gray = Picture::from(Frame::filled(Size::new(2, 1), Gray::new(0x1234u16))?);
/// let shown = flow::apply(gray, &[&flow::Convert::new(Depth::U8, Layout::Rgba)])?;
/// assert_eq!(shown.view::<Rgba<u8>>()?.at(1, 0)?, Rgba::new(0x12, 0x12, 0x12, 255));
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug, Clone)]
pub struct Convert {
    depth: Depth,
    layout: Layout,
    rules: ConvertRules,
}

impl Convert {
    /// A step to this depth and layout by the default rules.
    pub fn new(depth: Depth, layout: Layout) -> Convert {
        Convert { depth, layout, rules: ConvertRules::default() }
    }

    /// Sets the rules of the conversion.
    pub fn rules(self, rules: &ConvertRules) -> Convert {
        Convert { rules: *rules, ..self }
    }
}

impl Step for Convert {
    fn name(&self) -> &'static str {
        "convert"
    }

    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>> {
        let converting = Converting::of(input, self.depth, self.layout, &self.rules)?;
        Ok(by_rows(converting.facts.clone(), move |content, _| Ok(converting.run(content)?.into())))
    }
}

/// A conversion that was planned: what it makes, and of what.
pub(super) struct Converting {
    pub(super) facts: Facts,
    /// What the input means.
    metadata: Metadata,
    palette: Option<Palette>,
    rules: ConvertRules,
    depth: Depth,
    layout: Layout,
}

impl Converting {
    pub(super) fn of(input: &Facts, depth: Depth, layout: Layout, rules: &ConvertRules) -> Result<Converting> {
        let (metadata, mut rules) = (input.metadata.clone(), *rules);
        let palette = match metadata.meaning {
            Meaning::Indices => metadata.palette.clone(),
            _ => None,
        };
        let (from, from_depth) = match (&palette, &input.pixel_format) {
            (Some(palette), _) => (if palette.is_opaque() { Layout::Rgb } else { Layout::Rgba }, Depth::U8),
            (None, PixelFormat::Pixels { depth, layout }) => (*layout, *depth),
            (None, PixelFormat::Planes { names, .. }) => (layout_of_planes(names.len())?, Depth::F32),
        };
        // What a strip would say is said now.
        crate::color::check_layouts(from, layout, &rules)?;
        let values = metadata.meaning.needs_window() && depth != Depth::F32;
        if values && rules.window.is_none() {
            let (low, high) = metadata.value_range().ok_or_else(|| needs_window(&input.pixel_format.describe()))?;
            rules.window = Some(Window::new(low, high)?);
        }
        let mut after = match palette {
            Some(_) => Metadata { palette: None, meaning: Meaning::Color, ..metadata.clone() },
            None => metadata.after(Change::Depth(depth)),
        };
        if metadata.is_linear() && depth != Depth::F32 && from_depth == Depth::F32 && !rules.keep_linear {
            after.transfer = Transfer::Srgb;
        }
        if rules.window.is_some() {
            (after.meaning, after.max_codes) = (Meaning::Color, None);
        }
        if from != layout {
            let flattened = from.has_alpha() && matches!(rules.alpha, AlphaRule::Flatten(_));
            let model = from.is_color() != layout.is_color() || from == Layout::Cmyk;
            after = after.after(Change::Channels { channels: layout.channels(), model });
            if flattened && !layout.has_alpha() {
                after = after.after(Change::Values);
            }
        }
        let facts = Facts::new(input.size, PixelFormat::Pixels { depth, layout }, after);
        Ok(Converting { facts, metadata, palette, rules, depth, layout })
    }

    /// Whether pixels of the same samples stay what they are.
    pub(super) fn is_plain(&self) -> bool {
        let linear = self.metadata.is_linear() && self.depth != Depth::F32 && !self.rules.keep_linear;
        self.palette.is_none() && self.rules.window.is_none() && !linear
    }

    pub(super) fn run(&self, content: &Content) -> Result<Pixels> {
        self.with(content, &mut |pixels, rules| pixels.converted(self.depth, self.layout, rules))
    }

    pub(super) fn run_into<Q: PicturePixel>(&self, content: &Content, target: ViewMut<'_, Q>) -> Result<()> {
        let mut target = Some(target);
        let mut done = |pixels: &Pixels, rules: &ConvertRules| match target.take() {
            Some(target) => pixels.convert_into(target, rules),
            None => Ok(()),
        };
        self.with(content, &mut done)
    }

    /// Hands on the pixels of content, and the rules by which they become what is asked for.
    fn with<T>(&self, content: &Content, work: &mut dyn FnMut(&Pixels, &ConvertRules) -> Result<T>) -> Result<T> {
        let (made, mut rules);
        let pixels = match (content, &self.palette) {
            (Content::Pixels(pixels), None) => {
                rules = self.rules;
                pixels
            }
            (Content::Pixels(indices), Some(palette)) => {
                (made, rules) = (look_up(indices, palette)?, self.rules);
                return work(&made, &rules);
            }
            (Content::Planes(planes), _) => {
                made = planes.to_pixels(Depth::F32, self.rules.window)?;
                rules = ConvertRules { window: None, ..self.rules };
                return work(&made, &rules);
            }
        };
        let light = prepared(pixels, &self.metadata, self.depth, &mut rules)?;
        work(light.as_ref().unwrap_or(pixels), &rules)
    }
}
