//! JPEG files turned by their coefficients: what comes out is read again, and turned back it is the same picture.
#![no_main]

use rahmen::Orientation;
use rahmen::file::{LosslessRules, decode, orient_lossless_from};
use std::io::Cursor;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let mark: &[u8] = if bytes.starts_with(b"\xff\xd8\xff") { b"" } else { b"\xff\xd8\xff" };
    let bytes = [mark, bytes].concat();
    rahmen_fuzz::bounded(&bytes, |budget| {
        let mut rules = LosslessRules::default();
        rules.limits = rahmen_fuzz::options(budget).limits;
        for orientation in [Orientation::RotatedRight, Orientation::MirroredLeftRight] {
            let Ok(turned) = orient_lossless_from(Cursor::new(bytes.clone()), Some(orientation), rules) else {
                continue;
            };
            let again = decode(&turned.bytes, rahmen_fuzz::options(budget));
            assert!(again.is_ok_and(|picture| picture.size() == turned.after.size), "what was written is not read");
        }
    });
});

rahmen_fuzz::change_by_structure!();
