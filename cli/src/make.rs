//! Making verbs: from IN through steps to OUT, strip by strip.

use crate::args::{As, Depth, Shared};
use crate::fail::{Done, Failure};
use crate::plots::Plotting;
use crate::recipe::RecipeStep;
use crate::words::{self, Color};
use crate::{lossless, open, process, progress};
use clap::Args;
use rahmen::convert::depth::Window;
use rahmen::file::{ChromaSampling, LosslessRules, ReadAs, ReadOptions, StatedMeaning, WriteOptions, Writer};
use rahmen::flow::{Chain, Flatten, Orient, Sink, Step, Strip, ToCodes, ToColor, ToDepth, ToGray};
use rahmen::tone::PaletteRules;
use rahmen::{Facts, FileFormat, Picture, PixelFormat};
use std::path::{Path, PathBuf};

/// The steps of a verb.
pub(crate) type Steps = Vec<Box<dyn Step>>;

/// A verb that makes one picture of one other.
pub(crate) trait Making: Send {
    /// Its steps for a picture of these facts.
    fn steps(&self, input: &Facts, context: &Context<'_>) -> Done<Steps>;

    /// Whether its steps take care of --window themselves.
    fn takes_window(&self) -> bool {
        false
    }

    /// Whether its steps see the picture twice, so that standard input has to be kept.
    fn looks_twice(&self) -> bool {
        false
    }

    /// How a JPEG file is transformed by its coefficients, where that is asked for instead of steps.
    fn lossless(&self, _shared: &Shared) -> Done<Option<(Option<rahmen::Orientation>, LosslessRules)>> {
        Ok(None)
    }

    /// What is worth saying when it is done, behind the names and sizes.
    fn remark(&self, _input: &Facts, _output: &Facts) -> Option<String> {
        None
    }

    /// Where a figure goes, for verbs that have something to see.
    fn plotting(&self) -> Option<&Plotting> {
        None
    }

    /// Draws what there is to see, and prints what there is to read, once both files are there.
    fn plot(&self, _input: &Path, _output: &Path, _shared: &Shared) -> Done {
        Ok(())
    }
}

/// What a verb's steps may depend on besides its own words.
pub(crate) struct Context<'a> {
    pub(crate) shared: &'a Shared,
    pub(crate) becomes: &'a Becomes,
}

/// IN, OUT, the verb's own words, and what the picture becomes on the way.
#[derive(Debug, Args)]
pub(crate) struct Make<V: Args> {
    /// The picture to read; - is standard input
    #[arg(value_name = "IN")]
    input: PathBuf,
    /// The file to write, its extension says the format; - is standard output, with --format
    #[arg(value_name = "OUT")]
    output: PathBuf,
    #[command(flatten)]
    verb: V,
    #[command(flatten)]
    becomes: Becomes,
    #[command(flatten)]
    written: Written,
}

/// What a picture becomes on the way.
#[derive(Debug, Clone, Args)]
pub(crate) struct Becomes {
    /// Apply the file's orientation first
    #[arg(long, help_heading = "On the way")]
    pub(crate) upright: bool,
    /// Gray, colour or indices, before the work; codes, after it; encoded, linear or values: what floats mean
    #[arg(long = "as", value_enum, value_name = "FORM", help_heading = "On the way")]
    pub(crate) read_as: Option<As>,
    /// Reduce to at most N colours, numbered in a palette: 2 to 256; N,ordered and N,diffusion dither. What GIF needs; PNG, BMP, TGA and
    /// TIFF get small by it
    #[arg(long, value_name = "N", value_parser = words::palette, conflicts_with = "read_as", help_heading = "On the way")]
    pub(crate) colors: Option<PaletteRules>,
    /// Before the work, map values from LO to HI to black to white
    #[arg(long, value_name = "LO,HI", value_parser = words::limits, allow_hyphen_values = true)]
    #[arg(help_heading = "On the way")]
    pub(crate) window: Option<(f64, f64)>,
    /// After the work, convert to this sample type, rescaled
    #[arg(long, value_enum, help_heading = "On the way")]
    pub(crate) depth: Option<Depth>,
    /// After the work, flatten onto a background of this colour
    #[arg(long, value_name = "COLOUR", help_heading = "On the way")]
    pub(crate) flatten: Option<Color>,
}

impl Becomes {
    pub(crate) fn window(&self) -> Done<Option<Window>> {
        Ok(self.window.map(|(low, high)| Window::new(low, high)).transpose()?)
    }

    /// A word of these that was given and asks for new pixels, if there is one.
    fn word_about_pixels(&self) -> Option<&'static str> {
        let words = [
            (self.read_as.is_some(), "--as"),
            (self.colors.is_some(), "--colors"),
            (self.window.is_some(), "--window"),
            (self.depth.is_some(), "--depth"),
            (self.flatten.is_some(), "--flatten"),
        ];
        words.into_iter().find_map(|(given, word)| given.then_some(word))
    }

    /// A word of these that says what the numbers of a file mean.
    pub(crate) fn word_about_meaning(&self) -> Option<&'static str> {
        match self.read_as {
            Some(As::Encoded) => Some("--as encoded"),
            Some(As::Linear) => Some("--as linear"),
            Some(As::Values) => Some("--as values"),
            _ => None,
        }
    }

    /// Where colours are to be numbered: what comes before that, and the palette that they are reduced to, if they are.
    pub(crate) fn numbers(&self) -> Option<(Becomes, Option<PaletteRules>)> {
        let numbered = self.read_as == Some(As::Indices) || self.colors.is_some();
        numbered.then(|| (Becomes { read_as: None, colors: None, flatten: None, ..self.clone() }, self.colors))
    }

    /// What the reader is asked for, and what is left to do behind it. Colours are numbered while reading, so what
    /// comes before that is done there too.
    pub(crate) fn while_reading(&self, options: ReadOptions) -> Done<(ReadOptions, Becomes)> {
        let stated = match self.read_as {
            Some(As::Encoded) => Some(StatedMeaning::Encoded),
            Some(As::Linear) => Some(StatedMeaning::Linear),
            Some(As::Values) => Some(StatedMeaning::Values),
            _ => None,
        };
        if let Some(meaning) = stated {
            return Ok((options.meaning(meaning), Becomes { read_as: None, ..self.clone() }));
        }
        let numbers = self.read_as == Some(As::Indices) || self.colors.is_some();
        if !numbers {
            return Ok((options, self.clone()));
        }
        if self.flatten.is_some() {
            let word = if self.colors.is_some() { "--colors" } else { "--as indices" };
            return Err(Failure::words(format!(
                "--flatten makes new colours, {word} has numbered them before; leave one out"
            )));
        }
        let mut options = match self.colors {
            Some(rules) => options.reduced_to_palette(rules),
            None => options.read_as(ReadAs::Indices),
        };
        (options.window, options.depth, options.upright) = (self.window()?, self.depth.map(Into::into), self.upright);
        Ok((options, Becomes { upright: false, read_as: None, colors: None, window: None, depth: None, flatten: None }))
    }

    /// The depth that a window's fractions are held in: the picture's own.
    pub(crate) fn own_depth(input: &Facts) -> rahmen::Depth {
        match input.pixel_format {
            PixelFormat::Pixels { depth, .. } => depth,
            PixelFormat::Planes { .. } => rahmen::Depth::F32,
        }
    }
}

/// How the file is written.
#[derive(Debug, Clone, Args)]
pub(crate) struct Written {
    #[arg(skip)]
    not_forced: bool,
    /// Format, where the extension does not say it: png, jpg, tif, gif, pgm, ppm, pbm, pam, pfm, bmp, tga, qoi, npy, npz, raw
    #[arg(long, value_name = "NAME", help_heading = "Writing")]
    format: Option<String>,
    /// Compression of PNG and TIFF: 0 stores, 9 is smallest and slowest (default: 3); for TIFF also packbits, lzw or deflate (default)
    #[arg(long, value_name = "0..9", value_parser = words::compression, help_heading = "Writing")]
    compression: Option<words::Compression>,
    /// TIFF in tiles of N x N pixels, a multiple of 16, instead of strips
    #[arg(long, value_name = "N", help_heading = "Writing")]
    tiled: Option<u16>,
    /// TIFF with smaller copies, each of half the size, below the page: --page 1.1, 1.2 ...
    #[arg(long, help_heading = "Writing")]
    reduced_copies: bool,
    /// Quality of JPEG (default: 90); every 15 less double the quantisation steps
    #[arg(long, value_name = "1..100", value_parser = clap::value_parser!(u8).range(1..=100), help_heading = "Writing")]
    quality: Option<u8>,
    /// Chroma sampling of JPEG: 4:4:4 (default), 4:2:2 or 4:2:0
    #[arg(long, value_name = "RATIO", value_parser = words::sampling, help_heading = "Writing")]
    sampling: Option<ChromaSampling>,
    /// Progressive JPEG: several scans, coarse to fine
    #[arg(long, help_heading = "Writing")]
    progressive: bool,
    /// Interlaced PNG: seven passes, coarse to fine
    #[arg(long, help_heading = "Writing")]
    interlaced: bool,
    /// Restart markers in JPEG, every N rows of blocks
    #[arg(long, value_name = "N", help_heading = "Writing")]
    restart_rows: Option<u16>,
    /// Seconds that the picture is shown, in an animation (GIF, PNG)
    #[arg(long, value_name = "SECONDS", value_parser = words::seconds, allow_hyphen_values = true, help_heading = "Writing")]
    delay: Option<f64>,
    /// How often an animation is played (default: for ever)
    #[arg(long, value_name = "N", help_heading = "Writing")]
    plays: Option<u32>,
    /// Write raw bytes of this layout, whatever the extension: "order=bgra depth=u8 stride=2568" or "ycbcr=pairs" (as for --raw, without
    /// the size)
    #[arg(long, value_name = "LAYOUT", value_parser = words::raw_out, help_heading = "Writing")]
    #[arg(conflicts_with = "format")]
    raw_out: Option<words::Raw>,
}

impl Written {
    /// How long a picture is shown, where that is said.
    pub(crate) fn delay(&self) -> Option<f64> {
        self.delay
    }

    /// The extension of further files that a verb writes beside each other: that of the format, or of a file that is read,
    /// if it can be written, or png.
    pub(crate) fn extension_like(&self, input: &Path) -> String {
        let known = rahmen::file::writable_extensions();
        let own = || input.extension().and_then(|e| e.to_str()).map(str::to_ascii_lowercase);
        self.format.clone().or_else(|| own().filter(|e| known.contains(&e.as_str()))).unwrap_or_else(|| "png".into())
    }

    /// A word that was given and does not fit coefficients that are moved.
    fn word_about_pixels(&self) -> Option<&'static str> {
        let other = self.format.as_ref().is_some_and(|f| !["jpg", "jpeg"].contains(&f.to_ascii_lowercase().as_str()));
        let words = [
            (other, "another --format"),
            (self.compression.is_some(), "--compression"),
            (self.tiled.is_some(), "--tiled"),
            (self.reduced_copies, "--reduced-copies"),
            (self.interlaced, "--interlaced"),
            (self.quality.is_some(), "--quality"),
            (self.sampling.is_some(), "--sampling"),
            (self.raw_out.is_some(), "--raw-out"),
        ];
        words.into_iter().find_map(|(given, word)| given.then_some(word))
    }

    /// Whether the format is said by a word and not by the extension.
    pub(crate) fn says_format(&self) -> bool {
        self.format.is_some() || self.raw_out.is_some()
    }

    /// A word of these that was given, if there is one.
    pub(crate) fn word(&self) -> Option<&'static str> {
        let words = [
            (self.format.is_some(), "--format"),
            (self.compression.is_some(), "--compression"),
            (self.tiled.is_some(), "--tiled"),
            (self.reduced_copies, "--reduced-copies"),
            (self.quality.is_some(), "--quality"),
            (self.sampling.is_some(), "--sampling"),
            (self.progressive, "--progressive"),
            (self.interlaced, "--interlaced"),
            (self.restart_rows.is_some(), "--restart-rows"),
            (self.delay.is_some(), "--delay"),
            (self.plays.is_some(), "--plays"),
            (self.raw_out.is_some(), "--raw-out"),
        ];
        words.into_iter().find_map(|(given, word)| given.then_some(word))
    }

    /// As one of many files, which are not forced to the disk one by one.
    pub(crate) fn not_forced(self) -> Written {
        Written { not_forced: true, ..self }
    }

    pub(crate) fn options(&self, output: &Path, shared: &Shared) -> Done<WriteOptions> {
        let mut options = WriteOptions::default().threads(shared.threads()).durable(!self.not_forced);
        match self.raw_out {
            Some(words::Raw::Pixels(layout)) => return Ok(options.raw(layout)),
            Some(words::Raw::Ycbcr(layout)) => return Ok(options.raw_ycbcr(layout)),
            None => {}
        }
        match self.compression {
            Some(words::Compression::Level(level)) => options = options.compression(level),
            Some(words::Compression::Tiff(packing)) => options = options.tiff_compression(packing),
            None => {}
        }
        options = options.plays(self.plays.unwrap_or(0));
        if let Some(tile) = self.tiled {
            options = options.tiled(tile);
        }
        if self.reduced_copies {
            options = options.reduced_copies();
        }
        if self.interlaced {
            options = options.interlaced();
        }
        if let Some(quality) = self.quality {
            options = options.quality(quality);
        }
        if let Some(sampling) = self.sampling {
            options = options.sampling(sampling);
        }
        if self.progressive {
            options = options.progressive();
        }
        if let Some(rows) = self.restart_rows {
            options = options.restart_rows(rows);
        }
        match &self.format {
            Some(name) => {
                let known = rahmen::file::writable_extensions();
                if name.eq_ignore_ascii_case("raw") {
                    let how = "add --raw-out \"order=bgra depth=u8\" (or another layout) instead of --format raw";
                    return Err(Failure::words(how));
                }
                let unknown = || format!("no format {name} can be written; known: {}", known.join(", "));
                options.extension(name).ok_or_else(|| Failure::words(unknown()))
            }
            None if output == Path::new("-") => Err(Failure::words(
                "standard output has no extension that says the format; add --format png (or another)",
            )),
            None => Ok(options),
        }
    }
}

/// Starts the file that is to be written.
pub(crate) fn create(output: &Path, facts: &Facts, written: &Written, shared: &Shared) -> Done<Writer<'static>> {
    create_pages(output, facts, 1, written, shared)
}

/// [`create`] for a file of so many pages.
pub(crate) fn create_pages(
    output: &Path,
    facts: &Facts,
    pages: u32,
    written: &Written,
    shared: &Shared,
) -> Done<Writer<'static>> {
    // However many rows it has, one of them is held at least.
    let row = facts.pixel_format.bytes(rahmen::Size::new(facts.size.width, 1));
    let limits = shared.read_options().limits;
    let mut facts = facts.clone();
    facts.metadata.delay = written.delay.or(facts.metadata.delay);
    let facts = &facts;
    limits.check_size(facts.size)?;
    limits.check_memory("a row of the picture", row)?;
    let options = written.options(output, shared)?.pages(pages);
    process::check_output(output)?;
    Ok(match output == Path::new("-") {
        true => Writer::to_stream(std::io::stdout(), facts, options).map_err(|e| e.in_file("standard output"))?,
        false => Writer::create(output, facts, options)?,
    })
}

/// No work of its own: what the picture becomes on the way is all.
pub(crate) struct NoVerb;

impl Making for NoVerb {
    fn steps(&self, _: &Facts, _: &Context<'_>) -> Done<Steps> {
        Ok(Vec::new())
    }
}

impl<V: Args + Making + 'static> Make<V> {
    /// The verb as a step of a recipe: where the picture comes from and goes to is left out.
    pub(crate) fn into_step(self) -> RecipeStep {
        RecipeStep::Make { verb: Box::new(self.verb), becomes: self.becomes, written: self.written }
    }

    pub(crate) fn run(self, shared: &Shared) -> Done {
        let Make { input, output, verb, becomes, written } = self;
        run(&input, &output, &verb, (&becomes, &written), shared)
    }
}

/// Runs a making verb whose words stand elsewhere.
pub(crate) fn run(
    input: &Path,
    output: &Path,
    verb: &dyn Making,
    (becomes, written): (&Becomes, &Written),
    shared: &Shared,
) -> Done {
    Words { input, output, verb, becomes, written }.run(shared)
}

/// The words of a making verb, compiled once for all of them.
struct Words<'a> {
    input: &'a Path,
    output: &'a Path,
    verb: &'a dyn Making,
    becomes: &'a Becomes,
    written: &'a Written,
}

impl Words<'_> {
    fn run(&self, shared: &Shared) -> Done {
        if let Some((orientation, mut rules)) = self.verb.lossless(shared)? {
            if let Some(word) = self.becomes.word_about_pixels().or(self.written.word_about_pixels()) {
                let line = format!("{word} asks for new pixels, --lossless moves those that are there; leave one out");
                return Err(Failure::words(line));
            }
            if orientation.is_none() && !self.becomes.upright {
                return Err(Failure::words("--lossless needs an angle of 90, 180 or 270, or --upright"));
            }
            rules.upright = self.becomes.upright;
            rules.progressive = self.written.progressive;
            rules.restart_rows = self.written.restart_rows.unwrap_or(0);
            return lossless::run(self.input, self.output, orientation, rules, shared);
        }
        let plots = self.verb.plotting().is_some_and(|p| p.plot.is_some());
        if plots && (self.input == Path::new("-") || self.output == Path::new("-")) {
            return Err(Failure::words("--plot looks at both files again; give them names instead of -"));
        }
        self.refuse_lossy_copy()?;
        let (options, becomes) = self.becomes.while_reading(shared.read_options())?;
        let reader = match self.verb.looks_twice() {
            true => open::open_twice(self.input, options, shared)?,
            false => open::open_with(self.input, options, shared)?,
        };
        let input = reader.facts().clone();
        let steps = all_steps(self.verb, &input, &Context { shared, becomes: &becomes });
        let steps = steps.map_err(|e| open::in_file(e, self.input))?;
        for step in &steps {
            shared.tell(|| format!("step: {}", step.name()));
        }
        let named = |e: rahmen::Error| e.in_file(open::name_of(self.input));
        let mut chain = Chain::new(Box::new(reader), steps).map_err(named)?;
        let output = chain.facts().clone();
        let mut writer = create(self.output, &output, self.written, shared)?;
        input.remarks.iter().for_each(|remark| shared.note(remark));
        let remarks = writer.remarks();
        progress::run(&mut chain, &mut writer, shared).map_err(named).map_err(pipe_is_no_failure)?;
        remarks.iter().for_each(|remark| shared.note(remark));
        chain.take_late_remarks().iter().for_each(|remark| shared.note(remark));
        open::note_damage(self.input, chain.take_damage(), shared);
        // What the verb has changed is told against what it saw.
        let seen = if becomes.upright {
            Orient::upright().plan(&input).map_err(named)?.facts().clone()
        } else {
            input.clone()
        };
        say_done(self.input, self.output, &input, &output, self.verb.remark(&seen, &output), shared)?;
        self.verb.plot(self.input, self.output, shared)
    }

    /// Refuses to replace a file of a lossy format by a copy with new losses.
    fn refuse_lossy_copy(&self) -> Done {
        let real = |path: &Path| std::fs::canonicalize(path).ok();
        let same = real(self.input).is_some_and(|input| real(self.output) == Some(input));
        let jpeg = |path: &Path| FileFormat::of_extension(path) == Some(FileFormat::Jpeg);
        if same && jpeg(self.output) {
            let name = self.output.display();
            return Err(Failure::words(format!(
                "{name} is read and written: JPEG would lose a little each time; name another file for OUT"
            )));
        }
        Ok(())
    }
}

/// Whoever reads standard output may stop early.
pub(crate) fn pipe_is_no_failure(error: rahmen::Error) -> Failure {
    match error.kind() {
        rahmen::ErrorKind::Io { source, .. } if source.kind() == std::io::ErrorKind::BrokenPipe => Failure::NobodyReads,
        _ => error.into(),
    }
}

/// The steps of a verb between those that its picture becomes on the way.
pub(crate) fn all_steps(verb: &dyn Making, input: &Facts, context: &Context<'_>) -> Done<Steps> {
    let mut steps: Steps = Vec::new();
    let mut facts = input.clone();
    let becomes = context.becomes;
    let add = |steps: &mut Steps, facts: &mut Facts, step: Box<dyn Step>| -> Done {
        *facts = step.plan(facts)?.facts().clone();
        steps.push(step);
        Ok(())
    };
    if becomes.upright {
        add(&mut steps, &mut facts, Box::new(Orient::upright()))?;
    }
    let window = becomes.window()?.filter(|_| !verb.takes_window());
    let own = verb.steps(&facts, context).map(|own| own.is_empty()).unwrap_or(false);
    // With nothing in between, window and depth are one step, rounded once.
    let joined = own && window.is_some();
    if let (Some(_), false) = (window, joined) {
        add(&mut steps, &mut facts, Box::new(to_depth(Becomes::own_depth(input), window, context)))?;
    }
    match becomes.read_as {
        Some(As::Gray) => add(&mut steps, &mut facts, Box::new(ToGray::default().threads(context.shared.threads())))?,
        Some(As::Color) => add(&mut steps, &mut facts, Box::new(ToColor))?,
        // Numbering colours is the reader's work; codes are made last, of what the work gives.
        Some(As::Stored | As::Indices | As::Codes | As::Encoded | As::Linear | As::Values) | None => {}
    }
    for step in verb.steps(&facts, context)? {
        add(&mut steps, &mut facts, step)?;
    }
    if let Some(color) = becomes.flatten {
        let background = color.of(&facts).map_err(anyhow::Error::msg)?.rgb;
        add(&mut steps, &mut facts, Box::new(Flatten::new(background)))?;
    }
    let depth = becomes.depth.map(rahmen::Depth::from);
    if depth.is_some() || joined {
        let depth = depth.unwrap_or(Becomes::own_depth(input));
        add(&mut steps, &mut facts, Box::new(to_depth(depth, window.filter(|_| joined), context)))?;
    }
    if becomes.read_as == Some(As::Codes) {
        add(&mut steps, &mut facts, Box::new(ToCodes))?;
    }
    Ok(steps)
}

/// Writes a picture held whole, and says what the file could not hold.
pub(crate) fn write_whole(output: &Path, picture: Picture, written: &Written, shared: &Shared) -> Done {
    let facts = picture.facts();
    let mut writer = create(output, &facts, written, shared)?;
    let remarks = writer.remarks();
    let (content, _) = picture.into_parts();
    let written = writer.put(&Strip { first_row: 0, content }).and_then(|()| writer.finish());
    written.map_err(pipe_is_no_failure)?;
    remarks.iter().for_each(|remark| shared.note(remark));
    Ok(())
}

pub(crate) fn to_depth(depth: rahmen::Depth, window: Option<Window>, context: &Context<'_>) -> ToDepth {
    ToDepth::new(depth).window(window).threads(context.shared.threads())
}

/// One line that says what was made of what.
pub(crate) fn say_done(
    input: &Path,
    output: &Path,
    from: &Facts,
    to: &Facts,
    remark: Option<String>,
    shared: &Shared,
) -> Done {
    let remark = remark.map_or(String::new(), |r| format!("; {r}"));
    shared.say(output, || {
        format!(
            "{} ({} {}) -> {} ({} {}){remark}",
            open::name_of(input),
            from.size,
            from.pixel_format.describe(),
            output.display(),
            to.size,
            to.pixel_format.describe(),
        )
    })
}
