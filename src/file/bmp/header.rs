//! The file header, the information header in its versions, masks and palette.

use crate::error::{Error, Result};
use crate::frame::{Resolution, ResolutionUnit, Size};

/// How the pixels are stored.
#[derive(Debug, Clone, PartialEq)]
pub(super) enum Kind {
    /// Indices of 1, 4 or 8 bits.
    Indices(Vec<[u8; 3]>),
    /// Indices as runs (RLE4, RLE8).
    Runs(Vec<[u8; 3]>),
    /// Blue, green, red: 24 bits.
    Bytes,
    /// Fields of 16 or 32 bits: red, green, blue, and perhaps alpha.
    Fields(Vec<Field>),
}

/// A channel within a pixel's bits.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Field {
    pub(super) shift: u32,
    /// The largest number it holds.
    pub(super) top: u32,
}

impl Field {
    /// A field of a mask, whose bits must lie side by side.
    fn of(mask: u32) -> Result<Field> {
        let shift = mask.trailing_zeros().min(31);
        let top = mask >> shift;
        if mask == 0 || top & top.wrapping_add(1) != 0 || top > 0xffff {
            return Err(Error::malformed(format!("a mask of {mask:08x} is no run of 1 to 16 bits")));
        }
        Ok(Field { shift, top })
    }
}

#[derive(Debug, Clone, PartialEq)]
pub(super) struct Header {
    pub(super) size: Size,
    pub(super) top_down: bool,
    pub(super) bits: u16,
    pub(super) kind: Kind,
    pub(super) resolution: Option<Resolution>,
    /// Where the pixels start.
    pub(super) data_at: usize,
    /// Where a colour profile lies, and its bytes (version 5).
    pub(super) profile: Option<(u64, u32)>,
}

fn word(bytes: &[u8], at: usize) -> Option<u16> {
    bytes.get(at..)?.first_chunk().map(|b| u16::from_le_bytes(*b))
}

fn long(bytes: &[u8], at: usize) -> Option<u32> {
    bytes.get(at..)?.first_chunk().map(|b| u32::from_le_bytes(*b))
}

/// Where the pixels start, once enough bytes are there to tell.
fn data_at(bytes: &[u8]) -> Option<usize> {
    long(bytes, 10).map(|at| at as usize)
}

/// Bytes that are enough to know all that stands before the pixels, once [`FIRST`] of them are there: headers, four
/// masks and 256 colours, but no further than to the pixels.
pub(super) fn enough(bytes: &[u8]) -> usize {
    let information = long(bytes, 14).unwrap_or(0).min(124) as usize;
    let most = information.saturating_add(14 + 16 + 1024);
    data_at(bytes).unwrap_or(0).clamp(FIRST, most.max(FIRST))
}

/// Bytes of the shortest header.
pub(super) const FIRST: usize = 26;

/// The mark of a profile within the file (version 5, where a colour space is named).
const EMBEDDED: u32 = 0x4d42_4544;

impl Header {
    /// Bytes of a row: padded to four.
    pub(super) fn row_bytes(&self) -> usize {
        (self.size.width as usize).saturating_mul(usize::from(self.bits)).div_ceil(32).saturating_mul(4)
    }

    /// Reads all that stands before the pixels.
    pub(super) fn parse(bytes: &[u8]) -> Result<Header> {
        let short = || Error::malformed("the header is shorter than it says");
        let data_at = data_at(bytes).ok_or_else(short)?;
        let length = long(bytes, 14).ok_or_else(short)? as usize;
        if !matches!(length, 12 | 16..=124) {
            return Err(Error::malformed(format!("an information header of {length} bytes does not exist")));
        }
        let core = length == 12;
        let (width, height) = match core {
            true => (i64::from(word(bytes, 18).ok_or_else(short)?), i64::from(word(bytes, 20).ok_or_else(short)?)),
            false => {
                let side = |at| long(bytes, at).map(|v| i64::from(v as i32)).ok_or_else(short);
                (side(18)?, side(22)?)
            }
        };
        let bits = word(bytes, if core { 24 } else { 28 }).ok_or_else(short)?;
        // Fields that a shorter header does not have are 0.
        let own = |at: usize| {
            if at.saturating_add(4) <= length.saturating_add(14) { long(bytes, at).unwrap_or(0) } else { 0 }
        };
        let compression = own(30);
        let size = match (u32::try_from(width), u32::try_from(height.unsigned_abs())) {
            (Ok(width), Ok(height)) => Size::new(width, height),
            _ => return Err(Error::malformed(format!("a size of {width}x{height}"))),
        };
        let top_down = height < 0;
        let after = length.saturating_add(14);
        let kind = match (bits, compression) {
            (1 | 4 | 8, 0) => Kind::Indices(palette(bytes, after, bits, core, own(46), data_at)?),
            (8, 1) | (4, 2) if !top_down => Kind::Runs(palette(bytes, after, bits, core, own(46), data_at)?),
            (24, 0) => Kind::Bytes,
            (16, 0) => Kind::Fields(fields([0x7c00, 0x3e0, 0x1f, 0])?),
            (32, 0) => Kind::Fields(fields([0xff_0000, 0xff00, 0xff, 0])?),
            (16 | 32, 3 | 6) => {
                // Within the header from version 2 on, behind it before; alpha from version 3 on or where 6 says so.
                let mask = |i: usize| long(bytes, i.saturating_mul(4).saturating_add(54)).ok_or_else(short);
                let alpha = if length >= 56 || compression == 6 { mask(3)? } else { 0 };
                Kind::Fields(fields([mask(0)?, mask(1)?, mask(2)?, alpha])?)
            }
            (_, 4 | 5) => return Err(Error::not_supported("a bitmap that holds a JPEG or PNG file")),
            _ => {
                return Err(Error::malformed(format!(
                    "{bits} bits a pixel with compression {compression} do not exist"
                )));
            }
        };
        let (x, y) = (own(38), own(42));
        let resolution = (x > 0 && y > 0 && x <= i32::MAX as u32 && y <= i32::MAX as u32).then(|| Resolution {
            x: f64::from(x),
            y: f64::from(y),
            unit: ResolutionUnit::Metre,
        });
        let embedded = length == 124 && own(70) == EMBEDDED && own(130) > 0;
        let profile = embedded.then(|| (u64::from(own(126)).saturating_add(14), own(130)));
        Ok(Header { size, top_down, bits, kind, resolution, data_at, profile })
    }

    /// The description in words.
    pub(super) fn describe(&self) -> String {
        let order = if self.top_down { "top row first" } else { "lowest row first" };
        let what = match &self.kind {
            Kind::Indices(palette) => format!("{}-bit indices, {} colours", self.bits, palette.len()),
            Kind::Runs(palette) => format!("runs of {}-bit indices, {} colours", self.bits, palette.len()),
            Kind::Bytes => "24 bits".to_string(),
            Kind::Fields(fields) => {
                let bits: Vec<String> = fields.iter().map(|f| f.top.count_ones().to_string()).collect();
                format!("{} bits, fields of {}", self.bits, bits.join("-"))
            }
        };
        format!("{what}, {order}")
    }
}

fn fields([r, g, b, a]: [u32; 4]) -> Result<Vec<Field>> {
    let mut all = vec![Field::of(r)?, Field::of(g)?, Field::of(b)?];
    if a != 0 {
        all.push(Field::of(a)?);
    }
    Ok(all)
}

/// The colours: blue, green, red, and a byte of padding but in the oldest header.
fn palette(bytes: &[u8], at: usize, bits: u16, core: bool, used: u32, data_at: usize) -> Result<Vec<[u8; 3]>> {
    let most = 1usize << bits.min(8);
    let count = match used {
        0 => most,
        n => (n as usize).min(most),
    };
    let each = if core { 3 } else { 4 };
    let stored = bytes.get(at..data_at.min(bytes.len())).unwrap_or_default();
    let colors = stored.chunks_exact(each).take(count).map(|c| match *c {
        [b, g, r, ..] => [r, g, b],
        _ => [0; 3],
    });
    let colors: Vec<[u8; 3]> = colors.collect();
    if colors.is_empty() {
        return Err(Error::malformed("a picture of indices without a palette"));
    }
    Ok(colors)
}
