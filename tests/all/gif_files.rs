//! GIF files put together from the specification and read, written and taken apart again: frames, disposal, palettes, timing.
#![cfg(feature = "gif")]

use crate::common::gif::{self, File, Frame};
use crate::common::{Dribble, noise};
use rahmen::file::{Limits, ReadAs, ReadOptions, Reader, WriteOptions, Writer, decode, encode, facts_from, read_from};
use rahmen::flow::{Sink, Source, Strip};
use rahmen::frame::{Palette, SamplesRef, Text};
use rahmen::tone::{Dither, PaletteRules};
use rahmen::{FileFormat, Frame as Pixels, Gray, Layout, Meaning, Metadata, Picture, PixelFormat, Rgb, Rgba, Size};
use std::io::Cursor;

fn samples_of(picture: &Picture) -> Vec<u8> {
    match picture.pixels().unwrap().samples() {
        SamplesRef::U8(s) => s.to_vec(),
        _ => panic!("bytes"),
    }
}

fn colors(count: usize, seed: u32) -> Vec<[u8; 3]> {
    noise(count * 3, seed).chunks(3).map(|c| [c[0], c[1], c[2]]).collect()
}

fn still(size: (u16, u16), palette: Vec<[u8; 3]>, seed: u32) -> File {
    let count = palette.len();
    let all = usize::from(size.0) * usize::from(size.1);
    let indices = noise(all, seed).iter().map(|&v| (usize::from(v) % count) as u8).collect();
    let frame = Frame { size, indices, ..Frame::default() };
    File { version: b"GIF89a", screen: size, palette, frames: vec![frame], repeats: None, comment: None }
}

/// In one piece, as a stream, and row by row, the same all ways.
fn read(bytes: &[u8], options: ReadOptions) -> Picture {
    let whole = decode(bytes, options.clone()).unwrap();
    assert!(read_from(Dribble { bytes: bytes.to_vec(), at: 0, each: 7 }, options).unwrap() == whole);
    whole
}

#[test]
fn palettes_of_every_size_are_expanded_interlaced_or_not() {
    for count in [2usize, 3, 4, 7, 8, 16, 31, 64, 128, 200, 256] {
        for size in [(1, 1), (5, 3), (61, 40), (300, 17)] {
            for (version, interlaced, local) in
                [(b"GIF87a", false, false), (b"GIF89a", true, false), (b"GIF89a", false, true)]
            {
                let palette = colors(count, 3);
                let mut file = still(size, palette.clone(), 5);
                file.version = version;
                file.frames[0].interlaced = interlaced;
                if local {
                    file.palette = colors(5, 9);
                    file.frames[0].palette = palette.clone();
                }
                let bytes = file.bytes();
                let picture = read(&bytes, ReadOptions::default());
                assert_eq!(
                    picture.facts().pixel_format,
                    PixelFormat::Pixels { depth: rahmen::Depth::U8, layout: Layout::Rgb }
                );
                let want: Vec<u8> = file.frames[0].indices.iter().flat_map(|&i| palette[usize::from(i)]).collect();
                assert!(samples_of(&picture) == want, "{count} {size:?} {interlaced} {local}");
                let numbered = read(&bytes, ReadOptions::default().read_as(ReadAs::Indices));
                assert!(samples_of(&numbered) == file.frames[0].indices);
                let found = numbered.metadata().palette.clone().unwrap();
                assert!(palette.iter().zip(found.colors()).all(|(a, b)| *a == [b.r, b.g, b.b]));
            }
        }
    }
}

/// What a viewer shows after each frame: the rules of section 23, pixel by pixel.
fn shown(file: &File) -> Vec<Vec<[u8; 4]>> {
    let (w, h) = (usize::from(file.screen.0), usize::from(file.screen.1));
    let mut canvas = vec![[0u8; 4]; w * h];
    let mut out = Vec::new();
    for frame in &file.frames {
        let before = canvas.clone();
        let palette = if frame.palette.is_empty() { &file.palette } else { &frame.palette };
        let mut covered = Vec::new();
        for y in 0..usize::from(frame.size.1) {
            for x in 0..usize::from(frame.size.0) {
                let (cx, cy) = (x + usize::from(frame.at.0), y + usize::from(frame.at.1));
                if cx >= w || cy >= h {
                    continue;
                }
                covered.push(cy * w + cx);
                let index = frame.indices[y * usize::from(frame.size.0) + x];
                if frame.transparent != Some(index) {
                    let [r, g, b] = palette[usize::from(index)];
                    canvas[cy * w + cx] = [r, g, b, 255];
                }
            }
        }
        out.push(canvas.clone());
        match frame.disposal {
            2 => covered.iter().for_each(|&i| canvas[i] = [0; 4]),
            3 => canvas = before,
            _ => {}
        }
    }
    out
}

fn animation() -> File {
    let mut file = still((40, 30), colors(16, 1), 2);
    file.repeats = Some(4);
    file.comment = Some("the tide at Grauwick");
    let mut add = |at, size: (u16, u16), disposal, transparent, delay, interlaced, own: bool| {
        let count = usize::from(size.0) * usize::from(size.1);
        let n = file.frames.len() as u32;
        let indices = noise(count, 10 + n).iter().map(|v| v % 16).collect();
        let palette = if own { colors(16, 50 + n) } else { Vec::new() };
        file.frames.push(Frame { at, size, indices, palette, interlaced, transparent, disposal, delay });
    };
    add((5, 4), (20, 11), 1, Some(3), 7, false, false);
    add((0, 0), (40, 30), 2, Some(0), 100, true, true);
    add((30, 20), (30, 30), 3, Some(5), 0, false, false);
    add((10, 0), (3, 30), 2, None, 12, true, true);
    add((2, 2), (20, 20), 3, None, 65_535, false, false);
    add((0, 10), (40, 1), 0, Some(1), 3, false, true);
    file
}

#[test]
fn frames_are_drawn_over_those_before_as_their_disposal_says() {
    let file = animation();
    let bytes = file.bytes();
    let shown = shown(&file);
    let mut reader = Reader::from_seekable(Cursor::new(bytes.clone()), ReadOptions::default()).unwrap();
    for (i, want) in shown.iter().enumerate() {
        let page = i as u32 + 1;
        let picture = read(&bytes, ReadOptions::default().page(page));
        assert!(samples_of(&picture) == want.concat(), "frame {page}");
        assert_eq!(picture.metadata().delay, Some(f64::from(file.frames[i].delay) / 100.0));
        // The same when they are gone through in turn.
        if i > 0 {
            assert!(reader.next_page().unwrap());
        }
        let mut rows = Vec::new();
        while let Some(strip) = reader.next(7).unwrap() {
            rows.extend(samples_of(&Picture::new(strip.content, Metadata::default())));
        }
        assert!(rows == want.concat(), "frame {page} in turn");
    }
    assert!(!reader.next_page().unwrap());
    let facts = facts_from(bytes.as_slice(), ReadOptions::default()).unwrap();
    assert_eq!((facts.pages, facts.plays), (7, Some(5)));
    assert_eq!(facts.page_list[2].delay, Some(1.0));
    assert_eq!(facts.metadata.text, [Text { keyword: "Comment".into(), text: "the tide at Grauwick".into() }]);
    // By itself, a frame is what it holds.
    for (i, frame) in file.frames.iter().enumerate() {
        let options = ReadOptions::default().page(i as u32 + 1);
        let alone = read(&bytes, options.clone().frames_alone());
        assert_eq!(alone.size(), Size::new(frame.size.0.into(), frame.size.1.into()));
        let palette = if frame.palette.is_empty() { &file.palette } else { &frame.palette };
        let want: Vec<u8> = frame
            .indices
            .iter()
            .flat_map(|&i| {
                let [r, g, b] = palette[usize::from(i)];
                match frame.transparent {
                    Some(clear) if clear == i => vec![0, 0, 0, 0],
                    Some(_) => vec![r, g, b, 255],
                    None => vec![r, g, b],
                }
            })
            .collect();
        assert!(samples_of(&alone) == want, "frame {i} alone");
        assert!(samples_of(&read(&bytes, options.read_as(ReadAs::Indices))) == frame.indices);
    }
}

fn indexed(size: Size, palette: &[Rgba<u8>], seed: u32) -> Picture {
    let numbers = noise(size.pixels() as usize, seed).iter().map(|&v| (usize::from(v) % palette.len()) as u8).collect();
    let mut m = Metadata::default();
    m.meaning = Meaning::Indices;
    m.palette = Some(Palette::new(palette.to_vec()).unwrap());
    Picture::new(Pixels::<Gray<u8>>::from_samples(size, numbers).unwrap(), m)
}

#[test]
fn stills_and_animations_are_what_other_readers_find() {
    let rgba = |seed: u32, count: usize| -> Vec<Rgba<u8>> {
        colors(count, seed).iter().map(|c| Rgba::new(c[0], c[1], c[2], 255)).collect()
    };
    for count in [1usize, 2, 3, 16, 17, 200, 256] {
        for size in [Size::new(1, 1), Size::new(33, 20), Size::new(500, 90)] {
            let mut palette = rgba(4, count);
            if count == 17 {
                palette[5].a = 0;
            }
            let picture = indexed(size, &palette, 8);
            let bytes = encode(&picture, FileFormat::Gif, WriteOptions::default()).unwrap();
            let found = gif::parse(&bytes);
            assert_eq!(
                (found.screen, found.frames.len(), found.repeats),
                ((size.width as u16, size.height as u16), 1, None)
            );
            assert!(found.frames[0].indices == samples_of(&picture), "{count} {size}");
            assert_eq!(found.frames[0].transparent, (count == 17).then_some(5));
            assert!(palette.iter().zip(&found.palette).all(|(a, b)| [a.r, a.g, a.b] == *b));
            let back = decode(&bytes, ReadOptions::default().read_as(ReadAs::Indices)).unwrap();
            assert!(samples_of(&back) == samples_of(&picture));
        }
    }
    let pages: Vec<Picture> = (0..4u32)
        .map(|i| {
            let mut page = indexed(Size::new(30, 20 - i), &rgba(i / 2, 16), i);
            page.metadata_mut().delay = Some(f64::from(i) * 0.25);
            page
        })
        .collect();
    for (plays, repeats) in [(0, Some(0)), (1, None), (3, Some(2))] {
        let mut bytes = Vec::new();
        let options = WriteOptions::default().format(FileFormat::Gif).pages(4).plays(plays);
        let mut writer = Writer::to_stream(&mut bytes, &pages[0].facts(), options).unwrap();
        for (i, page) in pages.iter().enumerate() {
            if i > 0 {
                writer.next_page(&page.facts()).unwrap();
            }
            writer.put(&Strip { first_row: 0, content: page.content().clone() }).unwrap();
        }
        writer.finish().unwrap();
        drop(writer);
        let found = gif::parse(&bytes);
        assert_eq!((found.frames.len(), found.repeats), (4, repeats));
        for (i, (frame, page)) in found.frames.iter().zip(&pages).enumerate() {
            assert!(frame.indices == samples_of(page));
            assert_eq!(frame.delay, i as u16 * 25);
            // The first two share a palette, the others have theirs.
            assert_eq!(frame.palette.is_empty(), i < 2);
        }
        assert_eq!(facts_from(bytes.as_slice(), ReadOptions::default()).unwrap().plays, Some(plays));
    }
}

#[test]
fn what_a_palette_cannot_hold_is_refused_with_the_remedy() {
    let frame = Pixels::filled(Size::new(3, 3), Rgb::new(1u8, 2, 3)).unwrap();
    let error = encode(&frame, FileFormat::Gif, WriteOptions::default()).unwrap_err();
    assert_eq!(error.help(), [rahmen::Help::Palette]);
    let wide = indexed(Size::new(65_536, 1), &[Rgba::new(0, 0, 0, 255)], 1);
    assert!(encode(&wide, FileFormat::Gif, WriteOptions::default()).unwrap_err().to_string().contains("65535"));
}

#[test]
fn photographs_become_palettes_that_come_near() {
    let size = Size::new(200, 150);
    let smooth = Pixels::from_fn(size, |x, y| {
        Rgb::new((x * 255 / 200) as u8, (y * 255 / 150) as u8, ((x + y) * 255 / 350) as u8)
    })
    .unwrap();
    let png = encode(&smooth, FileFormat::Png, WriteOptions::default()).unwrap();
    let mut before = f64::MAX;
    for (count, most) in [(4u16, 60.0), (16, 25.0), (64, 13.0), (256, 7.0)] {
        let rules = PaletteRules::colors(count);
        let indices = decode(&png, ReadOptions::default().reduced_to_palette(rules)).unwrap();
        assert!(indices.metadata().palette.as_ref().unwrap().colors().len() <= usize::from(count));
        let gif = encode(&indices, FileFormat::Gif, WriteOptions::default()).unwrap();
        let back: Pixels<Rgb<u8>> = decode(&gif, ReadOptions::default()).unwrap().frame().unwrap();
        let sum: f64 =
            back.samples().iter().zip(smooth.samples()).map(|(a, b)| (f64::from(*a) - f64::from(*b)).powi(2)).sum();
        let error = (sum / back.samples().len() as f64).sqrt();
        assert!(error < most && error < before, "{count} colours: {error}");
        before = error;
        // Areas of 10 x 10 come nearer to their mean than they do undithered.
        let apart = |dither: Dither| {
            let indices = decode(&png, ReadOptions::default().reduced_to_palette(rules.dither(dither))).unwrap();
            let back =
                decode(&encode(&indices, FileFormat::Gif, WriteOptions::default()).unwrap(), ReadOptions::default());
            let back = samples_of(&back.unwrap());
            let mean = |of: &[u8], b: usize, c: usize| {
                let (bx, by) = (b % 20, b / 20);
                (0..100).map(|i| f64::from(of[((by * 10 + i / 10) * 200 + bx * 10 + i % 10) * 3 + c])).sum::<f64>()
                    / 100.0
            };
            (0..900).map(|i| (mean(&back, i / 3, i % 3) - mean(smooth.samples(), i / 3, i % 3)).abs()).sum::<f64>()
                / 900.0
        };
        let (none, ordered, diffusion) = (apart(Dither::None), apart(Dither::Ordered), apart(Dither::Diffusion));
        // Four colours, each a mean, leave most of what there is outside of all that they can mix.
        let part = if count == 4 { 1.0 } else { 0.6 };
        assert!(ordered < none && diffusion < part * none, "{count}: {none} {ordered} {diffusion}");
    }
}

#[test]
fn damaged_files_end_cleanly_and_give_what_they_have() {
    let file = animation();
    let bytes = file.bytes();
    for end in 0..bytes.len() {
        for options in [ReadOptions::default(), ReadOptions::default().page(3), ReadOptions::default().salvage_filled()]
        {
            for page in [1, 2, 7] {
                let _ = decode(&bytes[..end], options.clone().page(page));
            }
        }
        let _ = facts_from(&bytes[..end], ReadOptions::default());
    }
    for i in 0..3000usize {
        let random = noise(6, i as u32);
        let mut changed = bytes.clone();
        let at = (usize::from(random[0]) << 8 | usize::from(random[1])) % changed.len();
        changed[at] = if random[2] & 1 == 0 { random[3] } else { changed[at] ^ 1 << (random[3] % 8) };
        let limits = Limits::default().memory(16 << 20);
        for page in [1, 7] {
            let _ = decode(&changed, ReadOptions::default().limits(limits).page(page));
        }
        let _ = decode(&changed, ReadOptions::default().limits(limits).salvage());
    }
    // Half of a still: its upper rows.
    let still = still((40, 40), colors(16, 2), 4);
    let whole = still.bytes();
    let cut = &whole[..whole.len() / 2];
    let error = decode(cut, ReadOptions::default()).unwrap_err().to_string();
    assert!(error.contains("frame 1"), "{error}");
    let reader = Reader::from_seekable(Cursor::new(cut.to_vec()), ReadOptions::default().salvage_filled()).unwrap();
    let (picture, damage) = reader.read_damaged().unwrap();
    let good = damage.unwrap().lost[0].start as usize;
    assert!((10..30).contains(&good), "{good}");
    let want: Vec<u8> = still.frames[0].indices.iter().flat_map(|&i| still.palette[usize::from(i)]).collect();
    assert!(samples_of(&picture)[..good * 120] == want[..good * 120]);
}

#[test]
fn frames_by_the_million_and_frames_of_nothing_are_bounded() {
    let mut file = still((1, 1), colors(2, 1), 1);
    let one = file.frames[0].clone();
    file.frames = vec![one; 2000];
    let bytes = file.bytes();
    assert_eq!(facts_from(bytes.as_slice(), ReadOptions::default()).unwrap().pages, 2000);
    let limited = ReadOptions::default().limits(Limits::default().pages(1999));
    assert!(decode(&bytes, limited).unwrap_err().to_string().contains("over the limit of 1999"));
    // Frames that claim the largest canvas and hold next to nothing.
    let mut file = still((1, 1), colors(2, 1), 1);
    file.screen = (65_535, 65_535);
    let budget = rahmen::MemoryBudget::new(1 << 20);
    let error = decode(&file.bytes(), ReadOptions::default().budget(&budget)).unwrap_err();
    assert!(matches!(error.kind(), rahmen::ErrorKind::Limit { .. }), "{error}");
}
