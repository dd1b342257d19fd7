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
    // Not a type that is a closure or a reference to one: the call through such a reference is the standard library's, and none that is inlined
    // into wide registers without the linker's help.
    change: &'a F,
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
    let to = to.as_chunks_mut::<N>().0;
    for i in 0..from.len().min(to.len()) {
        to[i][channel] = from[i];
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
    level.work_in_256_bits(Interleave(from, to));
}

/// The work of [`interleave_run`].
struct Interleave<'a, S>([&'a [S]; 4], &'a mut [S]);

impl<S: Copy> Work for Interleave<'_, S> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Interleave([a, b, c, d], to) = self;
        match (c, d) {
            ([], []) => two_in(a, b, to.as_chunks_mut().0),
            (c, []) => three_in(a, b, c, to.as_chunks_mut().0),
            (c, d) => four_in(a, b, c, d, to.as_chunks_mut().0),
        }
    }
}

/// One row of pixels as rows of planes: two, three or four of them, the others empty.
pub(crate) fn separate<S: Copy>(from: &[S], to: [&mut [S]; 4]) {
    Level::best().work_in_256_bits(Separate(from, to));
}

/// The work of [`separate`].
struct Separate<'a, S>(&'a [S], [&'a mut [S]; 4]);

impl<S: Copy> Work for Separate<'_, S> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Separate(from, [a, b, c, d]) = self;
        match (c, d) {
            ([], []) => two_out(from.as_chunks().0, a, b),
            (c, []) => three_out(from.as_chunks().0, a, b, c),
            (c, d) => four_out(from.as_chunks().0, a, b, c, d),
        }
    }
}

// The rows come as arguments of their own: such are known not to overlap, without which four of them are not vectorised. All are cut
// to one length before the loop.

#[inline(always)]
fn two_in<S: Copy>(a: &[S], b: &[S], to: &mut [[S; 2]]) {
    let n = to.len().min(a.len()).min(b.len());
    let (a, b, to) = (&a[..n], &b[..n], &mut to[..n]);
    for i in 0..n {
        to[i] = [a[i], b[i]];
    }
}

#[inline(always)]
fn three_in<S: Copy>(a: &[S], b: &[S], c: &[S], to: &mut [[S; 3]]) {
    let n = to.len().min(a.len()).min(b.len()).min(c.len());
    let (a, b, c, to) = (&a[..n], &b[..n], &c[..n], &mut to[..n]);
    for i in 0..n {
        to[i] = [a[i], b[i], c[i]];
    }
}

#[inline(always)]
fn four_in<S: Copy>(a: &[S], b: &[S], c: &[S], d: &[S], to: &mut [[S; 4]]) {
    let n = to.len().min(a.len()).min(b.len()).min(c.len()).min(d.len());
    let (a, b, c, d, to) = (&a[..n], &b[..n], &c[..n], &d[..n], &mut to[..n]);
    for i in 0..n {
        to[i] = [a[i], b[i], c[i], d[i]];
    }
}

#[inline(always)]
fn two_out<S: Copy>(from: &[[S; 2]], a: &mut [S], b: &mut [S]) {
    let n = from.len().min(a.len()).min(b.len());
    let (from, a, b) = (&from[..n], &mut a[..n], &mut b[..n]);
    for i in 0..n {
        [a[i], b[i]] = from[i];
    }
}

#[inline(always)]
fn three_out<S: Copy>(from: &[[S; 3]], a: &mut [S], b: &mut [S], c: &mut [S]) {
    let n = from.len().min(a.len()).min(b.len()).min(c.len());
    let (from, a, b, c) = (&from[..n], &mut a[..n], &mut b[..n], &mut c[..n]);
    for i in 0..n {
        [a[i], b[i], c[i]] = from[i];
    }
}

#[inline(always)]
fn four_out<S: Copy>(from: &[[S; 4]], a: &mut [S], b: &mut [S], c: &mut [S], d: &mut [S]) {
    let n = from.len().min(a.len()).min(b.len()).min(c.len()).min(d.len());
    let (from, a, b, c, d) = (&from[..n], &mut a[..n], &mut b[..n], &mut c[..n], &mut d[..n]);
    for i in 0..n {
        [a[i], b[i], c[i], d[i]] = from[i];
    }
}
