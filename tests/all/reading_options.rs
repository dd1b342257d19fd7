//! What is asked for by name while reading: pages, gray, colour, indices, depths, windows, orientation.
#![cfg(all(feature = "png", feature = "pnm", feature = "bmp", feature = "tga", feature = "pfm"))]

use crate::common::{Dribble, chunk, noise, png_of_samples};
use rahmen::convert::depth::Window;
use rahmen::file::{ReadAs, ReadOptions, Reader, facts_with, read_from, read_with};
use rahmen::frame::Orientation;
use rahmen::{Depth, ErrorKind, Frame, Gray, Layout, Meaning, Metadata, Picture, PixelFormat, Rgb, Rgba, Size};
use std::io::Cursor;
use std::path::Path;

fn anywhere(bytes: &[u8], options: ReadOptions) -> rahmen::Result<Picture> {
    Reader::from_seekable(Cursor::new(bytes.to_vec()), options).and_then(Reader::read_whole)
}

fn stream(bytes: &[u8], options: ReadOptions) -> rahmen::Result<Picture> {
    read_from(Dribble { bytes: bytes.to_vec(), at: 0, each: 5 }, options)
}

#[test]
fn each_picture_of_a_stream_of_maps_is_a_page() {
    let file = [&b"P5\n2 1\n255\nab"[..], b"P6\n1 2\n255\ncdefgh", b"P4\n3 1\n\xa0", b"\n"].concat();
    for read in [anywhere, stream] {
        let page = |n| read(&file, ReadOptions::default().page(n));
        assert_eq!(page(1).unwrap().view::<Gray<u8>>().unwrap().to_frame().samples(), b"ab");
        assert_eq!(page(2).unwrap().view::<Rgb<u8>>().unwrap().to_frame().samples(), b"cdefgh");
        // One is black in a bit map.
        assert_eq!(page(3).unwrap().view::<Gray<u8>>().unwrap().to_frame().samples(), [0, 255, 0]);
        assert!(page(4).is_err());
        let mut few = ReadOptions::default();
        few.limits.pages = 2;
        assert!(read(&file, few.page(3)).unwrap_err().to_string().contains("limit of 2"));
    }
    let reader = Reader::from_seekable(Cursor::new(file.clone()), ReadOptions::default()).unwrap();
    assert_eq!(reader.facts().pages, 3);
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("three.pnm");
    std::fs::write(&path, &file).unwrap();
    let facts = facts_with(&path, ReadOptions::default().page(2)).unwrap();
    assert_eq!((facts.size, facts.pages), (Size::new(1, 2), 3));
    // A format of one picture has no second.
    let png = folder.path().join("one.png");
    rahmen::write(&png, &anywhere(&file, ReadOptions::default()).unwrap()).unwrap();
    assert!(read_with(&png, ReadOptions::default().page(2)).unwrap_err().to_string().contains("page"));
}

#[test]
fn gray_colour_depth_and_window_are_applied_in_a_fixed_order() {
    let file = b"P6\n2 1\n255\n\xff\xff\xff\x00\x80\xff";
    let gray = stream(file, ReadOptions::default().read_as(ReadAs::Gray)).unwrap();
    // 0.7152 * 128 + 0.0722 * 255 = 109.96.
    assert_eq!(gray.view::<Gray<u8>>().unwrap().to_frame().samples(), [255, 110]);
    let wide = stream(file, ReadOptions::default().depth(Depth::U16)).unwrap();
    assert_eq!(wide.view::<Rgb<u16>>().unwrap()[(1, 0)], Rgb::new(0, 128 * 257, 65_535));
    let color = stream(b"P5 1 1 255 \x07", ReadOptions::default().read_as(ReadAs::Color)).unwrap();
    assert_eq!(color.view::<Rgb<u8>>().unwrap()[(0, 0)], Rgb::new(7, 7, 7));
    let metres = [b"Pf\n2 1\n-1\n".as_slice(), &2.0f32.to_le_bytes(), &5.0f32.to_le_bytes()].concat();
    let window = ReadOptions::default().window(Window::new(0.0, 8.0).unwrap());
    let seen = stream(&metres, window.clone().depth(Depth::U8)).unwrap();
    // 2 / 8 * 255 = 63.75; 5 / 8 * 255 = 159.375.
    assert_eq!(seen.view::<Gray<u8>>().unwrap().to_frame().samples(), [64, 159]);
    let seen = stream(&metres, window.depth(Depth::U8).read_as(ReadAs::Color)).unwrap();
    assert_eq!(seen.view::<Rgb<u8>>().unwrap()[(0, 0)], Rgb::new(64, 64, 64));
    assert!(stream(&metres, ReadOptions::default().depth(Depth::U8)).unwrap_err().to_string().contains("window"));
}

#[test]
fn an_orientation_is_applied_when_asked_for_and_never_twice() {
    let folder = tempfile::tempdir().unwrap();
    let (a, b) = (folder.path().join("a.png"), folder.path().join("b.png"));
    let frame = Frame::from_fn(Size::new(3, 2), |x, y| Gray::new((10 * y + x) as u8)).unwrap();
    for exif in 1..=8u16 {
        let mut picture = Picture::new(frame.clone(), Metadata::default());
        picture.metadata_mut().orientation = Orientation::from_exif(exif).unwrap();
        rahmen::write(&a, &picture).unwrap();
        let stored = rahmen::read(&a).unwrap();
        assert!(stored.content() == picture.content() && stored.metadata().orientation.exif() == exif);
        let upright = read_with(&a, ReadOptions::default().upright()).unwrap();
        assert!(upright.metadata().orientation.is_upright());
        assert_eq!(upright.size(), if exif > 4 { Size::new(2, 3) } else { Size::new(3, 2) });
        // Where the stored pixel (0, 0) belongs (EXIF 2.3, 4.6.4 A): first row is top, right, bottom or left ...
        let [right, lower] = [upright.size().width - 1, upright.size().height - 1];
        let place = [(0, 0), (right, 0), (right, lower), (0, lower), (0, 0), (right, 0), (right, lower), (0, lower)];
        assert_eq!(upright.view::<Gray<u8>>().unwrap()[place[usize::from(exif) - 1]].value, 0, "{exif}");
        rahmen::write(&b, &upright).unwrap();
        assert!(read_with(&b, ReadOptions::default().upright()).unwrap().content() == upright.content());
    }
}

fn chunk_of(file: &[u8], kind: &[u8; 4]) -> Option<Vec<u8>> {
    let mut at = 8;
    while at + 8 <= file.len() {
        let length = u32::from_be_bytes(file[at..at + 4].try_into().unwrap()) as usize;
        if &file[at + 4..at + 8] == kind {
            return Some(file[at + 8..at + 8 + length].to_vec());
        }
        at += 12 + length;
    }
    None
}

#[test]
fn a_palette_picture_gives_numbers_and_palette_and_is_written_as_one() {
    let folder = tempfile::tempdir().unwrap();
    for (count, bits) in [(1usize, 1u8), (2, 1), (3, 2), (4, 2), (5, 4), (16, 4), (17, 8), (256, 8)] {
        let colors = noise(3 * count, count as u32);
        let indices: Vec<u16> = noise(11 * 5, 3).iter().map(|&v| u16::from(v) % count as u16).collect();
        let alpha: Vec<u8> = (0..count).map(|i| if i == count / 2 { 40 } else { 255 }).collect();
        let chunks = [chunk(b"PLTE", &colors), chunk(b"tRNS", &alpha)];
        let file = png_of_samples((11, 5), (3, bits), &indices, bits == 4, &|_| 0, &chunks);
        let options = ReadOptions::default().read_as(ReadAs::Indices);
        let picture = stream(&file, options.clone()).unwrap();
        assert_eq!(picture.metadata().meaning, Meaning::Indices);
        let numbers: Vec<u16> =
            picture.view::<Gray<u8>>().unwrap().to_frame().samples().iter().map(|&v| v.into()).collect();
        assert_eq!(numbers, indices);
        let palette = picture.metadata().palette.clone().unwrap();
        let want: Vec<Rgba<u8>> = colors.chunks(3).zip(&alpha).map(|(c, &a)| Rgba::new(c[0], c[1], c[2], a)).collect();
        assert_eq!(palette.colors(), want);
        // Written, it is a palette picture of as many bits, and looks the same.
        let path = folder.path().join("a.png");
        rahmen::write(&path, &picture).unwrap();
        let written = std::fs::read(&path).unwrap();
        assert_eq!(chunk_of(&written, b"IHDR").unwrap()[8..10], [bits, 3]);
        assert_eq!(chunk_of(&written, b"PLTE").unwrap(), colors);
        assert_eq!(chunk_of(&written, b"tRNS").unwrap(), alpha[..=count / 2]);
        assert!(read_with(&path, options).unwrap().content() == picture.content());
        assert!(rahmen::read(&path).unwrap() == stream(&file, ReadOptions::default()).unwrap());
        let tga = folder.path().join("a.tga");
        rahmen::write(&tga, &picture).unwrap();
        assert!(rahmen::read(&tga).unwrap().content() == rahmen::read(&path).unwrap().content());
        let refused = rahmen::write(folder.path().join("a.bmp"), &picture).unwrap_err();
        assert!(matches!(refused.kind(), ErrorKind::CannotHold { .. }), "{refused}");
    }
}

#[test]
fn any_picture_of_at_most_256_colours_can_be_numbered() {
    let folder = tempfile::tempdir().unwrap();
    let frame = Frame::from_fn(Size::new(20, 20), |x, y| Rgb::new((x % 7) as u8 * 30, (y % 5) as u8, 9)).unwrap();
    let indices = ReadOptions::default().read_as(ReadAs::Indices);
    for name in ["a.png", "a.ppm", "a.bmp", "a.tga"] {
        let path = folder.path().join(name);
        rahmen::write(&path, &frame.clone()).unwrap();
        let bytes = std::fs::read(&path).unwrap();
        for picture in [read_with(&path, indices.clone()).unwrap(), stream(&bytes, indices.clone()).unwrap()] {
            let palette = picture.metadata().palette.clone().unwrap();
            assert_eq!(palette.colors().len(), 35, "{name}");
            let named = |p: Gray<u8>| palette.colors()[usize::from(p.value)];
            let view = picture.view::<Gray<u8>>().unwrap();
            let same = view
                .rows()
                .zip(frame.rows())
                .all(|(row, want)| row.iter().zip(want).all(|(i, p)| named(*i) == Rgba::new(p.r, p.g, p.b, 255)));
            assert!(same, "{name}");
            for extension in ["png", "bmp", "tga"] {
                let again = folder.path().join(format!("again.{extension}"));
                rahmen::write(&again, &picture).unwrap();
                assert!(rahmen::read(&again).unwrap().frame::<Rgb<u8>>().unwrap() == frame, "{name} as {extension}");
            }
        }
    }
    let path: &Path = &folder.path().join("many.png");
    let many = Frame::from_fn(Size::new(300, 1), |x, _| Rgb::new(x as u8, (x >> 8) as u8, 0)).unwrap();
    rahmen::write(path, &many).unwrap();
    assert!(read_with(path, indices).unwrap_err().to_string().contains("more than 256 colours"));
}

#[test]
fn gray_and_colour_come_in_the_same_depth_and_order_whatever_the_format() {
    let folder = tempfile::tempdir().unwrap();
    let size = Size::new(9, 4);
    let rgb: Picture = Frame::from_fn(size, |x, y| Rgb::new(x as u8, 100 + y as u8, 200)).unwrap().into();
    let gray: Picture = Frame::from_fn(size, |x, y| Gray::new((x + 10 * y) as u8)).unwrap().into();
    let rgb_names = ["a.png", "a.ppm", "a.pam", "a.bmp", "a.tga", "a.qoi", "a.npy"];
    let gray_names = ["b.png", "b.pgm", "b.pam", "b.bmp", "b.tga", "b.npy"];
    for (picture, layout, names) in [(rgb, Layout::Rgb, &rgb_names[..]), (gray, Layout::Gray, &gray_names)] {
        for name in names {
            let path = folder.path().join(name);
            rahmen::write(&path, &picture).unwrap();
            let back = rahmen::read(&path).unwrap();
            assert_eq!(back.pixel_format(), PixelFormat::Pixels { depth: Depth::U8, layout }, "{name}");
            assert!(back.content() == picture.content(), "{name}");
        }
    }
}
