//! Failures: one line on standard error, and the exit status that goes with it.

use clap::error::ContextKind;
use rahmen::{Depth, ErrorKind, Help};
use std::io::Write;
use std::process::ExitCode;

/// What ends the program, or one file of several, before its work is done.
#[derive(Debug)]
pub(crate) enum Failure {
    /// The work could not be done: exit status 1.
    Work(anyhow::Error),
    /// The words were wrong: exit status 2.
    Words(String),
    /// Some of several files failed and have been reported already: exit status 1.
    Reported,
    /// Whoever read our output has stopped, which is no failure.
    NobodyReads,
}

/// A result of a verb.
pub(crate) type Done<T = ()> = Result<T, Failure>;

impl Failure {
    /// Wrong words.
    pub(crate) fn words(line: impl Into<String>) -> Failure {
        Failure::Words(line.into())
    }

    /// Why, in one line.
    pub(crate) fn line(&self) -> String {
        match self {
            Failure::Work(error) => one_line(&text_of(error)),
            Failure::Words(line) => one_line(line),
            Failure::Reported => "it failed".into(),
            Failure::NobodyReads => "nobody reads the output".into(),
        }
    }

    /// Prints the line, if one is due, and gives the exit status.
    pub(crate) fn report(&self) -> ExitCode {
        let status = match self {
            Failure::Work(_) => 1,
            Failure::Words(_) => 2,
            Failure::Reported => return ExitCode::from(1),
            Failure::NobodyReads => return ExitCode::SUCCESS,
        };
        let _ = writeln!(std::io::stderr(), "rahmen: {}", self.line());
        ExitCode::from(status)
    }
}

impl From<rahmen::Error> for Failure {
    fn from(error: rahmen::Error) -> Failure {
        match error.kind() {
            ErrorKind::UnknownExtension { .. } => Failure::Words(said(&error)),
            _ => Failure::Work(error.into()),
        }
    }
}

impl From<anyhow::Error> for Failure {
    fn from(error: anyhow::Error) -> Failure {
        Failure::Work(error)
    }
}

impl From<std::io::Error> for Failure {
    fn from(error: std::io::Error) -> Failure {
        match error.kind() {
            std::io::ErrorKind::BrokenPipe => Failure::NobodyReads,
            _ => Failure::Work(anyhow::Error::new(error).context("cannot print")),
        }
    }
}

impl From<serde_json::Error> for Failure {
    fn from(error: serde_json::Error) -> Failure {
        std::io::Error::from(error).into()
    }
}

/// An error and its causes, one behind the other.
fn text_of(error: &anyhow::Error) -> String {
    let each = error.chain().map(|cause| match cause.downcast_ref::<rahmen::Error>() {
        Some(error) => said(error),
        None => match cause.downcast_ref::<std::io::Error>() {
            // One that only wraps another says what that says.
            Some(error) if error.raw_os_error().is_some() || error.get_ref().is_none() => system_words(error),
            _ => cause.to_string(),
        },
    });
    // What is not there is said once.
    let missing = |text: &str| ["no such file", "does not exist"].iter().any(|words| text.contains(words));
    let mut told: Vec<String> = Vec::new();
    for cause in each {
        if !(missing(&cause) && told.iter().any(|t| missing(t))) {
            told.push(cause);
        }
    }
    told.join(": ")
}

/// An error of the library with what would help in words of the program.
pub(crate) fn said(error: &rahmen::Error) -> String {
    let help: Vec<String> = error.help().iter().map(help_words).collect();
    match help.is_empty() {
        true => error.without_help(),
        false => format!("{}; {}", error.without_help(), help.join(", or ")),
    }
}

/// What would help, as options.
fn help_words(help: &Help) -> String {
    let depths = |all: &[Depth]| match all {
        [] => String::new(),
        [first] => format!("--depth {first}"),
        [first, others @ ..] => {
            let others: Vec<_> = others.iter().map(ToString::to_string).collect();
            format!("--depth {first} (or {})", others.join(", "))
        }
    };
    match help {
        Help::Encoded => "add --as encoded if 0 is black and 1 is full".to_string(),
        Help::Window => {
            "add --window LOW,HIGH --depth u16 (or u8) to say which values become black and white".to_string()
        }
        Help::Depth(all) => format!("add {}", depths(all)),
        Help::PixelsOfDepth(all) => format!("add {} to make them a picture", depths(all)),
        Help::Color => "add --as color".to_string(),
        Help::Gray => "add --as gray".to_string(),
        Help::Palette => "add --colors 256".to_string(),
        Help::NoIndices => "leave --as indices out".to_string(),
        Help::Flatten => "add --flatten COLOUR".to_string(),
        Help::Upright => "add --upright to lay the pixels down upright".to_string(),
        Help::TwoLevels => "make it gray with --as gray and two-valued with `rahmen depth --bits 1`".to_string(),
        Help::RaiseBudget => "add --limit-memory SIZE, or hold less at once".to_string(),
        Help::RaiseLimit("memory") => "add --limit-memory SIZE if the file is to be trusted".to_string(),
        Help::RaiseLimit(name) => format!("add --limit {name}=N if the file is to be trusted"),
        Help::Extension(name) => format!("write .{name}"),
        Help::RawLayout => "describe them with --raw \"order=... depth=... size=...\"".to_string(),
        Help::RawLayoutOut => "add --raw-out \"order=... depth=...\"".to_string(),
        Help::RawAlphaIgnored => "say alpha=ignored in --raw-out".to_string(),
        Help::DropPartialBlocks => "add --partial-blocks drop".to_string(),
        Help::NotLossless => "leave --lossless out".to_string(),
        Help::FixedTables => "add --fixed-tables to write JPEG in one pass".to_string(),
        Help::OneScan => "leave --progressive out and add --fixed-tables".to_string(),
        // The library may come to know more that helps than this program has words for.
        other => other.to_string(),
    }
}

/// What the argument parser says: help goes to standard output, a mistake becomes one line in the words that were typed.
pub(crate) fn of_words(error: clap::Error) -> Done {
    if !error.use_stderr() {
        use std::io::Write;
        write!(std::io::stdout(), "{}", error.render())?;
        return Ok(());
    }
    let typed: Vec<String> = std::env::args_os().skip(1).map(|a| a.to_string_lossy().into_owned()).collect();
    Err(Failure::Words(mistake(&error, &typed)))
}

/// [`mistake`], and the words that it is about.
pub(crate) fn mistake_about(error: &clap::Error, typed: &[String]) -> (String, Vec<String>) {
    let kinds = [ContextKind::InvalidValue, ContextKind::InvalidSubcommand, ContextKind::InvalidArg];
    let about = kinds.into_iter().filter_map(|kind| error.get(kind)).map(|value| value.to_string());
    let about = about.map(|word| word.split(['=', ' ']).next().unwrap_or_default().to_string());
    (mistake(error, typed), about.collect())
}

/// A mistake in the words, as one line.
fn mistake(error: &clap::Error, typed: &[String]) -> String {
    use clap::error::ErrorKind as Kind;
    let given = |kind| error.get(kind).map(|value| value.to_string()).unwrap_or_default();
    let (argument, value) = (given(ContextKind::InvalidArg), given(ContextKind::InvalidValue));
    let verb = typed.iter().find(|word| verbs().contains(word));
    let help =
        verb.map_or("`rahmen --help` lists the verbs".to_string(), |v| format!("`rahmen {v} --help` explains it"));
    match error.kind() {
        // Called without any word: the help is the answer, on standard error.
        Kind::DisplayHelpOnMissingArgumentOrSubcommand | Kind::MissingSubcommand => {
            "no verb; `rahmen --help` lists them, `rahmen tour` shows them at work".into()
        }
        Kind::InvalidSubcommand => {
            let word = given(ContextKind::InvalidSubcommand);
            let hint = crate::hints::verb(&word, &verbs()).unwrap_or("`rahmen --help` lists the verbs".into());
            format!("{word} is no verb; {hint}")
        }
        Kind::UnknownArgument => {
            let word = argument.split(['=', ' ']).next().unwrap_or_default().to_string();
            let hint = crate::hints::option(&word, &options(verb)).unwrap_or(help);
            match word.starts_with('-') {
                true => format!("there is no option {word} here; {hint}"),
                false => format!("{word} is one word too many; {hint}"),
            }
        }
        Kind::ValueValidation | Kind::InvalidValue if value.is_empty() => {
            format!("{} needs a value; {help}", name_typed(&argument, &value, typed))
        }
        Kind::InvalidValue => {
            let valid = given(ContextKind::ValidValue);
            format!("{} {value}: it is one of {valid}", name_typed(&argument, &value, typed))
        }
        Kind::ValueValidation => {
            let cause = std::error::Error::source(error).map_or(String::new(), |cause| number_words(cause, &value));
            format!("{} {value}: {cause}", name_typed(&argument, &value, typed))
        }
        Kind::MissingRequiredArgument => format!("{} is missing; {help}", argument.replace('\n', " ")),
        Kind::ArgumentConflict => {
            let other = given(ContextKind::PriorArg);
            match other == argument || other.is_empty() {
                true => format!("{argument} was given twice; leave one out"),
                false => format!("{argument} and {other} do not go together; leave one out"),
            }
        }
        _ => {
            let text = error.to_string();
            let blocks = text.split("\n\n").map(str::trim);
            let told = blocks.filter(|b| !b.starts_with("Usage:") && !b.starts_with("For more information"));
            let line = told.map(|b| b.trim_start_matches("error: ").replace('\n', " ")).collect::<Vec<_>>().join("; ");
            line.split_whitespace().collect::<Vec<_>>().join(" ")
        }
    }
}

/// The verbs, and the names that are accepted for them.
fn verbs() -> Vec<String> {
    use clap::CommandFactory;
    let command = crate::args::Cli::command();
    command.get_subcommands().flat_map(|c| c.get_name_and_visible_aliases()).map(String::from).collect()
}

/// The options of a verb, `--` before each.
fn options(verb: Option<&String>) -> Vec<String> {
    use clap::CommandFactory;
    let mut command = crate::args::Cli::command();
    command.build();
    let verb = verb.and_then(|verb| command.find_subcommand(verb));
    verb.map_or(Vec::new(), |c| c.get_arguments().filter_map(|a| a.get_long()).map(|l| format!("--{l}")).collect())
}

/// The option as it was typed, which may be another name of the one that the parser tells.
fn name_typed(argument: &str, value: &str, typed: &[String]) -> String {
    let name = argument.split(' ').next().unwrap_or_default();
    if !name.starts_with("--") {
        return argument.to_string();
    }
    let is_option = |word: &String| word.starts_with("--") && word.len() > 2;
    let apart = typed.windows(2).find(|w| w[1] == value && is_option(&w[0])).map(|w| w[0].clone());
    let joined =
        || typed.iter().find_map(|w| w.split_once('=').filter(|(_, v)| *v == value)).map(|(n, _)| n.to_string());
    apart.or_else(joined).unwrap_or_else(|| name.to_string())
}

/// Why a value was refused; numbers in plain words.
fn number_words(cause: &(dyn std::error::Error + 'static), value: &str) -> String {
    use std::num::{IntErrorKind, ParseFloatError, ParseIntError};
    if let Some(error) = cause.downcast_ref::<ParseIntError>() {
        return match error.kind() {
            IntErrorKind::PosOverflow | IntErrorKind::NegOverflow => "the number is too large".into(),
            _ if value.starts_with('-') => "a whole number from 0 is expected".into(),
            _ => "a whole number is expected".into(),
        };
    }
    if cause.is::<ParseFloatError>() {
        return "a number is expected".into();
    }
    cause.to_string()
}

/// What the system says of a failure, in plain words.
fn system_words(error: &std::io::Error) -> String {
    use std::io::ErrorKind as Kind;
    let known = match error.kind() {
        Kind::NotFound => "there is no such file or folder",
        Kind::PermissionDenied => "permission is denied",
        Kind::AlreadyExists => "it exists already",
        Kind::IsADirectory => "it is a folder",
        Kind::NotADirectory => "a part of the path is not a folder",
        Kind::StorageFull | Kind::QuotaExceeded => "the disk is full",
        Kind::ReadOnlyFilesystem => "the file system is read-only",
        Kind::FileTooLarge => "the file would be too large",
        Kind::UnexpectedEof => "the data ends early",
        _ => "",
    };
    match known {
        "" => error.to_string().split(" (os error").next().unwrap_or_default().to_lowercase(),
        known => known.to_string(),
    }
}

/// Control characters of file names and texts must not reach the terminal, nor break the line.
fn one_line(text: &str) -> String {
    crate::text::safe(text)
}
