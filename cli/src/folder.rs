//! Folders that a verb writes several files into: made where they are not there, and gone again where the work fails.

use crate::fail::Done;
use crate::outputs::Files;
use anyhow::Context;
use std::path::{Path, PathBuf};

/// A folder to write into. Dropped before [`keep`](OutputFolder::keep), it takes the files that were written with it, and the folder
/// itself where it was made for them and holds no others.
#[derive(Debug)]
pub(crate) struct OutputFolder {
    path: PathBuf,
    made: bool,
    written: Vec<PathBuf>,
}

impl OutputFolder {
    /// The folder, made where it is not there, for files of these names, none of which may be one that is read.
    pub(crate) fn start(path: &Path, names: impl Iterator<Item = String>, reads: &[&Path]) -> Done<OutputFolder> {
        let mut files = Files::default();
        reads.iter().for_each(|read| files.read(read));
        names.map(|name| path.join(name)).for_each(|file| files.write(file.display().to_string(), &file));
        files.check()?;
        let made = !path.exists();
        std::fs::create_dir_all(path).with_context(|| path.display().to_string())?;
        Ok(OutputFolder { path: path.to_path_buf(), made, written: Vec::new() })
    }

    /// Where a file of this name goes. One that is there already is replaced, and stays whatever happens.
    pub(crate) fn place(&mut self, name: &str) -> PathBuf {
        let path = self.path.join(name);
        if !path.exists() {
            self.written.push(path.clone());
        }
        path
    }

    /// Writes a small file, whole or not at all, and forces it to the disk.
    pub(crate) fn write(&mut self, name: &str, bytes: &[u8]) -> Done {
        Ok(rahmen::file::write_bytes(self.place(name), bytes)?)
    }

    /// The work is done: everything stays.
    pub(crate) fn keep(mut self) {
        (self.made, self.written) = (false, Vec::new());
    }
}

impl Drop for OutputFolder {
    fn drop(&mut self) {
        for file in &self.written {
            let _ = std::fs::remove_file(file);
        }
        if self.made {
            // Only where it is empty.
            let _ = std::fs::remove_dir(&self.path);
        }
    }
}
