//! Reading: a machine that is pushed bytes and gives rows.
//!
//! Where the first scan holds all components, rows are given while it is read, in bounded memory. Files of several scans
//! have their coefficients collected first.

use super::bits::{Bits, Place};
use super::canvas::{self, Canvas, canvas};
use super::color::Model;
use super::frame::{Coding, Frame};
use super::idct::Block;
use super::scan::{Carried, Scan, Tables, progressive, sequential};
use super::segments::{Notes, Quantisers, huffman_tables, quantisers};
use super::strips::Stretch;
use super::tables::quality_of;
use crate::error::{Error, Result};
use crate::file::decoder::{Decoder, RowsOut, Start, Stop};
use crate::file::options::Chroma;
use crate::frame::{Facts, Form, Format, RowOrder, Size};
use crate::pixel::{Depth, Layout};

/// Scans in a file at most: hundreds of times as many as any encoder writes.
const MOST_SCANS: u32 = 1000;
/// Bytes of a segment that are looked at where only a header is wanted.
const LOOK_BYTES: usize = 4096;

/// A JPEG decoder: pushed bytes, gives rows.
pub(in crate::file) struct JpegDecoder {
    start: Start,
    state: State,
    /// Bytes that have come and are not used up.
    data: Pile,
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
    /// Whether no more bytes will come.
    ended: bool,
    salvaging: bool,
}

/// What is read next.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum State {
    /// The mark the file starts with.
    Start,
    /// A marker and its segment.
    Segments,
    /// So many bytes of a segment that are passed over.
    Passing(u64),
    /// The number of lines, which stands behind the first scan.
    Lines,
    /// Entropy-coded data.
    Entropy,
    /// Rows of coefficients that have all come.
    Rows,
    /// The end mark has come.
    End,
}

/// A scan that is being read.
struct Running {
    scan: Scan,
    place: Place,
    carried: Carried,
    /// The MCU (of a single component: the block) that comes next, and how many there are across and in all.
    next: u64,
    across: u64,
    all: u64,
    /// The MCU that damage reaches to, and whether a marker behind it is still to be found.
    lost_until: u64,
    lost_from: u64,
    told: u64,
    seeking: bool,
    /// MCUs until a restart marker is due, and its number.
    until_restart: u32,
    restart: u8,
}

/// The picture that is being put together.
struct Picture {
    canvas: Box<dyn Canvas>,
    /// Samples that a block gives across and down, and rows of pixels in all.
    n: u32,
    height: u32,
    /// Whether rows are given while the first scan is read.
    streams: bool,
    /// Coefficients of each component, block by block in rows, where they are collected; and its quantiser, kept from
    /// its first scan on.
    coefficients: Vec<Vec<[i16; 64]>>,
    quantisers: Vec<Option<[u16; 64]>>,
    /// Rows of MCUs that the canvas has got, and rows of pixels that have been given.
    rows: u32,
    given: u32,
    /// Rows of MCUs that are not whole, and those of which nothing is there.
    damaged: Vec<std::ops::Range<u32>>,
    lost: Vec<std::ops::Range<u32>>,
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

/// Bytes that are added behind and dropped in front.
#[derive(Debug, Default)]
struct Pile {
    bytes: Vec<u8>,
    dropped: usize,
}

impl Pile {
    fn add(&mut self, bytes: &[u8]) {
        self.bytes.drain(..self.dropped);
        self.dropped = 0;
        self.bytes.extend_from_slice(bytes);
    }

    fn drop_front(&mut self, count: usize) {
        self.dropped = self.dropped.saturating_add(count).min(self.bytes.len());
    }
}

impl std::ops::Deref for Pile {
    type Target = [u8];

    fn deref(&self) -> &[u8] {
        self.bytes.get(self.dropped..).unwrap_or_default()
    }
}

impl JpegDecoder {
    pub(in crate::file) fn new(start: Start) -> JpegDecoder {
        JpegDecoder {
            start,
            state: State::Start,
            data: Pile::default(),
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
            ended: false,
            salvaging: false,
        }
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
            State::Passing(left) => {
                let now = usize::try_from(left).unwrap_or(usize::MAX).min(self.data.len());
                self.drop_front(now);
                let left = left.saturating_sub(now as u64);
                self.state = if left == 0 { State::Segments } else { State::Passing(left) };
                Ok(if left == 0 { Step::On } else { Step::Wait })
            }
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
            self.state = State::Passing(whole as u64);
            return Ok(Step::On);
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
        let streams = frame.coding != Coding::Progressive && scan.parts.len() == frame.components.len();
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
        facts.stored = Some(format!("{bits}-bit {name}{sampling}, {coding}{quality}"));
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

impl Picture {
    /// Gives the rows that are there; true where no more are wanted and there is one.
    fn give(&mut self, frame: &Frame, out: &mut RowsOut<'_>) -> bool {
        let all = self.rows >= frame.mcus.1;
        while self.given < self.height {
            if out.is_full() {
                return true;
            }
            if !self.canvas.has(self.given, all) {
                break;
            }
            // Colour that is sampled less is mixed of rows that may be those of a neighbour.
            let reach = if frame.components.iter().any(|c| c.v != frame.v) { u32::from(frame.v) } else { 0 };
            let row_of = |y: u32| y.checked_div(u32::from(frame.v).saturating_mul(self.n)).unwrap_or(0);
            let near = [self.given.saturating_sub(reach), self.given, self.given.saturating_add(reach)].map(row_of);
            let touches = |ranges: &[std::ops::Range<u32>], row: u32| ranges.iter().any(|r| r.contains(&row));
            if touches(&self.lost, row_of(self.given)) {
                out.lose(1);
            } else {
                self.canvas.give(self.given, out.next());
                if near.iter().any(|&row| touches(&self.damaged, row)) {
                    out.spoil();
                }
            }
            self.given = self.given.saturating_add(1);
        }
        false
    }

    /// MCUs of a scan that damage has cost.
    fn lose(&mut self, mcus: std::ops::Range<u64>, across: u64, rows_each: u32) {
        let across = across.max(1);
        let row = |mcu: u64| mcu.checked_div(across).and_then(|r| u32::try_from(r).ok()).unwrap_or(u32::MAX);
        // A single component's rows of blocks may be several in a row of MCUs.
        let of = |row: u32| row.checked_div(rows_each.max(1)).unwrap_or(row);
        if mcus.is_empty() {
            return;
        }
        self.damaged.push(of(row(mcus.start))..of(row(mcus.end.saturating_sub(1))).saturating_add(1));
        if self.streams {
            self.lost.push(row(mcus.start.saturating_add(across).saturating_sub(1))..row(mcus.end));
        }
    }

    /// Brings the next row of MCUs from its coefficients to the canvas.
    fn row_of_coefficients(&mut self, frame: &Frame) {
        self.canvas.advance();
        for (index, (component, blocks)) in frame.components.iter().zip(&self.coefficients).enumerate() {
            let quantiser = self.quantisers.get(index).copied().flatten().unwrap_or([0; 64]);
            let across = component.padded.0;
            for down in 0..u32::from(component.v) {
                let row = self.rows.saturating_mul(u32::from(component.v)).saturating_add(down);
                let start = (row as usize).saturating_mul(across as usize);
                let row = blocks.get(start..).and_then(|b| b.get(..across as usize)).unwrap_or_default();
                for (column, coefficients) in (0u32..).zip(row) {
                    let mut block: Block = [0; 64];
                    for (to, (&v, &q)) in block.iter_mut().zip(coefficients.iter().zip(&quantiser)) {
                        *to = i32::from(v).wrapping_mul(i32::from(q));
                    }
                    let flat = coefficients.iter().skip(1).all(|&v| v == 0);
                    self.canvas.block(index, column, down, &block, if flat { 0 } else { 63 });
                }
            }
        }
        self.rows = self.rows.saturating_add(1);
    }
}

impl Running {
    /// Decodes MCUs: in a stream to the end of their row, else to the end of the scan. False where more bytes are needed.
    fn go_on(&mut self, frame: &Frame, picture: &mut Picture, data: &[u8], interval: u32) -> Result<bool> {
        while self.next < self.all {
            let (column, row) = self.column_and_row();
            if self.next < self.lost_until {
                if picture.streams && column == 0 && row >= picture.rows {
                    picture.canvas.advance();
                    picture.rows = row.saturating_add(1);
                }
                if picture.streams {
                    self.blank(frame, picture, column);
                }
                self.next = self.next.saturating_add(1);
                if picture.streams && self.next.checked_rem(self.across) == Some(0) {
                    return Ok(true);
                }
                continue;
            }
            // Only the mark tells that what came before it was what it was taken for.
            if self.is_before_mark(interval) {
                match self.restart(data, interval)? {
                    true if picture.streams && column == 0 => return Ok(true),
                    true => {}
                    false => return Ok(false),
                }
            }
            if picture.streams && column == 0 && row >= picture.rows {
                picture.canvas.advance();
                picture.rows = row.saturating_add(1);
            }
            let mut bits = Bits::new(data, self.place);
            let mut carried = self.carried;
            let result = match picture.streams {
                true => self.mcu(frame, picture, &mut bits, &mut carried, column),
                false => self.coefficients(frame, picture, &mut bits, &mut carried, (column, row)),
            };
            if bits.has_made_up() && (result.is_err() || bits.is_overrun()) {
                if !bits.is_at_marker() {
                    return Ok(false);
                }
                return Err(Error::damaged(format!("the scan ends early, in MCU {} of {}", self.next, self.all)));
            }
            result?;
            (self.place, self.carried) = (bits.place(), carried);
            self.next = self.next.saturating_add(1);
            self.until_restart = self.until_restart.saturating_sub(1);
            if picture.streams && self.next.checked_rem(self.across) == Some(0) && !self.is_before_mark(interval) {
                return Ok(true);
            }
        }
        Ok(true)
    }

    /// Whether a restart mark has to come next.
    fn is_before_mark(&self, interval: u32) -> bool {
        interval > 0 && self.until_restart == 0 && self.next < self.all && self.next >= self.lost_until
    }

    fn column_and_row(&self) -> (u32, u32) {
        let column = self.next.checked_rem(self.across).unwrap_or(0);
        let row = self.next.checked_div(self.across).unwrap_or(0);
        (column as u32, row as u32)
    }

    /// Goes past a restart marker; false where it has not come yet.
    fn restart(&mut self, data: &[u8], interval: u32) -> Result<bool> {
        let mut bits = Bits::new(data, self.place);
        let at = bits.align();
        let rest = data.get(at..).unwrap_or_default();
        let fill = rest.iter().take_while(|&&b| b == 0xff).count();
        let Some(&marker) = rest.get(fill) else { return Ok(false) };
        if fill == 0 || marker != 0xd0 | self.restart {
            return Err(Error::damaged(format!("restart mark {} expected before MCU {}", self.restart, self.next)));
        }
        self.place = Place::at(at.saturating_add(fill).saturating_add(1));
        self.carried = Carried::default();
        self.until_restart = interval;
        self.restart = self.restart.wrapping_add(1) & 7;
        Ok(true)
    }

    /// An MCU of a scan of all components, to the canvas.
    fn mcu(
        &self,
        frame: &Frame,
        picture: &mut Picture,
        bits: &mut Bits<'_>,
        carried: &mut Carried,
        column: u32,
    ) -> Result<()> {
        for (part, mean) in self.scan.parts.iter().zip(&mut carried.means) {
            let Some(component) = frame.components.get(part.index) else { continue };
            let Some(Some(quantiser)) = picture.quantisers.get(part.index) else { continue };
            let (h, v) = (u32::from(component.h), u32::from(component.v));
            for down in 0..v {
                for across in 0..h {
                    let mut block: Block = [0; 64];
                    let last = sequential(bits, part, quantiser, mean, &mut block)?;
                    let column = column.saturating_mul(h).saturating_add(across);
                    picture.canvas.block(part.index, column, down, &block, last);
                }
            }
        }
        Ok(())
    }

    /// An MCU of which nothing is there, to the canvas.
    fn blank(&self, frame: &Frame, picture: &mut Picture, column: u32) {
        for part in &self.scan.parts {
            let Some(component) = frame.components.get(part.index) else { continue };
            let (h, v) = (u32::from(component.h), u32::from(component.v));
            for (down, across) in (0..v).flat_map(|down| (0..h).map(move |across| (down, across))) {
                picture.canvas.block(part.index, column.saturating_mul(h).saturating_add(across), down, &[0; 64], 0);
            }
        }
    }

    /// An MCU, or a block of a single component, among the collected coefficients.
    fn coefficients(
        &self,
        frame: &Frame,
        picture: &mut Picture,
        bits: &mut Bits<'_>,
        carried: &mut Carried,
        (column, row): (u32, u32),
    ) -> Result<()> {
        for (number, part) in self.scan.parts.iter().enumerate() {
            let Some(component) = frame.components.get(part.index) else { continue };
            let (h, v) = match self.scan.is_single() {
                true => (1, 1),
                false => (u32::from(component.h), u32::from(component.v)),
            };
            for down in 0..v {
                for across in 0..h {
                    let x = column.saturating_mul(h).saturating_add(across);
                    let y = row.saturating_mul(v).saturating_add(down);
                    let at = (y as usize).saturating_mul(component.padded.0 as usize).saturating_add(x as usize);
                    let blocks = picture.coefficients.get_mut(part.index);
                    let Some(place) = blocks.and_then(|b| b.get_mut(at)) else { continue };
                    // A copy, so that an MCU whose bytes have not all come can be read again.
                    let mut block = *place;
                    if frame.coding == Coding::Progressive {
                        progressive(bits, &self.scan, number, carried, &mut block)?;
                    } else {
                        let mut whole: Block = [0; 64];
                        let Some(mean) = carried.means.get_mut(number) else { continue };
                        sequential(bits, part, &[1; 64], mean, &mut whole)?;
                        block.iter_mut().zip(whole).for_each(|(to, v)| *to = v as i16);
                    }
                    if !bits.is_overrun() {
                        *place = block;
                    }
                }
            }
        }
        Ok(())
    }

    /// Looks for a marker to go on behind after damage: false where none has come yet.
    fn resume(&mut self, data: &[u8], interval: u32) -> bool {
        // Where another mark came than was due, what was taken for the interval before is not sure either.
        let back = if self.is_before_mark(interval) { u64::from(interval) } else { 0 };
        self.lost_from = if self.seeking { self.lost_from } else { self.next.saturating_sub(back) };
        let from = self.place.byte().min(data.len());
        let rest = data.get(from..).unwrap_or_default();
        let found = rest.windows(2).position(|w| matches!(w, [0xff, second] if *second != 0 && *second != 0xff));
        let Some(found) = found else { return false };
        let at = from.saturating_add(found);
        self.seeking = false;
        let marker = data.get(at.saturating_add(1)).copied().unwrap_or(0);
        if !(0xd0..=0xd7).contains(&marker) || interval == 0 {
            self.place = Place::at(at);
            self.lost_until = self.all;
            return true;
        }
        // The mark's number tells how many intervals have been skipped, up to seven.
        let skipped = u64::from((marker & 7).wrapping_sub(self.restart) & 7);
        let number = self.next.checked_div(u64::from(interval)).unwrap_or(0);
        // A mark that was due before the next MCU belongs to the interval before.
        let number = if self.until_restart == 0 { number.saturating_sub(1) } else { number };
        let next = number.saturating_add(skipped).saturating_add(1).saturating_mul(u64::from(interval));
        self.lost_until = next.min(self.all);
        self.place = Place::at(at.saturating_add(2));
        self.carried = Carried::default();
        self.until_restart = interval;
        self.restart = (marker & 7).wrapping_add(1) & 7;
        true
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
            (State::Segments | State::Passing(_), _) if self.ended && self.data.len() < 4 => {
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
