//! Options of reading.

use crate::cancel::Cancel;
use crate::color::ycbcr::YcbcrLayout;
use crate::convert::depth::Window;
use crate::file::limits::Limits;
use crate::flow::{Orient, StateMeaning, Step, ToCodes, ToColor, ToDepth, ToGray};
use crate::frame::{Facts, PixelFormat, RawLayout};
use crate::memory::MemoryBudget;
use crate::pixel::{Depth, Meaning};
use crate::threads::Threads;
use crate::tone::PaletteRules;

/// Whether pixels come as the file stores them.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum ReadAs {
    /// As stored: gray as gray, colour as colour, palettes as the colours they name.
    #[default]
    Stored,
    /// Gray, by the BT.709 weights; alpha is kept.
    Gray,
    /// Red, green and blue; alpha is kept.
    Color,
    /// Numbers of colours, with the palette in the metadata: the file's own where it has one, else one made of the
    /// picture's colours, at most 256, for which the file is read twice.
    Indices,
    /// The file's codes as they are, 0..=max code, unscaled ([`Scale::Codes`](crate::frame::Scale)): 12-bit data as 0..=4095.
    /// Saving them gives the same file again.
    Codes,
}

/// Options of reading. Default: everything as stored.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct ReadOptions {
    /// Limits on the resources that the file may claim.
    pub limits: Limits,
    /// The budget that the picture, its strips and all that is made of them are charged to; without one, the reading of each file has one
    /// of its own, of [`Limits::memory`].
    pub budget: Option<MemoryBudget>,
    /// A signal that ends the reading.
    pub cancel: Option<Cancel>,
    /// Whether pixels come as stored, or as gray, colour or indices.
    pub read_as: ReadAs,
    /// With [`ReadAs::Indices`]: how a picture is reduced to a palette; without, one of more than 256 colours is an error.
    pub palette: Option<PaletteRules>,
    /// What the samples mean, where the file's format cannot say: floats of PFM and NPY are taken as linear light (colour) or
    /// as values (gray) otherwise.
    pub meaning: Option<StatedMeaning>,
    /// Another depth, full to full.
    pub depth: Option<Depth>,
    /// Window: which values become 0 and full; needed before values with a unit become integers.
    pub window: Option<Window>,
    /// Whether the pixels are laid down as the file's orientation asks for; the orientation is then upright.
    pub upright: bool,
    /// Whether what can be read of a damaged file is given, and how (default: damage is an error).
    pub salvage: Option<Salvage>,
    /// Which picture of several in a file, from 1: the first where none is named, and then what goes over all pages goes over all.
    pub page: Option<u32>,
    /// TIFF only: which of the pictures that hang below the page, from 1; 0 for the page itself.
    pub sub_page: u32,
    /// Animations only: whether a page is what its frame holds, and not that frame drawn over those before it. Indices are always such.
    pub frames_alone: bool,
    /// Maximum number of threads for unpacking, in formats whose parts are packed each by itself.
    pub threads: Threads,
    /// That the file is bytes of this layout, whatever they look like.
    pub raw: Option<RawLayout>,
    /// How luma and colour differences lie, where the file is nothing but those; it stands before `raw`.
    pub raw_ycbcr: Option<YcbcrLayout>,
    /// JPEG only: a half, a quarter or an eighth of the size, made from the coefficients, which is quicker than reading
    /// all of it. Sides are rounded up.
    pub reduced: Reduced,
    /// JPEG only: interpolation of subsampled chroma.
    pub chroma: Chroma,
}

/// How what can be read of a damaged file is given. Such a file is gone through twice; one of which no row can be read stays an error.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Salvage {
    /// The picture ends with the last row that could be read.
    Cut,
    /// The picture has the size that the file declares; lost rows are zero.
    Fill,
}

/// What the caller says that the samples of a file mean.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum StatedMeaning {
    /// Encoded colour; by the sRGB curve where the file has no other.
    Encoded,
    /// Linear light.
    Linear,
    /// Values without a stated unit.
    Values,
}

/// Fraction of the size that a JPEG picture is read at.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Reduced {
    /// The full size.
    #[default]
    Full,
    /// Half the size.
    Half,
    /// A quarter of the size.
    Quarter,
    /// An eighth of the size.
    Eighth,
}

impl Reduced {
    /// Samples that a block of 8 across gives.
    #[cfg_attr(not(feature = "jpeg"), allow(dead_code))]
    pub(in crate::file) fn block(self) -> u32 {
        match self {
            Reduced::Full => 8,
            Reduced::Half => 4,
            Reduced::Quarter => 2,
            Reduced::Eighth => 1,
        }
    }
}

/// Interpolation of subsampled chroma.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Chroma {
    /// By triangle weights of the two nearest samples, each way.
    #[default]
    Triangle,
    /// By repeating the nearest sample.
    Repeated,
}

impl Default for ReadOptions {
    fn default() -> Self {
        ReadOptions {
            limits: Limits::default(),
            budget: None,
            cancel: None,
            read_as: ReadAs::Stored,
            palette: None,
            meaning: None,
            depth: None,
            window: None,
            upright: false,
            salvage: None,
            page: None,
            sub_page: 0,
            frames_alone: false,
            threads: Threads::ALL,
            raw: None,
            raw_ycbcr: None,
            reduced: Reduced::Full,
            chroma: Chroma::Triangle,
        }
    }
}

impl ReadOptions {
    /// Sets the limits.
    pub fn limits(self, limits: Limits) -> ReadOptions {
        ReadOptions { limits, ..self }
    }

    /// Charges the picture, its strips and all that is made of them to a budget.
    pub fn budget(self, budget: &MemoryBudget) -> ReadOptions {
        ReadOptions { budget: Some(budget.clone()), ..self }
    }

    /// Ends the reading once the signal is set.
    pub fn cancel(self, cancel: &Cancel) -> ReadOptions {
        ReadOptions { cancel: Some(cancel.clone()), ..self }
    }

    /// Sets whether pixels come as stored, or as gray, colour or indices.
    pub fn read_as(self, read_as: ReadAs) -> ReadOptions {
        ReadOptions { read_as, ..self }
    }

    /// Gives numbers of colours, of a palette that the picture is reduced to by these rules.
    pub fn reduced_to_palette(self, rules: PaletteRules) -> ReadOptions {
        ReadOptions { read_as: ReadAs::Indices, palette: Some(rules), ..self }
    }

    /// Sets what the samples mean.
    pub fn meaning(self, meaning: StatedMeaning) -> ReadOptions {
        ReadOptions { meaning: Some(meaning), ..self }
    }

    /// Sets the depth.
    pub fn depth(self, depth: Depth) -> ReadOptions {
        ReadOptions { depth: Some(depth), ..self }
    }

    /// Sets the window: which values become 0 and full.
    pub fn window(self, window: Window) -> ReadOptions {
        ReadOptions { window: Some(window), ..self }
    }

    /// Lays the pixels down upright.
    pub fn upright(self) -> ReadOptions {
        ReadOptions { upright: true, ..self }
    }

    /// Gives what can be read of a damaged file, without the rows behind the last one that could be read.
    pub fn salvage(self) -> ReadOptions {
        ReadOptions { salvage: Some(Salvage::Cut), ..self }
    }

    /// Gives what can be read of a damaged file in the size that it declares: lost rows are zero.
    pub fn salvage_filled(self) -> ReadOptions {
        ReadOptions { salvage: Some(Salvage::Fill), ..self }
    }

    /// Sets which picture of several is read, from 1.
    pub fn page(self, page: u32) -> ReadOptions {
        ReadOptions { page: Some(page), ..self }
    }

    /// Sets which of the pictures that hang below the page is read, from 1.
    pub fn sub_page(self, sub_page: u32) -> ReadOptions {
        ReadOptions { sub_page, ..self }
    }

    /// Gives each frame of an animation by itself, not drawn over those before it.
    pub fn frames_alone(self) -> ReadOptions {
        ReadOptions { frames_alone: true, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> ReadOptions {
        ReadOptions { threads, ..self }
    }

    /// Reads JPEG at a half, a quarter or an eighth of its size.
    pub fn reduced(self, reduced: Reduced) -> ReadOptions {
        ReadOptions { reduced, ..self }
    }

    /// Sets how subsampled chroma of JPEG is interpolated.
    pub fn chroma(self, chroma: Chroma) -> ReadOptions {
        ReadOptions { chroma, ..self }
    }

    /// Reads the file as luma and colour differences that lie so, turned into rgb of 8 or 16 bits.
    pub fn raw_ycbcr(self, layout: YcbcrLayout) -> ReadOptions {
        ReadOptions { raw_ycbcr: Some(layout), ..self }
    }

    /// Reads the file as raw bytes of this layout.
    pub fn raw(self, layout: RawLayout) -> ReadOptions {
        ReadOptions { raw: Some(layout), ..self }
    }

    /// The steps between the rows as stored and those that are asked for, in their order: upright, window, form, depth.
    /// Where only window and depth are asked for they are one step, rounded once.
    pub(in crate::file) fn steps(&self, stored: &Facts) -> Vec<Box<dyn Step>> {
        let mut steps: Vec<Box<dyn Step>> = Vec::new();
        if let Some(meaning) = self.meaning {
            steps.push(Box::new(match meaning {
                StatedMeaning::Encoded => StateMeaning::encoded(),
                StatedMeaning::Linear => StateMeaning::linear(),
                StatedMeaning::Values => StateMeaning::values(),
            }));
        }
        if self.upright {
            steps.push(Box::new(Orient::upright()));
        }
        let own = match stored.pixel_format {
            PixelFormat::Pixels { depth, .. } => depth,
            PixelFormat::Planes { .. } => Depth::F32,
        };
        let to_depth = |depth, window| -> Box<dyn Step> { Box::new(ToDepth::new(depth).window(window)) };
        let before = self.window.is_some() && !matches!(self.read_as, ReadAs::Stored | ReadAs::Codes);
        if before {
            steps.push(to_depth(own, self.window));
        }
        match self.read_as {
            ReadAs::Gray => steps.push(Box::new(ToGray::default())),
            ReadAs::Color => steps.push(Box::new(ToColor)),
            // Indices are the decoder's work, or take a look at all colours first.
            ReadAs::Stored | ReadAs::Indices | ReadAs::Codes => {}
        }
        let window = self.window.filter(|_| !before);
        // A file's own palette has colours of 8 bits: to give its numbers at that depth nothing is to do.
        let numbered = self.read_as == ReadAs::Indices && stored.metadata.meaning == Meaning::Indices;
        if numbered && window.is_none() && self.depth == Some(Depth::U8) {
            return steps;
        }
        if self.depth.is_some() || window.is_some() {
            steps.push(to_depth(self.depth.unwrap_or(own), window));
        }
        if self.read_as == ReadAs::Codes {
            steps.push(Box::new(ToCodes));
        }
        steps
    }
}
