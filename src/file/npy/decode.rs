//! Reading.

use super::element::Element;
use super::header::{Header, wanted};
use crate::error::{Error, Result};
use crate::file::decoder::{Decoder, RowsOut, Slot, Start, Stop, gather};
use crate::file::interleaved::apart;
use crate::file::stored::StoredRows;
use crate::file::words::half_to_f32;
use crate::frame::{AnyNumbersMut, AnyPlanes, Facts, FileFormat, Metadata, PixelFormat, RowOrder, SamplesMut, Size};
use crate::memory::{self, Charge};
use crate::pixel::{Depth, Layout, Meaning, NumberKind, Sample};

/// A decoder of arrays: pushed bytes, gives rows.
pub(in crate::file) struct NpyDecoder {
    start: Start,
    part: Vec<u8>,
    facts: Option<Facts>,
    body: Option<Body>,
    /// A row, or all of them.
    charge: Charge,
}

struct Body {
    rows: Rows,
    put: Put,
}

/// How the rows lie in the file.
enum Rows {
    Stored(StoredRows),
    /// The first axis runs fastest: no row is complete before all are.
    Columns {
        all: usize,
        bytes: Vec<u8>,
        rows: Turned,
        given: u32,
        size: Size,
    },
}

/// What is done with a row's elements.
struct Put {
    element: Element,
    swapped: bool,
    channels: usize,
}

impl NpyDecoder {
    pub(in crate::file) fn new(start: Start) -> NpyDecoder {
        NpyDecoder { start, part: Vec::new(), facts: None, body: None, charge: Charge::NONE }
    }

    fn begin(&mut self) -> Result<()> {
        let header = Header::parse(&self.part)?;
        self.part.clear();
        let bounds = self.start.bounds.clone();
        bounds.check_sides(header.width, header.height)?;
        let side = |side: u64| u32::try_from(side).unwrap_or(u32::MAX);
        let size = Size::new(side(header.width), side(header.height));
        bounds.check_size(size)?;
        self.charge = bounds.charge("a row of the array", header.row_bytes())?;
        // Checked above: it is within the limit for memory.
        let row_bytes = header.row_bytes() as usize;
        let all = header.row_bytes().saturating_mul(header.height);
        if let Some(length) = self.start.length
            && length < all.saturating_add(header.data_at as u64)
            && header.columns_first
        {
            return Err(crate::error::ErrorKind::Truncated(format!("{all} bytes of numbers expected")).into());
        }
        let mut facts = Facts::new(size, form_of(&header), metadata_of(&header));
        facts.format = Some(FileFormat::Npy);
        facts.stored = Some(header.describe());
        let swapped = header.big_endian != cfg!(target_endian = "big");
        let put = Put { element: header.element, swapped, channels: header.channels };
        let rows = if header.columns_first && header.height > 1 {
            self.charge = bounds.charge("an array with its columns in order, which is held whole,", all)?;
            // As much as was charged: growing would take up to twice of it.
            let bytes = memory::room(all as usize)?;
            Rows::Columns { all: all as usize, bytes, rows: Turned::default(), given: 0, size }
        } else if header.columns_first && header.channels > 1 {
            // One row, whose channels are not side by side.
            Rows::Columns { all: all as usize, bytes: Vec::new(), rows: Turned::default(), given: 0, size }
        } else {
            Rows::Stored(StoredRows::new(header.data_at as u64, row_bytes, row_bytes, size.height, false))
        };
        facts.remarks.extend(super::super::options::unsaid_meaning(&facts));
        self.facts = Some(facts);
        self.body = Some(Body { rows, put });
        Ok(())
    }
}

/// What the array comes as.
fn form_of(header: &Header) -> PixelFormat {
    let layout = match header.channels {
        1 => Some(Layout::Gray),
        2 => Some(Layout::GrayAlpha),
        3 => Some(Layout::Rgb),
        4 => Some(Layout::Rgba),
        _ => None,
    };
    let number = header.element.delivered();
    let depth = match number {
        NumberKind::U8 => Some(Depth::U8),
        NumberKind::U16 => Some(Depth::U16),
        NumberKind::F32 => Some(Depth::F32),
        _ => None,
    };
    match (layout, depth) {
        (Some(layout), Some(depth)) => PixelFormat::Pixels { depth, layout },
        _ => PixelFormat::Planes { number, names: (0..header.channels).map(|i| i.to_string()).collect() },
    }
}

/// Float gray and wide numbers are values; colour is encoded, whatever it is held in: floats from 0 to 1 as bytes from 0 to 255.
fn metadata_of(header: &Header) -> Metadata {
    let mut metadata = Metadata::default();
    match form_of(header) {
        PixelFormat::Planes { .. } => metadata.meaning = Meaning::values(),
        PixelFormat::Pixels { depth: Depth::F32, layout } if !layout.is_color() => metadata.meaning = Meaning::values(),
        PixelFormat::Pixels { layout, .. } if header.element == Element::Bool => {
            metadata.max_codes = Some(vec![1; layout.channels()]);
        }
        PixelFormat::Pixels { .. } => {}
    }
    metadata
}

impl Decoder for NpyDecoder {
    fn feed(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        if self.body.is_none() {
            loop {
                let wanted = wanted(&self.part)?;
                if self.part.len() >= wanted {
                    break;
                }
                if !gather(&mut self.part, rest, wanted) {
                    return Ok(Stop::NeedInput);
                }
            }
            self.begin()?;
            return Ok(Stop::Facts);
        }
        let Some(Body { rows, put }) = &mut self.body else { return Ok(Stop::NeedInput) };
        match rows {
            Rows::Stored(rows) => rows.feed(rest, out, &mut |row, slot| put.row(row, slot)),
            Rows::Columns { all, bytes, rows, given, size } => {
                if out.is_full() && bytes.is_empty() {
                    return Ok(Stop::RowsGiven);
                }
                if !gather(bytes, rest, *all) {
                    return Ok(Stop::NeedInput);
                }
                while *given < size.height {
                    if out.is_full() {
                        return Ok(Stop::RowsGiven);
                    }
                    let row = rows.row(bytes, *given, *size, put);
                    put.row(row, out.next_row()).inspect_err(|_| out.spoil())?;
                    *given = given.saturating_add(1);
                }
                Ok(Stop::Done)
            }
        }
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        match &self.body {
            Some(Body { rows: Rows::Stored(rows), .. }) => rows.expected(),
            Some(Body { rows: Rows::Columns { all, bytes, .. }, .. }) => format!("byte {} of {all}", bytes.len()),
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
            Some(Body { rows: Rows::Columns { .. }, .. }) => RowOrder::Whole,
            _ => RowOrder::TopDown,
        }
    }
}

/// Bytes of rows that are turned together: a column's elements lie side by side, so that each piece of memory is gone to once for many rows.
const TURNED_BYTES: usize = 256 << 10;

/// Rows of an array whose first axis runs fastest: element (y, x, c) is at y + height * (x + width * c).
#[derive(Default)]
struct Turned {
    /// The first row that is there, and how many.
    first: u32,
    count: u32,
    rows: Vec<u8>,
}

impl Turned {
    /// A row's elements, channels side by side; rows come in order.
    fn row(&mut self, bytes: &[u8], y: u32, size: Size, put: &Put) -> &[u8] {
        let row_bytes = put.element.bytes().saturating_mul(put.channels).saturating_mul(size.width as usize).max(1);
        if y < self.first || y >= self.first.saturating_add(self.count) {
            let fitting = u32::try_from(TURNED_BYTES.checked_div(row_bytes).unwrap_or(1)).unwrap_or(u32::MAX);
            (self.first, self.count) = (y, fitting.clamp(1, 64).min(size.height.saturating_sub(y)));
            self.rows.resize(row_bytes.saturating_mul(self.count as usize), 0);
            match put.element.bytes() {
                1 => self.turn::<1>(bytes, size, put.channels),
                2 => self.turn::<2>(bytes, size, put.channels),
                4 => self.turn::<4>(bytes, size, put.channels),
                _ => self.turn::<8>(bytes, size, put.channels),
            }
        }
        let at = (y.saturating_sub(self.first) as usize).saturating_mul(row_bytes);
        self.rows.get(at..at.saturating_add(row_bytes)).unwrap_or_default()
    }

    /// Elements of `N` bytes from columns into rows.
    fn turn<const N: usize>(&mut self, bytes: &[u8], size: Size, channels: usize) {
        let (width, height, first) = (size.width as usize, size.height as usize, self.first as usize);
        let (elements, rows) = (bytes.as_chunks::<N>().0, self.rows.as_chunks_mut::<N>().0);
        let row = width.saturating_mul(channels).max(1);
        for (number, column) in elements.chunks_exact(height.max(1)).take(row).enumerate() {
            let (channel, x) = (number.checked_div(width).unwrap_or(0), number.checked_rem(width).unwrap_or(0));
            let place = x.saturating_mul(channels).saturating_add(channel);
            let places = rows.get_mut(place..).unwrap_or_default().chunks_mut(row);
            for (to, from) in places.zip(column.get(first..).unwrap_or_default()) {
                if let Some(to) = to.first_mut() {
                    *to = *from;
                }
            }
        }
    }
}

impl Put {
    /// A row's elements, channels side by side.
    fn row(&self, row: &[u8], slot: Slot<'_>) -> Result<()> {
        let swapped = self.swapped;
        match slot {
            Slot::Row(SamplesMut::U8(to)) if self.element == Element::Bool => {
                for (to, &v) in to.iter_mut().zip(row) {
                    *to = truth(v)?.saturating_mul(255);
                }
            }
            Slot::Row(SamplesMut::U8(to)) => to.copy_from_slice(row),
            Slot::Row(SamplesMut::U16(to)) => {
                to.iter_mut().zip(row.as_chunks::<2>().0).for_each(|(to, v)| *to = u16::load(v, swapped));
            }
            Slot::Row(SamplesMut::F32(to)) if self.element == Element::Half => {
                for (to, v) in to.iter_mut().zip(row.as_chunks::<2>().0) {
                    *to = half_to_f32(u16::load(v, swapped));
                }
            }
            Slot::Row(SamplesMut::F32(to)) => {
                to.iter_mut().zip(row.as_chunks::<4>().0).for_each(|(to, v)| *to = f32::load(v, swapped));
            }
            Slot::Planes(planes, y) => self.planes(row, planes, y)?,
            Slot::Skip | Slot::Full => {}
        }
        Ok(())
    }

    fn planes(&self, row: &[u8], planes: &mut AnyPlanes, y: u32) -> Result<()> {
        let mut views = planes.views_mut();
        match self.element {
            Element::Half => halves_apart(row, &mut views, y, self.swapped),
            Element::Bool => {
                row.iter().try_for_each(|&v| truth(v).map(|_| ()))?;
                apart::<1>(row, &mut views, y, false);
            }
            Element::Number(kind) => match kind.bytes() {
                1 => apart::<1>(row, &mut views, y, false),
                2 => apart::<2>(row, &mut views, y, self.swapped),
                4 => apart::<4>(row, &mut views, y, self.swapped),
                _ => apart::<8>(row, &mut views, y, self.swapped),
            },
        }
        Ok(())
    }
}

fn truth(v: u8) -> Result<u8> {
    if v > 1 { Err(Error::malformed(format!("a boolean of {v}; it is 0 or 1"))) } else { Ok(v) }
}

/// Half floats side by side into one plane of floats each.
fn halves_apart(row: &[u8], planes: &mut [AnyNumbersMut<'_>], y: u32, swapped: bool) {
    let (elements, channels) = (row.as_chunks::<2>().0, planes.len().max(1));
    let mut values = Vec::new();
    for (channel, plane) in planes.iter_mut().enumerate() {
        values.clear();
        let own = elements.iter().skip(channel).step_by(channels);
        values.extend(own.map(|v| f64::from(half_to_f32(u16::load(v, swapped)))));
        plane.put_row(y, &values);
    }
}
