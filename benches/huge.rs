//! Takes a PNG of 12,000 x 12,000 RGB pixels through chains, in strips, and prints how long each takes and how much memory is
//! resident at most: `cargo bench --bench huge`. A program of its own, so that nothing else is in its memory.
// A bench is a program: a failure may end it, and it prints.
#![allow(clippy::print_stdout, missing_docs)]

use rahmen::file::{ReadOptions, Reader, WriteOptions, Writer};
use rahmen::flow::{Chain, Crop, Find, FindTone, Orient, PictureSink, Resize, Retone, Sink, Step, Strip};
use rahmen::resample::{Kernel, ResizeRules, Target};
use rahmen::tone::{Basis, Curve, EqualizeBy, Tone};
use rahmen::{Depth, Facts, Frame, Layout, Metadata, Orientation, PixelFormat, Region, Rgb, Size};
use std::path::Path;
use std::time::Instant;

const SIDE: u32 = 12_000;

fn main() {
    let words: Vec<String> = std::env::args().collect();
    if let [_, word, first, second] = words.as_slice()
        && word == "again"
    {
        return again(Path::new(first), Path::new(second));
    }
    let folder = tempfile::tempdir().expect("a temporary folder");
    let (first, second) = (folder.path().join("first.png"), folder.path().join("second.png"));
    // `cargo bench --bench huge -- tiled`: only the tiled picture.
    if std::env::args().any(|word| word == "tiled") {
        return tiled(folder.path());
    }
    draw(&first);
    let resize = |target| vec![Box::new(Resize::new(target, ResizeRules::new(Kernel::CatmullRom))) as Box<dyn Step>];
    let to = |width, height| resize(Target::Exact(Size::new(width, height)));
    let curve = Tone::new(Curve::function(|v| v.powf(0.7)));
    let equalize = FindTone::new(Find::Equalize(EqualizeBy::Cumulative), Basis::EachChannel);
    let thumbnail = || Box::new(Resize::new(Target::Fit(Size::new(256, 256)), ResizeRules::new(Kernel::CatmullRom)));
    let quarter = || Box::new(Orient::new(Orientation::RotatedRight));
    println!(
        "a picture of {SIDE} x {SIDE} rgb u8, raw {} MB; bar: 32 MB resident",
        SIDE as u64 * SIDE as u64 * 3 / 1_000_000
    );
    println!("{:34} {:>8} {:>12}", "", "seconds", "resident MB");
    run("saved again", &first, &second, Vec::new());
    run("shrunk to 3000 x 3000", &first, &second, to(3000, 3000));
    run("shrunk to 256 x 256", &first, &second, to(256, 256));
    run("shrunk to 16 x 16", &first, &second, to(16, 16));
    run("shrunk to 1 x 1", &first, &second, to(1, 1));
    run("shrunk to 64 x 12,000", &first, &second, to(64, SIDE));
    run("enlarged to 13,000 x 13,000", &first, &second, to(13_000, 13_000));
    run("a curve", &first, &second, vec![Box::new(Retone::new("curve", curve))]);
    run("equalised, in two rounds", &first, &second, vec![Box::new(equalize)]);
    run("a thumbnail, rotated", &first, &second, vec![thumbnail(), quarter()]);
    run("rotated, a thumbnail", &first, &second, vec![quarter(), thumbnail()]);
    println!("what must be held whole:");
    run("rotated", &first, &second, vec![quarter()]);
    tiled(folder.path());
}

/// A side of the tiled picture.
const TILED: u32 = 30_000;

/// A TIFF of 30,000 x 30,000 in tiles: a region of it, and all of it again.
fn tiled(folder: &Path) {
    let (first, second) = (folder.join("first.tif"), folder.join("second.tif"));
    let size = Size::new(TILED, TILED);
    let facts = Facts::new(size, PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Rgb }, Metadata::default());
    let options = WriteOptions::default().compression(1).tiled(256);
    let mut writer = Writer::create(&first, &facts, options).expect("a place to write to");
    for first_row in (0..TILED).step_by(50) {
        let rows = Frame::from_fn(Size::new(TILED, 50), |x, y| soft(x, y + first_row)).expect("a strip's memory");
        writer.put(&Strip { first_row, content: rows.into() }).expect("room");
    }
    writer.finish().expect("room");
    let raw = u64::from(TILED) * u64::from(TILED) * 3 / 1_000_000;
    println!("a TIFF of {TILED} x {TILED} rgb u8 in tiles of 256, raw {raw} MB");
    println!("bars: the region 0.03 s and 20 MB resident, saved again 60 MB");
    for (x, y) in [(100, 100), (14_321, 17_003)] {
        let region = Region::new(x..x + 1000, y..y + 1000).expect("inside");
        let before = peak_again();
        let mut best = f64::MAX;
        for _ in 0..5 {
            let start = Instant::now();
            let reader = Reader::open(&first, ReadOptions::default()).expect("a picture");
            let mut chain = Chain::new(Box::new(reader), vec![Box::new(Crop::new(region))]).expect("a chain");
            let mut sink = PictureSink::new(chain.facts()).expect("memory");
            chain.run_into(&mut sink).expect("all rows");
            std::hint::black_box(sink.into_picture().expect("all rows"));
            best = best.min(start.elapsed().as_secs_f64());
        }
        let held = peak().zip(before).map_or(0, |(peak, _)| peak);
        println!("{:34} {best:8.3} {:12.1}", format!("1000 x 1000 at {x}, {y}"), held as f64 / 1e6);
    }
    // In a process of its own: what the regions have left behind is not counted.
    let program = std::env::current_exe().expect("this program");
    let ended = std::process::Command::new(program).arg("again").arg(&first).arg(&second).status();
    assert!(ended.is_ok_and(|status| status.success()));
}

/// Saves the tiled picture again.
fn again(first: &Path, second: &Path) {
    let options = WriteOptions::default().compression(1).tiled(256);
    let before = peak_again();
    let start = Instant::now();
    let mut reader = Reader::open(first, ReadOptions::default()).expect("a picture");
    let mut writer = Writer::create(second, reader.facts(), options).expect("a place to write to");
    while let Some(strip) = rahmen::flow::Source::next(&mut reader, 16).expect("rows") {
        writer.put(&strip).expect("room");
    }
    writer.finish().expect("room");
    let held = peak().zip(before).map_or(0, |(peak, _)| peak);
    println!("{:34} {:8.1} {:12.1}", "saved again", start.elapsed().as_secs_f64(), held as f64 / 1e6);
}

fn draw(path: &Path) {
    let size = Size::new(SIDE, SIDE);
    let facts = Facts::new(size, PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Rgb }, Metadata::default());
    let mut writer = Writer::create(path, &facts, WriteOptions::default().compression(1)).expect("a place to write to");
    for first_row in (0..SIDE).step_by(50) {
        let rows = Frame::from_fn(Size::new(SIDE, 50), |x, y| soft(x, y + first_row)).expect("a strip's memory");
        writer.put(&Strip { first_row, content: rows.into() }).expect("room");
    }
    writer.finish().expect("room");
}

/// Reads, works and writes, and says what it took.
fn run(name: &str, from: &Path, to: &Path, steps: Vec<Box<dyn Step>>) {
    let before = peak_again();
    let start = Instant::now();
    let reader = Reader::open(from, ReadOptions::default()).expect("a picture");
    let mut chain = Chain::new(Box::new(reader), steps).expect("a chain");
    let options = WriteOptions::default().compression(1);
    let mut writer = Writer::create(to, chain.facts(), options).expect("a place to write to");
    chain.run_into(&mut writer).expect("all rows");
    let seconds = start.elapsed().as_secs_f64();
    match (before, peak()) {
        (Some(_), Some(peak)) => println!("{name:34} {seconds:8.1} {:12.1}", peak as f64 / 1e6),
        _ => println!("{name:34} {seconds:8.1} this system does not say"),
    }
}

/// Soft colours with some noise, as a photograph has.
fn soft(x: u32, y: u32) -> Rgb<u8> {
    let noise = (x.wrapping_mul(0x9e37_79b1) ^ y.wrapping_mul(0x85eb_ca77)).wrapping_mul(0xc2b2_ae3d) >> 30;
    let v = |a: u32, b: u32| ((a / 97 + b / 61 + noise) & 255) as u8;
    Rgb::new(v(x, y), v(y, x), v(x + y, 3 * y))
}

/// The largest resident memory so far, in bytes.
fn peak() -> Option<u64> {
    let status = std::fs::read_to_string("/proc/self/status").ok()?;
    let line = status.lines().find(|line| line.starts_with("VmHWM:"))?;
    Some(line.split_whitespace().nth(1)?.parse::<u64>().ok()? << 10)
}

/// Starts counting the largest again, and gives where it starts.
fn peak_again() -> Option<u64> {
    std::fs::write("/proc/self/clear_refs", "5").ok()?;
    peak()
}
