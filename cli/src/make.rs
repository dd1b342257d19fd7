//! Making verbs: from IN through steps to OUT, strip by strip.

use crate::args::{As, Shared};
use crate::fail::{Done, Failure};
use crate::plots::Plotting;
use crate::recipe::RecipeStep;
use crate::{lossless, open, process, progress};
use clap::Args;
use rahmen::convert::depth::Window;
use rahmen::file::{LosslessRules, Reader, StatedMeaning, Writer};
use rahmen::flow::{Chain, Codes, Flatten, Orient, Sink, Step, Strip, ToCodes, ToColor, ToDepth, ToGray};
use rahmen::frame::Scale;
use rahmen::pixel::Meaning;
use rahmen::{Facts, FileFormat, Picture, PixelFormat};
use std::path::{Path, PathBuf};

pub(crate) use crate::becomes::Becomes;
pub(crate) use crate::written::Written;

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

    /// What the verb's words say of the numbers of a file that cannot say it.
    fn meaning(&self) -> Option<StatedMeaning> {
        None
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

/// Starts the file that is to be written.
pub(crate) fn create(output: &Path, facts: &Facts, written: &Written, shared: &Shared) -> Done<Writer<'static>> {
    create_pages(output, facts, (1, None), written, shared)
}

/// [`create`] for a file of so many pages, played so many times where no word says otherwise.
pub(crate) fn create_pages(
    output: &Path,
    facts: &Facts,
    (pages, plays): (u32, Option<u32>),
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
    let mut options = written.options(output, shared)?.pages(pages);
    options.plays = options.plays.or(plays);
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
        let (mut options, becomes) = self.becomes.while_reading(shared.read_options())?;
        options.meaning = options.meaning.or(self.verb.meaning());
        let twice = self.verb.looks_twice() || self.becomes.numbers().is_some();
        let mut reader = match twice {
            true => open::open_twice(self.input, options, shared)?,
            false => open::open_with(self.input, options, shared)?,
        };
        let (first, stored) = (reader.facts().clone(), reader.stored().clone());
        let all = pages_of(&stored, self.output, self.written, shared)?;
        let (mut writer, mut made, mut pages) = (None, None, 0);
        loop {
            pages += 1;
            let output = self.page(&mut reader, &becomes, (&mut writer, all, stored.plays), shared)?;
            made.get_or_insert(output);
            let named = |e: rahmen::Error| e.in_file(open::name_of(self.input));
            if all.is_none() || !reader.next_page().map_err(named)? {
                break;
            }
        }
        let (Some(mut writer), Some(output)) = (writer, made) else { return Ok(()) };
        writer.finish().map_err(pipe_is_no_failure)?;
        shared.tell(|| format!("{}: written", open::name_of(self.output)));
        writer.remarks().iter().for_each(|remark| shared.note(remark));
        note_scaled(&output, self.output, self.written, shared)?;
        // What the verb has changed is told against what it saw.
        let seen = if becomes.upright { Orient::upright().plan(&first)?.facts().clone() } else { first.clone() };
        let count = (pages > 1).then(|| format!("{pages} pages"));
        let told: Vec<String> = self.verb.remark(&seen, &output).into_iter().chain(count).collect();
        let told = (!told.is_empty()).then(|| told.join("; "));
        say_done(self.input, self.output, &first, &output, told, shared)?;
        self.verb.plot(self.input, self.output, shared)
    }

    /// Makes the page that the reader is at, as the writer's next one; gives its facts as they are written.
    fn page(
        &self,
        reader: &mut Reader<'_>,
        becomes: &Becomes,
        (writer, all, plays): (&mut Option<Writer<'static>>, Option<u32>, Option<u32>),
        shared: &Shared,
    ) -> Done<Facts> {
        let input = reader.facts().clone();
        let steps = all_steps(self.verb, &input, &Context { shared, becomes });
        let (steps, _) = steps.map_err(|e| open::in_file(e, self.input))?;
        for step in &steps {
            shared.tell(|| format!("step: {}", step.name()));
        }
        let named = |e: rahmen::Error| e.in_file(open::name_of(self.input));
        let mut chain = Chain::new(Box::new(reader), steps).map_err(named)?;
        let output = chain.facts().clone();
        let writer = begin_page(writer, self.output, &output, (all.unwrap_or(1), plays), self.written, shared)?;
        input.remarks.iter().for_each(|remark| shared.note(remark));
        progress::run(&mut chain, &mut OnePage(writer), shared).map_err(named).map_err(pipe_is_no_failure)?;
        chain.take_late_remarks().iter().for_each(|remark| shared.note(remark));
        open::note_damage(self.input, chain.take_damage(), shared);
        Ok(output)
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

/// Says that arrays hold samples over the full range where the file had codes.
pub(crate) fn note_scaled(facts: &Facts, output: &Path, written: &Written, shared: &Shared) -> Done {
    let array = matches!(written.format_of(output, shared)?, Some(FileFormat::Npy | FileFormat::Npz | FileFormat::Raw));
    let tops = facts.metadata.max_codes.as_ref().filter(|_| array && facts.metadata.scale == Scale::Full);
    if let (Some(top), PixelFormat::Pixels { depth, .. }) = (tops.and_then(|tops| tops.first()), &facts.pixel_format) {
        let full = depth.max_code().map_or(String::new(), |full| full.to_string());
        shared.note(&format!(
            "the numbers are samples over the full range, 0 to {full}; --as codes writes codes, 0 to {top}"
        ));
    }
    Ok(())
}

/// How many pages are made of a file, where all are: none is named, and the file that is written holds several. Where it does not, or where
/// pictures hang below the pages, a warning says so.
pub(crate) fn pages_of(stored: &Facts, output: &Path, written: &Written, shared: &Shared) -> Done<Option<u32>> {
    if shared.page.is_some() {
        return Ok(None);
    }
    let several = stored.pages > 1 || stored.more_pages;
    let all = several && written.holds_pages(output, shared)?;
    let format = written.format_of(output, shared)?.map_or(String::new(), |format| format.to_string());
    let further = stored.pages > 1 && !all;
    rahmen::file::pages_left(stored, &format, further, true).iter().for_each(|line| shared.note(line));
    Ok(all.then_some(stored.pages))
}

/// Begins the next page of a file, which is begun itself with its first page.
pub(crate) fn begin_page<'w>(
    writer: &'w mut Option<Writer<'static>>,
    output: &Path,
    facts: &Facts,
    (pages, plays): (u32, Option<u32>),
    written: &Written,
    shared: &Shared,
) -> Done<&'w mut Writer<'static>> {
    match writer {
        None => Ok(writer.insert(create_pages(output, facts, (pages, plays), written, shared)?)),
        Some(writer) => {
            let mut facts = facts.clone();
            facts.metadata.delay = written.delay.or(facts.metadata.delay);
            writer.next_page(&facts)?;
            Ok(writer)
        }
    }
}

/// A writer that goes on behind the page.
pub(crate) struct OnePage<'w>(pub(crate) &'w mut Writer<'static>);

impl Sink for OnePage<'_> {
    fn put(&mut self, strip: &Strip) -> rahmen::Result<()> {
        self.0.put(strip)
    }

    fn finish(&mut self) -> rahmen::Result<()> {
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

/// The steps of a verb between those that its picture becomes on the way, and what they make of the input.
pub(crate) fn all_steps(verb: &dyn Making, input: &Facts, context: &Context<'_>) -> Done<(Steps, Facts)> {
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
    if let Some(top) = becomes.max_code {
        let wanted = if top > 255 { rahmen::Depth::U16 } else { rahmen::Depth::U8 };
        if Becomes::own_depth(&facts) != wanted {
            add(&mut steps, &mut facts, Box::new(to_depth(wanted, None, context)))?;
        }
        add(&mut steps, &mut facts, Box::new(Codes::new(top)))?;
    }
    if becomes.read_as == Some(As::Codes) {
        add(&mut steps, &mut facts, Box::new(ToCodes))?;
    }
    Ok((steps, facts))
}

/// Writes a picture held whole, and says what the file could not hold.
pub(crate) fn write_whole(output: &Path, picture: Picture, written: &Written, shared: &Shared) -> Done {
    let facts = picture.facts();
    let mut writer = create(output, &facts, written, shared)?;
    let remarks = writer.remarks();
    let (content, _) = picture.into_parts();
    let written = progress::during("writing", shared, || {
        writer.put(&Strip { first_row: 0, content }).and_then(|()| writer.finish())
    });
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
            form_of(from),
            output.display(),
            to.size,
            form_of(to),
        )
    })
}

/// What pixels are, in words: indices are told by their colours, not as the gray samples that hold them.
fn form_of(facts: &Facts) -> String {
    match &facts.metadata.palette {
        Some(palette) if facts.metadata.meaning == Meaning::Indices => format!("of {} colours", palette.colors().len()),
        _ => facts.pixel_format.describe(),
    }
}
