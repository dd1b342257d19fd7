//! A format from outside: what the example `add_a_format` adds stands beside the library's own, however the bytes come.
#![cfg(feature = "png")]

#[path = "../../examples/add_a_format/tide.rs"]
mod tide;

use rahmen::file::{Formats, Limits, ReadOptions};
use rahmen::flow::Source;
use rahmen::{ErrorKind, FileFormat};

fn formats() -> Formats {
    Formats::default().with(tide::Tide)
}

#[test]
fn a_format_from_outside_is_read_and_written_like_the_librarys_own() {
    let folder = tempfile::tempdir().unwrap();
    let (dawn, path) = (rahmen::read("cli/demo/quay-dawn.png").unwrap(), folder.path().join("dawn.tide"));
    formats().write(&path, &dawn, Default::default()).unwrap();
    let bytes = std::fs::read(&path).unwrap();
    assert_eq!(formats().encode(&dawn, FileFormat::Other("tide"), Default::default()).unwrap(), bytes);
    // By content, whatever its name; in pieces, by a stream; facts, skipping and rewinding.
    let other = folder.path().join("dawn.png");
    std::fs::copy(&path, &other).unwrap();
    assert!(formats().read(&other, Default::default()).unwrap().content() == dawn.content());
    let stream = formats().open_stream(std::io::Read::chain(&bytes[..5], &bytes[5..]), Default::default()).unwrap();
    assert!(stream.read_whole().unwrap().content() == dawn.content());
    let facts = formats().facts(&path, Default::default()).unwrap();
    assert_eq!((facts.format, facts.size), (Some(FileFormat::Other("tide")), dawn.size()));
    let mut reader = formats().open(&path, ReadOptions::default()).unwrap();
    reader.skip(100).unwrap();
    let strip = reader.next(7).unwrap().unwrap();
    let wanted = dawn.content().crop(dawn.size().region().rows(100..107).unwrap()).unwrap();
    assert!(strip.first_row == 100 && strip.content == wanted);
    reader.rewind().unwrap();
    assert!(reader.read_whole().unwrap().content() == dawn.content());
    // What is cut is an error with its place, salvaged as far as it goes; limits hold; others do not know it.
    let error = formats().decode(&bytes[..9000], Default::default()).unwrap_err();
    assert_eq!(error.to_string(), "tide at byte 9000: the file ends early: row 6 expected");
    let rows = formats().open_seekable(std::io::Cursor::new(&bytes[..9000]), ReadOptions::default().salvage());
    assert_eq!(rows.unwrap().read_damaged().unwrap().1.unwrap().rows_lost(), 314);
    let low = ReadOptions::default().limits(Limits::default().side(400));
    assert!(matches!(formats().decode(&bytes, low).unwrap_err().kind(), ErrorKind::Limit { .. }));
    assert!(rahmen::read(&path).is_err() && rahmen::write(&path, &dawn).unwrap_err().to_string().contains(".png"));
    let deep = dawn.to_depth(rahmen::Depth::U16).unwrap();
    let error = formats().write(&path, &deep, Default::default()).unwrap_err().to_string();
    assert!(error.contains("tide cannot hold rgb u16"), "{error}");
    assert_eq!(std::fs::read(&path).unwrap(), bytes);
}
