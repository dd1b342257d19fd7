//! Reading: header, then samples as bytes or as decimal numbers.

use super::header::Header;
use crate::error::{Error, Result};
use crate::file::decoder::{Decoder, RowsOut, Slot, Stop};
use crate::file::options::Limits;
use crate::frame::{Facts, Format, Metadata, SamplesMut};
use crate::pixel::codes;

/// Longer headers are refused: comments are all that could make one so long.
const HEADER_BYTES: usize = 64 << 10;

/// A decoder of portable maps: pushed bytes, gives rows.
pub(in crate::file) struct PnmDecoder {
    format: Format,
    limits: Limits,
    /// Header bytes, then those of a row that is not complete yet.
    part: Vec<u8>,
    body: Option<Body>,
    facts: Option<Facts>,
}

struct Body {
    header: Header,
    /// The sample for each code, where codes are not samples already.
    samples: Vec<u16>,
    codes: Vec<u16>,
    /// A decimal number that may go on in the next bytes.
    number: Option<u32>,
    comment: bool,
    ended: bool,
    given: u32,
}

impl PnmDecoder {
    pub(in crate::file) fn new(format: Format, limits: Limits) -> PnmDecoder {
        PnmDecoder { format, limits, part: Vec::new(), body: None, facts: None }
    }

    /// Collects the header; the bytes taken once it is complete.
    fn header(&mut self, input: &[u8]) -> Result<Option<usize>> {
        let before = self.part.len();
        let room = HEADER_BYTES.saturating_sub(before).min(input.len());
        self.part.extend_from_slice(input.get(..room).unwrap_or_default());
        let Some((header, length)) = Header::parse(&self.part)? else {
            if self.part.len() >= HEADER_BYTES {
                return Err(Error::damaged(format!("the header is longer than {HEADER_BYTES} bytes")));
            }
            return Ok(None);
        };
        self.limits.check_size(header.size)?;
        let row = header.row_samples().saturating_mul(4) as u64;
        self.limits.check_memory("a row of pixels", row)?;
        let mut metadata = Metadata::default();
        let depth = header.depth();
        let full = depth.top_code() == Some(header.top);
        if !full {
            metadata.top_codes = Some(vec![u32::from(header.top); header.layout.channels()]);
        }
        let mut facts = Facts::new(header.size, header.form(), metadata);
        facts.format = Some(self.format);
        facts.stored = Some(header.describe());
        self.facts = Some(facts);
        let samples = if full { Vec::new() } else { codes::samples_of_codes(header.top, depth) };
        let codes = Vec::with_capacity(if header.plain { header.row_samples() } else { 0 });
        self.body = Some(Body { header, samples, codes, number: None, comment: false, ended: false, given: 0 });
        self.part.clear();
        Ok(Some(length.saturating_sub(before)))
    }
}

impl Decoder for PnmDecoder {
    fn feed(&mut self, input: &[u8], rows: &mut RowsOut<'_>) -> Result<(usize, Stop)> {
        let Some(body) = &mut self.body else {
            return Ok(match self.header(input)? {
                Some(taken) => (taken, Stop::Facts),
                None => (input.len(), Stop::NeedInput),
            });
        };
        let mut rest = input;
        loop {
            if body.given >= body.header.size.height {
                return Ok((input.len().saturating_sub(rest.len()), Stop::Done));
            }
            if rows.is_full() {
                return Ok((input.len().saturating_sub(rest.len()), Stop::RowsGiven));
            }
            let complete = if body.header.plain {
                body.plain_row(&mut rest, rows)?
            } else {
                body.raw_row(&mut rest, &mut self.part, rows)?
            };
            if !complete {
                return Ok((input.len(), Stop::NeedInput));
            }
        }
    }

    fn input_ended(&mut self) -> bool {
        let pending = self.body.as_mut().filter(|b| b.header.plain && b.number.is_some() && !b.ended);
        pending.map(|b| b.ended = true).is_some()
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        match &self.body {
            Some(body) => format!("row {} of {}", body.given, body.header.size.height),
            None => "the rest of the header".to_string(),
        }
    }
}

impl Body {
    /// Gives one row of bytes, straight from the input where all of it is there.
    fn raw_row(&mut self, input: &mut &[u8], part: &mut Vec<u8>, rows: &mut RowsOut<'_>) -> Result<bool> {
        let bytes = match self.header.bits {
            true => self.header.row_samples().div_ceil(8),
            false => self.header.row_samples().saturating_mul(self.header.depth().bytes()),
        };
        let missing = bytes.saturating_sub(part.len());
        let Some((head, tail)) = input.split_at_checked(missing) else {
            part.extend_from_slice(input);
            *input = &[];
            return Ok(false);
        };
        *input = tail;
        let row = if part.is_empty() {
            head
        } else {
            part.extend_from_slice(head);
            part.as_slice()
        };
        if let Slot::Row(target) = rows.next() {
            self.store(row, target)?;
        }
        self.given = self.given.saturating_add(1);
        part.clear();
        Ok(true)
    }

    fn store(&self, row: &[u8], target: SamplesMut<'_>) -> Result<()> {
        match (target, self.samples.is_empty()) {
            (SamplesMut::U8(to), _) if self.header.bits => {
                for (to, &byte) in to.chunks_mut(8).zip(row) {
                    to.iter_mut().zip(0u32..).for_each(|(to, i)| *to = if byte & (0x80 >> i) == 0 { 255 } else { 0 });
                }
            }
            (SamplesMut::U8(to), true) => to.copy_from_slice(row),
            (SamplesMut::U8(to), false) => {
                for (to, &code) in to.iter_mut().zip(row) {
                    *to = self.sample(u16::from(code))? as u8;
                }
            }
            (SamplesMut::U16(to), true) => {
                for (to, from) in to.iter_mut().zip(row.as_chunks::<2>().0) {
                    *to = u16::from_be_bytes(*from);
                }
            }
            (SamplesMut::U16(to), false) => {
                for (to, from) in to.iter_mut().zip(row.as_chunks::<2>().0) {
                    *to = self.sample(u16::from_be_bytes(*from))?;
                }
            }
            // A header never names floats.
            (SamplesMut::F32(_), _) => {}
        }
        Ok(())
    }

    /// The sample of a code.
    fn sample(&self, code: u16) -> Result<u16> {
        if self.samples.is_empty() && code <= self.header.top {
            return Ok(code);
        }
        let found = self.samples.get(usize::from(code)).copied();
        found
            .ok_or_else(|| Error::damaged(format!("a sample of {code} is above the maximum value {}", self.header.top)))
    }

    /// Reads decimal numbers until a row of them is complete, and gives it.
    fn plain_row(&mut self, input: &mut &[u8], rows: &mut RowsOut<'_>) -> Result<bool> {
        let wanted = self.header.row_samples();
        while let Some((&byte, tail)) = input.split_first() {
            match byte {
                _ if self.comment => self.comment = !matches!(byte, b'\n' | b'\r'),
                // Digits of a bilevel map need nothing between them.
                b'0' | b'1' if self.header.bits => self.codes.push(if byte == b'0' { 255 } else { 0 }),
                b'0'..=b'9' if !self.header.bits => {
                    let digit = u32::from(byte.wrapping_sub(b'0'));
                    let number = self.number.unwrap_or(0).saturating_mul(10).saturating_add(digit);
                    self.number = Some(number);
                }
                b'#' => self.comment = true,
                _ if byte.is_ascii_whitespace() => {}
                _ => return Err(Error::damaged(format!("a character {:?} among the samples", char::from(byte)))),
            }
            *input = tail;
            if let Some(number) = self.number.take_if(|_| !byte.is_ascii_digit()) {
                self.push(number)?;
            }
            if self.codes.len() >= wanted {
                return self.give_plain(rows);
            }
        }
        // The last number of a file need not have anything behind it.
        if let Some(number) = self.number.filter(|_| self.ended) {
            self.number = None;
            self.push(number)?;
            if self.codes.len() >= wanted {
                return self.give_plain(rows);
            }
        }
        Ok(false)
    }

    fn push(&mut self, number: u32) -> Result<()> {
        let code = u16::try_from(number).unwrap_or(u16::MAX);
        if number > u32::from(self.header.top) {
            let top = self.header.top;
            return Err(Error::damaged(format!("a sample of {number} is above the maximum value {top}")));
        }
        let sample = self.sample(code)?;
        self.codes.push(sample);
        Ok(())
    }

    fn give_plain(&mut self, rows: &mut RowsOut<'_>) -> Result<bool> {
        match rows.next() {
            Slot::Row(SamplesMut::U8(to)) => {
                for (to, &v) in to.iter_mut().zip(&self.codes) {
                    *to = v as u8;
                }
            }
            Slot::Row(SamplesMut::U16(to)) => to.copy_from_slice(&self.codes),
            Slot::Row(SamplesMut::F32(_)) | Slot::Skip | Slot::Full => {}
        }
        self.codes.clear();
        self.given = self.given.saturating_add(1);
        Ok(true)
    }
}
