//! Nearest neighbour: the source pixel that contains the output pixel's centre. No new values, so any pixel will do.

use super::weights::Along;
use crate::access::bytes::{self, with_pixel_bytes};
use crate::error::{ErrorKind, Result};
use crate::frame::{SampleView, SampleViewMut};
use std::ops::Range;

/// Outputs along an axis that there may be: their indices take 1 GiB.
const MOST: u32 = 1 << 28;

/// The source index of every output index, in order.
#[derive(Debug, Clone)]
pub(super) struct Indices {
    of: Vec<u32>,
    /// How many outputs each source index gives, where all give as many, from the first source index on.
    repeats: Option<usize>,
}

impl Indices {
    pub(super) fn new(along: &Along) -> Result<Indices> {
        if along.target > MOST {
            let what = format!("the indices of a resize from {} to {}", along.source, along.target);
            return Err(ErrorKind::Limit {
                what,
                needed: u64::from(along.target) * 4,
                limit: u64::from(MOST) * 4,
                unit: "bytes",
            }
            .into());
        }
        let of: Vec<u32> = (0..along.target).map(|x| along.nearest(x)).collect();
        let repeats = (along.target / along.source) as usize;
        let whole = repeats > 1 && of.len() == repeats * along.source as usize;
        let repeats = (whole && of.iter().enumerate().all(|(x, &at)| x / repeats == at as usize)).then_some(repeats);
        Ok(Indices { of, repeats })
    }

    /// The source index of an output.
    pub(super) fn source_of(&self, x: u32) -> u32 {
        self.of[x as usize]
    }

    /// The source indices that outputs need.
    pub(super) fn reach(&self, outputs: Range<u32>) -> Range<u32> {
        match &self.of[outputs.start as usize..outputs.end as usize] {
            [] => 0..0,
            [only] => *only..*only + 1,
            [first, .., last] => *first..*last + 1,
        }
    }
}

/// Rows `first..` of the whole target, as many as the view has, from a strip of the source whose first row is `top`.
pub(super) fn run(
    (source, top): (SampleView<'_, u8>, u32),
    target: SampleViewMut<'_, u8>,
    columns: &Indices,
    rows: &Indices,
    first: u32,
) {
    with_pixel_bytes!(source.channels().count, N => rows_of::<N>((source, top), target, columns, rows, first));
}

fn rows_of<const N: usize>(
    (source, top): (SampleView<'_, u8>, u32),
    target: SampleViewMut<'_, u8>,
    columns: &Indices,
    rows: &Indices,
    first: u32,
) {
    let rows = &rows.of[first as usize..][..target.height() as usize];
    let mut before: Option<(u32, &mut [[u8; N]])> = None;
    for (y, out) in target.into_rows().enumerate() {
        let from = rows[y];
        let out = bytes::pixels_mut::<N>(out);
        match &before {
            // The same source row again: copy the finished one.
            Some((same, done)) if *same == from => out.copy_from_slice(done),
            _ => {
                let row = bytes::row::<N>(&source, from - top);
                match columns.repeats {
                    Some(2) => repeat::<N, 2>(row, out),
                    Some(3) => repeat::<N, 3>(row, out),
                    Some(4) => repeat::<N, 4>(row, out),
                    Some(n) => {
                        for (x, to) in out.chunks_exact_mut(n).enumerate() {
                            to.fill(row[x]);
                        }
                    }
                    None => {
                        let columns = &columns.of[..out.len()];
                        for x in 0..columns.len() {
                            out[x] = row[columns[x] as usize];
                        }
                    }
                }
            }
        }
        before = Some((from, out));
    }
}

/// Each pixel so many times.
fn repeat<const N: usize, const TIMES: usize>(row: &[[u8; N]], out: &mut [[u8; N]]) {
    let out = out.as_chunks_mut::<TIMES>().0;
    let count = out.len().min(row.len());
    let (row, out) = (&row[..count], &mut out[..count]);
    for i in 0..count {
        out[i] = [row[i]; TIMES];
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::access::Edge;

    fn indices(source: u32, target: u32) -> Indices {
        Indices::new(&Along { source, part: 0.0..f64::from(source), target, edge: Edge::Clamp }).unwrap()
    }

    #[test]
    fn the_centre_decides() {
        assert_eq!(indices(2, 4).of, [0, 0, 1, 1]);
        assert_eq!(indices(4, 2).of, [1, 3]);
        assert_eq!(indices(3, 5).of, [0, 0, 1, 2, 2]);
        assert_eq!(indices(1, 3).of, [0, 0, 0]);
        assert_eq!(indices(u32::MAX, 1).of, [u32::MAX / 2]);
        assert_eq!(
            [(2, 4), (3, 5), (4, 4), (1, 3)].map(|(s, t)| indices(s, t).repeats),
            [Some(2), None, None, Some(3)]
        );
        // Centres at 1.75 and 2.25 of four pixels.
        let part = Along { source: 4, part: 1.5..2.5, target: 2, edge: Edge::Clamp };
        assert_eq!(Indices::new(&part).unwrap().of, [1, 2]);
        assert!(Indices::new(&Along { target: u32::MAX, ..part }).is_err());
    }
}
