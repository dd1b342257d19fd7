//! How many threads a step may use, and the one way work is spread over them.
//!
//! A value that is passed on, not a global setting: a batch that already runs on every core gives its kernels
//! [`Threads::ONE`], so that the two do not fight.
//!
//! The thread pool is entered in one function that is not generic, [`spread`]: whatever stands behind it is compiled once.
//! The generic helpers are shells of a few lines around it.

use std::num::NonZeroUsize;
use std::sync::{Mutex, MutexGuard, PoisonError};

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

    /// The number that stands behind it on this machine; 1 without the feature `parallel`, and where the system gives no more threads.
    pub fn count(self) -> usize {
        #[cfg(feature = "parallel")]
        if self != Threads::ONE && has_pool() {
            return self.0.map_or_else(rayon_core::current_num_threads, NonZeroUsize::get);
        }
        1
    }

    /// In how many bands to do work that touches `bytes` bytes: one below a size where spreading costs more than it
    /// gives (measured: 512 x 512 RGB loses, 2 MiB wins).
    pub(crate) fn bands(self, bytes: u64) -> usize {
        if bytes < 2 << 20 { 1 } else { self.count() }
    }
}

/// Whether there are threads to spread work over: those of the pool that the caller is in, or those of the process, which are begun here
/// unless the application has. Where the system gives no more threads, the caller's does all work.
#[cfg(feature = "parallel")]
fn has_pool() -> bool {
    static OWN: std::sync::OnceLock<bool> = std::sync::OnceLock::new();
    let begin = || {
        let cores = std::thread::available_parallelism().map_or(1, NonZeroUsize::get);
        let begun = rayon_core::ThreadPoolBuilder::new().num_threads(cores).build_global();
        // Without a source the error is that there is a pool already.
        begun.err().is_none_or(|error| std::error::Error::source(&error).is_none())
    };
    rayon_core::current_thread_index().is_some() || *OWN.get_or_init(begin)
}

/// What a byte counts for in [`Threads::bands`] where much is computed for each: such work is worth spreading earlier than a
/// move is.
pub(crate) const COMPUTED: u64 = 8;

/// Calls `work` once for each number below `count`, at most as many at a time as are allowed; on the caller's thread where
/// that is one. The numbers are handed out in order.
pub(crate) fn spread(threads: Threads, count: usize, work: &(dyn Fn(usize) + Sync)) {
    #[cfg(feature = "parallel")]
    {
        let workers = threads.count().min(count);
        if workers > 1 {
            let next = std::sync::atomic::AtomicUsize::new(0);
            // As many workers as are allowed, whatever the pool has: that is what keeps the limit.
            let worker = || {
                loop {
                    let index = next.fetch_add(1, std::sync::atomic::Ordering::Relaxed);
                    if index >= count {
                        return;
                    }
                    work(index);
                }
            };
            return rayon_core::scope(|scope| {
                for _ in 1..workers {
                    scope.spawn(|_| worker());
                }
                // This too runs on a thread of the pool.
                worker();
            });
        }
    }
    let _ = threads;
    (0..count).for_each(work);
}

/// Runs the jobs, at most as many at a time as are allowed.
pub(crate) fn each<J: Send>(threads: Threads, jobs: Vec<J>, run: impl Fn(J) + Sync) {
    // As little as can be, here and below: all of this is compiled for each kind of job.
    let count = jobs.len();
    let queue = Mutex::new(jobs.into_iter());
    spread(threads, count, &|_| {
        let job = held(&queue).next();
        if let Some(job) = job {
            run(job);
        }
    });
}

/// Runs the jobs like [`each`] and gives their results in the jobs' order.
pub(crate) fn collect<J: Send, R: Send>(threads: Threads, jobs: Vec<J>, run: impl Fn(J) -> R + Sync) -> Vec<R> {
    let count = jobs.len();
    let mut places = Vec::with_capacity(count);
    for _ in 0..count {
        places.push(None);
    }
    // A job is taken out together with its number.
    let (queue, places) = (Mutex::new((0, jobs.into_iter())), Mutex::new(places));
    spread(threads, count, &|_| {
        let (index, job) = {
            let mut queue = held(&queue);
            queue.0 += 1;
            (queue.0 - 1, queue.1.next())
        };
        if let Some(job) = job {
            let found = run(job);
            held(&places)[index] = Some(found);
        }
    });
    let mut results = Vec::with_capacity(count);
    for place in held(&places).iter_mut() {
        // Each has been set: a job that ends otherwise ends all of this too.
        if let Some(found) = place.take() {
            results.push(found);
        }
    }
    results
}

/// What a lock holds; nothing panics while it is held.
fn held<T>(lock: &Mutex<T>) -> MutexGuard<'_, T> {
    lock.lock().unwrap_or_else(PoisonError::into_inner)
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
        for threads in [Threads::ONE, Threads::at_most(2), Threads::ALL] {
            let found = collect(threads, (0..100).collect(), |i: i32| i * 2);
            assert_eq!(found, (0..100).map(|i| i * 2).collect::<Vec<_>>());
        }
        assert!(collect(Threads::ALL, Vec::<u8>::new(), |v| v).is_empty());
    }

    #[test]
    fn no_more_threads_work_at_once_than_are_allowed() {
        use std::sync::atomic::{AtomicUsize, Ordering};
        for limit in 1..=3 {
            let (now, most) = (AtomicUsize::new(0), AtomicUsize::new(0));
            each(Threads::at_most(limit), vec![(); 40], |()| {
                most.fetch_max(now.fetch_add(1, Ordering::SeqCst) + 1, Ordering::SeqCst);
                std::thread::sleep(std::time::Duration::from_millis(1));
                now.fetch_sub(1, Ordering::SeqCst);
            });
            assert!(most.load(Ordering::SeqCst) <= limit, "{most:?} of {limit}");
        }
    }
}
