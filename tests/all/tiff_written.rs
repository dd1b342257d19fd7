//! TIFF files that the library writes, read by code of the tests from the specification, and by the library again.
#![cfg(feature = "tiff")]

use crate::common::{noise, tiff};
use rahmen::file::{ReadAs, ReadOptions, Reader, TiffCompression, WriteOptions, Writer, decode, encode};
use rahmen::flow::{Sink, Strip};
use rahmen::frame::{AnyPlanes, Planes, Resolution, ResolutionUnit, Text, Time};
use rahmen::{
    Cmyk, Content, Depth, FileFormat, Frame, Gray, GrayAlpha, Meaning, Metadata, Orientation, Picture, Primaries, Rgb,
    Rgba, Size, Threads,
};
use std::sync::Arc;

const PACKINGS: [TiffCompression; 4] =
    [TiffCompression::None, TiffCompression::PackBits, TiffCompression::Lzw, TiffCompression::Deflate];

fn written(picture: &Picture, options: WriteOptions) -> Vec<u8> {
    encode(picture, FileFormat::Tiff, options).unwrap()
}

/// The bits of every sample, pixel by pixel.
fn bits_of(picture: &Picture) -> Vec<u64> {
    fn bits<T: Copy>(planes: Vec<&[T]>, bit: impl Fn(T) -> u64) -> Vec<u64> {
        (0..planes[0].len()).flat_map(|i| planes.iter().map(|p| bit(p[i])).collect::<Vec<_>>()).collect()
    }
    macro_rules! planes {
        ($p:expr, $bit:expr) => {
            bits((0..$p.len()).map(|i| $p[i].samples()).collect(), $bit)
        };
    }
    match picture.content() {
        Content::Pixels(pixels) => match pixels.samples() {
            rahmen::frame::SamplesRef::U8(s) => s.iter().map(|&v| v.into()).collect(),
            rahmen::frame::SamplesRef::U16(s) => s.iter().map(|&v| v.into()).collect(),
            rahmen::frame::SamplesRef::F32(s) => s.iter().map(|&v| v.to_bits().into()).collect(),
        },
        Content::Planes(planes) => match planes {
            AnyPlanes::U8(p) => planes!(p, |v| v.into()),
            AnyPlanes::U16(p) => planes!(p, |v| v.into()),
            AnyPlanes::U32(p) => planes!(p, |v| v.into()),
            AnyPlanes::U64(p) => planes!(p, |v| v),
            AnyPlanes::I8(p) => planes!(p, |v| u64::from(v as u8)),
            AnyPlanes::I16(p) => planes!(p, |v| u64::from(v as u16)),
            AnyPlanes::I32(p) => planes!(p, |v| u64::from(v as u32)),
            AnyPlanes::I64(p) => planes!(p, |v| v as u64),
            AnyPlanes::F32(p) => planes!(p, |v: f32| v.to_bits().into()),
            AnyPlanes::F64(p) => planes!(p, |v: f64| v.to_bits()),
        },
    }
}

/// Pictures and planes of every kind.
fn every_kind() -> Vec<Picture> {
    let size = Size::new(75, 53);
    let mut all: Vec<Picture> = vec![
        Frame::random(size, Gray::new(0u8), Gray::new(255), 1).unwrap().into(),
        Frame::random(size, GrayAlpha::new(0u8, 0), GrayAlpha::new(255, 255), 2).unwrap().into(),
        Frame::random(size, Rgb::new(0u8, 0, 0), Rgb::new(255, 255, 255), 3).unwrap().into(),
        Frame::random(size, Rgba::new(0u8, 0, 0, 0), Rgba::new(255, 255, 255, 255), 4).unwrap().into(),
        Frame::random(size, Cmyk::new(0u8, 0, 0, 0), Cmyk::new(255, 255, 255, 255), 5).unwrap().into(),
        Frame::random(size, Gray::new(0u16), Gray::new(65_535), 6).unwrap().into(),
        Frame::random(size, Rgb::new(0u16, 0, 0), Rgb::new(65_535, 65_535, 65_535), 7).unwrap().into(),
        Frame::random(size, Rgba::new(0u16, 0, 0, 0), Rgba::new(65_535, 65_535, 65_535, 65_535), 8).unwrap().into(),
        Frame::random(size, Gray::new(-3f32), Gray::new(5.0), 9).unwrap().into(),
        Frame::random(size, Rgb::new(0f32, 0.0, 0.0), Rgb::new(1.0, 2.0, 3.0), 10).unwrap().into(),
        Frame::random(size, Cmyk::new(0f32, 0.0, 0.0, 0.0), Cmyk::new(1.0, 1.0, 1.0, 1.0), 11).unwrap().into(),
    ];
    fn planes<T: rahmen::Number>(size: Size, count: usize, of: impl Fn([u8; 8]) -> T) -> AnyPlanes
    where
        AnyPlanes: From<Planes<T>>,
    {
        let mut out = Planes::new(size);
        for i in 0..count {
            let bytes = noise(8 * size.pixels() as usize, i as u32);
            let numbers = bytes.chunks(8).map(|c| of(c.try_into().unwrap())).collect();
            out.push(format!("plane {i}"), Frame::<Gray<T>>::from_samples(size, numbers).unwrap()).unwrap();
        }
        out.into()
    }
    let of = |planes: AnyPlanes| -> Picture {
        let mut m = Metadata::default();
        m.meaning = Meaning::Values { unit: Some("m".into()), range: Some((-1.5, 2.0)) };
        Picture::new(Content::Planes(planes), m)
    };
    all.extend([
        of(planes(size, 1, |b| u32::from_le_bytes([b[0], b[1], b[2], b[3]]))),
        of(planes(size, 2, u64::from_le_bytes)),
        of(planes(size, 3, |b| b[0] as i8)),
        of(planes(size, 1, |b| i16::from_le_bytes([b[0], b[1]]))),
        of(planes(size, 5, |b| i32::from_le_bytes([b[0], b[1], b[2], b[3]]))),
        of(planes(size, 1, i64::from_le_bytes)),
        of(planes(size, 7, |b| b[0])),
        of(planes(size, 2, |b| u16::from_le_bytes([b[0], b[1]]))),
        of(planes(size, 3, |b| f32::from(b[0]) - 7.5)),
        of(planes(size, 2, |b| f64::from(b[0]) * 1e-9)),
    ]);
    all
}

#[test]
fn pictures_of_every_kind_are_what_other_readers_find() {
    for picture in every_kind() {
        let kind = picture.facts().pixel_format.describe();
        let want = bits_of(&picture);
        for packing in PACKINGS {
            for tile in [0, 16, 64] {
                let options = WriteOptions::default().tiff_compression(packing).tiled(tile);
                let bytes = written(&picture, options.clone());
                assert!(
                    bytes == written(&picture, options.threads(Threads::ONE)),
                    "{kind}: the bytes do not depend on threads"
                );
                let pages = tiff::parse(&bytes);
                assert_eq!(pages.len(), 1);
                assert!(pages[0].samples == want, "{kind} {packing:?} {tile}");
                let back = decode(&bytes, ReadOptions::default()).unwrap();
                assert!(back == picture, "{kind} {packing:?} {tile}: {:?} {:?}", back.facts(), picture.facts());
            }
        }
    }
}

#[test]
fn tags_say_what_the_pixels_are() {
    let all = every_kind();
    // Photometric, samples, bits, format, extra samples.
    for (i, want) in [
        (0, (1, 1, 8, None, None)),
        (1, (1, 2, 8, None, Some(vec![2]))),
        (3, (2, 4, 8, None, Some(vec![2]))),
        (4, (5, 4, 8, None, None)),
        (6, (2, 3, 16, None, None)),
        (9, (2, 3, 32, Some(3), None)),
        (13, (1, 3, 8, Some(2), Some(vec![0, 0]))),
        (20, (1, 2, 64, Some(3), Some(vec![0]))),
    ] {
        let found = &tiff::parse(&written(&all[i], WriteOptions::default()))[0];
        let tags = (
            found.one(262).unwrap(),
            found.one(277).unwrap(),
            found.one(258).unwrap(),
            found.one(339),
            found.tags.get(&338).cloned(),
        );
        assert_eq!(tags, want, "{i}");
        assert_eq!(found.one(259), Some(8));
    }
}

#[test]
fn codes_of_fewer_bits_are_stored_in_as_many() {
    for (top, bits) in [(1u32, 1u64), (3, 2), (15, 4), (31, 5), (127, 7), (1023, 10), (4095, 12), (16_383, 14)] {
        let depth = if top < 256 { Depth::U8 } else { Depth::U16 };
        let full = if top < 256 { 255u32 } else { 65_535 };
        let size = Size::new(33, 9);
        let codes: Vec<u32> = noise(size.pixels() as usize * 6, top)
            .chunks(2)
            .map(|c| (u32::from(c[0]) << 8 | u32::from(c[1])) & top)
            .collect();
        let samples: Vec<u32> = codes.iter().map(|&c| (2 * c * full + top) / (2 * top)).collect();
        let mut picture: Picture = match depth {
            Depth::U8 => {
                Frame::<Rgb<u8>>::from_samples(size, samples.iter().map(|&v| v as u8).collect()).unwrap().into()
            }
            _ => Frame::<Rgb<u16>>::from_samples(size, samples.iter().map(|&v| v as u16).collect()).unwrap().into(),
        };
        picture.metadata_mut().max_codes = Some(vec![top; 3]);
        for packing in PACKINGS {
            for tile in [0, 16] {
                let bytes = written(&picture, WriteOptions::default().tiff_compression(packing).tiled(tile));
                let found = &tiff::parse(&bytes)[0];
                assert_eq!(found.one(258), Some(bits));
                assert!(found.samples.iter().zip(&codes).all(|(a, b)| *a == u64::from(*b)), "{top} {packing:?}");
                assert!(decode(&bytes, ReadOptions::default()).unwrap() == picture);
            }
        }
    }
    // A largest code that is none of whole bits is remembered beside samples over the full range.
    for top in [256, 1000, 20_000u32] {
        let samples = (0..=top).map(|code| ((2 * code * 65_535 + top) / (2 * top)) as u16).collect();
        let size = Size::new(top + 1, 1);
        let mut picture: Picture = Frame::<Gray<u16>>::from_samples(size, samples).unwrap().into();
        picture.metadata_mut().max_codes = Some(vec![top]);
        let bytes = written(&picture, WriteOptions::default());
        assert_eq!(tiff::parse(&bytes)[0].one(258), Some(16));
        assert!(decode(&bytes, ReadOptions::default()).unwrap() == picture, "{top}");
    }
    for top in [5, 100, 200u32] {
        let samples = (0..=top).map(|code| ((2 * code * 255 + top) / (2 * top)) as u8).collect();
        let mut picture: Picture = Frame::<Gray<u8>>::from_samples(Size::new(top + 1, 1), samples).unwrap().into();
        picture.metadata_mut().max_codes = Some(vec![top]);
        let bytes = written(&picture, WriteOptions::default());
        assert!(decode(&bytes, ReadOptions::default()).unwrap() == picture, "{top}");
    }
}

#[test]
fn numbers_of_colours_are_written_as_a_palette() {
    let colors: Vec<Rgb<u8>> = (0..11).map(|i| Rgb::new(i * 20, 255 - i, 7)).collect();
    let frame = Frame::from_fn(Size::new(30, 20), |x, y| colors[(x * 7 + y * 3) as usize % 11]).unwrap();
    let rgb = encode(&frame, FileFormat::Png, Default::default()).unwrap();
    let indices = decode(&rgb, ReadOptions::default().read_as(ReadAs::Indices)).unwrap();
    for packing in PACKINGS {
        let bytes = written(&indices, WriteOptions::default().tiff_compression(packing));
        let found = &tiff::parse(&bytes)[0];
        assert_eq!((found.one(262), found.one(258), found.tags[&320].len()), (Some(3), Some(4), 48));
        let map = &found.tags[&320];
        let first = found.samples[0] as usize;
        assert_eq!([map[first], map[16 + first], map[32 + first]], [0, 255 * 257, 7 * 257]);
        let back = decode(&bytes, ReadOptions::default()).unwrap();
        assert!(back.frame::<Rgb<u8>>().unwrap() == frame);
    }
}

#[test]
fn metadata_stand_where_other_readers_look() {
    let mut picture: Picture = Frame::filled(Size::new(4, 3), Rgb::new(1u8, 2, 3)).unwrap().into();
    let m = picture.metadata_mut();
    m.orientation = Orientation::from_exif(8).unwrap();
    m.resolution = Some(Resolution { x: 11_811.0, y: 5905.5, unit: ResolutionUnit::Metre });
    m.text = vec![
        Text { keyword: "Description".into(), text: "a quay".into() },
        Text { keyword: "Author".into(), text: "Grauwick".into() },
    ];
    m.changed = Some(Time { year: 2026, month: 11, day: 27, hour: 8, minute: 5, second: 9 });
    m.xmp = Some("<x/>".into());
    m.primaries = Primaries::DisplayP3;
    // An EXIF block in either order: an exposure time of 1/60 in its directory, its own width, and a place.
    for big in [false, true] {
        let kind = tiff::Kind { big_endian: big, wide: false };
        let mut exif = if big { b"MM\0\x2a".to_vec() } else { b"II\x2a\0".to_vec() };
        exif.extend(vec![0; 4]);
        let mut own =
            vec![(0x829a, 5, vec![1, 60]), (0xa002, 4, vec![4]), (0x9000, 7, b"0230".map(u64::from).to_vec())];
        let (own, _) = tiff::put_directory(kind, &mut own, &mut exif);
        let mut place = vec![(1, 2, vec![u64::from(b'N'), 0])];
        let (place, _) = tiff::put_directory(kind, &mut place, &mut exif);
        let mut root = vec![(0x8769, 4, vec![own as u64]), (0x8825, 4, vec![place as u64])];
        let (root, _) = tiff::put_directory(kind, &mut root, &mut exif);
        exif[4..8].copy_from_slice(&kind.number(root as u64, 4));
        picture.metadata_mut().exif = Some(exif.into());
        let bytes = written(&picture, WriteOptions::default());
        let found = &tiff::parse(&bytes)[0];
        assert_eq!((found.one(274), found.one(296)), (Some(8), Some(3)));
        assert_eq!((&found.tags[&282], &found.tags[&283]), (&vec![11_811, 100], &vec![11_811, 200]));
        assert_eq!((found.text(270), found.text(315)), ("a quay".into(), "Grauwick".into()));
        assert_eq!(found.text(306), "2026:11:27 08:05:09");
        assert_eq!(found.tags[&700], b"<x/>".map(u64::from));
        // The profile that says P3, made for the file.
        assert!(found.tags[&34_675].len() > 128);
        let own = tiff::parse_directory(&bytes, found.one(34_665).unwrap() as usize, false, false).0;
        assert_eq!((&own.tags[&0x829a], own.one(0xa002)), (&vec![1, 60], Some(4)));
        assert_eq!(own.tags[&0x9000], b"0230".map(u64::from));
        let place = tiff::parse_directory(&bytes, found.one(34_853).unwrap() as usize, false, false).0;
        assert_eq!(place.text(1), "N");
        // And the library finds the same again.
        let back = decode(&bytes, ReadOptions::default()).unwrap();
        let (a, b) = (back.metadata(), picture.metadata());
        assert_eq!((a.orientation, &a.text, a.changed, &a.xmp), (b.orientation, &b.text, b.changed, &b.xmp));
        let r = a.resolution.unwrap();
        assert!((r.x - 11_811.0).abs() < 1e-6 && (r.y - 5905.5).abs() < 1e-6);
        assert_eq!((a.primaries, a.transfer), (b.primaries, b.transfer));
        let again: Arc<[u8]> = a.exif.clone().unwrap();
        let mut second = back.clone();
        second.metadata_mut().exif = Some(again.clone());
        let twice = decode(&written(&second, WriteOptions::default()), ReadOptions::default()).unwrap();
        assert_eq!(twice.metadata().exif, Some(again));
    }
}

#[test]
fn several_pages_of_any_kind_go_into_one_file() {
    let all = every_kind();
    for stream in [false, true] {
        let mut bytes = Vec::new();
        let options = WriteOptions::default().format(FileFormat::Tiff);
        {
            let first = all[0].facts();
            let mut cursor = std::io::Cursor::new(&mut bytes);
            let mut writer = match stream {
                true => Writer::to_stream(&mut cursor, &first, options).unwrap(),
                false => Writer::to_seekable(&mut cursor, &first, options).unwrap(),
            };
            for (i, picture) in all.iter().enumerate() {
                if i > 0 {
                    writer.next_page(&picture.facts()).unwrap();
                }
                writer.put(&Strip { first_row: 0, content: picture.content().clone() }).unwrap();
            }
            writer.finish().unwrap();
        }
        let pages = tiff::parse(&bytes);
        assert_eq!(pages.len(), all.len());
        for (i, picture) in all.iter().enumerate() {
            assert!(pages[i].samples == bits_of(picture), "{i}");
            assert_eq!(pages[i].tags[&297], [i as u64, all.len() as u64]);
            let back = decode(&bytes, ReadOptions::default().page(i as u32 + 1)).unwrap();
            assert!(back == *picture, "{i}");
        }
    }
    // Formats of one picture say so, before the first is lost.
    let mut out = Vec::new();
    let mut writer =
        Writer::to_stream(&mut out, &all[0].facts(), WriteOptions::default().format(FileFormat::Pam)).unwrap();
    assert!(writer.next_page(&all[0].facts()).is_err(), "rows are missing");
    writer.put(&Strip { first_row: 0, content: all[0].content().clone() }).unwrap();
    assert!(writer.next_page(&all[0].facts()).unwrap_err().to_string().contains("second picture"));
}

#[test]
fn smaller_copies_are_the_means_of_four() {
    let size = Size::new(1001, 517);
    let picture: Picture =
        Frame::random(size, Rgba::new(0u8, 0, 0, 0), Rgba::new(255, 255, 255, 255), 4).unwrap().into();
    let samples = bits_of(&picture);
    for tile in [0, 64] {
        let bytes = written(&picture, WriteOptions::default().reduced_copies().tiled(tile));
        let found = &tiff::parse(&bytes)[0];
        assert!(found.samples == samples);
        let sizes: Vec<(u64, u64)> = found.below.iter().map(|f| (f.one(256).unwrap(), f.one(257).unwrap())).collect();
        assert_eq!(sizes, [(501, 259), (251, 130)]);
        let mut above = (1001usize, 517usize, samples.clone());
        for level in &found.below {
            assert_eq!(level.one(254), Some(1));
            let (w, h) = (above.0.div_ceil(2), above.1.div_ceil(2));
            for y in 0..h {
                for x in 0..w {
                    let at = |dx: usize, dy: usize| {
                        let (px, py) = (2 * x + dx, 2 * y + dy);
                        (px < above.0 && py < above.1).then(|| &above.2[(py * above.0 + px) * 4..][..4])
                    };
                    let four: Vec<&[u64]> = [at(0, 0), at(1, 0), at(0, 1), at(1, 1)].into_iter().flatten().collect();
                    let alpha: u64 = four.iter().map(|p| p[3]).sum();
                    let found = &level.samples[(y * w + x) * 4..][..4];
                    let mean = (alpha as f64 / four.len() as f64 + 0.5).floor() as u64;
                    assert_eq!(found[3], mean, "{x} {y}");
                    for c in 0..3 {
                        let sum: u64 = four.iter().map(|p| p[c] * p[3]).sum();
                        let want = if alpha == 0 { 0 } else { (sum as f64 / alpha as f64 + 0.5).floor() as u64 };
                        assert_eq!(found[c], want, "{x} {y} {c}");
                    }
                }
            }
            above = (w, h, level.samples.clone());
        }
        let half = decode(&bytes, ReadOptions::default().sub_page(1)).unwrap();
        assert!(bits_of(&half) == found.below[0].samples);
    }
}

#[test]
fn what_no_reader_knows_is_refused() {
    let frame = Frame::filled(Size::new(4, 4), Gray::new(1u8)).unwrap();
    let error = encode(&frame, FileFormat::Tiff, WriteOptions::default().tiled(100)).unwrap_err();
    assert_eq!(error.to_string(), "tiles of 100 pixels; TIFF has multiples of 16");
    // Palettes of TIFF are opaque: what shines through would be lost.
    let clear = Frame::from_fn(Size::new(4, 4), |x, _| Rgba::new(9u8, 9, 9, if x == 0 { 0 } else { 255 })).unwrap();
    let png = encode(&clear, FileFormat::Png, Default::default()).unwrap();
    let indices = decode(&png, ReadOptions::default().read_as(ReadAs::Indices)).unwrap();
    let error = encode(&indices, FileFormat::Tiff, WriteOptions::default()).unwrap_err();
    assert!(error.to_string().starts_with("TIFF cannot hold a palette with alpha"), "{error}");
}

/// A file of which only pages with something in them are held.
#[derive(Default)]
struct Sparse {
    pages: std::collections::BTreeMap<u64, Vec<u8>>,
    length: u64,
    at: u64,
}

const PAGE: u64 = 1 << 16;

impl Sparse {
    /// The bytes from a place on.
    fn bytes(&self, at: u64, count: usize) -> Vec<u8> {
        let byte = |at: u64| self.pages.get(&(at / PAGE)).map_or(0, |page| page[(at % PAGE) as usize]);
        (at..at + count as u64).map(byte).collect()
    }

    fn number(&self, at: u64, count: usize) -> u64 {
        self.bytes(at, count).iter().rev().fold(0, |n, b| n << 8 | u64::from(*b))
    }
}

impl std::io::Write for Sparse {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        let room = (PAGE - self.at % PAGE) as usize;
        let part = &bytes[..bytes.len().min(room)];
        let place = self.at / PAGE;
        if self.pages.contains_key(&place) || part.iter().fold(0, |all, b| all | b) != 0 {
            let page = self.pages.entry(place).or_insert_with(|| vec![0; PAGE as usize]);
            page[(self.at % PAGE) as usize..][..part.len()].copy_from_slice(part);
        }
        self.at += part.len() as u64;
        self.length = self.length.max(self.at);
        Ok(part.len())
    }

    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

impl std::io::Read for Sparse {
    fn read(&mut self, bytes: &mut [u8]) -> std::io::Result<usize> {
        let count = (self.length - self.at).min(bytes.len() as u64).min(PAGE - self.at % PAGE) as usize;
        match self.pages.get(&(self.at / PAGE)) {
            Some(page) => bytes[..count].copy_from_slice(&page[(self.at % PAGE) as usize..][..count]),
            None => bytes[..count].fill(0),
        }
        self.at += count as u64;
        Ok(count)
    }
}

impl std::io::Seek for Sparse {
    fn seek(&mut self, to: std::io::SeekFrom) -> std::io::Result<u64> {
        self.at = match to {
            std::io::SeekFrom::Start(at) => at,
            std::io::SeekFrom::End(by) => self.length.checked_add_signed(by).unwrap(),
            std::io::SeekFrom::Current(by) => self.at.checked_add_signed(by).unwrap(),
        };
        Ok(self.at)
    }
}

#[test]
fn beyond_four_gigabytes_offsets_have_64_bits() {
    let size = Size::new(65_536, 22_400);
    let facts = Picture::from(Frame::<Rgb<u8>>::new(Size::new(1, 1)).unwrap()).facts();
    let facts = rahmen::Facts::new(size, facts.pixel_format, facts.metadata);
    let options = WriteOptions::default().format(FileFormat::Tiff).tiff_compression(TiffCompression::None);
    let mut file = Sparse::default();
    {
        let mut writer = Writer::to_seekable(&mut file, &facts, options).unwrap();
        let mut rows = Frame::<Rgb<u8>>::new(Size::new(size.width, 8)).unwrap();
        for first_row in (0..size.height).step_by(8) {
            // A mark in the first and in the last rows.
            let mark = if first_row == 0 || first_row + 8 == size.height { 200 + (first_row % 50) as u8 } else { 0 };
            rows[(9, 7)] = Rgb::new(mark, mark, mark);
            writer.put(&Strip { first_row, content: rows.clone().into() }).unwrap();
        }
        writer.finish().unwrap();
    }
    assert!(file.length > 1 << 32 && file.pages.len() < 100, "{} {}", file.length, file.pages.len());
    // The header of BigTIFF, by its specification: 43, offsets of 8 bytes, and where the directory is.
    assert_eq!(file.bytes(0, 8), [b'I', b'I', 43, 0, 8, 0, 0, 0]);
    let directory = file.number(8, 8);
    assert!(directory > 1 << 32);
    let entry = |tag: u64| {
        let count = file.number(directory, 8);
        let entries = (0..count).map(|i| directory + 8 + 20 * i);
        entries.into_iter().find(|at| file.number(*at, 2) == tag).unwrap()
    };
    let (offsets, rows) = (entry(273), file.number(entry(278) + 12, 8) as u32);
    let strips = u64::from(size.height.div_ceil(rows));
    assert_eq!((file.number(offsets + 2, 2), file.number(offsets + 4, 8)), (16, strips));
    let table = file.number(offsets + 12, 8);
    let row_bytes = 3 * u64::from(size.width);
    for (y, mark) in [(7, 200), (size.height - 1, 200 + ((size.height - 8) % 50) as u8)] {
        let strip = file.number(table + 8 * u64::from(y / rows), 8);
        let pixel = strip + u64::from(y % rows) * row_bytes + 27;
        assert_eq!(file.bytes(pixel - 3, 7), [0, 0, 0, mark, mark, mark, 0], "{y}");
    }
    // Our reader finds it too, reading no more than the strip.
    file.at = 0;
    let mut reader = Reader::from_seekable(file, ReadOptions::default()).unwrap();
    rahmen::flow::Source::skip(&mut reader, size.height - 1).unwrap();
    let last = rahmen::flow::Source::next(&mut reader, 1).unwrap().unwrap();
    assert_eq!(
        last.content.pixels().unwrap().view::<Rgb<u8>>().unwrap()[(9, 0)].r,
        200 + ((size.height - 8) % 50) as u8
    );
}
