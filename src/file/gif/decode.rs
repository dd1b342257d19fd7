//! Reading: the blocks first, to know the pages; then the frames up to the one that is wanted.

use super::blocks::{Blocks, FrameInfo};
use super::canvas::{Canvas, interlaced_rows};
use crate::error::{Error, Result};
use crate::file::decoder::{Decoder, Jump, RowsOut, Slot, Start, Stop, collect};
use crate::frame::{Facts, FileFormat, Metadata, Palette, PixelFormat, RowOrder, SamplesMut, Size, Text};
use crate::memory::Charge;
use crate::pixel::{Depth, Layout, Meaning, Rgba};
use std::ops::Range;
use weezl::{BitOrder, LzwStatus, decode};

/// A decoder of GIF: pushed bytes, gives rows of one page after another.
pub(in crate::file) struct GifDecoder {
    start: Start,
    blocks: Blocks,
    facts: Option<Facts>,
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

/// The frame that is being drawn.
#[derive(Default)]
struct Frame {
    indices: Vec<u8>,
    have: usize,
    lzw: Option<decode::Decoder>,
    colors: Vec<[u8; 4]>,
    /// Bytes of a part of data that are still to come; and whether the parts have ended.
    left: usize,
    begun: bool,
    charge: Charge,
}

impl Frame {
    /// Takes what the codes that have come still give.
    fn flush(&mut self) {
        while let (Some(lzw), Some(room)) = (&mut self.lzw, self.indices.get_mut(self.have..)) {
            let done = lzw.decode_bytes(&[], room);
            self.have = self.have.saturating_add(done.consumed_out);
            if done.consumed_out == 0 || done.status.is_err() {
                return;
            }
        }
    }
}

impl GifDecoder {
    pub(in crate::file) fn new(start: Start) -> GifDecoder {
        let page = (start.page as usize).saturating_sub(1);
        GifDecoder {
            start,
            blocks: Blocks::new(start.limits, start.page),
            facts: None,
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

    /// What is known makes facts.
    fn make_facts(&mut self) -> Result<()> {
        let blocks = &self.blocks;
        let pages = u32::try_from(blocks.frames.len()).unwrap_or(u32::MAX);
        let Some(frame) = blocks.frames.get(self.page) else {
            let page = self.start.page;
            if pages == 0 {
                return Err(Error::malformed("a file without a frame").in_format(FileFormat::Gif, Some(blocks.at)));
            }
            let line = format!("there is no page {page}; the file has {pages}");
            return Err(Error::not_there("page", page.into(), pages.into(), line));
        };
        let size = if self.alone() { frame.size } else { blocks.canvas() };
        self.start.limits.check_size(size)?;
        let mut metadata = Metadata { delay: frame.delay.map(|d| f64::from(d) / 100.0), ..Metadata::default() };
        let mut layout = if self.sees_through() { Layout::Rgba } else { Layout::Rgb };
        if self.start.indices {
            metadata.meaning = Meaning::Indices;
            metadata.palette = Some(palette_of(blocks, frame)?);
            layout = Layout::Gray;
        }
        if !blocks.comment.is_empty() {
            // Seven-bit ASCII, says the standard; what is more is taken as UTF-8 where it is.
            let text = String::from_utf8_lossy(&blocks.comment).into_owned();
            metadata.text.push(Text { keyword: "Comment".to_string(), text: text.into() });
        }
        let mut facts = Facts::new(size, PixelFormat::Pixels { depth: Depth::U8, layout }, metadata);
        facts.format = Some(FileFormat::Gif);
        let interlaced = if frame.interlaced { "interlaced" } else { "not interlaced" };
        let colors = if frame.colors > 0 { frame.colors } else { blocks.palette.len() / 3 };
        let own = if frame.colors > 0 { ", a palette of its own" } else { "" };
        let version = if blocks.screen.is_some_and(|s| s.is_89a) { "89a" } else { "87a" };
        facts.stored = Some(format!("{version}, {colors} colours{own}, {interlaced}"));
        if self.alone() && frame.size != blocks.canvas() {
            let (x, y, canvas) = (frame.x, frame.y, blocks.canvas());
            facts.remarks.push(format!("the frame lies at {x}, {y} of a canvas of {canvas}"));
        }
        facts.pages = pages;
        facts.page_list = blocks.page_list();
        facts.plays = blocks.plays.or((pages > 1).then_some(1));
        facts.remarks.extend(blocks.remarks.iter().cloned());
        self.facts = Some(facts);
        Ok(())
    }

    /// Whether the pages may show what is behind them.
    fn sees_through(&self) -> bool {
        let blocks = &self.blocks;
        let canvas = blocks.canvas();
        let covers = |f: &FrameInfo| (f.x, f.y, f.size) == (0, 0, canvas) && f.transparent.is_none();
        if self.start.frames_alone {
            return blocks.frames.get(self.page).is_some_and(|f| f.transparent.is_some());
        }
        let clears = blocks.frames.iter().any(|f| f.disposal != super::blocks::Disposal::Keep);
        let all_cover = blocks.frames.iter().all(covers);
        // Where something is cleared, only frames that cover all of it again hide that.
        !blocks.frames.first().is_some_and(covers) || clears && !all_cover
    }

    /// Begins a frame.
    fn begin_frame(&mut self) -> Result<()> {
        let Some(frame) = self.blocks.frames.get(self.next).copied() else { return Ok(()) };
        let pixels = frame.size.pixels();
        let limits = self.start.limits;
        if self.canvas.is_none() {
            let canvas = self.blocks.canvas();
            limits.check_size(canvas)?;
            // All frames up to the page are drawn: their pixels are the work.
            let up_to = self.blocks.frames.iter().take(self.page.saturating_add(1)).map(|f| f.size.pixels());
            limits.check_work(up_to.fold(0u64, u64::saturating_add), self.start.length.unwrap_or(u64::MAX))?;
            let size = if self.alone() { Size::new(1, 1) } else { canvas };
            self.canvas = Some(Canvas::new(size, &limits)?);
        }
        if self.frame.indices.len() as u64 != pixels {
            self.frame.indices = Vec::new();
            self.frame.charge = Charge::NONE;
            self.frame.charge = limits.charge("a frame, which is held whole,", pixels)?;
            self.frame.indices = vec![0; usize::try_from(pixels).unwrap_or(usize::MAX)];
        }
        (self.frame.have, self.frame.lzw, self.frame.left, self.frame.begun) = (0, None, 0, false);
        self.part.clear();
        Ok(())
    }

    /// Bytes from a place of the file; the stop that is due until all have come.
    fn collect(&mut self, input: &mut &[u8], place: u64, wanted: usize) -> Option<Stop> {
        collect((&mut self.part, &mut self.at), input, place, wanted, 0)
    }

    fn palette(&mut self, input: &mut &[u8]) -> Option<Stop> {
        let frame = self.blocks.frames.get(self.next).copied()?;
        let mut colors = std::mem::take(&mut self.frame.colors);
        if frame.colors > 0 {
            if let Some(stop) = self.collect(input, frame.palette_at, frame.colors.saturating_mul(3)) {
                self.frame.colors = colors;
                return Some(stop);
            }
        } else {
            self.part.clone_from(&self.blocks.palette);
        }
        colors.clear();
        colors.extend(self.part.as_chunks::<3>().0.iter().map(|&[r, g, b]| [r, g, b, 255]));
        self.part.clear();
        // Numbers beyond the palette are black.
        colors.resize(256, [0, 0, 0, 255]);
        if let Some(clear) = frame.transparent.and_then(|i| colors.get_mut(usize::from(i))) {
            *clear = [0; 4];
        }
        self.frame.colors = colors;
        None
    }

    /// Takes a frame's data; none once it has ended.
    fn data(&mut self, input: &mut &[u8]) -> Result<Option<Stop>> {
        let Some(frame) = self.blocks.frames.get(self.next).copied() else { return Ok(None) };
        if !self.frame.begun {
            if let Some(stop) = self.collect(input, frame.data_at, 1) {
                return Ok(Some(stop));
            }
            let bits = self.part.first().copied().unwrap_or(8).clamp(1, 11);
            self.part.clear();
            self.frame.lzw = Some(decode::Decoder::new(BitOrder::Lsb, bits));
            self.frame.begun = true;
        }
        loop {
            if self.frame.have >= self.frame.indices.len() {
                return Ok(None);
            }
            let Some(&first) = input.first() else { return Ok(Some(Stop::NeedInput)) };
            if self.frame.left == 0 {
                *input = input.get(1..).unwrap_or_default();
                self.at = self.at.saturating_add(1);
                if first == 0 {
                    self.frame.flush();
                    return self.short(&frame, "its data ends").map(|()| None);
                }
                self.frame.left = first.into();
                continue;
            }
            let Frame { indices, have, lzw, left, .. } = &mut self.frame;
            let (Some(lzw), Some(room)) = (lzw, indices.get_mut(*have..)) else { return Ok(None) };
            let bytes = input.get(..(*left).min(input.len())).unwrap_or_default();
            let done = lzw.decode_bytes(bytes, room);
            *have = have.saturating_add(done.consumed_out);
            *left = left.saturating_sub(done.consumed_in);
            *input = input.get(done.consumed_in..).unwrap_or_default();
            self.at = self.at.saturating_add(done.consumed_in as u64);
            match done.status {
                Ok(LzwStatus::Done) => return self.short(&frame, "its codes end").map(|()| None),
                Ok(_) if done.consumed_in == 0 && done.consumed_out == 0 && !bytes.is_empty() => {
                    return self.short(&frame, "its codes stand still").map(|()| None);
                }
                Ok(_) => {}
                Err(_) => return self.short(&frame, "a code cannot stand there").map(|()| None),
            }
        }
    }

    /// A frame's data ended: an error where pixels are missing, unless the file is salvaged.
    fn short(&mut self, frame: &FrameInfo, why: &str) -> Result<()> {
        let (have, all) = (self.frame.have, self.frame.indices.len());
        if have >= all {
            return Ok(());
        }
        if !self.salvaging {
            let number = self.next.saturating_add(1);
            let line = format!("frame {number} has {have} of its {all} pixels: {why}");
            return Err(Error::malformed(line).in_format(FileFormat::Gif, Some(self.at)));
        }
        let width = (frame.size.width as usize).max(1);
        let rows = u32::try_from(have.checked_div(width).unwrap_or(0)).unwrap_or(u32::MAX);
        let top = if self.alone() { 0 } else { frame.y };
        // Rows of an interlaced frame are spread over all of it.
        let first = if frame.interlaced { 0 } else { rows };
        self.damaged.push(top.saturating_add(first)..top.saturating_add(frame.size.height));
        Ok(())
    }

    /// A frame's data is there: it is drawn.
    fn draw(&mut self) {
        let Some(frame) = self.blocks.frames.get(self.next).copied() else { return };
        if frame.interlaced {
            let width = (frame.size.width as usize).max(1);
            let mut seen = vec![0u8; self.frame.indices.len()];
            for (row, y) in self.frame.indices.chunks_exact(width).zip(interlaced_rows(frame.size.height)) {
                let at = (y as usize).saturating_mul(width);
                if let Some(to) = seen.get_mut(at..at.saturating_add(width)) {
                    to.copy_from_slice(row);
                }
            }
            self.frame.indices = seen;
            self.frame.have = self.frame.indices.len();
        }
        let colors: Option<&[[u8; 4]; 256]> = self.frame.colors.as_slice().try_into().ok();
        if let (false, Some(canvas), Some(colors)) = (self.alone(), &mut self.canvas, colors) {
            canvas.dispose();
            canvas.draw(&frame, &self.frame.indices, self.frame.have, colors);
        }
    }

    /// The row of the page that comes next.
    fn row(&self, slot: Slot<'_>) -> Result<()> {
        let Slot::Row(SamplesMut::U8(to)) = slot else { return Ok(()) };
        let y = self.given as usize;
        if self.alone() {
            let width = self.facts.as_ref().map_or(0, |f| f.size.width as usize);
            let row = self.frame.indices.get(y.saturating_mul(width)..).and_then(|r| r.get(..width));
            let row = row.unwrap_or_default();
            if self.start.indices {
                to.iter_mut().zip(row).for_each(|(to, v)| *to = *v);
                return Ok(());
            }
            let color = |i: &u8| self.frame.colors.get(usize::from(*i)).copied().unwrap_or([0; 4]);
            put(row.iter().map(color), to, row.len());
            return Ok(());
        }
        let Some(canvas) = &self.canvas else { return Ok(()) };
        let width = canvas.size.width as usize;
        let row = canvas.pixels.get(y.saturating_mul(width)..).and_then(|r| r.get(..width)).unwrap_or_default();
        put(row.iter().copied(), to, width);
        Ok(())
    }
}

/// The palette of a frame, with black for numbers that its codes can have beyond it.
fn palette_of(blocks: &Blocks, frame: &FrameInfo) -> Result<Palette> {
    let bytes = if frame.colors > 0 { &blocks.local } else { &blocks.palette };
    let mut colors: Vec<Rgba<u8>> = bytes.as_chunks::<3>().0.iter().map(|&[r, g, b]| Rgba::new(r, g, b, 255)).collect();
    let all = 1usize.checked_shl(frame.code_bits.into()).unwrap_or(256).min(256);
    colors.resize(colors.len().max(all), Rgba::new(0, 0, 0, 255));
    if let Some(clear) = frame.transparent.and_then(|i| colors.get_mut(usize::from(i))) {
        clear.a = 0;
    }
    Palette::new(colors)
}

/// Colours to samples of three or four channels.
fn put(colors: impl Iterator<Item = [u8; 4]>, to: &mut [u8], width: usize) {
    if to.len() == width.saturating_mul(4) {
        to.as_chunks_mut::<4>().0.iter_mut().zip(colors).for_each(|(to, v)| *to = v);
    } else {
        to.as_chunks_mut::<3>().0.iter_mut().zip(colors).for_each(|(to, [r, g, b, _])| *to = [r, g, b]);
    }
}

impl Decoder for GifDecoder {
    fn feed(&mut self, input: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        loop {
            match self.state {
                State::Blocks => {
                    let done = self.blocks.feed(input)?;
                    self.at = self.blocks.at;
                    if !done && self.start.header_only && self.blocks.skipped() > 0 {
                        // Data is passed over without reading it: a byte of 256 says how much.
                        let to = self.blocks.at.saturating_add(self.blocks.skipped());
                        self.blocks.pass_over();
                        return Ok(Stop::Elsewhere(Jump { to, keep_to: Some(u64::MAX), wanted: 1 }));
                    }
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
                    self.draw();
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
        if last || self.start.indices || !matches!(self.state, State::Rows) {
            return Ok(false);
        }
        self.page = self.page.saturating_add(1);
        self.start.page = self.start.page.saturating_add(1);
        self.next = self.page;
        self.make_facts()?;
        self.given = 0;
        self.damaged.clear();
        self.begin_frame()?;
        self.state = State::Palette;
        Ok(true)
    }

    fn input_ended(&mut self) -> bool {
        if matches!(self.state, State::Blocks) {
            return self.blocks.cut();
        }
        self.ended = true;
        self.salvaging
    }

    fn header_so_far(&mut self) -> bool {
        if !matches!(self.state, State::Blocks) || self.blocks.frames.is_empty() {
            return false;
        }
        let frames = self.blocks.frames.len();
        if self.make_facts().is_err() {
            return false;
        }
        if let Some(facts) = &mut self.facts {
            facts.remarks.push(format!("frames were counted up to {frames}; there may be more"));
        }
        true
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
            self.draw();
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
