//! Reading.

use super::area::{AREA, Attributes, FOOTER, area_at, read as read_area};
use super::header::{HEADER, Header, Kind, color_of};
use super::runs::Packets;
use crate::convert::premultiply::unpremultiply_row;
use crate::convert::swizzle::each;
use crate::error::{Error, Result};
use crate::file::decoder::{Decoder, RowsOut, Slot, Start, Stop, gather};
use crate::file::stored::StoredRows;
use crate::frame::{Facts, FileFormat, Metadata, Palette, PixelFormat, RowOrder, SamplesMut};
use crate::memory::Charge;
use crate::pixel::{Depth, Layout, Meaning, Rgba};

/// A decoder of TGA: pushed bytes, gives rows.
pub(in crate::file) struct TgaDecoder {
    start: Start,
    state: State,
    /// Bytes of a part that is not complete yet.
    part: Vec<u8>,
    header: Option<Header>,
    /// Red, green, blue and alpha of the map's colours.
    map: Vec<[u8; 4]>,
    metadata: Metadata,
    attributes: Option<Attributes>,
    facts: Option<Facts>,
    body: Option<Body>,
    /// A row, or all of them.
    charge: Charge,
}

/// What is read next.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum State {
    Header,
    /// Identification and map.
    Map,
    Footer,
    Area,
    /// The pixels, once the facts are said.
    Facts,
    Rows,
}

struct Body {
    expander: Expander,
    rows: Rows,
}

/// How the rows lie in the file.
enum Rows {
    Stored(StoredRows),
    /// Packets from the top.
    Packets {
        packets: Packets,
        given: u32,
    },
    /// Packets from below: rows as they have come, the lowest first.
    Whole {
        packets: Packets,
        bytes: Vec<u8>,
        given: u32,
    },
}

/// What the pixels are expanded with.
struct Expander {
    header: Header,
    map: Vec<[u8; 4]>,
    layout: Layout,
    indices: bool,
    associated: bool,
    scratch: Vec<u8>,
}

impl TgaDecoder {
    pub(in crate::file) fn new(start: Start) -> TgaDecoder {
        TgaDecoder {
            start,
            state: State::Header,
            part: Vec::new(),
            header: None,
            map: Vec::new(),
            metadata: Metadata::default(),
            attributes: None,
            facts: None,
            body: None,
            charge: Charge::NONE,
        }
    }

    /// Takes the next part of what stands before the pixels, or at the end of the file; the stop that is due, if any.
    fn next_part(&mut self, input: &mut &[u8]) -> Result<Option<Stop>> {
        let wanted = match (self.state, &self.header) {
            (State::Map, Some(header)) => header.identification.saturating_add(header.map_bytes()),
            (State::Footer, _) => FOOTER,
            (State::Area, _) => AREA,
            _ => HEADER,
        };
        if !gather(&mut self.part, input, wanted) {
            return Ok(Some(Stop::NeedInput));
        }
        let part = std::mem::take(&mut self.part);
        match self.state {
            State::Header => {
                let Some(bytes) = part.first_chunk::<HEADER>() else { return Ok(Some(Stop::NeedInput)) };
                let header = Header::parse(bytes)?;
                self.start.bounds.check_size(header.size)?;
                self.header = Some(header);
                self.state = State::Map;
                Ok(None)
            }
            State::Map => {
                let Some(header) = &self.header else { return Ok(None) };
                let map = part.get(header.identification..).unwrap_or_default();
                let each = usize::from(header.map.2).div_ceil(8).max(1);
                self.map = map.chunks_exact(each).map(color_of).collect();
                // A footer that lies behind the pixels is all that a version 2.0 file can be told by.
                let footer = self.start.length.and_then(|l| l.checked_sub(FOOTER as u64));
                match footer.filter(|&at| at >= header.data_at()) {
                    Some(at) => {
                        self.state = State::Footer;
                        Ok(Some(Stop::forward(at)))
                    }
                    None => self.begin().map(Some),
                }
            }
            State::Footer => match area_at(&part) {
                Some(at) => {
                    self.state = State::Area;
                    Ok(Some(Stop::forward(at)))
                }
                None => self.begin().map(Some),
            },
            _ => {
                self.attributes = read_area(&part, &mut self.metadata);
                self.begin().map(Some)
            }
        }
    }

    /// Everything but the pixels is known.
    fn begin(&mut self) -> Result<Stop> {
        let Some(header) = self.header.clone() else { return Ok(Stop::NeedInput) };
        let bounds = self.start.bounds.clone();
        self.charge = bounds.charge("a row of pixels", header.row_bytes() as u64)?;
        let attributes = match self.attributes {
            _ if !header.has_attributes() => Attributes::Nothing,
            Some(attributes) => attributes,
            None => Attributes::Alpha,
        };
        let alpha = attributes != Attributes::Nothing;
        let mut metadata = std::mem::take(&mut self.metadata);
        let indices = self.start.indices && header.kind == Kind::Indices && header.bits == 8;
        let (layout, depth) = match header.kind {
            Kind::Indices if indices => {
                metadata.meaning = Meaning::Indices;
                // Indices count from the map's first; those below it have no colour.
                let before = std::iter::repeat_n(Rgba::new(0, 0, 0, 255), usize::from(header.map.0));
                let alpha_of = |a: u8| if alpha { a } else { 255 };
                let colors = self.map.iter().map(|&[r, g, b, a]| Rgba::new(r, g, b, alpha_of(a)));
                metadata.palette = Some(Palette::new(before.chain(colors).take(256).collect())?);
                (Layout::Gray, Depth::U8)
            }
            Kind::Gray if header.bits == 16 && !alpha => (Layout::Gray, Depth::U16),
            Kind::Gray if alpha => (Layout::GrayAlpha, Depth::U8),
            Kind::Gray => (Layout::Gray, Depth::U8),
            _ if alpha => (Layout::Rgba, Depth::U8),
            _ => (Layout::Rgb, Depth::U8),
        };
        if header.kind == Kind::Color && header.bits <= 16 {
            metadata.max_codes = Some(if alpha { vec![31, 31, 31, 1] } else { vec![31; 3] });
        }
        let row_bytes = header.row_bytes();
        let packets = Packets::new(header.pixel_bytes(), row_bytes);
        let rows = match (header.runs, header.top_down) {
            // The input is brought there before the facts are said.
            (false, top_down) => {
                Rows::Stored(StoredRows::new(header.data_at(), row_bytes, row_bytes, header.size.height, !top_down))
            }
            (true, true) => Rows::Packets { packets, given: 0 },
            (true, false) => {
                let all = (row_bytes as u64).saturating_mul(u64::from(header.size.height));
                self.charge = bounds.charge("a picture of runs from below, which is held whole,", all)?;
                Rows::Whole { packets, bytes: Vec::new(), given: 0 }
            }
        };
        let mut facts = Facts::new(header.size, PixelFormat::Pixels { depth, layout }, metadata);
        facts.format = Some(FileFormat::Tga);
        facts.stored = Some(header.describe());
        let associated = attributes == Attributes::Associated && !indices;
        if associated {
            facts.remarks.push("the file stores colours multiplied by alpha; they are divided on reading".to_string());
        }
        self.facts = Some(facts);
        self.state = State::Facts;
        let data_at = header.data_at();
        let map = std::mem::take(&mut self.map);
        let expander = Expander { header, map, layout, indices, associated, scratch: Vec::new() };
        self.body = Some(Body { expander, rows });
        Ok(Stop::forward(data_at))
    }
}

impl Decoder for TgaDecoder {
    fn feed(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        while !matches!(self.state, State::Facts | State::Rows) {
            if let Some(stop) = self.next_part(rest)? {
                return Ok(stop);
            }
        }
        if self.state == State::Facts {
            self.state = State::Rows;
            return Ok(Stop::Facts);
        }
        let Some(Body { expander, rows }) = &mut self.body else { return Ok(Stop::NeedInput) };
        let height = expander.header.size.height;
        match rows {
            Rows::Stored(rows) => rows.feed(rest, out, &mut |row, slot| expander.put(row, slot)),
            Rows::Packets { packets, given } => {
                while *given < height {
                    if out.is_full() {
                        return Ok(Stop::RowsGiven);
                    }
                    if !packets.take(rest)? {
                        return Ok(Stop::NeedInput);
                    }
                    expander.put(&packets.row, out.next_row()).inspect_err(|_| out.spoil())?;
                    packets.row.clear();
                    *given = given.saturating_add(1);
                }
                packets.check_end()?;
                Ok(Stop::Done)
            }
            Rows::Whole { packets, bytes, given } => {
                if out.is_full() && bytes.is_empty() {
                    return Ok(Stop::RowsGiven);
                }
                let all = expander.header.row_bytes().saturating_mul(height as usize);
                while bytes.len() < all {
                    if !packets.take(rest)? {
                        return Ok(Stop::NeedInput);
                    }
                    bytes.append(&mut packets.row);
                }
                packets.check_end()?;
                let stop = give_upended(expander, bytes, given, out)?;
                Ok(stop)
            }
        }
    }

    fn input_ended(&mut self) -> bool {
        // An extension area that is cut off is no reason to do without the picture.
        let missing = matches!(self.state, State::Area);
        if missing {
            self.part = vec![0; AREA];
        }
        missing
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        match &self.body {
            Some(Body { rows: Rows::Stored(rows), .. }) => rows.expected(),
            Some(Body { rows: Rows::Packets { given, .. }, expander }) => {
                format!("row {given} of {}", expander.header.size.height)
            }
            Some(Body { rows: Rows::Whole { .. }, .. }) => "the rest of the packets".to_string(),
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
            Some(Body { rows: Rows::Packets { .. }, .. }) => RowOrder::TopDown,
            _ => RowOrder::Whole,
        }
    }

    /// A packet whose length is wrong shifts all that follows, and is found late.
    fn suspect(&mut self) -> Vec<std::ops::Range<u32>> {
        match &self.body {
            Some(Body { rows: Rows::Packets { given, .. } | Rows::Whole { given, .. }, .. }) => {
                std::iter::once(0..*given).collect()
            }
            _ => Vec::new(),
        }
    }

    fn salvage(&mut self, out: &mut RowsOut<'_>) -> bool {
        match &mut self.body {
            Some(Body { expander, rows: Rows::Stored(rows) }) => {
                rows.salvage(out, &mut |row, slot| expander.put(row, slot))
            }
            Some(Body { expander, rows: Rows::Whole { bytes, given, .. } }) => {
                while !out.is_full() && give_upended(expander, bytes, given, out).is_err() {
                    *given = given.saturating_add(1);
                }
                false
            }
            _ => false,
        }
    }
}

/// Gives rows that were stored from below; those that have not come are lost.
fn give_upended(expander: &mut Expander, bytes: &[u8], given: &mut u32, out: &mut RowsOut<'_>) -> Result<Stop> {
    let (height, row_bytes) = (expander.header.size.height, expander.header.row_bytes());
    while *given < height {
        if out.is_full() {
            return Ok(Stop::RowsGiven);
        }
        let from_below = height.saturating_sub(*given).saturating_sub(1) as usize;
        let row = bytes.get(from_below.saturating_mul(row_bytes)..).and_then(|b| b.get(..row_bytes));
        match row {
            Some(row) => expander.put(row, out.next_row()).inspect_err(|_| out.spoil())?,
            None => out.lose(1),
        }
        *given = given.saturating_add(1);
    }
    Ok(Stop::Done)
}

impl Expander {
    /// A stored row as samples.
    fn put(&mut self, row: &[u8], slot: Slot<'_>) -> Result<()> {
        let channels = self.layout.channels();
        match slot {
            Slot::Row(SamplesMut::U16(to)) => {
                to.iter_mut().zip(row.as_chunks::<2>().0).for_each(|(to, v)| *to = u16::from_le_bytes(*v));
                self.mirror(to, 1);
            }
            Slot::Row(SamplesMut::U8(to)) => {
                self.bytes(row, to)?;
                if self.associated {
                    self.scratch.clear();
                    self.scratch.extend_from_slice(to);
                    unpremultiply_row(&self.scratch, to, self.layout.into());
                }
                self.mirror(to, channels);
            }
            _ => {}
        }
        Ok(())
    }

    /// Rows that start on the right are turned round.
    fn mirror<S: Copy>(&self, to: &mut [S], channels: usize) {
        if self.header.from_right {
            to.reverse();
            to.chunks_exact_mut(channels).for_each(<[S]>::reverse);
        }
    }

    /// The colours of indices of a byte or two.
    fn look_up<const N: usize>(&self, row: &[u8], bits: u8, to: &mut [u8]) -> Result<()> {
        let each = if bits == 8 { 1 } else { 2 };
        for (to, index) in to.as_chunks_mut::<N>().0.iter_mut().zip(row.chunks_exact(each)) {
            let index = match *index {
                [low, high] => u16::from_le_bytes([low, high]),
                _ => index.first().copied().map_or(0, u16::from),
            };
            let color = index.checked_sub(self.header.map.0).and_then(|i| self.map.get(usize::from(i)));
            *to = *color.and_then(|color| color.first_chunk()).ok_or_else(|| self.beyond(index))?;
        }
        Ok(())
    }

    #[cold]
    fn beyond(&self, index: u16) -> Error {
        let (first, count) = (self.header.map.0, self.map.len());
        Error::malformed(format!("a pixel has index {index}; the palette has {count} colours from {first} on"))
    }

    fn bytes(&self, row: &[u8], to: &mut [u8]) -> Result<()> {
        match (self.header.kind, self.header.bits, self.layout) {
            (Kind::Indices, ..) if self.indices => {
                // The palette has a colour for each number up to its last; those before its first are missing.
                let (first, count) = (usize::from(self.header.map.0), self.map.len());
                match row.iter().find(|&&index| usize::from(index).checked_sub(first).is_none_or(|i| i >= count)) {
                    Some(&index) => return Err(self.beyond(index.into())),
                    None => to.iter_mut().zip(row).for_each(|(to, v)| *to = *v),
                }
            }
            (Kind::Indices, bits, Layout::Rgb) => self.look_up::<3>(row, bits, to)?,
            (Kind::Indices, bits, _) => self.look_up::<4>(row, bits, to)?,
            (Kind::Color, 24, _) => each::<u8, 3, 3>(row, to, |&[b, g, r], to| *to = [r, g, b]),
            (Kind::Color, 32, Layout::Rgb) => each::<u8, 4, 3>(row, to, |&[b, g, r, _], to| *to = [r, g, b]),
            (Kind::Color, 32, _) => each::<u8, 4, 4>(row, to, |&[b, g, r, a], to| *to = [r, g, b, a]),
            (Kind::Color, _, layout) => {
                let pixels = to.chunks_exact_mut(layout.channels()).zip(row.as_chunks::<2>().0);
                pixels.for_each(|(to, v)| to.iter_mut().zip(color_of(v)).for_each(|(to, v)| *to = v));
            }
            (Kind::Gray, 16, Layout::Gray) => {
                to.iter_mut().zip(row.as_chunks::<2>().0).for_each(|(to, &[v, _])| *to = v);
            }
            // Gray, or gray and alpha, as they stand.
            (Kind::Gray, ..) => to.iter_mut().zip(row).for_each(|(to, v)| *to = *v),
        }
        Ok(())
    }
}
