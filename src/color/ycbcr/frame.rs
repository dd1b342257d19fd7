//! Luma and colour differences as three planes.

use super::YcbcrRules;
use super::bytes;
use super::code::YcbcrCode;
use super::rows::{Lanes, Sum, ToRgb, averaged, doubled, full_of, halved, load};
use crate::error::{Error, Result};
use crate::frame::{
    AnySamples, AnySamplesMut, Frame, SampleView, SampleViewMut, Size, View, ViewMut, same_size, with_samples,
    with_samples_mut,
};
use crate::pixel::{ChromaSiting, Depth, Gray, Layout, PicturePixel, Rgb, Sample};
use crate::simd::Level;
use crate::threads::{self, Threads};

/// Luma and colour differences: three planes of codes, the last two smaller where there are fewer of them.
#[derive(Debug, Clone, PartialEq)]
pub struct YcbcrFrame<T: YcbcrCode> {
    rules: YcbcrRules,
    y: Frame<Gray<T>>,
    cb: Frame<Gray<T>>,
    cr: Frame<Gray<T>>,
}

/// The size of the planes of colour differences.
pub(super) fn chroma_size(size: Size, rules: &YcbcrRules) -> Size {
    let (across, down) = rules.sampling.factors();
    Size::new(size.width.div_ceil(across), size.height.div_ceil(down))
}

impl<T: YcbcrCode> YcbcrFrame<T> {
    /// Planes that are there already.
    ///
    /// # Errors
    /// Bits that the type has no room for, or colour differences of another size than the rules ask for.
    pub fn new(rules: &YcbcrRules, y: Frame<Gray<T>>, cb: Frame<Gray<T>>, cr: Frame<Gray<T>>) -> Result<Self> {
        rules.check(T::BITS)?;
        let wanted = chroma_size(y.size(), rules);
        for (plane, name) in [(&cb, "the plane Cb"), (&cr, "the plane Cr")] {
            if plane.size() != wanted {
                return Err(Error::sizes(name, wanted, plane.size()));
            }
        }
        Ok(YcbcrFrame { rules: *rules, y, cb, cr })
    }

    /// Width and height of the picture, which are those of the luma.
    pub fn size(&self) -> Size {
        self.y.size()
    }

    /// What the codes mean.
    pub fn rules(&self) -> &YcbcrRules {
        &self.rules
    }

    /// Luma.
    pub fn y(&self) -> &Frame<Gray<T>> {
        &self.y
    }

    /// Blue differences.
    pub fn cb(&self) -> &Frame<Gray<T>> {
        &self.cb
    }

    /// Red differences.
    pub fn cr(&self) -> &Frame<Gray<T>> {
        &self.cr
    }

    /// The three planes, handed over: Y, Cb, Cr.
    pub fn into_planes(self) -> [Frame<Gray<T>>; 3] {
        [self.y, self.cb, self.cr]
    }

    /// The picture as red, green and blue of any depth. Fewer colour differences are interpolated in straight lines between their places;
    /// beyond the outermost they go on. Integers are clamped, floats keep what lies outside. One pass.
    ///
    /// # Errors
    /// No memory.
    pub fn to_rgb<S: Sample>(&self) -> Result<Frame<Rgb<S>>> {
        let mut out = Frame::<Rgb<S>>::zeros(self.size(), self.y.account())?;
        self.to_rgb_into(out.view_mut())?;
        Ok(out)
    }

    /// [`to_rgb`](YcbcrFrame::to_rgb) into a view of the same size.
    ///
    /// # Errors
    /// Sizes that differ.
    pub fn to_rgb_into<S: Sample>(&self, target: ViewMut<'_, Rgb<S>>) -> Result<()> {
        same_size("the target", self.size(), target.size())?;
        self.back_to(target.into_samples_any());
        Ok(())
    }

    /// The codes of a view of the same size in place of those that are here, by the same rules: see [`to_ycbcr`].
    ///
    /// # Errors
    /// Sizes that differ, cmyk.
    pub fn fill_from<P: PicturePixel>(&mut self, view: View<'_, P>) -> Result<()> {
        same_size("the view", self.size(), view.size())?;
        if P::LAYOUT == Layout::Cmyk {
            return Err(Error::not_supported("luma of ink; convert it to rgb first"));
        }
        self.fill_any(view.samples_any());
        Ok(())
    }
}

/// A row of luma with its colour differences at full width, as numbers.
struct Chroma {
    y: Vec<f32>,
    cb: Vec<f32>,
    cr: Vec<f32>,
    /// Room for a row of fewer, and for one of its neighbours.
    few: (Vec<f32>, Vec<f32>),
}

impl Chroma {
    fn new<T: YcbcrCode>(frame: &YcbcrFrame<T>) -> Chroma {
        let (wide, few) = (frame.size().width as usize, frame.cb.size().width as usize);
        let lane = |width| vec![0.0; width];
        Chroma { y: lane(wide), cb: lane(wide), cr: lane(wide), few: (lane(few), lane(few)) }
    }

    fn go_to<T: YcbcrCode>(&mut self, frame: &YcbcrFrame<T>, row: u32) {
        numbers(frame.y.row(row), &mut self.y);
        let (across, down) = frame.rules.sampling.factors();
        let (near, far) = rows_around(row, down, frame.cb.size().height);
        for (plane, to) in [(&frame.cb, &mut self.cb), (&frame.cr, &mut self.cr)] {
            let (few, other) = (&mut self.few.0, &mut self.few.1);
            numbers(plane.row(near), few);
            if far != near {
                numbers(plane.row(far), other);
                few.iter_mut().zip(other).for_each(|(near, far)| *near = 0.75 * *near + 0.25 * *far);
            }
            match across {
                1 => to.copy_from_slice(few),
                _ => doubled(few, frame.rules.siting == ChromaSiting::Left, to),
            }
        }
    }
}

/// The two rows of colour differences that a row of luma lies between: three quarters of the first count, a quarter of the second.
pub(super) fn rows_around(row: u32, down: u32, rows: u32) -> (u32, u32) {
    let last = rows.saturating_sub(1);
    let near = (row / down).min(last);
    let far = match (down, row % 2) {
        (1, _) => near,
        (_, 0) => near.saturating_sub(1),
        _ => (near + 1).min(last),
    };
    (near, far)
}

fn numbers<T: YcbcrCode>(row: &[Gray<T>], to: &mut [f32]) {
    row.iter().zip(to).for_each(|(from, to)| *to = from.value.to_f32());
}

/// Luma and colour differences of a picture: gray has no colour differences, alpha is left out. One pass.
///
/// Fewer colour differences are means: of two neighbours across, or, sited left, a quarter, a half and a quarter around the luma that they
/// lie on; of two rows. The outermost pixels are repeated.
///
/// # Errors
/// Cmyk, bits that the type has no room for, no memory.
///
/// # Examples
/// The bars of a test picture, in 8 bits of limited range by BT.601: white 235 128 128, yellow 210 16 146.
/// ```
/// use rahmen::color::ycbcr::{LumaWeights, YcbcrRules, to_ycbcr};
/// use rahmen::{Frame, Rgb, Size};
/// let bars = Frame::from_pixels(Size::new(2, 1), vec![Rgb::new(255u8, 255, 255), Rgb::new(255, 255, 0)])?;
/// let coded = to_ycbcr::<_, u8>(bars.view(), &YcbcrRules::new(8).weights(LumaWeights::Bt601))?;
/// assert_eq!((coded.y().samples(), coded.cb().samples(), coded.cr().samples()), (&[235, 210][..], &[128, 16][..], &[128, 146][..]));
/// assert_eq!(coded.to_rgb::<u8>()?, bars);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn to_ycbcr<P: PicturePixel, T: YcbcrCode>(view: View<'_, P>, rules: &YcbcrRules) -> Result<YcbcrFrame<T>> {
    rules.check(T::BITS)?;
    let size = view.size();
    let few = chroma_size(size, rules);
    let account = view.account();
    let (y, cb, cr) = (Frame::zeros(size, account)?, Frame::zeros(few, account)?, Frame::zeros(few, account)?);
    let mut out = YcbcrFrame { rules: *rules, y, cb, cr };
    out.fill_from(view)?;
    Ok(out)
}

impl<T: YcbcrCode> YcbcrFrame<T> {
    /// The planes, where they hold bytes.
    fn planes_of_bytes(&self) -> Option<[SampleView<'_, u8>; 3]> {
        match [&self.y, &self.cb, &self.cr].map(|plane| plane.view().samples_any()) {
            [AnySamples::U8(y), AnySamples::U8(cb), AnySamples::U8(cr)] => Some([y, cb, cr]),
            _ => None,
        }
    }

    fn back_to(&self, target: AnySamplesMut<'_>) {
        let (rules, size) = (&self.rules, self.size().pixels().saturating_mul(24));
        let target = match (self.planes_of_bytes(), target) {
            (Some(planes), AnySamplesMut::U8(target)) => {
                let back = ToRgb::new(rules, 255.0);
                return target
                    .each_band(rules.threads, size, &|first, part| bytes::back(rules, planes, &back, (first, part)));
            }
            (_, target) => target,
        };
        let back = ToRgb::new(rules, full_of(target.depth()));
        with_samples_mut!(target, target => {
            target.each_band(rules.threads, size, &|first, part| {
                let (mut rows, level) = (Chroma::new(self), Level::best());
                for (y, to) in (first..).zip(part.into_rows()) {
                    rows.go_to(self, y);
                    back.run(level, [&rows.y, &rows.cb, &rows.cr], to);
                }
            });
        });
    }

    fn fill_any(&mut self, source: AnySamples<'_>) {
        let (size, few, rules) = (self.size(), self.cb.size(), self.rules);
        let sums = Sum::all(&rules, full_of(source.depth()));
        let down = rules.sampling.factors().1;
        let threads = if size.pixels() < (1 << 16) { Threads::ONE } else { rules.threads };
        let bands = threads.bands(size.pixels().saturating_mul(8));
        // Bands of whole rows of colour differences.
        let jobs = bands_of([&mut self.y, &mut self.cb, &mut self.cr], threads::bands(few.height, bands), down);
        threads::each(threads, jobs, |job: Band<'_, T>| {
            if let (AnySamples::U8(source), Depth::U8) = (source, T::DEPTH) {
                let [AnySamplesMut::U8(y), AnySamplesMut::U8(cb), AnySamplesMut::U8(cr)] =
                    job.planes.map(AnySamplesMut::of)
                else {
                    return;
                };
                return bytes::fill(&rules, &sums, source, job.first, [y, cb, cr]);
            }
            with_samples!(source, source => fill(&rules, &sums, source, job));
        });
    }
}

/// The codes of a band of rows.
fn fill<S: Sample, T: YcbcrCode>(rules: &YcbcrRules, sums: &[Sum; 3], source: SampleView<'_, S>, job: Band<'_, T>) {
    let (channels, (across, down)) = (source.channels().count, rules.sampling.factors());
    let [mut y, cb, cr] = job.planes;
    let (wide, few) = (source.width() as usize, cb.width() as usize);
    let (mut row, mut mean) = (Lanes::new(wide), Lanes::new(wide));
    let (mut half, level) = (Lanes::new(few), Level::best());
    for (i, (cb, cr)) in (0u32..).zip(cb.into_rows().zip(cr.into_rows())) {
        for j in 0..down.min(y.height() - i * down) {
            let at = i * down + j;
            let target = if j == 0 { &mut mean } else { &mut row };
            load(source.row(job.first + at), channels, target);
            sums[0].codes(level, target, rules.max_code(), y.row_mut(at));
            if j == 1 {
                averaged(&mut mean, &row);
            }
        }
        let lanes = if across == 1 {
            &mean
        } else {
            halved(&mean, rules.siting == ChromaSiting::Left, &mut half);
            &half
        };
        sums[1].codes(level, lanes, rules.max_code(), cb);
        sums[2].codes(level, lanes, rules.max_code(), cr);
    }
}

/// Rows of luma and of colour differences that belong together.
struct Band<'a, T: YcbcrCode> {
    first: u32,
    planes: [SampleViewMut<'a, T>; 3],
}

fn bands_of<'a, T: YcbcrCode>(
    planes: [&'a mut Frame<Gray<T>>; 3],
    rows: Vec<std::ops::Range<u32>>,
    down: u32,
) -> Vec<Band<'a, T>> {
    let mut rest = planes.map(|plane| plane.view_mut().into_samples());
    let mut jobs = Vec::with_capacity(rows.len());
    for range in rows {
        let few = range.end - range.start;
        let [y, cb, cr] = rest;
        // The last band may have a luma row less.
        let lumas = (few * down).min(y.height());
        let ((y, y_rest), (cb, cb_rest), (cr, cr_rest)) = (y.cut_rows(lumas), cb.cut_rows(few), cr.cut_rows(few));
        jobs.push(Band { first: range.start * down, planes: [y, cb, cr] });
        rest = [y_rest, cb_rest, cr_rest];
    }
    jobs
}
