//! An allocator that knows the most bytes that were held since it was asked.

use std::alloc::{GlobalAlloc, Layout, System};
use std::sync::atomic::{AtomicU64, Ordering::Relaxed};

struct Counting;

static HELD: AtomicU64 = AtomicU64::new(0);
static PEAK: AtomicU64 = AtomicU64::new(0);

#[global_allocator]
static ALLOCATOR: Counting = Counting;

// SAFETY: everything is handed on to the system's allocator as it is.
unsafe impl GlobalAlloc for Counting {
    unsafe fn alloc(&self, layout: Layout) -> *mut u8 {
        let held = HELD.fetch_add(layout.size() as u64, Relaxed) + layout.size() as u64;
        PEAK.fetch_max(held, Relaxed);
        // SAFETY: the caller's promise.
        unsafe { System.alloc(layout) }
    }

    unsafe fn alloc_zeroed(&self, layout: Layout) -> *mut u8 {
        let held = HELD.fetch_add(layout.size() as u64, Relaxed) + layout.size() as u64;
        PEAK.fetch_max(held, Relaxed);
        // SAFETY: the caller's promise.
        unsafe { System.alloc_zeroed(layout) }
    }

    unsafe fn dealloc(&self, place: *mut u8, layout: Layout) {
        HELD.fetch_sub(layout.size() as u64, Relaxed);
        // SAFETY: the caller's promise.
        unsafe { System.dealloc(place, layout) }
    }
}

/// The most bytes that were held at once while the work was done, beside those that were held before.
pub fn peak_of(work: impl FnOnce()) -> u64 {
    let before = HELD.load(Relaxed);
    PEAK.store(before, Relaxed);
    work();
    PEAK.load(Relaxed).saturating_sub(before)
}

/// Nanoseconds of processor time that this process has taken.
pub fn processor_time() -> u64 {
    let time = rustix::time::clock_gettime(rustix::time::ClockId::ProcessCPUTime);
    time.tv_sec as u64 * 1_000_000_000 + time.tv_nsec as u64
}
