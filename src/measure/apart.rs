//! The signed error between two pictures: as a picture, and as a histogram.

use super::histogram::{ChannelHistogram, Histogram, HistogramRules, histogram};
use crate::error::{Error, Result};
use crate::frame::{AnyNumbers, AnyNumbersMut, AnySamples, AnySamplesMut, Frame, Size, View, same_size};
use crate::pixel::{Depth, Gray, NumberKind, PicturePixel, Pixel};

pub(super) fn check(a: Size, b: Size) -> Result<()> {
    same_size("the second picture", a, b)?;
    if a.is_empty() {
        return Err(Error::no_pixels("a", a, format!("pictures of {a} have no pixel to compare")));
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
/// let a = Frame::<Gray<u8>>::from_samples(Size::new(3, 1), vec![100, 100, 100])?;
/// let b = Frame::<Gray<u8>>::from_samples(Size::new(3, 1), vec![100, 110, 80])?;
/// // 127.5 + 4 / 2 * d, rounded half up.
/// assert_eq!(error_picture(a.view(), b.view(), 4.0)?.samples(), [128, 148, 88]);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn error_picture<P: PicturePixel>(a: View<'_, P>, b: View<'_, P>, gain: f64) -> Result<Frame<P>> {
    let mut out = Frame::<P>::zeros(a.size(), a.account())?;
    error_any(a.samples_any(), b.samples_any(), out.view_mut().into_samples_any(), gain)?;
    Ok(out)
}

pub(super) fn error_any(a: AnySamples<'_>, b: AnySamples<'_>, to: AnySamplesMut<'_>, gain: f64) -> Result<()> {
    check(a.size(), b.size())?;
    if !gain.is_finite() || gain <= 0.0 {
        return Err(Error::out_of_range(
            "gain",
            gain,
            (f64::MIN_POSITIVE, f64::MAX),
            format!("a gain is a number above 0, not {gain}"),
        ));
    }
    let full = match to.depth() {
        Depth::U8 => 255.0,
        Depth::U16 => 65_535.0,
        Depth::F32 => 1.0,
    };
    let (a, b, channels) = (AnyNumbers::from(a), AnyNumbers::from(b), a.channels());
    let mut to = AnyNumbersMut::from(to);
    let (mut first, mut second) = (Vec::new(), Vec::new());
    for y in 0..a.size().height {
        a.row(y).gather(0, 1, &mut first);
        b.row(y).gather(0, 1, &mut second);
        for (a, b) in first.iter_mut().zip(&second) {
            *a = full / 2.0 + gain * (b - *a) / 2.0;
        }
        if channels.alpha {
            first.iter_mut().skip(channels.colors()).step_by(channels.count).for_each(|alpha| *alpha = full);
        }
        to.put_row(y, &first);
    }
    Ok(())
}

/// The histogram of the signed error b - a, a channel each: of 8- and 16-bit integers a bin for each error from -full to
/// full, exact; of other numbers 256 bins from the greatest error downwards to upwards of nothing (and memory for the
/// errors of a channel). One pass over both for integers.
///
/// # Errors
/// Sizes that differ, or no pixels.
pub fn error_histogram<P: Pixel>(a: View<'_, P>, b: View<'_, P>) -> Result<Histogram> {
    check(a.size(), b.size())?;
    error_counts(a.numbers_any(), b.numbers_any(), P::CHANNEL_NAMES)
}

pub(super) fn error_counts(a: AnyNumbers<'_>, b: AnyNumbers<'_>, names: &[&str]) -> Result<Histogram> {
    let full = match a.kind() {
        NumberKind::U8 => 255i64,
        NumberKind::U16 => 65_535,
        _ => return error_values(a, b, names),
    };
    let channels = a.channels().count;
    let mut counts = vec![vec![0u64; 2 * full as usize + 1]; channels];
    let (mut first, mut second) = (Vec::new(), Vec::new());
    for y in 0..a.size().height {
        a.row(y).gather(0, 1, &mut first);
        b.row(y).gather(0, 1, &mut second);
        for (a, b) in first.chunks_exact(channels).zip(second.chunks_exact(channels)) {
            for ((a, b), counts) in a.iter().zip(b).zip(&mut counts) {
                // Both lie within 0..=full, so the index within the table.
                counts[(*b as i64 - *a as i64 + full) as usize] += 1;
            }
        }
    }
    let each = names.iter().zip(&counts);
    Ok(Histogram { channels: each.map(|(name, c)| ChannelHistogram::of_counts_from(name, -full, c)).collect() })
}

fn error_values(a: AnyNumbers<'_>, b: AnyNumbers<'_>, names: &[&str]) -> Result<Histogram> {
    let mut channels = Vec::with_capacity(names.len());
    let (mut first, mut second) = (Vec::new(), Vec::new());
    for (channel, name) in names.iter().enumerate() {
        let mut apart = Frame::<Gray<f64>>::zeros(a.size(), a.account())?;
        for y in 0..a.size().height {
            a.row(y).gather(channel, names.len(), &mut first);
            b.row(y).gather(channel, names.len(), &mut second);
            let pairs = first.iter().zip(&second);
            apart.row_mut(y).iter_mut().zip(pairs).for_each(|(to, (a, b))| to.value = b - a);
        }
        let most = apart.samples().iter().map(|d| d.abs()).filter(|d| d.is_finite()).fold(0.0, f64::max);
        let most = if most > 0.0 { most } else { 1.0 };
        let mut counted = histogram(apart.view(), &HistogramRules::default().range(-most, most))?.channels;
        counted.iter_mut().for_each(|c| c.name = name.to_string());
        channels.append(&mut counted);
    }
    Ok(Histogram { channels })
}

/// The error of planes of one number type, each by itself.
pub(super) fn error_planes(a: &[AnyNumbers<'_>], b: &[AnyNumbers<'_>], names: &[String]) -> Result<Histogram> {
    let mut channels = Vec::with_capacity(names.len());
    for ((a, b), name) in a.iter().zip(b).zip(names) {
        channels.append(&mut error_counts(*a, *b, &[name])?.channels);
    }
    Ok(Histogram { channels })
}
