//! The tags that say how pixels lie: read, and checked against each other.

use super::{Kind, Packing, Photometric, Predictor, Shape};
use crate::error::{Error, Result};
use crate::file::limits::Limits;
use crate::file::tiff::directory::Values;
use crate::file::tiff::tags;
use crate::frame::Size;

impl Shape {
    /// What a directory says; meaningless where values are missing.
    ///
    /// # Errors
    /// Tags that are missing, twice, or have values that no picture has.
    pub(in crate::file::tiff) fn read(v: &mut Values<'_>, limits: &Limits) -> Result<Shape> {
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
        let planar = planar(v, samples)?;
        let predictor = predictor(v, packing)?;
        let lowest_first = lowest_first(v)?;
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

/// Whether each sample has strips or tiles of its own; one sample lies the same either way.
fn planar(v: &mut Values<'_>, samples: u64) -> Result<bool> {
    match v.one(tags::PLANAR)? {
        None | Some(1) => Ok(false),
        Some(2) => Ok(samples > 1),
        Some(other) => Err(wrong(v, tags::PLANAR, format!("is {other}; there are 1 and 2"))),
    }
}

fn predictor(v: &mut Values<'_>, packing: Packing) -> Result<Predictor> {
    match v.one(tags::PREDICTOR)? {
        None | Some(1) => Ok(Predictor::None),
        // Only these go with one (TIFF 6.0, section 14).
        Some(_) if !matches!(packing, Packing::Lzw | Packing::Deflate) => Ok(Predictor::None),
        Some(2) => Ok(Predictor::Differences),
        Some(3) => Ok(Predictor::FloatBytes),
        Some(other) => Err(wrong(v, tags::PREDICTOR, format!("is {other}; there are 1, 2 and 3"))),
    }
}

fn lowest_first(v: &mut Values<'_>) -> Result<bool> {
    match v.one(tags::FILL_ORDER)? {
        None | Some(1) => Ok(false),
        Some(2) => Ok(true),
        Some(other) => Err(wrong(v, tags::FILL_ORDER, format!("is {other}; there are 1 and 2"))),
    }
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
