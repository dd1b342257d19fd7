//! Markers and their segments: what a file says before its scans, and how each scan begins.

use super::{JpegDecoder, SEVERAL_SCANS, State, Step};
use crate::error::{Error, Result};
use crate::file::decoder::Stop;
use crate::file::jpeg::bits::Place;
use crate::file::jpeg::canvas::{self, canvas};
use crate::file::jpeg::coefficients::Coefficients;
use crate::file::jpeg::color::Model;
use crate::file::jpeg::frame::{Coding, Component, FrameHeader};
use crate::file::jpeg::picture::PartialPicture;
use crate::file::jpeg::running::Running;
use crate::file::jpeg::scan::{Carried, Scan};
use crate::file::jpeg::segments::{huffman_tables, quantisers};
use crate::file::jpeg::strips::Stretch;
use crate::file::jpeg::tables::quality_of;
use crate::file::options::Chroma;
use crate::frame::{Facts, FileFormat, PixelFormat, Size};
use crate::memory::Charge;
use crate::pixel::{Depth, Layout};

/// Units of work that a block counts for which a scan goes over, whether it has bits for it or not.
const A_BLOCK: u64 = 8;

impl JpegDecoder {
    /// A marker and, where it has one, its segment.
    pub(super) fn segment(&mut self) -> Result<Step> {
        // Bytes of 0xff before a marker fill up space.
        let fill = self.data.iter().take_while(|&&b| b == 0xff).count();
        if fill > 1 {
            self.drop_front(fill.saturating_sub(1));
        }
        let marker = match self.data[..] {
            [] | [0xff] => return Ok(Step::Wait),
            [0xff, marker, ..] if marker != 0 => marker,
            _ if self.salvaging => {
                self.suspect.extend(self.after_scan.take());
                let to = self.data.iter().skip(1).position(|&b| b == 0xff).map(|i| i.saturating_add(1));
                self.drop_front(to.unwrap_or(self.data.len()));
                return Ok(Step::On);
            }
            [first, ..] => return Err(Error::malformed(format!("a byte of {first:#04x} where a marker is expected"))),
        };
        // It stands where it should: the scan before it was as long as it was taken for.
        self.after_scan = None;
        match marker {
            // Restart markers that nobody waits for, and marks without a segment.
            0xd0..=0xd7 | 0x01 => {
                self.drop_front(2);
                return Ok(Step::On);
            }
            0xd8 => return Err(Error::malformed("a second start-of-image marker")),
            0xd9 => {
                self.drop_front(2);
                return self.end_of_image();
            }
            _ => {}
        }
        let Some(&[_, _, high, low]) = self.data.first_chunk::<4>() else { return Ok(Step::Wait) };
        let length = usize::from(u16::from_be_bytes([high, low]));
        if length < 2 {
            return Err(Error::malformed(format!("a segment of {length} bytes, which has at least 2")));
        }
        let whole = length.saturating_add(2);
        if self.data.len() < whole {
            return Ok(Step::Wait);
        }
        let bytes = self.data.get(..whole).unwrap_or_default().to_vec();
        self.drop_front(whole);
        self.take_segment(marker, bytes.get(4..).unwrap_or_default())
    }

    fn take_segment(&mut self, marker: u8, body: &[u8]) -> Result<Step> {
        match marker {
            0xdb => quantisers(body, &mut self.quantisers)?,
            0xc4 => huffman_tables(body, &mut self.tables)?,
            0xc0..=0xc3 | 0xc5..=0xc7 | 0xc9..=0xcb | 0xcd..=0xcf => {
                if self.frame.is_some() {
                    return Err(Error::malformed("a second frame header"));
                }
                let frame = FrameHeader::parse(marker, body)?;
                self.frame = Some(frame);
            }
            0xcc => return Err(Error::not_supported("arithmetic-coded JPEG (DAC)")),
            0xdd => match *body {
                [high, low] => self.interval = u32::from(u16::from_be_bytes([high, low])),
                _ => return Err(Error::malformed("a restart interval whose length does not fit")),
            },
            0xda => return self.start_scan(body),
            // A number of lines that was known before says nothing new.
            0xdc => {}
            0xde | 0xdf => return Err(Error::not_supported("hierarchical JPEG")),
            0xe0..=0xef | 0xfe if self.facts.is_none() => {
                self.budget.take(body.len() as u64)?;
                self.notes.take(marker, body);
                if self.collects {
                    self.kept.push((marker, body.to_vec()));
                }
            }
            _ => {}
        }
        Ok(Step::On)
    }

    /// The first scan says that the header is complete.
    fn begin(&mut self, scan: &Scan) -> Result<()> {
        let Some(frame) = &self.frame else { return Err(Error::malformed("a scan before the frame header")) };
        let one_scan = frame.coding != Coding::Progressive && scan.parts.len() == frame.components.len();
        let streams = one_scan && !self.collects;
        let held = if streams { 0 } else { frame.coefficient_bytes(self.start.reduced.block()) };
        let bounds = self.start.bounds.clone();
        bounds.check_size(frame.size)?;
        bounds.check_memory("the coefficients, which are held whole,", held)?;
        bounds.check_memory("two rows of blocks", canvas::memory(frame))?;
        if !self.start.header_only {
            self.charge = Charge::take(bounds.account(), held.saturating_add(canvas::memory(frame)))?;
        }
        self.notes.finish();
        let model = self.notes.model(frame, self.start.ycbcr);
        let facts = self.facts_of(frame, model, one_scan);
        let height = facts.size.height;
        if !self.start.header_only {
            self.picture = Some(self.picture_of(frame, model, height, streams)?);
        }
        self.facts = Some(Facts { remarks: std::mem::take(&mut self.notes.remarks), ..facts });
        Ok(())
    }

    /// What is known of the picture before its pixels.
    fn facts_of(&self, frame: &FrameHeader, model: Model, one_scan: bool) -> Facts {
        let (name, layout) = match model {
            Model::Gray => ("gray", Layout::Gray),
            Model::Rgb => ("rgb", Layout::Rgb),
            Model::Ycbcr => ("YCbCr", Layout::Rgb),
            Model::Cmyk { .. } => ("cmyk", Layout::Cmyk),
            Model::Ycck { .. } => ("YCCK", Layout::Cmyk),
        };
        let depth = if frame.bits == 8 { Depth::U8 } else { Depth::U16 };
        let mut metadata = self.notes.metadata.clone();
        if frame.bits == 12 {
            metadata.max_codes = Some(vec![4095; layout.channels()]);
        }
        let n = self.start.reduced.block();
        let part = |side: u32| side.saturating_mul(n).div_ceil(8);
        let size = Size::new(part(frame.size.width), part(frame.size.height));
        let mut facts = Facts::new(size, PixelFormat::Pixels { depth, layout }, metadata);
        facts.format = Some(FileFormat::Jpeg);
        let first = frame.components.first().and_then(|c| self.quantisers.get(usize::from(c.quantiser)));
        let quality = match first.and_then(|q| q.as_ref()).and_then(quality_of) {
            Some(quality) => format!(", quality about {quality}"),
            None => String::new(),
        };
        let (bits, sampling, coding) = (frame.bits, frame.sampling(), frame.coding_name());
        let scans = if one_scan { "" } else { SEVERAL_SCANS };
        facts.stored = Some(format!("{bits}-bit {name}{sampling}, {coding}{quality}{scans}"));
        facts
    }

    /// The picture that rows or, unless it `streams`, coefficients go into.
    fn picture_of(&self, frame: &FrameHeader, model: Model, height: u32, streams: bool) -> Result<PartialPicture> {
        let blocks = |c: &Component| (c.padded.0 as usize).saturating_mul(c.padded.1 as usize);
        let n = self.start.reduced.block();
        let coefficients = match streams {
            true => Vec::new(),
            false => frame.components.iter().map(|c| Coefficients::zeros(blocks(c), n)).collect::<Result<_>>()?,
        };
        let stretch = match self.start.chroma {
            Chroma::Triangle => Stretch::Triangle,
            Chroma::Repeated => Stretch::Repeat,
        };
        Ok(PartialPicture {
            canvas: canvas(frame, model, n, stretch)?,
            n,
            height,
            streams,
            coefficients,
            quantisers: vec![None; frame.components.len()],
            rows: 0,
            given: 0,
            damaged: Vec::new(),
            lost: Vec::new(),
        })
    }

    fn start_scan(&mut self, body: &[u8]) -> Result<Step> {
        let Some(frame) = &self.frame else { return Err(Error::malformed("a scan before the frame header")) };
        let scan = Scan::parse(body, frame, &self.tables)?;
        self.scans = self.scans.saturating_add(1);
        self.start.bounds.check_scans(self.scans, 0, 0)?;
        if frame.size.height == 0 {
            self.state = State::Lines;
            self.waiting = body.to_vec();
            return Ok(Step::On);
        }
        let first = self.facts.is_none();
        if first {
            self.begin(&scan)?;
        }
        let (Some(frame), Some(picture)) = (&self.frame, &mut self.picture) else {
            self.state = State::Entropy;
            return Ok(Step::Tell(Stop::Facts));
        };
        for part in &scan.parts {
            let Some(component) = frame.components.get(part.index) else { continue };
            let quantiser = self.quantisers.get(usize::from(component.quantiser)).copied().flatten();
            if let Some(kept @ None) = picture.quantisers.get_mut(part.index) {
                let missing =
                    || Error::malformed(format!("a scan by quantiser {}, which has not come", component.quantiser));
                *kept = Some(quantiser.ok_or_else(missing)?);
            }
        }
        let (across, down) = match scan.parts.as_slice() {
            [one] => frame.components.get(one.index).map_or((0, 0), |c| c.blocks),
            _ => frame.mcus,
        };
        let all = u64::from(across).saturating_mul(u64::from(down));
        // Each scan goes over all its blocks, however few bytes it has.
        let blocks = frame.components.iter().map(|c| u64::from(c.blocks.0).saturating_mul(u64::from(c.blocks.1)));
        self.visits = self.visits.saturating_add(all);
        self.start.bounds.check_scans(self.scans, self.visits, blocks.fold(0, u64::saturating_add))?;
        self.start.bounds.work(all.saturating_mul(A_BLOCK))?;
        self.scan = Some(Running {
            scan,
            place: Place::at(0),
            carried: Carried::default(),
            next: 0,
            across: u64::from(across),
            all,
            lost_until: 0,
            lost_from: 0,
            confirmed: 0,
            told: 0,
            seeking: false,
            until_restart: self.interval,
            restart: 0,
        });
        self.state = State::Entropy;
        Ok(if first { Step::Tell(Stop::Facts) } else { Step::On })
    }

    /// Finds the number of lines behind the first scan (B.2.5), and starts the scan with it.
    pub(super) fn lines(&mut self) -> Result<Step> {
        // From where it was looked for before; a mark may have been cut in two there.
        let from = self.looked_for_lines.saturating_sub(5);
        let said = self.data.get(from..).unwrap_or_default().windows(6).find_map(|w| match *w {
            [0xff, 0xdc, 0, 4, high, low] => Some(u16::from_be_bytes([high, low])),
            _ => None,
        });
        self.looked_for_lines = self.data.len();
        match (said, &mut self.frame) {
            (Some(0), _) => Err(Error::malformed("a number of lines of 0")),
            (Some(lines), Some(frame)) => {
                frame.set_height(u32::from(lines));
                self.scans = self.scans.saturating_sub(1);
                let body = std::mem::take(&mut self.waiting);
                self.start_scan(&body)
            }
            _ => {
                self.charge = Charge::NONE;
                self.charge = self.start.bounds.charge("a scan of unknown height", self.data.len() as u64)?;
                Ok(Step::Wait)
            }
        }
    }
}
