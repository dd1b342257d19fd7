//! Looking verbs: the same for each of several files, as text or as one JSON array.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::notes::With;
use crate::{open, process};
use anyhow::Context;
use serde::Serialize;
use serde_json::value::RawValue;
use std::io::Write;
use std::path::{Path, PathBuf};

/// How a looking verb reports.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Output {
    Text,
    Json,
}

/// Runs `one` on each file. One that fails is reported and the rest goes on; the exit status tells.
///
/// `text` makes a report readable; with several files they are a blank line apart.
pub(crate) fn each<R: Serialize>(
    files: &[PathBuf],
    form: Output,
    shared: &Shared,
    mut one: impl FnMut(&Path) -> Done<R>,
    text: impl Fn(&R) -> String,
) -> Done {
    let mut out = std::io::stdout().lock();
    let mut reports = Vec::new();
    let mut first_failure = None;
    let mut printed = false;
    for file in files {
        match one(file) {
            Ok(report) if form == Output::Json => reports.push(With { report, said: shared.notes.said() }),
            Ok(report) => {
                if printed {
                    writeln!(out)?;
                }
                printed = true;
                write!(out, "{}", text(&report))?;
            }
            Err(failure @ (Failure::NobodyReads | Failure::Words(_))) => return Err(failure),
            Err(failure) if files.len() == 1 => return Err(failure),
            Err(failure) => {
                // What was said of it is not worth saying any more.
                shared.notes.take();
                failure.report();
                first_failure = Some(Failure::Reported);
            }
        }
        if files.len() > 1 {
            out.flush()?;
            shared.print_notes();
        }
    }
    if form == Output::Json {
        // An object a line: to be read by programs, and still by people.
        let lines = reports.iter().map(crate::text::json).collect::<Result<Vec<_>, _>>()?;
        writeln!(out, "[{}]", lines.join(",\n "))?;
    }
    out.flush()?;
    first_failure.map_or(Ok(()), Err)
}

/// The share of the limit of memory that a report may have: its numbers take up to eight bytes where it has two.
const REPORT_SHARE: u64 = 8;

/// Does something with each object of JSON reports, one behind the other, each as it stands there. One report at a time is held.
pub(crate) fn each_object(reports: &[PathBuf], shared: &Shared, mut one: impl FnMut(&RawValue) -> Done) -> Done {
    let most = process::budget(shared).limit() / REPORT_SHARE;
    for path in reports {
        let name = path.display();
        let text = open::read_most(path, most).map_err(|e| match e.kind() {
            std::io::ErrorKind::FileTooLarge => anyhow::anyhow!(
                "{name}: a report of more than {most} bytes, an eighth of the memory limit; add --limit-memory SIZE"
            ),
            _ => anyhow::Error::new(e).context(format!("{name}: cannot read it")),
        })?;
        let objects: Vec<&RawValue> = serde_json::from_slice(&text)
            .with_context(|| format!("{name}: not a report in JSON, which is an array"))?;
        objects.into_iter().try_for_each(&mut one)?;
    }
    Ok(())
}

/// Prints the objects of JSON reports as one report.
pub(crate) fn print_merged(reports: &[PathBuf], shared: &Shared) -> Done {
    // A report that is none is told before anything is printed.
    each_object(reports, shared, |_| Ok(()))?;
    let mut before = "[";
    each_object(reports, shared, |object| {
        write!(std::io::stdout(), "{before}{}", object.get())?;
        before = ",\n ";
        Ok(())
    })?;
    writeln!(std::io::stdout(), "{}]", if before == "[" { "[" } else { "" })?;
    Ok(())
}

/// Runs `one` on each file and keeps the reports. One that fails is reported and the rest goes on; what it ends with comes
/// last, to be given once the reports are printed.
pub(crate) fn all<R>(
    files: &[PathBuf],
    shared: &Shared,
    mut one: impl FnMut(&Path) -> Done<R>,
) -> Done<(Vec<R>, Done)> {
    let (mut reports, mut end) = (Vec::new(), Ok(()));
    for file in files {
        match one(file) {
            Ok(report) => reports.push(report),
            Err(failure @ (Failure::NobodyReads | Failure::Words(_))) => return Err(failure),
            Err(failure) => {
                shared.notes.take();
                failure.report();
                end = Err(Failure::Reported);
            }
        }
        shared.print_notes();
    }
    Ok((reports, end))
}

/// The files, each folder replaced by the pictures in it, sorted by name.
///
/// Pictures are told by the extensions that this library knows; what lies in folders below is left out.
pub(crate) fn with_folders(files: &[PathBuf]) -> Done<Vec<PathBuf>> {
    let mut all = Vec::new();
    for file in files {
        if !file.is_dir() {
            all.push(file.clone());
            continue;
        }
        let failed = |e: std::io::Error| anyhow::Error::new(e).context(format!("{}: cannot list it", file.display()));
        let listed = std::fs::read_dir(file).map_err(failed)?;
        let paths = listed.map(|entry| entry.map(|e| e.path())).collect::<Result<Vec<_>, _>>().map_err(failed)?;
        let is_picture = |path: &PathBuf| path.is_file() && rahmen::FileFormat::of_extension(path).is_some();
        let mut pictures: Vec<PathBuf> = paths.into_iter().filter(is_picture).collect();
        if pictures.is_empty() {
            return Err(anyhow::anyhow!("{}: there is no picture in this folder", file.display()).into());
        }
        pictures.sort();
        all.append(&mut pictures);
    }
    Ok(all)
}
