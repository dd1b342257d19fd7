//! Damaged JPEG files: what is good comes back, restart markers are gone on from, what is missing is named.
#![cfg(feature = "jpeg")]

use crate::common::jpeg::{Jpeg, planes, progressive, segment, sequential};
use rahmen::file::{ReadOptions, Reader, read_from};
use rahmen::{Picture, Rgb};
use std::io::Cursor;
use std::ops::Range;

fn file(frame: u8, interval: usize) -> Jpeg {
    let scans = if frame == 0xc2 { progressive(3)[2].clone() } else { sequential(3)[0].clone() };
    Jpeg {
        width: 80,
        height: 96,
        bits: 8,
        frame,
        planes: planes(80, 96, &[(2, 2), (1, 1), (1, 1)], 8),
        ids: vec![1, 2, 3],
        step: 5,
        wide_quantiser: false,
        interval,
        scans,
        skewed: true,
        segments: segment(0xfe, b"damaged on the way"),
        late_height: false,
    }
}

fn whole(bytes: &[u8]) -> Picture {
    read_from(Cursor::new(bytes.to_vec()), ReadOptions::default()).unwrap()
}

/// What is left of a file: the picture, rows that are not good, and the error.
fn salvaged(bytes: &[u8]) -> (Picture, Vec<Range<u32>>, String) {
    let strict = read_from(Cursor::new(bytes.to_vec()), ReadOptions::default());
    let reader = Reader::from_seekable(Cursor::new(bytes.to_vec()), ReadOptions::default().salvage_filled()).unwrap();
    let (picture, damage) = reader.read_damaged().unwrap();
    let damage = damage.expect("damage");
    assert!(strict.is_err());
    let mut unsure = [damage.lost, damage.suspect].concat();
    unsure.sort_by_key(|rows| rows.start);
    let mut joined: Vec<Range<u32>> = Vec::new();
    for rows in unsure {
        match joined.last_mut() {
            Some(last) if last.end >= rows.start => last.end = last.end.max(rows.end),
            _ => joined.push(rows),
        }
    }
    (picture, joined, damage.error.to_string())
}

fn good_rows_are_right(salvaged: &Picture, whole: &Picture, lost: &[Range<u32>]) {
    let (a, b) = (salvaged.view::<Rgb<u8>>().unwrap(), whole.view::<Rgb<u8>>().unwrap());
    for y in (0..96).filter(|y| !lost.iter().any(|r| r.contains(y))) {
        assert!(a.row(y) == b.row(y), "row {y} with {lost:?} lost");
    }
}

/// Where the restart markers are.
fn marks(bytes: &[u8]) -> Vec<usize> {
    let start = bytes.windows(2).position(|w| w == [0xff, 0xda]).unwrap();
    (start..bytes.len() - 1).filter(|&i| bytes[i] == 0xff && (0xd0..=0xd7).contains(&bytes[i + 1])).collect()
}

#[test]
fn a_file_that_is_cut_off_keeps_its_upper_rows() {
    for interval in [0, 5] {
        let bytes = file(0xc0, interval).file();
        let picture = whole(&bytes);
        let start = bytes.windows(2).position(|w| w == [0xff, 0xda]).unwrap() + 14;
        let none = Reader::from_seekable(Cursor::new(bytes[..start].to_vec()), ReadOptions::default().salvage_filled());
        assert!(none.unwrap_err().to_string().contains("ends early"), "not a row can be read");
        for share in [1, 3, 5, 9] {
            let (salvaged, lost, error) = salvaged(&bytes[..start + (bytes.len() - start) * share / 10]);
            assert!(error.contains("ends early"), "{error}");
            assert_eq!((lost.len(), lost[0].end), (1, 96), "{lost:?}");
            // Six rows of MCUs of 16 rows each.
            let good = lost[0].start as usize;
            assert!(good >= (96 * share / 10).saturating_sub(40) && good <= 96 * share / 10 + 24, "{share}: {good}");
            good_rows_are_right(&salvaged, &picture, &lost);
        }
    }
}

#[test]
fn behind_damage_it_goes_on_at_a_restart_mark() {
    let bytes = file(0xc0, 5).file();
    let picture = whole(&bytes);
    let marks = marks(&bytes);
    assert_eq!(marks.len(), 5, "a mark behind each row of MCUs but the last");
    // A part that is not there at all, mark included; a mark that is not there; bits that are no code.
    for (from, to) in [(marks[1] + 2, marks[2] + 2), (marks[2], marks[2] + 2), (marks[0] + 2, marks[2] + 2)] {
        let damaged = [&bytes[..from], &bytes[to..]].concat();
        let (salvaged, lost, _) = salvaged(&damaged);
        let missing: u32 = lost.iter().map(|r| r.end - r.start).sum();
        assert!((1..=68).contains(&missing), "{lost:?}");
        assert!(lost.iter().all(|r| r.end < 96), "{lost:?}");
        good_rows_are_right(&salvaged, &picture, &lost);
    }
    let mut wrong = bytes.clone();
    wrong[marks[1] + 4..marks[1] + 12].fill(0xfe);
    let strict = read_from(Cursor::new(wrong.clone()), ReadOptions::default());
    if strict.is_err() {
        let (salvaged, lost, _) = salvaged(&wrong);
        assert!(lost.iter().all(|r| r.start >= 16 && r.end <= 68), "{lost:?}");
        good_rows_are_right(&salvaged, &picture, &lost);
    }
}

#[test]
fn a_progressive_file_that_is_cut_off_is_coarse_and_says_so() {
    let bytes = file(0xc2, 0).file();
    let picture = whole(&bytes);
    let (salvaged, lost, _) = salvaged(&bytes[..bytes.len() * 9 / 10]);
    assert!(!lost.is_empty());
    let (a, b) = (salvaged.view::<Rgb<u8>>().unwrap(), picture.view::<Rgb<u8>>().unwrap());
    let worst = a.rows().flatten().zip(b.rows().flatten()).map(|(a, b)| a.g.abs_diff(b.g)).max().unwrap();
    assert!(worst < 60, "what is there is shown: {worst}");
    good_rows_are_right(&salvaged, &picture, &lost);
}

#[test]
fn what_cannot_be_is_refused_before_memory_is_taken() {
    let bytes = file(0xc0, 0).file();
    let at = |marker: u8| bytes.windows(2).position(|w| w == [0xff, marker]).unwrap();
    let with = |place: usize, values: &[u8]| {
        let mut changed = bytes.clone();
        changed[place..place + values.len()].copy_from_slice(values);
        read_from(Cursor::new(changed), ReadOptions::default()).unwrap_err().to_string()
    };
    let frame = at(0xc0) + 4;
    assert!(with(frame + 3, &[0, 0]).contains("width"));
    assert!(with(frame + 1, &[0xff, 0xff, 0xff, 0xff]).contains("limit"));
    assert!(with(frame + 7, &[0x51]).contains("sampling 5x1"));
    assert!(with(frame, &[12]).contains("12 bits"));
    assert!(with(at(0xc4) + 5, &[3]).contains("Huffman table"));
    assert!(with(at(0xda) + 6, &[0x11]).contains("DC table 1"));
    assert!(with(at(0xda) + 5, &[9]).contains("component 9"));
    assert!(with(at(0xdb) + 5, &[0]).contains("step of 0"));
    for (marker, says) in
        [(0xc3u8, "lossless"), (0xc9, "arithmetic"), (0xcb, "arithmetic-coded lossless"), (0xc5, "hierarchical")]
    {
        let error = with(at(0xc0) + 1, &[marker]);
        assert!(error.contains("not supported") && error.contains(says), "{error}");
    }
    // The largest picture there is, in a few bytes: more than so few may stand for, and its rows have limits of their own.
    let tiny = [&bytes[..frame + 1], &[0xff, 0xff, 0xff, 0xff], &bytes[frame + 5..at(0xda) + 24]].concat();
    let rows = |options: ReadOptions| {
        let mut reader = Reader::from_seekable(Cursor::new(&tiny), options).unwrap();
        rahmen::flow::Source::next(&mut reader, 8).unwrap_err().to_string()
    };
    assert!(rows(ReadOptions::default()).contains("pixels, over the limit"));
    let all = rahmen::file::Limits::default().work(u32::MAX);
    assert!(rows(ReadOptions::default().limits(all)).contains("ends early"));
}

#[test]
fn rows_that_no_mark_confirms_are_suspect() {
    let quay = rahmen::read("cli/demo/quay-dawn.png").unwrap();
    for restart_rows in [0u16, 2] {
        let options = rahmen::file::WriteOptions::default().restart_rows(restart_rows);
        let file = rahmen::file::encode(&quay, rahmen::FileFormat::Jpeg, options).unwrap();
        let picture = whole(&file);
        let start = file.windows(2).position(|w| w == [0xff, 0xda]).unwrap() + 14;
        let (mut good, mut all) = (0, 0);
        for k in 1..24 {
            let at = start + (file.len() - start - 60) * k / 24;
            let mut damaged = file.clone();
            damaged[at..at + 40].fill(0);
            let reader = Reader::from_seekable(Cursor::new(damaged), ReadOptions::default().salvage_filled()).unwrap();
            let (rest, damage) = reader.read_damaged().unwrap();
            let (a, b) = (rest.view::<Rgb<u8>>().unwrap(), picture.view::<Rgb<u8>>().unwrap());
            let wrong: Vec<u32> = (0..320).filter(|&y| a.row(y) != b.row(y)).collect();
            // Coded data may run on to the last bit as if nothing were: then nothing can tell.
            let Some(damage) = damage else { continue };
            let unsure = |y: &u32| damage.lost.iter().chain(&damage.suspect).any(|r| r.contains(y));
            assert!(wrong.iter().all(unsure), "{restart_rows} {k}: {damage:?}, wrong {wrong:?}");
            assert_eq!(damage.rows_good() + damage.rows_suspect() + damage.rows_lost(), 320);
            good += damage.rows_good();
            all += 320;
        }
        // Marks confirm what lies before them: most rows are good then.
        assert!(all > 320 * 18 && (restart_rows == 0 || good > all * 2 / 3), "{good} of {all}");
    }
}
