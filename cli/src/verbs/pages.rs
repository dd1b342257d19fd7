//! Pages: each of a file as a picture of its own, and pictures as the pages of one file.

use crate::args::Shared;
use crate::fail::{Done, Failure};
use crate::folder::OutputFolder;
use crate::look;
use crate::make::{self, Written, pipe_is_no_failure, say_done};
use crate::open;
use crate::progress;
use crate::verbs::planes::stem_of;
use rahmen::flow::{Sink, Source};
use rahmen::tone::PaletteRules;
use rahmen::{Facts, Size};
use std::path::{Path, PathBuf};

/// Bytes of rows that are handed on together.
const STRIP_BYTES: u64 = 1 << 20;

/// Each page into a file of a folder.
pub(crate) fn split(input: &Path, folder: &Path, written: &Written, shared: &Shared) -> Done {
    if input == Path::new("-") {
        return Err(Failure::words("--pages reads the file once a page; give it a name instead of -"));
    }
    if shared.page.is_some() {
        return Err(Failure::words("--pages takes all pages, --page one; leave one out"));
    }
    let facts = open::facts(input, shared)?;
    let pages = facts.pages.max(1);
    // Where counting ended before the file did, nobody is told that these are all.
    let many = if facts.more_pages { "at least " } else { "" };
    facts.remarks.iter().for_each(|remark| shared.note(remark));
    rahmen::file::pages_left(&facts, "", false, true).iter().for_each(|line| shared.note(line));
    let digits = pages.to_string().len();
    let mut extension = written.extension_like(input);
    if extension == "gif" {
        // What a viewer shows of a frame is colours, not numbers of them.
        extension = "png".to_string();
    }
    let stem = stem_of(input);
    let file = |page: u32| format!("{stem}-p{page:0digits$}.{extension}");
    let mut folder = OutputFolder::start(folder, (1..=pages).map(file), &[input])?;
    let written = written.clone().not_forced();
    let mut reader = open::open(input, shared)?;
    let bar = progress::counted(u64::from(pages), "pages", shared);
    let mut page = 0;
    while page == 0 || reader.next_page()? {
        page += 1;
        let path = folder.place(&file(page));
        let facts = reader.facts().clone();
        let mut writer = make::create(&path, &facts, &written, shared)?;
        let remarks = writer.remarks();
        put(&mut reader, &mut writer).and_then(|()| writer.finish()).map_err(pipe_is_no_failure)?;
        remarks.iter().for_each(|remark| shared.note(remark));
        let done = Some(format!("page {page} of {many}{pages}"));
        bar.above(|| say_done(input, &path, &facts, &facts, done, shared))?;
        open::note_damage(input, reader.take_damage(), shared);
        bar.step();
    }
    bar.end();
    folder.keep();
    Ok(())
}

/// Pictures into one file, a page each.
pub(crate) fn merge(
    output: &Path,
    inputs: &[PathBuf],
    colors: Option<PaletteRules>,
    written: &Written,
    shared: &Shared,
) -> Done {
    let inputs = look::with_folders(inputs)?;
    let pages_of = |input: &PathBuf| -> Done<u32> {
        // Standard input is read once: its first page counts.
        let all = shared.page.is_none() && *input != Path::new("-");
        if all { Ok(open::facts(input, shared)?.pages.max(1)) } else { Ok(1) }
    };
    let counts = inputs.iter().map(pages_of).collect::<Done<Vec<u32>>>()?;
    let count = counts.iter().fold(0u32, |sum, pages| sum.saturating_add(*pages));
    let mut writer = None;
    let mut sizes: Vec<Size> = Vec::new();
    let bar = progress::counted(u64::from(count), "pages", shared);
    for (input, pages) in inputs.iter().zip(counts) {
        let options = match colors {
            Some(rules) => shared.read_options().reduced_to_palette(rules),
            None => shared.read_options(),
        };
        let mut reader = open::open_with(input, options, shared)?;
        for page in 1..=pages {
            if page > 1 && !reader.next_page()? {
                break;
            }
            let facts: Facts = reader.facts().clone();
            facts.remarks.iter().for_each(|remark| shared.note(remark));
            let begun = make::begin_page(&mut writer, output, &facts, (count, None), written, shared);
            let writer = begun.map_err(|e| open::in_file(e, input))?;
            put(&mut reader, writer).map_err(pipe_is_no_failure)?;
            open::note_damage(input, reader.take_damage(), shared);
            sizes.push(facts.size);
            bar.step();
        }
    }
    bar.end();
    let Some(mut writer) = writer else { return Err(Failure::words("merge needs a picture")) };
    let remarks = writer.remarks();
    writer.finish().map_err(pipe_is_no_failure)?;
    remarks.iter().for_each(|remark| shared.note(remark));
    shared.say(output, || {
        let alike = sizes.windows(2).all(|two| two[0] == two[1]);
        let size = match sizes.first() {
            Some(size) if alike => format!(" of {size}"),
            _ => String::new(),
        };
        let pages = if sizes.len() == 1 { "page" } else { "pages" };
        format!("{} {pages}{size} -> {}", sizes.len(), output.display())
    })
}

/// All rows, without ending what takes them.
fn put(from: &mut dyn Source, to: &mut dyn Sink) -> rahmen::Result<()> {
    let row = from.facts().pixel_format.bytes(Size::new(from.facts().size.width, 1)).max(1);
    let rows = u32::try_from(STRIP_BYTES / row).unwrap_or(u32::MAX).max(1);
    while let Some(strip) = from.next(rows)? {
        to.put(&strip)?;
    }
    Ok(())
}
