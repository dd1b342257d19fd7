//! Histograms, profiles and comparisons as a few lines of text.

use super::bars;
use rahmen::measure::{ChannelHistogram, ChannelProfile, Comparison};

/// A channel's histogram as bars between upright strokes, its ends below, and what lies outside.
pub fn histogram(channel: &ChannelHistogram, columns: usize, rows: usize) -> String {
    let mut out = framed(&bars(&channel.bins, columns, rows));
    let (low, high) = channel.range;
    // Whole levels: the last one is what people look for, not the open end behind it.
    let last = if channel.levels().is_some() && high.fract() == 0.0 { high - 1.0 } else { high };
    let (low, last) = (short(low), short(last));
    let wide = columns.min(channel.bins.len()).max(1) + 2;
    let gap = wide.saturating_sub(low.len() + last.len()).max(1);
    out.push_str(&format!("{low}{}{last}\n", " ".repeat(gap)));
    for (count, what) in
        [(channel.under, "below the range"), (channel.over, "above the range"), (channel.nan, "not a number")]
    {
        if count > 0 {
            out.push_str(&format!("{count} {what}\n"));
        }
    }
    out
}

/// The values along a line as bars from the least to the greatest; neighbours share a column by their mean.
pub fn profile(channel: &ChannelProfile, columns: usize, rows: usize) -> String {
    let values = &channel.values;
    let known = || values.iter().copied().filter(|v| v.is_finite());
    let (low, high) = (known().fold(f64::INFINITY, f64::min), known().fold(f64::NEG_INFINITY, f64::max));
    let columns = columns.min(values.len()).max(1);
    let edge = |i: usize| i * values.len() / columns;
    let bar = |i: usize| {
        let part: Vec<f64> = values[edge(i)..edge(i + 1)].iter().copied().filter(|v| v.is_finite()).collect();
        let mean = part.iter().sum::<f64>() / part.len().max(1) as f64;
        let share = if high > low { (mean - low) / (high - low) } else { 1.0 };
        if part.is_empty() { 0 } else { 1 + (share * 999.0).round() as u64 }
    };
    framed(&bars(&(0..columns).map(bar).collect::<Vec<_>>(), columns, rows))
}

/// A comparison in a line: equal, or how far apart by PSNR, root mean square and SSIM.
pub fn comparison(comparison: &Comparison) -> String {
    let d = &comparison.whole;
    if comparison.equal {
        return "the pictures are equal".to_string();
    }
    let psnr = if d.psnr_db.is_infinite() { "infinite".to_string() } else { format!("{:.2} dB", d.psnr_db) };
    let ssim = d.ssim.map_or(String::new(), |s| format!(", SSIM {s:.4}"));
    let hint = comparison.hint.map_or(String::new(), |hint| format!("; {}", hint.words(comparison.whole.psnr_db)));
    format!("PSNR {psnr}, RMSE {:.4}{ssim}{hint}", d.rmse)
}

fn framed(lines: &[String]) -> String {
    lines.iter().map(|line| format!("|{line}|\n")).collect()
}

/// A number in few digits.
fn short(value: f64) -> String {
    let plain = value.to_string();
    if plain.len() <= 9 { plain } else { format!("{value:.4}") }
}

#[cfg(test)]
mod tests {
    use super::*;
    use rahmen::measure::{CompareRules, compare, profile as along};
    use rahmen::{Frame, Gray, Size};

    #[test]
    fn measurements_are_told_in_a_few_lines() {
        let h = ChannelHistogram::of_counts("v", &[1, 2, 4, 0]);
        assert_eq!(histogram(&h, 4, 1), "|▂▄█ |\n0    3\n");
        let row = Frame::<Gray<u8>>::from_samples(Size::new(3, 1), vec![0, 5, 10]).unwrap();
        let p = along(row.view(), (0, 0), (2, 0)).unwrap();
        assert_eq!(profile(&p.channels[0], 3, 1), "|▁▅█|\n");
        let other = Frame::<Gray<u8>>::from_samples(Size::new(3, 1), vec![0, 5, 13]).unwrap();
        let found = compare(row.view(), other.view(), &CompareRules::default()).unwrap();
        // Mean square 3; 10 log10(65025 / 3) = 43.36.
        assert_eq!(comparison(&found), "PSNR 43.36 dB, RMSE 1.7321");
    }
}
