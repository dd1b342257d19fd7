//! Opening inputs: a file by its name, or standard input; near names for a mistyped one.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::notes::Salvaged;
use crate::progress;
use rahmen::file::{self, ReadOptions, Reader};
use rahmen::flow::{Chain, Damage, PictureSink, Step, ToCodes};
use rahmen::{ErrorKind, Facts, Picture};
use std::io::{Read, Seek};
use std::path::{Path, PathBuf};

/// What standard input is called in messages.
const STANDARD_INPUT: &str = "standard input";

/// Pixels of a picture that is read within a second.
const PIXELS_IN_NO_TIME: u64 = 16 << 20;

/// The name of an input in messages and reports.
pub(crate) fn name_of(path: &Path) -> String {
    if path == Path::new("-") { STANDARD_INPUT.to_string() } else { text_of(path) }
}

/// A path as text. Bytes that are no text are given as `\xff`, and backslashes of such names twice, so that no two paths get the same.
fn text_of(path: &Path) -> String {
    if let Some(text) = path.to_str() {
        return text.to_string();
    }
    let mut text = String::new();
    for chunk in path.as_os_str().as_encoded_bytes().utf8_chunks() {
        text.push_str(&chunk.valid().replace('\\', "\\\\"));
        chunk.invalid().iter().for_each(|byte| text.push_str(&format!("\\x{byte:02x}")));
    }
    text
}

/// What a file's header says; no more of it is read.
pub(crate) fn facts(path: &Path, shared: &Shared) -> Done<Facts> {
    let facts = if path == Path::new("-") {
        file::facts_from(std::io::stdin(), shared.read_options()).map_err(|e| e.in_file(STANDARD_INPUT))
    } else {
        file::facts_with(path, shared.read_options())
    };
    facts.map_err(|e| not_found(path, e))
}

/// Opens a picture as it is stored and reads its header.
pub(crate) fn open(path: &Path, shared: &Shared) -> Done<Reader<'static>> {
    open_with(path, shared.read_options(), shared)
}

/// Opens a picture and reads its header.
pub(crate) fn open_with(path: &Path, options: ReadOptions, shared: &Shared) -> Done<Reader<'static>> {
    let reader = if path == Path::new("-") {
        Reader::from_read(std::io::stdin(), options).map_err(|e| e.in_file(STANDARD_INPUT))
    } else {
        Reader::open(path, options)
    };
    let reader = reader.map_err(|e| not_found(path, e))?;
    shared.tell(|| format!("{}: {} {}", name_of(path), reader.facts_text(), reader.stored_text()));
    Ok(reader)
}

/// [`open_with`] for work that sees the picture twice: standard input is kept in a temporary file.
pub(crate) fn open_twice(path: &Path, options: ReadOptions, shared: &Shared) -> Done<Reader<'static>> {
    if path != Path::new("-") {
        return open_with(path, options, shared);
    }
    let kept = || -> std::io::Result<std::fs::File> {
        let mut file = tempfile::tempfile()?;
        std::io::copy(&mut std::io::stdin().lock(), &mut file)?;
        file.seek(std::io::SeekFrom::Start(0))?;
        Ok(file)
    };
    let file =
        kept().map_err(|e| anyhow::Error::new(e).context("standard input cannot be kept in a temporary file"))?;
    let reader = Reader::from_seekable(file, options).map_err(|e| e.in_file(STANDARD_INPUT))?;
    shared.tell(|| format!("{STANDARD_INPUT}: {} {}", reader.facts_text(), reader.stored_text()));
    Ok(reader)
}

/// The steps for a picture of these facts.
pub(crate) type StepsFor<'a> = dyn FnMut(&Facts) -> Done<Vec<Box<dyn Step>>> + 'a;

/// A picture read whole, behind steps, in codes: its samples are 0..=max code, unscaled.
pub(crate) fn load_codes(path: &Path, shared: &Shared, steps: &mut StepsFor<'_>) -> Done<Picture> {
    load(path, shared, &mut |facts| {
        let mut steps = steps(facts)?;
        steps.push(Box::new(ToCodes));
        Ok(steps)
    })
}

/// A picture read whole.
pub(crate) fn whole(path: &Path, shared: &Shared) -> Done<Picture> {
    load(path, shared, &mut |_| Ok(Vec::new()))
}

/// A picture read whole, behind steps.
pub(crate) fn load(path: &Path, shared: &Shared, steps: &mut StepsFor<'_>) -> Done<Picture> {
    load_with(path, shared.read_options(), shared, steps)
}

/// [`load`] with options of reading.
pub(crate) fn load_with(path: &Path, options: ReadOptions, shared: &Shared, steps: &mut StepsFor<'_>) -> Done<Picture> {
    let reader = open_with(path, options, shared)?;
    note_pages(path, reader.stored(), shared);
    let steps = steps(reader.facts())?;
    let name = name_of(path);
    let whole = || {
        // Going through strips costs a copy: a picture that is read in no time needs no bar.
        let bar = progress::may_show(shared) && reader.facts().size.pixels() > PIXELS_IN_NO_TIME;
        if steps.is_empty() && !bar {
            return reader.read_damaged();
        }
        let mut chain = Chain::new(Box::new(reader), steps)?;
        let facts = chain.facts().clone();
        shared.read_options().limits.check_picture(&facts)?;
        let mut sink = PictureSink::new(&facts)?;
        progress::run(&mut chain, &mut sink, shared)?;
        Ok((sink.into_picture()?, chain.take_damage()))
    };
    let (picture, damage) = whole().map_err(|e| e.in_file(name))?;
    note_damage(path, damage, shared);
    Ok(picture)
}

/// Says which of several pages is looked at, where nobody has named one.
pub(crate) fn note_pages(path: &Path, stored: &Facts, shared: &Shared) {
    if stored.pages > 1 && shared.page.is_none() {
        let many = if stored.more_pages { "at least " } else { "" };
        shared.note(&format!("{}: this is page 1 of {many}{}; --page N takes another", name_of(path), stored.pages));
    }
}

/// Says what of a damaged file could be read.
pub(crate) fn note_damage(path: &Path, damage: Option<Damage>, shared: &Shared) {
    let Some(damage) = damage else { return };
    let name = name_of(path);
    let why = crate::fail::said(&damage.error);
    let why = why.strip_prefix(&format!("{name}: ")).unwrap_or(&why);
    let (good, suspect, lost) = (damage.rows_good(), damage.rows_suspect(), damage.rows_lost());
    let counts = format!("of {} rows {good} are good, {suspect} suspect, {lost} lost", damage.rows);
    let salvaged = Salvaged { rows: damage.rows, good, suspect, lost };
    shared.notes.salvage(salvaged, &format!("{name}: {counts}: {why}"));
}

/// A failure that names the file, unless it does already.
pub(crate) fn in_file(failure: Failure, file: &Path) -> Failure {
    match failure {
        Failure::Work(error) => {
            let name = name_of(file);
            let told = format!("{error:#}").starts_with(&name);
            // As a cause below the name, so that its help is still said in this program's words.
            Failure::Work(if told { error } else { error.context(name) })
        }
        other => other,
    }
}

pub(crate) fn not_found(path: &Path, error: rahmen::Error) -> Failure {
    let missing = matches!(error.kind(), ErrorKind::Io { source, .. } if source.kind() == std::io::ErrorKind::NotFound);
    let near = if missing { near_names(path) } else { Vec::new() };
    if near.is_empty() {
        return error.into();
    }
    Failure::Work(anyhow::anyhow!("{}: there is no such file; did you mean {}?", path.display(), near.join(" or ")))
}

/// Up to three files of the same folder whose names are nearly the one that was asked for, the nearest first.
fn near_names(path: &Path) -> Vec<String> {
    let (Some(name), folder) = (path.file_name(), path.parent().unwrap_or(Path::new(""))) else { return Vec::new() };
    let wanted = name.to_string_lossy().to_lowercase();
    let listed = std::fs::read_dir(if folder == Path::new("") { Path::new(".") } else { folder });
    let mut near: Vec<(usize, PathBuf)> = listed
        .into_iter()
        .flatten()
        .filter_map(|entry| {
            let other = entry.ok()?.file_name();
            let distance = strsim::damerau_levenshtein(&wanted, &other.to_string_lossy().to_lowercase());
            (distance <= 2.max(wanted.chars().count() / 4)).then(|| (distance, folder.join(other)))
        })
        .collect();
    near.sort();
    near.into_iter().take(3).map(|(_, path)| path.display().to_string()).collect()
}

/// Short texts about what is read.
trait Texts {
    fn facts_text(&self) -> String;
    fn stored_text(&self) -> String;
}

impl Texts for Reader<'_> {
    fn facts_text(&self) -> String {
        format!("{} {}", self.facts().size, self.facts().pixel_format.describe())
    }
    fn stored_text(&self) -> String {
        let facts = self.facts();
        let format = facts.format.map_or("", |f| f.name());
        facts.stored.as_ref().map_or(String::new(), |stored| format!("({format}, {stored})"))
    }
}

/// The bytes of a file of which `most` are sensible. What grows or never ends, such as a device, is not read further.
///
/// # Errors
/// [`FileTooLarge`](std::io::ErrorKind::FileTooLarge) beyond that, and what reading gives.
pub(crate) fn read_most(path: &Path, most: u64) -> std::io::Result<Vec<u8>> {
    let mut bytes = Vec::new();
    std::fs::File::open(path)?.take(most.saturating_add(1)).read_to_end(&mut bytes)?;
    if bytes.len() as u64 > most { Err(std::io::ErrorKind::FileTooLarge.into()) } else { Ok(bytes) }
}
