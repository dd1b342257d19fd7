//! `look`: pictures in the terminal.

use crate::args::{Part, Shared, channel_index};
use crate::fail::{Done, Failure};
use crate::look as looking;
use crate::open;
use crate::words;
use clap::{Args, ValueEnum};
use rahmen::color::{Ramp, RampRules};
use rahmen::convert::channels::Take;
use rahmen::convert::depth::Window;
use rahmen::flow::{Channels, Crop, RampLimits, Step};
use rahmen::{Content, Picture, PixelFormat};
use rahmen_show::Look as How;
use rahmen_show::text::{Colors, Terminal, picture};
use std::io::IsTerminal;
use std::path::{Path, PathBuf};

/// A terminal that says it is larger than this is not believed.
const MOST_CELLS: u32 = 2000;

/// The words of `look`.
#[derive(Debug, Args)]
pub(crate) struct Look {
    /// The files, or folders of pictures; - is standard input
    #[arg(required = true, value_name = "FILE")]
    files: Vec<PathBuf>,
    #[command(flatten)]
    part: Part,
    /// Only the channel or plane of this name
    #[arg(long, value_name = "NAME")]
    channel: Option<String>,
    /// Window: show values from LO to HI as black to white (default: bytes as they are, other numbers by their own range)
    #[arg(long, value_name = "LO,HI", value_parser = words::limits, allow_hyphen_values = true)]
    window: Option<(f64, f64)>,
    /// Paint one channel with a ramp (see ramp --list), between the limits of --window or those that are used
    #[arg(long, value_name = "NAME", value_parser = crate::verbs::ramp::ramp)]
    ramp: Option<Ramp>,
    /// Rulers with pixel coordinates at the top and on the left
    #[arg(long)]
    grid: bool,
    /// Maximum number of characters a line (default: the terminal's width, else 80)
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=2000))]
    columns: Option<u32>,
    /// Maximum number of lines (default: the terminal's height, else 40)
    #[arg(long, value_name = "N", value_parser = clap::value_parser!(u32).range(1..=2000))]
    lines: Option<u32>,
    /// Colours of the terminal (default: detected)
    #[arg(long, value_enum)]
    colors: Option<ColorWord>,
}

/// What a terminal can show.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum ColorWord {
    /// Every colour
    True,
    /// 256 colours
    #[value(name = "256")]
    Palette,
    /// None: characters by brightness
    Plain,
}

impl Look {
    pub(crate) fn run(mut self, shared: &Shared) -> Done {
        self.files = looking::with_folders(&self.files)?;
        let (columns, lines) = terminal_size::terminal_size()
            .map_or((80, 40), |(w, h)| (u32::from(w.0).min(MOST_CELLS), u32::from(h.0).min(MOST_CELLS)));
        let colors = self.colors.map_or_else(found_colors, |word| match word {
            ColorWord::True => Colors::True,
            ColorWord::Palette => Colors::Palette256,
            ColorWord::Plain => Colors::Plain,
        });
        // Three lines are left for the command and the prompt behind it.
        let lines = self.lines.unwrap_or_else(|| u32::max(lines, 6) - 3);
        let terminal = Terminal::new(colors, self.columns.unwrap_or(columns), lines);
        let window = self.window.map(|(low, high)| Window::new(low, high)).transpose()?;
        let one = |file: &Path| {
            let (shown, (x, y)) = self.load(file, shared)?;
            let terminal = if self.grid { terminal.rulers(x, y) } else { terminal };
            if let Some(ramp) = &self.ramp {
                let limits = self.window.map_or(RampLimits::Used, |(low, high)| RampLimits::Levels(low, high));
                let rules = RampRules::default().threads(shared.threads());
                let painted =
                    shown.false_color(ramp.clone(), limits, &rules).map_err(|e| open::in_file(e.into(), file))?;
                let text = picture(painted.content(), terminal, How::default());
                return text.map_err(|e| open::in_file(e.into(), file));
            }
            let text = picture(shown.content(), terminal, How::of(shown.metadata()).window(window));
            text.map_err(|e| open::in_file(e.into(), file))
        };
        let several = self.files.len() > 1;
        let named = |file: &Path| -> Done<String> {
            let text = one(file)?;
            Ok(if several { format!("{}\n{text}", crate::text::safe(&open::name_of(file))) } else { text })
        };
        looking::each(&self.files, looking::Output::Text, named, String::clone)
    }

    /// The part that is looked at, and where it begins.
    fn load(&self, file: &Path, shared: &Shared) -> Done<(Picture, (u32, u32))> {
        let mut start = (0, 0);
        let loaded = open::load(file, shared, &mut |facts| {
            let mut steps: Vec<Box<dyn Step>> = Vec::new();
            if self.part.is_given() {
                let region = self.part.region(facts.size)?;
                start = (region.x(), region.y());
                steps.push(Box::new(Crop::new(region)));
            }
            if let (Some(name), PixelFormat::Pixels { .. }) = (&self.channel, &facts.pixel_format) {
                let at = channel_index(facts, name).map_err(Failure::words)?;
                steps.push(Box::new(Channels::new(vec![Take::Channel(at)])));
            }
            Ok(steps)
        })?;
        let Content::Planes(planes) = loaded.content() else { return Ok((loaded, start)) };
        // Planes are looked at one by one.
        let names = planes.names();
        let wanted = match (&self.channel, names.len()) {
            (Some(name), _) => {
                channel_index(&loaded.facts(), name).map_err(Failure::words)?;
                name.clone()
            }
            (None, 1) => names[0].clone(),
            (None, _) => {
                return Err(Failure::words(format!(
                    "{} holds planes; say which one with --channel: {}",
                    open::name_of(file),
                    names.join(", ")
                )));
            }
        };
        let one = planes.clone().apart().into_iter().find(|(name, _)| *name == wanted);
        let content = one.map(|(_, plane)| Content::Planes(plane));
        let content = content.ok_or_else(|| Failure::words(format!("no plane {wanted}")))?;
        Ok((Picture::new(content, loaded.metadata().clone()), start))
    }
}

/// What the terminal says of itself; plain characters where the output is none.
fn found_colors() -> Colors {
    let says = |name: &str| std::env::var(name).unwrap_or_default();
    let deep = matches!(says("COLORTERM").as_str(), "truecolor" | "24bit");
    match std::io::stdout().is_terminal() && says("NO_COLOR").is_empty() && says("TERM") != "dumb" {
        true if deep => Colors::True,
        true if says("TERM").contains("256") => Colors::Palette256,
        _ => Colors::Plain,
    }
}
