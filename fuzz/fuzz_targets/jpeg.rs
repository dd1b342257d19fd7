//! Files that start as one of this format does.
#![no_main]

use rahmen::Format;

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| rahmen_fuzz::read_as(Format::Jpeg, bytes));
