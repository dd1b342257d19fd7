//! What a bit is worth: how good a picture stays at each number of bits, and the line through it.

use super::quantizer::{Quantizer, Reconstruction};
use crate::error::{Error, Help, Result};
use crate::measure::{ChannelHistogram, Histogram, decibels};
use crate::pixel::Depth;

/// Quantisation error of a picture at one number of bits.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct BitLevel {
    /// Bits that tell the levels apart.
    pub bits: u32,
    /// The mean squared error, in levels of the picture.
    pub mse: f64,
    /// 10 log10(sum of v^2 / sum of squared errors); infinite without an error.
    #[cfg_attr(feature = "serde", serde(with = "crate::measure::null"))]
    pub snr_db: f64,
    /// 10 log10(top^2 / mse); infinite without an error.
    #[cfg_attr(feature = "serde", serde(with = "crate::measure::null"))]
    pub psnr_db: f64,
    /// The mse that a picture would have whose levels were all equally frequent.
    pub even_mse: f64,
    /// How often each signed error (output - level) occurs.
    pub error: ChannelHistogram,
}

/// A picture quantised to every number of bits below its own.
#[derive(Debug, Clone, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct BitStudy {
    /// Levels of the picture: its max code and 1.
    pub picture_levels: u32,
    /// From one bit fewer than the picture has down to 1.
    pub levels: Vec<BitLevel>,
    /// The slope of the line fitted to PSNR over bits by least squares, over the finite points; NaN for fewer than two.
    #[cfg_attr(feature = "serde", serde(with = "crate::measure::null"))]
    pub slope_db_per_bit: f64,
    /// Its value at 0 bits.
    #[cfg_attr(feature = "serde", serde(with = "crate::measure::null"))]
    pub intercept_db: f64,
    /// The root of the mean squared distance of the points from the line, in dB.
    #[cfg_attr(feature = "serde", serde(with = "crate::measure::null"))]
    pub residual_db: f64,
    /// Theoretical slope: 20 log10 2 dB a bit, for errors spread evenly over the cells.
    pub theory_db_per_bit: f64,
    /// The reason why the slope of this picture differs, in a sentence.
    pub reason: String,
}

/// 20 log10(2).
const THEORY: f64 = 6.020_599_913_279_624;

/// Quantises what a histogram counted to every number of bits from one fewer than its own down to 1. All channels count
/// together. Needs no pixels: the error of a level is known, and how often the level occurs.
///
/// # Errors
/// A histogram whose bins are not levels (floats: change the depth first), of fewer than 3 levels, or without a value.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, measure::{HistogramRules, histogram}, tone::{Reconstruction, bit_study}};
/// let ramp = Frame::from_fn(Size::new(256, 1), |x, _| Gray::new(x as u8))?;
/// let study = bit_study(&histogram(ramp.view(), &HistogramRules::default())?, Reconstruction::Centres)?;
/// assert_eq!((study.levels.len(), study.levels[0].bits, study.levels[0].mse), (7, 7, 0.5));
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn bit_study(histogram: &Histogram, output: Reconstruction) -> Result<BitStudy> {
    let Some(first) = histogram.channels.first() else {
        return Err(Error::invalid("picture", "there is no channel to study"));
    };
    let levels = first.bins.len() as u32;
    if !histogram.channels.iter().all(|c| c.is_by_level() && c.bins.len() as u32 == levels) {
        let what = "a study of bits needs channels counted by level, all of one max code";
        return Err(Error::invalid("picture", what).with_help(&[Help::Depth(&[Depth::U16])]));
    }
    if levels < 3 {
        return Err(Error::invalid("picture", "a picture of 1 bit has no bit to lose"));
    }
    let counts: Vec<u64> = (0..levels as usize).map(|i| histogram.channels.iter().map(|c| c.bins[i]).sum()).collect();
    let total: u64 = counts.iter().sum();
    if total == 0 {
        return Err(Error::invalid("picture", "a picture without pixels has nothing to study"));
    }
    // The largest number of bits that tells fewer cells apart than there are levels.
    let most = (levels - 1).ilog2();
    let each = (1..=most).rev().map(|bits| level(&counts, bits, output)).collect::<Result<Vec<_>>>()?;
    let points: Vec<_> =
        each.iter().filter(|l| l.psnr_db.is_finite()).map(|l| (f64::from(l.bits), l.psnr_db)).collect();
    let (slope, intercept, residual) = line(&points);
    let used = counts.iter().filter(|&&n| n > 0).count();
    let reason = reason(&each, slope, used, levels);
    Ok(BitStudy {
        picture_levels: levels,
        levels: each,
        slope_db_per_bit: slope,
        intercept_db: intercept,
        residual_db: residual,
        theory_db_per_bit: THEORY,
        reason,
    })
}

fn level(counts: &[u64], bits: u32, output: Reconstruction) -> Result<BitLevel> {
    let quantizer = Quantizer::new(counts.len() as u32, bits, output)?;
    let top = counts.len() as i64 - 1;
    let mut errors = vec![0u64; 2 * top as usize + 1];
    let (mut squares, mut even, mut signal) = (0u128, 0u128, 0u128);
    for (level, &n) in (0u32..).zip(counts) {
        let error = i64::from(quantizer.output(quantizer.index(level))) - i64::from(level);
        let square = (error * error) as u128;
        squares += square * u128::from(n);
        even += square;
        signal += u128::from(level) * u128::from(level) * u128::from(n);
        errors[(error + top) as usize] += n;
    }
    let total: u64 = counts.iter().sum();
    let mse = squares as f64 / total as f64;
    Ok(BitLevel {
        bits,
        mse,
        snr_db: decibels(signal as f64, squares as f64),
        psnr_db: decibels((top * top) as f64, mse),
        even_mse: even as f64 / counts.len() as f64,
        error: narrowed(&errors, top),
    })
}

/// The errors from the least to the greatest that occur.
fn narrowed(errors: &[u64], top: i64) -> ChannelHistogram {
    let first = errors.iter().position(|&n| n > 0).unwrap_or(top as usize);
    let last = errors.iter().rposition(|&n| n > 0).unwrap_or(top as usize);
    ChannelHistogram::of_counts_from("error", first as i64 - top, &errors[first..=last])
}

/// Slope, value at 0, and root mean square distance of a line by least squares.
fn line(points: &[(f64, f64)]) -> (f64, f64, f64) {
    let n = points.len() as f64;
    let (mx, my) = (points.iter().map(|p| p.0).sum::<f64>() / n, points.iter().map(|p| p.1).sum::<f64>() / n);
    let across: f64 = points.iter().map(|p| (p.0 - mx).powi(2)).sum();
    if points.len() < 2 || across == 0.0 {
        return (f64::NAN, f64::NAN, f64::NAN);
    }
    let slope = points.iter().map(|p| (p.0 - mx) * (p.1 - my)).sum::<f64>() / across;
    let intercept = my - slope * mx;
    let squares: f64 = points.iter().map(|p| (p.1 - intercept - slope * p.0).powi(2)).sum();
    (slope, intercept, (squares / n).sqrt())
}

/// Why the slope is what it is: from how far the error of each number of bits is from that of evenly used levels.
fn reason(each: &[BitLevel], slope: f64, used: usize, levels: u32) -> String {
    let finite: Vec<_> = each.iter().filter(|l| l.mse > 0.0 && l.even_mse > 0.0).collect();
    if finite.len() < each.len() {
        let without = each.iter().filter(|l| l.mse == 0.0).map(|l| l.bits).min().unwrap_or(0);
        return format!(
            "the picture uses only {used} of {levels} levels, and from {without} bits on all of them are outputs: \
             those points are infinite and left out of the fit"
        );
    }
    let even: Vec<_> = each.iter().map(|l| (f64::from(l.bits), decibels(1.0, l.even_mse))).collect();
    let (even_slope, ..) = line(&even);
    if !slope.is_finite() || !even_slope.is_finite() {
        return "there are too few numbers of bits to fit a line".to_string();
    }
    let whole = format!(
        "outputs are whole levels, so that even evenly used levels would give {even_slope:.2} dB a bit instead of \
         {THEORY:.2}"
    );
    let away = |l: &&&BitLevel| (l.mse / l.even_mse).ln().abs();
    let Some(worst) = finite.iter().max_by(|a, b| away(a).total_cmp(&away(b))) else { return whole };
    let ratio = worst.mse / worst.even_mse;
    if (0.9..1.1).contains(&ratio) {
        return format!("{whole}; this picture's errors are spread as evenly as theory assumes");
    }
    let how = if ratio > 1.0 { "crowd at the ends of" } else { "crowd about the middle of" };
    format!(
        "{whole}; and theory takes levels as evenly spread over each cell, while those of this picture {how} the cells \
         at {} bit{}, where the error is {ratio:.2} times the even one",
        worst.bits,
        if worst.bits == 1 { "" } else { "s" },
    )
}

/// Quantisation error of each of some levels, such as a row of a picture: output - level.
///
/// # Errors
/// As [`Quantizer::new`].
pub fn quantization_error(row: &[u32], levels: u32, bits: u32, output: Reconstruction) -> Result<Vec<f64>> {
    let quantizer = Quantizer::new(levels, bits, output)?;
    Ok(row.iter().map(|&v| f64::from(quantizer.output(quantizer.index(v))) - f64::from(v)).collect())
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_ramp_gives_the_errors_worked_by_hand() {
        let ramp = Histogram { channels: vec![ChannelHistogram::of_counts("v", &[3; 256])] };
        let study = bit_study(&ramp, Reconstruction::Centres).unwrap();
        // Cells of m levels, output at the upper of the two middle ones: errors m/2 down to 1 - m/2, mean square
        // (m^2 + 2) / 12.
        for l in &study.levels {
            let m = f64::from(1u32 << (8 - l.bits));
            assert!((l.mse - (m * m + 2.0) / 12.0).abs() < 1e-12, "{}", l.bits);
            assert_eq!(l.mse, l.even_mse);
            assert!((l.psnr_db - 10.0 * (65_025.0 / l.mse).log10()).abs() < 1e-12);
        }
        assert_eq!(study.levels[6].error.stats.min, -63.0);
        // The line through (bits, psnr), worked by the normal equations.
        let points: Vec<_> = study.levels.iter().map(|l| (f64::from(l.bits), l.psnr_db)).collect();
        let (n, sx, sy) = (7.0, 28.0, points.iter().map(|p| p.1).sum::<f64>());
        let (sxx, sxy) = (140.0, points.iter().map(|p| p.0 * p.1).sum::<f64>());
        let slope = (n * sxy - sx * sy) / (n * sxx - sx * sx);
        assert!((study.slope_db_per_bit - slope).abs() < 1e-9);
        assert!((study.intercept_db - (sy - slope * sx) / n).abs() < 1e-9);
        assert!(study.reason.contains("as evenly as theory"), "{}", study.reason);
        // Sums of squares of 0..=255 are 5,559,680; three of each.
        let snr = 10.0 * (3.0 * 5_559_680.0 / (768.0 * study.levels[0].mse)).log10();
        assert!((study.levels[0].snr_db - snr).abs() < 1e-12);
    }

    #[test]
    fn levels_that_are_outputs_have_no_error_and_are_left_out_of_the_fit() {
        let mut counts = [0u64; 256];
        (counts[64], counts[192], counts[32]) = (5, 5, 1);
        let two = Histogram { channels: vec![ChannelHistogram::of_counts("v", &counts)] };
        let study = bit_study(&two, Reconstruction::Centres).unwrap();
        // 64 and 192 are the outputs of 1 bit, but 32 is not; at 2 bits 64 is no output.
        assert_eq!(study.levels[6].mse, 32.0 * 32.0 / 11.0);
        assert!(bit_study(&Histogram { channels: vec![] }, Reconstruction::Centres).is_err());
        let mut float = ChannelHistogram::of_counts("v", &[1; 9]);
        float.range = (0.0, 1.0);
        assert!(bit_study(&Histogram { channels: vec![float] }, Reconstruction::Centres).is_err());
        assert_eq!(quantization_error(&[0, 63, 64], 256, 2, Reconstruction::Centres).unwrap(), [32.0, -31.0, 32.0]);
    }
}
