//! Whole pictures to a model and back: rows in runs, loaded from samples of any depth and stored as such.

use super::formulas::{Back, Formula, Forth, Lane, RUN};
use super::{Model, ModelPixel, ModelRules, values};
use crate::color::curves::Curves;
use crate::color::lanes::{Lanes, interleave, separate};
use crate::color::space::{ColorSpace, Matrix, inverse, product};
use crate::color::steps::Steps;
use crate::convert::swizzle;
use crate::error::{Error, Result};
use crate::frame::{
    AnySamples, AnySamplesMut, Frame, Pixels, Planes, SampleView, SampleViewMut, View, ViewMut, same_size,
    with_samples, with_samples_mut,
};
use crate::pixel::{Depth, Gray, Layout, PicturePixel, Sample};
use crate::simd::{Level, Work};
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
    let mut out = Frame::<M>::new(view.size())?;
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

/// The way back from a model to pixels of a space: alpha is full, gray targets get the luma of BT.709. One pass.
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
    let mut out = Frame::<P>::new(view.size())?;
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
        let mut run = [[0.0; RUN]; 3];
        for x in (0..width).step_by(RUN) {
            let count = (width - x).min(RUN);
            with_samples!(from, view => decoded.load(view, y, (x, count), &mut run));
            level.work(Forth(&self.formula, &mut run));
            put(x, &run, count);
        }
    }

    /// Pixels as three planes, and alpha as a fourth where there is one.
    pub(crate) fn planes(&self, pixels: &Pixels) -> Result<Planes<f32>> {
        let size = pixels.size();
        let plane = || Frame::<Gray<f32>>::new(size);
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
fn alpha_of(pixels: &Pixels) -> Result<Frame<Gray<f32>>> {
    let from = pixels.samples_any();
    let mut out = Frame::<Gray<f32>>::new(pixels.size())?;
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
fn curves(formula: &Formula, space: &ColorSpace, depth: Depth) -> Curves {
    let transfer = if formula.model.is_of_encoded() { crate::pixel::Transfer::Linear } else { space.transfer };
    Curves::new(transfer, depth)
}

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

    fn load<S: Sample>(&self, view: SampleView<'_, S>, y: u32, (x, count): (usize, usize), run: &mut [Lane; 3]) {
        let channels = view.channels();
        let row = &view.row(y)[x * channels.count..(x + count) * channels.count];
        let mut lanes: Lanes<S> = [[S::default(); RUN]; 4];
        separate(row, channels.count, &mut lanes);
        let places = if channels.colors() == 3 { [0, 1, 2] } else { [0, 0, 0] };
        for (to, place) in run.iter_mut().zip(places) {
            self.lane(&lanes[place], &mut to[..count]);
        }
    }

    fn lane<S: Sample>(&self, from: &[S; RUN], to: &mut [f32]) {
        if const { matches!(S::DEPTH, Depth::U8) } {
            // A table of a known length: no index lies outside.
            let Some(table) = self.table.first_chunk::<256>() else { return };
            for (to, code) in to.iter_mut().zip(from) {
                *to = table[usize::from(code.to_depth::<u8>())];
            }
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
    fn new(model: Model, space: &ColorSpace, rules: &ModelRules) -> Result<Formula> {
        const UNIT: Matrix = [[1.0, 0.0, 0.0], [0.0, 1.0, 0.0], [0.0, 0.0, 1.0]];
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

/// What the light of a run is looked up by.
struct Keys<'a>(&'a Lane, &'a mut [u32; RUN]);

impl Work for Keys<'_> {
    type Out = ();

    #[inline(always)]
    fn work(self) {
        for (key, light) in self.1.iter_mut().zip(self.0) {
            *key = Steps::key(*light);
        }
    }
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
        for (lane, codes) in run.iter().zip(codes) {
            match self.steps.as_ref().filter(|_| S::DEPTH == Depth::U8) {
                Some(steps) => {
                    let mut keys = [0; RUN];
                    level.work(Keys(lane, &mut keys));
                    steps.sums(&mut keys);
                    for (code, sum) in codes.iter_mut().zip(keys) {
                        *code = S::from_u8(Steps::code(sum));
                    }
                }
                None => {
                    for (code, light) in codes.iter_mut().zip(lane) {
                        *code = self.encoded.encode(f64::from(*light));
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
        let mut out = Pixels::new(planes.size(), layout, depth)?;
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
}

impl FromModel {
    /// The channels of rgb in floats taken for those of the model, as files bring them that keep no names; alpha stays.
    pub(crate) fn unnamed(&self, from: &Pixels, depth: Depth) -> Result<Pixels> {
        let mut out = Pixels::new(from.size(), from.layout(), depth)?;
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
    /// These pixels in a colour model: three named planes, and alpha as fractions where there is some ([`to_model`] for pixels whose type is
    /// known at run time). One pass.
    ///
    /// # Errors
    /// As [`to_model`].
    pub fn to_model(&self, model: Model, space: &ColorSpace, rules: &ModelRules) -> Result<Planes<f32>> {
        ToModel::new(model, (self.layout(), self.depth()), space, rules)?.planes(self)
    }

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
