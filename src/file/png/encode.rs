//! Writing PNG: filters, Deflate, chunks.

use super::bits::put_together;
use super::header::{Color, Header};
use super::interlaced::Interlaced;
use super::pack::Packer;
use super::{SIGNATURE, chunks};
use crate::error::{Error, Help, Result};
use crate::file::encoder::{Encoder, Output, cannot_hold, check_indices, palette_of, put_bytes};
use crate::file::options::WriteOptions;
use crate::file::words::extend_words_be;
use crate::frame::{Content, Facts, FileFormat, Metadata, Palette, PixelFormat, SamplesRef};
use crate::memory::Account;
use crate::pixel::{Depth, Layout, Rgba, codes};
use crate::threads::Threads;

/// Bytes of packed data a chunk at most.
const CHUNK_BYTES: usize = 16 << 20;

/// A PNG encoder: given rows, gives bytes.
pub(in crate::file) struct PngEncoder {
    header: Header,
    /// How many colours a palette has, for pictures of indices; and the palette, which all frames share.
    colors: Option<usize>,
    palette: Option<Palette>,
    rows_left: u32,
    body: Body,
    frames: Frames,
    effort: u32,
    threads: Threads,
    remarks: Vec<String>,
}

/// How rows become packed data.
enum Body {
    Straight(Box<Packer>),
    Interlaced(Interlaced),
}

/// How many frames an animation has, how many were begun, and the number of the next chunk of frames.
#[derive(Debug, Clone, Copy)]
struct Frames {
    all: u32,
    begun: u32,
    sequence: u32,
}

impl PngEncoder {
    /// Starts a file: signature, header and what stands before the pixels.
    pub(in crate::file) fn new(facts: &Facts, options: &WriteOptions, out: &mut dyn Output) -> Result<PngEncoder> {
        let (depth, layout) = form(facts)?;
        if facts.size.is_empty() || facts.size.width > i32::MAX as u32 || facts.size.height > i32::MAX as u32 {
            let what = format!("a picture of {}; each side must be 1 to 2^31 - 1", facts.size);
            return Err(cannot_hold(FileFormat::Png, &what, &[]));
        }
        let palette = palette_of(facts)?;
        let interlaced = options.interlaced;
        let header = Header { size: facts.size, interlaced, ..form_of(depth, layout, &facts.metadata, palette) };
        let colors = palette.map_or_else(Vec::new, |palette| rgb_of(palette.colors()));
        let (before, behind, mut remarks) = chunks::write(&facts.metadata, &facts.pixel_format, &header, &colors)?;
        put_bytes(out, &SIGNATURE)?;
        put_chunk(out, *b"IHDR", &header.chunk_body())?;
        let palette_chunks = palette.map_or_else(Vec::new, palette_chunks);
        for (kind, body) in [before, palette_chunks, behind].iter().flatten() {
            put_chunk(out, *kind, body)?;
        }
        let mut frames = Frames { all: options.pages.max(1), begun: 1, sequence: 0 };
        if frames.all > 1 {
            put_chunk(out, *b"acTL", &[frames.all.to_be_bytes(), options.plays.unwrap_or(0).to_be_bytes()].concat())?;
            frames.put_control(facts, out)?;
        } else if facts.metadata.delay.is_some() {
            remarks.push("the delay is left out: one picture is no animation".to_string());
        }
        let colors = palette.map(|p| p.colors().len());
        let (effort, threads) = (u32::from(options.compression.min(9)), options.threads);
        let body = Body::new(&header, (palette.is_some(), effort), threads, facts.account())?;
        let rows_left = facts.size.height;
        let palette = palette.cloned();
        Ok(PngEncoder { header, colors, palette, rows_left, body, frames, effort, threads, remarks })
    }

    fn put_row(&mut self, samples: SamplesRef<'_>, out: &mut dyn Output) -> Result<()> {
        if let (Some(colors), SamplesRef::U8(indices)) = (self.colors, samples) {
            check_indices(indices, colors)?;
        }
        let (bits, numbers) = (self.header.bits, self.colors.is_some());
        let top = (1u32 << bits.min(16)).saturating_sub(1);
        let code = |v: u8| if numbers { v } else { codes::code_of(u32::from(v), top, 255) as u8 };
        let row = match &mut self.body {
            Body::Straight(packer) => packer.rows()?,
            Body::Interlaced(all) => all.rows(),
        };
        match samples {
            SamplesRef::U8(s) if bits < 8 && self.header.interlaced => row.extend(s.iter().map(|v| code(*v))),
            SamplesRef::U8(s) if bits < 8 => put_together(s, bits, row, code),
            SamplesRef::U8(s) => row.extend_from_slice(s),
            SamplesRef::U16(s) => extend_words_be(row, s),
            SamplesRef::F32(_) => {
                return Err(cannot_hold(FileFormat::Png, "f32 samples", &[Help::Depth(&[Depth::U16, Depth::U8])]));
            }
        }
        self.rows_left = self.rows_left.saturating_sub(1);
        if let Body::Straight(packer) = &mut self.body
            && packer.is_full()
            && self.rows_left > 0
        {
            let frames = &mut self.frames;
            packer.pack(false, |packed| frames.put_packed(out, packed))?;
        }
        Ok(())
    }

    /// Packs the last rows of a picture.
    fn end_picture(&mut self, out: &mut dyn Output) -> Result<()> {
        let frames = &mut self.frames;
        match &mut self.body {
            Body::Straight(packer) => packer.pack(true, |packed| frames.put_packed(out, packed)),
            Body::Interlaced(all) => all.pack(|packed| frames.put_packed(out, packed)),
        }
    }
}

/// Depth and layout of a picture that can be written.
fn form(facts: &Facts) -> Result<(Depth, Layout)> {
    match facts.pixel_format {
        PixelFormat::Planes { .. } => {
            Err(cannot_hold(FileFormat::Png, "planes", &[Help::PixelsOfDepth(&[Depth::U16, Depth::U8])]))
        }
        PixelFormat::Pixels { layout: Layout::Cmyk, .. } => Err(cannot_hold(FileFormat::Png, "cmyk", &[Help::Color])),
        PixelFormat::Pixels { depth, layout } => Ok((depth, layout)),
    }
}

impl Body {
    fn new(header: &Header, (numbers, effort): (bool, u32), threads: Threads, account: Account<'_>) -> Result<Body> {
        // Filters predict a sample from its neighbours, which numbers of colours and packed bits do not follow (12.8).
        let adaptive = header.bits >= 8 && !numbers;
        Ok(match header.interlaced {
            true => Body::Interlaced(Interlaced::new(*header, (adaptive, effort), account)?),
            false => {
                let (row, pixel) = (header.row_bytes(), header.pixel_bytes());
                Body::Straight(Box::new(Packer::new(row, pixel, adaptive, effort, threads)))
            }
        })
    }
}

impl Frames {
    fn next(&mut self) -> [u8; 4] {
        let number = self.sequence;
        self.sequence = number.saturating_add(1);
        number.to_be_bytes()
    }

    /// fcTL (11.3.6.2): the frame replaces what was there before, and stays.
    fn put_control(&mut self, facts: &Facts, out: &mut dyn Output) -> Result<()> {
        let (width, height) = (facts.size.width.to_be_bytes(), facts.size.height.to_be_bytes());
        let (part, whole) = fraction(facts.metadata.delay.unwrap_or(0.0));
        let [part, whole] = [part, whole].map(u16::to_be_bytes);
        let numbers = [self.next(), width, height, [0; 4], [0; 4]].concat();
        put_chunk(out, *b"fcTL", &[numbers.as_slice(), &part, &whole, &[0, 0]].concat())
    }

    /// Packed pixels: of the first picture, or of a frame behind it.
    fn put_packed(&mut self, out: &mut dyn Output, packed: &[u8]) -> Result<()> {
        packed.chunks(CHUNK_BYTES).try_for_each(|part| match self.begun {
            1 => put_chunk(out, *b"IDAT", part),
            _ => put_chunk(out, *b"fdAT", &[self.next().as_slice(), part].concat()),
        })
    }
}

/// Seconds as a fraction of two words: in thousandths as long as they fit.
fn fraction(seconds: f64) -> (u16, u16) {
    for whole in [1000u16, 100, 10] {
        let part = (seconds.max(0.0) * f64::from(whole)).round();
        if part <= f64::from(u16::MAX) {
            return (part as u16, whole);
        }
    }
    ((seconds.min(f64::from(u16::MAX))).round() as u16, 1)
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

/// Red, green and blue of the colours of a palette.
fn rgb_of(colors: &[Rgba<u8>]) -> Vec<[u8; 3]> {
    colors.iter().map(|c| [c.r, c.g, c.b]).collect()
}

/// PLTE and, where a colour has alpha, tRNS up to the last such colour (11.2.2, 11.3.1.1).
fn palette_chunks(palette: &Palette) -> Vec<([u8; 4], Vec<u8>)> {
    let colors = palette.colors();
    let mut chunks = vec![(*b"PLTE", rgb_of(colors).into_flattened())];
    let translucent = colors.iter().rposition(|c| c.a != 255).map_or(0, |last| last.saturating_add(1));
    if translucent > 0 {
        chunks.push((*b"tRNS", colors.iter().take(translucent).map(|c| c.a).collect()));
    }
    chunks
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

    fn next_page(&mut self, facts: &Facts, out: &mut dyn Output) -> Result<()> {
        if self.frames.begun >= self.frames.all {
            let all = self.frames.all;
            return Err(Error::wrong_order(format!(
                "a file that was begun for {all} frames is full; say `pages` before"
            )));
        }
        let (depth, layout) = form(facts)?;
        let palette = palette_of(facts)?;
        let header = form_of(depth, layout, &facts.metadata, palette);
        if (header.bits, header.color) != (self.header.bits, self.header.color) || palette != self.palette.as_ref() {
            let what = "frames that are stored in different ways: depth, layout and palette are those of the first";
            return Err(cannot_hold(FileFormat::Png, what, &[Help::Color, Help::Depth(&[Depth::U8])]));
        }
        if facts.size.width > self.header.size.width || facts.size.height > self.header.size.height {
            return Err(Error::sizes("a frame", self.header.size, facts.size));
        }
        self.end_picture(out)?;
        self.frames.begun = self.frames.begun.saturating_add(1);
        self.frames.put_control(facts, out)?;
        let header = Header { size: facts.size, ..self.header };
        self.body = Body::new(&header, (self.colors.is_some(), self.effort), self.threads, facts.account())?;
        self.rows_left = facts.size.height;
        Ok(())
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        self.end_picture(out)?;
        if self.frames.begun < self.frames.all {
            let Frames { all, begun, .. } = self.frames;
            return Err(Error::wrong_order(format!("a file that was begun for {all} frames has {begun}")));
        }
        put_chunk(out, *b"IEND", &[])
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}
