//! All pages of a file, each behind steps that see it once or twice, into a file of several.
#![no_main]

use rahmen::file::{Reader, WriteOptions, Writer};
use rahmen::flow::Chain;
use rahmen::{FileFormat, Threads};
use std::io::Cursor;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let (file, words) = rahmen_fuzz::file_and_words(bytes);
    let formats = [FileFormat::Tiff, FileFormat::Npz, FileFormat::Png];
    let format = formats[words.first().map_or(0, |word| usize::from(*word) % formats.len())];
    rahmen_fuzz::bounded(bytes, |budget| {
        let Ok(reader) = Reader::from_seekable(Cursor::new(file), rahmen_fuzz::options(budget)) else { return };
        let pages = reader.facts().pages;
        let Ok(mut chain) = Chain::new(Box::new(reader), rahmen_fuzz::steps(words)) else { return };
        let options = WriteOptions::default().format(format).pages(pages).threads(Threads::ONE);
        let mut out = Vec::new();
        let Ok(mut writer) = Writer::to_stream(&mut out, chain.facts(), options) else { return };
        let _ = chain.run_pages_into(&mut writer);
    });
    // The same without looking at a row.
    rahmen_fuzz::bounded(bytes, |budget| {
        let Ok(mut reader) = Reader::from_seekable(Cursor::new(file), rahmen_fuzz::options(budget)) else { return };
        while let Ok(true) = reader.next_page() {}
    });
});

rahmen_fuzz::change_by_structure!();
