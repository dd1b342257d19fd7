//! Reading: the blocks first, to know the pages; then the frames up to the one that is wanted.

mod draw;
mod facts;

use super::blocks::Blocks;
use super::canvas::Canvas;
use super::frame::Frame;
use crate::error::Result;
use crate::file::decoder::{Decoder, RowsOut, Slot, Start, Stop, collect};
use crate::frame::{Facts, PageFacts, RowOrder};
use std::ops::Range;
use std::sync::Arc;

/// A decoder of GIF: pushed bytes, gives rows of one page after another.
pub(in crate::file) struct GifDecoder {
    start: Start,
    blocks: Blocks,
    facts: Option<Facts>,
    page_list: Option<Arc<[PageFacts]>>,
    state: State,
    /// Where in the file the next byte of input lies.
    at: u64,
    part: Vec<u8>,
    /// The page that is given, from 0, and the frame that is drawn next.
    page: usize,
    next: usize,
    canvas: Option<Canvas>,
    frame: Frame,
    given: u32,
    /// Rows of the canvas that were not whole.
    damaged: Vec<Range<u32>>,
    salvaging: bool,
    ended: bool,
}

enum State {
    /// The blocks of the file are gone through.
    Blocks,
    Facts,
    /// A frame's palette, then its data.
    Palette,
    Data,
    /// The page is drawn.
    Rows,
}

impl GifDecoder {
    pub(in crate::file) fn new(start: Start) -> GifDecoder {
        let page = (start.page as usize).saturating_sub(1);
        GifDecoder {
            blocks: Blocks::new(start.bounds.clone(), start.page),
            start,
            facts: None,
            page_list: None,
            state: State::Blocks,
            at: 0,
            part: Vec::new(),
            page,
            next: 0,
            canvas: None,
            frame: Frame::default(),
            given: 0,
            damaged: Vec::new(),
            salvaging: false,
            ended: false,
        }
    }

    /// Whether a page is what its frame holds, and not what a viewer shows.
    fn alone(&self) -> bool {
        self.start.indices || self.start.frames_alone
    }

    /// Bytes from a place of the file; the stop that is due until all have come.
    fn collect(&mut self, input: &mut &[u8], place: u64, wanted: usize) -> Option<Stop> {
        collect((&mut self.part, &mut self.at), input, place, wanted, 0)
    }
}

impl Decoder for GifDecoder {
    fn feed(&mut self, input: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        loop {
            match self.state {
                State::Blocks => {
                    let done = self.blocks.feed(input)?;
                    self.at = self.blocks.at;
                    if !done {
                        return Ok(Stop::NeedInput);
                    }
                    self.make_facts()?;
                    self.state = State::Facts;
                }
                State::Facts => {
                    self.state = State::Palette;
                    if !self.start.header_only {
                        self.next = if self.alone() { self.page } else { 0 };
                        self.begin_frame()?;
                    }
                    return Ok(Stop::Facts);
                }
                State::Palette => {
                    if self.ended && self.salvaging {
                        // What is not there any more has no colours.
                        self.frame.colors = vec![[0; 4]; 256];
                    } else if let Some(stop) = self.palette(input) {
                        return Ok(stop);
                    }
                    self.state = State::Data;
                }
                State::Data => {
                    if self.ended && self.salvaging {
                        let frame = self.blocks.frames.get(self.next).copied();
                        frame.map_or(Ok(()), |frame| self.short(&frame, "the file ends"))?;
                    } else if let Some(stop) = self.data(input)? {
                        return Ok(stop);
                    }
                    self.draw()?;
                    if self.next < self.page {
                        self.next = self.next.saturating_add(1);
                        self.begin_frame()?;
                        self.state = State::Palette;
                        continue;
                    }
                    self.state = State::Rows;
                }
                State::Rows => {
                    let height = self.facts.as_ref().map_or(0, |f| f.size.height);
                    if self.given >= height {
                        return Ok(Stop::Done);
                    }
                    match out.next_row() {
                        Slot::Full => return Ok(Stop::RowsGiven),
                        slot => self.row(slot)?,
                    }
                    if self.damaged.iter().any(|r| r.contains(&self.given)) {
                        out.spoil();
                    }
                    self.given = self.given.saturating_add(1);
                }
            }
        }
    }

    fn next_page(&mut self) -> Result<bool> {
        let last = self.page.saturating_add(1) >= self.blocks.frames.len();
        if last || self.start.indices || matches!(self.state, State::Blocks | State::Facts) {
            return Ok(false);
        }
        // Frames that are not drawn yet are drawn on the way.
        let begins = self.alone() || matches!(self.state, State::Rows);
        self.page = self.page.saturating_add(1);
        self.start.page = self.start.page.saturating_add(1);
        self.make_facts()?;
        self.given = 0;
        self.damaged.clear();
        if begins {
            self.next = self.page;
            self.begin_frame()?;
            self.state = State::Palette;
        }
        Ok(true)
    }

    fn rewind_page(&mut self) -> Result<bool> {
        // What was drawn is there still.
        let drawn = matches!(self.state, State::Rows);
        if drawn {
            self.given = 0;
        }
        Ok(drawn)
    }

    fn input_ended(&mut self) -> bool {
        if matches!(self.state, State::Blocks) {
            return self.blocks.cut();
        }
        self.ended = true;
        self.salvaging
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        match self.state {
            State::Blocks => "the rest of the blocks".to_string(),
            _ => format!("the rest of frame {}", self.next.saturating_add(1)),
        }
    }

    fn row_order(&self) -> RowOrder {
        RowOrder::Whole
    }

    fn salvage(&mut self, _out: &mut RowsOut<'_>) -> bool {
        if self.salvaging || matches!(self.state, State::Blocks | State::Facts) {
            return false;
        }
        // The frame goes on as far as it was read.
        self.salvaging = true;
        if matches!(self.state, State::Data) {
            let frame = self.blocks.frames.get(self.next).copied();
            if let Some(frame) = frame {
                let _ = self.short(&frame, "");
            }
            if self.draw().is_err() {
                return false;
            }
            self.state = match self.next < self.page {
                true => {
                    self.next = self.next.saturating_add(1);
                    if self.begin_frame().is_err() {
                        return false;
                    }
                    State::Palette
                }
                false => State::Rows,
            };
        }
        true
    }
}
