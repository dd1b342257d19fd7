//! Whole pictures to a model: rows in runs, loaded from samples of any depth.
//!
//! Not here: the way back (`back`).

use super::formulas::{Formula, Forth, Lane, RUN};
use super::{Model, ModelPixel, ModelRules, values};
use crate::color::curves::Curves;
use crate::color::lanes::{Lanes, separate};
use crate::color::space::{ColorSpace, Matrix, inverse, product};
use crate::convert::swizzle;
use crate::error::{Error, Result};
use crate::frame::{AnySamples, Frame, Pixels, Planes, SampleViewMut, View, ViewMut, same_size, with_samples};
use crate::pixel::{Channels, Depth, Gray, Layout, PicturePixel, Sample, SamplesRef};
use crate::simd::{Level, ladder};
use crate::threads::{self, COMPUTED};
use std::sync::OnceLock;

/// A view in another colour model, as a new frame: gray is gray there too, alpha is left out. One pass.
///
/// Computed in `f32` from the curve's own light (that of 8- and 16-bit samples by exact tables); docs/accuracy.md has the largest errors.
///
/// # Errors
/// A space that is none, cmyk, no memory.
///
/// # Examples
/// ```
/// use rahmen::color::{self, ColorSpace, ModelRules};
/// use rahmen::{Frame, Lab, Rgb, Size, pixel::Hsv};
/// let red = Frame::filled(Size::new(1, 1), Rgb::new(255u8, 0, 0))?;
/// let hsv = color::to_model::<_, Hsv>(red.view(), &ColorSpace::SRGB, &ModelRules::default())?;
/// assert_eq!(hsv[(0, 0)], Hsv::new(0.0, 1.0, 1.0));
/// let lab = color::to_model::<_, Lab>(red.view(), &ColorSpace::SRGB, &ModelRules::default())?;
/// assert!((lab[(0, 0)].l - 53.24).abs() < 0.01);
/// assert_eq!(color::from_model::<_, Rgb<u8>>(lab.view(), &ColorSpace::SRGB, &ModelRules::default())?, red);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn to_model<P: PicturePixel, M: ModelPixel>(
    view: View<'_, P>,
    space: &ColorSpace,
    rules: &ModelRules,
) -> Result<Frame<M>> {
    let mut out = Frame::<M>::zeros(view.size(), view.account())?;
    to_model_into(view, out.view_mut(), space, rules)?;
    Ok(out)
}

/// [`to_model`] into a view of the same size.
///
/// # Errors
/// As [`to_model`], or sizes that differ.
pub fn to_model_into<P: PicturePixel, M: ModelPixel>(
    view: View<'_, P>,
    target: ViewMut<'_, M>,
    space: &ColorSpace,
    rules: &ModelRules,
) -> Result<()> {
    same_size("the target", view.size(), target.size())?;
    let plan = ToModel::new(M::MODEL, (P::LAYOUT, P::Number::DEPTH), space, rules)?;
    plan.run(view.samples_any(), target.into_samples());
    Ok(())
}

/// A conversion to a model that was checked.
#[derive(Debug, Clone)]
pub(crate) struct ToModel {
    formula: Formula,
    space: ColorSpace,
    depth: Depth,
    /// Encoded fractions, or light, of samples.
    decoded: OnceLock<Decoded>,
    rules: ModelRules,
}

impl ToModel {
    pub(crate) fn new(
        model: Model,
        (layout, depth): (Layout, Depth),
        space: &ColorSpace,
        rules: &ModelRules,
    ) -> Result<ToModel> {
        if layout == Layout::Cmyk {
            return Err(Error::not_supported("ink in a colour model: it needs a model of the printer"));
        }
        let (formula, decoded) = (Formula::new(model, space, rules)?, OnceLock::new());
        Ok(ToModel { formula, space: *space, depth, decoded, rules: *rules })
    }

    /// Pixels to three channels of the model.
    fn run(&self, from: AnySamples<'_>, target: SampleViewMut<'_, f32>) {
        let bytes = from.size().pixels().saturating_mul(16 * COMPUTED);
        target.each_band(self.rules.threads, bytes, &|first, part| {
            for (y, to) in (first..).zip(part.into_rows()) {
                self.row(from, y, &mut |x, run, count| {
                    let [a, b, c] = run;
                    let lanes = [&a[..count], &b[..count], &c[..count], &[]];
                    swizzle::interleave(lanes, &mut to[3 * x..3 * (x + count)]);
                });
            }
        });
    }

    /// Hands over the runs of a row: where each begins, its channels, and how many pixels it has.
    fn row(&self, from: AnySamples<'_>, y: u32, put: &mut dyn FnMut(usize, &[Lane; 3], usize)) {
        let decoded = self.decoded.get_or_init(|| Decoded::new(&self.formula, &self.space, self.depth));
        let level = Level::best();
        let width = from.size().width as usize;
        let mut each = |x: usize, run: &mut [Lane; 3], count: usize| {
            level.work(Forth(&self.formula, run));
            put(x, run, count);
        };
        with_samples!(from, view => decoded.runs(view.row(y), view.channels(), width, &mut each));
    }

    /// Pixels as three planes, and alpha as a fourth where there is one.
    pub(crate) fn planes(&self, pixels: &Pixels) -> Result<Planes<f32>> {
        let size = pixels.size();
        let plane = || Frame::<Gray<f32>>::zeros(size, pixels.account());
        let (mut a, mut b, mut c) = (plane()?, plane()?, plane()?);
        let from = pixels.samples_any();
        let bytes = size.pixels().saturating_mul(16 * COMPUTED);
        let mut rest = [&mut a, &mut b, &mut c].map(|plane| plane.view_mut().into_samples());
        let mut jobs: Vec<(u32, [SampleViewMut<'_, f32>; 3])> = Vec::new();
        for rows in threads::bands(size.height, self.rules.threads.bands(bytes)) {
            let ((first, next), (second, then), (third, last)) = {
                let [a, b, c] = rest;
                let count = rows.end - rows.start;
                (a.cut_rows(count), b.cut_rows(count), c.cut_rows(count))
            };
            jobs.push((rows.start, [first, second, third]));
            rest = [next, then, last];
        }
        threads::each(self.rules.threads, jobs, |(first, [mut a, mut b, mut c])| {
            for y in 0..a.height() {
                let mut rows = [a.row_mut(y), b.row_mut(y), c.row_mut(y)];
                self.row(from, first + y, &mut |x, run, count| {
                    for (row, lane) in rows.iter_mut().zip(run) {
                        row[x..x + count].copy_from_slice(&lane[..count]);
                    }
                });
            }
        });
        let names = self.formula.model.channel_names();
        let planes = Planes::new(size).with(names[0], a)?.with(names[1], b)?.with(names[2], c)?;
        match pixels.layout().has_alpha() {
            true => planes.with("alpha", alpha_of(pixels)?),
            false => Ok(planes),
        }
    }
}

/// Alpha as fractions.
pub(super) fn alpha_of(pixels: &Pixels) -> Result<Frame<Gray<f32>>> {
    let from = pixels.samples_any();
    let mut out = Frame::<Gray<f32>>::zeros(pixels.size(), pixels.account())?;
    with_samples!(from, view => {
        let count = view.channels().count;
        for (row, to) in view.rows().zip(out.view_mut().into_samples().into_rows()) {
            for (pixel, to) in row.chunks_exact(count).zip(to) {
                *to = pixel[count - 1].to_fraction() as f32;
            }
        }
    });
    Ok(out)
}

/// What samples are before the formula: light, or encoded fractions.
pub(super) fn curves(formula: &Formula, space: &ColorSpace, depth: Depth) -> Curves {
    let transfer = if formula.model.is_of_encoded() { crate::pixel::Transfer::Linear } else { space.transfer };
    Curves::new(transfer, depth)
}

/// What is done with a run: it begins at a pixel, and has so many.
type Each<'a> = dyn FnMut(usize, &mut [Lane; 3], usize) + 'a;

/// What samples are before the formula, by a table of every code where there are codes.
#[derive(Debug, Clone)]
struct Decoded {
    curves: Curves,
    table: Vec<f32>,
    /// Whether floats are what they stand for.
    as_they_are: bool,
}

impl Decoded {
    fn new(formula: &Formula, space: &ColorSpace, depth: Depth) -> Decoded {
        let curves = curves(formula, space, depth);
        let as_they_are = formula.model.is_of_encoded() || space.transfer == crate::pixel::Transfer::Linear;
        let table = match depth {
            Depth::U8 => (0..=u8::MAX).map(|code| curves.decode(code) as f32).collect(),
            Depth::U16 => (0..=u16::MAX).map(|code| curves.decode(code) as f32).collect(),
            Depth::F32 => Vec::new(),
        };
        Decoded { curves, table, as_they_are }
    }

    /// The runs of a row: where each begins, its channels, and how many pixels it has.
    fn runs<S: Sample>(&self, row: &[S], channels: Channels, width: usize, each: &mut Each<'_>) {
        let mut lanes: Lanes<S> = [[S::default(); RUN]; 4];
        let mut run = [[0.0; RUN]; 3];
        let places = if channels.colors() == 3 { [0, 1, 2] } else { [0, 0, 0] };
        for x in (0..width).step_by(RUN) {
            let count = (width - x).min(RUN);
            let row = &row[x * channels.count..(x + count) * channels.count];
            if let (true, 3, SamplesRef::F32(row)) = (self.as_they_are, channels.count, S::lend_ref(row)) {
                let [a, b, c] = &mut run;
                swizzle::separate(row, [&mut a[..count], &mut b[..count], &mut c[..count], &mut []]);
            } else {
                separate(row, channels.count, &mut lanes);
                for (to, place) in run.iter_mut().zip(places) {
                    self.lane(&lanes[place], &mut to[..count]);
                }
            }
            each(x, &mut run, count);
        }
    }

    fn lane<S: Sample>(&self, from: &[S; RUN], to: &mut [f32]) {
        if const { matches!(S::DEPTH, Depth::U8) } {
            // A table of a known length: no index lies outside.
            let (Some(table), SamplesRef::U8(from)) = (self.table.first_chunk::<256>(), S::lend_ref(from)) else {
                return;
            };
            ladder::entries(Level::best(), table, from, to);
        } else if const { matches!(S::DEPTH, Depth::U16) } {
            let Some(table) = self.table.first_chunk::<65_536>() else { return };
            for (to, code) in to.iter_mut().zip(from) {
                *to = table[usize::from(code.to_depth::<u16>())];
            }
        } else if self.as_they_are {
            to.iter_mut().zip(from).for_each(|(to, value)| *to = value.to_f32());
        } else {
            to.iter_mut().zip(from).for_each(|(to, value)| *to = self.curves.decode(*value) as f32);
        }
    }
}

impl Formula {
    pub(super) fn new(model: Model, space: &ColorSpace, rules: &ModelRules) -> Result<Formula> {
        const UNIT: Matrix = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
        if model == Model::LinearRgb {
            // Of a space that is not known the curve is not known either.
            space.to_xyz()?;
        }
        if model.is_of_encoded() || model == Model::LinearRgb {
            let matrix = UNIT.map(|row| row.map(|v| v as f32));
            return Ok(Formula { model, matrix, white: [1.0; 3], back: UNIT });
        }
        let (white, to_xyz) = rules.under_white(model, space)?;
        if white.iter().any(|v| !(v.is_finite() && *v > 0.0)) {
            return Err(Error::invalid("white", format!("a white is CIE XYZ above 0, not {white:?}")));
        }
        let forth = match model {
            Model::Lab | Model::Lch => product(&over_white(white), &to_xyz),
            Model::Oklab | Model::Oklch => product(&values::TO_LMS, &to_xyz),
            _ => to_xyz,
        };
        let back = inverse(&to_xyz).ok_or_else(|| Error::invalid("space", "its primaries span no space"))?;
        let matrix = forth.map(|row| row.map(|v| v as f32));
        Ok(Formula { model, matrix, white, back })
    }
}

/// The matrix that divides by a white.
fn over_white([x, y, z]: [f64; 3]) -> Matrix {
    [[1.0 / x, 0.0, 0.0], [0.0, 1.0 / y, 0.0], [0.0, 0.0, 1.0 / z]]
}

impl Pixels {
    /// These pixels in a colour model: three named planes, and alpha as fractions where there is some ([`to_model`] for pixels whose type is
    /// known at run time). One pass.
    ///
    /// # Errors
    /// As [`to_model`].
    pub fn to_model(&self, model: Model, space: &ColorSpace, rules: &ModelRules) -> Result<Planes<f32>> {
        ToModel::new(model, (self.layout(), self.depth()), space, rules)?.planes(self)
    }
}
