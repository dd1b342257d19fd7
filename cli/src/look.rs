//! Looking verbs: the same for each of several files, as text or as one JSON array.

use crate::fail::{Done, Failure};
use serde::Serialize;
use std::io::Write;
use std::path::{Path, PathBuf};

/// How a looking verb reports.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Form {
    Text,
    Json,
}

/// Runs `one` on each file. One that fails is reported and the rest goes on; the exit status tells.
///
/// `text` makes a report readable; with several files they are a blank line apart.
pub(crate) fn each<R: Serialize>(
    files: &[PathBuf],
    form: Form,
    mut one: impl FnMut(&Path) -> Done<R>,
    text: impl Fn(&R) -> String,
) -> Done {
    let mut out = std::io::stdout().lock();
    let mut reports = Vec::new();
    let mut first_failure = None;
    let mut printed = false;
    for file in files {
        match one(file) {
            Ok(report) if form == Form::Json => reports.push(report),
            Ok(report) => {
                if printed {
                    writeln!(out)?;
                }
                printed = true;
                write!(out, "{}", text(&report))?;
            }
            Err(failure @ (Failure::NobodyReads | Failure::Words(_))) => return Err(failure),
            Err(failure) if files.len() == 1 => first_failure = Some(failure),
            Err(failure) => {
                failure.report();
                first_failure = Some(Failure::Reported);
            }
        }
    }
    if form == Form::Json {
        // An object a line: to be read by programs, and still by people.
        let lines = reports.iter().map(serde_json::to_string).collect::<Result<Vec<_>, _>>()?;
        writeln!(out, "[{}]", lines.join(",\n "))?;
    }
    out.flush()?;
    first_failure.map_or(Ok(()), Err)
}
