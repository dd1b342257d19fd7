//! How the pixels of a directory lie in the file: size, samples, strips or tiles, packing. Checked here, once.

use super::directory::Values;
use super::tags;
use crate::error::{Error, Result};
use crate::file::limits::Limits;
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
    /// What a directory says; meaningless where values are missing.
    ///
    /// # Errors
    /// Tags that are missing, twice, or have values that no picture has.
    pub(super) fn read(v: &mut Values<'_>, limits: &Limits) -> Result<Shape> {
        let size = Size::new(side(v, tags::WIDTH)?, side(v, tags::HEIGHT)?);
        limits.check_size(size)?;
        let samples = v.one(tags::SAMPLES)?.unwrap_or(1);
        if samples == 0 || samples > 65_535 {
            return Err(wrong(v, tags::SAMPLES, format!("is {samples}; a pixel has 1 to 65535 samples")));
        }
        let bits = bits(v, samples)?;
        let kind = kind(v, samples)?;
        let packing = packing(v)?;
        let photometric = photometric(v, packing)?;
        let extra = extra(v, photometric, samples)?;
        let planar = match v.one(tags::PLANAR)? {
            None | Some(1) => false,
            // One sample lies the same either way.
            Some(2) => samples > 1,
            Some(other) => return Err(wrong(v, tags::PLANAR, format!("is {other}; there are 1 and 2"))),
        };
        let predictor = match v.one(tags::PREDICTOR)? {
            None | Some(1) => Predictor::None,
            // Only these go with one (TIFF 6.0, section 14).
            Some(_) if !matches!(packing, Packing::Lzw | Packing::Deflate) => Predictor::None,
            Some(2) => Predictor::Differences,
            Some(3) => Predictor::FloatBytes,
            Some(other) => return Err(wrong(v, tags::PREDICTOR, format!("is {other}; there are 1, 2 and 3"))),
        };
        let lowest_first = match v.one(tags::FILL_ORDER)? {
            None | Some(1) => false,
            Some(2) => true,
            Some(other) => return Err(wrong(v, tags::FILL_ORDER, format!("is {other}; there are 1 and 2"))),
        };
        let (tiled, chunk) = chunk(v, size)?;
        let chroma = match photometric {
            Photometric::Ycbcr => chroma(v)?,
            _ => (1, 1),
        };
        let (across, down) = (size.width.div_ceil(chunk.width), size.height.div_ceil(chunk.height));
        let jpeg12 = packing == Packing::Jpeg && bits.first() == Some(&12);
        let shape = Shape {
            size,
            held: if jpeg12 { vec![16; bits.len()] } else { bits.clone() },
            bits,
            kind,
            photometric,
            extra,
            planar,
            packing,
            predictor,
            lowest_first,
            tiled,
            chunk,
            across,
            down,
            chroma,
        };
        shape.check(v)?;
        Ok(shape)
    }

    /// What only all of it together tells.
    fn check(&self, v: &Values<'_>) -> Result<()> {
        let samples = self.bits.len();
        let first = self.bits.first().copied().unwrap_or(1);
        let alike = self.bits.iter().all(|&b| b == first);
        let refuse = |what: String| Err(Error::not_supported(what));
        match self.kind {
            Kind::Float if !alike || !matches!(first, 16 | 24 | 32 | 64) => {
                return refuse(format!("floats of {first} bits; there are 16, 24, 32 and 64"));
            }
            _ if !alike && self.bits.iter().any(|&b| b > 32) => {
                return refuse("samples of different sizes of over 32 bits".to_string());
            }
            _ if self.bits.iter().any(|&b| b > 32 && b != 64) => return refuse(format!("samples of {first} bits")),
            _ => {}
        }
        match self.predictor {
            Predictor::Differences if !alike || !matches!(first, 8 | 16 | 32 | 64) => {
                return refuse(format!("predictor 2 with samples of {first} bits; it goes with 8, 16, 32 and 64"));
            }
            Predictor::FloatBytes if self.kind != Kind::Float => {
                return Err(wrong(v, tags::PREDICTOR, "is 3, which goes with floats only"));
            }
            _ => {}
        }
        let fax = matches!(self.packing, Packing::FaxRows | Packing::Fax3 { .. } | Packing::Fax4);
        if fax && (samples != 1 || first != 1) {
            return Err(wrong(v, tags::COMPRESSION, "is that of fax, which goes with one sample of 1 bit"));
        }
        if self.packing == Packing::Jpeg && !(alike && matches!(first, 8 | 12) && self.kind == Kind::Unsigned) {
            return Err(wrong(v, tags::COMPRESSION, "is JPEG, which goes with samples of 8 and 12 bits"));
        }
        match self.photometric {
            Photometric::Palette if samples != 1 || first > 16 || self.kind != Kind::Unsigned => {
                Err(wrong(v, tags::PHOTOMETRIC, "is a palette, which goes with one sample of 1 to 16 bits"))
            }
            Photometric::CieLab | Photometric::IccLab
                if !(alike && matches!(first, 8 | 16)) || self.kind == Kind::Float =>
            {
                refuse(format!("L*a*b* of {first} bits; there are 8 and 16"))
            }
            Photometric::Ycbcr if self.packing != Packing::Jpeg => {
                let whole = alike && first == 8 && samples == 3 && self.kind == Kind::Unsigned;
                let parts = self.chroma != (1, 1);
                match whole && !(parts && (self.planar || self.predictor != Predictor::None)) {
                    true => Ok(()),
                    false => refuse("YCbCr other than 8 bits of 3 samples, subsampled ones interleaved".to_string()),
                }
            }
            _ => Ok(()),
        }
    }

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

/// An error about a tag, where it stands.
#[cold]
fn wrong(v: &Values<'_>, tag: u16, what: impl std::fmt::Display) -> Error {
    match v.directory.entries.iter().find(|e| e.tag == tag) {
        Some(entry) => entry.wrong(what),
        None => Error::malformed(format!("{} {what}", tags::name(tag))),
    }
}

fn side(v: &mut Values<'_>, tag: u16) -> Result<u32> {
    let Some(side) = v.one(tag)? else { return Err(wrong(v, tag, "is missing")) };
    u32::try_from(side).map_err(|_| wrong(v, tag, format!("is {side}, more than any picture has")))
}

fn bits(v: &mut Values<'_>, samples: u64) -> Result<Vec<u16>> {
    let there = v.directory.has(tags::BITS);
    if let Some(entry) = v.directory.find(tags::BITS)?
        && entry.count != samples
        && entry.count != 1
    {
        return Err(entry.wrong(format!("has {} values for {samples} samples", entry.count)));
    }
    let stated = v.numbers(tags::BITS, samples)?;
    let stated = match stated {
        Some(all) => all,
        // Not fetched yet.
        None if there => vec![8; samples as usize],
        None => vec![1],
    };
    let mut bits = Vec::with_capacity(samples as usize);
    for &b in &stated {
        match u16::try_from(b) {
            Ok(b @ 1..=64) => bits.push(b),
            _ => return Err(wrong(v, tags::BITS, format!("is {b}; a sample has 1 to 64 bits"))),
        }
    }
    // One value for all is what many a file has.
    if let &[one] = bits.as_slice() {
        bits = vec![one; samples as usize];
    }
    Ok(bits)
}

fn kind(v: &mut Values<'_>, samples: u64) -> Result<Kind> {
    let stated = v.numbers(tags::SAMPLE_FORMAT, samples)?.unwrap_or_else(|| vec![1]);
    let first = stated.first().copied().unwrap_or(1);
    if stated.iter().any(|&k| k != first) {
        return Err(Error::not_supported("samples of different kinds (SampleFormat) in one pixel"));
    }
    match first {
        // What is said to be undefined is read as whole numbers, as the standard says.
        1 | 4 => Ok(Kind::Unsigned),
        2 => Ok(Kind::Signed),
        3 => Ok(Kind::Float),
        5 | 6 => Err(Error::not_supported("complex numbers (SampleFormat 5 and 6)")),
        other => Err(wrong(v, tags::SAMPLE_FORMAT, format!("is {other}; there are 1 to 6"))),
    }
}

fn packing(v: &mut Values<'_>) -> Result<Packing> {
    let two = v.one(tags::T4_OPTIONS)?.unwrap_or(0) & 1 == 1;
    let refused = match v.one(tags::COMPRESSION)?.unwrap_or(1) {
        1 => return Ok(Packing::None),
        2 => return Ok(Packing::FaxRows),
        3 => return Ok(Packing::Fax3 { two }),
        4 => return Ok(Packing::Fax4),
        5 => return Ok(Packing::Lzw),
        7 => return Ok(Packing::Jpeg),
        8 | 32_946 => return Ok(Packing::Deflate),
        32_773 => return Ok(Packing::PackBits),
        6 => "JPEG in the form of 1992, which was withdrawn,",
        9 | 10 => "JBIG",
        34_712 => "JPEG 2000",
        34_892 => "lossy JPEG of raw data",
        34_925 => "LZMA",
        50_000 => "Zstandard",
        50_001 => "WebP",
        32_809 => "ThunderScan",
        other => return Err(Error::not_supported(format!("TIFF packed by code {other}"))),
    };
    Err(Error::not_supported(format!("TIFF packed by {refused} (code of tag 259)")))
}

fn photometric(v: &mut Values<'_>, packing: Packing) -> Result<Photometric> {
    Ok(match v.one(tags::PHOTOMETRIC)? {
        Some(0) => Photometric::WhiteIsZero,
        Some(1) => Photometric::BlackIsZero,
        Some(2) => Photometric::Rgb,
        Some(3) => Photometric::Palette,
        Some(4) => Photometric::Mask,
        Some(5) => Photometric::Ink,
        Some(6) => Photometric::Ycbcr,
        Some(8) => Photometric::CieLab,
        Some(9) => Photometric::IccLab,
        Some(32_844 | 32_845) => return Err(Error::not_supported("light by its logarithm (LogL, LogLuv)")),
        Some(32_803 | 34_892) => return Err(Error::not_supported("unprocessed samples of a colour filter array")),
        Some(other) => return Err(Error::not_supported(format!("pixels of kind {other} (tag 262)"))),
        // Fax files leave it out; their white is 0.
        None if matches!(packing, Packing::FaxRows | Packing::Fax3 { .. } | Packing::Fax4) => Photometric::WhiteIsZero,
        None => return Err(wrong(v, tags::PHOTOMETRIC, "is missing")),
    })
}

/// What the samples beyond those of colour are.
fn extra(v: &mut Values<'_>, photometric: Photometric, samples: u64) -> Result<Vec<u64>> {
    let colors = match photometric {
        Photometric::Rgb | Photometric::Ycbcr | Photometric::CieLab | Photometric::IccLab => 3,
        // Inks that are not the four of process colour are told apart by their number alone.
        Photometric::Ink => match v.one(tags::INK_SET)? {
            None | Some(1) => 4,
            _ => samples.saturating_sub(v.numbers(tags::EXTRA_SAMPLES, samples)?.map_or(0, |e| e.len() as u64)).max(1),
        },
        _ => 1,
    };
    let Some(count) = samples.checked_sub(colors) else {
        return Err(wrong(v, tags::SAMPLES, format!("is {samples}; pixels of this kind have {colors} at least")));
    };
    let mut extra = v.numbers(tags::EXTRA_SAMPLES, samples)?.unwrap_or_default();
    extra.resize(count as usize, 0);
    Ok(extra)
}

/// Pixels of a strip or tile.
fn chunk(v: &mut Values<'_>, size: Size) -> Result<(bool, Size)> {
    if v.directory.has(tags::TILE_WIDTH) || v.directory.has(tags::TILE_OFFSETS) {
        let (width, height) = (side(v, tags::TILE_WIDTH)?, side(v, tags::TILE_HEIGHT)?);
        for (tag, side) in [(tags::TILE_WIDTH, width), (tags::TILE_HEIGHT, height)] {
            if side == 0 || !side.is_multiple_of(16) {
                return Err(wrong(v, tag, format!("is {side}; tiles have multiples of 16 pixels")));
            }
        }
        return Ok((true, Size::new(width, height)));
    }
    let rows = match v.one(tags::ROWS_PER_STRIP)? {
        Some(0) => return Err(wrong(v, tags::ROWS_PER_STRIP, "is 0")),
        Some(rows) => u32::try_from(rows).unwrap_or(u32::MAX).min(size.height),
        None => size.height,
    };
    Ok((false, Size::new(size.width, rows)))
}

fn chroma(v: &mut Values<'_>) -> Result<(u32, u32)> {
    let stated = v.numbers(tags::YCBCR_SAMPLING, 2)?.unwrap_or_else(|| vec![2, 2]);
    match stated.as_slice() {
        // Down never less than across, says section 21; files that have it all the same are clear enough.
        &[h @ (1 | 2 | 4), v @ (1 | 2 | 4)] => Ok((h as u32, v as u32)),
        other => Err(wrong(v, tags::YCBCR_SAMPLING, format!("is {other:?}; each is 1, 2 or 4"))),
    }
}
