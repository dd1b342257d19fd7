//! Reading PNG: chunks, their order and their checksums.

mod chunk;
mod facts;

use super::SIGNATURE;
use super::expand::Colors;
use super::frames::Animation;
use super::header::Header;
use super::player::Player;
use super::rows::Rows;
use super::walk::Walk;
use crate::error::{Error, Result};
use crate::file::budget::Budget;
use crate::file::decoder::{Decoder, Jump, RowsOut, Start, Stop, gather};
use crate::frame::{Facts, FileFormat, Metadata, RowOrder};
use crate::memory::Charge;

/// A PNG decoder: pushed bytes, gives rows.
pub(in crate::file) struct PngDecoder {
    state: State,
    /// The page that is given, from 1, and how: as numbers of colours or alone; the length of the file.
    start: Start,
    animation: Option<Animation>,
    /// The way along the chunks behind the first packed pixels, and whether it was gone to its end.
    walk: Option<Walk>,
    walked: bool,
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
    /// The chunks behind are gone through, to know texts and the frames of an animation; then the first packed pixels, of so many bytes, come.
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
            animation: None,
            walk: None,
            walked: false,
            player: None,
            state: State::Signature,
            part: Vec::new(),
            crc: crc32fast::Hasher::new(),
            budget: Budget::new(start.bounds.clone()),
            start,
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
}

/// How far the input takes a state: the stop that is due, or none where the next state goes on.
type Next = Result<Option<Stop>>;

impl PngDecoder {
    /// Goes on with what has come.
    fn run(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        loop {
            if self.facts.is_some() && !self.said_facts && (self.rows.is_some() || self.frame().is_some()) {
                self.said_facts = true;
                return Ok(Stop::Facts);
            }
            let stop = match self.state {
                State::Signature => self.signature(rest)?,
                State::ChunkHeader => self.begin_chunk(rest)?,
                State::Body { kind, length } => self.body(rest, kind, length),
                State::Passed { kind, left } => self.passed(rest, kind, left),
                State::Data { left } => self.data(rest, left, out)?,
                State::Checksum { kind, body } => self.end_chunk(rest, kind, body)?,
                State::Walk { from, length } => self.walk(rest, from, length)?,
                State::Frames => self.frames(rest, out)?,
                State::Done => Some(Stop::Done),
            };
            if let Some(stop) = stop {
                return Ok(stop);
            }
        }
    }

    fn signature(&mut self, rest: &mut &[u8]) -> Next {
        if !self.gather(rest, SIGNATURE.len()) {
            return Ok(Some(Stop::NeedInput));
        }
        if self.part != SIGNATURE {
            return Err(Error::malformed("the signature is not that of PNG"));
        }
        self.part.clear();
        self.state = State::ChunkHeader;
        Ok(None)
    }

    fn begin_chunk(&mut self, rest: &mut &[u8]) -> Next {
        if self.part.is_empty() {
            self.chunk_at = self.at;
        }
        if !self.gather(rest, 8) {
            return Ok(Some(Stop::NeedInput));
        }
        self.chunk_header()?;
        Ok(None)
    }

    fn body(&mut self, rest: &mut &[u8], kind: [u8; 4], length: u32) -> Option<Stop> {
        let before = self.part.len();
        let complete = self.gather(rest, length as usize);
        self.crc.update(self.part.get(before..).unwrap_or_default());
        if !complete {
            return Some(Stop::NeedInput);
        }
        self.state = State::Checksum { kind, body: Some(length) };
        None
    }

    fn passed(&mut self, rest: &mut &[u8], kind: [u8; 4], left: u32) -> Option<Stop> {
        let used = self.use_up(rest, rest.len().min(left as usize));
        let left = left.saturating_sub(used);
        if left > 0 {
            self.state = State::Passed { kind, left };
            return Some(Stop::NeedInput);
        }
        self.state = State::Checksum { kind, body: None };
        None
    }

    fn data(&mut self, rest: &mut &[u8], left: u32, out: &mut RowsOut<'_>) -> Next {
        let Some(rows) = &mut self.rows else { return Err(Error::malformed("IDAT before IHDR")) };
        let (head, _) = rest.split_at(rest.len().min(left as usize));
        let (used, stop) = rows.inflate(head, out)?;
        let left = left.saturating_sub(self.use_up(rest, used));
        self.state = State::Data { left };
        if stop {
            return Ok(Some(Stop::RowsGiven));
        }
        if left > 0 {
            return Ok(Some(Stop::NeedInput));
        }
        self.state = State::Checksum { kind: *b"IDAT", body: None };
        Ok(None)
    }

    /// Bytes of a chunk that have been looked at; how many.
    fn use_up(&mut self, rest: &mut &[u8], count: usize) -> u32 {
        let (head, tail) = rest.split_at(count.min(rest.len()));
        self.crc.update(head);
        *rest = tail;
        self.at = self.at.saturating_add(head.len() as u64);
        u32::try_from(head.len()).unwrap_or(u32::MAX)
    }

    fn end_chunk(&mut self, rest: &mut &[u8], kind: [u8; 4], body: Option<u32>) -> Next {
        let wanted = (body.unwrap_or(0) as usize).saturating_add(4);
        if !self.gather(rest, wanted) {
            return Ok(Some(Stop::NeedInput));
        }
        self.checksum(kind, body.is_some())?;
        Ok(None)
    }

    fn walk(&mut self, rest: &mut &[u8], from: u64, length: u32) -> Next {
        let Some(walk) = &mut self.walk else { return Ok(Some(Stop::Done)) };
        let gone = walk.go((rest, &mut self.at), self.animation.as_mut(), &self.start.bounds, &mut self.budget);
        self.chunk_at = walk.next;
        if let Some(stop) = gone? {
            return Ok(Some(stop));
        }
        self.behind()?;
        // The chunk of the first packed pixels is the one that is read on.
        self.chunk_at = from.saturating_sub(8);
        if let Some(frame) = self.frame() {
            self.begin_frame(frame)?;
            self.state = State::Frames;
            return Ok(None);
        }
        self.begin_rows()?;
        self.chunk_row = 0;
        self.state = State::Data { left: length };
        let back = (self.at != from).then_some(Stop::Elsewhere(Jump { to: from, keep_to: Some(u64::MAX), wanted: 0 }));
        self.at = from;
        Ok(back)
    }

    fn frames(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>) -> Next {
        let (Some(player), Some(animation)) = (&mut self.player, &self.animation) else { return Ok(Some(Stop::Done)) };
        self.chunk_at = self.at;
        match player.draw(animation, rest, &mut self.at)? {
            Some(stop) => Ok(Some(stop)),
            None => player.give(out).map(Some),
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

    fn rewind_page(&mut self) -> Result<bool> {
        let drawn = self.player.as_mut().filter(|player| player.is_ready() && matches!(self.state, State::Frames));
        Ok(drawn.map(Player::again).is_some())
    }

    fn input_ended(&mut self) -> bool {
        // Frames that are not there any more are none.
        let walk = self.walk.as_mut().filter(|_| matches!(self.state, State::Walk { .. }));
        walk.map(Walk::cut).is_some()
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
