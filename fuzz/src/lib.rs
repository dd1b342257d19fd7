//! What every target does with bytes, and the bounds that hold whatever they are: nothing panics, memory stays within the limit and a
//! stated multiple of the input, everything that was charged to the budget is given back, and no more pixels come than so many bytes
//! may stand for.

mod counting;
pub mod structure;

use rahmen::file::{Limits, ReadAs, ReadOptions, Reader, facts_from, read_from};
use rahmen::flow::Source;
use rahmen::{FileFormat, MemoryBudget};
use std::io::Cursor;

/// Bytes that may be held at once: little, so that a target is quick.
const MEMORY: u64 = 1 << 20;

/// Bytes beside the budget that a call may take at most: its tables, and the input a few times over.
fn beside(input: usize) -> u64 {
    (6 << 20) + 40 * input as u64
}

/// The limits of all targets.
pub fn options() -> ReadOptions {
    ReadOptions::default().limits(Limits::default().memory(MEMORY).metadata(MEMORY))
}

/// Runs what a target does with an input within the budget, and checks that the bounds hold.
pub fn bounded(input: &[u8], work: impl FnOnce()) {
    let budget = MemoryBudget::new(MEMORY);
    let peak = counting::peak_of(|| budget.run(work));
    assert_eq!(budget.held(), 0, "bytes that were charged and not given back");
    let most = MEMORY + beside(input.len());
    assert!(peak <= most, "{peak} bytes held, of {most} that {} bytes of input may take", input.len());
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
    read(&bytes, options());
    read(&bytes, options().read_as(ReadAs::Indices));
    read(&bytes, options().page(2));
}

/// Reads bytes as a stream and in any order, whole and in strips, strictly and salvaging.
pub fn read(bytes: &[u8], options: ReadOptions) {
    for options in [options, options.salvage()] {
        bounded(bytes, || {
            if let Ok(picture) = read_from(Cursor::new(bytes), options) {
                assert!(picture.pixel_format().bytes(picture.size()) <= MEMORY);
            }
        });
        bounded(bytes, || strips(bytes, options));
    }
    bounded(bytes, || drop(facts_from(Cursor::new(bytes), options)));
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
