//! Damaged files: the rows that are good come back, the others are named; without salvage it is an error.
#![cfg(all(feature = "png", feature = "pnm", feature = "bmp", feature = "tga", feature = "pfm", feature = "qoi"))]

use crate::common::{Dribble, noise, png_of_samples};
use rahmen::file::{ReadOptions, Reader};
use rahmen::flow::Damage;
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
    let options = ReadOptions::default().salvage_filled();
    let anywhere = Reader::from_seekable(Cursor::new(bytes.to_vec()), options.clone()).unwrap().read_damaged().unwrap();
    let stream = Dribble { bytes: bytes.to_vec(), at: 0, each: 11 };
    let stream = Reader::from_read(stream, options).unwrap().read_damaged().unwrap();
    let lost = |damage: Option<rahmen::flow::Damage>| damage.map_or(Vec::new(), |d| d.lost);
    let (a, b) = (lost(anywhere.1), lost(stream.1));
    assert_eq!(a, b);
    assert!(anywhere.0 == stream.0);
    (anywhere.0, a)
}

fn good_rows_are_right(name: &str, salvaged: &Picture, whole: &Picture, lost: &[std::ops::Range<u32>]) {
    for y in (0..salvaged.size().height).filter(|y| !lost.iter().any(|r| r.contains(y))) {
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
            if rows == 0 {
                // Nothing can be read: that is an error, whatever is asked for.
                let filled = ReadOptions::default().salvage_filled();
                for options in [ReadOptions::default().salvage(), filled] {
                    assert!(Reader::from_seekable(Cursor::new(cut.to_vec()), options).is_err(), "{name}");
                }
                continue;
            }
            let shorter = Reader::from_seekable(Cursor::new(cut.to_vec()), ReadOptions::default().salvage()).unwrap();
            let height = if from_below { SIZE.height } else { rows as u32 };
            assert_eq!(shorter.facts().size, Size::new(SIZE.width, height), "{name}");
            let (shorter, damage) = shorter.read_damaged().unwrap();
            assert_eq!(shorter.size().height, height);
            let damage = damage.expect("damage");
            assert_eq!((damage.rows, damage.rows_lost()), (SIZE.height, SIZE.height - rows as u32), "{name}");
            good_rows_are_right(name, &shorter, &whole, &unsure(&damage));
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
    let (salvaged, damage) = counted(&file);
    assert!(damage.rows_lost() + damage.rows_suspect() > 0, "{damage:?}");
    good_rows_are_right("changed", &salvaged, &whole, &unsure(&damage));
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

/// Reads damaged bytes; gives the picture, and which rows are lost or suspect.
fn counted(bytes: &[u8]) -> (Picture, Damage) {
    let reader = Reader::from_seekable(Cursor::new(bytes.to_vec()), ReadOptions::default().salvage_filled()).unwrap();
    let (picture, damage) = reader.read_damaged().unwrap();
    (picture, damage.expect("damage"))
}

fn unsure(damage: &Damage) -> Vec<std::ops::Range<u32>> {
    [damage.lost.clone(), damage.suspect.clone()].concat()
}

#[test]
fn rows_of_a_block_whose_checksum_is_wrong_are_suspect_and_the_others_good() {
    // Rows stored as they are, so that a changed byte unpacks: only checksums tell.
    let whole: Picture =
        Frame::random(Size::new(400, 900), Rgb::default(), Rgb::new(255u8, 255, 255), 7).unwrap().into();
    let options = rahmen::file::WriteOptions::default().compression(0);
    let file = rahmen::file::encode(&whole, rahmen::FileFormat::Png, options).unwrap();
    let blocks: Vec<usize> = (0..file.len() - 4).filter(|&i| &file[i..i + 4] == b"IDAT").collect();
    assert!(blocks.len() > 1, "{blocks:?}");
    for at in [blocks[1] + 5000, blocks[0] + 100, blocks[0] + 70_000] {
        let mut damaged = file.clone();
        damaged[at] ^= 0x10;
        let (picture, damage) = counted(&damaged);
        let (a, b) = (picture.view::<Rgb<u8>>().unwrap(), whole.view::<Rgb<u8>>().unwrap());
        let wrong = (0..900).find(|&y| a.row(y) != b.row(y)).expect("a row that is wrong");
        assert!(damage.suspect.iter().any(|r| r.contains(&wrong)) && damage.lost.is_empty(), "{damage:?}");
        let block = blocks.iter().rposition(|&block| block < at).unwrap();
        let rows_before = (blocks[block] as u32).saturating_sub(60) / 1201;
        assert!(damage.suspect[0].start.abs_diff(rows_before) < 3 && damage.suspect[0].end == 900, "{damage:?}");
        assert_eq!(damage.rows_good(), damage.suspect[0].start);
        assert!(
            damage.error.to_string().starts_with(&format!("PNG at byte {}", blocks[block] - 4)),
            "{}",
            damage.error
        );
    }
}

#[test]
fn what_is_wrong_is_lost_or_suspect_wherever_a_byte_is_changed() {
    let smooth = Frame::from_fn(SIZE, |x, y| Rgb::new((x * 6) as u8, (y * 8) as u8, (x / 9 * 20 + y) as u8)).unwrap();
    let whole = Picture::from(smooth);
    for name in ["a.png", "a.qoi"] {
        let file = written(name, &whole);
        let start = if name == "a.qoi" { 14 } else { 41 };
        let mut found = 0;
        for at in (start..file.len() - 8).step_by(7) {
            let mut damaged = file.clone();
            damaged[at] ^= 0x24;
            let strict = Reader::from_seekable(Cursor::new(damaged.clone()), ReadOptions::default());
            if strict.and_then(Reader::read_whole).is_ok() {
                // Nothing tells: a colour of its own.
                continue;
            }
            found += 1;
            let Ok(reader) = Reader::from_seekable(Cursor::new(damaged), ReadOptions::default().salvage_filled())
            else {
                continue;
            };
            let (picture, damage) = reader.read_damaged().unwrap();
            good_rows_are_right(name, &picture, &whole, &unsure(&damage.expect("damage")));
        }
        assert!(found > 5, "{name}: {found}");
    }
}

#[test]
fn where_a_file_is_wrong_does_not_depend_on_the_strips() {
    let whole = picture();
    let mut files: Vec<(String, Vec<u8>)> = ["a.png", "a.qoi", "a.ppm", "a.bmp", "a.tga"]
        .map(|name| (name.to_string(), written(name, &whole)))
        .into_iter()
        .collect();
    files.push(("a.jpg".to_string(), written("a.jpg", &whole)));
    let text = "P3 40 30 255 ".to_string() + &"7 8 9 ".repeat(40 * 17) + "x";
    files.push(("plain.ppm".to_string(), text.into_bytes()));
    for (name, file) in files {
        let mut damaged = file.clone();
        let at = file.len() * 3 / 5;
        damaged[at..at + 9].fill(0);
        damaged.truncate(file.len() * 4 / 5);
        let error = |rows: u32, each: usize| {
            let stream = Dribble { bytes: damaged.clone(), at: 0, each };
            let mut reader = Reader::from_read(stream, ReadOptions::default()).unwrap();
            loop {
                match rahmen::flow::Source::next(&mut reader, rows) {
                    Ok(Some(_)) => {}
                    Ok(None) => panic!("{name}: no error"),
                    Err(error) => break error.to_string(),
                }
            }
        };
        let first = error(30, 1000);
        assert!(first.contains("at byte"), "{name}: {first}");
        for (rows, each) in [(1, 1000), (7, 1000), (30, 3), (1, 1)] {
            assert_eq!(error(rows, each), first, "{name} {rows} {each}");
        }
    }
}
