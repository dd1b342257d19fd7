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
        (true, 256) => match channels {
            1 => count_bytes::<4>(&row, width, rows, 1),
            2 => count_bytes::<8>(&row, width, rows, 2),
            3 => count_bytes::<12>(&row, width, rows, 3),
            _ => count_bytes::<16>(&row, width, rows, 4),
        },
        (true, 0) => vec![Vec::new(); channels],
        (true, _) => count_words(&row, width, rows, channels),
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

/// Bytes: a table for each of four neighbouring pixels' channels, `N` = 4 x channels, so that runs of one value do not wait
/// for their own count to be stored.
fn count_bytes<'a, const N: usize>(
    row: &dyn Fn(u32) -> NumbersRef<'a>,
    width: u64,
    rows: Range<u32>,
    channels: usize,
) -> Vec<Vec<u64>> {
    let mut tables = [[0u32; 256]; N];
    let mut counts = vec![vec![0u64; 256]; channels];
    let mut pending = 0;
    for y in rows {
        let NumbersRef::U8(row) = row(y) else { break };
        pending += width;
        if pending > FLUSH {
            flush(&mut tables, &mut counts);
            pending = width;
        }
        let (chunks, rest) = row.as_chunks::<N>();
        // By indices: a pair of iterators made for each chunk would be a call, where the linker does not inline it.
        for chunk in chunks {
            for k in 0..N {
                tables[k][usize::from(chunk[k])] += 1;
            }
        }
        for (k, &value) in rest.iter().enumerate() {
            tables[k][usize::from(value)] += 1;
        }
    }
    flush(&mut tables, &mut counts);
    counts
}

fn flush(tables: &mut [[u32; 256]], counts: &mut [Vec<u64>]) {
    let channels = counts.len();
    for (k, table) in tables.iter_mut().enumerate() {
        for (count, more) in counts[k % channels].iter_mut().zip(table) {
            *count += u64::from(std::mem::take(more));
        }
    }
}

/// Words: a table a channel, two for gray; more would leave the inner caches.
fn count_words<'a>(
    row: &dyn Fn(u32) -> NumbersRef<'a>,
    width: u64,
    rows: Range<u32>,
    channels: usize,
) -> Vec<Vec<u64>> {
    let copies = if channels == 1 { 2 } else { 1 };
    let mut tables = vec![vec![0u32; 65_536]; channels * copies];
    let mut counts = vec![vec![0u64; 65_536]; channels];
    let mut pending = 0;
    for y in rows {
        let NumbersRef::U16(row) = row(y) else { break };
        pending += width;
        if pending > FLUSH {
            flush_words(&mut tables, &mut counts);
            pending = width;
        }
        for chunk in row.chunks(tables.len()) {
            for (k, &value) in chunk.iter().enumerate() {
                // As many entries as 16 bits have values.
                tables[k][usize::from(value)] += 1;
            }
        }
    }
    flush_words(&mut tables, &mut counts);
    counts
}

fn flush_words(tables: &mut [Vec<u32>], counts: &mut [Vec<u64>]) {
    let channels = counts.len();
    for (k, table) in tables.iter_mut().enumerate() {
        for (count, more) in counts[k % channels].iter_mut().zip(table) {
            *count += u64::from(std::mem::take(more));
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
