//! Files that start as PNG does.
#![no_main]

use libfuzzer_sys::fuzz_target;
use rahmen::FileFormat;

fuzz_target!(|bytes: &[u8]| {
    rahmen_fuzz::read_as(FileFormat::Png, bytes);
    // A frame of an animation, drawn over the first.
    rahmen_fuzz::read(bytes, |options| options.page(2));
});

rahmen_fuzz::change_by_structure!();
