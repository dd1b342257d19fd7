//! The words of the command line: the verbs, and the options that several of them share.

use crate::fail::Done;
use crate::notes::Notes;
use crate::verbs::Verb;
use crate::words::{self, RangeWord};
use clap::{Args, Parser, ValueEnum};
use rahmen::file::{Limits, ReadOptions, Salvage};
use rahmen::{Facts, Region, Size, Threads};
use std::io::Write;
use std::path::Path;

/// Looks at picture files and makes new ones.
#[derive(Debug, Parser)]
#[command(name = "rahmen", version, max_term_width = 100, subcommand_required = true, arg_required_else_help = true)]
#[command(after_help = "`rahmen VERB --help` explains a verb; `rahmen tour` shows them at work on demo pictures.\n\
    A file named - is standard input or output. Exit status: 0 done, 1 it could not be done, 2 the words were wrong.")]
pub(crate) struct Cli {
    #[command(subcommand)]
    pub(crate) verb: Verb,
    #[command(flatten)]
    pub(crate) shared: Shared,
}

/// What every verb takes.
#[derive(Debug, Clone, Args)]
pub(crate) struct Shared {
    /// Maximum number of threads (default: all cores); results do not depend on it
    #[arg(long, global = true, value_name = "N", default_value_t = 0, hide_default_value = true)]
    #[arg(help_heading = "Everywhere")]
    pub(crate) threads: usize,
    /// Maximum memory that is held at once, such as 4GiB (default: 1GiB)
    #[arg(long, global = true, value_name = "SIZE", value_parser = words::memory, help_heading = "Everywhere")]
    pub(crate) limit_memory: Option<u64>,
    /// Another limit on what a file may claim: metadata=SIZE (64MiB), side=N pixels (2147483648), pages=N (20000), channels=N (10000), scans=N of a JPEG
    /// (250), work=N pixels a byte of file (10000); repeatable
    #[arg(long = "limit", global = true, value_name = "NAME=N", value_parser = words::limit, help_heading = "Everywhere")]
    pub(crate) limits: Vec<(words::LimitName, u64)>,
    /// Page: which picture of several in a file, from 1; 2.1 is the first of those that hang below the second (TIFF)
    #[arg(long, global = true, value_name = "N", value_parser = words::page, help_heading = "Reading")]
    pub(crate) page: Option<(u32, u32)>,
    /// Read raw bytes of this layout: "order=bgra depth=u8 size=640x480 stride=2568 offset=0 alpha=ignored"; luma and colour
    /// differences: "ycbcr=pairs size=640x480 sampling=4:2:0 weights=bt601 range=limited"
    #[arg(long, global = true, value_name = "LAYOUT", value_parser = words::raw, help_heading = "Reading")]
    pub(crate) raw: Option<words::Raw>,
    /// Salvage what can be read of a damaged file, up to the last row that can be; =fill keeps the declared size, with lost rows
    /// zero. A note says how many rows are good, suspect and lost
    #[arg(long, global = true, value_name = "fill", num_args = 0..=1, require_equals = true)]
    #[arg(default_missing_value = "cut", help_heading = "Reading")]
    pub(crate) salvage: Option<SalvageWord>,
    /// Print results of looking verbs only; no remarks
    #[arg(long, global = true, help_heading = "Everywhere")]
    pub(crate) quiet: bool,
    /// Report each step on standard error, with the time since the start
    #[arg(long, global = true, conflicts_with = "quiet", help_heading = "Everywhere")]
    pub(crate) verbose: bool,
    /// What is said once the work is done.
    #[arg(skip)]
    pub(crate) notes: Notes,
}

impl Shared {
    pub(crate) fn threads(&self) -> Threads {
        Threads::at_most(self.threads)
    }

    pub(crate) fn read_options(&self) -> ReadOptions {
        let mut limits = Limits::default();
        if let Some(bytes) = self.limit_memory {
            limits.memory = bytes;
        }
        for &(name, value) in &self.limits {
            let count = u32::try_from(value).unwrap_or(u32::MAX);
            match name {
                words::LimitName::Metadata => limits.metadata = value,
                words::LimitName::Side => limits.side = count,
                words::LimitName::Pages => limits.pages = count,
                words::LimitName::Channels => limits.channels = count,
                words::LimitName::Scans => limits.scans = count,
                words::LimitName::Work => limits.work = count,
            }
        }
        let mut options = ReadOptions::default().limits(limits).budget(&crate::process::budget(self));
        if let Some((page, below)) = self.page {
            (options.page, options.sub_page) = (Some(page), below);
        }
        options.threads = self.threads();
        match self.raw {
            Some(words::Raw::Pixels(layout)) => options.raw = Some(layout),
            Some(words::Raw::Ycbcr(layout)) => options.raw_ycbcr = Some(layout),
            None => {}
        }
        options.salvage = self.salvage.map(|word| match word {
            SalvageWord::Cut => Salvage::Cut,
            SalvageWord::Fill => Salvage::Fill,
        });
        options
    }

    /// A word about reading, if there is one: verbs that read no picture refuse it.
    pub(crate) fn reading_word(&self) -> Option<&'static str> {
        let words =
            [(self.page.is_some(), "--page"), (self.raw.is_some(), "--raw"), (self.salvage.is_some(), "--salvage")];
        words.into_iter().find_map(|(given, word)| given.then_some(word))
    }

    /// A word of these that was given, if there is one.
    pub(crate) fn word(&self) -> Option<&'static str> {
        let words = [
            (self.threads != 0, "--threads"),
            (self.limit_memory.is_some(), "--limit-memory"),
            (!self.limits.is_empty(), "--limit"),
            (self.quiet, "--quiet"),
            (self.verbose, "--verbose"),
        ];
        self.reading_word().or_else(|| words.into_iter().find_map(|(given, word)| given.then_some(word)))
    }

    /// The same words with nothing said yet: for one file of several.
    pub(crate) fn apart(&self) -> Shared {
        Shared { notes: Notes::default(), ..self.clone() }
    }

    /// The same words, silent where that is asked for: the second of many files has no news.
    pub(crate) fn quietly(&self, quiet: bool) -> Shared {
        let notes = if quiet { Notes::default() } else { self.notes.clone() };
        Shared { quiet: self.quiet || quiet, notes, ..self.clone() }
    }

    /// What was done: one line on standard output, unless that is where the picture goes.
    pub(crate) fn say(&self, output: &Path, line: impl FnOnce() -> String) -> Done {
        if !self.quiet && output != Path::new("-") {
            writeln!(std::io::stdout(), "{}", crate::text::safe(&line()))?;
        }
        Ok(())
    }

    /// A warning: one line on standard error once the work is done, and in reports.
    pub(crate) fn note(&self, line: &str) {
        self.notes.warn(line);
    }

    /// Prints what was said since the last time.
    pub(crate) fn print_notes(&self) {
        for line in self.notes.take() {
            if !self.quiet {
                // Whoever does not listen does not stop the work.
                let _ = writeln!(std::io::stderr(), "note: {}", crate::text::safe(&line));
            }
        }
    }

    /// What is being done, for those who asked.
    pub(crate) fn tell(&self, line: impl FnOnce() -> String) {
        if self.verbose {
            tracing::info!("{}", crate::text::safe(&line()));
        }
    }
}

/// A part of a picture.
#[derive(Debug, Clone, Copy, Default, Args)]
pub(crate) struct Part {
    /// Columns, half-open, either end may be left out: 10..20, 10.., ..20, or one: 10 (also --cols)
    #[arg(long = "x", alias = "cols", value_name = "A..B", allow_hyphen_values = true)]
    pub(crate) x: Option<RangeWord>,
    /// Rows, likewise (also --rows)
    #[arg(long = "y", alias = "rows", value_name = "C..D", allow_hyphen_values = true)]
    pub(crate) y: Option<RangeWord>,
}

impl Part {
    pub(crate) fn is_given(&self) -> bool {
        self.x.is_some() || self.y.is_some()
    }

    /// The region within a picture of this size: all of it where nothing is said.
    pub(crate) fn region(&self, size: Size) -> rahmen::Result<Region> {
        let side = |word: Option<RangeWord>, side: u32| word.map_or(0..side, |w| w.within(side));
        let (x, y) = (side(self.x, size.width), side(self.y, size.height));
        // An open end that lies before its start: the start is outside, which says more than "backwards".
        let outside = |word: Option<RangeWord>, r: &std::ops::Range<u32>| {
            word.is_some_and(|w| w.end.is_none() && r.start > r.end)
        };
        let region = size.region();
        match (outside(self.x, &x), outside(self.y, &y)) {
            (true, _) => region.cols(x.start..),
            (_, true) => region.rows(y.start..),
            _ => Region::new(x, y),
        }
    }
}

/// How much of a damaged picture is given.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum SalvageWord {
    Cut,
    Fill,
}

/// Whether a picture becomes gray or colour on the way.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum As {
    /// As stored
    Stored,
    /// Gray, by the BT.709 weights (`rahmen gray` has others)
    #[value(alias = "grey")]
    Gray,
    /// Red, green, blue
    #[value(alias = "colour")]
    Color,
    /// Indices of at most 256 colours, with the palette
    Indices,
    /// Codes as they are, 0..=max code, unscaled (NPY and raw files keep them so; others store the same file)
    Codes,
    /// Floats of PFM and NPY are encoded colour, which the files cannot say
    Encoded,
    /// ... or linear light
    Linear,
    /// ... or values with a unit
    Values,
}

/// Sample types.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
pub(crate) enum Depth {
    U8,
    U16,
    F32,
}

impl From<Depth> for rahmen::Depth {
    fn from(depth: Depth) -> rahmen::Depth {
        match depth {
            Depth::U8 => rahmen::Depth::U8,
            Depth::U16 => rahmen::Depth::U16,
            Depth::F32 => rahmen::Depth::F32,
        }
    }
}

/// The channel of a picture with this name: r, R, red ...
pub(crate) fn channel_index(facts: &Facts, name: &str) -> Result<usize, String> {
    let names = facts.pixel_format.channel_names();
    let exact = || names.iter().position(|n| n == name);
    let lower = name.to_ascii_lowercase();
    let short = match lower.as_str() {
        "red" => "r",
        "green" => "g",
        "blue" => "b",
        "a" | "opacity" => "alpha",
        "grey" => "gray",
        "cyan" => "c",
        "magenta" => "m",
        "yellow" => "y",
        "black" => "k",
        other => other,
    };
    let known = || names.iter().position(|n| n.eq_ignore_ascii_case(short));
    exact().or_else(known).ok_or_else(|| format!("no channel {name}; there are {}", names.join(", ")))
}
