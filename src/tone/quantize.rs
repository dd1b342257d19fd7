//! Fewer levels: pictures through a uniform quantiser, with or without dither.

use super::dither::{Dither, diffuse, ordered};
use super::quantizer::{Channel, Reconstruction, each_row};
use crate::error::Result;
use crate::frame::{AnySamplesMut, Frame, Levels, SampleViewMut, View, with_samples_mut};
use crate::pixel::{Depth, PicturePixel, Sample};
use crate::simd::arrays;
use crate::simd::{Level, lookup};
use crate::threads::Threads;

/// Rules of quantising.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct QuantizeRules {
    /// Number of bits: 2^bits cells.
    pub bits: u32,
    /// Reconstruction levels.
    pub reconstruction: Reconstruction,
    /// Dithering.
    pub dither: Dither,
    /// How integer samples stand for levels: their number, L, is the max code + 1.
    pub levels: Levels,
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl QuantizeRules {
    /// Rules for this number of bits: reconstruction at cell centres, no dithering.
    pub fn bits(bits: u32) -> QuantizeRules {
        let (reconstruction, dither) = (Reconstruction::Centres, Dither::None);
        QuantizeRules { bits, reconstruction, dither, levels: Levels::Full, threads: Threads::ALL }
    }

    /// Sets how integer samples stand for levels.
    pub fn levels(self, levels: Levels) -> QuantizeRules {
        QuantizeRules { levels, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> QuantizeRules {
        QuantizeRules { threads, ..self }
    }

    /// Sets the reconstruction levels.
    pub fn reconstruction(self, reconstruction: Reconstruction) -> QuantizeRules {
        QuantizeRules { reconstruction, ..self }
    }

    /// Sets the dithering.
    pub fn dither(self, dither: Dither) -> QuantizeRules {
        QuantizeRules { dither, ..self }
    }
}

/// Quantises the colour channels; alpha stays. One pass, by table on 8 and 16 bits without dither; a new frame.
///
/// Integers are cut into cells of levels 0..=top, floats into cells of 0..1; floats outside clamp.
///
/// # Errors
/// Bits outside 1 to 16, more cells than levels, or indices beyond what the depth holds.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, tone::{Reconstruction, QuantizeRules, quantize}};
/// let row = Frame::<Gray<u8>>::from_samples(Size::new(4, 1), vec![0, 63, 64, 255])?;
/// assert_eq!(quantize(row.view(), &QuantizeRules::bits(2))?.samples(), [32, 32, 96, 224]);
/// let spread = QuantizeRules::bits(2).reconstruction(Reconstruction::Spread);
/// assert_eq!(quantize(row.view(), &spread)?.samples(), [0, 0, 85, 255]);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn quantize<P: PicturePixel>(view: View<'_, P>, rules: &QuantizeRules) -> Result<Frame<P>> {
    let mut out = view.try_to_frame()?;
    quantize_any(out.view_mut().into_samples_any(), rules)?;
    Ok(out)
}

/// [`quantize`] in place, of samples whose type is known at run time.
pub(crate) fn quantize_any(view: AnySamplesMut<'_>, rules: &QuantizeRules) -> Result<()> {
    rules.levels.check(view.as_view())?;
    with_samples_mut!(view, view => quantize_samples(view, rules))
}

fn quantize_samples<S: Sample>(out: SampleViewMut<'_, S>, rules: &QuantizeRules) -> Result<()> {
    let max_codes = rules.levels.max_codes(out.channels(), S::DEPTH.max_code().map_or(u32::MAX, u32::from))?;
    let mut channels: Vec<Channel<S>> = Vec::with_capacity(4);
    for &max in &max_codes[..out.channels().colors()] {
        channels.push(Channel::new(rules.bits, rules.reconstruction, max, rules.levels.are_codes())?);
    }
    match rules.dither {
        Dither::None => by_cell(out, &channels, rules.threads),
        Dither::Ordered => ordered(out, &channels, rules.threads),
        Dither::Diffusion => diffuse(out, &channels),
    }
    Ok(())
}

fn by_cell<S: Sample>(out: SampleViewMut<'_, S>, channels: &[Channel<S>], threads: Threads) {
    let all = out.channels().count;
    let full = S::DEPTH.max_code();
    let mut tables: Vec<Vec<S>> = Vec::with_capacity(channels.len());
    for channel in channels {
        let mut table = Vec::new();
        for v in 0..full.map_or(0, |full| u32::from(full) + 1) {
            table.push(channel.of(S::from_f64(v.into())));
        }
        tables.push(table);
    }
    let same = full == Some(255) && channels.len() == all && tables.windows(2).all(|t| t[0] == t[1]);
    let bytes: Option<[u8; 256]> = same.then(|| arrays::from_fn(|i| tables[0][i].cast_unscaled()));
    each_row(out, threads, &|_, row| match (&bytes, full) {
        (Some(table), _) => {
            if let crate::pixel::SamplesMut::U8(row) = S::lend(row) {
                lookup::bytes_in_place(Level::best(), table, row);
            }
        }
        // A constant for each sample type, so that integers have only the first of these bodies, and floats the second.
        (None, _) if const { !matches!(S::DEPTH, Depth::F32) } => {
            for pixel in row.chunks_exact_mut(all) {
                // As many entries as the type has values.
                for (i, table) in tables.iter().enumerate() {
                    pixel[i] = table[pixel[i].to_f64() as usize];
                }
            }
        }
        (None, _) => {
            for pixel in row.chunks_exact_mut(all) {
                for (i, channel) in channels.iter().enumerate() {
                    pixel[i] = channel.of(pixel[i]);
                }
            }
        }
    });
}
