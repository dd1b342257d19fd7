//! Row kernels that move channels and make no new values: written once over samples and channel counts.

use crate::simd::Level;

/// Every `N` samples become `M`.
#[inline]
pub(crate) fn each<S: Copy, const N: usize, const M: usize>(
    from: &[S],
    to: &mut [S],
    change: impl Fn([S; N]) -> [S; M],
) {
    Level::best().run(|| {
        for (from, to) in from.as_chunks::<N>().0.iter().zip(to.as_chunks_mut::<M>().0) {
            *to = change(*from);
        }
    });
}

/// Samples to one channel's place among `N`.
pub(crate) fn place<S: Copy, const N: usize>(from: &[S], to: &mut [S], channel: usize) {
    for (from, to) in from.iter().zip(to.as_chunks_mut::<N>().0) {
        to[channel] = *from;
    }
}

/// Rows of `N` planes as one row of pixels.
pub(crate) fn interleave<S: Copy, const N: usize>(from: [&[S]; N], to: &mut [S]) {
    let width = to.len() / N;
    let from = from.map(|row| &row[..width]);
    Level::best().run(|| {
        for (i, to) in to.as_chunks_mut::<N>().0.iter_mut().enumerate() {
            *to = from.map(|row| row[i]);
        }
    });
}

/// One row of pixels as rows of `N` planes.
pub(crate) fn separate<S: Copy, const N: usize>(from: &[S], to: [&mut [S]; N]) {
    let width = from.len() / N;
    let mut to = to.map(|row| &mut row[..width]);
    Level::best().run(|| {
        for (i, from) in from.as_chunks::<N>().0.iter().enumerate() {
            to.iter_mut().zip(from).for_each(|(row, v)| row[i] = *v);
        }
    });
}
