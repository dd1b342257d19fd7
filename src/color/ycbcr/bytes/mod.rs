//! Pictures of 8 bits to codes of 8 bits and back: sums in `f32`, straight from the bytes and to them.
//!
//! A run in which a sum lies so near to a tie that `f32` cannot tell on which side is summed again in `f64` ([`rows`](super::rows)). Where
//! sums are so coarse that none but ties themselves comes near (BT.601 of full range), none is.

mod chroma;
mod sums;
mod whole;

use super::YcbcrRules;
use super::rows::{Sum, ToRgb};
use crate::color::lanes::RUN;
use crate::convert::swizzle;
use crate::frame::{SampleView, SampleViewMut};
use crate::pixel::ChromaSiting;
use crate::simd::Level;
use chroma::{Doubled, halved};
use sums::{Quick, QuickBack};
use whole::WholeBack;

/// A row of numbers of three channels, each lane of whole runs.
struct Rows<T> {
    lanes: [Vec<T>; 3],
    width: usize,
}

impl<T: Copy + Default> Rows<T> {
    fn new(width: usize) -> Rows<T> {
        let lane = || vec![T::default(); width.next_multiple_of(RUN)];
        Rows { lanes: [lane(), lane(), lane()], width }
    }
}

impl Rows<u8> {
    /// Takes a row of 1 to 4 channels apart: gray is repeated, alpha left out.
    fn load(&mut self, row: &[u8], channels: usize, spare: &mut Vec<u8>) {
        let [a, b, c] = &mut self.lanes;
        let (a, b, c) = (&mut a[..self.width], &mut b[..self.width], &mut c[..self.width]);
        spare.resize(self.width, 0);
        match channels {
            1 => a.copy_from_slice(row),
            2 => swizzle::separate(row, [a, spare, &mut [], &mut []]),
            3 => return swizzle::separate(row, [a, b, c, &mut []]),
            _ => return swizzle::separate(row, [a, b, c, spare]),
        }
        b.copy_from_slice(a);
        c.copy_from_slice(a);
    }
}

/// The codes of a band of rows, from the picture's row `first` on.
pub(super) fn fill(
    rules: &YcbcrRules,
    sums: &[Sum; 3],
    source: SampleView<'_, u8>,
    first: u32,
    [mut y, cb, cr]: [SampleViewMut<'_, u8>; 3],
) {
    let (channels, (across, down)) = (source.channels().count, rules.sampling.factors());
    let (wide, few) = (source.width() as usize, cb.width() as usize);
    let (mut upper, mut lower, mut mean) = (Rows::new(wide), Rows::new(wide), Rows::<u16>::new(few));
    let (mut spare, level, left) = (Vec::new(), Level::best(), rules.siting == ChromaSiting::Left);
    let (quick, mut of_mean) = (Quick::new(rules, sums, 1), None);
    let far = &mut Vec::new();
    for (i, (cb, cr)) in (0u32..).zip(cb.into_rows().zip(cr.into_rows())) {
        let at = i * down;
        upper.load(source.row(first + at), channels, &mut spare);
        if across == 1 {
            sums::codes::<_, true, true>(level, sums, &quick, (&upper, 1), [y.row_mut(at), cb, cr], far);
            continue;
        }
        sums::codes::<_, true, false>(level, sums, &quick, (&upper, 1), [y.row_mut(at), &mut [], &mut []], far);
        let second = (down == 2 && at + 1 < y.height()).then(|| {
            lower.load(source.row(first + at + 1), channels, &mut spare);
            let to = [y.row_mut(at + 1), &mut [], &mut []];
            sums::codes::<_, true, false>(level, sums, &quick, (&lower, 1), to, far);
            &lower
        });
        let numbers = halved(level, [&upper, second.unwrap_or(&upper)], left, &mut mean);
        let quick = of_mean.get_or_insert_with(|| Quick::new(rules, sums, numbers));
        sums::codes::<_, false, true>(level, sums, quick, (&mean, numbers), [&mut [], cb, cr], far);
    }
}

/// Red, green and blue of a band of rows, from the picture's row `first` on.
pub(super) fn back(
    rules: &YcbcrRules,
    [y, cb, cr]: [SampleView<'_, u8>; 3],
    back: &ToRgb,
    (first, part): (u32, SampleViewMut<'_, u8>),
) {
    let (level, (across, down)) = (Level::best(), rules.sampling.factors());
    let (wide, left) = (y.width() as usize, rules.siting == ChromaSiting::Left);
    if let (1, Some(whole)) = (across, WholeBack::new(rules, back)) {
        let mut lanes = Rows::new(wide);
        for (row, to) in (first..).zip(part.into_rows()) {
            whole.run(level, [y.row(row), cb.row(row), cr.row(row)], &mut lanes, to);
        }
        return;
    }
    let mut rows = Doubled::new(if across == 1 { 0 } else { wide });
    let quick = QuickBack::new(rules, back, if across == 1 { 1 } else { Doubled::numbers(left) });
    let (back, mut lanes, mut far) = ((back, &quick), Rows::new(wide), Vec::new());
    for (row, to) in (first..).zip(part.into_rows()) {
        if across == 1 {
            sums::to_rgb(level, back, (y.row(row), [cb.row(row), cr.row(row)]), (&mut lanes, &mut far), to);
            continue;
        }
        let (near, next) = super::frame::rows_around(row, down, cb.height());
        rows.go_to(level, [[cb.row(near), cb.row(next)], [cr.row(near), cr.row(next)]], left);
        sums::to_rgb(level, back, (y.row(row), rows.lanes()), (&mut lanes, &mut far), to);
    }
}
