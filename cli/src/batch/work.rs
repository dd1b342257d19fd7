//! Files side by side: a file a thread, within one budget of memory.
//!
//! A file that finds no room beside the others is put off and has its turn alone at the end.

use super::Stop;
use std::sync::Mutex;
use std::sync::PoisonError;
use std::sync::atomic::{AtomicUsize, Ordering};

/// How the work on a file ended.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) enum Ended {
    /// For good or ill.
    Done,
    /// It needs more memory than there was beside the others.
    NoRoom,
}

/// Calls `one` for each number below `count`, `workers` at a time; `alone` tells it that no other is at work. Ends early where that is
/// asked for.
pub(crate) fn each(count: usize, workers: usize, stop: &Stop, one: &(dyn Fn(usize, bool) -> Ended + Sync)) {
    let next = AtomicUsize::new(0);
    let put_off = Mutex::new(Vec::new());
    let alone = workers.min(count) <= 1;
    let work = || {
        while !stop.is_asked() {
            let number = next.fetch_add(1, Ordering::Relaxed);
            if number >= count {
                break;
            }
            if one(number, alone) == Ended::NoRoom {
                put_off.lock().unwrap_or_else(PoisonError::into_inner).push(number);
            }
        }
    };
    match alone {
        true => work(),
        false => std::thread::scope(|scope| {
            // This thread is one of them, and the only one where the system gives no more.
            for _ in 1..workers.min(count) {
                if std::thread::Builder::new().spawn_scoped(scope, work).is_err() {
                    break;
                }
            }
            work();
        }),
    }
    let mut left = put_off.into_inner().unwrap_or_else(PoisonError::into_inner);
    left.sort_unstable();
    for number in left {
        if !stop.is_asked() {
            one(number, true);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn each_is_worked_on_once_and_those_without_room_again_alone() {
        let stop = Stop::default();
        let calls = Mutex::new(Vec::new());
        each(20, 3, &stop, &|number, alone| {
            calls.lock().unwrap().push((number, alone));
            if number % 7 == 0 && !alone { Ended::NoRoom } else { Ended::Done }
        });
        let mut calls = calls.into_inner().unwrap();
        assert_eq!(calls[20..], [(0, true), (7, true), (14, true)]);
        calls.truncate(20);
        calls.sort_unstable();
        assert_eq!(calls, (0..20).map(|n| (n, false)).collect::<Vec<_>>());
    }

    #[test]
    fn asked_to_stop_no_other_is_begun() {
        let stop = Stop::default();
        let count = AtomicUsize::new(0);
        each(100, 1, &stop, &|_, _| {
            if count.fetch_add(1, Ordering::Relaxed) == 4 {
                stop.ask();
            }
            Ended::Done
        });
        assert_eq!(count.into_inner(), 5);
    }
}
