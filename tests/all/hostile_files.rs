//! Files cut at every byte and changed at random: an error or a picture, never a panic, never more memory than the limit.
#![cfg(all(
    feature = "png",
    feature = "jpeg",
    feature = "pnm",
    feature = "pfm",
    feature = "bmp",
    feature = "tga",
    feature = "qoi",
    feature = "npy",
    feature = "raw"
))]

use crate::common::{Dribble, chunk, jpeg, noise, png_of_samples};
use rahmen::file::{Limits, ReadAs, ReadOptions, Reader, read_from};
use rahmen::flow::Source;
use rahmen::frame::RawLayout;
use rahmen::{Frame, Gray, Picture, Planes, Rgb, Rgba, Size};
use std::io::{Cursor, Read};

/// A small file.
struct Sample {
    name: String,
    bytes: Vec<u8>,
    options: ReadOptions,
    /// Cut to so many bytes or more it is still a picture: what follows may be missing.
    enough: usize,
}

/// Small files of every kind, from the library's writers and from the tests' own.
fn corpus() -> Vec<Sample> {
    let size = Size::new(7, 5);
    let rgb = Frame::random(size, Rgb::default(), Rgb::new(255u8, 255, 255), 1).unwrap();
    let rgba = Frame::random(size, Rgba::default(), Rgba::new(255u8, 255, 255, 255), 2).unwrap();
    let gray = Frame::random(size, Gray::new(0u16), Gray::new(65_535), 3).unwrap();
    let floats = Frame::random(size, Gray::new(-1.0f32), Gray::new(1.0), 4).unwrap();
    let wide = Frame::from_fn(size, |x, y| Gray::new(i64::from(x) << y)).unwrap();
    let planes = Planes::new(size).with("0", wide.clone()).unwrap().with("1", wide).unwrap();
    let folder = tempfile::tempdir().unwrap();
    let mut all = Vec::new();
    let mut add = |name: &str, picture: &Picture| {
        let path = folder.path().join(name);
        rahmen::write(&path, picture).unwrap();
        let bytes = std::fs::read(path).unwrap();
        // Extension area and footer.
        let enough = if name.ends_with("tga") { bytes.len() - 495 - 26 } else { bytes.len() };
        all.push(Sample { name: name.to_string(), bytes, options: options(), enough });
    };
    for name in ["a.png", "a.ppm", "a.bmp", "a.tga", "a.qoi", "a.pam", "a.npy"] {
        add(name, &rgb.clone().into());
    }
    for name in ["b.png", "b.bmp", "b.tga", "b.qoi", "b.pam"] {
        add(name, &rgba.clone().into());
    }
    for name in ["c.png", "c.pgm", "c.pam", "c.npy"] {
        add(name, &gray.clone().into());
    }
    add("d.pfm", &floats.into());
    add("e.npy", &planes.into());
    let mut add = |name: &str, bytes: Vec<u8>, options: ReadOptions| {
        let enough = bytes.len() - usize::from(name == "plain");
        all.push(Sample { name: name.to_string(), bytes, options, enough });
    };
    let palette = [chunk(b"PLTE", &noise(12, 1)), chunk(b"tRNS", &[9, 90])];
    let indices: Vec<u16> = (0..35).map(|i| i % 4).collect();
    let numbered =
        |bits, interlaced| png_of_samples((7, 5), (3, bits), &indices, interlaced, &|y| y as u8 % 5, &palette);
    add("interlaced", numbered(2, true), options());
    add("indices", numbered(4, false), options().read_as(ReadAs::Indices));
    // A plain map may end with its last digit, whatever stood behind it.
    add("plain", b"P3 # low\n2 2 9\n1 2 3 4 5 6\n7 8 9 0 1 2\n".to_vec(), options());
    add("bits", b"P1 3 2 101 010".to_vec(), options());
    let pages = [&b"P5 2 2 255 abcd"[..], b"P4 9 1\n\xaa\x80"].concat();
    add("second page", pages, options().page(2));
    // Runs and offsets of both kinds of a bitmap, the lowest row first.
    let runs = |bits: u8, pixels: &[u8]| {
        let colors: Vec<u8> = noise(4 << bits, 5);
        let at = 54 + colors.len() as u32;
        let mut out = b"BM".to_vec();
        [at + pixels.len() as u32, 0, at, 40, 7, 3].iter().for_each(|n| out.extend(n.to_le_bytes()));
        out.extend([1, 0, bits, 0]);
        let packing = if bits == 8 { 1u32 } else { 2 };
        [packing, pixels.len() as u32, 0, 0, 0, 0].iter().for_each(|n| out.extend(n.to_le_bytes()));
        [out, colors, pixels.to_vec()].concat()
    };
    add("runs of 8", runs(8, &[7, 9, 0, 0, 0, 3, 1, 2, 3, 0, 4, 8, 0, 0, 0, 2, 1, 0, 6, 6, 0, 1]), options());
    add("runs of 4", runs(4, &[7, 0x9a, 0, 0, 0, 5, 0x12, 0x34, 0x50, 0, 2, 8, 0, 0, 7, 6, 0, 1]), options());
    for (name, descriptor) in [("packets", 0x20u8), ("packets from below", 0)] {
        let mut bytes = vec![0, 0, 10, 0, 0, 0, 0, 0, 0, 0, 0, 0, 7, 0, 5, 0, 24, descriptor];
        (0..5u8).for_each(|y| bytes.extend([0x84, y, 2, 3, 1, 4, 5, 6, 7, 8, y]));
        add(name, bytes, options());
    }
    let columns = b"\x93NUMPY\x01\0\x3c\0{'descr': '>u2', 'fortran_order': True, 'shape': (3, 4)}   \n";
    add("columns", [columns.as_slice(), &noise(24, 4)].concat(), options());
    for (name, frame, scans, interval) in [
        ("baseline", 0xc0u8, jpeg::sequential(3)[0].clone(), 2usize),
        ("scans", 0xc1, jpeg::sequential(3)[2].clone(), 0),
        ("progressive", 0xc2, jpeg::progressive(3)[2].clone(), 3),
    ] {
        let planes = jpeg::planes(33, 20, &[(2, 2), (1, 1), (1, 1)], 8);
        let (ids, segments) = (vec![1, 2, 3], jpeg::segment(0xfe, b"a comment"));
        let (step, skewed) = (9, true);
        let file = jpeg::Jpeg {
            width: 33,
            height: 20,
            bits: 8,
            frame,
            planes,
            ids,
            step,
            wide_quantiser: false,
            interval,
            scans,
            skewed,
            segments,
            late_height: false,
        };
        add(name, file.file(), options());
    }
    let layout = RawLayout::from_words("order=bgr depth=u8 size=3x4 stride=11 offset=2 rows=bottom-up", None).unwrap();
    add("raw", noise(layout.bytes_needed().unwrap(), 5), options().raw(layout));
    all
}

fn options() -> ReadOptions {
    ReadOptions::default().limits(Limits::default().memory(1 << 20))
}

#[test]
fn cut_at_every_byte_it_is_an_error_or_what_is_left_of_the_rows() {
    for Sample { name, bytes, options, enough } in corpus() {
        let picture = read_from(Cursor::new(bytes.clone()), options).unwrap_or_else(|e| panic!("{name}: {e}"));
        for length in 0..bytes.len() {
            let part = bytes[..length].to_vec();
            let stream = read_from(Cursor::new(part.clone()), options);
            assert_eq!(stream.is_ok(), length >= enough, "{name} cut to {length}");
            let anywhere = Reader::from_seekable(Cursor::new(part.clone()), options).and_then(Reader::read_whole);
            assert_eq!(anywhere.is_ok(), length >= enough, "{name} cut to {length}, in any order");
            let Ok(reader) = Reader::from_seekable(Cursor::new(part), options.salvage_filled()) else { continue };
            let Ok((rest, damage)) = reader.read_damaged() else { continue };
            assert_eq!((rest.size(), damage.is_none()), (picture.size(), length >= enough), "{name} cut to {length}");
            let lost = damage.map_or(Vec::new(), |d| [d.lost, d.suspect].concat());
            for y in (0..rest.size().height).filter(|y| !lost.iter().any(|r| r.contains(y))) {
                let row = rest.size().region().rows(y..=y).unwrap();
                let same = rest.content().crop(row).unwrap() == picture.content().crop(row).unwrap();
                assert!(same, "{name} cut to {length}: row {y}");
            }
        }
    }
}

#[test]
fn cut_into_any_pieces_and_in_any_strips_it_is_the_same_picture() {
    for Sample { name, bytes, options, .. } in corpus() {
        let picture = read_from(Cursor::new(bytes.clone()), options).unwrap();
        let anywhere = Reader::from_seekable(Cursor::new(bytes.clone()), options).unwrap().read_whole().unwrap();
        assert!(anywhere == picture, "{name} in any order");
        for each in [1, 2, 3, 7, 64] {
            let dribble = Dribble { bytes: bytes.clone(), at: 0, each };
            assert!(read_from(dribble, options).unwrap() == picture, "{name} by {each}");
        }
        for cut in 1..bytes.len() {
            let (head, tail) = bytes.split_at(cut);
            let two = Cursor::new(head.to_vec()).chain(Cursor::new(tail.to_vec()));
            assert!(read_from(two, options).unwrap() == picture, "{name} cut at {cut}");
        }
        for rows in 1..picture.size().height {
            let mut reader = Reader::from_read(Cursor::new(bytes.clone()), options).unwrap();
            reader.skip(1).unwrap();
            let mut y = 1;
            while let Some(strip) = reader.next(rows).unwrap() {
                let part = picture.size().region().rows(strip.rows()).unwrap();
                assert_eq!(strip.first_row, y);
                assert!(strip.content == picture.content().crop(part).unwrap(), "{name} in strips of {rows}");
                y = strip.rows().end;
            }
            assert_eq!(y, picture.size().height, "{name}");
        }
    }
}

#[test]
fn changed_at_random_it_is_an_error_or_a_picture() {
    for (seed, Sample { bytes: whole, options, .. }) in (0u32..).zip(corpus()) {
        let random = noise(4000, seed + 100);
        for change in random.chunks(10) {
            let mut bytes = whole.clone();
            for pair in change.chunks(3).take(1 + usize::from(change[9] % 3)) {
                if let &[high, low, value] = pair {
                    let at = (usize::from(high) << 8 | usize::from(low)) % bytes.len();
                    bytes[at] = [value, 0, 0xff, bytes[at] ^ (1 << (value % 8))][usize::from(value % 4)];
                }
            }
            for options in [options, options.salvage_filled()] {
                if let Ok(picture) = read_from(Cursor::new(bytes.clone()), options) {
                    assert!(picture.pixel_format().bytes(picture.size()) <= 1 << 20);
                }
            }
            let strict = Reader::from_seekable(Cursor::new(bytes.clone()), options).and_then(Reader::read_whole).ok();
            let stream = read_from(Cursor::new(bytes), options).ok();
            // A file may say more than a stream, such as what alpha means, but never other sizes.
            if let (Some(a), Some(b)) = (strict, stream) {
                assert_eq!(a.size(), b.size());
            }
        }
    }
}
