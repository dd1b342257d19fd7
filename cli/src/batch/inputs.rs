//! The inputs of a batch: files, folders, patterns; and a share of them.

use crate::fail::{Done, Failure};
use std::path::{Path, PathBuf};
use std::str::FromStr;

/// A file to work on, and the folder that it lies in below the one that was named.
#[derive(Debug, Clone, PartialEq, Eq)]
pub(crate) struct Input {
    pub(crate) path: PathBuf,
    pub(crate) below: PathBuf,
}

/// The files that the words name, each once, folders and patterns sorted by name. Of a folder the pictures in it, told by the
/// extensions that are known; with `recursive` those in folders below too.
pub(crate) fn inputs(words: &[PathBuf], recursive: bool) -> Done<Vec<Input>> {
    let mut all: Vec<Input> = Vec::new();
    for word in words {
        if word == Path::new("-") {
            return Err(Failure::words("- is one picture without a name; a run takes files and folders"));
        }
        if word.is_dir() {
            all.extend(of_folder(word, recursive)?);
        } else if word.exists() || !is_pattern(word) {
            // One that is not there fails by itself, as one of many.
            all.push(Input { path: word.clone(), below: PathBuf::new() });
        } else {
            all.extend(of_pattern(word)?);
        }
    }
    let mut seen = std::collections::HashSet::new();
    all.retain(|input| seen.insert(input.path.clone()));
    match all.is_empty() {
        true => Err(anyhow::anyhow!("there is no picture to work on").into()),
        false => Ok(all),
    }
}

fn is_picture(path: &Path) -> bool {
    path.is_file() && rahmen::FileFormat::of_extension(path).is_some()
}

fn of_folder(folder: &Path, recursive: bool) -> Done<Vec<Input>> {
    let depth = if recursive { usize::MAX } else { 1 };
    let walk = walkdir::WalkDir::new(folder).min_depth(1).max_depth(depth).follow_links(true).sort_by_file_name();
    let mut found = Vec::new();
    for entry in walk {
        let entry = entry.map_err(|e| {
            let path = e.path().unwrap_or(folder).display().to_string();
            match e.into_io_error() {
                Some(error) => anyhow::Error::new(error).context(format!("{path}: cannot list it")),
                None => anyhow::anyhow!("{path}: a link leads back to a folder above it"),
            }
        })?;
        if is_picture(entry.path()) {
            let below = entry.path().parent().and_then(|p| p.strip_prefix(folder).ok()).unwrap_or(Path::new(""));
            found.push(Input { below: below.to_path_buf(), path: entry.into_path() });
        }
    }
    match found.is_empty() {
        true => {
            let hint = if recursive { "" } else { "; --recursive looks into folders below too" };
            Err(anyhow::anyhow!("{}: there is no picture in this folder{hint}", folder.display()).into())
        }
        false => Ok(found),
    }
}

fn is_pattern(word: &Path) -> bool {
    word.to_str().is_some_and(|text| text.contains(['*', '?', '[']))
}

fn of_pattern(word: &Path) -> Done<Vec<Input>> {
    let text = word.to_str().unwrap_or_default();
    let wrong = |e: glob::PatternError| Failure::words(format!("{text}: not a pattern of names: {}", e.msg));
    let listed = glob::glob(text).map_err(wrong)?.filter_map(Result::ok);
    let found: Vec<Input> =
        listed.filter(|path| path.is_file()).map(|path| Input { path, below: PathBuf::new() }).collect();
    match found.is_empty() {
        true => Err(anyhow::anyhow!("{text}: there is no file of such a name").into()),
        false => Ok(found),
    }
}

/// A share of the inputs: the `part`th of `of`.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Part {
    part: usize,
    of: usize,
}

impl FromStr for Part {
    type Err = String;

    fn from_str(word: &str) -> Result<Part, String> {
        let numbers = word.split_once('/').and_then(|(a, b)| Some((a.trim().parse().ok()?, b.trim().parse().ok()?)));
        match numbers {
            Some((part, of)) if (1..=of).contains(&part) => Ok(Part { part, of }),
            _ => Err(format!("a part is K/N, from 1/N to N/N, such as 3/16, not {word}")),
        }
    }
}

impl Part {
    /// Whether the input of this place among all of them, from 0, belongs to it. Of the same inputs all parts together are all of
    /// them, each once, and as many in each as can be.
    pub(crate) fn has(self, place: usize) -> bool {
        place % self.of == self.part - 1
    }
}

impl std::fmt::Display for Part {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        write!(f, "{}/{}", self.part, self.of)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn parts_are_all_of_it_each_once() {
        let parts: Vec<Part> = (1..=3).map(|k| format!("{k}/3").parse().unwrap()).collect();
        for place in 0..20 {
            assert_eq!(parts.iter().filter(|part| part.has(place)).count(), 1);
        }
        assert_eq!(parts.iter().map(|part| (0..20).filter(|p| part.has(*p)).count()).collect::<Vec<_>>(), [7, 7, 6]);
        for wrong in ["0/3", "4/3", "3", "a/b", "1/0", "-1/2"] {
            assert!(wrong.parse::<Part>().is_err(), "{wrong}");
        }
    }
}
