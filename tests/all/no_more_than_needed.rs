//! Facts read less than 64 KiB of any file, and the first rows of a picture not the others.
#![cfg(all(feature = "png", feature = "pnm", feature = "bmp", feature = "tga", feature = "pfm", feature = "npy"))]

use crate::common::{chunk, noise, png_of_samples};
use rahmen::file::{ReadOptions, Reader, facts, facts_from};
use rahmen::flow::Source;
use rahmen::{Frame, Gray, Picture, Rgb, Size};
use std::io::{Cursor, Read, Seek, SeekFrom};
use std::sync::Arc;
use std::sync::atomic::{AtomicU64, Ordering};

/// Counts the bytes that are read.
struct Counting<R>(R, Arc<AtomicU64>);

impl<R: Read> Read for Counting<R> {
    fn read(&mut self, out: &mut [u8]) -> std::io::Result<usize> {
        let count = self.0.read(out)?;
        self.1.fetch_add(count as u64, Ordering::Relaxed);
        Ok(count)
    }
}

impl<R: Seek> Seek for Counting<R> {
    fn seek(&mut self, to: SeekFrom) -> std::io::Result<u64> {
        self.0.seek(to)
    }
}

fn pictures() -> Vec<(&'static str, Vec<u8>)> {
    let folder = tempfile::tempdir().unwrap();
    let size = Size::new(500, 400);
    let rgb: Picture = Frame::random(size, Rgb::default(), Rgb::new(255u8, 255, 255), 7).unwrap().into();
    let floats: Picture = Frame::random(size, Gray::new(0.0f32), Gray::new(1.0), 8).unwrap().into();
    ["a.png", "a.ppm", "a.bmp", "a.tga", "a.npy", "a.pfm"]
        .into_iter()
        .map(|name| {
            let path = folder.path().join(name);
            rahmen::write(&path, if name == "a.pfm" { &floats } else { &rgb }).unwrap();
            let mut told = facts(&path).unwrap();
            let bytes = std::fs::read(&path).unwrap();
            let stream = facts_from(Cursor::new(bytes.clone()), ReadOptions::default()).unwrap();
            assert_eq!(told.bytes.take(), Some(bytes.len() as u64));
            assert_eq!(
                (told.size, &told.pixel_format, told.format),
                (stream.size, &stream.pixel_format, stream.format),
                "{name}"
            );
            (name, bytes)
        })
        .collect()
}

#[test]
fn facts_read_no_pixels_and_all_that_is_said_beside_them() {
    let mut all = pictures();
    // Texts of a megabyte in front of the pixels.
    let text = [b"Comment\0".to_vec(), noise(1 << 20, 1).iter().map(|v| v % 90 + 32).collect()].concat();
    let samples: Vec<u16> = noise(100, 2).iter().map(|&v| v.into()).collect();
    all.push(("texts", png_of_samples((10, 10), (0, 8), &samples, false, &|_| 0, &[chunk(b"tEXt", &text)])));
    for (name, bytes) in all {
        let count = Arc::new(AtomicU64::new(0));
        let told = facts_from(Counting(Cursor::new(bytes), Arc::clone(&count)), ReadOptions::default()).unwrap();
        let read = count.load(Ordering::Relaxed);
        // Of the text all is read, and no more of the pixels than of the others.
        let said: u64 = told.metadata.text.iter().map(|text| text.text.len() as u64).sum();
        assert_eq!(said > 1 << 19, name == "texts", "{name}");
        assert!(read < said + (64 << 10), "{name}: {read} bytes");
        assert!(told.size.width >= 10, "{name}");
    }
}

#[test]
#[cfg(feature = "jpeg")]
fn a_large_profile_is_told_with_the_facts() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.jpg");
    let mut picture = Picture::from(Frame::filled(Size::new(30, 20), Gray::new(9u8)).unwrap());
    picture.metadata_mut().icc = Some(noise(300_000, 3).into());
    rahmen::write(&path, &picture).unwrap();
    let told = facts(&path).unwrap();
    assert_eq!(told.size, Size::new(30, 20));
    assert!(told.metadata.icc == picture.metadata().icc && told.remarks.is_empty(), "{:?}", told.remarks);
    assert!(rahmen::read(&path).unwrap().metadata().icc == picture.metadata().icc);
}

#[test]
fn a_file_that_cannot_hold_what_it_declares_is_found_out_by_its_length() {
    for (name, bytes) in pictures().into_iter().filter(|(name, _)| *name != "a.png") {
        let count = Arc::new(AtomicU64::new(0));
        let cut = bytes[..bytes.len() * 9 / 10 - 600].to_vec();
        let counting = Counting(Cursor::new(cut), Arc::clone(&count));
        let error = Reader::from_seekable(counting, ReadOptions::default()).unwrap().read_whole().unwrap_err();
        assert!(error.to_string().contains("ends early"), "{name}: {error}");
        // No rows have been read for it.
        assert!(count.load(Ordering::Relaxed) < 70 << 10, "{name}");
    }
}

#[test]
fn the_first_rows_are_read_without_the_others() {
    for (name, bytes) in pictures() {
        let all = bytes.len() as u64;
        let count = Arc::new(AtomicU64::new(0));
        let counting = Counting(Cursor::new(bytes), Arc::clone(&count));
        let mut reader = Reader::from_seekable(counting, ReadOptions::default()).unwrap();
        assert_eq!(reader.next(20).unwrap().unwrap().rows(), 0..20);
        let read = count.load(Ordering::Relaxed);
        // A twentieth of the rows; what is read ahead may be as much again, and some more.
        assert!(read < all / 5 + (64 << 10), "{name}: {read} of {all} bytes");
    }
}

#[test]
fn rows_passed_over_need_not_be_read_where_they_lie_apart() {
    for (name, bytes) in pictures().into_iter().filter(|(name, _)| *name != "a.png") {
        let all = bytes.len() as u64;
        let whole =
            Reader::from_seekable(Cursor::new(bytes.clone()), ReadOptions::default()).unwrap().read_whole().unwrap();
        let count = Arc::new(AtomicU64::new(0));
        let counting = Counting(Cursor::new(bytes), Arc::clone(&count));
        let mut reader = Reader::from_seekable(counting, ReadOptions::default()).unwrap();
        reader.skip(300).unwrap();
        let strip = reader.next(5).unwrap().unwrap();
        let rows = whole.size().region().rows(300..305).unwrap();
        assert!(strip.content == whole.content().crop(rows).unwrap(), "{name}");
        let read = count.load(Ordering::Relaxed);
        assert!(read < all / 2, "{name}: {read} of {all} bytes");
    }
}

#[test]
fn from_page_to_page_nothing_is_read_again() {
    use rahmen::file::{WriteOptions, Writer};
    use rahmen::flow::{Sink, Strip};
    use rahmen::{FileFormat, Gray};
    const PAGES: u32 = 40;
    let size = rahmen::Size::new(400, 300);
    let page = |n: u32| {
        let frame = rahmen::Frame::<Gray<u8>>::random(size, Gray::new(0), Gray::new(255), n.into()).unwrap();
        rahmen::Picture::from(frame)
    };
    for format in [FileFormat::Tiff, FileFormat::Npz, FileFormat::Png] {
        let mut file = Vec::new();
        let options = WriteOptions::default().format(format).pages(PAGES);
        let mut writer = Writer::to_stream(&mut file, &page(0).facts(), options).unwrap();
        for n in 0..PAGES {
            if n > 0 {
                writer.next_page(&page(n).facts()).unwrap();
            }
            writer.put(&Strip { first_row: 0, content: page(n).content().clone() }).unwrap();
        }
        writer.finish().unwrap();
        drop(writer);
        // No row of a page, one, or all of them twice; to begin at the first byte for each page would be twenty times the file.
        for (rows, rounds) in [(0, 1), (1, 1), (300, 2)] {
            let count = Arc::new(AtomicU64::new(0));
            let source = Counting(Cursor::new(&file), Arc::clone(&count));
            let mut reader = Reader::from_seekable(source, ReadOptions::default()).unwrap();
            let mut pages = 1;
            loop {
                for round in 0..rounds {
                    if round > 0 {
                        Source::rewind(&mut reader).unwrap();
                    }
                    if let Some(strip) = Source::next(&mut reader, rows).unwrap() {
                        let row = strip.content.crop(rahmen::Region::new(0..400, 0..1).unwrap()).unwrap();
                        let own = page(pages - 1).crop(rahmen::Region::new(0..400, 0..1).unwrap()).unwrap();
                        assert!(row == *own.content(), "{format} page {pages}");
                    }
                }
                if !Source::next_page(&mut reader).unwrap() {
                    break;
                }
                pages += 1;
            }
            let (read, most) = (count.load(Ordering::Relaxed), 6 * file.len() as u64);
            assert!(pages == PAGES && read <= most, "{format}, {rows} rows: {read} bytes of {} read", file.len());
        }
    }
}
