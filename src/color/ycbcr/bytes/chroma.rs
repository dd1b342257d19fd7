//! Fewer colour differences than lumas, as whole sums: means of pixels on the way there, straight lines between codes on the way back.

use super::Rows;

/// Means of chroma places as sums: of two neighbours across, or, sited left, of one, twice the next and one around the luma it lies on; of
/// two rows, which may be the same. Gives how many numbers a sum has.
pub(super) fn halved([first, second]: [&Rows<u8>; 2], left: bool, to: &mut Rows<u16>) -> u16 {
    for (lane, to) in to.lanes.iter_mut().enumerate() {
        let (a, b) = (&first.lanes[lane][..first.width], &second.lanes[lane][..first.width]);
        if left { around(a, b, to) } else { pairs(a, b, to) }
    }
    if left { 8 } else { 4 }
}

/// Sums of two neighbours of two rows; beyond an odd width its last pixel again.
fn pairs(a: &[u8], b: &[u8], to: &mut [u16]) {
    let sum = |i: usize| u16::from(a[i]) + u16::from(b[i]);
    let ((a, odd), (b, _)) = (a.as_chunks::<2>(), b.as_chunks::<2>());
    let (whole, last) = to.split_at_mut(a.len());
    for i in 0..whole.len() {
        whole[i] = u16::from(a[i][0]) + u16::from(a[i][1]) + u16::from(b[i][0]) + u16::from(b[i][1]);
    }
    if let ([_], Some(to)) = (odd, last.first_mut()) {
        *to = 2 * sum(2 * a.len());
    }
}

/// Sums of a pixel at an even place, twice, and its neighbours, of two rows; the outermost are repeated.
fn around(a: &[u8], b: &[u8], to: &mut [u16]) {
    let last = a.len().saturating_sub(1);
    let sum = |i: usize| u16::from(a[i.min(last)]) + u16::from(b[i.min(last)]);
    let count = a.len().div_ceil(2);
    let ((evens, _), (others, _)) = (a.as_chunks::<2>(), b.as_chunks::<2>());
    let to = &mut to[..count];
    for i in 1..evens.len() {
        let odds =
            u16::from(evens[i - 1][1]) + u16::from(evens[i][1]) + u16::from(others[i - 1][1]) + u16::from(others[i][1]);
        to[i] = odds + 2 * (u16::from(evens[i][0]) + u16::from(others[i][0]));
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
    pub(super) fn go_to(&mut self, planes: [[&[u8]; 2]; 2], left: bool) {
        for ([near, far], to) in planes.into_iter().zip(&mut self.lanes) {
            for i in 0..self.few.len() {
                self.few[i] = 3 * u16::from(near[i]) + u16::from(far[i]);
            }
            doubled(&self.few, left, to);
        }
    }

    /// Cb and Cr at full width.
    pub(super) fn lanes(&self) -> [&[u16]; 2] {
        [&self.lanes[0], &self.lanes[1]]
    }
}

/// Numbers between which twice as many lie, in a straight line: sums of two (sited left) or four of them.
fn doubled(from: &[u16], left: bool, to: &mut [u16]) {
    let last = from.len().saturating_sub(1);
    let (pairs, odd) = to.as_chunks_mut::<2>();
    let pair = |before: u16, near: u16, behind: u16| match left {
        true => [2 * near, near + behind],
        false => [3 * near + before, 3 * near + behind],
    };
    // All but the outermost have neighbours on both sides.
    for i in 1..last.min(pairs.len()) {
        pairs[i] = pair(from[i - 1], from[i], from[i + 1]);
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
