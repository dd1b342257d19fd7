//! The pixel data: inflated, unfiltered, put together where interlaced, given as rows.

use super::expand::{Colors, Expander};
use super::header::Header;
use super::passes::{Pass, passes, scatter};
use super::unfilter::unfilter;
use crate::error::{Error, Result};
use crate::file::bits::take_apart;
use crate::file::decoder::{RowsOut, Slot};
use crate::frame::SamplesMut;
use crate::memory;
use flate2::{Decompress, FlushDecompress, Status};

/// Bytes of inflated rows held at a time, at least; always room for a whole row.
const ROWS_BYTES: usize = 64 << 10;

/// The pixel data of a picture.
pub(super) struct Rows {
    header: Header,
    expander: Expander,
    inflate: Decompress,
    /// Filtered rows, each behind its filter byte; `have` bytes of them are inflated, the first `done` are used.
    buffer: Vec<u8>,
    have: usize,
    done: usize,
    /// The passes, which of them is being read, and its next row.
    passes: Vec<Pass>,
    pass: usize,
    row: u32,
    /// The row above, unfiltered; and the row itself, its samples taken apart.
    above: Vec<u8>,
    apart: Vec<u8>,
    /// Of an interlaced picture all rows, their samples apart.
    canvas: Vec<u8>,
    given: u32,
    ended: bool,
}

impl Rows {
    /// Bytes that reading takes besides the rows that are given.
    pub(super) fn memory(header: &Header) -> u64 {
        let canvas = if header.interlaced { u64::from(header.size.height) } else { 0 };
        let row = header.apart_bytes().saturating_add(1) as u64;
        row.saturating_mul(canvas.saturating_add(3))
    }

    /// Rows of a picture, with what another one has unpacked with, if there is one: frames by the thousand would else leave as many holes in
    /// the heap.
    pub(super) fn new(header: Header, colors: Colors, indices: bool, kept: Option<Decompress>) -> Result<Rows> {
        let mut inflate = kept.unwrap_or_else(|| Decompress::new(true));
        inflate.reset(true);
        let row = header.row_bytes().saturating_add(1);
        let count = ROWS_BYTES.checked_div(row).unwrap_or(1).clamp(1, header.size.height as usize);
        let canvas = if header.interlaced { header.size.height as usize } else { 0 };
        Ok(Rows {
            header,
            expander: Expander::new(header, colors, indices),
            inflate,
            buffer: memory::zeros(row.saturating_mul(count))?,
            have: 0,
            done: 0,
            passes: passes(&header),
            pass: 0,
            row: 0,
            above: memory::zeros(header.row_bytes())?,
            apart: memory::zeros(header.apart_bytes())?,
            canvas: memory::zeros(header.apart_bytes().saturating_mul(canvas))?,
            given: 0,
            ended: false,
        })
    }

    /// What unpacked, for the next picture.
    pub(super) fn into_inflate(self) -> Decompress {
        self.inflate
    }

    fn all_read(&self) -> bool {
        self.pass >= self.passes.len()
    }

    fn all_given(&self) -> bool {
        self.given >= self.header.size.height
    }

    /// Rows that have been given.
    pub(super) fn given(&self) -> u32 {
        self.given
    }

    /// The first row that what comes next has a part in: of interlaced pictures, the first of all.
    pub(super) fn due(&self) -> u32 {
        if self.header.interlaced { 0 } else { self.given }
    }

    pub(super) fn is_complete(&self) -> bool {
        self.all_read() && self.all_given() && self.ended
    }

    /// Rows of the picture that have been read, or those of the pass that is being read.
    pub(super) fn expected(&self) -> String {
        let height = self.header.size.height;
        match self.passes.get(self.pass) {
            Some(pass) if self.header.interlaced => {
                format!("row {} of {} in pass {} of {height} rows", self.row, pass.height, self.pass.saturating_add(1))
            }
            _ => format!("row {} of {height}", self.given),
        }
    }

    /// Takes packed bytes and gives rows; says how many bytes were used and whether it stopped because no more rows
    /// are wanted.
    pub(super) fn inflate(&mut self, mut input: &[u8], out: &mut RowsOut<'_>) -> Result<(usize, bool)> {
        let whole = input.len();
        loop {
            self.use_rows(out)?;
            let used = whole.saturating_sub(input.len());
            if !self.all_given() && out.is_full() {
                return Ok((used, true));
            }
            if self.ended {
                // 10.1: what follows the zlib stream's end means nothing; it is passed over.
                return Ok((whole, false));
            }
            let (before_in, before_out) = (self.inflate.total_in(), self.inflate.total_out());
            let mut beyond = [0u8; 1];
            let room =
                if self.all_read() { &mut beyond[..] } else { self.buffer.get_mut(self.have..).unwrap_or_default() };
            let status = self.inflate.decompress(input, room, FlushDecompress::None);
            let taken = self.inflate.total_in().saturating_sub(before_in) as usize;
            let made = self.inflate.total_out().saturating_sub(before_out) as usize;
            let status = status.map_err(|e| {
                // What was unpacked before is there to be salvaged.
                self.have = self.have.saturating_add(if self.all_read() { 0 } else { made });
                Error::malformed(format!("the packed pixel data cannot be unpacked: {e}"))
            })?;
            input = input.get(taken..).unwrap_or_default();
            if self.all_read() && made > 0 {
                return Err(Error::malformed("there is more pixel data than the header's rows"));
            }
            self.have = self.have.saturating_add(made);
            self.ended = status == Status::StreamEnd;
            if taken == 0 && made == 0 && !self.ended {
                return Ok((whole.saturating_sub(input.len()), false));
            }
        }
    }

    /// Unfilters the rows that are complete, and gives those that are wanted.
    fn use_rows(&mut self, out: &mut RowsOut<'_>) -> Result<()> {
        while let Some(pass) = self.passes.get(self.pass).copied() {
            let packed = self.header.row_bytes_of(pass.width);
            if self.have.saturating_sub(self.done) <= packed {
                break;
            }
            let slot = if self.header.interlaced { Slot::Skip } else { out.next_row() };
            if matches!(slot, Slot::Full) {
                return Ok(());
            }
            self.use_row(&pass, packed, slot).inspect_err(|_| out.spoil())?;
        }
        if self.done == self.have || self.have == self.buffer.len() {
            self.buffer.copy_within(self.done..self.have, 0);
            self.have = self.have.saturating_sub(self.done);
            self.done = 0;
        }
        if self.header.interlaced && self.all_read() {
            self.give_canvas(out)?;
        }
        Ok(())
    }

    /// Unfilters the next row of a pass, of so many packed bytes, and puts it where it belongs.
    fn use_row(&mut self, pass: &Pass, packed: usize, slot: Slot<'_>) -> Result<()> {
        let end = self.done.saturating_add(packed).saturating_add(1);
        let bytes = self.buffer.get_mut(self.done..end).unwrap_or_default();
        let Some((kind, row)) = bytes.split_first_mut() else { return Ok(()) };
        let above = self.above.get_mut(..packed).unwrap_or_default();
        if self.row == 0 {
            above.fill(0);
        }
        let pixel_bytes = self.header.pixel_bytes();
        unfilter(*kind, row, above, pixel_bytes)?;
        above.copy_from_slice(row);
        if self.header.interlaced {
            let apart = self.apart.get_mut(..(pass.width as usize).saturating_mul(pixel_bytes)).unwrap_or_default();
            take_apart(row, self.header.bits, apart);
            scatter(pass, self.row, apart, &mut self.canvas, self.header.size.width, pixel_bytes);
        } else {
            if let Slot::Row(target) = slot {
                self.put(self.done.saturating_add(1)..end, target)?;
            }
            self.given = self.given.saturating_add(1);
        }
        self.done = end;
        self.row = self.row.saturating_add(1);
        if self.row >= pass.height {
            (self.pass, self.row) = (self.pass.saturating_add(1), 0);
        }
        Ok(())
    }

    /// A row of the buffer, delivered.
    fn put(&mut self, row: std::ops::Range<usize>, target: SamplesMut<'_>) -> Result<()> {
        let row = self.buffer.get(row).unwrap_or_default();
        if self.header.bits >= 8 {
            return self.expander.run(row, target);
        }
        take_apart(row, self.header.bits, &mut self.apart);
        self.expander.run(&self.apart, target)
    }

    /// Of a picture that will not be completed: gives the rows that have come; of an interlaced one what has come of each row, and tells
    /// which rows are not whole.
    pub(super) fn salvage(&mut self, out: &mut RowsOut<'_>) {
        if !self.header.interlaced {
            // Rows that were unpacked before the error; one that cannot be unfiltered is the last.
            if self.use_rows(out).is_err() {
                self.have = self.done;
            }
            return;
        }
        let bytes = self.header.apart_bytes();
        while !self.all_given() && !out.is_full() {
            let start = (self.given as usize).saturating_mul(bytes);
            let row = self.canvas.get(start..start.saturating_add(bytes)).unwrap_or_default();
            let whole = self.passes.iter().enumerate().all(|(number, pass)| self.has(number, pass));
            let usable = match out.next_row() {
                Slot::Row(target) => self.expander.run(row, target).is_ok(),
                _ => true,
            };
            if !(whole && usable) {
                out.spoil();
            }
            self.given = self.given.saturating_add(1);
        }
    }

    /// Whether what this pass holds of the row that is given next has come.
    fn has(&self, number: usize, pass: &Pass) -> bool {
        let inside = self.given.checked_sub(pass.y).filter(|d| d.checked_rem(pass.dy) == Some(0));
        let row = inside.and_then(|d| d.checked_div(pass.dy));
        row.is_none_or(|row| number < self.pass || (number == self.pass && row < self.row))
    }

    fn give_canvas(&mut self, out: &mut RowsOut<'_>) -> Result<()> {
        let bytes = self.header.apart_bytes();
        while !self.all_given() {
            let start = (self.given as usize).saturating_mul(bytes);
            let row = self.canvas.get(start..start.saturating_add(bytes)).unwrap_or_default();
            match out.next_row() {
                Slot::Full => return Ok(()),
                Slot::Skip | Slot::Planes(..) => {}
                Slot::Row(target) => self.expander.run(row, target).inspect_err(|_| out.spoil())?,
            }
            self.given = self.given.saturating_add(1);
        }
        Ok(())
    }
}
