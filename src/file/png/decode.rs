//! Reading PNG: chunks, checksums, inflation, rows.

use super::header::Header;
use super::unfilter::unfilter;
use super::{SIGNATURE, chunks};
use crate::error::{Error, Result};
use crate::file::decoder::{Decoder, RowsOut, Slot, Stop};
use crate::file::options::Limits;
use crate::frame::{Facts, Format, Metadata, SamplesMut};
use flate2::{Decompress, FlushDecompress, Status};

/// Bytes of inflated rows held at a time, at least; always whole rows.
const ROWS_BYTES: usize = 64 << 10;

/// A PNG decoder: pushed bytes, gives rows.
pub(in crate::file) struct PngDecoder {
    limits: Limits,
    state: State,
    /// Bytes of a signature, chunk header, small chunk or checksum that is not complete yet.
    part: Vec<u8>,
    crc: crc32fast::Hasher,
    metadata_bytes: u64,
    header: Option<Header>,
    metadata: Metadata,
    facts: Option<Facts>,
    rows: Option<Rows>,
    said_facts: bool,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum State {
    Signature,
    ChunkHeader,
    /// A chunk that is collected whole.
    Body {
        kind: [u8; 4],
        length: u32,
    },
    /// A chunk whose bytes are only checked.
    Passed {
        kind: [u8; 4],
        left: u32,
    },
    /// A chunk of packed pixels.
    Data {
        left: u32,
    },
    /// The four bytes behind a chunk; `body` bytes of it are held to be parsed.
    Checksum {
        kind: [u8; 4],
        body: Option<u32>,
    },
    Done,
}

impl PngDecoder {
    pub(in crate::file) fn new(limits: Limits) -> PngDecoder {
        PngDecoder {
            limits,
            state: State::Signature,
            part: Vec::new(),
            crc: crc32fast::Hasher::new(),
            metadata_bytes: 0,
            header: None,
            metadata: Metadata::default(),
            facts: None,
            rows: None,
            said_facts: false,
        }
    }

    /// Collects bytes into `part` until it has `wanted`; true when it has.
    fn collect(&mut self, input: &mut &[u8], wanted: usize) -> bool {
        let missing = wanted.saturating_sub(self.part.len()).min(input.len());
        let (head, tail) = input.split_at(missing);
        self.part.extend_from_slice(head);
        *input = tail;
        self.part.len() >= wanted
    }

    /// A chunk's length and kind (5.3), checked against what may come now (5.6).
    fn chunk_header(&mut self) -> Result<()> {
        let Some((length, kind)) = self.part.split_first_chunk::<4>() else { return Ok(()) };
        let (length, Ok(kind)) = (u32::from_be_bytes(*length), <[u8; 4]>::try_from(kind)) else { return Ok(()) };
        self.part.clear();
        if !kind.iter().all(u8::is_ascii_alphabetic) || length > i32::MAX as u32 {
            return Err(Error::damaged(format!("no chunk starts here (length {length}, kind {:?})", show(kind))));
        }
        self.crc = crc32fast::Hasher::new();
        self.crc.update(&kind);
        if self.header.is_none() && kind != *b"IHDR" {
            return Err(Error::damaged(format!("the first chunk is {}, not IHDR", show(kind))));
        }
        self.state = match &kind {
            b"IHDR" if self.header.is_some() => return Err(Error::damaged("a second IHDR")),
            b"IDAT" => {
                self.begin_rows()?;
                State::Data { left: length }
            }
            b"IEND" if self.rows.is_none() => return Err(Error::damaged("IEND before any pixel data (IDAT)")),
            b"IHDR" | b"IEND" | b"pHYs" | b"gAMA" | b"sRGB" | b"iCCP" | b"tEXt" => {
                self.metadata_bytes = self.metadata_bytes.saturating_add(u64::from(length));
                self.limits.check_metadata(self.metadata_bytes)?;
                State::Body { kind, length }
            }
            b"tRNS" => return Err(Error::not_supported("a PNG with a transparent colour (tRNS)")),
            b"PLTE" => State::Passed { kind, left: length },
            [b'A'..=b'Z', ..] => {
                return Err(Error::damaged(format!("the critical chunk {} does not exist", show(kind))));
            }
            _ => State::Passed { kind, left: length },
        };
        Ok(())
    }

    /// Once, at the first IDAT: everything before the pixels is known.
    fn begin_rows(&mut self) -> Result<()> {
        let Some(header) = self.header else { return Err(Error::damaged("IDAT before IHDR")) };
        if self.rows.is_none() {
            let strip = header.row_bytes().saturating_add(1).saturating_mul(2) as u64;
            self.limits.check_memory("a row of pixels", strip)?;
            let mut facts = Facts::new(header.size, header.form(), self.metadata.clone());
            facts.format = Some(Format::Png);
            facts.stored = Some(header.describe());
            self.facts = Some(facts);
            self.rows = Some(Rows::new(header));
        }
        Ok(())
    }

    /// What follows a chunk whose checksum was right.
    fn parse(&mut self, kind: [u8; 4]) -> Result<()> {
        let body = std::mem::take(&mut self.part);
        match &kind {
            b"IHDR" => {
                let header = Header::parse(&body)?;
                self.limits.check_size(header.size)?;
                self.header = Some(header);
            }
            b"IEND" => {
                if self.rows.as_ref().is_some_and(|r| !r.is_complete()) {
                    return Err(Error::damaged(format!("the pixel data ends early: {}", self.expected())));
                }
                self.state = State::Done;
                return Ok(());
            }
            _ => chunks::read(kind, &body, &self.limits, &mut self.metadata)?,
        }
        Ok(())
    }

    fn checksum(&mut self, kind: [u8; 4], then_parse: bool) -> Result<()> {
        let at = self.part.len().saturating_sub(4);
        let stored = self.part.get(at..).and_then(|c| <[u8; 4]>::try_from(c).ok()).map(u32::from_be_bytes);
        let computed = std::mem::replace(&mut self.crc, crc32fast::Hasher::new()).finalize();
        if stored != Some(computed) {
            let stored = stored.unwrap_or_default();
            return Err(Error::damaged(format!(
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

impl Decoder for PngDecoder {
    fn feed(&mut self, input: &[u8], out: &mut RowsOut<'_>) -> Result<(usize, Stop)> {
        let mut rest = input;
        let taken = |rest: &[u8]| input.len().saturating_sub(rest.len());
        loop {
            if self.rows.is_some() && !self.said_facts {
                self.said_facts = true;
                return Ok((taken(rest), Stop::Facts));
            }
            match self.state {
                State::Signature => {
                    if !self.collect(&mut rest, SIGNATURE.len()) {
                        return Ok((taken(rest), Stop::NeedInput));
                    }
                    if self.part != SIGNATURE {
                        return Err(Error::damaged("the signature is not that of PNG"));
                    }
                    self.part.clear();
                    self.state = State::ChunkHeader;
                }
                State::ChunkHeader => {
                    if !self.collect(&mut rest, 8) {
                        return Ok((taken(rest), Stop::NeedInput));
                    }
                    self.chunk_header()?;
                }
                State::Body { kind, length } => {
                    let before = self.part.len();
                    let complete = self.collect(&mut rest, length as usize);
                    self.crc.update(self.part.get(before..).unwrap_or_default());
                    if !complete {
                        return Ok((taken(rest), Stop::NeedInput));
                    }
                    self.state = State::Checksum { kind, body: Some(length) };
                }
                State::Passed { kind, left } => {
                    let (head, tail) = rest.split_at(rest.len().min(left as usize));
                    self.crc.update(head);
                    rest = tail;
                    let left = left.saturating_sub(u32::try_from(head.len()).unwrap_or(left));
                    if left > 0 {
                        self.state = State::Passed { kind, left };
                        return Ok((taken(rest), Stop::NeedInput));
                    }
                    self.state = State::Checksum { kind, body: None };
                }
                State::Data { left } => {
                    let Some(rows) = &mut self.rows else { return Err(Error::damaged("IDAT before IHDR")) };
                    let (head, _) = rest.split_at(rest.len().min(left as usize));
                    let (used, stop) = rows.inflate(head, out)?;
                    let (used_bytes, tail) = rest.split_at(used.min(rest.len()));
                    self.crc.update(used_bytes);
                    rest = tail;
                    let left = left.saturating_sub(u32::try_from(used).unwrap_or(left));
                    self.state = State::Data { left };
                    if stop {
                        return Ok((taken(rest), Stop::RowsGiven));
                    }
                    if left > 0 {
                        return Ok((taken(rest), Stop::NeedInput));
                    }
                    self.state = State::Checksum { kind: *b"IDAT", body: None };
                }
                State::Checksum { kind, body } => {
                    let wanted = (body.unwrap_or(0) as usize).saturating_add(4);
                    if !self.collect(&mut rest, wanted) {
                        return Ok((taken(rest), Stop::NeedInput));
                    }
                    self.checksum(kind, body.is_some())?;
                }
                State::Done => return Ok((taken(rest), Stop::Done)),
            }
        }
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        match (&self.rows, self.header) {
            (Some(rows), Some(header)) if !rows.is_complete() => {
                format!("row {} of {}", rows.given, header.size.height)
            }
            (Some(_), _) => "the end of the file (IEND)".to_string(),
            _ => "the rest of the header".to_string(),
        }
    }
}

/// The pixel data: inflated, unfiltered, given as rows.
struct Rows {
    header: Header,
    inflate: Decompress,
    /// Filtered rows, each behind its filter byte; `have` bytes of them are inflated, the first `done` are given.
    buffer: Vec<u8>,
    have: usize,
    done: usize,
    above: Vec<u8>,
    given: u32,
    ended: bool,
}

impl Rows {
    fn new(header: Header) -> Rows {
        let row = header.row_bytes().saturating_add(1);
        let count = ROWS_BYTES.checked_div(row).unwrap_or(1).clamp(1, header.size.height as usize);
        Rows {
            header,
            inflate: Decompress::new(true),
            buffer: vec![0; row.saturating_mul(count)],
            have: 0,
            done: 0,
            above: vec![0; header.row_bytes()],
            given: 0,
            ended: false,
        }
    }

    fn all_given(&self) -> bool {
        self.given >= self.header.size.height
    }

    fn is_complete(&self) -> bool {
        self.all_given() && self.ended
    }

    /// Takes packed bytes and gives rows; says how many bytes were used and whether it stopped because no more rows
    /// are wanted.
    fn inflate(&mut self, mut input: &[u8], out: &mut RowsOut<'_>) -> Result<(usize, bool)> {
        let whole = input.len();
        loop {
            self.give_rows(out)?;
            let used = whole.saturating_sub(input.len());
            if !self.all_given() && out.is_full() {
                return Ok((used, true));
            }
            if self.ended {
                // 10.1: what follows the zlib stream's end means nothing; it is passed over.
                return Ok((whole, false));
            }
            let (before_in, before_out) = (self.inflate.total_in(), self.inflate.total_out());
            let mut beyond = [0u8; 1];
            let room =
                if self.all_given() { &mut beyond[..] } else { self.buffer.get_mut(self.have..).unwrap_or_default() };
            let status = self.inflate.decompress(input, room, FlushDecompress::None);
            let status =
                status.map_err(|e| Error::damaged(format!("the packed pixel data cannot be unpacked: {e}")))?;
            let taken = self.inflate.total_in().saturating_sub(before_in) as usize;
            let made = self.inflate.total_out().saturating_sub(before_out) as usize;
            input = input.get(taken..).unwrap_or_default();
            if self.all_given() && made > 0 {
                return Err(Error::damaged("there is more pixel data than the header's rows"));
            }
            self.have = self.have.saturating_add(made);
            self.ended = status == Status::StreamEnd;
            if taken == 0 && made == 0 && !self.ended {
                return Ok((whole.saturating_sub(input.len()), false));
            }
        }
    }

    /// Unfilters and gives the complete rows that are wanted.
    fn give_rows(&mut self, out: &mut RowsOut<'_>) -> Result<()> {
        let row = self.header.row_bytes().saturating_add(1);
        while !self.all_given() && self.have.saturating_sub(self.done) >= row {
            let slot = out.next();
            if matches!(slot, Slot::Full) {
                return Ok(());
            }
            let bytes = self.buffer.get_mut(self.done..self.done.saturating_add(row)).unwrap_or_default();
            let Some((kind, pixels)) = bytes.split_first_mut() else { return Ok(()) };
            unfilter(*kind, pixels, &self.above, self.header.pixel_bytes())?;
            self.above.copy_from_slice(pixels);
            if let Slot::Row(target) = slot {
                store(pixels, target);
            }
            self.done = self.done.saturating_add(row);
            self.given = self.given.saturating_add(1);
        }
        if self.done == self.have || self.have == self.buffer.len() {
            self.buffer.copy_within(self.done..self.have, 0);
            self.have = self.have.saturating_sub(self.done);
            self.done = 0;
        }
        Ok(())
    }
}

/// A row's bytes as samples: 16-bit ones are big-endian (7.1).
fn store(bytes: &[u8], target: SamplesMut<'_>) {
    match target {
        SamplesMut::U8(to) => to.copy_from_slice(bytes),
        SamplesMut::U16(to) => {
            for (to, from) in to.iter_mut().zip(bytes.as_chunks::<2>().0) {
                *to = u16::from_be_bytes(*from);
            }
        }
        // The header only ever names 8 or 16 bits.
        SamplesMut::F32(_) => {}
    }
}
