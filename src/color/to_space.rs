//! Pixels of red, green and blue taken from one colour space to another.
//!
//! Not here: the spaces and their matrices ([`ColorSpace`]).

use super::curves::Curves;
use super::icc::{Curve, Encoding};
use super::models::values::{oklab_of, oklab_to_xyz};
use super::quick::Quick;
use super::space::{Adaptation, ColorSpace, Matrix, inverse, product, times};
use crate::error::{Error, Result};
use crate::frame::{
    AnySamples, AnySamplesMut, Frame, Pixels, SampleView, SampleViewMut, View, ViewMut, same_size, with_same_samples,
};
use crate::pixel::{Depth, Layout, PicturePixel, Sample};
use crate::simd::{Level, Work};
use crate::threads::{COMPUTED, Threads};
use std::sync::OnceLock;

/// What becomes of colours that the other space cannot hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Gamut {
    /// Each channel is clamped by itself where samples are integers; floats keep what lies outside 0..=1.
    #[default]
    Clip,
    /// Chroma is reduced at the same lightness and hue of Oklab until all channels lie in 0..=1; floats too.
    ReduceChroma,
}

/// Rules of a conversion between colour spaces.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[non_exhaustive]
pub struct SpaceRules {
    /// How whites become each other.
    pub adaptation: Adaptation,
    /// What becomes of colours outside.
    pub gamut: Gamut,
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl SpaceRules {
    /// Sets how whites become each other.
    pub fn adaptation(self, adaptation: Adaptation) -> SpaceRules {
        SpaceRules { adaptation, ..self }
    }

    /// Sets what becomes of colours outside.
    pub fn gamut(self, gamut: Gamut) -> SpaceRules {
        SpaceRules { gamut, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> SpaceRules {
        SpaceRules { threads, ..self }
    }
}

/// Takes colours from one space to another, as a new frame; alpha stays, gray goes through its curve alone. One pass.
///
/// Computed in `f64`: decoded by the curve, brought over by one matrix (with the change of white in it), encoded and rounded once, ties
/// up. The white of a page stays one between curves whose full is not white ([`Transfer::reference_white`](crate::Transfer)).
///
/// # Errors
/// Spaces that are none (see [`ColorSpace::to_xyz`]), cmyk, or no memory.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Rgb, Size, color::{self, ColorSpace, SpaceRules}};
/// let red = Frame::filled(Size::new(1, 1), Rgb::new(255u8, 0, 0))?;
/// let p3 = color::to_space(red.view(), &ColorSpace::SRGB, &ColorSpace::DISPLAY_P3, &SpaceRules::default())?;
/// assert_eq!(p3[(0, 0)], Rgb::new(234, 51, 35));
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn to_space<P: PicturePixel>(
    view: View<'_, P>,
    from: impl Into<Encoding>,
    to: impl Into<Encoding>,
    rules: &SpaceRules,
) -> Result<Frame<P>> {
    let mut out = Frame::zeros(view.size(), view.account())?;
    to_space_into(view, out.view_mut(), from, to, rules)?;
    Ok(out)
}

/// [`to_space`] into a view of the same size.
///
/// # Errors
/// As [`to_space`], or sizes that differ.
pub fn to_space_into<P: PicturePixel>(
    view: View<'_, P>,
    target: ViewMut<'_, P>,
    from: impl Into<Encoding>,
    to: impl Into<Encoding>,
    rules: &SpaceRules,
) -> Result<()> {
    same_size("the target", view.size(), target.size())?;
    let plan = Plan::new((P::LAYOUT, P::Number::DEPTH), &from.into(), &to.into(), rules)?;
    plan.run(view.samples_any(), target.into_samples_any())
}

/// A conversion of pixels of one depth that was checked.
#[derive(Debug, Clone)]
pub(crate) struct Plan {
    curves: ([Curve; 3], [Curve; 3]),
    depth: Depth,
    /// The tables of the curves: made with the first strip, and once however many follow.
    tables: OnceLock<Tables>,
    matrix: Matrix,
    /// From linear light of the target to CIE XYZ under D65 and back, for Oklab, where chroma is reduced.
    oklab: Option<(Matrix, Matrix)>,
    threads: Threads,
}

impl Plan {
    pub(crate) fn new(
        (layout, depth): (Layout, Depth),
        from: &Encoding,
        to: &Encoding,
        rules: &SpaceRules,
    ) -> Result<Plan> {
        if layout == Layout::Cmyk {
            return Err(Error::not_supported("ink in another colour space: it needs a model of the printer"));
        }
        let oklab = match rules.gamut {
            Gamut::Clip => None,
            Gamut::ReduceChroma => {
                let ((to_xyz, white), d65) = (to.to_xyz()?, ColorSpace::SRGB.white()?);
                let there = product(&Adaptation::Bradford.matrix(white, d65), &to_xyz);
                let no_space = || Error::invalid("to", "its primaries span no space");
                let back = inverse(&there).ok_or_else(no_space)?;
                Some((there, back))
            }
        };
        let matrix = from.matrix_to(to, rules.adaptation)?;
        let (curves, tables) = ((from.curves(), to.curves()), OnceLock::new());
        Ok(Plan { curves, depth, tables, matrix, oklab, threads: rules.threads })
    }

    /// Samples of the layout that was planned for, to as many of the same depth.
    pub(crate) fn run(&self, from: AnySamples<'_>, to: AnySamplesMut<'_>) -> Result<()> {
        let make = || Tables::new(&self.curves, self.depth, &self.matrix, self.oklab.is_none());
        let tables = self.tables.get_or_init(make);
        match (from, to, &tables.quick) {
            (AnySamples::U8(from), AnySamplesMut::U8(to), Some(quick)) if from.channels().count > 2 => {
                self.run_bytes(tables, quick, from, to);
                Ok(())
            }
            (from, to, _) => with_same_samples!(from, to, from, to => {
                self.run_samples(tables, from, to);
                Ok(())
            }),
        }
    }

    fn run_bytes(&self, tables: &Tables, quick: &Quick, from: SampleView<'_, u8>, to: SampleViewMut<'_, u8>) {
        let (level, channels) = (Level::best(), from.channels().count);
        to.each_band(self.threads, from.bytes().saturating_mul(4), &|first, part| {
            for (from, to) in from.band(first..first + part.height()).rows().zip(part.into_rows()) {
                quick.row(level, (from, to), channels, &|pixel| self.exact(tables, pixel));
            }
        });
    }

    fn run_samples<S: Sample>(&self, tables: &Tables, from: SampleView<'_, S>, to: SampleViewMut<'_, S>) {
        let (channels, level) = (from.channels(), Level::best());
        let bytes = (2 * from.bytes()).saturating_mul(COMPUTED);
        to.each_band(self.threads, bytes, &|first, part| {
            for (from, to) in from.band(first..first + part.height()).rows().zip(part.into_rows()) {
                match channels.count {
                    3 => level.work_in_256_bits(Row::<S, 3> { plan: self, tables, from, to }),
                    4 => level.work_in_256_bits(Row::<S, 4> { plan: self, tables, from, to }),
                    count => {
                        // Gray is of no hue: the white of one space is that of the other.
                        for (from, to) in from.chunks_exact(count).zip(to.chunks_exact_mut(count)) {
                            to.copy_from_slice(from);
                            to[0] = tables.to(1).encode(tables.from(1).decode(from[0]));
                        }
                    }
                }
            }
        });
    }

    /// One colour, in `f64`.
    #[inline(always)]
    fn exact<S: Sample>(&self, tables: &Tables, rgb: [S; 3]) -> [S; 3] {
        let of = |c: usize| tables.from(c).decode(rgb[c]);
        let mut light = times(&self.matrix, [of(0), of(1), of(2)]);
        if let Some((there, back)) = &self.oklab {
            light = within(light, there, back);
        }
        [tables.to(0).encode(light[0]), tables.to(1).encode(light[1]), tables.to(2).encode(light[2])]
    }
}

/// The tables of the curves on both sides: one for all channels where they are alike.
#[derive(Debug, Clone)]
struct Tables {
    from: Vec<Curves>,
    to: Vec<Curves>,
    /// For bytes whose colours are not held inside.
    quick: Option<Quick>,
}

impl Tables {
    fn new((from, to): &([Curve; 3], [Curve; 3]), depth: Depth, matrix: &Matrix, clips: bool) -> Tables {
        let of = |curves: &[Curve; 3]| {
            let count = if curves.iter().all(|curve| *curve == curves[0]) { 1 } else { 3 };
            curves.iter().take(count).map(|curve| Curves::of(curve, depth)).collect::<Vec<_>>()
        };
        let (from, to) = (of(from), of(to));
        let quick = if clips && depth == Depth::U8 { Quick::new(&from, &to, matrix) } else { None };
        Tables { from, to, quick }
    }

    #[inline(always)]
    fn from(&self, channel: usize) -> &Curves {
        &self.from[channel.min(self.from.len() - 1)]
    }

    #[inline(always)]
    fn to(&self, channel: usize) -> &Curves {
        &self.to[channel.min(self.to.len() - 1)]
    }
}

/// A row on its way, to be compiled for wider registers.
struct Row<'a, S, const C: usize> {
    plan: &'a Plan,
    tables: &'a Tables,
    from: &'a [S],
    to: &'a mut [S],
}

impl<S: Sample, const C: usize> Work for Row<'_, S, C> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        let (from, to) = (self.from.as_chunks::<C>().0, self.to.as_chunks_mut::<C>().0);
        for i in 0..from.len().min(to.len()) {
            let [r, g, b] = self.plan.exact(self.tables, [from[i][0], from[i][1], from[i][2]]);
            // Alpha, where there is one, stays.
            to[i] = from[i];
            (to[i][0], to[i][1], to[i][2]) = (r, g, b);
        }
    }
}

/// How far outside 0..=1 a channel may lie and count as inside: rounding.
const INSIDE: f64 = 1e-6;

/// A colour with its chroma reduced, at its lightness and hue in Oklab, until it lies inside.
fn within(light: [f64; 3], there: &Matrix, back: &Matrix) -> [f64; 3] {
    let inside = |v: &[f64; 3]| v.iter().all(|v| (-INSIDE..=1.0 + INSIDE).contains(v));
    if inside(&light) || light.iter().any(|v| !v.is_finite()) {
        return light;
    }
    let [l, a, b] = oklab_of(times(there, light));
    if l >= 1.0 {
        return [1.0; 3];
    }
    if l <= 0.0 {
        return [0.0; 3];
    }
    let at = |share: f64| times(back, oklab_to_xyz([l, a * share, b * share]));
    // Of the shares of its chroma the largest that is inside, to a thousandth of a code of 16 bits.
    let (mut low, mut high) = (0.0, 1.0);
    for _ in 0..26 {
        let middle = (low + high) / 2.0;
        if inside(&at(middle)) { low = middle } else { high = middle }
    }
    at(low).map(|v| v.clamp(0.0, 1.0))
}

impl Pixels {
    /// [`to_space`] for pixels whose type is known at run time. One pass.
    ///
    /// # Errors
    /// As [`to_space`].
    pub fn to_space(&self, from: impl Into<Encoding>, to: impl Into<Encoding>, rules: &SpaceRules) -> Result<Pixels> {
        let plan = Plan::new((self.layout(), self.depth()), &from.into(), &to.into(), rules)?;
        let mut out = Pixels::zeros(self.size(), self.layout(), self.depth(), self.account())?;
        plan.run(self.samples_any(), out.samples_any_mut())?;
        Ok(out)
    }
}
