//! Facts of any bytes: those of a stream and of a file are the same, and reading them changes nothing that is read afterwards.
#![no_main]

use rahmen::FileFormat;
use rahmen::file::{Reader, facts_from};
use std::io::Cursor;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| rahmen_fuzz::bounded(bytes, |budget| {
    let stream = facts_from(Cursor::new(bytes), rahmen_fuzz::options(budget));
    let file = Reader::from_seekable(Cursor::new(bytes), rahmen_fuzz::options(budget));
    // What a TGA file says of its alpha stands at its end, where a header alone does not lead.
    let told = |format| format != Some(FileFormat::Tga);
    if let (Ok(stream), Ok(file)) = (stream, file)
        && told(stream.format)
    {
        assert_eq!((stream.size, &stream.pixel_format), (file.facts().size, &file.facts().pixel_format));
    }
}));

rahmen_fuzz::change_by_structure!();
