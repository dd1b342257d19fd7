//! One chunk after another: what may come when, what is done with it, its checksum.

use super::{PngDecoder, State};
use crate::error::{Error, Result};
use crate::file::decoder::Decoder;
use crate::file::png::chunks;
use crate::file::png::frames::{Animation, Part};
use crate::file::png::header::{Color, Header};
use crate::file::png::rows::Rows;
use crate::file::png::walk::{self, Walk};

impl PngDecoder {
    /// A chunk's length and kind (5.3), checked against what may come now (5.6).
    pub(super) fn chunk_header(&mut self) -> Result<()> {
        let Some((length, kind)) = self.part.split_first_chunk::<4>() else { return Ok(()) };
        let (length, Ok(kind)) = (u32::from_be_bytes(*length), <[u8; 4]>::try_from(kind)) else { return Ok(()) };
        self.part.clear();
        if !kind.iter().all(u8::is_ascii_alphabetic) || length > i32::MAX as u32 {
            return Err(Error::malformed(format!("no chunk starts here (length {length}, kind {:?})", show(kind))));
        }
        self.crc = crc32fast::Hasher::new();
        self.crc.update(&kind);
        if self.header.is_none() && kind != *b"IHDR" {
            return Err(Error::malformed(format!("the first chunk is {}, not IHDR", show(kind))));
        }
        self.state = match &kind {
            b"IHDR" if self.header.is_some() => return Err(Error::malformed("a second IHDR")),
            b"IDAT" if !self.walked && (self.animation.is_some() || self.start.length.is_some()) => {
                let from = self.at;
                let data = Part { at: from, bytes: length, sequence: None };
                if let Some(animation) = &mut self.animation {
                    animation.first_data(data, &mut self.budget)?;
                }
                self.walk = Some(Walk::behind(data));
                State::Walk { from, length }
            }
            b"IDAT" => {
                self.begin_rows()?;
                self.chunk_row = self.rows.as_ref().map_or(0, Rows::due);
                State::Data { left: length }
            }
            b"IEND" if self.rows.is_none() => return Err(Error::malformed("IEND before any pixel data (IDAT)")),
            b"PLTE" | b"tRNS" if self.rows.is_some() => {
                return Err(Error::malformed(format!("{} behind the first IDAT", show(kind))));
            }
            b"PLTE" if !self.colors.palette.is_empty() => return Err(Error::malformed("a second PLTE")),
            b"IHDR" | b"IEND" | b"PLTE" | b"tRNS" | b"acTL" | b"fcTL" if length > 768 => {
                return Err(Error::malformed(format!("{} has {length} bytes; it never has more than 768", show(kind))));
            }
            b"IHDR" | b"IEND" | b"PLTE" | b"tRNS" => State::Body { kind, length },
            b"acTL" if self.rows.is_none() && self.animation.is_none() => State::Body { kind, length },
            b"fcTL" if self.animation.as_ref().is_some_and(|animation| !animation.walked) => {
                State::Body { kind, length }
            }
            // It was read when the chunks behind the pixels were gone through.
            kind if self.walked && walk::is_kept(kind) => State::Passed { kind: *kind, left: length },
            kind if chunks::is_read(kind) => {
                self.budget.take(u64::from(length))?;
                State::Body { kind: *kind, length }
            }
            [b'A'..=b'Z', ..] => {
                return Err(Error::malformed(format!("the critical chunk {} does not exist", show(kind))));
            }
            _ => State::Passed { kind, left: length },
        };
        Ok(())
    }

    /// Once, at the first IDAT: everything before the pixels is known.
    pub(super) fn begin_rows(&mut self) -> Result<()> {
        let Some(header) = self.header else { return Err(Error::malformed("IDAT before IHDR")) };
        if self.rows.is_none() {
            if header.color == Color::Palette && self.colors.palette.is_empty() {
                return Err(Error::malformed("a picture of indices without a palette (PLTE)"));
            }
            let what =
                if header.interlaced { "an interlaced picture, which is held whole," } else { "a row of pixels" };
            self.charge = self.start.bounds.charge(what, Rows::memory(&header))?;
            self.make_facts(&header, None)?;
            let colors = if self.animation.is_some() { self.colors.clone() } else { std::mem::take(&mut self.colors) };
            self.rows = Some(Rows::new(header, colors, self.start.indices, None)?);
        }
        Ok(())
    }

    /// What follows a chunk whose checksum was right.
    fn parse(&mut self, kind: [u8; 4]) -> Result<()> {
        let body = std::mem::take(&mut self.part);
        match &kind {
            b"IHDR" => {
                let header = Header::parse(&body)?;
                self.start.bounds.check_size(header.size)?;
                self.header = Some(header);
            }
            b"IEND" => {
                if self.rows.as_ref().is_some_and(|r| !r.is_complete()) {
                    return Err(Error::malformed(format!("the pixel data ends early: {}", self.expected())));
                }
                self.state = State::Done;
                return Ok(());
            }
            b"PLTE" | b"tRNS" => {
                // IHDR comes first: `chunk_header` has seen to that.
                let Some(header) = self.header else { return Ok(()) };
                match &kind {
                    b"PLTE" => self.colors.read_palette(&body, &header)?,
                    _ => self.colors.read_transparency(&body, &header)?,
                }
            }
            b"acTL" => {
                let Some(header) = self.header else { return Ok(()) };
                self.animation = Some(Animation::parse(&body, header.size)?);
            }
            b"fcTL" => {
                if let Some(animation) = &mut self.animation {
                    animation.control(&body, &self.start.bounds, &mut self.budget)?;
                }
            }
            _ => {
                let Some(header) = self.header else { return Ok(()) };
                let context = chunks::Context { header: &header, palette: &self.colors.palette };
                chunks::read(kind, &body, &context, &mut self.budget, &mut self.metadata)?;
                if let (Some(facts), true) = (&mut self.facts, walk::is_kept(&kind)) {
                    // A stream tells only now what belongs to its facts.
                    facts.metadata.clone_from(&self.metadata);
                    let line = "texts stand behind the pixels, where rows of a stream have gone already";
                    if !facts.remarks.iter().any(|r| r == line) {
                        facts.remarks.push(line.to_string());
                    }
                }
            }
        }
        Ok(())
    }

    /// The chunks behind the pixels are known: what they say belongs to the facts.
    pub(super) fn behind(&mut self) -> Result<()> {
        self.walked = true;
        if let Some(animation) = &mut self.animation {
            animation.walked = true;
        }
        let (Some(header), Some(walk)) = (self.header, self.walk.take()) else { return Ok(()) };
        let context = chunks::Context { header: &header, palette: &self.colors.palette };
        for (kind, body) in walk.found {
            match chunks::read(kind, &body, &context, &mut self.budget, &mut self.metadata) {
                // What is wrong behind the pixels does not matter to those that are salvaged.
                Err(e) if !(self.start.salvages && e.is_about_bytes()) => return Err(e),
                _ => {}
            }
        }
        Ok(())
    }

    pub(super) fn checksum(&mut self, kind: [u8; 4], then_parse: bool) -> Result<()> {
        let at = self.part.len().saturating_sub(4);
        let stored = self.part.get(at..).and_then(|c| <[u8; 4]>::try_from(c).ok()).map(u32::from_be_bytes);
        let computed = std::mem::replace(&mut self.crc, crc32fast::Hasher::new()).finalize();
        if stored != Some(computed) {
            let stored = stored.unwrap_or_default();
            return Err(Error::malformed(format!(
                "the checksum of chunk {} is {stored:08x}, its bytes give {computed:08x}",
                show(kind)
            )));
        }
        self.part.truncate(at);
        self.state = State::ChunkHeader;
        if then_parse {
            self.parse(kind)?;
        }
        self.part.clear();
        Ok(())
    }
}

fn show(kind: [u8; 4]) -> String {
    kind.iter().map(|&b| if b.is_ascii_graphic() { char::from(b) } else { '?' }).collect()
}
