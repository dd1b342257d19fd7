//! Samples written as decimal numbers.

use super::header::Header;
use super::scale::Scale;
use crate::error::{Error, Result};
use crate::file::decoder::{RowsOut, Slot, Stop};
use crate::frame::SamplesMut;

/// A reader of numbers: pushed bytes, gives rows.
pub(super) struct Plain {
    samples: Vec<u16>,
    /// A decimal number that may go on in the next bytes.
    number: Option<u32>,
    comment: bool,
    ended: bool,
    given: u32,
}

impl Plain {
    pub(super) fn new(header: &Header) -> Plain {
        let samples = Vec::with_capacity(header.row_samples());
        Plain { samples, number: None, comment: false, ended: false, given: 0 }
    }

    pub(super) fn expected(&self, header: &Header) -> String {
        format!("row {} of {}", self.given, header.size.height)
    }

    /// The last number of a file need not have anything behind it.
    pub(super) fn input_ended(&mut self) -> bool {
        let pending = self.number.is_some() && !self.ended;
        self.ended |= pending;
        pending
    }

    pub(super) fn feed(
        &mut self,
        header: &Header,
        scale: &Scale,
        input: &mut &[u8],
        out: &mut RowsOut<'_>,
    ) -> Result<Stop> {
        loop {
            if self.given >= header.size.height {
                return Ok(Stop::Done);
            }
            if out.is_full() {
                return Ok(Stop::RowsGiven);
            }
            if !self.row(header, scale, input)? {
                return Ok(Stop::NeedInput);
            }
            match out.next_row() {
                Slot::Row(SamplesMut::U8(to)) => {
                    for (to, &v) in to.iter_mut().zip(&self.samples) {
                        *to = v as u8;
                    }
                }
                Slot::Row(SamplesMut::U16(to)) => to.copy_from_slice(&self.samples),
                _ => {}
            }
            self.samples.clear();
            self.given = self.given.saturating_add(1);
        }
    }

    /// Reads decimal numbers until a row of them is complete.
    fn row(&mut self, header: &Header, scale: &Scale, input: &mut &[u8]) -> Result<bool> {
        let wanted = header.row_samples();
        while let Some((&byte, tail)) = input.split_first() {
            match byte {
                _ if self.comment => self.comment = !matches!(byte, b'\n' | b'\r'),
                // Digits of a bilevel map need nothing between them.
                b'0' | b'1' if header.bits => self.samples.push(if byte == b'0' { 255 } else { 0 }),
                b'0'..=b'9' if !header.bits => {
                    let digit = u32::from(byte.wrapping_sub(b'0'));
                    let number = self.number.unwrap_or(0).saturating_mul(10).saturating_add(digit);
                    self.number = Some(number);
                }
                b'#' => self.comment = true,
                _ if byte.is_ascii_whitespace() => {}
                _ => return Err(Error::malformed(format!("a character {:?} among the samples", char::from(byte)))),
            }
            *input = tail;
            if let Some(number) = self.number.take_if(|_| !byte.is_ascii_digit()) {
                self.push(number, scale)?;
            }
            if self.samples.len() >= wanted {
                return Ok(true);
            }
        }
        if let Some(number) = self.number.take_if(|_| self.ended) {
            self.push(number, scale)?;
        }
        Ok(self.samples.len() >= wanted)
    }

    fn push(&mut self, number: u32, scale: &Scale) -> Result<()> {
        let code = u16::try_from(number).map_err(|_| scale.above(number))?;
        self.samples.push(scale.sample(code)?);
        Ok(())
    }
}
