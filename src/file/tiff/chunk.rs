//! One strip or tile unpacked: what its packing gives, differences undone, numbers in this machine's byte order.
//!
//! Not here: where it is fetched from and goes to ([`band`](super::band)).

use super::band::{Chunks, Done, Job, Pieces};
use super::codecs;
use super::color;
use super::jpeg;
use super::predictor;
use super::shape::{Packing, Predictor, Shape};
use crate::error::{Error, Result};
use crate::frame::FileFormat;
use crate::memory;

impl Shape {
    /// Rows that a strip or tile is unpacked to: what is packed is so as a whole, even where a tile reaches beyond the picture.
    pub(super) fn unpacked_rows(&self, job: &Job) -> u32 {
        if self.packing == Packing::None { job.rows } else { self.stored_rows(job.down) }
    }
}

/// What a packing gave: as many bytes as there should be, of which the first are those that came.
struct Raw {
    bytes: Vec<u8>,
    came: usize,
    fault: Option<Error>,
}

impl Raw {
    /// Nothing, for another reason than the bytes.
    fn none(fault: Error) -> Raw {
        Raw { bytes: Vec::new(), came: 0, fault: Some(fault) }
    }
}

impl Chunks {
    /// Unpacks a strip or tile to the pieces of its rows: numbers in this machine's byte order, differences undone.
    pub(super) fn unpack_one(&self, mut job: Job, pieces: Pieces<'_>) -> Done {
        let shape = &self.shape;
        let stored = shape.unpacked_rows(&job);
        let row_bytes = (shape.row_bytes(job.plane, shape.chunk.width) as usize).max(1);
        let whole = shape.unpacked(job.plane, stored) as usize;
        let start = &self.start;
        let worked = start.bounds.work((whole as u64).saturating_add(job.bytes.len() as u64));
        let Raw { mut bytes, mut came, mut fault } =
            worked.and_then(|()| self.raw(&mut job, whole, row_bytes)).unwrap_or_else(Raw::none);
        if came < whole && fault.is_none() {
            fault = Some(self.fault_of(&job, format!("it has {came} of its {whole} bytes")));
        }
        if shape.chroma != (1, 1) && shape.packing != Packing::Jpeg {
            let mut pixels = vec![0; row_bytes.saturating_mul(stored as usize)];
            color::units_to_pixels(shape, &bytes, stored, &mut pixels);
            let row_of_units = shape.unpacked(job.plane, 1).max(1) as usize;
            let rows_of_units = came.checked_div(row_of_units).unwrap_or(0);
            came = rows_of_units.saturating_mul(row_bytes).saturating_mul(shape.chroma.1 as usize);
            bytes = pixels;
        } else if shape.packing != Packing::Jpeg {
            self.undo(job.plane, &mut bytes, row_bytes);
        }
        for (to, row) in pieces.into_iter().zip(bytes.chunks_exact(row_bytes)) {
            if to.len() == row.len() {
                to.copy_from_slice(row);
            }
        }
        let good = u32::try_from(came.checked_div(row_bytes).unwrap_or(0)).unwrap_or(u32::MAX).min(job.rows);
        Done { rows: job.first..job.first.saturating_add(job.rows), good, fault }
    }

    /// The `whole` bytes that a strip or tile is packed from; those that do not come are zero.
    fn raw(&self, job: &mut Job, whole: usize, row_bytes: usize) -> Result<Raw> {
        let packed = std::mem::take(&mut job.bytes);
        let shape = &self.shape;
        match shape.packing {
            Packing::None => {
                let came = packed.len();
                let mut bytes = packed;
                memory::lengthen(&mut bytes, whole)?;
                Ok(Raw { bytes, came, fault: None })
            }
            Packing::Jpeg => {
                let mut room = memory::zeros(whole)?;
                let channels = shape.bits_in(job.plane).len();
                let rows = (row_bytes, shape.unpacked_rows(job));
                let done =
                    jpeg::unpack(shape, &self.jpeg_tables, &packed, self.start.clone(), channels, rows, &mut room);
                let (came, fault) = match done {
                    Ok(came) => (came, None),
                    Err(e) if e.is_about_bytes() => (0, Some(self.fault_of(job, e.kind().to_string()))),
                    Err(e) => (0, Some(e)),
                };
                Ok(Raw { bytes: room, came, fault })
            }
            _ => {
                // A row more shows whether there is too much; the last strip may be filled up.
                let most = whole.saturating_add(row_bytes);
                let mut room = memory::zeros(most)?;
                let found = codecs::unpack(shape.packing, &packed, shape.lowest_first, shape.chunk.width, &mut room);
                let filled_up = !shape.tiled && job.rows < shape.chunk.height;
                let fault = match found.fault {
                    Some(e) if found.bytes < whole => Some(e.kind().to_string()),
                    _ if found.bytes >= most && !filled_up => {
                        Some(format!("it unpacks to more than its {whole} bytes"))
                    }
                    _ => None,
                };
                room.truncate(whole);
                let fault = fault.map(|line| self.fault_of(job, line));
                Ok(Raw { bytes: room, came: found.bytes.min(whole), fault })
            }
        }
    }

    /// What is wrong with a strip or tile.
    fn fault_of(&self, job: &Job, line: String) -> Error {
        let line = format!("{} {}: {line}", self.shape.chunk_name(), job.number);
        Error::malformed(line).in_format(FileFormat::Tiff, Some(job.at))
    }

    /// Whether numbers are to be changed before they are used.
    pub(super) fn changes(&self, plane: usize) -> bool {
        let bits = self.shape.bits_in(plane);
        let first = bits.first().copied().unwrap_or(8);
        let whole = bits.iter().all(|&b| b == first) && matches!(first, 8 | 16 | 24 | 32 | 64);
        whole && (self.shape.predictor != Predictor::None || (first != 8 && self.swapped))
    }

    /// Undoes differences, and puts numbers into this machine's byte order.
    pub(super) fn undo(&self, plane: usize, bytes: &mut [u8], row_bytes: usize) {
        let bits = self.shape.bits_in(plane);
        let first = bits.first().copied().unwrap_or(8);
        if !self.changes(plane) {
            return;
        }
        for row in bytes.chunks_exact_mut(row_bytes.max(1)) {
            predictor::undo(self.shape.predictor, row, usize::from(first >> 3), bits.len(), self.swapped);
        }
    }
}
