//! Choosing and applying a row filter for writing: the one whose bytes, as signed numbers, have the least absolute sum
//! (12.8), which predicts well what Deflate can pack.

use super::unfilter::{mean, paeth};
use crate::simd::Level;

/// Room for the five filtered forms of a row, used again for every row.
#[derive(Debug)]
pub(super) struct Filters {
    forms: [Vec<u8>; 5],
    zeros: Vec<u8>,
    level: Level,
}

impl Filters {
    pub(super) fn new(row_bytes: usize) -> Filters {
        let room = || vec![0; row_bytes];
        Filters { forms: [room(), room(), room(), room(), room()], zeros: room(), level: Level::best() }
    }

    /// The best filter's number and the filtered row. `above` is the row before; none for the first.
    pub(super) fn choose(&mut self, row: &[u8], above: Option<&[u8]>, pixel_bytes: usize) -> (u8, &[u8]) {
        let above = above.unwrap_or(&self.zeros);
        let [none, sub, up, average, best] = &mut self.forms;
        none.copy_from_slice(row);
        let n = pixel_bytes.min(row.len());
        let (left, corner) = (Shifted { row, by: n }, Shifted { row: above, by: n });
        let mut costs = [u64::MAX; 5];
        self.level.run(|| {
            costs = [
                cost(none),
                apply(row, left, above, corner, sub, |v, a, _, _| v.wrapping_sub(a)),
                apply(row, left, above, corner, up, |v, _, b, _| v.wrapping_sub(b)),
                apply(row, left, above, corner, average, |v, a, b, _| v.wrapping_sub(mean(a, b))),
                apply(row, left, above, corner, best, |v, a, b, c| v.wrapping_sub(paeth(a, b, c))),
            ];
        });
        let kind = (0u8..).zip(costs).min_by_key(|&(_, cost)| cost).map_or(0, |(kind, _)| kind);
        let form = self.forms.get(usize::from(kind)).unwrap_or(&self.zeros);
        (kind, form)
    }
}

/// A row moved right by the bytes of a pixel, zeros coming in.
#[derive(Clone, Copy)]
struct Shifted<'a> {
    row: &'a [u8],
    by: usize,
}

/// Filters a row and gives its cost.
#[inline(always)]
fn apply(
    row: &[u8],
    left: Shifted<'_>,
    above: &[u8],
    corner: Shifted<'_>,
    out: &mut [u8],
    filter: impl Fn(u8, u8, u8, u8) -> u8,
) -> u64 {
    let (head, tail) = out.split_at_mut(left.by);
    for ((o, &v), &b) in head.iter_mut().zip(row).zip(above) {
        *o = filter(v, 0, b, 0);
    }
    let (row_tail, above_tail) = (row.get(left.by..).unwrap_or_default(), above.get(left.by..).unwrap_or_default());
    for ((((o, &v), &b), &a), &c) in tail.iter_mut().zip(row_tail).zip(above_tail).zip(left.row).zip(corner.row) {
        *o = filter(v, a, b, c);
    }
    cost(out)
}

/// The sum of the bytes' distances from zero, as signed numbers.
#[inline(always)]
fn cost(bytes: &[u8]) -> u64 {
    let mut sum = 0u64;
    // Sums of at most 128 a byte over a block stay far below 2^32.
    for block in bytes.chunks(4096) {
        let part = block.iter().fold(0u32, |sum, &b| sum.wrapping_add(u32::from((b as i8).unsigned_abs())));
        sum = sum.wrapping_add(u64::from(part));
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
