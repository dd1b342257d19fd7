//! Facts of any bytes: those of a stream and of a file are the same, and reading them changes nothing that is read afterwards.
#![no_main]

use rahmen::file::{Reader, facts_from};
use std::io::Cursor;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| rahmen_fuzz::bounded(bytes, || {
    let stream = facts_from(Cursor::new(bytes), rahmen_fuzz::options());
    let file = Reader::from_seekable(Cursor::new(bytes), rahmen_fuzz::options());
    if let (Ok(stream), Ok(file)) = (stream, file) {
        assert_eq!((stream.size, &stream.pixel_format), (file.facts().size, &file.facts().pixel_format));
    }
}));
