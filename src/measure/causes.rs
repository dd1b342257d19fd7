//! Likely causes of a difference that lie in the numbers, and small shifts: what a wrong curve, a factor, a negative or a crop leaves.
//!
//! Not here: exchanged channels and orientations ([`hint`](super::hint)).

use super::figures::decibels;
use super::fix::Fix;
use super::pair::{BAND, ENOUGH, GAIN, Pair, numbers};
use crate::pixel::Transfer;

/// The largest shift that is looked for, in pixels along each axis.
const FARTHEST: i8 = 8;

/// Fractions of the peak within which curves and factors are told: near the ends rounding and clipping hide them.
const TOLD: std::ops::Range<f64> = 0.02..0.98;

/// A curve or factor that differs from none by less is none.
const NOTHING: f64 = 0.01;

impl Pair<'_> {
    /// The likeliest of the causes in the numbers, and its PSNR over the bands that were looked at; those worse than `hopeless` are given
    /// up on the way.
    pub(super) fn cause(&self, step: u32, hopeless: f64) -> Option<(f64, Fix)> {
        let mut fixes = vec![Fix::Encoded, Fix::Decoded, Fix::Negative];
        fixes.extend(self.fitted(step));
        let values = fixes.into_iter().map(|fix| (self.values(fix, step, hopeless), fix));
        let along = || -FARTHEST..=FARTHEST;
        let shifts = along().flat_map(|y| along().map(move |x| (x, y))).filter(|shift| *shift != (0, 0));
        let shifts = shifts.map(|(x, y)| (self.shifted((x, y), step, hopeless), Fix::Shift(x, y)));
        values.chain(shifts).fold(None, |best: Option<(f64, Fix)>, found| match best {
            Some(best) if best.0 >= found.0 => Some(best),
            _ => Some(found),
        })
    }

    /// PSNR once the cause is taken away, over bands of rows every `step` rows.
    pub(super) fn without(&self, fix: Fix, step: u32) -> f64 {
        match fix {
            Fix::Shift(x, y) => self.shifted((x, y), step, f64::NEG_INFINITY),
            _ => self.values(fix, step, f64::NEG_INFINITY),
        }
    }

    /// Rows that are looked at.
    fn looked_at(&self, step: u32) -> impl Iterator<Item = u32> {
        let height = self.a.height();
        (0..height).step_by(step as usize).flat_map(move |y| y..height.min(y + BAND))
    }

    /// The factor and the exponent that bring the second closest to the first, by least squares.
    fn fitted(&self, step: u32) -> Vec<Fix> {
        if self.a.size() != self.b.size() {
            return Vec::new();
        }
        let (mut first, mut second) = (Vec::new(), Vec::new());
        let ([mut ab, mut bb], [mut logs, mut squares]) = ([0.0; 2], [0.0; 2]);
        for y in self.looked_at(step) {
            self.rows(y, y, &mut first, &mut second);
            for (a, b) in self.color_pairs(&first, &second) {
                let (a, b) = (a / self.peak, b / self.peak);
                if TOLD.contains(&a) && TOLD.contains(&b) {
                    ab += a * b;
                    bb += b * b;
                    logs += a.ln() * b.ln();
                    squares += b.ln() * b.ln();
                }
            }
        }
        // In three digits: what somebody may have typed.
        let digits = |v: f64| (v * 1000.0).round() / 1000.0;
        let far = |v: &f64| v.is_finite() && *v > 0.0 && (v - 1.0).abs() >= NOTHING;
        let gain = Some(digits(ab / bb)).filter(far).map(Fix::Gain);
        let gamma = Some(digits(logs / squares)).filter(far).map(Fix::Gamma);
        gain.into_iter().chain(gamma).collect()
    }

    /// PSNR where the numbers of the second are changed.
    fn values(&self, fix: Fix, step: u32, hopeless: f64) -> f64 {
        if self.a.size() != self.b.size() {
            return f64::NEG_INFINITY;
        }
        let peak = self.peak;
        let change = |b: f64| match fix {
            Fix::Encoded => peak * Transfer::Srgb.encode(b / peak),
            Fix::Decoded => peak * Transfer::Srgb.decode(b / peak),
            Fix::Negative => peak - b,
            Fix::Gain(factor) => b * factor,
            Fix::Gamma(exponent) => peak * (b / peak).abs().powf(exponent).copysign(b),
            _ => b,
        };
        // Whole numbers were rounded, and clamped to what they hold.
        let whole = |v: f64| if self.kind.is_integer() { v.round().clamp(0.0, peak) } else { v };
        self.apart(step, hopeless, (0, 0), |b| whole(change(b)))
    }

    /// PSNR where the second is moved by whole pixels, over what both then cover.
    fn shifted(&self, (x, y): (i8, i8), step: u32, hopeless: f64) -> f64 {
        let room = |side: u32, by: i8| side > u32::from(by.unsigned_abs());
        let size = self.a.size();
        match size == self.b.size() && room(size.width, x) && room(size.height, y) {
            true => self.apart(step, hopeless, (x, y), |b| b),
            false => f64::NEG_INFINITY,
        }
    }

    fn apart(&self, step: u32, hopeless: f64, (dx, dy): (i8, i8), change: impl Fn(f64) -> f64) -> f64 {
        let channels = self.channels();
        // The same columns of both, once the second is moved to the right by dx.
        let skipped = |by: i8| if by > 0 { by.unsigned_abs() as usize * channels } else { 0 };
        let (from_first, from_second) = (skipped(dx), skipped(-dx));
        let (mut first, mut second) = (Vec::new(), Vec::new());
        let (mut sum, mut count) = (0.0, 0u64);
        let so_far = |sum: f64, count: u64| decibels(self.peak * self.peak * count as f64, sum);
        for y in self.looked_at(step) {
            let Some(other) = u32::try_from(i64::from(y) - i64::from(dy)).ok().filter(|y| *y < self.b.height()) else {
                continue;
            };
            self.rows(y, other, &mut first, &mut second);
            for (a, b) in self.color_pairs(&first[from_first..], &second[from_second..]) {
                let apart = if a.is_nan() && b.is_nan() { 0.0 } else { a - change(b) };
                sum += apart * apart;
                count += 1;
            }
            if count >= ENOUGH && so_far(sum, count) < hopeless {
                break;
            }
        }
        if count == 0 { f64::NEG_INFINITY } else { so_far(sum, count) }
    }

    fn rows(&self, y: u32, other: u32, first: &mut Vec<f64>, second: &mut Vec<f64>) {
        numbers(self.a.row(y), self.kind, first);
        numbers(self.b.row(other), self.kind, second);
    }

    fn channels(&self) -> usize {
        self.a.channels().count / self.kind.bytes()
    }

    /// The numbers of both, alpha left out.
    fn color_pairs<'r>(&self, first: &'r [f64], second: &'r [f64]) -> impl Iterator<Item = (f64, f64)> + use<'r> {
        let (channels, colors) = (self.channels(), self.colors);
        let pixels = first.chunks_exact(channels).zip(second.chunks_exact(channels));
        pixels.flat_map(move |(a, b)| a.iter().copied().zip(b.iter().copied()).take(colors))
    }
}

/// How much closer a cause in the numbers must bring two pictures than one in their order, in dB: a curve is fitted to anything.
pub(super) const FITTED: f64 = 2.0 * GAIN;
