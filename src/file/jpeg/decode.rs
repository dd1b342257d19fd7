//! Reading: a machine that is pushed bytes and gives rows.
//!
//! Where the first scan holds all components, rows are given while it is read, in bounded memory. Files of several scans
//! have their coefficients collected first.

use super::bits::{Bits, Place};
use super::canvas::{self, canvas};
use super::color::Model;
use super::frame::{Coding, Frame};
use super::picture::Picture;
use super::pile::Pile;
use super::running::Running;
use super::scan::{Carried, Scan, Tables};
use super::segments::{Notes, Quantisers, huffman_tables, quantisers};
use super::strips::Stretch;
use super::tables::quality_of;
use crate::error::{Error, Result};
use crate::file::decoder::{Decoder, RowsOut, Start, Stop};
use crate::file::options::Chroma;
use crate::frame::{Facts, Form, Format, RowOrder, Size};
use crate::pixel::{Depth, Layout};

/// Scans in a file at most: many times as many as encoders write. Each goes over all blocks, however few bytes it has.
const MOST_SCANS: u32 = 250;
/// What facts say of scans before they are counted.
const SEVERAL_SCANS: &str = ", several scans";
/// Bytes of a segment that are looked at where only a header is wanted.
const LOOK_BYTES: usize = 4096;

/// A JPEG decoder: pushed bytes, gives rows.
pub(in crate::file) struct JpegDecoder {
    start: Start,
    state: State,
    /// Bytes that have come and are not used up.
    data: Pile,
    /// Where what has been fed ends in the file.
    fed: u64,
    notes: Notes,
    noted: u64,
    quantisers: Quantisers,
    tables: Tables,
    interval: u32,
    frame: Option<Frame>,
    facts: Option<Facts>,
    scan: Option<Running>,
    scans: u32,
    /// The header of the first scan, while the number of lines is looked for.
    waiting: Vec<u8>,
    picture: Option<Picture>,
    /// Whether the coefficients themselves are wanted: then all are collected, and segments that say more than the
    /// pixels are kept as they stand, with their markers.
    collects: bool,
    kept: Vec<(u8, Vec<u8>)>,
    /// Whether no more bytes will come.
    ended: bool,
    salvaging: bool,
}

/// What a file holds before its coefficients become samples.
pub(super) struct Collected {
    pub(super) frame: Frame,
    pub(super) facts: Facts,
    /// Of each component, in rows.
    pub(super) quantisers: Vec<[u16; 64]>,
    /// Of each component, block by block in rows of whole MCUs, in rows.
    pub(super) coefficients: Vec<Vec<[i16; 64]>>,
    /// Application segments and comments before the first scan, with their markers.
    pub(super) segments: Vec<(u8, Vec<u8>)>,
}

/// What is read next.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum State {
    /// The mark the file starts with.
    Start,
    /// A marker and its segment.
    Segments,
    /// The number of lines, which stands behind the first scan.
    Lines,
    /// Entropy-coded data.
    Entropy,
    /// Rows of coefficients that have all come.
    Rows,
    /// The end mark has come.
    End,
}

/// What came of trying to go on.
enum Step {
    /// Something was done.
    On,
    /// More bytes are needed.
    Wait,
    /// Something is to be told.
    Tell(Stop),
}

impl JpegDecoder {
    pub(in crate::file) fn new(start: Start) -> JpegDecoder {
        JpegDecoder {
            start,
            state: State::Start,
            data: Pile::default(),
            fed: 0,
            notes: Notes::default(),
            noted: 0,
            quantisers: [None; 4],
            tables: Tables::default(),
            interval: 0,
            frame: None,
            facts: None,
            scan: None,
            scans: 0,
            waiting: Vec::new(),
            picture: None,
            collects: false,
            kept: Vec::new(),
            ended: false,
            salvaging: false,
        }
    }

    /// One that collects the coefficients, and stops when all have come.
    pub(in crate::file) fn collecting(start: Start) -> JpegDecoder {
        JpegDecoder { collects: true, ..JpegDecoder::new(start) }
    }

    /// What a [`collecting`](JpegDecoder::collecting) decoder has collected, once it has stopped.
    pub(super) fn into_collected(self) -> Option<Collected> {
        let (frame, facts, picture) = (self.frame?, self.facts?, self.picture?);
        let quantisers = picture.quantisers.into_iter().map(|q| q.unwrap_or([1; 64])).collect();
        Some(Collected { frame, facts, quantisers, coefficients: picture.coefficients, segments: self.kept })
    }

    fn step(&mut self, out: &mut RowsOut<'_>) -> Result<Step> {
        match self.state {
            State::Start => match self.data.first_chunk::<2>() {
                Some([0xff, 0xd8]) => {
                    self.drop_front(2);
                    self.state = State::Segments;
                    Ok(Step::On)
                }
                Some(_) => Err(Error::damaged("the file does not start with a start-of-image mark")),
                None => Ok(Step::Wait),
            },
            State::Segments => self.segment(),
            State::Lines => self.lines(),
            State::Entropy => self.entropy(out),
            State::Rows => self.collected_rows(out),
            State::End => Ok(Step::Tell(Stop::Done)),
        }
    }

    fn drop_front(&mut self, count: usize) {
        self.data.drop_front(count);
    }

    /// A marker and, where it has one, its segment.
    fn segment(&mut self) -> Result<Step> {
        // Bytes of 0xff before a marker fill up space.
        let fill = self.data.iter().take_while(|&&b| b == 0xff).count();
        if fill > 1 {
            self.drop_front(fill.saturating_sub(1));
        }
        let marker = match self.data[..] {
            [] | [0xff] => return Ok(Step::Wait),
            [0xff, marker, ..] if marker != 0 => marker,
            _ if self.salvaging => {
                let to = self.data.iter().skip(1).position(|&b| b == 0xff).map(|i| i.saturating_add(1));
                self.drop_front(to.unwrap_or(self.data.len()));
                return Ok(Step::On);
            }
            [first, ..] => return Err(Error::damaged(format!("a byte of {first:#04x} where a marker is expected"))),
        };
        match marker {
            // Restart marks that nobody waits for, and marks without a segment.
            0xd0..=0xd7 | 0x01 => {
                self.drop_front(2);
                return Ok(Step::On);
            }
            0xd8 => return Err(Error::damaged("a second start-of-image mark")),
            0xd9 => {
                self.drop_front(2);
                return self.end_of_image();
            }
            _ => {}
        }
        let Some(&[_, _, high, low]) = self.data.first_chunk::<4>() else { return Ok(Step::Wait) };
        let length = usize::from(u16::from_be_bytes([high, low]));
        if length < 2 {
            return Err(Error::damaged(format!("a segment of {length} bytes, which has at least 2")));
        }
        let whole = length.saturating_add(2);
        let looked_at = matches!(marker, 0xe0..=0xef | 0xfe);
        if self.start.header_only && looked_at && length > LOOK_BYTES {
            if self.data.len() < LOOK_BYTES {
                return Ok(Step::Wait);
            }
            let body = self.data.get(4..LOOK_BYTES).unwrap_or_default();
            if marker == 0xe1 {
                self.notes.take(marker, body);
                self.notes.metadata.exif = None;
            }
            self.notes.remarks.push(format!("a segment of {length} bytes was not looked at whole"));
            if self.data.len() >= whole {
                self.drop_front(whole);
                return Ok(Step::On);
            }
            let behind = self.fed.saturating_sub(self.data.len() as u64).saturating_add(whole as u64);
            self.data = Pile::default();
            self.fed = behind;
            return Ok(Step::Tell(Stop::forward(behind)));
        }
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
                    return Err(Error::damaged("a second frame header"));
                }
                let frame = Frame::parse(marker, body)?;
                self.frame = Some(frame);
            }
            0xcc => return Err(Error::not_supported("arithmetic-coded JPEG (DAC)")),
            0xdd => match *body {
                [high, low] => self.interval = u32::from(u16::from_be_bytes([high, low])),
                _ => return Err(Error::damaged("a restart interval whose length does not fit")),
            },
            0xda => return self.start_scan(body),
            // A number of lines that was known before says nothing new.
            0xdc => {}
            0xde | 0xdf => return Err(Error::not_supported("hierarchical JPEG")),
            0xe0..=0xef | 0xfe if self.facts.is_none() => {
                self.noted = self.noted.saturating_add(body.len() as u64);
                self.start.limits.check_metadata(self.noted)?;
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
        let Some(frame) = &self.frame else { return Err(Error::damaged("a scan before the frame header")) };
        let limits = self.start.limits;
        limits.check_size(frame.size)?;
        let one_scan = frame.coding != Coding::Progressive && scan.parts.len() == frame.components.len();
        let streams = one_scan && !self.collects;
        if !streams {
            limits.check_memory("the coefficients, which are held whole,", frame.coefficient_bytes())?;
        }
        limits.check_memory("two rows of blocks", canvas::memory(frame))?;
        self.notes.finish();
        let model = self.notes.model(frame);
        let layout = match model {
            Model::Gray => Layout::Gray,
            Model::Rgb | Model::Ycbcr => Layout::Rgb,
            Model::Cmyk { .. } | Model::Ycck { .. } => Layout::Cmyk,
        };
        let depth = if frame.bits == 8 { Depth::U8 } else { Depth::U16 };
        let mut metadata = self.notes.metadata.clone();
        if frame.bits == 12 {
            metadata.top_codes = Some(vec![4095; layout.channels()]);
        }
        let n = self.start.reduced.block();
        let part = |side: u32| side.saturating_mul(n).div_ceil(8);
        let size = Size::new(part(frame.size.width), part(frame.size.height));
        let mut facts = Facts::new(size, Form::Pixels { depth, layout }, metadata);
        facts.format = Some(Format::Jpeg);
        let name = match model {
            Model::Gray => "gray",
            Model::Rgb => "rgb",
            Model::Ycbcr => "YCbCr",
            Model::Cmyk { .. } => "cmyk",
            Model::Ycck { .. } => "YCCK",
        };
        let first = frame.components.first().and_then(|c| self.quantisers.get(usize::from(c.quantiser)));
        let quality = match first.and_then(|q| q.as_ref()).and_then(quality_of) {
            Some(quality) => format!(", quality about {quality}"),
            None => String::new(),
        };
        let (bits, sampling, coding) = (frame.bits, frame.sampling(), frame.coding_name());
        let scans = if one_scan { "" } else { SEVERAL_SCANS };
        facts.stored = Some(format!("{bits}-bit {name}{sampling}, {coding}{quality}{scans}"));
        facts.remarks = std::mem::take(&mut self.notes.remarks);
        self.facts = Some(facts);
        if self.start.header_only {
            return Ok(());
        }
        let blocks = |c: &super::frame::Component| (c.padded.0 as usize).saturating_mul(c.padded.1 as usize);
        let coefficients = match streams {
            true => Vec::new(),
            false => frame.components.iter().map(|c| vec![[0; 64]; blocks(c)]).collect(),
        };
        let stretch = match self.start.chroma {
            Chroma::Triangle => Stretch::Triangle,
            Chroma::Repeated => Stretch::Repeat,
        };
        self.picture = Some(Picture {
            canvas: canvas(frame, model, n, stretch),
            n,
            height: size.height,
            streams,
            coefficients,
            quantisers: vec![None; frame.components.len()],
            rows: 0,
            given: 0,
            damaged: Vec::new(),
            lost: Vec::new(),
        });
        Ok(())
    }

    fn start_scan(&mut self, body: &[u8]) -> Result<Step> {
        let Some(frame) = &self.frame else { return Err(Error::damaged("a scan before the frame header")) };
        let scan = Scan::parse(body, frame, &self.tables)?;
        self.scans = self.scans.saturating_add(1);
        if self.scans > MOST_SCANS {
            return Err(Error::unusable(format!("more than {MOST_SCANS} scans")));
        }
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
                    || Error::damaged(format!("a scan by quantiser {}, which has not come", component.quantiser));
                *kept = Some(quantiser.ok_or_else(missing)?);
            }
        }
        let (across, down) = match scan.parts.as_slice() {
            [one] => frame.components.get(one.index).map_or((0, 0), |c| c.blocks),
            _ => frame.mcus,
        };
        let all = u64::from(across).saturating_mul(u64::from(down));
        self.scan = Some(Running {
            scan,
            place: Place::at(0),
            carried: Carried::default(),
            next: 0,
            across: u64::from(across),
            all,
            lost_until: 0,
            lost_from: 0,
            told: 0,
            seeking: false,
            until_restart: self.interval,
            restart: 0,
        });
        self.state = State::Entropy;
        Ok(if first { Step::Tell(Stop::Facts) } else { Step::On })
    }

    /// Finds the number of lines behind the first scan (B.2.5), and starts the scan with it.
    fn lines(&mut self) -> Result<Step> {
        let said = self.data.windows(6).find_map(|w| match *w {
            [0xff, 0xdc, 0, 4, high, low] => Some(u16::from_be_bytes([high, low])),
            _ => None,
        });
        match (said, &mut self.frame) {
            (Some(0), _) => Err(Error::damaged("a number of lines of 0")),
            (Some(lines), Some(frame)) => {
                frame.set_height(u32::from(lines));
                self.scans = self.scans.saturating_sub(1);
                let body = std::mem::take(&mut self.waiting);
                self.start_scan(&body)
            }
            _ => {
                self.start.limits.check_memory("a scan of unknown height", self.data.len() as u64)?;
                Ok(Step::Wait)
            }
        }
    }

    /// Goes on with the scan; in a stream, gives the rows that are there first.
    fn entropy(&mut self, out: &mut RowsOut<'_>) -> Result<Step> {
        let (Some(frame), Some(picture), Some(running)) = (&self.frame, &mut self.picture, &mut self.scan) else {
            return Ok(Step::Tell(Stop::Done));
        };
        if running.seeking && !running.resume(&self.data, self.interval) {
            // The last byte may be the first of a marker.
            let used = self.data.len().saturating_sub(1);
            self.data.drop_front(used);
            running.place = Place::at(0);
            return Ok(Step::Wait);
        }
        if self.salvaging && running.lost_until > running.told {
            running.told = running.lost_until;
            let rows_each = match running.scan.parts.as_slice() {
                [one] => frame.components.get(one.index).map_or(1, |c| u32::from(c.v)),
                _ => 1,
            };
            picture.lose(running.lost_from..running.lost_until, running.across, rows_each);
        }
        // Amid a row of MCUs the canvas holds some that have not come.
        let complete = running.next >= u64::from(picture.rows).saturating_mul(running.across)
            && !running.is_before_mark(self.interval);
        if picture.streams && complete && picture.give(frame, out) {
            return Ok(Step::Tell(Stop::RowsGiven));
        }
        if running.next >= running.all {
            // The scan has ended; what follows it is a marker.
            let at = Bits::new(&self.data, running.place).clone().align();
            self.drop_front(at);
            self.scan = None;
            self.state = State::Segments;
            return Ok(Step::On);
        }
        let done = running.go_on(frame, picture, &self.data, self.interval)?;
        let used = running.place.byte();
        running.place = running.place.moved_back(used);
        self.drop_front(used);
        Ok(if done { Step::On } else { Step::Wait })
    }

    fn end_of_image(&mut self) -> Result<Step> {
        let Some(picture) = &mut self.picture else {
            return Err(Error::damaged("an end-of-image mark before any scan"));
        };
        match picture.streams {
            true => self.state = State::End,
            false => {
                if let Some(stored) = self.facts.as_mut().and_then(|f| f.stored.as_mut()) {
                    let counted = format!(", {} scan{}", self.scans, if self.scans == 1 { "" } else { "s" });
                    *stored = stored.replace(SEVERAL_SCANS, &counted);
                }
                if picture.quantisers.iter().any(Option::is_none) && !self.salvaging {
                    return Err(Error::damaged("a component of which there is no scan"));
                }
                self.state = State::Rows;
            }
        }
        Ok(Step::On)
    }

    /// Gives rows of coefficients that have been collected.
    fn collected_rows(&mut self, out: &mut RowsOut<'_>) -> Result<Step> {
        let (Some(frame), Some(picture)) = (&self.frame, &mut self.picture) else { return Ok(Step::Tell(Stop::Done)) };
        loop {
            if picture.give(frame, out) {
                return Ok(Step::Tell(Stop::RowsGiven));
            }
            if picture.given >= picture.height {
                self.state = State::End;
                return Ok(Step::On);
            }
            picture.row_of_coefficients(frame);
        }
    }
}

impl Decoder for JpegDecoder {
    fn feed(&mut self, input: &[u8], out: &mut RowsOut<'_>) -> Result<(usize, Stop)> {
        let mut taken = 0;
        loop {
            match self.step(out)? {
                Step::On => {}
                Step::Tell(stop) => return Ok((taken, stop)),
                Step::Wait if taken < input.len() => {
                    self.data.add(input);
                    self.fed = self.fed.saturating_add(input.len() as u64);
                    taken = input.len();
                }
                Step::Wait => return Ok((taken, Stop::NeedInput)),
            }
        }
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        match (&self.frame, &self.picture) {
            (Some(_), Some(picture)) if picture.given < picture.height => match picture.streams {
                true => format!("row {} of {}", picture.given, picture.height),
                false => format!("the rest of scan {}, or a further one,", self.scans),
            },
            (_, Some(_)) => "the end-of-image mark".to_string(),
            _ => "the rest of the header".to_string(),
        }
    }

    fn row_order(&self) -> RowOrder {
        match &self.picture {
            Some(picture) if picture.streams => RowOrder::TopDown,
            _ => RowOrder::Whole,
        }
    }

    fn input_ended(&mut self) -> bool {
        self.ended = true;
        false
    }

    fn salvage(&mut self, _out: &mut RowsOut<'_>) -> bool {
        self.salvaging = true;
        let Some(picture) = &mut self.picture else { return false };
        match (self.state, &mut self.scan) {
            (State::Entropy, Some(running)) => {
                // What is not there any more is lost to the end of the scan.
                if self.ended && !picture.streams {
                    picture.lose(0..running.all, running.across, 1);
                }
                match self.ended && !running.resume(&self.data, self.interval) {
                    true => (running.lost_until, running.seeking) = (running.all, false),
                    false => {
                        running.seeking = running.seeking || !self.ended && !running.resume(&self.data, self.interval)
                    }
                }
                true
            }
            (State::Segments, _) if self.ended && self.data.len() < 4 => {
                self.data = Pile::default();
                // Further scans may have been to come.
                let all = self.frame.as_ref().map_or(0, |f| f.mcus.1);
                if !picture.streams {
                    picture.damaged.push(0..all);
                }
                self.state = if picture.streams { State::End } else { State::Rows };
                true
            }
            (State::Segments, _) => {
                self.drop_front(2);
                true
            }
            _ => false,
        }
    }
}
