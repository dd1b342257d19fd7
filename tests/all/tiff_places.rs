//! TIFF files put together from the specification, read by region: strips and tiles, where they lie, and JPEG in them.
#![cfg(feature = "tiff")]

use crate::common::tiff::{self, DEFLATE, KINDS, Page};
use crate::tiff_files::{codes, plain, read, samples_of};
use rahmen::file::{ReadOptions, Reader, decode};
use rahmen::flow::{Chain, Crop, PictureSink};
use rahmen::{Picture, Region};
use std::io::Cursor;
use std::ops::Range;

/// Whether a region of a file, read through a chain, is that of the whole picture.
fn region_is_that_of(file: Vec<u8>, (x, y): (Range<u32>, Range<u32>), whole: &Picture) -> bool {
    let reader = Reader::from_seekable(Cursor::new(file), ReadOptions::default()).unwrap();
    let region = Region::new(x, y).unwrap();
    let mut chain = Chain::new(Box::new(reader), vec![Box::new(Crop::new(region))]).unwrap();
    let mut sink = PictureSink::new(chain.facts()).unwrap();
    chain.run_into(&mut sink).unwrap();
    *sink.into_picture().unwrap().content() == whole.content().crop(region).unwrap()
}

#[test]
fn only_the_tiles_of_a_region_are_looked_at() {
    let (width, height) = (160usize, 96usize);
    let samples = codes(width * height * 3, 8, 5);
    let mut page = Page::new((width, height), 8, 3, 2, samples.clone());
    (page.chunk, page.packing) = ((32, 32), DEFLATE);
    let file = tiff::file(KINDS[0], &[page.clone()]);
    // All other tiles are spoiled: zlib's header is wrong.
    let whole = plain(&file);
    for (x, y) in [(0..5u32, 0..4u32), (40..100, 20..40), (150..160, 90..96), (31..33, 31..33)] {
        let mut spoiled = file.clone();
        let mut kept = 0;
        // The chunks come in order behind the header, two bytes a piece of alignment.
        let mut at = 8;
        for tile in 0..15u32 {
            let (tx, ty) = (tile % 5 * 32, tile / 5 * 32);
            let length = {
                let first = at;
                let mut unpacker = flate2::Decompress::new(true);
                let mut room = vec![0; 32 * 32 * 3 + 10];
                unpacker.decompress(&file[first..], &mut room, flate2::FlushDecompress::Finish).unwrap();
                unpacker.total_in() as usize
            };
            let touched = tx < x.end && x.start < tx + 32 && ty < y.end && y.start < ty + 32;
            if touched {
                kept += 1;
            } else {
                spoiled[at] = 0xff;
            }
            at = (at + length).next_multiple_of(2);
        }
        assert!(kept < 15);
        assert!(region_is_that_of(spoiled, (x, y), &whole));
    }
}

#[test]
fn large_tiles_that_are_not_packed_are_read_some_rows_at_a_time() {
    let (width, height) = (600usize, 530usize);
    // Tiles of 64 KiB and far more, whose rows come in several bands; those at the bottom and at the right reach beyond the picture.
    for (bits, channels, photometric, planar) in
        [(8u16, 3usize, 2u16, false), (16, 3, 2, false), (16, 3, 2, true), (12, 1, 1, false), (1, 1, 1, false)]
    {
        let samples = codes(width * height * channels, bits, 11);
        let mut page = Page::new((width, height), bits, channels, photometric, samples);
        page.planar = planar;
        for kind in [KINDS[0], KINDS[1]] {
            page.chunk = (0, height);
            let strips = plain(&tiff::file(kind, &[page.clone()]));
            page.chunk = (512, 512);
            let file = tiff::file(kind, &[page.clone()]);
            assert!(plain(&file).content() == strips.content(), "{bits} {channels} {planar} {kind:?}");
            for (x, y) in [(0..600u32, 3..4u32), (500..530, 200..530), (511..513, 511..513)] {
                assert!(region_is_that_of(file.clone(), (x, y), &strips));
            }
        }
    }
}

#[test]
fn of_a_large_tile_that_ends_early_the_rows_that_are_there_are_salvaged() {
    let (width, height) = (512usize, 512usize);
    let samples = codes(width * height, 8, 12);
    let mut page = Page::new((width, height), 8, 1, 1, samples.clone());
    page.chunk = (512, 512);
    let stored: Vec<u8> = samples.iter().map(|&v| v as u8).collect();
    for rows in [1usize, 127, 128, 129, 300, 511] {
        page.chunks = Some(vec![stored[..rows * width + 5].to_vec()]);
        let file = tiff::file(KINDS[0], &[page.clone()]);
        let error = read(&file, ReadOptions::default()).unwrap_err().to_string();
        let line = format!("tile 0 has {} bytes; 262144 are needed", rows * width + 5);
        assert!(error.contains(&line), "{error}");
        let reader = Reader::from_seekable(Cursor::new(file), ReadOptions::default().salvage_filled()).unwrap();
        let (salvaged, damage) = reader.read_damaged().unwrap();
        assert!(samples_of(&salvaged)[..rows * width] == samples[..rows * width], "{rows}");
        let lost: u32 = damage.unwrap().lost.iter().map(|rows| rows.end - rows.start).sum();
        assert_eq!(lost, (height - rows) as u32);
    }
}

#[test]
fn strips_and_tiles_of_jpeg_are_read_with_tables_beside_them() {
    use crate::common::jpeg::{Jpeg, planes, sequential};
    let make = |size: (usize, usize), factors: &[(usize, usize)], bits: u32, ids: &[u8]| Jpeg {
        width: size.0,
        height: size.1,
        bits,
        frame: if bits == 8 { 0xc0 } else { 0xc1 },
        planes: planes(size.0, size.1, factors, bits),
        ids: ids.to_vec(),
        step: 3,
        wide_quantiser: false,
        interval: 0,
        scans: sequential(factors.len()).remove(0),
        skewed: false,
        segments: Vec::new(),
        late_height: false,
    };
    // Tables apart: segments of quantisers and Huffman codes stand in the directory, the rest in the strip.
    let parted = |bytes: &[u8]| {
        let (mut tables, mut rest) = (vec![0xff, 0xd8], vec![0xff, 0xd8]);
        let mut at = 2;
        loop {
            // Any number of such bytes may stand before a marker.
            while bytes[at + 1] == 0xff {
                at += 1;
            }
            let marker = bytes[at + 1];
            let length = 2 + usize::from(u16::from_be_bytes([bytes[at + 2], bytes[at + 3]]));
            if marker == 0xda {
                rest.extend(&bytes[at..]);
                tables.extend([0xff, 0xd9]);
                return (tables, rest);
            }
            let to = if matches!(marker, 0xdb | 0xc4) { &mut tables } else { &mut rest };
            to.extend(&bytes[at..at + length]);
            at += length;
        }
    };
    let full = [(1, 1); 4];
    for (n, photometric, bits, factors, stored, plain) in [
        (1usize, 1u16, 8u32, &full[..1], &[1u8][..], &[1u8][..]),
        (3, 6, 8, &[(2, 2), (1, 1), (1, 1)][..], &[1, 2, 3], &[1, 2, 3]),
        (3, 6, 8, &[(2, 1), (1, 1), (1, 1)][..], b"RGB", &[1, 2, 3]),
        (3, 2, 8, &full[..3], &[1, 2, 3], b"RGB"),
        (4, 5, 8, &full, &[1, 2, 3, 4], &[1, 2, 3, 4]),
        (1, 1, 12, &full[..1], &[1], &[1]),
        (3, 2, 12, &full[..3], &[1, 2, 3], b"RGB"),
    ] {
        for tile in [(0, 48), (48, 48)] {
            // What the stream alone gives, its components named so that they are what TIFF says they are.
            let whole =
                samples_of(&decode(&make((48, 48), factors, bits, plain).file(), ReadOptions::default()).unwrap());
            let stream = make((48, 48), factors, bits, stored).file();
            let (tables, rest) = parted(&stream);
            let mut page = Page::new((48, 96), bits as u16, n, photometric, vec![0; 48 * 96 * n]);
            (page.packing, page.chunk) = (tiff::JPEG, tile);
            page.tags = vec![(530, 3, vec![factors[0].0 as u64, factors[0].1 as u64])];
            page.chunks = Some(vec![stream.clone(), stream.clone()]);
            for kind in [KINDS[0], KINDS[3]] {
                let found = plain_picture(kind, &page);
                assert_eq!(found.0, (bits == 12).then(|| vec![4095; n]));
                assert!(found.1 == [whole.clone(), whole.clone()].concat(), "{n} {photometric} {bits}");
                let mut apart = page.clone();
                apart.chunks = Some(vec![rest.clone(), rest.clone()]);
                apart.tags.push((347, 7, tables.iter().map(|&b| b.into()).collect()));
                assert!(plain_picture(kind, &apart) == found, "{n} {photometric} {bits}, tables apart");
            }
        }
    }
    // Each sample by itself.
    let one = make((48, 48), &full[..1], 8, &[1]);
    let whole = samples_of(&decode(&one.file(), ReadOptions::default()).unwrap());
    let mut page = Page::new((48, 48), 8, 3, 2, vec![0; 48 * 48 * 3]);
    (page.packing, page.planar, page.chunks) = (tiff::JPEG, true, Some(vec![one.file(); 3]));
    let found = plain_picture(KINDS[0], &page).1;
    assert!(found.chunks(3).zip(&whole).all(|(p, v)| p.iter().all(|c| c == v)));
    // A stream that is something else, or none.
    for wrong in [b"\xff\xd8nothing".to_vec(), make((32, 48), &full[..1], 8, &[1]).file(), one.file()] {
        page.planar = false;
        page.chunks = Some(vec![wrong]);
        let error = read(&tiff::file(KINDS[0], &[page.clone()]), ReadOptions::default()).unwrap_err().to_string();
        assert!(error.contains("strip 0"), "{error}");
    }
}

fn plain_picture(kind: tiff::Kind, page: &Page) -> (Option<Vec<u32>>, Vec<u64>) {
    let picture = plain(&tiff::file(kind, std::slice::from_ref(page)));
    (picture.metadata().max_codes.clone(), samples_of(&picture))
}
