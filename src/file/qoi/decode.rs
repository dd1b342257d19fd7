//! Reading.

use super::{END, MAGIC, Rgba, START, place};
use crate::error::{Error, Result};
use crate::file::bounds::Bounds;
use crate::file::decoder::{Decoder, RowsOut, Slot, Start, Stop, gather, take_bytes};
use crate::frame::{Facts, FileFormat, Metadata, PixelFormat, SamplesMut, Size};
use crate::memory::{self, Charge};
use crate::pixel::{Depth, Layout, Transfer};

/// Bytes of the header.
const HEADER: usize = 14;

/// A QOI decoder: pushed bytes, gives rows.
pub(in crate::file) struct QoiDecoder {
    bounds: Bounds,
    /// Bytes of the header, of a chunk, or of the end that are not complete yet.
    part: Vec<u8>,
    facts: Option<Facts>,
    seen: [Rgba; 64],
    pixel: Rgba,
    /// Pixels of a run that are still to come.
    run: u32,
    row: Vec<u8>,
    given: u32,
    done: bool,
    charge: Charge,
}

impl QoiDecoder {
    pub(in crate::file) fn new(start: Start) -> QoiDecoder {
        QoiDecoder {
            bounds: start.bounds,
            part: Vec::new(),
            facts: None,
            seen: [[0; 4]; 64],
            pixel: START,
            run: 0,
            row: Vec::new(),
            given: 0,
            done: false,
            charge: Charge::NONE,
        }
    }

    fn gather(&mut self, input: &mut &[u8], wanted: usize) -> bool {
        gather(&mut self.part, input, wanted)
    }

    fn header(&mut self) -> Result<()> {
        let all = &mut self.part.as_slice();
        let (Some(MAGIC), Some(width), Some(height), Some([channels, space])) =
            (take_bytes::<4>(all), take_bytes::<4>(all), take_bytes::<4>(all), take_bytes::<2>(all))
        else {
            return Err(Error::malformed("the header is not that of QOI"));
        };
        let size = Size::new(u32::from_be_bytes(width), u32::from_be_bytes(height));
        self.bounds.check_size(size)?;
        let layout = match channels {
            3 => Layout::Rgb,
            4 => Layout::Rgba,
            n => return Err(Error::malformed(format!("the header names {n} channels; only 3 and 4 exist"))),
        };
        let mut metadata = Metadata::default();
        match space {
            0 => {}
            1 => metadata.transfer = Transfer::Linear,
            n => return Err(Error::malformed(format!("the header names colour space {n}; only 0 and 1 exist"))),
        }
        let row = (size.width as usize).saturating_mul(layout.channels());
        self.charge = self.bounds.charge("a row of pixels", row as u64)?;
        let mut facts = Facts::new(size, PixelFormat::Pixels { depth: Depth::U8, layout }, metadata);
        facts.format = Some(FileFormat::Qoi);
        facts.stored = Some(format!("8-bit {layout}"));
        self.facts = Some(facts);
        self.row = memory::room(row)?;
        self.part.clear();
        Ok(())
    }

    /// Takes a chunk; false where it is not complete yet.
    fn chunk(&mut self, input: &mut &[u8]) -> Result<bool> {
        let first = match self.part.first().or(input.first()) {
            Some(&first) => first,
            None => return Ok(false),
        };
        let length = match first {
            0xfe => 4,
            0xff => 5,
            0x80..=0xbf => 2,
            _ => 1,
        };
        if !self.gather(input, length) {
            return Ok(false);
        }
        let [r, g, b, a] = self.pixel;
        let second = self.part.get(1).copied().unwrap_or_default();
        self.run = 1;
        self.pixel = match (first, self.part.as_slice()) {
            (0xfe, &[_, r, g, b]) => [r, g, b, a],
            (0xff, &[_, r, g, b, a]) => [r, g, b, a],
            (0x00..=0x3f, _) => self.seen.get(usize::from(first)).copied().unwrap_or_default(),
            (0x40..=0x7f, _) => {
                let by = |shift: u32| ((first >> shift) & 3).wrapping_sub(2);
                [r.wrapping_add(by(4)), g.wrapping_add(by(2)), b.wrapping_add(by(0)), a]
            }
            (0x80..=0xbf, _) => {
                let green = (first & 0x3f).wrapping_sub(32);
                let other = |nibble: u8| green.wrapping_add(nibble).wrapping_sub(8);
                [r.wrapping_add(other(second >> 4)), g.wrapping_add(green), b.wrapping_add(other(second & 15)), a]
            }
            _ => {
                self.run = u32::from(first & 0x3f).saturating_add(1);
                self.pixel
            }
        };
        if let Some(seen) = self.seen.get_mut(place(self.pixel)) {
            *seen = self.pixel;
        }
        self.part.clear();
        Ok(true)
    }

    /// Puts pixels of the run into the row; true when that is complete.
    fn fill(&mut self, channels: usize, bytes: usize) -> bool {
        while self.run > 0 && self.row.len() < bytes {
            self.row.extend_from_slice(self.pixel.get(..channels).unwrap_or_default());
            self.run = self.run.saturating_sub(1);
        }
        self.row.len() >= bytes
    }
}

impl Decoder for QoiDecoder {
    fn feed(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        let Some(facts) = &self.facts else {
            if !self.gather(rest, HEADER) {
                return Ok(Stop::NeedInput);
            }
            self.header()?;
            return Ok(Stop::Facts);
        };
        let size = facts.size;
        let channels = facts.pixel_format.channel_names().len();
        let bytes = (size.width as usize).saturating_mul(channels);
        while self.given < size.height {
            if self.row.len() >= bytes || self.fill(channels, bytes) {
                match out.next_row() {
                    Slot::Full => return Ok(Stop::RowsGiven),
                    Slot::Row(SamplesMut::U8(to)) => to.copy_from_slice(&self.row),
                    // The header only ever names bytes.
                    Slot::Row(_) | Slot::Planes(..) | Slot::Skip => {}
                }
                self.row.clear();
                self.given = self.given.saturating_add(1);
                continue;
            }
            if !self.chunk(rest)? {
                return Ok(Stop::NeedInput);
            }
        }
        if self.run > 0 {
            return Err(Error::malformed("a run goes on beyond the last pixel"));
        }
        if !self.done {
            if !self.gather(rest, END.len()) {
                return Ok(Stop::NeedInput);
            }
            if self.part != END {
                return Err(Error::malformed("the pixels are not followed by the end marker"));
            }
            self.done = true;
        }
        Ok(Stop::Done)
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    /// Each pixel is coded by those before it: a wrong byte goes on, and is found late or at the end.
    fn suspect(&mut self) -> Vec<std::ops::Range<u32>> {
        std::iter::once(0..self.given).collect()
    }

    fn expected(&self) -> String {
        match &self.facts {
            Some(facts) if self.given < facts.size.height => format!("row {} of {}", self.given, facts.size.height),
            Some(_) => "the end marker".to_string(),
            None => "the rest of the header".to_string(),
        }
    }
}
