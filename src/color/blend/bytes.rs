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
            if (channels.count, over.count) == (4, 4) {
                let (lower, upper) = (to.as_chunks_mut().0, upper.row(y).as_chunks().0);
                level.work(Pixels { lower, upper, opacity });
                continue;
            }
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
            let from = [u32::from(upper[0][i]), upper[1][i].into(), upper[2][i].into(), upper[3][i].into()];
            let to = [u32::from(r[i]), g[i].into(), b[i].into(), alphas[i].into()];
            let [red, green, blue, alpha] = laid_over::<ALPHA>(from, to, opacity);
            (r[i], g[i], b[i]) = (red as u8, green as u8, blue as u8);
            if ALPHA {
                alphas[i] = alpha as u8;
            }
        }
    }
}

/// A row of four channels over one of four: each pixel is taken apart as the number that it is.
struct Pixels<'a> {
    lower: &'a mut [[u8; 4]],
    upper: &'a [[u8; 4]],
    opacity: f32,
}

impl Work for Pixels<'_> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let Pixels { lower, upper, opacity } = self;
        let upper = &upper[..lower.len()];
        for i in 0..lower.len() {
            let (from, to) = (u32::from_le_bytes(upper[i]), u32::from_le_bytes(lower[i]));
            let codes = |v: u32| [v & 255, v >> 8 & 255, v >> 16 & 255, v >> 24];
            let [r, g, b, alpha] = laid_over::<true>(codes(from), codes(to), opacity);
            lower[i] = (r | g << 8 | b << 16 | alpha << 24).to_le_bytes();
        }
    }
}

/// Codes of a pixel over those of another, which is opaque where it has no alpha.
#[inline(always)]
fn laid_over<const ALPHA: bool>([r, g, b, a]: [u32; 4], [to_r, to_g, to_b, to_a]: [u32; 4], opacity: f32) -> [u32; 4] {
    let above = fraction(a) * opacity;
    let below = if ALPHA { fraction(to_a) } else { 1.0 };
    let share = below * (1.0 - above);
    let alpha = (above + share).min(1.0);
    let scale = match ALPHA {
        true if alpha > 0.0 => 1.0 / alpha,
        true => 0.0,
        false => 1.0,
    };
    let mix = |from: u32, to: u32| {
        let sum = (above * fraction(from) + share * fraction(to)) * scale;
        if above == 0.0 { to } else { nearest(sum) }
    };
    [mix(r, to_r), mix(g, to_g), mix(b, to_b), if above == 0.0 { to_a } else { nearest(alpha) }]
}

#[inline(always)]
fn fraction(code: u32) -> f32 {
    code as f32 * (1.0 / 255.0)
}

/// The code nearest to a fraction that is not negative, ties up.
#[inline(always)]
fn nearest(fraction: f32) -> u32 {
    // A whole number below 2^23 stands in the low bits of its sum with 2^23: a cast would be checked.
    ((fraction * 255.0 + 0.5).min(255.0).floor() + 8_388_608.0).to_bits() & 255
}
