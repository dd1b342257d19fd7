//! JPEG as it is written: every option gives a file that reads to nearly the same picture, what only changes the order of
//! coefficients gives exactly the same one.
#![cfg(feature = "jpeg")]

use rahmen::file::{ChromaSampling, ReadOptions, WriteOptions, Writer, facts_from, read_from};
use rahmen::flow::{Sink, Strip};
use rahmen::frame::{Orientation, Resolution, ResolutionUnit, Text};
use rahmen::{Depth, FileFormat, Frame, Gray, Help, Metadata, Picture, Rgb, Rgba, Size, Threads};
use std::io::{Cursor, Write};
use std::sync::{Arc, Mutex};

#[derive(Clone, Default)]
struct Memory(Arc<Mutex<Vec<u8>>>);

impl Write for Memory {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.lock().unwrap().extend_from_slice(bytes);
        Ok(bytes.len())
    }
    fn flush(&mut self) -> std::io::Result<()> {
        Ok(())
    }
}

fn written(picture: &Picture, options: WriteOptions, rows: u32) -> Vec<u8> {
    let memory = Memory::default();
    let mut writer = Writer::to_stream(memory.clone(), &picture.facts(), options.format(FileFormat::Jpeg)).unwrap();
    let height = picture.size().height;
    for first_row in (0..height).step_by(rows as usize) {
        let part = picture.size().region().rows(first_row..(first_row + rows).min(height)).unwrap();
        writer.put(&Strip { first_row, content: picture.content().crop(part).unwrap() }).unwrap();
    }
    writer.finish().unwrap();
    memory.0.lock().unwrap().clone()
}

fn read(bytes: &[u8]) -> Picture {
    read_from(Cursor::new(bytes.to_vec()), ReadOptions::default()).unwrap()
}

/// Soft waves of colour, as a photograph has them.
fn soft(size: Size) -> Picture {
    let wave = |v: f64| (127.5 + 110.0 * v.sin()) as u8;
    Frame::from_fn(size, |x, y| {
        let (x, y) = (f64::from(x), f64::from(y));
        Rgb::new(wave(x / 17.0 + y / 40.0), wave(y / 23.0), wave((x + y) / 31.0))
    })
    .unwrap()
    .into()
}

fn psnr(a: &Picture, b: &Picture) -> f64 {
    let (a, b) = (a.view::<Rgb<u8>>().unwrap(), b.view::<Rgb<u8>>().unwrap());
    let squares: f64 = a
        .rows()
        .zip(b.rows())
        .flat_map(|(a, b)| a.iter().zip(b))
        .flat_map(|(a, b)| [(a.r, b.r), (a.g, b.g), (a.b, b.b)])
        .map(|(a, b)| (f64::from(a) - f64::from(b)).powi(2))
        .sum();
    10.0 * (255.0 * 255.0 / (squares / (3.0 * a.size().pixels() as f64))).log10()
}

const SAMPLINGS: [ChromaSampling; 3] = [ChromaSampling::Ratio444, ChromaSampling::Ratio422, ChromaSampling::Ratio420];

#[test]
fn the_order_of_coefficients_changes_nothing() {
    for size in [Size::new(1, 1), Size::new(40, 24), Size::new(57, 61)] {
        let picture = soft(size);
        for sampling in SAMPLINGS {
            let options = WriteOptions::default().quality(85).sampling(sampling);
            let plain = read(&written(&picture, options.clone(), 7));
            for restart_rows in [0, 1, 2] {
                let marked = options.clone().restart_rows(restart_rows);
                for (name, options) in [("baseline", marked.clone()), ("progressive", marked.progressive())] {
                    let bytes = written(&picture, options.clone(), 64);
                    assert!(read(&bytes).content() == plain.content(), "{size} {sampling:?} {restart_rows} {name}");
                    let one = written(&picture, options.threads(Threads::ONE), 1);
                    assert!(one == bytes, "the same bytes for any number of threads and any strips");
                }
            }
        }
    }
}

#[test]
fn quality_trades_bytes_for_likeness() {
    let picture = soft(Size::new(200, 150));
    let (mut last_bytes, mut last_psnr) = (0, 0.0);
    // Figures that docs/accuracy.md states.
    for (quality, at_least) in [(20, 30.0), (50, 36.0), (75, 40.0), (90, 44.0), (100, 46.0)] {
        let bytes = written(&picture, WriteOptions::default().quality(quality), 64);
        let found = psnr(&read(&bytes), &picture);
        println!("quality {quality}: {found:.1} dB, {} bytes", bytes.len());
        assert!(found >= at_least && found > last_psnr, "quality {quality}: {found} dB");
        assert!(bytes.len() > last_bytes);
        (last_bytes, last_psnr) = (bytes.len(), found);
        let facts = facts_from(Cursor::new(bytes), ReadOptions::default()).unwrap();
        let told = facts.stored.unwrap();
        assert!(told.starts_with("8-bit YCbCr, 4:4:4, baseline, quality about "), "{told}");
        let told: i32 = told.rsplit(' ').next().unwrap().parse().unwrap();
        assert!((told - i32::from(quality)).abs() <= 2, "{quality} told as {told}");
    }
    for sampling in SAMPLINGS {
        let found = psnr(&read(&written(&picture, WriteOptions::default().sampling(sampling), 64)), &picture);
        assert!(found > 40.0, "{sampling:?}: {found} dB");
    }
}

#[test]
fn gray_is_written_as_one_component() {
    let frame = Frame::from_fn(Size::new(33, 20), |x, y| Gray::new((x * 7 + y) as u8)).unwrap();
    let picture = Picture::from(frame.clone());
    for options in [WriteOptions::default(), WriteOptions::default().progressive().restart_rows(1)] {
        let back = read(&written(&picture, options, 64)).frame::<Gray<u8>>().unwrap();
        let worst = back.samples().iter().zip(frame.samples()).map(|(a, b)| a.abs_diff(*b)).max().unwrap();
        assert!(worst <= 12, "{worst}");
    }
}

#[test]
fn metadata_come_back() {
    let mut m = Metadata::default();
    m.orientation = Orientation::from_exif(8).unwrap();
    m.resolution = Some(Resolution { x: 300.0, y: 150.0, unit: ResolutionUnit::Inch });
    m.icc = Some((0..150_000u32).map(|i| (i % 251) as u8).collect());
    m.xmp = Some("<x:xmpmeta/>".into());
    m.text.push(Text { keyword: "Comment".into(), text: "the board at low water".into() });
    let frame = Frame::filled(Size::new(20, 10), Rgb::new(9u8, 90, 200)).unwrap();
    let back = read(&written(&Picture::new(frame, m.clone()), WriteOptions::default(), 64));
    let found = back.metadata();
    assert_eq!((found.orientation, found.resolution, &found.icc), (m.orientation, m.resolution, &m.icc));
    assert_eq!((&found.xmp, &found.text), (&m.xmp, &m.text));
}

#[test]
fn what_jpeg_cannot_hold_is_refused_with_what_would_help() {
    let size = Size::new(4, 4);
    let cases: [(Picture, Help); 3] = [
        (Frame::<Rgba<u8>>::new(size).unwrap().into(), Help::Flatten),
        (Frame::<Rgb<u16>>::new(size).unwrap().into(), Help::Depth(&[Depth::U8])),
        (Frame::<rahmen::Cmyk<u16>>::new(size).unwrap().into(), Help::Depth(&[Depth::U8])),
    ];
    for (picture, help) in cases {
        let options = WriteOptions::default().format(FileFormat::Jpeg);
        let error = Writer::to_stream(Memory::default(), &picture.facts(), options).unwrap_err();
        assert!(error.help().contains(&help), "{error}");
    }
}

#[test]
fn ink_is_written_inverted_behind_adobes_segment() {
    use rahmen::{Cmyk, Layout};
    let wave = |v: f64| (127.5 + 110.0 * v.sin()) as u8;
    let size = Size::new(83, 61);
    let frame = Frame::from_fn(size, |x, y| {
        let (x, y) = (f64::from(x), f64::from(y));
        Cmyk::new(wave(x / 17.0 + y / 40.0), wave(y / 23.0), wave((x + y) / 31.0), wave(x / 50.0))
    })
    .unwrap();
    let picture = Picture::from(frame.clone());
    let plain = written(&picture, WriteOptions::default(), 7);
    // Marker, length, name, version 100, two words of flags, no transform.
    let adobe = b"\xff\xee\x00\x0eAdobe\x00\x64\x00\x00\x00\x00\x00";
    assert!(plain.windows(adobe.len()).any(|w| w == adobe));
    let facts = facts_from(plain.as_slice(), ReadOptions::default()).unwrap();
    assert_eq!(facts.pixel_format.channel_names().len(), 4);
    let back = read(&plain);
    assert_eq!(back.pixels().unwrap().layout(), Layout::Cmyk);
    let error = |picture: &Picture| {
        let view = picture.view::<Cmyk<u8>>().unwrap();
        let all = view.rows().flatten().flat_map(|p| [p.c, p.m, p.y, p.k]);
        let sum: f64 = all.zip(frame.samples()).map(|(a, b)| (f64::from(a) - f64::from(*b)).powi(2)).sum();
        (sum / frame.samples().len() as f64).sqrt()
    };
    assert!(error(&back) < 1.5, "{}", error(&back));
    // The order of coefficients changes nothing, whatever the threads.
    for options in [WriteOptions::default().progressive(), WriteOptions::default().restart_rows(2)] {
        assert!(read(&written(&picture, options.clone(), 61)) == back);
        assert!(written(&picture, options.clone(), 61) == written(&picture, options.threads(Threads::ONE), 5));
    }
    assert!(error(&read(&written(&picture, WriteOptions::default().quality(40), 61))) > error(&back));
}
