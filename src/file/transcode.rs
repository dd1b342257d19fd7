//! A file into another one: all pages, a strip at a time.

use super::formats::Formats;
use super::holds::Item;
use super::options::{ReadOptions, WriteOptions};
use crate::error::Result;
use crate::flow::{Chain, Damage};
use crate::frame::Facts;
use std::path::Path;

/// What [`transcode`] has written.
#[derive(Debug)]
#[non_exhaustive]
pub struct Transcoded {
    /// Facts of the first picture as it was written.
    pub facts: Facts,
    /// Number of pictures that were written.
    pub pages: u32,
    /// What was lost, and what is remarkable about the file that was read, each a sentence.
    pub warnings: Vec<String>,
    /// The damage of the first page that has some, where the options ask to go on all the same.
    pub damage: Option<Damage>,
}

/// Reads a file and writes it as another one, whose format is the options' or the extension's: in bounded memory, in one pass over the
/// pixels. All pages are written where none is [named](ReadOptions::page) and the format [holds](super::holds) several; else the first,
/// and a warning tells how many there are. Delays, plays, names and resolutions go along where the format holds them.
///
/// # Errors
/// What reading or writing gives; a page that the format cannot hold beside the first. Then no file is written.
///
/// # Examples
/// ```no_run
/// use rahmen::file::{transcode, ReadOptions, WriteOptions};
/// let done = transcode("harbour.tif", "harbour.npz", ReadOptions::default(), WriteOptions::default())?;
/// println!("{} pages; {:?}", done.pages, done.warnings);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn transcode(
    from: impl AsRef<Path>,
    to: impl AsRef<Path>,
    read: ReadOptions,
    write: WriteOptions,
) -> Result<Transcoded> {
    Formats::default().transcode(from, to, read, write)
}

impl Formats {
    /// Reads a file and writes it as another one: see [`transcode`].
    ///
    /// # Errors
    /// As [`transcode`].
    pub fn transcode(
        &self,
        from: impl AsRef<Path>,
        to: impl AsRef<Path>,
        read: ReadOptions,
        write: WriteOptions,
    ) -> Result<Transcoded> {
        let to = to.as_ref();
        let first = read.page.is_none();
        let reader = self.open(from, read)?;
        let format = write.format.map_or_else(|| self.of_extension(to), Ok).map_err(|e| e.in_file(to))?;
        let stored = reader.stored().clone();
        let several = first && (stored.pages > 1 || stored.more_pages);
        let all = several && self.holds(format)?.has(Item::Pages);
        let (pages, plays) = (if all { stored.pages } else { 1 }, write.plays.or(stored.plays));
        let mut warnings = stored.remarks.clone();
        warnings.extend(pages_left(&stored, &format.to_string(), several && !all, first));
        let mut chain = Chain::new(Box::new(reader), Vec::new())?;
        let mut writer = self.create(to, chain.facts(), WriteOptions { pages, plays, ..write })?;
        let facts = chain.facts().clone();
        let pages = match all {
            true => chain.run_pages_into(&mut writer)?,
            false => chain.run_into(&mut writer).map(|()| 1)?,
        };
        warnings.extend(writer.remarks());
        warnings.extend(chain.take_late_remarks());
        let damage = chain.take_damage();
        Ok(Transcoded { facts, pages, warnings, damage })
    }
}

/// Warnings on pictures of a file that are not written along: `further` pages, and those that hang `below` them.
pub fn pages_left(stored: &Facts, format: &str, further: bool, below: bool) -> Vec<String> {
    let mut lines = Vec::new();
    if further {
        let many = if stored.more_pages { "at least " } else { "" };
        let pages = stored.pages;
        lines.push(format!("the file has {many}{pages} pages; only the first is written: {format} holds one picture"));
    }
    let hanging: u64 = stored.page_list.iter().map(|page| u64::from(page.sub_pages)).sum();
    if below && hanging > 0 {
        lines.push(format!(
            "{hanging} pictures that hang below the pages, such as smaller copies, are not written along"
        ));
    }
    lines
}
