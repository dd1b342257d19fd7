//! Windows bitmaps put together byte by byte: every depth, header, order of rows, runs and fields, read to exact values.
#![cfg(feature = "bmp")]

use crate::common::{Dribble, noise};
use rahmen::file::{Limits, ReadOptions, read_from, write_with};
use rahmen::frame::SamplesRef;
use rahmen::{Depth, ErrorKind, Frame, Gray, GrayAlpha, Help, Layout, Picture, PixelFormat, Rgb, Rgba, Size};

fn read_bytes(bytes: Vec<u8>, each: usize) -> rahmen::Result<Picture> {
    read_from(Dribble { bytes, at: 0, each }, ReadOptions::default())
}

fn samples_of(picture: &Picture) -> Vec<u32> {
    match picture.pixels().unwrap().samples() {
        SamplesRef::U8(s) => s.iter().map(|&v| v.into()).collect(),
        SamplesRef::U16(s) => s.iter().map(|&v| v.into()).collect(),
        SamplesRef::F32(_) => panic!("no float in a bitmap"),
    }
}

/// A bitmap with a version 3 header; `extra` stands between header and pixels, a negative height is top row first.
fn file((width, height): (i32, i32), bits: u16, compression: u32, extra: &[u8], pixels: &[u8]) -> Vec<u8> {
    let mut out = b"BM".to_vec();
    let at = 54 + extra.len() as u32;
    for n in [at + pixels.len() as u32, 0, at, 40, width as u32, height as u32] {
        out.extend(n.to_le_bytes());
    }
    out.extend([1, 0]);
    out.extend(bits.to_le_bytes());
    for n in [compression, pixels.len() as u32, 4000, 8000, 0, 0] {
        out.extend(n.to_le_bytes());
    }
    [out, extra.to_vec(), pixels.to_vec()].concat()
}

fn palette(colors: &[[u8; 3]]) -> Vec<u8> {
    colors.iter().flat_map(|&[r, g, b]| [b, g, r, 0]).collect()
}

/// Rows of bytes, padded to four, in the order of the file.
fn rows(rows: &[Vec<u8>], from_below: bool) -> Vec<u8> {
    let padded = |row: &Vec<u8>| {
        let mut row = row.clone();
        row.resize(row.len().next_multiple_of(4), 0xAA);
        row
    };
    let mut all: Vec<Vec<u8>> = rows.iter().map(padded).collect();
    if from_below {
        all.reverse();
    }
    all.concat()
}

#[test]
fn indices_of_every_depth_are_looked_up_from_either_end() {
    for bits in [1u16, 4, 8] {
        let colors: Vec<[u8; 3]> = noise(3 << bits, 7).chunks(3).map(|c| [c[0], c[1], c[2]]).collect();
        for width in [1usize, 2, 7, 8, 9, 33, 1024, 2051] {
            let indices: Vec<usize> = noise(width * 5, 3).iter().map(|&v| usize::from(v) % colors.len()).collect();
            let pack = |row: &[usize]| -> Vec<u8> {
                let digits: String = row.iter().map(|i| format!("{i:0>w$b}", w = usize::from(bits))).collect();
                let byte =
                    |b: &[u8]| u8::from_str_radix(&format!("{:0<8}", std::str::from_utf8(b).unwrap()), 2).unwrap();
                digits.as_bytes().chunks(8).map(byte).collect()
            };
            let packed: Vec<Vec<u8>> = indices.chunks(width).map(pack).collect();
            let want: Vec<u32> = indices.iter().flat_map(|&i| colors[i]).map(u32::from).collect();
            for from_below in [true, false] {
                let height = if from_below { 5 } else { -5 };
                let bytes = file((width as i32, height), bits, 0, &palette(&colors), &rows(&packed, from_below));
                for each in [1, 5, 9999] {
                    let picture = read_bytes(bytes.clone(), each).unwrap();
                    assert_eq!(samples_of(&picture), want, "{bits} bits, {width} wide, {from_below}");
                    assert_eq!(picture.metadata().resolution.unwrap().y, 8000.0);
                }
            }
        }
    }
    // The oldest header: 16-bit sides, three bytes a colour.
    let mut old = b"BM".to_vec();
    [40u32, 0, 32, 12].iter().for_each(|n| old.extend(n.to_le_bytes()));
    [2u16, 1, 1, 1].iter().for_each(|n| old.extend(n.to_le_bytes()));
    old.extend([1, 2, 3, 4, 5, 6, 0x40, 0, 0, 0]);
    assert_eq!(samples_of(&read_bytes(old, 3).unwrap()), [3, 2, 1, 6, 5, 4]);
}

#[test]
fn a_palette_of_grays_comes_as_gray_with_its_top_code() {
    let ramp: Vec<[u8; 3]> = (0..16).map(|v| [v * 17; 3]).collect();
    let picture = read_bytes(file((2, 1), 4, 0, &palette(&ramp), &[0xf3, 0, 0, 0]), 99).unwrap();
    assert_eq!(picture.pixel_format(), PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Gray });
    assert_eq!((samples_of(&picture), picture.metadata().max_codes.clone()), (vec![255, 51], Some(vec![15])));
}

#[test]
fn bytes_and_fields_read_to_scaled_channels() {
    let three = file((2, 2), 24, 0, &[], &rows(&[vec![1, 2, 3, 4, 5, 6], vec![7, 8, 9, 10, 11, 12]], true));
    assert_eq!(samples_of(&read_bytes(three, 4).unwrap()), [3, 2, 1, 6, 5, 4, 9, 8, 7, 12, 11, 10]);
    let scaled = |code: u32, top: u32, full: u32| (2 * code * full + top) / (2 * top);
    let masks = |m: &[u32]| m.iter().flat_map(|m| m.to_le_bytes()).collect::<Vec<u8>>();
    // 5-5-5 by default, 5-6-5 by masks, 8-8-8 by default, 10-10-10 by masks.
    let pixel = 0b101_1100_1101_0110_u32;
    let bytes = |n: u32, count: usize| rows(&[n.to_le_bytes()[..count].to_vec()], true);
    for (bits, compression, extra, pixel, want, tops) in [
        (16u16, 0u32, vec![], pixel, vec![(23, 31), (6, 31), (22, 31)], Some(vec![31, 31, 31])),
        (16, 3, masks(&[0xf800, 0x7e0, 0x1f]), pixel, vec![(11, 31), (38, 63), (22, 31)], Some(vec![31, 63, 31])),
        (32, 0, vec![], 0x99_10_20_30, vec![(16, 255), (32, 255), (48, 255)], None),
        (
            32,
            3,
            masks(&[0x3ff0_0000, 0xf_fc00, 0x3ff]),
            0x12_34_56_78,
            vec![(0x123, 1023), (0x115, 1023), (0x278, 1023)],
            Some(vec![1023; 3]),
        ),
        (
            32,
            6,
            masks(&[0xff, 0xff00, 0xff_0000, 0xff00_0000]),
            0x04_03_02_01,
            (1..=4).map(|v| (v, 255)).collect(),
            None,
        ),
    ] {
        let picture =
            read_bytes(file((1, 1), bits, compression, &extra, &bytes(pixel, bits as usize / 8)), 99).unwrap();
        let full = if picture.pixels().unwrap().depth() == Depth::U16 { 65_535 } else { 255 };
        let want: Vec<u32> = want.into_iter().map(|(code, top)| scaled(code, top, full)).collect();
        assert_eq!(samples_of(&picture), want, "{bits} {compression}");
        assert_eq!(picture.metadata().max_codes, tops, "{bits} {compression}");
    }
}

#[test]
fn runs_literals_and_jumps_fill_the_canvas_from_below() {
    let colors: Vec<[u8; 3]> = (0..16).map(|i| [i * 3, i, 100 + i]).collect();
    let eight = [
        3, 5, 0, 3, 1, 2, 3, 0, // three fives, then 1 2 3 as they are
        0, 0, // the next row
        0, 2, 2, 0, // two to the right
        2, 7, 0, 1, // two sevens, the end
    ];
    let want = [[0, 0, 7, 7, 0, 0], [5, 5, 5, 1, 2, 3]];
    let four = [4, 0x56, 0, 5, 0x12, 0x34, 0x50, 0, 0, 0, 3, 0x90, 0, 1];
    let want_four = [[9, 0, 9, 0, 0, 0, 0, 0, 0], [5, 6, 5, 6, 1, 2, 3, 4, 5]];
    let looked_up = |rows: &[&[usize]]| -> Vec<u32> {
        rows.iter().flat_map(|r| r.iter()).flat_map(|&i| colors[i]).map(u32::from).collect()
    };
    for each in [1, 2, 3, 99] {
        let mut all = colors.clone();
        all.resize(256, [0; 3]);
        let picture = read_bytes(file((6, 2), 8, 1, &palette(&all), &eight), each).unwrap();
        assert_eq!(samples_of(&picture), looked_up(&[&want[0], &want[1]]));
        let picture = read_bytes(file((9, 2), 4, 2, &palette(&colors), &four), each).unwrap();
        assert_eq!(samples_of(&picture), looked_up(&[&want_four[0], &want_four[1]]));
    }
    let beyond = file((2, 1), 8, 1, &palette(&[[0; 3]; 256]), &[3, 1, 0, 1]);
    assert!(read_bytes(beyond, 9).unwrap_err().to_string().contains("beyond the picture"));
}

#[test]
fn what_is_written_reads_back_and_what_does_not_fit_is_told() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.bmp");
    for width in [1, 2, 3, 4, 9] {
        let size = Size::new(width, 5);
        let rgba = Frame::random(size, Rgba::default(), Rgba::new(255u8, 255, 255, 255), 4).unwrap();
        let pictures: [Picture; 3] = [
            rgba.view().map(|p| Gray::new(p.r)).unwrap().into(),
            rgba.view().map(|p| Rgb::new(p.r, p.g, p.b)).unwrap().into(),
            rgba.into(),
        ];
        for picture in pictures {
            assert!(write_with(&path, &picture, Default::default()).unwrap().is_empty());
            assert_eq!(rahmen::read(&path).unwrap(), picture);
        }
    }
    for (picture, says) in [
        (Picture::from(Frame::<Gray<u16>>::new(Size::new(1, 1)).unwrap()), Help::Depth(&[Depth::U8])),
        (Frame::<GrayAlpha<u8>>::new(Size::new(1, 1)).unwrap().into(), Help::Color),
    ] {
        assert!(rahmen::write(&path, &picture).unwrap_err().help().contains(&says));
    }
}

#[test]
fn damage_and_limits_are_told() {
    let colors = palette(&[[0; 3], [9; 3], [7, 7, 8]]);
    let whole = file((3, 2), 8, 0, &colors, &rows(&[vec![0, 1, 2], vec![2, 1, 0]], true));
    for length in 0..whole.len() {
        let error = read_bytes(whole[..length].to_vec(), 9).unwrap_err();
        assert!(length < 2 || matches!(error.kind(), ErrorKind::Truncated(_)), "{length}: {error}");
    }
    for (bytes, says) in [
        (file((3, 1), 8, 0, &colors, &[0, 1, 3, 0]), "index 3; the palette has 3 colours"),
        (file((3, 1), 8, 0, &[], &[0; 4]), "without a palette"),
        (file((3, 1), 7, 0, &colors, &[0; 4]), "7 bits a pixel"),
        (file((3, -1), 8, 1, &colors, &[0, 1]), "do not exist"),
        (file((3, 1), 0, 4, &[], &[0; 4]), "JPEG or PNG"),
        (file((0, 1), 24, 0, &[], &[0; 4]), "0x1"),
        (file((-3, 1), 24, 0, &[], &[0; 4]), "-3x1"),
        (file((1, 1), 32, 3, &[0xff, 0, 0xff, 0, 0, 0, 0, 0, 0, 0, 0, 0], &[0; 4]), "no run of 1 to 16 bits"),
    ] {
        let error = read_bytes(bytes, 9).unwrap_err().to_string();
        assert!(error.contains(says), "{says}: {error}");
    }
    let huge = file((1 << 30, 1 << 30), 24, 0, &[], &[]);
    assert!(matches!(read_bytes(huge, 9).unwrap_err().kind(), ErrorKind::Limit { .. }));
    let low = ReadOptions::default().limits(Limits::default().memory(7));
    assert!(read_from(std::io::Cursor::new(whole), low).is_err());
}

#[test]
fn every_byte_may_be_anything_without_a_panic() {
    let colors = palette(&[[0; 3], [9; 3], [7, 7, 8], [1, 2, 3]]);
    let runs = file((6, 2), 8, 1, &colors, &[3, 1, 0, 3, 1, 2, 3, 0, 0, 0, 2, 2, 0, 1]);
    let limits = ReadOptions::default().limits(Limits::default().memory(1 << 20));
    for at in 0..runs.len() {
        for value in [0, 1, 2, 12, 0x7f, 0x80, 0xff] {
            let mut bytes = runs.clone();
            bytes[at] = value;
            let _ = read_from(std::io::Cursor::new(bytes), limits.clone());
        }
    }
}
