//! Reading.

use crate::error::{Error, Result};
use crate::file::bounds::Bounds;
use crate::file::decoder::{Decoder, RowsOut, Slot, Start, Stop};
use crate::file::stored::StoredRows;
use crate::file::words::shown;
use crate::frame::{Facts, FileFormat, Metadata, PixelFormat, RowOrder, SamplesMut, Size};
use crate::memory::Charge;
use crate::pixel::{Depth, Layout, Meaning, Sample, Transfer};

/// Longer headers do not exist.
const HEADER_BYTES: usize = 256;

/// A decoder of float maps: pushed bytes, gives rows.
pub(in crate::file) struct PfmDecoder {
    bounds: Bounds,
    part: Vec<u8>,
    facts: Option<Facts>,
    rows: Option<StoredRows>,
    /// Whether the bytes have the other order than this machine's.
    swapped: bool,
    charge: Charge,
}

impl PfmDecoder {
    pub(in crate::file) fn new(start: Start) -> PfmDecoder {
        PfmDecoder {
            bounds: start.bounds,
            part: Vec::new(),
            facts: None,
            rows: None,
            swapped: false,
            charge: Charge::NONE,
        }
    }

    /// Collects the header; the bytes of the input that belong to it, once it is complete.
    fn header(&mut self, input: &[u8]) -> Result<Option<usize>> {
        let before = self.part.len();
        let room = HEADER_BYTES.saturating_sub(before).min(input.len());
        self.part.extend_from_slice(input.get(..room).unwrap_or_default());
        // Four words, the last of them followed by one white-space character.
        let mut ends = (1..self.part.len()).filter(|&i| {
            let space = |i: usize| self.part.get(i).is_some_and(u8::is_ascii_whitespace);
            space(i) && !space(i.saturating_sub(1))
        });
        let Some(end) = ends.nth(3) else {
            if self.part.len() >= HEADER_BYTES {
                return Err(Error::malformed(format!("the header is longer than {HEADER_BYTES} bytes")));
            }
            return Ok(None);
        };
        let header = String::from_utf8_lossy(self.part.get(..end).unwrap_or_default()).into_owned();
        self.parse(&header, end.saturating_add(1))?;
        self.part.clear();
        Ok(Some(end.saturating_add(1).saturating_sub(before)))
    }

    fn parse(&mut self, header: &str, length: usize) -> Result<()> {
        let words: Vec<&str> = header.split_ascii_whitespace().collect();
        let &[kind, width, height, scale] = words.as_slice() else { return Err(Error::malformed("not a float map")) };
        let number = |word: &str, what: &str| {
            let shown = shown(word, 16);
            word.parse::<u32>().map_err(|_| Error::malformed(format!("the {what} is not a number: {shown}")))
        };
        let size = Size::new(number(width, "width")?, number(height, "height")?);
        self.bounds.check_size(size)?;
        let scale = scale.parse::<f64>().ok().filter(|s| s.is_finite() && *s != 0.0);
        let Some(scale) = scale else { return Err(Error::malformed("the scale is not a number other than 0")) };
        let layout = if kind == "PF" { Layout::Rgb } else { Layout::Gray };
        let mut metadata = Metadata::default();
        match layout {
            Layout::Gray => metadata.meaning = Meaning::values(),
            _ => metadata.transfer = Transfer::Linear,
        }
        let mut facts = Facts::new(size, PixelFormat::Pixels { depth: Depth::F32, layout }, metadata);
        facts.format = Some(FileFormat::Pfm);
        let order = if scale < 0.0 { "little" } else { "big" };
        facts.stored = Some(format!("32-bit float {layout}, {order}-endian, lowest row first"));
        facts.remarks.extend(super::super::options::unsaid_meaning(&facts));
        if scale.abs() != 1.0 {
            facts.remarks.push(format!("the file states a scale of {}, which is not applied", scale.abs()));
        }
        let row_bytes = (size.width as usize).saturating_mul(layout.channels()).saturating_mul(4);
        self.charge = self.bounds.charge("a row of pixels", row_bytes as u64)?;
        self.rows = Some(StoredRows::new(length as u64, row_bytes, row_bytes, size.height, true));
        self.swapped = (scale < 0.0) != cfg!(target_endian = "little");
        self.facts = Some(facts);
        Ok(())
    }
}

impl Decoder for PfmDecoder {
    fn feed(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        let Some(rows) = &mut self.rows else {
            let (taken, stop) = match self.header(rest).map_err(|e| e.in_format(FileFormat::Pfm, Some(0)))? {
                Some(taken) => (taken, Stop::Facts),
                None => (rest.len(), Stop::NeedInput),
            };
            *rest = rest.get(taken..).unwrap_or_default();
            return Ok(stop);
        };
        let swapped = self.swapped;
        rows.feed(rest, out, &mut |row, slot| put(row, slot, swapped))
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        self.rows.as_ref().map_or("the rest of the header".to_string(), StoredRows::expected)
    }

    fn rows_end(&self) -> Option<u64> {
        self.rows.as_ref().map(|rows| rows.end())
    }

    fn row_order(&self) -> RowOrder {
        RowOrder::BottomUp
    }

    fn salvage(&mut self, out: &mut RowsOut<'_>) -> bool {
        let swapped = self.swapped;
        self.rows.as_mut().is_some_and(|rows| rows.salvage(out, &mut |row, slot| put(row, slot, swapped)))
    }
}

fn put(row: &[u8], slot: Slot<'_>, swapped: bool) -> Result<()> {
    if let Slot::Row(SamplesMut::F32(to)) = slot {
        to.iter_mut().zip(row.as_chunks::<4>().0).for_each(|(to, bytes)| *to = f32::load(bytes, swapped));
    }
    Ok(())
}
