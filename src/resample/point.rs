//! Sampling at real coordinates: one pixel anywhere between the pixels.

use super::kernel::Kernel;
use super::light::Curve;
use super::tap::{Tap, Taps};
use super::weights::weights_between;
use crate::access::Edge;
use crate::error::{Error, Result};
use crate::frame::Light;
use crate::frame::{AnySamples, SampleView, Size, View, with_samples};
use crate::pixel::{Channels, Number, Pixel, Sample, samples_of, samples_of_mut};
use crate::simd::arrays;

/// Coordinates beyond this lie too far outside to mean anything.
const FARTHEST: f64 = 1e12;

/// Taps of the place (x, y) of a picture of this size. The kernel has its own width, as where nothing is shrunk; a
/// box covers the pixel's extent about the place.
///
/// # Errors
/// A picture without pixels, coordinates that are not numbers or far outside, or a kernel whose weights have no sum.
pub fn taps(size: Size, x: f64, y: f64, kernel: &Kernel, edge: Edge<()>) -> Result<Taps> {
    if size.is_empty() {
        return Err(Error::no_pixels("source", size, format!("a picture of {size} has no pixel to sample")));
    }
    Ok(Taps { x: along("x", x, size.width, kernel, &edge)?, y: along("y", y, size.height, kernel, &edge)? })
}

fn along(name: &str, at: f64, side: u32, kernel: &Kernel, edge: &Edge<()>) -> Result<Vec<Tap>> {
    if !at.is_finite() || at.abs() > FARTHEST {
        return Err(Error::invalid("place", format!("{name} of {at} is no place of a picture")));
    }
    let weight_at = |i: i64| scaled_weight(kernel, i, at, 1.0);
    let pixels = match kernel {
        Kernel::Nearest => at.floor() as i64..=at.floor() as i64,
        _ => (at - kernel.support() - 0.5).floor() as i64..=(at + kernel.support() + 0.5).ceil() as i64,
    };
    // Pixels that stand for others are listed where they stand: nothing is folded.
    let weight = |i: i64| if *kernel == Kernel::Nearest { 1.0 } else { weight_at(i) };
    let (first, weights) = weights_between(pixels, side, Edge::Wrap, &weight)?;
    let mut taps = Vec::with_capacity(weights.len());
    for (at, weight) in (first..).zip(weights) {
        if weight != 0.0 {
            taps.push(Tap { at, inside: edge.inside(at, side), weight });
        }
    }
    Ok(taps)
}

/// The weight of pixel `i` at a place, for a kernel widened by `scale`.
#[inline(always)]
pub(super) fn scaled_weight(kernel: &Kernel, i: i64, at: f64, scale: f64) -> f64 {
    let pixel = i as f64;
    match kernel {
        Kernel::Box => ((pixel + 1.0).min(at + scale / 2.0) - pixel.max(at - scale / 2.0)).max(0.0),
        _ => kernel.at((pixel + 0.5 - at) / scale),
    }
}

/// The value at the place (x, y), where pixel (0, 0) covers [0, 1) x [0, 1): what a resize gives for an output pixel that
/// has its centre there, computed in `f64` and rounded once. Colours are weighted by alpha.
///
/// # Errors
/// As [`taps`].
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, access::Edge, resample::{Kernel, sample}};
/// let row = Frame::<Gray<u8>>::from_samples(Size::new(2, 1), vec![0, 100])?;
/// // The centres are at 0.5 and 1.5.
/// assert_eq!(sample(row.view(), 0.75, 0.5, &Kernel::Linear, Edge::Clamp)?.value, 25);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn sample<P: Pixel<Number: Sample>>(
    view: View<'_, P>,
    x: f64,
    y: f64,
    kernel: &Kernel,
    edge: Edge<P>,
) -> Result<P> {
    sample_in(view, x, y, kernel, edge, Light::Encoded)
}

/// [`sample`] in encoded or linear light. For linear light of integers a table is made each call: to sample many places,
/// [`warp`](super::warp) makes it once.
///
/// # Errors
/// As [`taps`].
pub fn sample_in<P: Pixel<Number: Sample>>(
    view: View<'_, P>,
    x: f64,
    y: f64,
    kernel: &Kernel,
    edge: Edge<P>,
    light: Light,
) -> Result<P> {
    let constant = match edge {
        Edge::Constant(pixel) => {
            let mut all = [0.0; 4];
            all.iter_mut().zip(samples_of(&[pixel])).for_each(|(to, v)| *to = v.to_f64());
            all
        }
        _ => [0.0; 4],
    };
    let found = sample_any(view.samples_any(), (x, y), kernel, edge.map(|_| constant), light)?;
    let mut out = P::default();
    samples_of_mut(std::slice::from_mut(&mut out))
        .iter_mut()
        .zip(found)
        .for_each(|(to, v)| *to = P::Number::from_f64(v));
    Ok(out)
}

/// The samples at a place, and of a constant edge, as numbers; `f64` holds each exactly.
fn sample_any(
    view: AnySamples<'_>,
    (x, y): (f64, f64),
    kernel: &Kernel,
    edge: Edge<[f64; 4]>,
    light: Light,
) -> Result<[f64; 4]> {
    let place = taps(view.size(), x, y, kernel, edge.kind())?;
    with_samples!(view, view => Ok(sampled(view, &place, kernel, edge, light)))
}

fn sampled<S: Sample>(
    view: SampleView<'_, S>,
    taps: &Taps,
    kernel: &Kernel,
    edge: Edge<[f64; 4]>,
    light: Light,
) -> [f64; 4] {
    let channels = view.channels();
    let constant = if let Edge::Constant(all) = edge { arrays::map(all, S::from_f64) } else { [S::default(); 4] };
    let pixel = |column: &Tap, row: &Tap| match (column.inside, row.inside) {
        (Some(x), Some(y)) => &view.row(y)[x as usize * channels.count..][..channels.count],
        _ => &constant[..channels.count],
    };
    let mut out = [S::default(); 4];
    // The nearest pixel is taken as it is, whatever its alpha.
    if let (Kernel::Nearest, [column], [row]) = (kernel, taps.x.as_slice(), taps.y.as_slice()) {
        out[..channels.count].copy_from_slice(pixel(column, row));
        return out.map(S::to_f64);
    }
    let curve = light.curve().map(|transfer| Curve::new(transfer, S::KIND));
    let mut sums = TapSums::new(channels, curve.as_ref());
    for row in &taps.y {
        taps.x.iter().for_each(|column| sums.add(pixel(column, row), row.weight * column.weight));
    }
    sums.store(&mut out[..channels.count]);
    out.map(S::to_f64)
}

/// Weighted sums of a pixel's channels, colours times alpha; of the light they stand for where there is a curve.
pub(super) struct TapSums<'a> {
    sums: [f64; 4],
    channels: Channels,
    curve: Option<&'a Curve>,
}

impl<'a> TapSums<'a> {
    #[inline(always)]
    pub(super) fn new(channels: Channels, curve: Option<&'a Curve>) -> Self {
        TapSums { sums: [0.0; 4], channels, curve }
    }

    #[inline(always)]
    pub(super) fn add<S: Sample>(&mut self, pixel: &[S], weight: f64) {
        if !self.channels.alpha {
            return self.add_colors(pixel, weight);
        }
        let Some((alpha, colors)) = pixel.split_last() else { return };
        let alpha = alpha.to_f64() * weight;
        self.add_colors(colors, alpha / S::FULL.to_f64());
        self.sums[self.channels.colors() & 3] += alpha;
    }

    #[inline(always)]
    fn add_colors<S: Sample>(&mut self, colors: &[S], weight: f64) {
        match self.curve {
            None => {
                for i in 0..colors.len().min(4) {
                    self.sums[i] += colors[i].to_f64() * weight;
                }
            }
            Some(curve) => {
                for i in 0..colors.len().min(4) {
                    self.sums[i] += f64::from(curve.decode(colors[i])) * weight;
                }
            }
        }
    }

    /// The pixel: rounded once, colours divided by alpha, zero where alpha is.
    #[inline(always)]
    pub(super) fn store<S: Sample>(&self, to: &mut [S]) {
        let number = |sum: f64| match self.curve {
            None => S::from_f64(sum),
            Some(curve) => curve.encode::<S>(sum as f32),
        };
        if !self.channels.alpha {
            for i in 0..to.len().min(4) {
                to[i] = number(self.sums[i]);
            }
            return;
        }
        if let Some((alpha, colors)) = to.split_last_mut() {
            let sum = self.sums[self.channels.colors() & 3];
            *alpha = S::from_f64(sum);
            let scale = if alpha.to_f64() > 0.0 { S::FULL.to_f64() / sum } else { 0.0 };
            for i in 0..colors.len().min(4) {
                colors[i] = number(self.sums[i] * scale);
            }
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::Frame;
    use crate::pixel::{Gray, Rgba};

    #[test]
    fn taps_are_told_with_where_they_stand() {
        let size = Size::new(3, 1);
        let found = taps(size, 0.25, 0.5, &Kernel::Linear, Edge::Reflect).unwrap();
        assert_eq!(
            found.x,
            [Tap { at: -1, inside: Some(0), weight: 0.25 }, Tap { at: 0, inside: Some(0), weight: 0.75 }]
        );
        assert_eq!(found.y, [Tap { at: 0, inside: Some(0), weight: 1.0 }]);
        let found = taps(size, 3.25, 0.5, &Kernel::Box, Edge::Constant(())).unwrap();
        assert_eq!(found.x, [Tap { at: 2, inside: Some(2), weight: 0.25 }, Tap { at: 3, inside: None, weight: 0.75 }]);
        assert_eq!(taps(size, 2.99, 0.5, &Kernel::Nearest, Edge::Clamp).unwrap().x[0].at, 2);
        for wrong in [f64::NAN, f64::INFINITY, 1e13] {
            assert!(taps(size, wrong, 0.0, &Kernel::Linear, Edge::Clamp).is_err());
        }
        assert!(taps(Size::new(0, 3), 0.0, 0.0, &Kernel::Linear, Edge::Clamp).is_err());
    }

    #[test]
    fn light_is_mixed_where_that_is_asked_for() {
        let frame = Frame::<Gray<u8>>::from_samples(Size::new(2, 1), vec![0, 255]).unwrap();
        let light = Light::Linear(crate::Transfer::Srgb);
        // Half of full light, encoded by IEC 61966-2-1: 0.73536 of 255.
        assert_eq!(sample_in(frame.view(), 1.0, 0.5, &Kernel::Linear, Edge::Clamp, light).unwrap().value, 188);
        let row = vec![Rgba::new(255u8, 0, 0, 255), Rgba::new(0, 0, 255, 255)];
        let frame = Frame::from_pixels(Size::new(2, 1), row).unwrap();
        let mixed = sample_in(frame.view(), 1.0, 0.5, &Kernel::Linear, Edge::Clamp, light).unwrap();
        assert_eq!(mixed, Rgba::new(188, 0, 188, 255));
    }

    #[test]
    fn values_worked_by_hand() {
        let frame = Frame::<Gray<u8>>::from_samples(Size::new(2, 2), vec![0, 100, 40, 200]).unwrap();
        // A quarter each: 85.
        assert_eq!(sample(frame.view(), 1.0, 1.0, &Kernel::Linear, Edge::Clamp).unwrap().value, 85);
        assert_eq!(sample(frame.view(), 1.5, 0.5, &Kernel::Lanczos3, Edge::Clamp).unwrap().value, 100);
        assert_eq!(sample(frame.view(), 2.0, 0.5, &Kernel::Linear, Edge::Constant(Gray::new(20))).unwrap().value, 60);
        assert_eq!(sample(frame.view(), 2.0, 0.5, &Kernel::Linear, Edge::Wrap).unwrap().value, 50);
        let row = vec![Rgba::new(200u8, 0, 0, 255), Rgba::new(0, 255, 0, 0)];
        let frame = Frame::from_pixels(Size::new(2, 1), row).unwrap();
        let mixed = sample(frame.view(), 1.0, 0.5, &Kernel::Linear, Edge::Clamp).unwrap();
        assert_eq!(mixed, Rgba::new(200, 0, 0, 128));
    }
}
