//! QOI files put together chunk by chunk, read to exact values; what is written, read back by a decoder of the test's own.
#![cfg(feature = "qoi")]

use crate::common::{Dribble, noise};
use rahmen::file::{ReadOptions, read_from, write_with};
use rahmen::{Depth, ErrorKind, Frame, Help, Picture, Rgb, Rgba, Size, Transfer};

fn read_bytes(bytes: Vec<u8>, each: usize) -> rahmen::Result<Picture> {
    read_from(Dribble { bytes, at: 0, each }, ReadOptions::default())
}

fn file(width: u32, height: u32, channels: u8, space: u8, chunks: &[u8]) -> Vec<u8> {
    let mut out = b"qoif".to_vec();
    out.extend(width.to_be_bytes());
    out.extend(height.to_be_bytes());
    out.extend([channels, space]);
    out.extend(chunks);
    out.extend([0, 0, 0, 0, 0, 0, 0, 1]);
    out
}

/// Pixels as red, green, blue, alpha, by the words of the specification, one chunk at a time.
fn decoded(file: &[u8]) -> Vec<[u8; 4]> {
    let word = |at: usize| u32::from_be_bytes(file[at..at + 4].try_into().unwrap()) as usize;
    let (count, mut at) = (word(4) * word(8), 14);
    let (mut index, mut p, mut out) = ([[0u8; 4]; 64], [0, 0, 0, 255u8], Vec::new());
    while out.len() < count {
        let b = file[at];
        let mut times = 1;
        match b {
            0xfe => {
                p[..3].copy_from_slice(&file[at + 1..at + 4]);
                at += 4;
            }
            0xff => {
                p.copy_from_slice(&file[at + 1..at + 5]);
                at += 5;
            }
            _ => match b >> 6 {
                0 => {
                    p = index[b as usize];
                    at += 1;
                }
                1 => {
                    let d = [b >> 4 & 3, b >> 2 & 3, b & 3];
                    (0..3).for_each(|i| p[i] = (i32::from(p[i]) + i32::from(d[i]) - 2) as u8);
                    at += 1;
                }
                2 => {
                    let (dg, low) = (i32::from(b & 63) - 32, file[at + 1]);
                    let d = [dg - 8 + i32::from(low >> 4), dg, dg - 8 + i32::from(low & 15)];
                    (0..3).for_each(|i| p[i] = (i32::from(p[i]) + d[i]) as u8);
                    at += 2;
                }
                _ => {
                    times = usize::from(b & 63) + 1;
                    at += 1;
                }
            },
        }
        let [r, g, b, a] = p.map(usize::from);
        index[(r * 3 + g * 5 + b * 7 + a * 11) % 64] = p;
        out.extend(std::iter::repeat_n(p, times));
    }
    assert_eq!(&file[at..], [0, 0, 0, 0, 0, 0, 0, 1]);
    out
}

#[test]
fn every_kind_of_chunk_reads_to_what_it_says_however_the_file_is_cut() {
    let chunks = [
        &[0xfe, 10, 20, 30][..],                             // a colour
        &[0x40 | 3 << 4 | 2],                                // red + 1, green - 2
        &[0x80 | 40, 9 << 4 | 1],                            // green + 8, red + 9, blue + 1
        &[0xc0 | 2],                                         // three more of it
        &[0xff, 1, 2, 3, 4],                                 // a colour with alpha
        &[(11 * 3 + 18 * 5 + 30 * 7 + 255 * 11) as u8 & 63], // the second pixel again
        &[0xc0],                                             // once more
    ];
    let (second, third) = ([11, 18, 30, 255], [20, 26, 31, 255]);
    let want = [[10, 20, 30, 255], second, third, third, third, third, [1, 2, 3, 4], second, second];
    let bytes = file(3, 3, 4, 0, &chunks.concat());
    assert_eq!(decoded(&bytes), want);
    for each in [1, 2, 3, 5, 100] {
        let picture = read_bytes(bytes.clone(), each).unwrap();
        let frame = picture.frame::<Rgba<u8>>().unwrap();
        assert!(frame.pixels().iter().map(|p| [p.r, p.g, p.b, p.a]).eq(want), "{each}");
    }
    let rgb = read_bytes(file(1, 2, 3, 1, &[0xfe, 9, 8, 7, 0xc0]), 4).unwrap();
    assert_eq!(rgb.metadata().transfer, Transfer::Linear);
    assert_eq!(rgb.view::<Rgb<u8>>().unwrap()[(0, 1)], Rgb::new(9, 8, 7));
}

#[test]
fn what_is_written_reads_back_and_uses_every_kind_of_chunk() {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.qoi");
    let grain = noise(90 * 40 * 2, 3);
    let pixel = |x: u32, y: u32| {
        let n = grain[(y * 90 + x) as usize];
        match y % 8 {
            0 => [7, 7, 7, 255],                                       // runs, longer than 62
            1 => [x as u8, x as u8 / 2, 9, 255],                       // small steps
            2 => [(x * 9) as u8, (x * 11) as u8, (x * 12) as u8, 255], // larger ones
            3 => [n, n.wrapping_mul(3), n.wrapping_mul(7), 255],       // colours
            4 => [n % 3, 0, 0, 255],                                   // pixels seen before
            _ => [n, 5, 5, n / 2],                                     // alpha
        }
    };
    let four = Frame::from_fn(Size::new(90, 40), |x, y| {
        let [r, g, b, a] = pixel(x, y);
        Rgba::new(r, g, b, a)
    })
    .unwrap();
    let three = four.view().map(|p| Rgb::new(p.r, p.g, p.b)).unwrap();
    for (picture, alpha) in [(Picture::from(four), true), (Picture::from(three), false)] {
        rahmen::write(&path, &picture).unwrap();
        let bytes = std::fs::read(&path).unwrap();
        let want = (0..40).flat_map(|y| (0..90).map(move |x| (x, y))).map(|(x, y)| {
            let [r, g, b, a] = pixel(x, y);
            [r, g, b, if alpha { a } else { 255 }]
        });
        assert!(decoded(&bytes).into_iter().eq(want));
        assert!(bytes.len() < 90 * 40 * 3);
        assert_eq!(rahmen::read(&path).unwrap(), picture);
    }
}

#[test]
fn damage_and_what_does_not_fit_are_told() {
    let whole = file(2, 2, 3, 0, &[0xfe, 1, 2, 3, 0xc0 | 2]);
    for length in 0..whole.len() {
        let error = read_bytes(whole[..length].to_vec(), 9).unwrap_err();
        assert!(length < 4 || matches!(error.kind(), ErrorKind::Truncated(_)), "{length}: {error}");
    }
    for (bytes, says) in [
        (file(2, 2, 5, 0, &[0xc3]), "5 channels"),
        (file(2, 2, 3, 2, &[0xc3]), "colour space 2"),
        (file(0, 2, 3, 0, &[]), "0x2"),
        (file(2, 2, 3, 0, &[0xc0 | 5]), "beyond the last pixel"),
        (file(2, 2, 3, 0, &[0xc3, 0xc3]), "end marker"),
    ] {
        let error = read_bytes(bytes, 9).unwrap_err().to_string();
        assert!(error.contains(says), "{says}: {error}");
    }
    let large = file(1 << 30, 1 << 30, 4, 0, &[]);
    assert!(matches!(read_bytes(large, 9).unwrap_err().kind(), ErrorKind::Limit { .. }));
    let folder = tempfile::tempdir().unwrap();
    let gray = Frame::<rahmen::Gray<u8>>::new(Size::new(1, 1)).unwrap();
    let error = write_with(folder.path().join("a.qoi"), &gray, Default::default()).unwrap_err();
    assert!(error.help().contains(&Help::Color), "{error}");
    let wide = Frame::<Rgb<u16>>::new(Size::new(1, 1)).unwrap();
    assert!(rahmen::write(folder.path().join("a.qoi"), &wide).unwrap_err().help().contains(&Help::Depth(&[Depth::U8])));
}
