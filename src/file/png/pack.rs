//! Packing rows: filters and Deflate over blocks of a fixed number of whole rows, each on any thread.
//!
//! A block is packed by itself, with the last 32 KiB of the block before it as its dictionary and its end flushed to a
//! whole byte, so that the packed blocks one behind the other are one stream (RFC 1951, 3.2.4; RFC 1950 around it). How
//! rows are cut into blocks depends on the picture alone, so the bytes are the same for any number of threads.

use super::filter::Filters;
use crate::error::{Error, Result};
use crate::memory;
use crate::threads::{self, Threads};
use flate2::{Compress, Compression, FlushCompress, Status};

/// Bytes of rows a block has at least: enough that its dictionary and its flush cost next to nothing.
const BLOCK_BYTES: usize = 512 << 10;
/// How far back Deflate looks.
const WINDOW_BYTES: usize = 32 << 10;
/// Blocks that wait to be packed, at most, so that many cores do not mean much memory.
const MOST_BLOCKS: usize = 32;

/// Packs rows as they come.
pub(super) struct Packer {
    threads: Threads,
    effort: u32,
    /// Whether rows are filtered by what suits each; else none is.
    adaptive: bool,
    row_bytes: usize,
    pixel_bytes: usize,
    rows_a_block: usize,
    blocks: usize,
    /// Rows that wait, one behind the other, and the row before them.
    rows: Vec<u8>,
    above: Option<Vec<u8>>,
    filtered: Vec<Filtered>,
    packed: Vec<Packed>,
    dictionary: Vec<u8>,
    sum: simd_adler32::Adler32,
    begun: bool,
}

struct Filtered {
    filters: Filters,
    bytes: Vec<u8>,
}

struct Packed {
    compress: Compress,
    bytes: Vec<u8>,
}

impl Packer {
    /// For rows of this many bytes, `pixel_bytes` each pixel. `adaptive`: whether filters are chosen.
    pub(super) fn new(row_bytes: usize, pixel_bytes: usize, adaptive: bool, effort: u32, threads: Threads) -> Packer {
        let rows_a_block = BLOCK_BYTES.div_ceil(row_bytes.max(1));
        // Two blocks a thread, so that one that packs quickly does not wait for its neighbour.
        let blocks = match threads.count() {
            1 => 1,
            count => count.saturating_mul(2).min(MOST_BLOCKS),
        };
        Packer {
            threads,
            effort,
            adaptive: adaptive && effort > 0,
            row_bytes,
            pixel_bytes,
            rows_a_block,
            blocks,
            rows: Vec::new(),
            above: None,
            filtered: Vec::new(),
            packed: Vec::new(),
            dictionary: Vec::new(),
            sum: simd_adler32::Adler32::new(),
            begun: false,
        }
    }

    /// Where the next row's bytes are to be put.
    ///
    /// # Errors
    /// No memory for as many rows as are packed together.
    pub(super) fn rows(&mut self) -> Result<&mut Vec<u8>> {
        if self.rows.is_empty() {
            let together = self.block_bytes().saturating_mul(self.blocks);
            memory::reserve(&mut self.rows, together)?;
        }
        Ok(&mut self.rows)
    }

    /// Whether so many rows wait that they should be packed before more come.
    pub(super) fn is_full(&self) -> bool {
        self.rows.len() >= self.block_bytes().saturating_mul(self.blocks)
    }

    fn block_bytes(&self) -> usize {
        self.rows_a_block.saturating_mul(self.row_bytes)
    }

    /// Packs the rows that wait and gives each block's bytes; `last` where no more come. Only then may they be fewer
    /// than [`is_full`](Packer::is_full) asks for.
    pub(super) fn pack(&mut self, last: bool, mut put: impl FnMut(&[u8]) -> Result<()>) -> Result<()> {
        self.filter()?;
        let count = self.rows.len().div_ceil(self.block_bytes().max(1));
        self.deflate(count, last)?;
        for (i, packed) in self.packed.iter_mut().take(count).enumerate() {
            let bytes = &mut packed.bytes;
            if let Some(filtered) = self.filtered.get(i) {
                self.sum.write(&filtered.bytes);
            }
            if last && i.saturating_add(1) == count {
                bytes.extend(self.sum.finish().to_be_bytes());
            }
            put(bytes)?;
        }
        if let Some(filtered) = count.checked_sub(1).and_then(|i| self.filtered.get(i)) {
            self.dictionary.clear();
            self.dictionary.extend_from_slice(end_of(&filtered.bytes));
        }
        if let Some(row) = self.rows.rchunks_exact(self.row_bytes.max(1)).next() {
            let above = self.above.get_or_insert_default();
            above.clear();
            above.extend_from_slice(row);
        }
        self.rows.clear();
        Ok(())
    }

    /// Filters each block's rows.
    fn filter(&mut self) -> Result<()> {
        let (block, row_bytes, pixel_bytes) = (self.block_bytes().max(1), self.row_bytes.max(1), self.pixel_bytes);
        let adaptive = self.adaptive;
        let count = self.rows.len().div_ceil(block);
        while self.filtered.len() < count {
            self.filtered.push(Filtered { filters: Filters::new(self.row_bytes), bytes: Vec::new() });
        }
        let room = block.saturating_add(self.rows_a_block);
        self.filtered.iter_mut().take(count).try_for_each(|filtered| memory::reserve(&mut filtered.bytes, room))?;
        let rows = &self.rows;
        let first_above = self.above.as_deref();
        let jobs: Vec<_> = rows.chunks(block).zip(&mut self.filtered).enumerate().collect();
        threads::each(self.threads, jobs, |(i, (part, filtered))| {
            let start = i.saturating_mul(block);
            let mut above = match start.checked_sub(row_bytes) {
                Some(before) => rows.get(before..start),
                None => first_above,
            };
            let Filtered { filters, bytes } = filtered;
            bytes.clear();
            for row in part.chunks_exact(row_bytes) {
                match adaptive {
                    true => {
                        let (kind, form) = filters.choose(row, above, pixel_bytes);
                        bytes.push(kind);
                        bytes.extend_from_slice(form);
                    }
                    false => {
                        bytes.push(0);
                        bytes.extend_from_slice(row);
                    }
                }
                above = Some(row);
            }
        });
        Ok(())
    }

    /// Packs the first `count` filtered blocks.
    fn deflate(&mut self, count: usize, last: bool) -> Result<()> {
        let effort = self.effort;
        while self.packed.len() < count {
            let compress = Compress::new(Compression::new(effort), false);
            self.packed.push(Packed { compress, bytes: Vec::new() });
        }
        let begins = !std::mem::replace(&mut self.begun, true);
        let (filtered, dictionary) = (&self.filtered, &self.dictionary);
        let jobs: Vec<_> = self.packed.iter_mut().take(count).zip(filtered).enumerate().collect();
        let all = threads::collect(self.threads, jobs, |(i, (packed, block))| {
            let before = match i.checked_sub(1).and_then(|i| filtered.get(i)) {
                Some(before) => end_of(&before.bytes),
                None => dictionary,
            };
            packed.bytes.clear();
            if begins && i == 0 {
                packed.bytes.extend(zlib_header(effort));
            }
            let end = if last && i.saturating_add(1) == count { FlushCompress::Finish } else { FlushCompress::Sync };
            deflate_block(packed, &block.bytes, if effort == 0 { &[] } else { before }, end)
        });
        all.into_iter().collect()
    }
}

/// The bytes that a block's successor can look back at.
fn end_of(bytes: &[u8]) -> &[u8] {
    bytes.get(bytes.len().saturating_sub(WINDOW_BYTES)..).unwrap_or(bytes)
}

/// Deflate with a window of 32 KiB, and a hint of the level (RFC 1950, 2.2); both bytes together are a multiple of 31.
fn zlib_header(effort: u32) -> [u8; 2] {
    [0x78, [0x01, 0x01, 0x5e, 0x5e, 0x5e, 0x5e, 0x9c].get(effort as usize).copied().unwrap_or(0xda)]
}

fn deflate_block(to: &mut Packed, block: &[u8], dictionary: &[u8], end: FlushCompress) -> Result<()> {
    let failed = |e: std::io::Error| Error::io("cannot pack the pixels", e);
    let Packed { compress, bytes } = to;
    compress.reset();
    if !dictionary.is_empty() {
        compress.set_dictionary(dictionary).map_err(|e| failed(e.into()))?;
    }
    loop {
        // Room for all of it however badly it packs: where rows are stored, Deflate's blocks end where room does.
        bytes.reserve(block.len().saturating_add(block.len() >> 8).saturating_add(4096));
        let taken = usize::try_from(compress.total_in()).unwrap_or(usize::MAX);
        let rest = block.get(taken..).unwrap_or_default();
        let status = compress.compress_vec(rest, bytes, end).map_err(|e| failed(e.into()))?;
        let all_in = compress.total_in() == block.len() as u64;
        // Room that is left over says that the flush is complete.
        if status == Status::StreamEnd || (all_in && end != FlushCompress::Finish && bytes.len() < bytes.capacity()) {
            return Ok(());
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::file::encoder::put_bytes;

    #[test]
    fn a_header_is_a_multiple_of_31_and_blocks_make_one_stream_for_any_number_of_threads() {
        for effort in 0..=9 {
            let [a, b] = zlib_header(effort);
            assert_eq!((u16::from(a) << 8 | u16::from(b)) % 31, 0, "{effort}");
        }
        // Rows of 700,001 bytes: a block each. Seven rows, so that the last round is not full.
        let rows: Vec<Vec<u8>> = (0..7u32)
            .map(|y| (0..700_001u32).map(|x| ((x / 7 + y) ^ (x.wrapping_mul(2_654_435_761) >> 29)) as u8).collect())
            .collect();
        for effort in [0, 1, 3] {
            let mut streams = Vec::new();
            for threads in [1, 2, 3] {
                let mut packer = Packer::new(700_001, 1, false, effort, Threads::at_most(threads));
                let mut stream = Vec::new();
                for (i, row) in rows.iter().enumerate() {
                    packer.rows().unwrap().extend_from_slice(row);
                    if packer.is_full() && i + 1 < rows.len() {
                        packer.pack(false, |bytes| put_bytes(&mut stream, bytes)).unwrap();
                    }
                }
                packer.pack(true, |bytes| put_bytes(&mut stream, bytes)).unwrap();
                streams.push(stream);
            }
            assert!(streams.iter().all(|s| s == &streams[0]), "effort {effort}");
            let mut back = Vec::new();
            std::io::Read::read_to_end(&mut flate2::read::ZlibDecoder::new(&streams[0][..]), &mut back).unwrap();
            let want: Vec<u8> = rows.iter().flat_map(|row| [&[0], &row[..]].concat()).collect();
            assert!(back == want, "effort {effort}");
        }
    }
}
