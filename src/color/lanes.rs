//! Runs of pixels as lanes of channels and back, which is what wide registers work on.

use crate::convert::swizzle;
use crate::pixel::Sample;
use crate::simd::Level;

/// Pixels of a run.
pub(super) const RUN: usize = 128;

/// The channels of a run: so many of them hold samples.
pub(super) type Lanes<S> = [[S; RUN]; 4];

/// Pixels of one to four channels, at most [`RUN`] of them, as lanes.
#[inline]
pub(super) fn separate<S: Sample>(pixels: &[S], channels: usize, [a, b, c, d]: &mut Lanes<S>) {
    let count = (pixels.len() / channels.max(1)).min(RUN);
    let pixels = &pixels[..count * channels];
    match channels {
        1 => a[..count].copy_from_slice(pixels),
        2 => swizzle::separate(pixels, [&mut a[..count], &mut b[..count], &mut [], &mut []]),
        3 => swizzle::separate(pixels, [&mut a[..count], &mut b[..count], &mut c[..count], &mut []]),
        _ => swizzle::separate(pixels, [&mut a[..count], &mut b[..count], &mut c[..count], &mut d[..count]]),
    }
}

/// Lanes as pixels of one to four channels, at most [`RUN`] of them.
#[inline]
pub(super) fn interleave<S: Sample>([a, b, c, d]: &Lanes<S>, channels: usize, pixels: &mut [S]) {
    let count = (pixels.len() / channels.max(1)).min(RUN);
    let (level, pixels) = (Level::best(), &mut pixels[..count * channels]);
    match channels {
        1 => pixels.copy_from_slice(&a[..count]),
        2 => swizzle::interleave_run(level, [&a[..count], &b[..count], &[], &[]], pixels),
        3 => swizzle::interleave_run(level, [&a[..count], &b[..count], &c[..count], &[]], pixels),
        _ => swizzle::interleave_run(level, [&a[..count], &b[..count], &c[..count], &d[..count]], pixels),
    }
}
