//! Samples to floats and back: on their own scale or as light, colours weighted by alpha on the way in and divided by it on
//! the way out.

use super::light::Curve;
use crate::pixel::{Channels, NumberKind, Sample, SamplesMut, SamplesRef};
use crate::simd::resample::finish::{Divide, Finished};
use crate::simd::{Level, Work};

/// Samples as floats on their own scale (0..=255, 0..=65,535, 0..=1), or as light up to 1; colours times alpha as a
/// fraction. As many as there is room for.
pub(super) fn load(level: Level, from: SamplesRef<'_>, to: &mut [f32], channels: Channels, curve: Option<&Curve>) {
    match from {
        SamplesRef::U8(from) => level.work(Load { from, to, channels, curve }),
        SamplesRef::U16(from) => level.work(Load { from, to, channels, curve }),
        SamplesRef::F32(from) => level.work(Load { from, to, channels, curve }),
    }
}

struct Load<'a, S> {
    from: &'a [S],
    to: &'a mut [f32],
    channels: Channels,
    curve: Option<&'a Curve>,
}

impl<S: Sample> Work for Load<'_, S> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let Load { from, to, channels, curve } = self;
        match curve {
            None => to.iter_mut().zip(from).for_each(|(to, &v)| *to = v.to_f32()),
            Some(curve) => match S::lend_ref(from) {
                SamplesRef::U8(from) => curve.decode_bytes(from, to),
                _ => to.iter_mut().zip(from).for_each(|(to, &v)| *to = curve.decode(v)),
            },
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
        to.iter_mut().for_each(|v| *v *= alpha * unit);
        to[C - 1] = alpha;
    }
}

/// Sums back to samples: rounded once, half up, clamped; colours divided by alpha, zero where the stored alpha is zero.
pub(super) fn store(level: Level, from: &[f32], to: SamplesMut<'_>, channels: Channels, curve: Option<&Curve>) {
    match to {
        SamplesMut::U8(to) => store_samples(level, from, to, channels, curve),
        SamplesMut::U16(to) => store_samples(level, from, to, channels, curve),
        SamplesMut::F32(to) => store_samples(level, from, to, channels, curve),
    }
}

fn store_samples<S: Sample>(level: Level, from: &[f32], to: &mut [S], channels: Channels, curve: Option<&Curve>) {
    let Channels { count, alpha, .. } = channels;
    // The least alpha that is stored as more than zero.
    let least = if S::KIND == NumberKind::F32 { f32::MIN_POSITIVE } else { 0.5 };
    let divide = Divide { channels: if alpha { count } else { 1 }, full: S::FULL.to_f32(), least };
    let Some(curve) = curve else {
        return level.finish(from, divide, finished(to));
    };
    if !alpha {
        return level.work(Encode { from, to, curve, count, colours: count });
    }
    // Alpha is no light: it is stored as it is, and colours over what stands beside it.
    level.finish(from, Divide { channels: 1, ..divide }, finished(to));
    let mut divided = vec![0.0; from.len()];
    level.finish(from, divide, Finished::F32(&mut divided));
    level.work(Encode { from: &divided, to, curve, count, colours: count - 1 });
}

/// Samples as what they are.
fn finished<S: Sample>(samples: &mut [S]) -> Finished<'_> {
    match S::lend(samples) {
        SamplesMut::U8(to) => Finished::U8(to),
        SamplesMut::U16(to) => Finished::U16(to),
        SamplesMut::F32(to) => Finished::F32(to),
    }
}

/// Light as samples: of pixels of `count` numbers the first `colours`.
struct Encode<'a, S> {
    from: &'a [f32],
    to: &'a mut [S],
    curve: &'a Curve,
    count: usize,
    colours: usize,
}

impl<S: Sample> Work for Encode<'_, S> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let Encode { from, to, curve, count, colours } = self;
        for (to, from) in to.chunks_exact_mut(count).zip(from.chunks_exact(count)) {
            to.iter_mut().zip(from).take(colours).for_each(|(to, &v)| *to = curve.encode(v));
        }
    }
}
