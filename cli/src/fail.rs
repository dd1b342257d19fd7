//! Failures: one line on standard error, and the exit status that goes with it.

use rahmen::{Depth, ErrorKind, Help};
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

    /// Prints the line, if one is due, and gives the exit status.
    pub(crate) fn report(&self) -> ExitCode {
        let (line, status) = match self {
            Failure::Work(error) => (one_line(&text_of(error)), 1),
            Failure::Words(line) => (one_line(line), 2),
            Failure::Reported => return ExitCode::from(1),
            Failure::NobodyReads => return ExitCode::SUCCESS,
        };
        eprintln!("rahmen: {line}");
        ExitCode::from(status)
    }
}

impl From<rahmen::Error> for Failure {
    fn from(error: rahmen::Error) -> Failure {
        match error.kind() {
            ErrorKind::UnknownEnding { .. } => Failure::Words(said(&error)),
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
        None => cause.to_string(),
    });
    each.collect::<Vec<_>>().join(": ")
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
        Help::Window => {
            "add --window LOW,HIGH --depth u16 (or u8) to say which values become black and white".to_string()
        }
        Help::Depth(all) => format!("add {}", depths(all)),
        Help::PixelsOfDepth(all) => format!("add {} to make them a picture", depths(all)),
        Help::Color => "add --as color".to_string(),
        Help::Gray => "add --as gray".to_string(),
        Help::NoIndices => "leave --as indices out".to_string(),
        Help::Flatten => "add --flatten COLOUR".to_string(),
        Help::Upright => "add --upright to turn the pixels".to_string(),
        Help::TwoLevels => "make it gray with --as gray and two-valued with `rahmen depth --bits 1`".to_string(),
        Help::Extension(name) => format!("write .{name}"),
        Help::RawLayout => "describe them with --raw \"order=... depth=... size=...\"".to_string(),
        Help::RawLayoutOut => "add --raw-out \"order=... depth=...\"".to_string(),
        Help::RawAlphaIgnored => "say alpha=ignored in --raw-out".to_string(),
        Help::DropPartialBlocks => "add --partial-blocks drop".to_string(),
        Help::NotLossless => "leave --lossless out".to_string(),
        // The library may come to know more that helps than this program has words for.
        other => other.to_string(),
    }
}

/// What the argument parser says: help goes to standard output, a mistake becomes one line.
pub(crate) fn of_words(error: clap::Error) -> Done {
    if !error.use_stderr() {
        use std::io::Write;
        write!(std::io::stdout(), "{}", error.render())?;
        return Ok(());
    }
    let text = error.to_string();
    let mut parts = Vec::new();
    for block in text.split("\n\n") {
        let block = block.trim();
        if block.starts_with("Usage:") || block.starts_with("For more information") {
            continue;
        }
        parts.push(block.trim_start_matches("error: ").replace("tip: ", "").replace('\n', " "));
    }
    let line = parts.join("; ").split_whitespace().collect::<Vec<_>>().join(" ");
    match error.kind() {
        // Called without any word: the help is the answer, on standard error.
        clap::error::ErrorKind::DisplayHelpOnMissingArgumentOrSubcommand => {
            Err(Failure::Words("no verb; `rahmen --help` lists them, `rahmen tour` shows them at work".into()))
        }
        _ => Err(Failure::Words(line)),
    }
}

/// Control characters of file names and texts must not reach the terminal, nor break the line.
fn one_line(text: &str) -> String {
    crate::text::safe(text)
}
