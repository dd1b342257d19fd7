//! Strips and tiles as bands of whole rows: fetched for the rows and columns that are wanted, unpacked on all threads, put together.
//!
//! A band is one row of tiles, or strips of about 4 MiB together, and is the only one held. Strips and tiles that are not packed are
//! fetched some rows at a time, however large they are.

use super::fetch::Fetch;
use super::shape::{Packing, Shape};
use crate::error::{Error, ErrorKind, Result};
use crate::file::decoder::{Start, Stop};
use crate::frame::FileFormat;
use crate::memory::{self, Charge};
use crate::threads::{self, Threads};
use std::ops::Range;

/// Bytes of strips that are held together.
const BAND_BYTES: u64 = 4 << 20;
/// Bytes of strips and tiles that are unpacked together at least: so that small ones are worth a thread.
const TOGETHER: u64 = 1 << 20;
/// Bytes of strips that are not packed and are fetched together.
const PLAIN_BYTES: u64 = 256 << 10;
/// Bytes of a tile that is not packed and are fetched together: fewer would be more reads, more a band that leaves the cache.
const PLAIN_TILE_BYTES: u64 = 64 << 10;

/// What strips and tiles are read with.
pub(super) struct Chunks {
    pub(super) shape: Shape,
    pub(super) swapped: bool,
    /// Where each strip or tile is, and its bytes.
    pub(super) table: Vec<(u64, u64)>,
    pub(super) jpeg_tables: Vec<u8>,
    pub(super) start: Start,
    pub(super) length: u64,
    /// Whether every byte of a band is written: no strip or tile is missing, and none is salvaged.
    pub(super) all_filled: bool,
    /// Columns that are wanted.
    pub(super) columns: Range<u32>,
    pub(super) band: Band,
}

/// Whole rows of the file's samples.
#[derive(Default)]
pub(super) struct Band {
    pub(super) rows: Range<u32>,
    /// The strips or tiles down and across that it is made of, and the first row of those.
    down: Range<u32>,
    pub(super) across: Range<u32>,
    /// For each plane of the file, rows one behind the other.
    pub(super) planes: Vec<Vec<u8>>,
    pub(super) row_bytes: Vec<usize>,
    /// Rows that are not whole.
    lost: Vec<bool>,
    /// How many of its strips or tiles have been fetched, and those that wait to be unpacked.
    fetched: u64,
    /// Rows of the tile that is being copied that are there.
    tile_row: u32,
    waiting: Vec<Job>,
    waiting_bytes: u64,
    ready: bool,
    _charge: Charge,
}

/// A strip or tile, or rows of one, as it lies in the file.
pub(super) struct Job {
    pub(super) plane: usize,
    pub(super) down: u32,
    pub(super) across: u32,
    /// Its place among all, and where it is in the file.
    pub(super) number: u64,
    pub(super) at: u64,
    /// The picture's first row in it, and how many.
    pub(super) first: u32,
    pub(super) rows: u32,
    /// How many bytes of it are fetched.
    pub(super) wanted: usize,
    pub(super) bytes: Vec<u8>,
}

/// The rows of a band that a strip or tile goes to, each as far as it is wide.
pub(super) type Pieces<'a> = Vec<&'a mut [u8]>;

/// What came of it.
pub(super) struct Done {
    /// The picture's rows in it, and how many from the first on are whole.
    pub(super) rows: Range<u32>,
    pub(super) good: u32,
    pub(super) fault: Option<Error>,
}

impl Chunks {
    /// Whether the band holds a row, with all the columns that are wanted.
    pub(super) fn has(&self, row: u32) -> bool {
        self.band.ready && self.holds(row)
    }

    fn holds(&self, row: u32) -> bool {
        let wanted = self.across();
        let has = &self.band.across;
        self.band.rows.contains(&row) && has.start <= wanted.start && wanted.end <= has.end
    }

    /// The strips or tiles across that have the columns that are wanted.
    fn across(&self) -> Range<u32> {
        let width = self.shape.chunk.width;
        match self.shape.tiled {
            true => self.columns.start.checked_div(width).unwrap_or(0)..self.columns.end.div_ceil(width),
            false => 0..1,
        }
    }

    /// The bytes of the columns that are wanted, a slice for each plane of the file, and which columns those are; whether the row is whole.
    pub(super) fn row(&self, row: u32) -> (Vec<&[u8]>, Range<usize>, bool) {
        let place = row.saturating_sub(self.band.rows.start) as usize;
        let origin = self.band.across.start.saturating_mul(self.shape.chunk.width);
        // Eight pixels of any bits are whole bytes.
        let from = self.columns.start.saturating_sub(origin) & !7;
        let end = self.columns.end.saturating_sub(origin).next_multiple_of(8);
        let width = self.shape.size.width.saturating_sub(origin).min(end);
        let mut rows = Vec::with_capacity(self.band.planes.len());
        for (plane, (bytes, &each)) in self.band.planes.iter().zip(&self.band.row_bytes).enumerate() {
            let start = place.saturating_mul(each);
            let row = bytes.get(start..start.saturating_add(each)).unwrap_or_default();
            let from = self.shape.row_bytes(plane, from) as usize;
            rows.push(row.get(from..).unwrap_or_default());
        }
        let columns = origin.saturating_add(from) as usize..origin.saturating_add(width) as usize;
        (rows, columns, !self.band.lost.get(place).copied().unwrap_or(true))
    }

    /// Whether rows can be taken from the file as they lie there.
    pub(super) fn lies_in_rows(&self) -> bool {
        let shape = &self.shape;
        shape.packing == Packing::None && !shape.tiled && !shape.planar && shape.chroma == (1, 1)
    }

    /// Where the bytes of a row [lie](Chunks::lies_in_rows), and how many there are; none where the strip is not in the file.
    ///
    /// # Errors
    /// A strip that is too short, or lies beyond the end of the file.
    pub(super) fn place_of_row(&self, row: u32) -> Result<Option<(u64, usize)>> {
        let shape = &self.shape;
        let strip = row.checked_div(shape.chunk.height).unwrap_or(0);
        let within = row.saturating_sub(strip.saturating_mul(shape.chunk.height));
        let each = shape.row_bytes(0, shape.size.width);
        let Some(&(at, stated)) = self.table.get(strip as usize) else {
            return Err(Error::malformed(format!("strip {strip} has no place in the directory")));
        };
        if (at, stated) == (0, 0) {
            return Ok(None);
        }
        let skipped = each.saturating_mul(u64::from(within));
        let (start, end) = (at.saturating_add(skipped), at.saturating_add(skipped).saturating_add(each));
        if stated < skipped.saturating_add(each) {
            let needed = each.saturating_mul(u64::from(shape.rows_in(strip)));
            let line = format!("strip {strip} has {stated} bytes; {needed} are needed");
            return Err(Error::malformed(line).in_format(FileFormat::Tiff, Some(at)));
        }
        if end > self.length {
            let line = format!("strip {strip} of {stated} bytes at byte {at}; the file has {}", self.length);
            return Err(Error::from(ErrorKind::Truncated(line)).in_format(FileFormat::Tiff, Some(at.min(self.length))));
        }
        Ok(Some((start, usize::try_from(each).unwrap_or(usize::MAX))))
    }

    /// Makes the band that holds a row; the stop that is due until it is there. Faults end it, or lose rows where they are salvaged.
    ///
    /// # Errors
    /// A strip or tile that is not there or cannot be unpacked, or a band beyond the memory limit.
    pub(super) fn load(
        &mut self,
        row: u32,
        fetch: &mut Fetch,
        input: &mut &[u8],
        salvaging: bool,
    ) -> Result<Option<Stop>> {
        if !self.holds(row) || self.band.ready {
            self.begin(row)?;
        }
        let across = u64::from(self.band.across.end.saturating_sub(self.band.across.start));
        let down = u64::from(self.band.down.end.saturating_sub(self.band.down.start));
        let all = across.saturating_mul(down).saturating_mul(self.shape.planes() as u64);
        while self.band.fetched < all {
            let Some(mut job) = self.job(self.band.fetched, across, down, salvaging)? else {
                self.band.fetched = self.band.fetched.saturating_add(1);
                continue;
            };
            if self.is_plain_tile(&job) {
                if let Some(stop) = self.plain_tile(&job, fetch, input) {
                    return Ok(Some(stop));
                }
                (self.band.fetched, self.band.tile_row) = (self.band.fetched.saturating_add(1), 0);
                continue;
            }
            if let Some(stop) = fetch.collect(input, job.at, job.wanted) {
                return Ok(Some(stop));
            }
            job.bytes = fetch.take();
            self.band.fetched = self.band.fetched.saturating_add(1);
            let stored = self.shape.unpacked_rows(&job);
            self.band.waiting_bytes = self.band.waiting_bytes.saturating_add(self.shape.unpacked(job.plane, stored));
            self.band.waiting.push(job);
            let enough = self.start.threads.count().saturating_mul(2);
            if self.band.waiting_bytes >= TOGETHER && self.band.waiting.len() >= enough {
                self.unpack(salvaging)?;
            }
        }
        self.unpack(salvaging)?;
        self.band.ready = true;
        Ok(None)
    }

    /// Whether the rows of a tile are what the band holds of it, and all there.
    fn is_plain_tile(&self, job: &Job) -> bool {
        let shape = &self.shape;
        let as_it_is = shape.packing == Packing::None && shape.chroma == (1, 1) && !self.changes(job.plane);
        shape.tiled && as_it_is && job.wanted as u64 == shape.unpacked(job.plane, job.rows)
    }

    /// Copies a tile's rows from the file to their place; the stop that is due until all have come.
    fn plain_tile(&mut self, job: &Job, fetch: &mut Fetch, input: &mut &[u8]) -> Option<Stop> {
        let each = self.shape.row_bytes(job.plane, self.shape.chunk.width) as usize;
        let column = self.band.column_of(job);
        while self.band.tile_row < job.rows {
            let row = self.band.tile_row;
            let at = job.at.saturating_add((each as u64).saturating_mul(row.into()));
            match fetch.straight(input, at, each) {
                Some(bytes) => self.band.put(job.plane, row, column.saturating_mul(each), bytes),
                None => {
                    if let Some(stop) = fetch.collect(input, at, each) {
                        return Some(stop);
                    }
                    let bytes = fetch.take();
                    self.band.put(job.plane, row, column.saturating_mul(each), &bytes);
                    fetch.give_back(bytes);
                }
            }
            self.band.tile_row = row.saturating_add(1);
        }
        None
    }

    /// Drops the band, so that it is made again.
    pub(super) fn drop_band(&mut self) {
        self.band = Band::default();
    }

    fn begin(&mut self, row: u32) -> Result<()> {
        let across = self.across();
        let shape = &self.shape;
        let first = row.checked_div(shape.chunk.height).unwrap_or(0);
        let width = match shape.tiled {
            true => across.end.saturating_sub(across.start).saturating_mul(shape.chunk.width),
            false => shape.size.width,
        };
        let row_bytes: Vec<u64> = (0..shape.planes()).map(|plane| shape.row_bytes(plane, width)).collect();
        let each = row_bytes.iter().copied().fold(0u64, u64::saturating_add).max(1);
        let mut down = first..first.saturating_add(1);
        let start = first.saturating_mul(shape.chunk.height);
        let end = start.saturating_add(shape.chunk.height).min(shape.size.height);
        let mut rows = start..end;
        if shape.packing == Packing::None {
            let most = match shape.tiled {
                true => PLAIN_TILE_BYTES.checked_div(shape.unpacked(0, 1)),
                false => PLAIN_BYTES.checked_div(each),
            };
            let most = u32::try_from(most.unwrap_or(1)).unwrap_or(u32::MAX).max(1);
            // Of units of chroma whole ones.
            let most = most.next_multiple_of(shape.chroma.1);
            let into = row.saturating_sub(start);
            let begin = start.saturating_add(into.saturating_sub(into.checked_rem(shape.chroma.1).unwrap_or(0)));
            rows = begin..begin.saturating_add(most).min(end);
        } else if !shape.tiled {
            let strip = each.saturating_mul(u64::from(shape.chunk.height)).max(1);
            let more = u32::try_from(BAND_BYTES.checked_div(strip).unwrap_or(1)).unwrap_or(u32::MAX).max(1);
            down.end = first.saturating_add(more).min(shape.down);
            rows.end = down.end.saturating_mul(shape.chunk.height).min(shape.size.height);
        }
        let count = rows.end.saturating_sub(rows.start);
        // The band, what is unpacked with it, and the packed bytes.
        let held = each.saturating_mul(u64::from(count));
        let mut planes = std::mem::take(&mut self.band.planes);
        self.band = Band::default();
        // And one strip or tile beside it while it is unpacked; that several are together is worth less than they hold.
        let whole = shape.unpacked(0, shape.stored_rows(first)).saturating_add(shape.row_bytes(0, shape.chunk.width));
        let beside = if shape.packing == Packing::None { held } else { whole };
        // Where the pieces of each row belong, and whether it is there.
        let chunks = u64::from(across.end.saturating_sub(across.start)).saturating_mul(shape.planes() as u64);
        let places =
            u64::from(count).saturating_mul(chunks.saturating_mul(size_of::<&mut [u8]>() as u64).saturating_add(1));
        let bytes = held.saturating_add(beside).saturating_add(places);
        let charge = self.start.bounds.charge("rows of strips or tiles, which are held together,", bytes)?;
        // What is not filled must be zero: tiles that are not in the file, rows that are lost.
        let keeps = self.all_filled && planes.len() == row_bytes.len();
        if !keeps {
            planes = row_bytes.iter().map(|_| Vec::new()).collect();
        }
        for (plane, &each) in planes.iter_mut().zip(&row_bytes) {
            memory::lengthen(plane, (each as usize).saturating_mul(count as usize))?;
            plane.truncate((each as usize).saturating_mul(count as usize));
        }
        let row_bytes = row_bytes.iter().map(|&each| each as usize).collect();
        let lost = vec![false; count as usize];
        self.band = Band { rows, down, across, planes, row_bytes, lost, _charge: charge, ..Band::default() };
        Ok(())
    }

    /// The strip or tile of a place in the band, room for its bytes made; none where it is not in the file.
    fn job(&mut self, place: u64, across: u64, down: u64, salvaging: bool) -> Result<Option<Job>> {
        let shape = &self.shape;
        let (a, rest) = (place.checked_rem(across).unwrap_or(0), place.checked_div(across).unwrap_or(0));
        let (d, plane) = (rest.checked_rem(down).unwrap_or(0), rest.checked_div(down).unwrap_or(0) as usize);
        let (a, d) = (self.band.across.start.saturating_add(a as u32), self.band.down.start.saturating_add(d as u32));
        let in_plane = u64::from(shape.across).saturating_mul(u64::from(d)).saturating_add(u64::from(a));
        let plane_chunks = u64::from(shape.across).saturating_mul(u64::from(shape.down));
        let number = plane_chunks.saturating_mul(plane as u64).saturating_add(in_plane);
        let entry = usize::try_from(number).ok().and_then(|n| self.table.get(n)).copied();
        let (mut first, mut rows) = (d.saturating_mul(shape.chunk.height), shape.rows_in(d));
        let (mut at, stated) = match entry {
            Some((0, 0)) => return Ok(None),
            Some(entry) => entry,
            None => {
                let line = format!("{} {number} has no place in the directory", shape.chunk_name());
                return self.lose(Error::malformed(line), first..first.saturating_add(rows), salvaging);
            }
        };
        let whole = shape.unpacked(plane, shape.stored_rows(d));
        let mut wanted = stated.min(whole.saturating_mul(8).saturating_add(64 << 10));
        if shape.packing == Packing::None {
            if stated < whole {
                let line = format!("{} {number} has {stated} bytes; {whole} are needed", shape.chunk_name());
                let error = Error::malformed(line).in_format(FileFormat::Tiff, Some(at));
                if !salvaging {
                    return Err(error);
                }
            }
            let skipped = shape.unpacked(plane, self.band.rows.start.saturating_sub(first));
            first = self.band.rows.start;
            rows = self.band.rows.end.saturating_sub(first);
            at = at.saturating_add(skipped);
            wanted = shape.unpacked(plane, rows).min(stated.saturating_sub(skipped));
        }
        let there = self.length.saturating_sub(at);
        if there < wanted {
            let (name, length) = (shape.chunk_name(), self.length);
            let line = format!("{name} {number} of {stated} bytes at byte {at}; the file has {length}");
            if !salvaging {
                let cut = ErrorKind::Truncated(line);
                return Err(Error::from(cut).in_format(FileFormat::Tiff, Some(length.min(at))));
            }
            wanted = there;
        }
        // A file's own bytes, of which there are no more than it has.
        let wanted = usize::try_from(wanted).unwrap_or(usize::MAX);
        Ok(Some(Job { plane, down: d, across: a, number, at, first, rows, wanted, bytes: Vec::new() }))
    }

    /// Rows that cannot be had.
    fn lose(&mut self, error: Error, rows: Range<u32>, salvaging: bool) -> Result<Option<Job>> {
        if !salvaging {
            return Err(error);
        }
        self.band.lose(rows);
        Ok(None)
    }

    /// Unpacks what waits, each to its place in the band.
    ///
    /// # Errors
    /// A strip or tile that cannot be unpacked, unless faults are salvaged; the memory limit.
    fn unpack(&mut self, salvaging: bool) -> Result<()> {
        let jobs = std::mem::take(&mut self.band.waiting);
        self.band.waiting_bytes = 0;
        let mut planes = std::mem::take(&mut self.band.planes);
        let shape = &self.shape;
        let widths: Vec<usize> =
            (0..planes.len()).map(|plane| shape.row_bytes(plane, shape.chunk.width) as usize).collect();
        let pieces = self.band.pieces(&mut planes, &jobs, &widths);
        // What is unpacked as quickly as it is copied takes longer by way of other threads.
        let quick = matches!(shape.packing, Packing::None | Packing::PackBits);
        let threads = if quick { Threads::ONE } else { self.start.threads };
        let chunks = &*self;
        let jobs: Vec<(Job, Pieces<'_>)> = jobs.into_iter().zip(pieces).collect();
        let all = threads::collect(threads, jobs, |(job, pieces)| chunks.unpack_one(job, pieces));
        self.band.planes = planes;
        for Done { rows, good, fault } in all {
            if let Some(fault) = fault {
                if !salvaging || !fault.is_about_bytes() {
                    return Err(fault);
                }
                self.band.lose(rows.start.saturating_add(good)..rows.end);
            }
        }
        Ok(())
    }
}

impl Band {
    fn lose(&mut self, rows: Range<u32>) {
        for row in rows {
            let place = row.checked_sub(self.rows.start).and_then(|place| self.lost.get_mut(place as usize));
            if let Some(lost) = place {
                *lost = true;
            }
        }
    }
}
