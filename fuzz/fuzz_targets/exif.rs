//! EXIF blocks within PNG and JPEG: read, written with another picture, and read again.
#![no_main]

use rahmen::file::{WriteOptions, decode, encode};
use rahmen::{FileFormat, Frame, Gray, Picture, Size};

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| rahmen_fuzz::bounded(bytes, |budget| {
    let mut picture = Picture::from(Frame::filled(Size::new(2, 2), Gray::new(7u8)).expect("four pixels"));
    picture.metadata_mut().exif = Some(bytes.into());
    for format in [FileFormat::Png, FileFormat::Jpeg] {
        let Ok(file) = encode(&picture, format, WriteOptions::default()) else { continue };
        let read = decode(&file, rahmen_fuzz::options(budget)).expect("what was written");
        let upright = read.upright().expect("four pixels");
        let again =
            encode(&upright, format, WriteOptions::default()).and_then(|file| decode(&file, rahmen_fuzz::options(budget)));
        assert!(again.is_ok_and(|again| again.metadata().orientation.is_upright()), "{format}");
    }
}));

rahmen_fuzz::change_by_structure!();
