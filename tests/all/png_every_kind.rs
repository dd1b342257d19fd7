//! Every colour type, depth, interlacing, palette and transparent colour of PNG, from files put together byte by byte.
#![cfg(all(feature = "png", feature = "pnm"))]

use crate::common::{Dribble, chunk, noise, png_of_samples};
use rahmen::file::{ReadOptions, read_from};
use rahmen::frame::{Orientation, Resolution, SamplesRef, Time};
use rahmen::{Depth, ErrorKind, Layout, Picture, PixelFormat, Primaries, Transfer};

fn read_bytes(bytes: Vec<u8>, each: usize) -> rahmen::Result<Picture> {
    read_from(Dribble { bytes, at: 0, each }, ReadOptions::default())
}

fn samples_of(picture: &Picture) -> Vec<u32> {
    match picture.pixels().unwrap().samples() {
        SamplesRef::U8(s) => s.iter().map(|&v| v.into()).collect(),
        SamplesRef::U16(s) => s.iter().map(|&v| v.into()).collect(),
        SamplesRef::F32(_) => panic!("no float in a PNG"),
    }
}

/// Codes of so many bits, noise and edges.
fn codes(count: usize, bits: u8, seed: u32) -> Vec<u16> {
    let bytes = noise(count * 2, seed);
    bytes.chunks(2).map(|b| u16::from_be_bytes([b[0], b[1]]) >> (16 - bits)).collect()
}

/// A code as a sample of 8 or 16 bits: full to full, rounded, as the rule of the library has it.
fn scaled(code: u16, bits: u8) -> u32 {
    if bits >= 8 {
        return code.into();
    }
    let top = (1u32 << bits) - 1;
    (2 * u32::from(code) * 255 + top) / (2 * top)
}

const SIZES: [(usize, usize); 8] = [(1, 1), (1, 9), (9, 1), (2, 3), (5, 5), (8, 8), (17, 11), (33, 20)];

#[test]
fn every_type_depth_interlace_and_filter_reads_to_the_stored_values() {
    let kinds = [(0u8, 1u8), (0, 2), (0, 4), (0, 8), (0, 16), (2, 8), (2, 16), (4, 8), (4, 16), (6, 8), (6, 16)];
    for (color, bits) in kinds {
        let layout =
            [Layout::Gray, Layout::Gray, Layout::Rgb, Layout::Rgb, Layout::GrayAlpha, Layout::Rgb, Layout::Rgba];
        let (layout, depth) = (layout[color as usize], if bits == 16 { Depth::U16 } else { Depth::U8 });
        for (width, height) in SIZES {
            let samples = codes(width * height * layout.channels(), bits, width as u32);
            let want: Vec<u32> = samples.iter().map(|&c| scaled(c, bits)).collect();
            for interlaced in [false, true] {
                for filter in 0..=5u8 {
                    let by_row = |y: usize| if filter == 5 { (y % 5) as u8 } else { filter };
                    let file = png_of_samples((width, height), (color, bits), &samples, interlaced, &by_row, &[]);
                    let each = [1, 7, 65_536][usize::from(filter % 3)];
                    let picture = read_bytes(file, each).unwrap();
                    let what = format!("{color} {bits} {width}x{height} {interlaced} {filter}");
                    assert_eq!(picture.pixel_format(), PixelFormat::Pixels { depth, layout }, "{what}");
                    assert_eq!(samples_of(&picture), want, "{what}");
                    let tops = (bits < 8).then(|| vec![(1u32 << bits) - 1]);
                    assert_eq!(picture.metadata().max_codes, tops, "{what}");
                }
            }
        }
    }
}

#[test]
fn palettes_are_expanded_short_ones_and_those_with_alpha_too() {
    let colors: Vec<u8> = noise(256 * 3, 3);
    for bits in [1u8, 2, 4, 8] {
        for count in [1usize, 2, 3, 1 << bits] {
            let count = count.min(1 << bits);
            for alphas in [0usize, 1, count] {
                for interlaced in [false, true] {
                    let (width, height) = (13, 7);
                    let indices: Vec<u16> =
                        codes(width * height, bits, 9).into_iter().map(|c| c % count as u16).collect();
                    let alpha = noise(alphas, 5);
                    let mut chunks = vec![chunk(b"PLTE", &colors[..count * 3])];
                    if alphas > 0 {
                        chunks.push(chunk(b"tRNS", &alpha));
                    }
                    let file =
                        png_of_samples((width, height), (3, bits), &indices, interlaced, &|y| y as u8 % 5, &chunks);
                    let picture = read_bytes(file, 11).unwrap();
                    let want: Vec<u32> = indices
                        .iter()
                        .flat_map(|&i| {
                            let mut pixel = colors[usize::from(i) * 3..][..3].to_vec();
                            if alphas > 0 {
                                pixel.push(alpha.get(usize::from(i)).copied().unwrap_or(255));
                            }
                            pixel.into_iter().map(u32::from)
                        })
                        .collect();
                    assert_eq!(samples_of(&picture), want, "{bits} bits, {count} colours, {alphas} alphas");
                }
            }
        }
    }
}

#[test]
fn one_transparent_colour_becomes_alpha_compared_before_scaling() {
    for (bits, interlaced) in [(1u8, false), (2, true), (4, false), (8, true), (16, false), (16, true)] {
        let samples = codes(9 * 6, bits, 4);
        let key = samples[5];
        let trns = chunk(b"tRNS", &key.to_be_bytes());
        let file = png_of_samples((9, 6), (0, bits), &samples, interlaced, &|_| 4, &[trns]);
        let picture = read_bytes(file, 65_536).unwrap();
        let full = if bits == 16 { 65_535 } else { 255 };
        let want: Vec<u32> = samples.iter().flat_map(|&c| [scaled(c, bits), if c == key { 0 } else { full }]).collect();
        assert_eq!(samples_of(&picture), want, "{bits}");
    }
    for bits in [8u8, 16] {
        let mut samples = codes(5 * 4 * 3, bits, 4);
        samples.copy_within(0..3, 30);
        let key: Vec<u8> = samples[..3].iter().flat_map(|c| c.to_be_bytes()).collect();
        let file = png_of_samples((5, 4), (2, bits), &samples, false, &|_| 1, &[chunk(b"tRNS", &key)]);
        let full = if bits == 16 { 65_535 } else { 255 };
        let pixels = samples.chunks(3);
        let want: Vec<u32> = pixels
            .flat_map(|p| [p[0].into(), p[1].into(), p[2].into(), if p == &samples[..3] { 0 } else { full }])
            .collect();
        assert_eq!(samples_of(&read_bytes(file, 65_536).unwrap()), want, "{bits}");
    }
}

#[test]
fn what_the_standard_forbids_is_named() {
    let plte = |entries: usize| chunk(b"PLTE", &vec![7; entries]);
    let make = |color: u8, bits: u8, chunks: &[Vec<u8>]| {
        let channels = [1, 0, 3, 1, 2, 0, 4][color as usize];
        png_of_samples((2, 2), (color, bits), &vec![1; 4 * channels], false, &|_| 0, chunks)
    };
    for (file, says) in [
        (make(3, 8, &[]), "without a palette"),
        (make(3, 8, &[plte(3)]), "index 1; the palette has 1 colours"),
        (make(3, 1, &[plte(9)]), "1 to 2 colours"),
        (make(3, 8, &[plte(4)]), "PLTE has 4 bytes"),
        (make(3, 8, &[plte(6), plte(6)]), "a second PLTE"),
        (make(0, 8, &[plte(6)]), "PLTE in a gray picture"),
        (make(3, 8, &[chunk(b"tRNS", &[1]), plte(6)]), "tRNS before PLTE"),
        (make(3, 8, &[plte(6), chunk(b"tRNS", &[1, 2, 3])]), "tRNS has 3 entries for a palette of 2"),
        (make(0, 8, &[chunk(b"tRNS", &[1])]), "tRNS has 1 bytes, not 2"),
        (make(6, 8, &[chunk(b"tRNS", &[0, 1])]), "tRNS in a picture with alpha"),
        (make(2, 8, &[chunk(b"sBIT", &[5, 9, 5])]), "sBIT must hold 3 numbers from 1 to 8"),
        (make(2, 8, &[chunk(b"bKGD", &[5])]), "bKGD has 1 bytes"),
        (make(2, 8, &[chunk(b"cHRM", &[5; 31])]), "cHRM must have 32 bytes"),
        (make(2, 8, &[chunk(b"cICP", &[1, 13, 5, 1])]), "matrix 5"),
        (make(2, 8, &[chunk(b"iTXt", b"Key\0\x01\x01\0\0")]), "iTXt must hold"),
        (make(2, 8, &[chunk(b"zTXt", b"Key\0\x01xyz")]), "zTXt must hold"),
    ] {
        let error = read_bytes(file, 65_536).unwrap_err();
        assert!(matches!(error.kind(), ErrorKind::Malformed(_)), "{error}");
        assert!(error.to_string().contains(says), "{says}: {error}");
    }
}

#[test]
fn an_interlaced_picture_is_held_whole_and_meets_the_limit() {
    let samples = codes(40 * 40, 8, 1);
    let file = png_of_samples((40, 40), (0, 8), &samples, true, &|_| 0, &[]);
    let limits = |bytes| ReadOptions::default().limits(rahmen::file::Limits::default().memory(bytes));
    assert!(read_from(std::io::Cursor::new(file.clone()), limits(4000)).is_ok());
    // Beside what is held whole there is the picture itself.
    let both = read_from(std::io::Cursor::new(file.clone()), limits(2500)).unwrap_err();
    assert!(both.to_string().contains("beside"), "{both}");
    let error = read_from(std::io::Cursor::new(file), limits(1600)).unwrap_err();
    assert!(error.to_string().contains("held whole"), "{error}");
}

#[test]
fn all_metadata_comes_and_goes_back() {
    let exif = b"II\x2a\0\x08\0\0\0\x01\0\x12\x01\x03\0\x01\0\0\0\x06\0\0\0\0\0\0\0".to_vec();
    let mut packed = b"Comment\0\0".to_vec();
    packed.extend(crate::common::zlib(b"low tide at 6:40 \xb1 5"));
    let primaries: Vec<u8> = [31_270u32, 32_900, 68_000, 32_000, 26_500, 69_000, 15_000, 6000]
        .into_iter()
        .flat_map(u32::to_be_bytes)
        .collect();
    let chunks = [
        chunk(b"gAMA", &45_455u32.to_be_bytes()),
        chunk(b"cHRM", &primaries),
        chunk(b"sBIT", &[5, 6, 5]),
        chunk(b"bKGD", &[0, 255, 0, 51, 0, 0]),
        chunk(b"pHYs", &[0, 0, 0x0f, 0xa0, 0, 0, 0x1f, 0x40, 1]),
        chunk(b"eXIf", &exif),
        chunk(b"tIME", &[0x07, 0xea, 11, 25, 6, 40, 59]),
        chunk(b"tEXt", b"Title\0Quay \xe4"),
        chunk(b"zTXt", &packed),
        chunk(b"iTXt", "Place\0\0\0de\0Ort\0Grauwick \u{2693}".as_bytes()),
        chunk(b"iTXt", b"XML:com.adobe.xmp\0\0\0\0\0<x:xmpmeta/>"),
    ];
    let file = png_of_samples((3, 2), (2, 8), &codes(18, 8, 7), false, &|_| 0, &chunks);
    let picture = read_bytes(file, 65_536).unwrap();
    let m = picture.metadata();
    assert_eq!((m.transfer, m.primaries), (Transfer::Srgb, Primaries::DisplayP3));
    assert_eq!(m.significant_bits, Some(vec![5, 6, 5]));
    assert_eq!(m.background, Some([1.0, 0.2, 0.0]));
    assert_eq!(m.orientation, Orientation::from_exif(6).unwrap());
    assert_eq!(m.exif.as_deref(), Some(&exif[..]));
    assert_eq!(m.changed, Some(Time { year: 2026, month: 11, day: 25, hour: 6, minute: 40, second: 59 }));
    assert_eq!(m.xmp.as_deref(), Some("<x:xmpmeta/>"));
    let texts: Vec<_> = m.text.iter().map(|t| (t.keyword.as_str(), t.text.as_ref())).collect();
    assert_eq!(
        texts,
        [("Title", "Quay \u{e4}"), ("Comment", "low tide at 6:40 \u{b1} 5"), ("Place", "Grauwick \u{2693}")]
    );
    assert_eq!(m.resolution.map(|Resolution { x, y, .. }| (x, y)), Some((4000.0, 8000.0)));

    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("again.png");
    let remarks = rahmen::file::write_with(&path, &picture, Default::default()).unwrap();
    assert!(remarks.is_empty(), "{remarks:?}");
    assert_eq!(rahmen::read(&path).unwrap(), picture);

    // Turned upright, the block says so too; nothing is applied twice.
    let upright = picture.upright().unwrap();
    rahmen::write(&path, &upright).unwrap();
    let again = rahmen::read(&path).unwrap();
    assert!(again.metadata().orientation.is_upright());
    assert_eq!(again.size(), rahmen::Size::new(2, 3));
    assert_eq!(again.content(), upright.content());
}

#[test]
fn code_points_take_precedence_and_low_depths_are_written_as_such() {
    let chunks = [chunk(b"cICP", &[9, 8, 0, 1]), chunk(b"sRGB", &[0]), chunk(b"gAMA", &45_455u32.to_be_bytes())];
    let file = png_of_samples((1, 1), (2, 16), &[1, 2, 3], false, &|_| 0, &chunks);
    let picture = read_bytes(file, 65_536).unwrap();
    // They say no more than that.
    assert_eq!((picture.metadata().primaries, picture.metadata().transfer), (Primaries::Bt2020, Transfer::Linear));
    assert_eq!(picture.metadata().code_points, None);
    let narrow = [chunk(b"cICP", &[7, 16, 0, 0]), chunk(b"gAMA", &45_455u32.to_be_bytes())];
    let narrow = read_bytes(png_of_samples((1, 1), (2, 16), &[1, 2, 3], false, &|_| 0, &narrow), 65_536).unwrap();
    assert_eq!(narrow.metadata().code_points, Some([7, 16, 0, 0]));
    assert_eq!((narrow.metadata().primaries, narrow.metadata().transfer), (Primaries::Other, Transfer::Pq));
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.png");
    rahmen::write(&path, &picture).unwrap();
    assert_eq!(rahmen::read(&path).unwrap(), picture);
    for bits in [1u8, 2, 4] {
        for width in [1usize, 7, 8, 17] {
            let samples = codes(width * 5, bits, 3);
            let picture = read_bytes(png_of_samples((width, 5), (0, bits), &samples, false, &|_| 0, &[]), 999).unwrap();
            rahmen::write(&path, &picture).unwrap();
            assert_eq!(std::fs::read(&path).unwrap()[24..26], [bits, 0]);
            assert_eq!(rahmen::read(&path).unwrap(), picture, "{bits} bits, {width} wide");
        }
    }
}
