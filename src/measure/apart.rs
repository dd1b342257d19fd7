//! The signed error between two pictures: as a picture, and as a histogram.

use super::histogram::{ChannelHistogram, Histogram, HistogramRules, histogram};
use crate::error::{Error, Result};
use crate::frame::{Frame, View};
use crate::pixel::{Gray, Number, NumberKind, Pixel, Sample, Stored, samples_of_mut};

fn check<P: Pixel>(a: View<'_, P>, b: View<'_, P>) -> Result<()> {
    if a.size() != b.size() {
        return Err(Error::sizes("the second picture", a.size(), b.size()));
    }
    if a.size().is_empty() {
        return Err(Error::unusable(format!("pictures of {} have no pixel to compare", a.size())));
    }
    Ok(())
}

/// The signed error b - a as a picture: no error is the middle (0.5 of full, so 128 of 255), `gain` times the full scale
/// of error goes to black or white, clamped for integers. Alpha is full. One pass over both.
///
/// # Errors
/// Sizes that differ, no pixels, or a gain that is not a number above 0.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, measure::error_picture};
/// let a = Frame::<Gray<u8>>::from_numbers(Size::new(3, 1), vec![100, 100, 100])?;
/// let b = Frame::<Gray<u8>>::from_numbers(Size::new(3, 1), vec![100, 110, 80])?;
/// // 127.5 + 4 / 2 * d, rounded half up.
/// assert_eq!(error_picture(a.view(), b.view(), 4.0)?.numbers(), [128, 148, 88]);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn error_picture<P: Stored>(a: View<'_, P>, b: View<'_, P>, gain: f64) -> Result<Frame<P>> {
    check(a, b)?;
    if !gain.is_finite() || gain <= 0.0 {
        return Err(Error::unusable(format!("a gain is a number above 0, not {gain}")));
    }
    let full = P::Number::FULL.to_f64();
    let mut out = Frame::<P>::new(a.size())?;
    for y in 0..a.height() {
        let pairs = a.row_numbers(y).chunks_exact(P::CHANNELS).zip(b.row_numbers(y).chunks_exact(P::CHANNELS));
        for ((a, b), to) in pairs.zip(samples_of_mut(out.row_mut(y)).chunks_exact_mut(P::CHANNELS)) {
            for ((a, b), to) in a.iter().zip(b).zip(to.iter_mut()) {
                *to = P::Number::from_f64(full / 2.0 + gain * (b.to_f64() - a.to_f64()) / 2.0);
            }
            if let (true, Some(alpha)) = (P::ALPHA, to.last_mut()) {
                *alpha = P::Number::FULL;
            }
        }
    }
    Ok(out)
}

/// The histogram of the signed error b - a, a channel each: of 8- and 16-bit integers a bin for each error from -full to
/// full, exact; of other numbers 256 bins from the greatest error downwards to upwards of nothing (and memory for the
/// errors of a channel). One pass over both for integers.
///
/// # Errors
/// Sizes that differ, or no pixels.
pub fn error_histogram<P: Pixel>(a: View<'_, P>, b: View<'_, P>) -> Result<Histogram> {
    check(a, b)?;
    let full = match P::Number::KIND {
        NumberKind::U8 => 255i64,
        NumberKind::U16 => 65_535,
        _ => return error_values(a, b),
    };
    let mut counts = vec![vec![0u64; 2 * full as usize + 1]; P::CHANNELS];
    for y in 0..a.height() {
        let pairs = a.row_numbers(y).chunks_exact(P::CHANNELS).zip(b.row_numbers(y).chunks_exact(P::CHANNELS));
        for (a, b) in pairs {
            for ((a, b), counts) in a.iter().zip(b).zip(&mut counts) {
                // Both lie within 0..=full, so the index within the table.
                counts[(b.to_f64() as i64 - a.to_f64() as i64 + full) as usize] += 1;
            }
        }
    }
    let each = P::CHANNEL_NAMES.iter().zip(&counts);
    Ok(Histogram { channels: each.map(|(name, c)| ChannelHistogram::of_counts_from(name, -full, c)).collect() })
}

fn error_values<P: Pixel>(a: View<'_, P>, b: View<'_, P>) -> Result<Histogram> {
    let mut channels = Vec::with_capacity(P::CHANNELS);
    for channel in 0..P::CHANNELS {
        let apart = Frame::from_fn(a.size(), |x, y| {
            let of = |view: View<'_, P>| view.row_numbers(y)[x as usize * P::CHANNELS + channel].to_f64();
            Gray::new(of(b) - of(a))
        })?;
        let most = apart.numbers().iter().map(|d| d.abs()).filter(|d| d.is_finite()).fold(0.0, f64::max);
        let most = if most > 0.0 { most } else { 1.0 };
        let mut counted = histogram(apart.view(), &HistogramRules::default().range(-most, most))?.channels;
        counted.iter_mut().for_each(|c| c.name = P::CHANNEL_NAMES[channel].to_string());
        channels.append(&mut counted);
    }
    Ok(Histogram { channels })
}
