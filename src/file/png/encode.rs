//! Writing PNG: filters, Deflate, chunks.

use super::header::{Color, Header};
use super::pack::Packer;
use super::{SIGNATURE, chunks};
use crate::error::{Error, Help, Result};
use crate::file::encoder::{Encoder, Output, cannot_hold, check_indices, palette_of, put_bytes};
use crate::file::options::WriteOptions;
use crate::file::words::extend_words_be;
use crate::frame::{Content, Facts, FileFormat, Metadata, Palette, PixelFormat, SamplesRef};
use crate::pixel::{Depth, Layout, codes};

/// Bytes of packed data a chunk at most.
const CHUNK_BYTES: usize = 16 << 20;

/// A PNG encoder: given rows, gives bytes.
pub(in crate::file) struct PngEncoder {
    header: Header,
    /// How many colours a palette has, for pictures of indices.
    colors: Option<usize>,
    rows_left: u32,
    packer: Packer,
    remarks: Vec<String>,
}

impl PngEncoder {
    /// Starts a file: signature, header and what stands before the pixels.
    pub(in crate::file) fn new(facts: &Facts, options: &WriteOptions, out: &mut dyn Output) -> Result<PngEncoder> {
        let PixelFormat::Pixels { depth, layout } = facts.pixel_format else {
            return Err(cannot_hold(FileFormat::Png, "planes", &[Help::PixelsOfDepth(&[Depth::U16, Depth::U8])]));
        };
        if facts.size.is_empty() || facts.size.width > i32::MAX as u32 || facts.size.height > i32::MAX as u32 {
            let what = format!("a picture of {}; each side must be 1 to 2^31 - 1", facts.size);
            return Err(cannot_hold(FileFormat::Png, &what, &[]));
        }
        if layout == Layout::Cmyk {
            return Err(cannot_hold(FileFormat::Png, "cmyk", &[Help::Color]));
        }
        let palette = palette_of(facts)?;
        let header = Header { size: facts.size, interlaced: false, ..form_of(depth, layout, &facts.metadata, palette) };
        let colors: Vec<[u8; 3]> = palette.iter().flat_map(|p| p.colors()).map(|c| [c.r, c.g, c.b]).collect();
        let (before, behind, remarks) = chunks::write(&facts.metadata, &facts.pixel_format, &header, &colors)?;
        put_bytes(out, &SIGNATURE)?;
        put_chunk(out, *b"IHDR", &header.chunk_body())?;
        for (kind, body) in before.into_iter().chain(palette.into_iter().flat_map(palette_chunks)).chain(behind) {
            put_chunk(out, kind, &body)?;
        }
        // Filters predict a sample from its neighbours, which numbers of colours and packed bits do not follow (12.8).
        let adaptive = header.bits >= 8 && palette.is_none();
        let effort = u32::from(options.compression.min(9));
        let packer = Packer::new(header.row_bytes(), header.pixel_bytes(), adaptive, effort, options.threads);
        let colors = palette.map(|p| p.colors().len());
        Ok(PngEncoder { header, colors, rows_left: facts.size.height, packer, remarks })
    }

    fn put_row(&mut self, samples: SamplesRef<'_>, out: &mut dyn Output) -> Result<()> {
        if let (Some(colors), SamplesRef::U8(indices)) = (self.colors, samples) {
            check_indices(indices, colors)?;
        }
        let row = self.packer.rows();
        match samples {
            SamplesRef::U8(s) if self.header.bits < 8 => {
                let top = (1u32 << self.header.bits).saturating_sub(1);
                match self.colors {
                    Some(_) => put_together(s, self.header.bits, row, |v| v),
                    None => put_together(s, self.header.bits, row, |v| codes::code_of(u32::from(v), top, 255) as u8),
                }
            }
            SamplesRef::U8(s) => row.extend_from_slice(s),
            SamplesRef::U16(s) => extend_words_be(row, s),
            SamplesRef::F32(_) => {
                return Err(cannot_hold(FileFormat::Png, "f32 samples", &[Help::Depth(&[Depth::U16, Depth::U8])]));
            }
        }
        self.rows_left = self.rows_left.saturating_sub(1);
        if self.packer.is_full() && self.rows_left > 0 {
            self.packer.pack(false, |packed| put_packed(out, packed))?;
        }
        Ok(())
    }
}

/// The colour type and bits that fit. Gray of a max code that some bits count just up to is written in those bits.
fn form_of(depth: Depth, layout: Layout, metadata: &Metadata, palette: Option<&Palette>) -> Header {
    let color = match layout {
        Layout::Gray if palette.is_some() => Color::Palette,
        Layout::Gray => Color::Gray,
        Layout::GrayAlpha => Color::GrayAlpha,
        Layout::Rgba => Color::Rgba,
        Layout::Rgb | Layout::Cmyk => Color::Rgb,
    };
    let bits = match (color, depth, metadata.max_codes.as_deref()) {
        (Color::Palette, ..) => palette.map_or(8, Palette::bits),
        (_, Depth::U16, _) => 16,
        (Color::Gray, _, Some([1])) => 1,
        (Color::Gray, _, Some([3])) => 2,
        (Color::Gray, _, Some([15])) => 4,
        _ => 8,
    };
    Header { size: crate::frame::Size::new(0, 0), bits, color, interlaced: false }
}

/// PLTE and, where a colour has alpha, tRNS up to the last such colour (11.2.2, 11.3.1.1).
fn palette_chunks(palette: &Palette) -> Vec<([u8; 4], Vec<u8>)> {
    let colors = palette.colors();
    let mut chunks = vec![(*b"PLTE", colors.iter().flat_map(|c| [c.r, c.g, c.b]).collect())];
    let translucent = colors.iter().rposition(|c| c.a != 255).map_or(0, |last| last.saturating_add(1));
    if translucent > 0 {
        chunks.push((*b"tRNS", colors.iter().take(translucent).map(|c| c.a).collect()));
    }
    chunks
}

/// Samples as codes of `bits` bits, the leftmost in the highest bits of each byte (7.2).
fn put_together(samples: &[u8], bits: u8, row: &mut Vec<u8>, code: impl Fn(u8) -> u8) {
    // Bits are 1, 2 or 4, so they divide a byte.
    let each = 8usize.checked_div(usize::from(bits)).unwrap_or(1);
    row.extend(samples.chunks(each).map(|part| {
        let mut shift = 8u32;
        part.iter().fold(0u8, |byte, &v| {
            shift = shift.saturating_sub(u32::from(bits));
            byte | code(v).checked_shl(shift).unwrap_or(0)
        })
    }));
}

fn put_packed(out: &mut dyn Output, packed: &[u8]) -> Result<()> {
    packed.chunks(CHUNK_BYTES).try_for_each(|part| put_chunk(out, *b"IDAT", part))
}

fn put_chunk(out: &mut dyn Output, kind: [u8; 4], body: &[u8]) -> Result<()> {
    let length = u32::try_from(body.len()).map_err(|_| Error::invalid("metadata", "a chunk of over 4 GiB"))?;
    let mut crc = crc32fast::Hasher::new();
    crc.update(&kind);
    crc.update(body);
    put_bytes(out, &length.to_be_bytes())?;
    put_bytes(out, &kind)?;
    put_bytes(out, body)?;
    put_bytes(out, &crc.finalize().to_be_bytes())
}

impl Encoder for PngEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        let rows = rows.pixels()?;
        (0..rows.size().height).try_for_each(|y| self.put_row(rows.row(y), out))
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        self.packer.pack(true, |packed| put_packed(out, packed))?;
        put_chunk(out, *b"IEND", &[])
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}
