//! `histogram`: how often each level occurs, and the figures that follow.

use crate::args::{Part, Shared, channel_index};
use crate::fail::{Done, Failure, said};
use crate::look;
use crate::open;
use crate::plots::{Plotting, picture_panel};
use crate::progress;
use crate::text::{Align, number, safe, table};
use crate::verbs::gray::weights;
use crate::verbs::histogram_merge;
use crate::verbs::joint::{self, Asked, Pairs};
use crate::words;
use clap::{Args, ValueEnum};
use rahmen::color::GrayWeights;
use rahmen::flow::{Chain, Crop, HistogramSink, Step, ToGray};
use rahmen::frame::Pixels;
use rahmen::measure::{ChannelHistogram, Histogram as Counted, HistogramRules, Mask, Stats};
use rahmen::tone::{EqualizeBy, LevelRow, level_table};
use rahmen::{Facts, Layout, PixelFormat};
use rahmen_show::csv;
use rahmen_show::plot::{Chart, Figure, Panel};
use serde::Serialize;
use std::path::{Path, PathBuf};

/// Characters a bar picture is wide and high.
const WIDE: usize = 64;
const HIGH: usize = 6;

/// A worked table of more levels than this is no table to look at.
const MOST_LEVELS: usize = 1024;

/// The words of `histogram`.
#[derive(Debug, Args)]
pub(crate) struct Histogram {
    /// The files, or folders of pictures; - is standard input
    #[arg(required = true, value_name = "FILE")]
    files: Vec<PathBuf>,
    #[command(flatten)]
    part: Part,
    /// Only where this gray picture of the same size has half of full or more
    #[arg(long, value_name = "FILE")]
    mask: Option<PathBuf>,
    /// Only this channel
    #[arg(long, value_name = "NAME")]
    channel: Option<String>,
    /// The gray value by these weights instead of the channels: bt709, bt601, bt2020, mean, luminance, r, g, b, or three
    /// numbers
    #[arg(long, value_name = "WEIGHTS", value_parser = weights, conflicts_with = "channel")]
    #[arg(allow_hyphen_values = true)]
    weights: Option<GrayWeights>,
    /// Number of bins (default: one a level; 256 for floats)
    #[arg(long, value_name = "N")]
    bins: Option<usize>,
    /// Range that the bins cover (default: all levels; for floats the values' own)
    #[arg(long, value_name = "LO,HI", value_parser = words::limits, allow_hyphen_values = true)]
    range: Option<(f64, f64)>,
    /// Count all files together as one
    #[arg(long)]
    together: bool,
    /// The files are reports in JSON of this verb: count them together as one, exactly. Those of floats and wide numbers need the sums
    /// that --exact adds, and the same --range and --bins
    #[arg(long, conflicts_with_all = ["x", "y", "mask", "channel", "weights", "bins", "range", "against", "together", "picture"])]
    merge: bool,
    /// With --json: also the sums that --merge needs of floats and wide numbers
    #[arg(long, requires = "json")]
    exact: bool,
    /// Joint histogram of --channel and this one: their correlation; with --csv the counts of pairs of bins
    /// (default: 16 each)
    #[arg(long, value_name = "NAME", requires = "channel", conflicts_with_all = ["table", "together", "weights", "mask"])]
    against: Option<String>,
    /// Equalising table instead: each level's count, probability, cumulative share and equalised level
    #[arg(long)]
    table: bool,
    /// Definition of the table's equalised level: (L - 1) times the cumulative share, or with the lowest level used at 0
    #[arg(long, value_enum, default_value = "cumulative", requires = "table")]
    by: ByWord,
    /// Plot the cumulative distribution too
    #[arg(long, requires = "plot", help_heading = "Plot")]
    cumulative: bool,
    /// Plot each histogram beside its picture
    #[arg(long, requires = "plot", conflicts_with = "together", help_heading = "Plot")]
    picture: bool,
    #[command(flatten)]
    plotting: Plotting,
    /// Print JSON: an array with one object a file
    #[arg(long)]
    json: bool,
    /// As CSV: a line a channel and bin, with the bin's limits and its count
    #[arg(long, conflicts_with = "json")]
    csv: bool,
}

/// The two definitions of equalising.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum ByWord {
    /// (L - 1) times the cumulative share
    Cumulative,
    /// The same with the lowest level used at 0
    Pinned,
}

impl From<ByWord> for EqualizeBy {
    fn from(word: ByWord) -> EqualizeBy {
        match word {
            ByWord::Cumulative => EqualizeBy::Cumulative,
            ByWord::Pinned => EqualizeBy::Pinned,
        }
    }
}

#[derive(Debug, Serialize)]
struct Report {
    file: String,
    channels: Vec<Channel>,
    #[serde(skip)]
    holds: String,
    #[serde(skip)]
    counted: Counted,
}

/// A channel as JSON says it.
#[derive(Debug, Serialize)]
struct Channel {
    name: String,
    #[serde(flatten)]
    stats: Stats,
    mode: Option<f64>,
    entropy: f64,
    used: Option<f64>,
    clipped: (f64, f64),
    under: u64,
    over: u64,
    nan: u64,
    range: (f64, f64),
    bins: Vec<u64>,
    #[serde(skip_serializing_if = "Option::is_none")]
    levels: Option<Vec<LevelRow>>,
    #[serde(skip_serializing_if = "Option::is_none")]
    exact: Option<ChannelHistogram>,
}

impl Channel {
    fn new(c: &ChannelHistogram, table: Option<EqualizeBy>, exact: bool) -> Done<Channel> {
        let levels = match table {
            Some(by) if c.bins.len() > MOST_LEVELS => {
                let _ = by;
                let many = c.bins.len();
                return Err(Failure::Work(anyhow::anyhow!(
                    "a table of {many} levels is no table to look at; fewer levels (quantize --bits N --indices) make one"
                )));
            }
            Some(by) => Some(level_table(c, by)?),
            None => None,
        };
        Ok(Channel {
            name: c.name.clone(),
            stats: c.stats.clone(),
            mode: c.mode(),
            entropy: c.entropy(),
            used: c.used,
            clipped: c.clipped(),
            under: c.under,
            over: c.over,
            nan: c.nan,
            range: c.range,
            bins: c.bins.clone(),
            levels,
            exact: exact.then(|| c.clone()),
        })
    }
}

impl Histogram {
    pub(crate) fn run(mut self, shared: &Shared) -> Done {
        if !self.merge {
            self.files = look::with_folders(&self.files)?;
        }
        let form = if self.json { look::Output::Json } else { look::Output::Text };
        if let (Some(first), Some(second)) = (&self.channel, &self.against) {
            let asked = Asked { part: self.part, bins: self.bins.unwrap_or(16), range: self.range };
            let text = if self.csv { |r: &Pairs| csv::joint(&r.joint) } else { joint::text };
            return look::each(
                &self.files,
                form,
                shared,
                |file| Pairs::of(file, (first, second), &asked, shared),
                text,
            );
        }
        let text = match (self.csv, self.table) {
            (true, false) => |r: &Report| csv::histogram(&r.counted),
            (true, true) => |r: &Report| tables(r, |_, rows| csv::level_table(rows)),
            (false, true) => |r: &Report| format!("{} ({})\n{}", safe(&r.file), r.holds, tables(r, table_text)),
            (false, false) => text,
        };
        let mut seen: Vec<(String, Counted)> = Vec::new();
        if self.together || self.merge {
            let report =
                if self.merge { histogram_merge::merged(&self.files, shared)? } else { self.all_together(shared)? };
            look::each(&self.files[..1], form, shared, |_| report_of(&report, &self, &mut seen), text)?;
        } else {
            look::each(
                &self.files,
                form,
                shared,
                |file| report_of(&self.count(file, shared)?, &self, &mut seen),
                text,
            )?;
        }
        self.plotting.draw(&self.plot_title(), shared, |figure| match self.picture {
            true => self.beside_pictures(figure, &seen, shared),
            false => self.figure(figure, &seen),
        })
    }

    fn plot_title(&self) -> String {
        let name = |p: &PathBuf| p.file_name().map_or(String::new(), |n| n.to_string_lossy().into_owned());
        self.files.iter().map(name).collect::<Vec<_>>().join(", ")
    }

    /// A row a file: the picture, and its histogram.
    fn beside_pictures(&self, figure: Figure, seen: &[(String, Counted)], shared: &Shared) -> Done<Figure> {
        let mut figure = figure;
        for (file, (name, counted)) in self.files.iter().zip(seen) {
            if file == Path::new("-") {
                return Err(Failure::words("--picture reads the file again; give it a name instead of -"));
            }
            let picture = open::whole(file, &shared.quietly(true))?;
            let mut row = vec![picture_panel(name.clone(), &picture), Panel::Chart(Chart::histogram(&[("", counted)]))];
            if self.cumulative {
                row.push(Panel::Chart(Chart::cumulative(&[("", counted)])));
            }
            figure = figure.row(row);
        }
        Ok(figure)
    }

    fn figure(&self, figure: Figure, seen: &[(String, Counted)]) -> Done<Figure> {
        let named: Vec<_> = seen.iter().map(|(name, counted)| (name.as_str(), counted)).collect();
        let mut row = vec![Panel::Chart(Chart::histogram(&named))];
        if self.cumulative {
            row.push(Panel::Chart(Chart::cumulative(&named)));
        }
        let note = match seen {
            [(_, one)] if one.channels.len() == 1 => {
                let s = &one.channels[0].stats;
                let [mean, std, median] = [s.mean, s.std, s.median].map(number);
                format!("{} values, mean {mean}, standard deviation {std}, median {median}", s.count)
            }
            _ => String::new(),
        };
        Ok(figure.row(row).note(note))
    }

    /// All files, counted as one.
    fn all_together(&self, shared: &Shared) -> Done<Counts> {
        let mut sum: Option<Counts> = None;
        for file in &self.files {
            let counts = self.count(file, shared)?;
            match &mut sum {
                Some(sum) => {
                    let added = sum.counted.merge(&counts.counted);
                    added.map_err(|e| anyhow::anyhow!("{}: {}", open::name_of(file), said(&e)))?;
                }
                None => sum = Some(counts),
            }
        }
        let files = self.files.len();
        sum.map(|sum| Counts { file: format!("{files} files together"), ..sum })
            .ok_or_else(|| Failure::words("there is no file to count"))
    }

    fn count(&self, file: &Path, shared: &Shared) -> Done<Counts> {
        let reader = open::open(file, shared)?;
        open::note_pages(file, reader.stored(), shared);
        let found = reader.facts().clone();
        let region = self.part.region(found.size)?;
        let mut steps: Vec<Box<dyn Step>> = Vec::new();
        if self.part.is_given() {
            steps.push(Box::new(Crop::new(region)));
        }
        if let Some(weights) = self.weights {
            steps.push(Box::new(ToGray::new(weights_for(weights, &found)).threads(shared.threads())));
        }
        let named = |e: rahmen::Error| e.in_file(open::name_of(file));
        let mut mask = self.mask.as_deref().map(|path| mask_of(path, shared)).transpose()?;
        if let (Some(full), true) = (&mask, self.part.is_given()) {
            mask = Some(full.crop(region).map_err(|e| e.in_file(mask_name(&self.mask)))?);
        }
        let mut chain = Chain::new(Box::new(reader), steps).map_err(named)?;
        let facts = chain.facts().clone();
        let mut rules = HistogramRules::of(&facts.metadata);
        (rules.bins, rules.range, rules.threads) = (self.bins, self.range, shared.threads());
        let counted = match HistogramSink::new(&facts, rules.clone()) {
            // Levels are counted while rows come; nothing is held.
            Ok(mut sink) => {
                if let Some(mask) = mask {
                    sink = sink.mask(mask)?;
                }
                progress::run(&mut chain, &mut sink, shared).map_err(named)?;
                open::note_damage(file, chain.take_damage(), shared);
                sink.into_histogram().map_err(named)?
            }
            // The range of floats is known only behind the last row.
            Err(_) => {
                shared.read_options().limits.check_picture(&facts).map_err(named)?;
                let mut whole = rahmen::flow::PictureSink::new(&facts)?;
                progress::run(&mut chain, &mut whole, shared).map_err(named)?;
                open::note_damage(file, chain.take_damage(), shared);
                let picture = whole.into_picture().map_err(named)?;
                let mask = mask.as_ref().map_or(Ok(Mask::ALL), Mask::of_pixels)?;
                let count = || picture.content().masked_histogram(&mask, &rules);
                progress::during("counting values", shared, count).map_err(named)?
            }
        };
        let mut counted = counted;
        if let Some(name) = &self.channel {
            let at = channel_index(&facts, name).map_err(Failure::words)?;
            counted.channels = vec![counted.channels.swap_remove(at)];
        }
        let holds = format!("{} {}", facts.size, facts.pixel_format.describe());
        Ok(Counts { file: open::name_of(file), counted, holds })
    }
}

/// What a file's pixels count up to.
pub(crate) struct Counts {
    pub(crate) file: String,
    pub(crate) counted: Counted,
    pub(crate) holds: String,
}

fn report_of(counts: &Counts, verb: &Histogram, seen: &mut Vec<(String, Counted)>) -> Done<Report> {
    if verb.plotting.plot.is_some() {
        let mut colors = counts.counted.clone();
        colors.channels.retain(|c| c.name != "alpha" || counts.counted.channels.len() == 1);
        let short = Path::new(&counts.file).file_name().map_or(counts.file.clone(), |n| n.to_string_lossy().into());
        seen.push((short, colors));
    }
    let by = verb.table.then(|| verb.by.into());
    let channels = counts.counted.channels.iter().map(|c| Channel::new(c, by, verb.exact)).collect::<Done<Vec<_>>>();
    Ok(Report {
        file: counts.file.clone(),
        channels: channels.map_err(|e| open::in_file(e, Path::new(&counts.file)))?,
        holds: counts.holds.clone(),
        counted: counts.counted.clone(),
    })
}

/// Weights with the picture's own curve, where luminance was asked for.
pub(crate) fn weights_for(weights: GrayWeights, input: &Facts) -> GrayWeights {
    match weights {
        GrayWeights::Luminance(_) => GrayWeights::luminance_of(&input.metadata),
        named => named,
    }
}

/// A mask from a file: gray, or colour whose three channels are equal in what counts as its gray value.
pub(crate) fn mask_of(path: &Path, shared: &Shared) -> Done<Pixels> {
    let plain = Shared { page: None, raw: None, ..shared.clone() };
    let picture = open::load(path, &plain, &mut |facts| match facts.pixel_format {
        PixelFormat::Pixels { layout: Layout::Gray, .. } => Ok(Vec::new()),
        _ => Ok(vec![Box::<ToGray>::default() as Box<dyn Step>, Box::new(rahmen::flow::DropAlpha)]),
    })?;
    match picture.into_parts().0 {
        rahmen::Content::Pixels(pixels) => Ok(pixels),
        planes => Err(planes.pixels().map(|_| ()).err().map_or_else(|| Failure::words("no mask"), Failure::from)),
    }
}

fn mask_name(mask: &Option<PathBuf>) -> String {
    mask.as_deref().map_or(String::new(), open::name_of)
}

fn text(report: &Report) -> String {
    let mut out = format!("{} ({})\n", safe(&report.file), report.holds);
    let head = ["channel", "count", "min", "max", "mean", "std", "median", "mode", "entropy", "used", "at the ends"];
    let mut rows = vec![head.map(String::from).to_vec()];
    for c in &report.channels {
        let s = &c.stats;
        let used = c.used.map_or("-".into(), |u| format!("{:.1} %", 100.0 * u));
        let figures = [s.min, s.max, s.mean, s.std, s.median].map(number);
        let ends = format!("{:.1}, {:.1} %", 100.0 * c.clipped.0, 100.0 * c.clipped.1);
        let entropy = format!("{:.2} bits", c.entropy);
        let words = [safe(&c.name), s.count.to_string()].into_iter().chain(figures);
        rows.push(words.chain([mode_of(c), entropy, used, ends]).collect());
    }
    let columns = [[Align::Left].as_slice(), &[Align::Right; 10]].concat();
    out.push_str(&table("  ", &columns, &rows));
    for c in &report.counted.channels {
        out.push_str(&bar_text(c));
    }
    out
}

/// The mode: a level, or the range of a bin that holds several.
fn mode_of(c: &Channel) -> String {
    let most = c.bins.iter().copied().max().filter(|n| *n > 0);
    let Some(bin) = most.and_then(|most| c.bins.iter().position(|n| *n == most)) else { return number(f64::NAN) };
    let width = (c.range.1 - c.range.0) / c.bins.len() as f64;
    match c.mode {
        Some(level) if width == 1.0 && level.fract() == 0.0 => number(level),
        _ => {
            let [low, high] = [bin, bin + 1].map(|i| number(c.range.0 + width * i as f64));
            format!("{low}..{high}")
        }
    }
}

fn tables(report: &Report, one: impl Fn(&str, &[LevelRow]) -> String) -> String {
    let each = report.channels.iter().filter_map(|c| c.levels.as_ref().map(|rows| one(&c.name, rows)));
    each.collect::<Vec<_>>().join("\n")
}

fn table_text(name: &str, rows: &[LevelRow]) -> String {
    let mut lines = vec![["level", "count", "probability", "cumulative", "new level"].map(String::from).to_vec()];
    for r in rows {
        let shares = [r.probability, r.cumulative].map(|v| format!("{v:.4}"));
        let [probability, cumulative] = shares;
        lines.push(vec![number(r.level), r.count.to_string(), probability, cumulative, number(r.new_level)]);
    }
    format!("\n  {}\n{}", safe(name), table("  ", &[Align::Right; 5], &lines))
}

fn bar_text(channel: &ChannelHistogram) -> String {
    let lines = rahmen_show::text::histogram(channel, WIDE, HIGH);
    let lines: String = lines.lines().map(|line| format!("  {line}\n")).collect();
    format!("\n  {}\n{lines}", safe(&channel.name))
}
