//! Limits and options: plain values with stated defaults.

use crate::convert::depth::Window;
use crate::error::{Error, ErrorKind, Help, Result};
use crate::flow::{Orient, StateMeaning, Step, ToCodes, ToColor, ToDepth, ToGray};
use crate::frame::{Facts, FileFormat, PixelFormat, RawLayout, Size};
use crate::memory::Charge;
use crate::pixel::{Depth, Meaning};
use crate::threads::Threads;

/// Limits on the resources that a file may claim. Checked before anything is allocated.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct Limits {
    /// Bytes that one file may take, its picture held whole and what the decoder holds, where no
    /// [`MemoryBudget`](crate::MemoryBudget) is in force; and bytes of one strip: 1 GiB.
    pub memory: u64,
    /// Pixels a side: 2^31.
    pub side: u32,
    /// Bytes of metadata in all: 64 MiB.
    pub metadata: u64,
    /// Pictures in a file: 100,000.
    pub pages: u32,
    /// Scans of a JPEG file: 250. Together they may go over its blocks 40 times, or so many times more as this is raised.
    pub scans: u32,
    /// Pixels for each byte of a file, beside 2^26 (67 million) that any may have: 10,000. No format packs honest pictures so densely
    /// (one colour in two-level PNG: 8,250; runs: 130), so that the time of reading is bounded by the size of the file.
    pub work: u32,
}

impl Default for Limits {
    fn default() -> Self {
        Limits { memory: 1 << 30, side: 1 << 31, metadata: 64 << 20, pages: 100_000, scans: 250, work: 10_000 }
    }
}

impl Limits {
    /// Sets the limit of memory for a picture, in bytes.
    pub fn memory(self, bytes: u64) -> Limits {
        Limits { memory: bytes, ..self }
    }

    /// Sets the limit of a side, in pixels.
    pub fn side(self, pixels: u32) -> Limits {
        Limits { side: pixels, ..self }
    }

    /// Sets the limit of metadata, in bytes.
    pub fn metadata(self, bytes: u64) -> Limits {
        Limits { metadata: bytes, ..self }
    }

    /// Sets the limit of the number of pages.
    pub fn pages(self, pages: u32) -> Limits {
        Limits { pages, ..self }
    }

    /// Sets the limit of the number of scans.
    pub fn scans(self, scans: u32) -> Limits {
        Limits { scans, ..self }
    }

    /// Sets the limit of pixels for each byte of a file.
    pub fn work(self, pixels: u32) -> Limits {
        Limits { work: pixels, ..self }
    }

    /// Checks that a picture's sides are within the limit and not zero: what a decoder does with the sizes of a header.
    ///
    /// # Errors
    /// A side of zero or beyond the limit.
    pub fn check_size(&self, size: Size) -> Result<()> {
        if size.is_empty() {
            return Err(ErrorKind::Malformed(format!("a size of {size}; a file holds at least one pixel")).into());
        }
        self.check_sides(size.width.into(), size.height.into())
    }

    /// Checks that sides, which may be more than any picture has, are within the limit.
    pub(super) fn check_sides(&self, width: u64, height: u64) -> Result<()> {
        for (what, side) in [("the width", width), ("the height", height)] {
            check(what, side, u64::from(self.side), "pixels", "side")?;
        }
        Ok(())
    }

    /// Checks that a picture of these facts may be held whole.
    ///
    /// # Errors
    /// More bytes than [`memory`](Limits::memory).
    pub fn check_picture(&self, facts: &Facts) -> Result<()> {
        self.check_memory("the picture", facts.pixel_format.bytes(facts.size))
    }

    /// Checks that `bytes` of memory are within the limit.
    ///
    /// # Errors
    /// More than [`memory`](Limits::memory).
    pub fn check_memory(&self, what: &str, bytes: u64) -> Result<()> {
        check(what, bytes, self.memory, "bytes", "memory")
    }

    /// Charges `bytes` of memory that a decoder holds until it drops the charge.
    ///
    /// # Errors
    /// More than [`memory`](Limits::memory), or than the [`MemoryBudget`](crate::MemoryBudget) in force has left.
    pub(super) fn charge(&self, what: &str, bytes: u64) -> Result<Charge> {
        self.check_memory(what, bytes)?;
        Charge::take(bytes)
    }

    /// Checks that `bytes` of metadata are within the limit.
    ///
    /// # Errors
    /// More than [`metadata`](Limits::metadata).
    pub fn check_metadata(&self, bytes: u64) -> Result<()> {
        check("the file's metadata", bytes, self.metadata, "bytes", "metadata")
    }

    /// Checks that so many pixels may come of a file of so many bytes.
    ///
    /// # Errors
    /// More than [`work`](Limits::work) allows.
    pub(super) fn check_work(&self, pixels: u64, bytes: u64) -> Result<()> {
        let most = u64::from(self.work).saturating_mul(bytes).saturating_add(FREE_PIXELS);
        match pixels <= most {
            true => Ok(()),
            false => check(&format!("the picture, of a file of {bytes} bytes,"), pixels, most, "pixels", "work"),
        }
    }

    /// Checks the number of pictures.
    pub(super) fn check_pages(&self, pages: u32) -> Result<()> {
        check("the file", u64::from(pages), u64::from(self.pages), "pages", "pages")
    }

    /// Checks the number of scans, and of blocks that they go over of so many that the picture has.
    pub(super) fn check_scans(&self, scans: u32, visits: u64, blocks: u64) -> Result<()> {
        check("the picture", u64::from(scans), u64::from(self.scans), "scans", "scans")?;
        let times = u64::from(self.scans).saturating_mul(MOST_VISITS).checked_div(250).unwrap_or(0).max(MOST_VISITS);
        let most = blocks.saturating_mul(times).saturating_add(SPARE_VISITS);
        match visits <= most {
            true => Ok(()),
            false => check(&format!("going over the picture in {scans} scans"), visits, most, "blocks", "scans"),
        }
    }
}

/// Pixels that any file may have.
const FREE_PIXELS: u64 = 1 << 26;

/// How often the scans may go over each block of the picture, and blocks that small pictures may have beside that. Files of ten scans go
/// over it four times.
const MOST_VISITS: u64 = 40;
const SPARE_VISITS: u64 = 1 << 22;

fn check(what: &str, needed: u64, limit: u64, unit: &'static str, name: &'static str) -> Result<()> {
    if needed <= limit {
        return Ok(());
    }
    let error = Error::from(ErrorKind::Limit { what: what.to_string(), needed, limit, unit });
    Err(match name {
        "memory" => error.with_help(&[Help::RaiseLimit("memory")]),
        "side" => error.with_help(&[Help::RaiseLimit("side")]),
        "metadata" => error.with_help(&[Help::RaiseLimit("metadata")]),
        "pages" => error.with_help(&[Help::RaiseLimit("pages")]),
        "scans" => error.with_help(&[Help::RaiseLimit("scans")]),
        _ => error.with_help(&[Help::RaiseLimit("work")]),
    })
}

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
    /// That the file is bytes of this layout, whatever they look like.
    pub raw: Option<RawLayout>,
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
            meaning: None,
            depth: None,
            window: None,
            upright: false,
            salvage: None,
            page: 1,
            raw: None,
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

    /// Reads JPEG at a half, a quarter or an eighth of its size.
    pub fn reduced(self, reduced: Reduced) -> ReadOptions {
        ReadOptions { reduced, ..self }
    }

    /// Sets how subsampled chroma of JPEG is interpolated.
    pub fn chroma(self, chroma: Chroma) -> ReadOptions {
        ReadOptions { chroma, ..self }
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

/// Chroma sampling ratio.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum ChromaSampling {
    /// 4:4:4: chroma at full size.
    Ratio444,
    /// 4:2:2: chroma at half the width.
    Ratio422,
    /// 4:2:0: chroma at half the width and half the height.
    Ratio420,
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
    /// How bytes are to lie where the format is [`FileFormat::Raw`]; its size is taken from the picture.
    pub raw: Option<RawLayout>,
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
            raw: None,
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
