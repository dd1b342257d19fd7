//! `histogram`: how often each level occurs, and the figures that follow.

use crate::args::{Part, Shared, channel_index};
use crate::bars;
use crate::fail::{Done, Failure};
use crate::look;
use crate::open;
use crate::text::{Align, number, safe, table};
use crate::words;
use clap::Args;
use rahmen::Facts;
use rahmen::flow::{Crop, Step};
use rahmen::measure::{ChannelHistogram, HistogramRules, content_histogram};
use serde::Serialize;
use std::path::{Path, PathBuf};

/// Characters a bar picture is wide and high.
const WIDE: usize = 64;
const HIGH: usize = 6;

/// The words of `histogram`.
#[derive(Debug, Args)]
pub(crate) struct Histogram {
    /// The files; - is standard input
    #[arg(required = true, value_name = "FILE")]
    files: Vec<PathBuf>,
    #[command(flatten)]
    part: Part,
    /// Only the channel of this name
    #[arg(long, value_name = "NAME")]
    channel: Option<String>,
    /// So many bins: as many as there are levels unless said, 256 for floats
    #[arg(long, value_name = "N")]
    bins: Option<usize>,
    /// What the bins cover: all levels unless said, for floats the values' own range
    #[arg(long, value_name = "LO,HI", value_parser = words::limits, allow_hyphen_values = true)]
    range: Option<(f64, f64)>,
    /// As JSON: an array with one object a file
    #[arg(long)]
    json: bool,
    /// As CSV: a line a channel and bin, with the bin's limits and its count
    #[arg(long, conflicts_with = "json")]
    csv: bool,
}

#[derive(Debug, Serialize)]
struct Report {
    file: String,
    channels: Vec<ChannelHistogram>,
    #[serde(skip)]
    holds: String,
}

impl Histogram {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        let form = if self.json { look::Form::Json } else { look::Form::Text };
        let text = if self.csv { csv } else { text };
        look::each(&self.files, form, |file| self.report(file, shared), text)
    }

    fn report(&self, file: &Path, shared: &Shared) -> Done<Report> {
        let steps = |found: &Facts| {
            if !self.part.is_given() {
                return Ok(Vec::new());
            }
            let region = self.part.region(found.size)?;
            Ok(vec![Box::new(Crop::new(region)) as Box<dyn Step>])
        };
        let picture = open::load(file, shared, steps)?;
        let mut rules = HistogramRules::of(picture.metadata());
        (rules.bins, rules.range, rules.threads) = (self.bins, self.range, shared.threads());
        let mut channels = content_histogram(picture.content(), &rules)?.channels;
        if let Some(name) = &self.channel {
            let at = channel_index(&picture.facts(), name).map_err(Failure::words)?;
            channels = vec![channels.swap_remove(at)];
        }
        let holds = format!("{} {}", picture.size(), picture.form().describe());
        Ok(Report { file: open::name_of(file), channels, holds })
    }
}

fn text(report: &Report) -> String {
    let mut out = format!("{} ({})\n", safe(&report.file), report.holds);
    let mut rows = vec![["channel", "count", "min", "max", "mean", "std", "median", "used"].map(String::from).to_vec()];
    for c in &report.channels {
        let s = &c.stats;
        let used = c.used.map_or("-".into(), |u| format!("{:.1} %", 100.0 * u));
        let figures = [s.min, s.max, s.mean, s.std, s.median].map(number);
        rows.push([safe(&c.name), s.count.to_string()].into_iter().chain(figures).chain([used]).collect());
    }
    let columns = [[Align::Left].as_slice(), &[Align::Right; 7]].concat();
    out.push_str(&table("  ", &columns, &rows));
    for c in &report.channels {
        out.push_str(&bar_text(c));
    }
    out
}

fn bar_text(channel: &ChannelHistogram) -> String {
    let mut out = format!("\n  {}\n", safe(&channel.name));
    let lines = bars::picture(&channel.bins, WIDE, HIGH);
    let wide = lines.first().map_or(0, |l| l.chars().count());
    for line in lines {
        out.push_str(&format!("  |{line}|\n"));
    }
    let (low, high) = channel.range;
    // Whole levels: the last one is what people look for, not the open end behind it.
    let last = if channel.used.is_some() && high.fract() == 0.0 { high - 1.0 } else { high };
    let (low, last) = (number(low), number(last));
    let gap = (wide + 2).saturating_sub(low.len() + last.len()).max(1);
    out.push_str(&format!("  {low}{}{last}\n", " ".repeat(gap)));
    for (count, what) in
        [(channel.under, "below the range"), (channel.over, "above the range"), (channel.nan, "not a number")]
    {
        if count > 0 {
            out.push_str(&format!("  {count} {what}\n"));
        }
    }
    out
}

/// A line a bin, channel after channel: floats have bins of their own limits in each.
fn csv(report: &Report) -> String {
    let mut out = String::from("channel,low,high,count\n");
    for c in &report.channels {
        let (low, high) = c.range;
        let edge = |i: usize| low + (high - low) * i as f64 / c.bins.len() as f64;
        for (i, count) in c.bins.iter().enumerate() {
            out.push_str(&format!("{},{},{},{count}\n", csv_word(&c.name), edge(i), edge(i + 1)));
        }
    }
    out
}

fn csv_word(word: &str) -> String {
    match word.contains([',', '"', '\n', '\r']) {
        true => format!("\"{}\"", word.replace('"', "\"\"")),
        false => word.to_string(),
    }
}
