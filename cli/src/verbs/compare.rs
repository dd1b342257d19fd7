//! `compare`: how far two pictures are apart, where, and what would make them equal.

use crate::args::Shared;
use crate::fail::{Done, said};
use crate::open;
use crate::plots::{Plotting, picture_panel};
use crate::text::{Align, number, safe, table};
use clap::Args;
use rahmen::frame::{Pixels, Visitor};
use rahmen::measure::{
    CompareRules, Comparison, Difference, Histogram, compare_contents, error_histogram, error_picture,
};
use rahmen::{Content, Picture, PicturePixel, View};
use rahmen_show::csv;
use rahmen_show::plot::{Chart, Panel};
use serde::Serialize;
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
    /// Write the signed error B - A as a picture: no error is middle gray
    #[arg(long, value_name = "FILE")]
    error: Option<PathBuf>,
    /// With --error or --plot: amplify errors N times
    #[arg(long, value_name = "N", default_value_t = 1.0)]
    gain: f64,
    #[command(flatten)]
    plotting: Plotting,
    /// Print JSON: an array with one object
    #[arg(long)]
    json: bool,
    /// As CSV: a line a channel, all together first
    #[arg(long, conflicts_with = "json")]
    csv: bool,
}

#[derive(Debug, Serialize)]
struct Report {
    a: String,
    b: String,
    #[serde(flatten)]
    comparison: Comparison,
}

impl Compare {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        let load = |path| open::load(path, shared, |_| Ok(Vec::new()));
        let (a, b) = (load(&self.first)?, load(&self.second)?);
        let mut rules = CompareRules::default();
        (rules.threshold, rules.peak, rules.ssim) = (self.threshold, self.peak, !self.no_ssim);
        rules.threads = shared.threads();
        let [first, second] = [&self.first, &self.second].map(|p| open::name_of(p));
        let comparison = compare_contents(a.content(), b.content(), &rules);
        let comparison = comparison.map_err(|e| anyhow::anyhow!("{first} and {second}: {}", said(&e)))?;
        let report = Report { a: first, b: second, comparison };
        let mut out = std::io::stdout().lock();
        match (self.json, self.csv) {
            (true, _) => writeln!(out, "[{}]", serde_json::to_string(&report)?)?,
            (_, true) => write!(out, "{}", csv::comparison(&report.comparison))?,
            _ => write!(out, "{}", text(&report))?,
        }
        if let Some(path) = &self.error {
            rahmen::write(path, &Picture::from_error(&a, &b, self.gain)?)?;
        }
        let title = format!("{} against {}", report.b, report.a);
        self.plotting.draw(&title, |figure| {
            let error = Picture::from_error(&a, &b, self.gain)?;
            let gain = if self.gain == 1.0 { String::new() } else { format!(", {} times", number(self.gain)) };
            let mut errors = errors_of(a.pixels()?, b.pixels()?)?;
            errors.channels.retain(|c| c.name != "alpha");
            Ok(figure
                .row(vec![picture_panel(format!("a: {}", report.a), &a), picture_panel(format!("b: {}", report.b), &b)])
                .row(vec![
                    picture_panel(format!("b - a, no error is middle gray{gain}"), &error),
                    Panel::Chart(Chart::errors(&errors)),
                ])
                .note(rahmen_show::text::comparison(&report.comparison)))
        })
    }
}

/// The error between two pictures as a picture.
trait OfError: Sized {
    fn from_error(a: &Picture, b: &Picture, gain: f64) -> Done<Self>;
}

impl OfError for Picture {
    fn from_error(a: &Picture, b: &Picture, gain: f64) -> Done<Picture> {
        struct Error<'a>(&'a Pixels, f64);
        impl Visitor for Error<'_> {
            type Out = rahmen::Result<Content>;
            fn run<P: PicturePixel>(self, a: View<'_, P>) -> Self::Out {
                Ok(error_picture(a, self.0.view::<P>()?, self.1)?.into())
            }
        }
        Ok(Picture::new(a.visit(Error(b.pixels()?, gain))??, rahmen::Metadata::default()))
    }
}

fn errors_of(a: &Pixels, b: &Pixels) -> Done<Histogram> {
    struct Errors<'a>(&'a Pixels);
    impl Visitor for Errors<'_> {
        type Out = rahmen::Result<Histogram>;
        fn run<P: PicturePixel>(self, a: View<'_, P>) -> Self::Out {
            error_histogram(a, self.0.view::<P>()?)
        }
    }
    Ok(a.visit(Errors(b))?)
}

fn decibels(value: f64) -> String {
    if value.is_infinite() { "infinite".to_string() } else { format!("{value:.2} dB") }
}

fn text(report: &Report) -> String {
    let c = &report.comparison;
    let mut out =
        format!("{} and {}: {}", safe(&report.a), safe(&report.b), if c.equal { "equal" } else { "not equal" });
    match c.hint {
        Some(hint) => out.push_str(&format!("; equal if {}\n", hint.words())),
        None => out.push('\n'),
    }
    if c.equal {
        return out;
    }
    let head = ["channel", "largest", "at", "mean", "mean square", "root", "PSNR", "SNR", "SSIM", "differ"];
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
    out.push_str(&format!("  full is {}{beyond}\n", number(c.peak)));
    let nan = c.channels.iter().map(|channel| channel.difference.nan).sum::<u64>();
    if nan > 0 {
        out.push_str(&format!("  {nan} numbers are missing in one of the two\n"));
    }
    out
}
