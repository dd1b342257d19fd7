//! The figures that one pass over a picture gives, on several threads.
//!
//! Not here: the sums within a row ([`lanes`](super::lanes)), and what figures are ([`moments`](super::moments)).

use super::lanes::rows_of;
use super::levels::levels_of;
use super::mask::Mask;
use super::moments::Moments;
use crate::error::Result;
use crate::frame::{AnyNumbers, Size, View};
use crate::pixel::Pixel;
use crate::threads::{self, Threads};
use std::ops::Range;

/// Count, extremes, mean and variance of every channel, one pass over all of them.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, Threads, measure::moments};
/// let row = Frame::<Gray<u8>>::from_samples(Size::new(4, 1), vec![1, 2, 3, 6])?;
/// let of = &moments(row.view(), Threads::ALL)[0];
/// assert_eq!((of.min(), of.max(), of.mean(), of.variance()), (1.0, 6.0, 3.0, 3.5));
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn moments<P: Pixel>(view: View<'_, P>, threads: Threads) -> Vec<Moments> {
    moments_any(view.numbers_any(), threads)
}

pub(crate) fn moments_any(view: AnyNumbers<'_>, threads: Threads) -> Vec<Moments> {
    let (row, width) = (|y: u32| view.row(y), view.size().width);
    let whole = levels_of(view.kind()).is_some();
    let channels = view.channels().count;
    in_strips(view, threads, &|rows| rows_of(&row, width, rows, channels, whole))
}

/// [`moments`] of the pixels that count. One pass, number by number.
///
/// # Errors
/// A mask of another size.
pub fn masked_moments<P: Pixel>(view: View<'_, P>, mask: &Mask<'_>, threads: Threads) -> Result<Vec<Moments>> {
    masked_moments_any(view.numbers_any(), mask, threads)
}

pub(super) fn masked_moments_any(view: AnyNumbers<'_>, mask: &Mask<'_>, threads: Threads) -> Result<Vec<Moments>> {
    mask.check(view.size())?;
    if mask.is_all() {
        return Ok(moments_any(view, threads));
    }
    let (whole, channels) = (levels_of(view.kind()).is_some(), view.channels().count);
    Ok(in_strips(view, threads, &|rows| {
        let (mut weights, mut row) = (vec![0; view.size().width as usize], Vec::new());
        let mut sums = vec![Moments::none(whole); channels];
        for y in rows {
            mask.row(y, &mut weights);
            view.row(y).gather(0, 1, &mut row);
            for (pixel, &weight) in row.chunks_exact(channels).zip(&weights) {
                sums.iter_mut().zip(pixel).for_each(|(sum, &v)| sum.add(v, weight));
            }
        }
        sums
    }))
}

/// Rows summed up together, so that the order of float sums does not depend on the number of threads.
const STRIP: u32 = 64;

/// The figures of each strip, merged from the top.
fn in_strips(
    view: AnyNumbers<'_>,
    threads: Threads,
    strip: &(dyn Fn(Range<u32>) -> Vec<Moments> + Sync),
) -> Vec<Moments> {
    let whole = levels_of(view.kind()).is_some();
    let mut all = vec![Moments::none(whole); view.channels().count];
    for part in &strips(view.size(), threads, view.bytes(), strip) {
        all.iter_mut().zip(part).for_each(|(sum, more)| sum.merge(more));
    }
    all
}

/// Work on strips of 64 rows that touches so many bytes, in order, on as many threads as are allowed and worth it.
pub(super) fn strips<T: Send>(
    size: Size,
    threads: Threads,
    bytes: u64,
    strip: &(dyn Fn(Range<u32>) -> T + Sync),
) -> Vec<T> {
    let strips = (0..size.height).step_by(STRIP as usize).map(|y| y..size.height.min(y.saturating_add(STRIP)));
    let threads = if threads.bands(bytes) == 1 { Threads::ONE } else { threads };
    threads::collect(threads, strips.collect(), strip)
}
