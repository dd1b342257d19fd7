//! Between every pair of pixel types: a layout part and a depth part.

use super::gray::{GrayWeights, gray_into};
use super::model::ink_to_rgb;
use crate::access::channels::{Take, select_into};
use crate::access::depth::{self, Window, for_bands};
use crate::error::{Error, Result};
use crate::frame::{Frame, Job, Picture, Pixels, Region, Size, View, ViewMut};
use crate::pixel::{Layout, Pixel, Sample, Stored, samples_of_mut};
use crate::threads::Threads;

/// What becomes of alpha where the target has none.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
pub enum AlphaRule {
    /// The conversion is refused.
    #[default]
    Refuse,
    /// It is left out and the colours stay as they are.
    Drop,
    /// The pixels are laid on a background: red, green and blue as fractions of full.
    Flatten([f64; 3]),
}

/// How to convert.
#[derive(Debug, Clone, Copy, PartialEq, Default)]
#[non_exhaustive]
pub struct ConvertRules {
    /// How much red, green and blue count where colour becomes gray.
    pub weights: GrayWeights,
    /// What becomes of alpha where the target has none.
    pub alpha: AlphaRule,
    /// Which values become none and full before anything else; full to full without it.
    pub window: Option<Window>,
    /// How many threads may be used; the result never depends on it.
    pub threads: Threads,
}

impl ConvertRules {
    /// The same with these weights.
    pub fn weights(self, weights: GrayWeights) -> ConvertRules {
        ConvertRules { weights, ..self }
    }

    /// The same with this rule for alpha.
    pub fn alpha(self, alpha: AlphaRule) -> ConvertRules {
        ConvertRules { alpha, ..self }
    }

    /// The same through this window.
    pub fn window(self, window: Window) -> ConvertRules {
        ConvertRules { window: Some(window), ..self }
    }

    /// The same on so many threads.
    pub fn threads(self, threads: Threads) -> ConvertRules {
        ConvertRules { threads, ..self }
    }
}

/// Rows that go through both parts together, so that what lies between them stays in the cache.
const ROWS: u32 = 16;

/// Pixels as another type: depths are rescaled, gray is repeated, colour becomes gray by the weights, a new alpha is full.
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
pub fn convert<P: Stored, Q: Stored>(view: View<'_, P>, rules: &ConvertRules) -> Result<Frame<Q>> {
    let mut out = Frame::new(view.size())?;
    convert_into(view, out.view_mut(), rules)?;
    Ok(out)
}

/// [`convert`] into a view of the same size.
///
/// # Errors
/// As [`convert`], or sizes that differ.
pub fn convert_into<P: Stored, Q: Stored>(
    view: View<'_, P>,
    target: ViewMut<'_, Q>,
    rules: &ConvertRules,
) -> Result<()> {
    if view.size() != target.size() {
        return Err(Error::sizes("the target", view.size(), target.size()));
    }
    check_layouts(P::LAYOUT, Q::LAYOUT, rules)?;
    if P::LAYOUT == Q::LAYOUT {
        return match rules.window {
            Some(window) => depth::window_into(view, target, window),
            None => depth::convert_into(view, target, rules.threads),
        };
    }
    // One thread a band; the kernels within get one.
    let inner = ConvertRules { threads: Threads::ONE, ..*rules };
    let bytes = view.size().pixels() as usize * (size_of::<P>() + size_of::<Q>());
    let failed = std::sync::Mutex::new(None);
    for_bands(view, target, rules.threads.bands(bytes), |from, to| {
        if let Err(e) = band::<P, Q>(from, to, &inner)
            && let Ok(mut slot) = failed.lock()
        {
            slot.get_or_insert(e);
        }
    });
    failed.into_inner().ok().flatten().map_or(Ok(()), Err)
}

fn band<P: Stored, Q: Stored>(view: View<'_, P>, mut target: ViewMut<'_, Q>, rules: &ConvertRules) -> Result<()> {
    let strip = |y: u32| {
        let height = ROWS.min(view.height() - y);
        Region { y, height, ..view.size().region() }
    };
    let size = Size::new(view.width(), ROWS.min(view.height()));
    let whole = target.size();
    if P::Number::DEPTH == Q::Number::DEPTH
        && rules.window.is_none()
        && let Some(numbers) = target.as_packed_mut().and_then(|n| P::Number::pick_mut(Q::Number::lend(n)))
    {
        // The same sample type on both sides: nothing has to lie between.
        let mut same = ViewMut::<Q::Over<P::Number>>::packed(numbers, whole)?;
        for y in (0..view.height()).step_by(ROWS as usize) {
            layout_into(view.region(strip(y))?, same.reborrow().region(strip(y))?, rules)?;
        }
        return Ok(());
    }
    if P::Number::DEPTH < Q::Number::DEPTH || rules.window.is_some() {
        let mut between = Frame::<P::Over<Q::Number>>::new(size)?;
        for y in (0..view.height()).step_by(ROWS as usize) {
            let rows = view.region(strip(y))?;
            let mut wide = between.region_mut(rows.size().region())?;
            match rules.window {
                Some(window) => depth::window_into(rows, wide.reborrow(), window)?,
                None => depth::convert_into(rows, wide.reborrow(), Threads::ONE)?,
            }
            layout_into(wide.as_view(), target.reborrow().region(strip(y))?, rules)?;
        }
    } else {
        let mut between = Frame::<Q::Over<P::Number>>::new(size)?;
        for y in (0..view.height()).step_by(ROWS as usize) {
            let rows = view.region(strip(y))?;
            let mut same = between.region_mut(rows.size().region())?;
            layout_into(rows, same.reborrow(), rules)?;
            depth::convert_into(same.as_view(), target.reborrow().region(strip(y))?, Threads::ONE)?;
        }
    }
    Ok(())
}

fn check_layouts(from: Layout, to: Layout, rules: &ConvertRules) -> Result<()> {
    if to == Layout::Cmyk && from != Layout::Cmyk {
        return Err(Error::not_supported(format!("{from} to cmyk: ink needs a model of the printer")));
    }
    if from.has_alpha() && !to.has_alpha() && rules.alpha == AlphaRule::Refuse {
        return Err(Error::unusable(format!(
            "{to} has no place for the alpha of {from}; say whether to flatten it on a colour or to drop it"
        )));
    }
    Ok(())
}

/// Another layout at the same depth, row by row.
fn layout_into<P: Stored + Pixel<Number = S>, Q: Stored + Pixel<Number = S>, S: Sample>(
    view: View<'_, P>,
    mut target: ViewMut<'_, Q>,
    rules: &ConvertRules,
) -> Result<()> {
    use Take::{Channel as C, Full};
    if let (true, false, AlphaRule::Flatten(background)) = (P::ALPHA, Q::ALPHA, rules.alpha) {
        // On the background first: what is left has no alpha.
        let flat = super::flatten::flatten_view(view, background)?;
        struct Rest<'a, 'b, Q: Stored>(ViewMut<'a, Q>, &'b ConvertRules);
        impl<Q: Stored> Job for Rest<'_, '_, Q> {
            type Out = Result<()>;
            fn run<P: Stored>(self, view: View<'_, P>) -> Result<()> {
                convert_into(view, self.0, &ConvertRules { window: None, ..*self.1 })
            }
        }
        return flat.visit(Rest(target, rules));
    }
    match (P::LAYOUT, Q::LAYOUT) {
        (Layout::Gray, Layout::GrayAlpha) => select_into(view, target, &[C(0), Full]),
        (Layout::Gray | Layout::GrayAlpha, Layout::Rgb) => select_into(view, target, &[C(0), C(0), C(0)]),
        (Layout::Gray, Layout::Rgba) => select_into(view, target, &[C(0), C(0), C(0), Full]),
        (Layout::GrayAlpha, Layout::Rgba) => select_into(view, target, &[C(0), C(0), C(0), C(1)]),
        (Layout::GrayAlpha, Layout::Gray) => select_into(view, target, &[C(0)]),
        (Layout::Rgb, Layout::Rgba) => select_into(view, target, &[C(0), C(1), C(2), Full]),
        (Layout::Rgba, Layout::Rgb) => select_into(view, target, &[C(0), C(1), C(2)]),
        (Layout::Cmyk, Layout::Rgb | Layout::Rgba) => {
            for y in 0..view.height() {
                let to = samples_of_mut(target.row_mut(y)).chunks_exact_mut(Q::CHANNELS);
                for (ink, to) in view.row_numbers(y).as_chunks::<4>().0.iter().zip(to) {
                    to.fill(S::FULL);
                    let rgb = ink_to_rgb(ink.map(Sample::to_fraction));
                    to.iter_mut().zip(rgb).for_each(|(to, v)| *to = S::from_fraction(v));
                }
            }
            Ok(())
        }
        // One number a pixel: the target's numbers are the gray values.
        (_, Layout::Gray) => gray_into(view, target.into_numbers()?, rules.weights, Threads::ONE),
        (_, Layout::GrayAlpha) => {
            let mut plain = Frame::new(view.size())?;
            gray_into(view, plain.view_mut(), rules.weights, Threads::ONE)?;
            for y in 0..view.height() {
                let to = target.row_numbers_mut(y).chunks_exact_mut(Q::CHANNELS);
                let from = view.row_numbers(y).chunks_exact(P::CHANNELS);
                for ((to, from), gray) in to.zip(from).zip(plain.row(y)) {
                    (to[0], to[1]) = (gray.v, if P::ALPHA { from[P::CHANNELS - 1] } else { S::FULL });
                }
            }
            Ok(())
        }
        // The same layout, which the caller has taken for itself, and cmyk, which was refused.
        (from, to) => Err(Error::not_supported(format!("{from} to {to}"))),
    }
}

/// Any pixels as this type: see [`convert`].
///
/// # Errors
/// As [`convert`].
pub fn convert_pixels<Q: Stored>(pixels: &Pixels, rules: &ConvertRules) -> Result<Frame<Q>> {
    struct To<'a, Q>(&'a ConvertRules, std::marker::PhantomData<Q>);
    impl<Q: Stored> Job for To<'_, Q> {
        type Out = Result<Frame<Q>>;
        fn run<P: Stored>(self, view: View<'_, P>) -> Self::Out {
            convert(view, self.0)
        }
    }
    pixels.visit(To(rules, std::marker::PhantomData))
}

impl Picture {
    /// The pixels as another type, whatever they are stored as: see [`convert`]. The metadata is left behind.
    ///
    /// # Errors
    /// As [`convert`]; values with a unit that become integers without a window; planes.
    pub fn convert<Q: Stored>(&self, rules: &ConvertRules) -> Result<Frame<Q>> {
        let integer = Q::Number::DEPTH.top_code().is_some();
        if integer && self.metadata().meaning.needs_window() && rules.window.is_none() {
            return Err(depth::needs_window(&self.form().describe()));
        }
        convert_pixels(self.pixels()?, rules)
    }
}
