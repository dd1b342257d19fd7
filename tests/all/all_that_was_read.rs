//! What a file holds is read and written whole: every page, text and profile, however long the file is and wherever they stand; what is
//! not written along is said.
#![cfg(all(feature = "png", feature = "jpeg", feature = "tiff", feature = "gif", feature = "npy", feature = "pnm"))]

use crate::common::tiff::{self, KINDS, Page};
use crate::common::{chunk, noise, png_of_samples};
use rahmen::file::{
    Decoder, Encoder, Format, Formats, Holds, Item, Output, ReadOptions, Reader, Start, WriteOptions, Writer, decode,
    encode, facts, facts_from, holds, transcode,
};
use rahmen::flow::{Chain, Sink, Source, Strip, ToGray};
use rahmen::frame::{Palette, Resolution, ResolutionUnit, Text};
use rahmen::{
    Content, Facts, FileFormat, Frame, Gray, Meaning, Metadata, Orientation, Picture, Result, Rgb, Rgba, Size, Transfer,
};
use std::io::Cursor;

fn gray(value: u8) -> Picture {
    Frame::filled(Size::new(3, 2), Gray::new(value)).unwrap().into()
}

#[test]
fn facts_count_pages_to_the_last_whatever_is_said_of_each() {
    // A thousand pages, each with a text of its own: far more than any block that is read at once.
    let page = |i: usize| {
        let mut page = Page::new((2, 1), 8, 1, 1, vec![i as u64 % 251, 7]);
        page.tags = vec![(270, 2, format!("page {i} of the harbour {:0>90}\0", i).bytes().map(u64::from).collect())];
        page
    };
    let file = tiff::file(KINDS[0], &(0..1000).map(page).collect::<Vec<_>>());
    assert!(file.len() > 200_000);
    let told = facts_from(file.as_slice(), ReadOptions::default()).unwrap();
    assert_eq!((told.pages, told.page_list.len(), told.more_pages, told.remarks.len()), (1000, 1000, false, 0));
    // Page by page, each with what is said of it.
    let mut reader = Reader::from_seekable(Cursor::new(file), ReadOptions::default()).unwrap();
    for i in 0..1000usize {
        assert!(reader.facts().metadata.text[0].text.starts_with(&format!("page {i} of")), "{i}");
        let strip = reader.next(9).unwrap().unwrap();
        assert_eq!(strip.content.pixels().unwrap().view::<Gray<u8>>().unwrap()[(0, 0)].value, (i % 251) as u8);
        assert!(reader.next(9).unwrap().is_none());
        assert_eq!(reader.next_page().unwrap(), i < 999, "{i}");
    }
}

#[test]
fn texts_and_the_time_are_read_wherever_a_png_has_them() {
    let samples: Vec<u16> = noise(40 * 30 * 3, 2).iter().map(|&v| v.into()).collect();
    let behind = [
        chunk(b"tEXt", b"Title\0the quay"),
        chunk(b"tIME", &[7, 234, 12, 1, 14, 0, 0]),
        chunk(b"iTXt", b"Comment\0\0\0\0\0fog"),
        chunk(b"teSt", &[1; 9000]),
        chunk(b"tEXt", &[b"Long\0".as_slice(), &[b'x'; 70_000]].concat()),
    ];
    let before = [chunk(b"tEXt", b"Author\0somebody")];
    let plain = png_of_samples((40, 30), (2, 8), &samples, false, &|y| (y % 5) as u8, &before);
    let (body, end) = plain.split_at(plain.len() - 12);
    let file = [body, &behind.concat(), end].concat();
    let keywords = |m: &Metadata| m.text.iter().map(|t| t.keyword.clone()).collect::<Vec<_>>();
    let wanted = ["Author", "Title", "Comment", "Long"];
    // As facts, as a whole, in strips, and out of a stream.
    let told = facts_from(Cursor::new(file.clone()), ReadOptions::default()).unwrap();
    assert_eq!(told.size, Size::new(40, 30));
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("a.png");
    std::fs::write(&path, &file).unwrap();
    assert_eq!(keywords(&facts(&path).unwrap().metadata), wanted);
    assert_eq!(facts(&path).unwrap().metadata.changed.unwrap().year, 2026);
    for picture in [
        decode(&file, ReadOptions::default()).unwrap(),
        rahmen::file::read_from(file.as_slice(), ReadOptions::default()).unwrap(),
    ] {
        assert_eq!(keywords(picture.metadata()), wanted);
        assert!(picture.content() == decode(&plain, ReadOptions::default()).unwrap().content());
    }
    let mut stream = Reader::from_read(file.as_slice(), ReadOptions::default()).unwrap();
    while stream.next(7).unwrap().is_some() {}
    assert!(stream.take_late_remarks().iter().any(|line| line.contains("texts stand behind the pixels")));
    // Copied, they are there; damaged they are no reason to do without the pixels that are salvaged.
    let copy = folder.path().join("b.png");
    transcode(&path, &copy, ReadOptions::default(), WriteOptions::default()).unwrap();
    assert_eq!(keywords(&facts(&copy).unwrap().metadata), wanted);
    let mut damaged = file.clone();
    let at = file.windows(4).position(|w| w == b"iTXt").unwrap();
    damaged[at + 9] ^= 1;
    assert!(decode(&damaged, ReadOptions::default()).unwrap_err().to_string().contains("checksum"));
    assert!(decode(&damaged, ReadOptions::default().salvage()).is_ok());
    // The limit of metadata holds for them.
    let low = ReadOptions::default().limits(rahmen::file::Limits::default().metadata(60_000));
    assert!(decode(&file, low.clone()).is_err() && decode(&plain, low).is_ok());
}

#[test]
fn a_profile_behind_much_else_is_told() {
    let mut picture = gray(9);
    picture.metadata_mut().icc = Some(rahmen::color::Profile::of_gray(Transfer::Power(1.8)).unwrap().into());
    picture.metadata_mut().transfer = Transfer::Power(1.8);
    picture.metadata_mut().exif = None;
    let jpeg = encode(&picture, FileFormat::Jpeg, WriteOptions::default()).unwrap();
    // Sixty segments of a kilobyte before the profile.
    let comments: Vec<u8> = (0..60).flat_map(|_| [&[0xff, 0xfe, 4, 2][..], &[b'x'; 1024]].concat()).collect();
    let file = [&jpeg[..2], &comments, &jpeg[2..]].concat();
    let told = facts_from(file.as_slice(), ReadOptions::default()).unwrap();
    assert!(told.metadata.icc == picture.metadata().icc && told.metadata.transfer == Transfer::Power(1.8));
    assert_eq!(told.metadata.text.len(), 60);
    let further = [&jpeg[..2], &[0xff, 0xe2, 0, 10], b"MPF\0abcd", &jpeg[2..]].concat();
    assert!(decode(&further, ReadOptions::default()).is_ok());
    let told = facts_from(further.as_slice(), ReadOptions::default()).unwrap();
    assert!(told.remarks.iter().any(|line| line.contains("further pictures")), "{:?}", told.remarks);
}

/// A file of these pictures.
fn file_of(pictures: &[Picture], format: FileFormat, options: WriteOptions) -> Vec<u8> {
    let mut out = Cursor::new(Vec::new());
    let options = options.format(format).pages(pictures.len() as u32);
    let mut writer = Writer::to_seekable(&mut out, &pictures[0].facts(), options).unwrap();
    for (i, picture) in pictures.iter().enumerate() {
        if i > 0 {
            writer.next_page(&picture.facts()).unwrap();
        }
        writer.put(&Strip { first_row: 0, content: picture.content().clone() }).unwrap();
    }
    writer.finish().unwrap();
    drop(writer);
    out.into_inner()
}

#[test]
fn one_call_and_a_chain_take_all_pages_where_the_file_holds_them() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name);
    let pages: Vec<Picture> = (1..=4)
        .map(|i| {
            let mut page = gray(10 * i);
            page.metadata_mut().delay = Some(f64::from(i) / 10.0);
            page.metadata_mut().text = vec![Text { keyword: "Page name".into(), text: format!("p{i}").into() }];
            page.metadata_mut().resolution =
                Some(Resolution { x: f64::from(i) * 100.0, y: 300.0, unit: ResolutionUnit::Metre });
            page
        })
        .collect();
    std::fs::write(path("a.png"), file_of(&pages, FileFormat::Png, WriteOptions::default().plays(3))).unwrap();
    std::fs::write(path("a.tif"), file_of(&pages, FileFormat::Tiff, WriteOptions::default())).unwrap();
    let value = |name: &str, page: u32| {
        let picture = rahmen::file::read_with(path(name), ReadOptions::default().page(page)).unwrap();
        picture.gray(Default::default()).unwrap().view::<Gray<u8>>().unwrap()[(1, 1)].value
    };
    for (from, to) in
        [("a.png", "b.png"), ("a.tif", "b.tif"), ("a.tif", "b.npz"), ("b.npz", "c.tif"), ("a.png", "d.tif")]
    {
        let done = transcode(path(from), path(to), ReadOptions::default(), WriteOptions::default()).unwrap();
        let told = facts(path(to)).unwrap();
        assert_eq!((done.pages, told.pages), (4, 4), "{from} {to}");
        (1..=4).for_each(|page| assert_eq!(u32::from(value(to, page)), 10 * page, "{from} {to}"));
    }
    // Delays and plays, resolutions and names, page by page.
    let told = facts(path("b.png")).unwrap();
    assert_eq!(
        (told.plays, told.page_list.iter().map(|p| p.delay.unwrap()).collect::<Vec<_>>()),
        (Some(3), vec![0.1, 0.2, 0.3, 0.4])
    );
    for page in 1..=4u32 {
        let told = rahmen::file::facts_with(path("b.tif"), ReadOptions::default().page(page)).unwrap().metadata;
        assert!((told.resolution.unwrap().x - f64::from(page) * 100.0).abs() < 1e-6);
        let named = rahmen::file::facts_with(path("c.tif"), ReadOptions::default().page(page)).unwrap().metadata;
        assert!(named.text.iter().any(|t| t.text.as_ref() == format!("p{page}")), "{:?}", named.text);
    }
    // A page that is named, and a file that holds one.
    let one = transcode(path("a.tif"), path("e.tif"), ReadOptions::default().page(3), WriteOptions::default()).unwrap();
    assert_eq!((one.pages, value("e.tif", 1), facts(path("e.tif")).unwrap().pages), (1, 30, 1));
    let one = transcode(
        path("a.tif"),
        path("e.qoi"),
        ReadOptions::default().read_as(rahmen::file::ReadAs::Color),
        WriteOptions::default(),
    )
    .unwrap();
    assert!(
        one.pages == 1 && one.warnings.iter().any(|line| line.contains("4 pages; only the first")),
        "{:?}",
        one.warnings
    );
    // Options that change pixels on the way do so for each page, numbered colours too.
    let few = ReadOptions::default().reduced_to_palette(Default::default());
    assert_eq!(transcode(path("a.png"), path("f.gif"), few, WriteOptions::default()).unwrap().pages, 4);
    (1..=4).for_each(|page| assert_eq!(u32::from(value("f.gif", page)), 10 * page));
    assert_eq!(facts(path("f.gif")).unwrap().plays, Some(3));
    // As a chain, with steps.
    let colors: Vec<Picture> =
        (1..=3).map(|i| Frame::filled(Size::new(2 + i, 3), Rgb::new(i as u8, 0, 0)).unwrap().into()).collect();
    std::fs::write(path("colors.tif"), file_of(&colors, FileFormat::Tiff, WriteOptions::default())).unwrap();
    let reader = Reader::open(path("colors.tif"), ReadOptions::default()).unwrap();
    let mut chain = Chain::new(Box::new(reader), vec![Box::new(ToGray::default())]).unwrap();
    let mut writer = Writer::create(path("gray.tif"), chain.facts(), WriteOptions::default().pages(3)).unwrap();
    assert_eq!(chain.run_pages_into(&mut writer).unwrap(), 3);
    let told = facts(path("gray.tif")).unwrap();
    assert_eq!(told.page_list.iter().map(|p| p.size.width).collect::<Vec<_>>(), [3, 4, 5]);
    // What fails on a later page leaves no file.
    let mut mixed = pages.clone();
    mixed[2] = Frame::filled(Size::new(9, 9), Gray::new(1u8)).unwrap().into();
    std::fs::write(path("mixed.tif"), file_of(&mixed, FileFormat::Tiff, WriteOptions::default())).unwrap();
    assert!(transcode(path("mixed.tif"), path("mixed.png"), ReadOptions::default(), WriteOptions::default()).is_err());
    assert!(!path("mixed.png").exists());
}

#[test]
fn maps_in_a_stream_are_counted_and_gone_through() {
    let maps: Vec<u8> = (1..=300u32).flat_map(|i| [b"P5 2 1 255\n".as_slice(), &[i as u8, 9]].concat()).collect();
    let told = Reader::from_seekable(Cursor::new(maps.clone()), ReadOptions::default()).unwrap();
    assert_eq!((told.facts().pages, told.facts().more_pages), (300, false));
    for seekable in [true, false] {
        let options = ReadOptions::default();
        let mut reader = match seekable {
            true => Reader::from_seekable(Cursor::new(maps.clone()), options).unwrap(),
            false => Reader::from_read(maps.as_slice(), options).unwrap(),
        };
        let mut found = 0u32;
        loop {
            let strip = reader.next(1).unwrap().unwrap();
            found += 1;
            assert_eq!(strip.content.pixels().unwrap().view::<Gray<u8>>().unwrap()[(0, 0)].value, found as u8);
            assert!(reader.next(1).unwrap().is_none());
            if !reader.next_page().unwrap() {
                break;
            }
        }
        assert_eq!(found, 300, "{seekable}");
    }
    // Who reads one picture out of a stream is told that there is another.
    let mut reader = Reader::from_read(maps.as_slice(), ReadOptions::default()).unwrap();
    while reader.next(1).unwrap().is_some() {}
    assert!(reader.facts().more_pages && reader.take_late_remarks()[0].contains("another picture follows"));
}

/// A format that writes what it is told to hold and nothing else.
#[derive(Debug, Clone)]
struct Bare(Holds);

struct Rows;

impl Encoder for Rows {
    fn put(&mut self, _: &Content, out: &mut dyn Output) -> Result<()> {
        out.write_all(b"rows").map_err(|e| rahmen::ErrorKind::Malformed(e.to_string()).into())
    }
    fn finish(&mut self, _: &mut dyn Output) -> Result<()> {
        Ok(())
    }
}

impl Format for Bare {
    fn name(&self) -> &'static str {
        "bare"
    }
    fn extensions(&self) -> &'static [&'static str] {
        &["bare"]
    }
    fn is_start(&self, bytes: &[u8]) -> bool {
        bytes.starts_with(b"bare")
    }
    fn holds(&self) -> Holds {
        self.0
    }
    fn decoder(&self, _: &Start) -> Result<Box<dyn Decoder>> {
        Err(rahmen::ErrorKind::Malformed("nothing to read".into()).into())
    }
    fn encoder(&self, _: &Facts, _: &WriteOptions, _: &mut dyn Output) -> Result<Box<dyn Encoder>> {
        Ok(Box::new(Rows))
    }
}

/// A picture that states all that metadata can.
fn rich() -> Picture {
    let mut picture = gray(255);
    let m = picture.metadata_mut();
    m.resolution = Some(Resolution { x: 3.0, y: 4.0, unit: ResolutionUnit::Inch });
    (m.primaries, m.transfer) = (rahmen::pixel::Primaries::DisplayP3, Transfer::Power(1.8));
    (m.exif, m.xmp) = (Some([0; 20].into()), Some("<x/>".into()));
    m.text = vec![Text { keyword: "Title".into(), text: "quay".into() }];
    (m.max_codes, m.significant_bits) = (Some(vec![200]), Some(vec![7]));
    (m.background, m.delay) = (Some([0.0; 3]), Some(1.0));
    picture
}

#[test]
fn a_format_from_outside_says_what_it_loses_by_what_it_declares() {
    let warnings = |holds: Holds, picture: &Picture| {
        let folder = tempfile::tempdir().unwrap();
        let formats = Formats::default().with(Bare(holds));
        formats.write(folder.path().join("a.bare"), picture, WriteOptions::default())
    };
    // By default it holds nothing, and every loss is told.
    let all = warnings(Holds::default(), &rich()).unwrap().concat();
    let items = [
        Item::Resolution,
        Item::Exif,
        Item::Xmp,
        Item::Texts,
        Item::MaxCode,
        Item::SignificantBits,
        Item::Background,
        Item::Delay,
        Item::Curve,
        Item::Primaries,
    ];
    for item in items {
        assert!(all.contains(&item.to_string()), "{item}: {all}");
    }
    for held in items {
        let told = warnings(Holds::of(&[held]), &rich()).unwrap().concat();
        for item in items {
            assert_eq!(told.contains(&item.to_string()), item != held, "{held}: {item}: {told}");
        }
    }
    assert!(warnings(Holds::of(&items), &rich()).unwrap().is_empty());
    // A space was lost without a word.
    let mut wide = gray(3);
    wide.metadata_mut().primaries = rahmen::pixel::Primaries::Bt2020;
    assert!(warnings(Holds::default(), &wide).unwrap()[0].contains("the primaries"));
    // What would change the picture is refused.
    let mut turned = gray(3);
    turned.metadata_mut().orientation = Orientation::RotatedRight;
    assert!(warnings(Holds::default(), &turned).unwrap_err().to_string().contains("an orientation"));
    assert!(warnings(Holds::of(&[Item::Orientation]), &turned).is_ok());
    let mut numbered = gray(0);
    numbered.metadata_mut().meaning = Meaning::Indices;
    numbered.metadata_mut().palette = Some(Palette::new(vec![Rgba::new(1, 2, 3, 255)]).unwrap());
    assert!(warnings(Holds::default(), &numbered).is_err() && warnings(Holds::of(&[Item::Palette]), &numbered).is_ok());
}

/// States one thing.
type State = fn(&mut Metadata);

#[test]
fn what_the_librarys_formats_declare_is_what_they_keep() {
    for format in
        FileFormat::ALL.iter().copied().filter(|f| !matches!(f, FileFormat::Raw | FileFormat::Gif | FileFormat::Pfm))
    {
        let declared = holds(format);
        // One statement at a time: kept, or said to be lost.
        let sample: [(Item, State); 10] = [
            (Item::Resolution, |m| m.resolution = Some(Resolution { x: 300.0, y: 200.0, unit: ResolutionUnit::Metre })),
            (Item::Profile, |m| {
                m.set_profile(rahmen::color::Profile::of_space(&rahmen::color::ColorSpace::ADOBE_RGB).unwrap()).unwrap()
            }),
            (Item::Xmp, |m| m.xmp = Some("<x/>".into())),
            (Item::Time, |m| {
                m.changed = Some(rahmen::frame::Time { year: 2026, month: 12, day: 1, hour: 1, minute: 2, second: 3 })
            }),
            (Item::Linear, |m| m.transfer = Transfer::Linear),
            (Item::Curve, |m| m.transfer = Transfer::Power(1.8)),
            (Item::Primaries, |m| m.primaries = rahmen::pixel::Primaries::Bt2020),
            (Item::SignificantBits, |m| m.significant_bits = Some(vec![5, 5, 5])),
            (Item::Background, |m| m.background = Some([0.0, 1.0, 0.0])),
            (Item::CodePoints, |m| m.code_points = Some([22, 13, 0, 1])),
        ];
        for (item, state) in sample {
            let mut picture = Picture::from(Frame::filled(Size::new(4, 3), Rgb::new(9u8, 8, 7)).unwrap());
            state(picture.metadata_mut());
            let folder = tempfile::tempdir().unwrap();
            let path = folder.path().join(format!("a.{}", format.extensions()[0]));
            let warnings = rahmen::file::write_with(&path, &picture, WriteOptions::default()).unwrap();
            let lost = warnings.iter().any(|line| line.contains(&item.to_string()));
            let back = rahmen::read(&path).unwrap();
            let kept = item.is_in(back.metadata())
                || back.metadata().icc.is_some() && matches!(item, Item::Linear | Item::Curve | Item::Primaries);
            assert_eq!(lost, !kept, "{format}: {item}: {warnings:?}");
            // TGA has a place for some ratios alone; a declared item is kept wherever a format says so.
            if declared.has(item) {
                assert!(kept, "{format}: {item}");
            }
        }
        let several = {
            let mut out = Cursor::new(Vec::new());
            let picture = gray(1);
            let options = WriteOptions::default().format(format).pages(2);
            let color: Picture = Frame::filled(Size::new(2, 2), Rgb::new(1u8, 2, 3)).unwrap().into();
            let one = if format == FileFormat::Qoi { &color } else { &picture };
            let mut writer = Writer::to_seekable(&mut out, &one.facts(), options).unwrap();
            writer.put(&Strip { first_row: 0, content: one.content().clone() }).unwrap();
            writer.next_page(&one.facts()).is_ok()
        };
        assert_eq!(declared.has(Item::Pages), several, "{format}");
    }
}

#[test]
fn setting_a_profile_settles_what_the_other_fields_say() {
    use rahmen::color::{ColorSpace, Profile};
    use rahmen::pixel::Primaries;
    let mut m = Metadata::default();
    m.set_profile(Profile::of_space(&ColorSpace::DISPLAY_P3).unwrap()).unwrap();
    assert_eq!((m.primaries, m.transfer), (Primaries::DisplayP3, Transfer::Srgb));
    // Light is the square of the number: a curve without a name of its own is told as what it is.
    let squared =
        Profile::of_space(&ColorSpace { primaries: Primaries::Srgb, transfer: Transfer::Power(2.0) }).unwrap();
    m.set_profile(squared.clone()).unwrap();
    assert_eq!((m.primaries, m.transfer), (Primaries::Srgb, Transfer::Power(2.0)));
    let mut picture: Picture = Frame::filled(Size::new(2, 2), Rgb::new(100u8, 100, 100)).unwrap().into();
    picture.metadata_mut().icc = Some(squared.into());
    for format in [FileFormat::Png, FileFormat::Jpeg, FileFormat::Tiff] {
        let back = decode(&encode(&picture, format, WriteOptions::default()).unwrap(), ReadOptions::default()).unwrap();
        assert_eq!(
            (back.metadata().primaries, back.metadata().transfer),
            (Primaries::Srgb, Transfer::Power(2.0)),
            "{format}"
        );
    }
    assert!(m.set_profile([1u8; 9].to_vec()).is_err());
    let gray = m.clone();
    assert_eq!(gray.transfer, Transfer::Power(2.0), "a profile that is none leaves what was said");
}

/// What goes from thread to thread.
#[test]
fn pictures_readers_and_chains_go_to_other_threads() {
    fn send<T: Send>() {}
    fn shared<T: Send + Sync>() {}
    shared::<Frame<Rgb<u8>>>();
    shared::<Picture>();
    shared::<Metadata>();
    shared::<Facts>();
    shared::<ReadOptions>();
    shared::<WriteOptions>();
    shared::<Formats>();
    shared::<rahmen::Error>();
    send::<Reader<'static>>();
    send::<Writer<'static>>();
    send::<Chain<'static>>();
}
