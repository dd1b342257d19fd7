//! Files that start as PNG does; checksums are mended after most changes.
#![no_main]

use libfuzzer_sys::{fuzz_mutator, fuzz_target, fuzzer_mutate};
use rahmen::FileFormat;

fuzz_target!(|bytes: &[u8]| {
    rahmen_fuzz::read_as(FileFormat::Png, bytes);
    // A frame of an animation, drawn over the first.
    rahmen_fuzz::read(bytes, rahmen_fuzz::options().page(2));
});

fuzz_mutator!(|bytes: &mut [u8], size: usize, most: usize, seed: u32| {
    let size = fuzzer_mutate(bytes, size, most);
    if !seed.is_multiple_of(8) {
        rahmen_fuzz::mend(&mut bytes[..size]);
    }
    size
});
