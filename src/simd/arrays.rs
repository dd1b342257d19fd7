//! Arrays made element by element, by plain loops.
//!
//! `array::map` and `array::from_fn` of the standard library keep track of what is to be dropped if a closure panics: each use
//! is compiled at some length, and without the linker's help it is a call in the middle of a row loop. Plain numbers need
//! none of it.

/// Every element through a function.
#[inline(always)]
pub(crate) fn map<T: Copy, U: Copy + Default, const N: usize>(from: [T; N], mut f: impl FnMut(T) -> U) -> [U; N] {
    let mut out = [U::default(); N];
    for i in 0..N {
        out[i] = f(from[i]);
    }
    out
}

/// Every element from its index.
#[inline(always)]
pub(crate) fn from_fn<U: Copy + Default, const N: usize>(mut f: impl FnMut(usize) -> U) -> [U; N] {
    let mut out = [U::default(); N];
    for i in 0..N {
        out[i] = f(i);
    }
    out
}
