//! Between depths: full to full, rounded to nearest, ties up, decided on the exact product. And windows, which say
//! which range of values becomes none to full.

use crate::error::{Error, Result};
use crate::frame::{AnyPlanes, Content, Frame, Pixels, Planes, PlanesJob, View, ViewMut};
use crate::frame::{Job, Size};
use crate::pixel::{Cmyk, Depth, Gray, GrayAlpha, Layout, Number, Pixel, Rgb, Rgba, Sample, Stored};
use crate::simd::Level;
use crate::threads::{self, Threads};

/// Pixels at another depth, into a view of the same size and layout. One pass; a plain copy where the depths agree.
///
/// # Errors
/// Sizes or layouts that differ.
pub fn convert_into<P: Stored, Q: Stored>(
    source: View<'_, P>,
    mut target: ViewMut<'_, Q>,
    threads: Threads,
) -> Result<()> {
    check_pair::<P, Q>(source.size(), target.size())?;
    let bytes = source.size().pixels() as usize * (size_of::<P>() + size_of::<Q>());
    let level = Level::best();
    for_bands(source, target.reborrow(), threads.bands(bytes), |from, to| {
        to.iter_of_rows(from, |from, to| level.row(from, to, |from, to| convert_row(level, from, to)));
    });
    Ok(())
}

#[inline(always)]
fn convert_row<A: Sample, B: Sample>(level: Level, from: &[A], to: &mut [B]) {
    match (A::DEPTH, B::DEPTH.top_code()) {
        (Depth::F32, Some(top)) if level.is_fused() => floats_to_codes(from, to, f32::from(top)),
        _ => plain_row(from, to),
    }
}

#[inline(always)]
fn plain_row<A: Sample, B: Sample>(from: &[A], to: &mut [B]) {
    for (from, to) in from.iter().zip(to) {
        *to = from.to_depth();
    }
}

/// The rule for floats without `f64`. A fused v x full + 1/2 is rounded once, and rounding cannot lift it past a whole
/// number k but only onto it; whether the exact value lies below k is the sign of a second fused v x full + (1/2 - k),
/// which rounding keeps.
#[inline(always)]
#[allow(clippy::manual_clamp)] // `clamp` would let NaN through
fn floats_to_codes<A: Sample, B: Sample>(from: &[A], to: &mut [B], full: f32) {
    for (from, to) in from.iter().zip(to) {
        // `max` first: it turns NaN into 0.
        let v = from.to_depth::<f32>().max(0.0).min(1.0);
        let k = v.mul_add(full, 0.5).floor();
        let k = if v.mul_add(full, 0.5 - k) < 0.0 { k - 1.0 } else { k };
        // A whole number below 2^23 stands in the low bits of its sum with 2^23.
        let code = (k + 8_388_608.0).to_bits();
        *to = if B::DEPTH == Depth::U8 { B::from_u8(code as u8) } else { B::from_u16(code as u16) };
    }
}

/// A window onto values: `low` becomes none, `high` becomes full, everything outside clamps for integers.
#[derive(Debug, Clone, Copy, PartialEq)]
pub struct Window {
    low: f64,
    high: f64,
}

impl Window {
    /// The window from `low` to `high`, in values of the picture (codes scaled to their depth: 0..=255, 0..=65,535, or
    /// float values).
    ///
    /// # Errors
    /// Limits that are not finite, or not low < high.
    pub fn new(low: f64, high: f64) -> Result<Window> {
        if low.is_finite() && high.is_finite() && low < high {
            return Ok(Window { low, high });
        }
        Err(Error::unusable(format!("a window goes from a lower to a higher number, not from {low} to {high}")))
    }

    /// The value that becomes none.
    pub fn low(self) -> f64 {
        self.low
    }

    /// The value that becomes full.
    pub fn high(self) -> f64 {
        self.high
    }

    /// The fraction of full that a value becomes: 0 at the low limit, 1 at the high one; not clamped.
    pub fn fraction(self, value: f64) -> f64 {
        (value - self.low) / (self.high - self.low)
    }
}

/// Plain numbers through a window into samples of another type, row for row. One pass, in `f64`.
pub(crate) fn window_row<T: Number, S: Sample>(from: &[T], to: &mut [S], window: Window) {
    for (from, to) in from.iter().zip(to) {
        *to = S::from_fraction(window.fraction(from.to_f64()));
    }
}

/// Any pixels at another depth, through a window where one is given. One pass.
///
/// Alpha is never windowed: it goes full to full.
///
/// # Errors
/// A size beyond the system's memory.
pub fn pixels_to_depth(pixels: &Pixels, depth: Depth, window: Option<Window>, threads: Threads) -> Result<Pixels> {
    struct To(Depth, Option<Window>, Threads);
    impl Job for To {
        type Out = Result<Pixels>;
        fn run<P: Stored>(self, view: View<'_, P>) -> Result<Pixels> {
            match self.0 {
                Depth::U8 => to_sample::<P, u8>(view, self.1, self.2),
                Depth::U16 => to_sample::<P, u16>(view, self.1, self.2),
                Depth::F32 => to_sample::<P, f32>(view, self.1, self.2),
            }
        }
    }
    pixels.visit(To(depth, window, threads))
}

fn to_sample<P: Stored, S: Sample>(view: View<'_, P>, window: Option<Window>, threads: Threads) -> Result<Pixels> {
    match P::LAYOUT {
        Layout::Gray => to_pixel::<P, Gray<S>>(view, window, threads),
        Layout::GrayAlpha => to_pixel::<P, GrayAlpha<S>>(view, window, threads),
        Layout::Rgb => to_pixel::<P, Rgb<S>>(view, window, threads),
        Layout::Rgba => to_pixel::<P, Rgba<S>>(view, window, threads),
        Layout::Cmyk => to_pixel::<P, Cmyk<S>>(view, window, threads),
    }
}

fn to_pixel<P: Stored, Q: Stored>(view: View<'_, P>, window: Option<Window>, threads: Threads) -> Result<Pixels> {
    let mut out = Frame::<Q>::new(view.size())?;
    match window {
        None => convert_into(view, out.view_mut(), threads)?,
        Some(window) => window_into(view, out.view_mut(), window)?,
    }
    Ok(out.into())
}

/// Pixels through a window into a view of the same size and layout; alpha goes full to full. One pass, in `f64`.
///
/// # Errors
/// Sizes or layouts that differ.
pub fn window_into<P: Stored, Q: Stored>(
    source: View<'_, P>,
    mut target: ViewMut<'_, Q>,
    window: Window,
) -> Result<()> {
    check_pair::<P, Q>(source.size(), target.size())?;
    let color = P::CHANNELS - usize::from(P::ALPHA);
    for y in 0..source.height() {
        let to = target.row_numbers_mut(y).chunks_exact_mut(P::CHANNELS);
        for (from, to) in source.row_numbers(y).chunks_exact(P::CHANNELS).zip(to) {
            window_row(&from[..color], &mut to[..color], window);
            plain_row(&from[color..], &mut to[color..]);
        }
    }
    Ok(())
}

fn check_pair<P: Stored, Q: Stored>(source: Size, target: Size) -> Result<()> {
    if P::LAYOUT != Q::LAYOUT {
        return Err(Error::unusable(format!("a change of depth keeps the layout: {} to {}", P::LAYOUT, Q::LAYOUT)));
    }
    if source != target {
        return Err(Error::sizes("the target", source, target));
    }
    Ok(())
}

/// Planes as a picture of this depth: 1 plane becomes gray, 2 gray and alpha, 3 rgb, 4 rgb and alpha. One pass.
///
/// # Errors
/// No window where the depth is an integer, more than four planes, or no memory.
pub fn planes_to_pixels(planes: &AnyPlanes, depth: Depth, window: Option<Window>) -> Result<Pixels> {
    struct To(Depth, Option<Window>);
    impl PlanesJob for To {
        type Out = Result<Pixels>;
        fn run<T: Number>(self, planes: &Planes<T>) -> Result<Pixels> {
            match self.0 {
                Depth::U8 => interleave::<T, u8>(planes, self.1),
                Depth::U16 => interleave::<T, u16>(planes, self.1),
                Depth::F32 => interleave::<T, f32>(planes, self.1),
            }
        }
    }
    if window.is_none() && depth != Depth::F32 {
        return Err(needs_window(planes.number().name()));
    }
    planes.visit(To(depth, window))
}

#[cold]
pub(crate) fn needs_window(holds: &str) -> Error {
    Error::unusable(format!(
        "{holds} values with a unit become integers only through a window: give one (--window LOW,HIGH)"
    ))
}

fn interleave<T: Number, S: Sample>(planes: &Planes<T>, window: Option<Window>) -> Result<Pixels> {
    fn fill<T: Number, Q: Stored>(planes: &Planes<T>, window: Option<Window>) -> Result<Pixels> {
        let mut out = Frame::<Q>::new(planes.size())?;
        for (channel, (_, plane)) in planes.iter().enumerate() {
            let target = out.numbers_mut().iter_mut().skip(channel).step_by(Q::CHANNELS);
            for (to, from) in target.zip(plane.numbers()) {
                let value = from.to_f64();
                *to = Q::Number::from_fraction(window.map_or(value, |w| w.fraction(value)));
            }
        }
        Ok(out.into())
    }
    match planes.len() {
        1 => fill::<T, Gray<S>>(planes, window),
        2 => fill::<T, GrayAlpha<S>>(planes, window),
        3 => fill::<T, Rgb<S>>(planes, window),
        4 => fill::<T, Rgba<S>>(planes, window),
        n => Err(Error::unusable(format!("{n} planes do not make a picture; pick one to four of them"))),
    }
}

/// Any content as pixels of this depth: see [`pixels_to_depth`] and [`planes_to_pixels`].
///
/// # Errors
/// As those.
pub fn to_depth(content: &Content, depth: Depth, window: Option<Window>, threads: Threads) -> Result<Pixels> {
    match content {
        Content::Pixels(pixels) => pixels_to_depth(pixels, depth, window, threads),
        Content::Planes(planes) => planes_to_pixels(planes, depth, window),
    }
}

/// Runs `work` on bands of rows of two views of one height, on as many threads as there are bands.
pub(crate) fn for_bands<P: Pixel, Q: Pixel>(
    source: View<'_, P>,
    target: ViewMut<'_, Q>,
    count: usize,
    work: impl Fn(View<'_, P>, ViewMut<'_, Q>) + Sync + Send,
) {
    let mut rest = target;
    let mut jobs = Vec::with_capacity(count);
    for band in threads::bands(source.height(), count) {
        let (part, below) = rest.cut_rows(band.end - band.start);
        rest = below;
        let region = source.size().region();
        let height = band.end - band.start;
        let from = source.part(crate::frame::Region { y: band.start, height, ..region });
        jobs.push((from, part));
    }
    threads::each(jobs, |(from, to)| work(from, to));
}

impl<Q: Pixel> ViewMut<'_, Q> {
    /// Runs `work` on each row of numbers of a source and of this view; as one long row where neither has gaps.
    pub(crate) fn iter_of_rows<P: Pixel>(
        mut self,
        source: View<'_, P>,
        mut work: impl FnMut(&[P::Number], &mut [Q::Number]),
    ) {
        let Size { height, .. } = self.size();
        if let (Some(from), Some(to)) = (source.as_packed(), self.as_packed_mut()) {
            return work(from, to);
        }
        for y in 0..height {
            work(source.row_numbers(y), self.row_numbers_mut(y));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_instruction_set_converts_as_the_rule_does() {
        fn check<A: Sample, B: Sample>(from: &[A]) {
            for level in Level::present() {
                for start in 0..3 {
                    let mut to = vec![B::default(); from.len() - start];
                    level.row(&from[start..], &mut to, |from, to| convert_row(level, from, to));
                    let wrong = from[start..].iter().zip(&to).find(|(a, b)| a.to_depth::<B>() != **b);
                    assert_eq!(wrong, None, "{level:?}");
                }
            }
        }
        let words: Vec<u16> = (0..=65_535).step_by(7).collect();
        check::<_, u8>(&words);
        check::<_, f32>(&words);
        // Floats next to every tie of both depths, and those that are no fractions at all.
        let near = |full: u32| {
            (0..full).flat_map(move |k| {
                let tie = ((f64::from(k) + 0.5) / f64::from(full)) as f32;
                (-2..=2i32).map(move |by| f32::from_bits(tie.to_bits().wrapping_add_signed(by)))
            })
        };
        let odd = [f32::NAN, 1e9, -1e9, f32::INFINITY, f32::NEG_INFINITY, -0.0, f32::MIN_POSITIVE, 1e-40];
        let floats: Vec<f32> = near(255).chain(near(65_535)).chain(odd).collect();
        check::<_, u8>(&floats);
        check::<_, u16>(&floats);
    }

    #[test]
    fn windows_map_their_limits_to_none_and_full_and_leave_alpha_alone() {
        let view =
            Frame::from_pixels(Size::new(4, 1), [-2.0f32, 0.0, 2.0, 5.0].map(|v| GrayAlpha::new(v, 0.5)).to_vec())
                .unwrap();
        let window = Window::new(-2.0, 2.0).unwrap();
        let out = pixels_to_depth(&view.into(), Depth::U8, Some(window), Threads::ONE).unwrap();
        let out = out.into_frame::<GrayAlpha<u8>>().unwrap();
        assert_eq!(out.numbers(), [0, 128, 128, 128, 255, 128, 255, 128]);
        for (low, high) in [(1.0, 1.0), (2.0, 1.0), (f64::NAN, 1.0), (0.0, f64::INFINITY)] {
            assert!(Window::new(low, high).is_err());
        }
    }

    #[test]
    fn planes_become_integers_only_through_a_window() {
        let size = Size::new(2, 1);
        let plane = Frame::from_numbers(size, vec![-40.0f64, 12.0]).unwrap();
        let planes: AnyPlanes = Planes::new(size).with("height", plane).unwrap().into();
        assert!(planes_to_pixels(&planes, Depth::U8, None).unwrap_err().to_string().contains("--window"));
        let window = Window::new(-40.0, 12.0).ok();
        let gray = planes_to_pixels(&planes, Depth::U16, window).unwrap().into_frame::<Gray<u16>>().unwrap();
        assert_eq!(gray.numbers(), [0, 65_535]);
        let same = planes_to_pixels(&planes, Depth::F32, None).unwrap().into_frame::<Gray<f32>>().unwrap();
        assert_eq!(same.numbers(), [-40.0, 12.0]);
    }
}
