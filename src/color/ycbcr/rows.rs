//! Rows of red, green and blue to luma and colour differences and back, in `f64` over lanes.
//!
//! All codes are sums of whole numbers times the standards' decimals over a common denominator, so that ties are met exactly. A sum in `f64` is
//! off by less than the bias that is added before rounding: every tie goes up, and of all else only what lies within the bias below one.

use super::YcbcrRules;
use crate::color::lanes::{RUN, separate};
use crate::pixel::{Depth, Sample};

/// More than a sum of codes of 16 bits is off.
const BIAS: f64 = 1e-10;

/// The whole part of a number from 0 to 65,535: it stands in the low bits of its sum with 2^52, where a cast would be checked.
#[inline(always)]
pub(super) fn whole(value: f64) -> u64 {
    (value.floor() + 4_503_599_627_370_496.0).to_bits()
}

/// A row of lanes, as fractions of full.
#[derive(Debug, Default)]
pub(super) struct Lanes {
    pub(super) r: Vec<f64>,
    pub(super) g: Vec<f64>,
    pub(super) b: Vec<f64>,
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
            to[part.clone()].iter_mut().zip(&lanes[place]).for_each(|(to, from)| *to = from.to_f64());
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
}

impl Sum {
    /// The sums of a conversion to codes, of samples with this full.
    pub(super) fn all(rules: &YcbcrRules, full: f64) -> [Sum; 3] {
        let ((black, luma), (none, chroma)) = rules.scales();
        let matrix = rules.weights.matrix();
        let sum = |row: [f64; 3], offset, scale: f64| Sum { weights: row.map(|w| w * scale / full), offset };
        [sum(matrix[0], black, luma), sum(matrix[1], none, chroma), sum(matrix[2], none, chroma)]
    }

    /// Codes of a row, clamped to 0..=`most`.
    #[inline(always)]
    #[allow(clippy::manual_clamp)] // clamping would keep NaN
    pub(super) fn codes<T>(&self, from: &Lanes, most: f64, to: &mut [T], code: impl Fn(f64) -> T) {
        let ([wr, wg, wb], offset) = (self.weights, self.offset + 0.5 + BIAS);
        let (r, g, b) = (&from.r[..to.len()], &from.g[..to.len()], &from.b[..to.len()]);
        for x in 0..to.len() {
            to[x] = code((wr * r[x] + wg * g[x] + wb * b[x] + offset).max(0.0).min(most));
        }
    }
}

/// A row of means of chroma places: two neighbours across, sited left or between them, from sums of one or two rows.
pub(super) fn halved(from: &Lanes, left: bool, to: &mut Lanes) {
    fn one(from: &[f64], left: bool, to: &mut [f64]) {
        let last = from.len().saturating_sub(1);
        for (x, to) in to.iter_mut().enumerate() {
            let at = 2 * x;
            let next = from[(at + 1).min(last)];
            *to = match left {
                // A quarter, a half and a quarter around the luma it lies on.
                true => 0.25 * from[at.saturating_sub(1)] + 0.5 * from[at] + 0.25 * next,
                false => 0.5 * (from[at] + next),
            };
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
pub(super) fn doubled(from: &[f64], left: bool, to: &mut [f64]) {
    let last = from.len().saturating_sub(1);
    let (pairs, odd) = to.as_chunks_mut::<2>();
    let pair = |before: f64, near: f64, behind: f64| match left {
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
    luma: (f64, f64),
    chroma: f64,
    /// What a code of Cr adds to red, of Cb and Cr to green, of Cb to blue.
    shares: (f64, (f64, f64), f64),
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

    #[inline(always)]
    #[allow(clippy::manual_clamp)] // clamping would keep NaN
    pub(super) fn run<S: Sample>(&self, [y, cb, cr]: [&[f64]; 3], to: &mut [S]) {
        let ((black, scale), (red, green, blue)) = (self.luma, self.shares);
        let (bias, full) = (0.5 + BIAS, self.full);
        let to = to.as_chunks_mut::<3>().0;
        let (y, cb, cr) = (&y[..to.len()], &cb[..to.len()], &cr[..to.len()]);
        for x in 0..to.len() {
            let (luma, b, r) = ((y[x] - black) * scale, cb[x] - self.chroma, cr[x] - self.chroma);
            let rgb = [luma + red * r, luma + green.0 * b + green.1 * r, luma + blue * b];
            to[x] = match S::DEPTH {
                Depth::U8 => rgb.map(|v| S::from_u8(whole((v + bias).max(0.0).min(full)) as u8)),
                Depth::U16 => rgb.map(|v| S::from_u16(whole((v + bias).max(0.0).min(full)) as u16)),
                // Floats keep what lies outside.
                Depth::F32 => rgb.map(S::from_f64),
            };
        }
    }
}
