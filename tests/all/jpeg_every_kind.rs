//! JPEG files written by the tests' own encoder, read to within what a float64 decoder gives: every coding, sampling,
//! structure of scans, number of components, restart interval.
#![cfg(feature = "jpeg")]

use crate::common::Dribble;
use crate::common::jpeg::{Jpeg, Scan, planes, progressive, segment, sequential};
use rahmen::file::{Chroma, ReadOptions, Reader, Reduced, read_from};
use rahmen::flow::Source;
use rahmen::frame::{ResolutionUnit, SamplesRef};
use rahmen::{FileFormat, Layout, Picture};
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
        wide_quantiser: false,
        interval: 0,
        scans,
        skewed: false,
        segments: Vec::new(),
        late_height: false,
    }
}

fn read(bytes: &[u8]) -> Picture {
    let whole = read_from(Cursor::new(bytes.to_vec()), ReadOptions::default()).unwrap();
    let by_seven = read_from(Dribble { bytes: bytes.to_vec(), at: 0, each: 7 }, ReadOptions::default()).unwrap();
    assert!(whole == by_seven);
    whole
}

fn samples(picture: &Picture) -> Vec<f64> {
    match picture.pixels().unwrap().samples() {
        SamplesRef::U8(s) => s.iter().map(|&v| v.into()).collect(),
        SamplesRef::U16(s) => s.iter().map(|&v| (f64::from(v) * 4095.0 / 65_535.0).round()).collect(),
        SamplesRef::F32(_) => panic!("no floats in JPEG"),
    }
}

/// A component's samples at the size of the picture: weights of the two nearest centres, in floats.
fn stretched(jpeg: &Jpeg, component: usize, decoded: &[f64]) -> Vec<f64> {
    let most_h = jpeg.planes.iter().map(|p| p.h).max().unwrap() as f64;
    let most_v = jpeg.planes.iter().map(|p| p.v).max().unwrap() as f64;
    let p = &jpeg.planes[component];
    let full = f64::from((1u32 << jpeg.bits) - 1);
    let at = |x: usize, y: usize| decoded[y * p.width + x].round().clamp(0.0, full);
    let place = |x: usize, part: f64, count: usize| {
        let place = ((x as f64 + 0.5) * part - 0.5).clamp(0.0, (count - 1) as f64);
        let low = place.floor() as usize;
        (low, (low + 1).min(count - 1), place - place.floor())
    };
    let mut out = Vec::new();
    for y in 0..jpeg.height {
        let (y0, y1, wy) = place(y, p.v as f64 / most_v, p.height);
        for x in 0..jpeg.width {
            let (x0, x1, wx) = place(x, p.h as f64 / most_h, p.width);
            let row = |y| at(x0, y) * (1.0 - wx) + at(x1, y) * wx;
            out.push(row(y0) * (1.0 - wy) + row(y1) * wy);
        }
    }
    out
}

/// What the picture should hold: YCbCr to rgb as JFIF writes it, or the components as they are.
fn wanted(jpeg: &Jpeg, colored: bool) -> Vec<f64> {
    let full = f64::from((1u32 << jpeg.bits) - 1);
    let middle = (full + 1.0) / 2.0;
    let decoded = jpeg.decoded();
    let all: Vec<Vec<f64>> = (0..decoded.len()).map(|c| stretched(jpeg, c, &decoded[c])).collect();
    let mut out = Vec::new();
    for i in 0..jpeg.width * jpeg.height {
        let v: Vec<f64> = all.iter().map(|plane| plane[i]).collect();
        match colored {
            true => {
                let (y, cb, cr) = (v[0], v[1] - middle, v[2] - middle);
                out.extend([y + 1.402 * cr, y - 0.344_136 * cb - 0.714_136 * cr, y + 1.772 * cb]);
            }
            false => out.extend(v),
        }
    }
    out.iter().map(|v| v.round().clamp(0.0, full)).collect()
}

fn check(name: &str, jpeg: &Jpeg, colored: bool, tolerance: f64) {
    let picture = read(&jpeg.file());
    assert_eq!((picture.size().width as usize, picture.size().height as usize), (jpeg.width, jpeg.height), "{name}");
    let (got, want) = (samples(&picture), wanted(jpeg, colored));
    assert_eq!(got.len(), want.len(), "{name}");
    let errors = || got.iter().zip(&want).map(|(a, b)| (a - b).abs());
    let worst = errors().fold(0.0, f64::max);
    assert!(worst <= tolerance, "{name}: {worst}");
    // Where a component lies next to a tie, rounding the other way counts up to 1.772 times in a colour.
    let more_than_one = errors().filter(|&e| e > 1.0).count();
    let one_in = if jpeg.bits == 8 { 500 } else { 100 };
    assert!(tolerance > 2.0 || more_than_one * one_in <= got.len(), "{name}: {more_than_one} of {}", got.len());
}

const SIZES: [(usize, usize); 5] = [(1, 1), (7, 5), (16, 16), (33, 17), (50, 40)];

#[test]
fn every_coding_and_structure_of_scans_without_subsampling_is_within_one_level() {
    for size in SIZES {
        for components in [1usize, 3, 4] {
            let factors = vec![(1, 1); components];
            let cases = sequential(components).into_iter().map(|s| (0xc0u8, s));
            let more = sequential(components).into_iter().map(|s| (0xc1, s));
            let progressive = progressive(components).into_iter().map(|s| (0xc2, s));
            for (i, (frame, scans)) in cases.chain(more).chain(progressive).enumerate() {
                for (interval, skewed, wide) in [(0, false, false), (1, true, false), (3, true, true)] {
                    let bits = if frame == 0xc1 { 12 } else { 8 };
                    let wide_quantiser = wide && frame != 0xc0;
                    let mut file = jpeg(size, &factors, bits, frame, scans.clone());
                    (file.interval, file.skewed, file.wide_quantiser) = (interval, skewed, wide_quantiser);
                    let name = format!("{size:?}, {components} components, {frame:#x}, case {i}, interval {interval}");
                    check(&name, &file, components == 3, if components == 3 { 2.0 } else { 1.0 });
                }
            }
        }
    }
}

#[test]
fn every_sampling_is_stretched_by_triangle_weights() {
    let samplings: [&[(usize, usize)]; 14] = [
        &[(2, 1), (1, 1), (1, 1)],
        &[(1, 2), (1, 1), (1, 1)],
        &[(2, 2), (1, 1), (1, 1)],
        &[(4, 1), (1, 1), (1, 1)],
        &[(1, 4), (1, 1), (1, 1)],
        &[(4, 2), (1, 1), (1, 1)],
        &[(3, 1), (1, 1), (1, 1)],
        &[(1, 3), (1, 1), (1, 1)],
        &[(2, 2), (2, 1), (1, 2)],
        &[(3, 2), (1, 1), (2, 1)],
        &[(4, 1), (3, 1), (2, 1)],
        &[(1, 1), (2, 2), (1, 1)],
        &[(2, 2), (1, 1), (1, 1), (2, 2)],
        &[(3, 3), (1, 1), (1, 1)],
    ];
    for (i, factors) in samplings.into_iter().enumerate() {
        for size in SIZES {
            // More than ten blocks an MCU have to come in scans of their own.
            let blocks: usize = factors.iter().map(|(h, v)| h * v).sum();
            let mut cases: Vec<(u8, Vec<Scan>)> = vec![(0xc0, sequential(factors.len())[1].clone())];
            if blocks <= 10 {
                cases.push((0xc0, sequential(factors.len())[0].clone()));
                cases.push((0xc2, progressive(factors.len())[i % 3].clone()));
            }
            for (frame, scans) in cases {
                let mut file = jpeg(size, factors, 8, frame, scans);
                file.interval = i % 4;
                // A level of the transform and half a one of the stretching count up to 1.772 times in a colour.
                check(&format!("{factors:?} {size:?} {frame:#x}"), &file, factors.len() == 3, 3.01);
            }
        }
    }
}

#[test]
fn strips_are_the_rows_of_the_whole() {
    for (frame, scans) in [(0xc0, sequential(3)[0].clone()), (0xc2, progressive(3)[2].clone())] {
        let mut file = jpeg((61, 90), &[(2, 2), (1, 1), (1, 1)], 8, frame, scans);
        file.interval = 5;
        let bytes = file.file();
        let whole = read(&bytes);
        for rows in [1, 3, 8, 20] {
            let mut reader = Reader::from_read(Cursor::new(bytes.clone()), ReadOptions::default()).unwrap();
            reader.skip(13).unwrap();
            while let Some(strip) = reader.next(rows).unwrap() {
                let part = whole.size().region().rows(strip.rows()).unwrap();
                assert!(strip.content == whole.content().crop(part).unwrap(), "{rows} from {}", strip.first_row);
            }
        }
    }
}

#[test]
fn what_the_components_are_is_told_by_marks_or_numbers() {
    let adobe = |transform: u8| segment(0xee, &[&b"Adobe\0\x64\0\0\0\0"[..], &[transform]].concat());
    let jfif = segment(0xe0, b"JFIF\0\x01\x02\x02\x00\x64\x00\x32\0\0");
    let case = |factors: usize, ids: &[u8], segments: Vec<u8>| {
        let mut file = jpeg((9, 9), &vec![(1, 1); factors], 8, 0xc0, sequential(factors)[0].clone());
        (file.ids, file.segments) = (ids.to_vec(), segments);
        file
    };
    check("ids of letters", &case(3, b"RGB", Vec::new()), false, 1.01);
    check("transform 0", &case(3, &[1, 2, 3], adobe(0)), false, 1.01);
    check("transform 1 and letters", &case(3, b"RGB", adobe(1)), true, 1.01);
    check("JFIF and letters", &case(3, b"RGB", jfif.clone()), true, 1.01);
    check("ink without a mark", &case(4, &[1, 2, 3, 4], Vec::new()), false, 1.01);
    // Adobe's ink is stored inverted.
    let inverted = case(4, &[1, 2, 3, 4], adobe(0));
    let ink = read(&inverted.file());
    assert_eq!(ink.pixels().unwrap().layout(), Layout::Cmyk);
    let straight = wanted(&inverted, false);
    assert!(samples(&ink).iter().zip(&straight).all(|(a, b)| (a - (255.0 - b)).abs() <= 1.01));
    let ycck = case(4, &[1, 2, 3, 4], adobe(2));
    let (got, decoded) = (samples(&read(&ycck.file())), ycck.decoded());
    for i in 0..81 {
        let (y, cb, cr) = (decoded[0][i], decoded[1][i] - 128.0, decoded[2][i] - 128.0);
        // Stored inverted, red is cyan ink, green magenta, blue yellow.
        let rgb = [y + 1.402 * cr, y - 0.344_136 * cb - 0.714_136 * cr, y + 1.772 * cb];
        for (a, b) in got[4 * i..].iter().zip(rgb.map(|v| v.round().clamp(0.0, 255.0))) {
            assert!((a - b).abs() <= 1.01, "{a} {b}");
        }
        assert!((got[4 * i + 3] - (255.0 - decoded[3][i].round())).abs() <= 1.01);
    }
    let picture = read(&case(3, &[1, 2, 3], jfif).file());
    let resolution = picture.metadata().resolution.unwrap();
    assert_eq!((resolution.x, resolution.y, resolution.unit), (10_000.0, 5000.0, ResolutionUnit::Metre));
}

#[test]
fn profiles_exif_and_texts_are_put_together_and_other_segments_passed_over() {
    let part = |n: u8, body: &[u8]| segment(0xe2, &[b"ICC_PROFILE\0".as_slice(), &[n, 2], body].concat());
    let exif = segment(
        0xe1,
        &[b"Exif\0\0MM\0\x2a\0\0\0\x08\0\x01\x01\x12\0\x03\0\0\0\x01\0\x06\0\0\0\0\0\0".as_slice()].concat(),
    );
    let xmp = segment(0xe1, b"http://ns.adobe.com/xap/1.0/\0<x:xmpmeta/>");
    let mut file = jpeg((9, 5), &[(1, 1)], 8, 0xc0, sequential(1)[0].clone());
    file.segments =
        [part(2, b"file"), exif, part(1, b"pro"), xmp, segment(0xfe, b"seen at dawn"), segment(0xe7, &[0; 70])]
            .concat();
    let picture = read(&file.file());
    let m = picture.metadata();
    assert_eq!(m.icc.as_deref(), Some(b"profile".as_slice()));
    assert_eq!((m.orientation.exif(), m.xmp.as_deref()), (6, Some("<x:xmpmeta/>")));
    assert_eq!((m.text[0].keyword.as_str(), m.text[0].text.as_ref()), ("Comment", "seen at dawn"));
    let facts = rahmen::file::facts_from(Cursor::new(file.file()), ReadOptions::default()).unwrap();
    assert_eq!(facts.format, Some(FileFormat::Jpeg));
    assert!(facts.stored.unwrap().starts_with("8-bit gray, baseline"));
}

#[test]
fn exif_states_the_resolution_where_jfif_does_not() {
    // Two entries of fractions behind the directory, and the unit: a centimetre.
    let entry = |tag: u16, kind: u16, value: [u8; 4]| {
        [&tag.to_be_bytes()[..], &kind.to_be_bytes(), &[0, 0, 0, 1], &value].concat()
    };
    let mut block = b"MM\0\x2a\0\0\0\x08\0\x03".to_vec();
    block.extend(entry(0x011a, 5, [0, 0, 0, 50]));
    block.extend(entry(0x011b, 5, [0, 0, 0, 58]));
    block.extend(entry(0x0128, 3, [0, 3, 0, 0]));
    block.extend([0; 4]);
    [300u32, 2, 100, 1].iter().for_each(|n| block.extend(n.to_be_bytes()));
    let mut file = jpeg((9, 5), &[(1, 1)], 8, 0xc0, sequential(1)[0].clone());
    file.segments = segment(0xe1, &[b"Exif\0\0".as_slice(), &block].concat());
    let resolution = read(&file.file()).metadata().resolution.unwrap();
    assert_eq!((resolution.x, resolution.y, resolution.unit), (15_000.0, 10_000.0, ResolutionUnit::Metre));
}

#[test]
fn a_height_that_is_said_later_is_found() {
    let mut file = jpeg((20, 30), &[(2, 1), (1, 1), (1, 1)], 8, 0xc0, sequential(3)[0].clone());
    file.late_height = true;
    check("late", &file, true, 2.01);
}

#[test]
fn a_half_a_quarter_and_an_eighth_are_near_the_means_of_the_whole() {
    for (factors, frame) in
        [(&[(1, 1)][..], 0xc0u8), (&[(2, 2), (1, 1), (1, 1)], 0xc0), (&[(2, 1), (1, 1), (1, 1)], 0xc2)]
    {
        let scans = if frame == 0xc2 { progressive(3)[0].clone() } else { sequential(factors.len())[0].clone() };
        let bytes = jpeg((53, 38), factors, 8, frame, scans).file();
        let (whole, channels) = (samples(&read(&bytes)), if factors.len() == 1 { 1 } else { 3 });
        for (reduced, by) in [(Reduced::Half, 2usize), (Reduced::Quarter, 4), (Reduced::Eighth, 8)] {
            let options = ReadOptions::default().reduced(reduced);
            let small = read_from(Cursor::new(bytes.clone()), options).unwrap();
            let size = small.size();
            assert_eq!((size.width as usize, size.height as usize), (53usize.div_ceil(by), 38usize.div_ceil(by)));
            let got = samples(&small);
            let mut errors = Vec::new();
            for (y, x, c) in
                (0..38 / by).flat_map(|y| (0..53 / by).flat_map(move |x| (0..channels).map(move |c| (y, x, c))))
            {
                let cell = (0..by * by).map(|i| whole[((y * by + i / by) * 53 + x * by + i % by) * channels + c]);
                let mean = cell.sum::<f64>() / (by * by) as f64;
                let value = got[(y * size.width as usize + x) * channels + c];
                errors.push((value - mean).abs());
            }
            // The waves are soft; grain, and edges of blocks, are weighed otherwise by a mean than by the lowest
            // coefficients.
            let (worst, mean) = (errors.iter().fold(0.0, |a, &b| f64::max(a, b)), errors.iter().sum::<f64>());
            let mean = mean / errors.len() as f64;
            assert!(worst <= 40.0 && mean <= 6.0, "{by}: {worst} at most, {mean} in the mean");
            // An eighth of gray is the means themselves, but for those of samples that had to be clamped.
            assert!(by < 8 || channels > 1 || mean <= 1.0, "{mean}");
        }
    }
}

#[test]
fn colour_may_be_repeated_instead() {
    let file = jpeg((20, 10), &[(2, 1), (1, 1), (1, 1)], 8, 0xc0, sequential(3)[0].clone());
    let options = ReadOptions::default().chroma(Chroma::Repeated);
    let got = samples(&read_from(Cursor::new(file.file()), options).unwrap());
    let decoded = file.decoded();
    for (y, x) in (0..10).flat_map(|y| (0..20).map(move |x| (y, x))) {
        let (l, cr) = (decoded[0][y * 20 + x].round(), decoded[2][y * 10 + x / 2].round() - 128.0);
        let red = (l + 1.402 * cr).round().clamp(0.0, 255.0);
        assert!((got[(y * 20 + x) * 3] - red).abs() <= 2.0, "{x},{y}");
    }
}
