//! Writing: plain pixels, the top row first, with extension area and footer.

use super::area;
use crate::convert::swizzle::each;
use crate::error::{Help, Result};
use crate::file::encoder::{Encoder, Output, cannot_hold, check_indices, palette_of, put_bytes};
use crate::file::holds::{Holds, left_out};
use crate::file::words::words_le;
use crate::frame::{Content, Facts, FileFormat, PixelFormat, SamplesRef};
use crate::pixel::{Depth, Layout};

/// An encoder of TGA: given rows, gives bytes.
pub(in crate::file) struct TgaEncoder {
    layout: Layout,
    /// How many colours a palette has, for pictures of indices.
    colors: Option<usize>,
    row: Vec<u8>,
    /// What follows the pixels.
    behind: Vec<u8>,
    remarks: Vec<String>,
}

impl TgaEncoder {
    /// Starts a file with its header and palette.
    pub(in crate::file) fn new(facts: &Facts, out: &mut dyn Output) -> Result<TgaEncoder> {
        let refuse = |what: &str, help: &'static [Help]| Err(cannot_hold(FileFormat::Tga, what, help));
        let palette = palette_of(facts)?.map(|p| (p.colors(), p.is_opaque()));
        let (layout, kind, bits, alpha) = match facts.pixel_format {
            PixelFormat::Pixels { depth: Depth::U16, .. } => {
                return refuse("u16 samples", &[Help::Depth(&[Depth::U8])]);
            }
            PixelFormat::Pixels { layout: Layout::Gray, .. } => match palette {
                Some((_, opaque)) => (Layout::Gray, 1u8, 8u8, !opaque),
                None => (Layout::Gray, 3, 8, false),
            },
            PixelFormat::Pixels { layout: Layout::Rgb, .. } => (Layout::Rgb, 2, 24, false),
            PixelFormat::Pixels { layout: Layout::Rgba, .. } => (Layout::Rgba, 2, 32, true),
            _ => return refuse("gray with alpha", &[Help::Color, Help::Flatten]),
        };
        let sides = (u16::try_from(facts.size.width), u16::try_from(facts.size.height));
        let (Ok(width), Ok(height)) = sides else {
            return refuse(&format!("a picture of {}; each side must be at most 65535", facts.size), &[]);
        };
        let entry = if alpha { 32u8 } else { 24 };
        let count = palette.map_or(0, |(colors, _)| colors.len() as u16);
        let mut head = vec![0, u8::from(palette.is_some()), kind, 0, 0];
        head.extend(count.to_le_bytes());
        head.extend([if palette.is_some() { entry } else { 0 }, 0, 0, 0, 0]);
        head.extend(words_le(&[width, height]));
        head.extend([bits, 0x20 | if alpha { 8 } else { 0 }]);
        for color in palette.map_or(&[][..], |(colors, _)| colors) {
            head.extend([color.b, color.g, color.r]);
            head.extend(alpha.then_some(color.a));
        }
        put_bytes(out, &head)?;
        let pixels = facts.size.pixels().saturating_mul(u64::from(bits / 8));
        // Files of over 4 GiB have no area: its place could not be told.
        let at = u32::try_from(pixels.saturating_add(head.len() as u64));
        let (behind, left) = match at {
            Ok(at) => area::write(&facts.metadata, alpha, at),
            Err(_) => (Vec::new(), facts.metadata.clone()),
        };
        let colors = palette.map(|(colors, _)| colors.len());
        Ok(TgaEncoder { layout, colors, row: Vec::new(), behind, remarks: left_out(&left, Holds::default()) })
    }
}

impl Encoder for TgaEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        let rows = rows.pixels()?;
        for y in 0..rows.size().height {
            // `new` has let only bytes through.
            let SamplesRef::U8(samples) = rows.row(y) else { continue };
            self.colors.map_or(Ok(()), |colors| check_indices(samples, colors))?;
            let row = &mut self.row;
            row.resize(samples.len(), 0);
            match self.layout {
                Layout::Rgb => each::<u8, 3, 3>(samples, row, |&[r, g, b], to| *to = [b, g, r]),
                Layout::Rgba => each::<u8, 4, 4>(samples, row, |&[r, g, b, a], to| *to = [b, g, r, a]),
                _ => row.copy_from_slice(samples),
            }
            put_bytes(out, row)?;
        }
        Ok(())
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        put_bytes(out, &self.behind)
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}
