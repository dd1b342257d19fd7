//! Saves a PNG of 20,000 x 20,000 RGB pixels again, in strips, and prints how long it takes and how much memory is
//! resident at most: `cargo bench --bench huge`. A program of its own, so that nothing else is in its memory.
// A bench is a program: a failure may end it, and it prints.
#![allow(clippy::print_stdout, missing_docs)]

use rahmen::file::{ReadOptions, Reader, WriteOptions, Writer};
use rahmen::flow::{Chain, Sink, Strip};
use rahmen::{Depth, Facts, Frame, Layout, Metadata, PixelFormat, Rgb, Size};
use std::time::Instant;

const SIDE: u32 = 20_000;

fn main() {
    let folder = tempfile::tempdir().expect("a temporary folder");
    let (first, second) = (folder.path().join("first.png"), folder.path().join("second.png"));
    let size = Size::new(SIDE, SIDE);
    let facts = Facts::new(size, PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Rgb }, Metadata::default());
    let start = Instant::now();
    let mut writer =
        Writer::create(&first, &facts, WriteOptions::default().compression(1)).expect("a place to write to");
    for first_row in (0..SIDE).step_by(50) {
        let rows = Frame::from_fn(Size::new(SIDE, 50), |x, y| soft(x, y + first_row)).expect("a strip's memory");
        writer.put(&Strip { first_row, content: rows.into() }).expect("room");
    }
    writer.finish().expect("room");
    let drawn = std::fs::metadata(&first).expect("it is there").len();
    println!("drawn: {size} rgb u8, {} MiB as PNG, {:.1} s", drawn >> 20, start.elapsed().as_secs_f64());
    let before = peak_again();
    let start = Instant::now();
    let reader = Reader::open(&first, ReadOptions::default()).expect("a picture");
    let mut chain = Chain::new(Box::new(reader), Vec::new()).expect("a chain");
    let options = WriteOptions::default();
    let mut writer = Writer::create(&second, &facts, options).expect("a place to write to");
    chain.run_into(&mut writer).expect("all rows");
    let seconds = start.elapsed().as_secs_f64();
    let bytes = u64::from(SIDE) * u64::from(SIDE) * 3;
    println!("saved again: {seconds:.1} s, {:.0} MB of pixels a second", bytes as f64 / seconds / 1e6);
    match (before, peak()) {
        (Some(before), Some(peak)) => {
            println!(
                "resident at most: {:.1} MB (before: {:.1} MB; bar: 100 MB)",
                peak as f64 / 1e6,
                before as f64 / 1e6
            );
        }
        _ => println!("resident at most: this system does not say"),
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
