//! Options of reading and writing: plain values with stated defaults.
//!
//! Not here: limits ([`limits`](super::limits)).

use super::limits::Limits;
use crate::color::ycbcr::YcbcrLayout;
use crate::convert::depth::Window;
use crate::flow::{Orient, StateMeaning, Step, ToCodes, ToColor, ToDepth, ToGray};
use crate::frame::{Facts, FileFormat, PixelFormat, RawLayout};
use crate::pixel::{ChromaSampling, Depth, Meaning};
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
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct ReadOptions {
    /// Limits on the resources that the file may claim.
    pub limits: Limits,
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
    /// Which picture of several in a file, from 1.
    pub page: u32,
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
    pub(super) fn block(self) -> u32 {
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
            read_as: ReadAs::Stored,
            palette: None,
            meaning: None,
            depth: None,
            window: None,
            upright: false,
            salvage: None,
            page: 1,
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
        ReadOptions { page, ..self }
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
    pub(super) fn steps(&self, stored: &Facts) -> Vec<Box<dyn Step>> {
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

/// JPEG options. Default: quality 90, chroma at full size, one scan.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct JpegOptions {
    /// Quality, 1 to 100. At 50 the quantisation steps are those of the examples of ITU-T T.81, annex K;
    /// every 15 up halve the steps, every 15 down double them.
    pub quality: u8,
    /// Chroma sampling ratio.
    pub sampling: ChromaSampling,
    /// Whether to write several scans, coarse to fine. The file is a little smaller; all coefficients are held
    /// in memory on the way.
    pub progressive: bool,
    /// Rows of blocks from one restart marker to the next, 0 for none. Damage then costs only what is between two marks,
    /// and the parts are packed by all threads.
    pub restart_rows: u16,
}

impl Default for JpegOptions {
    fn default() -> Self {
        JpegOptions { quality: 90, sampling: ChromaSampling::Ratio444, progressive: false, restart_rows: 0 }
    }
}

/// TIFF options. Default: Deflate, strips of about 128 KiB, no smaller copies.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub struct TiffOptions {
    /// How strips and tiles are packed; not at all where the compression level is 0.
    pub compression: TiffCompression,
    /// Pixels a side of a tile, a multiple of 16; 0 for strips. Tiles are held for one row of them at a time.
    pub tile: u16,
    /// Whether smaller copies are written too, each of half the size of the one before, down to 256 pixels: they hang below the page
    /// (SubIFDs), so that a viewer of a large picture reads little. A third more pixels in all.
    pub reduced_copies: bool,
}

/// Packing of the strips and tiles of TIFF.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum TiffCompression {
    /// Not at all.
    None,
    /// Runs of bytes: quick, and small only where there are areas of one colour.
    PackBits,
    /// LZW over differences of neighbours: what the oldest readers know.
    Lzw,
    /// Deflate over differences of neighbours, or of the bytes of floats: the smallest.
    #[default]
    Deflate,
}

/// Options of writing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct WriteOptions {
    /// The format; the file name's extension decides where it is not given.
    pub format: Option<FileFormat>,
    /// The extension that the format is narrowed by: see [`extension`](WriteOptions::extension()).
    pub(super) extension: Option<&'static str>,
    /// Compression level, where the format compresses. PNG: 0 stores the rows as they are; 1 to 9 choose a filter for
    /// each row and are Deflate's levels: 1 is quickest and makes clearly larger files, from 3, the default, to 6 files
    /// get a little smaller and take longer, 9 takes several times as long for the last few percent.
    pub compression: u8,
    /// Maximum number of threads for compression; the bytes do not depend on it.
    pub threads: Threads,
    /// JPEG options: quality, chroma sampling, scans.
    pub jpeg: JpegOptions,
    /// TIFF options: packing, tiles, smaller copies.
    pub tiff: TiffOptions,
    /// Number of pictures that the file will hold, where it is known; what follows the first is written by
    /// [`Writer::next_page`](super::Writer::next_page).
    pub pages: u32,
    /// How often an animation is played; 0 is for ever.
    pub plays: u32,
    /// Whether PNG is written in seven passes, coarse to fine (Adam7): false. The picture is held whole, and the file is larger.
    pub interlaced: bool,
    /// How bytes are to lie where the format is [`FileFormat::Raw`]; its size is taken from the picture.
    pub raw: Option<RawLayout>,
    /// How luma and colour differences are to lie where the format is [`FileFormat::Raw`]; it stands before `raw`.
    pub raw_ycbcr: Option<YcbcrLayout>,
    /// Whether a file is forced to the disk before it takes its place: true. Thousands of small files that can be made again are
    /// quicker without; after a loss of power, and only then, they may be empty.
    pub durable: bool,
}

impl Default for WriteOptions {
    fn default() -> Self {
        WriteOptions {
            format: None,
            extension: None,
            compression: 3,
            threads: Threads::ALL,
            jpeg: JpegOptions::default(),
            tiff: TiffOptions::default(),
            pages: 1,
            plays: 0,
            interlaced: false,
            raw: None,
            raw_ycbcr: None,
            durable: true,
        }
    }
}

impl WriteOptions {
    /// Sets the format by an extension, which narrows PNM as that of a file name does: `pgm` is gray, `ppm` rgb, `pbm` bilevel.
    /// `None` where no format that can be written has this extension.
    pub fn extension(self, extension: &str) -> Option<WriteOptions> {
        let lower = extension.to_ascii_lowercase();
        let known = super::extensions::writable_extensions().into_iter().find(|e| *e == lower)?;
        let format = FileFormat::of_extension(std::path::Path::new(&format!("x.{known}")))?;
        Some(WriteOptions { format: Some(format), extension: Some(known), ..self })
    }

    /// Sets the format.
    pub fn format(self, format: FileFormat) -> WriteOptions {
        WriteOptions { format: Some(format), ..self }
    }

    /// Sets the compression level, 0 to 9; above 9 counts as 9.
    pub fn compression(self, compression: u8) -> WriteOptions {
        WriteOptions { compression: compression.min(9), ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> WriteOptions {
        WriteOptions { threads, ..self }
    }

    /// Sets whether a file is forced to the disk before it takes its place.
    pub fn durable(self, durable: bool) -> WriteOptions {
        WriteOptions { durable, ..self }
    }

    /// Sets the JPEG quality, 1 to 100.
    pub fn quality(self, quality: u8) -> WriteOptions {
        WriteOptions { jpeg: JpegOptions { quality: quality.clamp(1, 100), ..self.jpeg }, ..self }
    }

    /// Sets the chroma sampling of JPEG.
    pub fn sampling(self, sampling: ChromaSampling) -> WriteOptions {
        WriteOptions { jpeg: JpegOptions { sampling, ..self.jpeg }, ..self }
    }

    /// Makes JPEG progressive.
    pub fn progressive(self) -> WriteOptions {
        WriteOptions { jpeg: JpegOptions { progressive: true, ..self.jpeg }, ..self }
    }

    /// Sets the restart interval of JPEG, in rows of blocks.
    pub fn restart_rows(self, rows: u16) -> WriteOptions {
        WriteOptions { jpeg: JpegOptions { restart_rows: rows, ..self.jpeg }, ..self }
    }

    /// Sets how TIFF packs strips and tiles.
    pub fn tiff_compression(self, compression: TiffCompression) -> WriteOptions {
        WriteOptions { tiff: TiffOptions { compression, ..self.tiff }, ..self }
    }

    /// Writes TIFF in tiles of so many pixels a side, a multiple of 16; 0 for strips.
    pub fn tiled(self, tile: u16) -> WriteOptions {
        WriteOptions { tiff: TiffOptions { tile, ..self.tiff }, ..self }
    }

    /// Writes smaller copies of the page into TIFF too.
    pub fn reduced_copies(self) -> WriteOptions {
        WriteOptions { tiff: TiffOptions { reduced_copies: true, ..self.tiff }, ..self }
    }

    /// Writes PNG in seven passes.
    pub fn interlaced(self) -> WriteOptions {
        WriteOptions { interlaced: true, ..self }
    }

    /// Sets the number of pictures that the file will hold.
    pub fn pages(self, pages: u32) -> WriteOptions {
        WriteOptions { pages, ..self }
    }

    /// Sets how often an animation is played; 0 is for ever.
    pub fn plays(self, plays: u32) -> WriteOptions {
        WriteOptions { plays, ..self }
    }

    /// Writes luma and colour differences that lie so. The layout's size is taken from the picture.
    pub fn raw_ycbcr(self, layout: YcbcrLayout) -> WriteOptions {
        WriteOptions { raw_ycbcr: Some(layout), format: Some(FileFormat::Raw), ..self }
    }

    /// Writes raw bytes of this layout. Its size is taken from the picture.
    pub fn raw(self, layout: RawLayout) -> WriteOptions {
        WriteOptions { raw: Some(layout), format: Some(FileFormat::Raw), ..self }
    }
}

/// A remark on what floats of a format are taken as that does not say what they mean.
#[cfg_attr(not(any(feature = "npy", feature = "pfm")), allow(dead_code))]
pub(super) fn unsaid_meaning(facts: &Facts) -> Option<String> {
    let floats = matches!(facts.pixel_format, PixelFormat::Pixels { depth: Depth::F32, .. });
    let taken = match facts.metadata.meaning {
        Meaning::Color if facts.metadata.is_linear() => "linear light",
        Meaning::Values { .. } => "values",
        _ => return None,
    };
    floats.then(|| format!("the format does not say what its floats mean: they are taken as {taken}"))
}
