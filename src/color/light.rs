//! Linear light encoded by a curve: what floats go through on their way to integers.
//!
//! Not here: mixing in linear light ([`resample::Light`](crate::resample::Light)).

use crate::error::Result;
use crate::frame::{AnySamples, AnySamplesMut, Pixels, SampleView, SampleViewMut};
use crate::pixel::{Layout, Transfer};
use crate::threads::{COMPUTED, Threads};

/// Colours through the curve from light to encoded values; alpha stays. Floats in, floats out.
pub(crate) fn encode_any(from: AnySamples<'_>, to: AnySamplesMut<'_>, curve: Transfer, threads: Threads) {
    if let (AnySamples::F32(from), AnySamplesMut::F32(to)) = (from, to) {
        encode(from, to, curve, threads);
    }
}

fn encode(from: SampleView<'_, f32>, to: SampleViewMut<'_, f32>, curve: Transfer, threads: Threads) {
    let channels = from.channels();
    let bytes = (2 * from.bytes()).saturating_mul(COMPUTED);
    to.each_band(threads, bytes, &|first, part| {
        let from = from.band(first..first + part.height());
        for (from, to) in from.rows().zip(part.into_rows()) {
            for (from, to) in from.chunks_exact(channels.count).zip(to.chunks_exact_mut(channels.count)) {
                for (c, (v, to)) in from.iter().zip(to).enumerate() {
                    *to = if c < channels.colors() { curve.encode((*v).into()) as f32 } else { *v };
                }
            }
        }
    });
}

/// Linear light as encoded floats, in a picture of their own; `None` where it is not floats of colour or gray.
pub(crate) fn encoded(pixels: &Pixels, curve: Transfer, threads: Threads) -> Result<Option<Pixels>> {
    let view = pixels.samples_any();
    if !matches!(view, AnySamples::F32(_)) || pixels.layout() == Layout::Cmyk {
        return Ok(None);
    }
    let mut out = Pixels::zeros(pixels.size(), pixels.layout(), pixels.depth(), pixels.account())?;
    encode_any(view, out.samples_any_mut(), curve, threads);
    Ok(Some(out))
}
