//! Reading PNG: chunks, their order and their checksums.

use super::expand::Colors;
use super::frames::{Animation, Part};
use super::header::{Color, Header};
use super::player::Player;
use super::rows::Rows;
use super::{SIGNATURE, chunks};
use crate::error::{Error, Result};
use crate::file::budget::Budget;
use crate::file::decoder::{Decoder, Jump, RowsOut, Start, Stop, gather};
use crate::file::limits::Limits;
use crate::frame::{Facts, FileFormat, Metadata, Palette, PixelFormat, RowOrder};
use crate::memory::Charge;
use crate::pixel::{Layout, Meaning, Rgba};

/// A PNG decoder: pushed bytes, gives rows.
pub(in crate::file) struct PngDecoder {
    limits: Limits,
    state: State,
    /// The page that is given, from 1, and how: as numbers of colours or alone; the length of the file.
    start: Start,
    animation: Option<Animation>,
    player: Option<Player>,
    /// Bytes of a signature, chunk header, small chunk or checksum that is not complete yet.
    part: Vec<u8>,
    crc: crc32fast::Hasher,
    budget: Budget,
    header: Option<Header>,
    colors: Colors,
    metadata: Metadata,
    facts: Option<Facts>,
    rows: Option<Rows>,
    charge: Charge,
    said_facts: bool,
    /// The byte that comes next, and where its chunk begins.
    at: u64,
    chunk_at: u64,
    /// The row that was due when the chunk of pixel data began; and the first row of which the bytes are known to be wrong.
    chunk_row: u32,
    wrong_from: Option<u32>,
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
    /// The chunks behind are gone through, to know the frames of an animation; then the first packed pixels, of so many bytes, come.
    Walk {
        from: u64,
        length: u32,
    },
    /// Frames are unpacked and drawn; then rows are given.
    Frames,
    /// The four bytes behind a chunk; `body` bytes of it are held to be parsed.
    Checksum {
        kind: [u8; 4],
        body: Option<u32>,
    },
    Done,
}

impl PngDecoder {
    pub(in crate::file) fn new(start: Start) -> PngDecoder {
        PngDecoder {
            limits: start.limits,
            start,
            animation: None,
            player: None,
            state: State::Signature,
            part: Vec::new(),
            crc: crc32fast::Hasher::new(),
            budget: Budget::new(start.limits),
            header: None,
            colors: Colors::default(),
            metadata: Metadata::default(),
            facts: None,
            rows: None,
            charge: Charge::NONE,
            said_facts: false,
            at: 0,
            chunk_at: 0,
            chunk_row: 0,
            wrong_from: None,
        }
    }

    /// Collects bytes into `part` until it has `wanted`; true when it has.
    fn gather(&mut self, input: &mut &[u8], wanted: usize) -> bool {
        let before = input.len();
        let complete = gather(&mut self.part, input, wanted);
        self.at = self.at.saturating_add(before.saturating_sub(input.len()) as u64);
        complete
    }

    /// A chunk's length and kind (5.3), checked against what may come now (5.6).
    fn chunk_header(&mut self) -> Result<()> {
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
            b"IDAT" if self.animation.as_ref().is_some_and(|animation| !animation.walked) => {
                let from = self.at;
                if let Some(animation) = &mut self.animation {
                    animation.first_data(Part { at: from, bytes: length, sequence: None }, &mut self.budget)?;
                }
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
    fn begin_rows(&mut self) -> Result<()> {
        let Some(header) = self.header else { return Err(Error::malformed("IDAT before IHDR")) };
        if self.rows.is_none() {
            if header.color == Color::Palette && self.colors.palette.is_empty() {
                return Err(Error::malformed("a picture of indices without a palette (PLTE)"));
            }
            let what =
                if header.interlaced { "an interlaced picture, which is held whole," } else { "a row of pixels" };
            self.charge = self.limits.charge(what, Rows::memory(&header))?;
            self.make_facts(&header, None)?;
            let colors = if self.animation.is_some() { self.colors.clone() } else { std::mem::take(&mut self.colors) };
            self.rows = Some(Rows::new(header, colors, self.start.indices));
        }
        Ok(())
    }

    /// Whether the page is a frame that is drawn, and not the first picture.
    fn frame(&self) -> Option<usize> {
        let first = self.start.page <= 1;
        self.animation.as_ref().filter(|a| !first && a.walked).and_then(|a| a.frame_of(self.start.page))
    }

    /// The facts of a frame that is drawn, once all are known.
    fn begin_frame(&mut self, frame: usize) -> Result<()> {
        let (Some(header), Some(animation)) = (self.header, &self.animation) else { return Ok(()) };
        let Some(control) = animation.frames.get(frame) else {
            let (page, pages) = (self.start.page, animation.pages());
            let line = format!("there is no page {page}; the file has {pages}");
            return Err(Error::not_there("page", page.into(), pages.into(), line));
        };
        let how = (self.start.indices || self.start.frames_alone, self.start.indices);
        let player = self.player.get_or_insert_with(|| Player::new(header, self.colors.clone(), self.limits, how));
        player.go_for(frame, animation, self.start.length)?;
        let (size, layout) = (player.size(control), player.layout(animation));
        self.make_facts(&Header { size, ..header }, Some(layout))
    }

    /// What an animation adds to the facts.
    fn animate(&self, facts: &mut Facts) {
        let Some(animation) = &self.animation else { return };
        facts.pages = animation.pages();
        if animation.walked {
            facts.page_list = animation.page_list();
        }
        facts.plays = Some(animation.plays);
        let frame = animation.frame_of(self.start.page).and_then(|frame| animation.frames.get(frame));
        facts.metadata.delay = frame.map(|f| f.control.delay);
        facts.remarks.extend(animation.remark());
        if let (Some(frame), true) = (frame, self.start.page > 1 && self.start.frames_alone) {
            let (x, y, canvas) = (frame.control.x, frame.control.y, self.header.map_or(frame.control.size, |h| h.size));
            if frame.control.size != canvas {
                facts.remarks.push(format!("the frame lies at {x}, {y} of a canvas of {canvas}"));
            }
        }
    }

    /// `layout`: of a frame, where it may be another than that of the first picture.
    fn make_facts(&mut self, header: &Header, frame: Option<Layout>) -> Result<()> {
        let mut layout = frame.unwrap_or(header.layout(self.colors.transparent()));
        if header.color == Color::Gray && header.bits < 8 {
            let mut tops = vec![255; layout.channels()];
            if let Some(top) = tops.first_mut() {
                *top = (1u32 << header.bits).saturating_sub(1);
            }
            self.metadata.max_codes = Some(tops);
        }
        if header.color == Color::Palette && self.start.indices {
            layout = Layout::Gray;
            self.metadata.meaning = Meaning::Indices;
            let alpha = self.colors.alpha.iter().copied().chain(std::iter::repeat(255));
            let colors = self.colors.palette.iter().zip(alpha).map(|(&[r, g, b], a)| Rgba::new(r, g, b, a));
            self.metadata.palette = Some(Palette::new(colors.collect())?);
        }
        let form = PixelFormat::Pixels { depth: header.depth(), layout };
        super::color::simplify(&mut self.metadata);
        let mut facts = Facts::new(header.size, form, self.metadata.clone());
        facts.format = Some(FileFormat::Png);
        facts.stored = Some(self.describe(header));
        self.animate(&mut facts);
        self.facts = Some(facts);
        Ok(())
    }

    /// How the file stores its pixels, in words.
    fn describe(&self, header: &Header) -> String {
        let transparent = match (header.color, self.colors.transparent()) {
            (_, false) => "",
            (Color::Palette, true) => ", with alpha",
            (_, true) => ", with a transparent colour",
        };
        let colors = match header.color {
            Color::Palette => format!("{} colours, ", self.colors.palette.len()),
            _ => String::new(),
        };
        format!("{colors}{}{transparent}", header.describe())
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
                    animation.control(&body, &self.limits, &mut self.budget)?;
                }
            }
            _ => {
                let Some(header) = self.header else { return Ok(()) };
                let context = chunks::Context { header: &header, palette: &self.colors.palette };
                chunks::read(kind, &body, &context, &mut self.budget, &mut self.metadata)?;
            }
        }
        Ok(())
    }

    fn checksum(&mut self, kind: [u8; 4], then_parse: bool) -> Result<()> {
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

impl PngDecoder {
    /// Goes on with what has come.
    fn run(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        loop {
            if self.facts.is_some() && !self.said_facts && (self.rows.is_some() || self.frame().is_some()) {
                self.said_facts = true;
                return Ok(Stop::Facts);
            }
            match self.state {
                State::Signature => {
                    if !self.gather(rest, SIGNATURE.len()) {
                        return Ok(Stop::NeedInput);
                    }
                    if self.part != SIGNATURE {
                        return Err(Error::malformed("the signature is not that of PNG"));
                    }
                    self.part.clear();
                    self.state = State::ChunkHeader;
                }
                State::ChunkHeader => {
                    if self.part.is_empty() {
                        self.chunk_at = self.at;
                    }
                    if !self.gather(rest, 8) {
                        return Ok(Stop::NeedInput);
                    }
                    self.chunk_header()?;
                }
                State::Body { kind, length } => {
                    let before = self.part.len();
                    let complete = self.gather(rest, length as usize);
                    self.crc.update(self.part.get(before..).unwrap_or_default());
                    if !complete {
                        return Ok(Stop::NeedInput);
                    }
                    self.state = State::Checksum { kind, body: Some(length) };
                }
                State::Passed { kind, left } => {
                    let (head, tail) = rest.split_at(rest.len().min(left as usize));
                    self.crc.update(head);
                    *rest = tail;
                    self.at = self.at.saturating_add(head.len() as u64);
                    let left = left.saturating_sub(u32::try_from(head.len()).unwrap_or(left));
                    if left > 0 {
                        self.state = State::Passed { kind, left };
                        return Ok(Stop::NeedInput);
                    }
                    self.state = State::Checksum { kind, body: None };
                }
                State::Data { left } => {
                    let Some(rows) = &mut self.rows else { return Err(Error::malformed("IDAT before IHDR")) };
                    let (head, _) = rest.split_at(rest.len().min(left as usize));
                    let (used, stop) = rows.inflate(head, out)?;
                    let (used_bytes, tail) = rest.split_at(used.min(rest.len()));
                    self.crc.update(used_bytes);
                    *rest = tail;
                    self.at = self.at.saturating_add(used as u64);
                    let left = left.saturating_sub(u32::try_from(used).unwrap_or(left));
                    self.state = State::Data { left };
                    if stop {
                        return Ok(Stop::RowsGiven);
                    }
                    if left > 0 {
                        return Ok(Stop::NeedInput);
                    }
                    self.state = State::Checksum { kind: *b"IDAT", body: None };
                }
                State::Checksum { kind, body } => {
                    let wanted = (body.unwrap_or(0) as usize).saturating_add(4);
                    if !self.gather(rest, wanted) {
                        return Ok(Stop::NeedInput);
                    }
                    self.checksum(kind, body.is_some())?;
                }
                State::Walk { from, length } => {
                    let Some(animation) = &mut self.animation else { return Ok(Stop::Done) };
                    let walked = animation.walk(rest, &mut self.at, &self.limits, &mut self.budget);
                    self.chunk_at = animation.next;
                    if let Some(stop) = walked? {
                        return Ok(stop);
                    }
                    if let Some(frame) = self.frame() {
                        self.begin_frame(frame)?;
                        self.state = State::Frames;
                        continue;
                    }
                    self.begin_rows()?;
                    self.chunk_row = 0;
                    self.state = State::Data { left: length };
                    if self.at != from {
                        self.at = from;
                        return Ok(Stop::Elsewhere(Jump { to: from, keep_to: Some(u64::MAX), wanted: 0 }));
                    }
                }
                State::Frames => {
                    let (Some(player), Some(animation)) = (&mut self.player, &self.animation) else {
                        return Ok(Stop::Done);
                    };
                    self.chunk_at = self.at;
                    return match player.draw(animation, rest, &mut self.at)? {
                        Some(stop) => Ok(stop),
                        None => player.give(out),
                    };
                }
                State::Done => return Ok(Stop::Done),
            }
        }
    }
}

impl Decoder for PngDecoder {
    fn feed(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        // Where a chunk is wrong, it is told by where it begins.
        self.run(rest, out).map_err(|e| e.in_format(FileFormat::Png, Some(self.chunk_at)))
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn next_page(&mut self) -> Result<bool> {
        let Some(animation) = &self.animation else { return Ok(false) };
        let page = self.start.page.saturating_add(1);
        let Some(frame) = animation.frame_of(page).filter(|_| animation.walked && page <= animation.pages()) else {
            return Ok(false);
        };
        self.start.page = page;
        self.begin_frame(frame)?;
        self.state = State::Frames;
        Ok(true)
    }

    fn input_ended(&mut self) -> bool {
        // Frames that are not there any more are none.
        match (&self.state, &mut self.animation) {
            (State::Walk { .. }, Some(animation)) => {
                animation.cut();
                true
            }
            _ => false,
        }
    }

    fn header_so_far(&mut self) -> bool {
        let Some(header) = self.header else { return false };
        let made = self.make_facts(&header, None).is_ok();
        if let Some(facts) = &mut self.facts {
            facts.remarks.push("the header is long, and not all of it was looked at".to_string());
        }
        made
    }

    fn row_order(&self) -> RowOrder {
        match self.header {
            Some(header) if header.interlaced || self.player.is_some() => RowOrder::Whole,
            _ => RowOrder::TopDown,
        }
    }

    fn salvage(&mut self, out: &mut RowsOut<'_>) -> bool {
        if let (Some(player), Some(animation), State::Frames) = (&mut self.player, &self.animation, self.state) {
            return !player.is_ready() && player.salvage(animation);
        }
        let is_data = |kind: &[u8; 4]| kind == b"IDAT";
        match &self.state {
            State::Checksum { kind, .. } if self.rows.is_some() && self.part.len() >= 4 => {
                // The chunk is there, and what follows it.
                if is_data(kind) {
                    self.wrong_from.get_or_insert(self.chunk_row);
                }
                self.part.clear();
                self.state = State::ChunkHeader;
                return true;
            }
            State::Data { .. } => {
                self.wrong_from.get_or_insert(self.chunk_row);
            }
            _ => {}
        }
        self.rows.iter_mut().for_each(|rows| rows.salvage(out));
        false
    }

    fn suspect(&mut self) -> Vec<std::ops::Range<u32>> {
        let given = self.rows.as_ref().map_or(0, Rows::given);
        self.wrong_from.map(|first| first..given).into_iter().collect()
    }

    fn expected(&self) -> String {
        if let (Some(player), State::Frames) = (&self.player, self.state) {
            return player.expected();
        }
        match &self.rows {
            Some(rows) if !rows.is_complete() => rows.expected(),
            Some(_) => "the end of the file (IEND)".to_string(),
            _ => "the rest of the header".to_string(),
        }
    }
}
