//! Reading.

use super::header::{FIRST, Field, Header, Kind, enough};
use super::runs::Runs;
use crate::convert::swizzle::each;
use crate::error::{Error, Result};
use crate::file::bits::take_apart;
use crate::file::decoder::{Decoder, Jump, RowsOut, Slot, Start, Stop, gather};
use crate::file::stored::StoredRows;
use crate::file::words::largest;
use crate::frame::{Facts, FileFormat, Metadata, Palette, PixelFormat, RowOrder, SamplesMut};
use crate::memory::Charge;
use crate::pixel::{Depth, Layout, Meaning, Rgba, codes};

/// A decoder of bitmaps: pushed bytes, gives rows.
pub(in crate::file) struct BmpDecoder {
    start: Start,
    /// Bytes of the header or of a profile that is not complete yet.
    part: Vec<u8>,
    /// Where in the file the next byte of input lies.
    at: u64,
    profile: Option<(u64, u32)>,
    facts: Option<Facts>,
    body: Option<Body>,
    said_facts: bool,
    /// A row, or a picture of runs.
    charge: Charge,
}

/// What the pixels are expanded with.
struct Expander {
    header: Header,
    layout: Layout,
    /// Whether indices are given as they are.
    indices: bool,
}

struct Body {
    expander: Expander,
    rows: Rows,
}

/// How the rows lie in the file.
enum Rows {
    Stored(StoredRows),
    Runs { runs: Runs, given: u32 },
}

impl BmpDecoder {
    pub(in crate::file) fn new(start: Start) -> BmpDecoder {
        let (part, profile, facts, body) = (Vec::new(), None, None, None);
        BmpDecoder { start, part, at: 0, profile, facts, body, said_facts: false, charge: Charge::NONE }
    }

    /// Collects all that stands before the pixels; true once it is there.
    fn header(&mut self, input: &mut &[u8]) -> Result<bool> {
        let before = input.len();
        let complete = gather(&mut self.part, input, FIRST) && {
            let wanted = enough(&self.part);
            gather(&mut self.part, input, wanted)
        };
        self.at = self.at.saturating_add(before.saturating_sub(input.len()) as u64);
        if !complete {
            return Ok(false);
        }
        let header = Header::parse(&self.part)?;
        self.part.clear();
        self.begin(header)?;
        Ok(true)
    }

    fn begin(&mut self, header: Header) -> Result<()> {
        let bounds = self.start.bounds.clone();
        bounds.check_size(header.size)?;
        self.charge = bounds.charge("a row of pixels", header.row_bytes() as u64)?;
        let mut metadata = Metadata { resolution: header.resolution, ..Metadata::default() };
        let (layout, depth) = match &header.kind {
            Kind::Indices(palette) | Kind::Runs(palette) if self.start.indices => {
                metadata.meaning = Meaning::Indices;
                let colors = palette.iter().map(|&[r, g, b]| Rgba::new(r, g, b, 255));
                metadata.palette = Some(Palette::new(colors.collect())?);
                (Layout::Gray, Depth::U8)
            }
            Kind::Indices(palette) | Kind::Runs(palette) => {
                let gray = palette.iter().all(|[r, g, b]| r == g && g == b);
                if gray {
                    metadata.max_codes = gray_top(palette).map(|top| vec![top]);
                }
                (if gray { Layout::Gray } else { Layout::Rgb }, Depth::U8)
            }
            Kind::Bytes => (Layout::Rgb, Depth::U8),
            Kind::Fields(fields) => {
                let layout = if fields.len() == 4 { Layout::Rgba } else { Layout::Rgb };
                let depth = if fields.iter().all(|f| f.top < 256) { Depth::U8 } else { Depth::U16 };
                let full = depth.max_code().map(u32::from);
                let tops: Vec<u32> = fields.iter().map(|f| f.top).collect();
                metadata.max_codes = tops.iter().any(|&top| Some(top) != full).then_some(tops);
                (layout, depth)
            }
        };
        let data_at = header.data_at as u64;
        let rows = match &header.kind {
            Kind::Runs(_) => {
                self.charge = bounds.charge("a picture of runs, which is held whole,", header.size.pixels())?;
                Rows::Runs { runs: Runs::new(header.size, header.bits == 4)?, given: 0 }
            }
            _ => {
                let bytes = header.row_bytes();
                Rows::Stored(StoredRows::new(data_at, bytes, bytes, header.size.height, !header.top_down))
            }
        };
        self.profile = header.profile.filter(|(_, bytes)| bounds.check_metadata(u64::from(*bytes)).is_ok());
        let mut facts = Facts::new(header.size, PixelFormat::Pixels { depth, layout }, metadata);
        facts.format = Some(FileFormat::Bmp);
        facts.stored = Some(header.describe());
        self.facts = Some(facts);
        self.body = Some(Body { expander: Expander { header, layout, indices: self.start.indices }, rows });
        Ok(())
    }

    /// Reads the profile, if there is one, and goes on to the pixels; the stop that is due, if any.
    fn before_pixels(&mut self, input: &mut &[u8]) -> Option<Stop> {
        let data_at = self.body.as_ref().map_or(0, |b| b.expander.header.data_at as u64);
        if let Some((place, bytes)) = self.profile {
            if self.at != place && self.part.is_empty() {
                self.at = place;
                let end = place.saturating_add(u64::from(bytes)).max(data_at);
                return Some(Stop::Elsewhere(Jump { to: place, keep_to: Some(end), wanted: bytes as usize }));
            }
            let before = input.len();
            let complete = gather(&mut self.part, input, bytes as usize);
            self.at = self.at.saturating_add(before.saturating_sub(input.len()) as u64);
            if !complete {
                return Some(Stop::NeedInput);
            }
            let profile = std::mem::take(&mut self.part);
            if let Some(facts) = &mut self.facts {
                crate::file::profile::keep(profile.into(), &mut facts.metadata);
            }
            self.profile = None;
        }
        if self.at != data_at {
            self.at = data_at;
            return Some(Stop::forward(data_at));
        }
        if !self.said_facts {
            self.said_facts = true;
            return Some(Stop::Facts);
        }
        None
    }
}

/// The max code of a palette that is an even ramp of 2, 4 or 16 grays.
fn gray_top(palette: &[[u8; 3]]) -> Option<u32> {
    let top = u32::try_from(palette.len()).ok()?.checked_sub(1).filter(|top| matches!(top, 1 | 3 | 15))?;
    let even = (0u32..).zip(palette).all(|(code, [v, ..])| codes::sample_of(code, top, 255) == u32::from(*v));
    even.then_some(top)
}

impl Decoder for BmpDecoder {
    fn feed(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        if self.body.is_none() && !self.header(rest)? {
            return Ok(Stop::NeedInput);
        }
        if !self.said_facts
            && let Some(stop) = self.before_pixels(rest)
        {
            return Ok(stop);
        }
        let Some(Body { expander, rows }) = &mut self.body else { return Ok(Stop::NeedInput) };
        match rows {
            Rows::Stored(rows) => rows.feed(rest, out, &mut |row, slot| expander.row(row, slot)),
            Rows::Runs { runs, given } => {
                if out.is_full() && *given == 0 && !runs.ended {
                    return Ok(Stop::RowsGiven);
                }
                let ended_before = runs.ended;
                if !runs.take(rest)? {
                    return Ok(Stop::NeedInput);
                }
                let left_out = if ended_before { 0 } else { runs.left_out() };
                if let (1.., Some(facts)) = (left_out, &mut self.facts) {
                    let all = facts.size.pixels();
                    facts.remarks.push(format!(
                        "{left_out} of {all} pixels are not in the file, which passes over them; they have colour 0 of its palette"
                    ));
                }
                let stop = give_runs(expander, runs, given, out, 0)?;
                Ok(stop)
            }
        }
    }

    fn input_ended(&mut self) -> bool {
        // A profile that is not there is no reason to do without the picture.
        let missing = self.body.is_some() && self.profile.take().is_some();
        if let (true, Some(facts)) = (missing, &mut self.facts) {
            facts.remarks.push("the colour profile that the header promises is not there".to_string());
            self.part.clear();
        }
        missing
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        match &self.body {
            Some(Body { rows: Rows::Stored(rows), .. }) => rows.expected(),
            Some(Body { rows: Rows::Runs { .. }, .. }) => "the end of the runs".to_string(),
            None => "the rest of the header".to_string(),
        }
    }

    fn rows_end(&self) -> Option<u64> {
        match &self.body {
            Some(Body { rows: Rows::Stored(rows), .. }) => Some(rows.end()),
            _ => None,
        }
    }

    fn row_order(&self) -> RowOrder {
        match &self.body {
            Some(Body { rows: Rows::Stored(rows), .. }) => rows.order(),
            _ => RowOrder::Whole,
        }
    }

    /// A run whose length is wrong shifts all that follows, and is found late.
    fn suspect(&mut self) -> Vec<std::ops::Range<u32>> {
        match &self.body {
            Some(Body { rows: Rows::Runs { given, .. }, .. }) => std::iter::once(0..*given).collect(),
            _ => Vec::new(),
        }
    }

    fn salvage(&mut self, out: &mut RowsOut<'_>) -> bool {
        let Some(Body { expander, rows }) = &mut self.body else { return false };
        match rows {
            Rows::Stored(rows) => rows.salvage(out, &mut |row, slot| expander.row(row, slot)),
            Rows::Runs { runs, given } => {
                let missing = runs.rows_missing();
                while !out.is_full() && give_runs(expander, runs, given, out, missing).is_err() {
                    *given = given.saturating_add(1);
                }
                false
            }
        }
    }
}

/// Gives rows of the canvas; the first `missing` of the picture are not whole.
fn give_runs(expander: &Expander, runs: &Runs, given: &mut u32, out: &mut RowsOut<'_>, missing: u32) -> Result<Stop> {
    while *given < expander.header.size.height {
        match out.next_row() {
            Slot::Full => return Ok(Stop::RowsGiven),
            Slot::Row(to) => {
                expander.indices(runs.row(*given), to).inspect_err(|_| out.spoil())?;
            }
            Slot::Skip | Slot::Planes(..) => {}
        }
        if *given < missing {
            out.spoil();
        }
        *given = given.saturating_add(1);
    }
    Ok(Stop::Done)
}

impl Expander {
    /// A stored row as samples.
    fn row(&self, row: &[u8], slot: Slot<'_>) -> Result<()> {
        let Slot::Row(to) = slot else { return Ok(()) };
        let width = self.header.size.width as usize;
        match &self.header.kind {
            Kind::Bytes => {
                if let SamplesMut::U8(to) = to {
                    each::<u8, 3, 3>(row, to, |&[b, g, r], to| *to = [r, g, b]);
                }
                Ok(())
            }
            Kind::Fields(fields) => {
                let pixels = row.chunks_exact(usize::from(self.header.bits / 8)).take(width);
                let number = |bytes: &[u8]| bytes.iter().rev().fold(0u32, |n, &b| (n << 8) | u32::from(b));
                fields_into(pixels.map(number), fields, to);
                Ok(())
            }
            Kind::Indices(_) | Kind::Runs(_) if self.header.bits == 8 => self.indices(row, to),
            Kind::Indices(_) | Kind::Runs(_) => {
                let SamplesMut::U8(to) = to else { return Ok(()) };
                let (bits, channels) = (usize::from(self.header.bits), self.layout.channels());
                // Some pixels at a time, so that a row of any length takes no memory of its own.
                let mut apart = [0; 1024];
                let pieces = row.chunks(apart.len().saturating_mul(bits) / 8);
                for (piece, to) in pieces.zip(to.chunks_mut(apart.len().saturating_mul(channels))) {
                    let count = to.len().checked_div(channels).unwrap_or(0);
                    let apart = apart.get_mut(..count).unwrap_or_default();
                    take_apart(piece, bits as u8, apart);
                    self.indices(apart, SamplesMut::U8(to))?;
                }
                Ok(())
            }
        }
    }

    /// Indices as they are, or their colours.
    fn indices(&self, indices: &[u8], to: SamplesMut<'_>) -> Result<()> {
        let (Kind::Indices(palette) | Kind::Runs(palette), SamplesMut::U8(to)) = (&self.header.kind, to) else {
            return Ok(());
        };
        let color = |index: u8| {
            palette.get(usize::from(index)).ok_or_else(|| {
                Error::malformed(format!("a pixel has index {index}; the palette has {} colours", palette.len()))
            })
        };
        if self.indices {
            let indices = indices.get(..to.len()).unwrap_or(indices);
            // None is beyond the palette if the largest is not.
            color(largest(indices))?;
            to.iter_mut().zip(indices).for_each(|(to, &index)| *to = index);
        } else if self.layout == Layout::Gray {
            for (to, &index) in to.iter_mut().zip(indices) {
                [*to, ..] = *color(index)?;
            }
        } else {
            for (to, &index) in to.as_chunks_mut::<3>().0.iter_mut().zip(indices) {
                *to = *color(index)?;
            }
        }
        Ok(())
    }
}

/// Pixels of fields as samples scaled to the full range.
fn fields_into(pixels: impl Iterator<Item = u32>, fields: &[Field], to: SamplesMut<'_>) {
    let code = |pixel: u32, f: &Field| (pixel >> f.shift) & f.top;
    match to {
        SamplesMut::U8(to) => {
            for (to, pixel) in to.chunks_exact_mut(fields.len()).zip(pixels) {
                to.iter_mut().zip(fields).for_each(|(to, f)| *to = codes::sample_of(code(pixel, f), f.top, 255) as u8);
            }
        }
        SamplesMut::U16(to) => {
            for (to, pixel) in to.chunks_exact_mut(fields.len()).zip(pixels) {
                to.iter_mut().zip(fields).for_each(|(to, f)| {
                    *to = codes::sample_of(code(pixel, f), f.top, 65_535) as u16;
                });
            }
        }
        SamplesMut::F32(_) => {}
    }
}
