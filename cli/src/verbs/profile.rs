//! `profile`: the values along a row, a column or any line.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::look;
use crate::open;
use crate::plots::Plotting;
use crate::text::{Align, number, safe, table};
use crate::words;
use clap::Args;
use rahmen::measure::Profile as Measured;
use rahmen_show::csv;
use rahmen_show::plot::Chart;
use serde::Serialize;
use std::path::{Path, PathBuf};

/// The words of `profile`.
#[derive(Debug, Args)]
pub(crate) struct Profile {
    /// The files, or folders of pictures; - is standard input
    #[arg(required = true, value_name = "FILE")]
    files: Vec<PathBuf>,
    /// Along this row
    #[arg(long, value_name = "Y", group = "line")]
    row: Option<u32>,
    /// Along this column
    #[arg(long, value_name = "X", group = "line")]
    column: Option<u32>,
    /// From this pixel
    #[arg(long, value_name = "X,Y", value_parser = words::place, group = "line", requires = "to")]
    from: Option<(u32, u32)>,
    /// To this pixel
    #[arg(long, value_name = "X,Y", value_parser = words::place, requires = "from")]
    to: Option<(u32, u32)>,
    #[command(flatten)]
    plotting: Plotting,
    /// Print JSON: an array with one object a file
    #[arg(long)]
    json: bool,
    /// As CSV: a line a place
    #[arg(long, conflicts_with = "json")]
    csv: bool,
}

#[derive(Debug, Serialize)]
struct Report {
    file: String,
    #[serde(flatten)]
    profile: Measured,
}

impl Profile {
    pub(crate) fn run(mut self, shared: &Shared) -> Done {
        self.files = look::with_folders(&self.files)?;
        let form = if self.json { look::Output::Json } else { look::Output::Text };
        let text = if self.csv { |r: &Report| csv::profile(&r.profile) } else { text };
        let mut seen: Vec<(String, Measured)> = Vec::new();
        let one = |file: &Path| {
            let report = self.report(file, shared)?;
            seen.push((report.file.clone(), report.profile.clone()));
            Ok(report)
        };
        look::each(&self.files, form, shared, one, text)?;
        let title = seen.iter().map(|s| s.0.clone()).collect::<Vec<_>>().join(", ");
        self.plotting.draw(&title, shared, |mut figure| {
            for (file, profile) in &seen {
                let chart = Chart::profile(profile);
                let words = format!("{file}: {}", chart.title);
                figure = figure.chart(if seen.len() > 1 { chart.title(words) } else { chart });
            }
            Ok(figure)
        })
    }

    fn report(&self, file: &Path, shared: &Shared) -> Done<Report> {
        let picture = open::load_codes(file, shared, &mut |_| Ok(Vec::new()))?;
        let size = picture.size();
        let last = |side: u32| side.saturating_sub(1);
        let (from, to) = match (self.row, self.column, self.from, self.to) {
            (Some(y), ..) => ((0, y), (last(size.width), y)),
            (_, Some(x), ..) => ((x, 0), (x, last(size.height))),
            (_, _, Some(from), Some(to)) => (from, to),
            _ => return Err(Failure::words("profile needs a line: --row Y, --column X, or --from X,Y --to X,Y")),
        };
        let profile = picture.content().profile(from, to).map_err(|e| e.in_file(open::name_of(file)))?;
        Ok(Report { file: open::name_of(file), profile })
    }
}

/// Columns and rows of the small picture of a channel's values.
const WIDE: usize = 64;
const HIGH: usize = 5;

fn text(report: &Report) -> String {
    let p = &report.profile;
    let ((ax, ay), (bx, by)) = (p.from, p.to);
    let count = p.channels.first().map_or(0, |c| c.values.len());
    let step =
        if p.step == 1.0 || p.step == 0.0 { String::new() } else { format!(", {} pixels apart", number(p.step)) };
    let mut out = format!("{}: {count} values from {ax},{ay} to {bx},{by}{step}\n", safe(&report.file));
    let mut rows = vec![["channel", "first", "last", "min", "max", "mean"].map(String::from).to_vec()];
    for c in &p.channels {
        let known = || c.values.iter().copied().filter(|v| !v.is_nan());
        let (min, max) = (known().fold(f64::NAN, f64::min), known().fold(f64::NAN, f64::max));
        let mean = known().sum::<f64>() / known().count() as f64;
        let ends = [c.values.first(), c.values.last()].map(|v| v.copied().unwrap_or(f64::NAN));
        rows.push([safe(&c.name)].into_iter().chain([ends[0], ends[1], min, max, mean].map(number)).collect());
    }
    let columns = [[Align::Left].as_slice(), &[Align::Right; 5]].concat();
    out.push_str(&table("  ", &columns, &rows));
    for c in &p.channels {
        out.push_str(&format!("\n  {}\n", safe(&c.name)));
        for line in rahmen_show::text::profile(c, WIDE, HIGH).lines() {
            out.push_str(&format!("  {line}\n"));
        }
    }
    out
}
