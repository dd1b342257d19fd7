//! TIFF files that are damaged or built to do harm: each ends with an error that names the tag and its place, or with what can be read.
#![cfg(feature = "tiff")]

use crate::common::noise;
use crate::common::tiff::{self, DEFLATE, FAX4, KINDS, Kind, LZW, NONE, PACK_BITS, Page};
use rahmen::file::{Limits, ReadOptions, Reader, WriteOptions, decode, encode};
use rahmen::{ErrorKind, FileFormat, Frame, Gray, MemoryBudget, Picture, Size};
use std::io::Cursor;

fn small() -> Page {
    let samples = noise(40 * 30, 3).iter().map(|&v| u64::from(v)).collect();
    Page { chunk: (0, 8), ..Page::new((40, 30), 8, 1, 1, samples) }
}

fn refused(bytes: &[u8]) -> rahmen::Error {
    decode(bytes, ReadOptions::default()).expect_err("it must not be read")
}

/// The error of a page, in words.
fn said(page: Page) -> String {
    let mut all: Vec<String> =
        KINDS.map(|kind| refused(&tiff::file(kind, std::slice::from_ref(&page)))).iter().map(no_place).collect();
    all.dedup();
    assert_eq!(all.len(), 1, "{all:?}");
    all.remove(0)
}

/// An error that names a place in the file, without it.
fn no_place(error: &rahmen::Error) -> String {
    assert!(error.offset().is_some(), "{error}");
    error.kind().to_string()
}

#[test]
fn tags_that_are_missing_twice_or_impossible_are_named() {
    let with = |tag: u16, kind: u16, values: Vec<u64>| Page { tags: vec![(tag, kind, values)], ..small() };
    let without = |tag: u16| Page { without: vec![tag], ..small() };
    for (page, want) in [
        (without(256), "ImageWidth (tag 256) is missing"),
        (without(257), "ImageLength (tag 257) is missing"),
        (without(262), "PhotometricInterpretation (tag 262) is missing"),
        (without(273), "StripOffsets (tag 273) is missing"),
        (with(256, 4, vec![0]), "a size of 0x30; a file holds at least one pixel"),
        (with(256, 2, vec![65, 0]), "ImageWidth (tag 256) is of type 2, not of whole numbers"),
        (with(278, 4, vec![0]), "RowsPerStrip (tag 278) is 0"),
        (with(258, 3, vec![65]), "BitsPerSample (tag 258) is 65; a sample has 1 to 64 bits"),
        (with(258, 3, vec![0]), "BitsPerSample (tag 258) is 0; a sample has 1 to 64 bits"),
        (with(258, 3, vec![8, 8]), "BitsPerSample (tag 258)"),
        (with(277, 3, vec![0]), "SamplesPerPixel (tag 277) is 0; a pixel has 1 to 65535 samples"),
        (with(262, 3, vec![2]), "SamplesPerPixel (tag 277) is 1; pixels of this kind have 3 at least"),
        (with(284, 3, vec![3]), "PlanarConfiguration (tag 284) is 3; there are 1 and 2"),
        (with(266, 3, vec![3]), "FillOrder (tag 266) is 3; there are 1 and 2"),
        (with(339, 3, vec![9]), "SampleFormat (tag 339) is 9; there are 1 to 6"),
        (with(322, 3, vec![17]), "TileLength (tag 323) is missing"),
        (with(279, 4, vec![320, 320]), "StripByteCounts (tag 279) has 2 values for 4"),
        (with(273, 4, vec![8, 9]), "StripOffsets (tag 273) has 2 values; there are 4 strips"),
        (with(279, 4, vec![320, 10, 320, 240]), "strip 1 has 10 bytes; 320 are needed"),
    ] {
        let found = said(page);
        assert!(found.contains(want), "{found} / {want}");
    }
    // A tag twice.
    let mut twice = small();
    twice.tags = vec![(256, 4, vec![40]), (256, 4, vec![41])];
    assert!(said(twice).contains("ImageWidth (tag 256) stands in the directory twice"));
    // What is not done is said by name.
    for (page, want) in [
        (with(259, 3, vec![6]), "JPEG in the form of 1992"),
        (with(259, 3, vec![34_712]), "JPEG 2000"),
        (with(259, 3, vec![777]), "code 777"),
        (with(339, 3, vec![6]), "complex numbers"),
        (with(262, 3, vec![32_845]), "light by its logarithm"),
    ] {
        let error = refused(&tiff::file(KINDS[0], &[page]));
        assert!(matches!(error.kind(), ErrorKind::NotSupported(_)) && error.to_string().contains(want), "{error}");
    }
}

#[test]
fn places_outside_of_the_file_and_counts_of_all_bits_are_errors() {
    for kind in KINDS {
        let most = if kind.wide { u64::MAX } else { u32::MAX.into() };
        let offset_type = if kind.wide { 16 } else { 4 };
        let mut page = small();
        page.tags = vec![(273, offset_type, vec![8, 9, most, 11])];
        let error = refused(&tiff::file(kind, &[page.clone()]));
        assert!(matches!(error.kind(), ErrorKind::Truncated(_)), "{error}");
        assert!(error.to_string().contains("strip 2"), "{error}");
        // The first directory beyond the end.
        let mut file = tiff::file(kind, &[small()]);
        let (at, bytes) = if kind.wide { (8, 8) } else { (4, 4) };
        file[at..at + bytes].copy_from_slice(&kind.number(most, bytes));
        assert!(refused(&file).to_string().contains("a directory is said to be at byte"), "{kind:?}");
        file[at..at + bytes].copy_from_slice(&kind.number(0, bytes));
        assert!(refused(&file).to_string().contains("no directory"), "{kind:?}");
        // A count of values of all bits.
        for tag in [258u16, 273, 279] {
            let mut file = tiff::file(kind, &[small()]);
            let entry = entry_of(kind, &file, tag);
            let width = if kind.wide { 8 } else { 4 };
            file[entry + 4..entry + 4 + width].copy_from_slice(&kind.number(most, width));
            let budget = MemoryBudget::new(1 << 20);
            let error = decode(&file, ReadOptions::default().budget(&budget)).unwrap_err();
            assert!(error.to_string().contains(&format!("(tag {tag})")), "{kind:?} {tag}: {error}");
            assert!(error.offset().is_some());
        }
    }
}

/// Where the entry of a tag is in the first directory.
fn entry_of(kind: Kind, file: &[u8], tag: u16) -> usize {
    let number = |at: usize, bytes: usize| {
        let mut part = file[at..at + bytes].to_vec();
        if kind.big_endian {
            part.reverse();
        }
        part.iter().rev().fold(0u64, |n, &b| n << 8 | u64::from(b)) as usize
    };
    let (first, head, each) = if kind.wide { (number(8, 8), 8, 20) } else { (number(4, 4), 2, 12) };
    let count = number(first, head);
    (0..count).map(|i| first + head + i * each).find(|&at| number(at, 2) == usize::from(tag)).unwrap()
}

#[test]
fn directories_in_a_ring_end() {
    for kind in KINDS {
        let file = tiff::file(kind, &[small(), small()]);
        let (head, each, room) = if kind.wide { (8, 20, 8) } else { (2, 12, 4) };
        // The link of the second directory to the first: it is found behind its entries.
        let first = entry_of(kind, &file, 256) - head;
        let second = {
            let count = 11;
            let link = first + head + count * each;
            let mut part = file[link..link + room].to_vec();
            if kind.big_endian {
                part.reverse();
            }
            part.iter().rev().fold(0u64, |n, &b| n << 8 | u64::from(b)) as usize
        };
        let link = second + head + 11 * each;
        let mut ring = file.clone();
        ring[link..link + room].copy_from_slice(&kind.number(first as u64, room));
        // Both pages can be read; that more follow is said.
        for page in [1, 2] {
            let reader = Reader::from_seekable(Cursor::new(ring.clone()), ReadOptions::default().page(page));
            match (page, reader) {
                (1, Ok(reader)) => {
                    let facts = reader.facts().clone();
                    assert!(
                        facts.remarks.iter().any(|r| r.contains("is followed by one that came before")),
                        "{:?}",
                        facts.remarks
                    );
                }
                (2, Err(error)) => {
                    assert!(error.to_string().contains("is followed by one that came before"), "{error}")
                }
                (_, other) => panic!("{page}: {other:?}"),
            }
        }
    }
}

#[test]
fn strips_that_share_their_bytes_do_not_multiply_the_work() {
    // 4,000 strips of one row that are all the same megabyte.
    let mut page = Page::new((64, 4000), 8, 1, 1, vec![7; 64 * 4000]);
    (page.packing, page.chunk) = (DEFLATE, (0, 1));
    page.chunks = Some(vec![noise(1 << 20, 1)]);
    page.tags = vec![(273, 4, vec![8; 4000]), (279, 4, vec![1 << 20; 4000])];
    let error = refused(&tiff::file(KINDS[0], &[page]));
    assert!(
        error.to_string().contains("StripOffsets (tag 273) leads to strips of 4194304000 bytes together"),
        "{error}"
    );
}

#[test]
fn packed_data_that_is_wrong_names_its_strip() {
    for (packing, want) in [(LZW, "LZW"), (DEFLATE, "Deflate"), (PACK_BITS, "of its"), (FAX4, "fax data")] {
        let bits = if packing == FAX4 { 1 } else { 8 };
        let samples = noise(64 * 64, 2).iter().map(|&v| u64::from(v) & if bits == 1 { 1 } else { 255 }).collect();
        let mut page = Page { chunk: (0, 16), packing, ..Page::new((64, 64), bits, 1, 1, samples) };
        let file = tiff::file(KINDS[0], &[page.clone()]);
        let whole = decode(&file, ReadOptions::default()).unwrap();
        // The third strip is spoiled.
        let mut chunks: Vec<Vec<u8>> = Vec::new();
        let found = |tag: u16| entry_values(&file, tag);
        for (at, count) in found(273).into_iter().zip(found(279)) {
            chunks.push(file[at..at + count].to_vec());
        }
        chunks[2] = match packing {
            // A code beyond the table; a block type that does not exist; two bytes; eight ones and zeros.
            LZW => vec![0x80, 0x7f, 0xff, 0xff, 0xff],
            DEFLATE => vec![0x78, 0x9c, 0x07, 0, 0, 0],
            PACK_BITS => vec![0, 1],
            _ => vec![0, 0xff, 0, 0xff],
        };
        page.chunks = Some(chunks);
        let spoiled = tiff::file(KINDS[0], &[page]);
        let error = refused(&spoiled).to_string();
        assert!(error.contains("strip 2") && error.contains(want), "{error}");
        // All others are given where that is asked for.
        let options = ReadOptions::default().salvage_filled();
        let (picture, damage) = Reader::from_seekable(Cursor::new(spoiled), options).unwrap().read_damaged().unwrap();
        let damage = damage.unwrap();
        assert!(damage.lost.iter().all(|r| r.start >= 32 && r.end <= 48) && damage.rows_lost() >= 1, "{damage:?}");
        same_but(&picture, &whole, 32..48);
    }
}

fn entry_values(file: &[u8], tag: u16) -> Vec<usize> {
    let page = tiff::parse_directory(file, u32::from_le_bytes(file[4..8].try_into().unwrap()) as usize, false, false).0;
    page.tags[&tag].iter().map(|&v| v as usize).collect()
}

fn same_but(found: &Picture, whole: &Picture, rows: std::ops::Range<u32>) {
    for y in (0..whole.size().height).filter(|y| !rows.contains(y)) {
        let row = whole.size().region().rows(y..=y).unwrap();
        assert!(found.content().crop(row).unwrap() == whole.content().crop(row).unwrap(), "row {y}");
    }
}

#[test]
fn tiles_that_unpack_to_more_than_they_should_are_errors() {
    let page = Page { chunk: (16, 16), packing: DEFLATE, ..Page::new((16, 16), 8, 1, 1, vec![1; 256]) };
    for (bytes, good) in [(256usize, true), (260, true), (272, false), (300_000_000, false)] {
        let mut page = page.clone();
        page.chunks = Some(vec![crate::common::zlib(&vec![1; bytes])]);
        let file = tiff::file(KINDS[0], &[page]);
        let budget = MemoryBudget::new(1 << 20);
        match decode(&file, ReadOptions::default().budget(&budget)) {
            Ok(_) => assert!(good, "{bytes}"),
            Err(e) => assert!(
                !good && e.to_string().contains("tile 0: it unpacks to more than its 256 bytes"),
                "{bytes}: {e}"
            ),
        }
    }
}

#[test]
fn tiles_that_are_not_there_are_blank_and_said_to_be() {
    let mut page = Page { chunk: (16, 16), packing: DEFLATE, ..Page::new((32, 16), 8, 1, 1, vec![9; 512]) };
    let packed = crate::common::zlib(&[9; 256]);
    page.chunks = Some(vec![packed.clone()]);
    page.tags = vec![(324, 4, vec![8, 0]), (325, 4, vec![packed.len() as u64, 0])];
    let file = tiff::file(KINDS[0], &[page]);
    let reader = Reader::from_seekable(Cursor::new(file.clone()), ReadOptions::default()).unwrap();
    assert!(reader.facts().remarks.iter().any(|r| r == "1 of 2 tiles are not in the file; their pixels are zero"));
    let picture = decode(&file, ReadOptions::default()).unwrap();
    let frame = picture.frame::<rahmen::Gray<u8>>().unwrap();
    assert_eq!((frame[(15, 3)].value, frame[(16, 3)].value), (9, 0));
}

#[test]
fn pages_beyond_the_limit_are_not_counted_and_refused() {
    let page = Page::new((1, 1), 8, 1, 1, vec![1]);
    let file = tiff::file(KINDS[0], &vec![page; 50]);
    assert_eq!(rahmen::file::facts_from(file.as_slice(), ReadOptions::default()).unwrap().pages, 50);
    let options = ReadOptions::default().limits(Limits::default().pages(49));
    // What is known is told as such.
    let told = rahmen::file::facts_from(file.as_slice(), options.clone()).unwrap();
    assert!((told.pages, told.more_pages) == (49, true) && told.remarks.len() == 1, "{:?}", told.remarks);
    assert!(decode(&file, options.clone()).is_ok() && decode(&file, options.clone().page(49)).is_ok());
    let error = decode(&file, options.page(50)).unwrap_err().to_string();
    assert!(error.contains("50 pages, over the limit of 49"), "{error}");
}

/// Files of many kinds, small ones.
fn samples() -> Vec<Vec<u8>> {
    let mut out = Vec::new();
    for (i, kind) in KINDS.into_iter().enumerate() {
        for packing in [NONE, PACK_BITS, LZW, DEFLATE] {
            let values = noise(23 * 17 * 3, 3).iter().map(|&v| u64::from(v)).collect();
            let mut page = Page {
                packing,
                chunk: if i % 2 == 0 { (16, 16) } else { (0, 5) },
                ..Page::new((23, 17), 8, 3, 2, values)
            };
            page.tags = vec![(270, 2, vec![65, 66, 67, 68, 69, 0]), (282, 5, vec![72, 1]), (283, 5, vec![72, 1])];
            page.planar = i == 3;
            let mut small = Page::new((2, 2), 8, 1, 1, vec![1, 2, 3, 4]);
            small.below = vec![Page::new((1, 1), 16, 1, 0, vec![77])];
            out.push(tiff::file(kind, &[page, small]));
        }
        let bits = noise(70 * 20, 9).iter().map(|&v| u64::from(v & 1)).collect::<Vec<_>>();
        let mut fax = Page { packing: FAX4, chunk: (0, 7), ..Page::new((70, 20), 1, 1, 0, bits) };
        out.push(tiff::file(kind, &[fax.clone()]));
        (fax.packing, fax.tags) = (tiff::FAX3, vec![(292, 4, vec![1])]);
        out.push(tiff::file(kind, &[fax]));
    }
    out
}

#[test]
fn a_file_cut_anywhere_ends_cleanly() {
    for file in samples() {
        let whole = decode(&file, ReadOptions::default()).unwrap();
        for end in 0..file.len() {
            let cut = &file[..end];
            for options in
                [ReadOptions::default(), ReadOptions::default().salvage_filled(), ReadOptions::default().page(2)]
            {
                if let Ok(picture) = decode(cut, options.clone()) {
                    assert!(picture.size() == whole.size() || options.page == Some(2));
                }
            }
            let _ = rahmen::file::facts_from(cut, ReadOptions::default());
        }
    }
}

#[test]
fn files_with_bytes_changed_end_cleanly() {
    for (i, file) in samples().into_iter().enumerate() {
        let random = noise(1800, i as u32);
        for change in random.chunks_exact(6) {
            let mut changed = file.clone();
            // Near the directories as often as anywhere.
            let place = usize::from(change[0]) << 8 | usize::from(change[1]);
            let at = if change[2] & 1 == 0 {
                changed.len() - 1 - place % changed.len().min(600)
            } else {
                place % changed.len()
            };
            changed[at] = match change[3] % 4 {
                0 => 0,
                1 => 255,
                2 => change[4],
                _ => changed[at] ^ 1 << (change[4] % 8),
            };
            let limits = Limits::default().memory(16 << 20);
            for options in [ReadOptions::default(), ReadOptions::default().salvage()] {
                let _ = decode(&changed, options.limits(limits));
            }
        }
    }
}

/// Tables of JPEG are read anew for every strip: what a file says again and again counts once, the last of each.
#[test]
fn tables_of_jpeg_that_are_said_again_and_again_count_once() {
    let picture: Picture = Frame::from_fn(Size::new(8, 8), |x, y| Gray::new((x * 30 + y) as u8)).unwrap().into();
    let jpeg = encode(&picture, FileFormat::Jpeg, WriteOptions::default()).unwrap();
    let (mut tables, mut wrong, mut stream, mut at) = (Vec::new(), Vec::new(), vec![0xff, 0xd8], 2);
    while jpeg[at + 1] != 0xda {
        let segment = &jpeg[at..at + 2 + usize::from(u16::from_be_bytes([jpeg[at + 2], jpeg[at + 3]]))];
        match segment[1] {
            0xdb => {
                // Other quantisers first: they do not count.
                wrong.extend(&segment[..5]);
                wrong.extend(segment[5..].iter().map(|step| step / 2 + 40));
                tables.extend(segment);
            }
            0xc4 => tables.extend(segment),
            0xc0 => stream.extend(segment),
            _ => {}
        }
        at += segment.len();
    }
    stream.extend(&jpeg[at..]);
    let file = |tables: &[u8]| {
        let strips = 40u32;
        let mut out = b"II\x2a\0\0\0\0\0".to_vec();
        let mut put = |bytes: &[u8]| {
            let at = out.len() as u32;
            out.extend(bytes);
            out.extend(vec![0; out.len() % 2]);
            at
        };
        let (tables_at, data) = (put(tables), put(&stream));
        let offsets = put(&data.to_le_bytes().repeat(strips as usize));
        let counts = put(&(stream.len() as u32).to_le_bytes().repeat(strips as usize));
        let entries = [
            (256u16, 4u16, 1u32, 8u32),
            (257, 4, 1, 8 * strips),
            (258, 3, 1, 8),
            (259, 3, 1, 7),
            (262, 3, 1, 1),
            (273, 4, strips, offsets),
            (277, 3, 1, 1),
            (278, 4, 1, 8),
            (279, 4, strips, counts),
            (347, 7, tables.len() as u32, tables_at),
        ];
        let mut directory = (entries.len() as u16).to_le_bytes().to_vec();
        for (tag, kind, count, value) in entries {
            directory.extend(tag.to_le_bytes().iter().chain(&kind.to_le_bytes()));
            directory.extend(count.to_le_bytes().iter().chain(&value.to_le_bytes()));
        }
        directory.extend([0; 4]);
        let start = put(&directory);
        out[4..8].copy_from_slice(&start.to_le_bytes());
        out
    };
    let whole = |tables: &[u8]| [&[0xff, 0xd8], tables, &[0xff, 0xd9]].concat();
    let few = decode(&file(&whole(&tables)), ReadOptions::default()).unwrap();
    assert_eq!(few.size(), Size::new(8, 320));
    let again = whole(&[wrong, tables.repeat(400)].concat());
    assert!(again.len() > 40_000);
    assert!(decode(&file(&again), ReadOptions::default()).unwrap() == few);
    let junk = whole(&[tables, vec![7; 60_000]].concat());
    let line = decode(&file(&junk), ReadOptions::default()).unwrap_err().to_string();
    assert!(line.contains("JPEG tables that cannot be read"), "{line}");
}
