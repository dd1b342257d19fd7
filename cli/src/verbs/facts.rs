//! `facts`: what files hold, from their headers.

use crate::args::Shared;
use crate::fail::Done;
use crate::look;
use crate::open;
use crate::progress;
use crate::text::{Align, bytes, number, safe, safe_start, table};
use clap::Args;
use rahmen::flow::{Chain, ToCodes};
use rahmen::frame::{Resolution, ResolutionUnit};
use rahmen::measure::Scan;
use rahmen::{Meaning, PixelFormat, Primaries, Transfer};
use serde::Serialize;
use std::io::Write;
use std::path::{Path, PathBuf};

/// The words of `facts`.
#[derive(Debug, Args)]
pub(crate) struct Facts {
    /// The files, or folders of pictures; - is standard input
    #[arg(required = true, value_name = "FILE")]
    files: Vec<PathBuf>,
    /// Also read the pixels: two-valued? gray stored as rgb? opaque? which range is used?
    #[arg(long)]
    scan: bool,
    /// Everything about each of several files, instead of a table with a line each
    #[arg(long)]
    full: bool,
    /// Print JSON: an array with one object a file
    #[arg(long)]
    json: bool,
    /// As CSV: a line a file
    #[arg(long, conflicts_with = "json")]
    csv: bool,
    /// The files are reports in JSON of this verb: print them as one
    #[arg(long, conflicts_with_all = ["scan", "full", "csv"])]
    merge: bool,
}

#[derive(Debug, Serialize)]
struct Report {
    file: String,
    format: Option<&'static str>,
    width: u32,
    height: u32,
    layout: Option<&'static str>,
    depth: String,
    meaning: &'static str,
    /// The largest code, where all channels have the same.
    max_code: Option<u32>,
    channels: Vec<Channel>,
    bytes: Option<u64>,
    orientation: u16,
    /// Bytes of the ICC profile.
    icc: Option<usize>,
    resolution: Option<Resolution>,
    pages: u32,
    /// Whether there may be more than were counted.
    #[serde(skip_serializing_if = "std::ops::Not::not")]
    more_pages: bool,
    /// How often an animation is played; 0 is for ever.
    #[serde(skip_serializing_if = "Option::is_none")]
    plays: Option<u32>,
    #[serde(skip_serializing_if = "Vec::is_empty")]
    page_list: Vec<Page>,
    /// How the file stores the pixels, in words.
    stored: Option<String>,
    /// Colours of the palette, where pixels are numbers of colours.
    palette: Option<usize>,
    #[serde(skip_serializing_if = "Option::is_none")]
    scan: Option<Scanned>,
    #[serde(skip)]
    facts: rahmen::Facts,
}

/// What the pixels use, where they were read.
#[derive(Debug, Serialize)]
struct Scanned {
    two_valued: bool,
    /// Whether no pixel has colour, where they could.
    gray: Option<bool>,
    opaque: Option<bool>,
    nan: u64,
    channels: Vec<Used>,
}

#[derive(Debug, Serialize)]
struct Used {
    name: String,
    min: f64,
    max: f64,
    /// Share of the possible range, for integers.
    used: Option<f64>,
}

/// A page, where the file tells of it without reading it.
#[derive(Debug, Serialize)]
struct Page {
    width: u32,
    height: u32,
    /// Whether it is a smaller copy of another.
    reduced: bool,
    /// Pages that hang below it.
    sub_pages: u32,
    /// Seconds that it is shown.
    delay: Option<f64>,
}

#[derive(Debug, Serialize)]
struct Channel {
    name: String,
    max_code: Option<u32>,
}

impl Page {
    fn of(page: &rahmen::frame::PageFacts) -> Page {
        let rahmen::Size { width, height } = page.size;
        Page { width, height, reduced: page.reduced, sub_pages: page.sub_pages, delay: page.delay }
    }

    fn words(&self, number: usize) -> String {
        let below = match self.sub_pages {
            0 => String::new(),
            1 => format!(", 1 below it: {number}.1"),
            n => format!(", {n} below it: {number}.1 to {number}.{n}"),
        };
        let delay = self.delay.map_or(String::new(), |s| format!(", shown for {} s", number_text(s)));
        let reduced = if self.reduced { ", a smaller copy" } else { "" };
        format!("{number}: {} x {}{reduced}{delay}{below}", self.width, self.height)
    }
}

fn number_text(value: f64) -> String {
    crate::text::number(value)
}

/// Pages that are listed in the text, at most.
const LISTED: usize = 20;

impl Facts {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        if self.merge {
            return look::print_merged(&self.files, shared);
        }
        let files = look::with_folders(&self.files)?;
        let one = |file: &Path| report(file, self.scan, shared);
        if self.csv || (files.len() > 1 && !self.full && !self.json && !self.scan) {
            let (reports, end) = look::all(&files, shared, one)?;
            let text = if self.csv { csv(&reports) } else { overview(&reports) };
            write!(std::io::stdout(), "{text}")?;
            return end;
        }
        let form = if self.json { look::Output::Json } else { look::Output::Text };
        look::each(&files, form, shared, one, text)
    }
}

fn report(file: &Path, scan: bool, shared: &Shared) -> Done<Report> {
    let (facts, scan) = match scan {
        true => {
            let mut reader = open::open(file, shared)?;
            let mut facts = reader.facts().clone();
            let scan = {
                let named = |e: rahmen::Error| e.in_file(open::name_of(file));
                let mut chain = Chain::new(Box::new(&mut reader), vec![Box::new(ToCodes)]).map_err(named)?;
                let scan = scanned(&mut chain, file, shared)?;
                open::note_damage(file, chain.take_damage(), shared);
                scan
            };
            // How a file stores its pixels may be known exactly only behind the last one.
            facts.stored.clone_from(&reader.stored().stored);
            (facts, Some(scan))
        }
        false => (open::facts(file, shared)?, None),
    };
    // The text has them in a line each.
    facts.remarks.iter().for_each(|remark| shared.notes.keep(remark));
    let (layout, depth) = match &facts.pixel_format {
        PixelFormat::Pixels { depth, layout } => (Some(layout.name()), depth.name().to_string()),
        PixelFormat::Planes { number, .. } => (None, number.name().to_string()),
    };
    let top = |channel| match &facts.pixel_format {
        PixelFormat::Pixels { depth, .. } => facts.metadata.max_code(channel, *depth),
        PixelFormat::Planes { .. } => None,
    };
    let names = facts.pixel_format.channel_names().into_iter();
    let channels: Vec<Channel> = names.enumerate().map(|(i, name)| Channel { name, max_code: top(i) }).collect();
    let first = channels.first().and_then(|c| c.max_code);
    Ok(Report {
        file: open::name_of(file),
        format: facts.format.map(|f| f.name()),
        width: facts.size.width,
        height: facts.size.height,
        layout,
        depth,
        meaning: facts.metadata.meaning_name(),
        max_code: first.filter(|_| channels.iter().all(|c| c.max_code == first)),
        channels,
        bytes: facts.bytes,
        orientation: facts.metadata.orientation.exif(),
        icc: facts.metadata.icc.as_ref().map(|icc| icc.len()),
        resolution: facts.metadata.resolution,
        pages: facts.pages,
        more_pages: facts.more_pages,
        plays: facts.plays,
        page_list: facts.page_list.iter().map(Page::of).collect(),
        stored: facts.stored.clone(),
        palette: facts.metadata.palette.as_ref().map(|p| p.colors().len()),
        scan,
        facts,
    })
}

/// Reads the pixels strip by strip.
fn scanned(reader: &mut Chain<'_>, file: &Path, shared: &Shared) -> Done<Scanned> {
    use rahmen::flow::Source;
    let mut scan = Scan::default();
    let bar = progress::rows(reader.facts().size.height, shared);
    while let Some(strip) = reader.next(64).map_err(|e| e.in_file(open::name_of(file)))? {
        scan.add(&strip.content);
        bar.steps(u64::from(strip.content.size().height));
    }
    bar.end();
    let facts = reader.facts();
    let names = facts.pixel_format.channel_names().into_iter().zip(&scan.used);
    let used = |channel: usize, min: f64, max: f64| match &facts.pixel_format {
        PixelFormat::Pixels { depth, .. } => {
            let code = |v: f64| facts.metadata.code(channel, *depth, v as u32).map(f64::from);
            let levels = f64::from(facts.metadata.max_code(channel, *depth)?) + 1.0;
            Some((code(max)? - code(min)? + 1.0) / levels)
        }
        PixelFormat::Planes { .. } => None,
    };
    let channels = names.enumerate().map(|(i, (name, &(min, max)))| Used { name, min, max, used: used(i, min, max) });
    Ok(Scanned {
        two_valued: scan.is_two_valued(),
        gray: scan.is_gray(),
        opaque: scan.is_opaque(),
        nan: scan.nan,
        channels: channels.collect(),
    })
}

/// A line a file, with a head.
fn lines(reports: &[Report]) -> Vec<Vec<String>> {
    let head = ["file", "format", "width", "height", "layout", "depth", "max code", "meaning", "bytes", "pages"];
    let line = |r: &Report| {
        let layout = r.layout.map_or_else(|| format!("{} planes", r.channels.len()), String::from);
        let codes: Vec<String> = r.channels.iter().filter_map(|c| c.max_code).map(|c| c.to_string()).collect();
        let code = r.max_code.map_or_else(|| codes.join("/"), |code| code.to_string());
        let bytes = r.bytes.map_or(String::new(), |n| n.to_string());
        vec![
            safe(&r.file),
            r.format.unwrap_or("unknown").into(),
            r.width.to_string(),
            r.height.to_string(),
            layout,
            r.depth.clone(),
            code,
            r.meaning.into(),
            bytes,
            r.pages.to_string(),
        ]
    };
    std::iter::once(head.map(String::from).to_vec()).chain(reports.iter().map(line)).collect()
}

fn overview(reports: &[Report]) -> String {
    let mut rows = lines(reports);
    // What no cell says stays visible as a cell.
    rows.iter_mut().flatten().filter(|word| word.is_empty()).for_each(|word| word.push('-'));
    let [l, r] = [Align::Left, Align::Right];
    table("", &[l, l, r, r, l, l, r, l, r, r], &rows)
}

fn csv(reports: &[Report]) -> String {
    let line = |row: &Vec<String>| row.iter().map(|w| rahmen_show::csv::field(w)).collect::<Vec<_>>().join(",") + "\n";
    lines(reports).iter().map(line).collect::<String>().replacen("max code", "max_code", 1)
}

/// What a scan found, in words, a line each.
fn scan_words(scan: &Scanned) -> Vec<String> {
    let mut lines = Vec::new();
    if scan.two_valued {
        lines
            .push("two-valued: at most two different pixels (`rahmen depth --bits 1` stores gray ones in bits)".into());
    }
    match scan.gray {
        Some(true) => lines.push("gray stored as rgb: no pixel has colour (--as gray loses nothing)".into()),
        Some(false) => lines.push("in colour".into()),
        None => {}
    }
    match scan.opaque {
        Some(true) => lines.push("opaque: alpha is full everywhere".into()),
        Some(false) => lines.push("translucent in places".into()),
        None => {}
    }
    if scan.nan > 0 {
        lines.push("holds numbers that are not a number (NaN)".into());
    }
    for c in &scan.channels {
        let share = c.used.map_or(String::new(), |used| format!(", {:.1} % of the range", used * 100.0));
        lines.push(format!("{} from {} to {}{share}", safe(&c.name), number(c.min), number(c.max)));
    }
    lines
}

fn text(report: &Report) -> String {
    let facts = &report.facts;
    let m = &facts.metadata;
    let mut rows: Vec<Vec<String>> = Vec::new();
    let mut row = |name: &str, value: String| rows.push(vec![name.to_string(), value]);
    let stored = facts.stored.as_ref().map_or(String::new(), |s| format!(", {s}"));
    row("format", format!("{}{stored}", report.format.unwrap_or("unknown")));
    row("size", format!("{} x {} pixels", report.width, report.height));
    let names: Vec<&str> = report.channels.iter().map(|c| c.name.as_str()).collect();
    match names.as_slice() {
        [_] => row("holds", facts.pixel_format.describe()),
        // A file may have thousands of planes.
        _ => {
            let more = names.len().saturating_sub(LISTED);
            let shown = names.iter().take(LISTED).map(|name| safe(name)).collect::<Vec<_>>().join(", ");
            let more = if more > 0 { format!(" ... and {more} more") } else { String::new() };
            row("holds", format!("{}: {shown}{more}", facts.pixel_format.describe()));
        }
    }
    row("meaning", meaning(&facts.metadata));
    if let Some(tops) = &m.max_codes {
        row("codes", format!("0 to {}", tops.iter().map(u32::to_string).collect::<Vec<_>>().join(", ")));
    }
    row("in memory", bytes(facts.pixel_format.bytes(facts.size)));
    if let Some(count) = facts.bytes {
        row("on disk", bytes(count));
    }
    if !m.orientation.is_upright() {
        row("orientation", format!("{}, {}", m.orientation.exif(), m.orientation.describe()));
    }
    if let Some(r) = m.resolution {
        row("resolution", resolution(r));
    }
    if let Some(profile) = &m.icc {
        row("icc profile", format!("{}; {}", bytes(profile.len() as u64), profile_words(profile)));
    }
    let below = report.page_list.iter().any(|page| page.sub_pages > 0);
    let many = if facts.more_pages { "at least " } else { "" };
    if facts.pages > 1 || facts.more_pages || below {
        let plays = match facts.plays {
            Some(0) => ", played for ever".to_string(),
            Some(n) => format!(", played {n} times"),
            None => String::new(),
        };
        row("pages", format!("{many}{}{plays}", facts.pages));
        for (i, page) in report.page_list.iter().enumerate().take(LISTED) {
            row("", page.words(i + 1));
        }
        if report.page_list.len() > LISTED {
            row("", format!("... and {} more (--json lists all)", report.page_list.len() - LISTED));
        }
    }
    if let Some(t) = m.changed {
        let (date, clock) = ((t.year, t.month, t.day), (t.hour, t.minute, t.second));
        row("changed", format!("{}-{:02}-{:02} {:02}:{:02}:{:02}", date.0, date.1, date.2, clock.0, clock.1, clock.2));
    }
    if let Some(bits) = &m.significant_bits {
        row("had bits", bits.iter().map(u8::to_string).collect::<Vec<_>>().join(", "));
    }
    for text in &m.text {
        row("text", format!("{}: {}", safe(&text.keyword), safe_start(&text.text)));
    }
    for remark in &facts.remarks {
        row("note", safe(remark));
    }
    for (i, line) in report.scan.iter().flat_map(scan_words).enumerate() {
        row(if i == 0 { "scan" } else { "" }, line);
    }
    format!("{}\n{}", safe(&report.file), table("  ", &[Align::Left, Align::Left], &rows))
}

fn meaning(metadata: &rahmen::Metadata) -> String {
    match &metadata.meaning {
        Meaning::Values { unit, .. } => {
            format!("values{}", unit.as_ref().map_or(String::new(), |u| format!(" in {}", safe(u))))
        }
        Meaning::Indices => "numbers of colours in a palette".to_string(),
        _ if metadata.is_linear() => "linear light".to_string(),
        _ => {
            let curve = match metadata.transfer {
                Transfer::Srgb => "the sRGB curve".to_string(),
                Transfer::Power(exponent) => format!("a power of {}", crate::text::number(exponent)),
                Transfer::Bt709 => "the BT.709 curve".to_string(),
                Transfer::Bt2020 => "the BT.2020 curve".to_string(),
                Transfer::Romm => "the ROMM curve".to_string(),
                Transfer::Pq => "PQ (BT.2100)".to_string(),
                Transfer::Hlg => "HLG (BT.2100)".to_string(),
                Transfer::Parametric(_) | Transfer::Other => "a curve of its own".to_string(),
                _ => "another curve".to_string(),
            };
            let primaries = match metadata.primaries {
                Primaries::Srgb => "sRGB primaries",
                Primaries::DisplayP3 => "Display P3 primaries",
                Primaries::AdobeRgb => "Adobe RGB (1998) primaries",
                Primaries::Bt2020 => "BT.2020 primaries",
                Primaries::Romm => "ROMM primaries",
                Primaries::AcesCg => "ACEScg primaries",
                Primaries::Chromaticities(_) => "primaries of its own",
                _ => "primaries not named",
            };
            format!("encoded by {curve}, {primaries}")
        }
    }
}

fn resolution(r: Resolution) -> String {
    let [x, y] = [r.x, r.y].map(crate::text::number);
    match r.unit {
        ResolutionUnit::Ratio => format!("pixels {x} to {y}, without a unit"),
        ResolutionUnit::Metre => format!("{x} x {y} pixels a metre"),
        ResolutionUnit::Inch => format!("{x} x {y} pixels an inch"),
    }
}

/// What a profile is, in words.
fn profile_words(bytes: &[u8]) -> String {
    match rahmen::color::Profile::parse(bytes) {
        Ok(profile) => {
            let name = match profile.description() {
                "" => "without a name".to_string(),
                name => safe(name),
            };
            let kind = if profile.is_gray() { "gray by a curve" } else { "rgb by a matrix and curves" };
            let (major, minor) = profile.version();
            format!("{name}, {kind}, version {major}.{minor}")
        }
        Err(e) => format!("not used: {}", e.without_help()),
    }
}
