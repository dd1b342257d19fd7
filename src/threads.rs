//! How many threads a step may use, and the one way work on rows is spread over them.
//!
//! A value that is passed on, not a global setting: a batch that already runs on every core gives its kernels
//! [`Threads::ONE`], so that the two do not fight.

use std::num::NonZeroUsize;

/// How many threads a step may use. Results never depend on it.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Threads(Option<NonZeroUsize>);

impl Threads {
    /// As many as the machine has cores (the default).
    pub const ALL: Threads = Threads(None);
    /// The caller's thread alone.
    pub const ONE: Threads = Threads(Some(NonZeroUsize::MIN));

    /// At most this many; 0 means all.
    pub fn at_most(count: usize) -> Threads {
        Threads(NonZeroUsize::new(count))
    }

    /// The number that stands behind it on this machine; 1 without the feature `parallel`.
    pub fn count(self) -> usize {
        #[cfg(feature = "parallel")]
        return self.0.map_or_else(rayon::current_num_threads, NonZeroUsize::get);
        #[cfg(not(feature = "parallel"))]
        1
    }

    /// In how many bands to do work that touches `bytes` bytes: one below a size where spreading costs more than it
    /// gives (measured: 512 x 512 RGB loses, 2 MiB wins).
    pub(crate) fn bands(self, bytes: usize) -> usize {
        if bytes < 2 << 20 { 1 } else { self.count() }
    }
}

/// Runs the jobs, at most as many at a time as there are: on the caller's thread if there is one.
pub(crate) fn each<J: Send>(jobs: Vec<J>, run: impl Fn(J) + Sync + Send) {
    #[cfg(feature = "parallel")]
    if jobs.len() > 1 {
        use rayon::prelude::*;
        return jobs.into_par_iter().with_max_len(1).for_each(run);
    }
    jobs.into_iter().for_each(run);
}

/// Runs the jobs like [`each`] and gives their results in the jobs' order.
pub(crate) fn collect<J: Send, R: Send>(jobs: Vec<J>, run: impl Fn(J) -> R + Sync + Send) -> Vec<R> {
    #[cfg(feature = "parallel")]
    if jobs.len() > 1 {
        use rayon::prelude::*;
        return jobs.into_par_iter().with_max_len(1).map(run).collect();
    }
    jobs.into_iter().map(run).collect()
}

/// `rows` rows cut into `bands` runs that differ by at most one row; empty ones are left out.
pub(crate) fn bands(rows: u32, bands: usize) -> Vec<std::ops::Range<u32>> {
    let count = (bands.max(1) as u64).min(u64::from(rows));
    let edge = |i: u64| (u64::from(rows) * i / count) as u32;
    (0..count).map(|i| edge(i)..edge(i + 1)).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn bands_cover_every_row_once_and_are_even() {
        for rows in [0, 1, 2, 7, 100, u32::MAX] {
            for count in [1, 2, 3, 16] {
                let cut = bands(rows, count);
                assert_eq!(cut.iter().map(|b| u64::from(b.end - b.start)).sum::<u64>(), u64::from(rows));
                assert!(cut.windows(2).all(|w| w[0].end == w[1].start));
                assert!(cut.iter().all(|b| !b.is_empty()));
                assert_eq!(cut.len(), count.min(rows as usize));
            }
        }
    }

    #[test]
    fn results_come_in_the_order_of_the_jobs() {
        assert_eq!(collect((0..100).collect(), |i: i32| i * 2), (0..100).map(|i| i * 2).collect::<Vec<_>>());
    }
}
