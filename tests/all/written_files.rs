//! PNG, BMP, TGA and JPEG that the library writes, read by plain readers made from the specifications; animations of PNG both ways.
#![cfg(all(feature = "png", feature = "bmp", feature = "tga", feature = "jpeg"))]

use crate::common::readers::{self, Found};
use crate::common::{chunk, crc, noise, png_of_samples};
use proptest::prelude::*;
use rahmen::file::{ChromaSampling, ReadOptions, Reader, WriteOptions, Writer, decode, encode};
use rahmen::flow::{Sink, Strip};
use rahmen::frame::{Palette, Pixels, SamplesRef};
use rahmen::{Content, Depth, FileFormat, Layout, Meaning, Metadata, Picture, Rgba, Size};

/// The samples of a picture, wide.
fn samples(picture: &Picture) -> Vec<u16> {
    match picture.pixels().unwrap().samples() {
        SamplesRef::U8(s) => s.iter().map(|v| u16::from(*v)).collect(),
        SamplesRef::U16(s) => s.to_vec(),
        SamplesRef::F32(_) => panic!(),
    }
}

fn picture(size: Size, layout: Layout, depth: Depth, seed: u32) -> Picture {
    let mut pixels = Pixels::new(size, layout, depth).unwrap();
    let bytes = noise(2 * size.pixels() as usize * layout.channels(), seed);
    let mut bytes = bytes.chunks(2).map(|b| u16::from_be_bytes([b[0], b[1]]));
    for y in 0..size.height {
        match pixels.row_mut(y) {
            rahmen::frame::SamplesMut::U8(row) => row.fill_with(|| bytes.next().unwrap() as u8),
            rahmen::frame::SamplesMut::U16(row) => row.fill_with(|| bytes.next().unwrap()),
            rahmen::frame::SamplesMut::F32(_) => {}
        }
    }
    Picture::new(Content::Pixels(pixels), Metadata::default())
}

fn bytes_of(picture: &Picture, format: FileFormat, options: WriteOptions) -> Vec<u8> {
    encode(picture, format, options).unwrap()
}

const LAYOUTS: [(Layout, u8); 4] = [(Layout::Gray, 0), (Layout::GrayAlpha, 4), (Layout::Rgb, 2), (Layout::Rgba, 6)];

proptest! {
    #![proptest_config(ProptestConfig::with_cases(40))]

    #[test]
    fn png_is_what_was_written(
        (width, height) in (1u32..40, 1u32..40), layout in 0usize..4, deep: bool, interlaced: bool, effort in 0u8..10, seed: u32
    ) {
        let (layout, color) = LAYOUTS[layout];
        let depth = if deep { Depth::U16 } else { Depth::U8 };
        let wanted = picture(Size::new(width, height), layout, depth, seed);
        let mut options = WriteOptions::default().compression(effort);
        options.interlaced = interlaced;
        let bytes = bytes_of(&wanted, FileFormat::Png, options);
        let found = readers::png(&bytes);
        prop_assert_eq!((found.bits, found.color, found.interlaced), (if deep { 16 } else { 8 }, color, interlaced));
        prop_assert_eq!((found.picture.width, found.picture.height), (width as usize, height as usize));
        prop_assert_eq!(&found.picture.samples, &samples(&wanted));
        prop_assert_eq!(samples(&decode(&bytes, ReadOptions::default()).unwrap()), samples(&wanted));
    }
}

#[test]
fn few_bits_and_palettes_are_what_was_written() {
    for (interlaced, top) in [(false, 1u8), (true, 1), (false, 3), (true, 3), (false, 15), (true, 15)] {
        let mut wanted = picture(Size::new(21, 13), Layout::Gray, Depth::U8, 5);
        if let Content::Pixels(pixels) = wanted.content_mut()
            && let rahmen::frame::SamplesMut::U8(row) = pixels.row_mut(4)
        {
            row.fill(255);
        }
        let codes: Vec<u16> = samples(&wanted).iter().map(|v| v % (u16::from(top) + 1)).collect();
        let scaled = codes.iter().map(|c| (c * 255 / u16::from(top)) as u8).collect();
        let frame = rahmen::Frame::<rahmen::Gray<u8>>::from_samples(Size::new(21, 13), scaled).unwrap();
        let mut wanted = Picture::from(frame);
        wanted.metadata_mut().max_codes = Some(vec![top.into()]);
        let options = if interlaced { WriteOptions::default().interlaced() } else { WriteOptions::default() };
        let found = readers::png(&bytes_of(&wanted, FileFormat::Png, options));
        assert_eq!(
            (u32::from(found.bits), &found.picture.samples),
            (u8::count_ones(top), &codes),
            "{interlaced} {top}"
        );
    }
    for (format, count, alpha) in [
        (FileFormat::Png, 200usize, true),
        (FileFormat::Png, 3, true),
        (FileFormat::Bmp, 16, false),
        (FileFormat::Bmp, 2, false),
        (FileFormat::Bmp, 256, false),
        (FileFormat::Tga, 100, true),
        (FileFormat::Tga, 100, false),
    ] {
        let colors: Vec<Rgba<u8>> = noise(4 * count, 9)
            .chunks(4)
            .map(|c| Rgba::new(c[0], c[1], c[2], if alpha { c[3] } else { 255 }))
            .collect();
        let numbers: Vec<u8> = noise(31 * 17, 3).iter().map(|v| (usize::from(*v) % count) as u8).collect();
        let frame = rahmen::Frame::<rahmen::Gray<u8>>::from_samples(Size::new(31, 17), numbers.clone()).unwrap();
        let mut wanted = Picture::from(frame);
        wanted.metadata_mut().meaning = Meaning::Indices;
        wanted.metadata_mut().palette = Some(Palette::new(colors.clone()).unwrap());
        for interlaced in [false, format == FileFormat::Png] {
            let options = if interlaced { WriteOptions::default().interlaced() } else { WriteOptions::default() };
            let bytes = bytes_of(&wanted, format, options);
            let found = match format {
                FileFormat::Png => readers::png(&bytes).picture,
                FileFormat::Bmp => readers::bmp(&bytes),
                _ => readers::tga(&bytes),
            };
            let palette: Vec<[u8; 4]> = colors.iter().map(|c| [c.r, c.g, c.b, c.a]).collect();
            assert_eq!(found.samples, numbers.iter().map(|v| u16::from(*v)).collect::<Vec<_>>(), "{format}");
            assert_eq!(found.palette[..count], palette, "{format} {count}");
        }
    }
}

#[test]
fn bitmaps_and_targas_are_what_was_written() {
    for (layout, seed) in [(Layout::Gray, 1), (Layout::Rgb, 2), (Layout::Rgba, 3)] {
        for size in [Size::new(1, 1), Size::new(33, 7), Size::new(64, 3)] {
            let wanted = picture(size, layout, Depth::U8, seed);
            let check = |found: Found| {
                assert_eq!(
                    (found.width, found.height, found.channels),
                    (size.width as usize, size.height as usize, layout.channels())
                );
                assert_eq!(found.samples, samples(&wanted), "{layout} {size}");
            };
            let bmp = readers::bmp(&bytes_of(&wanted, FileFormat::Bmp, WriteOptions::default()));
            if layout == Layout::Gray {
                assert!(bmp.palette.iter().enumerate().all(|(i, c)| *c == [i as u8, i as u8, i as u8, 255]));
            }
            check(bmp);
            check(readers::tga(&bytes_of(&wanted, FileFormat::Tga, WriteOptions::default())));
        }
    }
}

#[test]
fn jpeg_is_near_what_was_written_and_as_our_reader_has_it() {
    // Smooth, so that few coefficients are lost.
    let wave = |x: u32, y: u32, k: f64| {
        (128.0 + 90.0 * (f64::from(x) * 0.11 * k).sin() * (f64::from(y) * 0.07 + k).cos()) as u8
    };
    let rgb = rahmen::Frame::from_fn(Size::new(61, 45), |x, y| {
        rahmen::Rgb::new(wave(x, y, 1.0), wave(x, y, 1.4), wave(x, y, 0.6))
    });
    let gray = rahmen::Frame::from_fn(Size::new(50, 33), |x, y| rahmen::Gray::new(wave(x, y, 1.2)));
    for wanted in [Picture::from(rgb.unwrap()), Picture::from(gray.unwrap())] {
        for (sampling, progressive, restart, quality) in [
            (ChromaSampling::Ratio444, false, 0, 100),
            (ChromaSampling::Ratio444, true, 0, 97),
            (ChromaSampling::Ratio422, false, 1, 97),
            (ChromaSampling::Ratio420, true, 1, 97),
            (ChromaSampling::Ratio420, false, 0, 60),
        ] {
            let mut options = WriteOptions::default().quality(quality).sampling(sampling).restart_rows(restart);
            options.jpeg.progressive = progressive;
            let bytes = bytes_of(&wanted, FileFormat::Jpeg, options);
            let found = readers::jpeg(&bytes);
            assert_eq!(found.progressive, progressive);
            let (ours, original) = (samples(&decode(&bytes, ReadOptions::default()).unwrap()), samples(&wanted));
            let (mut from_original, mut from_ours, mut worst) = (0.0f64, 0.0f64, 0.0f64);
            let channels = original.len() / (found.width * found.height);
            for (i, pixel) in original.chunks(channels).enumerate() {
                let shown = found.pixel(i % found.width, i / found.width);
                for c in 0..channels {
                    from_original += (shown[c] - f64::from(pixel[c])).abs();
                    let apart = (shown[c].clamp(0.0, 255.0) - f64::from(ours[i * channels + c])).abs();
                    from_ours += apart;
                    worst = worst.max(apart);
                }
            }
            let count = original.len() as f64;
            // The plain reader repeats chroma that is not there for each pixel.
            let at_most = match (quality, sampling) {
                (60, _) => 4.0,
                (_, ChromaSampling::Ratio444) => 1.5,
                _ => 3.0,
            };
            assert!(from_original / count < at_most, "{sampling:?} {progressive}: {}", from_original / count);
            // Where chroma is not stretched, the two readers differ by rounding alone: ours of samples, then of colours, of which blue
            // takes 1.772 of a chroma sample.
            if sampling == ChromaSampling::Ratio444 || channels == 1 {
                let most = if channels == 1 { 0.55 } else { 0.5 + 0.5 * 2.772 };
                assert!(worst < most + 0.01 && from_ours / count < 0.5, "{worst} {}", from_ours / count);
            }
        }
    }
}

/// What is asked of a frame: its part of the canvas, what becomes of it, whether it is blended, its seed.
type Asked = ((usize, usize, usize, usize), u8, u8, u32);

/// An animation put together byte by byte, of colour type 6 at 8 bits or 2 where `alpha` is not; and the frames' samples.
fn animated((width, height): (usize, usize), asked: &[Asked], alpha: bool, begins: bool) -> (Vec<u8>, Vec<Vec<u16>>) {
    let (color, channels) = if alpha { (6, 4) } else { (2, 3) };
    let still = png_of_samples((width, height), (color, 8), &vec![7; width * height * channels], false, &|_| 0, &[]);
    // Signature and header.
    let mut out = still[..33].to_vec();
    out.extend(chunk(b"acTL", &[(asked.len() as u32).to_be_bytes(), 3u32.to_be_bytes()].concat()));
    let idat = |samples: &[u16], (w, h): (usize, usize)| {
        let file = png_of_samples((w, h), (color, 8), samples, false, &|y| (y % 5) as u8, &[]);
        data_of(&file)
    };
    if !begins {
        out.extend(chunk(b"IDAT", &idat(&vec![7; width * height * channels], (width, height))));
    }
    let (mut sequence, mut all) = (0u32, Vec::new());
    for (i, ((x, y, w, h), disposal, blend, seed)) in asked.iter().enumerate() {
        let samples: Vec<u16> = noise(w * h * channels, *seed).iter().map(|v| u16::from(*v)).collect();
        let mut control = sequence.to_be_bytes().to_vec();
        sequence += 1;
        [*w, *h, *x, *y].iter().for_each(|n| control.extend((*n as u32).to_be_bytes()));
        control.extend([0, 3 + i as u8, 0, 20, *disposal, *blend]);
        out.extend(chunk(b"fcTL", &control));
        let data = idat(&samples, (*w, *h));
        for part in data.chunks(50) {
            if begins && i == 0 {
                out.extend(chunk(b"IDAT", part));
                continue;
            }
            out.extend(chunk(b"fdAT", &[&sequence.to_be_bytes()[..], part].concat()));
            sequence += 1;
        }
        all.push(samples);
    }
    out.extend(chunk(b"IEND", &[]));
    (out, all)
}

/// The packed pixels of a still.
fn data_of(file: &[u8]) -> Vec<u8> {
    let (mut rest, mut data) = (&file[8..], Vec::new());
    while !rest.is_empty() {
        let length = u32::from_be_bytes(rest[..4].try_into().unwrap()) as usize;
        if &rest[4..8] == b"IDAT" {
            data.extend_from_slice(&rest[8..8 + length]);
        }
        rest = &rest[12 + length..];
    }
    data
}

/// What a viewer shows of each frame, in red, green, blue and alpha, by the rules of 11.3.6.2 and the formula for straight alpha.
fn shown((width, height): (usize, usize), asked: &[Asked], frames: &[Vec<u16>], channels: usize) -> Vec<Vec<[f64; 4]>> {
    let mut canvas = vec![[0.0; 4]; width * height];
    let mut all = Vec::new();
    for (i, ((x, y, w, h), disposal, blend, _)) in asked.iter().enumerate() {
        let before = canvas.clone();
        for row in 0..*h {
            for column in 0..*w {
                let from = &frames[i][(row * w + column) * channels..][..channels];
                let [r, g, b] = [0, 1, 2].map(|c| f64::from(from[c]));
                let a = if channels == 4 { f64::from(from[3]) / 255.0 } else { 1.0 };
                let to = &mut canvas[(y + row) * width + x + column];
                if *blend == 0 {
                    *to = [r, g, b, 255.0 * a];
                    continue;
                }
                let below = to[3] / 255.0 * (1.0 - a);
                let sum = a + below;
                let mix =
                    |above: f64, under: f64| if sum > 0.0 { ((above * a + under * below) / sum).round() } else { 0.0 };
                *to = [mix(r, to[0]), mix(g, to[1]), mix(b, to[2]), (255.0 * sum).round()];
            }
        }
        all.push(canvas.clone());
        for row in 0..*h {
            for column in 0..*w {
                let place = (y + row) * width + x + column;
                match (disposal, i) {
                    (0, _) => {}
                    (2, 1..) => canvas[place] = before[place],
                    _ => canvas[place] = [0.0; 4],
                }
            }
        }
    }
    all
}

#[test]
fn frames_are_pages_as_a_viewer_shows_them() {
    let size = (19, 14);
    let whole = (0, 0, 19, 14);
    let asked: [Asked; 6] = [
        (whole, 0, 0, 1),
        ((3, 2, 10, 7), 1, 1, 2),
        ((0, 5, 19, 9), 2, 1, 3),
        ((8, 0, 11, 14), 0, 0, 4),
        ((1, 1, 4, 4), 0, 1, 5),
        (whole, 2, 1, 6),
    ];
    for (alpha, begins) in [(true, true), (true, false), (false, true), (false, false)] {
        let (bytes, frames) = animated(size, &asked, alpha, begins);
        let channels = if alpha { 4 } else { 3 };
        let wanted = shown(size, &asked, &frames, channels);
        let options = |page: u32| {
            let mut options = ReadOptions::default();
            options.page = page;
            options
        };
        let first = if begins { 1 } else { 2 };
        for (i, wanted) in wanted.iter().enumerate() {
            let page = decode(&bytes, options(first + i as u32)).unwrap();
            let layout = page.pixels().unwrap().layout();
            // The first picture is read as it stands; the others may show what is behind.
            let count = layout.channels();
            assert_eq!(count, if alpha || !(begins && i == 0) { 4 } else { 3 }, "page {i}");
            for (found, wanted) in samples(&page).chunks(count).zip(wanted) {
                for c in 0..count {
                    // Rounding of ties may differ by one.
                    assert!((f64::from(found[c]) - wanted[c]).abs() <= 1.0, "frame {i}: {found:?} {wanted:?}");
                }
            }
            assert_eq!(page.metadata().delay, Some((3 + i) as f64 / 20.0));
        }
        // Gone through one after the other, the same.
        let mut reader = Reader::from_seekable(std::io::Cursor::new(bytes.clone()), options(1)).unwrap();
        let facts = reader.facts().clone();
        assert_eq!((facts.pages, facts.plays), (6 + first - 1, Some(3)));
        assert_eq!(facts.page_list.len(), facts.pages as usize);
        let mut page = 1;
        loop {
            let mut got = Pixels::new(reader.facts().size, layout_of(&reader), Depth::U8).unwrap();
            let mut y = 0;
            while let Some(strip) = rahmen::flow::Source::next(&mut reader, 5).unwrap() {
                let rows = strip.content.pixels().unwrap();
                for row in 0..rows.size().height {
                    if let (rahmen::frame::SamplesMut::U8(to), SamplesRef::U8(from)) = (got.row_mut(y), rows.row(row)) {
                        to.copy_from_slice(from);
                    }
                    y += 1;
                }
            }
            let alone = decode(&bytes, options(page)).unwrap();
            assert_eq!(&got, alone.pixels().unwrap(), "page {page}");
            page += 1;
            if !reader.next_page().unwrap() {
                break;
            }
        }
        assert_eq!(page, facts.pages + 1);
        // A stream, and frames by themselves.
        let streamed = rahmen::file::read_from(bytes.as_slice(), options(first + 2)).unwrap();
        assert_eq!(samples(&streamed), samples(&decode(&bytes, options(first + 2)).unwrap()));
        let alone = decode(&bytes, options(first + 1).frames_alone()).unwrap();
        assert_eq!((alone.size(), samples(&alone)), (Size::new(10, 7), frames[1].clone()));
        assert!(decode(&bytes, options(9)).unwrap_err().to_string().contains("no page 9"));
    }
}

fn layout_of(reader: &Reader<'_>) -> Layout {
    match reader.facts().pixel_format {
        rahmen::PixelFormat::Pixels { layout, .. } => layout,
        _ => panic!(),
    }
}

#[test]
fn written_animations_are_read_by_a_plain_reader() {
    for interlaced in [false, true] {
        let frames: Vec<Picture> =
            (0..4).map(|i| picture(Size::new(23, 11), Layout::Rgba, Depth::U8, 40 + i)).collect();
        let mut options = WriteOptions::default().format(FileFormat::Png).pages(4).plays(2);
        options.interlaced = interlaced;
        let file = tempfile_like();
        let mut facts = frames[0].facts();
        facts.metadata.delay = Some(0.25);
        let mut writer = Writer::create(&file, &facts, options).unwrap();
        for (i, frame) in frames.iter().enumerate() {
            if i > 0 {
                let mut facts = frame.facts();
                facts.metadata.delay = Some(70.0 * i as f64);
                writer.next_page(&facts).unwrap();
            }
            writer.put(&Strip { first_row: 0, content: frame.content().clone() }).unwrap();
        }
        writer.finish().unwrap();
        drop(writer);
        let bytes = std::fs::read(&file).unwrap();
        let found = readers::png(&bytes);
        assert_eq!((found.animation, found.frames.len()), (Some((4, 2)), 4));
        assert_eq!(
            found.frames.iter().map(|f| f.delay).collect::<Vec<_>>(),
            [(250, 1000), (7000, 100), (14000, 100), (21000, 100)]
        );
        for (i, (frame, wanted)) in found.frames.iter().zip(&frames).enumerate() {
            assert_eq!((frame.size, frame.at, frame.disposal, frame.blend), ((23, 11), (0, 0), 0, 0));
            assert_eq!(frame.picture.samples, samples(wanted), "{i}");
            let mut options = ReadOptions::default();
            options.page = i as u32 + 1;
            assert_eq!(samples(&decode(&bytes, options).unwrap()), samples(wanted));
        }
        std::fs::remove_file(&file).unwrap();
    }
}

/// A file of its own.
fn tempfile_like() -> std::path::PathBuf {
    static NEXT: std::sync::atomic::AtomicU32 = std::sync::atomic::AtomicU32::new(0);
    let number = NEXT.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
    std::env::temp_dir().join(format!("rahmen-animation-{}-{number}.png", std::process::id()))
}

#[test]
fn frames_that_do_not_fit_or_are_too_many_are_refused() {
    let one = picture(Size::new(8, 8), Layout::Rgb, Depth::U8, 1);
    let begin = |pages: u32| {
        let options = WriteOptions::default().format(FileFormat::Png).pages(pages);
        let mut writer = Writer::to_stream(Vec::new(), &one.facts(), options).unwrap();
        writer.put(&Strip { first_row: 0, content: one.content().clone() }).unwrap();
        writer
    };
    let other = |layout, size| picture(size, layout, Depth::U8, 2).facts();
    let refused = |facts: &rahmen::Facts| begin(3).next_page(facts).unwrap_err().to_string();
    assert!(refused(&other(Layout::Gray, Size::new(8, 8))).contains("stored in different ways"));
    assert!(refused(&other(Layout::Rgb, Size::new(9, 8))).contains("a frame"));
    assert!(begin(1).next_page(&one.facts()).unwrap_err().to_string().contains("is full"));
    assert!(begin(2).finish().unwrap_err().to_string().contains("was begun for 2 frames has 1"));
}

#[test]
fn damaged_animations_are_errors_with_their_place_and_salvaged_as_far_as_they_go() {
    let size = (12, 9);
    let asked: [Asked; 3] = [((0, 0, 12, 9), 0, 0, 1), ((2, 1, 6, 6), 0, 1, 2), ((0, 0, 12, 9), 0, 0, 3)];
    let (good, _) = animated(size, &asked, true, true);
    let page = |bytes: &[u8], page: u32| {
        let mut options = ReadOptions::default();
        options.page = page;
        decode(bytes, options)
    };
    // Cut at every byte: the first page needs all of the file, as every PNG; none panics, none is taken for whole.
    for end in 0..good.len() - 12 {
        assert!(page(&good[..end], 1).is_err(), "{end}");
        let _ = page(&good[..end], 2);
        let _ = page(&good[..end], 3);
    }
    let places = |kind: &[u8]| -> Vec<usize> { (0..good.len() - 4).filter(|i| &good[*i..i + 4] == kind).collect() };
    let controls = places(b"fcTL");
    let mended = |change: &dyn Fn(&mut Vec<u8>), at: usize, length: usize| {
        let mut bytes = good.clone();
        change(&mut bytes);
        let sum = crc(&bytes[at..at + 4 + length]).to_be_bytes();
        bytes[at + 4 + length..at + 8 + length].copy_from_slice(&sum);
        bytes
    };
    let second = controls[1];
    for (offset, value, what) in [
        (0, 9u8, "out of order"),
        (15, 7, "not inside the canvas"),
        (7, 0, "not inside the canvas"),
        (24, 3, "disposal 3"),
        (25, 2, "blending 2"),
    ] {
        let at = second + 4 + offset;
        let bytes = mended(&|b| b[at] = value, second, 26);
        let told = page(&bytes, 2).unwrap_err().to_string();
        assert!(told.contains(what) && told.contains(&format!("byte {}", second - 4)), "{offset}: {told}");
    }
    let mut wrong_sum = good.clone();
    wrong_sum[second + 9] ^= 1;
    assert!(page(&wrong_sum, 2).unwrap_err().to_string().contains("checksum"));
    // The pixels of the second frame are not those of Deflate: it alone is damaged.
    let data = places(b"fdAT")[0];
    let mut bad = good.clone();
    bad[data + 8] ^= 0xff;
    assert!(page(&bad, 2).unwrap_err().to_string().contains("unpacked"));
    let mut options = ReadOptions::default().salvage();
    options.page = 2;
    let (salvaged, damage) = Reader::from_seekable(std::io::Cursor::new(bad), options).unwrap().read_damaged().unwrap();
    assert!(damage.is_some() && salvaged.size().width == 12);
    // A declared number that is not the true one is remarked on.
    let actl = places(b"acTL")[0];
    let bytes = mended(&|b| b[actl + 7] = 9, actl, 8);
    let facts = rahmen::file::facts_from(bytes.as_slice(), ReadOptions::default()).unwrap();
    assert_eq!(facts.pages, 3);
    assert!(facts.remarks.iter().any(|r| r.contains("declares 9 frames and has 3")), "{:?}", facts.remarks);
    assert!(page(&mended(&|b| b[actl + 7] = 0, actl, 8), 1).unwrap_err().to_string().contains("acTL"));
}
