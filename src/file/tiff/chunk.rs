//! One strip or tile unpacked: what its packing gives, differences undone, numbers in this machine's byte order.
//!
//! Not here: where it is fetched from and goes to ([`band`](super::band)).

use super::band::{Chunks, Done, Job};
use super::codecs;
use super::color;
use super::jpeg;
use super::predictor;
use super::shape::{Packing, Predictor};
use crate::error::Error;
use crate::frame::FileFormat;

impl Chunks {
    /// Unpacks a strip or tile: numbers in this machine's byte order, differences undone.
    pub(super) fn unpack_one(&self, mut job: Job) -> Done {
        let packed = std::mem::take(&mut job.bytes);
        let shape = &self.shape;
        let stored = match shape.packing == Packing::None && !shape.tiled {
            true => job.rows,
            false => shape.stored_rows(job.down),
        };
        let row_bytes = shape.row_bytes(job.plane, shape.chunk.width) as usize;
        let whole = shape.unpacked(job.plane, stored) as usize;
        let placed = |line: String| {
            let line = format!("{} {}: {line}", shape.chunk_name(), job.number);
            Error::malformed(line).in_format(FileFormat::Tiff, Some(job.at))
        };
        let (mut bytes, mut came, mut fault) = match shape.packing {
            Packing::None => {
                let came = packed.len();
                let mut bytes = packed;
                bytes.resize(whole, 0);
                (bytes, came, None)
            }
            Packing::Jpeg => {
                let mut room = vec![0; whole];
                let channels = shape.bits_in(job.plane).len();
                let rows = (row_bytes, stored);
                match jpeg::unpack(shape, &self.jpeg_tables, &packed, self.start, channels, rows, &mut room) {
                    Ok(came) => (room, came, None),
                    Err(e) if e.is_about_bytes() => (room, 0, Some(placed(e.kind().to_string()))),
                    Err(e) => (room, 0, Some(e)),
                }
            }
            _ => {
                // A row more shows whether there is too much; the last strip may be filled up.
                let mut room = vec![0; whole.saturating_add(row_bytes)];
                let found = codecs::unpack(shape.packing, &packed, shape.lowest_first, shape.chunk.width, &mut room);
                let too_much = found.bytes > whole.saturating_add(row_bytes).saturating_sub(1);
                let filled_up = !shape.tiled && job.rows < shape.chunk.height;
                let fault = match found.fault {
                    Some(e) if found.bytes < whole => Some(placed(e.kind().to_string())),
                    _ if too_much && !filled_up => Some(placed(format!("it unpacks to more than its {whole} bytes"))),
                    _ => None,
                };
                room.truncate(whole);
                (room, found.bytes.min(whole), fault)
            }
        };
        if came < whole && fault.is_none() {
            fault = Some(placed(format!("it has {came} of its {whole} bytes")));
        }
        if shape.chroma != (1, 1) && shape.packing != Packing::Jpeg {
            let mut pixels = vec![0; row_bytes.saturating_mul(stored as usize)];
            color::units_to_pixels(shape, &bytes, stored, &mut pixels);
            let row_of_units = shape.unpacked(job.plane, 1).max(1) as usize;
            came = came
                .checked_div(row_of_units)
                .unwrap_or(0)
                .saturating_mul(row_bytes)
                .saturating_mul(shape.chroma.1 as usize);
            bytes = pixels;
        } else if shape.packing != Packing::Jpeg {
            self.undo(job.plane, &mut bytes, row_bytes);
        }
        let good = u32::try_from(came.checked_div(row_bytes).unwrap_or(0)).unwrap_or(u32::MAX).min(job.rows);
        Done { job, bytes, good, fault }
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
