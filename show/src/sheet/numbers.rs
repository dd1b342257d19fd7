//! Samples of any type as the page takes them: little-endian, integers as differences from the left, bytes of equal weight together,
//! packed and in base64.

use crate::{Error, Result};
use base64::Engine;
use flate2::{Compression, write::ZlibEncoder};
use rahmen::frame::{AnyPlanes, SamplesRef};
use rahmen::{Content, PixelFormat};
use std::io::Write;

/// Packed samples, and how they were packed.
pub(super) struct Packed {
    /// The name of the number type: u8 ... f64.
    pub(super) number: &'static str,
    /// Whether each channel lies by itself.
    pub(super) planar: bool,
    /// Whether each sample is the difference from the one to the left.
    pub(super) differences: bool,
    pub(super) base64: String,
}

/// Effort of packing: pages are made while someone waits.
const EFFORT: u32 = 3;

pub(super) fn pack(content: &Content) -> Result<Packed> {
    let (number, planar) = match content.pixel_format() {
        PixelFormat::Pixels { depth, .. } => (depth.name(), false),
        PixelFormat::Planes { number, .. } => (number.name(), true),
    };
    let row = content.size().width as usize;
    let mut bytes = Vec::new();
    match content {
        Content::Pixels(pixels) => {
            let channels = pixels.layout().channels();
            match pixels.samples() {
                SamplesRef::U8(s) => whole(s, row * channels, channels, &mut bytes, u8::wrapping_sub, u8::to_le_bytes),
                SamplesRef::U16(s) => {
                    whole(s, row * channels, channels, &mut bytes, u16::wrapping_sub, u16::to_le_bytes);
                }
                SamplesRef::F32(s) => s.iter().for_each(|v| bytes.extend(v.to_le_bytes())),
            }
        }
        Content::Planes(planes) => {
            macro_rules! put {
                ($planes:expr, $t:ty) => {
                    for (_, plane) in $planes.iter() {
                        whole(plane.samples(), row, 1, &mut bytes, <$t>::wrapping_sub, <$t>::to_le_bytes);
                    }
                };
                ($planes:expr) => {
                    for (_, plane) in $planes.iter() {
                        plane.samples().iter().for_each(|v| bytes.extend(v.to_le_bytes()));
                    }
                };
            }
            match planes {
                AnyPlanes::U8(p) => put!(p, u8),
                AnyPlanes::U16(p) => put!(p, u16),
                AnyPlanes::U32(p) => put!(p, u32),
                AnyPlanes::I8(p) => put!(p, i8),
                AnyPlanes::I16(p) => put!(p, i16),
                AnyPlanes::I32(p) => put!(p, i32),
                // A browser adds these up as numbers of another kind, slowly.
                AnyPlanes::U64(p) => put!(p),
                AnyPlanes::I64(p) => put!(p),
                AnyPlanes::F32(p) => put!(p),
                AnyPlanes::F64(p) => put!(p),
            }
        }
    }
    let differences = matches!(number, "u8" | "u16" | "u32" | "i8" | "i16" | "i32");
    let width = match number {
        "u8" | "i8" => 1,
        "u16" | "i16" => 2,
        "u32" | "i32" | "f32" => 4,
        _ => 8,
    };
    let failed = |e: std::io::Error| Error::Drawing(format!("the samples cannot be packed: {e}"));
    let mut packer = ZlibEncoder::new(Vec::new(), Compression::new(EFFORT));
    packer.write_all(&apart(bytes, width)).map_err(failed)?;
    let packed = packer.finish().map_err(failed)?;
    Ok(Packed { number, planar, differences, base64: base64::engine::general_purpose::STANDARD.encode(packed) })
}

/// Rows of integers as differences from the sample `step` before, each row by itself.
fn whole<T: Copy, const N: usize>(
    samples: &[T],
    row: usize,
    step: usize,
    bytes: &mut Vec<u8>,
    less: impl Fn(T, T) -> T,
    put: impl Fn(T) -> [u8; N],
) {
    for row in samples.chunks_exact(row.max(1)) {
        let first = &row[..step.min(row.len())];
        first.iter().for_each(|v| bytes.extend(put(*v)));
        row.iter().skip(step).zip(row).for_each(|(v, left)| bytes.extend(put(less(*v, *left))));
    }
}

/// The lowest bytes of all numbers, then the next ones.
fn apart(bytes: Vec<u8>, width: usize) -> Vec<u8> {
    match width {
        1 => bytes,
        _ => (0..width).flat_map(|b| bytes.iter().skip(b).step_by(width).copied()).collect(),
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rahmen::{Frame, Gray, Planes, Rgb, Size};
    use std::io::Read;

    fn unpacked(packed: &Packed) -> Vec<u8> {
        let bytes = base64::engine::general_purpose::STANDARD.decode(&packed.base64).unwrap();
        let mut out = Vec::new();
        flate2::read::ZlibDecoder::new(bytes.as_slice()).read_to_end(&mut out).unwrap();
        out
    }

    #[test]
    fn integers_are_differences_with_bytes_of_equal_weight_together() {
        let frame = Frame::from_samples(Size::new(2, 2), vec![0x0102u16, 0x0304, 5, 4]).unwrap();
        let packed = pack(&Frame::<Gray<u16>>::into(frame)).unwrap();
        assert_eq!((packed.number, packed.planar, packed.differences), ("u16", false, true));
        // 0x0102, 0x0202, 5, -1: low bytes, then high ones.
        assert_eq!(unpacked(&packed), [0x02, 0x02, 5, 0xff, 0x01, 0x02, 0, 0xff]);
        let colors = Frame::from_samples(Size::new(2, 1), vec![1u8, 2, 3, 11, 22, 0]).unwrap();
        assert_eq!(unpacked(&pack(&Frame::<Rgb<u8>>::into(colors)).unwrap()), [1, 2, 3, 10, 20, 253]);
    }

    #[test]
    fn floats_and_planes_stay_what_they_are() {
        let plane = |values: Vec<f64>| Frame::<Gray<f64>>::from_samples(Size::new(1, 2), values).unwrap();
        let planes = Planes::new(Size::new(1, 2)).with("a", plane(vec![0.5, f64::NAN])).unwrap();
        let packed = pack(&Content::Planes(planes.into())).unwrap();
        assert_eq!((packed.number, packed.planar, packed.differences), ("f64", true, false));
        let bytes = unpacked(&packed);
        let first: Vec<u8> = bytes.iter().step_by(2).copied().collect();
        assert_eq!(first, 0.5f64.to_le_bytes());
    }
}
