//! Replacing a file atomically: written beside it, then renamed over it.

use crate::error::{Error, Result};
use std::fs::File;
use std::io::Write;
use std::path::{Path, PathBuf};
use tempfile::NamedTempFile;

/// A file that comes into being when it is complete, or not at all.
#[derive(Debug)]
pub(super) enum Replacement {
    /// Written without a name, which it gets when it is complete: whatever ends the process, nothing stays behind.
    #[cfg(target_os = "linux")]
    Unnamed { file: File, target: PathBuf },
    /// Written beside its target. Dropped unfinished, it leaves no trace; where the process is killed it may.
    Beside { file: NamedTempFile, target: PathBuf },
    /// Written straight: a device or a pipe, which nothing can be renamed over.
    Straight(File),
}

impl Replacement {
    /// Starts a file. Links are followed to what they lead to; an existing file's mode is kept; a new one gets the
    /// ordinary mode.
    pub(super) fn start(path: &Path) -> Result<Replacement> {
        let target = follow_links(path)
            .ok_or_else(|| Error::invalid("path", "this is a link that leads in a circle").in_file(path))?;
        let old = std::fs::metadata(&target).ok();
        match &old {
            Some(old) if old.is_dir() => {
                return Err(Error::invalid("path", "this is a folder; give a file name").in_file(path));
            }
            Some(old) if !old.is_file() => {
                return Ok(Replacement::Straight(open_straight(&target).map_err(|e| e.in_file(path))?));
            }
            Some(_) if !may_write(&target) => {
                let cause = std::io::ErrorKind::PermissionDenied.into();
                return Err(Error::io("cannot replace it: the file is read-only", cause).in_file(path));
            }
            _ => {}
        }
        let mut started = begin(target).map_err(|e| {
            let folder = folder_of(path);
            let action = if folder.exists() { "cannot write into its folder" } else { "its folder does not exist" };
            // The kind alone: the full text would name the file beside, which nobody knows.
            Error::io(action, e.kind().into()).in_file(path)
        })?;
        if let Some(old) = old {
            // Before the mode: a change of owner takes some of its bits away.
            keep_owner(started.file(), &old);
            let kept = started.file().set_permissions(old.permissions());
            kept.map_err(|e| Error::io("cannot keep the file's mode", e).in_file(path))?;
        }
        Ok(started)
    }

    /// The file to write to.
    pub(super) fn file(&mut self) -> &mut File {
        match self {
            #[cfg(target_os = "linux")]
            Replacement::Unnamed { file, .. } => file,
            Replacement::Beside { file, .. } => file.as_file_mut(),
            Replacement::Straight(file) => file,
        }
    }

    /// Whether bytes can only go one behind the other.
    pub(super) fn is_straight(&self) -> bool {
        matches!(self, Replacement::Straight(_))
    }

    /// Puts the complete file in its place; `durable`: forced to the disk first, and its name behind it.
    pub(super) fn finish(self, durable: bool) -> Result<()> {
        let synced = |file: &File| match durable {
            true => file.sync_data().map_err(|e| Error::io("cannot write", e)),
            false => Ok(()),
        };
        let placed = |e| Error::io("cannot put the new file in its place", e);
        match self {
            #[cfg(target_os = "linux")]
            Replacement::Unnamed { file, target } => {
                synced(&file)?;
                name(&file, &target).map_err(placed)?;
                if durable {
                    sync_folder(&target);
                }
                Ok(())
            }
            Replacement::Beside { file, target } => {
                synced(file.as_file())?;
                file.persist(&target).map_err(|e| placed(e.error))?;
                if durable {
                    sync_folder(&target);
                }
                Ok(())
            }
            Replacement::Straight(mut file) => file.flush().map_err(|e| Error::io("cannot write", e)),
        }
    }
}

/// Opens a device or a pipe to write to, without waiting: a pipe must have a reader already.
fn open_straight(target: &Path) -> Result<File> {
    let failed = |e: std::io::Error| Error::io("cannot write to it", e);
    #[cfg(target_os = "linux")]
    {
        use rustix::fs::{Mode, OFlags, fcntl_getfl, fcntl_setfl, open};
        let flags = OFlags::WRONLY | OFlags::NONBLOCK | OFlags::CLOEXEC;
        let file: File = match open(target, flags, Mode::empty()) {
            Ok(file) => file.into(),
            Err(rustix::io::Errno::NXIO) => {
                return Err(Error::io(
                    "cannot write to it: nobody reads from this pipe",
                    std::io::ErrorKind::BrokenPipe.into(),
                ));
            }
            Err(e) => return Err(failed(e.into())),
        };
        // What is written may wait for its reader.
        fcntl_getfl(&file)
            .and_then(|now| fcntl_setfl(&file, now.difference(OFlags::NONBLOCK)))
            .map_err(|e| failed(e.into()))?;
        Ok(file)
    }
    #[cfg(not(target_os = "linux"))]
    File::options().write(true).open(target).map_err(failed)
}

/// The folder that a file is in.
fn folder_of(path: &Path) -> &Path {
    match path.parent() {
        Some(folder) if !folder.as_os_str().is_empty() => folder,
        _ => Path::new("."),
    }
}

/// Whether an existing file may be written to: replacing it needs no such right, but whoever took it away meant the content.
fn may_write(target: &Path) -> bool {
    let marked = std::fs::metadata(target).is_ok_and(|m| m.permissions().readonly());
    #[cfg(target_os = "linux")]
    let barred = rustix::fs::access(target, rustix::fs::Access::WRITE_OK).is_err();
    #[cfg(not(target_os = "linux"))]
    let barred = false;
    !marked && !barred
}

/// Gives the new file the old one's owner and group, where this process may.
fn keep_owner(file: &File, old: &std::fs::Metadata) {
    #[cfg(unix)]
    {
        use std::os::unix::fs::{MetadataExt, fchown};
        if let Ok(new) = file.metadata() {
            let differs = |old: u32, new: u32| (old != new).then_some(old);
            // One by one: a group of one's own may be given where an owner may not.
            let _ = fchown(file, None, differs(old.gid(), new.gid()));
            let _ = fchown(file, differs(old.uid(), new.uid()), None);
        }
    }
    #[cfg(not(unix))]
    let _ = (file, old);
}

/// Makes the name last through a loss of power, where the file system can.
fn sync_folder(target: &Path) {
    #[cfg(unix)]
    if let Ok(folder) = File::open(folder_of(target)) {
        // The file is in its place whatever comes of this.
        let _ = folder.sync_all();
    }
    #[cfg(not(unix))]
    let _ = target;
}

const PREFIX: &str = ".rahmen-";
const SUFFIX: &str = ".part";

/// How the files are called that are written beside.
fn beside() -> tempfile::Builder<'static, 'static> {
    let mut builder = tempfile::Builder::new();
    builder.prefix(PREFIX).suffix(SUFFIX);
    builder
}

/// Seconds that a file beside has to be old before it is taken for one that was left behind: one that has just been made may not be
/// locked yet.
const LEFT_BEHIND: u64 = 60;

/// Removes what killed processes left in a folder: files written beside that nobody holds locked. Once a folder in a row.
fn sweep(folder: &Path) {
    static SWEPT: std::sync::Mutex<Option<PathBuf>> = std::sync::Mutex::new(None);
    let mut swept = SWEPT.lock().unwrap_or_else(std::sync::PoisonError::into_inner);
    if swept.as_deref() == Some(folder) {
        return;
    }
    *swept = Some(folder.to_path_buf());
    let Ok(entries) = std::fs::read_dir(folder) else { return };
    for entry in entries.flatten() {
        let name = entry.file_name();
        let ours = name.to_str().is_some_and(|name| name.starts_with(PREFIX) && name.ends_with(SUFFIX));
        if ours && is_left_behind(&entry) {
            let _ = std::fs::remove_file(entry.path());
        }
    }
}

/// Opens a file without waiting for anybody, should it have become a pipe since it was looked at.
fn open_at_once(path: &Path) -> std::io::Result<File> {
    #[cfg(target_os = "linux")]
    {
        use rustix::fs::{Mode, OFlags, open};
        Ok(open(path, OFlags::RDONLY | OFlags::NONBLOCK | OFlags::CLOEXEC, Mode::empty())?.into())
    }
    #[cfg(not(target_os = "linux"))]
    File::open(path)
}

fn is_left_behind(entry: &std::fs::DirEntry) -> bool {
    // Not through links, and no pipes: opening them might wait for ever.
    let Ok(found) = entry.metadata() else { return false };
    let age = found.modified().ok().and_then(|at| at.elapsed().ok());
    found.is_file()
        && age.is_some_and(|age| age.as_secs() >= LEFT_BEHIND)
        && open_at_once(&entry.path()).is_ok_and(|file| file.try_lock().is_ok())
}

/// An empty file in the target's folder, of the ordinary mode.
fn begin(target: PathBuf) -> std::io::Result<Replacement> {
    sweep(folder_of(&target));
    #[cfg(target_os = "linux")]
    if let Some(file) = unnamed(folder_of(&target)) {
        // Its lock says that somebody works on it, should it come to lie beside for a moment.
        let _ = file.try_lock();
        return Ok(Replacement::Unnamed { file, target });
    }
    let mut builder = beside();
    #[cfg(unix)]
    builder.permissions(std::os::unix::fs::PermissionsExt::from_mode(0o666));
    let file = builder.tempfile_in(folder_of(&target))?;
    let _ = file.as_file().try_lock();
    Ok(Replacement::Beside { file, target })
}

/// Where a file without a name is named from, later.
#[cfg(target_os = "linux")]
const OPEN_FILES: &str = "/proc/self/fd";

/// A file without a name. None where the file system has no such files, or they could not be named later.
#[cfg(target_os = "linux")]
fn unnamed(folder: &Path) -> Option<File> {
    use rustix::fs::{Mode, OFlags, open};
    let flags = OFlags::TMPFILE | OFlags::WRONLY | OFlags::CLOEXEC;
    let file = open(folder, flags, Mode::from_raw_mode(0o666)).ok()?;
    Path::new(OPEN_FILES).is_dir().then(|| file.into())
}

/// Gives a file without a name its name; a file that has it already is replaced.
#[cfg(target_os = "linux")]
fn name(file: &File, target: &Path) -> std::io::Result<()> {
    use rustix::fs::{AtFlags, CWD, linkat};
    use std::os::fd::AsRawFd;
    let open = format!("{OPEN_FILES}/{}", file.as_raw_fd());
    let link = |to: &Path| Ok(linkat(CWD, &open, CWD, to, AtFlags::SYMLINK_FOLLOW)?);
    match link(target) {
        // A link replaces nothing: it is made beside and renamed.
        Err(e) if std::io::Error::kind(&e) == std::io::ErrorKind::AlreadyExists => {
            beside().make_in(folder_of(target), link)?.persist(target)?;
            Ok(())
        }
        other => other,
    }
}

/// Where a path leads: the file itself through any links, or the place of a file that does not exist yet; `None` for a circle.
fn follow_links(path: &Path) -> Option<PathBuf> {
    let mut place = path.to_path_buf();
    // As long a chain as the system itself follows.
    for _ in 0..40 {
        match std::fs::read_link(&place) {
            Ok(to) if to.is_absolute() => place = to,
            Ok(to) => place = place.parent().unwrap_or(Path::new("")).join(to),
            Err(_) => return Some(place),
        }
    }
    None
}
