//! JPEG files rearranged by their coefficients: what comes out is what an encoder makes of the rearranged samples, undoing it
//! gives every coefficient again, and partial blocks and metadata are treated as said.
#![cfg(feature = "jpeg")]

use crate::common::jpeg::{Jpeg, Plane, Scan, planes, progressive, segment, sequential};
use rahmen::file::{LosslessRules, ReadOptions, facts_from, orient_lossless, orient_lossless_from, read_from};
use rahmen::frame::{Orientation, SamplesRef};
use rahmen::{Picture, Size};
use std::io::Cursor;

fn jpeg(size: (usize, usize), factors: &[(usize, usize)], bits: u32, frame: u8, scans: Vec<Scan>) -> Jpeg {
    Jpeg {
        width: size.0,
        height: size.1,
        bits,
        frame,
        planes: planes(size.0, size.1, factors, bits),
        ids: (1..=factors.len() as u8).collect(),
        step: 3,
        wide_quantiser: bits == 12,
        interval: 0,
        scans,
        skewed: false,
        segments: Vec::new(),
        late_height: false,
    }
}

fn oriented(bytes: &[u8], orientation: Orientation, rules: LosslessRules) -> rahmen::Result<Vec<u8>> {
    orient_lossless_from(Cursor::new(bytes.to_vec()), orientation, rules).map(|t| t.bytes)
}

fn read(bytes: &[u8]) -> Picture {
    read_from(Cursor::new(bytes.to_vec()), ReadOptions::default()).unwrap()
}

fn stored(bytes: &[u8]) -> String {
    facts_from(Cursor::new(bytes.to_vec()), ReadOptions::default()).unwrap().stored.unwrap()
}

fn samples(picture: &Picture) -> Vec<u32> {
    match picture.pixels().unwrap().samples() {
        SamplesRef::U8(s) => s.iter().map(|&v| v.into()).collect(),
        SamplesRef::U16(s) => s.iter().map(|&v| u32::from(v) / 16).collect(),
        SamplesRef::F32(_) => panic!("no floats in JPEG"),
    }
}

/// A plane rearranged sample by sample, by where each one comes from.
fn oriented_plane(p: &Plane, orientation: Orientation) -> Plane {
    let (w, h) = (p.width, p.height);
    let across = matches!(
        orientation,
        Orientation::RotatedRight | Orientation::RotatedLeft | Orientation::Transposed | Orientation::AntiTransposed
    );
    let (width, height) = if across { (h, w) } else { (w, h) };
    let from = |x: usize, y: usize| match orientation {
        Orientation::Upright => (x, y),
        Orientation::MirroredLeftRight => (w - 1 - x, y),
        Orientation::MirroredTopBottom => (x, h - 1 - y),
        Orientation::RotatedHalf => (w - 1 - x, h - 1 - y),
        Orientation::RotatedRight => (y, h - 1 - x),
        Orientation::RotatedLeft => (w - 1 - y, x),
        Orientation::Transposed => (y, x),
        Orientation::AntiTransposed => (w - 1 - y, h - 1 - x),
    };
    let samples = (0..width * height).map(|i| from(i % width, i / width)).map(|(x, y)| p.samples[y * w + x]).collect();
    let (h, v) = if across { (p.v, p.h) } else { (p.h, p.v) };
    Plane { h, v, width, height, samples }
}

const ONE: (usize, usize) = (1, 1);

#[test]
fn it_is_what_an_encoder_makes_of_turned_samples() {
    type Case<'a> = (&'a [(usize, usize)], u32, u8, Vec<Scan>);
    let cases: [Case<'_>; 9] = [
        (&[ONE], 8, 0xc0, sequential(1)[0].clone()),
        (&[ONE; 3], 8, 0xc0, sequential(3)[0].clone()),
        (&[(2, 1), ONE, ONE], 8, 0xc0, sequential(3)[1].clone()),
        (&[(2, 2), ONE, ONE], 8, 0xc2, progressive(3)[1].clone()),
        (&[(1, 2), ONE, ONE], 8, 0xc1, sequential(3)[0].clone()),
        (&[(4, 1), ONE, (2, 1)], 8, 0xc0, sequential(3)[0].clone()),
        (&[(2, 1), (1, 2), ONE], 8, 0xc2, progressive(3)[0].clone()),
        (&[ONE; 4], 8, 0xc0, sequential(4)[0].clone()),
        (&[(2, 1), ONE, ONE], 12, 0xc1, sequential(3)[0].clone()),
    ];
    for (factors, bits, frame, scans) in cases {
        let first = jpeg((64, 32), factors, bits, frame, scans);
        let file = first.file();
        for orientation in Orientation::ALL {
            let name = format!("{factors:?} {bits} bits {orientation:?}");
            let planes: Vec<Plane> = first.planes.iter().map(|p| oriented_plane(p, orientation)).collect();
            let (width, height) = (planes[0].width.max(planes[1 % planes.len()].width), 2048 / 64);
            let (width, height) = if width > 32 { (64, height) } else { (32, 64) };
            let other = Jpeg { width, height, planes, ..jpeg((64, 32), factors, bits, frame, first.scans.clone()) };
            let (found, wanted) =
                (read(&oriented(&file, orientation, LosslessRules::default()).unwrap()), read(&other.file()));
            assert_eq!(found.size(), wanted.size(), "{name}");
            // A coefficient that lies between two steps may be rounded either way, which few are.
            let pairs: Vec<u32> =
                samples(&found).iter().zip(samples(&wanted)).map(|(a, b)| a.abs_diff(b)).filter(|&d| d > 0).collect();
            assert!(pairs.len() * 20 <= samples(&found).len(), "{name}: {} samples differ", pairs.len());
            assert!(pairs.iter().all(|&d| d <= 4), "{name}: {:?}", pairs.iter().max());
        }
    }
}

#[test]
fn turning_back_gives_every_coefficient_again() {
    for factors in [&[ONE; 3][..], &[(2, 2), ONE, ONE], &[ONE]] {
        let mut first = jpeg((96, 64), factors, 8, 0xc0, sequential(factors.len())[0].clone());
        first.interval = 3;
        let plain = read(&first.file());
        // The same coefficients written by this encoder, so that whole files can be compared.
        let file = oriented(&first.file(), Orientation::RotatedHalf, LosslessRules::default()).unwrap();
        let file = oriented(&file, Orientation::RotatedHalf, LosslessRules::default()).unwrap();
        assert!(read(&file).content() == plain.content());
        for (there, back) in [
            (Orientation::RotatedRight, Orientation::RotatedLeft),
            (Orientation::MirroredLeftRight, Orientation::MirroredLeftRight),
            (Orientation::MirroredTopBottom, Orientation::MirroredTopBottom),
            (Orientation::Transposed, Orientation::Transposed),
            (Orientation::AntiTransposed, Orientation::AntiTransposed),
        ] {
            let once = oriented(&file, there, LosslessRules::default()).unwrap();
            assert!(oriented(&once, back, LosslessRules::default()).unwrap() == file, "{there:?}");
            assert!(once != file);
            // How it is coded changes no sample.
            for rules in [LosslessRules::default().progressive(), LosslessRules::default().restart_rows(1)] {
                assert!(read(&oriented(&file, there, rules).unwrap()).content() == read(&once).content());
            }
        }
    }
}

#[test]
fn partial_blocks_are_refused_or_dropped_by_name() {
    // 57 x 61 with colour at half the width: MCUs of 16 x 8.
    let file = jpeg((57, 61), &[(2, 1), ONE, ONE], 8, 0xc0, sequential(3)[0].clone()).file();
    let size =
        |orientation| read(&oriented(&file, orientation, LosslessRules::default().drop_partial()).unwrap()).size();
    let refused = |orientation| oriented(&file, orientation, LosslessRules::default()).unwrap_err().to_string();
    assert!(
        refused(Orientation::MirroredLeftRight)
            .contains("the width of 57 is not a multiple of the 16 pixels of its blocks")
    );
    assert!(refused(Orientation::MirroredLeftRight).contains("the last 9 pixels"));
    assert!(refused(Orientation::RotatedRight).contains("the height of 61 is not a multiple of the 8 pixels"));
    assert_eq!(size(Orientation::MirroredLeftRight), Size::new(48, 61));
    assert_eq!(size(Orientation::MirroredTopBottom), Size::new(57, 56));
    assert_eq!(size(Orientation::RotatedHalf), Size::new(48, 56));
    assert_eq!(size(Orientation::RotatedRight), Size::new(56, 57));
    assert_eq!(size(Orientation::RotatedLeft), Size::new(61, 48));
    // About the diagonal from the top left nothing changes sides.
    let once = oriented(&file, Orientation::Transposed, LosslessRules::default()).unwrap();
    assert_eq!(read(&once).size(), Size::new(61, 57));
    let twice = oriented(&once, Orientation::Transposed, LosslessRules::default()).unwrap();
    assert!(read(&twice).content() == read(&file).content());
    // What is kept is what was there.
    let mirrored = oriented(&file, Orientation::MirroredLeftRight, LosslessRules::default().drop_partial()).unwrap();
    let back = read(&oriented(&mirrored, Orientation::MirroredLeftRight, LosslessRules::default()).unwrap());
    let whole = read(&file).content().crop(Size::new(57, 61).region().cols(..46).unwrap()).unwrap();
    assert!(back.content().crop(Size::new(48, 61).region().cols(..46).unwrap()).unwrap() == whole);
    let small = jpeg((57, 5), &[ONE; 3], 8, 0xc0, sequential(3)[0].clone()).file();
    let error = oriented(&small, Orientation::MirroredTopBottom, LosslessRules::default().drop_partial()).unwrap_err();
    assert!(error.to_string().contains("nothing would be left"), "{error}");
}

#[test]
fn what_stands_beside_the_pixels_is_kept_and_turned_with_them() {
    let mut first = jpeg((32, 16), &[ONE; 3], 8, 0xc2, progressive(3)[0].clone());
    // Orientation 6, its only field.
    let exif = b"Exif\0\0MM\0\x2a\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0";
    let segments = [
        segment(0xe0, b"JFIF\0\x01\x02\x01\x01\x2c\x00\x96\x01\x01abc"),
        segment(0xe0, b"JFXX\0\x13small"),
        segment(0xe1, exif),
        segment(0xe2, b"ICC_PROFILE\0\x01\x01profile"),
        segment(0xe5, b"of a maker"),
        segment(0xfe, b"the staff at noon"),
    ];
    first.segments = segments.concat();
    let was =
        orient_lossless_from(Cursor::new(first.file()), Orientation::RotatedRight, LosslessRules::default()).unwrap();
    let picture = read(&was.bytes);
    let m = picture.metadata();
    let resolution = m.resolution.unwrap();
    assert_eq!((resolution.x, resolution.y), (150.0, 300.0));
    assert_eq!(m.icc.as_deref(), Some(&b"profile"[..]));
    assert_eq!(&*m.text[0].text, "the staff at noon");
    assert_eq!(m.orientation, Orientation::from_exif(6).unwrap(), "a turn seen through the same turn is itself");
    let mirrored = read(&oriented(&first.file(), Orientation::MirroredLeftRight, LosslessRules::default()).unwrap());
    let seen = Orientation::from_exif(6).unwrap().seen_through(Orientation::MirroredLeftRight);
    assert_eq!(mirrored.metadata().orientation, seen);
    // Upright, what is seen stays; a further turn comes behind that.
    let upright = LosslessRules::default().upright();
    let made = orient_lossless_from(Cursor::new(first.file()), None, upright).unwrap();
    assert!(made.after.metadata.orientation.is_upright());
    assert!(read(&made.bytes).content() == picture.content(), "orientation 6 asks for a turn to the right");
    let half = orient_lossless_from(Cursor::new(first.file()), Orientation::RotatedLeft, upright).unwrap();
    assert!(half.after.metadata.orientation.is_upright());
    assert!(read(&half.bytes).content() == read(&first.file()).content());
    assert!(was.bytes.windows(10).any(|w| w == b"of a maker"));
    assert!(!was.bytes.windows(5).any(|w| w == b"small" || w == b"abc\xff\xe1"));
    assert_eq!(was.remarks, ["a preview is left out"]);
    assert!(stored(&was.bytes).contains("progressive"), "{}", stored(&was.bytes));
}

#[test]
fn damaged_and_other_files_are_errors() {
    let file = jpeg((32, 16), &[ONE; 3], 8, 0xc0, sequential(3)[2].clone()).file();
    for length in (0..file.len() - 2).step_by(3) {
        assert!(oriented(&file[..length], Orientation::RotatedRight, LosslessRules::default()).is_err(), "{length}");
    }
    let error =
        oriented(b"qoif\0\0\0\x01\0\0\0\x01\x03\0", Orientation::RotatedRight, LosslessRules::default()).unwrap_err();
    assert!(error.to_string().contains("only JPEG is transformed by its coefficients"), "{error}");
    let limits = rahmen::file::Limits::default().memory(1000);
    assert!(oriented(&file, Orientation::RotatedHalf, LosslessRules::default().limits(limits)).is_err());
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("staff.jpg");
    std::fs::write(&path, &file).unwrap();
    let made = orient_lossless(&path, Orientation::RotatedLeft, LosslessRules::default()).unwrap();
    made.write(&path).unwrap();
    assert_eq!(rahmen::read(&path).unwrap().size(), Size::new(16, 32));
    assert!(made.write(folder.path().join("staff.png")).unwrap_err().to_string().contains("name it .jpg"));
}
