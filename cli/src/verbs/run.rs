//! `run`: a recipe over many files.

use crate::args::Shared;
use crate::batch::{self, Ended, Entry, Input, Named, Part, Pattern, Report, Stop, changed_at};
use crate::fail::{Done, Failure};
use crate::notes::Said;
use crate::open;
use crate::outputs::Files;
use crate::process;
use crate::progress;
use crate::recipe::{Line, Made, Recipe, Values};
use anyhow::Context as _;
use clap::Args;
use rahmen::ErrorKind;
use rahmen::MemoryBudget;
use std::collections::HashMap;
use std::path::{Path, PathBuf};
use std::sync::Mutex;
use std::sync::PoisonError;
use std::time::Instant;

/// Recipes are words: a file beyond this is none.
const MOST_RECIPE: u64 = 1 << 20;

/// The name of the report in the folder of the outputs.
const REPORT: &str = "run-report.jsonl";

/// The words of `run`.
#[derive(Debug, Args)]
pub(crate) struct Run {
    /// The recipe, then the files: a text file, one making step a line, as it is typed after `rahmen`, without IN and OUT; with --step
    /// only files. Files may be folders of pictures, or patterns in quotes
    #[arg(required = true, value_name = "RECIPE IN")]
    words: Vec<PathBuf>,
    /// A step, instead of a recipe; repeat it for each, in order: --step "resize --width 800"
    #[arg(long = "step", value_name = "WORDS", allow_hyphen_values = true)]
    steps: Vec<String>,
    /// The folder for the files; made if it is not there
    #[arg(long, value_name = "FOLDER")]
    into: PathBuf,
    /// A value for ${NAME} in the steps; repeatable
    #[arg(long = "set", value_name = "NAME=VALUE", value_parser = value, allow_hyphen_values = true)]
    values: Vec<(String, String)>,
    /// Names of the files that are made, of {name}, {ext}, {folder} (below the folder that was named) and {number} (default:
    /// "{folder}/{name}.{ext}")
    #[arg(long, value_name = "PATTERN")]
    names: Option<Pattern>,
    /// Also pictures in folders below the folders that are named
    #[arg(long)]
    recursive: bool,
    /// Only a share of the files, the same each time: 3/16 is the third of sixteen
    #[arg(long, value_name = "K/N")]
    part: Option<Part>,
    /// Skip what the report of an earlier run says was done, and where neither file has changed since
    #[arg(long)]
    resume: bool,
    /// Where the report goes: JSON lines, a file each (default: run-report.jsonl in the folder)
    #[arg(long, value_name = "FILE")]
    report: Option<PathBuf>,
    /// Say what would be made of what, and make nothing
    #[arg(long)]
    dry_run: bool,
}

/// `NAME=VALUE`.
fn value(word: &str) -> Result<(String, String), String> {
    let (name, value) = word.split_once('=').ok_or_else(|| format!("a value is NAME=VALUE, not {word}"))?;
    let fits = !name.is_empty() && name.chars().all(|c| c.is_alphanumeric() || c == '_' || c == '-');
    match fits {
        true => Ok((name.to_string(), value.to_string())),
        false => Err(format!("a name is letters, digits, - and _, not {name}")),
    }
}

impl Run {
    pub(crate) fn run(self, shared: &Shared) -> Done {
        let (lines, files) = self.lines()?;
        let values: Values = self.values.iter().cloned().collect();
        let recipe = Recipe::parse(&lines, &values, shared)?;
        if files.is_empty() {
            return Err(Failure::words("run needs files behind the recipe"));
        }
        let inputs = batch::inputs(&files, self.recursive)?;
        let pattern = match &self.names {
            Some(pattern) => pattern.clone(),
            None => "{folder}/{name}.{ext}".parse().map_err(Failure::words)?,
        };
        let extension = |path: &Path| recipe.written().extension_like(path);
        let mut all = batch::named(&inputs, &self.into, &pattern, &extension)?;
        if let Some(part) = self.part {
            all = all.into_iter().enumerate().filter(|(place, _)| part.has(*place)).map(|(_, named)| named).collect();
        }
        for named in &all {
            recipe.written().options(&named.output, shared)?;
            let known = rahmen::file::writable_extensions();
            let extension = named.output.extension().and_then(|e| e.to_str()).unwrap_or_default().to_ascii_lowercase();
            if !recipe.written().says_format() && !known.contains(&extension.as_str()) {
                let (extension, known) = (extension.clone(), known.join(", "));
                let error = rahmen::Error::from(ErrorKind::UnknownExtension { extension, known });
                return Err(error.in_file(&named.output).into());
            }
        }
        self.check_files(&recipe, &inputs, &all)?;
        if self.dry_run {
            return self.tell(&recipe, &all, shared);
        }
        self.make(&recipe, (&lines, &values), all, shared)
    }

    /// Refuses an output that is a file which is read, and two that are one.
    fn check_files(&self, recipe: &Recipe, inputs: &[Input], all: &[Named]) -> Done {
        let mut files = Files::default();
        inputs.iter().for_each(|input| files.read(&input.path));
        recipe.reads().iter().for_each(|path| files.read(path));
        if self.steps.is_empty() {
            self.words.first().into_iter().for_each(|recipe| files.read(recipe));
        }
        for named in all {
            let output = self.into.join(&named.output);
            files.write(output.display().to_string(), &output);
        }
        let report = self.report_path();
        files.write(format!("the report {}", report.display()), &report);
        files.check()
    }

    fn report_path(&self) -> PathBuf {
        self.report.clone().unwrap_or_else(|| self.into.join(REPORT))
    }

    /// The lines of the recipe, and the files.
    fn lines(&self) -> Done<(Vec<Line>, Vec<PathBuf>)> {
        if !self.steps.is_empty() {
            let named =
                |(number, text): (usize, &String)| Line { name: format!("--step {number}"), text: text.clone() };
            return Ok(((1..).zip(&self.steps).map(named).collect(), self.words.clone()));
        }
        let Some((file, files)) = self.words.split_first() else { return Err(Failure::words("run needs a recipe")) };
        let name = file.display();
        let found = std::fs::metadata(file).with_context(|| name.to_string())?;
        if found.is_dir() || rahmen::FileFormat::of_extension(file).is_some() {
            let what = if found.is_dir() { "is a folder" } else { "is a picture" };
            return Err(Failure::words(format!("{name} {what}: the recipe comes first, or give steps with --step")));
        }
        let bytes = open::read_most(file, MOST_RECIPE).map_err(|e| match e.kind() {
            std::io::ErrorKind::FileTooLarge => {
                anyhow::anyhow!("{name}: more than {MOST_RECIPE} bytes are too many for a recipe")
            }
            _ => anyhow::Error::new(e).context(name.to_string()),
        })?;
        let text = String::from_utf8(bytes).map_err(|_| anyhow::anyhow!("{name}: a recipe is text in UTF-8"))?;
        let text = text.strip_prefix('\u{feff}').unwrap_or(&text);
        let line = |(number, text): (usize, &str)| Line { name: format!("{name}:{number}"), text: text.to_string() };
        Ok(((1..).zip(text.lines()).map(line).collect(), files.to_vec()))
    }

    /// What would be done.
    fn tell(&self, recipe: &Recipe, all: &[Named], shared: &Shared) -> Done {
        for (number, text) in (1..).zip(recipe.texts()) {
            shared.say(&self.into, || format!("step {number}: {text}"))?;
        }
        for named in all {
            let output = self.into.join(&named.output);
            shared.say(&self.into, || format!("{} -> {}", open::name_of(&named.input), output.display()))?;
        }
        Ok(())
    }

    /// Makes all of it.
    fn make(&self, recipe: &Recipe, (lines, values): (&[Line], &Values), all: Vec<Named>, shared: &Shared) -> Done {
        self.make_folders(&all)?;
        let (report, known) = self.begin_report(recipe, shared)?;
        let count = all.len();
        let todo: Vec<Named> = all.into_iter().filter(|named| !self.is_done(named, &known)).collect();
        let skipped = count - todo.len();
        let threads = shared.threads().count();
        let workers = threads.min(todo.len()).max(1);
        process::keep_memory_at_hand();
        let work = AtWork {
            into: &self.into,
            lines,
            values,
            shared,
            // A file each where there are enough of them; else each gets what is left.
            each: Shared { threads: (threads / workers).max(1), ..shared.clone() },
            budget: process::budget(shared),
            recipes: Mutex::new(Vec::new()),
            report,
            tally: Mutex::new(Tally::default()),
            bar: progress::files(todo.len(), shared),
            stop: Stop::listen(),
        };
        let begun = Instant::now();
        batch::each(todo.len(), workers, &work.stop, &|number, alone| work.one(&todo[number], alone));
        work.bar.end();
        let tally = work.tally.into_inner().unwrap_or_else(PoisonError::into_inner);
        self.sum_up(tally, (todo.len(), skipped), begun, shared)
    }

    /// Makes the folders that the files go into.
    fn make_folders(&self, all: &[Named]) -> Done {
        let mut folders: Vec<PathBuf> =
            all.iter().filter_map(|named| self.into.join(&named.output).parent().map(Path::to_path_buf)).collect();
        folders.push(self.into.clone());
        folders.sort();
        folders.dedup();
        for folder in &folders {
            std::fs::create_dir_all(folder).with_context(|| format!("{}: cannot make the folder", folder.display()))?;
        }
        Ok(())
    }

    /// The report, begun or gone on with, and what it knows of an earlier run.
    fn begin_report(&self, recipe: &Recipe, shared: &Shared) -> Done<(Report, HashMap<String, Entry>)> {
        let path = self.report_path();
        if !self.resume {
            return Ok((Report::start(&path, recipe.texts())?, HashMap::new()));
        }
        let (report, known) = Report::go_on(&path, recipe.texts())?;
        if known.is_none() {
            shared.note("the steps are others than those of the report: all files are made again");
        }
        Ok((report, known.unwrap_or_default()))
    }

    /// Whether the report says that this was done, and nothing has changed since.
    fn is_done(&self, named: &Named, known: &HashMap<String, Entry>) -> bool {
        let Some(entry) = known.get(&open::name_of(&named.input)).filter(|entry| entry.error.is_none()) else {
            return false;
        };
        let output = self.into.join(&named.output);
        let same_input = std::fs::metadata(&named.input)
            .is_ok_and(|found| (found.len(), changed_at(&found)) == (entry.input_bytes, entry.input_changed.clone()));
        let same_output = std::fs::metadata(&output).is_ok_and(|found| found.len() == entry.output_bytes);
        same_input && same_output && entry.output == open::name_of(&output)
    }

    fn sum_up(&self, tally: Tally, (todo, skipped): (usize, usize), begun: Instant, shared: &Shared) -> Done {
        let Tally { done, failed, report } = tally;
        if let Some(failure) = report {
            return Err(failure);
        }
        let seconds = begun.elapsed().as_secs_f64();
        let left = todo - done - failed;
        let mut words = vec![format!("{done} done")];
        let more = [(failed, "failed"), (skipped, "done before"), (left, "not begun")];
        words.extend(more.into_iter().filter(|(n, _)| *n > 0).map(|(n, what)| format!("{n} {what}")));
        let line = format!(
            "{}: {} in {} s{}",
            self.into.display(),
            words.join(", "),
            crate::text::number((seconds * 100.0).round() / 100.0),
            match done + failed {
                0 => String::new(),
                n =>
                    format!(" ({} files/s)", crate::text::number((n as f64 / seconds.max(1e-6) * 10.0).round() / 10.0)),
            }
        );
        if left > 0 {
            let how = "the same command with --resume goes on";
            return Err(anyhow::anyhow!("interrupted: {line}; {how}").into());
        }
        shared.say(&self.into, || line)?;
        if failed > 0 { Err(Failure::Reported) } else { Ok(()) }
    }
}

/// What all threads at work share.
struct AtWork<'a> {
    into: &'a Path,
    lines: &'a [Line],
    values: &'a Values,
    shared: &'a Shared,
    /// For a file that is worked on beside others.
    each: Shared,
    budget: MemoryBudget,
    /// What a step leaves behind is its own: each thread at work has its steps.
    recipes: Mutex<Vec<Recipe>>,
    report: Report,
    tally: Mutex<Tally>,
    bar: progress::Bar,
    stop: Stop,
}

impl AtWork<'_> {
    /// Makes one file; `alone` where no other is worked on.
    fn one(&self, named: &Named, alone: bool) -> Ended {
        let shared = &if alone { self.shared } else { &self.each }.apart();
        let begun = Instant::now();
        let output = self.into.join(&named.output);
        let mine = self.recipes.lock().unwrap_or_else(PoisonError::into_inner).pop();
        let mine = mine.map_or_else(|| Recipe::parse(self.lines, self.values, shared), Ok);
        let made = mine.and_then(|recipe| {
            let made = recipe.run(&named.input, &output, &self.budget, shared);
            self.recipes.lock().unwrap_or_else(PoisonError::into_inner).push(recipe);
            made
        });
        if !alone && made.as_ref().is_err_and(is_memory) {
            return Ended::NoRoom;
        }
        let entry = entry_of(named, &output, begun, made.as_ref());
        let mut tally = self.tally.lock().unwrap_or_else(PoisonError::into_inner);
        match &made {
            Ok(done) => {
                tally.done += 1;
                let input = open::name_of(&named.input);
                self.bar.above(|| {
                    shared.tell(|| format!("{input} -> {}", output.display()));
                    done.said.warnings.iter().for_each(|line| shared.tell(|| format!("{input}: {line}")));
                    if done.said.salvaged.is_some() {
                        shared.print_notes();
                    }
                });
            }
            Err(failure) => {
                tally.failed += 1;
                self.bar.above(|| {
                    failure.report();
                });
            }
        }
        if let Err(failure) = self.report.add(&entry) {
            // Without a report nobody could go on.
            tally.report = Some(failure);
            self.stop.ask();
        }
        self.bar.step();
        Ended::Done
    }
}

/// What came of the files so far.
#[derive(Default)]
struct Tally {
    done: usize,
    failed: usize,
    /// Why the report cannot be written.
    report: Option<Failure>,
}

/// Whether a file failed because the budget was used up.
fn is_memory(failure: &Failure) -> bool {
    let Failure::Work(error) = failure else { return false };
    error.chain().filter_map(|cause| cause.downcast_ref::<rahmen::Error>()).any(|error| {
        error.help().iter().any(|help| matches!(help, rahmen::Help::RaiseBudget | rahmen::Help::RaiseLimit("memory")))
    })
}

fn entry_of(named: &Named, output: &Path, begun: Instant, made: Result<&Made, &Failure>) -> Entry {
    let input = std::fs::metadata(&named.input).ok();
    let (input_bytes, input_changed) = input.map_or((0, String::new()), |found| (found.len(), changed_at(&found)));
    let size = made.map_or(rahmen::Size::new(0, 0), |made| made.facts.size);
    let output_bytes = match made {
        Ok(_) => std::fs::metadata(output).map_or(0, |found| found.len()),
        Err(_) => 0,
    };
    Entry {
        input: open::name_of(&named.input),
        output: open::name_of(output),
        input_bytes,
        input_changed,
        output_bytes,
        width: size.width,
        height: size.height,
        seconds: begun.elapsed().as_secs_f64(),
        said: made.map_or_else(|_| Said::default(), |made| made.said.clone()),
        error: made.err().map(Failure::line),
    }
}
