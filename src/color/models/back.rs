//! The way back from a model to pixels: runs of its channels, stored as samples of any depth.

use super::convert::{alpha_of, curves};
use super::formulas::{Back, Formula, Lane, RUN};
use super::{Model, ModelPixel, ModelRules};
use crate::color::curves::Curves;
use crate::color::lanes::{Lanes, interleave, separate};
use crate::color::space::ColorSpace;
use crate::color::steps::Steps;
use crate::convert::swizzle;
use crate::error::{Error, Result};
use crate::frame::{
    AnySamples, AnySamplesMut, Frame, Pixels, Planes, SampleViewMut, View, ViewMut, same_size, with_samples_mut,
};
use crate::pixel::{Depth, Gray, Layout, PicturePixel, Sample};
use crate::simd::{Level, arrays};
use crate::threads::COMPUTED;

/// The way back from a model to pixels of a space: alpha is full. One pass.
///
/// What the space cannot hold is clamped a channel at a time in integers, and kept in floats. Hues are any number of degrees; NaN becomes 0
/// in integers.
///
/// # Errors
/// A space that is none, a cmyk or gray target, no memory.
pub fn from_model<M: ModelPixel, P: PicturePixel>(
    view: View<'_, M>,
    space: &ColorSpace,
    rules: &ModelRules,
) -> Result<Frame<P>> {
    let mut out = Frame::<P>::zeros(view.size(), view.account())?;
    from_model_into(view, out.view_mut(), space, rules)?;
    Ok(out)
}

/// [`from_model`] into a view of the same size.
///
/// # Errors
/// As [`from_model`], or sizes that differ.
pub fn from_model_into<M: ModelPixel, P: PicturePixel>(
    view: View<'_, M>,
    target: ViewMut<'_, P>,
    space: &ColorSpace,
    rules: &ModelRules,
) -> Result<()> {
    same_size("the target", view.size(), target.size())?;
    let plan = FromModel::new(M::MODEL, P::Number::DEPTH, space, rules)?;
    let from = view.samples();
    plan.run_any(target.into_samples_any(), P::LAYOUT, &|y, x, run: &mut [Lane; 3], count| {
        let [a, b, c] = run;
        let lanes = [&mut a[..count], &mut b[..count], &mut c[..count], &mut []];
        swizzle::separate(&from.row(y)[3 * x..3 * (x + count)], lanes);
    })
}

/// Fills a run: from row y, from pixel x on, so many.
type GetRun<'a> = dyn Fn(u32, usize, &mut [Lane; 3], usize) + Sync + 'a;

/// A conversion back that was checked.
#[derive(Debug, Clone)]
pub(crate) struct FromModel {
    formula: Formula,
    encoded: Curves,
    /// For bytes: the codes by light.
    steps: Option<Steps>,
    rules: ModelRules,
}

impl FromModel {
    pub(crate) fn new(model: Model, depth: Depth, space: &ColorSpace, rules: &ModelRules) -> Result<FromModel> {
        let formula = Formula::new(model, space, rules)?;
        let encoded = curves(&formula, space, depth);
        let steps = Steps::new(&encoded);
        Ok(FromModel { formula, encoded, steps, rules: *rules })
    }

    /// Rows of pixels from runs that `get` fills.
    fn run_any(&self, target: AnySamplesMut<'_>, layout: Layout, get: &GetRun<'_>) -> Result<()> {
        if !layout.is_color() || layout == Layout::Cmyk {
            return Err(Error::not_supported(format!("a colour model as {layout}; make it rgb first")));
        }
        with_samples_mut!(target, target => self.run_samples(target, get));
        Ok(())
    }

    fn run_samples<S: Sample>(&self, target: SampleViewMut<'_, S>, get: &GetRun<'_>) {
        let bytes = target.size().pixels().saturating_mul(16 * COMPUTED);
        let level = Level::best();
        target.each_band(self.rules.threads, bytes, &|first, part| {
            let channels = part.channels().count;
            let (mut run, mut codes) = ([[0.0; RUN]; 3], [[S::FULL; RUN]; 4]);
            for (y, to) in (first..).zip(part.into_rows()) {
                let width = to.len() / channels;
                for x in (0..width).step_by(RUN) {
                    let count = (width - x).min(RUN);
                    get(y, x, &mut run, count);
                    level.work_in_256_bits(Back(&self.formula, &mut run));
                    let to = &mut to[x * channels..(x + count) * channels];
                    self.store(level, &run, &mut codes);
                    interleave(&codes, channels, to);
                }
            }
        });
    }

    fn store<S: Sample>(&self, level: Level, run: &[Lane; 3], codes: &mut Lanes<S>) {
        for i in 0..run.len() {
            let (lane, codes) = (&run[i], &mut codes[i]);
            match self.steps.as_ref().filter(|_| S::DEPTH == Depth::U8) {
                Some(steps) => {
                    let mut found = [0; RUN];
                    steps.codes(level, lane, &mut found);
                    *codes = arrays::map(found, S::from_u8);
                }
                None => {
                    for k in 0..RUN {
                        codes[k] = self.encoded.encode(f64::from(lane[k]));
                    }
                }
            }
        }
    }

    /// Three planes of the model, and alpha where there is a fourth of this name, as pixels.
    pub(crate) fn pixels(&self, planes: &Planes<f32>, depth: Depth) -> Result<Pixels> {
        let names = self.formula.model.channel_names();
        let plane = |name: &str| {
            let has = || planes.names().collect::<Vec<_>>().join(", ");
            planes
                .get(name)
                .ok_or_else(|| Error::invalid("planes", format!("there is no plane {name}; there are {}", has())))
        };
        let of = [plane(names[0])?, plane(names[1])?, plane(names[2])?];
        let alpha = planes.get("alpha");
        let layout = if alpha.is_some() { Layout::Rgba } else { Layout::Rgb };
        let mut out = Pixels::zeros(planes.size(), layout, depth, planes.account())?;
        self.run_any(out.samples_any_mut(), layout, &|y, x, run, count| {
            for (lane, plane) in run.iter_mut().zip(of) {
                lane[..count].copy_from_slice(&plane.view().samples().row(y)[x..x + count]);
            }
        })?;
        if let Some(alpha) = alpha {
            same_size("the plane of alpha", planes.size(), alpha.size())?;
            with_samples_mut!(out.samples_any_mut(), view => put_alpha(view, alpha));
        }
        Ok(out)
    }

    /// The channels of rgb in floats taken for those of the model, as files bring them that keep no names; alpha stays.
    pub(crate) fn unnamed(&self, from: &Pixels, depth: Depth) -> Result<Pixels> {
        let mut out = Pixels::zeros(from.size(), from.layout(), depth, from.account())?;
        let AnySamples::F32(view) = from.samples_any() else {
            return Err(Error::invalid("input", "channels of a model are floats"));
        };
        let channels = view.channels().count;
        self.run_any(out.samples_any_mut(), from.layout(), &|y, x, run, count| {
            let mut lanes: Lanes<f32> = [[0.0; RUN]; 4];
            separate(&view.row(y)[x * channels..(x + count) * channels], channels, &mut lanes);
            for (to, lane) in run.iter_mut().zip(&lanes) {
                *to = *lane;
            }
        })?;
        if from.layout().has_alpha() {
            let alpha = alpha_of(from)?;
            with_samples_mut!(out.samples_any_mut(), view => put_alpha(view, &alpha));
        }
        Ok(out)
    }
}

fn put_alpha<S: Sample>(to: SampleViewMut<'_, S>, alpha: &Frame<Gray<f32>>) {
    for (to, from) in to.into_rows().zip(alpha.view().samples().rows()) {
        for (pixel, alpha) in to.as_chunks_mut::<4>().0.iter_mut().zip(from) {
            pixel[3] = S::from_fraction((*alpha).into());
        }
    }
}

impl Pixels {
    /// Pixels of planes in a colour model, which have its channels' names; a plane `alpha` becomes alpha. One pass.
    ///
    /// # Errors
    /// As [`from_model`]; a plane that is missing.
    pub fn from_model(
        planes: &Planes<f32>,
        model: Model,
        space: &ColorSpace,
        depth: Depth,
        rules: &ModelRules,
    ) -> Result<Pixels> {
        FromModel::new(model, depth, space, rules)?.pixels(planes, depth)
    }
}
