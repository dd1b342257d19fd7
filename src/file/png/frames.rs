//! The frames of an animation (11.3.6 of the third edition): what their chunks say, and where they lie in the file.
//!
//! Not here: their pixels, and what is drawn of them ([`player`](super::player)).

use crate::error::{Error, Result};
use crate::file::bounds::Bounds;
use crate::file::budget::Budget;
use crate::file::decoder::take_bytes;
use crate::frame::{PageFacts, Size};

/// What becomes of a frame's part of the canvas before the next one is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Disposal {
    Keep,
    Clear,
    Restore,
}

/// What fcTL says (11.3.6.2).
#[derive(Debug, Clone, Copy, PartialEq)]
pub(super) struct Control {
    pub(super) size: Size,
    pub(super) x: u32,
    pub(super) y: u32,
    /// Seconds.
    pub(super) delay: f64,
    pub(super) disposal: Disposal,
    /// Whether it is blended over what is there; else it replaces it.
    pub(super) over: bool,
}

impl Control {
    /// The sequence number and the rest of a body.
    pub(super) fn parse(mut body: &[u8], canvas: Size) -> Result<(u32, Control)> {
        let all = &mut body;
        let (Some(numbers), Some([n0, n1, d0, d1]), Some([disposal, blend]), []) =
            (words::<5>(all), take_bytes::<4>(all), take_bytes::<2>(all), &**all)
        else {
            return Err(Error::malformed("fcTL must have 26 bytes"));
        };
        let [sequence, width, height, x, y] = numbers;
        let inside =
            |start: u32, side: u32, whole: u32| side > 0 && start.checked_add(side).is_some_and(|end| end <= whole);
        if !inside(x, width, canvas.width) || !inside(y, height, canvas.height) {
            return Err(Error::malformed(format!(
                "fcTL names a frame of {width}x{height} at {x},{y}, which is not inside the canvas of {canvas}"
            )));
        }
        let disposal = match disposal {
            0 => Disposal::Keep,
            1 => Disposal::Clear,
            2 => Disposal::Restore,
            other => return Err(Error::malformed(format!("fcTL names disposal {other}; there are 0, 1 and 2"))),
        };
        if blend > 1 {
            return Err(Error::malformed(format!("fcTL names blending {blend}; there are 0 and 1")));
        }
        let (part, whole) = (u16::from_be_bytes([n0, n1]), u16::from_be_bytes([d0, d1]));
        // A denominator of 0 stands for 100.
        let whole = if whole == 0 { 100 } else { whole };
        let delay = f64::from(part) / f64::from(whole);
        Ok((sequence, Control { size: Size::new(width, height), x, y, delay, disposal, over: blend == 1 }))
    }
}

/// Takes numbers of four bytes off the front.
fn words<const N: usize>(from: &mut &[u8]) -> Option<[u32; N]> {
    let mut numbers = [0; N];
    for number in &mut numbers {
        *number = u32::from_be_bytes(take_bytes::<4>(from)?);
    }
    Some(numbers)
}

/// Packed pixels of a frame: where they begin, and how many bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Part {
    pub(super) at: u64,
    pub(super) bytes: u32,
    /// The sequence number before them, in a chunk of frames (fdAT).
    pub(super) sequence: Option<u32>,
}

/// A frame, and where its packed pixels lie.
#[derive(Debug, Clone, PartialEq)]
pub(super) struct Frame {
    pub(super) control: Control,
    pub(super) data: Vec<Part>,
}

/// What is known of an animation.
#[derive(Debug)]
pub(super) struct Animation {
    /// Frames that acTL declares, and how often they are played; 0 is for ever.
    declared: u32,
    pub(super) plays: u32,
    canvas: Size,
    /// Whether the picture that programs without animations show is the first frame.
    pub(super) begins: bool,
    pub(super) frames: Vec<Frame>,
    /// Whether the first packed pixels have come.
    met_data: bool,
    sequence: u32,
    pub(super) walked: bool,
}

impl Animation {
    /// acTL (11.3.6.1).
    pub(super) fn parse(body: &[u8], canvas: Size) -> Result<Animation> {
        let mut rest = body;
        match (words::<2>(&mut rest), rest) {
            (Some([declared, plays]), []) if declared > 0 => Ok(Animation {
                declared,
                plays,
                canvas,
                begins: false,
                frames: Vec::new(),
                met_data: false,
                sequence: 0,
                walked: false,
            }),
            _ => Err(Error::malformed("acTL must hold a number of frames above 0 and a number of plays")),
        }
    }

    /// A fcTL, before or behind the first picture.
    pub(super) fn control(&mut self, body: &[u8], bounds: &Bounds, budget: &mut Budget) -> Result<()> {
        let (sequence, control) = Control::parse(body, self.canvas)?;
        self.in_order(sequence)?;
        if !self.met_data {
            self.begins = true;
            if control.size != self.canvas {
                return Err(Error::malformed(format!(
                    "the first picture is a frame of {}; it must be all of the canvas, {}",
                    control.size, self.canvas
                )));
            }
        }
        budget.take(64)?;
        self.frames.push(Frame { control, data: Vec::new() });
        bounds.check_pages(self.pages())
    }

    fn in_order(&mut self, sequence: u32) -> Result<()> {
        if sequence != self.sequence {
            let wanted = self.sequence;
            return Err(Error::malformed(format!(
                "the frames' chunks are out of order: number {sequence}, not {wanted}"
            )));
        }
        self.sequence = self.sequence.saturating_add(1);
        Ok(())
    }

    /// Pictures in the file: the frames, and before them one that is none of them, if there is one.
    pub(super) fn pages(&self) -> u32 {
        let frames = match self.walked {
            true => u32::try_from(self.frames.len()).unwrap_or(u32::MAX),
            false => self.declared,
        };
        frames.saturating_add(u32::from(!self.begins))
    }

    /// The frame that a page is, from 1; none of the first where that is no frame.
    pub(super) fn frame_of(&self, page: u32) -> Option<usize> {
        let before = if self.begins { 1 } else { 2 };
        page.checked_sub(before).map(|frame| frame as usize)
    }

    /// Told where the first packed pixels lie.
    pub(super) fn first_data(&mut self, part: Part, budget: &mut Budget) -> Result<()> {
        self.met_data = true;
        if self.begins { self.data(part, budget) } else { Ok(()) }
    }

    /// A chunk of packed pixels behind the first one; `body` begins with the sequence number of a chunk of frames (fdAT).
    pub(super) fn packed(&mut self, kind: &[u8; 4], body: &[u8], part: Part, budget: &mut Budget) -> Result<()> {
        if kind == b"fdAT" {
            let number = body.first_chunk::<4>().map_or(0, |n| u32::from_be_bytes(*n));
            self.in_order(number)?;
            let (at, bytes) = (part.at.saturating_add(4), part.bytes.saturating_sub(4));
            return self.data(Part { at, bytes, sequence: Some(number) }, budget);
        }
        // The first picture is the first frame, or none.
        if self.begins { self.data(part, budget) } else { Ok(()) }
    }

    fn data(&mut self, part: Part, budget: &mut Budget) -> Result<()> {
        budget.take(16)?;
        match self.frames.last_mut() {
            Some(frame) => frame.data.push(part),
            None => return Err(Error::malformed("pixels of a frame (fdAT) before its fcTL")),
        }
        Ok(())
    }

    /// What is remarkable about the frames.
    pub(super) fn remark(&self) -> Option<String> {
        let found = self.frames.len();
        let differs = self.walked && found as u64 != u64::from(self.declared);
        let first = if self.begins { "" } else { "; page 1 is what programs without animations show, and no frame" };
        match differs {
            true => Some(format!("the file declares {} frames and has {found}{first}", self.declared)),
            false if !self.begins => Some(format!("an animation of {found} frames{first}")),
            false => None,
        }
    }

    pub(super) fn page_list(&self) -> Vec<PageFacts> {
        let still = (!self.begins).then(|| PageFacts::new(self.canvas));
        let frame = |f: &Frame| PageFacts { delay: Some(f.control.delay), ..PageFacts::new(self.canvas) };
        still.into_iter().chain(self.frames.iter().map(frame)).collect()
    }
}
