//! Animations of PNG both ways: put together byte by byte and shown as a viewer would, written and read by a plain reader.
#![cfg(all(feature = "png", feature = "bmp", feature = "tga", feature = "jpeg"))]

use crate::common::readers;
use crate::common::{chunk, crc, noise, png_of_samples};
use crate::written_files::{picture, samples};
use rahmen::file::{ReadOptions, Reader, WriteOptions, Writer, decode};
use rahmen::flow::{Sink, Strip};
use rahmen::frame::{Pixels, SamplesRef};
use rahmen::{Depth, FileFormat, Layout, Picture, Size};

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
            options.page = Some(page);
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
            options.page = Some(i as u32 + 1);
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
        options.page = Some(page);
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
    options.page = Some(2);
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
