//! Samples to floats and back: on their own scale or as light, colours weighted by alpha on the way in and divided by it on
//! the way out.

use super::light::Curve;
use crate::frame::{SamplesMut, SamplesRef};
use crate::pixel::{NumberKind, Sample};
use crate::simd::Work;

/// Numbers of a pixel, and whether the last of them is alpha.
#[derive(Debug, Clone, Copy)]
pub(super) struct Channels {
    pub(super) count: usize,
    pub(super) alpha: bool,
}

/// Samples as floats on their own scale (0..=255, 0..=65,535, 0..=1), or as light up to 1; colours times alpha as a fraction.
pub(super) struct Load<'a, S> {
    pub(super) from: &'a [S],
    pub(super) to: &'a mut [f32],
    pub(super) channels: Channels,
    pub(super) curve: Option<&'a Curve>,
}

impl<S: Sample> Work for Load<'_, S> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let Load { from, to, channels, curve } = self;
        match (S::lend_ref(from), curve) {
            (SamplesRef::U8(from), None) => to.iter_mut().zip(from).for_each(|(to, &v)| *to = v.into()),
            (SamplesRef::U16(from), None) => to.iter_mut().zip(from).for_each(|(to, &v)| *to = v.into()),
            (SamplesRef::F32(from), None) => to.iter_mut().zip(from).for_each(|(to, &v)| *to = v),
            (SamplesRef::U8(from), Some(curve)) => curve.decode_bytes(from, to),
            (_, Some(curve)) => to.iter_mut().zip(from).for_each(|(to, &v)| *to = curve.decode(v)),
        }
        match (channels.alpha, channels.count) {
            (true, 2) => weigh::<S, 2>(from, to),
            (true, 4) => weigh::<S, 4>(from, to),
            _ => {}
        }
    }
}

#[inline(always)]
fn weigh<S: Sample, const C: usize>(from: &[S], to: &mut [f32]) {
    let unit = 1.0 / S::FULL.to_f64() as f32;
    for (from, to) in from.as_chunks::<C>().0.iter().zip(to.as_chunks_mut::<C>().0) {
        // Not what a curve has made of it.
        let alpha = from[C - 1].to_f64() as f32;
        let weighed = to.map(|v| v * (alpha * unit));
        *to = weighed;
        to[C - 1] = alpha;
    }
}

/// Back to samples: rounded once, half up, clamped; colours divided by alpha, zero where the stored alpha is zero.
pub(super) struct Store<'a, S> {
    pub(super) from: &'a mut [f32],
    pub(super) to: &'a mut [S],
    pub(super) channels: Channels,
    pub(super) curve: Option<&'a Curve>,
}

impl<S: Sample> Work for Store<'_, S> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let Store { from, to, channels: Channels { count, alpha }, curve } = self;
        match (alpha, count) {
            (true, 2) => unweigh::<S, 2>(from),
            (true, 4) => unweigh::<S, 4>(from),
            _ => {}
        }
        match curve {
            None => put(from, to),
            Some(curve) => {
                to.iter_mut().zip(&*from).for_each(|(to, &v)| *to = curve.encode(v));
                if alpha {
                    // Alpha is no light.
                    for (to, from) in to.chunks_exact_mut(count).zip(from.chunks_exact(count)) {
                        put(&from[count - 1..], &mut to[count - 1..]);
                    }
                }
            }
        }
    }
}

#[inline(always)]
fn unweigh<S: Sample, const C: usize>(row: &mut [f32]) {
    let full = S::FULL.to_f64() as f32;
    // The least alpha that is stored as more than zero.
    let least = if S::KIND == NumberKind::F32 { f32::MIN_POSITIVE } else { 0.5 };
    for p in row.as_chunks_mut::<C>().0 {
        let alpha = p[C - 1];
        let scale = if alpha >= least { full / alpha } else { 0.0 };
        let divided = p.map(|v| v * scale);
        *p = divided;
        p[C - 1] = alpha;
    }
}

#[inline(always)]
fn put<S: Sample>(from: &[f32], to: &mut [S]) {
    // Within the type adding a half and cutting off rounds halves up; NaN is cut off to 0.
    match S::lend(to) {
        SamplesMut::U8(to) => {
            to.iter_mut().zip(from).for_each(|(to, v)| *to = (v.clamp(0.0, 255.0) + 0.5) as i32 as u8);
        }
        SamplesMut::U16(to) => {
            to.iter_mut().zip(from).for_each(|(to, v)| *to = (v.clamp(0.0, 65_535.0) + 0.5) as i32 as u16);
        }
        SamplesMut::F32(to) => to.iter_mut().zip(from).for_each(|(to, &v)| *to = v),
    }
}
