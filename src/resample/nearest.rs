//! Nearest neighbour: the source pixel that contains the output pixel's centre. No new values, so any pixel will do.

use super::rows::SourceRows;
use crate::frame::ViewMut;
use crate::pixel::Pixel;

/// The source index of every output index: floor((2 x + 1) source / (2 target)), in whole numbers.
pub(super) fn indices(source: u32, target: u32) -> Vec<u32> {
    let at = |x: u64| ((2 * x + 1) * u64::from(source) / (2 * u64::from(target))) as u32;
    (0..u64::from(target)).map(at).collect()
}

/// Rows `rows_from..` of the whole target, as many as the view has.
pub(super) fn run<P: Pixel>(source: SourceRows<'_, P>, target: &mut ViewMut<'_, P>, columns: &[u32], rows: &[u32]) {
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
                let row = source.row(from);
                for (to, &x) in target.row_mut(y).iter_mut().zip(columns) {
                    *to = row[x as usize];
                }
                before = Some((from, y));
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_centre_decides() {
        assert_eq!(indices(2, 4), [0, 0, 1, 1]);
        assert_eq!(indices(4, 2), [1, 3]);
        assert_eq!(indices(3, 5), [0, 0, 1, 2, 2]);
        assert_eq!(indices(1, 3), [0, 0, 0]);
        assert_eq!(indices(u32::MAX, 1), [u32::MAX / 2]);
    }
}
