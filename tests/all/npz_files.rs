//! Archives of arrays put together from the description of ZIP, read by page, and written ones taken apart again.
#![cfg(feature = "npy")]

use crate::common::{Dribble, crc, noise};
use rahmen::file::{ReadOptions, Reader, WriteOptions, Writer, decode, facts_from, read_from};
use rahmen::flow::{Sink, Source, Strip};
use rahmen::frame::{Planes, Text};
use rahmen::{ErrorKind, FileFormat, Frame, Gray, Picture, Rgb, Size};
use std::io::{Cursor, Read, Write};

fn deflated(bytes: &[u8]) -> Vec<u8> {
    let mut packer = flate2::write::DeflateEncoder::new(Vec::new(), flate2::Compression::new(6));
    packer.write_all(bytes).unwrap();
    packer.finish().unwrap()
}

/// An archive: names and bytes; every second entry packed where that is asked for; sizes of 64 bits in the extra field as NumPy's own
/// writer leaves them in local headers.
fn archive(entries: &[(&str, Vec<u8>)], pack: bool, comment: &str) -> Vec<u8> {
    let (mut out, mut central) = (Vec::new(), Vec::new());
    for (i, (name, bytes)) in entries.iter().enumerate() {
        let packed = pack && i % 2 == 0;
        let body = if packed { deflated(bytes) } else { bytes.clone() };
        let at = out.len() as u32;
        let method = if packed { 8u16 } else { 0 };
        let word = |v: u16| v.to_le_bytes().to_vec();
        let long = |v: u32| v.to_le_bytes().to_vec();
        let head = [word(45), word(0), word(method), word(0), word(33), long(crc(bytes))].concat();
        out.extend(b"PK\x03\x04");
        out.extend(&head);
        out.extend([0xff; 8]);
        out.extend([word(name.len() as u16), word(20)].concat());
        out.extend(name.bytes());
        out.extend([word(1), word(16)].concat());
        out.extend((bytes.len() as u64).to_le_bytes());
        out.extend((body.len() as u64).to_le_bytes());
        out.extend(&body);
        central.extend(b"PK\x01\x02\x2d\x03");
        central.extend(&head);
        central.extend([long(body.len() as u32), long(bytes.len() as u32), word(name.len() as u16)].concat());
        central.extend([0; 12]);
        central.extend(long(at));
        central.extend(name.bytes());
    }
    let (at, count) = (out.len() as u32, entries.len() as u16);
    out.extend(&central);
    out.extend(b"PK\x05\x06\0\0\0\0");
    out.extend([count.to_le_bytes(), count.to_le_bytes()].concat());
    out.extend([(central.len() as u32).to_le_bytes(), at.to_le_bytes()].concat());
    out.extend((comment.len() as u16).to_le_bytes());
    out.extend(comment.bytes());
    out
}

fn npy(descr: &str, shape: &str, bytes: &[u8]) -> Vec<u8> {
    let mut text = format!("{{'descr': '{descr}', 'fortran_order': False, 'shape': {shape}, }}");
    while (10 + text.len() + 1) % 64 != 0 {
        text.push(' ');
    }
    text.push('\n');
    let mut out = b"\x93NUMPY\x01\0".to_vec();
    out.extend((text.len() as u16).to_le_bytes());
    out.extend(text.bytes());
    out.extend(bytes);
    out
}

#[test]
fn arrays_are_pages_with_the_names_of_their_entries() {
    let (gray, rgb) = (noise(40 * 30, 1), noise(300 * 200 * 3, 2));
    let wide = noise(8 * 6, 3);
    let entries = [
        ("depth.npy", npy("|u1", "(30, 40)", &gray)),
        ("notes.txt", b"not an array".to_vec()),
        ("photo.npy", npy("|u1", "(200, 300, 3)", &rgb)),
        ("counts.npy", npy("<i8", "(2, 3)", &wide)),
    ];
    for pack in [false, true] {
        for comment in ["", "of the boat"] {
            let bytes = archive(&entries, pack, comment);
            let facts = facts_from(bytes.as_slice(), ReadOptions::default()).unwrap();
            assert_eq!((facts.pages, facts.format), (3, Some(FileFormat::Npz)));
            assert_eq!(facts.metadata.text, [Text { keyword: "Page name".into(), text: "depth".into() }]);
            let page = |n: u32| {
                let options = ReadOptions::default().page(n);
                let whole = decode(&bytes, options.clone()).unwrap();
                assert!(read_from(Dribble { bytes: bytes.clone(), at: 0, each: 11 }, options).unwrap() == whole);
                whole
            };
            assert_eq!(page(1).frame::<Gray<u8>>().unwrap().samples(), gray);
            assert_eq!(page(2).frame::<Rgb<u8>>().unwrap().samples(), rgb);
            assert_eq!(
                page(3).planes::<i64>().unwrap()[0].samples()[0],
                i64::from_le_bytes(wide[..8].try_into().unwrap())
            );
            // Rows in the middle, those before passed over.
            let mut reader = Reader::from_seekable(Cursor::new(bytes.clone()), ReadOptions::default().page(2)).unwrap();
            reader.skip(150).unwrap();
            let strip = reader.next(3).unwrap().unwrap();
            let rows = Picture::new(strip.content, Default::default()).frame::<Rgb<u8>>().unwrap();
            assert_eq!(rows.samples(), &rgb[150 * 900..153 * 900]);
            let missing = decode(&bytes, ReadOptions::default().page(4)).unwrap_err().to_string();
            assert!(missing.contains("there is no page 4; the file has 3"), "{missing}");
        }
    }
}

#[test]
fn written_archives_are_read_by_their_description() {
    let size = Size::new(31, 17);
    let rgb = Picture::from(Frame::random(size, Rgb::default(), Rgb::new(255u8, 255, 255), 1).unwrap());
    let floats = Picture::from(Frame::random(size, Gray::new(-1f32), Gray::new(1.0), 2).unwrap());
    let planes = Planes::new(size).with("0", Frame::filled(size, Gray::new(-7i16)).unwrap()).unwrap();
    let mut planes = Picture::from(planes);
    planes.metadata_mut().text = vec![Text { keyword: "Page name".into(), text: "../a/b".into() }];
    let pages = [rgb, floats, planes.clone(), planes];
    for compression in [0u8, 3, 9] {
        let mut bytes = Vec::new();
        let options = WriteOptions::default().format(FileFormat::Npz).pages(4).compression(compression);
        let mut writer = Writer::to_stream(&mut bytes, &pages[0].facts(), options).unwrap();
        for (i, page) in pages.iter().enumerate() {
            if i > 0 {
                writer.next_page(&page.facts()).unwrap();
            }
            writer.put(&Strip { first_row: 0, content: page.content().clone() }).unwrap();
        }
        writer.finish().unwrap();
        drop(writer);
        // The record at the end leads to the entries, those to their data.
        let end = bytes.len() - 22;
        assert_eq!(&bytes[end..end + 4], b"PK\x05\x06");
        let word = |at: usize| usize::from(u16::from_le_bytes([bytes[at], bytes[at + 1]]));
        let long = |at: usize| u32::from_le_bytes(bytes[at..at + 4].try_into().unwrap()) as usize;
        assert_eq!(word(end + 10), 4);
        let mut at = long(end + 16);
        let mut names = Vec::new();
        for page in &pages {
            assert_eq!(&bytes[at..at + 4], b"PK\x01\x02");
            let name = &bytes[at + 46..][..word(at + 28)];
            let (local, packed, plain) = (long(at + 42), long(at + 20), long(at + 24));
            assert_eq!(&bytes[local..local + 4], b"PK\x03\x04");
            assert_eq!(&bytes[local + 30..][..name.len()], name);
            let data = &bytes[local + 30 + name.len()..][..packed];
            let array = if word(at + 10) == 8 {
                let mut out = Vec::new();
                flate2::read::DeflateDecoder::new(data).read_to_end(&mut out).unwrap();
                out
            } else {
                data.to_vec()
            };
            assert_eq!((array.len(), crc(&array) as usize), (plain, long(at + 16)));
            let alone = decode(&array, ReadOptions::default()).unwrap();
            assert!(alone.content() == page.content(), "{compression}");
            names.push(String::from_utf8(name.to_vec()).unwrap());
            at += 46 + name.len();
        }
        assert_eq!(names, ["arr_0.npy", "arr_1.npy", ".._a_b.npy", ".._a_b_3.npy"]);
        for (i, page) in pages.iter().enumerate() {
            let back = decode(&bytes, ReadOptions::default().page(i as u32 + 1)).unwrap();
            assert!(back.content() == page.content());
        }
    }
}

#[test]
fn damaged_archives_end_cleanly() {
    let entries = [("a.npy", npy("|u1", "(30, 40)", &noise(1200, 1))), ("b.npy", npy("<f4", "(5, 5)", &noise(100, 2)))];
    for pack in [false, true] {
        let bytes = archive(&entries, pack, "");
        for end in 0..bytes.len() {
            for page in [1, 2] {
                assert!(decode(&bytes[..end], ReadOptions::default().page(page)).is_err());
            }
            let _ = decode(&bytes[..end], ReadOptions::default().salvage());
        }
        for i in 0..2000 {
            let random = noise(5, i);
            let mut changed = bytes.clone();
            let at = (usize::from(random[0]) << 8 | usize::from(random[1])) % changed.len();
            changed[at] = if random[2] & 1 == 0 { random[3] } else { 255 };
            for page in [1, 2] {
                let _ = decode(&changed, ReadOptions::default().page(page));
            }
        }
        // A changed sample is found by the checksum.
        let mut spoiled = archive(&entries, false, "");
        spoiled[200] ^= 1;
        assert!(
            decode(&spoiled, ReadOptions::default())
                .unwrap_err()
                .to_string()
                .contains("checksum of the array a is wrong")
        );
    }
    let error = decode(&archive(&[("x.txt", b"hello".to_vec())], false, ""), ReadOptions::default()).unwrap_err();
    assert!(matches!(error.kind(), ErrorKind::NotAPicture { .. }), "{error}");
}
