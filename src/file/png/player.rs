//! A page of an animation: its frames unpacked one after the other, and drawn over each other up to the one that is wanted.

use super::canvas::{Canvas, room};
use super::expand::Colors;
use super::frames::{Animation, Disposal, Frame};
use super::header::Header;
use super::rows::Rows;
use crate::error::{Error, Result};
use crate::file::bounds::Bounds;
use crate::file::decoder::{Jump, RowsOut, Slot, Stop, gather};
use crate::frame::{Content, SamplesMut, SamplesRef, Size};
use crate::pixel::Layout;
use flate2::Decompress;
use std::ops::Range;

/// What draws frames.
pub(super) struct Player {
    header: Header,
    colors: Colors,
    bounds: Bounds,
    /// Whether the page is what its frame holds, not drawn over those before; and whether as numbers of colours.
    alone: bool,
    indices: bool,
    /// The frame that is drawn next, and the one that is wanted.
    next: usize,
    wanted: usize,
    canvas: Option<Canvas>,
    unpacking: Option<Unpacking>,
    /// What the frame before was unpacked with.
    inflate: Option<Decompress>,
    /// Whether the wanted frame is there, and how many rows of it were given.
    ready: bool,
    given: u32,
    lost: Vec<Range<u32>>,
}

/// A frame that is unpacked.
struct Unpacking {
    rows: Rows,
    content: Content,
    given: u32,
    /// The part of its data, and how many of its bytes are used.
    part: usize,
    used: u32,
    /// The checksum of the chunk so far, and what has come of that which stands behind it.
    crc: crc32fast::Hasher,
    sum: Vec<u8>,
}

impl Player {
    pub(super) fn new(header: Header, colors: Colors, bounds: Bounds, (alone, indices): (bool, bool)) -> Player {
        Player {
            header,
            colors,
            bounds,
            alone,
            indices,
            next: 0,
            wanted: 0,
            canvas: None,
            unpacking: None,
            inflate: None,
            ready: false,
            given: 0,
            lost: Vec::new(),
        }
    }

    /// Goes for a frame: from the first one, or on from the last one that was drawn.
    pub(super) fn go_for(&mut self, frame: usize, animation: &Animation, length: Option<u64>) -> Result<()> {
        if self.alone || self.canvas.is_none() || frame < self.next {
            (self.next, self.canvas) = (if self.alone { frame } else { 0 }, None);
        }
        (self.wanted, self.ready, self.given, self.unpacking) = (frame, false, 0, None);
        self.lost.clear();
        // All frames up to the page are drawn: their pixels are the work.
        let drawn = animation.frames.iter().take(frame.saturating_add(1)).skip(self.next);
        let pixels = drawn.fold(0u64, |sum, f| sum.saturating_add(f.control.size.pixels()));
        self.bounds.check_work(pixels, length.unwrap_or(u64::MAX))?;
        self.bounds.work(pixels)
    }

    /// The layout that the page is given in.
    pub(super) fn layout(&self, animation: &Animation) -> Layout {
        match (self.indices, self.alone) {
            (true, _) => Layout::Gray,
            (_, true) => self.header.layout(self.colors.transparent()),
            _ => canvas_layout(&self.header, &self.colors, animation),
        }
    }

    /// The size that the page is given in.
    pub(super) fn size(&self, frame: &Frame) -> Size {
        if self.alone { frame.control.size } else { self.header.size }
    }

    /// Unpacks and draws; the stop that is due until the wanted frame is there.
    pub(super) fn draw(&mut self, animation: &Animation, input: &mut &[u8], at: &mut u64) -> Result<Option<Stop>> {
        while !self.ready {
            let Some(frame) = animation.frames.get(self.next) else { return Ok(None) };
            let unpacking = match &mut self.unpacking {
                Some(unpacking) => unpacking,
                none => {
                    let how = (self.indices, self.inflate.take());
                    none.insert(begin(&self.header, &self.colors, frame, how, &self.bounds)?)
                }
            };
            if let Some(stop) = unpacking.run(frame, input, at)? {
                return Ok(Some(stop));
            }
            if !unpacking.rows.is_complete() {
                let (number, expected) = (self.next.saturating_add(1), unpacking.rows.expected());
                return Err(Error::malformed(format!("the pixels of frame {number} end early: {expected}")));
            }
            self.lay(animation)?;
        }
        Ok(None)
    }

    /// Draws what has been unpacked of the frame, and goes on to the next one.
    fn lay(&mut self, animation: &Animation) -> Result<()> {
        let (Some(frame), Some(unpacking)) = (animation.frames.get(self.next), &self.unpacking) else { return Ok(()) };
        if !self.alone {
            let canvas = match &mut self.canvas {
                Some(canvas) => canvas,
                none => {
                    let layout = canvas_layout(&self.header, &self.colors, animation);
                    none.insert(Canvas::new(self.header.size, layout, self.header.depth(), &self.bounds)?)
                }
            };
            canvas.dispose();
            canvas.draw(&frame.control, unpacking.content.pixels()?, unpacking.given, self.next == 0)?;
            self.inflate = self.unpacking.take().map(|unpacking| unpacking.rows.into_inflate());
        }
        self.ready = self.next >= self.wanted;
        self.next = self.next.saturating_add(1);
        Ok(())
    }

    /// Gives rows of the frame.
    pub(super) fn give(&mut self, out: &mut RowsOut<'_>) -> Result<Stop> {
        let pixels = match (&self.canvas, &self.unpacking) {
            (Some(canvas), _) => &canvas.pixels,
            (None, Some(unpacking)) => unpacking.content.pixels()?,
            _ => return Ok(Stop::Done),
        };
        while self.given < pixels.size().height {
            match (out.next_row(), pixels.row(self.given)) {
                (Slot::Full, _) => return Ok(Stop::RowsGiven),
                (Slot::Row(SamplesMut::U8(to)), SamplesRef::U8(from)) => copy(to, from),
                (Slot::Row(SamplesMut::U16(to)), SamplesRef::U16(from)) => copy(to, from),
                _ => {}
            }
            if self.lost.iter().any(|rows| rows.contains(&self.given)) {
                out.spoil();
            }
            self.given = self.given.saturating_add(1);
        }
        Ok(Stop::Done)
    }

    /// Told that the data is damaged: what there is of the frame is drawn, and no other. True where that gives rows.
    pub(super) fn salvage(&mut self, animation: &Animation) -> bool {
        if self.ready {
            return false;
        }
        let Some(frame) = animation.frames.get(self.next) else { return false };
        let have = self.unpacking.as_ref().map_or(0, |u| u.given);
        let (top, control) = if self.alone { (0, &frame.control) } else { (frame.control.y, &frame.control) };
        // Of frames before the wanted one nothing is sure.
        let first = if self.next < self.wanted { 0 } else { top.saturating_add(have) };
        let end =
            if self.next < self.wanted { self.header.size.height } else { top.saturating_add(control.size.height) };
        self.lost.push(first..end);
        let laid = self.lay(animation).is_ok();
        self.ready = true;
        laid && (self.canvas.is_some() || self.unpacking.is_some())
    }

    /// What was expected where the data ends.
    pub(super) fn expected(&self) -> String {
        let rows = self.unpacking.as_ref().map_or(String::new(), |u| format!(", {}", u.rows.expected()));
        format!("the rest of frame {}{rows}", self.next.saturating_add(1))
    }

    /// Gives the rows of the frame that is there once more.
    pub(super) fn again(&mut self) {
        self.given = 0;
    }

    pub(super) fn is_ready(&self) -> bool {
        self.ready
    }
}

/// The layout of what is drawn: with alpha where something may be seen through it, as it was cleared, or as the first frame leaves some
/// of it.
fn canvas_layout(header: &Header, colors: &Colors, animation: &Animation) -> Layout {
    let clears = animation.frames.iter().enumerate().any(|(i, f)| match f.control.disposal {
        Disposal::Keep => false,
        Disposal::Clear => true,
        Disposal::Restore => i == 0,
    });
    let leaves = animation.frames.first().is_some_and(|f| f.control.size != header.size);
    match header.layout(colors.transparent()) {
        Layout::Gray if clears || leaves => Layout::GrayAlpha,
        Layout::Rgb if clears || leaves => Layout::Rgba,
        layout => layout,
    }
}

/// Samples from one row to another.
fn copy<S: Copy>(to: &mut [S], from: &[S]) {
    to.iter_mut().zip(from).for_each(|(to, v)| *to = *v);
}

/// Begins a frame, with what the one before was unpacked with.
fn begin(
    header: &Header,
    colors: &Colors,
    frame: &Frame,
    (indices, kept): (bool, Option<Decompress>),
    bounds: &Bounds,
) -> Result<Unpacking> {
    let header = Header { size: frame.control.size, ..*header };
    let layout = if indices { Layout::Gray } else { header.layout(colors.transparent()) };
    bounds.check_memory("a frame, which is held whole,", Rows::memory(&header))?;
    let content = room(header.size, layout, header.depth(), bounds)?;
    let rows = Rows::new(header, colors.clone(), indices, kept)?;
    let (crc, sum) = (crc32fast::Hasher::new(), Vec::new());
    Ok(Unpacking { rows, content, given: 0, part: 0, used: 0, crc, sum })
}

impl Unpacking {
    /// Takes the frame's data as it comes; none once all has been taken.
    fn run(&mut self, frame: &Frame, input: &mut &[u8], at: &mut u64) -> Result<Option<Stop>> {
        while let Some(part) = frame.data.get(self.part) {
            if self.used == 0 && self.sum.is_empty() {
                self.crc = crc32fast::Hasher::new();
                self.crc.update(if part.sequence.is_some() { b"fdAT" } else { b"IDAT" });
                part.sequence.iter().for_each(|number| self.crc.update(&number.to_be_bytes()));
            }
            let place = part.at.saturating_add(self.used.into()).saturating_add(self.sum.len() as u64);
            if *at != place {
                *at = place;
                return Ok(Some(Stop::Elsewhere(Jump { to: place, keep_to: Some(u64::MAX), wanted: 0 })));
            }
            if input.is_empty() {
                return Ok(Some(Stop::NeedInput));
            }
            let left = part.bytes.saturating_sub(self.used) as usize;
            if left == 0 {
                let before = input.len();
                let complete = gather(&mut self.sum, input, 4);
                *at = at.saturating_add(before.saturating_sub(input.len()) as u64);
                if complete {
                    let wrong = self.sum != self.crc.clone().finalize().to_be_bytes();
                    (self.part, self.used) = (self.part.saturating_add(1), 0);
                    self.sum.clear();
                    if wrong {
                        return Err(Error::malformed("the checksum of a chunk of pixels is wrong"));
                    }
                }
                continue;
            }
            let (head, _) = input.split_at(input.len().min(left));
            let mut out = RowsOut::resumed(&mut self.content, self.given);
            let (used, _) = self.rows.inflate(head, &mut out)?;
            self.given = out.given();
            if used == 0 {
                return Err(Error::malformed("the packed pixels of a frame lead to nothing"));
            }
            self.crc.update(head.get(..used).unwrap_or_default());
            *input = input.get(used..).unwrap_or_default();
            *at = at.saturating_add(used as u64);
            self.used = self.used.saturating_add(u32::try_from(used).unwrap_or(u32::MAX));
        }
        Ok(None)
    }
}
