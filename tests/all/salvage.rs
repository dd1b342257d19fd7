//! Damaged files: the rows that are good come back, the others are named; without salvage it is an error.
#![cfg(all(feature = "png", feature = "pnm", feature = "bmp", feature = "tga", feature = "pfm", feature = "qoi"))]

use crate::common::{Dribble, noise, png_of_samples};
use rahmen::file::{ReadOptions, Reader};
use rahmen::{Frame, Gray, Picture, Rgb, Size};
use std::io::Cursor;

const SIZE: Size = Size::new(40, 30);

fn written(name: &str, picture: &Picture) -> Vec<u8> {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(name);
    rahmen::write(&path, picture).unwrap();
    std::fs::read(path).unwrap()
}

fn picture() -> Picture {
    Frame::random(SIZE, Rgb::default(), Rgb::new(255u8, 255, 255), 7).unwrap().into()
}

/// Reads what is left of a file both ways; gives the picture and the lost rows, the same for both.
fn salvaged(bytes: &[u8]) -> (Picture, Vec<std::ops::Range<u32>>) {
    let options = ReadOptions::default().salvage();
    let anywhere = Reader::from_seekable(Cursor::new(bytes.to_vec()), options).unwrap().read_damaged().unwrap();
    let stream = Dribble { bytes: bytes.to_vec(), at: 0, each: 11 };
    let stream = Reader::from_read(stream, options).unwrap().read_damaged().unwrap();
    let lost = |damage: Option<rahmen::flow::Damage>| damage.map_or(Vec::new(), |d| d.lost);
    let (a, b) = (lost(anywhere.1), lost(stream.1));
    assert_eq!(a, b);
    assert!(anywhere.0 == stream.0);
    (anywhere.0, a)
}

fn good_rows_are_right(name: &str, salvaged: &Picture, whole: &Picture, lost: &[std::ops::Range<u32>]) {
    for y in (0..SIZE.height).filter(|y| !lost.iter().any(|r| r.contains(y))) {
        let row = SIZE.region().rows(y..=y).unwrap();
        assert!(salvaged.content().crop(row).unwrap() == whole.content().crop(row).unwrap(), "{name}: row {y}");
    }
}

#[test]
fn a_file_cut_short_keeps_its_rows_from_the_end_it_starts_at() {
    let whole = picture();
    // Bytes in front of the rows, bytes a row, whether the lowest comes first.
    for (name, start, row, from_below) in [
        ("a.ppm", 13usize, 120usize, false),
        ("a.bmp", 54, 120, true),
        ("a.tga", 18, 120, false),
        ("a.npy", 128, 120, false),
    ] {
        let file = written(name, &whole);
        for (rows, more) in [(0usize, 0usize), (0, 5), (11, 0), (11, 119), (29, 1)] {
            let cut = &file[..start + rows * row + more];
            let (salvaged, lost) = salvaged(cut);
            let good = rows as u32;
            let want = if from_below { 0..SIZE.height - good } else { good..SIZE.height };
            assert_eq!(lost, [want], "{name} with {rows} rows and {more} bytes");
            good_rows_are_right(name, &salvaged, &whole, &lost);
            let strict = Reader::from_seekable(Cursor::new(cut.to_vec()), ReadOptions::default());
            assert!(strict.and_then(Reader::read_whole).is_err(), "{name}");
        }
    }
}

#[test]
fn packed_files_keep_what_unpacks() {
    let whole = picture();
    for name in ["a.png", "a.qoi"] {
        let file = written(name, &whole);
        let mut last = SIZE.height + 1;
        for percent in [95, 70, 40, 20, 8] {
            let (salvaged, lost) = salvaged(&file[..file.len() * percent / 100]);
            let missing: u32 = lost.iter().map(|r| r.end - r.start).sum();
            let good = SIZE.height - missing;
            assert!(good < last && (percent < 20 || good > 0), "{name} at {percent} %: {good} rows");
            last = good;
            good_rows_are_right(name, &salvaged, &whole, &lost);
        }
    }
}

#[test]
fn a_wrong_byte_costs_what_depends_on_it() {
    let whole = picture();
    let mut file = written("a.png", &whole);
    // A byte of packed data: the checksum of its chunk tells, what came before is good.
    let at = file.len() * 2 / 3;
    file[at] ^= 0x55;
    let strict = Reader::from_seekable(Cursor::new(file.clone()), ReadOptions::default()).unwrap().read_whole();
    let error = strict.unwrap_err().to_string();
    assert!(error.contains("PNG at byte"), "{error}");
    let (salvaged, lost) = salvaged(&file);
    assert_eq!(lost.len(), 1);
    good_rows_are_right("changed", &salvaged, &whole, &lost);
}

#[test]
fn an_interlaced_picture_keeps_the_rows_whose_passes_are_all_there() {
    let samples: Vec<u16> = noise(40 * 30, 9).iter().map(|&v| v.into()).collect();
    let file = png_of_samples((40, 30), (0, 8), &samples, true, &|y| (y % 5) as u8, &[]);
    let whole = Reader::from_seekable(Cursor::new(file.clone()), ReadOptions::default()).unwrap().read_whole().unwrap();
    assert_eq!(whole.view::<Gray<u8>>().unwrap()[(3, 2)].value, samples[2 * 40 + 3] as u8);
    let (salvaged, lost) = salvaged(&file[..file.len() * 8 / 10]);
    let missing: u32 = lost.iter().map(|r| r.end - r.start).sum();
    // The last pass holds the 15 odd rows, half of the pixels: a fifth of the bytes is two fifths of it.
    assert!((5..=8).contains(&missing), "{missing}");
    good_rows_are_right("interlaced", &salvaged, &whole, &lost);
}
