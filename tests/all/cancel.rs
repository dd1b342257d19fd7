//! A signal ends reading, writing and chains, whatever they are at, with an error of its own kind.

use rahmen::file::{ReadOptions, Reader, WriteOptions, Writer, decode, encode, read_from};
use rahmen::flow::{Chain, PictureSource, Resize, Sink, Source, Strip};
use rahmen::resample::ResizeRules;
use rahmen::{Cancel, ErrorKind, FileFormat, Frame, Gray, Picture, Rgb, Size};
use std::io::{Cursor, Read};
use std::time::{Duration, Instant};

fn is_cancelled(error: &rahmen::Error) -> bool {
    matches!(error.kind(), ErrorKind::Cancelled)
}

/// A stream that sets the signal once so many bytes were read.
struct After<'a> {
    bytes: Cursor<Vec<u8>>,
    left: usize,
    cancel: &'a Cancel,
}

impl Read for After<'_> {
    fn read(&mut self, to: &mut [u8]) -> std::io::Result<usize> {
        let count = self.bytes.read(to)?;
        self.left = self.left.saturating_sub(count);
        if self.left == 0 {
            self.cancel.cancel();
        }
        Ok(count)
    }
}

/// Files of 3 million pixels of each format, which take more than two million bytes and units of work.
fn files() -> Vec<(FileFormat, Vec<u8>)> {
    use FileFormat::*;
    let frame = Frame::<Rgb<u8>>::random(Size::new(2000, 1500), Rgb::new(0, 0, 0), Rgb::new(255, 255, 255), 5).unwrap();
    let formats = [Png, Jpeg, Tiff, Bmp, Tga, Qoi, Pnm, Npy, Npz];
    formats.map(|format| (format, encode(&frame, format, WriteOptions::default()).unwrap())).into()
}

#[test]
fn reading_ends_amid_a_file_of_every_format() {
    for (format, bytes) in files() {
        let cancel = Cancel::new();
        let options = ReadOptions::default().cancel(&cancel);
        let stream = After { left: bytes.len() / 2, bytes: Cursor::new(bytes.clone()), cancel: &cancel };
        assert!(is_cancelled(&read_from(stream, options.clone()).unwrap_err()), "{format}");
        // Set beforehand, nothing is begun; a clone of it is the same signal.
        assert!(is_cancelled(&decode(&bytes, options).unwrap_err()), "{format}");
        // Between two strips.
        let cancel = Cancel::new();
        let options = ReadOptions::default().cancel(&cancel);
        let mut reader = Reader::from_seekable(Cursor::new(&bytes), options).unwrap();
        Source::next(&mut reader, 10).unwrap();
        cancel.clone().cancel();
        let rest = Source::next(&mut reader, u32::MAX);
        assert!(is_cancelled(&rest.unwrap_err()), "{format}");
    }
}

#[test]
fn a_signal_that_is_not_set_changes_nothing() {
    let far = Cancel::at(Instant::now() + Duration::from_secs(3600));
    for (format, bytes) in files() {
        let read = decode(&bytes, ReadOptions::default().cancel(&far)).unwrap();
        assert!(read.content() == decode(&bytes, ReadOptions::default()).unwrap().content(), "{format}");
        let written = encode(&read, format, WriteOptions::default().cancel(&far)).unwrap();
        assert!(written == encode(&read, format, WriteOptions::default()).unwrap(), "{format}");
    }
}

#[test]
fn a_deadline_ends_what_would_last() {
    // Few bytes that stand for many pixels: the time is spent within one call of the decoder.
    let white = Frame::filled(Size::new(8000, 8000), Gray::new(255u8)).unwrap();
    let bytes = encode(&white, FileFormat::Png, WriteOptions::default()).unwrap();
    drop(white);
    let deadline = Cancel::at(Instant::now() + Duration::from_millis(1));
    let error = decode(&bytes, ReadOptions::default().cancel(&deadline)).unwrap_err();
    assert!(matches!(error.kind(), ErrorKind::DeadlinePassed), "{error}");
    assert_eq!(error.to_string(), "the work was not done by its deadline");
}

/// A sink that sets the signal at a row.
struct Setting<'a> {
    at: u32,
    cancel: &'a Cancel,
    seen: u32,
}

impl Sink for Setting<'_> {
    fn put(&mut self, strip: &Strip) -> rahmen::Result<()> {
        self.seen = strip.rows().end;
        if self.seen >= self.at {
            self.cancel.cancel();
        }
        Ok(())
    }

    fn finish(&mut self) -> rahmen::Result<()> {
        Ok(())
    }
}

#[test]
fn a_chain_ends_before_the_next_strip_of_its_source() {
    let picture = Picture::from(Frame::filled(Size::new(1000, 6000), Rgb::new(9u8, 8, 7)).unwrap());
    let cancel = Cancel::new();
    let steps: Vec<Box<dyn rahmen::flow::Step>> =
        vec![Box::new(Resize::new(Size::new(500, 3000), ResizeRules::default()))];
    let mut chain = Chain::new(Box::new(PictureSource::new(picture)), steps).unwrap().cancel(&cancel);
    let mut sink = Setting { at: 500, cancel: &cancel, seen: 0 };
    assert!(is_cancelled(&chain.run_into(&mut sink).unwrap_err()));
    assert!((500..2000).contains(&sink.seen), "{}", sink.seen);
}

#[test]
fn a_writer_ends_and_leaves_no_file() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.png");
    let picture = Picture::from(Frame::filled(Size::new(10, 10), Gray::new(1u8)).unwrap());
    let cancel = Cancel::new();
    let options = WriteOptions::default().cancel(&cancel);
    let mut writer = Writer::create(&path, &picture.facts(), options.clone()).unwrap();
    cancel.cancel();
    let strip = Strip { first_row: 0, content: picture.content().clone() };
    assert!(is_cancelled(&writer.put(&strip).unwrap_err()));
    drop(writer);
    assert!(is_cancelled(&Writer::create(&path, &picture.facts(), options).unwrap_err()));
    assert_eq!(std::fs::read_dir(folder.path()).unwrap().count(), 0);
}
