//! Streams cut at random: the first byte says into how large pieces; the picture is the same as in one.
#![no_main]

use rahmen::file::read_from;
use std::io::{Cursor, Read};

struct Pieces<'a>(&'a [u8], usize);

impl Read for Pieces<'_> {
    fn read(&mut self, to: &mut [u8]) -> std::io::Result<usize> {
        let most = self.1.min(to.len());
        self.0.read(&mut to[..most])
    }
}

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let Some((&each, bytes)) = bytes.split_first() else { return };
    rahmen_fuzz::bounded(bytes, |budget| {
        let whole = read_from(Cursor::new(bytes), rahmen_fuzz::options(budget));
        let pieces = read_from(Pieces(bytes, usize::from(each).max(1)), rahmen_fuzz::options(budget));
        match (whole, pieces) {
            (Ok(whole), Ok(pieces)) => assert!(whole.content().pixel_format() == pieces.content().pixel_format()),
            (Err(whole), Err(pieces)) => assert_eq!(whole.to_string(), pieces.to_string()),
            (whole, pieces) => panic!("{:?} and in pieces {:?}", whole.err(), pieces.err()),
        }
    });
});
