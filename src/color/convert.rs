//! Between every pair of pixel types: a layout part and a depth part.

use super::flatten::flatten_any;
use super::gray::{GrayWeights, gray_alpha_any, gray_any};
use super::ink::ink_any;
use super::light;
use crate::convert::channels::{Take, select_any};
use crate::convert::depth::{self, Window, depth_into, window_into_any};
use crate::error::{Error, Result};
use crate::frame::{
    AnySamples, AnySamplesMut, Frame, Metadata, Picture, PixelFormat, Pixels, Region, Size, View, ViewMut, same_size,
};
use crate::pixel::{Depth, Layout, PicturePixel, Sample, Transfer};
use crate::threads::Threads;
use std::ops::Range;
use std::sync::PoisonError;

/// Rule for alpha where the target has none.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[non_exhaustive]
pub enum AlphaRule {
    /// The conversion is refused.
    #[default]
    Refuse,
    /// It is left out and the colours stay as they are.
    Drop,
    /// The pixels are laid on a background: red, green and blue as fractions of full.
    Flatten([f64; 3]),
}

/// Rules of a conversion.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[non_exhaustive]
pub struct ConvertRules {
    /// Weights of red, green and blue where colour becomes gray.
    pub weights: GrayWeights,
    /// Rule for alpha where the target has none.
    pub alpha: AlphaRule,
    /// Window that is applied first (default: none, full to full).
    pub window: Option<Window>,
    /// Whether linear light stays linear where a picture's floats become integers (default: it is encoded by the curve of
    /// sRGB, as integers of linear light have too few steps in the shadows). Only of pictures, whose metadata tell.
    pub keep_linear: bool,
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl ConvertRules {
    /// Keeps linear light linear where floats become integers.
    pub fn keep_linear(self) -> ConvertRules {
        ConvertRules { keep_linear: true, ..self }
    }

    /// Sets the gray weights.
    pub fn weights(self, weights: GrayWeights) -> ConvertRules {
        ConvertRules { weights, ..self }
    }

    /// Sets the rule for alpha.
    pub fn alpha(self, alpha: AlphaRule) -> ConvertRules {
        ConvertRules { alpha, ..self }
    }

    /// Sets the window: which values become 0 and full.
    pub fn window(self, window: Window) -> ConvertRules {
        ConvertRules { window: Some(window), ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> ConvertRules {
        ConvertRules { threads, ..self }
    }
}

/// Rows that go through both parts together, so that what lies between them stays in the cache.
const ROWS: u32 = 16;

/// Converts pixels to another type: depths are rescaled, gray is repeated, colour becomes gray by the weights, a new alpha is full.
///
/// Where both depth and layout change, the layout is changed at the finer of the two depths, so that values are rounded
/// on the way down once. One pass where only one of them changes (and the target's rows have no gaps between them, where
/// it is the layout); two otherwise, the second within the cache.
///
/// # Errors
/// Alpha that the target has no place for (unless the rules say what becomes of it), cmyk as a target from anything
/// else, weights that are unusable, or a size beyond the system's memory.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Rgba, Size, color::{self, ConvertRules}};
/// let gray = Frame::filled(Size::new(1, 1), Gray::new(200u8))?;
/// let wide = color::convert::<_, Rgba<u16>>(gray.view(), &ConvertRules::default())?;
/// assert_eq!(wide[(0, 0)], Rgba::new(51_400, 51_400, 51_400, 65_535));
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn convert<P: PicturePixel, Q: PicturePixel>(view: View<'_, P>, rules: &ConvertRules) -> Result<Frame<Q>> {
    let mut out = Frame::zeros(view.size(), view.account())?;
    convert_into(view, out.view_mut(), rules)?;
    Ok(out)
}

/// [`convert`] into a view of the same size.
///
/// # Errors
/// As [`convert`], or sizes that differ.
pub fn convert_into<P: PicturePixel, Q: PicturePixel>(
    view: View<'_, P>,
    target: ViewMut<'_, Q>,
    rules: &ConvertRules,
) -> Result<()> {
    convert_any((view.samples_any(), P::LAYOUT), (target.into_samples_any(), Q::LAYOUT), rules)
}

/// Samples of a layout as those of another. What all typed forms come to: compiled once.
fn convert_any(
    (view, from): (AnySamples<'_>, Layout),
    (target, to): (AnySamplesMut<'_>, Layout),
    rules: &ConvertRules,
) -> Result<()> {
    same_size("the target", view.size(), target.size())?;
    check_layouts(from, to, rules)?;
    if from == to {
        match rules.window {
            Some(window) => window_into_any(view, target, window),
            None => depth_into(view, target, rules.threads),
        }
        return Ok(());
    }
    // One thread a band; the kernels within get one.
    let inner = ConvertRules { threads: Threads::ONE, ..*rules };
    let bytes = view.bytes() + target.as_view().bytes();
    let failed = std::sync::Mutex::new(None);
    let run = |first: u32, part: AnySamplesMut<'_>| {
        let view = view.band(first..first + part.size().height);
        if let Err(e) = band((view, from), (part, to), &inner) {
            failed.lock().unwrap_or_else(PoisonError::into_inner).get_or_insert(e);
        }
    };
    target.each_band(rules.threads, bytes, &run);
    failed.into_inner().unwrap_or_else(PoisonError::into_inner).map_or(Ok(()), Err)
}

fn band(
    (view, from): (AnySamples<'_>, Layout),
    (mut target, to): (AnySamplesMut<'_>, Layout),
    rules: &ConvertRules,
) -> Result<()> {
    let (height, width) = (view.size().height, view.size().width);
    let strips = (0..height).step_by(ROWS as usize).map(|y| y..height.min(y + ROWS));
    let (size, account) = (Size::new(width, ROWS.min(height)), view.account());
    let of = |rows: &Range<u32>| Region { x: 0, y: rows.start, width, height: rows.end - rows.start };
    let (depth, target_depth) = (view.depth(), target.depth());
    if depth == target_depth && rules.window.is_none() {
        // The same sample type on both sides: nothing has to lie between.
        for rows in strips {
            layout_into((view.band(rows.clone()), from), (target.reborrow().part(of(&rows)), to), rules)?;
        }
    } else if depth < target_depth || rules.window.is_some() {
        let mut between = Pixels::zeros(size, from, target_depth, account)?;
        for rows in strips {
            let (view, part) = (view.band(rows.clone()), Region { y: 0, ..of(&rows) });
            match rules.window {
                Some(window) => window_into_any(view, between.samples_any_mut().part(part), window),
                None => depth_into(view, between.samples_any_mut().part(part), Threads::ONE),
            }
            let wide = between.samples_any().band(part.rows_range());
            layout_into((wide, from), (target.reborrow().part(of(&rows)), to), rules)?;
        }
    } else {
        let mut between = Pixels::zeros(size, to, depth, account)?;
        for rows in strips {
            let part = Region { y: 0, ..of(&rows) };
            layout_into((view.band(rows.clone()), from), (between.samples_any_mut().part(part), to), rules)?;
            let same = between.samples_any().band(part.rows_range());
            depth_into(same, target.reborrow().part(of(&rows)), Threads::ONE);
        }
    }
    Ok(())
}

pub(crate) fn check_layouts(from: Layout, to: Layout, rules: &ConvertRules) -> Result<()> {
    if to == Layout::Cmyk && from != Layout::Cmyk {
        return Err(Error::not_supported(format!("{from} to cmyk: ink needs a model of the printer")));
    }
    if from.has_alpha() && !to.has_alpha() && rules.alpha == AlphaRule::Refuse {
        return Err(Error::invalid(
            "layout",
            format!("{to} has no place for the alpha of {from}; say whether to flatten it on a colour or to drop it"),
        ));
    }
    Ok(())
}

/// Another layout at the same depth.
fn layout_into(
    (view, from): (AnySamples<'_>, Layout),
    (target, to): (AnySamplesMut<'_>, Layout),
    rules: &ConvertRules,
) -> Result<()> {
    use Take::{Channel as C, Full};
    if let (true, false, AlphaRule::Flatten(background)) = (from.has_alpha(), to.has_alpha(), rules.alpha) {
        // On the background first: what is left has no alpha.
        let flat = flatten_any(view, from, background)?;
        return convert_any(
            (flat.samples_any(), flat.layout()),
            (target, to),
            &ConvertRules { window: None, ..*rules },
        );
    }
    match (from, to) {
        (Layout::Gray, Layout::GrayAlpha) => select_any(view, target, &[C(0), Full]),
        (Layout::Gray | Layout::GrayAlpha, Layout::Rgb) => select_any(view, target, &[C(0), C(0), C(0)]),
        (Layout::Gray, Layout::Rgba) => select_any(view, target, &[C(0), C(0), C(0), Full]),
        (Layout::GrayAlpha, Layout::Rgba) => select_any(view, target, &[C(0), C(0), C(0), C(1)]),
        (Layout::GrayAlpha, Layout::Gray) => select_any(view, target, &[C(0)]),
        (Layout::Rgb, Layout::Rgba) => select_any(view, target, &[C(0), C(1), C(2), Full]),
        (Layout::Rgba, Layout::Rgb) => select_any(view, target, &[C(0), C(1), C(2)]),
        (Layout::Cmyk, Layout::Rgb | Layout::Rgba) => ink_any(view, target),
        (_, Layout::Gray) => gray_any(view, from, target, rules.weights, Threads::ONE),
        (_, Layout::GrayAlpha) => gray_alpha_any(view, from, target, rules.weights, Threads::ONE),
        // The same layout, which the caller has taken for itself, and cmyk, which was refused.
        (from, to) => Err(Error::not_supported(format!("{from} to {to}"))),
    }
}

impl Pixels {
    /// Converts to this type: see [`convert`].
    ///
    /// # Errors
    /// As [`convert`].
    pub fn convert<Q: PicturePixel>(&self, rules: &ConvertRules) -> Result<Frame<Q>> {
        self.converted(Q::Number::DEPTH, Q::LAYOUT, rules)?.into_frame()
    }

    /// Converts to a type that is known at run time: see [`convert`].
    ///
    /// # Errors
    /// As [`convert`].
    pub fn converted(&self, depth: Depth, layout: Layout, rules: &ConvertRules) -> Result<Pixels> {
        let mut out = Pixels::zeros(self.size(), layout, depth, self.account())?;
        convert_any((self.samples_any(), self.layout()), (out.samples_any_mut(), layout), rules)?;
        Ok(out)
    }

    /// [`convert`](Pixels::convert) into a view of the same size, wherever it lies.
    ///
    /// # Errors
    /// As [`convert`], or sizes that differ.
    pub fn convert_into<Q: PicturePixel>(&self, target: ViewMut<'_, Q>, rules: &ConvertRules) -> Result<()> {
        convert_any((self.samples_any(), self.layout()), (target.into_samples_any(), Q::LAYOUT), rules)
    }
}

impl Picture {
    /// Converts the pixels to another type, whatever they are held as: see [`convert`]. The metadata are left behind, but
    /// heeded: values with a unit that become integers go through the window of the rules or of the range that the metadata
    /// know, and linear light in floats is encoded by the curve of sRGB where it becomes integers
    /// ([`keep_linear`](ConvertRules::keep_linear) leaves it linear).
    ///
    /// # Errors
    /// As [`convert`]; values with a unit that become integers without a window or a known range; planes.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Picture, Rgb, Size, Transfer, color::ConvertRules};
    /// let mut light = Picture::from(Frame::filled(Size::new(1, 1), Rgb::new(0.4476f32, 0.0194, 0.016))?);
    /// light.metadata_mut().transfer = Transfer::Linear;
    /// assert_eq!(light.convert::<Rgb<u8>>(&ConvertRules::default())?[(0, 0)], Rgb::new(178, 38, 34));
    /// assert_eq!(light.convert::<Rgb<u8>>(&ConvertRules::default().keep_linear())?[(0, 0)], Rgb::new(114, 5, 4));
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn convert<Q: PicturePixel>(&self, rules: &ConvertRules) -> Result<Frame<Q>> {
        let (pixels, mut rules) = (self.pixels()?, *rules);
        match prepared(pixels, self.metadata(), Q::Number::DEPTH, &mut rules)? {
            Some(light) => light.convert(&rules),
            None => pixels.convert(&rules),
        }
    }
}

/// What metadata ask for before samples become those of a depth: pixels that are encoded already, where they are not those that
/// are given, and rules with the window that is known.
pub(crate) fn prepared(
    pixels: &Pixels,
    metadata: &Metadata,
    depth: Depth,
    rules: &mut ConvertRules,
) -> Result<Option<Pixels>> {
    if depth == Depth::F32 {
        return Ok(None);
    }
    if metadata.meaning.needs_window() && rules.window.is_none() {
        let found = PixelFormat::Pixels { depth: pixels.depth(), layout: pixels.layout() };
        let (low, high) = metadata.value_range().ok_or_else(|| depth::needs_window(&found.describe()))?;
        rules.window = Some(Window::new(low, high)?);
    }
    if !metadata.is_linear() || rules.keep_linear {
        return Ok(None);
    }
    let windowed = match rules.window.take() {
        Some(window) => Some(pixels.to_depth(Depth::F32, Some(window), rules.threads)?),
        None => None,
    };
    let light = light::encoded(windowed.as_ref().unwrap_or(pixels), Transfer::Srgb, rules.threads)?;
    Ok(light.or(windowed))
}
