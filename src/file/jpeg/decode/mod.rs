//! Reading: a machine that is pushed bytes and gives rows. Markers and their segments have a file of their own.
//!
//! Where the first scan holds all components, rows are given while it is read, in bounded memory. Files of several scans
//! have their coefficients collected first.

mod markers;

use super::bits::{Bits, Place};
use super::frame::FrameHeader;
use super::picture::PartialPicture;
use super::pile::Pile;
use super::running::Running;
use super::scan::Tables;
use super::segments::{Notes, Quantisers};
use crate::error::{Error, Result};
use crate::file::bounds::Bounds;
use crate::file::budget::Budget;
use crate::file::decoder::{Decoder, RowsOut, Start, Stop};
use crate::file::jpeg::coefficients::Coefficients;
use crate::frame::{Facts, FileFormat, RowOrder};
use crate::memory::Charge;
use std::ops::Range;

/// What facts say of scans before they are counted.
const SEVERAL_SCANS: &str = ", several scans";

/// A JPEG decoder: pushed bytes, gives rows.
pub(in crate::file) struct JpegDecoder {
    start: Start,
    state: State,
    /// Bytes that have come and are not used up.
    data: Pile,
    /// Where what has been fed ends in the file.
    fed: u64,
    notes: Notes,
    budget: Budget,
    quantisers: Quantisers,
    tables: Tables,
    interval: u32,
    frame: Option<FrameHeader>,
    facts: Option<Facts>,
    scan: Option<Running>,
    scans: u32,
    /// Blocks that the scans have gone over.
    visits: u64,
    /// Bytes in which the number of lines was looked for.
    looked_for_lines: usize,
    /// The header of the first scan, while the number of lines is looked for.
    waiting: Vec<u8>,
    picture: Option<PartialPicture>,
    /// What is held for the picture.
    charge: Charge,
    /// Whether the coefficients themselves are wanted: then all are collected, and segments that say more than the
    /// pixels are kept as they stand, with their markers.
    collects: bool,
    kept: Vec<(u8, Vec<u8>)>,
    /// Whether no more bytes will come.
    ended: bool,
    salvaging: bool,
    /// Rows of pixels that nothing confirms: of the scan that has just ended, and those before damage.
    after_scan: Option<Range<u32>>,
    suspect: Vec<Range<u32>>,
}

/// What a file holds before its coefficients become samples.
pub(super) struct Collected {
    pub(super) frame: FrameHeader,
    pub(super) facts: Facts,
    /// Of each component, in rows.
    pub(super) quantisers: Vec<[u16; 64]>,
    /// Of each component, block by block in rows of whole MCUs, in rows.
    pub(super) coefficients: Vec<Vec<[i16; 64]>>,
    /// Application segments and comments before the first scan, with their markers.
    pub(super) segments: Vec<(u8, Vec<u8>)>,
    pub(super) bounds: Bounds,
    /// What the coefficients were charged.
    _charge: Charge,
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
            state: State::Start,
            data: Pile::default(),
            fed: 0,
            notes: Notes::default(),
            budget: Budget::new(start.bounds.clone()),
            start,
            quantisers: [None; 4],
            tables: Tables::default(),
            interval: 0,
            frame: None,
            facts: None,
            scan: None,
            scans: 0,
            visits: 0,
            looked_for_lines: 0,
            waiting: Vec::new(),
            picture: None,
            charge: Charge::NONE,
            collects: false,
            kept: Vec::new(),
            ended: false,
            salvaging: false,
            after_scan: None,
            suspect: Vec::new(),
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
        let coefficients = picture.coefficients.into_iter().map(Coefficients::into_whole).collect();
        let (segments, bounds) = (self.kept, self.start.bounds);
        Some(Collected { frame, facts, quantisers, coefficients, segments, bounds, _charge: self.charge })
    }

    fn step(&mut self, out: &mut RowsOut<'_>) -> Result<Step> {
        match self.state {
            State::Start => match self.data.first_chunk::<2>() {
                Some([0xff, 0xd8]) => {
                    self.drop_front(2);
                    self.state = State::Segments;
                    Ok(Step::On)
                }
                Some(_) => Err(Error::malformed("the file does not start with a start-of-image marker")),
                None => Ok(Step::Wait),
            },
            State::Segments => self.segment(),
            State::Lines => self.lines(),
            State::Entropy => self.entropy(out),
            State::Rows => self.collected_rows(out),
            State::End => Ok(Step::Tell(Stop::Done)),
        }
    }

    /// The byte of the file that is looked at next.
    fn place(&self) -> u64 {
        let front = self.fed.saturating_sub(self.data.len() as u64);
        let within = self.scan.as_ref().map_or(0, |running| running.place.byte() as u64);
        front.saturating_add(within)
    }

    fn drop_front(&mut self, count: usize) {
        self.data.drop_front(count);
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
            picture.lose(running.lost_from..running.lost_until, running.across, running.rows_each(frame));
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
            self.after_scan =
                Some(picture.pixel_rows(frame, running.unconfirmed(), running.across, running.rows_each(frame)));
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
            return Err(Error::malformed("an end-of-image marker before any scan"));
        };
        match picture.streams {
            true => self.state = State::End,
            false => {
                if let Some(stored) = self.facts.as_mut().and_then(|f| f.stored.as_mut()) {
                    let counted = format!(", {} scan{}", self.scans, if self.scans == 1 { "" } else { "s" });
                    *stored = stored.replace(SEVERAL_SCANS, &counted);
                }
                if picture.quantisers.iter().any(Option::is_none) && !self.salvaging {
                    return Err(Error::malformed("a component of which there is no scan"));
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
    fn feed(&mut self, input: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        loop {
            match self.step(out).map_err(|e| e.in_format(FileFormat::Jpeg, Some(self.place())))? {
                Step::On => {}
                Step::Tell(stop) => return Ok(stop),
                Step::Wait if !input.is_empty() => {
                    self.data.add(input);
                    self.fed = self.fed.saturating_add(input.len() as u64);
                    *input = &[];
                }
                Step::Wait => return Ok(Stop::NeedInput),
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
            (_, Some(_)) => "the end-of-image marker".to_string(),
            _ if self.state == State::Lines => "the number of lines, which stands behind the first scan,".to_string(),
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

    fn suspect(&mut self) -> Vec<Range<u32>> {
        std::mem::take(&mut self.suspect)
    }

    fn salvage(&mut self, _out: &mut RowsOut<'_>) -> bool {
        self.salvaging = true;
        let Some(picture) = &mut self.picture else { return false };
        match (self.state, &mut self.scan) {
            (State::Entropy, Some(running)) => {
                if let (false, Some(frame)) = (self.ended, &self.frame) {
                    let (across, each) = (running.across, running.rows_each(frame));
                    self.suspect.push(picture.pixel_rows(frame, running.unconfirmed(), across, each));
                }
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
                self.suspect.extend(self.after_scan.take());
                self.drop_front(2);
                true
            }
            _ => false,
        }
    }
}
