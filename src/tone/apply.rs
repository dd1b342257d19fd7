//! Curves on pixels: by table or as functions, each channel or luminance alone, everywhere or where a mask says.

use super::curve::Curve;
use crate::color::GrayWeights;
use crate::error::{Error, Result};
use crate::frame::{AnySamples, AnySamplesMut, Content, Frame, Levels, SampleViewMut, View, ViewMut, with_samples_mut};
use crate::measure::{Histogram, HistogramRules, Mask, gray_histogram_any, histogram_any};
use crate::pixel::{Channels, Depth, Layout, NumberKind, PicturePixel, Sample};
use crate::simd::arrays;
use crate::simd::{Level, lookup};
use crate::threads::{COMPUTED, Threads};

/// Basis of a tone: the values that its curve maps and that are measured for it.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[non_exhaustive]
pub enum Basis {
    /// All colour channels by one curve, measured on all of them together: levels of gray stay gray.
    #[default]
    Together,
    /// Each channel by a curve of its own, which may shift hues.
    EachChannel,
    /// The gray value of these weights; red, green and blue are scaled alike, so that hues stay. What would exceed full
    /// is drawn towards gray of the new brightness, which keeps hue and brightness and costs saturation.
    GrayValue(GrayWeights),
}

impl Basis {
    /// [`GrayValue`](Basis::GrayValue) by the BT.709 weights of the encoded values.
    pub const GRAY_VALUE: Basis = Basis::GrayValue(GrayWeights::Bt709);
}

/// Curves and what they work on.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Rgba, Size, tone::{Curve, Tone}};
/// let mut frame = Frame::filled(Size::new(2, 2), Rgba::new(10u8, 20, 30, 40))?;
/// Tone::new(Curve::negative()).apply(frame.view_mut())?;
/// assert_eq!(frame[(0, 0)], Rgba::new(245, 235, 225, 40));
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug, Clone)]
pub struct Tone {
    /// One curve for all channels, or one each.
    pub(super) curves: Vec<Curve>,
    pub(super) basis: Basis,
    pub(super) levels: Levels,
    pub(super) threads: Threads,
    pub(super) unchanged: Option<&'static str>,
}

/// A picture through a [`Tone`] that was found from it.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Toned<P: PicturePixel> {
    /// The picture.
    pub frame: Frame<P>,
    /// The tone that was applied.
    pub tone: Tone,
}

impl<P: PicturePixel> Toned<P> {
    /// The reason why the picture was left unchanged, if it was: all its pixels have one level.
    pub fn unchanged(&self) -> Option<&'static str> {
        self.tone.unchanged
    }
}

impl Tone {
    /// This curve for all colour channels.
    pub fn new(curve: Curve) -> Tone {
        Tone {
            curves: vec![curve],
            basis: Basis::Together,
            levels: Levels::Full,
            threads: Threads::ALL,
            unchanged: None,
        }
    }

    /// A curve for each colour channel, in channel order.
    ///
    /// # Errors
    /// No curve.
    pub fn each(curves: Vec<Curve>) -> Result<Tone> {
        if curves.is_empty() {
            return Err(Error::invalid("curves", "a tone needs at least one curve"));
        }
        Ok(Tone { curves, basis: Basis::EachChannel, ..Tone::new(Curve::identity()) })
    }

    /// This curve for the gray value alone: see [`Basis::GrayValue`].
    pub fn gray_value(curve: Curve, weights: GrayWeights) -> Tone {
        Tone { basis: Basis::GrayValue(weights), ..Tone::new(curve) }
    }

    /// Sets how integer samples stand for levels: fractions of the max code go through the curve, and become samples of the same
    /// kind.
    pub fn levels(self, levels: Levels) -> Tone {
        Tone { levels, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> Tone {
        Tone { threads, ..self }
    }

    /// The curves: one for all channels, or one each.
    pub fn curves(&self) -> &[Curve] {
        &self.curves
    }

    /// The basis that the curves map.
    pub fn basis(&self) -> Basis {
        self.basis
    }

    /// Why nothing changes, where a tone was found from a picture that has nothing to change: one level everywhere.
    pub fn unchanged(&self) -> Option<&'static str> {
        self.unchanged
    }

    /// A tone that leaves everything as it is, and says why.
    pub(super) fn nothing(why: &'static str, threads: Threads) -> Tone {
        Tone { unchanged: Some(why), ..Tone::new(Curve::identity()) }.threads(threads)
    }

    fn curve(&self, channel: usize) -> &Curve {
        // There is at least one; of fewer than there are channels the last serves the rest.
        &self.curves[channel.min(self.curves.len() - 1)]
    }

    /// Changes every pixel; alpha stays. One pass.
    ///
    /// # Errors
    /// Cmyk with a luminance curve: ink has no luminance without a model of the printer.
    pub fn apply<P: PicturePixel>(&self, view: ViewMut<'_, P>) -> Result<()> {
        self.apply_where(view, &Mask::ALL)
    }

    /// Changes the pixels that a mask counts; the others and alpha stay. One pass, with a row of memory a thread.
    ///
    /// # Errors
    /// As [`apply`](Tone::apply); a mask of another size.
    pub fn apply_where<P: PicturePixel>(&self, view: ViewMut<'_, P>, mask: &Mask<'_>) -> Result<()> {
        self.apply_any(view.into_samples_any(), mask)
    }

    /// [`apply_where`](Tone::apply_where) to samples whose type is known at run time.
    pub(crate) fn apply_any(&self, view: AnySamplesMut<'_>, mask: &Mask<'_>) -> Result<()> {
        mask.check(view.size())?;
        if self.curves.iter().all(Curve::is_identity) {
            return Ok(());
        }
        self.levels.check(view.as_view())?;
        with_samples_mut!(view, view => {
            Rows::new(self, view.channels())?.apply(view, mask, self.threads);
            Ok(())
        })
    }

    /// A copy of a picture with this tone.
    ///
    /// # Errors
    /// As [`apply`](Tone::apply).
    pub fn applied<P: PicturePixel>(&self, view: View<'_, P>) -> Result<Frame<P>> {
        let mut out = view.try_to_frame()?;
        self.apply(out.view_mut())?;
        Ok(out)
    }
}

/// What a row is put through, worked out once a call: over sample types, not over pixel types.
struct Rows<'a, S> {
    tone: &'a Tone,
    channels: usize,
    /// Channels but alpha.
    colors: usize,
    /// A table a colour channel; none for floats and for luminance.
    tables: Vec<Vec<S>>,
    /// The one table of all bytes of a row, where there is one.
    bytes: Option<[u8; 256]>,
    /// The sample that is full, where samples are codes.
    code: Option<f64>,
}

impl<'a, S: Sample> Rows<'a, S> {
    fn new(tone: &'a Tone, channels: Channels) -> Result<Self> {
        let full = S::DEPTH.max_code().map(u32::from);
        let max_codes = tone.levels.max_codes(channels, full.unwrap_or(u32::MAX))?;
        let (colors, alpha, channels) = (channels.colors(), channels.alpha, channels.count);
        if let Basis::GrayValue(weights) = tone.basis {
            if colors == 4 {
                return Err(Error::not_supported("the luminance of cmyk: ink needs a model of the printer"));
            }
            weights.check()?;
        }
        let by_table = S::DEPTH.max_code().is_some() && !(tone.is_luminance() && colors == 3);
        let mut tables = Vec::new();
        for (channel, &max_code) in max_codes[..if by_table { colors } else { 0 }].iter().enumerate() {
            let curve = tone.curve(channel);
            tables.push(match tone.levels.are_codes() {
                true => curve.table_of_codes::<S>(max_code),
                false => curve.table::<S>(max_code),
            });
        }
        let same = !tables.is_empty() && !alpha && tables.windows(2).all(|t| t[0] == t[1]);
        let bytes =
            (same && S::KIND == NumberKind::U8).then(|| arrays::from_fn(|i| tables[0][i].cast_unscaled::<u8>()));
        let code = match &tone.levels {
            Levels::Codes(list) if full.is_some() => list.iter().max().map(|&max| f64::from(max)),
            _ => None,
        };
        Ok(Rows { tone, channels, colors, tables, bytes, code })
    }

    /// Puts every row through, spread over threads; with a mask by way of a copy of the row.
    fn apply(&self, view: SampleViewMut<'_, S>, mask: &Mask<'_>, threads: Threads) {
        let each = if matches!(self.tone.basis, Basis::GrayValue(_)) && self.colors == 3 { COMPUTED } else { 1 };
        let bytes = (2 * view.bytes()).saturating_mul(each);
        let (pixels, length) = (view.width() as usize, view.width() as usize * self.channels);
        view.each_band(threads, bytes, &|first, strip| {
            if mask.is_all() {
                for row in strip.into_rows() {
                    self.run(row);
                }
                return;
            }
            let mut changed = vec![S::default(); length];
            let mut weights = vec![0; pixels];
            for (y, row) in (first..).zip(strip.into_rows()) {
                mask.row(y, &mut weights);
                changed.copy_from_slice(row);
                self.run(&mut changed);
                for (x, &weight) in weights.iter().enumerate() {
                    let pixel = x * self.channels..(x + 1) * self.channels;
                    if weight > 0 {
                        row[pixel.clone()].copy_from_slice(&changed[pixel]);
                    }
                }
            }
        });
    }

    fn run(&self, row: &mut [S]) {
        if let (Some(table), crate::pixel::SamplesMut::U8(row)) = (&self.bytes, S::lend(row)) {
            return lookup::bytes_in_place(Level::best(), table, row);
        }
        let pixels = row.chunks_exact_mut(self.channels);
        match self.tone.basis {
            // A constant for each sample type: only integers have tables.
            _ if const { !matches!(S::DEPTH, Depth::F32) } && !self.tables.is_empty() => {
                for pixel in pixels {
                    for (v, table) in pixel.iter_mut().zip(&self.tables) {
                        // As many entries as the type has values.
                        *v = table[v.to_f64() as usize];
                    }
                }
            }
            Basis::GrayValue(weights) if self.colors == 3 => pixels.for_each(|p| self.scale_to_gray_value(p, weights)),
            _ => {
                for pixel in pixels {
                    for (channel, v) in pixel[..self.colors].iter_mut().enumerate() {
                        *v = S::from_fraction(self.tone.curve(channel).at(v.to_fraction()));
                    }
                }
            }
        }
    }

    fn scale_to_gray_value(&self, pixel: &mut [S], weights: GrayWeights) {
        let fraction = |v: S| self.code.map_or_else(|| v.to_fraction(), |code| v.to_f64() / code);
        let rgb = [fraction(pixel[0]), fraction(pixel[1]), fraction(pixel[2])];
        let old = weights.mixed(rgb);
        let new = relit(rgb, S::DEPTH != Depth::F32, old, self.tone.curve(0).at(old));
        let sample = |v: f64| self.code.map_or_else(|| S::from_fraction(v), |code| S::from_f64(v * code));
        pixel.iter_mut().zip(new).for_each(|(to, v)| *to = sample(v));
    }
}

/// Red, green and blue scaled by new brightness / old; what exceeds full is drawn towards the new gray. Of integers the
/// new brightness is clamped first.
pub(super) fn relit(rgb: [f64; 3], integer: bool, old: f64, new: f64) -> [f64; 3] {
    let new = if integer { new.clamp(0.0, 1.0) } else { new };
    let [r, g, b] = rgb;
    let scaled = if old > 0.0 { [r * new / old, g * new / old, b * new / old] } else { [new; 3] };
    let most = scaled.iter().copied().fold(0.0, f64::max);
    let share = if integer && most > 1.0 && most > new { (1.0 - new) / (most - new) } else { 1.0 };
    let [r, g, b] = scaled;
    [new + (r - new) * share, new + (g - new) * share, new + (b - new) * share]
}

impl Tone {
    fn is_luminance(&self) -> bool {
        matches!(self.basis, Basis::GrayValue(_))
    }
}

/// Bins that floats are counted in for curves: as many as 16-bit integers have levels.
const FLOAT_BINS: usize = 65_536;

/// The histogram that a tone of this basis is found from: of integers by level, of floats in 65,536 bins over 0..1. One
/// channel for [`Basis::Together`] and luminance, all colour channels for [`Basis::EachChannel`]; alpha is left out.
///
/// # Errors
/// A view without pixels, a mask of another size, cmyk with luminance.
pub fn measured<P: PicturePixel>(
    view: View<'_, P>,
    mask: &Mask<'_>,
    basis: Basis,
    levels: &Levels,
    threads: Threads,
) -> Result<Histogram> {
    measured_any(view.samples_any(), P::LAYOUT, mask, basis, (levels, true), threads)
}

impl Content {
    /// [`measured`] of pixels whose type is known at run time.
    ///
    /// # Errors
    /// As [`measured`]; planes.
    pub fn measured(&self, mask: &Mask<'_>, basis: Basis, levels: &Levels, threads: Threads) -> Result<Histogram> {
        let pixels = self.pixels()?;
        measured_any(pixels.samples_any(), pixels.layout(), mask, basis, (levels, true), threads)
    }
}

/// [`measured`] of samples whose type is known at run time, of a whole picture or some of its rows.
pub(crate) fn measured_any(
    view: AnySamples<'_>,
    layout: Layout,
    mask: &Mask<'_>,
    basis: Basis,
    (levels, is_whole): (&Levels, bool),
    threads: Threads,
) -> Result<Histogram> {
    let mut rules = HistogramRules::default().levels(levels.clone()).threads(threads);
    if view.depth() == Depth::F32 {
        rules = rules.bins(FLOAT_BINS).range(0.0, 1.0);
    }
    let colors = view.channels().colors();
    match basis {
        Basis::GrayValue(weights) if colors == 3 => return gray_histogram_any(view, layout, weights, mask, &rules),
        Basis::GrayValue(_) if colors == 4 => {
            return Err(Error::not_supported("the luminance of cmyk: ink needs a model of the printer"));
        }
        _ => {}
    }
    let mut counted = histogram_any(view.into(), layout.channel_names(), mask, &rules, is_whole)?;
    counted.channels.truncate(colors);
    if basis == Basis::Together {
        let mut each = counted.channels.into_iter();
        let Some(first) = each.next() else { return Err(Error::invalid("view", "there is no channel to measure")) };
        let mut sum = Histogram { channels: vec![first] };
        for channel in each {
            sum.merge(&Histogram { channels: vec![channel] })?;
        }
        sum.channels[0].name = "all".to_string();
        return Ok(sum);
    }
    Ok(counted)
}
