//! Choosing and applying a row filter for writing: the one whose bytes, as signed numbers, have the least absolute sum
//! (12.8), which predicts well what Deflate can pack.

use super::unfilter::{mean, paeth};
use crate::simd::Level;

/// Bytes filtered at a time: seven times as many are touched.
const BLOCK: usize = 4096;

/// Room for the filtered forms of a row, used again for every row.
#[derive(Debug)]
pub(super) struct Filters {
    /// By Sub, Up, Average and Paeth.
    forms: [Vec<u8>; 4],
    zeros: Vec<u8>,
    level: Level,
}

impl Filters {
    pub(super) fn new(row_bytes: usize) -> Filters {
        let room = || vec![0; row_bytes];
        Filters { forms: [room(), room(), room(), room()], zeros: room(), level: Level::best() }
    }

    /// The best filter's number and the filtered row. `above` is the row before; none for the first.
    pub(super) fn choose<'a>(&'a mut self, row: &'a [u8], above: Option<&[u8]>, pixel_bytes: usize) -> (u8, &'a [u8]) {
        let above = above.unwrap_or(&self.zeros);
        let n = pixel_bytes.clamp(1, row.len().max(1));
        let mut costs = [0u64; 5];
        let mut start = 0usize;
        while start < row.len() {
            // The first pixel has nothing to its left; the others go by blocks that stay in the nearest cache.
            let end = if start == 0 { n } else { start.saturating_add(BLOCK) }.min(row.len());
            let here = start..end;
            let before = start.saturating_sub(n)..end.saturating_sub(n);
            let (left, corner) = match start {
                0 => (self.zeros.get(here.clone()), self.zeros.get(here.clone())),
                _ => (row.get(before.clone()), above.get(before)),
            };
            let block = Block {
                row: row.get(here.clone()).unwrap_or_default(),
                left: left.unwrap_or_default(),
                above: above.get(here.clone()).unwrap_or_default(),
                corner: corner.unwrap_or_default(),
            };
            let [sub, up, average, best] = self.forms.each_mut().map(|f| f.get_mut(here.clone()).unwrap_or_default());
            self.level.run(|| {
                let here = [
                    cost(block.row),
                    apply(block, sub, |v, a, _, _| v.wrapping_sub(a)),
                    apply(block, up, |v, _, b, _| v.wrapping_sub(b)),
                    apply(block, average, |v, a, b, _| v.wrapping_sub(mean(a, b))),
                    apply(block, best, |v, a, b, c| v.wrapping_sub(paeth(a, b, c))),
                ];
                costs.iter_mut().zip(here).for_each(|(sum, cost)| *sum = sum.wrapping_add(cost));
            });
            start = end;
        }
        let kind = (0u8..).zip(costs).min_by_key(|&(_, cost)| cost).map_or(0, |(kind, _)| kind);
        let form = usize::from(kind).checked_sub(1).and_then(|i| self.forms.get(i));
        (kind, form.map_or(row, Vec::as_slice))
    }
}

/// Bytes of a row, those a pixel to their left, and the same of the row above.
#[derive(Clone, Copy)]
struct Block<'a> {
    row: &'a [u8],
    left: &'a [u8],
    above: &'a [u8],
    corner: &'a [u8],
}

/// Filters bytes and gives their cost.
#[inline(always)]
fn apply(from: Block<'_>, out: &mut [u8], filter: impl Fn(u8, u8, u8, u8) -> u8) -> u64 {
    let Block { row, left, above, corner } = from;
    for ((((o, &v), &a), &b), &c) in out.iter_mut().zip(row).zip(left).zip(above).zip(corner) {
        *o = filter(v, a, b, c);
    }
    cost(out)
}

/// The sum of the bytes' distances from zero, as signed numbers.
#[inline(always)]
fn cost(bytes: &[u8]) -> u64 {
    let distance = |b: &u8| u16::from((*b as i8).unsigned_abs());
    let (lines, rest) = bytes.as_chunks::<64>();
    let mut sum = rest.iter().fold(0u64, |sum, b| sum.wrapping_add(u64::from(distance(b))));
    // Sums of at most 128 a byte over 256 lines fit 16 bits, of which twice as many are added at a time as of 32.
    for block in lines.chunks(256) {
        let mut lanes = [0u16; 64];
        for line in block {
            lanes.iter_mut().zip(line).for_each(|(lane, b)| *lane = lane.wrapping_add(distance(b)));
        }
        sum = lanes.iter().fold(sum, |sum, &lane| sum.wrapping_add(u64::from(lane)));
    }
    sum
}

#[cfg(test)]
mod tests {
    use super::super::unfilter::unfilter;
    use super::*;

    #[test]
    fn every_chosen_filter_is_undone_and_each_is_chosen_for_its_kind_of_row() {
        let noise = |i: usize, k: usize| (i * 73 + k * 151 + (i * i * k) % 97) as u8;
        let mut seen = [false; 5];
        for pixel_bytes in [1usize, 2, 3, 4, 6, 8] {
            let length = pixel_bytes * 61;
            let above: Vec<u8> = (0..length).map(|i| noise(i, 3)).collect();
            let rows: [Vec<u8>; 6] = [
                (0..length).map(|i| if i % 13 == 0 { 255 } else { 0 }).collect(),
                (0..length).map(|i| (i / pixel_bytes * 2) as u8).collect(),
                above.iter().map(|v| v.wrapping_add(1)).collect(),
                (0..length).map(|i| noise(i, 5)).collect(),
                {
                    let mut row = vec![9u8; length];
                    for i in 0..length {
                        let left = if i >= pixel_bytes { row[i - pixel_bytes] } else { 0 };
                        row[i] = mean(left, above[i]).wrapping_add(1);
                    }
                    row
                },
                {
                    let mut row = vec![9u8; length];
                    for i in 0..length {
                        let (a, c) =
                            if i >= pixel_bytes { (row[i - pixel_bytes], above[i - pixel_bytes]) } else { (0, 0) };
                        row[i] = paeth(a, above[i], c).wrapping_sub(1);
                    }
                    row
                },
            ];
            for row in &rows {
                for above in [None, Some(above.as_slice())] {
                    let mut filters = Filters::new(length);
                    let (kind, form) = filters.choose(row, above, pixel_bytes);
                    seen[kind as usize] = true;
                    let mut back = form.to_vec();
                    unfilter(kind, &mut back, above.unwrap_or(&vec![0; length]), pixel_bytes).unwrap();
                    assert_eq!(&back, row, "filter {kind}, {pixel_bytes} bytes a pixel");
                }
            }
        }
        assert_eq!(seen, [true; 5]);
    }
}
