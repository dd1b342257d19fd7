//! The plain case in one go: bytes over bytes, encoded, without a mask. The numbers are those of [`formulas`](super::formulas), operation
//! by operation, so that the codes are too.

use super::BlendRules;
use crate::color::lanes::{Lanes, RUN, interleave, separate};
use crate::frame::{SampleView, SampleViewMut};
use crate::pixel::Channels;
use crate::simd::{Level, Work};

/// Lays the upper picture over the lower one; each is gray or rgb, with or without alpha, and the lower is rgb where the upper is.
pub(super) fn over(lower: SampleViewMut<'_, u8>, upper: SampleView<'_, u8>, rules: &BlendRules) {
    let size = lower.bytes() * 3;
    let (channels, over, opacity) = (lower.channels(), upper.channels(), rules.opacity as f32);
    lower.each_band(rules.threads, size, &|first, part| {
        let (mut below, mut above, level) = ([[0; RUN]; 4], [[0; RUN]; 4], Level::best());
        for (y, to) in (first..).zip(part.into_rows()) {
            let from = upper.row(y).chunks(RUN * over.count);
            for (to, from) in to.chunks_mut(RUN * channels.count).zip(from) {
                take(to, channels, channels, &mut below);
                take(from, over, channels, &mut above);
                let (lower, upper) = (&mut below, &above);
                match channels.alpha {
                    true => level.work(Over::<true> { lower, upper, opacity }),
                    false => level.work(Over::<false> { lower, upper, opacity }),
                }
                if (channels.colors(), channels.alpha) == (1, true) {
                    below[1] = below[3];
                }
                interleave(&below, channels.count, to);
            }
        }
    });
}

/// Takes a run of pixels apart: colours first, as many as are wanted, alpha last, full where there is none.
fn take(run: &[u8], channels: Channels, wanted: Channels, lanes: &mut Lanes<u8>) {
    separate(run, channels.count, lanes);
    match (channels.colors(), channels.alpha) {
        (1, true) => lanes[3] = lanes[1],
        (_, true) => {}
        (_, false) => lanes[3] = [255; RUN],
    }
    if channels.colors() < wanted.colors() {
        (lanes[1], lanes[2]) = (lanes[0], lanes[0]);
    }
}

/// A run of bytes over one of bytes, with or without alpha of its own.
struct Over<'a, const ALPHA: bool> {
    lower: &'a mut Lanes<u8>,
    upper: &'a Lanes<u8>,
    opacity: f32,
}

impl<const ALPHA: bool> Work for Over<'_, ALPHA> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Over { lower: [r, g, b, alphas], upper, opacity } = self;
        for i in 0..RUN {
            let above = fraction(upper[3][i]) * opacity;
            let below = if ALPHA { fraction(alphas[i]) } else { 1.0 };
            let share = below * (1.0 - above);
            let alpha = (above + share).min(1.0);
            let scale = match ALPHA {
                true if alpha > 0.0 => 1.0 / alpha,
                true => 0.0,
                false => 1.0,
            };
            let mix = |from: u8, to: u8| {
                let sum = (above * fraction(from) + share * fraction(to)) * scale;
                if above == 0.0 { to } else { nearest(sum) }
            };
            (r[i], g[i], b[i]) = (mix(upper[0][i], r[i]), mix(upper[1][i], g[i]), mix(upper[2][i], b[i]));
            if ALPHA {
                alphas[i] = if above == 0.0 { alphas[i] } else { nearest(alpha) };
            }
        }
    }
}

#[inline(always)]
fn fraction(code: u8) -> f32 {
    f32::from(code) * (1.0 / 255.0)
}

/// The code nearest to a fraction that is not negative, ties up.
#[inline(always)]
fn nearest(fraction: f32) -> u8 {
    // A whole number below 2^23 stands in the low bits of its sum with 2^23: a cast would be checked.
    ((fraction * 255.0 + 0.5).min(255.0).floor() + 8_388_608.0).to_bits() as u8
}
