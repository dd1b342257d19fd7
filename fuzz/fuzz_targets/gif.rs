//! Files that start as one of this format does.
#![no_main]

use rahmen::FileFormat;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    rahmen_fuzz::read_as(FileFormat::Gif, bytes);
    rahmen_fuzz::read(bytes, |options| options.frames_alone());
});

rahmen_fuzz::change_by_structure!();
