//! Gray from colour, by weights with a name.

use super::space::ColorSpace;
use crate::error::{Error, Result};
use crate::frame::{
    AnySamples, AnySamplesMut, Frame, Metadata, Pixels, SampleView, SampleViewMut, View, ViewMut, row_pairs, same_size,
    with_same_samples,
};
use crate::pixel::{Gray, Layout, NumberKind, PicturePixel, Sample, SamplesMut, SamplesRef, Transfer};
use crate::simd::{Level, arrays, weighted};
use crate::threads::{COMPUTED, Threads};

/// Weights of red, green and blue for gray. All but [`Luminance`](GrayWeights::Luminance) weigh the values as
/// they are stored.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[non_exhaustive]
pub enum GrayWeights {
    /// 0.2126, 0.7152, 0.0722 (ITU-R BT.709-6, item 3.2).
    #[default]
    Bt709,
    /// 0.299, 0.587, 0.114 (ITU-R BT.601-7, 2.5.1).
    Bt601,
    /// 0.2627, 0.6780, 0.0593 (ITU-R BT.2020-2, table 4).
    Bt2020,
    /// The mean of the three.
    Mean,
    /// Luminance: the weights of the space's own primaries in its linear light, encoded again by its curve
    /// ([`ColorSpace::luminance_weights`]). See [`luminance_of`](GrayWeights::luminance_of).
    Luminance(ColorSpace),
    /// One channel alone: 0 red, 1 green, 2 blue.
    Channel(u8),
    /// Weights of one's own for red, green and blue. They need not sum to one; integers clamp.
    Custom([f64; 3]),
}

impl GrayWeights {
    /// Luminance by the space that a picture states.
    pub fn luminance_of(metadata: &Metadata) -> GrayWeights {
        GrayWeights::Luminance(ColorSpace::of(metadata))
    }

    /// The three weights as whole numbers and what they are to be divided by, where that is exact and small.
    fn ratio(self) -> Option<([u32; 3], u32)> {
        match self {
            GrayWeights::Bt709 => Some(([2126, 7152, 722], 10_000)),
            GrayWeights::Bt601 => Some(([299, 587, 114], 1000)),
            GrayWeights::Bt2020 => Some(([2627, 6780, 593], 10_000)),
            GrayWeights::Mean => Some(([1, 1, 1], 3)),
            GrayWeights::Channel(c) => Some((arrays::from_fn(|i| u32::from(i == usize::from(c))), 1)),
            GrayWeights::Luminance(_) | GrayWeights::Custom(_) => None,
        }
    }

    fn floats(self) -> [f64; 3] {
        match (self, self.ratio()) {
            (_, Some((parts, whole))) => arrays::map(parts, |p| f64::from(p) / f64::from(whole)),
            (GrayWeights::Custom(weights), None) => weights,
            // Spaces that are none were refused.
            (GrayWeights::Luminance(space), None) => space.luminance_weights().unwrap_or_default(),
            _ => [0.0; 3],
        }
    }

    /// Gray of three fractions, as a fraction.
    #[inline]
    pub(crate) fn mixed(self, rgb: [f64; 3]) -> f64 {
        let sum = |w: [f64; 3], v: [f64; 3]| w[0] * v[0] + w[1] * v[1] + w[2] * v[2];
        match self {
            GrayWeights::Luminance(space) => {
                let curve = space.transfer;
                curve.encode(sum(self.floats(), arrays::map(rgb, |v| curve.decode(v))))
            }
            _ => sum(self.floats(), rgb),
        }
    }

    pub(crate) fn check(self) -> Result<()> {
        match self {
            GrayWeights::Channel(c) if c > 2 => {
                Err(Error::invalid("weights", format!("channel {c} is outside 0..3 (0 red, 1 green, 2 blue)")))
            }
            GrayWeights::Luminance(space) => space.luminance_weights().map(|_| ()),
            GrayWeights::Custom(w) if w.iter().any(|v| !v.is_finite()) => {
                Err(Error::invalid("weights", format!("gray weights must be finite numbers, not {w:?}")))
            }
            _ => Ok(()),
        }
    }
}

/// Converts a view to gray, as a new frame; alpha is left out. One pass.
///
/// For integers the result is the weighted sum with the published decimal weights, rounded once, half up, exactly; for
/// floats it is computed in `f64` and rounded once. Cmyk goes through rgb (see [`Pixels::color`]).
///
/// # Errors
/// Weights that are not finite, a channel that is not there, or no memory.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Rgb, Size, color};
/// let frame = Frame::filled(Size::new(1, 1), Rgb::new(200u8, 100, 50))?;
/// // 0.2126 * 200 + 0.7152 * 100 + 0.0722 * 50 = 117.65
/// assert_eq!(color::gray(frame.view(), color::GrayWeights::Bt709)?[(0, 0)].value, 118);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn gray<P: PicturePixel>(view: View<'_, P>, weights: GrayWeights) -> Result<Frame<Gray<P::Number>>> {
    let mut out = Frame::zeros(view.size(), view.account())?;
    gray_into(view, out.view_mut(), weights, Threads::ALL)?;
    Ok(out)
}

/// [`gray`] into a view of the same size. One pass.
///
/// # Errors
/// As [`gray`], or sizes that differ.
pub fn gray_into<P: PicturePixel>(
    view: View<'_, P>,
    target: ViewMut<'_, Gray<P::Number>>,
    weights: GrayWeights,
    threads: Threads,
) -> Result<()> {
    same_size("the target", view.size(), target.size())?;
    gray_any(view.samples_any(), P::LAYOUT, target.into_samples_any(), weights, threads)
}

/// The gray values of samples of a layout, into a view of one channel and the same size and depth.
pub(crate) fn gray_any(
    from: AnySamples<'_>,
    layout: Layout,
    to: AnySamplesMut<'_>,
    weights: GrayWeights,
    threads: Threads,
) -> Result<()> {
    weights.check()?;
    with_same_samples!(from, to, from, to => {
        gray_samples(from, layout, to, weights, threads);
        Ok(())
    })
}

fn gray_samples<S: Sample>(
    from: SampleView<'_, S>,
    layout: Layout,
    to: SampleViewMut<'_, S>,
    weights: GrayWeights,
    threads: Threads,
) {
    let (level, maker) = (Level::best(), RowMaker::<S>::new(weights));
    let row = |from: &[S], to: &mut [S]| match layout {
        Layout::Gray => to.copy_from_slice(from),
        Layout::GrayAlpha => level.row(from, to, |from, to| each_pixel::<_, 2>(from, to, |p| p[0])),
        Layout::Rgb => maker.run::<3>(level, from, to),
        Layout::Rgba => maker.run::<4>(level, from, to),
        Layout::Cmyk => each_pixel::<_, 4>(from, to, |ink| {
            let [r, g, b] = super::ink::ink_to_rgb(arrays::map(*ink, Sample::to_fraction));
            S::from_fraction(maker.mixed([r, g, b]))
        }),
    };
    let each = if matches!(weights, GrayWeights::Luminance(_)) { COMPUTED } else { 1 };
    let bytes = (from.bytes() + to.bytes()).saturating_mul(each);
    to.each_band(threads, bytes, &|first, part| {
        row_pairs(from.band(first..first + part.height()), part, &mut |from, to| row(from, to));
    });
}

impl Pixels {
    /// Converts to gray, keeping alpha: rgb becomes gray, rgb+alpha gray+alpha. One pass.
    ///
    /// # Errors
    /// As [`gray`].
    pub fn gray(&self, weights: GrayWeights, threads: Threads) -> Result<Pixels> {
        let layout = if self.layout().has_alpha() { Layout::GrayAlpha } else { Layout::Gray };
        let mut out = Pixels::zeros(self.size(), layout, self.depth(), self.account())?;
        match layout {
            Layout::Gray => gray_any(self.samples_any(), self.layout(), out.samples_any_mut(), weights, threads)?,
            _ => gray_alpha_any(self.samples_any(), self.layout(), out.samples_any_mut(), weights, threads)?,
        }
        Ok(out)
    }
}

/// The gray values of samples of a layout beside their alpha (full where there is none), into a view of two channels.
pub(super) fn gray_alpha_any(
    from: AnySamples<'_>,
    layout: Layout,
    to: AnySamplesMut<'_>,
    weights: GrayWeights,
    threads: Threads,
) -> Result<()> {
    weights.check()?;
    with_same_samples!(from, to, from, to => gray_alpha_samples(from, layout, to, weights, threads))
}

fn gray_alpha_samples<S: Sample>(
    from: SampleView<'_, S>,
    layout: Layout,
    mut to: SampleViewMut<'_, S>,
    weights: GrayWeights,
    threads: Threads,
) -> Result<()> {
    let mut plain = Frame::<Gray<S>>::zeros(from.size(), from.account())?;
    gray_samples(from, layout, plain.view_mut().into_samples(), weights, threads);
    let channels = from.channels();
    for y in 0..from.height() {
        let (pixels, plain, to) = (from.row(y), plain.row(y), to.row_mut(y).as_chunks_mut::<2>().0);
        for x in 0..plain.len() {
            let alpha = if channels.alpha { pixels[(x + 1) * channels.count - 1] } else { S::FULL };
            to[x] = [plain[x].value, alpha];
        }
    }
    Ok(())
}

/// Weights and tables of a gray conversion, computed once a call.
struct RowMaker<S> {
    weights: GrayWeights,
    floats: [f64; 3],
    /// Encoded value of every 8- or 16-bit code as light, for luminance of integers.
    light: Vec<f32>,
    sample: std::marker::PhantomData<S>,
}

impl<S: Sample> RowMaker<S> {
    fn new(weights: GrayWeights) -> Self {
        let mut light = Vec::new();
        if let (GrayWeights::Luminance(space), Some(top)) = (weights, S::DEPTH.max_code()) {
            let curve = space.transfer;
            for v in 0..u32::from(top) + 1 {
                light.push(curve.decode(f64::from(v) / f64::from(top)) as f32);
            }
        }
        RowMaker { weights, floats: weights.floats(), light, sample: std::marker::PhantomData }
    }

    /// Gray of three fractions, as a fraction.
    fn mixed(&self, rgb: [f64; 3]) -> f64 {
        match self.weights {
            GrayWeights::Luminance(ColorSpace { transfer: curve, .. }) => {
                curve.encode(self.sum(arrays::map(rgb, |v| curve.decode(v))))
            }
            _ => self.sum(rgb),
        }
    }

    #[inline(always)]
    fn sum(&self, rgb: [f64; 3]) -> f64 {
        self.floats[0] * rgb[0] + self.floats[1] * rgb[1] + self.floats[2] * rgb[2]
    }

    fn run<const C: usize>(&self, level: Level, from: &[S], to: &mut [S]) {
        match (self.weights, self.weights.ratio()) {
            (GrayWeights::Luminance(space), _) => {
                each_pixel::<S, C>(from, to, |p| self.luminance([p[0], p[1], p[2]], space.transfer))
            }
            (_, Some((parts, whole))) => {
                // Conditions that are constants: of these bodies each sample type has one.
                if const { matches!(S::KIND, NumberKind::U8) } {
                    let done =
                        if C == 3 { weighted_bytes(level, (S::lend_ref(from), S::lend(to)), parts, whole) } else { 0 };
                    let (from, to) = (&from[C * done..], &mut to[done..]);
                    level.row(from, to, |from, to| exact_bytes::<S, C>(from, to, parts, whole));
                } else if const { matches!(S::KIND, NumberKind::U16) } {
                    level.row(from, to, |from, to| exact_words::<S, C>(from, to, parts, whole));
                } else {
                    self.float_sums::<C>(level, from, to);
                }
            }
            _ => self.float_sums::<C>(level, from, to),
        }
    }

    fn float_sums<const C: usize>(&self, level: Level, from: &[S], to: &mut [S]) {
        level.row(from, to, |from, to| {
            each_pixel::<S, C>(from, to, |p| S::from_f64(self.sum([p[0].to_f64(), p[1].to_f64(), p[2].to_f64()])));
        });
    }

    fn luminance(&self, p: [S; 3], curve: Transfer) -> S {
        let light = match S::DEPTH.max_code() {
            // An integer sample is an index into the table of its own depth.
            Some(_) => arrays::map(p, |v| f64::from(self.light[v.to_f64() as usize])),
            None => arrays::map(p, |v| curve.decode(v.to_f64())),
        };
        S::from_fraction(curve.encode(self.sum(light)))
    }
}

#[inline(always)]
fn each_pixel<S: Sample, const C: usize>(from: &[S], to: &mut [S], gray: impl Fn(&[S; C]) -> S) {
    let from = from.as_chunks::<C>().0;
    let count = from.len().min(to.len());
    let (from, to) = (&from[..count], &mut to[..count]);
    for i in 0..count {
        to[i] = gray(&from[i]);
    }
}

/// 8-bit samples: floor((n . p) / d + 1/2) exactly. Four times the sum plus 2 d + 1 is a whole number below 2^24, exact
/// in `f32`, and its quotient by 4 d stays 2.5e-5 away from any whole number, while the product with the rounded 1/(4 d)
/// is off by at most 2.3e-5. A test goes through every possible sum.
#[inline(always)]
fn exact_bytes<S: Sample, const C: usize>(from: &[S], to: &mut [S], parts: [u32; 3], whole: u32) {
    let n = arrays::map(parts, |p| 4.0 * p as f32);
    let (half, scale) = ((2 * whole + 1) as f32, 1.0 / (4.0 * whole as f32));
    each_pixel::<S, C>(from, to, |p| {
        let v = |i: usize| p[i].to_depth::<u8>() as f32;
        let sum = n[0] * v(0) + n[1] * v(1) + n[2] * v(2) + half;
        // A whole number below 2^23 stands in the low bits of its sum with 2^23.
        S::from_u8(((sum * scale).floor() + 8_388_608.0).to_bits() as u8)
    });
}

/// The same of pixels of three bytes, as far as whole registers of them go: gives how many those are.
fn weighted_bytes(level: Level, rows: (SamplesRef<'_>, SamplesMut<'_>), parts: [u32; 3], whole: u32) -> usize {
    let (SamplesRef::U8(from), SamplesMut::U8(to)) = rows else { return 0 };
    weighted::pixels(level, arrays::map(parts, |p| 4 * p), 2 * whole + 1, 1.0 / (4.0 * whole as f32), from, to)
}

/// 16-bit samples: the same in 64-bit integers.
#[inline(always)]
fn exact_words<S: Sample, const C: usize>(from: &[S], to: &mut [S], parts: [u32; 3], whole: u32) {
    let (n, half, whole) = (arrays::map(parts, u64::from), u64::from(whole), 2 * u64::from(whole));
    each_pixel::<S, C>(from, to, |p| {
        let v = |i: usize| u64::from(p[i].to_depth::<u16>());
        S::from_u16(((2 * (n[0] * v(0) + n[1] * v(1) + n[2] * v(2)) + half) / whole) as u16)
    });
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::Size;
    use crate::pixel::{Cmyk, GrayAlpha, Rgb, Rgba};

    fn exact(parts: [u32; 3], whole: u32, p: [u32; 3]) -> u32 {
        let sum: u64 = (0..3).map(|i| u64::from(parts[i]) * u64::from(p[i])).sum();
        ((2 * sum + u64::from(whole)) / (2 * u64::from(whole))) as u32
    }

    const NAMED: [GrayWeights; 5] =
        [GrayWeights::Bt709, GrayWeights::Bt601, GrayWeights::Bt2020, GrayWeights::Mean, GrayWeights::Channel(1)];

    #[test]
    fn bytes_are_exact_for_every_colour_on_every_instruction_set() {
        // Every red and green with a blue that steps through all values: 65,536 colours a weight and start.
        for weights in NAMED {
            let (parts, whole) = weights.ratio().unwrap();
            let frame = Frame::from_fn(Size::new(256, 256), |r, g| {
                Rgb::new(r as u8, g as u8, (r.wrapping_mul(91) ^ g.wrapping_mul(53)) as u8)
            })
            .unwrap();
            for level in Level::present() {
                let mut out = vec![0u8; 65_536];
                level.row(frame.samples(), &mut out, |from, to| exact_bytes::<u8, 3>(from, to, parts, whole));
                for (p, &found) in frame.pixels().iter().zip(&out) {
                    let want = exact(parts, whole, [p.r, p.g, p.b].map(u32::from));
                    assert_eq!(u32::from(found), want, "{weights:?} {p:?} {level:?}");
                }
            }
        }
    }

    #[test]
    fn every_possible_sum_of_bytes_is_divided_exactly() {
        for weights in NAMED {
            let (_, whole) = weights.ratio().unwrap();
            let (half, scale) = ((2 * whole + 1) as f32, 1.0 / (4.0 * whole as f32));
            for sum in 0..=255 * whole {
                let found = ((4.0 * sum as f32 + half) * scale) as u32;
                assert_eq!(found, (2 * sum + whole) / (2 * whole), "{weights:?} {sum}");
            }
        }
    }

    #[test]
    fn words_and_alpha_follow_the_same_rule() {
        for weights in NAMED {
            let (parts, whole) = weights.ratio().unwrap();
            let frame = Frame::from_fn(Size::new(64, 64), |x, y| {
                Rgba::new((x * 1031) as u16, (y * 997) as u16, (x * y * 17) as u16, x as u16)
            })
            .unwrap();
            let gray = gray(frame.view(), weights).unwrap();
            for (p, g) in frame.pixels().iter().zip(gray.pixels()) {
                assert_eq!(u32::from(g.value), exact(parts, whole, [p.r, p.g, p.b].map(u32::from)));
            }
            let both = Pixels::from(frame.clone()).gray(weights, Threads::ALL).unwrap();
            let both = both.into_frame::<GrayAlpha<u16>>().unwrap();
            assert_eq!(both[(9, 3)], GrayAlpha::new(gray[(9, 3)].value, 9));
        }
    }

    #[test]
    fn luminance_is_weighed_in_linear_light() {
        let frame = Frame::filled(Size::new(1, 1), Rgb::new(255u8, 0, 0)).unwrap();
        let luminance = gray(frame.view(), GrayWeights::Luminance(ColorSpace::SRGB)).unwrap();
        // 0.2126 of full light, encoded by IEC 61966-2-1: 0.49829 of 255 is 127.06.
        assert_eq!(luminance[(0, 0)].value, 127);
        let white = Frame::filled(Size::new(1, 1), Rgb::new(1.0f32, 1.0, 1.0)).unwrap();
        assert!(
            (gray(white.view(), GrayWeights::Luminance(ColorSpace::SRGB)).unwrap()[(0, 0)].value - 1.0).abs() < 1e-6
        );
    }

    #[test]
    fn ones_own_weights_clamp_and_odd_ones_are_refused() {
        let frame = Frame::filled(Size::new(1, 1), Rgb::new(200u8, 100, 50)).unwrap();
        assert_eq!(gray(frame.view(), GrayWeights::Custom([2.0, 0.0, 0.0])).unwrap()[(0, 0)].value, 255);
        assert_eq!(gray(frame.view(), GrayWeights::Custom([0.3, 0.6, 0.1])).unwrap()[(0, 0)].value, 125);
        assert!(gray(frame.view(), GrayWeights::Custom([f64::NAN, 0.0, 0.0])).is_err());
        assert!(gray(frame.view(), GrayWeights::Channel(3)).is_err());
        let ink = Frame::filled(Size::new(1, 1), Cmyk::new(0u8, 0, 0, 255)).unwrap();
        assert_eq!(gray(ink.view(), GrayWeights::Bt709).unwrap()[(0, 0)].value, 0);
    }
}
