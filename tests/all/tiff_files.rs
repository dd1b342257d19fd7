//! TIFF files put together from the specification, read to exact values: what their samples mean, pages, and what stands beside the
//! pixels. The kinds of samples are in `tiff_values`, strips and tiles in `tiff_places`.
#![cfg(feature = "tiff")]

use crate::common::tiff::{self, KINDS, Page};
use crate::common::{Dribble, noise};
use rahmen::file::{ReadAs, ReadOptions, decode, facts_from, read_from};
use rahmen::frame::{AnyPlanes, SamplesRef};
use rahmen::{Content, Depth, Layout, Picture, PixelFormat, Primaries};

/// Reads a file in one piece and as a stream, the same both ways.
pub(crate) fn read(bytes: &[u8], options: ReadOptions) -> rahmen::Result<Picture> {
    let whole = decode(bytes, options.clone());
    let stream = read_from(Dribble { bytes: bytes.to_vec(), at: 0, each: 13 }, options);
    match (&whole, &stream) {
        (Ok(a), Ok(b)) => assert!(a == b),
        (Err(a), Err(b)) => assert_eq!(a.to_string(), b.to_string()),
        _ => panic!("{whole:?} {stream:?}"),
    }
    whole
}

pub(crate) fn plain(bytes: &[u8]) -> Picture {
    read(bytes, ReadOptions::default()).unwrap()
}

pub(crate) fn samples_of(picture: &Picture) -> Vec<u64> {
    match picture.pixels().unwrap().samples() {
        SamplesRef::U8(s) => s.iter().map(|&v| v.into()).collect(),
        SamplesRef::U16(s) => s.iter().map(|&v| v.into()).collect(),
        SamplesRef::F32(s) => s.iter().map(|&v| v.to_bits().into()).collect(),
    }
}

pub(crate) fn any(picture: &Picture) -> &AnyPlanes {
    match picture.content() {
        Content::Planes(planes) => planes,
        other => panic!("{other:?}"),
    }
}

/// Codes of so many bits.
pub(crate) fn codes(count: usize, bits: u16, seed: u32) -> Vec<u64> {
    let bytes = noise(count * 8, seed);
    let mask = u64::MAX >> (64 - bits);
    bytes.chunks(8).map(|c| u64::from_le_bytes(c.try_into().unwrap()) & mask).collect()
}

/// Code / top of full, rounded to nearest, ties up.
pub(crate) fn scaled(code: u64, top: u64, full: u64) -> u64 {
    (2 * code * full + top) / (2 * top)
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
    let gray = Page { extra: vec![2], ..Page::new((4, 3), 16, 2, 1, crate::tiff_files::codes(24, 16, 8)) };
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
