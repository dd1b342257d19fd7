//! Between depths: full to full, rounded to nearest, ties up, decided on the exact product.
//!
//! Windows, the ranges of values that become 0 to full, have a file of their own.

use crate::error::{Error, Help, Result};
use crate::frame::{
    AnyPlanes, AnySamples, AnySamplesMut, Content, Pixels, SampleView, SampleViewMut, View, ViewMut, row_pairs,
    same_size, with_samples, with_samples_mut,
};
use crate::pixel::{Depth, Layout, PicturePixel, Sample};
use crate::simd::Level;
use crate::threads::Threads;

pub(crate) use super::window::window_into_any;
pub use super::window::{Window, window_into};
use super::window::{plain_row, same_layout};

/// Converts pixels to another depth, into a view of the same size and layout. One pass; a plain copy where the depths agree.
///
/// # Errors
/// Sizes or layouts that differ.
pub fn convert_into<P: PicturePixel, Q: PicturePixel>(
    source: View<'_, P>,
    target: ViewMut<'_, Q>,
    threads: Threads,
) -> Result<()> {
    same_layout(P::LAYOUT, Q::LAYOUT)?;
    same_size("the target", source.size(), target.size())?;
    depth_into(source.samples_any(), target.into_samples_any(), threads);
    Ok(())
}

/// Samples at another depth; sizes and channels agree.
pub(crate) fn depth_into(source: AnySamples<'_>, target: AnySamplesMut<'_>, threads: Threads) {
    with_samples!(source, from => with_samples_mut!(target, to => samples_into(from, to, threads)));
}

/// One of the nine pairs of depths.
fn samples_into<A: Sample, B: Sample>(from: SampleView<'_, A>, to: SampleViewMut<'_, B>, threads: Threads) {
    let (bytes, level) = (from.bytes() + to.bytes(), Level::best());
    to.each_band(threads, bytes, &|first, part| {
        let from = from.band(first..first + part.height());
        row_pairs(from, part, &mut |from, to| level.row(from, to, |from, to| convert_row(level, from, to)));
    });
}

#[inline(always)]
fn convert_row<A: Sample, B: Sample>(level: Level, from: &[A], to: &mut [B]) {
    // A condition that is a constant: only pairs of a float and a code have both bodies.
    if const { matches!(A::DEPTH, Depth::F32) && !matches!(B::DEPTH, Depth::F32) } && level.is_fused() {
        return floats_to_codes(from, to, f32::from(B::DEPTH.max_code().unwrap_or(0)));
    }
    plain_row(from, to);
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

impl Pixels {
    /// Converts to another depth, through a window where one is given. Alpha is never windowed: it goes full to full. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn to_depth(&self, depth: Depth, window: Option<Window>, threads: Threads) -> Result<Pixels> {
        let mut out = Pixels::zeros(self.size(), self.layout(), depth, self.account())?;
        match window {
            None => depth_into(self.samples_any(), out.samples_any_mut(), threads),
            Some(window) => window_into_any(self.samples_any(), out.samples_any_mut(), window),
        }
        Ok(out)
    }
}

impl AnyPlanes {
    /// Converts to pixels of this depth: 1 plane becomes gray, 2 gray and alpha, 3 rgb, 4 rgb and alpha. One pass.
    ///
    /// # Errors
    /// No window where the depth is an integer, more than four planes, or no memory.
    pub fn to_pixels(&self, depth: Depth, window: Option<Window>) -> Result<Pixels> {
        if window.is_none() && depth != Depth::F32 {
            return Err(needs_window(self.number().name()));
        }
        let mut out = Pixels::zeros(self.size(), layout_of_planes(self.len())?, depth, self.account())?;
        let (views, mut values) = (self.views(), Vec::new());
        for y in 0..self.size().height {
            for (channel, plane) in views.iter().enumerate() {
                plane.row(y).gather(0, 1, &mut values);
                if let Some(window) = window {
                    values.iter_mut().for_each(|v| *v = window.fraction(*v));
                }
                with_samples_mut!(out.samples_any_mut(), to => {
                    let count = to.channels().count;
                    let mut to = to;
                    put_fractions(&values, to.row_mut(y), channel, count);
                });
            }
        }
        Ok(out)
    }
}

/// Fractions to one channel of a row.
fn put_fractions<S: Sample>(values: &[f64], row: &mut [S], channel: usize, channels: usize) {
    row.iter_mut().skip(channel).step_by(channels).zip(values).for_each(|(to, &v)| *to = S::from_fraction(v));
}

/// The layout of the picture that `count` planes make.
pub(crate) fn layout_of_planes(count: usize) -> Result<Layout> {
    match count {
        1 => Ok(Layout::Gray),
        2 => Ok(Layout::GrayAlpha),
        3 => Ok(Layout::Rgb),
        4 => Ok(Layout::Rgba),
        n => Err(Error::wrong_count(
            "planes",
            n,
            (1, 4),
            format!("{n} planes do not make a picture; pick one to four of them"),
        )),
    }
}

#[cold]
pub(crate) fn needs_window(holds: &str) -> Error {
    Error::invalid("window", format!("{holds} values become integers only through a window")).with_help(&[Help::Window])
}

/// The same of floats, which may be encoded colour that the file could not call so.
#[cold]
pub(crate) fn needs_meaning(holds: &str) -> Error {
    needs_window(holds).with_help(&[Help::Encoded, Help::Window])
}

impl Content {
    /// Converts to pixels of this depth: see [`Pixels::to_depth`] and [`AnyPlanes::to_pixels`].
    ///
    /// # Errors
    /// As those.
    pub fn to_pixels(&self, depth: Depth, window: Option<Window>, threads: Threads) -> Result<Pixels> {
        match self {
            Content::Pixels(pixels) => pixels.to_depth(depth, window, threads),
            Content::Planes(planes) => planes.to_pixels(depth, window),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, Planes, Size};
    use crate::pixel::{Gray, GrayAlpha};

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
        let out = Pixels::from(view).to_depth(Depth::U8, Some(window), Threads::ONE).unwrap();
        let out = out.into_frame::<GrayAlpha<u8>>().unwrap();
        assert_eq!(out.samples(), [0, 128, 128, 128, 255, 128, 255, 128]);
        for (low, high) in [(1.0, 1.0), (2.0, 1.0), (f64::NAN, 1.0), (0.0, f64::INFINITY)] {
            assert!(Window::new(low, high).is_err());
        }
    }

    #[test]
    fn planes_become_integers_only_through_a_window() {
        let size = Size::new(2, 1);
        let plane = Frame::from_samples(size, vec![-40.0f64, 12.0]).unwrap();
        let planes: AnyPlanes = Planes::new(size).with("height", plane).unwrap().into();
        let error = planes.to_pixels(Depth::U8, None).unwrap_err();
        assert_eq!(error.help(), [Help::Window]);
        let window = Window::new(-40.0, 12.0).ok();
        let gray = planes.to_pixels(Depth::U16, window).unwrap().into_frame::<Gray<u16>>().unwrap();
        assert_eq!(gray.samples(), [0, 65_535]);
        let same = planes.to_pixels(Depth::F32, None).unwrap().into_frame::<Gray<f32>>().unwrap();
        assert_eq!(same.samples(), [-40.0, 12.0]);
    }
}
