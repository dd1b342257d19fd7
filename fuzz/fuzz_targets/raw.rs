//! Words of a raw layout, a line, and the bytes behind it.
#![no_main]

use rahmen::frame::RawLayout;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let (words, bytes) = match bytes.iter().position(|&b| b == b'\n') {
        Some(end) => (&bytes[..end], &bytes[end + 1..]),
        None => return,
    };
    if let Ok(layout) = RawLayout::from_words(&String::from_utf8_lossy(words), None) {
        rahmen_fuzz::read(bytes, |options| options.raw(layout));
    }
});
