//! Instruction-set specific bodies. One of the few places with `unsafe`.
//!
//! A CPU feature is a value one holds: a [`Level`] exists only where the machine has it. Most kernels need no more than
//! [`Level::run`], which compiles the same safe body once more for wider registers; what it computes is the same.
#![allow(unsafe_code)]

pub(crate) mod arrays;
pub(crate) mod ladder;
pub(crate) mod lookup;
pub(crate) mod prefetch;
pub(crate) mod resample;
mod rows;
pub(crate) mod sums;
pub(crate) mod transpose;
pub(crate) mod weighted;

/// Work that [`Level::work`] compiles for wider registers: its one method must be `#[inline(always)]`.
pub(crate) trait Work {
    /// What comes of it.
    type Out;
    /// Runs the work.
    fn work(self) -> Self::Out;
}

/// Work that [`Level::work_fused`] compiles for wider registers, whose results may be rounded as fused multiply-adds are or not: its one
/// method must be `#[inline(always)]`.
pub(crate) trait FusedWork {
    /// What comes of it.
    type Out;
    /// Runs the work; `FUSED` where a multiply-add is one instruction ([`multiply_add`]).
    fn work<const FUSED: bool>(self) -> Self::Out;
}

/// `a * b + c`, rounded once where that is one instruction.
#[inline(always)]
pub(crate) fn multiply_add<const FUSED: bool>(a: f32, b: f32, c: f32) -> f32 {
    if FUSED { a.mul_add(b, c) } else { a * b + c }
}

/// An instruction set that this machine has.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct Level(Set);

#[derive(Debug, Clone, Copy, PartialEq, Eq)]
enum Set {
    Plain,
    #[cfg(target_arch = "x86_64")]
    Avx2,
    #[cfg(target_arch = "x86_64")]
    Avx512,
}

/// A set in place of the best one: for tests of whole calls.
#[cfg(test)]
pub(crate) mod forced {
    use super::Level;
    use std::cell::Cell;

    thread_local! {
        static LEVEL: Cell<Option<Level>> = const { Cell::new(None) };
    }

    pub(super) fn level() -> Option<Level> {
        LEVEL.get()
    }

    pub(crate) struct Forced(Option<Level>);

    impl Forced {
        pub(super) fn new(level: Level) -> Forced {
            Forced(LEVEL.replace(Some(level)))
        }
    }

    impl Drop for Forced {
        fn drop(&mut self) {
            LEVEL.set(self.0);
        }
    }
}

impl Level {
    /// The build's own baseline: every machine has it.
    #[cfg_attr(not(test), allow(dead_code))]
    pub(crate) const PLAIN: Level = Level(Set::Plain);

    /// The widest set present. Not inlined: it is asked for everywhere, and once a row or seldomer.
    #[inline(never)]
    pub(crate) fn best() -> Level {
        #[cfg(test)]
        if let Some(level) = forced::level() {
            return level;
        }
        #[cfg(target_arch = "x86_64")]
        {
            if Level::has_avx512() {
                return Level(Set::Avx512);
            }
            if Level::has_avx2() {
                return Level(Set::Avx2);
            }
        }
        Level(Set::Plain)
    }

    #[cfg(target_arch = "x86_64")]
    #[inline]
    fn has_avx2() -> bool {
        // Every processor with AVX2 but a handful has fused multiply-add; without it the plain body serves.
        is_x86_feature_detected!("avx2") && is_x86_feature_detected!("fma")
    }

    #[cfg(target_arch = "x86_64")]
    #[inline]
    fn has_avx512() -> bool {
        Level::has_avx2()
            && is_x86_feature_detected!("avx512f")
            && is_x86_feature_detected!("avx512bw")
            && is_x86_feature_detected!("avx512vl")
            && is_x86_feature_detected!("avx512dq")
    }

    /// 32-bit numbers in a register of [`wide`](Level::wide); `None` without one.
    fn lanes(self) -> Option<usize> {
        match self.0 {
            Set::Plain => None,
            #[cfg(target_arch = "x86_64")]
            Set::Avx2 => Some(8),
            #[cfg(target_arch = "x86_64")]
            Set::Avx512 => Some(16),
        }
    }

    /// Whether `f32::mul_add` is one instruction in what [`row`](Level::row) compiles.
    #[inline]
    pub(crate) fn is_fused(self) -> bool {
        self.0 != Set::Plain
    }

    /// Makes this set the [best](Level::best) one on this thread, until what is given is dropped.
    #[cfg(test)]
    pub(crate) fn forced(self) -> forced::Forced {
        forced::Forced::new(self)
    }

    /// Every set present, the plain one first: what parity tests go through.
    #[cfg(test)]
    pub(crate) fn present() -> Vec<Level> {
        #[allow(unused_mut)]
        let mut all = vec![Level::PLAIN];
        #[cfg(target_arch = "x86_64")]
        {
            if Level::has_avx2() {
                all.push(Level(Set::Avx2));
            }
            if Level::has_avx512() {
                all.push(Level(Set::Avx512));
            }
        }
        all
    }

    /// Does safe work compiled for this set: [`run`](Level::run) for bodies that are too large to be inlined as closures.
    #[inline(always)]
    pub(crate) fn work<W: Work>(self, work: W) -> W::Out {
        #[cfg(target_arch = "x86_64")]
        {
            #[target_feature(enable = "avx2,fma")]
            fn avx2<W: Work>(work: W) -> W::Out {
                work.work()
            }
            #[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
            fn avx512<W: Work>(work: W) -> W::Out {
                work.work()
            }
            match self.0 {
                Set::Plain => work.work(),
                // SAFETY: a level of this kind exists only where `has_avx2` saw both sets on this machine.
                Set::Avx2 => unsafe { avx2(work) },
                // SAFETY: a level of this kind exists only where `has_avx512` saw all six sets on this machine.
                Set::Avx512 => unsafe { avx512(work) },
            }
        }
        #[cfg(not(target_arch = "x86_64"))]
        work.work()
    }

    /// Does safe work like [`work`](Level::work) that takes fused multiply-adds where there are any.
    #[inline(always)]
    pub(crate) fn work_fused<W: FusedWork>(self, work: W) -> W::Out {
        #[cfg(target_arch = "x86_64")]
        {
            #[target_feature(enable = "avx2,fma")]
            fn avx2<W: FusedWork>(work: W) -> W::Out {
                work.work::<true>()
            }
            #[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
            fn avx512<W: FusedWork>(work: W) -> W::Out {
                work.work::<true>()
            }
            match self.0 {
                Set::Plain => work.work::<false>(),
                // SAFETY: a level of this kind exists only where `has_avx2` saw both sets on this machine.
                Set::Avx2 => unsafe { avx2(work) },
                // SAFETY: a level of this kind exists only where `has_avx512` saw all six sets on this machine.
                Set::Avx512 => unsafe { avx512(work) },
            }
        }
        #[cfg(not(target_arch = "x86_64"))]
        work.work::<false>()
    }

    /// Does safe work like [`work`](Level::work), compiled for registers of 256 bits at most: for work that wider ones do not
    /// make quicker, such as in `f64` over a few channels.
    #[inline(always)]
    pub(crate) fn work_in_256_bits<W: Work>(self, work: W) -> W::Out {
        #[cfg(target_arch = "x86_64")]
        {
            #[target_feature(enable = "avx2,fma")]
            fn avx2<W: Work>(work: W) -> W::Out {
                work.work()
            }
            if self.0 != Set::Plain {
                // SAFETY: every level but the plain one exists only where AVX2 and FMA were seen on this machine.
                return unsafe { avx2(work) };
            }
        }
        work.work()
    }

    /// Runs a safe body compiled for this set. The body must be small or made of `#[inline(always)]` functions, so that
    /// it is compiled as part of the caller.
    #[inline(always)]
    pub(crate) fn run<R>(self, body: impl FnOnce() -> R) -> R {
        #[cfg(target_arch = "x86_64")]
        {
            #[target_feature(enable = "avx2,fma")]
            fn avx2<R>(body: impl FnOnce() -> R) -> R {
                body()
            }
            #[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
            fn avx512<R>(body: impl FnOnce() -> R) -> R {
                body()
            }
            match self.0 {
                Set::Plain => body(),
                // SAFETY: a level of this kind exists only where `has_avx2` saw both sets on this machine.
                Set::Avx2 => unsafe { avx2(body) },
                // SAFETY: a level of this kind exists only where `has_avx512` saw all six sets on this machine.
                Set::Avx512 => unsafe { avx512(body) },
            }
        }
        #[cfg(not(target_arch = "x86_64"))]
        body()
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    struct Sum<'a>(&'a [u8]);

    impl Work for Sum<'_> {
        type Out = u32;
        #[inline(always)]
        fn work(self) -> u32 {
            self.0.iter().map(|&v| u32::from(v)).sum()
        }
    }

    #[test]
    fn every_level_does_the_same_work() {
        let data: Vec<u8> = (0..=255).collect();
        for level in Level::present() {
            assert_eq!((level.work(Sum(&data)), level.work_in_256_bits(Sum(&data))), (32_640, 32_640));
        }
    }

    struct Product(f32);

    impl FusedWork for Product {
        type Out = f32;
        #[inline(always)]
        fn work<const FUSED: bool>(self) -> f32 {
            multiply_add::<FUSED>(self.0, self.0, -1.0)
        }
    }

    #[test]
    fn work_is_fused_where_the_machine_can() {
        // (1 + 2^-12)^2 - 1 is 2^-11 + 2^-24, of which the last is lost where the product is rounded first.
        let (once, twice) = (1.0 / 2048.0 + 1.0 / 16_777_216.0, 1.0 / 2048.0);
        for level in Level::present() {
            let found = level.work_fused(Product(1.0 + 1.0 / 4096.0));
            assert_eq!(found, if level.is_fused() { once } else { twice }, "{level:?}");
        }
    }

    #[test]
    fn every_level_runs_the_same_body() {
        let data: Vec<u8> = (0..=255).collect();
        for level in Level::present() {
            let sum = level.run(|| data.iter().map(|&v| u32::from(v)).sum::<u32>());
            assert_eq!(sum, 32_640, "{level:?}");
        }
        assert!(Level::present().contains(&Level::best()));
    }
}
