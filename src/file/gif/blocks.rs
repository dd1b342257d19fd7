//! The blocks of a file, gone through once: where each frame is, and what is said of it.

use crate::error::{Error, Result};
use crate::file::bounds::Bounds;
use crate::frame::{FileFormat, PageFacts, Size};
use crate::memory::Charge;

/// What becomes of a frame's part of the canvas before the next one is drawn.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Disposal {
    Keep,
    Clear,
    /// What was there before the frame.
    Restore,
}

/// A frame, and where its data is.
#[derive(Debug, Clone, Copy)]
pub(super) struct FrameInfo {
    pub(super) x: u32,
    pub(super) y: u32,
    pub(super) size: Size,
    pub(super) interlaced: bool,
    /// Colours of a palette of its own, and where that is.
    pub(super) colors: usize,
    pub(super) palette_at: u64,
    /// Where the byte is that says how many bits the first codes have; the data follows.
    pub(super) data_at: u64,
    pub(super) code_bits: u8,
    pub(super) transparent: Option<u8>,
    pub(super) disposal: Disposal,
    /// Hundredths of a second.
    pub(super) delay: Option<u16>,
}

/// What the screen descriptor says.
#[derive(Debug, Clone, Copy)]
pub(super) struct Screen {
    pub(super) size: Size,
    pub(super) colors: usize,
    pub(super) is_89a: bool,
}

/// Where one stands among the blocks.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum State {
    Screen,
    GlobalPalette,
    /// What kind of block comes next.
    Block,
    Extension,
    /// A control extension, or one of an application.
    Control,
    Application,
    Plays,
    Descriptor,
    LocalPalette,
    CodeBits,
    /// Parts of data or of an extension, to its end.
    Parts,
    Comment,
    CommentText(u8),
    End,
}

/// Goes through the blocks of a file.
#[derive(Debug)]
pub(super) struct Blocks {
    bounds: Bounds,
    state: State,
    part: Vec<u8>,
    /// Bytes of a part that are passed over.
    skip: u64,
    /// Where in the file the next byte is.
    pub(super) at: u64,
    pub(super) screen: Option<Screen>,
    pub(super) palette: Vec<u8>,
    /// The frame, from 1, whose own palette is kept, and that palette.
    keep: usize,
    pub(super) local: Vec<u8>,
    pub(super) frames: Vec<FrameInfo>,
    pub(super) plays: Option<u32>,
    /// What the control extension before a frame said.
    control: Option<(Disposal, Option<u8>, u16)>,
    /// The texts of all comments.
    pub(super) comment: Vec<u8>,
    charge: Charge,
    pub(super) remarks: Vec<String>,
}

impl Blocks {
    pub(super) fn new(bounds: Bounds, keep: u32) -> Blocks {
        Blocks {
            charge: Charge::on(bounds.account()),
            bounds,
            keep: keep as usize,
            local: Vec::new(),
            state: State::Screen,
            part: Vec::new(),
            skip: 0,
            at: 0,
            screen: None,
            palette: Vec::new(),
            frames: Vec::new(),
            plays: None,
            control: None,
            comment: Vec::new(),
            remarks: Vec::new(),
        }
    }

    /// Goes on as far as the bytes lead; true once the file has ended.
    ///
    /// # Errors
    /// Blocks that no file has, or more frames than the limit.
    pub(super) fn feed(&mut self, input: &mut &[u8]) -> Result<bool> {
        while self.state != State::End {
            if self.skip > 0 {
                let passed = usize::try_from(self.skip).unwrap_or(usize::MAX).min(input.len());
                if passed == 0 {
                    return Ok(false);
                }
                *input = input.get(passed..).unwrap_or_default();
                self.skip = self.skip.saturating_sub(passed as u64);
                self.at = self.at.saturating_add(passed as u64);
                continue;
            }
            let wanted = self.wanted();
            if !self.gather(input, wanted) {
                return Ok(false);
            }
            let part = std::mem::take(&mut self.part);
            self.take(&part)?;
        }
        Ok(true)
    }

    /// No more bytes will come: what is known is what there is.
    pub(super) fn cut(&mut self) -> bool {
        // A frame of which not even the data begins is none.
        if self.frames.last().is_some_and(|frame| frame.data_at == 0) {
            self.frames.pop();
        }
        let there = !self.frames.is_empty();
        if there && self.state != State::End {
            let count = self.frames.len();
            let frames = if count == 1 { "frame" } else { "frames" };
            self.remarks.push(format!("the file ends without its end mark, behind {count} {frames}"));
            self.state = State::End;
        }
        there
    }

    fn gather(&mut self, input: &mut &[u8], wanted: usize) -> bool {
        let before = input.len();
        let complete = crate::file::decoder::gather(&mut self.part, input, wanted);
        self.at = self.at.saturating_add(before.saturating_sub(input.len()) as u64);
        complete
    }

    fn wanted(&self) -> usize {
        match self.state {
            State::Screen => 13,
            State::GlobalPalette => self.screen.map_or(0, |s| s.colors).saturating_mul(3),
            // The length, four bytes, and the end.
            State::Control => 6,
            State::Application => 12,
            State::Plays => 4,
            State::Descriptor => 9,
            State::CommentText(length) => length.into(),
            State::LocalPalette => self.frames.last().map_or(0, |f| f.colors).saturating_mul(3),
            _ => 1,
        }
    }

    fn take(&mut self, part: &[u8]) -> Result<()> {
        let first = part.first().copied().unwrap_or(0);
        let start = self.at.saturating_sub(part.len() as u64);
        let wrong = |line: String| Error::malformed(line).in_format(FileFormat::Gif, Some(start));
        self.state = match self.state {
            State::Screen => self.take_screen(part)?,
            State::GlobalPalette => {
                self.palette = part.to_vec();
                State::Block
            }
            State::Block => match first {
                0x21 => State::Extension,
                0x2c => State::Descriptor,
                0x3b => State::End,
                // Zeros between blocks are what some writers leave.
                0 => State::Block,
                other => return Err(wrong(format!("a block of kind {other:#04x}; there are 0x21, 0x2c and 0x3b"))),
            },
            State::Extension => match first {
                0xf9 => State::Control,
                0xff => State::Application,
                0xfe => State::Comment,
                _ => State::Parts,
            },
            State::Control => self.take_control(part, start)?,
            State::Application => match part {
                [11, name @ ..] if name == b"NETSCAPE2.0" || name == b"ANIMEXTS1.0" => State::Plays,
                // A name of another length is passed over.
                _ => return self.pass(part),
            },
            State::Plays => match *part {
                [3, 1, low, high] => {
                    // How often it is repeated; 0 for ever.
                    let repeats = u32::from(u16::from_le_bytes([low, high]));
                    self.plays = Some(if repeats == 0 { 0 } else { repeats.saturating_add(1) });
                    State::Parts
                }
                _ => return self.pass(part),
            },
            State::Descriptor => self.take_descriptor(part)?,
            State::LocalPalette => {
                if self.frames.len() == self.keep {
                    self.local = part.to_vec();
                }
                State::CodeBits
            }
            State::CodeBits => {
                if !(1..=11).contains(&first) {
                    return Err(wrong(format!("codes of {first} bits; a frame's begin with 2 to 8")));
                }
                if let Some(frame) = self.frames.last_mut() {
                    (frame.data_at, frame.code_bits) = (start, first);
                }
                State::Parts
            }
            State::Parts => {
                self.skip = first.into();
                if first == 0 { State::Block } else { State::Parts }
            }
            State::Comment if first == 0 => State::Block,
            State::Comment => State::CommentText(first),
            State::CommentText(_) => {
                self.bounds.check_metadata((self.comment.len() as u64).saturating_add(part.len() as u64))?;
                self.charge.grow(part.len() as u64)?;
                self.comment.extend_from_slice(part);
                State::Comment
            }
            State::End => State::End,
        };
        Ok(())
    }

    /// A part of an extension that is passed over: what was read beyond it is looked at again.
    fn pass(&mut self, part: &[u8]) -> Result<()> {
        let length = part.first().copied().unwrap_or(0);
        let own = usize::from(length).saturating_add(1);
        self.state = if length == 0 { State::Block } else { State::Parts };
        self.skip = own.saturating_sub(part.len()) as u64;
        let mut rest = part.get(own..).unwrap_or_default();
        self.at = self.at.saturating_sub(rest.len() as u64);
        self.feed(&mut rest).map(|_| ())
    }

    fn take_screen(&mut self, part: &[u8]) -> Result<State> {
        let &[_, _, _, _, b'7' | b'9', b'a', w0, w1, h0, h1, flags, _, _] = part else {
            return Err(Error::malformed("a version other than 87a and 89a").in_format(FileFormat::Gif, Some(3)));
        };
        let size = Size::new(u16::from_le_bytes([w0, w1]).into(), u16::from_le_bytes([h0, h1]).into());
        let colors = if flags & 0x80 != 0 { 2usize << (flags & 7) } else { 0 };
        self.screen = Some(Screen { size, colors, is_89a: part.get(4) == Some(&b'9') });
        Ok(if colors > 0 { State::GlobalPalette } else { State::Block })
    }

    fn take_control(&mut self, part: &[u8], start: u64) -> Result<State> {
        let &[length, flags, low, high, index, end] = part else { return Ok(State::Parts) };
        if length != 4 || end != 0 {
            let line = format!("a control extension of {length} bytes; it has 4");
            return Err(Error::malformed(line).in_format(FileFormat::Gif, Some(start)));
        }
        let disposal = match flags >> 2 & 7 {
            2 => Disposal::Clear,
            3 => Disposal::Restore,
            _ => Disposal::Keep,
        };
        self.control = Some((disposal, (flags & 1 == 1).then_some(index), u16::from_le_bytes([low, high])));
        Ok(State::Block)
    }

    fn take_descriptor(&mut self, part: &[u8]) -> Result<State> {
        let &[x0, x1, y0, y1, w0, w1, h0, h1, flags] = part else { return Ok(State::Parts) };
        let word = |low: u8, high: u8| u32::from(u16::from_le_bytes([low, high]));
        let colors = if flags & 0x80 != 0 { 2usize << (flags & 7) } else { 0 };
        let control = self.control.take();
        let (disposal, transparent, delay) = control.unwrap_or((Disposal::Keep, None, 0));
        self.frames.push(FrameInfo {
            x: word(x0, x1),
            y: word(y0, y1),
            size: Size::new(word(w0, w1), word(h0, h1)),
            interlaced: flags & 0x40 != 0,
            colors,
            palette_at: self.at,
            data_at: 0,
            code_bits: 8,
            transparent,
            disposal,
            delay: control.map(|_| delay),
        });
        self.bounds.check_pages(u32::try_from(self.frames.len()).unwrap_or(u32::MAX))?;
        Ok(if colors > 0 { State::LocalPalette } else { State::CodeBits })
    }

    /// The size of the canvas: the screen's, or where that is none what the frames take up.
    pub(super) fn canvas(&self) -> Size {
        match self.screen {
            Some(screen) if !screen.size.is_empty() => screen.size,
            _ => self.frames.iter().fold(Size::new(0, 0), |all, f| {
                let (right, bottom) = (f.x.saturating_add(f.size.width), f.y.saturating_add(f.size.height));
                Size::new(all.width.max(right), all.height.max(bottom))
            }),
        }
    }

    /// The list of pages.
    pub(super) fn page_list(&self) -> Vec<PageFacts> {
        let size = self.canvas();
        let delay = |f: &FrameInfo| f.delay.map(|d| f64::from(d) / 100.0);
        self.frames.iter().map(|f| PageFacts { delay: delay(f), ..PageFacts::new(size) }).collect()
    }
}
