//! A process that serves files for many callers at once, in one pool: good and damaged ones, with budgets and without. No request meets the
//! limit of another, everything is given back, and memory does not grow.
#![cfg(all(
    feature = "parallel",
    feature = "png",
    feature = "jpeg",
    feature = "pnm",
    feature = "pfm",
    feature = "bmp",
    feature = "tga",
    feature = "qoi",
    feature = "gif",
    feature = "tiff",
    feature = "npy",
    feature = "raw"
))]

use crate::common::corpus::{Sample, corpus, sample_files};
use crate::common::structure::{Rng, changed};
use rahmen::file::{ReadOptions, WriteOptions, encode, read_from};
use rahmen::resample::ResizeRules;
use rahmen::{ErrorKind, FileFormat, MemoryBudget, Size};
use std::io::Cursor;
use std::sync::atomic::{AtomicUsize, Ordering};

/// Requests; the figure of docs/security.md is of 200,000: `RAHMEN_REQUESTS=200000 cargo test --release --test all service`.
const REQUESTS: usize = 3000;

/// Reads a file and makes a small and a deeper picture of it. The error of a budget is that of its own.
fn request(bytes: &[u8], options: ReadOptions, limit: Option<u64>) -> bool {
    let budget = limit.map(MemoryBudget::new);
    let options = match &budget {
        Some(budget) => options.budget(budget),
        None => options,
    };
    let work = || {
        let picture = read_from(Cursor::new(bytes), options)?;
        let small = picture.resize(Size::new(160, 120), &ResizeRules::default())?;
        encode(&small, FileFormat::Tiff, WriteOptions::default())
    };
    let done = work();
    if let Err(error) = &done
        && let ErrorKind::Budget { limit: met, .. } = error.kind()
    {
        assert_eq!(Some(*met), limit, "{error}");
    }
    assert_eq!(budget.map_or(0, |budget| budget.held()), 0);
    done.is_ok()
}

/// Kibibytes that this process has in memory.
fn resident() -> usize {
    let said = std::fs::read_to_string("/proc/self/status").unwrap_or_default();
    let line = said.lines().find_map(|line| line.strip_prefix("VmRSS:")).unwrap_or("0");
    line.trim().split(' ').next().and_then(|number| number.parse().ok()).unwrap_or(0)
}

#[test]
fn requests_of_many_callers_stay_apart_and_leave_nothing_behind() {
    let requests = std::env::var("RAHMEN_REQUESTS").ok().and_then(|n| n.parse().ok()).unwrap_or(REQUESTS);
    let samples: Vec<Sample> = corpus().into_iter().chain(sample_files("fuzz/seeds/files")).collect();
    let pool = rayon_core::ThreadPoolBuilder::new().num_threads(8).build().unwrap();
    let (good, bad) = (AtomicUsize::new(0), AtomicUsize::new(0));
    let round = |first: usize, count: usize| {
        pool.scope(|scope| {
            for number in first..first + count {
                let (samples, good, bad) = (&samples, &good, &bad);
                scope.spawn(move |_| {
                    let Sample { bytes, options, .. } = &samples[number % samples.len()];
                    let mut random = Rng::with_seed(number as u64);
                    let damaged = if number % 3 == 0 { bytes.clone() } else { changed(bytes, &mut random) };
                    let limit = [None, Some(20_000), Some(200_000), Some(4 << 20)][number / 7 % 4];
                    let done = request(&damaged, options.clone(), limit);
                    if done { good } else { bad }.fetch_add(1, Ordering::Relaxed);
                });
            }
        });
    };
    // What the pool, tables and the heap take at first.
    round(0, requests / 4);
    let before = resident();
    round(requests / 4, requests - requests / 4);
    let after = resident();
    let (good, bad) = (good.into_inner(), bad.into_inner());
    println!("{good} good, {bad} refused; {before} KiB before, {after} KiB after");
    assert!(good > requests / 5 && bad > requests / 5, "{good} good, {bad} bad");
    // Other tests of this process take memory meanwhile; what one request left behind would be far more.
    assert!(after < before + (200 << 10), "{before} KiB grew to {after}");
}
