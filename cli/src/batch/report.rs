//! The report of a run: JSON lines, a file each, written as files are done, and read again to go on.
//!
//! The first line holds the steps. A line that was cut by a crash is passed over.

use crate::fail::Done;
use crate::notes::Said;
use anyhow::Context;
use serde::{Deserialize, Serialize};
use std::collections::HashMap;
use std::fs::File;
use std::io::{BufRead, BufReader, Write};
use std::path::{Path, PathBuf};
use std::sync::{Mutex, PoisonError};

/// What is said of a file.
#[derive(Debug, Clone, PartialEq, Serialize, Deserialize)]
pub(crate) struct Entry {
    pub(crate) input: String,
    pub(crate) output: String,
    /// Bytes of the input, and when it was changed last: seconds since 1970, as text, since they have more digits than a number in JSON.
    pub(crate) input_bytes: u64,
    #[serde(deserialize_with = "text_or_number")]
    pub(crate) input_changed: String,
    pub(crate) output_bytes: u64,
    /// The size of what was made.
    pub(crate) width: u32,
    pub(crate) height: u32,
    pub(crate) seconds: f64,
    /// What is worth saying of it, such as metadata that the format cannot hold.
    #[serde(flatten)]
    pub(crate) said: Said,
    /// Why it failed.
    pub(crate) error: Option<String>,
}

#[derive(Debug, PartialEq, Serialize, Deserialize)]
struct Head {
    steps: Vec<String>,
}

/// A report that is being written.
#[derive(Debug)]
pub(crate) struct Report {
    path: PathBuf,
    file: Mutex<File>,
}

/// When a file was changed last, where the system knows: seconds since 1970.
pub(crate) fn changed_at(found: &std::fs::Metadata) -> String {
    let since = found.modified().ok().and_then(|t| t.duration_since(std::time::UNIX_EPOCH).ok());
    since.map_or(String::new(), |d| format!("{}.{:09}", d.as_secs(), d.subsec_nanos()))
}

/// Of reports of version 0.1, which held a number, a file has changed.
fn text_or_number<'de, D: serde::Deserializer<'de>>(from: D) -> Result<String, D::Error> {
    Ok(serde_json::Value::deserialize(from)?.as_str().unwrap_or_default().to_string())
}

impl Report {
    /// Begins a report, in place of one that is there.
    pub(crate) fn start(path: &Path, steps: &[String]) -> Done<Report> {
        let file = File::create(path).with_context(|| format!("{}: cannot write the report", path.display()))?;
        let report = Report { path: path.to_path_buf(), file: Mutex::new(file) };
        report.line(&Head { steps: steps.to_vec() })?;
        Ok(report)
    }

    /// Goes on with a report: what it says of each input, the last word first; nothing where its steps are others.
    pub(crate) fn go_on(path: &Path, steps: &[String]) -> Done<(Report, Option<HashMap<String, Entry>>)> {
        let known = match File::open(path) {
            Ok(file) => read(file, steps),
            Err(e) if e.kind() == std::io::ErrorKind::NotFound => Some(HashMap::new()),
            Err(e) => return Err(anyhow::Error::new(e).context(format!("{}: cannot read it", path.display())).into()),
        };
        match known {
            Some(known) if !known.is_empty() => {
                let failed = || format!("{}: cannot write the report", path.display());
                cut_to_whole_lines(path).with_context(failed)?;
                let file = File::options().append(true).open(path).with_context(failed)?;
                Ok((Report { path: path.to_path_buf(), file: Mutex::new(file) }, Some(known)))
            }
            known => Ok((Report::start(path, steps)?, known)),
        }
    }

    /// Adds what is said of a file.
    pub(crate) fn add(&self, entry: &Entry) -> Done {
        self.line(entry)
    }

    fn line(&self, value: &impl Serialize) -> Done {
        let mut line = crate::text::json(value)?;
        line.push('\n');
        let mut file = self.file.lock().unwrap_or_else(PoisonError::into_inner);
        Ok(file
            .write_all(line.as_bytes())
            .with_context(|| format!("{}: cannot write the report", self.path.display()))?)
    }
}

/// Takes away what a crash has left of a line.
fn cut_to_whole_lines(path: &Path) -> std::io::Result<()> {
    let file = File::options().read(true).write(true).open(path)?;
    let mut whole = 0;
    let mut lines = BufReader::new(&file);
    let mut line = Vec::new();
    while lines.read_until(b'\n', &mut line)? > 0 {
        if line.ends_with(b"\n") {
            whole += line.len() as u64;
        }
        line.clear();
    }
    if whole < file.metadata()?.len() { file.set_len(whole) } else { Ok(()) }
}

/// What a report says of each input; `None` where its steps are others.
fn read(file: File, steps: &[String]) -> Option<HashMap<String, Entry>> {
    let mut lines = BufReader::new(file).lines().map_while(Result::ok).filter(|line| !line.trim().is_empty());
    let Some(head) = lines.next() else { return Some(HashMap::new()) };
    if serde_json::from_str::<Head>(&head).ok()?.steps != steps {
        return None;
    }
    let entries = lines.filter_map(|line| serde_json::from_str::<Entry>(&line).ok());
    Some(entries.map(|entry| (entry.input.clone(), entry)).collect())
}
