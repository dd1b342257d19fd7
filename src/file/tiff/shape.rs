//! How the pixels of a directory lie in the file: size, samples, strips or tiles, packing. Read and checked once.

mod read;

use crate::frame::Size;

/// What the numbers of a sample are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Kind {
    Unsigned,
    Signed,
    Float,
}

/// What the samples of a pixel are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Photometric {
    WhiteIsZero,
    BlackIsZero,
    Rgb,
    Palette,
    Mask,
    Ink,
    Ycbcr,
    /// CIE L*a*b* with signed a and b.
    CieLab,
    /// The same with a and b from 0 (ICC).
    IccLab,
}

/// How strips and tiles are packed.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Packing {
    None,
    /// Modified Huffman: T.4 in one dimension without marks, rows from byte to byte.
    FaxRows,
    /// T.4; whether rows may be coded by the row above.
    Fax3 {
        two: bool,
    },
    Fax4,
    Lzw,
    Jpeg,
    Deflate,
    PackBits,
}

/// How differences were taken before packing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Predictor {
    None,
    /// Of neighbours in a row.
    Differences,
    /// Of the bytes of floats, the highest of all first.
    FloatBytes,
}

/// How the pixels of a directory lie in the file.
#[derive(Debug, Clone)]
pub(super) struct Shape {
    pub(super) size: Size,
    /// Bits of each sample of a pixel.
    pub(super) bits: Vec<u16>,
    /// Bits of each sample once strips and tiles are unpacked: JPEG gives words of 12 bits as words of 16.
    held: Vec<u16>,
    pub(super) kind: Kind,
    pub(super) photometric: Photometric,
    /// What the samples beyond those of colour are: 0 unspecified, 1 associated alpha, 2 unassociated alpha.
    pub(super) extra: Vec<u64>,
    /// Whether each sample has strips or tiles of its own.
    pub(super) planar: bool,
    pub(super) packing: Packing,
    pub(super) predictor: Predictor,
    /// Whether the first pixel of a byte is in its lowest bits.
    pub(super) lowest_first: bool,
    pub(super) tiled: bool,
    /// Pixels of a strip or tile, and how many there are across and down.
    pub(super) chunk: Size,
    pub(super) across: u32,
    pub(super) down: u32,
    /// Pixels that share one pair of chroma samples, across and down.
    pub(super) chroma: (u32, u32),
}

impl Shape {
    /// Planes of samples that have strips or tiles of their own.
    pub(super) fn planes(&self) -> usize {
        if self.planar { self.bits.len() } else { 1 }
    }

    /// Strips or tiles in all.
    pub(super) fn chunks(&self) -> u64 {
        u64::from(self.across).saturating_mul(u64::from(self.down)).saturating_mul(self.planes() as u64)
    }

    /// The word for them in messages.
    pub(super) fn chunk_name(&self) -> &'static str {
        if self.tiled { "tile" } else { "strip" }
    }

    /// Bits of each sample once strips and tiles are unpacked.
    pub(super) fn held(&self) -> &[u16] {
        &self.held
    }

    /// Bits of the samples of a pixel in a plane of strips or tiles.
    pub(super) fn bits_in(&self, plane: usize) -> &[u16] {
        match self.planar {
            true => self.held.get(plane..plane.saturating_add(1)).unwrap_or_default(),
            false => &self.held,
        }
    }

    /// Bytes of a row of so many pixels in a plane.
    pub(super) fn row_bytes(&self, plane: usize, width: u32) -> u64 {
        let pixel = self.bits_in(plane).iter().map(|&b| u64::from(b)).fold(0u64, u64::saturating_add);
        pixel.saturating_mul(u64::from(width)).div_ceil(8)
    }

    /// Rows of the picture in a row of strips or tiles.
    pub(super) fn rows_in(&self, down: u32) -> u32 {
        let first = down.saturating_mul(self.chunk.height);
        self.size.height.saturating_sub(first).min(self.chunk.height)
    }

    /// Rows that are stored in a row of strips or tiles: tiles are always whole.
    pub(super) fn stored_rows(&self, down: u32) -> u32 {
        if self.tiled { self.chunk.height } else { self.rows_in(down) }
    }

    /// Bytes that a strip or tile of so many rows has when it is unpacked.
    pub(super) fn unpacked(&self, plane: usize, rows: u32) -> u64 {
        let (h, v) = self.chroma;
        if (h, v) == (1, 1) || self.packing == Packing::Jpeg {
            return self.row_bytes(plane, self.chunk.width).saturating_mul(u64::from(rows));
        }
        let units = u64::from(self.chunk.width.div_ceil(h)).saturating_mul(u64::from(rows.div_ceil(v)));
        units.saturating_mul(u64::from(h.saturating_mul(v).saturating_add(2)))
    }

    /// How it lies in the file, in words.
    pub(super) fn describe(&self, big_endian: bool) -> String {
        let first = self.bits.first().copied().unwrap_or(1);
        let bits = match self.bits.iter().all(|&b| b == first) {
            true => first.to_string(),
            false => self.bits.iter().map(u16::to_string).collect::<Vec<_>>().join("+"),
        };
        let kind = match self.kind {
            Kind::Unsigned => "",
            Kind::Signed => " signed",
            Kind::Float => " float",
        };
        let colors = match self.photometric {
            Photometric::WhiteIsZero => "gray (white is 0)",
            Photometric::BlackIsZero => "gray",
            Photometric::Rgb => "rgb",
            Photometric::Palette => "palette",
            Photometric::Mask => "mask",
            Photometric::Ink => "ink",
            Photometric::Ycbcr => "YCbCr",
            Photometric::CieLab => "CIE L*a*b*",
            Photometric::IccLab => "ICC L*a*b*",
        };
        let extra = match self.extra.as_slice() {
            [] => String::new(),
            [1] => " with associated alpha".to_string(),
            [2] => " with alpha".to_string(),
            more => format!(" with {} more", more.len()),
        };
        let Size { width, height } = self.chunk;
        let lies = match self.tiled {
            true => format!("tiles of {width}x{height}"),
            false if self.down == 1 => "one strip".to_string(),
            false => format!("strips of {height} rows"),
        };
        let planar = if self.planar { ", planar" } else { "" };
        let packing = match self.packing {
            Packing::None => "not compressed",
            Packing::FaxRows => "fax rows",
            Packing::Fax3 { two: false } => "fax T.4",
            Packing::Fax3 { two: true } => "fax T.4 in two dimensions",
            Packing::Fax4 => "fax T.6",
            Packing::Lzw => "LZW",
            Packing::Jpeg => "JPEG",
            Packing::Deflate => "Deflate",
            Packing::PackBits => "PackBits",
        };
        let predictor = match self.predictor {
            Predictor::None => "",
            Predictor::Differences => " of differences",
            Predictor::FloatBytes => " of float bytes",
        };
        let order = if big_endian { "big-endian" } else { "little-endian" };
        format!("{bits}-bit{kind} {colors}{extra}, {lies}{planar}, {packing}{predictor}, {order}")
    }
}
