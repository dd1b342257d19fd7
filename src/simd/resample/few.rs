//! Weighted sums of up to four neighbours along a row of one channel: a box, or a kernel that keeps its width.
//!
//! Each output's four words are loaded as one; laying rows side by side would take longer than the sums.

use super::lanes::{Lanes, Wide};
use super::mix::narrowed;
use super::spread::Taps;
use crate::simd::Level;
use crate::simd::arrays;

/// Outputs of a block.
pub(super) const BLOCK: usize = 16;
/// Taps of an output.
pub(crate) const TAPS: usize = 4;
/// Which output of a block each four weights belong to: the order in which sums of pairs come to lie in order. Where outputs
/// are made of words one after another, they are taken as they lie.
const ORDER: [usize; BLOCK] = [0, 1, 4, 5, 8, 9, 12, 13, 2, 3, 6, 7, 10, 11, 14, 15];

/// Outputs of at most [`TAPS`] taps each, of one channel.
#[derive(Debug)]
pub(crate) struct FewTaps<'a> {
    level: Level,
    taps: Taps<'a, i16>,
    /// Four weights an output, block by block.
    weights: Vec<i16>,
    /// Whether every output's words begin where those of the one before end, as in a picture shrunk to a quarter.
    in_a_row: bool,
}

impl<'a> FewTaps<'a> {
    /// `None` for more taps, or channels.
    pub(crate) fn new(level: Level, taps: Taps<'a, i16>) -> Option<Self> {
        if taps.taps > TAPS || taps.channels != 1 {
            return None;
        }
        let mut weights = Vec::new();
        let in_a_row = taps.starts.windows(2).all(|two| two[0] + TAPS as u32 == two[1]);
        let order = if in_a_row { arrays::from_fn(|place| place) } else { ORDER };
        for block in 0..taps.starts.len() / BLOCK {
            for output in arrays::map(order, |place| block * BLOCK + place) {
                let all = &taps.weights[output * taps.stride..][..taps.taps];
                weights.extend((0..TAPS).map(|tap| all.get(tap).copied().unwrap_or(0)));
            }
        }
        Some(FewTaps { level, taps, weights, in_a_row })
    }

    /// Outputs over their taps, divided by 2^shift, to nearest. The row has [`SLACK`](super::SLACK) numbers behind the last
    /// pixel.
    pub(crate) fn run(&self, row: &[i16], shift: u32, out: &mut [i16]) {
        let done = self.level.wide(Work { few: self, row, shift, out: &mut *out });
        for (x, to) in out.iter_mut().enumerate().skip(done) {
            let values = row[self.taps.starts[x] as usize..].iter().zip(&self.taps.weights[x * self.taps.stride..]);
            let sum = values.take(self.taps.taps).map(|(&v, &w)| i32::from(v) * i32::from(w)).sum();
            *to = narrowed(sum, shift);
        }
    }
}

struct Work<'a, 'b> {
    few: &'a FewTaps<'b>,
    row: &'a [i16],
    shift: u32,
    out: &'a mut [i16],
}

impl Wide for Work<'_, '_> {
    #[inline(always)]
    fn work<L: Lanes>(self, lanes: L) -> usize {
        let Work { few, row, shift, out } = self;
        let (starts, _) = few.taps.starts.as_chunks::<BLOCK>();
        let (outs, _) = out.as_chunks_mut::<BLOCK>();
        let weights = few.weights.as_chunks::<{ BLOCK * TAPS }>().0;
        match (few.in_a_row, few.taps.starts) {
            (true, [first, ..]) => lanes.fours(row[*first as usize..].as_chunks().0, weights, shift, outs),
            _ => lanes.four_taps(row, starts, weights, shift, outs),
        }
        outs.len() * BLOCK
    }
}

#[cfg(test)]
mod tests {
    use super::super::SLACK;
    use super::super::mix::tests::words;
    use super::*;

    #[test]
    fn every_level_sums_few_taps_to_the_same_numbers() {
        for (width, outputs) in [(4usize, 1usize), (70, 16), (71, 33), (4096, 1024), (1003, 250)] {
            for (taps, step) in (1..=TAPS).flat_map(|taps| [(taps, 4), (taps, 3)]) {
                let starts: Vec<u32> = (0..outputs).map(|x| (x * step).min(width - taps) as u32).collect();
                let weights = words(outputs * 8, 4, 9000);
                let row = words(width + SLACK, 7, 20_000);
                let taps = Taps { starts: &starts, weights: &weights, stride: 8, taps, channels: 1 };
                let run = |level| {
                    let mut out = vec![0; outputs];
                    FewTaps::new(level, taps).unwrap().run(&row, 15, &mut out);
                    out
                };
                for level in Level::present() {
                    assert!(run(level) == run(Level::PLAIN), "{level:?} {width} {outputs}");
                }
            }
        }
    }

    #[test]
    fn sums_worked_by_hand() {
        let taps = Taps { starts: &[1], weights: &[1i16, 2, 4], stride: 3, taps: 3, channels: 1 };
        let mut out = [0];
        // (3 + 2 * 5 + 4 * 7) / 4 = 10.25.
        FewTaps::new(Level::best(), taps).unwrap().run(&[100, 3, 5, 7, 100], 2, &mut out);
        assert_eq!(out, [10]);
        assert!(FewTaps::new(Level::best(), Taps { channels: 3, ..taps }).is_none());
    }
}
