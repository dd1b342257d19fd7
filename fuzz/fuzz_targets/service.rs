//! Several requests in one pool, each with a budget of its own or none: no request meets the limit of another.
#![no_main]

use rahmen::file::{Limits, ReadOptions, WriteOptions, decode, encode};
use rahmen::resample::ResizeRules;
use rahmen::{Depth, ErrorKind, FileFormat, MemoryBudget, Picture, Size};
use std::sync::LazyLock;

static POOL: LazyLock<Option<rayon_core::ThreadPool>> =
    LazyLock::new(|| rayon_core::ThreadPoolBuilder::new().num_threads(3).build().ok());

/// Reads, works on all threads of the pool, writes.
fn request(bytes: &[u8], limit: Option<u64>) {
    let budget = limit.map(MemoryBudget::new);
    let mut options = ReadOptions::default().limits(Limits::default().memory(8 << 20).metadata(1 << 20).work(1000));
    options.budget = budget.clone();
    let work = || -> rahmen::Result<Vec<u8>> {
        let picture: Picture = decode(bytes, options)?;
        let large = picture.resize(Size::new(700, 300), &ResizeRules::default())?;
        encode(&large.to_depth(Depth::U16)?, FileFormat::Tiff, WriteOptions::default())
    };
    if let Err(error) = work()
        && let ErrorKind::Budget { limit: met, .. } = error.kind()
    {
        assert_eq!(Some(*met), limit, "another request's limit was met");
    }
    assert_eq!(budget.map_or(0, |budget| budget.held()), 0);
}

libfuzzer_sys::fuzz_target!(|bytes: &[u8]| {
    let Some(pool) = POOL.as_ref() else { return };
    pool.scope(|scope| {
        for limit in [None, Some(100_000), Some(1 << 20), None, Some(4 << 20)] {
            scope.spawn(move |_| request(bytes, limit));
        }
    });
});

rahmen_fuzz::change_by_structure!();
