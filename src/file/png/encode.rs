//! Writing PNG: filters, Deflate, chunks.

use super::filter::Filters;
use super::header::{Color, Header};
use super::{SIGNATURE, chunks};
use crate::error::{Error, Result};
use crate::file::encoder::{Encoder, cannot_hold, put_bytes};
use crate::file::options::WriteOptions;
use crate::frame::{Facts, Form, Format, Pixels, SamplesRef};
use crate::pixel::{Depth, Layout, codes};
use flate2::{Compress, Compression, FlushCompress, Status};
use std::io::Write;

/// Bytes of packed data a chunk: large enough that the 12 bytes around it do not count.
const CHUNK_BYTES: usize = 64 << 10;

/// A PNG encoder: given rows, gives bytes.
pub(in crate::file) struct PngEncoder {
    header: Header,
    compress: Compress,
    filters: Option<Filters>,
    above: Option<Vec<u8>>,
    row: Vec<u8>,
    packed: Vec<u8>,
    remarks: Vec<String>,
}

impl PngEncoder {
    /// Starts a file: signature, header and what stands before the pixels.
    pub(in crate::file) fn new(facts: &Facts, options: &WriteOptions, out: &mut dyn Write) -> Result<PngEncoder> {
        let Form::Pixels { depth, layout } = facts.form else {
            return Err(cannot_hold(Format::Png, "planes", "add --depth u16 (or u8) to make them a picture"));
        };
        if facts.size.is_empty() || facts.size.width > i32::MAX as u32 || facts.size.height > i32::MAX as u32 {
            let what = format!("a picture of {}", facts.size);
            return Err(cannot_hold(Format::Png, &what, "each side must be 1 to 2^31 - 1"));
        }
        if layout == Layout::Cmyk {
            return Err(cannot_hold(Format::Png, "cmyk", "add --as color"));
        }
        let color = match layout {
            Layout::Gray => Color::Gray,
            Layout::GrayAlpha => Color::GrayAlpha,
            Layout::Rgba => Color::Rgba,
            Layout::Rgb | Layout::Cmyk => Color::Rgb,
        };
        // Gray of a top code that some bits count just up to is written in those bits.
        let bits = match (layout, depth, facts.metadata.top_codes.as_deref()) {
            (_, Depth::U16, _) => 16,
            (Layout::Gray, _, Some([1])) => 1,
            (Layout::Gray, _, Some([3])) => 2,
            (Layout::Gray, _, Some([15])) => 4,
            _ => 8,
        };
        let header = Header { size: facts.size, bits, color, interlaced: false };
        let (before, behind, mut remarks) = chunks::write(&facts.metadata, &header, &[])?;
        if facts.metadata.top_codes.is_some() && bits >= 8 {
            remarks.push("the top code is not kept: the samples fill the full range".to_string());
        }
        put_bytes(out, &SIGNATURE)?;
        put_chunk(out, *b"IHDR", &header.chunk_body())?;
        for (kind, body) in before.into_iter().chain(behind) {
            put_chunk(out, kind, &body)?;
        }
        let effort = u32::from(options.effort.min(9));
        Ok(PngEncoder {
            header,
            compress: Compress::new(Compression::new(effort), true),
            filters: (effort > 0).then(|| Filters::new(header.row_bytes())),
            above: None,
            row: Vec::new(),
            packed: Vec::with_capacity(CHUNK_BYTES),
            remarks,
        })
    }

    fn put_row(&mut self, samples: SamplesRef<'_>, out: &mut dyn Write) -> Result<()> {
        let mut row = std::mem::take(&mut self.row);
        row.clear();
        match samples {
            SamplesRef::U8(s) if self.header.bits < 8 => put_together(s, self.header.bits, &mut row),
            SamplesRef::U8(s) => row.extend_from_slice(s),
            SamplesRef::U16(s) => row.extend(s.iter().flat_map(|v| v.to_be_bytes())),
            SamplesRef::F32(_) => return Err(cannot_hold(Format::Png, "f32 samples", "add --depth u16 (or u8)")),
        }
        let pack = (&mut self.compress, &mut self.packed);
        match &mut self.filters {
            Some(filters) => {
                let (kind, form) = filters.choose(&row, self.above.as_deref(), self.header.pixel_bytes());
                deflate(pack, &[kind], FlushCompress::None, out)?;
                deflate((&mut self.compress, &mut self.packed), form, FlushCompress::None, out)?;
                self.row = self.above.replace(row).unwrap_or_default();
            }
            None => {
                deflate(pack, &[0], FlushCompress::None, out)?;
                deflate((&mut self.compress, &mut self.packed), &row, FlushCompress::None, out)?;
                self.row = row;
            }
        }
        Ok(())
    }
}

/// Samples as codes of `bits` bits, the leftmost in the highest bits of each byte (7.2).
fn put_together(samples: &[u8], bits: u8, row: &mut Vec<u8>) {
    let top = (1u32 << bits.min(8)).saturating_sub(1);
    // Bits are 1, 2 or 4, so they divide a byte.
    let each = 8usize.checked_div(usize::from(bits)).unwrap_or(1);
    row.extend(samples.chunks(each).map(|part| {
        let mut shift = 8u32;
        part.iter().fold(0u8, |byte, &v| {
            shift = shift.saturating_sub(u32::from(bits));
            let code = codes::code_of(u32::from(v), top, 255) as u8;
            byte | code.checked_shl(shift).unwrap_or(0)
        })
    }));
}

/// Packs bytes, writing a chunk whenever one is full; with `Finish`, to the end of the stream.
fn deflate(
    (compress, packed): (&mut Compress, &mut Vec<u8>),
    mut bytes: &[u8],
    flush: FlushCompress,
    out: &mut dyn Write,
) -> Result<()> {
    loop {
        let before = compress.total_in();
        let status = compress.compress_vec(bytes, packed, flush);
        let status = status.map_err(|e| Error::io("cannot pack the pixels", e.into()))?;
        let taken = compress.total_in().saturating_sub(before) as usize;
        bytes = bytes.get(taken..).unwrap_or_default();
        if packed.len() >= CHUNK_BYTES {
            put_chunk(out, *b"IDAT", packed)?;
            packed.clear();
        } else if status == Status::StreamEnd || (bytes.is_empty() && matches!(flush, FlushCompress::None)) {
            return Ok(());
        }
    }
}

fn put_chunk(out: &mut dyn Write, kind: [u8; 4], body: &[u8]) -> Result<()> {
    let length = u32::try_from(body.len()).map_err(|_| Error::unusable("a chunk of over 4 GiB"))?;
    let mut crc = crc32fast::Hasher::new();
    crc.update(&kind);
    crc.update(body);
    put_bytes(out, &length.to_be_bytes())?;
    put_bytes(out, &kind)?;
    put_bytes(out, body)?;
    put_bytes(out, &crc.finalize().to_be_bytes())
}

impl Encoder for PngEncoder {
    fn put(&mut self, rows: &Pixels, out: &mut dyn Write) -> Result<()> {
        (0..rows.size().height).try_for_each(|y| self.put_row(rows.row(y), out))
    }

    fn finish(&mut self, out: &mut dyn Write) -> Result<()> {
        deflate((&mut self.compress, &mut self.packed), &[], FlushCompress::Finish, out)?;
        if !self.packed.is_empty() {
            put_chunk(out, *b"IDAT", &self.packed)?;
        }
        put_chunk(out, *b"IEND", &[])
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}
