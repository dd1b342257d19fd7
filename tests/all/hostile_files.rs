//! Files cut at every byte and changed at random: an error or a picture, never a panic, never more memory than the limit.
#![cfg(all(
    feature = "png",
    feature = "jpeg",
    feature = "pnm",
    feature = "pfm",
    feature = "bmp",
    feature = "tga",
    feature = "qoi",
    feature = "tiff",
    feature = "npy",
    feature = "raw"
))]

use crate::common::corpus::{Sample, corpus};
use crate::common::{Dribble, noise};
use rahmen::file::{Reader, read_from};
use rahmen::flow::Source;
use std::io::{Cursor, Read};

#[test]
fn cut_at_every_byte_it_is_an_error_or_what_is_left_of_the_rows() {
    for Sample { name, bytes, options, enough } in corpus() {
        let picture = read_from(Cursor::new(bytes.clone()), options.clone()).unwrap_or_else(|e| panic!("{name}: {e}"));
        for length in 0..bytes.len() {
            let part = bytes[..length].to_vec();
            let stream = read_from(Cursor::new(part.clone()), options.clone());
            assert_eq!(stream.is_ok(), length >= enough, "{name} cut to {length}");
            let anywhere =
                Reader::from_seekable(Cursor::new(part.clone()), options.clone()).and_then(Reader::read_whole);
            assert_eq!(anywhere.is_ok(), length >= enough, "{name} cut to {length}, in any order");
            let Ok(reader) = Reader::from_seekable(Cursor::new(part), options.clone().salvage_filled()) else {
                continue;
            };
            let Ok((rest, damage)) = reader.read_damaged() else { continue };
            assert_eq!((rest.size(), damage.is_none()), (picture.size(), length >= enough), "{name} cut to {length}");
            let lost = damage.map_or(Vec::new(), |d| [d.lost, d.suspect].concat());
            for y in (0..rest.size().height).filter(|y| !lost.iter().any(|r| r.contains(y))) {
                let row = rest.size().region().rows(y..=y).unwrap();
                let same = rest.content().crop(row).unwrap() == picture.content().crop(row).unwrap();
                assert!(same, "{name} cut to {length}: row {y}");
            }
        }
    }
}

#[test]
fn cut_into_any_pieces_and_in_any_strips_it_is_the_same_picture() {
    for Sample { name, bytes, options, .. } in corpus() {
        let picture = read_from(Cursor::new(bytes.clone()), options.clone()).unwrap();
        let anywhere =
            Reader::from_seekable(Cursor::new(bytes.clone()), options.clone()).unwrap().read_whole().unwrap();
        assert!(anywhere == picture, "{name} in any order");
        for each in [1, 2, 3, 7, 64] {
            let dribble = Dribble { bytes: bytes.clone(), at: 0, each };
            assert!(read_from(dribble, options.clone()).unwrap() == picture, "{name} by {each}");
        }
        for cut in 1..bytes.len() {
            let (head, tail) = bytes.split_at(cut);
            let two = Cursor::new(head.to_vec()).chain(Cursor::new(tail.to_vec()));
            assert!(read_from(two, options.clone()).unwrap() == picture, "{name} cut at {cut}");
        }
        for rows in 1..picture.size().height {
            let mut reader = Reader::from_read(Cursor::new(bytes.clone()), options.clone()).unwrap();
            reader.skip(1).unwrap();
            let mut y = 1;
            while let Some(strip) = reader.next(rows).unwrap() {
                let part = picture.size().region().rows(strip.rows()).unwrap();
                assert_eq!(strip.first_row, y);
                assert!(strip.content == picture.content().crop(part).unwrap(), "{name} in strips of {rows}");
                y = strip.rows().end;
            }
            assert_eq!(y, picture.size().height, "{name}");
        }
    }
}

#[test]
fn changed_at_random_it_is_an_error_or_a_picture() {
    for (seed, Sample { bytes: whole, options, .. }) in (0u32..).zip(corpus()) {
        let random = noise(4000, seed + 100);
        for change in random.chunks(10) {
            let mut bytes = whole.clone();
            for pair in change.chunks(3).take(1 + usize::from(change[9] % 3)) {
                if let &[high, low, value] = pair {
                    let at = (usize::from(high) << 8 | usize::from(low)) % bytes.len();
                    bytes[at] = [value, 0, 0xff, bytes[at] ^ (1 << (value % 8))][usize::from(value % 4)];
                }
            }
            for options in [options.clone(), options.clone().salvage_filled()] {
                if let Ok(picture) = read_from(Cursor::new(bytes.clone()), options) {
                    assert!(picture.pixel_format().bytes(picture.size()) <= 1 << 20);
                }
            }
            let strict =
                Reader::from_seekable(Cursor::new(bytes.clone()), options.clone()).and_then(Reader::read_whole).ok();
            let stream = read_from(Cursor::new(bytes), options.clone()).ok();
            // A file may say more than a stream, such as what alpha means, but never other sizes.
            if let (Some(a), Some(b)) = (strict, stream) {
                assert_eq!(a.size(), b.size());
            }
        }
    }
}

#[test]
fn after_an_error_nothing_more_comes_until_it_is_read_anew() {
    for Sample { name, bytes, options, .. } in corpus() {
        for length in (0..bytes.len()).step_by(3) {
            let Ok(mut reader) = Reader::from_seekable(Cursor::new(&bytes[..length]), options.clone()) else {
                continue;
            };
            let failed = (0..200).find_map(|_| match reader.next(1) {
                Ok(Some(_)) => None,
                other => Some(other.is_err()),
            });
            assert!(failed.is_some(), "{name} cut to {length}");
            if failed == Some(true) {
                let again = [reader.next(1).map(|_| ()), reader.skip(1), reader.next(2).map(|_| ())];
                assert!(again.iter().all(Result::is_err), "{name} cut to {length}");
                let first = reader.rewind().and_then(|()| reader.next(1));
                assert!(first.is_err() || first.is_ok_and(|strip| strip.is_some()), "{name} cut to {length}");
            }
        }
    }
}

/// The seeds of the fuzz targets, and files that they have found: read in all ways, and on after errors.
#[test]
fn seeds_and_findings_are_errors_or_pictures() {
    let mut files = 0;
    for folder in ["fuzz/seeds/files", "fuzz/seeds/found", "fuzz/seeds/corpus"] {
        for entry in std::fs::read_dir(folder).unwrap() {
            let bytes = std::fs::read(entry.unwrap().path()).unwrap();
            let limits = rahmen::file::Limits::default().memory(1 << 20);
            let plain = rahmen::file::ReadOptions::default().limits(limits);
            for options in [plain.clone(), plain.clone().salvage(), plain.clone().salvage_filled(), plain.page(2)] {
                let whole = read_from(Cursor::new(&bytes), options.clone()).map(|_| ()).map_err(|e| e.to_string());
                let pieces = Dribble { bytes: bytes.clone(), at: 0, each: 9 };
                let pieces = read_from(pieces, options.clone()).map(|_| ()).map_err(|e| e.to_string());
                assert_eq!(whole, pieces, "in pieces of nine");
                let Ok(mut reader) = Reader::from_seekable(Cursor::new(&bytes), options) else { continue };
                let _ = reader.skip(1);
                (0..100).for_each(|_| drop(reader.next(3)));
            }
            files += 1;
        }
    }
    assert!(files > 200, "{files}");
}
