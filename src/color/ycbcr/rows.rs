//! Rows of red, green and blue to luma and colour differences and back, over lanes of numbers that are exact in `f32`: codes, and means of two or
//! four of them.
//!
//! Sums are in `f64`; pictures of 8 bits with codes of 8 bits have a quicker way ([`bytes`](super::bytes)).
//!
//! All codes are sums of whole numbers times the standards' decimals over a common denominator, so that ties are met exactly. A sum in `f64` is
//! off by less than the bias that is added before rounding: every tie goes up, and of all else only what lies within the bias below one.

use super::YcbcrRules;
use super::code::{YcbcrCode, whole};
use crate::color::lanes::{RUN, interleave, separate};
use crate::pixel::{Depth, Sample};
use crate::simd::{Level, Work, arrays};

/// More than a sum of codes of 16 bits is off.
const BIAS: f64 = 1e-10;

/// A row of lanes, as the numbers that samples are.
#[derive(Debug, Default)]
pub(super) struct Lanes {
    pub(super) r: Vec<f32>,
    pub(super) g: Vec<f32>,
    pub(super) b: Vec<f32>,
}

impl Lanes {
    pub(super) fn new(width: usize) -> Lanes {
        let lane = || vec![0.0; width];
        Lanes { r: lane(), g: lane(), b: lane() }
    }
}

/// Samples of a row, 1 to 4 a pixel, as numbers: gray is repeated, alpha left out.
pub(super) fn load<S: Sample>(row: &[S], channels: usize, to: &mut Lanes) {
    let places = if channels > 2 { [0, 1, 2] } else { [0, 0, 0] };
    let mut lanes = [[S::default(); RUN]; 4];
    for (run, pixels) in row.chunks(RUN * channels).enumerate() {
        separate(pixels, channels, &mut lanes);
        let part = run * RUN..run * RUN + pixels.len() / channels;
        for (to, place) in [&mut to.r, &mut to.g, &mut to.b].into_iter().zip(places) {
            to[part.clone()].iter_mut().zip(&lanes[place]).for_each(|(to, from)| *to = from.to_f32());
        }
    }
}

/// What a sample is a fraction of.
pub(super) fn full_of(depth: Depth) -> f64 {
    depth.max_code().map_or(1.0, f64::from)
}

/// One of three sums of lanes as codes.
#[derive(Debug, Clone, Copy)]
pub(super) struct Sum {
    pub(super) weights: [f64; 3],
    pub(super) offset: f64,
    /// How far sums of bytes are apart at least, where that is known.
    pub(super) apart: Option<f64>,
}

impl Sum {
    /// The sums of a conversion to codes, of samples with this full.
    pub(super) fn all(rules: &YcbcrRules, full: f64) -> [Sum; 3] {
        let ((black, luma), (none, chroma)) = rules.scales();
        let matrix = rules.weights.matrix();
        // Bytes that become codes of as many have the decimals of the standards' weights, over what differences are divided by.
        let [r, _, b] = rules.weights.weights();
        let apart = |divisor: f64| (luma == full && chroma == full).then(|| 1.0 / (rules.weights.decimals() * divisor));
        let sum = |row: [f64; 3], offset, scale: f64, divisor| {
            let weights = row.map(|w| w * scale / full);
            Sum { weights, offset, apart: apart(divisor) }
        };
        let (cb, cr) = (2.0 * (1.0 - b), 2.0 * (1.0 - r));
        [sum(matrix[0], black, luma, 1.0), sum(matrix[1], none, chroma, cb), sum(matrix[2], none, chroma, cr)]
    }

    /// Codes of a row, clamped to 0..=`most`.
    pub(super) fn codes<T: YcbcrCode>(&self, level: Level, from: &Lanes, most: f64, to: &mut [T]) {
        for (run, to) in to.chunks_mut(RUN).enumerate() {
            let part = run * RUN..run * RUN + to.len();
            let from = [&from.r[part.clone()], &from.g[part.clone()], &from.b[part]];
            level.work(Exact { sum: self, from, most, to });
        }
    }
}

/// Sums of a run in `f64`.
pub(super) struct Exact<'a, T> {
    pub(super) sum: &'a Sum,
    pub(super) from: [&'a [f32]; 3],
    pub(super) most: f64,
    pub(super) to: &'a mut [T],
}

impl<T: YcbcrCode> Work for Exact<'_, T> {
    type Out = ();

    #[inline(always)]
    #[allow(clippy::manual_clamp)] // clamping would keep NaN
    fn work(self) {
        let Exact { sum, from: [r, g, b], most, to } = self;
        let ([wr, wg, wb], offset) = (sum.weights, sum.offset + 0.5 + BIAS);
        let (r, g, b) = (&r[..to.len()], &g[..to.len()], &b[..to.len()]);
        for x in 0..to.len() {
            let (r, g, b) = (f64::from(r[x]), f64::from(g[x]), f64::from(b[x]));
            to[x] = T::of_floor((wr * r + wg * g + wb * b + offset).max(0.0).min(most));
        }
    }
}

/// A row of means of chroma places: two neighbours across, sited left or between them, from sums of one or two rows.
pub(super) fn halved(from: &Lanes, left: bool, to: &mut Lanes) {
    fn one(from: &[f32], left: bool, to: &mut [f32]) {
        let (pairs, odd) = from.as_chunks::<2>();
        let count = pairs.len().min(to.len());
        let (pairs, (to, last)) = (&pairs[..count], to.split_at_mut(count));
        if left {
            // A quarter, a half and a quarter around the luma it lies on; the first luma is repeated.
            if let (Some(to), Some([a, b])) = (to.first_mut(), pairs.first()) {
                *to = 0.75 * a + 0.25 * b;
            }
            for i in 1..count {
                to[i] = 0.25 * pairs[i - 1][1] + 0.5 * pairs[i][0] + 0.25 * pairs[i][1];
            }
        } else {
            for i in 0..count {
                to[i] = 0.5 * (pairs[i][0] + pairs[i][1]);
            }
        }
        // The last luma of an odd width is repeated.
        if let (Some(to), Some(only)) = (last.first_mut(), odd.first()) {
            let before = pairs.last().map_or(*only, |pair| pair[1]);
            *to = if left { 0.25 * before + 0.75 * only } else { *only };
        }
    }
    one(&from.r, left, &mut to.r);
    one(&from.g, left, &mut to.g);
    one(&from.b, left, &mut to.b);
}

/// The mean of two rows, into the first.
pub(super) fn averaged(to: &mut Lanes, with: &Lanes) {
    for (to, with) in [(&mut to.r, &with.r), (&mut to.g, &with.g), (&mut to.b, &with.b)] {
        for (to, with) in to.iter_mut().zip(with) {
            *to = 0.5 * (*to + *with);
        }
    }
}

/// Chroma of half the width between which lumas lie, in a straight line, to full width.
pub(super) fn doubled(from: &[f32], left: bool, to: &mut [f32]) {
    let last = from.len().saturating_sub(1);
    let (pairs, odd) = to.as_chunks_mut::<2>();
    let pair = |before: f32, near: f32, behind: f32| match left {
        true => [near, 0.5 * (near + behind)],
        false => [0.75 * near + 0.25 * before, 0.75 * near + 0.25 * behind],
    };
    // All but the outermost have neighbours on both sides.
    for (to, around) in pairs.iter_mut().skip(1).zip(from.windows(3)) {
        *to = pair(around[0], around[1], around[2]);
    }
    if let (Some(first), Some(near)) = (pairs.first_mut(), from.first()) {
        *first = pair(*near, *near, from[1.min(last)]);
    }
    if let (2.., Some(to)) = (from.len(), pairs.get_mut(last)) {
        *to = pair(from[last - 1], from[last], from[last]);
    }
    if let (Some(to), Some(near)) = (odd.first_mut(), from.last()) {
        *to = pair(from[last.saturating_sub(1)], *near, *near)[0];
    }
}

/// The way back: luma and colour differences of a row, as codes, to samples.
pub(super) struct ToRgb {
    pub(super) luma: (f64, f64),
    pub(super) chroma: f64,
    /// What a code of Cr adds to red, of Cb and Cr to green, of Cb to blue.
    pub(super) shares: (f64, (f64, f64), f64),
    full: f64,
}

impl ToRgb {
    pub(super) fn new(rules: &YcbcrRules, full: f64) -> ToRgb {
        let ((black, luma), (none, chroma)) = rules.scales();
        let m = rules.weights.inverse();
        let scale = full / chroma;
        ToRgb {
            luma: (black, full / luma),
            chroma: none,
            shares: (m[0][2] * scale, (m[1][1] * scale, m[1][2] * scale), m[2][1] * scale),
            full,
        }
    }

    /// A row of luma and colour differences, all at full width, as samples.
    pub(super) fn run<S: Sample>(&self, level: Level, from: [&[f32]; 3], to: &mut [S]) {
        let mut lanes = [[S::default(); RUN]; 4];
        for (run, to) in to.chunks_mut(3 * RUN).enumerate() {
            let part = run * RUN..run * RUN + to.len() / 3;
            let from = from.map(|lane| &lane[part.clone()]);
            level.work(ExactRgb { back: self, from, to: &mut lanes });
            interleave(&lanes, 3, to);
        }
    }
}

/// A run in `f64`.
pub(super) struct ExactRgb<'a, S> {
    pub(super) back: &'a ToRgb,
    pub(super) from: [&'a [f32]; 3],
    pub(super) to: &'a mut [[S; RUN]; 4],
}

impl<S: Sample> Work for ExactRgb<'_, S> {
    type Out = ();

    #[inline(always)]
    #[allow(clippy::manual_clamp)] // clamping would keep NaN
    fn work(self) {
        let ExactRgb { back, from: [y, cb, cr], to: [to_r, to_g, to_b, _] } = self;
        let ((black, scale), (red, green, blue)) = (back.luma, back.shares);
        let (bias, full) = (0.5 + BIAS, back.full);
        let count = y.len().min(RUN);
        let (y, cb, cr) = (&y[..count], &cb[..count], &cr[..count]);
        for i in 0..count {
            let luma = (f64::from(y[i]) - black) * scale;
            let (b, r) = (f64::from(cb[i]) - back.chroma, f64::from(cr[i]) - back.chroma);
            let rgb = [luma + red * r, luma + green.0 * b + green.1 * r, luma + blue * b];
            let rgb = match S::DEPTH {
                Depth::U8 => arrays::map(rgb, |v| S::from_u8(whole((v + bias).max(0.0).min(full)) as u8)),
                Depth::U16 => arrays::map(rgb, |v| S::from_u16(whole((v + bias).max(0.0).min(full)) as u16)),
                // Floats keep what lies outside.
                Depth::F32 => arrays::map(rgb, S::from_f64),
            };
            (to_r[i], to_g[i], to_b[i]) = (rgb[0], rgb[1], rgb[2]);
        }
    }
}
