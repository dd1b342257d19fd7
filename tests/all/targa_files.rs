//! TGA files put together byte by byte: every type, depth, origin and kind of alpha, read to values worked out here.
#![cfg(feature = "tga")]

use crate::common::{Dribble, noise};
use rahmen::file::{ReadAs, ReadOptions, read_from};
use rahmen::frame::SamplesRef;
use rahmen::pixel::Transfer;
use rahmen::{ErrorKind, Frame, Gray, Layout, Meaning, Picture, Rgb, Rgba, Size};

const WIDTH: usize = 13;
const HEIGHT: usize = 6;

fn read_bytes(bytes: Vec<u8>, each: usize) -> rahmen::Result<Picture> {
    read_from(Dribble { bytes, at: 0, each }, ReadOptions::default())
}

/// A header for 13 x 6 pixels: type, map (first, count, bits), bits a pixel, descriptor.
fn header(kind: u8, map: (u16, u16, u8), bits: u8, descriptor: u8) -> Vec<u8> {
    let mut out = vec![3, u8::from(map.1 > 0), kind];
    out.extend(map.0.to_le_bytes());
    out.extend(map.1.to_le_bytes());
    out.extend([map.2, 0, 0, 0, 0, WIDTH as u8, 0, HEIGHT as u8, 0, bits, descriptor]);
    out.extend(b"id!");
    out
}

/// Rows of pixels in the order of the file: `descriptor` bit 5 is top first, bit 4 from the right.
fn ordered(pixels: &[Vec<u8>], descriptor: u8) -> Vec<Vec<u8>> {
    let mut rows: Vec<Vec<Vec<u8>>> = pixels.chunks(WIDTH).map(<[_]>::to_vec).collect();
    if descriptor & 0x20 == 0 {
        rows.reverse();
    }
    if descriptor & 0x10 != 0 {
        rows.iter_mut().for_each(|row| row.reverse());
    }
    rows.concat()
}

/// Pixels as packets: pairs of equal pixels as runs, others as they are; none crosses a row.
fn packets(pixels: &[Vec<u8>]) -> Vec<u8> {
    let mut out = Vec::new();
    for row in pixels.chunks(WIDTH) {
        let mut x = 0;
        while x < row.len() {
            let run = row[x..].iter().take_while(|p| **p == row[x]).count();
            if run > 1 {
                out.push(0x80 | (run - 1) as u8);
                out.extend(&row[x]);
                x += run;
            } else {
                let single = (1..row.len() - x).take_while(|i| row[x + i] != row[x + i - 1]).count() + 1;
                let single = single.min(5);
                out.push((single - 1) as u8);
                out.extend(row[x..x + single].concat());
                x += single;
            }
        }
    }
    out
}

/// Numbers below `most`, each second pixel like the one before, so that there are runs.
fn numbers(most: u32, seed: u32) -> Vec<u32> {
    let random = noise(WIDTH * HEIGHT * 4, seed);
    let all: Vec<u32> = random.chunks(4).map(|c| u32::from_le_bytes([c[0], c[1], c[2], c[3]])).collect();
    (0..all.len())
        .map(|i| if i % 3 == 1 { all[i - 1] } else { all[i] })
        .map(|v| (u64::from(v) % u64::from(most)) as u32)
        .collect()
}

/// A code of 5 bits as a byte, rounded to nearest.
fn five(v: u32) -> u8 {
    (((v & 31) * 255 * 2 + 31) / 62) as u8
}

/// Red, green, blue and alpha of a stored colour.
fn color(v: u32, bits: u8) -> [u8; 4] {
    match bits {
        15 | 16 => [five(v >> 10), five(v >> 5), five(v), if v >> 15 & 1 == 1 { 255 } else { 0 }],
        _ => [(v >> 16) as u8, (v >> 8) as u8, v as u8, (v >> 24) as u8],
    }
}

fn stored(v: u32, bits: u8) -> Vec<u8> {
    v.to_le_bytes()[..usize::from(bits).div_ceil(8)].to_vec()
}

fn samples(picture: &Picture) -> Vec<u32> {
    match picture.pixels().unwrap().samples() {
        SamplesRef::U8(s) => s.iter().map(|&v| v.into()).collect(),
        SamplesRef::U16(s) => s.iter().map(|&v| v.into()).collect(),
        SamplesRef::F32(_) => panic!("no float in TGA"),
    }
}

fn check(name: &str, file: &[u8], layout: Layout, want: &[u32]) {
    for each in [1, 50_000] {
        let picture = read_bytes(file.to_vec(), each).unwrap_or_else(|e| panic!("{name}: {e}"));
        assert_eq!(picture.pixels().unwrap().layout(), layout, "{name}");
        assert_eq!(samples(&picture), want, "{name}");
    }
    let anywhere = rahmen::file::Reader::from_seekable(std::io::Cursor::new(file.to_vec()), ReadOptions::default());
    assert_eq!(samples(&anywhere.unwrap().read_whole().unwrap()), want, "{name}");
}

#[test]
fn colour_and_gray_of_every_depth_origin_and_packing() {
    for descriptor in [0u8, 0x10, 0x20, 0x30] {
        for (kind, bits, attributes) in [
            (2u8, 15u8, 0u8),
            (2, 16, 0),
            (2, 16, 1),
            (2, 24, 0),
            (2, 32, 0),
            (2, 32, 8),
            (3, 8, 0),
            (3, 16, 0),
            (3, 16, 8),
        ] {
            let most = if bits == 32 { u32::MAX } else { 1 << bits };
            let values = numbers(most, u32::from(bits) + u32::from(descriptor));
            let pixels: Vec<Vec<u8>> = values.iter().map(|&v| stored(v, bits)).collect();
            let alpha = attributes > 0;
            let (layout, want): (Layout, Vec<u32>) = match (kind, bits, alpha) {
                (3, 8, _) | (3, 16, false) => (Layout::Gray, values.clone()),
                (3, ..) => (Layout::GrayAlpha, values.iter().flat_map(|v| [v & 255, v >> 8]).collect()),
                _ => {
                    let channels = if alpha { 4 } else { 3 };
                    let layout = if alpha { Layout::Rgba } else { Layout::Rgb };
                    let each = |&v: &u32| color(v, bits)[..channels].iter().map(|&s| u32::from(s)).collect::<Vec<_>>();
                    (layout, values.iter().flat_map(each).collect())
                }
            };
            let ordered = ordered(&pixels, descriptor);
            for runs in [false, true] {
                let name =
                    format!("type {kind}, {bits} bits, {attributes} attribute bits, {descriptor:#x}, runs {runs}");
                let head = header(if runs { kind + 8 } else { kind }, (0, 0, 0), bits, descriptor | attributes);
                let body = if runs { packets(&ordered) } else { ordered.concat() };
                check(&name, &[head, body].concat(), layout, &want);
            }
        }
    }
}

#[test]
fn indices_of_both_depths_are_looked_up_in_maps_of_every_depth() {
    for entry in [15u8, 16, 24, 32] {
        for (bits, first) in [(8u8, 0u16), (8, 7), (16, 300)] {
            let most = if entry == 32 { u32::MAX } else { 1 << entry };
            let colors = &numbers(most, u32::from(entry) + 9)[..40];
            let values: Vec<u32> = numbers(40, 5).iter().map(|v| v + u32::from(first)).collect();
            let pixels: Vec<Vec<u8>> = values.iter().map(|&v| stored(v, bits)).collect();
            let map: Vec<u8> = colors.iter().flat_map(|&v| stored(v, entry)).collect();
            let alpha = entry == 32;
            let channels = if alpha { 4 } else { 3 };
            let want: Vec<u32> = values
                .iter()
                .flat_map(|v| color(colors[(v - u32::from(first)) as usize], entry)[..channels].to_vec())
                .map(u32::from)
                .collect();
            let layout = if alpha { Layout::Rgba } else { Layout::Rgb };
            for runs in [false, true] {
                let descriptor = 0x20 | if alpha { 8 } else { 0 };
                let head = header(if runs { 9 } else { 1 }, (first, 40, entry), bits, descriptor);
                let body = if runs { packets(&pixels) } else { pixels.concat() };
                let file = [head, map.clone(), body].concat();
                check(&format!("{bits}-bit indices of {entry}-bit colours, runs {runs}"), &file, layout, &want);
                if bits == 8 {
                    let options = ReadOptions::default().read_as(ReadAs::Indices);
                    let indices = read_from(std::io::Cursor::new(file), options).unwrap();
                    assert_eq!(samples(&indices), values);
                    assert_eq!(indices.metadata().meaning, Meaning::Indices);
                    let place = usize::from(first) + 3;
                    let named = indices.metadata().palette.as_ref().unwrap().colors()[place];
                    let [r, g, b, a] = color(colors[3], entry);
                    assert_eq!(named, Rgba::new(r, g, b, if alpha { a } else { 255 }));
                }
            }
        }
    }
}

/// The extension area of version 2.0 and the footer behind it, for a file that is `at` bytes long.
fn area(at: usize, attributes: u8) -> Vec<u8> {
    let mut area = vec![0u8; 495];
    let mut put = |at: usize, bytes: &[u8]| area[at..at + bytes.len()].copy_from_slice(bytes);
    put(0, &495u16.to_le_bytes());
    put(2, b"A. Keeper");
    put(43, b"first line");
    put(43 + 81, b"second line");
    for (i, v) in [11u16, 25, 2026, 8, 5, 59].into_iter().enumerate() {
        put(367 + 2 * i, &v.to_le_bytes());
    }
    put(474, &[2, 0, 1, 0]);
    put(478, &[22, 0, 10, 0]);
    put(494, &[attributes]);
    area.extend((at as u32).to_le_bytes());
    area.extend([0; 4]);
    area.extend(b"TRUEVISION-XFILE.\0");
    area
}

#[test]
fn the_extension_area_says_what_alpha_is_and_who_made_the_picture() {
    let values = numbers(u32::MAX, 77);
    let pixels: Vec<u8> = values.iter().flat_map(|&v| stored(v, 32)).collect();
    let plain = [header(2, (0, 0, 0), 32, 0x28), pixels].concat();
    let of = |kind: u8| {
        let file = [plain.clone(), area(plain.len(), kind)].concat();
        rahmen::file::Reader::from_seekable(std::io::Cursor::new(file), ReadOptions::default())
            .unwrap()
            .read_whole()
            .unwrap()
    };
    let straight = of(3);
    let m = straight.metadata();
    let texts: Vec<(&str, &str)> = m.text.iter().map(|t| (t.keyword.as_str(), t.text.as_ref())).collect();
    assert_eq!(texts, [("Author", "A. Keeper"), ("Comment", "first line\nsecond line")]);
    let time = m.changed.unwrap();
    assert_eq!((time.year, time.month, time.day, time.hour, time.minute, time.second), (2026, 11, 25, 8, 5, 59));
    assert_eq!(m.transfer, Transfer::Power(2.2));
    // Twice as wide as high: half as many a unit across.
    let resolution = m.resolution.unwrap();
    assert_eq!(resolution.y / resolution.x, 2.0);
    assert_eq!(of(1).pixels().unwrap().layout(), Layout::Rgb);
    let associated = of(4);
    for (v, p) in values.iter().zip(associated.view::<Rgba<u8>>().unwrap().rows().flatten()) {
        let [r, g, b, a] = color(*v, 32);
        // Divided by alpha, rounded to nearest, at most full; no colour where there is no alpha.
        let divided = |c: u8| match a {
            0 => 0,
            a => ((u32::from(c) * 510 + u32::from(a)) / (2 * u32::from(a))).min(255) as u8,
        };
        assert_eq!(*p, Rgba::new(divided(r), divided(g), divided(b), a), "{v:#x}");
    }
}

#[test]
fn what_is_written_is_read_again_with_what_the_area_holds() {
    let folder = tempfile::tempdir().unwrap();
    let size = Size::new(9, 5);
    let path = folder.path().join("a.tga");
    let frames: [Picture; 3] = [
        Frame::random(size, Gray::new(0u8), Gray::new(255), 1).unwrap().into(),
        Frame::random(size, Rgb::default(), Rgb::new(255u8, 255, 255), 2).unwrap().into(),
        Frame::random(size, Rgba::default(), Rgba::new(255u8, 255, 255, 255), 3).unwrap().into(),
    ];
    for mut picture in frames {
        picture.metadata_mut().text.push(rahmen::frame::Text { keyword: "Title".into(), text: "Board".into() });
        rahmen::write(&path, &picture).unwrap();
        let back = rahmen::read(&path).unwrap();
        assert!(back == picture, "{}", picture.pixel_format().describe());
    }
}

#[test]
fn what_cannot_be_is_refused() {
    let says = |bytes: Vec<u8>| read_bytes(bytes, 7).unwrap_err();
    let rows = vec![0u8; WIDTH * HEIGHT * 4];
    // An index beyond the map.
    let mut file = [header(1, (0, 2, 24), 8, 0x20), vec![0; 6], rows.clone()].concat();
    let at = file.len() - 1 - (rows.len() - WIDTH * HEIGHT) - 5;
    file[at] = 2;
    assert!(says(file).to_string().contains("index 2"));
    // A packet that reaches over the end of the rows.
    let over = [header(10, (0, 0, 0), 24, 0x20), [0xff, 1, 2, 3].repeat(9)].concat();
    let error = says(over);
    assert!(matches!(error.kind(), ErrorKind::Malformed(_)), "{error}");
    // Interleaved rows look like none of ours.
    assert!(matches!(says([header(2, (0, 0, 0), 24, 0x80), rows].concat()).kind(), ErrorKind::NotAPicture { .. }));
}
