//! What a picture becomes on the way, beside the work of a verb.

use crate::args::{As, Depth};
use crate::fail::{Done, Failure};
use crate::words::{self, Color};
use clap::Args;
use rahmen::convert::depth::Window;
use rahmen::file::{ReadAs, ReadOptions, StatedMeaning};
use rahmen::tone::PaletteRules;
use rahmen::{Facts, PixelFormat};

/// What a picture becomes on the way.
#[derive(Debug, Clone, Args)]
pub(crate) struct Becomes {
    /// Apply the file's orientation first
    #[arg(long, help_heading = "On the way")]
    pub(crate) upright: bool,
    /// Gray, colour or indices, before the work; codes, after it; encoded, linear or values: what floats mean
    #[arg(long = "as", value_enum, value_name = "FORM", help_heading = "On the way")]
    pub(crate) read_as: Option<As>,
    /// Reduce to at most N colours, numbered in a palette: 2 to 256; N,ordered and N,diffusion dither. What GIF needs; PNG, BMP, TGA and
    /// TIFF get small by it
    #[arg(long, value_name = "N", value_parser = words::palette, conflicts_with = "read_as", help_heading = "On the way")]
    pub(crate) colors: Option<PaletteRules>,
    /// Before the work, map values from LO to HI to black to white
    #[arg(long, value_name = "LO,HI", value_parser = words::limits, allow_hyphen_values = true)]
    #[arg(help_heading = "On the way")]
    pub(crate) window: Option<(f64, f64)>,
    /// After the work, convert to this sample type, rescaled
    #[arg(long, value_enum, help_heading = "On the way")]
    pub(crate) depth: Option<Depth>,
    /// After the work, values as codes 0 to N, rounded to the nearest: 4095 for 12 bits; the file remembers N where it can
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=65535), help_heading = "On the way")]
    pub(crate) max_code: Option<u32>,
    /// After the work, flatten onto a background of this colour
    #[arg(long, value_name = "COLOUR", help_heading = "On the way")]
    pub(crate) flatten: Option<Color>,
}

impl Becomes {
    pub(crate) fn window(&self) -> Done<Option<Window>> {
        Ok(self.window.map(|(low, high)| Window::new(low, high)).transpose()?)
    }

    /// A word of these that was given and asks for new pixels, if there is one.
    pub(crate) fn word_about_pixels(&self) -> Option<&'static str> {
        let words = [
            (self.read_as.is_some(), "--as"),
            (self.colors.is_some(), "--colors"),
            (self.window.is_some(), "--window"),
            (self.depth.is_some(), "--depth"),
            (self.max_code.is_some(), "--max-code"),
            (self.flatten.is_some(), "--flatten"),
        ];
        words.into_iter().find_map(|(given, word)| given.then_some(word))
    }

    /// A word of these that says what the numbers of a file mean.
    pub(crate) fn word_about_meaning(&self) -> Option<&'static str> {
        match self.read_as {
            Some(As::Encoded) => Some("--as encoded"),
            Some(As::Linear) => Some("--as linear"),
            Some(As::Values) => Some("--as values"),
            _ => None,
        }
    }

    /// Where colours are to be numbered: what comes before that, and the palette that they are reduced to, if they are.
    pub(crate) fn numbers(&self) -> Option<(Becomes, Option<PaletteRules>)> {
        let numbered = self.read_as == Some(As::Indices) || self.colors.is_some();
        numbered.then(|| (Becomes { read_as: None, colors: None, flatten: None, ..self.clone() }, self.colors))
    }

    /// What the reader is asked for, and what is left to do behind it. Colours are numbered while reading, so what
    /// comes before that is done there too.
    pub(crate) fn while_reading(&self, options: ReadOptions) -> Done<(ReadOptions, Becomes)> {
        let stated = match self.read_as {
            Some(As::Encoded) => Some(StatedMeaning::Encoded),
            Some(As::Linear) => Some(StatedMeaning::Linear),
            Some(As::Values) => Some(StatedMeaning::Values),
            _ => None,
        };
        if let Some(meaning) = stated {
            return Ok((options.meaning(meaning), Becomes { read_as: None, ..self.clone() }));
        }
        let numbers = self.read_as == Some(As::Indices) || self.colors.is_some();
        if !numbers {
            return Ok((options, self.clone()));
        }
        if self.flatten.is_some() {
            let word = if self.colors.is_some() { "--colors" } else { "--as indices" };
            return Err(Failure::words(format!(
                "--flatten makes new colours, {word} has numbered them before; leave one out"
            )));
        }
        let mut options = match self.colors {
            Some(rules) => options.reduced_to_palette(rules),
            None => options.read_as(ReadAs::Indices),
        };
        (options.window, options.depth, options.upright) = (self.window()?, self.depth.map(Into::into), self.upright);
        Ok((
            options,
            Becomes {
                upright: false,
                read_as: None,
                colors: None,
                window: None,
                depth: None,
                max_code: None,
                flatten: None,
            },
        ))
    }

    /// The depth that a window's fractions are held in: the picture's own.
    pub(crate) fn own_depth(input: &Facts) -> rahmen::Depth {
        match input.pixel_format {
            PixelFormat::Pixels { depth, .. } => depth,
            PixelFormat::Planes { .. } => rahmen::Depth::F32,
        }
    }
}
