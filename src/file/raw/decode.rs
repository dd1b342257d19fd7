//! Reading.

use crate::error::{Error, ErrorKind, Help, Result};
use crate::file::decoder::{Decoder, RowsOut, Slot, Start, Stop, gather};
use crate::file::stored::StoredRows;
use crate::frame::{Facts, FileFormat, Metadata, PixelFormat, Pixels, RawLayout, RowOrder, SamplesMut, SamplesRef};
use crate::memory::Charge;
use crate::pixel::{Depth, Meaning};

/// A decoder of bytes that a layout describes.
pub(in crate::file) struct RawDecoder {
    layout: RawLayout,
    facts: Facts,
    said_facts: bool,
    rows: Rows,
    _charge: Charge,
}

enum Rows {
    /// Pixels side by side.
    Stored(StoredRows),
    /// A plane a channel: no row is complete before the last plane.
    Planar { needed: usize, bytes: Vec<u8>, pixels: Option<Pixels>, given: u32 },
}

impl RawDecoder {
    pub(in crate::file) fn new(start: Start) -> Result<RawDecoder> {
        let Some(layout) = start.raw else {
            return Err(Error::invalid("raw", "raw bytes can only be read by a layout that describes them")
                .with_help(&[Help::RawLayout]));
        };
        start.bounds.check_size(layout.size)?;
        let measures = layout.measures()?;
        let needed = measures.needed as u64;
        if let Some(length) = start.length.filter(|&l| l < needed) {
            let found = usize::try_from(length).unwrap_or(usize::MAX);
            let detail = format!(" ({} {} from byte {})", layout.size, layout.order.name(), layout.offset);
            return Err(ErrorKind::WrongLength { unit: "bytes", needed: measures.needed, found, detail }.into());
        }
        let mut charge = start.bounds.charge("a row of pixels", measures.stride as u64)?;
        let mut metadata = Metadata::default();
        if layout.depth == Depth::F32 && !layout.layout().is_color() {
            metadata.meaning = Meaning::values();
        }
        let form = PixelFormat::Pixels { depth: layout.depth, layout: layout.layout() };
        let mut facts = Facts::new(layout.size, form, metadata);
        facts.format = Some(FileFormat::Raw);
        facts.stored = Some(layout.to_string());
        // The gap behind the last row may be there or not.
        let gap = measures.stride.saturating_sub(measures.row) as u64;
        let more = start.length.and_then(|l| l.checked_sub(needed)).filter(|&more| more > 0 && more != gap);
        if let Some(more) = more {
            facts.remarks.push(format!("{more} bytes behind the last row are not part of the picture"));
        }
        let rows = if layout.planar && layout.channels() > 1 {
            // The pixels that it becomes are charged by themselves.
            start.bounds.check_memory("a picture in planes, which is held whole,", needed.saturating_mul(2))?;
            charge = start.bounds.charge("the planes", needed)?;
            Rows::Planar { needed: measures.needed, bytes: Vec::new(), pixels: None, given: 0 }
        } else {
            let at = layout.offset as u64;
            let rows = StoredRows::new(at, measures.row, measures.stride, layout.size.height, layout.bottom_up);
            Rows::Stored(rows.with_input_at(0))
        };
        Ok(RawDecoder { layout, facts, said_facts: false, rows, _charge: charge })
    }
}

impl Decoder for RawDecoder {
    fn feed(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        if !std::mem::replace(&mut self.said_facts, true) {
            return Ok(Stop::Facts);
        }
        let layout = &self.layout;
        match &mut self.rows {
            Rows::Stored(rows) => rows.feed(rest, out, &mut |row, slot| put(layout, row, slot)),
            Rows::Planar { needed, bytes, pixels, given } => {
                if out.is_full() && bytes.is_empty() {
                    return Ok(Stop::RowsGiven);
                }
                if pixels.is_none() && !gather(bytes, rest, *needed) {
                    return Ok(Stop::NeedInput);
                }
                let pixels = match pixels {
                    Some(pixels) => pixels,
                    None => pixels.insert(layout.read(bytes)?),
                };
                while *given < layout.size.height {
                    match (out.next_row(), pixels.row(*given)) {
                        (Slot::Full, _) => return Ok(Stop::RowsGiven),
                        (Slot::Row(SamplesMut::U8(to)), SamplesRef::U8(row)) => to.copy_from_slice(row),
                        (Slot::Row(SamplesMut::U16(to)), SamplesRef::U16(row)) => to.copy_from_slice(row),
                        (Slot::Row(SamplesMut::F32(to)), SamplesRef::F32(row)) => to.copy_from_slice(row),
                        _ => {}
                    }
                    *given = given.saturating_add(1);
                }
                Ok(Stop::Done)
            }
        }
    }

    fn facts(&self) -> Option<&Facts> {
        Some(&self.facts)
    }

    fn expected(&self) -> String {
        match &self.rows {
            Rows::Stored(rows) => rows.expected(),
            Rows::Planar { needed, bytes, .. } => format!("byte {} of {needed}", bytes.len()),
        }
    }

    fn row_order(&self) -> RowOrder {
        match &self.rows {
            Rows::Stored(rows) => rows.order(),
            Rows::Planar { .. } => RowOrder::Whole,
        }
    }

    fn salvage(&mut self, out: &mut RowsOut<'_>) -> bool {
        let layout = &self.layout;
        match &mut self.rows {
            Rows::Stored(rows) => rows.salvage(out, &mut |row, slot| put(layout, row, slot)),
            Rows::Planar { .. } => false,
        }
    }
}

fn put(layout: &RawLayout, row: &[u8], slot: Slot<'_>) -> Result<()> {
    match slot {
        Slot::Row(SamplesMut::U8(to)) => layout.read_row(row, to),
        Slot::Row(SamplesMut::U16(to)) => layout.read_row(row, to),
        Slot::Row(SamplesMut::F32(to)) => layout.read_row(row, to),
        _ => {}
    }
    Ok(())
}
