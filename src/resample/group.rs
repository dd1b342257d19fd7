//! Output rows that are made together: which positions along an axis they are made of, and how much each counts.
//!
//! Neighbouring output rows are made of much the same rows. Made together they read each of them once.

use super::axis::{Axis, Weights};
use crate::simd::arrays;
use crate::simd::resample::mix::{PairWeights, TOGETHER, both};
use std::ops::Range;

/// Positions that count for one of the outputs at least, in order.
#[derive(Debug, Default)]
pub(super) struct Group<W> {
    pub(super) positions: Vec<u32>,
    /// Of each position its weight for each output; zero for those that it does not count for.
    pub(super) weights: Vec<[W; TOGETHER]>,
}

impl<W: Copy + Default + PartialEq> Group<W> {
    /// Of up to [`TOGETHER`] outputs that follow one another.
    pub(super) fn of(axis: &Axis, weights: &Weights<W>, outputs: Range<usize>) -> Group<W> {
        let mut group = Group { positions: Vec::new(), weights: Vec::new() };
        for position in reach(axis, outputs.clone()) {
            let mut each = [W::default(); TOGETHER];
            for (to, out) in each.iter_mut().zip(outputs.clone()) {
                let tap = position.checked_sub(axis.starts[out]).map(|tap| tap as usize);
                *to = tap.filter(|&tap| tap < axis.taps).map_or_else(W::default, |tap| weights.of(out)[tap]);
            }
            if each != [W::default(); TOGETHER] {
                group.positions.push(position);
                group.weights.push(each);
            }
        }
        group
    }
}

impl Group<i16> {
    /// Two positions at a time; the last of an odd number goes with itself, which counts for nothing there.
    pub(super) fn by_pairs(&self) -> (Vec<[u32; 2]>, Vec<PairWeights>) {
        let positions = self.positions.chunks(2).map(|two| [two[0], two[two.len() - 1]]).collect();
        let none = [0; TOGETHER];
        let weights = self.weights.chunks(2).map(|two| {
            let second = two.get(1).unwrap_or(&none);
            arrays::from_fn(|output| both(two[0][output], second[output]))
        });
        (positions, weights.collect())
    }
}

/// Rows that are walked through at once without waiting: beyond that, a row's page is no longer at hand when its next part is
/// asked for (measured: 53 rows of 15 KB took twice as long as 42).
const MOST_ROWS: usize = 44;

/// How many outputs are best mixed in one go: as many as share no more rows than that; all where one has more by itself.
pub(super) fn together(axis: &Axis) -> usize {
    let rows = |outputs: usize| {
        let step = f64::from(axis.source) / f64::from(axis.target);
        axis.taps + (step * (outputs - 1) as f64) as usize
    };
    let fits = (1..=TOGETHER).rev().find(|&outputs| rows(outputs) <= MOST_ROWS);
    fits.unwrap_or(TOGETHER)
}

/// Positions from the first to behind the last one that outputs are made of.
pub(super) fn reach(axis: &Axis, outputs: Range<usize>) -> Range<u32> {
    let used = outputs.map(|out| {
        let used = axis.used(out);
        axis.starts[out] + used.start as u32..axis.starts[out] + used.end as u32
    });
    used.reduce(|all, one| all.start.min(one.start)..all.end.max(one.end)).unwrap_or(0..0)
}

/// [`Kept::missing`], which does not depend on what the rows are made of.
fn missing(held: &[u32], needed: &[u32], together: usize, end: u32) -> Vec<Vec<u32>> {
    let mut missing: Vec<u32> = needed.iter().copied().filter(|position| !held.contains(position)).collect();
    if let Some(&last) = missing.last() {
        let more = missing.len().next_multiple_of(together) - missing.len();
        missing.extend((last + 1..end).filter(|p| !held.contains(p) && !needed.contains(p)).take(more));
    }
    missing.chunks(together).map(<[u32]>::to_vec).collect()
}

/// Rows that were made from positions and may be needed again.
#[derive(Debug)]
pub(super) struct Kept<T> {
    held: Vec<(u32, Vec<T>)>,
}

impl<T: Copy + Default> Kept<T> {
    /// Nothing yet.
    pub(super) fn new() -> Kept<T> {
        Kept { held: Vec::new() }
    }

    /// The row of a position; none where it was not kept.
    pub(super) fn get(&self, position: u32) -> &[T] {
        self.held.iter().find(|(held, _)| *held == position).map_or(&[], |(_, row)| row)
    }

    /// Of needed positions those that are not held, `together` at a time. Where a last few are less than that, positions
    /// behind them, up to `end`, join them, as they will be needed soon.
    pub(super) fn missing(&self, needed: &[u32], together: usize, end: u32) -> Vec<Vec<u32>> {
        let held: Vec<u32> = self.held.iter().map(|(position, _)| *position).collect();
        missing(&held, needed, together, end)
    }

    /// A row to write, `length` long: one that lies before all positions that are needed now, or a new one.
    pub(super) fn take_out(&mut self, needed: &[u32], length: usize) -> Vec<T> {
        let least = needed.iter().min().copied().unwrap_or(0);
        let gone = self.held.iter().position(|&(position, _)| position < least);
        gone.map_or_else(|| vec![T::default(); length], |at| self.held.swap_remove(at).1)
    }

    /// Keeps the row of a position.
    pub(super) fn put_in(&mut self, position: u32, row: Vec<T>) {
        self.held.push((position, row));
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::access::Edge;
    use crate::resample::Kernel;
    use crate::resample::weights::Along;

    fn axis(source: u32, target: u32) -> Axis {
        let along = Along { source, part: 0.0..f64::from(source), target, edge: Edge::Clamp };
        Axis::new(&along, &Kernel::Linear, true, None).unwrap()
    }

    #[test]
    fn outputs_together_have_the_weights_that_each_has_alone() {
        // 2 -> 4: 1 0, 3/4 1/4, 1/4 3/4, 0 1.
        let axis = axis(2, 4);
        let group = Group::of(&axis, &axis.to_f32(), 0..4);
        assert_eq!(group.positions, [0, 1]);
        assert_eq!(group.weights, [[1.0, 0.75, 0.25, 0.0], [0.0, 0.25, 0.75, 1.0]]);
        let fixed = axis.to_fixed(14).unwrap();
        let (positions, weights) = Group::of(&axis, &fixed.weights, 1..3).by_pairs();
        assert_eq!(positions, [[0, 1]]);
        assert_eq!(weights, [[both(12288, 4096), both(4096, 12288), 0, 0]]);
        // The last output alone: one position, which stands for two.
        let (positions, weights) = Group::of(&axis, &fixed.weights, 3..4).by_pairs();
        assert_eq!((positions, weights[0][0]), (vec![[1, 1]], both(16384, 0)));
    }

    #[test]
    fn positions_between_that_nobody_needs_are_left_out() {
        // 100 -> 2 without widening: two taps each, far apart.
        let along = Along { source: 100, part: 0.0..100.0, target: 2, edge: Edge::Clamp };
        let axis = Axis::new(&along, &Kernel::Linear, false, None).unwrap();
        assert_eq!(Group::of(&axis, &axis.to_f32(), 0..2).positions, [24, 25, 74, 75]);
        assert_eq!(reach(&axis, 0..2), 24..76);
    }

    #[test]
    fn as_many_outputs_go_together_as_share_few_rows() {
        let of = |source, target, kernel| {
            let along = Along { source, part: 0.0..f64::from(source), target, edge: Edge::Clamp };
            together(&Axis::new(&along, &kernel, true, None).unwrap())
        };
        // About 12 rows and 3 times 5.8 more; 35 and once 5.8; 24 and 3 times 4; 60 by itself.
        assert_eq!(of(3280, 567, Kernel::Linear), 4);
        assert_eq!(of(3280, 567, Kernel::Lanczos3), 2);
        assert_eq!(of(4096, 1024, Kernel::Lanczos3), 4);
        assert_eq!(of(1000, 100, Kernel::Lanczos3), 4);
    }

    #[test]
    fn rows_are_kept_while_they_are_needed() {
        let mut kept = Kept::new();
        assert_eq!(kept.missing(&[1, 2], 1, 9), [[1], [2]]);
        for position in 1..=3u32 {
            let mut row = kept.take_out(&[position.max(2) - 1, position], 1);
            row[0] = position * 10;
            kept.put_in(position, row);
        }
        assert_eq!([1, 2, 3].map(|p| kept.get(p).to_vec()), [vec![], vec![20], vec![30]]);
        assert_eq!(kept.held.len(), 2);
        assert_eq!(kept.missing(&[2, 3, 4, 5], 4, 9), [[4, 5, 6, 7]]);
        assert_eq!(kept.missing(&[2, 3, 4, 5], 4, 7), [vec![4, 5, 6]]);
        assert!(kept.missing(&[2, 3], 4, 7).is_empty());
    }
}
