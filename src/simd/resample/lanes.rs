//! Registers as values: the few operations that the sums of resizing are made of, for AVX2 and for AVX-512.
//!
//! Kernels are written once over [`Lanes`], compiled for each set by [`Level::wide`], and checked against plain code, which
//! is the definition and does what no whole register of work is left for.
//!
//! Not here: kernels.

use crate::simd::Level;

#[cfg(target_arch = "x86_64")]
mod along_avx2;
#[cfg(target_arch = "x86_64")]
mod along_avx512;
#[cfg(target_arch = "x86_64")]
mod avx2;
#[cfg(target_arch = "x86_64")]
mod avx512;

/// Work over registers. Its one method must be `#[inline(always)]`.
pub(super) trait Wide {
    /// Does the part of the work that fills whole registers, and says how many outputs that were.
    fn work<L: Lanes>(self, lanes: L) -> usize;
}

/// An instruction set that is at hand wherever there is a value of this type.
pub(super) trait Lanes: Copy {
    /// A register of whole numbers.
    type Ints: Copy;
    /// A register of floats.
    type Floats: Copy;
    /// 16-bit numbers in a register.
    const WORDS: usize;
    /// Floats in a register.
    const FLOATS: usize;
    /// Outputs of several rows of four registers each that are summed at once without running out of registers.
    const TOGETHER: usize;

    fn splat(self, v: i32) -> Self::Ints;
    fn add(self, a: Self::Ints, b: Self::Ints) -> Self::Ints;
    /// Products of 16-bit numbers, the two of a pair added up.
    fn multiply_pairs(self, a: Self::Ints, b: Self::Ints) -> Self::Ints;
    /// Divided by 2^by, towards minus infinity.
    fn shift(self, v: Self::Ints, by: u32) -> Self::Ints;
    /// 2 `WORDS` bytes of two rows from `at` on, number beside number as 16 bits, in the order that
    /// [`put_words`](Lanes::put_words) takes.
    fn byte_pairs(self, a: &[u8], b: &[u8], at: usize) -> [Self::Ints; 4];
    /// `WORDS` words of two rows, number beside number, in the order that [`put_bytes`](Lanes::put_bytes) takes.
    fn word_pairs(self, a: &[i16], b: &[i16], at: usize) -> [Self::Ints; 2];
    /// Sums of byte pairs as words, clamped.
    fn put_words(self, sums: [Self::Ints; 4], to: &mut [i16], at: usize);
    /// Sums of twice word pairs as bytes, clamped.
    fn put_bytes(self, sums: [Self::Ints; 4], to: &mut [u8], at: usize);

    /// As many 32-bit numbers as a register has.
    fn load(self, from: &[i32], at: usize) -> Self::Ints;
    /// Numbers of twice as many from `at` on, each chosen by its place there.
    fn pick(self, from: &[i32], at: usize, places: Self::Ints) -> Self::Ints;
    /// Two registers of sums, in order, as words, clamped.
    fn put_sums(self, sums: [Self::Ints; 2], to: &mut [i16], at: usize);

    fn zero(self) -> Self::Floats;
    fn splat_float(self, v: f32) -> Self::Floats;
    fn add_floats(self, a: Self::Floats, b: Self::Floats) -> Self::Floats;
    fn multiply(self, a: Self::Floats, b: Self::Floats) -> Self::Floats;
    fn load_floats(self, from: &[f32], at: usize) -> Self::Floats;
    fn load_bytes(self, from: &[u8], at: usize) -> Self::Floats;
    fn load_words(self, from: &[u16], at: usize) -> Self::Floats;
    fn put_floats(self, v: Self::Floats, to: &mut [f32], at: usize);
    /// Floats of twice as many from `at` on, each chosen by its place there.
    fn pick_floats(self, from: &[f32], at: usize, places: Self::Ints) -> Self::Floats;
    /// Pixels of two or four channels, colours times (alpha times `unit`), alpha as it is.
    fn weigh<const C: usize>(self, v: Self::Floats, unit: f32) -> Self::Floats;
    /// Pixels of two or four channels, colours times (`full` over alpha), or zero where alpha is below `least`; alpha as it
    /// is.
    fn unweigh<const C: usize>(self, v: Self::Floats, full: f32, least: f32) -> Self::Floats;
    /// The same of four registers of pixels of four channels, with one division for all.
    fn unweigh_four(self, v: [Self::Floats; 4], full: f32, least: f32) -> [Self::Floats; 4];
    /// Floats to the nearest bytes, halves up, clamped; NaN to zero.
    fn put_rounded_bytes(self, v: Self::Floats, to: &mut [u8], at: usize);
    /// Floats to the nearest words, likewise.
    fn put_rounded_words(self, v: Self::Floats, to: &mut [u16], at: usize);
    /// Numbers of four rows side by side, three or four of each a line: the first of all rows, then the second. Rows have
    /// eight numbers more than that takes.
    fn lay_floats(self, rows: [&[f32]; 4], step: usize, lines: &mut [Line<f32>]);
    /// Pixels of `C` words of four rows side by side: of three and four channels two a line, the words of a channel of both
    /// as one number, of each row, then those of the next channel; of one channel eight a line, by such pairs. Rows have
    /// eight numbers more than that takes.
    fn lay_words<const C: usize>(self, rows: [&[i16]; 4], lines: &mut [Line<i32>]);
    /// Blocks of sixteen outputs along a row of one channel, each over four words from its start on: sums divided by
    /// 2^shift, to nearest. Weights are those of outputs 0, 1, 4, 5, 8, 9, 12, 13 and then of the others.
    fn four_taps(self, row: &[i16], starts: &[[u32; 16]], weights: &[[i16; 64]], shift: u32, out: &mut [[i16; 16]]);
    /// The same where outputs are made of words one after another; weights in that order too. Of the row whole blocks are
    /// taken.
    fn fours(self, row: &[[i16; 64]], weights: &[[i16; 64]], shift: u32, out: &mut [[i16; 16]]);
    /// Four output pixels of four rows, each from a line on, over as many lines as there are weights for: their sums
    /// divided by 2^shift, to nearest, as words. A line has one weight, of one channel four. Of each row the numbers of all
    /// four pixels. There are `N` lines, or as many as there are if that is 0.
    fn across_words<const C: usize, const N: usize>(
        self,
        lines: &[Line<i32>],
        starts: &[u32; 4],
        weights: &[i32],
        shift: u32,
    ) -> [[i16; 16]; 4];
    /// The same of floats; of two channels a line has two weights. Sums of every second tap are added up at last, those of
    /// every fourth as (0 + 2) + (1 + 3).
    fn across_floats<const C: usize>(self, lines: &[Line<f32>], starts: &[u32; 4], weights: &[f32]) -> [[f32; 16]; 4];
}

/// Numbers of four rows that a register, or two, take at once.
#[derive(Debug, Clone, Copy, Default)]
#[repr(align(64))]
pub(super) struct Line<T>(pub(super) [T; 16]);

/// `N` numbers of a row from `at` on.
#[cfg(target_arch = "x86_64")]
#[inline(always)]
pub(super) fn part<T, const N: usize>(row: &[T], at: usize) -> &[T; N] {
    match row[at..].first_chunk() {
        Some(part) => part,
        None => panic!("a row shorter than its output"),
    }
}

/// `N` numbers of a row from `at` on, to be written.
#[cfg(target_arch = "x86_64")]
#[inline(always)]
pub(super) fn part_mut<T, const N: usize>(row: &mut [T], at: usize) -> &mut [T; N] {
    match row[at..].first_chunk_mut() {
        Some(part) => part,
        None => panic!("an output shorter than a register"),
    }
}

impl Level {
    /// Does work over the registers of this set and says how many outputs it did: none without a set.
    #[inline(always)]
    pub(super) fn wide<W: Wide>(self, work: W) -> usize {
        #[cfg(target_arch = "x86_64")]
        {
            #[target_feature(enable = "avx2,fma")]
            fn avx2<W: Wide>(work: W) -> usize {
                work.work(avx2::Avx2::here())
            }
            #[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
            fn avx512<W: Wide>(work: W) -> usize {
                work.work(avx512::Avx512::here())
            }
            match self.0 {
                crate::simd::Set::Plain => 0,
                // SAFETY: a level of this kind exists only where `has_avx2` saw both sets on this machine.
                crate::simd::Set::Avx2 => unsafe { avx2(work) },
                // SAFETY: a level of this kind exists only where `has_avx512` saw all six sets on this machine.
                crate::simd::Set::Avx512 => unsafe { avx512(work) },
            }
        }
        #[cfg(not(target_arch = "x86_64"))]
        {
            let _ = work;
            0
        }
    }
}
