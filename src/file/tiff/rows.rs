//! A row of the file's samples as a row of the picture.

use super::color::{Ycbcr, lab};
use super::form::{Form, top};
use super::shape::{Kind, Packing, Photometric, Predictor, Shape};
use super::unpack::{codes, float24, signed};
use crate::convert::premultiply::unpremultiply_row;
use crate::convert::swizzle;
use crate::error::{Error, Result};
use crate::file::bits::take_apart;
use crate::file::decoder::Slot;
use crate::file::words::half_to_f32;
use crate::frame::{AnyNumbersMut, AnyPlanes, PixelFormat, SamplesMut};
use crate::pixel::{Channels, Depth, NumberKind, Sample, codes as scale};
use std::ops::Range;

/// Samples that are converted at a time.
const PIECE: usize = 64 << 10;

/// How rows are converted.
#[derive(Debug)]
enum Way {
    /// Bytes and words as they are.
    Plain,
    /// Codes through a table for each sample.
    Codes(Vec<Vec<u16>>),
    Floats,
    Palette,
    Indices,
    Ycbcr(Box<Ycbcr>),
    Lab,
    Numbers,
}

/// Converts rows.
#[derive(Debug)]
pub(super) struct Converter {
    way: Way,
    /// Bits of each sample as they are held, and as the file has them.
    held: Vec<u16>,
    planar: bool,
    lowest_first: bool,
    little_24: bool,
    kind: Kind,
    photometric: Photometric,
    associated: Option<Channels>,
    colors: Vec<[u16; 3]>,
    number: NumberKind,
    codes: Vec<u32>,
    one: Vec<u32>,
    bytes: Vec<u8>,
    words: Vec<u16>,
    floats: Vec<f32>,
}

impl Converter {
    pub(super) fn new(shape: &Shape, form: &Form, ycbcr: Option<Ycbcr>, big_endian: bool) -> Converter {
        let first = shape.held().first().copied().unwrap_or(8);
        let little_24 = match shape.predictor {
            Predictor::FloatBytes => cfg!(target_endian = "little"),
            _ => !big_endian,
        };
        let whole = shape.held().iter().all(|&b| b == first) && matches!(first, 8 | 16);
        let (mut number, mut associated) = (NumberKind::U8, None);
        let invert = shape.photometric == Photometric::WhiteIsZero;
        let way = match &form.format {
            PixelFormat::Planes { number: kind, .. } => {
                number = *kind;
                match shape.photometric {
                    Photometric::CieLab | Photometric::IccLab => Way::Lab,
                    _ => Way::Numbers,
                }
            }
            _ if form.indices => Way::Indices,
            _ if !form.colors.is_empty() => Way::Palette,
            PixelFormat::Pixels { depth, layout } => {
                associated = form.associated.then(|| (*layout).into());
                match (*depth, ycbcr) {
                    (Depth::F32, _) => Way::Floats,
                    (_, Some(ycbcr)) => Way::Ycbcr(Box::new(ycbcr)),
                    // What JPEG gives is scaled already.
                    _ if whole && !invert => Way::Plain,
                    (depth, _) => Way::Codes(tables(shape, depth, invert)),
                }
            }
        };
        Converter {
            way,
            held: shape.held().to_vec(),
            planar: shape.planar,
            // What is packed was turned round before it was unpacked.
            lowest_first: shape.lowest_first && shape.packing == Packing::None,
            little_24,
            kind: shape.kind,
            photometric: shape.photometric,
            associated,
            colors: form.colors.clone(),
            number,
            codes: Vec::new(),
            one: Vec::new(),
            bytes: Vec::new(),
            words: Vec::new(),
            floats: Vec::new(),
        }
    }

    /// Puts the pixels of some columns, whose bytes these are, a slice for each plane of the file: so many at a time that codes between
    /// the two take little memory, however long the row is.
    pub(super) fn put(&mut self, rows: &[&[u8]], columns: Range<usize>, mut slot: Slot<'_>) -> Result<()> {
        let samples = self.held.len().max(1);
        // Whole bytes begin with every eighth pixel.
        let each = PIECE.checked_div(samples).unwrap_or(0).next_multiple_of(8).max(8);
        let mut first = columns.start;
        let mut parts: Vec<&[u8]> = Vec::with_capacity(rows.len());
        while first < columns.end {
            let end = first.saturating_add(each).min(columns.end);
            let skipped = first.saturating_sub(columns.start);
            parts.clear();
            for (plane, row) in rows.iter().enumerate() {
                let bits: usize = match self.planar {
                    true => self.held.get(plane).copied().unwrap_or(8).into(),
                    false => self.held.iter().map(|&b| usize::from(b)).sum(),
                };
                parts.push(row.get(bits.saturating_mul(skipped) >> 3..).unwrap_or_default());
            }
            self.put_part(&parts, first..end, &mut slot)?;
            first = end;
        }
        Ok(())
    }

    fn put_part(&mut self, rows: &[&[u8]], columns: Range<usize>, slot: &mut Slot<'_>) -> Result<()> {
        match slot {
            Slot::Row(SamplesMut::U8(to)) => self.bytes(rows, columns, to),
            Slot::Row(SamplesMut::U16(to)) => self.words(rows, columns, to),
            Slot::Row(SamplesMut::F32(to)) => self.floats(rows, columns, to),
            Slot::Planes(planes, y) => self.planes(rows, columns, planes, *y),
            Slot::Skip | Slot::Full => Ok(()),
        }
    }

    /// The codes of all samples of the columns, pixel by pixel.
    fn codes(&mut self, rows: &[&[u8]], width: usize) {
        if !self.planar {
            let row = rows.first().copied().unwrap_or_default();
            return codes(row, &self.held, self.lowest_first, self.little_24, width, &mut self.codes);
        }
        let samples = self.held.len();
        self.codes.clear();
        self.codes.resize(width.saturating_mul(samples), 0);
        for (place, (row, bits)) in rows.iter().zip(&self.held).enumerate() {
            codes(row, &[*bits], self.lowest_first, self.little_24, width, &mut self.one);
            swizzle_in(&self.one, &mut self.codes, place, samples);
        }
    }

    fn bytes(&mut self, rows: &[&[u8]], columns: Range<usize>, to: &mut [u8]) -> Result<()> {
        let width = columns.len();
        let channels = channels_of(self.samples());
        let Some(to) = part_of(to, &columns, channels) else { return Ok(()) };
        let mut scratch = std::mem::take(&mut self.bytes);
        scratch.clear();
        let associated = self.associated;
        let out: &mut [u8] = match associated {
            Some(_) => {
                scratch.resize(to.len(), 0);
                &mut scratch
            }
            None => &mut *to,
        };
        let result = self.bytes_into(rows, width, out);
        if let Some(channels) = associated {
            unpremultiply_row(&scratch, to, channels);
        }
        self.bytes = scratch;
        result
    }

    fn bytes_into(&mut self, rows: &[&[u8]], width: usize, to: &mut [u8]) -> Result<()> {
        match &self.way {
            Way::Plain if self.planar && rows.len() <= 4 => {
                let mut from: [&[u8]; 4] = [&[]; 4];
                from.iter_mut().zip(rows).for_each(|(to, row)| *to = row.get(..width).unwrap_or(row));
                swizzle::interleave(from, to);
            }
            Way::Plain => {
                let row = rows.first().copied().unwrap_or_default();
                match row.get(..to.len()) {
                    Some(row) => to.copy_from_slice(row),
                    None => to.iter_mut().zip(row).for_each(|(to, v)| *to = *v),
                }
            }
            Way::Indices if !self.lowest_first && matches!(self.held[..], [1 | 2 | 4 | 8]) => {
                // What a row does not have is zero.
                to.fill(0);
                let (row, bits) =
                    (rows.first().copied().unwrap_or_default(), self.held.first().map_or(8, |&b| b as u8));
                take_apart(row, bits, to);
            }
            Way::Ycbcr(ycbcr) => {
                let row = rows.first().copied().unwrap_or_default();
                if self.planar {
                    self.codes(rows, width);
                    let Way::Ycbcr(ycbcr) = &self.way else { return Ok(()) };
                    for (to, code) in to.as_chunks_mut::<3>().0.iter_mut().zip(self.codes.as_chunks::<3>().0) {
                        let [y, cb, cr] = code.map(|v| v as u8);
                        *to = ycbcr.rgb(y, cb, cr);
                    }
                    return Ok(());
                }
                for (to, &[y, cb, cr]) in to.as_chunks_mut::<3>().0.iter_mut().zip(row.as_chunks::<3>().0) {
                    *to = ycbcr.rgb(y, cb, cr);
                }
            }
            _ => {
                self.codes(rows, width);
                match &self.way {
                    Way::Codes(tables) => through(&self.codes, tables, |v| v as u8, to),
                    Way::Indices => to.iter_mut().zip(&self.codes).for_each(|(to, v)| *to = *v as u8),
                    Way::Palette => expand(&self.codes, &self.colors, |v| (v >> 8) as u8, to)?,
                    _ => {}
                }
            }
        }
        Ok(())
    }

    fn words(&mut self, rows: &[&[u8]], columns: Range<usize>, to: &mut [u16]) -> Result<()> {
        let width = columns.len();
        let channels = channels_of(self.samples());
        let Some(to) = part_of(to, &columns, channels) else { return Ok(()) };
        let mut scratch = std::mem::take(&mut self.words);
        scratch.clear();
        let associated = self.associated;
        let out: &mut [u16] = match associated {
            Some(_) => {
                scratch.resize(to.len(), 0);
                &mut scratch
            }
            None => &mut *to,
        };
        let mut result = Ok(());
        match &self.way {
            Way::Plain if !self.planar => {
                let row = rows.first().copied().unwrap_or_default().as_chunks::<2>().0;
                out.iter_mut().zip(row).for_each(|(to, v)| *to = u16::from_ne_bytes(*v));
            }
            _ => {
                self.codes(rows, width);
                match &self.way {
                    Way::Plain => out.iter_mut().zip(&self.codes).for_each(|(to, v)| *to = *v as u16),
                    Way::Codes(tables) => through(&self.codes, tables, |v| v, out),
                    Way::Palette => result = expand(&self.codes, &self.colors, |v| v, out),
                    _ => {}
                }
            }
        }
        if let Some(channels) = associated {
            unpremultiply_row(&scratch, to, channels);
        }
        self.words = scratch;
        result
    }

    fn floats(&mut self, rows: &[&[u8]], columns: Range<usize>, to: &mut [f32]) -> Result<()> {
        let width = columns.len();
        let samples = self.samples();
        let Some(to) = part_of(to, &columns, samples) else { return Ok(()) };
        let whole = !self.planar && self.held.iter().all(|&b| b == 32) && self.associated.is_none();
        if whole {
            let row = rows.first().copied().unwrap_or_default().as_chunks::<4>().0;
            to.iter_mut().zip(row).for_each(|(to, v)| *to = f32::from_ne_bytes(*v));
            return Ok(());
        }
        let mut scratch = std::mem::take(&mut self.floats);
        scratch.clear();
        scratch.resize(to.len(), 0.0);
        self.codes(rows, width);
        let bits = self.held.first().copied().unwrap_or(32);
        scratch.iter_mut().zip(&self.codes).for_each(|(to, &v)| *to = float_of(v, bits));
        match self.associated {
            Some(channels) => unpremultiply_row(&scratch, to, channels),
            None => to.copy_from_slice(&scratch),
        }
        self.floats = scratch;
        Ok(())
    }

    fn planes(&mut self, rows: &[&[u8]], columns: Range<usize>, planes: &mut AnyPlanes, y: u32) -> Result<()> {
        let width = columns.len();
        let mut views = planes.views_mut();
        let (samples, bytes) = (self.samples(), self.number.bytes());
        let first = self.held.first().copied().unwrap_or(8);
        let as_they_are = usize::from(first) == bytes.saturating_mul(8) && self.held.iter().all(|&b| b == first);
        if as_they_are && !matches!(self.way, Way::Lab) {
            for (place, view) in views.iter_mut().enumerate() {
                let (row, from, each) = match self.planar {
                    true => (rows.get(place).copied().unwrap_or_default(), 0, 1),
                    false => (rows.first().copied().unwrap_or_default(), place, samples),
                };
                let Some(to) = plane_part(view, y, &columns, bytes) else { continue };
                match bytes {
                    1 => numbers::<1>(row, from, each, to),
                    2 => numbers::<2>(row, from, each, to),
                    4 => numbers::<4>(row, from, each, to),
                    _ => numbers::<8>(row, from, each, to),
                }
            }
            return Ok(());
        }
        self.codes(rows, width);
        let mut values = Vec::with_capacity(width);
        for (place, view) in views.iter_mut().enumerate() {
            values.clear();
            let bits = self.held.get(place).copied().unwrap_or(first);
            for pixel in self.codes.chunks_exact(samples.max(1)) {
                let code = pixel.get(place).copied().unwrap_or(0);
                values.push(match (&self.way, self.kind) {
                    (Way::Lab, _) if place < 3 => {
                        let three = pixel.first_chunk::<3>().copied().unwrap_or_default();
                        lab(self.photometric, bits, three).get(place).copied().unwrap_or(0.0)
                    }
                    (_, Kind::Unsigned) => f64::from(code),
                    (_, Kind::Signed) => f64::from(signed(code, bits)),
                    (_, Kind::Float) => f64::from(float_of(code, bits)),
                });
            }
            if let Some(to) = plane_part(view, y, &columns, bytes) {
                self.number.put(&values, to);
            }
        }
        Ok(())
    }

    fn samples(&self) -> usize {
        match self.way {
            Way::Palette => 3,
            _ => self.held.len(),
        }
    }
}

fn channels_of(samples: usize) -> usize {
    samples.max(1)
}

/// The samples of some columns of a row.
fn part_of<'t, S>(row: &'t mut [S], columns: &Range<usize>, channels: usize) -> Option<&'t mut [S]> {
    row.get_mut(columns.start.checked_mul(channels)?..columns.end.checked_mul(channels)?)
}

fn plane_part<'t>(
    view: &'t mut AnyNumbersMut<'_>,
    y: u32,
    columns: &Range<usize>,
    bytes: usize,
) -> Option<&'t mut [u8]> {
    part_of(view.row_bytes_mut(y), columns, bytes)
}

/// The sample for each code of the file's bits, for each sample of a pixel. A max code that is noted beside is none of the file's: its
/// samples span the full range.
fn tables(shape: &Shape, depth: Depth, invert: bool) -> Vec<Vec<u16>> {
    let full = u32::from(depth.max_code().unwrap_or(u16::MAX));
    let mut tables = Vec::with_capacity(shape.bits.len());
    for (place, &bits) in shape.bits.iter().enumerate() {
        let gray = invert && place == 0;
        let most = top(bits.min(16));
        let all = (0..=most).map(|code| {
            let sample = scale::sample_of(code, most, full) as u16;
            if gray { (full as u16).saturating_sub(sample) } else { sample }
        });
        tables.push(all.collect());
    }
    tables
}

/// Codes through the table of their place in a pixel.
fn through<S: Sample>(codes: &[u32], tables: &[Vec<u16>], sample: impl Fn(u16) -> S, to: &mut [S]) {
    let samples = tables.len();
    for (place, table) in tables.iter().enumerate() {
        let mut at = place;
        while let (Some(to), Some(&code)) = (to.get_mut(at), codes.get(at)) {
            *to = sample(table.get(code as usize).copied().unwrap_or(0));
            at = at.saturating_add(samples);
        }
    }
}

/// Indices through a palette.
fn expand<S: Sample>(codes: &[u32], colors: &[[u16; 3]], sample: impl Fn(u16) -> S, to: &mut [S]) -> Result<()> {
    for (to, &code) in to.as_chunks_mut::<3>().0.iter_mut().zip(codes) {
        let Some(&[r, g, b]) = colors.get(code as usize) else { return Err(beyond(code, colors.len())) };
        *to = [sample(r), sample(g), sample(b)];
    }
    Ok(())
}

#[cold]
fn beyond(code: u32, count: usize) -> Error {
    Error::malformed(format!("a pixel has index {code}; the palette has {count} colours"))
}

fn float_of(code: u32, bits: u16) -> f32 {
    match bits {
        16 => half_to_f32(code as u16),
        24 => float24(code),
        _ => f32::from_bits(code),
    }
}

/// Numbers of `N` bytes from every `each`th place of a row.
fn numbers<const N: usize>(row: &[u8], from: usize, each: usize, to: &mut [u8]) {
    let mut numbers = row.as_chunks::<N>().0.iter().skip(from).step_by(each.max(1));
    for to in to.as_chunks_mut::<N>().0 {
        let Some(v) = numbers.next() else { return };
        *to = *v;
    }
}

/// Codes of one sample to its place in every pixel.
fn swizzle_in(from: &[u32], to: &mut [u32], place: usize, samples: usize) {
    to.iter_mut().skip(place).step_by(samples.max(1)).zip(from).for_each(|(to, v)| *to = *v);
}
