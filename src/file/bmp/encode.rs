//! Writing: version 3 headers, version 4 where there is alpha; the lowest row first.

use crate::convert::swizzle::each;
use crate::error::{Help, Result};
use crate::file::encoder::{Encoder, Output, cannot_hold, check_indices, palette_of, put_bytes};
use crate::file::holds::{holds, left_out};
use crate::file::reversed::ReversedRows;
use crate::frame::{
    Content, Facts, FileFormat, Metadata, Palette, PixelFormat, Resolution, ResolutionUnit, SamplesRef,
};
use crate::pixel::{Depth, Layout, Rgba};

/// Metres in an inch.
const INCH: f64 = 0.0254;

/// An encoder of bitmaps: given rows, gives bytes once all have come.
pub(in crate::file) struct BmpEncoder {
    layout: Layout,
    /// Bits of an index, or of a pixel.
    bits: u16,
    /// How many colours a palette has, for pictures of indices.
    colors: Option<usize>,
    rows: ReversedRows,
    remarks: Vec<String>,
}

impl BmpEncoder {
    /// Starts a file with its headers.
    pub(in crate::file) fn new(facts: &Facts, out: &mut dyn Output) -> Result<BmpEncoder> {
        let refuse = |what: &str, help: &'static [Help]| Err(cannot_hold(FileFormat::Bmp, what, help));
        let palette = match palette_of(facts)? {
            Some(palette) if !palette.is_opaque() => {
                return refuse("a palette with alpha", &[Help::NoIndices, Help::Extension("png")]);
            }
            Some(palette) => Some(palette.clone()),
            None => None,
        };
        // Indices of 2 bits do not exist here.
        let index_bits = palette.as_ref().map(|p: &Palette| u16::from(if p.bits() == 2 { 4 } else { p.bits() }));
        let (layout, bits) = match facts.pixel_format {
            PixelFormat::Pixels { depth: Depth::U16, .. } => {
                return refuse("u16 samples", &[Help::Depth(&[Depth::U8])]);
            }
            PixelFormat::Pixels { layout: Layout::Gray, .. } => (Layout::Gray, index_bits.unwrap_or(8)),
            PixelFormat::Pixels { layout: Layout::Rgb, .. } => (Layout::Rgb, 24),
            PixelFormat::Pixels { layout: Layout::Rgba, .. } => (Layout::Rgba, 32),
            _ => return refuse("gray with alpha", &[Help::Color, Help::Flatten]),
        };
        let indexed = palette.as_ref().map(|p| p.colors().len());
        let row_bytes = (facts.size.width as usize).saturating_mul(usize::from(bits)).div_ceil(32).saturating_mul(4);
        let information = if bits == 32 { 108u32 } else { 40 };
        let colors: Vec<Rgba<u8>> = match (palette, bits) {
            (Some(palette), _) => palette.colors().to_vec(),
            (None, 8) => (0..=255u8).map(|v| Rgba::new(v, v, v, 255)).collect(),
            (None, _) => Vec::new(),
        };
        let count = colors.len() as u32;
        let data_at = information.saturating_add(14).saturating_add(count.saturating_mul(4));
        let pixels = (row_bytes as u64).saturating_mul(u64::from(facts.size.height));
        let all = pixels.saturating_add(u64::from(data_at));
        let sides = (i32::try_from(facts.size.width), i32::try_from(facts.size.height));
        let (Ok(all), (Ok(width), Ok(height))) = (u32::try_from(all), sides) else {
            return refuse(&format!("{} pixels of {bits} bits; the file must stay below 4 GiB", facts.size), &[]);
        };
        let mut head = b"BM".to_vec();
        let mut put = |numbers: &[u32]| numbers.iter().for_each(|n| head.extend(n.to_le_bytes()));
        put(&[all, 0, data_at, information, width as u32, height as u32]);
        head.extend([1, 0]);
        head.extend(bits.to_le_bytes());
        let mut put = |numbers: &[u32]| numbers.iter().for_each(|n| head.extend(n.to_le_bytes()));
        let [x, y] = pixels_a_metre(&facts.metadata);
        put(&[if bits == 32 { 3 } else { 0 }, pixels as u32, x, y, count, 0]);
        if bits == 32 {
            // Masks of red, green, blue and alpha, and sRGB as the colour space.
            put(&[0xff_0000, 0xff00, 0xff, 0xff00_0000, u32::from_le_bytes(*b"BGRs")]);
            put(&[0; 12]);
        }
        colors.iter().for_each(|c| head.extend([c.b, c.g, c.r, 0]));
        put_bytes(out, &head)?;
        let rows = ReversedRows::new(row_bytes, facts.size.height, head.len() as u64);
        Ok(BmpEncoder {
            layout,
            bits,
            colors: indexed,
            rows,
            remarks: left_out(&facts.metadata, holds(FileFormat::Bmp)),
        })
    }
}

fn pixels_a_metre(metadata: &Metadata) -> [u32; 2] {
    match metadata.resolution {
        Some(Resolution { x, y, unit: ResolutionUnit::Metre }) => [(x + 0.5) as u32, (y + 0.5) as u32],
        Some(Resolution { x, y, unit: ResolutionUnit::Inch }) => [(x / INCH + 0.5) as u32, (y / INCH + 0.5) as u32],
        _ => [0, 0],
    }
}

impl Encoder for BmpEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        let rows = rows.pixels()?;
        let (layout, bits, colors) = (self.layout, self.bits, self.colors);
        self.rows.put(rows.size().height, out, |y, to| {
            // `new` has let only bytes through.
            let SamplesRef::U8(samples) = rows.row(y) else { return Ok(()) };
            colors.map_or(Ok(()), |colors| check_indices(samples, colors))?;
            put_row(layout, bits, samples, to);
            Ok(())
        })
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        self.rows.finish(out)
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}

/// A row's samples as the file has them; the gap behind them is left alone.
fn put_row(layout: Layout, bits: u16, samples: &[u8], to: &mut [u8]) {
    match layout {
        Layout::Rgb => each::<u8, 3, 3>(samples, to, |&[r, g, b], to| *to = [b, g, r]),
        Layout::Rgba => each::<u8, 4, 4>(samples, to, |&[r, g, b, a], to| *to = [b, g, r, a]),
        _ if bits < 8 => {
            // Bits are 1 or 4, so they divide a byte; the leftmost index is in the highest ones.
            let count = 8usize.checked_div(usize::from(bits)).unwrap_or(1);
            let bits = u32::from(bits);
            for (to, part) in to.iter_mut().zip(samples.chunks(count)) {
                let packed = part.iter().fold(0u8, |byte, &v| (byte << bits) | v);
                *to = packed << bits.saturating_mul(count.saturating_sub(part.len()) as u32);
            }
        }
        _ => to.iter_mut().zip(samples).for_each(|(to, v)| *to = *v),
    }
}
