//! Sums of lanes in `f32`, to the nearest code.

use super::Rows;
use crate::color::lanes::{RUN, interleave};
use crate::color::ycbcr::rows::{Exact, ExactRgb, Sum, ToRgb};
use crate::simd::{Level, Work};

/// More than a sum is off. Weights, products and sums are each rounded to 24 bits: of luma alone, all of them below 256, by 3.7e-5 together;
/// around an offset by 5.1e-5. On the way back a sum that ends up between codes is off by 5e-5 at most, that of green: its parts may be as
/// large as 278, of limited range, where numbers are 3e-5 apart.
const OFF_LUMA: f32 = 3.8e-5;
const OFF: f32 = 5.2e-5;

/// Added to a sum from 0 to 2^22 it leaves the nearest whole number in the low bits.
const WHOLE: f32 = 8_388_608.0;

/// A sum of lanes that hold so many numbers each, in `f32`.
#[derive(Debug, Clone, Copy)]
struct Quick {
    weights: [f32; 3],
    offset: f32,
    /// How far from a whole number a sum may be for its code to be sure: beyond, a tie is too near.
    sure: f32,
}

impl Quick {
    fn new(sum: &Sum, numbers: u16) -> Quick {
        let off = if sum.offset == 0.0 { OFF_LUMA } else { OFF };
        let weights = sum.weights.map(|w| (w / f64::from(numbers)) as f32);
        // Where sums are further apart than two are off together, those that are no ties stay on their side when ties are pushed up.
        let coarse = sum.apart.is_some_and(|apart| apart / f64::from(numbers) > 2.2 * f64::from(off));
        let (push, sure) = if coarse { (1.1 * off, 1.0) } else { (0.0, 0.5 - off) };
        Quick { weights, offset: (sum.offset + f64::from(push)) as f32, sure }
    }
}

/// Codes of a row by `N` sums of lanes that hold so many numbers each.
pub(super) fn codes<T, const N: usize>(level: Level, sums: &[Sum; N], from: (&Rows<T>, u16), to: [&mut [u8]; N])
where
    T: Copy + Default + Into<f32>,
{
    let (rows, numbers) = from;
    let quick = sums.each_ref().map(|sum| Quick::new(sum, numbers));
    let mut room = [[0; RUN]; N];
    let mut to = to.map(|row| row.chunks_mut(RUN));
    for at in (0..rows.width).step_by(RUN) {
        let Some(from) = rows.run(at) else { return };
        let far = level.work(Codes { sums: &quick, from, codes: &mut room });
        for n in 0..N {
            let Some(to) = to[n].next() else { return };
            to.copy_from_slice(&room[n][..to.len()]);
            if f32::from_bits(far[n]) > quick[n].sure {
                let lanes = from.map(|lane| lane.map(|v| v.into() / f32::from(numbers)));
                let [r, g, b] = &lanes;
                let from = [&r[..to.len()], &g[..to.len()], &b[..to.len()]];
                level.work(Exact { sum: &sums[n], from, most: 255.0, to });
            }
        }
    }
}

/// Codes of a run; gives how far the furthest sum of each was from a whole number, as bits of an `f32`.
struct Codes<'a, T, const N: usize> {
    sums: &'a [Quick; N],
    from: [&'a [T; RUN]; 3],
    codes: &'a mut [[u8; RUN]; N],
}

impl<T: Copy + Into<f32>, const N: usize> Work for Codes<'_, T, N> {
    type Out = [u32; N];

    #[inline(always)]
    fn work(self) -> [u32; N] {
        let Codes { sums, from: [r, g, b], codes } = self;
        let mut far = [0; N];
        for i in 0..RUN {
            let (r, g, b) = (r[i].into(), g[i].into(), b[i].into());
            for n in 0..N {
                let [wr, wg, wb] = sums[n].weights;
                (codes[n][i], far[n]) = nearest((wr * r + wg * g) + (wb * b + sums[n].offset), far[n]);
            }
        }
        far
    }
}

/// The code nearest to a sum, and the bits of how far from one the furthest was.
#[inline(always)]
#[allow(clippy::manual_clamp)] // clamping would keep NaN
fn nearest(sum: f32, far: u32) -> (u8, u32) {
    let sum = sum.max(0.0).min(255.4);
    let whole = sum + WHOLE;
    // Bits of numbers that are not negative rise with them.
    (whole.to_bits() as u8, far.max((sum - (whole - WHOLE)).abs().to_bits()))
}

/// Bytes of red, green and blue of a row of luma and of colour differences at its width, which are sums of so many numbers.
pub(super) fn to_rgb<C>(level: Level, back: &ToRgb, luma: &[u8], chroma: ([&[C]; 2], u16), to: &mut [u8])
where
    C: Copy + Default + Into<f32>,
{
    let ([cb, cr], numbers) = chroma;
    let mut lanes = [[0; RUN]; 4];
    for (run, to) in to.chunks_mut(3 * RUN).enumerate() {
        let part = run * RUN..run * RUN + to.len() / 3;
        let (mut room, mut others) = ([0; RUN], [[C::default(); RUN]; 2]);
        let y = full(&luma[part.clone()], &mut room);
        let [room_b, room_r] = &mut others;
        let from = (full(&cb[part.clone()], room_b), full(&cr[part.clone()], room_r));
        let far = level.work(Bytes { back, numbers, from: (y, from.0, from.1), to: &mut lanes });
        if f32::from_bits(far) > 0.5 - OFF {
            let of = |v: C| v.into() / f32::from(numbers);
            let (y, cb, cr) = (y.map(f32::from), from.0.map(of), from.1.map(of));
            let count = to.len() / 3;
            level.work(ExactRgb { back, from: [&y[..count], &cb[..count], &cr[..count]], to: &mut lanes });
        }
        interleave(&lanes, 3, to);
    }
}

/// A whole run: as it is where there is one, else what there is, in its room.
fn full<'a, T: Copy>(run: &'a [T], room: &'a mut [T; RUN]) -> &'a [T; RUN] {
    match run.first_chunk() {
        Some(whole) => whole,
        None => {
            room[..run.len()].copy_from_slice(run);
            room
        }
    }
}

/// Samples of a run; gives how far the furthest sum was from a whole number, as bits of an `f32`.
struct Bytes<'a, C> {
    back: &'a ToRgb,
    numbers: u16,
    from: (&'a [u8; RUN], &'a [C; RUN], &'a [C; RUN]),
    to: &'a mut [[u8; RUN]; 4],
}

impl<C: Copy + Into<f32>> Work for Bytes<'_, C> {
    type Out = u32;

    #[inline(always)]
    fn work(self) -> u32 {
        let Bytes { back, numbers, from: (y, cb, cr), to: [to_r, to_g, to_b, _] } = self;
        let (black, scale, none) = (back.luma.0 as f32, back.luma.1 as f32, back.chroma as f32);
        let (red, green, blue) = back.shares;
        let (red, green, blue) = (red as f32, (green.0 as f32, green.1 as f32), blue as f32);
        let each = 1.0 / f32::from(numbers);
        let mut far = 0;
        for i in 0..RUN {
            let luma = (f32::from(y[i]) - black) * scale;
            let (b, r) = (cb[i].into() * each - none, cr[i].into() * each - none);
            (to_r[i], far) = nearest(luma + red * r, far);
            (to_g[i], far) = nearest(luma + (green.0 * b + green.1 * r), far);
            (to_b[i], far) = nearest(luma + blue * b, far);
        }
        far
    }
}
