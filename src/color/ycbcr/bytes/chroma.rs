//! Fewer colour differences than lumas, as whole sums: means of pixels on the way there, straight lines between codes on the way back.

use super::Rows;
use crate::simd::{Level, Work};

/// Means of chroma places as sums: of two neighbours across, or, sited left, of one, twice the next and one around the luma it lies on; of
/// two rows, which may be the same. Gives how many numbers a sum has.
pub(super) fn halved(level: Level, [first, second]: [&Rows<u8>; 2], left: bool, to: &mut Rows<u16>) -> u16 {
    for (lane, to) in to.lanes.iter_mut().enumerate() {
        let (a, b) = (&first.lanes[lane][..first.width], &second.lanes[lane][..first.width]);
        level.work(Halved { rows: [a, b], left, to });
    }
    if left { 8 } else { 4 }
}

/// One lane of two rows, at half the width.
struct Halved<'a> {
    rows: [&'a [u8]; 2],
    left: bool,
    to: &'a mut [u16],
}

impl Work for Halved<'_> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let [a, b] = self.rows;
        if self.left { around(a, b, self.to) } else { pairs(a, b, self.to) }
    }
}

/// Sums of two neighbours of two rows, both of which one number of 16 bits holds; beyond an odd width its last pixel again.
#[inline(always)]
fn pairs(a: &[u8], b: &[u8], to: &mut [u16]) {
    let sum = |i: usize| u16::from(a[i]) + u16::from(b[i]);
    let ((a, odd), (b, _)) = (a.as_chunks::<2>(), b.as_chunks::<2>());
    let (whole, last) = to.split_at_mut(a.len());
    let b = &b[..whole.len()];
    for i in 0..whole.len() {
        let (a, b) = (u16::from_le_bytes(a[i]), u16::from_le_bytes(b[i]));
        whole[i] = (a & 0xff) + (a >> 8) + (b & 0xff) + (b >> 8);
    }
    if let ([_], Some(to)) = (odd, last.first_mut()) {
        *to = 2 * sum(2 * a.len());
    }
}

/// Sums of a pixel at an even place, twice, and its neighbours, of two rows; the outermost are repeated.
#[inline(always)]
fn around(a: &[u8], b: &[u8], to: &mut [u16]) {
    let last = a.len().saturating_sub(1);
    let sum = |i: usize| u16::from(a[i.min(last)]) + u16::from(b[i.min(last)]);
    let count = a.len().div_ceil(2);
    let ((evens, _), (others, _)) = (a.as_chunks::<2>(), b.as_chunks::<2>());
    let to = &mut to[..count];
    // Between the outermost.
    let inner = evens.len().saturating_sub(1);
    let (before, evens) = (&evens[..inner], &evens[evens.len() - inner..]);
    let (under, others) = (&others[..inner], &others[others.len() - inner..]);
    let middle = &mut to[count.min(1)..][..inner];
    for i in 0..inner {
        let (a, b) = (u16::from_le_bytes(evens[i]), u16::from_le_bytes(others[i]));
        let left = (u16::from_le_bytes(before[i]) >> 8) + (u16::from_le_bytes(under[i]) >> 8);
        middle[i] = left + 2 * ((a & 0xff) + (b & 0xff)) + (a >> 8) + (b >> 8);
    }
    for i in [0, count.saturating_sub(1)] {
        if let Some(to) = to.get_mut(i) {
            *to = sum((2 * i).saturating_sub(1)) + 2 * sum(2 * i) + sum(2 * i + 1);
        }
    }
}

/// Colour differences of two rows at half their width: three of the first and one of the second, across as sums with a neighbour.
pub(super) struct Doubled {
    few: Vec<u16>,
    /// At full width, Cb and Cr.
    lanes: [Vec<u16>; 2],
}

impl Doubled {
    pub(super) fn new(width: usize) -> Doubled {
        let lane = || vec![0; width];
        Doubled { few: vec![0; width.div_ceil(2)], lanes: [lane(), lane()] }
    }

    /// How many codes a number is the sum of.
    pub(super) fn numbers(left: bool) -> u16 {
        if left { 8 } else { 16 }
    }

    /// Goes to a row between two rows of few: of each plane the nearer one and the other.
    pub(super) fn go_to(&mut self, level: Level, planes: [[&[u8]; 2]; 2], left: bool) {
        for ([near, far], to) in planes.into_iter().zip(&mut self.lanes) {
            level.work(Between { rows: [near, far], left, few: &mut self.few, to });
        }
    }

    /// Cb and Cr at full width.
    pub(super) fn lanes(&self) -> [&[u16]; 2] {
        [&self.lanes[0], &self.lanes[1]]
    }
}

/// A row between two rows of one plane, at twice the width.
struct Between<'a> {
    rows: [&'a [u8]; 2],
    left: bool,
    few: &'a mut [u16],
    to: &'a mut [u16],
}

impl Work for Between<'_> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Between { rows: [near, far], left, few, to } = self;
        let (near, far) = (&near[..few.len()], &far[..few.len()]);
        for i in 0..few.len() {
            few[i] = 3 * u16::from(near[i]) + u16::from(far[i]);
        }
        doubled(few, left, to);
    }
}

/// Numbers between which twice as many lie, in a straight line: sums of two (sited left) or four of them.
#[inline(always)]
fn doubled(from: &[u16], left: bool, to: &mut [u16]) {
    let last = from.len().saturating_sub(1);
    let (pairs, odd) = to.as_chunks_mut::<2>();
    let pair = |before: u16, near: u16, behind: u16| match left {
        true => [2 * near, near + behind],
        false => [3 * near + before, 3 * near + behind],
    };
    // All but the outermost have neighbours on both sides.
    let inner = from.len().saturating_sub(2).min(pairs.len().saturating_sub(1));
    if inner > 0 {
        let (before, near, behind) = (&from[..inner], &from[1..][..inner], &from[2..][..inner]);
        let middle = &mut pairs[1..][..inner];
        for i in 0..inner {
            middle[i] = pair(before[i], near[i], behind[i]);
        }
    }
    for i in [0, last] {
        if let (Some(to), Some(near)) = (pairs.get_mut(i), from.get(i)) {
            *to = pair(from[i.saturating_sub(1)], *near, from[(i + 1).min(last)]);
        }
    }
    if let (Some(to), Some(near)) = (odd.first_mut(), from.last()) {
        *to = pair(from[last.saturating_sub(1)], *near, *near)[0];
    }
}
