//! Windows: the range of values that becomes 0 to full.

use crate::error::{Error, Result};
use crate::frame::{
    AnySamples, AnySamplesMut, SampleView, SampleViewMut, View, ViewMut, same_size, with_samples, with_samples_mut,
};
use crate::pixel::{Layout, Number, PicturePixel, Sample};

/// A window of values: `low` becomes 0, `high` becomes full; what lies outside is clamped for integers.
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
        Err(Error::not_a_range(
            "window",
            (low, high),
            format!("a window goes from a lower to a higher number, not from {low} to {high}"),
        ))
    }

    /// The value that becomes 0.
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

#[inline(always)]
pub(super) fn plain_row<A: Sample, B: Sample>(from: &[A], to: &mut [B]) {
    for (from, to) in from.iter().zip(to) {
        *to = from.to_depth();
    }
}

pub(super) fn same_layout(from: Layout, to: Layout) -> Result<()> {
    if from == to {
        return Ok(());
    }
    Err(Error::invalid("layout", format!("a change of depth keeps the layout: {from} to {to}")))
}

/// Plain numbers through a window into samples of another type, row for row. One pass, in `f64`.
fn window_row<T: Number, S: Sample>(from: &[T], to: &mut [S], window: Window) {
    for i in 0..from.len().min(to.len()) {
        to[i] = S::from_fraction(window.fraction(from[i].to_f64()));
    }
}

/// Pixels through a window into a view of the same size and layout; alpha goes full to full. One pass, in `f64`.
///
/// # Errors
/// Sizes or layouts that differ.
pub fn window_into<P: PicturePixel, Q: PicturePixel>(
    source: View<'_, P>,
    target: ViewMut<'_, Q>,
    window: Window,
) -> Result<()> {
    same_layout(P::LAYOUT, Q::LAYOUT)?;
    same_size("the target", source.size(), target.size())?;
    window_into_any(source.samples_any(), target.into_samples_any(), window);
    Ok(())
}

/// Samples through a window; sizes and channels agree.
pub(crate) fn window_into_any(source: AnySamples<'_>, target: AnySamplesMut<'_>, window: Window) {
    with_samples!(source, from => with_samples_mut!(target, to => window_samples(from, to, window)));
}

fn window_samples<A: Sample, B: Sample>(from: SampleView<'_, A>, mut to: SampleViewMut<'_, B>, window: Window) {
    let (channels, color) = (from.channels(), from.channels().colors());
    for y in 0..from.height() {
        let (from, to) = (from.row(y), to.row_mut(y));
        if !channels.alpha {
            window_row(from, to, window);
            continue;
        }
        for (x, to) in to.chunks_exact_mut(channels.count).enumerate() {
            let from = &from[x * channels.count..][..channels.count];
            window_row(&from[..color], &mut to[..color], window);
            plain_row(&from[color..], &mut to[color..]);
        }
    }
}
