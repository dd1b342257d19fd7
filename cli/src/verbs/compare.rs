//! `compare`: how far two pictures are apart, where, and what would make them equal.

use crate::args::Shared;
use crate::fail::{Done, said};
use crate::look;
use crate::notes::With;
use crate::open;
use crate::plots::{Plotting, picture_panel};
use crate::progress;
use crate::text::{Align, number, safe, table};
use crate::verbs::color::WhiteWord;
use crate::verbs::color_difference::{self, FormulaWord};
use crate::words;
use clap::Args;
use rahmen::color::Encoding;
use rahmen::flow::{Orient, Step, ToCodes, apply};
use rahmen::measure::{CompareRules, Comparison, Difference};
use rahmen::{Meaning, Picture};
use rahmen_show::csv;
use rahmen_show::plot::{Chart, Panel};
use serde::Serialize;
use std::borrow::Cow;
use std::io::Write;
use std::path::PathBuf;

/// The words of `compare`.
#[derive(Debug, Args)]
pub(crate) struct Compare {
    /// The first picture, the reference
    #[arg(value_name = "A")]
    first: PathBuf,
    /// The second picture
    #[arg(value_name = "B")]
    second: PathBuf,
    /// Count differences greater than this
    #[arg(long, value_name = "N", default_value_t = 0.0)]
    threshold: f64,
    /// Peak of PSNR and SSIM (default: the max code)
    #[arg(long, value_name = "N")]
    peak: Option<f64>,
    /// Skip SSIM, which takes most of the time
    #[arg(long)]
    no_ssim: bool,
    /// Difference of the colours as they look, in place of their samples': by CIEDE2000 (2000, the default), CIE 1994 or CIE 1976
    #[arg(long, value_name = "YEAR", value_enum, num_args = 0..=1, require_equals = true, default_missing_value = "2000")]
    #[arg(conflicts_with_all = ["threshold", "peak", "no_ssim", "error", "gain", "expect_equal", "csv"])]
    color_difference: Option<FormulaWord>,
    /// With --color-difference: the white that L*a*b* is under: that of A's space, d50 or d65
    #[arg(long, value_enum, default_value = "own", requires = "color_difference")]
    white: WhiteWord,
    /// With --color-difference: write the difference of each pixel, as values into .npy or .pfm, else in false colours
    #[arg(long, value_name = "FILE", requires = "color_difference")]
    map: Option<PathBuf>,
    /// Write the signed error B - A as a picture: no error is middle gray
    #[arg(long, value_name = "FILE")]
    error: Option<PathBuf>,
    /// With --error or --plot: amplify errors N times
    #[arg(long, value_name = "N", default_value_t = 1.0, value_parser = words::above_none)]
    gain: f64,
    #[command(flatten)]
    plotting: Plotting,
    /// Apply the orientation of both files first
    #[arg(long)]
    upright: bool,
    /// Fail with exit status 1 unless the two are equal
    #[arg(long)]
    expect_equal: bool,
    /// Print JSON: an array with one object
    #[arg(long)]
    json: bool,
    /// As CSV: a line a channel, all together first
    #[arg(long, conflicts_with = "json")]
    csv: bool,
    /// The files are reports in JSON of this verb, two or more: print them as one
    #[arg(long, conflicts_with_all = ["csv", "error", "map", "expect_equal", "color_difference"])]
    merge: bool,
    /// With --merge: further reports
    #[arg(value_name = "REPORT", requires = "merge")]
    more: Vec<PathBuf>,
}

#[derive(Debug, Serialize)]
struct Report {
    a: String,
    b: String,
    #[serde(flatten)]
    comparison: Comparison,
    /// A hint about orientation, in words.
    #[serde(skip)]
    upright: Option<String>,
}

/// Two pictures in codes, where both have the same ones; as they are where not, so that fulls agree.
fn in_codes<'a>(a: &'a Picture, b: &'a Picture) -> Done<(Cow<'a, Picture>, Cow<'a, Picture>)> {
    let same = a.metadata().max_codes == b.metadata().max_codes && a.pixel_format() == b.pixel_format();
    if !same || a.metadata().max_codes.is_none() {
        return Ok((Cow::Borrowed(a), Cow::Borrowed(b)));
    }
    let coded = |p: &Picture| apply(p.clone(), &[&ToCodes]);
    Ok((Cow::Owned(coded(a)?), Cow::Owned(coded(b)?)))
}

impl Compare {
    fn load(&self, upright: bool, shared: &Shared) -> Done<(Picture, Picture)> {
        let load = |path| {
            open::load(path, shared, &mut |_| match upright {
                true => Ok(vec![Box::new(Orient::upright()) as Box<dyn Step>]),
                false => Ok(Vec::new()),
            })
        };
        Ok((load(&self.first)?, load(&self.second)?))
    }

    /// What the orientation of the files does to the comparison, where it brings them together.
    fn once_upright(&self, before: Option<&Comparison>, rules: CompareRules, shared: &Shared) -> Option<String> {
        let mut rules = rules;
        rules.ssim = false;
        let (a, b) = self.load(true, &shared.quietly(true)).ok()?;
        let (a, b) = in_codes(&a, &b).ok()?;
        let after = a.content().compare(b.content(), &rules).ok()?;
        let psnr = before.map_or(0.0, |c| c.whole.psnr_db);
        match after.equal {
            true => Some("equal once both are upright: add --upright".into()),
            false if after.whole.psnr_db >= (psnr + 6.0).max(20.0) => {
                let closer = format!("much closer once both are upright: {:.1} dB", after.whole.psnr_db);
                Some(format!("{closer}; add --upright"))
            }
            false => None,
        }
    }
}

impl Compare {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        if self.merge {
            let reports: Vec<PathBuf> = [self.first, self.second].into_iter().chain(self.more).collect();
            return look::print_merged(&reports, shared);
        }
        let (a, b) = self.load(self.upright, shared)?;
        if let Some(word) = self.color_difference {
            let forms = (self.json, self.map.as_deref(), &self.plotting);
            return color_difference::report([&self.first, &self.second], (&a, &b), (word, self.white), forms, shared);
        }
        note_spaces([&self.first, &self.second], &a, &b, shared);
        let (coded_a, coded_b) = in_codes(&a, &b)?;
        let mut rules = CompareRules::of(coded_a.metadata());
        (rules.threshold, rules.ssim, rules.threads) = (self.threshold, !self.no_ssim, shared.threads());
        rules.peak = self.peak.or(rules.peak);
        let [first, second] = [&self.first, &self.second].map(|p| open::name_of(p));
        let comparison = progress::during("comparing", shared, || coded_a.content().compare(coded_b.content(), &rules));
        let sideways = !self.upright && [&a, &b].iter().any(|p| !p.metadata().orientation.is_upright());
        let upright = if sideways { self.once_upright(comparison.as_ref().ok(), rules, shared) } else { None };
        let comparison = comparison.map_err(|e| {
            let hint = upright.as_ref().map_or(String::new(), |hint| format!("; {hint}"));
            anyhow::anyhow!("{first} and {second}: {}{hint}", said(&e))
        })?;
        let report = Report { a: first, b: second, comparison, upright };
        let mut out = std::io::stdout().lock();
        match (self.json, self.csv) {
            (true, _) => {
                let report = With { report: &report, said: shared.notes.said() };
                writeln!(out, "[{}]", crate::text::json(&report)?)?;
            }
            (_, true) => write!(out, "{}", csv::comparison(&report.comparison))?,
            _ => write!(out, "{}", text(&report))?,
        }
        if let Some(path) = &self.error {
            rahmen::write(path, &error_of(&a, &b, self.gain)?)?;
        }
        let title = format!("{} against {}", report.b, report.a);
        let equal = report.comparison.equal;
        self.plotting.draw(&title, shared, |figure| {
            let mut error = error_of(&a, &b, self.gain)?;
            // It lies as the first one does, which is shown upright.
            error.metadata_mut().orientation = a.metadata().orientation;
            let gain = if self.gain == 1.0 { String::new() } else { format!(", {} times", number(self.gain)) };
            let mut errors = coded_a.content().error_histogram(coded_b.content())?;
            errors.channels.retain(|c| c.name != "alpha");
            Ok(figure
                .row(vec![picture_panel(format!("a: {}", report.a), &a), picture_panel(format!("b: {}", report.b), &b)])
                .row(vec![
                    picture_panel(format!("b - a, no error is middle gray{gain}"), &error),
                    Panel::Chart(Chart::errors(&errors)),
                ])
                .note(rahmen_show::text::comparison(&report.comparison)))
        })?;
        match self.expect_equal && !equal {
            true => Err(anyhow::anyhow!("{} and {} are not equal", report.a, report.b).into()),
            false => Ok(()),
        }
    }
}

/// The error between two pictures as a picture.
fn error_of(a: &Picture, b: &Picture, gain: f64) -> Done<Picture> {
    Ok(Picture::new(a.content().error_picture(b.content(), gain)?, rahmen::Metadata::default()))
}

/// Says that the same numbers are different colours, where the two state different spaces.
fn note_spaces(files: [&PathBuf; 2], a: &Picture, b: &Picture, shared: &Shared) {
    let colors = |p: &Picture| p.metadata().meaning == Meaning::Color;
    if !(colors(a) && colors(b)) || a.metadata().same_space(b.metadata()) {
        return;
    }
    let name = |p: &Picture| Encoding::of(p.metadata()).map_or_else(|_| "a profile".to_string(), |space| space.name());
    let [first, second] = files.map(|path| open::name_of(path));
    shared.note(&format!(
        "{first} states {}, {second} {}: samples are compared as stored; --color-difference compares colours",
        name(a),
        name(b)
    ));
}

fn decibels(value: f64) -> String {
    if value.is_infinite() { "infinite".to_string() } else { format!("{value:.2} dB") }
}

fn text(report: &Report) -> String {
    let c = &report.comparison;
    let mut out =
        format!("{} and {}: {}", safe(&report.a), safe(&report.b), if c.equal { "equal" } else { "not equal" });
    let hints = [c.hint.map(|hint| hint.words(c.whole.psnr_db)), report.upright.clone()];
    hints.into_iter().flatten().for_each(|hint| out.push_str(&format!("; {hint}")));
    out.push('\n');
    if c.equal {
        return out;
    }
    let head = ["channel", "max abs", "at", "MAE", "MSE", "RMSE", "PSNR", "SNR", "SSIM", "differ"];
    let mut rows = vec![head.map(String::from).to_vec()];
    let mut row = |name: &str, d: &Difference| {
        let at = d.max_at.map_or("-".to_string(), |(x, y)| format!("{x},{y}"));
        let ssim = d.ssim.map_or("-".to_string(), |s| format!("{s:.4}"));
        let [mae, mse, rmse] = [d.mae, d.mse, d.rmse].map(number);
        let (psnr, snr) = (decibels(d.psnr_db), decibels(d.snr_db));
        let over = format!("{:.2} %", 100.0 * d.over);
        rows.push(vec![safe(name), number(d.max_abs), at, mae, mse, rmse, psnr, snr, ssim, over]);
    };
    row("all", &c.whole);
    if c.channels.len() > 1 {
        c.channels.iter().for_each(|channel| row(&channel.name, &channel.difference));
    }
    let columns = [[Align::Left].as_slice(), &[Align::Right; 9]].concat();
    out.push_str(&table("  ", &columns, &rows));
    let beyond =
        if c.threshold > 0.0 { format!("; differ: by more than {}", number(c.threshold)) } else { String::new() };
    out.push_str(&format!("  peak {}{beyond}\n", number(c.peak)));
    let nan = c.channels.iter().map(|channel| channel.difference.nan).sum::<u64>();
    if nan > 0 {
        out.push_str(&format!("  {nan} numbers are missing in one of the two\n"));
    }
    out
}
