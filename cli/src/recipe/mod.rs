//! Recipes: making steps one behind the other, each as it is typed after `rahmen`, without IN and OUT.
//!
//! A recipe is checked whole before a file is touched. Its steps become one chain: nothing is written in between, and rows go through
//! it strip by strip wherever every step allows that.

mod chain;
mod line;

pub(crate) use chain::Made;
pub(crate) use line::Values;

use crate::args::{Cli, Shared};
use crate::fail::{self, Failure};
use crate::make::{Becomes, Context, Making, Written};
use crate::verbs::{self, paste::Paste};
use clap::{CommandFactory, FromArgMatches};
use rahmen::{Depth, Facts, Layout, Metadata, PixelFormat, Size};
use std::path::{Path, PathBuf};

/// What stands for IN and OUT while a step's words are parsed.
const PLACES: (&str, &str) = ("in.png", "out.png");

/// A step of a recipe.
// A recipe has a handful of them.
#[allow(clippy::large_enum_variant)]
pub(crate) enum RecipeStep {
    /// A verb that makes one picture of one other, and what the picture becomes on the way.
    Make { verb: Box<dyn Making>, becomes: Becomes, written: Written },
    /// Another picture laid over the one at hand.
    Paste(Box<Paste>),
}

/// A recipe that was checked.
pub(crate) struct Recipe {
    steps: Vec<RecipeStep>,
    /// Each step's words, its values filled in.
    texts: Vec<String>,
    written: Written,
    /// Files that steps read beside the picture.
    reads: Vec<PathBuf>,
}

/// A line of a recipe, and what it is called in messages: `recipe.txt:3`.
pub(crate) struct Line {
    pub(crate) name: String,
    pub(crate) text: String,
}

/// Steps that a recipe may have: each is planned anew for each file.
const MOST_STEPS: usize = 1000;

impl Recipe {
    /// Checks the lines and makes steps of them.
    ///
    /// # Errors
    /// The first word that is wrong, with line and column, and what may have been meant.
    pub(crate) fn parse(lines: &[Line], values: &Values, shared: &Shared) -> Result<Recipe, Failure> {
        let (mut steps, mut texts, mut reads) = (Vec::new(), Vec::new(), Vec::new());
        let mut written = None;
        for line in lines {
            let at = |column: usize, what: String| Failure::words(format!("{}:{column}: {what}", line.name));
            let words = line::words(&line.text, values).map_err(|wrong| at(wrong.column, wrong.what))?;
            let Some(first) = words.first() else { continue };
            let column = first.column;
            if let Some(word) = &written {
                return Err(at(column, format!("{word} says how the file is written: it goes to the last step")));
            }
            let step = parse_step(&words, &mut reads).map_err(|wrong| at(wrong.column, wrong.what))?;
            if let RecipeStep::Make { verb, becomes, written: how } = &step {
                if !steps.is_empty()
                    && let Some(word) = becomes.word_about_meaning()
                {
                    return Err(at(
                        column,
                        format!("{word} says what a file's numbers mean: it goes to the first step"),
                    ));
                }
                check(verb.as_ref(), becomes, shared).map_err(|what| at(column, what))?;
                written = how.word().map(str::to_string);
            }
            if steps.len() >= MOST_STEPS {
                return Err(at(column, format!("a recipe has {MOST_STEPS} steps at most")));
            }
            texts.push(words.iter().map(|w| shown(&w.text)).collect::<Vec<_>>().join(" "));
            steps.push(step);
        }
        let Some(last) = steps.last() else {
            let name = lines.first().map_or("recipe", |line| line.name.split(':').next().unwrap_or("recipe"));
            return Err(Failure::words(format!("{name}: there is no step in it")));
        };
        let written = match last {
            RecipeStep::Make { written, .. } => written.clone(),
            RecipeStep::Paste(paste) => paste.written().clone(),
        };
        Ok(Recipe { steps, texts, written, reads })
    }

    /// Each step's words.
    pub(crate) fn texts(&self) -> &[String] {
        &self.texts
    }

    /// Files that steps read beside the picture: masks, pictures that are pasted.
    pub(crate) fn reads(&self) -> &[PathBuf] {
        &self.reads
    }

    /// How files are written.
    pub(crate) fn written(&self) -> &Written {
        &self.written
    }
}

/// A word as it is typed.
fn shown(word: &str) -> String {
    let plain = |c: char| c.is_alphanumeric() || "-_.,:/=+%@".contains(c);
    match !word.is_empty() && word.chars().all(plain) {
        true => word.to_string(),
        false => format!("'{}'", word.replace('\'', "'\\''")),
    }
}

/// The step that words stand for.
fn parse_step(words: &[line::Word], reads: &mut Vec<PathBuf>) -> Result<RecipeStep, line::Wrong> {
    let column = words.first().map_or(1, |word| word.column);
    let wrong = |what: String| line::Wrong { column, what };
    let typed: Vec<String> = words.iter().map(|word| word.text.clone()).collect();
    let (verb, others) = typed.split_first().ok_or_else(|| wrong("there is no verb".into()))?;
    let others = others.iter().map(String::as_str);
    // OUT follows IN, but where OVER stands between them.
    let all: Vec<&str> = match verb.as_str() {
        "paste" => ["rahmen", verb, PLACES.0].into_iter().chain(others).chain(["--", PLACES.1]).collect(),
        _ => ["rahmen", verb, PLACES.0, PLACES.1].into_iter().chain(others).collect(),
    };
    let parsed = Cli::command().try_get_matches_from(all).and_then(|matches| {
        let own = matches.subcommand().map_or_else(Vec::new, |(_, words)| crate::outputs::reads(words));
        reads.extend(own.into_iter().filter(|path| path != Path::new(PLACES.0)));
        Cli::from_arg_matches(&matches)
    });
    let cli = parsed.map_err(|error| {
        let (what, about) = fail::mistake_about(&error, &typed);
        let is = |word: &line::Word, a: &str| word.text == a || word.text.starts_with(&format!("{a}="));
        let place = about.iter().filter(|a| !a.is_empty()).find_map(|a| words.iter().find(|word| is(word, a)));
        line::Wrong { column: place.map_or(column, |word| word.column), what }
    })?;
    if let Some(word) = cli.shared.word() {
        return Err(wrong(format!("{word} is said of the whole run, not of a step")));
    }
    let step = verbs::step_of(cli.verb)
        .map_err(|()| wrong(format!("{verb} is no step: steps make one picture of one other")))?;
    if let RecipeStep::Make { verb: making, .. } = &step {
        if making.plotting().is_some_and(|plot| plot.plot.is_some()) {
            return Err(wrong("--plot looks at a file again; a step has none".into()));
        }
        if making
            .lossless(&cli.shared)
            .map_err(|_| wrong("--lossless moves the blocks of a file; a step has pixels".into()))?
            .is_some()
        {
            return Err(wrong("--lossless moves the blocks of a file; a step has pixels".into()));
        }
    }
    Ok(step)
}

/// Checks the words that only show what they are worth once there is a picture, on some that never were. A step that fails on all of
/// them in its words is wrong; what depends on a picture shows when there is one.
fn check(verb: &dyn Making, becomes: &Becomes, shared: &Shared) -> Result<(), String> {
    let kinds = [
        (Layout::Rgb, Depth::U8),
        (Layout::Rgba, Depth::U8),
        (Layout::Gray, Depth::U8),
        (Layout::GrayAlpha, Depth::U16),
        (Layout::Gray, Depth::F32),
        (Layout::Cmyk, Depth::U8),
    ];
    let mut first = None;
    for (layout, depth) in kinds {
        let facts = Facts::new(Size::new(4096, 4096), PixelFormat::Pixels { depth, layout }, Metadata::default());
        match verb.steps(&facts, &Context { shared, becomes }) {
            Err(Failure::Words(what)) => first = first.or(Some(what)),
            _ => return Ok(()),
        }
    }
    first.map_or(Ok(()), Err)
}
