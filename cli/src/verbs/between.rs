//! `pixel --at 12.4,7.75 --interpolation linear`: what a place between pixels is made of, as one would work it by hand.

use super::pixel::numbers_of;
use crate::args::Shared;
use crate::fail::Done;
use crate::open;
use crate::text::{Align, number, safe, table};
use crate::words::EdgeWord;
use rahmen::access::Edge;
use rahmen::flow::{Crop, Step};
use rahmen::frame::Scale;
use rahmen::resample::{Area, Kernel, Plan, ResizeRules, Tap, Taps, Target, taps};
use rahmen::{Depth, Facts, PixelFormat, Region};
use serde::Serialize;
use std::path::Path;

/// A place, its taps and what they sum to.
#[derive(Debug, Serialize)]
pub(crate) struct Between {
    file: String,
    x: f64,
    y: f64,
    kernel: String,
    taps: Vec<Counted>,
    channels: Vec<Sum>,
    #[serde(skip)]
    holds: String,
    #[serde(skip)]
    weighed: bool,
    /// Whether the place is a pixel of a resized picture.
    #[serde(skip)]
    resized: bool,
    /// The full that values are given over, where it is not that of the codes.
    #[serde(skip)]
    rescaled: Option<f64>,
}

/// A pixel that counts.
#[derive(Debug, Serialize)]
struct Counted {
    /// Its place, which may lie outside.
    x: i64,
    y: i64,
    /// The column's weight and the row's, and their product.
    weight_x: f64,
    weight_y: f64,
    weight: f64,
    /// Whether the edge shows it.
    outside: bool,
    values: Vec<f64>,
}

/// What a channel sums to.
#[derive(Debug, Serialize)]
struct Sum {
    name: String,
    /// In codes, not rounded; of colours beside alpha: weighted by it and divided by the resulting alpha.
    sum: f64,
    /// The share of full.
    fraction: f64,
    /// The sum as a resized picture holds it.
    value: f64,
}

/// What is worked out by hand.
#[derive(Debug, Clone, Copy)]
pub(crate) enum Of {
    /// A place of the picture.
    Place(f64, f64),
    /// A pixel of the picture once it is resized.
    Resized(Target, u32, u32),
}

/// Reads the pixels about a place and sums them.
pub(crate) fn report(file: &Path, of: Of, kernel: Kernel, edge: EdgeWord, shared: &Shared) -> Done<Between> {
    let read = read(file, of, &kernel, edge, shared)?;
    let taps = read.counted();
    let facts = &read.facts;
    let alpha = matches!(facts.pixel_format, PixelFormat::Pixels { layout, .. } if layout.has_alpha())
        .then_some(read.numbers.len() - 1);
    let sums = sums(&taps, read.numbers.len(), alpha.filter(|_| kernel != Kernel::Nearest));
    // Only the nearest pixel keeps the file's codes: a mean is a sample over the full range.
    let rescaled = facts.metadata.scale == Scale::Codes && kernel != Kernel::Nearest;
    let channels = read.numbers.iter().zip(sums).enumerate().map(|(c, ((name, _), sum))| {
        let full = full(facts, c);
        let held = if rescaled { sum / full * depth_full(facts) } else { sum };
        Sum { name: name.clone(), sum, fraction: sum / full, value: rounded(facts, held) }
    });
    let (x, y) = match of {
        Of::Place(x, y) => (x, y),
        Of::Resized(_, x, y) => (x.into(), y.into()),
    };
    Ok(Between {
        file: open::name_of(file),
        x,
        y,
        kernel: kernel.to_string(),
        channels: channels.collect(),
        taps,
        holds: format!("{} {}", facts.size, facts.pixel_format.describe()),
        weighed: alpha.is_some(),
        resized: matches!(of, Of::Resized(..)),
        rescaled: rescaled.then(|| depth_full(facts)),
    })
}

/// The pixels about a place.
struct Read {
    facts: Facts,
    taps: Taps,
    /// What was read of the picture.
    region: Region,
    edge: Edge<[f64; 4]>,
    /// The values of each channel there, row by row.
    numbers: Vec<(String, Vec<f64>)>,
}

fn read(file: &Path, of: Of, kernel: &Kernel, edge: EdgeWord, shared: &Shared) -> Done<Read> {
    let mut known: Option<(Facts, Taps, Region, Edge<[f64; 4]>)> = None;
    let mut steps = |facts: &Facts| {
        let edge = match facts.pixel_format {
            PixelFormat::Pixels { .. } => edge.channels_of(facts).map_err(anyhow::Error::msg)?,
            PixelFormat::Planes { .. } => return Err(anyhow::anyhow!(
                "planes have no pixels to mix; add a verb that makes a picture of them, such as `rahmen depth --to f32`"
            )
            .into()),
        };
        let found = match of {
            Of::Place(x, y) => taps(facts.size, x, y, kernel, edge.kind())?,
            Of::Resized(target, x, y) => {
                let (area, to) = target.of_area(facts.size, Area::of(facts.size))?;
                Plan::of_area(facts.size, area, to, &ResizeRules::new(kernel.clone()).edge(edge))?.taps(x, y)?
            }
        };
        let region = Region::new(span(&found.x), span(&found.y))?;
        known = Some((facts.clone(), found, region, edge));
        Ok(vec![Box::new(Crop::new(region)) as Box<dyn Step>])
    };
    let picture = open::load_codes(file, shared, &mut steps).map_err(|e| open::in_file(e, file))?;
    // Loading has planned the steps.
    let Some((mut facts, taps, region, edge)) = known else { return Err(anyhow::anyhow!("nothing was read").into()) };
    facts.metadata = picture.metadata().clone();
    Ok(Read { facts, taps, region, edge, numbers: numbers_of(picture.content()) })
}

impl Read {
    /// Every pixel that counts, with its weights and values.
    fn counted(&self) -> Vec<Counted> {
        let mut counted = Vec::new();
        for down in &self.taps.y {
            for across in &self.taps.x {
                counted.push(Counted {
                    x: across.at,
                    y: down.at,
                    weight_x: across.weight,
                    weight_y: down.weight,
                    weight: across.weight * down.weight,
                    outside: [across, down].iter().any(|t| t.inside.is_none_or(|i| i64::from(i) != t.at)),
                    values: (0..self.numbers.len()).map(|c| self.value(c, across.inside, down.inside)).collect(),
                });
            }
        }
        counted
    }

    /// The value at a place inside, or what the edge shows where there is none.
    fn value(&self, channel: usize, x: Option<u32>, y: Option<u32>) -> f64 {
        match (x, y, self.edge) {
            (Some(x), Some(y), _) => {
                let (row, column) = (y - self.region.y(), x - self.region.x());
                let at = row as usize * self.region.width() as usize + column as usize;
                self.numbers.get(channel).and_then(|(_, values)| values.get(at)).copied().unwrap_or(f64::NAN)
            }
            (.., Edge::Constant(all)) => all.get(channel).copied().unwrap_or(0.0) * full(&self.facts, channel),
            _ => f64::NAN,
        }
    }
}

/// The rows or columns inside that stand for taps: one at least, so that there is something to read.
fn span(taps: &[Tap]) -> std::ops::Range<u32> {
    let inside = || taps.iter().filter_map(|t| t.inside);
    inside().min().unwrap_or(0)..inside().max().unwrap_or(0) + 1
}

fn sums(taps: &[Counted], channels: usize, alpha: Option<usize>) -> Vec<f64> {
    let sum = |of: &dyn Fn(&Counted) -> f64| taps.iter().map(|t| t.weight * of(t)).sum::<f64>();
    let opacity = alpha.map(|a| (a, sum(&|t| t.values[a])));
    let channel = |c: usize| match opacity {
        Some((a, opacity)) if c != a => match opacity > 0.0 {
            true => sum(&|t| t.values[c] * t.values[a]) / opacity,
            false => 0.0,
        },
        _ => sum(&|t| t.values[c]),
    };
    (0..channels).map(channel).collect()
}

/// Full in codes of a channel.
fn full(facts: &Facts, channel: usize) -> f64 {
    match facts.pixel_format {
        PixelFormat::Pixels { depth, .. } => facts.metadata.full(channel, depth),
        PixelFormat::Planes { .. } => 1.0,
    }
}

/// Full of the depth.
fn depth_full(facts: &Facts) -> f64 {
    match facts.pixel_format {
        PixelFormat::Pixels { depth, .. } => depth.max_code().map_or(1.0, f64::from),
        PixelFormat::Planes { .. } => 1.0,
    }
}

/// A sum as the picture holds it: to nearest, halves up, within the range; floats as they are.
fn rounded(facts: &Facts, sum: f64) -> f64 {
    match facts.pixel_format {
        PixelFormat::Pixels { depth: Depth::U8 | Depth::U16, .. } => {
            // As resizing rounds: what lies within rounding of a tie is one.
            (sum + 0.5 + depth_full(facts) * 1e-12).floor().clamp(0.0, depth_full(facts))
        }
        _ => f64::from(sum as f32),
    }
}

pub(crate) fn text(between: &Between) -> String {
    let mut head = ["x", "y", "weight x", "weight y", "weight"].map(String::from).to_vec();
    head.extend(between.channels.iter().map(|c| safe(&c.name)));
    let mut rows = vec![head];
    for tap in &between.taps {
        let outside = if tap.outside { "*" } else { "" };
        let mut row = vec![format!("{}{outside}", tap.x), tap.y.to_string()];
        row.extend([tap.weight_x, tap.weight_y, tap.weight].map(|w| format!("{w:.6}")));
        row.extend(tap.values.iter().map(|v| number(*v)));
        rows.push(row);
    }
    let blank = || vec![String::new(); 3];
    let total: f64 = between.taps.iter().map(|t| t.weight).sum();
    let mut sum = vec!["sum".to_string()];
    sum.extend(blank());
    sum.push(format!("{total:.6}"));
    sum.extend(between.channels.iter().map(|c| format!("{:.4}", c.sum)));
    let mut value = vec!["value".to_string()];
    value.extend(blank());
    value.push(String::new());
    value.extend(between.channels.iter().map(|c| number(c.value)));
    let mut fraction = vec!["fraction".to_string()];
    fraction.extend(blank());
    fraction.push(String::new());
    fraction.extend(between.channels.iter().map(|c| format!("{:.4}", c.fraction)));
    rows.extend([sum, fraction, value]);
    let columns = vec![Align::Right; rows[0].len()];
    let mut out = format!(
        "{} ({}){} at x {}, y {}, {}\n{}",
        safe(&between.file),
        between.holds,
        if between.resized { " resized," } else { "" },
        between.x,
        between.y,
        between.kernel,
        table("  ", &columns, &rows)
    );
    if let Some(full) = between.rescaled {
        out.push_str(&format!("  the value is what resizing stores, over 0..={full}; the rest is in codes\n"));
    }
    if between.weighed {
        out.push_str("  colours are weighted by alpha too, and divided by the sum's alpha\n");
    }
    if between.taps.iter().any(|t| t.outside) {
        out.push_str("  * lies outside; the values are what the edge shows there\n");
    }
    out
}
