//! Options of writing.

use crate::cancel::Cancel;
use crate::color::ycbcr::YcbcrLayout;
use crate::frame::{FileFormat, RawLayout};
use crate::memory::MemoryBudget;
use crate::pixel::ChromaSampling;
use crate::threads::Threads;

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
    /// Whether the code tables are those of the examples of ITU-T T.81, annex K.3, instead of the best ones for the picture. Such a file is
    /// written in one pass without holding its coefficients, and is some percent larger. Pictures whose coefficients take more than
    /// 256 MiB are always written so.
    pub fixed_tables: bool,
}

impl Default for JpegOptions {
    fn default() -> Self {
        JpegOptions {
            quality: 90,
            sampling: ChromaSampling::Ratio444,
            progressive: false,
            restart_rows: 0,
            fixed_tables: false,
        }
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
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct WriteOptions {
    /// The format; the file name's extension decides where it is not given.
    pub format: Option<FileFormat>,
    /// The extension that the format is narrowed by: see [`extension`](WriteOptions::extension()).
    pub(in crate::file) extension: Option<&'static str>,
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
    /// [`Sink::next_page`](crate::flow::Sink::next_page).
    pub pages: u32,
    /// How often an animation is played; 0, the default, is for ever.
    pub plays: Option<u32>,
    /// Whether PNG is written in seven passes, coarse to fine (Adam7): false. The picture is held whole, and the file is larger.
    pub interlaced: bool,
    /// How bytes are to lie where the format is [`FileFormat::Raw`]; its size is taken from the picture.
    pub raw: Option<RawLayout>,
    /// How luma and colour differences are to lie where the format is [`FileFormat::Raw`]; it stands before `raw`.
    pub raw_ycbcr: Option<YcbcrLayout>,
    /// The budget that what the encoder holds is charged to; without one, that of the picture, if it has one.
    pub budget: Option<MemoryBudget>,
    /// A signal that ends the writing: looked at before each strip.
    pub cancel: Option<Cancel>,
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
            plays: None,
            interlaced: false,
            raw: None,
            raw_ycbcr: None,
            budget: None,
            cancel: None,
            durable: true,
        }
    }
}

impl WriteOptions {
    /// Sets the format by an extension, which narrows PNM as that of a file name does: `pgm` is gray, `ppm` rgb, `pbm` bilevel.
    /// `None` where no format that can be written has this extension.
    pub fn extension(self, extension: &str) -> Option<WriteOptions> {
        let lower = extension.to_ascii_lowercase();
        let known = crate::file::extensions::writable_extensions().into_iter().find(|e| *e == lower)?;
        let format = FileFormat::of_extension(std::path::Path::new(&format!("x.{known}")))?;
        Some(WriteOptions { format: Some(format), extension: Some(known), ..self })
    }

    /// Charges what the encoder holds to a budget.
    pub fn budget(self, budget: &MemoryBudget) -> WriteOptions {
        WriteOptions { budget: Some(budget.clone()), ..self }
    }

    /// Ends the writing once the signal is set.
    pub fn cancel(self, cancel: &Cancel) -> WriteOptions {
        WriteOptions { cancel: Some(cancel.clone()), ..self }
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

    /// Writes JPEG with the fixed tables of the standard's examples, in one pass.
    pub fn fixed_tables(self) -> WriteOptions {
        WriteOptions { jpeg: JpegOptions { fixed_tables: true, ..self.jpeg }, ..self }
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
        WriteOptions { plays: Some(plays), ..self }
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
