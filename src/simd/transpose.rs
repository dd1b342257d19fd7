//! Small blocks with their rows and columns exchanged.

/// Exchanges rows and columns of a block: `row(i)` gives its `rows` rows of `cols` values, `out` takes `cols` rows of
/// `rows` values, packed.
#[inline(always)]
pub(crate) fn block<'a, T: Copy + 'a>(rows: usize, cols: usize, row: impl Fn(usize) -> &'a [T], out: &mut [T]) {
    for i in 0..rows {
        for (to, from) in out[i..].iter_mut().step_by(rows).zip(&row(i)[..cols]) {
            *to = *from;
        }
    }
}
