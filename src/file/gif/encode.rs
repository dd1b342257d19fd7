//! Writing: 89a; pictures of indices, each a frame. The first one's palette is that of the file.

use crate::error::{Error, Help, Result};
use crate::file::encoder::{Encoder, Output, cannot_hold, check_indices, palette_of, put_bytes};
use crate::file::holds::{Holds, left_out};
use crate::file::options::WriteOptions;
use crate::frame::{Content, Facts, FileFormat, Metadata, Palette, SamplesRef, Size};
use crate::pixel::Meaning;
use weezl::{BitOrder, LzwStatus, encode};

/// Bytes of a part of data.
const PART: usize = 255;

/// An encoder of GIF: given rows of indices, gives bytes.
pub(in crate::file) struct GifEncoder {
    size: Size,
    global: Palette,
    several: bool,
    frame: FrameOut,
    remarks: Vec<String>,
}

struct FrameOut {
    colors: usize,
    lzw: encode::Encoder,
    /// Bytes that wait to be a part.
    waiting: Vec<u8>,
    room: Vec<u8>,
}

impl GifEncoder {
    /// Starts a file with its header.
    pub(in crate::file) fn new(facts: &Facts, options: &WriteOptions, out: &mut dyn Output) -> Result<GifEncoder> {
        let palette = palette_for(facts)?;
        let mut remarks = Vec::new();
        let several = options.pages > 1;
        let word = |side: u32| u16::try_from(side).map_err(|_| too_large(facts.size));
        let (width, height) = (word(facts.size.width)?, word(facts.size.height)?);
        let mut head = b"GIF89a".to_vec();
        head.extend(width.to_le_bytes());
        head.extend(height.to_le_bytes());
        // A palette of this many bits, of colours of 8.
        head.extend([0xf0 | bits_of(&palette).saturating_sub(1), 0, 0]);
        put_palette(&palette, &mut head);
        if several {
            let plays = options.plays.unwrap_or(0);
            let repeats = u16::try_from(plays.saturating_sub(u32::from(plays > 0))).unwrap_or(u16::MAX);
            // Played once needs no word.
            if plays != 1 {
                head.extend([0x21, 0xff, 11]);
                head.extend(b"NETSCAPE2.0");
                head.extend([3, 1]);
                head.extend(repeats.to_le_bytes());
                head.push(0);
            }
        }
        for text in facts.metadata.text.iter().filter(|t| t.keyword == "Comment") {
            head.extend([0x21, 0xfe]);
            for part in text.text.as_bytes().chunks(PART) {
                head.push(part.len() as u8);
                head.extend_from_slice(part);
            }
            head.push(0);
        }
        let frame = FrameOut::new(facts, &palette, None, several, &mut head, &mut remarks)?;
        put_bytes(out, &head)?;
        Ok(GifEncoder { size: facts.size, global: palette, several, frame, remarks })
    }
}

#[cold]
fn too_large(size: Size) -> Error {
    cannot_hold(FileFormat::Gif, &format!("a picture of {size}; its sides have at most 65535 pixels"), &[])
}

/// The palette, which a picture must have.
fn palette_for(facts: &Facts) -> Result<Palette> {
    match palette_of(facts)? {
        Some(palette) => Ok(palette.clone()),
        None => {
            let what = format!("{} as it is; it holds numbers of 256 colours", facts.pixel_format.describe());
            Err(cannot_hold(FileFormat::Gif, &what, &[Help::Palette]))
        }
    }
}

/// Bits of a palette's numbers, 1 to 8.
fn bits_of(palette: &Palette) -> u8 {
    let count = palette.colors().len().max(2);
    (usize::BITS.saturating_sub(count.saturating_sub(1).leading_zeros())) as u8
}

fn put_palette(palette: &Palette, out: &mut Vec<u8>) {
    let all = 1usize << bits_of(palette);
    for i in 0..all {
        let color = palette.colors().get(i).map_or([0; 3], |c| [c.r, c.g, c.b]);
        out.extend(color);
    }
}

impl FrameOut {
    fn new(
        facts: &Facts,
        palette: &Palette,
        global: Option<&Palette>,
        several: bool,
        out: &mut Vec<u8>,
        remarks: &mut Vec<String>,
    ) -> Result<FrameOut> {
        let m = &facts.metadata;
        let clear: Vec<usize> = (0..).zip(palette.colors()).filter(|(_, c)| c.a < 128).map(|(i, _)| i).collect();
        if palette.colors().iter().any(|c| !matches!(c.a, 0 | 255)) {
            remarks.push("colours are opaque or not there at all: alpha below half is none, above it full".to_string());
        }
        let transparent = clear.first().map(|&i| i as u8);
        if clear.len() > 1 {
            remarks.push("one number of a palette is transparent: the others that were keep their colour".to_string());
        }
        if transparent.is_some() || several || m.delay.is_some() {
            let hundredths = m.delay.map_or(0.0, |s| (s * 100.0).round()).clamp(0.0, 65_535.0) as u16;
            // What shines through is the background, and not the frame before.
            let disposal = if transparent.is_some() && several { 2u8 } else { 1 };
            out.extend([0x21, 0xf9, 4, disposal << 2 | u8::from(transparent.is_some())]);
            out.extend(hundredths.to_le_bytes());
            out.extend([transparent.unwrap_or(0), 0]);
        }
        let word = |side: u32| u16::try_from(side).map_err(|_| too_large(facts.size));
        out.extend([0x2c, 0, 0, 0, 0]);
        out.extend(word(facts.size.width)?.to_le_bytes());
        out.extend(word(facts.size.height)?.to_le_bytes());
        if global.is_some_and(|global| global.colors() != palette.colors()) {
            out.push(0x80 | bits_of(palette).saturating_sub(1));
            put_palette(palette, out);
        } else {
            out.push(0);
        }
        let bits = bits_of(palette).max(2);
        out.push(bits);
        let mut others = Metadata { delay: None, palette: None, meaning: Meaning::Color, ..m.clone() };
        others.text.retain(|t| t.keyword != "Comment");
        remarks.extend(left_out(&others, Holds::default()));
        Ok(FrameOut {
            colors: palette.colors().len(),
            lzw: encode::Encoder::new(BitOrder::Lsb, bits),
            waiting: Vec::new(),
            room: vec![0; 4096],
        })
    }

    fn put(&mut self, mut bytes: &[u8], out: &mut dyn Output) -> Result<()> {
        loop {
            let done = self.lzw.encode_bytes(bytes, &mut self.room);
            self.waiting.extend_from_slice(self.room.get(..done.consumed_out).unwrap_or_default());
            bytes = bytes.get(done.consumed_in..).unwrap_or_default();
            while self.waiting.len() >= PART {
                let part: Vec<u8> = self.waiting.drain(..PART).collect();
                put_bytes(out, &[PART as u8])?;
                put_bytes(out, &part)?;
            }
            match done.status {
                Ok(LzwStatus::Done) => return Ok(()),
                Ok(_) if done.consumed_in == 0 && done.consumed_out == 0 => return Ok(()),
                Ok(_) => {}
                Err(e) => return Err(Error::malformed(format!("LZW cannot pack this: {e}"))),
            }
        }
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        self.lzw.finish();
        self.put(&[], out)?;
        if !self.waiting.is_empty() {
            put_bytes(out, &[self.waiting.len() as u8])?;
            put_bytes(out, &self.waiting)?;
        }
        put_bytes(out, &[0])
    }
}

impl Encoder for GifEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        let rows = rows.pixels()?;
        for y in 0..rows.size().height {
            // `new` has let only bytes through.
            let SamplesRef::U8(row) = rows.row(y) else { continue };
            check_indices(row, self.frame.colors)?;
            self.frame.put(row, out)?;
        }
        Ok(())
    }

    fn next_page(&mut self, facts: &Facts, out: &mut dyn Output) -> Result<()> {
        if !self.several {
            return Err(Error::wrong_order("a second frame in a file that was begun for one; say `pages` before"));
        }
        let palette = palette_for(facts)?;
        if facts.size.width > self.size.width || facts.size.height > self.size.height {
            return Err(Error::sizes("a frame", self.size, facts.size));
        }
        self.frame.finish(out)?;
        let mut head = Vec::new();
        self.frame = FrameOut::new(facts, &palette, Some(&self.global), self.several, &mut head, &mut self.remarks)?;
        put_bytes(out, &head)
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        self.frame.finish(out)?;
        put_bytes(out, &[0x3b])
    }

    fn remarks(&self) -> Vec<String> {
        let mut remarks = self.remarks.clone();
        remarks.dedup();
        remarks
    }
}
