//! Counting values of 8 and 16 bits level by level, all channels in one pass: what histograms of integers rest on.

use super::mask::Mask;
use crate::frame::AnyNumbers;
use crate::pixel::{NumberKind, NumbersRef};
use crate::threads::{self, Threads};
use std::ops::Range;

/// Levels of a number type that is counted by level.
pub(super) fn levels_of(kind: NumberKind) -> Option<usize> {
    match kind {
        NumberKind::U8 => Some(256),
        NumberKind::U16 => Some(65_536),
        _ => None,
    }
}

/// Pixels that a 32-bit count can hold; before there are more, counts go over into 64-bit ones.
const FLUSH: u64 = u32::MAX as u64;

/// How often each value of 8 or 16 bits occurs, a channel each. One pass.
///
/// Other numbers have no levels; their channels come back empty.
pub(super) fn count_levels(view: AnyNumbers<'_>, mask: &Mask<'_>, threads: Threads) -> Vec<Vec<u64>> {
    let levels = levels_of(view.kind()).unwrap_or(0);
    let (size, channels, width) = (view.size(), view.channels().count, u64::from(view.size().width));
    let row = |y: u32| view.row(y);
    let bands = threads::bands(size.height, threads.bands(view.bytes()));
    let mut parts = threads::collect(threads, bands, |rows| match (mask.is_all(), levels) {
        (false, _) => count_weighed(&row, size.width, rows, mask, channels, levels),
        // Bytes of four pixels side by side.
        (true, 256) => match channels {
            1 => count::<u8, 4, 256>(&row, bytes, width, rows, 1),
            2 => count::<u8, 8, 256>(&row, bytes, width, rows, 2),
            3 => count::<u8, 12, 256>(&row, bytes, width, rows, 3),
            _ => count::<u8, 16, 256>(&row, bytes, width, rows, 4),
        },
        (true, 0) => vec![Vec::new(); channels],
        // Words of one, of gray of two: more tables would leave the inner caches.
        (true, _) => match channels {
            1 | 2 => count::<u16, 2, 65_536>(&row, words, width, rows, channels),
            3 => count::<u16, 3, 65_536>(&row, words, width, rows, 3),
            _ => count::<u16, 4, 65_536>(&row, words, width, rows, 4),
        },
    })
    .into_iter();
    let mut counts = parts.next().unwrap_or_else(|| vec![vec![0; levels]; channels]);
    for part in parts {
        for (sum, more) in counts.iter_mut().zip(&part) {
            sum.iter_mut().zip(more).for_each(|(sum, more)| *sum += more);
        }
    }
    counts
}

/// `N` tables of `LEVELS` counts for the channels of neighbouring pixels, `N` a multiple of the channels, so that runs of one value do
/// not wait for their own count to be stored.
fn count<'a, T: Copy + Into<usize>, const N: usize, const LEVELS: usize>(
    row: &dyn Fn(u32) -> NumbersRef<'a>,
    numbers: fn(NumbersRef<'a>) -> Option<&'a [T]>,
    width: u64,
    rows: Range<u32>,
    channels: usize,
) -> Vec<Vec<u64>> {
    let mut memory = vec![0u32; N * LEVELS];
    let mut counts = vec![vec![0u64; LEVELS]; channels];
    let Some(tables) = memory.as_chunks_mut::<LEVELS>().0.first_chunk_mut::<N>() else { return counts };
    let mut pending = 0;
    for y in rows {
        let Some(row) = numbers(row(y)) else { break };
        pending += width;
        if pending > FLUSH {
            flush(tables, &mut counts);
            pending = width;
        }
        let (chunks, rest) = row.as_chunks::<N>();
        // By indices: a pair of iterators made for each chunk would be a call, where the linker does not inline it.
        for chunk in chunks {
            for k in 0..N {
                tables[k][chunk[k].into()] += 1;
            }
        }
        for (k, &value) in rest.iter().enumerate() {
            tables[k][value.into()] += 1;
        }
    }
    flush(tables, &mut counts);
    counts
}

fn bytes(row: NumbersRef<'_>) -> Option<&[u8]> {
    if let NumbersRef::U8(row) = row { Some(row) } else { None }
}

fn words(row: NumbersRef<'_>) -> Option<&[u16]> {
    if let NumbersRef::U16(row) = row { Some(row) } else { None }
}

fn flush<const LEVELS: usize>(tables: &mut [[u32; LEVELS]], counts: &mut [Vec<u64>]) {
    let channels = counts.len();
    for (k, table) in tables.iter_mut().enumerate() {
        let counts = &mut counts[k % channels];
        for level in 0..LEVELS {
            counts[level] += u64::from(std::mem::take(&mut table[level]));
        }
    }
}

/// Pixels that count as often as a mask says.
fn count_weighed<'a>(
    row: &dyn Fn(u32) -> NumbersRef<'a>,
    width: u32,
    rows: Range<u32>,
    mask: &Mask<'_>,
    channels: usize,
    levels: usize,
) -> Vec<Vec<u64>> {
    fn add<T: Copy + Into<u64>>(row: &[T], weights: &[u32], counts: &mut [Vec<u64>]) {
        for (pixel, &weight) in row.chunks_exact(counts.len()).zip(weights) {
            for (table, &value) in counts.iter_mut().zip(pixel) {
                // As many entries as the type has values.
                table[value.into() as usize] += u64::from(weight);
            }
        }
    }
    let mut counts = vec![vec![0u64; levels]; channels];
    let mut weights = vec![0; width as usize];
    for y in rows {
        mask.row(y, &mut weights);
        match row(y) {
            NumbersRef::U8(row) => add(row, &weights, &mut counts),
            NumbersRef::U16(row) => add(row, &weights, &mut counts),
            // Other numbers have no levels.
            _ => break,
        }
    }
    counts
}
