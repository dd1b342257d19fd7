//! `bit-study`: how good a picture stays at each number of bits.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::look;
use crate::open;
use crate::plots::Plotting;
use crate::progress;
use crate::text::{Align, number, safe, table};
use crate::verbs::quantize::ReconstructWord;
use crate::words::Bits;
use clap::Args;
use rahmen::frame::{PlanesVisitor, SampleView, SampleVisitor};
use rahmen::measure::{Histogram, HistogramRules};
use rahmen::tone::{BitStudy as Study, Quantizer, Reconstruction, bit_study, quantization_error};
use rahmen::{Content, Layout, Metadata, Number, Picture, Planes, Sample};
use rahmen_show::csv;
use rahmen_show::plot::{Axis, Chart, Ink, Mark, Panel};
use serde::Serialize;
use std::path::{Path, PathBuf};

/// The words of `bit-study`.
#[derive(Debug, Args)]
pub(crate) struct BitStudy {
    /// The files, or folders of pictures; - is standard input
    #[arg(required = true, value_name = "FILE")]
    files: Vec<PathBuf>,
    /// Reconstruction levels
    #[arg(long, value_enum, default_value = "centres")]
    reconstruct: ReconstructWord,
    /// Numbers of bits to study: one, or from..to with both included, such as 1..7 (default: all below the picture's own)
    #[arg(long, value_name = "N or A..B")]
    bits: Option<Bits>,
    /// The number of bits whose errors --plot and --row show
    #[arg(long, value_name = "N", default_value_t = 3, value_parser = clap::value_parser!(u32).range(1..=15))]
    errors_at: u32,
    /// The row of the picture whose errors are shown, at --errors-at bits; printed too where no plot is asked for
    #[arg(long, value_name = "Y")]
    row: Option<u32>,
    #[command(flatten)]
    plotting: Plotting,
    /// Print JSON: an array with one object a file
    #[arg(long)]
    json: bool,
    /// As CSV: a line a number of bits
    #[arg(long, conflicts_with = "json")]
    csv: bool,
}

#[derive(Debug, Serialize)]
struct Report {
    file: String,
    #[serde(flatten)]
    study: Study,
    #[serde(skip_serializing_if = "Option::is_none")]
    row_error: Option<Vec<f64>>,
    #[serde(skip)]
    asked: (u32, Option<u32>),
}

impl BitStudy {
    pub(crate) fn run(mut self, shared: &Shared) -> Done {
        self.files = look::with_folders(&self.files)?;
        let form = if self.json { look::Output::Json } else { look::Output::Text };
        let text = if self.csv { |r: &Report| csv::study(&r.study) } else { text };
        if self.plotting.plot.is_some() && self.files.len() > 1 {
            return Err(Failure::words("--plot draws the study of one file"));
        }
        let mut drawn = None;
        let one = |file: &Path| {
            let (report, row) = self.report(file, shared)?;
            drawn = Some((report.study.clone(), row));
            Ok(report)
        };
        look::each(&self.files, form, shared, one, text)?;
        let Some((study, row)) = drawn else { return Ok(()) };
        let name = open::name_of(&self.files[0]);
        self.plotting.draw(&format!("What a bit is worth: {name}"), shared, |figure| {
            let quantizer = Quantizer::new(study.picture_levels, self.errors_at, self.reconstruct.into())?;
            let level = study.levels.iter().find(|l| l.bits == self.errors_at);
            let mut below = vec![Panel::Chart(Chart::staircase(&quantizer, study.picture_levels))];
            if let Some(level) = level {
                let errors = Histogram::new(vec![level.error.clone()]);
                below.push(Panel::Chart(Chart::errors(&errors).title(format!("Errors at {} bits", self.errors_at))));
            }
            below.push(Panel::Chart(self.row_chart(&row)));
            let chart = Chart::study(&study).title("PSNR at each number of bits");
            Ok(figure.chart(chart).row(below).note(study.reason.clone()))
        })
    }

    fn report(&self, file: &Path, shared: &Shared) -> Done<(Report, Row)> {
        let picture = open::whole(file, shared)?;
        let named = |e: rahmen::Error| e.in_file(open::name_of(file));
        let rules = HistogramRules::of(picture.metadata());
        let counted = progress::during("counting levels", shared, || picture.content().histogram(&rules));
        let mut counted = counted.map_err(named)?;
        counted.channels.retain(|c| c.name != "alpha");
        let mut study = bit_study(&counted, self.reconstruct.into()).map_err(named)?;
        if let Some(Bits { from, to }) = self.bits {
            study.levels.retain(|level| (from..=to).contains(&level.bits));
            if study.levels.is_empty() {
                let most = (study.picture_levels - 1).max(1).ilog2();
                let line = format!(
                    "{}: {} levels lose something at 1 to {most} bits",
                    open::name_of(file),
                    study.picture_levels
                );
                return Err(Failure::words(line));
            }
        }
        let y = self.row.unwrap_or(picture.size().height / 2);
        picture.size().check_place(0, y).map_err(named)?;
        let codes = row_codes(&picture, y);
        let errors =
            quantization_error(&codes, study.picture_levels, self.errors_at, self.reconstruct.into()).map_err(named)?;
        let row = Row { y, errors: errors.clone() };
        let row_error = self.row.map(|_| errors);
        Ok((Report { file: open::name_of(file), study, row_error, asked: (self.errors_at, self.row) }, row))
    }

    fn row_chart(&self, row: &Row) -> Chart {
        let most = row.errors.iter().fold(1.0, |a: f64, e| a.max(e.abs())) * 1.1;
        let last = row.errors.len().max(2) as f64 - 1.0;
        let (x, y) = (Axis::new("x, pixels", 0.0, last).whole(), Axis::new("signed error", -most, most));
        let points = row.errors.iter().enumerate().map(|(x, e)| (x as f64, *e)).collect();
        Chart::new(format!("Row {} at {} bits", row.y, self.errors_at), x, y).with("", Ink::Copper, Mark::Line, points)
    }
}

/// The errors along a row.
struct Row {
    y: u32,
    errors: Vec<f64>,
}

/// The codes of the first channel along a row.
fn row_codes(picture: &Picture, y: u32) -> Vec<u32> {
    struct Codes<'a>(&'a Metadata, u32);
    impl SampleVisitor for Codes<'_> {
        type Out = Vec<u32>;
        fn run<S: Sample>(self, view: SampleView<'_, S>, layout: Layout) -> Vec<u32> {
            let code = |v: &S| self.0.code(0, S::DEPTH, v.to_f64() as u32).unwrap_or(0);
            view.row(self.1).iter().step_by(layout.channels()).map(code).collect()
        }
    }
    impl PlanesVisitor for Codes<'_> {
        type Out = Vec<u32>;
        fn run<T: Number>(self, planes: &Planes<T>) -> Vec<u32> {
            let first = planes.iter().next();
            first.map_or(Vec::new(), |(_, f)| f.row(self.1).iter().map(|p| p.value.to_f64() as u32).collect())
        }
    }
    let codes = Codes(picture.metadata(), y);
    match picture.content() {
        Content::Pixels(pixels) => pixels.visit_samples(codes),
        Content::Planes(planes) => planes.visit(codes),
    }
}

fn text(report: &Report) -> String {
    let s = &report.study;
    let mut out = format!("{} ({} levels)\n", safe(&report.file), s.picture_levels);
    let mut rows = vec![["bits", "mean square", "SNR", "PSNR", "largest error"].map(String::from).to_vec()];
    let db = |v: f64| if v.is_infinite() { "infinite".to_string() } else { format!("{v:.2} dB") };
    for l in &s.levels {
        let most = l.error.stats.min.abs().max(l.error.stats.max.abs());
        rows.push(vec![l.bits.to_string(), number(l.mse), db(l.snr_db), db(l.psnr_db), number(most)]);
    }
    out.push_str(&table("  ", &[Align::Right; 5], &rows));
    if s.slope_db_per_bit.is_finite() {
        out.push_str(&format!(
            "  fitted: {:.3} dB a bit, {:.2} dB at 0 bits, {:.2} dB from the line on average; in theory {:.3} dB a bit\n",
            s.slope_db_per_bit, s.intercept_db, s.residual_db, s.theory_db_per_bit
        ));
    }
    out.push_str(&format!("  {}\n", s.reason));
    if let (Some(errors), (bits, Some(y))) = (&report.row_error, report.asked) {
        let words: Vec<_> = errors.iter().map(|e| number(*e)).collect();
        out.push_str(&format!("  row {y} at {bits} bits, output - level: {}\n", words.join(" ")));
    }
    out
}

impl From<ReconstructWord> for Reconstruction {
    fn from(word: ReconstructWord) -> Reconstruction {
        match word {
            ReconstructWord::Centres => Reconstruction::Centres,
            ReconstructWord::Spread => Reconstruction::Spread,
        }
    }
}
