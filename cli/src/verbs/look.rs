//! `look`: pictures in the terminal.

use crate::args::{Part, Shared, channel_index};
use crate::fail::{Done, Failure};
use crate::look as looking;
use crate::open;
use crate::terminal::Takes;
use crate::words;
use clap::{Args, ValueEnum};
use rahmen::color::{Ramp, RampRules};
use rahmen::convert::channels::Take;
use rahmen::convert::depth::Window;
use rahmen::file::{ReadOptions, Reduced};
use rahmen::flow::{Channels, Crop, Orient, RampLimits, Step};
use rahmen::{Content, FileFormat, Orientation, Picture, PixelFormat, Size};
use rahmen_show::Look as How;
use rahmen_show::text::{self, Colors, Image, Images, Terminal};
use std::io::{IsTerminal, Write};
use std::path::{Path, PathBuf};

/// A terminal that says it is larger than this is not believed.
const MOST_CELLS: u32 = 2000;

/// Columns that a picture has at least, where several stand beside each other.
const LEAST: u32 = 38;

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
    /// Show the picture as it lies in the file, instead of upright as its orientation asks for
    #[arg(long)]
    stored: bool,
    /// Upright, which is the default
    #[arg(long, hide = true, conflicts_with = "stored")]
    upright: bool,
    /// Pictures as such, by a protocol of the terminal, instead of characters: auto where it says that it has one, sixel, inline (PNG in
    /// terminal graphics commands) or never
    #[arg(long, value_enum, default_value = "auto")]
    images: ImagesWord,
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

/// Whether pictures are shown as such.
#[derive(Debug, Clone, Copy, PartialEq, Eq, ValueEnum)]
enum ImagesWord {
    Auto,
    Sixel,
    Inline,
    Never,
}

/// What is shown of a file.
struct Shown {
    picture: Picture,
    /// Where it begins in the file's pixels.
    start: (u32, u32),
    /// The size of what it is a reduction of.
    whole: Option<Size>,
    /// The orientation of the file, where it was applied.
    turned: Option<Orientation>,
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
        let columns = self.columns.unwrap_or(columns);
        let takes = self.images();
        let (w, h) = crate::terminal::cell();
        let (columns, lines) = takes.map_or((columns, lines), |Takes { largest, .. }| {
            (columns.min(largest.width / w).max(1), lines.min(largest.height / h).max(1))
        });
        let images = takes.map(|takes| takes.images);
        let several = self.files.len() > 1;
        // Beside each other where each has room.
        let beside = if several { (columns / LEAST).clamp(1, self.files.len() as u32) } else { 1 };
        let room = if beside > 1 { (columns + 2) / beside - 2 } else { columns };
        let terminal = Terminal::new(colors, room, lines);
        if let (Some(images), true) = (images, beside > 1) {
            return self.rows_of_images(terminal, images, beside as usize, shared);
        }
        let named = |file: &Path| -> Done<String> {
            let text = self.text(file, terminal, images, shared).map_err(|e| open::in_file(e, file))?;
            Ok(if several { format!("{}\n{text}", crate::text::safe(&open::name_of(file))) } else { text })
        };
        if beside == 1 {
            return looking::each(&self.files, looking::Output::Text, shared, named, String::clone);
        }
        let (texts, end) = looking::all(&self.files, shared, named)?;
        let rows: Vec<String> = texts.chunks(beside as usize).map(|row| text::beside(row, room as usize)).collect();
        write!(std::io::stdout(), "{}", rows.join("\n"))?;
        end
    }

    /// Pictures as such in rows, names above and facts below.
    fn rows_of_images(&self, terminal: Terminal, images: Images, beside: usize, shared: &Shared) -> Done {
        let named = |file: &Path| -> Done<(String, Image)> {
            let image = self.image(file, terminal, shared).map_err(|e| open::in_file(e, file))?;
            Ok((crate::text::safe(&open::name_of(file)).to_string(), image))
        };
        let (mut shown, end) = looking::all(&self.files, shared, named)?;
        let room = terminal.columns as usize;
        // Two characters lie between pictures, as between texts.
        let step = terminal.columns.saturating_add(2).saturating_mul(crate::terminal::cell().0);
        let mut rows = Vec::new();
        while !shown.is_empty() {
            let (names, pictures): (Vec<String>, Vec<Image>) = shown.drain(..beside.min(shown.len())).unzip();
            let facts: Vec<String> = pictures.iter().map(|image| image.facts.clone()).collect();
            let drawn = text::images_beside(&pictures, images, step)?;
            rows.push(format!("{}{drawn}\n{}", text::beside(&names, room), text::beside(&facts, room)));
        }
        write!(std::io::stdout(), "{}", rows.join("\n"))?;
        end
    }

    /// How pictures are shown as such, if they are.
    fn images(&self) -> Option<Takes> {
        match self.images {
            ImagesWord::Sixel => Some(Takes::of(Images::Sixel)),
            ImagesWord::Inline => Some(Takes::of(Images::Inline)),
            // Rulers count characters, and who asks for colours asks for characters.
            ImagesWord::Auto if !self.grid && self.colors.is_none() => crate::terminal::images(),
            ImagesWord::Auto | ImagesWord::Never => None,
        }
    }

    /// A file as text for the terminal.
    fn text(&self, file: &Path, terminal: Terminal, images: Option<Images>, shared: &Shared) -> Done<String> {
        if let Some(images) = images {
            let image = self.image(file, terminal, shared)?;
            return Ok(format!("{}\n{}", text::images_beside(std::slice::from_ref(&image), images, 0)?, image.facts));
        }
        let room = Size::new(terminal.columns, terminal.rows.saturating_mul(2));
        let shown = self.load(file, room, shared)?;
        let (x, y) = shown.start;
        let terminal = if self.grid { terminal.rulers(x, y) } else { terminal };
        let terminal = shown.whole.map_or(terminal, |size| terminal.whole(size));
        let (picture, look) = self.toned(shown.picture, shared)?;
        let drawn = text::picture(picture.content(), terminal, look)?;
        Ok(with_turn(drawn, shown.turned))
    }

    /// A file as a picture that fits where the terminal shows it.
    fn image(&self, file: &Path, terminal: Terminal, shared: &Shared) -> Done<Image> {
        let (w, h) = crate::terminal::cell();
        let room = Size::new(terminal.columns.saturating_mul(w), terminal.rows.saturating_mul(h));
        let shown = self.load(file, room, shared)?;
        let (picture, look) = self.toned(shown.picture, shared)?;
        let mut image = Image::fitted(picture.content(), room, shown.whole, look)?;
        image.facts = with_turn(image.facts, shown.turned);
        Ok(image)
    }

    /// The picture in false colours where a ramp is asked for, and how to look at it.
    fn toned(&self, picture: Picture, shared: &Shared) -> Done<(Picture, How)> {
        let window = self.window.map(|(low, high)| Window::new(low, high)).transpose()?;
        Ok(match &self.ramp {
            Some(ramp) => {
                let limits = self.window.map_or(RampLimits::Used, |(low, high)| RampLimits::Levels(low, high));
                let rules = RampRules::default().threads(shared.threads());
                (picture.false_color(ramp.clone(), limits, &rules)?, How::default())
            }
            None => {
                let look = How::of(picture.metadata()).window(window);
                (picture, look)
            }
        })
    }

    /// What the reader is asked for: of JPEG no more than there is room for, where all of it is looked at.
    fn options(&self, file: &Path, room: Size, shared: &Shared) -> Done<(ReadOptions, Option<Size>)> {
        let options = shared.read_options();
        if file == Path::new("-") || self.part.is_given() {
            return Ok((options, None));
        }
        let facts = open::facts(file, shared)?;
        if facts.format != Some(FileFormat::Jpeg) {
            return Ok((options, None));
        }
        let turned = !self.stored && facts.metadata.orientation.swaps_axes();
        let room = if turned { Size::new(room.height, room.width) } else { room };
        // A picture that is shrunk by more than so much loses nothing that would be seen.
        let fits = |n: u32| facts.size.width / n >= room.width || facts.size.height / n >= room.height;
        let (reduced, n) = match () {
            () if fits(8) => (Reduced::Eighth, 8),
            () if fits(4) => (Reduced::Quarter, 4),
            () if fits(2) => (Reduced::Half, 2),
            () => (Reduced::Full, 1),
        };
        let size = if turned { Size::new(facts.size.height, facts.size.width) } else { facts.size };
        Ok((options.reduced(reduced), (n > 1).then_some(size)))
    }

    /// The part that is looked at, and where it begins.
    fn load(&self, file: &Path, room: Size, shared: &Shared) -> Done<Shown> {
        let (mut start, mut turned) = ((0, 0), None);
        let (options, whole) = self.options(file, room, shared)?;
        let loaded = open::load_with(file, options, shared, &mut |facts| {
            let mut steps: Vec<Box<dyn Step>> = Vec::new();
            let mut facts = facts.clone();
            if !self.stored && !facts.metadata.orientation.is_upright() {
                turned = Some(facts.metadata.orientation);
                facts = Orient::upright().plan(&facts)?.facts().clone();
                steps.push(Box::new(Orient::upright()));
            }
            let facts = &facts;
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
        let Content::Planes(planes) = loaded.content() else {
            return Ok(Shown { picture: loaded, start, whole, turned });
        };
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
        Ok(Shown { picture: Picture::new(content, loaded.metadata().clone()), start, whole, turned })
    }
}

/// Text whose last line, the facts, says that the picture was laid down upright.
fn with_turn(text: String, turned: Option<Orientation>) -> String {
    match turned {
        Some(orientation) => format!("{}{}\n", text.trim_end_matches('\n'), turn_words(orientation)),
        None => text,
    }
}

/// That a picture was laid down as its orientation asks for, as the end of a caption.
pub(crate) fn turn_words(orientation: Orientation) -> String {
    format!(", upright (orientation {}; --stored shows it as it lies)", orientation.exif())
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
