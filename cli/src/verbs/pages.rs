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
    let pages = open::facts(input, shared)?.pages.max(1);
    let digits = pages.to_string().len();
    let (stem, mut folder) = (stem_of(input), OutputFolder::start(folder)?);
    let mut extension = written.extension_like(input);
    if extension == "gif" {
        // What a viewer shows of a frame is colours, not numbers of them.
        extension = "png".to_string();
    }
    let written = written.clone().not_forced();
    let mut reader = open::open(input, shared)?;
    let bar = progress::counted(u64::from(pages), "pages", shared);
    for page in 1..=pages {
        if page > 1 && !reader.next_page().map_err(|e| e.in_file(input))? {
            break;
        }
        let path = folder.place(&format!("{stem}-p{page:0digits$}.{extension}"));
        let facts = reader.facts().clone();
        let mut writer = make::create(&path, &facts, &written, shared)?;
        let remarks = writer.remarks();
        put(&mut reader, &mut writer).and_then(|()| writer.finish()).map_err(pipe_is_no_failure)?;
        let done = Some(format!("page {page} of {pages}"));
        let said = bar.above(|| {
            remarks.iter().for_each(|remark| shared.note(remark));
            say_done(input, &path, &facts, &facts, done, shared)
        });
        said?;
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
    let count = u32::try_from(inputs.len()).unwrap_or(u32::MAX);
    let mut writer = None;
    let mut sizes: Vec<Size> = Vec::new();
    let bar = progress::counted(inputs.len() as u64, "pages", shared);
    for input in &inputs {
        let options = match colors {
            Some(rules) => shared.read_options().reduced_to_palette(rules),
            None => shared.read_options(),
        };
        let mut reader = open::open_with(input, options, shared)?;
        let mut facts: Facts = reader.facts().clone();
        facts.metadata.delay = written.delay.or(facts.metadata.delay);
        let writer = match &mut writer {
            None => writer.insert(make::create_pages(output, &facts, count, written, shared)?),
            Some(writer) => {
                let turned = rahmen::file::Writer::next_page(writer, &facts);
                turned.map_err(|e| open::in_file(e.into(), input))?;
                writer
            }
        };
        put(&mut reader, writer).map_err(pipe_is_no_failure)?;
        bar.above(|| open::note_damage(input, reader.take_damage(), shared));
        sizes.push(facts.size);
        bar.step();
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
