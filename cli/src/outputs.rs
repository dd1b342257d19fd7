//! The files that a command will write, held against each other and against those that it reads, before anything is touched.

use crate::fail::{Done, Failure};
use clap::ArgMatches;
use std::collections::HashMap;
use std::path::{Path, PathBuf};

/// Arguments that name a file to write, and how they are called.
const WRITTEN: [(&str, &str); 8] = [
    ("output", "OUT"),
    ("plot", "--plot"),
    ("legend", "--legend"),
    ("error", "--error"),
    ("map", "--map"),
    ("out", "--out"),
    ("contact", "--contact"),
    ("report", "--report"),
];

/// Arguments that name a folder to write into: which files these are only the verb knows.
const FOLDERS: [&str; 2] = ["folder", "into"];

/// IN of the making verbs, which OUT may replace.
const REPLACEABLE: [&str; 2] = ["input", "base"];

/// A file by what it is, and not by how it is spelled.
#[derive(Debug, Clone, PartialEq, Eq, Hash)]
enum Identity {
    /// One that is there: every path, link and hard link to it is the same.
    #[cfg(unix)]
    Node(u64, u64),
    /// One that is not there yet, or a file of a system without numbers.
    Place(PathBuf),
}

#[derive(Debug, Clone)]
struct Named {
    /// As messages call it.
    name: String,
    path: PathBuf,
    identity: Identity,
}

/// The files of a command.
#[derive(Debug, Default)]
pub(crate) struct Files {
    reads: Vec<Named>,
    /// Folders whose pictures are read.
    folders: Vec<PathBuf>,
    writes: Vec<Named>,
}

impl Files {
    /// A file that is read, or a folder of pictures.
    pub(crate) fn read(&mut self, path: &Path) {
        if path.is_dir() {
            self.folders.extend(std::fs::canonicalize(path));
            return;
        }
        if let Some(identity) = identity(path, true) {
            self.reads.push(Named { name: crate::open::name_of(path), path: path.to_path_buf(), identity });
        }
    }

    /// A file that is written; `name` is how it is called.
    pub(crate) fn write(&mut self, name: String, path: &Path) {
        if let Some(identity) = identity(path, false) {
            self.writes.push(Named { name, path: path.to_path_buf(), identity });
        }
    }

    /// Refuses two files that are one, and one that is read.
    pub(crate) fn check(&self) -> Done {
        let read: HashMap<&Identity, &Named> = self.reads.iter().map(|r| (&r.identity, r)).collect();
        let mut written: HashMap<&Identity, &Named> = HashMap::new();
        for one in &self.writes {
            if let Some(source) = read.get(&one.identity) {
                let (name, source) = (&one.name, &source.name);
                let line = format!("{name} would replace {source}, which is read; name another file or folder");
                return Err(Failure::words(line));
            }
            if let Some(folder) = self.folder_of(&one.path) {
                let (name, folder) = (&one.name, folder.display());
                let line = format!("{name} would replace a picture of {folder}, which is read; name another file");
                return Err(Failure::words(line));
            }
            if let Some(other) = written.insert(&one.identity, one) {
                let (a, b) = (&other.name, &one.name);
                return Err(Failure::words(format!("{a} and {b} are one file; name another for one of them")));
            }
        }
        Ok(())
    }

    /// The folder that is read of which this is a picture.
    fn folder_of(&self, path: &Path) -> Option<&PathBuf> {
        let there = std::fs::canonicalize(path).ok().filter(|path| rahmen::FileFormat::of_extension(path).is_some())?;
        self.folders.iter().find(|folder| there.parent() == Some(folder))
    }
}

/// Checks the files that a command line names.
pub(crate) fn check(matches: &ArgMatches) -> Done {
    let Some((verb, words)) = matches.subcommand() else { return Ok(()) };
    if verb == "run" {
        // Its outputs are known once its inputs are.
        return Ok(());
    }
    let mut files = Files::default();
    let mut standard_output = false;
    for (id, name) in WRITTEN {
        for path in paths(words, id) {
            standard_output |= path == Path::new("-");
            // The picture that is replaced is the one that is read, and nothing else.
            let own = id == "output" && REPLACEABLE.iter().any(|id| paths(words, id).any(|input| same(&input, &path)));
            let others = |path: &PathBuf| !own || reads(words).iter().filter(|read| same(read, path)).count() > 1;
            if others(&path) {
                files.write(format!("{name} {}", path.display()), &path);
            }
        }
    }
    if !standard_output && !files.writes.is_empty() {
        files.write("standard output".to_string(), Path::new("-"));
    }
    reads(words).iter().for_each(|path| files.read(path));
    files.check()
}

/// The files that arguments name to be read.
pub(crate) fn reads(words: &ArgMatches) -> Vec<PathBuf> {
    let mut all = Vec::new();
    for id in words.ids().map(clap::Id::as_str) {
        if WRITTEN.iter().any(|(written, _)| *written == id) || (FOLDERS.contains(&id) && !is_source(words)) {
            continue;
        }
        for path in paths(words, id) {
            // A channel and its file.
            let named = path.to_str().and_then(|text| text.split_once('=')).map(|(_, file)| PathBuf::from(file));
            all.extend(named.filter(|_| id == "inputs"));
            all.push(path);
        }
        if let Ok(Some(pairs)) = words.try_get_many::<(String, PathBuf)>(id) {
            all.extend(pairs.map(|(_, path)| path.clone()));
        }
    }
    all
}

/// Whether the folder is what is read: that of `assemble`, which has no other input.
fn is_source(words: &ArgMatches) -> bool {
    paths(words, "output").next().is_some() && paths(words, "input").next().is_none()
}

fn paths(words: &ArgMatches, id: &str) -> impl Iterator<Item = PathBuf> {
    words.try_get_many::<PathBuf>(id).ok().flatten().into_iter().flatten().cloned().collect::<Vec<_>>().into_iter()
}

/// Whether two paths lead to one file.
pub(crate) fn same(a: &Path, b: &Path) -> bool {
    identity(a, true).is_some_and(|a| identity(b, false) == Some(a))
}

/// What a file is; nothing of folders, devices and pipes, which hold nothing that could be lost.
fn identity(path: &Path, read: bool) -> Option<Identity> {
    if path == Path::new("-") {
        return standard(read);
    }
    match std::fs::metadata(path) {
        Ok(found) if found.is_file() => node(&found).or_else(|| std::fs::canonicalize(path).ok().map(Identity::Place)),
        Ok(_) => None,
        Err(_) => {
            // A link that leads nowhere yet leads to where the file will be.
            let place = std::fs::read_link(path)
                .map_or(path.to_path_buf(), |to| path.parent().unwrap_or(Path::new("")).join(to));
            let folder = place.parent().filter(|folder| *folder != Path::new("")).unwrap_or(Path::new("."));
            let folder = std::fs::canonicalize(folder).unwrap_or_else(|_| folder.to_path_buf());
            Some(Identity::Place(folder.join(place.file_name()?)))
        }
    }
}

#[cfg(unix)]
fn node(found: &std::fs::Metadata) -> Option<Identity> {
    use std::os::unix::fs::MetadataExt;
    Some(Identity::Node(found.dev(), found.ino()))
}

#[cfg(not(unix))]
fn node(_: &std::fs::Metadata) -> Option<Identity> {
    None
}

/// The file that standard input or output is, where it is one.
#[cfg(unix)]
fn standard(input: bool) -> Option<Identity> {
    use rustix::fs::{FileType, fstat};
    let found = if input { fstat(std::io::stdin()) } else { fstat(std::io::stdout()) }.ok()?;
    let file = FileType::from_raw_mode(found.st_mode) == FileType::RegularFile;
    file.then_some(Identity::Node(found.st_dev, found.st_ino))
}

#[cfg(not(unix))]
fn standard(_: bool) -> Option<Identity> {
    None
}

#[cfg(test)]
mod tests {
    use super::*;
    use clap::CommandFactory;
    use clap::builder::ValueParser;

    /// Every argument that names a file is one that is known to be read or written: a new one has to be said here, or above.
    #[test]
    fn every_argument_that_names_a_file_is_known() {
        const READ: [&str; 14] = [
            "input", "inputs", "files", "base", "over", "mask", "to_match", "first", "second", "more", "words",
            "replace", "shell", "tour",
        ];
        let kind = |parser: &ValueParser| format!("{:?}", parser.type_id());
        let path = kind(&clap::value_parser!(PathBuf));
        let mut command = crate::args::Cli::command();
        command.build();
        let mut seen = 0;
        for verb in command.get_subcommands() {
            for arg in verb.get_arguments() {
                let parser = kind(arg.get_value_parser());
                if parser != path && !parser.contains("PathBuf") {
                    continue;
                }
                seen += 1;
                let id = arg.get_id().as_str();
                let known =
                    WRITTEN.iter().any(|(written, _)| *written == id) || FOLDERS.contains(&id) || READ.contains(&id);
                assert!(known, "{} {id}: is it read or written?", verb.get_name());
            }
        }
        assert!(seen > 60, "{seen} arguments that name files");
    }
}
