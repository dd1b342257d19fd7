//! Sums of lanes in `f32`, to the nearest code.

use super::Rows;
use crate::color::lanes::RUN;
use crate::color::ycbcr::YcbcrRules;
use crate::color::ycbcr::rows::{Exact, ExactRgb, Sum, ToRgb};
use crate::convert::swizzle;
use crate::simd::{FusedWork, Level, multiply_add as sum};

/// More than a sum is off. Weights, products and sums are each rounded to 24 bits: the sum that is luma itself, all of it below 256, is off by
/// 3.7e-5; scaled to a limited range by 5.7e-5. A difference from it, scaled and around an offset, is off by 5.6e-5. On the way back a sum that
/// ends up between codes is off by 5e-5 at most, that of green: its parts may be as large as 278, of limited range, where numbers are 3e-5
/// apart.
const OFF_LUMA: f32 = 3.8e-5;
const OFF: f32 = 6e-5;

/// Added to a sum from 0 to 2^22 it leaves the nearest whole number in the low bits.
const WHOLE: f32 = 8_388_608.0;

/// Luma of lanes that hold so many numbers each, and what is made of it, in `f32`.
#[derive(Debug, Clone, Copy)]
pub(super) struct Quick {
    /// Of red, green and blue, and what is added.
    luma: ([f32; 3], f32),
    /// What luma, blue less luma and red less luma are scaled by, and what is added.
    scaled: [(f32, f32); 3],
    /// How far from a whole number a sum may be for its code to be sure: beyond, a tie is too near. From 1 on all are.
    sure: [f32; 3],
}

impl Quick {
    pub(super) fn new(rules: &YcbcrRules, sums: &[Sum; 3], numbers: u16) -> Quick {
        let ([r, g, b], full) = (rules.weights.weights(), 255.0);
        let ((black, luma), (none, chroma)) = rules.scales();
        let is_luma_itself = luma == full && black == 0.0;
        let off = [if is_luma_itself { OFF_LUMA } else { OFF }, OFF, OFF];
        // Where sums are further apart than two are off together, those that are no ties stay on their side when ties are pushed up.
        let coarse = |n: usize| sums[n].apart.is_some_and(|apart| apart / f64::from(numbers) > 2.2 * f64::from(off[n]));
        let push = |n: usize| if coarse(n) { 1.1 * f64::from(off[n]) } else { 0.0 };
        // Luma that stays as it is is pushed before it is scaled, which then changes nothing; differences are freed of that again.
        let (first, then) = if is_luma_itself { (push(0), 0.0) } else { (0.0, black + push(0)) };
        let one = 1.0 / f64::from(numbers);
        let difference = |n: usize, weight: f64| {
            let scale = chroma / full / (2.0 * (1.0 - weight));
            ((scale * one) as f32, (none + push(n) + scale * first) as f32)
        };
        let own = [r, g, b].map(|weight| weight as f32);
        Quick {
            luma: (own, (first * f64::from(numbers)) as f32),
            scaled: [((luma / full * one) as f32, then as f32), difference(1, b), difference(2, r)],
            sure: [0, 1, 2].map(|n| if coarse(n) { 1.0 } else { 0.5 - off[n] }),
        }
    }
}

/// Codes of a row of lanes that hold so many numbers each: luma, colour differences or both. A row of codes that is not wanted is empty.
pub(super) fn codes<T, const LUMA: bool, const DIFFERENCES: bool>(
    level: Level,
    sums: &[Sum; 3],
    quick: &Quick,
    (rows, numbers): (&Rows<T>, u16),
    to: [&mut [u8]; 3],
    far: &mut Far,
) where
    T: Copy + Default + Into<f32>,
{
    let wanted = [LUMA, DIFFERENCES, DIFFERENCES];
    let [y, cb, cr] = to;
    let [red, green, blue] = &rows.lanes;
    let from = [&red[..rows.width], &green[..rows.width], &blue[..rows.width]];
    if (0..3).all(|n| !wanted[n] || quick.sure[n] >= 1.0) {
        level.work_fused(Codes::<_, LUMA, DIFFERENCES, true> { quick, from, to: [y, cb, cr], far });
        return;
    }
    far.resize(rows.width.div_ceil(RUN), [0; 3]);
    level.work_fused(Codes::<_, LUMA, DIFFERENCES, false> { quick, from, to: [&mut *y, &mut *cb, &mut *cr], far });
    let to = [y, cb, cr];
    for (run, far) in far.iter().enumerate() {
        for n in 0..3 {
            if wanted[n] && f32::from_bits(far[n]) > quick.sure[n] {
                let part = run * RUN..rows.width.min((run + 1) * RUN);
                let mut lanes = [[0.0; RUN]; 3];
                let [r, g, b] = &mut lanes;
                let codes = |lane: usize, to| as_codes(&from[lane][part.clone()], numbers, to);
                let from = [codes(0, r), codes(1, g), codes(2, b)];
                level.work(Exact { sum: &sums[n], from, most: 255.0, to: &mut to[n][part] });
            }
        }
    }
}

/// Sums of so many codes as their means, in room that is taken as far as needed.
fn as_codes<'a, T: Copy + Into<f32>>(from: &[T], numbers: u16, to: &'a mut [f32; RUN]) -> &'a [f32] {
    for (to, &v) in to.iter_mut().zip(from) {
        *to = v.into() / f32::from(numbers);
    }
    &to[..from.len().min(RUN)]
}

/// How far from a whole number the furthest sum of each run was, as bits of an `f32`.
pub(super) type Far = Vec<[u32; 3]>;

/// Codes of a row, and how far they were from their sums where they are not sure.
struct Codes<'a, T, const LUMA: bool, const DIFFERENCES: bool, const SURE: bool> {
    quick: &'a Quick,
    from: [&'a [T]; 3],
    to: [&'a mut [u8]; 3],
    far: &'a mut Far,
}

impl<T: Copy + Into<f32>, const LUMA: bool, const DIFFERENCES: bool, const SURE: bool> FusedWork
    for Codes<'_, T, LUMA, DIFFERENCES, SURE>
{
    type Out = ();

    #[inline(always)]
    fn work<const FUSED: bool>(self) {
        let Codes { quick, from: [r, g, b], to: [y, cb, cr], far } = self;
        if SURE {
            codes_of::<_, LUMA, DIFFERENCES, true, FUSED>(quick, [r, g, b], [y, cb, cr]);
            return;
        }
        for run in 0..far.len() {
            let part = run * RUN..r.len().min((run + 1) * RUN);
            let luma = if LUMA { part.clone() } else { 0..0 };
            let few = if DIFFERENCES { part.clone() } else { 0..0 };
            let to = [&mut y[luma], &mut cb[few.clone()], &mut cr[few]];
            let from = [&r[part.clone()], &g[part.clone()], &b[part]];
            far[run] = codes_of::<_, LUMA, DIFFERENCES, false, FUSED>(quick, from, to);
        }
    }
}

#[inline(always)]
fn codes_of<T, const LUMA: bool, const DIFFERENCES: bool, const SURE: bool, const FUSED: bool>(
    quick: &Quick,
    [r, g, b]: [&[T]; 3],
    [to_y, to_b, to_r]: [&mut [u8]; 3],
) -> [u32; 3]
where
    T: Copy + Into<f32>,
{
    let (([wr, wg, wb], push), [own, blue, red]) = (quick.luma, quick.scaled);
    let (mut far_y, mut far_b, mut far_r) = (0, 0, 0);
    let count = r.len();
    let (g, b) = (&g[..count], &b[..count]);
    let to_y = &mut to_y[..if LUMA { count } else { 0 }];
    let few = if DIFFERENCES { count } else { 0 };
    let (to_b, to_r) = (&mut to_b[..few], &mut to_r[..few]);
    for i in 0..count {
        let (r, g, b) = (r[i].into(), g[i].into(), b[i].into());
        let y = sum::<FUSED>(wr, r, sum::<FUSED>(wg, g, sum::<FUSED>(wb, b, push)));
        if LUMA {
            (to_y[i], far_y) = nearest::<SURE>(sum::<FUSED>(y, own.0, own.1), far_y);
        }
        if DIFFERENCES {
            (to_b[i], far_b) = nearest::<SURE>(sum::<FUSED>(b - y, blue.0, blue.1), far_b);
            (to_r[i], far_r) = nearest::<SURE>(sum::<FUSED>(r - y, red.0, red.1), far_r);
        }
    }
    [far_y, far_b, far_r]
}

/// The code nearest to a sum that is none below 0, and the bits of how far from one the furthest was.
#[inline(always)]
fn nearest<const SURE: bool>(sum: f32, far: u32) -> (u8, u32) {
    let sum = sum.min(255.4);
    let whole = sum + WHOLE;
    (whole.to_bits() as u8, if SURE { far } else { far.max((sum - (whole - WHOLE)).abs().to_bits()) })
}

/// Luma and colour differences that are sums of so many numbers to red, green and blue, in `f32`.
pub(super) struct QuickBack {
    numbers: u16,
    luma: (f32, f32),
    none: f32,
    red: f32,
    green: (f32, f32),
    blue: f32,
    /// Whether red and blue are sure, however near to a tie.
    is_sure: bool,
    /// How far from a whole number a sum may be to be sure.
    sure: f32,
}

/// More than red and blue are off where luma is a whole number: 3.1e-5.
const OFF_WHOLE: f64 = 3.2e-5;

impl QuickBack {
    pub(super) fn new(rules: &YcbcrRules, back: &ToRgb, numbers: u16) -> QuickBack {
        // Twice the weights' decimals by a whole number over how many numbers there are: so far is red or blue from a tie that it does not meet.
        let apart = 2.0 / (rules.weights.decimals() * f64::from(numbers));
        let is_sure = back.luma == (0.0, 1.0) && apart > 2.2 * OFF_WHOLE;
        let push = if is_sure { 1.1 * OFF_WHOLE } else { 0.0 };
        let (red, green, blue) = back.shares;
        QuickBack {
            numbers,
            luma: ((back.luma.0 - push) as f32, back.luma.1 as f32),
            none: back.chroma as f32,
            red: red as f32,
            green: (green.0 as f32, green.1 as f32),
            blue: blue as f32,
            is_sure,
            sure: 0.5 - OFF - push as f32,
        }
    }
}

/// Bytes of red, green and blue of a row of luma and of colour differences at its width.
pub(super) fn to_rgb<C>(
    level: Level,
    (back, quick): (&ToRgb, &QuickBack),
    from: (&[u8], [&[C]; 2]),
    room: (&mut Rows<u8>, &mut Far),
    to: &mut [u8],
) where
    C: Copy + Into<f32>,
{
    let ((y, [cb, cr]), (rows, far)) = (from, room);
    let width = rows.width;
    far.resize(width.div_ceil(RUN), [0; 3]);
    let [r, g, b] = &mut rows.lanes;
    let (r, g, b) = (&mut r[..width], &mut g[..width], &mut b[..width]);
    let rgb = [&mut *r, &mut *g, &mut *b];
    if quick.is_sure {
        level.work_fused(Bytes::<_, true> { quick, from: (y, cb, cr), to: rgb, far });
    } else {
        level.work_fused(Bytes::<_, false> { quick, from: (y, cb, cr), to: rgb, far });
    }
    for (run, far) in far.iter().enumerate() {
        if f32::from_bits(far[0]) > quick.sure {
            let part = run * RUN..width.min((run + 1) * RUN);
            let (mut wide, mut lanes) = ([[0.0; RUN]; 3], [[0; RUN]; 4]);
            let [wide_y, wide_b, wide_r] = &mut wide;
            let from = [
                as_codes(&y[part.clone()], 1, wide_y),
                as_codes(&cb[part.clone()], quick.numbers, wide_b),
                as_codes(&cr[part.clone()], quick.numbers, wide_r),
            ];
            level.work(ExactRgb { back, from, to: &mut lanes });
            let count = part.len();
            r[part.clone()].copy_from_slice(&lanes[0][..count]);
            g[part.clone()].copy_from_slice(&lanes[1][..count]);
            b[part].copy_from_slice(&lanes[2][..count]);
        }
    }
    swizzle::interleave([r, g, b, &[]], to);
}

/// A row of samples, and how far the furthest sum of each run was from a whole number; where red and blue are sure, that of green.
struct Bytes<'a, C, const SURE: bool> {
    quick: &'a QuickBack,
    from: (&'a [u8], &'a [C], &'a [C]),
    to: [&'a mut [u8]; 3],
    far: &'a mut Far,
}

impl<C: Copy + Into<f32>, const SURE: bool> FusedWork for Bytes<'_, C, SURE> {
    type Out = ();

    #[inline(always)]
    fn work<const FUSED: bool>(self) {
        let Bytes { quick, from: (y, cb, cr), to: [r, g, b], far } = self;
        for run in 0..far.len() {
            let part = run * RUN..y.len().min((run + 1) * RUN);
            let to = [&mut r[part.clone()], &mut g[part.clone()], &mut b[part.clone()]];
            let from = (&y[part.clone()], &cb[part.clone()], &cr[part]);
            far[run] = [bytes_of::<_, SURE, FUSED>(quick, from, to), 0, 0];
        }
    }
}

#[inline(always)]
fn bytes_of<C: Copy + Into<f32>, const SURE: bool, const FUSED: bool>(
    quick: &QuickBack,
    (y, cb, cr): (&[u8], &[C], &[C]),
    [to_r, to_g, to_b]: [&mut [u8]; 3],
) -> u32 {
    let QuickBack { luma: (black, scale), none, red, green, blue, .. } = *quick;
    let (each, mut far, count) = (1.0 / f32::from(quick.numbers), 0, y.len());
    let (cb, cr) = (&cb[..count], &cr[..count]);
    let (to_r, to_g, to_b) = (&mut to_r[..count], &mut to_g[..count], &mut to_b[..count]);
    for i in 0..count {
        let luma = (f32::from(y[i]) - black) * scale;
        let (b, r) = (sum::<FUSED>(cb[i].into(), each, -none), sum::<FUSED>(cr[i].into(), each, -none));
        (to_r[i], far) = nearest::<SURE>(sum::<FUSED>(red, r, luma).max(0.0), far);
        (to_g[i], far) = nearest::<false>(sum::<FUSED>(green.0, b, sum::<FUSED>(green.1, r, luma)).max(0.0), far);
        (to_b[i], far) = nearest::<SURE>(sum::<FUSED>(blue, b, luma).max(0.0), far);
    }
    far
}
