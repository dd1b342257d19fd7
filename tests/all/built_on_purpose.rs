//! Files built to take much for little: each is an error that names the limit, or takes no more than an honest one.
#![cfg(all(feature = "png", feature = "jpeg", feature = "qoi"))]

use crate::common::jpeg::{Jpeg, planes, progressive, segment, sequential};
use crate::common::{chunk, png_of_samples, zlib};
use rahmen::file::{Limits, ReadOptions, Reader, decode, facts_from};
use rahmen::{Error, ErrorKind, Frame, Rgb, Size};
use std::io::Cursor;

/// A small PNG with further chunks behind its header.
fn png_with(chunks: &[u8]) -> Vec<u8> {
    let plain = png_of_samples((2, 2), (0, 8), &[1, 2, 3, 4], false, &|_| 0, &[]);
    // Signature and IHDR are 33 bytes.
    [&plain[..33], chunks, &plain[33..]].concat()
}

fn is_over_metadata(error: &Error, limit: u64) -> bool {
    matches!(error.kind(), ErrorKind::Limit { what, limit: l, unit: "bytes", .. } if what.contains("metadata") && *l == limit)
}

#[test]
fn texts_that_unpack_to_much_count_together() {
    let limits = Limits::default().metadata(4 << 20);
    let options = ReadOptions::default().limits(limits);
    let text = |bytes: usize| chunk(b"zTXt", &[&b"Comment\0\0"[..], &zlib(&vec![b'a'; bytes])].concat());
    // Each is within the limit, all together are not; behind the pixels as well.
    let one = png_with(&text(3 << 20));
    assert_eq!(decode(&one, options.clone()).unwrap().metadata().text[0].text.len(), 3 << 20);
    let many = png_with(&text(3 << 20).repeat(16));
    assert!(is_over_metadata(&decode(&many, options.clone()).unwrap_err(), 4 << 20));
    let end = one.len() - 12;
    let behind = [&one[..end], &text(3 << 20), &one[end..]].concat();
    assert!(is_over_metadata(&decode(&behind, options).unwrap_err(), 4 << 20));
}

#[test]
fn small_items_cost_more_than_their_bytes() {
    let options = ReadOptions::default().limits(Limits::default().metadata(1 << 20));
    let texts = |count: usize| png_with(&chunk(b"tEXt", b"k\0v").repeat(count));
    assert_eq!(decode(&texts(1000), options.clone()).unwrap().metadata().text.len(), 1000);
    assert!(is_over_metadata(&decode(&texts(20_000), options.clone()).unwrap_err(), 1 << 20));
    let comments = |count: usize| Jpeg { segments: segment(0xfe, b"x").repeat(count), ..small(0xc0) }.file();
    assert!(decode(&comments(1000), options.clone()).is_ok());
    assert!(is_over_metadata(&decode(&comments(20_000), options).unwrap_err(), 1 << 20));
}

fn small(frame: u8) -> Jpeg {
    Jpeg {
        width: 64,
        height: 48,
        bits: 8,
        frame,
        planes: planes(64, 48, &[(2, 2), (1, 1), (1, 1)], 8),
        ids: vec![1, 2, 3],
        step: 5,
        wide_quantiser: false,
        interval: 0,
        scans: if frame == 0xc2 { progressive(3)[2].clone() } else { sequential(3)[0].clone() },
        skewed: true,
        segments: Vec::new(),
        late_height: false,
    }
}

/// A gray progressive file of 8,000 x 8,000 pixels: a scan of means, and scans that say 31 times of 32,767 blocks that a band is empty.
fn many_scans(count: usize) -> Vec<u8> {
    let frame = segment(0xc2, &[8, 0x1f, 0x40, 0x1f, 0x40, 1, 1, 0x11, 0]);
    // One code of one bit, 0: no difference of means; a run of 2^14 blocks and 14 further bits.
    let table = |class: u8, symbol: u8| segment(0xc4, &[&[class, 1][..], &[0; 15], &[symbol]].concat());
    let means = [segment(0xda, &[1, 1, 0, 0, 0, 0]), vec![0; 125_000]].concat();
    let bits: Vec<u8> = (0..31 * 15).map(|i| u8::from(i % 15 != 0)).collect();
    let bytes = bits.chunks(8).map(|bits| (0..8).fold(0, |byte, i| byte << 1 | bits.get(i).copied().unwrap_or(1)));
    let runs: Vec<u8> = bytes.flat_map(|byte| if byte == 0xff { vec![0xff, 0] } else { vec![byte] }).collect();
    let scan = [segment(0xda, &[1, 1, 0, 1, 5, 0]), runs].concat();
    let quantiser = segment(0xdb, &[&[0][..], &[1; 64]].concat());
    [
        &[0xff, 0xd8][..],
        &quantiser,
        &frame,
        &table(0, 0),
        &table(0x10, 0xe0),
        &means,
        &scan.repeat(count),
        &[0xff, 0xd9],
    ]
    .concat()
}

#[test]
fn scans_may_go_over_a_picture_only_so_often() {
    // Ten are what encoders write, and say nothing here: level gray.
    let honest = Reader::from_seekable(
        Cursor::new(many_scans(10)),
        ReadOptions::default().reduced(rahmen::file::Reduced::Eighth),
    );
    let gray = honest.unwrap().read_whole().unwrap();
    assert_eq!((gray.size(), gray.view::<rahmen::Gray<u8>>().unwrap()[(999, 999)].value), (Size::new(1000, 1000), 128));
    let error = decode(&many_scans(1000), ReadOptions::default()).unwrap_err();
    assert!(matches!(error.kind(), ErrorKind::Limit { unit: "blocks", limit: 44_194_304, .. }), "{error:?}");
    assert!(error.to_string().contains("picture in 45 scans"), "{error}");
}

#[test]
fn a_height_that_comes_late_is_looked_for_once() {
    let file = Jpeg { late_height: true, ..small(0xc0) }.file();
    let whole = decode(&file, ReadOptions::default()).unwrap();
    // However small the pieces are, and with much that comes before the mark.
    let scan = file.windows(2).position(|w| w == [0xff, 0xda]).unwrap() + 14;
    struct Pieces(Vec<u8>, usize);
    impl std::io::Read for Pieces {
        fn read(&mut self, to: &mut [u8]) -> std::io::Result<usize> {
            let count = to.len().min(7).min(self.0.len() - self.1);
            to[..count].copy_from_slice(&self.0[self.1..self.1 + count]);
            self.1 += count;
            Ok(count)
        }
    }
    let pieces = Reader::from_read(Pieces(file.clone(), 0), ReadOptions::default()).unwrap().read_whole().unwrap();
    assert!(pieces.content() == whole.content());
    let long = [&file[..scan], &[0x11; 100_000], &file[scan..]].concat();
    let told = facts_from(Cursor::new(long), ReadOptions::default()).unwrap();
    assert_eq!(told.size, whole.size());
}

#[test]
fn facts_of_a_stream_are_those_of_the_file() {
    let folder = tempfile::tempdir().unwrap();
    let segments = [
        segment(0xe2, &[&b"ICC_PROFILE\0\x01\x02"[..], &[7; 60_000]].concat()),
        segment(0xe2, &[&b"ICC_PROFILE\0\x02\x02"[..], &[8; 60_000]].concat()),
        segment(0xfe, b"behind the profile"),
    ];
    let long = Jpeg { segments: segments.concat(), ..small(0xc0) }.file();
    for (name, file) in [("plain.jpg", small(0xc0).file()), ("several.jpg", small(0xc2).file()), ("long.jpg", long)] {
        let path = folder.path().join(name);
        std::fs::write(&path, &file).unwrap();
        let of_file = rahmen::file::facts(&path).unwrap();
        let of_stream = facts_from(file.as_slice(), ReadOptions::default()).unwrap();
        assert_eq!(
            (&of_file.stored, of_file.size, &of_file.metadata),
            (&of_stream.stored, of_stream.size, &of_stream.metadata),
            "{name}"
        );
    }
}

#[test]
fn what_a_header_claims_is_not_salvaged() {
    // 27 bytes that declare 20,000 x 19,457 pixels, and some that declare the most there can be.
    for (width, height) in [(20_000u32, 19_457u32), (u32::MAX >> 1, u32::MAX >> 1)] {
        let file = [&b"qoif"[..], &width.to_be_bytes(), &height.to_be_bytes(), &[3, 0], &[0xfe; 13]].concat();
        for options in [ReadOptions::default().salvage(), ReadOptions::default().salvage_filled()] {
            let limits = Limits::default().memory(u64::MAX >> 1);
            let started = Reader::from_seekable(
                Cursor::new(file.clone()),
                if width == 20_000 { options } else { options.limits(limits).limits(Limits::default()) },
            );
            assert!(started.is_err(), "{width} x {height}");
        }
    }
    let frame = Frame::from_fn(Size::new(50, 40), |x, y| Rgb::new(x as u8, y as u8, (x * y) as u8)).unwrap();
    let mut file = rahmen::file::encode(&frame, rahmen::FileFormat::Qoi, Default::default()).unwrap();
    file.truncate(file.len() / 2);
    file[8..12].copy_from_slice(&2_000_000_000u32.to_be_bytes());
    let reader = Reader::from_seekable(Cursor::new(file), ReadOptions::default().salvage()).unwrap();
    assert!((10..40).contains(&reader.facts().size.height), "{}", reader.facts().size);
    let (picture, damage) = reader.read_damaged().unwrap();
    assert_eq!((picture.size().width, damage.unwrap().rows), (50, 2_000_000_000));
}

/// A bitmap of runs of this size and no pixel: the end mark alone, behind 256 colours.
fn empty_runs(width: u32, height: u32) -> Vec<u8> {
    let mut out = b"BM".to_vec();
    [1080, 0, 1078, 40, width, height].iter().for_each(|n: &u32| out.extend(n.to_le_bytes()));
    out.extend([1, 0, 8, 0]);
    [1u32, 2, 0, 0, 256, 0].iter().for_each(|n| out.extend(n.to_le_bytes()));
    [out, vec![7; 1024], vec![0, 1]].concat()
}

#[test]
fn few_bytes_do_not_stand_for_any_number_of_pixels() {
    let file = empty_runs(32_000, 32_000);
    assert_eq!(file.len(), 1080);
    let is_over = |error: &Error| matches!(error.kind(), ErrorKind::Limit { unit: "pixels", limit: 77_908_864, .. });
    // 2^26 and 10,000 for each byte.
    let error = decode(&file, ReadOptions::default()).unwrap_err();
    assert!(
        is_over(&error) && error.to_string().ends_with("raise `Limits::work` if the file is to be trusted"),
        "{error}"
    );
    // The same in strips, from what cannot be measured before, and to be filled where it cannot be read.
    let mut strips = Reader::from_seekable(Cursor::new(&file), ReadOptions::default()).unwrap();
    assert!(is_over(&rahmen::flow::Source::next(&mut strips, 1).unwrap_err()));
    let stream =
        rahmen::file::read_from(Cursor::new(&file), ReadOptions::default().limits(Limits::default().memory(4 << 30)));
    assert!(stream.is_err_and(|e| is_over(&e)));
    let fill = Reader::from_seekable(Cursor::new(&file), ReadOptions::default().salvage_filled());
    assert!(fill.is_err_and(|e| is_over(&e)));
    // Who trusts it has it.
    let trusted = ReadOptions::default().limits(Limits::default().work(1_000_000));
    assert_eq!(
        rahmen::flow::Source::next(&mut Reader::from_seekable(Cursor::new(&file), trusted).unwrap(), 1)
            .unwrap()
            .unwrap()
            .rows(),
        0..1
    );
}

#[test]
fn pixels_that_a_file_passes_over_are_said() {
    let file = empty_runs(300, 20);
    let mut reader = Reader::from_seekable(Cursor::new(&file), ReadOptions::default()).unwrap();
    assert!(reader.facts().remarks.is_empty());
    while rahmen::flow::Source::next(&mut reader, 7).unwrap().is_some() {}
    let late = rahmen::flow::Source::take_late_remarks(&mut reader);
    assert_eq!(late.len(), 1);
    assert!(late[0].starts_with("6000 of 6000 pixels are not in the file"), "{late:?}");
    assert!(rahmen::flow::Source::take_late_remarks(&mut reader).is_empty());
}

/// The most pixels a byte that honest files have: one colour, in two levels, as densely as each format can.
#[test]
fn honest_files_are_far_from_the_limit_of_work() {
    let size = Size::new(10_000, 10_000);
    let white = rahmen::Frame::filled(size, rahmen::Gray::new(255u8)).unwrap();
    let mut picture = rahmen::Picture::from(white);
    picture.metadata_mut().max_codes = Some(vec![1]);
    for (format, options) in [
        (rahmen::FileFormat::Png, rahmen::file::WriteOptions::default().compression(9)),
        (rahmen::FileFormat::Jpeg, rahmen::file::WriteOptions::default().quality(1).progressive()),
        (rahmen::FileFormat::Qoi, rahmen::file::WriteOptions::default()),
    ] {
        let picture = match format {
            rahmen::FileFormat::Qoi => picture.color().unwrap(),
            _ => picture.clone(),
        };
        let file = rahmen::file::encode(&picture, format, options).unwrap();
        let dense = size.pixels() / file.len() as u64;
        assert!(dense < 8400, "{format}: {dense} pixels a byte");
        let limits = Limits::default().memory(4 << 30);
        let mut reader = Reader::from_seekable(Cursor::new(file), ReadOptions::default().limits(limits)).unwrap();
        assert_eq!(rahmen::flow::Source::next(&mut reader, 1).unwrap().unwrap().rows(), 0..1, "{format}");
    }
}

#[test]
fn a_picture_and_what_is_held_to_make_it_count_together() {
    // Coefficients of two bytes a sample, 7.7 MB, beside the picture of one, 3.8 MB.
    let frame = Frame::filled(Size::new(1600, 800), Rgb::new(9u8, 99, 199)).unwrap();
    let options = rahmen::file::WriteOptions::default().progressive().sampling(rahmen::file::ChromaSampling::Ratio444);
    let file = rahmen::file::encode(&frame, rahmen::FileFormat::Jpeg, options).unwrap();
    let within = |bytes: u64| decode(&file, ReadOptions::default().limits(Limits::default().memory(bytes)));
    assert!(within(13_000_000).is_ok());
    // Each would fit by itself.
    let error = within(9_000_000).unwrap_err();
    assert!(matches!(error.kind(), ErrorKind::Limit { limit: 9_000_000, .. }), "{error:?}");
    assert!(error.to_string().contains("to hold 3840000 bytes more"), "{error}");
    // Under a budget of the caller's that one counts, with what the caller holds.
    let budget = rahmen::MemoryBudget::new(13_000_000);
    let under = || ReadOptions::default().budget(&budget);
    let first = decode(&file, under()).unwrap();
    let error = decode(&file, under()).unwrap_err();
    assert!(matches!(error.kind(), ErrorKind::Budget { limit: 13_000_000, asked: 3_840_000, .. }), "{error:?}");
    drop(first);
    assert!(decode(&file, under()).is_ok());
    assert_eq!(budget.held(), 0);
}

#[test]
fn a_grid_over_a_picture_without_columns_has_no_tile_however_high_it_is() {
    use rahmen::access::{Rest, TileGrid};
    let grid = TileGrid::new(rahmen::Size::new(0, 3_333_333_337), rahmen::Size::new(4, 2), (1, 3), Rest::Pad).unwrap();
    assert_eq!((grid.count(), grid.tiles().count()), (0, 0));
}

#[test]
fn a_progressive_picture_at_a_part_of_its_size_holds_no_more_than_that_needs() {
    use rahmen::file::{Reduced, WriteOptions, encode};
    let size = rahmen::Size::new(2000, 1500);
    let frame = Frame::<Rgb<u8>>::random(size, Rgb::new(0, 0, 0), Rgb::new(255, 255, 255), 3).unwrap();
    let of = |options: WriteOptions| encode(&frame, rahmen::FileFormat::Jpeg, options).unwrap();
    let (scans, one) = (of(WriteOptions::default().progressive()), of(WriteOptions::default()));
    // A block of 128 bytes for each component and 64 pixels: 18 MB.
    assert!(decode(&scans, ReadOptions::default().limits(Limits::default().memory(18_000_000))).is_err());
    for (reduced, bytes) in [(Reduced::Half, 40), (Reduced::Quarter, 16), (Reduced::Eighth, 10)] {
        let blocks = u64::from(2000u32.div_ceil(8)) * u64::from(1500u32.div_ceil(8)) * 3;
        let part = |file: &[u8], memory: u64| {
            decode(file, ReadOptions::default().reduced(reduced).limits(Limits::default().memory(memory)))
        };
        let picture = part(&one, 20_000_000).unwrap();
        let own = picture.pixel_format().bytes(picture.size());
        let found = part(&scans, blocks * bytes + own + 500_000).unwrap();
        // The same coefficients in one scan, of which none is held.
        assert!(found.content() == picture.content(), "{reduced:?}");
        assert!(part(&scans, blocks * bytes).is_err());
    }
}
