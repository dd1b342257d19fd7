//! Files behind chains of steps, into files of several formats: what comes after decoding takes no more memory and time than the input may.
#![no_main]

use rahmen::file::{Reader, WriteOptions, Writer};
use rahmen::flow::Chain;
use rahmen::{FileFormat, Threads};
use std::io::Cursor;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let (file, words) = rahmen_fuzz::file_and_words(bytes);
    let formats = [FileFormat::Png, FileFormat::Tiff, FileFormat::Npz, FileFormat::Pam, FileFormat::Jpeg, FileFormat::Bmp];
    let format = formats[words.first().map_or(0, |word| usize::from(*word) % formats.len())];
    rahmen_fuzz::bounded(bytes, |budget| {
        let Ok(reader) = Reader::from_seekable(Cursor::new(file), rahmen_fuzz::options(budget)) else { return };
        let Ok(mut chain) = Chain::new(Box::new(reader), rahmen_fuzz::steps(words)) else { return };
        let options = WriteOptions::default().format(format).threads(Threads::ONE);
        let mut out = Vec::new();
        let Ok(mut writer) = Writer::to_stream(&mut out, chain.facts(), options) else { return };
        let _ = chain.run_into(&mut writer);
    });
});

rahmen_fuzz::change_by_structure!();
