//! TIFF files put together from the specification, read to exact values: every kind of sample, packing, order and place of strips and
//! tiles.
#![cfg(feature = "tiff")]

use crate::common::tiff::{self, DEFLATE, FAX_ROWS, FAX3, FAX4, KINDS, LZW, NONE, PACK_BITS, Page};
use crate::common::{Dribble, noise};
use rahmen::file::{ReadAs, ReadOptions, Reader, decode, facts_from, read_from};
use rahmen::flow::{Chain, Crop, PictureSink};
use rahmen::frame::{AnyPlanes, SamplesRef};
use rahmen::{Content, Depth, Layout, Picture, PixelFormat, Primaries, Region};
use std::io::Cursor;
use std::ops::Range;

/// Reads a file in one piece and as a stream, the same both ways.
fn read(bytes: &[u8], options: ReadOptions) -> rahmen::Result<Picture> {
    let whole = decode(bytes, options);
    let stream = read_from(Dribble { bytes: bytes.to_vec(), at: 0, each: 13 }, options);
    match (&whole, &stream) {
        (Ok(a), Ok(b)) => assert!(a == b),
        (Err(a), Err(b)) => assert_eq!(a.to_string(), b.to_string()),
        _ => panic!("{whole:?} {stream:?}"),
    }
    whole
}

fn plain(bytes: &[u8]) -> Picture {
    read(bytes, ReadOptions::default()).unwrap()
}

fn samples_of(picture: &Picture) -> Vec<u64> {
    match picture.pixels().unwrap().samples() {
        SamplesRef::U8(s) => s.iter().map(|&v| v.into()).collect(),
        SamplesRef::U16(s) => s.iter().map(|&v| v.into()).collect(),
        SamplesRef::F32(s) => s.iter().map(|&v| v.to_bits().into()).collect(),
    }
}

fn any(picture: &Picture) -> &AnyPlanes {
    match picture.content() {
        Content::Planes(planes) => planes,
        other => panic!("{other:?}"),
    }
}

/// Codes of so many bits.
fn codes(count: usize, bits: u16, seed: u32) -> Vec<u64> {
    let bytes = noise(count * 8, seed);
    let mask = u64::MAX >> (64 - bits);
    bytes.chunks(8).map(|c| u64::from_le_bytes(c.try_into().unwrap()) & mask).collect()
}

/// Code / top of full, rounded to nearest, ties up.
fn scaled(code: u64, top: u64, full: u64) -> u64 {
    (2 * code * full + top) / (2 * top)
}

#[test]
fn codes_of_every_size_are_scaled_whatever_holds_them() {
    let size = (37, 29);
    for kind in KINDS {
        for bits in [1u16, 2, 4, 6, 8, 10, 12, 14, 16] {
            for (channels, photometric) in [(1usize, 1u16), (1, 0), (3, 2)] {
                let codes = codes(size.0 * size.1 * channels, bits, 7);
                let mut page = Page::new(size, bits, channels, photometric, codes.clone());
                let top = (1u64 << bits) - 1;
                let full = if bits <= 8 { 255 } else { 65_535 };
                let want: Vec<u64> =
                    codes.iter().map(|&c| scaled(if photometric == 0 { top - c } else { c }, top, full)).collect();
                for (chunk, planar) in
                    [((0, 29), false), ((0, 5), false), ((16, 32), false), ((32, 16), true), ((0, 7), true)]
                {
                    for packing in [NONE, PACK_BITS, LZW, DEFLATE, 32_946] {
                        (page.chunk, page.planar, page.packing) = (chunk, planar, packing);
                        let picture = plain(&tiff::file(kind, &[page.clone()]));
                        let name = format!("{kind:?} {bits} bits of {channels}, {chunk:?} {planar} {packing}");
                        assert_eq!(
                            picture.metadata().max_codes,
                            (top != full).then(|| vec![top as u32; channels]),
                            "{name}"
                        );
                        // A white of 0 is turned around exactly.
                        assert!(samples_of(&picture) == want, "{name}");
                    }
                }
            }
        }
    }
}

#[test]
fn differences_are_undone_for_every_width_and_order() {
    let size = (41, 23);
    for kind in KINDS {
        for (bits, format, predictor) in
            [(8u16, 1u16, 2u16), (16, 1, 2), (16, 3, 3), (24, 3, 3), (32, 3, 3), (32, 3, 2), (16, 3, 2)]
        {
            for channels in [1usize, 3] {
                // No floats that are not numbers, whose bits may change.
                let mask =
                    if format == 3 { [0x3bff, 0x3e_ffff, 0x3eff_ffff][usize::from(bits / 8 - 2)] } else { u64::MAX };
                let codes: Vec<u64> = codes(size.0 * size.1 * channels, bits, 3).iter().map(|c| c & mask).collect();
                let mut page = Page::new(size, bits, channels, if channels == 3 { 2 } else { 1 }, codes.clone());
                (page.format, page.predictor) = (format, predictor);
                for (chunk, planar) in [((0, 6), false), ((16, 16), false), ((16, 16), true)] {
                    for packing in [LZW, DEFLATE] {
                        (page.chunk, page.planar, page.packing) = (chunk, planar, packing);
                        let picture = plain(&tiff::file(kind, &[page.clone()]));
                        let want: Vec<u64> = match (format, bits) {
                            (3, 16) => codes.iter().map(|&c| u64::from(small(c, 5, 10).to_bits())).collect(),
                            (3, 24) => codes.iter().map(|&c| u64::from(small(c, 7, 16).to_bits())).collect(),
                            _ => codes.clone(),
                        };
                        assert!(
                            samples_of(&picture) == want,
                            "{kind:?} {bits} {format} {predictor} {channels} {chunk:?}"
                        );
                    }
                }
            }
        }
    }
}

/// A positive float of so many bits of exponent and fraction, by its definition.
fn small(code: u64, exponent_bits: u32, fraction_bits: u32) -> f32 {
    let bias = (1i32 << (exponent_bits - 1)) - 1;
    let exponent = (code >> fraction_bits) as i32;
    let fraction = (code & ((1 << fraction_bits) - 1)) as f64 / f64::from(1u32 << fraction_bits);
    let value =
        if exponent == 0 { fraction * 2f64.powi(1 - bias) } else { (1.0 + fraction) * 2f64.powi(exponent - bias) };
    value as f32
}

#[test]
fn wide_numbers_come_as_planes_of_their_type() {
    let size = (19, 11);
    for kind in KINDS {
        for (bits, format) in [
            (8u16, 2u16),
            (16, 2),
            (24, 1),
            (24, 2),
            (32, 1),
            (32, 2),
            (64, 1),
            (64, 2),
            (64, 3),
            (12, 2),
            (20, 1),
            (20, 2),
        ] {
            for (channels, planar) in [(1usize, false), (2, false), (2, true), (5, false)] {
                let codes = codes(size.0 * size.1 * channels, bits, 9);
                let mut page = Page::new(size, bits, channels, 1, codes.clone());
                page.extra = vec![0; channels - 1];
                (page.format, page.planar, page.packing) = (format, planar, LZW);
                if bits % 16 == 0 && format == 1 {
                    page.predictor = 2;
                }
                for chunk in [(0, 4), (16, 16)] {
                    page.chunk = chunk;
                    let picture = plain(&tiff::file(kind, &[page.clone()]));
                    let planes = any(&picture);
                    let name = format!("{kind:?} {bits} {format} {channels} {planar} {chunk:?}");
                    let own = |c: usize| codes.iter().skip(c).step_by(channels).copied().collect::<Vec<u64>>();
                    let sign = |v: u64| ((v << (64 - bits)) as i64) >> (64 - bits);
                    for c in 0..channels {
                        let want = own(c);
                        let same = match planes {
                            AnyPlanes::I8(p) => {
                                p[c].samples().iter().zip(&want).all(|(a, b)| i64::from(*a) == sign(*b))
                            }
                            AnyPlanes::I16(p) => {
                                p[c].samples().iter().zip(&want).all(|(a, b)| i64::from(*a) == sign(*b))
                            }
                            AnyPlanes::I32(p) => {
                                p[c].samples().iter().zip(&want).all(|(a, b)| i64::from(*a) == sign(*b))
                            }
                            AnyPlanes::I64(p) => p[c].samples().iter().zip(&want).all(|(a, b)| *a == sign(*b)),
                            AnyPlanes::U32(p) => p[c].samples().iter().zip(&want).all(|(a, b)| u64::from(*a) == *b),
                            AnyPlanes::U64(p) => p[c].samples().iter().zip(&want).all(|(a, b)| a == b),
                            AnyPlanes::F64(p) => p[c].samples().iter().zip(&want).all(|(a, b)| a.to_bits() == *b),
                            other => panic!("{name}: {other:?}"),
                        };
                        assert!(same, "{name}, plane {c}");
                    }
                    let kinds = match (format, bits) {
                        (1, ..=32) => "u32",
                        (1, _) => "u64",
                        (2, 8) => "i8",
                        (2, ..=16) => "i16",
                        (2, ..=32) => "i32",
                        (2, _) => "i64",
                        _ => "f64",
                    };
                    assert_eq!(planes.number().name(), kinds, "{name}");
                }
            }
        }
    }
}

#[test]
fn fax_in_every_form_is_read_in_either_order_of_bits() {
    // Runs of all lengths, rows alike and not, blank rows, the longest codes.
    for width in [1usize, 7, 8, 64, 200, 2700, 6000] {
        let height = 40;
        let mut rows: Vec<Vec<bool>> = Vec::new();
        let random = noise(4000, width as u32);
        let mut at = 0;
        for y in 0..height {
            if y % 5 == 3 {
                // Like the row above, moved a little here and there.
                let above: &Vec<bool> = &rows[y - 1];
                let shift = [0, 1, 2, 3][y % 4];
                rows.push((0..width).map(|x| above[(x + shift).min(width - 1)]).collect());
                continue;
            }
            let mut row = Vec::new();
            let mut black = random[y] & 1 == 1;
            while row.len() < width {
                at = (at + 1) % random.len();
                let run = [1, 2, 3, usize::from(random[at]), 64, 1728 + usize::from(random[at]), 2600, 5200]
                    [usize::from(random[at] >> 3) % 8];
                row.extend(vec![black; run]);
                black = !black;
            }
            row.truncate(width);
            rows.push(if y % 11 == 10 { vec![y % 2 == 0; width] } else { row });
        }
        let samples: Vec<u64> = rows.iter().flatten().map(|&b| u64::from(b)).collect();
        for kind in [KINDS[0], KINDS[3]] {
            for (packing, options) in [(FAX_ROWS, 0u64), (FAX3, 0), (FAX3, 1), (FAX3, 4), (FAX3, 5), (FAX4, 0)] {
                for lowest_first in [false, true] {
                    for strip in [height, 7] {
                        let mut page = Page::new((width, height), 1, 1, 0, samples.clone());
                        (page.packing, page.lowest_first, page.chunk) = (packing, lowest_first, (0, strip));
                        page.tags = vec![(292, 4, vec![options])];
                        let picture = plain(&tiff::file(kind, &[page]));
                        let want: Vec<u64> = samples.iter().map(|&b| if b == 1 { 0 } else { 255 }).collect();
                        assert!(samples_of(&picture) == want, "{width} {packing} {options} {lowest_first} {strip}");
                        assert_eq!(picture.metadata().max_codes, Some(vec![1]));
                    }
                }
            }
        }
    }
}

#[test]
fn pixels_whose_first_is_in_the_lowest_bits_are_read() {
    for bits in [1u16, 2, 4, 8] {
        let codes = codes(21 * 5, bits, 1);
        let mut page = Page::new((21, 5), bits, 1, 1, codes.clone());
        page.lowest_first = true;
        for packing in [NONE, PACK_BITS, DEFLATE, LZW] {
            page.packing = packing;
            let picture = plain(&tiff::file(KINDS[0], &[page.clone()]));
            let want: Vec<u64> = codes.iter().map(|&c| scaled(c, (1 << bits) - 1, 255)).collect();
            assert_eq!(samples_of(&picture), want, "{bits} {packing}");
        }
    }
}

#[test]
fn palettes_are_expanded_or_numbered() {
    for (bits, shift) in [(1u16, 257u64), (2, 257), (4, 257), (8, 257), (8, 1), (8, 256), (4, 1), (8, 200)] {
        let count = 1usize << bits;
        let bytes: Vec<u64> = noise(count * 3, 5).iter().map(|&v| u64::from(v)).collect();
        let codes = codes(13 * 9, bits, 2);
        let mut page = Page::new((13, 9), bits, 1, 3, codes.clone());
        let map: Vec<u64> = bytes.iter().map(|v| v * shift).collect();
        page.tags = vec![(320, 3, map.clone())];
        let file = tiff::file(KINDS[1], &[page]);
        let picture = plain(&file);
        let color = |i: u64| [0, 1, 2].map(|c| map[c * count + i as usize]);
        let want: Vec<u64> = match shift {
            // Colours of words that are none of bytes stay as they are.
            200 => codes.iter().flat_map(|&i| color(i)).collect(),
            _ => codes.iter().flat_map(|&i| color(i).map(|v| v / shift)).collect(),
        };
        assert_eq!(samples_of(&picture), want, "{bits} {shift}");
        let numbered = read(&file, ReadOptions::default().read_as(ReadAs::Indices)).unwrap();
        assert_eq!(samples_of(&numbered), codes);
        let palette = numbered.metadata().palette.clone().unwrap();
        if shift != 200 {
            let first = palette.colors()[1];
            assert_eq!([first.r, first.g, first.b].map(u64::from), color(1).map(|v| v / shift));
        }
    }
}

#[test]
fn alpha_and_further_samples_are_what_the_file_says() {
    let (width, height) = (6, 4);
    let codes = codes(width * height * 4, 8, 3);
    let mut page = Page::new((width, height), 8, 4, 2, codes.clone());
    // Straight alpha.
    page.extra = vec![2];
    let picture = plain(&tiff::file(KINDS[0], &[page.clone()]));
    assert_eq!(picture.facts().pixel_format, PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Rgba });
    assert_eq!(samples_of(&picture), codes);
    // Colours multiplied by alpha are divided: c * 255 / a, rounded to nearest, at most full.
    page.extra = vec![1];
    let file = tiff::file(KINDS[0], &[page.clone()]);
    let want: Vec<u64> = codes
        .chunks(4)
        .flat_map(|p| {
            [0, 1, 2, 3].map(|i| {
                if i == 3 {
                    p[3]
                } else if p[3] == 0 {
                    0
                } else {
                    scaled(p[i].min(p[3]), p[3], 255)
                }
            })
        })
        .collect();
    assert_eq!(samples_of(&plain(&file)), want);
    let facts = facts_from(file.as_slice(), ReadOptions::default()).unwrap();
    assert!(facts.remarks.iter().any(|r| r.contains("divided")), "{:?}", facts.remarks);
    // Neither said: planes.
    for extra in [vec![], vec![0]] {
        page.extra = extra;
        let picture = plain(&tiff::file(KINDS[0], &[page.clone()]));
        assert_eq!(any(&picture).names(), ["r", "g", "b", "extra1"]);
    }
    // Gray with alpha.
    let gray = Page { extra: vec![2], ..Page::new((4, 3), 16, 2, 1, super::tiff_files::codes(24, 16, 8)) };
    let picture = plain(&tiff::file(KINDS[1], std::slice::from_ref(&gray)));
    assert_eq!(
        (picture.facts().pixel_format.describe(), samples_of(&picture)),
        ("gray+alpha u16".into(), gray.samples)
    );
}

#[test]
fn samples_of_different_bits_are_scaled_each_by_its_own() {
    let pixels = [[31u64, 63, 0], [1, 2, 3], [16, 32, 31]];
    let page = Page { bits: vec![5, 6, 5], ..Page::new((3, 1), 8, 3, 2, pixels.concat()) };
    let picture = plain(&tiff::file(KINDS[0], &[page]));
    let want: Vec<u64> =
        pixels.iter().flat_map(|p| [scaled(p[0], 31, 255), scaled(p[1], 63, 255), scaled(p[2], 31, 255)]).collect();
    assert_eq!(samples_of(&picture), want);
    assert_eq!(picture.metadata().max_codes, Some(vec![31, 63, 31]));
}

#[test]
fn ink_and_its_further_samples_are_ink() {
    let codes = codes(5 * 5 * 5, 8, 3);
    let four: Vec<u64> = codes[..100].to_vec();
    let picture = plain(&tiff::file(KINDS[0], &[Page::new((5, 5), 8, 4, 5, four.clone())]));
    assert_eq!(picture.facts().pixel_format, PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Cmyk });
    assert_eq!(samples_of(&picture), four);
    let mut page = Page { extra: vec![2], ..Page::new((5, 5), 8, 5, 5, codes) };
    let picture = plain(&tiff::file(KINDS[0], &[page.clone()]));
    assert_eq!(any(&picture).names(), ["c", "m", "y", "k", "alpha"]);
    page.extra = Vec::new();
    page.tags = vec![(332, 3, vec![2]), (333, 2, b"red\0dull blue\0".iter().map(|&b| b.into()).collect())];
    let picture = plain(&tiff::file(KINDS[0], &[page]));
    assert_eq!(any(&picture).names(), ["red", "dull blue", "ink3", "ink4", "ink5"]);
}

#[test]
fn lab_comes_in_units() {
    for (photometric, bits, codes, want) in [
        (8u16, 8u16, [255u64, 0x80, 0x7f], [100.0f32, -128.0, 127.0]),
        (9, 8, [0, 128, 129], [0.0, 0.0, 1.0]),
        (8, 16, [65_535, 0xff00, 0x0080], [100.0, -1.0, 0.5]),
        (9, 16, [0xff00, 0x8000, 0x7f00], [100.0, 0.0, -1.0]),
    ] {
        for kind in KINDS {
            let picture = plain(&tiff::file(kind, &[Page::new((1, 1), bits, 3, photometric, codes.to_vec())]));
            let planes = picture.planes::<f32>().unwrap();
            let found = [0, 1, 2].map(|c| planes[c].samples()[0]);
            assert_eq!(found, want, "{photometric} {bits}");
        }
    }
}

#[test]
fn ycbcr_is_brought_to_rgb_by_the_weights_and_limits_of_the_file() {
    // BT.601, full range: white, black, and a red of Y 76, Cb 85, Cr 255 (76.245, 84.97, 255.5 rounded).
    let pixels = [[255u64, 128, 128], [0, 128, 128], [76, 85, 255]];
    let mut page = Page::new((3, 1), 8, 3, 6, pixels.concat());
    page.tags = vec![(530, 3, vec![1, 1])];
    let picture = plain(&tiff::file(KINDS[0], &[page.clone()]));
    let found = samples_of(&picture);
    assert_eq!(&found[..6], [255, 255, 255, 0, 0, 0]);
    assert!(found[6] >= 253 && found[7] <= 1 && found[8] <= 1, "{found:?}");
    // The limits of BT.601 bring 235 to white and 16 to black.
    page.samples = [[235u64, 128, 128], [16, 128, 128], [16, 128, 128]].concat();
    page.tags.push((532, 5, [16u64, 235, 128, 240, 128, 240].iter().flat_map(|&v| [v, 1]).collect()));
    assert_eq!(samples_of(&plain(&tiff::file(KINDS[0], &[page]))), [255, 255, 255, 0, 0, 0, 0, 0, 0]);
    // Units of 2 x 2: four Y, then Cb and Cr, which hold for all four. 5 x 3 pixels: 3 x 2 units.
    let units: Vec<[u8; 6]> = (0..6u8).map(|i| [10 * i, 10 * i + 1, 10 * i + 2, 10 * i + 3, 128, 128]).collect();
    let mut page = Page::new((5, 3), 8, 3, 6, vec![0; 45]);
    page.tags = vec![(530, 3, vec![2, 2])];
    page.chunks = Some(vec![units.concat()]);
    let gray: Vec<u64> = samples_of(&plain(&tiff::file(KINDS[1], &[page]))).iter().step_by(3).copied().collect();
    assert_eq!(gray, [0, 1, 10, 11, 20, 2, 3, 12, 13, 22, 30, 31, 40, 41, 50]);
}

#[test]
fn pages_and_those_below_are_listed_and_read_by_number() {
    let page = |n: u64, width: usize| Page::new((width, 2), 8, 1, 1, vec![n; width * 2]);
    let mut second = page(20, 4);
    second.below = vec![Page { tags: vec![(254, 4, vec![1])], ..page(21, 2) }, page(22, 1)];
    for kind in KINDS {
        let file = tiff::file(kind, &[page(10, 3), second.clone(), page(30, 5)]);
        for (number, sub, value, width) in
            [(1, 0, 10u64, 3u32), (2, 0, 20, 4), (3, 0, 30, 5), (2, 1, 21, 2), (2, 2, 22, 1)]
        {
            let options = ReadOptions::default().page(number).sub_page(sub);
            let picture = read(&file, options).unwrap();
            assert_eq!((picture.size().width, samples_of(&picture)[0]), (width, value), "{kind:?} {number}.{sub}");
        }
        let facts = facts_from(file.as_slice(), ReadOptions::default()).unwrap();
        assert_eq!(facts.pages, 3);
        let list: Vec<_> = facts.page_list.iter().map(|p| (p.size.width, p.sub_pages)).collect();
        assert_eq!(list, [(3, 0), (4, 2), (5, 0)]);
        let missing = read(&file, ReadOptions::default().page(4)).unwrap_err().to_string();
        assert!(missing.contains("there is no page 4; the file has 3"), "{missing}");
        let missing = read(&file, ReadOptions::default().page(2).sub_page(3)).unwrap_err().to_string();
        assert!(missing.contains("no page 2.3; 2 pages hang below page 2"), "{missing}");
    }
}

#[test]
fn what_stands_beside_the_pixels_is_carried() {
    let text = |s: &str| s.bytes().chain([0]).map(u64::from).collect::<Vec<u64>>();
    let mut page = Page::new((2, 2), 8, 3, 2, vec![9; 12]);
    page.tags = vec![
        (270, 2, text("Grauwick at dawn")),
        (305, 2, text("a pen")),
        (306, 2, text("2026:11:27 08:15:00")),
        (274, 3, vec![6]),
        (282, 5, vec![300, 2]),
        (283, 5, vec![100, 1]),
        (296, 3, vec![3]),
        (318, 5, vec![3127, 10_000, 3290, 10_000]),
        (319, 5, vec![708, 1000, 292, 1000, 170, 1000, 797, 1000, 131, 1000, 46, 1000]),
        (700, 1, "<x:xmpmeta/>".bytes().map(u64::from).collect()),
    ];
    for kind in KINDS {
        let picture = plain(&tiff::file(kind, &[page.clone()]));
        let m = picture.metadata();
        let texts: Vec<(&str, &str)> = m.text.iter().map(|t| (t.keyword.as_str(), t.text.as_ref())).collect();
        assert_eq!(texts, [("Description", "Grauwick at dawn"), ("Software", "a pen")]);
        assert_eq!(m.changed.unwrap().hour, 8);
        assert_eq!(m.orientation.exif(), 6);
        let resolution = m.resolution.unwrap();
        assert_eq!(
            (resolution.x, resolution.y, resolution.unit),
            (15_000.0, 10_000.0, rahmen::frame::ResolutionUnit::Metre)
        );
        assert_eq!(m.primaries, Primaries::Bt2020);
        assert_eq!(m.xmp.as_deref(), Some("<x:xmpmeta/>"));
    }
}

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
