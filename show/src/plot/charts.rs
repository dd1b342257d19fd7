//! A chart of each measurement.

use super::{Axis, Chart, Ink, Mark, Series};
use rahmen::measure::{ChannelHistogram, Histogram, Profile};
use rahmen::tone::{BitStudy, Curve, Quantizer};

/// Columns that bins are put together to at most: about a pixel each.
const COLUMNS: usize = 512;

/// Ratio of the highest column to the 98th percentile above which columns are cut off.
const TALL: f64 = 4.0;

impl Chart {
    /// One or several histograms laid over each other, by the share of the values in each bin, so that pictures of any
    /// size compare. Each comes with a name; channels of one are told apart by colour.
    pub fn histogram(histograms: &[(&str, &Histogram)]) -> Chart {
        let series = each_channel(histograms, |c| stairs(&columns(c), extent(c)));
        let (low, high) = ends(histograms);
        let (top, remark) = highest(&series);
        let remark = [remark, outside(histograms)].into_iter().filter(|r| !r.is_empty()).collect::<Vec<_>>().join("; ");
        let title = if histograms.len() == 1 { "Histogram" } else { "Histograms" };
        let (label, whole) = value_label(histograms);
        let x = Axis { whole, ..Axis::new(label, low, high) };
        let y = Axis::new("share of values, %", 0.0, top);
        Chart { series, remark, ..Chart::new(title, x, y) }
    }

    /// The cumulative distribution of one or several histograms.
    pub fn cumulative(histograms: &[(&str, &Histogram)]) -> Chart {
        let mut series = each_channel(histograms, |c| {
            let mut sum = 0.0;
            let add = |share: &f64| {
                sum += share;
                sum
            };
            stairs(&columns(c).iter().map(add).collect::<Vec<_>>(), extent(c))
        });
        series.iter_mut().for_each(|s| s.mark = Mark::Line);
        let y = Axis::new("share at or below, %", 0.0, 100.0);
        let (low, high) = ends(histograms);
        let (label, whole) = value_label(histograms);
        let mut x = Axis { whole, ..Axis::new(label, low, high) };
        let ranges = || histograms.iter().flat_map(|(_, h)| h.channels.iter().map(extent));
        if ranges().any(|r| r != (low, high)) {
            // Other numbers of levels compare by their share of the range.
            x = Axis::new("share of the range", 0.0, 1.0);
            for (series, (low, high)) in series.iter_mut().zip(ranges()) {
                series.points.iter_mut().for_each(|p| p.0 = (p.0 - low) / (high - low));
            }
        }
        Chart { series, ..Chart::new("Cumulative distribution", x, y) }
    }

    /// How often each signed error occurs: of a comparison, or of fewer bits.
    pub fn errors(errors: &Histogram) -> Chart {
        // Only the part that is used: errors lie close about nothing.
        let used = errors.channels.iter().filter(|c| c.stats.count > 0);
        let reach = used.map(|c| c.stats.min.abs().max(c.stats.max.abs())).fold(0.0, f64::max);
        let whole = errors.channels.iter().all(ChannelHistogram::is_by_level);
        let room = if whole { reach + 1.5 } else { reach * 1.05 };
        let chart = Chart::histogram(&[("", &near(errors, room))]);
        Chart { x: Axis { whole, ..Axis::new("signed error", -room, room) }, ..chart.title("Errors") }
    }

    /// The values along a line, against the distance from its start.
    pub fn profile(profile: &Profile) -> Chart {
        let at = |i: usize| profile.step * i as f64;
        let series = profile.channels.iter().enumerate().map(|(index, c)| Series {
            name: if profile.channels.len() > 1 { c.name.clone() } else { String::new() },
            ink: Ink::of_channel(&c.name, index),
            mark: Mark::Line,
            points: c.values.iter().enumerate().filter(|(_, v)| v.is_finite()).map(|(i, &v)| (at(i), v)).collect(),
        });
        let series: Vec<Series> = series.collect();
        let (low, high) = heights(&series);
        let room = ((high - low) * 0.05).max(1e-9);
        let length = profile.channels.first().map_or(1, |c| c.values.len());
        let ((ax, ay), (bx, by)) = (profile.from, profile.to);
        let x = Axis::new("distance, pixels", 0.0, at(length.saturating_sub(1)));
        let y = Axis::new("value", low - room, high + room);
        Chart { series, ..Chart::new(format!("Profile from {ax},{ay} to {bx},{by}"), x, y) }
    }

    /// PSNR at each number of bits, the line through it, and what theory says.
    pub fn study(study: &BitStudy) -> Chart {
        let points: Vec<_> = study
            .levels
            .iter()
            .rev()
            .filter(|l| l.psnr_db.is_finite())
            .map(|l| (f64::from(l.bits), l.psnr_db))
            .collect();
        let ends = [0.5, study.levels.first().map_or(1.0, |l| f64::from(l.bits)) + 0.5];
        let line = |slope: f64, start: f64| ends.map(|x| (x, start + slope * x)).to_vec();
        let x = Axis::new("bits", ends[0], ends[1]).whole();
        let mut chart = Chart::new("What a bit is worth", x, Axis::new("PSNR, dB", 0.0, 1.0));
        if study.slope_db_per_bit.is_finite() {
            // Theory through the middle of the points, so that only the slopes differ.
            let n = points.len() as f64;
            let middle = (points.iter().map(|p| p.0).sum::<f64>() / n, points.iter().map(|p| p.1).sum::<f64>() / n);
            let theory = study.theory_db_per_bit;
            let name = format!("theory: {theory:.2} dB a bit");
            chart = chart.with(name, Ink::Sand, Mark::Dashes, line(theory, middle.1 - theory * middle.0));
            let name = format!("fitted: {:.2} dB a bit", study.slope_db_per_bit);
            chart = chart.with(name, Ink::Plum, Mark::Line, line(study.slope_db_per_bit, study.intercept_db));
        }
        chart = chart.with("measured", Ink::Copper, Mark::Points, points);
        let (low, high) = heights(&chart.series);
        Chart { y: Axis::new("PSNR, dB", (low - 3.0).min(0.0), high + 3.0), ..chart }
    }

    /// The staircase of a quantiser: output level over input level, and the error between.
    pub fn staircase(quantizer: &Quantizer, levels: u32) -> Chart {
        let cells = quantizer.table();
        let stairs: Vec<_> = cells.iter().flat_map(|c| [(c.from, c.output), (c.to, c.output)]).collect();
        let top = f64::from(levels);
        let (x, y) = (Axis::new("level in", 0.0, top).whole(), Axis::new("level out", 0.0, top).whole());
        Chart::new(format!("{} cells of {levels} levels", cells.len()), x, y)
            .with("as it is", Ink::Sand, Mark::Dashes, vec![(0.0, 0.0), (top, top)])
            .with("quantised", Ink::Harbor, Mark::Line, stairs)
    }

    /// Chart of a curve from 0 to full.
    pub fn curve(curve: &Curve) -> Chart {
        let points = (0..=256).map(|i| f64::from(i) / 256.0).map(|x| (x, curve.at(x).clamp(0.0, 1.0))).collect();
        let (x, y) = (Axis::new("value in, share of full", 0.0, 1.0), Axis::new("value out, share of full", 0.0, 1.0));
        Chart::new("Curve", x, y).with("as it is", Ink::Sand, Mark::Dashes, vec![(0.0, 0.0), (1.0, 1.0)]).with(
            "curve",
            Ink::Copper,
            Mark::Line,
            points,
        )
    }
}

/// The bins within some distance of nothing.
fn near(errors: &Histogram, room: f64) -> Histogram {
    let channels = errors.channels.iter().map(|c| {
        if !c.is_by_level() {
            return c.clone();
        }
        let inside: Vec<usize> = (0..c.bins.len()).filter(|&i| c.level(i).abs() <= room).collect();
        match (inside.first(), inside.last()) {
            (Some(&a), Some(&b)) => ChannelHistogram::of_counts_from(&c.name, c.level(a) as i64, &c.bins[a..=b]),
            _ => c.clone(),
        }
    });
    Histogram::new(channels.collect())
}

/// A series a channel of each histogram: coloured by channel if there is one histogram, else by histogram.
fn each_channel(
    histograms: &[(&str, &Histogram)],
    points: impl Fn(&ChannelHistogram) -> Vec<(f64, f64)>,
) -> Vec<Series> {
    let alone = histograms.len() == 1;
    let mut series = Vec::new();
    for (index, (name, histogram)) in histograms.iter().enumerate() {
        let several = histogram.channels.len() > 1;
        for (at, c) in histogram.channels.iter().enumerate() {
            let label = match (alone, several) {
                (true, true) => c.name.clone(),
                (true, false) => String::new(),
                (false, true) => format!("{name} {}", c.name),
                (false, false) => name.to_string(),
            };
            let ink = match (alone, several) {
                (true, _) => Ink::of_channel(&c.name, at),
                (false, false) => Ink::of_index(index),
                (false, true) => Ink::of_index(index * histogram.channels.len() + at),
            };
            series.push(Series { name: label, ink, mark: Mark::Area, points: points(c) });
        }
    }
    series
}

/// Shares in percent, neighbouring bins put together where there are many.
fn columns(c: &ChannelHistogram) -> Vec<f64> {
    let all = (c.in_bins() + c.under + c.over).max(1) as f64;
    let count = c.bins.len().min(COLUMNS);
    let edge = |i: usize| i * c.bins.len() / count.max(1);
    let sum = |i: usize| c.bins[edge(i)..edge(i + 1)].iter().sum::<u64>() as f64;
    (0..count).map(|i| 100.0 * sum(i) / all).collect()
}

/// Columns as the outline of stairs.
fn stairs(columns: &[f64], (low, high): (f64, f64)) -> Vec<(f64, f64)> {
    let edge = |i: usize| low + (high - low) * i as f64 / columns.len() as f64;
    columns.iter().enumerate().flat_map(|(i, &share)| [(edge(i), share), (edge(i + 1), share)]).collect()
}

/// What the columns cover: a level's column stands about its number.
fn extent(c: &ChannelHistogram) -> (f64, f64) {
    let (low, high) = c.range;
    if c.is_by_level() { (low - 0.5, high - 0.5) } else { (low, high) }
}

fn ends(histograms: &[(&str, &Histogram)]) -> (f64, f64) {
    let ranges = || histograms.iter().flat_map(|(_, h)| h.channels.iter().map(extent));
    (ranges().map(|r| r.0).fold(f64::INFINITY, f64::min), ranges().map(|r| r.1).fold(f64::NEG_INFINITY, f64::max))
}

fn heights(series: &[Series]) -> (f64, f64) {
    let values = || series.iter().flat_map(|s| s.points.iter().map(|p| p.1));
    (values().fold(f64::INFINITY, f64::min), values().fold(f64::NEG_INFINITY, f64::max))
}

/// How high the vertical axis reaches, and a remark where columns are cut off: a few tall ones would hide all others.
fn highest(series: &[Series]) -> (f64, String) {
    let mut heights: Vec<f64> =
        series.iter().flat_map(|s| s.points.iter().step_by(2).map(|p| p.1)).filter(|h| *h > 0.0).collect();
    heights.sort_by(f64::total_cmp);
    let Some(&top) = heights.last() else { return (1.0, String::new()) };
    let usual = heights[(heights.len() * 49 / 50).min(heights.len() - 1)];
    if heights.len() < 20 || top <= TALL * usual {
        return (top * 1.06, String::new());
    }
    let shown = 1.5 * usual;
    let cut = heights.iter().filter(|h| **h > shown).count();
    let columns = if cut == 1 { "a column is".to_string() } else { format!("{cut} columns are") };
    (shown, format!("{columns} cut off, the highest at {top:.1} %"))
}

fn outside(histograms: &[(&str, &Histogram)]) -> String {
    let sum = |of: &dyn Fn(&ChannelHistogram) -> u64| -> u64 {
        histograms.iter().flat_map(|(_, h)| h.channels.iter().map(of)).sum()
    };
    let each = [(sum(&|c| c.under), "below"), (sum(&|c| c.over), "above"), (sum(&|c| c.nan), "not numbers")];
    let said: Vec<_> = each.iter().filter(|e| e.0 > 0).map(|(n, what)| format!("{n} values {what}")).collect();
    said.join(", ")
}

/// What the horizontal axis counts, and whether in whole numbers.
fn value_label(histograms: &[(&str, &Histogram)]) -> (&'static str, bool) {
    let whole = histograms.iter().all(|(_, h)| h.channels.iter().all(|c| c.levels().is_some()));
    (if whole { "level" } else { "value" }, whole)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn counted(bins: &[u64]) -> Histogram {
        Histogram::new(vec![ChannelHistogram::of_counts("gray", bins)])
    }

    #[test]
    fn shares_make_stairs_and_cumulative_shares_end_at_all() {
        let h = counted(&[1, 0, 3]);
        let chart = Chart::histogram(&[("a", &h)]);
        let wanted = [(-0.5, 25.0), (0.5, 25.0), (0.5, 0.0), (1.5, 0.0), (1.5, 75.0), (2.5, 75.0)];
        assert_eq!(chart.series[0].points, wanted);
        assert_eq!((chart.x.range, chart.y.range.1), ((-0.5, 2.5), 79.5));
        assert_eq!(Chart::cumulative(&[("a", &h)]).series[0].points[5], (2.5, 100.0));
        // 65,536 bins become columns, and no value is lost.
        let wide = Chart::histogram(&[("a", &counted(&vec![1; 65_536]))]);
        let sum: f64 = wide.series[0].points.iter().step_by(2).map(|p| p.1).sum();
        assert!((sum - 100.0).abs() < 1e-9);
    }

    #[test]
    fn a_tall_column_is_cut_off_and_said() {
        let mut bins = vec![10; 100];
        bins[3] = 100_000;
        let chart = Chart::histogram(&[("a", &counted(&bins))]);
        assert!(
            chart.y.range.1 < 1.0 && chart.remark.contains("a column is cut off, the highest at 99.0 %"),
            "{chart:?}"
        );
    }
}
