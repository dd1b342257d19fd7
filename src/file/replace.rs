//! Replacing a file atomically: written beside it, then renamed over it.

use crate::error::{Error, Result};
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};
use tempfile::NamedTempFile;

/// A file that comes into being when it is complete, or not at all.
#[derive(Debug)]
pub(super) enum Replacement {
    /// Written beside its target. Dropped unfinished, it leaves no trace.
    Beside { file: NamedTempFile, target: PathBuf },
    /// Written straight: a device or a pipe, which nothing can be renamed over.
    Straight(File),
}

impl Replacement {
    /// Starts a file. Links are followed to what they lead to; an existing file's mode is kept; a new one gets the
    /// ordinary mode.
    pub(super) fn start(path: &Path) -> Result<Replacement> {
        let target = follow_links(path);
        let old = std::fs::metadata(&target).ok();
        match &old {
            Some(old) if old.is_dir() => {
                return Err(Error::unusable("this is a folder; give a file name").in_file(path));
            }
            Some(old) if !old.is_file() => {
                let file = File::options().write(true).open(&target);
                return Ok(Replacement::Straight(file.map_err(|e| Error::io("cannot write to it", e).in_file(path))?));
            }
            _ => {}
        }
        let folder = match target.parent() {
            Some(folder) if !folder.as_os_str().is_empty() => folder,
            _ => Path::new("."),
        };
        let mut builder = tempfile::Builder::new();
        builder.prefix(".rahmen-").suffix(".part");
        #[cfg(unix)]
        builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o666));
        let file = builder.tempfile_in(folder).map_err(|e| {
            let action = if folder.exists() { "cannot write into its folder" } else { "its folder does not exist" };
            // The kind alone: the full text would name the file beside, which nobody knows.
            Error::io(action, e.kind().into()).in_file(path)
        })?;
        if let Some(old) = old {
            let kept = file.as_file().set_permissions(old.permissions());
            kept.map_err(|e| Error::io("cannot keep the file's mode", e).in_file(path))?;
        }
        Ok(Replacement::Beside { file, target })
    }

    /// The file to write to.
    pub(super) fn file(&mut self) -> &mut File {
        match self {
            Replacement::Beside { file, .. } => file.as_file_mut(),
            Replacement::Straight(file) => file,
        }
    }

    /// Puts the complete file in its place.
    pub(super) fn finish(self) -> Result<()> {
        match self {
            Replacement::Beside { mut file, target } => {
                let synced = file.flush().and_then(|()| file.as_file().sync_data());
                synced.map_err(|e| Error::io("cannot write", e))?;
                file.persist(&target).map_err(|e| Error::io("cannot put the new file in its place", e.error))?;
                Ok(())
            }
            Replacement::Straight(mut file) => file.flush().map_err(|e| Error::io("cannot write", e)),
        }
    }
}

/// Where a path leads: the file itself through any links, or the place of a file that does not exist yet.
fn follow_links(path: &Path) -> PathBuf {
    let mut place = path.to_path_buf();
    // A chain of links that is longer than this is a circle, which opening will report.
    for _ in 0..40 {
        match std::fs::read_link(&place) {
            Ok(to) if to.is_absolute() => place = to,
            Ok(to) => place = place.parent().unwrap_or(Path::new("")).join(to),
            Err(_) => break,
        }
    }
    place
}
