//! Luma and colour differences in foreign memory: planes, half-planar and packed.

use super::YcbcrRules;
use super::code::YcbcrCode;
use super::frame::{YcbcrFrame, chroma_size};
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{Frame, Size};
use crate::pixel::{ChromaSampling, Gray};
use std::fmt;

/// The order of luma and colour differences in memory.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
pub enum YcbcrOrder {
    /// Three planes: Y, Cb, Cr.
    Planes,
    /// Three planes: Y, Cr, Cb.
    PlanesCrFirst,
    /// A plane of Y, then one of pairs Cb Cr.
    Pairs,
    /// A plane of Y, then one of pairs Cr Cb.
    PairsCrFirst,
    /// Packed 4:2:2: Y Cb Y Cr.
    YCbYCr,
    /// Packed 4:2:2: Cb Y Cr Y (ITU-R BT.656, and SMPTE ST 125).
    CbYCrY,
    /// Packed 4:2:2: Y Cr Y Cb.
    YCrYCb,
}

impl YcbcrOrder {
    /// The orders and their words: `planes`, `planes-cr-first`, `pairs`, `pairs-cr-first`, `y-cb-y-cr`, `cb-y-cr-y`, `y-cr-y-cb`.
    pub const NAMED: &'static [(&'static str, YcbcrOrder)] = &[
        ("planes", YcbcrOrder::Planes),
        ("planes-cr-first", YcbcrOrder::PlanesCrFirst),
        ("pairs", YcbcrOrder::Pairs),
        ("pairs-cr-first", YcbcrOrder::PairsCrFirst),
        ("y-cb-y-cr", YcbcrOrder::YCbYCr),
        ("cb-y-cr-y", YcbcrOrder::CbYCrY),
        ("y-cr-y-cb", YcbcrOrder::YCrYCb),
    ];

    /// The order of this word.
    pub fn named(name: &str) -> Option<YcbcrOrder> {
        YcbcrOrder::NAMED.iter().find(|(own, _)| *own == name).map(|(_, order)| *order)
    }

    pub(super) fn is_packed(self) -> bool {
        matches!(self, YcbcrOrder::YCbYCr | YcbcrOrder::CbYCrY | YcbcrOrder::YCrYCb)
    }

    /// Of packed four: the places of the first luma, Cb and Cr; the second luma lies two behind the first.
    fn places(self) -> (usize, usize, usize) {
        match self {
            YcbcrOrder::CbYCrY => (1, 0, 2),
            YcbcrOrder::YCrYCb => (0, 3, 1),
            _ => (0, 1, 3),
        }
    }

    fn is_cr_first(self) -> bool {
        matches!(self, YcbcrOrder::PlanesCrFirst | YcbcrOrder::PairsCrFirst)
    }
}

impl fmt::Display for YcbcrOrder {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        f.write_str(YcbcrOrder::NAMED.iter().find(|(_, order)| order == self).map_or("order", |(name, _)| name))
    }
}

/// A full description of luma and colour differences in foreign memory: of 8 bits in bytes, of 9 to 16 in words of two bytes.
///
/// # Examples
/// A frame of a camera, packed 4:2:2, gray at half:
/// ```
/// use rahmen::color::ycbcr::{YcbcrLayout, YcbcrOrder, YcbcrRules};
/// use rahmen::{Rgb, Size, pixel::ChromaSampling};
/// let rules = YcbcrRules::new(8).sampling(ChromaSampling::Ratio422);
/// let layout = YcbcrLayout::new(Size::new(4, 1), YcbcrOrder::YCbYCr, rules);
/// let coded = layout.read::<u8>(&[126, 128, 126, 128, 235, 128, 16, 128])?;
/// let rgb = coded.to_rgb::<u8>()?;
/// assert_eq!(rgb.pixels(), [Rgb::new(128, 128, 128), Rgb::new(128, 128, 128), Rgb::new(255, 255, 255), Rgb::new(0, 0, 0)]);
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct YcbcrLayout {
    /// Width and height of the picture.
    pub size: Size,
    /// What lies where.
    pub order: YcbcrOrder,
    /// What the codes mean, and how many colour differences there are.
    pub rules: YcbcrRules,
    /// Whether words start with their highest byte; this machine's own order by default.
    pub big_endian: bool,
    /// Whether codes of 9 to 15 bits stand in the upper bits of their words, instead of the lower ones.
    pub high_bits: bool,
    /// Bytes before the first row.
    pub offset: usize,
    /// Bytes from row to row of luma, or of packed rows; without gaps by default.
    pub stride: Option<usize>,
    /// Bytes from row to row of colour differences; by default as many as go with the luma's, without gaps of their own.
    pub chroma_stride: Option<usize>,
}

impl YcbcrLayout {
    /// A layout without gaps, in this machine's byte order.
    pub fn new(size: Size, order: YcbcrOrder, rules: YcbcrRules) -> YcbcrLayout {
        let big_endian = cfg!(target_endian = "big");
        YcbcrLayout { size, order, rules, big_endian, high_bits: false, offset: 0, stride: None, chroma_stride: None }
    }

    /// Sets words that start with their highest byte.
    pub fn big_endian(self) -> YcbcrLayout {
        YcbcrLayout { big_endian: true, ..self }
    }

    /// Sets words that start with their lowest byte.
    pub fn little_endian(self) -> YcbcrLayout {
        YcbcrLayout { big_endian: false, ..self }
    }

    /// Sets codes in the upper bits of their words.
    pub fn high_bits(self) -> YcbcrLayout {
        YcbcrLayout { high_bits: true, ..self }
    }

    /// Sets the bytes before the first row.
    pub fn offset(self, bytes: usize) -> YcbcrLayout {
        YcbcrLayout { offset: bytes, ..self }
    }

    /// Sets the bytes from row to row of luma, or of packed rows.
    pub fn stride(self, bytes: usize) -> YcbcrLayout {
        YcbcrLayout { stride: Some(bytes), ..self }
    }

    /// Sets the bytes from row to row of colour differences.
    pub fn chroma_stride(self, bytes: usize) -> YcbcrLayout {
        YcbcrLayout { chroma_stride: Some(bytes), ..self }
    }

    /// Bytes from the start of the buffer that the layout reaches.
    ///
    /// # Errors
    /// A stride shorter than a row, bits outside 8..=16, a packed order that is not 4:2:2, or sums beyond the address space.
    pub fn bytes_needed(&self) -> Result<usize> {
        Ok(self.measures()?.needed)
    }

    fn measures(&self) -> Result<Measures> {
        self.rules.check(16)?;
        let bytes = if self.rules.bits > 8 { 2 } else { 1 };
        if self.order.is_packed() && self.rules.sampling != ChromaSampling::Ratio422 {
            return Err(Error::invalid(
                "order",
                format!("{} is packed 4:2:2; the rules say another sampling", self.order),
            ));
        }
        let few = chroma_size(self.size, &self.rules);
        let (wide, few_wide) = (self.size.width as usize, few.width as usize);
        // Two lumas and two colour differences for each pair, odd widths too.
        let row = if self.order.is_packed() { few_wide.checked_mul(4 * bytes) } else { wide.checked_mul(bytes) };
        let pairs = matches!(self.order, YcbcrOrder::Pairs | YcbcrOrder::PairsCrFirst);
        let chroma_row = few_wide.checked_mul(if pairs { 2 * bytes } else { bytes });
        let too_large = || ErrorKind::TooLarge { what: format!("luma and colour differences of {}", self.size) };
        let (row, chroma_row) = row.zip(chroma_row).ok_or_else(too_large)?;
        let checked = |stride: Option<usize>, row: usize| match stride {
            Some(stride) if stride < row => Err(Error::from(ErrorKind::Stride { unit: "bytes", stride, row })),
            stride => Ok(stride.unwrap_or(row)),
        };
        let stride = checked(self.stride, row)?;
        let chroma_stride = checked(self.chroma_stride, chroma_row)?;
        let plane = stride.checked_mul(self.size.height as usize);
        let chroma_plane = chroma_stride.checked_mul(few.height as usize);
        let planes = match self.order {
            order if order.is_packed() => 0,
            _ if pairs => 1,
            _ => 2,
        };
        let (plane, chroma_plane) = plane.zip(chroma_plane).ok_or_else(too_large)?;
        let sum = chroma_plane.checked_mul(planes).and_then(|all| all.checked_add(plane)?.checked_add(self.offset));
        let needed = sum.filter(|&n| n <= isize::MAX as usize).ok_or_else(too_large)?;
        Ok(Measures { bytes, stride, chroma_stride, plane, chroma_plane, few, needed })
    }

    fn measured(&self, found: usize) -> Result<Measures> {
        let measures = self.measures()?;
        if found < measures.needed {
            let detail = format!(" ({} {} from byte {})", self.size, self.order, self.offset);
            return Err(ErrorKind::WrongLength { unit: "bytes", needed: measures.needed, found, detail }.into());
        }
        Ok(measures)
    }

    /// Reads foreign memory. Codes beyond their bits are taken as the largest. One pass.
    ///
    /// # Errors
    /// As [`bytes_needed`](YcbcrLayout::bytes_needed); a buffer too short; more bits than the type has room for; no memory.
    pub fn read<T: YcbcrCode>(&self, bytes: &[u8]) -> Result<YcbcrFrame<T>> {
        self.rules.check(T::BITS)?;
        let m = self.measured(bytes.len())?;
        let bytes = &bytes[self.offset.min(bytes.len())..];
        let code = |at: usize| T::from_f64(self.code_at(bytes, at, m.bytes).into());
        let plane = |size: Size, place: &dyn Fn(usize, usize) -> usize| {
            Frame::<Gray<T>>::from_fn(size, |x, y| Gray::new(code(place(x as usize, y as usize))))
        };
        let [y, cb, cr] = self.places(&m);
        let (y, cb, cr) = (plane(self.size, &*y)?, plane(m.few, &*cb)?, plane(m.few, &*cr)?);
        YcbcrFrame::new(&self.rules, y, cb, cr)
    }

    /// Writes into foreign memory; what lies between rows stays as it is. One pass.
    ///
    /// # Errors
    /// As [`bytes_needed`](YcbcrLayout::bytes_needed); a buffer too short; a frame of another size or other rules.
    pub fn write<T: YcbcrCode>(&self, frame: &YcbcrFrame<T>, bytes: &mut [u8]) -> Result<()> {
        if frame.size() != self.size {
            return Err(Error::sizes("the frame", self.size, frame.size()));
        }
        if frame.rules().threads(self.rules.threads) != self.rules {
            return Err(Error::invalid("frame", "its codes follow other rules than the layout's"));
        }
        let m = self.measured(bytes.len())?;
        let start = self.offset.min(bytes.len());
        let bytes = &mut bytes[start..];
        let [y, cb, cr] = self.places(&m);
        for (plane, place) in [(frame.y(), y), (frame.cb(), cb), (frame.cr(), cr)] {
            for row in 0..plane.size().height {
                for (x, code) in plane.row(row).iter().enumerate() {
                    self.put(bytes, place(x, row as usize), m.bytes, code.value.to_f64() as u16);
                }
            }
        }
        // Of an odd width a packed row has a last luma that is none: the one before it again.
        if self.order.is_packed() && self.size.width % 2 == 1 {
            let [y, ..] = self.places(&m);
            for row in 0..self.size.height {
                let last = frame.y()[(self.size.width - 1, row)].value.to_f64() as u16;
                self.put(bytes, y(self.size.width as usize, row as usize), m.bytes, last);
            }
        }
        Ok(())
    }

    /// Where codes of Y, Cb and Cr lie, from the offset on.
    fn places(&self, m: &Measures) -> [Box<dyn Fn(usize, usize) -> usize>; 3] {
        let Measures { bytes, stride, chroma_stride, plane, chroma_plane, .. } = *m;
        let order = self.order;
        if order.is_packed() {
            let (y, cb, cr) = order.places();
            let chroma = move |place: usize| -> Box<dyn Fn(usize, usize) -> usize> {
                Box::new(move |x, row| row * stride + (4 * x + place) * bytes)
            };
            return [
                Box::new(move |x, row| row * stride + (4 * (x / 2) + y + 2 * (x % 2)) * bytes),
                chroma(cb),
                chroma(cr),
            ];
        }
        let pairs = matches!(order, YcbcrOrder::Pairs | YcbcrOrder::PairsCrFirst);
        // Whether it is the second of both.
        let chroma = move |second: bool| -> Box<dyn Fn(usize, usize) -> usize> {
            let (start, step) = match (pairs, second) {
                (true, second) => (plane + usize::from(second) * bytes, 2 * bytes),
                (false, second) => (plane + if second { chroma_plane } else { 0 }, bytes),
            };
            Box::new(move |x, row| start + row * chroma_stride + x * step)
        };
        let first = order.is_cr_first();
        [Box::new(move |x, row| row * stride + x * bytes), chroma(first), chroma(!first)]
    }

    fn shift(&self) -> u32 {
        if self.high_bits { 16 - u32::from(self.rules.bits) } else { 0 }
    }

    fn code_at(&self, bytes: &[u8], at: usize, size: usize) -> u16 {
        if size == 1 {
            return bytes[at].into();
        }
        let word = [bytes[at], bytes[at + 1]];
        let word = if self.big_endian { u16::from_be_bytes(word) } else { u16::from_le_bytes(word) };
        (word >> self.shift()).min(self.rules.max_code() as u16)
    }

    fn put(&self, bytes: &mut [u8], at: usize, size: usize, code: u16) {
        if size == 1 {
            bytes[at] = code as u8;
            return;
        }
        let word = code << self.shift();
        let word = if self.big_endian { word.to_be_bytes() } else { word.to_le_bytes() };
        bytes[at..at + 2].copy_from_slice(&word);
    }
}

/// Checked byte counts.
struct Measures {
    bytes: usize,
    stride: usize,
    chroma_stride: usize,
    plane: usize,
    chroma_plane: usize,
    few: Size,
    needed: usize,
}
