//! A page as it is written: rows gathered to strips or rows of tiles, packed on all threads, put into the file as they come.

use super::codecs;
use super::predictor;
use super::shape::{Packing, Predictor};
use crate::error::{Error, Result};
use crate::frame::{Content, Facts, PixelFormat, SamplesRef, Size};
use crate::memory::Charge;
use crate::pixel::{Depth, Meaning, NumberKind, codes};
use crate::threads::{self, Threads};
use flate2::{Compress, Compression, FlushCompress};
use std::sync::{Arc, Mutex, PoisonError};

/// Bytes of a strip, about.
const STRIP_BYTES: usize = 128 << 10;
/// Bytes of strips that wait to be packed, at most; always room for one a thread.
const WAITING_BYTES: usize = 8 << 20;

/// Where packed strips and tiles go.
pub(super) trait Place {
    /// Puts bytes behind all others; gives where they are.
    fn append(&mut self, bytes: &[u8]) -> Result<u64>;
}

/// How the samples of a page are written.
#[derive(Debug, Clone)]
pub(super) struct Plan {
    pub(super) size: Size,
    /// Samples a pixel, and bits of each.
    pub(super) samples: usize,
    pub(super) bits: u16,
    /// SampleFormat.
    pub(super) kind: u16,
    /// The largest code where samples are codes of fewer bits; 0 where they are written as they are.
    pub(super) top: u32,
    pub(super) packing: Packing,
    pub(super) predictor: Predictor,
    pub(super) packers: Packers,
    /// Pixels of a tile, where there are tiles.
    pub(super) tile: Option<u32>,
    pub(super) rows_per_strip: u32,
    pub(super) threads: Threads,
    /// Colours of a palette that indices must be of.
    pub(super) colors: Option<usize>,
}

impl Plan {
    /// The plan for a picture, with strips or tiles of `tile` pixels.
    pub(super) fn of(facts: &Facts, packing: Packing, packers: &Packers, tile: Option<u32>, threads: Threads) -> Plan {
        let m = &facts.metadata;
        let (samples, mut bits, kind) = match &facts.pixel_format {
            PixelFormat::Pixels { depth, layout } => {
                let bits = match depth {
                    Depth::U8 => 8,
                    Depth::U16 => 16,
                    Depth::F32 => 32,
                };
                (layout.channels(), bits, if *depth == Depth::F32 { 3 } else { 1 })
            }
            PixelFormat::Planes { number, names } => {
                let kind = match number {
                    NumberKind::I8 | NumberKind::I16 | NumberKind::I32 | NumberKind::I64 => 2,
                    NumberKind::F32 | NumberKind::F64 => 3,
                    _ => 1,
                };
                (names.len(), (number.bytes() as u16).saturating_mul(8), kind)
            }
        };
        let (mut top, mut colors) = (0, None);
        if m.meaning == Meaning::Indices {
            colors = m.palette.as_ref().map(|p| p.colors().len());
            bits = m.palette.as_ref().map_or(8, |p| u16::from(p.bits()));
            top = if bits < 8 { 255 } else { 0 };
        } else if let Some(code) = whole_bits(facts) {
            top = code;
            bits = (32u32.saturating_sub(code.leading_zeros())) as u16;
        }
        let packed = !matches!(bits, 8 | 16 | 32 | 64);
        let predictor = match (packing, kind) {
            (Packing::Lzw | Packing::Deflate, 3) => Predictor::FloatBytes,
            (Packing::Lzw | Packing::Deflate, _) if !packed && colors.is_none() => Predictor::Differences,
            _ => Predictor::None,
        };
        let row_bits = (samples as u64).saturating_mul(u64::from(bits)).saturating_mul(u64::from(facts.size.width));
        let rows = (STRIP_BYTES as u64).checked_div(row_bits.div_ceil(8)).unwrap_or(1).max(1);
        let rows_per_strip = u32::try_from(rows).unwrap_or(u32::MAX).min(facts.size.height);
        Plan {
            size: facts.size,
            samples,
            bits,
            kind,
            top,
            packing,
            predictor,
            packers: packers.clone(),
            tile,
            rows_per_strip,
            threads,
            colors,
        }
    }

    fn row_bytes(&self, width: u32) -> usize {
        let bits = (self.samples as u64).saturating_mul(u64::from(self.bits)).saturating_mul(u64::from(width));
        usize::try_from(bits.div_ceil(8)).unwrap_or(usize::MAX)
    }

    /// Whether strips are written as rows lie in memory.
    fn is_plain(&self) -> bool {
        self.tile.is_none() && self.packing == Packing::None && cfg!(target_endian = "little")
    }

    /// The width that rows are filled up to: whole tiles.
    fn full_width(&self) -> u32 {
        self.tile.map_or(self.size.width, |tile| self.size.width.div_ceil(tile).saturating_mul(tile))
    }

    /// Pixels of a strip or tile.
    fn chunk(&self) -> (u32, u32) {
        self.tile.map_or((self.size.width, self.rows_per_strip), |tile| (tile, tile))
    }
}

/// The largest code where all samples have one of whole bits that is less than the depth's.
fn whole_bits(facts: &Facts) -> Option<u32> {
    let PixelFormat::Pixels { depth, .. } = facts.pixel_format else { return None };
    let codes = facts.metadata.max_codes.as_ref()?;
    let first = *codes.first()?;
    let full = u32::from(depth.max_code()?);
    let whole = first > 0 && first & first.saturating_add(1) == 0 && first < full;
    (whole && codes.iter().all(|&c| c == first)).then_some(first)
}

/// Whether the max codes of a picture are said by the bits of its samples.
pub(super) fn codes_are_bits(facts: &Facts) -> bool {
    whole_bits(facts).is_some()
}

/// A page that is being written.
pub(super) struct PageOut {
    pub(super) plan: Plan,
    /// Rows that wait, filled up to whole tiles.
    rows: Vec<u8>,
    /// How many have come in all.
    came: u32,
    pub(super) offsets: Vec<u64>,
    pub(super) counts: Vec<u64>,
    codes: Vec<u32>,
    charge: Charge,
}

impl PageOut {
    pub(super) fn new(plan: Plan) -> PageOut {
        let (rows, codes) = (Vec::new(), Vec::new());
        PageOut { plan, rows, came: 0, offsets: Vec::new(), counts: Vec::new(), codes, charge: Charge::NONE }
    }

    /// Rows that are packed together.
    fn batch(&self) -> u32 {
        let (_, height) = self.plan.chunk();
        if self.plan.tile.is_some() {
            return height;
        }
        let strip = self.plan.row_bytes(self.plan.size.width).saturating_mul(height as usize).max(1);
        let most = (WAITING_BYTES.checked_div(strip).unwrap_or(1)).max(1);
        let strips = self.plan.threads.count().saturating_mul(2).min(most).max(1);
        height.saturating_mul(u32::try_from(strips).unwrap_or(1))
    }

    /// Takes the next rows.
    pub(super) fn put(&mut self, rows: &Content, to: &mut dyn Place) -> Result<()> {
        let row = self.plan.row_bytes(self.plan.full_width());
        let batch = self.batch();
        if self.rows.capacity() == 0 {
            let bytes = (row as u64).saturating_mul(u64::from(batch.min(self.plan.size.height)));
            self.charge = Charge::take(rows.account(), bytes.saturating_mul(2))?;
            // So that it does not grow beyond by doubling.
            let size = usize::try_from(bytes).unwrap_or(usize::MAX);
            if self.rows.try_reserve_exact(size).is_err() {
                return Err(crate::error::ErrorKind::OutOfMemory { bytes }.into());
            }
        }
        for y in 0..rows.size().height {
            self.row(rows, y)?;
            self.came = self.came.saturating_add(1);
            let waiting = self.rows.len().checked_div(row).unwrap_or(0);
            if waiting >= batch as usize || self.came == self.plan.size.height {
                self.pack(to)?;
            }
        }
        Ok(())
    }

    /// A row's samples as the file has them, behind those that wait.
    fn row(&mut self, rows: &Content, y: u32) -> Result<()> {
        let plan = &self.plan;
        let start = self.rows.len();
        let own = plan.row_bytes(plan.size.width);
        match rows {
            Content::Pixels(pixels) => match pixels.row(y) {
                SamplesRef::U8(samples) if plan.colors.is_some() => {
                    crate::file::encoder::check_indices(samples, plan.colors.unwrap_or(256))?;
                    self.codes.clear();
                    self.codes.extend(samples.iter().map(|&v| u32::from(v)));
                    pack_codes(&self.codes, u32::from(plan.bits), &mut self.rows);
                }
                SamplesRef::U8(samples) if plan.top > 0 => {
                    let top = plan.top;
                    self.codes.clear();
                    self.codes.extend(samples.iter().map(|&v| codes::code_of(v.into(), top, 255)));
                    pack_codes(&self.codes, u32::from(plan.bits), &mut self.rows);
                }
                SamplesRef::U16(samples) if plan.top > 0 => {
                    let top = plan.top;
                    self.codes.clear();
                    self.codes.extend(samples.iter().map(|&v| codes::code_of(v.into(), top, 65_535)));
                    pack_codes(&self.codes, u32::from(plan.bits), &mut self.rows);
                }
                _ => self.rows.extend_from_slice(pixels.bytes_of_row(y)),
            },
            Content::Planes(planes) => {
                self.rows.resize(start.saturating_add(own), 0);
                let row = self.rows.get_mut(start..).unwrap_or_default();
                let views = planes.views();
                let samples = plan.samples;
                for (place, view) in views.iter().enumerate() {
                    let numbers = view.as_bytes();
                    match planes.number().bytes() {
                        1 => together::<1>(numbers.row(y), row, place, samples),
                        2 => together::<2>(numbers.row(y), row, place, samples),
                        4 => together::<4>(numbers.row(y), row, place, samples),
                        _ => together::<8>(numbers.row(y), row, place, samples),
                    }
                }
            }
        }
        // Beyond the picture tiles repeat its last pixel, which packs best.
        let full = plan.row_bytes(plan.full_width());
        let pixel = plan.samples.saturating_mul(usize::from(plan.bits >> 3));
        if own < full {
            let end = start.saturating_add(own);
            let last = end.checked_sub(pixel).and_then(|from| self.rows.get(from..end)).map(<[u8]>::to_vec);
            match last.filter(|last| !last.is_empty() && plan.bits.is_multiple_of(8)) {
                Some(last) => self.rows.extend(last.iter().cycle().take(full.saturating_sub(own))),
                None => self.rows.resize(start.saturating_add(full), 0),
            }
        }
        Ok(())
    }

    /// Packs the rows that wait.
    fn pack(&mut self, to: &mut dyn Place) -> Result<()> {
        let plan = &self.plan;
        let full = plan.row_bytes(plan.full_width()).max(1);
        let (width, height) = plan.chunk();
        let each = plan.row_bytes(width);
        let waiting = std::mem::take(&mut self.rows);
        let rows = waiting.len().checked_div(full).unwrap_or(0);
        if plan.is_plain() {
            for strip in waiting.chunks(full.saturating_mul(height as usize)) {
                self.offsets.push(to.append(strip)?);
                self.counts.push(strip.len() as u64);
            }
            self.rows = waiting;
            self.rows.clear();
            return Ok(());
        }
        let mut jobs: Vec<(usize, usize)> = Vec::new();
        let across = self.plan.full_width().checked_div(width).unwrap_or(1) as usize;
        for first in (0..rows).step_by((height as usize).max(1)) {
            jobs.extend((0..across).map(|a| (first, a)));
        }
        let tiled = plan.tile.is_some();
        let one = |(first, a): (usize, usize)| -> Result<Vec<u8>> {
            let count = rows.saturating_sub(first).min(height as usize);
            let mut chunk = Vec::with_capacity(each.saturating_mul(height as usize).min(waiting.len()));
            for row in waiting.chunks_exact(full).skip(first).take(count) {
                let from = a.saturating_mul(each);
                chunk.extend_from_slice(row.get(from..from.saturating_add(each)).unwrap_or_default());
            }
            if tiled && count < height as usize {
                // Below the picture its last row again.
                let last = chunk.rchunks_exact(each.max(1)).next().map(<[u8]>::to_vec).unwrap_or_default();
                (count..height as usize).for_each(|_| chunk.extend_from_slice(&last));
            }
            pack_chunk(plan, chunk, each)
        };
        // A batch of tiles at a time, so that not all of a wide row wait.
        let at_once = plan.threads.count().saturating_mul(2);
        for jobs in jobs.chunks(at_once) {
            for packed in threads::collect(plan.threads, jobs.to_vec(), one) {
                let packed = packed?;
                self.offsets.push(to.append(&packed)?);
                self.counts.push(packed.len() as u64);
            }
        }
        self.rows = waiting;
        self.rows.clear();
        Ok(())
    }
}

/// Numbers of one plane to their place in every pixel.
fn together<const N: usize>(from: &[u8], to: &mut [u8], place: usize, samples: usize) {
    let (from, samples) = (from.as_chunks::<N>().0, samples.max(1));
    for (i, pixel) in to.as_chunks_mut::<N>().0.chunks_exact_mut(samples).enumerate() {
        if let (Some(to), Some(v)) = (pixel.get_mut(place), from.get(i)) {
            *to = *v;
        }
    }
}

/// Codes of so many bits one behind the other, the highest bit first, filled up to whole bytes.
// Shifts within 64 bits: at most 7 and 16 are held.
#[allow(clippy::arithmetic_side_effects)]
fn pack_codes(codes: &[u32], bits: u32, out: &mut Vec<u8>) {
    let (mut held, mut have) = (0u64, 0u32);
    for &code in codes {
        held = held << bits | u64::from(code);
        have += bits;
        while have >= 8 {
            have -= 8;
            out.push((held >> have) as u8);
        }
    }
    if have > 0 {
        out.push((held << (8 - have)) as u8);
    }
}

/// Takes differences, puts numbers into the file's byte order, packs.
fn pack_chunk(plan: &Plan, mut bytes: Vec<u8>, row_bytes: usize) -> Result<Vec<u8>> {
    let each = usize::from(plan.bits >> 3).max(1);
    let numbers = matches!(plan.bits, 8 | 16 | 32 | 64);
    if numbers {
        for row in bytes.chunks_exact_mut(row_bytes.max(1)) {
            predictor::take(plan.predictor, row, each, plan.samples);
        }
    }
    if cfg!(target_endian = "big") && numbers && plan.predictor != Predictor::FloatBytes {
        bytes.chunks_exact_mut(each).for_each(<[u8]>::reverse);
    }
    match plan.packing {
        Packing::Deflate => plan.packers.deflate(&bytes),
        Packing::Lzw => codecs::pack_lzw(&bytes),
        Packing::PackBits => {
            let mut out = Vec::new();
            bytes.chunks(row_bytes.max(1)).for_each(|row| codecs::pack_bits(row, &mut out));
            Ok(out)
        }
        _ => Ok(bytes),
    }
}

/// Deflate at one level. What a packer needs, some 300 KiB, is kept between the strips and pages of a file: pages by the thousand would
/// else leave as many holes in the heap.
#[derive(Debug, Clone)]
pub(super) struct Packers {
    level: u32,
    idle: Arc<Mutex<Vec<Compress>>>,
}

impl Packers {
    pub(super) fn new(level: u32) -> Packers {
        Packers { level, idle: Arc::default() }
    }

    /// Packs in the form of RFC 1950.
    fn deflate(&self, bytes: &[u8]) -> Result<Vec<u8>> {
        let idle = || self.idle.lock().unwrap_or_else(PoisonError::into_inner);
        let kept = idle().pop();
        let mut state = kept.unwrap_or_else(|| Compress::new(Compression::new(self.level), true));
        let out = pack(&mut state, bytes)?;
        state.reset();
        idle().push(state);
        Ok(out)
    }
}

fn pack(state: &mut Compress, bytes: &[u8]) -> Result<Vec<u8>> {
    // Never more than this (RFC 1951, 3.2.4), so that one call does.
    let most = bytes.len().saturating_add(bytes.len() >> 9).saturating_add(128);
    let mut out = Vec::with_capacity(most);
    loop {
        let used = state.total_in() as usize;
        let rest = bytes.get(used..).unwrap_or_default();
        let done = state.compress_vec(rest, &mut out, FlushCompress::Finish);
        match done {
            Ok(flate2::Status::StreamEnd) => return Ok(out),
            Ok(_) => out.reserve(most),
            Err(e) => return Err(Error::malformed(format!("Deflate cannot pack this: {e}"))),
        }
    }
}
