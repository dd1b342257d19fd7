//! Files cut at every byte and changed at random: an error or a picture, never a panic, never more memory than the limit.
#![cfg(all(feature = "png", feature = "pnm", feature = "pfm", feature = "bmp", feature = "qoi"))]

mod common;

use common::{Dribble, chunk, noise, png_of_samples};
use rahmen::file::{Limits, ReadOptions, read_from};
use rahmen::flow::Source;
use rahmen::{Frame, Gray, Picture, Rgb, Rgba, Size};

/// Small files of every kind, from the library's writers and from the tests' own.
fn corpus() -> Vec<(String, Vec<u8>)> {
    let size = Size::new(7, 5);
    let rgb = Frame::random(size, Rgb::default(), Rgb::new(255u8, 255, 255), 1).unwrap();
    let rgba = Frame::random(size, Rgba::default(), Rgba::new(255u8, 255, 255, 255), 2).unwrap();
    let gray = Frame::random(size, Gray::new(0u16), Gray::new(65_535), 3).unwrap();
    let floats = Frame::random(size, Gray::new(-1.0f32), Gray::new(1.0), 4).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let mut all = Vec::new();
    let mut add = |name: &str, picture: &Picture| {
        let path = folder.path().join(name);
        rahmen::write(&path, picture).unwrap();
        all.push((name.to_string(), std::fs::read(path).unwrap()));
    };
    for name in ["a.png", "a.ppm", "a.bmp", "a.qoi", "a.pam"] {
        add(name, &rgb.clone().into());
    }
    for name in ["b.png", "b.bmp", "b.qoi", "b.pam"] {
        add(name, &rgba.clone().into());
    }
    for name in ["c.png", "c.pgm", "c.pam"] {
        add(name, &gray.clone().into());
    }
    add("d.pfm", &floats.into());
    let palette = [chunk(b"PLTE", &noise(12, 1)), chunk(b"tRNS", &[9, 90])];
    let indices: Vec<u16> = (0..35).map(|i| i % 4).collect();
    all.push(("interlaced".into(), png_of_samples((7, 5), (3, 2), &indices, true, &|y| y as u8 % 5, &palette)));
    all.push(("plain".into(), b"P3 # low\n2 2 9\n1 2 3 4 5 6\n7 8 9 0 1 2\n".to_vec()));
    all.push(("bits".into(), b"P1 3 2 101 010".to_vec()));
    all
}

fn options() -> ReadOptions {
    ReadOptions::limits(Limits::default().memory(1 << 20))
}

#[test]
fn cut_at_every_byte_it_is_an_error_and_cut_into_any_pieces_it_is_the_same_picture() {
    for (name, whole) in corpus() {
        let picture = read_from(std::io::Cursor::new(whole.clone()), options()).unwrap();
        for length in 0..whole.len() {
            let part = whole[..length].to_vec();
            // A plain map may end with its last digit, whatever stood behind it.
            let complete = name == "plain" && length + 1 == whole.len();
            assert_eq!(read_from(std::io::Cursor::new(part), options()).is_ok(), complete, "{name} cut to {length}");
        }
        for each in [1, 2, 3, 7, 64] {
            let dribble = Dribble { bytes: whole.clone(), at: 0, each };
            assert!(read_from(dribble, options()).unwrap() == picture, "{name} by {each}");
        }
        // In strips, with rows passed over, it is the rows of the whole.
        let mut reader = rahmen::file::Reader::from_read(std::io::Cursor::new(whole), options()).unwrap();
        reader.skip(1).unwrap();
        let strip = reader.next(100).unwrap().unwrap();
        let rest = picture.size().region().rows(1..).unwrap();
        assert!(strip.content == picture.content().crop(rest).unwrap(), "{name} in strips");
    }
}

#[test]
fn changed_at_random_it_is_an_error_or_a_picture() {
    for (seed, (_, whole)) in (0u32..).zip(corpus()) {
        let random = noise(4000, seed + 100);
        for change in random.chunks(10) {
            let mut bytes = whole.clone();
            for pair in change.chunks(3).take(1 + usize::from(change[9] % 3)) {
                if let &[high, low, value] = pair {
                    let at = (usize::from(high) << 8 | usize::from(low)) % bytes.len();
                    bytes[at] = [value, 0, 0xff, bytes[at] ^ (1 << (value % 8))][usize::from(value % 4)];
                }
            }
            if let Ok(picture) = read_from(std::io::Cursor::new(bytes), options()) {
                assert!(picture.form().bytes(picture.size()) <= 1 << 20);
            }
        }
    }
}

#[test]
fn gray_and_colour_come_in_the_same_depth_and_order_whatever_the_format() {
    let folder = tempfile::tempdir().unwrap();
    let size = Size::new(9, 4);
    let rgb: Picture = Frame::from_fn(size, |x, y| Rgb::new(x as u8, 100 + y as u8, 200)).unwrap().into();
    let gray: Picture = Frame::from_fn(size, |x, y| Gray::new((x + 10 * y) as u8)).unwrap().into();
    for (picture, names) in
        [(rgb, &["a.png", "a.ppm", "a.pam", "a.bmp", "a.qoi"][..]), (gray, &["b.png", "b.pgm", "b.pam", "b.bmp"])]
    {
        for name in names {
            let path = folder.path().join(name);
            rahmen::write(&path, &picture).unwrap();
            assert!(rahmen::read(&path).unwrap().content() == picture.content(), "{name}");
        }
    }
}
