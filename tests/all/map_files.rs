//! Portable maps: values worked by hand, codes kept, bad headers and short files refused.
#![cfg(all(feature = "png", feature = "pnm"))]

use crate::common::Dribble;
use rahmen::file::{ReadOptions, read_from};
use rahmen::{ErrorKind, Frame, Gray, Help, Meaning, Picture, Planes, Rgb, Rgba, Size};

fn read_bytes(bytes: &[u8]) -> rahmen::Result<Picture> {
    read_from(Dribble { bytes: bytes.to_vec(), at: 0, each: 2 }, ReadOptions::default())
}

#[test]
fn plain_and_raw_maps_of_any_maximum_scale_to_the_full_range() {
    let plain = read_bytes(b"P2 # levels\n3 2\n4\n0 1 2\n3 4 0").unwrap();
    assert_eq!(plain.view::<Gray<u8>>().unwrap().to_frame().samples(), [0, 64, 128, 191, 255, 0]);
    assert_eq!(plain.metadata().max_codes, Some(vec![4]));
    let raw = read_bytes(b"P5 2 1 1000 \x00\x00\x01\xf4").unwrap();
    assert_eq!(raw.view::<Gray<u16>>().unwrap().to_frame().samples(), [0, 32_768]);
    let color = read_bytes(b"P6\n1 1\n255\n\x01\x02\x03").unwrap();
    assert_eq!(color.view::<Rgb<u8>>().unwrap()[(0, 0)], Rgb::new(1, 2, 3));
    let words = read_bytes(b"P3 1 1 65535 1 256 65535\n").unwrap();
    assert_eq!(words.view::<Rgb<u16>>().unwrap()[(0, 0)], Rgb::new(1, 256, 65_535));
    let alpha = read_bytes(b"P7\nWIDTH 1\nHEIGHT 1\nDEPTH 4\nMAXVAL 255\nTUPLTYPE RGB_ALPHA\nENDHDR\nabcd").unwrap();
    assert_eq!(alpha.view::<Rgba<u8>>().unwrap()[(0, 0)], Rgba::new(97, 98, 99, 100));
}

#[test]
fn codes_are_written_back_as_they_were_read() {
    let folder = tempfile::tempdir().unwrap();
    for (name, bytes) in [
        ("four.pgm", b"P5\n5 1\n4\n\x00\x01\x02\x03\x04".to_vec()),
        ("twelve.pgm", [b"P5\n3 1\n4095\n".as_slice(), &[0, 0, 7, 255, 15, 255]].concat()),
        ("full.ppm", b"P6\n1 2\n255\nabcdef".to_vec()),
    ] {
        let path = folder.path().join(name);
        rahmen::write(&path, &read_bytes(&bytes).unwrap()).unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), bytes, "{name}");
    }
}

#[test]
fn channels_without_a_known_type_are_planes_and_go_there_and_back() {
    // Three pixels of five channels, highest byte first, by an unknown type; two channels without one.
    let head = b"P7\nWIDTH 3\nHEIGHT 1\nDEPTH 5\nMAXVAL 1000\nTUPLTYPE BANDS OF A SCANNER\nENDHDR\n";
    let numbers: Vec<u16> = (0..15).map(|i| i * 70).collect();
    let bytes = [head.as_slice(), &numbers.iter().flat_map(|v| v.to_be_bytes()).collect::<Vec<_>>()].concat();
    let picture = read_bytes(&bytes).unwrap();
    assert!(matches!(picture.metadata().meaning, Meaning::Values { range: Some((0.0, 1000.0)), .. }));
    let planes: &Planes<u16> = picture.planes().unwrap();
    assert_eq!(planes.names().collect::<Vec<_>>(), ["0", "1", "2", "3", "4"]);
    assert_eq!(planes.get("3").unwrap().samples(), [210, 560, 910]);
    let small = read_bytes(b"P7\nWIDTH 2\nHEIGHT 2\nDEPTH 2\nMAXVAL 255\nENDHDR\nabcdefgh").unwrap();
    let small: &Planes<u8> = small.planes().unwrap();
    assert_eq!(small.get("1").unwrap().samples(), b"bdfh");
    // Back again: the whole range, no names.
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("bands.pam");
    let said = rahmen::file::write_with(&path, &picture, Default::default()).unwrap();
    assert!(said.iter().any(|line| line.contains("range")), "{said:?}");
    let written = std::fs::read(&path).unwrap();
    let want = b"P7\nWIDTH 3\nHEIGHT 1\nDEPTH 5\nMAXVAL 65535\nTUPLTYPE PLANES\nENDHDR\n";
    assert_eq!(written, [want.as_slice(), &bytes[head.len()..]].concat());
    assert_eq!(rahmen::read(&path).unwrap().content(), picture.content());
    // A pixel's layout of one, and what a map cannot hold.
    let one =
        Planes::new(Size::new(2, 1)).with("depth", Frame::filled(Size::new(2, 1), Gray::new(7u8)).unwrap()).unwrap();
    rahmen::write(&path, &Picture::from(one.clone())).unwrap();
    assert_eq!(rahmen::read(&path).unwrap().planes::<u8>().unwrap().get("0").unwrap().samples(), [7, 7]);
    let error = rahmen::write(folder.path().join("a.ppm"), &Picture::from(one)).unwrap_err();
    assert!(error.help().contains(&Help::Window), "{error}");
    let wide =
        Planes::new(Size::new(1, 1)).with("0", Frame::filled(Size::new(1, 1), Gray::new(-7i32)).unwrap()).unwrap();
    let error = rahmen::write(&path, &Picture::from(wide)).unwrap_err();
    assert!(error.to_string().contains("i32") && error.help().contains(&Help::Extension("tif")), "{error}");
}

#[test]
fn bad_maps_are_errors_that_name_what_is_wrong() {
    for (bytes, words) in [
        (&b"P5 3 2 0\n......"[..], "maximum value of 0"),
        (b"P5 0 2 255\n", "size of 0x2"),
        (b"P5 3 2 255\n12345", "row 1 of 2"),
        (b"P2 1 1 10\n11\n", "above the maximum value 10"),
        (b"P2 1 1 10\nx", "among the samples"),
        (b"P5 x 2 255\n", "not a number"),
        (b"P5 3 2 255", "rest of the header"),
        (b"P7\nWIDTH 1\nENDHDR\n", "lacks one of"),
        (b"P5 99999 99999 255\n", "over the limit"),
        (b"P7\nWIDTH 1\nHEIGHT 1\nDEPTH 5\nMAXVAL 9\nENDHDR\n\x01\x02\x0a\x04\x05", "above the maximum value 9"),
        (b"P7\nWIDTH 1\nHEIGHT 1\nDEPTH 0\nMAXVAL 9\nENDHDR\n", "without channels"),
        (b"P7\nWIDTH 1\nHEIGHT 1\nDEPTH 4294967295\nMAXVAL 9\nENDHDR\n", "at most 4096"),
        (b"P7\nWIDTH 1\nHEIGHT 1\nDEPTH 4\nMAXVAL 9\nTUPLTYPE RGB\nENDHDR\n", "has 3 channels"),
        (b"P7\nWIDTH 2\nHEIGHT 1\nDEPTH 2\nMAXVAL 9\nENDHDR\n\x01\x02\x03", "row 0 of 1"),
    ] {
        let error = read_bytes(bytes).unwrap_err();
        assert!(error.to_string().contains(words), "{}: {error}", bytes.escape_ascii());
    }
    let error = read_bytes(b"%PDF-1.7").unwrap_err();
    assert!(matches!(error.kind(), ErrorKind::NotAPicture { looks_like: Some("a PDF document") }));
    assert!(read_bytes(b"").unwrap_err().to_string().contains("an empty file"));
}

#[test]
fn bilevel_maps_read_with_black_as_none_and_go_back_to_the_same_bits() {
    // Ten columns: the last byte of each row has six bits of padding, which mean nothing.
    let raw = b"P4\n# tide\n10 2\n\xa5\x7f\x0f\x80".to_vec();
    let plain = b"P1 10 2\n1010 0101 01\n# comment\n0000111110".to_vec();
    let want = [0, 255, 0, 255, 255, 0, 255, 0, 255, 0, 255, 255, 255, 255, 0, 0, 0, 0, 0, 255];
    let folder = tempfile::tempdir().unwrap();
    for (bytes, each) in [(raw.clone(), 1), (raw, 99), (plain.clone(), 1), (plain, 99)] {
        let picture = read_from(Dribble { bytes, at: 0, each }, ReadOptions::default()).unwrap();
        assert_eq!(picture.metadata().max_codes, Some(vec![1]));
        let path = folder.path().join("a.pbm");
        rahmen::write(&path, &picture).unwrap();
        assert_eq!(std::fs::read(&path).unwrap(), b"P4\n10 2\n\xa5\x40\x0f\x80");
        assert_eq!(rahmen::read(&path).unwrap(), picture);
        assert_eq!(picture.frame::<rahmen::Gray<u8>>().unwrap().samples(), want);
    }
    let gray = rahmen::Picture::from(rahmen::Frame::<rahmen::Gray<u8>>::new(rahmen::Size::new(2, 2)).unwrap());
    let error = rahmen::write(folder.path().join("b.pbm"), &gray).unwrap_err();
    assert!(error.help().contains(&Help::TwoLevels), "{error}");
    let bad = read_from(Dribble { bytes: b"P1 2 1 1 2".to_vec(), at: 0, each: 99 }, ReadOptions::default());
    assert!(bad.unwrap_err().to_string().contains("'2'"));
}

#[test]
fn long_numbers_of_a_header_are_wrong_however_the_stream_is_cut() {
    struct Pieces<'a>(&'a [u8], usize);
    impl std::io::Read for Pieces<'_> {
        fn read(&mut self, to: &mut [u8]) -> std::io::Result<usize> {
            let most = self.1.min(to.len());
            self.0.read(&mut to[..most])
        }
    }
    let noughts = "0".repeat(110);
    for text in [format!("P4 2 {noughts}2 25"), format!("P1 12 {noughts}5\n5"), format!("P3 1 6 {noughts}9\n1 4 6")] {
        for each in [1, 7, 21, 22, 64, 500] {
            let error =
                rahmen::file::read_from(Pieces(text.as_bytes(), each), Default::default()).unwrap_err().to_string();
            assert!(error.contains("is not a number: 0000000000000000"), "{each}: {error}");
        }
    }
    // Twenty digits are a number still.
    let good = format!("P2 {:020} 1 9\n5 6", 2);
    for each in [1, 3, 500] {
        assert_eq!(rahmen::file::read_from(Pieces(good.as_bytes(), each), Default::default()).unwrap().size().width, 2);
    }
}

#[test]
fn ink_goes_into_arbitrary_maps_and_comes_back() {
    use rahmen::{Cmyk, Frame, Size};
    let ink = Frame::from_fn(Size::new(3, 2), |x, y| Cmyk::new(x as u8, 10 + y as u8, 20, 200)).unwrap();
    let ink = Picture::from(ink);
    let bytes = rahmen::file::encode(&ink, rahmen::FileFormat::Pam, Default::default()).unwrap();
    let head = b"P7\nWIDTH 3\nHEIGHT 2\nDEPTH 4\nMAXVAL 255\nTUPLTYPE CMYK\nENDHDR\n";
    assert_eq!(bytes[..head.len()], head[..]);
    assert_eq!(bytes[head.len()..head.len() + 8], [0, 10, 20, 200, 1, 10, 20, 200]);
    assert!(rahmen::file::decode(&bytes, Default::default()).unwrap().content() == ink.content());
    let error = rahmen::file::encode(&ink, rahmen::FileFormat::Qoi, Default::default()).unwrap_err();
    assert!(error.to_string().contains("cannot hold cmyk"));
}
