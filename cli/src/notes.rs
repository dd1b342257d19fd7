//! What is said beside the result of a verb: kept until its work is done, so that a failure is one line and nothing else, and so that
//! reports in JSON hold it too.

use serde::{Deserialize, Serialize};
use std::sync::{Arc, Mutex, MutexGuard, PoisonError};

/// Lines that wait to be said. Clones share them.
#[derive(Debug, Clone, Default)]
pub(crate) struct Notes(Arc<Mutex<Kept>>);

#[derive(Debug, Default)]
struct Kept {
    lines: Vec<(Kind, String)>,
    salvaged: Option<Salvaged>,
}

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Kind {
    /// Printed, and in reports.
    Warning,
    /// In reports alone: what is printed has it in a place of its own.
    Silent,
    /// Printed alone: a file that was written.
    Written,
}

/// What could be read of a damaged file.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Salvaged {
    pub(crate) rows: u32,
    pub(crate) good: u32,
    pub(crate) suspect: u32,
    pub(crate) lost: u32,
}

/// What reports hold of it.
#[derive(Debug, Clone, Default, PartialEq, Eq, Serialize, Deserialize)]
pub(crate) struct Said {
    #[serde(default, alias = "remarks")]
    pub(crate) warnings: Vec<String>,
    /// The rows of a file that was salvaged.
    #[serde(default, skip_serializing_if = "Option::is_none")]
    pub(crate) salvaged: Option<Salvaged>,
}

/// A report with what is said beside it.
#[derive(Debug, Serialize)]
pub(crate) struct With<R> {
    #[serde(flatten)]
    pub(crate) report: R,
    #[serde(flatten)]
    pub(crate) said: Said,
}

impl Notes {
    fn kept(&self) -> MutexGuard<'_, Kept> {
        self.0.lock().unwrap_or_else(PoisonError::into_inner)
    }

    fn add(&self, kind: Kind, line: &str) {
        let mut kept = self.kept();
        // Of each page of a file the same may be true.
        if !kept.lines.iter().any(|(k, l)| *k == kind && l == line) {
            kept.lines.push((kind, line.to_string()));
        }
    }

    pub(crate) fn warn(&self, line: &str) {
        self.add(Kind::Warning, line);
    }

    pub(crate) fn keep(&self, line: &str) {
        self.add(Kind::Silent, line);
    }

    pub(crate) fn wrote(&self, line: &str) {
        self.add(Kind::Written, line);
    }

    pub(crate) fn salvage(&self, salvaged: Salvaged, line: &str) {
        self.warn(line);
        self.kept().salvaged = Some(salvaged);
    }

    /// What reports hold, which goes on being said.
    pub(crate) fn said(&self) -> Said {
        let kept = self.kept();
        let lines = kept.lines.iter().filter(|(kind, _)| *kind != Kind::Written);
        Said { warnings: lines.map(|(_, line)| line.clone()).collect(), salvaged: kept.salvaged }
    }

    /// The lines that are to be printed; nothing is left.
    pub(crate) fn take(&self) -> Vec<String> {
        let kept = std::mem::take(&mut *self.kept());
        kept.lines.into_iter().filter(|(kind, _)| *kind != Kind::Silent).map(|(_, line)| line).collect()
    }
}
