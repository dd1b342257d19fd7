//! Strips and tiles that are JPEG (Adobe's technical note 2 of 1995): streams whose tables may stand in the directory, through the
//! decoder of the library's own.

use super::shape::{Photometric, Shape};
use crate::error::{Error, Result};
use crate::file::decoder::{Decoder, RowsOut, Start, Stop};
use crate::file::jpeg::JpegDecoder;
use crate::frame::{Content, Pixels, SamplesRef};
use std::collections::BTreeMap;

/// The pixels of a strip or tile: bytes, or words in this machine's order, of so many `channels`, in rows of so many bytes.
pub(super) fn unpack(
    shape: &Shape,
    tables: &[u8],
    bytes: &[u8],
    start: Start,
    channels: usize,
    (row_bytes, rows): (usize, u32),
    room: &mut [u8],
) -> Result<usize> {
    let stream = with_tables(tables, bytes);
    // What a container says of colour stands above what the stream says.
    let ycbcr = shape.photometric == Photometric::Ycbcr;
    let start = Start { ycbcr: Some(ycbcr), length: Some(stream.len() as u64), header_only: false, ..start };
    let mut decoder = JpegDecoder::new(start);
    let mut rest = stream.as_slice();
    let cut =
        |decoder: &JpegDecoder| Error::malformed(format!("JPEG data that ends early: {} expected", decoder.expected()));
    match decoder.feed(&mut rest, &mut RowsOut::skip(0))? {
        Stop::Facts => {}
        _ => return Err(cut(&decoder)),
    }
    let Some(facts) = decoder.facts().cloned() else { return Err(cut(&decoder)) };
    let crate::frame::PixelFormat::Pixels { depth, layout } = facts.pixel_format else { return Ok(0) };
    let (wide, wanted) = (facts.size.width, shape.chunk.width);
    let fits = layout.channels() == channels && (depth.bytes() == 2) == (shape.bits.first() == Some(&12));
    if !fits || wide < wanted || facts.size.height < rows {
        let (size, found) = (facts.size, facts.pixel_format.describe());
        return Err(Error::malformed(format!(
            "JPEG data of {size} {found} where {wanted}x{rows} of {channels} channels belong"
        )));
    }
    let mut strip: Content = Pixels::new(crate::frame::Size::new(wide, rows), layout, depth)?.into();
    let mut out = RowsOut::into_strip(&mut strip);
    let failed = match decoder.feed(&mut rest, &mut out) {
        Ok(Stop::RowsGiven | Stop::Done) => None,
        Ok(_) => Some(cut(&decoder)),
        Err(e) => Some(e),
    };
    let given = out.given() as usize;
    if let Some(error) = failed.filter(|_| given == 0) {
        return Err(error);
    }
    let pixels = strip.pixels()?;
    for (y, to) in (0u32..rows).zip(room.chunks_exact_mut(row_bytes.max(1))).take(given) {
        match pixels.row(y) {
            SamplesRef::U8(from) => to.iter_mut().zip(from).for_each(|(to, v)| *to = *v),
            SamplesRef::U16(from) => {
                to.as_chunks_mut::<2>().0.iter_mut().zip(from).for_each(|(to, v)| *to = v.to_ne_bytes())
            }
            SamplesRef::F32(_) => {}
        }
    }
    Ok(given.saturating_mul(row_bytes))
}

/// A stream with the tables of the directory before its own segments.
fn with_tables(tables: &[u8], bytes: &[u8]) -> Vec<u8> {
    const START: [u8; 2] = [0xff, 0xd8];
    let end = tables.strip_suffix(&[0xff, 0xd9]).unwrap_or(tables);
    let tables = end.strip_prefix(&START).unwrap_or(end);
    let body = bytes.strip_prefix(&START).unwrap_or(bytes);
    [&START[..], tables, body].concat()
}

/// Bytes of tables that are taken as they are: each kind and number once takes less than 3 KiB.
const FEW_TABLES: usize = 4 << 10;

/// The tables that count, of a directory's stream of them: the last of each kind and number. They are read anew for every strip, so that
/// what a file says again and again would be paid for as often as it has strips.
///
/// # Errors
/// Many bytes that are no such stream.
pub(super) fn last_tables(stream: Vec<u8>) -> Result<Vec<u8>> {
    if stream.len() <= FEW_TABLES {
        return Ok(stream);
    }
    let bad = || Error::malformed(format!("{} bytes of JPEG tables that cannot be read", stream.len()));
    let mut last: BTreeMap<(u8, u8), &[u8]> = BTreeMap::new();
    let mut rest = stream.strip_prefix(&[0xff, 0xd8]).unwrap_or(&stream);
    loop {
        match *rest {
            [] | [0xff, 0xd9, ..] => break,
            [0xff, 0xff, ..] => rest = rest.get(1..).unwrap_or_default(),
            [0xff, kind, high, low, ..] => {
                let length = usize::from(u16::from_be_bytes([high, low])).saturating_add(2);
                let mut body = rest.get(4..length).ok_or_else(bad)?;
                rest = rest.get(length..).unwrap_or_default();
                if kind == 0xdd {
                    last.insert((kind, 0), body);
                }
                while let (&[number, ..], 0xc4 | 0xdb) = (body, kind) {
                    let size = match (kind, number) {
                        (0xdb, 0..=3) => 65,
                        (0xdb, 0x10..=0x13) => 129,
                        (0xc4, 0..=3 | 0x10..=0x13) => {
                            let counts = body.get(1..17).ok_or_else(bad)?;
                            counts.iter().map(|n| usize::from(*n)).sum::<usize>().saturating_add(17)
                        }
                        _ => return Err(bad()),
                    };
                    let one = body.get(..size).ok_or_else(bad)?;
                    // Quantisers of either width have one number.
                    last.insert((kind, if kind == 0xdb { number & 3 } else { number }), one);
                    body = body.get(size..).unwrap_or_default();
                }
            }
            _ => return Err(bad()),
        }
    }
    let mut out = Vec::new();
    for ((kind, _), body) in last {
        out.extend_from_slice(&[0xff, kind]);
        out.extend_from_slice(&(body.len().saturating_add(2) as u16).to_be_bytes());
        out.extend_from_slice(body);
    }
    Ok(out)
}
