//! A histogram as a small drawing inside the page, in the page's own colours.

use crate::plot::Ink;
use maud::{Markup, html};
use rahmen::measure::{ChannelHistogram, Histogram};

/// Columns of the drawing; bins are put together to as many.
const WIDE: usize = 256;
const HIGH: f64 = 72.0;

/// The drawing, with its caption: the range, and the mean and deviation of each channel.
pub(super) fn bars(histogram: &Histogram, number: impl Fn(f64) -> String) -> Markup {
    let shown: Vec<&ChannelHistogram> = histogram.channels.iter().filter(|c| c.name != "alpha").collect();
    let columns: Vec<Vec<u64>> = shown.iter().map(|c| pooled(&c.bins)).collect();
    let most = columns.iter().flatten().copied().max().unwrap_or(0).max(1);
    let figures = shown.iter().map(|c| {
        let name = if shown.len() == 1 { String::new() } else { format!("{} ", c.name) };
        format!("{name}{} ± {}", number(c.stats.mean), number(c.stats.std))
    });
    let figures = figures.collect::<Vec<_>>().join(" · ");
    let (low, high) = shown.first().map_or((0.0, 1.0), |c| ends(c));
    html! {
        figure {
            svg viewBox="0 0 256 74" preserveAspectRatio="none" role="img" aria-label=(format!("histogram: mean ± deviation {figures}")) {
                @for (i, (channel, counts)) in shown.iter().zip(&columns).enumerate() {
                    path class={ "h " (ink(&channel.name, i)) } d=(outline(counts, most)) {}
                }
            }
            figcaption { span { (number(low)) } span { (number(high)) } span { "mean ± deviation " (figures) } }
        }
    }
}

/// The values of the first and the last bin.
fn ends(channel: &ChannelHistogram) -> (f64, f64) {
    match channel.levels() {
        Some(_) => (channel.level(0), channel.level(channel.bins.len().saturating_sub(1))),
        None => channel.range,
    }
}

fn ink(name: &str, index: usize) -> &'static str {
    match Ink::of_channel(name, index) {
        Ink::Slate => "slate",
        Ink::Brick => "brick",
        Ink::Moss => "moss",
        Ink::Harbor => "harbor",
        Ink::Sand => "sand",
        Ink::Copper => "copper",
        Ink::Plum => "plum",
    }
}

/// Counts in at most [`WIDE`] columns.
fn pooled(bins: &[u64]) -> Vec<u64> {
    let wide = WIDE.min(bins.len()).max(1);
    (0..wide).map(|i| bins[bins.len() * i / wide..bins.len() * (i + 1) / wide].iter().sum()).collect()
}

/// Columns as a closed outline.
fn outline(counts: &[u64], most: u64) -> String {
    let step = WIDE as f64 / counts.len() as f64;
    let mut path = format!("M0 {}", HIGH + 2.0);
    for (i, count) in counts.iter().enumerate() {
        let y = HIGH + 2.0 - HIGH * (*count as f64 / most as f64);
        path.push_str(&format!("V{y:.1}H{:.2}", step * (i + 1) as f64));
    }
    path.push_str(&format!("V{}Z", HIGH + 2.0));
    path
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn columns_hold_every_count_and_reach_the_top() {
        assert_eq!(pooled(&[1, 2, 3]), [1, 2, 3]);
        let many: Vec<u64> = (0..65_536).collect();
        let columns = pooled(&many);
        assert_eq!((columns.len(), columns.iter().sum::<u64>()), (256, many.iter().sum()));
        assert_eq!(outline(&[1, 2], 2), "M0 74V38.0H128.00V2.0H256.00V74Z");
    }
}
