//! Running the program and reading what it says.
#![allow(dead_code, unreachable_pub)]

#[cfg(unix)]
pub mod browser;
pub mod built;

use assert_cmd::Command;
use serde_json::Value;
use std::path::{Path, PathBuf};

pub fn rahmen(words: &[&str]) -> Command {
    let mut command = Command::cargo_bin("rahmen").unwrap();
    command.args(words);
    command
}

pub fn demo(name: &str) -> String {
    Path::new(env!("CARGO_MANIFEST_DIR")).join("demo").join(name).display().to_string()
}

/// Runs and gives standard output; the exit status must be 0.
pub fn out(words: &[&str]) -> String {
    let done = rahmen(words).output().unwrap();
    assert!(done.status.success(), "{words:?}: {}", String::from_utf8_lossy(&done.stderr));
    String::from_utf8(done.stdout).unwrap()
}

/// Runs and gives standard error; the exit status must be 0.
pub fn stderr_of(words: &[&str]) -> String {
    let done = rahmen(words).output().unwrap();
    assert!(done.status.success(), "{words:?}: {}", String::from_utf8_lossy(&done.stderr));
    String::from_utf8(done.stderr).unwrap()
}

/// Runs what must fail with this status and gives the one line it says.
pub fn fails(status: i32, words: &[&str]) -> String {
    let done = rahmen(words).output().unwrap();
    let line = String::from_utf8(done.stderr).unwrap();
    assert_eq!(done.status.code(), Some(status), "{words:?}: {line}");
    assert_eq!(line.lines().count(), 1, "{words:?}: {line}");
    assert!(line.starts_with("rahmen: "), "{line}");
    line
}

pub fn json(words: &[&str]) -> Value {
    serde_json::from_str(&out(words)).unwrap()
}

pub struct Folder(pub tempfile::TempDir);

impl Folder {
    pub fn new() -> Folder {
        Folder(tempfile::tempdir().unwrap())
    }
    pub fn path(&self, name: &str) -> String {
        self.0.path().join(name).display().to_string()
    }
    pub fn names(&self) -> Vec<PathBuf> {
        std::fs::read_dir(self.0.path()).unwrap().map(|e| e.unwrap().path()).collect()
    }
}
