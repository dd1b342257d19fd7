//! What every target does with bytes, and the bounds that hold whatever they are: nothing panics, memory stays within the limit and a
//! stated multiple of the input, processor time within a stated multiple too, everything that was charged to the budget is given back, and no more pixels come than so many bytes
//! may stand for.

mod counting;
pub mod structure;

use rahmen::color::ColorSpace;
use rahmen::file::{Limits, ReadAs, ReadOptions, Reader, facts_from, read_from};
use rahmen::flow::{EqualizeAdaptive, Flatten, Orient, Resize, RotateBy, Source, Step, ToColor, ToDepth, ToGray, ToSpace};
use rahmen::resample::{Kernel, ResizeRules};
use rahmen::{Depth, FileFormat, MemoryBudget, Size, Threads};
use std::io::Cursor;

/// Bytes that may be held at once: little, so that a target is quick.
const MEMORY: u64 = 1 << 20;

/// Bytes beside the budget that a call may take at most: its tables, and the input a few times over.
fn beside(input: usize) -> u64 {
    (6 << 20) + 40 * input as u64
}

/// Nanoseconds of processor time that a call may take: what any file may have, and for each byte. Far above what honest work takes, and far
/// below what a file that is gone through again and again would.
fn time_of(input: usize) -> u64 {
    3_000_000_000 + 200_000 * input as u64
}

/// The limits of all targets, under a budget.
pub fn options(budget: &MemoryBudget) -> ReadOptions {
    let limits = Limits::default().memory(MEMORY).metadata(MEMORY);
    ReadOptions::default().limits(limits).budget(budget).threads(Threads::ONE)
}

/// Runs what a target does with an input within a budget, and checks that the bounds hold.
pub fn bounded(input: &[u8], work: impl FnOnce(&MemoryBudget)) {
    let budget = MemoryBudget::new(MEMORY);
    let began = counting::processor_time();
    let peak = counting::peak_of(|| work(&budget));
    let took = counting::processor_time() - began;
    assert_eq!(budget.held(), 0, "bytes that were charged and not given back");
    let most = MEMORY + beside(input.len());
    assert!(peak <= most, "{peak} bytes held, of {most} that {} bytes of input may take", input.len());
    let most = time_of(input.len());
    assert!(took <= most, "{took} ns of {most} that {} bytes of input may take", input.len());
}

/// Puts the mark of a format in front where it has one, and reads the bytes with each option.
pub fn read_as(format: FileFormat, bytes: &[u8]) {
    let mark: &[u8] = match format {
        FileFormat::Png => b"\x89PNG\r\n\x1a\n",
        FileFormat::Jpeg => b"\xff\xd8\xff",
        FileFormat::Bmp => b"BM",
        FileFormat::Qoi => b"qoif",
        FileFormat::Gif => b"GIF89a",
        FileFormat::Npz => b"PK\x03\x04",
        FileFormat::Npy => b"\x93NUMPY",
        FileFormat::Pfm => b"P",
        FileFormat::Pnm => b"P",
        _ => b"",
    };
    let bytes = if bytes.starts_with(mark) { bytes.to_vec() } else { [mark, bytes].concat() };
    read(&bytes, |options| options);
    read(&bytes, |options| options.read_as(ReadAs::Indices));
    read(&bytes, |options| options.page(2));
}

/// Reads bytes as a stream and in any order, whole and in strips, strictly and salvaging.
pub fn read(bytes: &[u8], with: impl Fn(ReadOptions) -> ReadOptions) {
    for salvages in [false, true] {
        let options = |budget: &MemoryBudget| {
            let options = with(options(budget));
            if salvages { options.salvage() } else { options }
        };
        bounded(bytes, |budget| {
            if let Ok(picture) = read_from(Cursor::new(bytes), options(budget)) {
                assert!(picture.pixel_format().bytes(picture.size()) <= MEMORY);
            }
        });
        bounded(bytes, |budget| strips(bytes, options(budget)));
    }
    bounded(bytes, |budget| drop(facts_from(Cursor::new(bytes), with(options(budget)))));
}

/// Steps that the last bytes of an input name: what comes after decoding.
pub fn steps(mut words: &[u8]) -> Vec<Box<dyn Step>> {
    let mut steps: Vec<Box<dyn Step>> = Vec::new();
    while let [word, a, b, rest @ ..] = words {
        let kernels = [Kernel::Nearest, Kernel::Box, Kernel::Linear, Kernel::CatmullRom, Kernel::Lanczos3];
        let rules = ResizeRules::new(kernels[usize::from(*a) % kernels.len()].clone()).threads(Threads::ONE);
        let side = |v: u8| u32::from(v % 64) + 1;
        steps.push(match word % 10 {
            0 | 1 => Box::new(Resize::new(Size::new(side(*a), side(*b)), rules)),
            2 => Box::new(RotateBy::new(f64::from(*a), Default::default())),
            3 => Box::new(ToGray::default()),
            4 => Box::new(ToDepth::new([Depth::U8, Depth::U16, Depth::F32][usize::from(a % 3)])),
            5 => Box::new(Orient::upright()),
            6 => Box::new(EqualizeAdaptive::new(Default::default())),
            7 => Box::new(ToColor),
            8 => Box::new(Flatten::new([0.0; 3])),
            _ => Box::new(ToSpace::new(ColorSpace::DISPLAY_P3)),
        });
        words = rest;
    }
    steps
}

/// The bytes of a file, and behind them those that say what is done with it: a number of them that the last byte gives.
pub fn file_and_words(bytes: &[u8]) -> (&[u8], &[u8]) {
    let count = bytes.last().map_or(0, |last| usize::from(last % 16));
    bytes.split_at(bytes.len().saturating_sub(count))
}

/// Reads in strips. A header may declare more rows than anybody can wait for.
fn strips(bytes: &[u8], options: ReadOptions) {
    let Ok(mut reader) = Reader::from_seekable(Cursor::new(bytes), options) else { return };
    let _ = reader.skip(1);
    let mut pixels = 0u64;
    for _ in 0..100 {
        let Ok(Some(strip)) = reader.next(3) else { break };
        assert!(strip.content.size().height <= 3);
        pixels += strip.content.size().pixels();
    }
    assert!(pixels <= (1 << 26) + 10_000 * bytes.len() as u64, "{pixels} pixels of {} bytes", bytes.len());
}

/// What a target changes its input by: mostly pieces of its structure, else the bytes themselves.
pub fn changed(bytes: &mut [u8], size: usize, most: usize, seed: u32) -> usize {
    if seed.is_multiple_of(4) {
        return libfuzzer_sys::fuzzer_mutate(bytes, size, most);
    }
    let new = structure::changed(&bytes[..size], &mut structure::Rng::with_seed(seed.into()));
    let size = new.len().min(most);
    bytes[..size].copy_from_slice(&new[..size]);
    size
}

/// A target whose input is a file, or the block or profile of one.
#[macro_export]
macro_rules! change_by_structure {
    () => {
        libfuzzer_sys::fuzz_mutator!(|bytes: &mut [u8], size: usize, most: usize, seed: u32| {
            $crate::changed(bytes, size, most, seed)
        });
    };
}
