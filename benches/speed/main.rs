//! How fast each job is, as a ratio to a copy of the same bytes in the same run. `cargo bench` runs all rows,
//! `cargo bench -- resize gray` those whose names hold one of the words, `--rounds=N` changes how often each is timed.
//!
//! One file a subject; docs/speed.md keeps the table.
// A bench is a program: a failure may end it, and it prints.
#![allow(clippy::print_stdout, missing_docs)]

mod colors;
mod depths;
mod files;
mod jpeg;
mod measures;
mod moves;
mod pictures;
mod ratio;
mod resizing;
mod table;
mod tiff;

/// Tells how much memory a job takes.
#[global_allocator]
static MEMORY: peak_alloc::PeakAlloc = peak_alloc::PeakAlloc;

fn main() {
    let mut bench = ratio::Bench::from_args();
    moves::rows(&mut bench);
    depths::rows(&mut bench);
    colors::rows(&mut bench);
    measures::rows(&mut bench);
    resizing::rows(&mut bench);
    files::rows(&mut bench);
    files::index_rows(&mut bench);
    jpeg::rows(&mut bench);
    tiff::rows(&mut bench);
    tiff::gif_rows(&mut bench);
    println!("# calibration again: {:.2} billion multiply-adds a second", ratio::multiply_adds());
}
