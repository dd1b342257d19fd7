//! Row kernels that move channels and make no new values: written once over samples and channel counts.

use crate::simd::{Level, Work, prefetch};

/// Every `N` samples become `M`. The closure reads and writes them where they lie: an array that it took or gave by value
/// would travel as one odd-sized number and be taken apart by shifts.
#[inline]
pub(crate) fn each<S: Copy, const N: usize, const M: usize>(
    from: &[S],
    to: &mut [S],
    change: impl Fn(&[S; N], &mut [S; M]),
) {
    let (level, from, to) = (Level::best(), from.as_chunks::<N>().0, to.as_chunks_mut::<M>().0);
    let count = from.len().min(to.len());
    for start in (0..count).step_by(BLOCK) {
        let end = count.min(start + BLOCK);
        // Of more than is read the stores are what takes the time: fetched early they came no earlier (1.04 times; else 0.92).
        if const { M <= N } {
            prefetch::behind(&to[start..end]);
        }
        let each = Each { from: &from[start..end], to: &mut to[start..end], change: &change };
        // Four to four is arithmetic or a shuffle within a lane, of which the widest registers take 1.3 times as many; others they make no
        // quicker, and another copy of each would have to be compiled.
        if const { N == 4 && M == 4 } { level.work(each) } else { level.work_in_256_bits(each) }
    }
}

/// Pixels that are gone over at once, while the memory of the next is fetched.
const BLOCK: usize = 512;

/// The work of [`each`].
struct Each<'a, S, const N: usize, const M: usize, F> {
    from: &'a [[S; N]],
    to: &'a mut [[S; M]],
    change: F,
}

impl<S: Copy, const N: usize, const M: usize, F: Fn(&[S; N], &mut [S; M])> Work for Each<'_, S, N, M, F> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Each { from, to, change } = self;
        let count = from.len().min(to.len());
        let (from, to) = (&from[..count], &mut to[..count]);
        // By indices: a pair of iterators would be compiled for each.
        for i in 0..count {
            change(&from[i], &mut to[i]);
        }
    }
}

/// Samples to one channel's place among `N`.
pub(crate) fn place<S: Copy, const N: usize>(from: &[S], to: &mut [S], channel: usize) {
    for (from, to) in from.iter().zip(to.as_chunks_mut::<N>().0) {
        to[channel] = *from;
    }
}

/// Rows of planes as one row of pixels: two, three or four of them, the others empty.
pub(crate) fn interleave<S: Copy>(from: [&[S]; 4], to: &mut [S]) {
    let channels = match from {
        [_, _, [], []] => 2,
        [_, _, _, []] => 3,
        _ => 4,
    };
    let (level, count) =
        (Level::best(), from[..channels].iter().fold(to.len() / channels, |n, lane| n.min(lane.len())));
    for start in (0..count).step_by(BLOCK) {
        let end = count.min(start + BLOCK);
        let part = &mut to[channels * start..channels * end];
        prefetch::behind(part);
        interleave_run(level, from.map(|lane| lane.get(start..end).unwrap_or_default()), part);
    }
}

/// [`interleave`] of a few pixels between work that takes longer: nothing is fetched ahead.
pub(crate) fn interleave_run<S: Copy>(level: Level, from: [&[S]; 4], to: &mut [S]) {
    level.fan_in(from, to, |a, b, c, d, to| match (c, d) {
        ([], []) => {
            for (to, (a, b)) in to.as_chunks_mut::<2>().0.iter_mut().zip(a.iter().zip(b)) {
                *to = [*a, *b];
            }
        }
        (c, []) => {
            for (to, ((a, b), c)) in to.as_chunks_mut::<3>().0.iter_mut().zip(a.iter().zip(b).zip(c)) {
                *to = [*a, *b, *c];
            }
        }
        (c, d) => {
            for (to, (((a, b), c), d)) in to.as_chunks_mut::<4>().0.iter_mut().zip(a.iter().zip(b).zip(c).zip(d)) {
                *to = [*a, *b, *c, *d];
            }
        }
    });
}

/// One row of pixels as rows of planes: two, three or four of them, the others empty.
pub(crate) fn separate<S: Copy>(from: &[S], to: [&mut [S]; 4]) {
    Level::best().fan_out(from, to, |from, a, b, c, d| match (c, d) {
        ([], []) => {
            for (from, (a, b)) in from.as_chunks::<2>().0.iter().zip(a.iter_mut().zip(b)) {
                [*a, *b] = *from;
            }
        }
        (c, []) => {
            for (from, ((a, b), c)) in from.as_chunks::<3>().0.iter().zip(a.iter_mut().zip(b).zip(c)) {
                [*a, *b, *c] = *from;
            }
        }
        (c, d) => {
            for (from, (((a, b), c), d)) in from.as_chunks::<4>().0.iter().zip(a.iter_mut().zip(b).zip(c).zip(d)) {
                [*a, *b, *c, *d] = *from;
            }
        }
    });
}
