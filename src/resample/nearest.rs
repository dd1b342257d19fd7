//! Nearest neighbour: the source pixel that contains the output pixel's centre. No new values, so any pixel will do.

use super::axis::Along;
use super::rows::SourceRows;
use crate::error::{ErrorKind, Result};
use crate::frame::ViewMut;
use crate::pixel::Pixel;
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
            return Err(
                ErrorKind::Limit { what, needed: u64::from(along.target) * 4, limit: u64::from(MOST) * 4 }.into()
            );
        }
        let of: Vec<u32> = (0..along.target).map(|x| along.nearest(x)).collect();
        let repeats = (along.target / along.source) as usize;
        let whole = repeats > 1 && of.len() == repeats * along.source as usize;
        let repeats = (whole && of.iter().enumerate().all(|(x, &at)| x / repeats == at as usize)).then_some(repeats);
        Ok(Indices { of, repeats })
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

/// Rows `first..` of the whole target, as many as the view has.
pub(super) fn run<P: Pixel>(
    source: SourceRows<'_, P>,
    target: &mut ViewMut<'_, P>,
    columns: &Indices,
    rows: &Indices,
    first: u32,
) {
    let rows = &rows.of[first as usize..][..target.height() as usize];
    let mut before: Option<(u32, u32)> = None;
    for (y, &from) in (0u32..).zip(rows) {
        match before {
            // The same source row again: copy the finished one.
            Some((same, done)) if same == from => {
                let (above, below) = target.reborrow().cut_rows(y);
                let mut below = below;
                below.row_numbers_mut(0).copy_from_slice(above.as_view().row_numbers(done));
            }
            _ => {
                let (row, out) = (source.row(from), target.row_mut(y));
                match columns.repeats {
                    Some(2) => repeat::<P, 2>(row, out),
                    Some(3) => repeat::<P, 3>(row, out),
                    Some(4) => repeat::<P, 4>(row, out),
                    Some(n) => out.chunks_exact_mut(n).zip(row).for_each(|(to, &p)| to.fill(p)),
                    None => out.iter_mut().zip(&columns.of).for_each(|(to, &x)| *to = row[x as usize]),
                }
                before = Some((from, y));
            }
        }
    }
}

/// Each pixel so many times.
fn repeat<P: Pixel, const N: usize>(row: &[P], out: &mut [P]) {
    out.as_chunks_mut::<N>().0.iter_mut().zip(row).for_each(|(to, &p)| *to = [p; N]);
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
