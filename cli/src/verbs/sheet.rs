//! `sheet`: pictures side by side on one page, with their histograms and the true values under the pointer.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::look::with_folders;
use crate::open;
use crate::progress;
use crate::verbs::ramp::ramp;
use crate::verbs::tiles;
use crate::words;
use clap::Args;
use rahmen::color::Ramp;
use rahmen::flow::{Chain, HistogramSink, Orient, PictureSink, Resize, Sink, Source, Step, Strip, used_range};
use rahmen::measure::{Histogram, HistogramRules};
use rahmen::resample::{Kernel, ResizeRules};
use rahmen::{Facts, Picture, Size};
use rahmen_show::sheet::{Sheet, SheetPanel};
use std::ops::Range;
use std::path::{Path, PathBuf};
use std::sync::{Arc, Mutex, PoisonError};

/// The words of `sheet`.
#[derive(Debug, Args)]
pub(crate) struct SheetVerb {
    /// The files, or folders of pictures (of tiles: in their grid); - is standard input. The first is what the others are compared
    /// with
    #[arg(required = true, value_name = "FILE")]
    files: Vec<PathBuf>,
    /// The page to write: .html; or a still of it: .png, .svg or another picture format
    #[arg(long, value_name = "FILE")]
    out: PathBuf,
    /// Title above all (default: the names)
    #[arg(long, value_name = "TEXT")]
    heading: Option<String>,
    /// Title of a panel; repeat it for each, in the order of the files
    #[arg(long = "title", value_name = "TEXT")]
    titles: Vec<String>,
    /// Panels in a row
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u8).range(1..=20))]
    columns: Option<u8>,
    /// Ramp of panels with one channel (see ramp --list), or none; one for all, or repeated for each
    #[arg(long = "ramp", value_name = "NAME", value_parser = ramp_word)]
    ramps: Vec<RampWord>,
    /// Window: values from LO to HI are black to white, in codes or units; or auto: bytes as they are, other numbers by their own
    /// range; one for all, or repeated for each
    #[arg(long = "window", value_name = "LO,HI", value_parser = window_word, allow_hyphen_values = true)]
    windows: Vec<WindowWord>,
    /// Show pictures as they lie in their files, instead of upright as their orientations ask for
    #[arg(long)]
    stored: bool,
    /// Upright, which is the default
    #[arg(long, hide = true, conflicts_with = "stored")]
    upright: bool,
}

/// A ramp, or none.
#[derive(Debug, Clone)]
struct RampWord(Option<Ramp>);

/// A window, or that of the values.
#[derive(Debug, Clone, Copy)]
struct WindowWord(Option<(f64, f64)>);

fn ramp_word(word: &str) -> Result<RampWord, String> {
    if word == "none" { Ok(RampWord(None)) } else { ramp(word).map(|found| RampWord(Some(found))) }
}

fn window_word(word: &str) -> Result<WindowWord, String> {
    if word == "auto" { Ok(WindowWord(None)) } else { words::limits(word).map(|found| WindowWord(Some(found))) }
}

/// What was said of a panel: for it alone, or for all of them.
fn said<T>(all: &[T], panel: usize) -> Option<&T> {
    if all.len() == 1 { all.first() } else { all.get(panel) }
}

impl SheetVerb {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        let known = rahmen::FileFormat::of_extension(&self.out).is_some();
        let page =
            ["html", "htm", "svg"].iter().any(|e| self.out.extension().is_some_and(|o| o.eq_ignore_ascii_case(e)));
        if !(known || page) {
            let name = self.out.display();
            return Err(Failure::words(format!(
                "{name}: a sheet is a page, .html, or a still: .png, .svg or another picture format"
            )));
        }
        let (files, columns) = self.files()?;
        let count = files.len();
        if count > Sheet::MOST_PANELS {
            return Err(Failure::words(format!("a sheet has at most {} pictures, not {count}", Sheet::MOST_PANELS)));
        }
        for (option, given) in
            [("--title", self.titles.len()), ("--ramp", self.ramps.len()), ("--window", self.windows.len())]
        {
            if given > count {
                return Err(Failure::words(format!("{option} was given {given} times, for {count} pictures")));
            }
        }
        let heading = self.heading.clone().unwrap_or_else(|| heading(&files));
        let mut sheet = Sheet::new(heading);
        if let Some(columns) = self.columns.map(usize::from).or(columns) {
            sheet = sheet.columns(columns);
        }
        let share = Sheet::MOST_BYTES as u64 / count.max(1) as u64;
        for (i, file) in files.iter().enumerate() {
            let title = match self.titles.get(i) {
                Some(title) => title.clone(),
                None if file == Path::new("-") => open::name_of(file),
                None => file.file_name().map_or(String::new(), |name| name.to_string_lossy().into_owned()),
            };
            let panel = self.load(file, title, share.max(4096), shared).map_err(|e| open::in_file(e, file))?;
            let panel = panel.ramp(said(&self.ramps, i).and_then(|word| word.0.clone()));
            sheet = sheet.panel(panel.window(said(&self.windows, i).and_then(|word| word.0)));
        }
        progress::during("drawing", shared, || sheet.save(&self.out))?;
        let bytes = std::fs::metadata(&self.out).map_or(0, |found| found.len());
        shared.say(&self.out, || {
            let pictures = if count == 1 { "1 picture".to_string() } else { format!("{count} pictures") };
            format!("{}: {pictures}, {}", self.out.display(), crate::text::bytes(bytes))
        })
    }

    /// The files, and the number of columns where they are the tiles of one grid.
    fn files(&self) -> Done<(Vec<PathBuf>, Option<usize>)> {
        if let [folder] = self.files.as_slice()
            && let Some((tiles, columns)) = tiles::of_folder(folder)?
        {
            return Ok((tiles, Some(columns)));
        }
        Ok((with_folders(&self.files)?, None))
    }

    /// A panel: the picture in at most so many bytes, and the histogram of all of it. One pass over the file; two for numbers whose
    /// range is not known before.
    fn load(&self, file: &Path, title: String, bytes: u64, shared: &Shared) -> Done<SheetPanel> {
        let reader = open::open_twice(file, shared.read_options(), shared)?;
        open::note_pages(file, reader.stored(), shared);
        let orientation = reader.facts().metadata.orientation;
        let turns = !self.stored && !orientation.is_upright();
        let steps: Vec<Box<dyn Step>> = if turns { vec![Box::new(Orient::upright())] } else { Vec::new() };
        let mut source = Chain::new(Box::new(reader), steps)?;
        let facts = source.facts().clone();
        let mut rules = HistogramRules::of(&facts.metadata).threads(shared.threads());
        let sink = match HistogramSink::new(&facts, rules.clone()) {
            Ok(sink) => sink,
            Err(_) => {
                let (low, high) = used_range(&mut source)?.unwrap_or((0.0, 1.0));
                rules = rules.range(low, if high > low { high } else { low + 1.0 }).bins(256);
                HistogramSink::new(&facts, rules)?
            }
        };
        let (counted, tally) = Counted::new(source, sink);
        let size = shown_size(&facts, bytes);
        let steps: Vec<Box<dyn Step>> = match size == facts.size {
            true => Vec::new(),
            false => vec![Box::new(Resize::new(size, ResizeRules::new(Kernel::Box).threads(shared.threads())))],
        };
        let mut chain = Chain::new(Box::new(counted), steps)?;
        let mut shown = PictureSink::new(chain.facts())?;
        progress::run(&mut chain, &mut shown, shared)?;
        open::note_damage(file, chain.take_damage(), shared);
        // Codes stay those of the file, of which the smaller picture holds means.
        let (content, _) = shown.into_picture()?.into_parts();
        drop(chain);
        let histogram = tally.into_histogram()?;
        let panel = SheetPanel::reduced(title, Picture::new(content, facts.metadata.clone()), &facts, histogram);
        Ok(match turns {
            true => panel.remark(&format!("upright (orientation {})", orientation.exif())),
            false => panel,
        })
    }
}

/// The size in which a picture takes at most so many bytes.
fn shown_size(facts: &Facts, bytes: u64) -> Size {
    let all = facts.pixel_format.bytes(facts.size);
    if all <= bytes {
        return facts.size;
    }
    let factor = (bytes as f64 / all as f64).sqrt();
    let side = |side: u32| ((f64::from(side) * factor) as u32).max(1);
    Size::new(side(facts.size.width), side(facts.size.height))
}

/// The first names.
fn heading(files: &[PathBuf]) -> String {
    let names =
        files.iter().take(4).filter_map(|file| file.file_name()).map(|name| name.to_string_lossy().into_owned());
    let more = if files.len() > 4 { format!(" and {} more", files.len() - 4) } else { String::new() };
    names.collect::<Vec<_>>().join(", ") + &more
}

/// A source whose rows are counted as they pass.
struct Counted<'a> {
    source: Chain<'a>,
    sink: Arc<Mutex<Option<HistogramSink>>>,
}

/// What was counted.
struct Tally(Arc<Mutex<Option<HistogramSink>>>);

impl<'a> Counted<'a> {
    fn new(source: Chain<'a>, sink: HistogramSink) -> (Counted<'a>, Tally) {
        let sink = Arc::new(Mutex::new(Some(sink)));
        (Counted { source, sink: Arc::clone(&sink) }, Tally(sink))
    }
}

impl Tally {
    fn into_histogram(self) -> Done<Histogram> {
        let sink = self.0.lock().unwrap_or_else(PoisonError::into_inner).take();
        let sink = sink.ok_or_else(|| anyhow::anyhow!("nothing was counted"))?;
        Ok(sink.into_histogram()?)
    }
}

impl Source for Counted<'_> {
    fn facts(&self) -> &Facts {
        self.source.facts()
    }

    fn next(&mut self, rows: u32) -> rahmen::Result<Option<Strip>> {
        let strip = self.source.next(rows)?;
        if let (Some(strip), Some(sink)) = (&strip, &mut *self.sink.lock().unwrap_or_else(PoisonError::into_inner)) {
            sink.put(strip)?;
        }
        Ok(strip)
    }

    fn next_columns(&mut self, rows: u32, _: Range<u32>) -> rahmen::Result<Option<Strip>> {
        self.next(rows)
    }

    fn skip(&mut self, mut rows: u32) -> rahmen::Result<()> {
        // All rows are counted, those too that are not shown.
        while rows > 0 {
            let Some(strip) = self.next(rows.min(64))? else { break };
            rows = rows.saturating_sub(strip.content.size().height);
        }
        Ok(())
    }

    fn rewind(&mut self) -> rahmen::Result<()> {
        Err(rahmen::Error::from(rahmen::ErrorKind::WrongOrder("rows are counted once".into())))
    }

    fn take_damage(&mut self) -> Option<rahmen::flow::Damage> {
        self.source.take_damage()
    }

    fn take_late_remarks(&mut self) -> Vec<String> {
        self.source.take_late_remarks()
    }
}
