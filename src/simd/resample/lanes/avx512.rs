//! The operations in registers of 512 bits.

use super::{Lanes, Line, along_avx512, part, part_mut};
use std::arch::x86_64::*;

/// AVX-512 F, BW, VL and DQ are at hand, and AVX2 and FMA.
#[derive(Clone, Copy)]
pub(super) struct Avx512(());

impl Avx512 {
    /// Only code that is compiled for the sets can ask.
    #[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
    #[inline]
    pub(super) fn here() -> Avx512 {
        Avx512(())
    }
}

impl Lanes for Avx512 {
    type Ints = __m512i;
    type Floats = __m512;
    const WORDS: usize = 32;
    const FLOATS: usize = 16;
    const TOGETHER: usize = 4;

    #[inline(always)]
    fn splat(self, v: i32) -> __m512i {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { _mm512_set1_epi32(v) }
    }

    #[inline(always)]
    fn add(self, a: __m512i, b: __m512i) -> __m512i {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { _mm512_add_epi32(a, b) }
    }

    #[inline(always)]
    fn multiply_pairs(self, a: __m512i, b: __m512i) -> __m512i {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { _mm512_madd_epi16(a, b) }
    }

    #[inline(always)]
    fn shift(self, v: __m512i, by: u32) -> __m512i {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { _mm512_sra_epi32(v, _mm_cvtsi32_si128(by as i32)) }
    }

    #[inline(always)]
    fn byte_pairs(self, a: &[u8], b: &[u8], at: usize) -> [__m512i; 4] {
        let (a, b) = (part::<_, 64>(a, at), part::<_, 64>(b, at));
        // SAFETY: where there is a value of this type, there is AVX-512; the arrays have the 64 bytes that are read of each.
        unsafe {
            let zero = _mm512_setzero_si512();
            let (a, b) = (_mm512_loadu_si512(a.as_ptr().cast()), _mm512_loadu_si512(b.as_ptr().cast()));
            let (low, high) = (_mm512_unpacklo_epi8(a, b), _mm512_unpackhi_epi8(a, b));
            [
                _mm512_unpacklo_epi8(low, zero),
                _mm512_unpackhi_epi8(low, zero),
                _mm512_unpacklo_epi8(high, zero),
                _mm512_unpackhi_epi8(high, zero),
            ]
        }
    }

    #[inline(always)]
    fn word_pairs(self, a: &[i16], b: &[i16], at: usize) -> [__m512i; 2] {
        let (a, b) = (part::<_, 32>(a, at), part::<_, 32>(b, at));
        // SAFETY: where there is a value of this type, there is AVX-512; the arrays have the 64 bytes that are read of each.
        unsafe {
            let (a, b) = (_mm512_loadu_si512(a.as_ptr().cast()), _mm512_loadu_si512(b.as_ptr().cast()));
            [_mm512_unpacklo_epi16(a, b), _mm512_unpackhi_epi16(a, b)]
        }
    }

    #[inline(always)]
    fn put_words(self, [a, b, c, d]: [__m512i; 4], to: &mut [i16], at: usize) {
        let to: *mut __m512i = part_mut::<_, 64>(to, at).as_mut_ptr().cast();
        // SAFETY: where there is a value of this type, there is AVX-512; the array has the 128 bytes that are written.
        unsafe {
            // Quarters of the registers hold words 0..16, 32..48 and so on: those of both registers take turns.
            let low = _mm512_set_epi64(11, 10, 3, 2, 9, 8, 1, 0);
            let high = _mm512_set_epi64(15, 14, 7, 6, 13, 12, 5, 4);
            let (first, second) = (_mm512_packs_epi32(a, b), _mm512_packs_epi32(c, d));
            _mm512_storeu_si512(to, _mm512_permutex2var_epi64(first, low, second));
            _mm512_storeu_si512(to.add(1), _mm512_permutex2var_epi64(first, high, second));
        }
    }

    #[inline(always)]
    fn put_bytes(self, [a, b, c, d]: [__m512i; 4], to: &mut [u8], at: usize) {
        let to = part_mut::<_, 64>(to, at);
        // SAFETY: where there is a value of this type, there is AVX-512; the array has the 64 bytes that are written.
        unsafe {
            let bytes = _mm512_packus_epi16(_mm512_packs_epi32(a, b), _mm512_packs_epi32(c, d));
            let bytes = _mm512_permutexvar_epi64(_mm512_set_epi64(7, 5, 3, 1, 6, 4, 2, 0), bytes);
            _mm512_storeu_si512(to.as_mut_ptr().cast(), bytes);
        }
    }

    #[inline(always)]
    fn load(self, from: &[i32], at: usize) -> __m512i {
        let from = part::<_, 16>(from, at);
        // SAFETY: where there is a value of this type, there is AVX-512; the array has the 64 bytes that are read.
        unsafe { _mm512_loadu_si512(from.as_ptr().cast()) }
    }

    #[inline(always)]
    fn pick(self, from: &[i32], at: usize, places: __m512i) -> __m512i {
        let from = part::<_, 32>(from, at);
        // SAFETY: where there is a value of this type, there is AVX-512; the array has the 128 bytes that are read.
        unsafe {
            let (low, high) =
                (_mm512_loadu_si512(from.as_ptr().cast()), _mm512_loadu_si512(from.as_ptr().add(16).cast()));
            _mm512_permutex2var_epi32(low, places, high)
        }
    }

    #[inline(always)]
    fn put_sums(self, [a, b]: [__m512i; 2], to: &mut [i16], at: usize) {
        let to = part_mut::<_, 32>(to, at);
        // SAFETY: where there is a value of this type, there is AVX-512; the array has the 64 bytes that are written.
        unsafe {
            let words = _mm512_permutexvar_epi64(_mm512_set_epi64(7, 5, 3, 1, 6, 4, 2, 0), _mm512_packs_epi32(a, b));
            _mm512_storeu_si512(to.as_mut_ptr().cast(), words);
        }
    }

    #[inline(always)]
    fn zero(self) -> __m512 {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { _mm512_setzero_ps() }
    }

    #[inline(always)]
    fn splat_float(self, v: f32) -> __m512 {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { _mm512_set1_ps(v) }
    }

    #[inline(always)]
    fn add_floats(self, a: __m512, b: __m512) -> __m512 {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { _mm512_add_ps(a, b) }
    }

    #[inline(always)]
    fn multiply(self, a: __m512, b: __m512) -> __m512 {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { _mm512_mul_ps(a, b) }
    }

    #[inline(always)]
    fn load_floats(self, from: &[f32], at: usize) -> __m512 {
        let from = part::<_, 16>(from, at);
        // SAFETY: where there is a value of this type, there is AVX-512; the array has the 64 bytes that are read.
        unsafe { _mm512_loadu_ps(from.as_ptr()) }
    }

    #[inline(always)]
    fn load_bytes(self, from: &[u8], at: usize) -> __m512 {
        let from = part::<_, 16>(from, at);
        // SAFETY: where there is a value of this type, there is AVX-512; the array has the 16 bytes that are read.
        unsafe { _mm512_cvtepi32_ps(_mm512_cvtepu8_epi32(_mm_loadu_si128(from.as_ptr().cast()))) }
    }

    #[inline(always)]
    fn load_words(self, from: &[u16], at: usize) -> __m512 {
        let from = part::<_, 16>(from, at);
        // SAFETY: where there is a value of this type, there is AVX-512; the array has the 32 bytes that are read.
        unsafe { _mm512_cvtepi32_ps(_mm512_cvtepu16_epi32(_mm256_loadu_si256(from.as_ptr().cast()))) }
    }

    #[inline(always)]
    fn put_floats(self, v: __m512, to: &mut [f32], at: usize) {
        let to = part_mut::<_, 16>(to, at);
        // SAFETY: where there is a value of this type, there is AVX-512; the array has the 64 bytes that are written.
        unsafe { _mm512_storeu_ps(to.as_mut_ptr(), v) }
    }

    #[inline(always)]
    fn pick_floats(self, from: &[f32], at: usize, places: __m512i) -> __m512 {
        let from = part::<_, 32>(from, at);
        // SAFETY: where there is a value of this type, there is AVX-512; the array has the 128 bytes that are read.
        unsafe {
            let (low, high) = (_mm512_loadu_ps(from.as_ptr()), _mm512_loadu_ps(from.as_ptr().add(16)));
            _mm512_permutex2var_ps(low, places, high)
        }
    }

    #[inline(always)]
    fn weigh<const C: usize>(self, v: __m512, unit: f32) -> __m512 {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe {
            let unit = _mm512_set1_ps(unit);
            let (alpha, colours) = match C {
                2 => (_mm512_permute_ps::<0b11_11_01_01>(v), 0b0101_0101_0101_0101),
                _ => (_mm512_permute_ps::<0b11_11_11_11>(v), 0b0111_0111_0111_0111),
            };
            _mm512_mask_mul_ps(v, colours, v, _mm512_mul_ps(alpha, unit))
        }
    }

    #[inline(always)]
    fn fours(self, row: &[[i16; 64]], weights: &[[i16; 64]], shift: u32, out: &mut [[i16; 16]]) {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { along_avx512::fours(row, weights, shift, out) }
    }

    #[inline(always)]
    fn lay_floats(self, rows: [&[f32]; 4], step: usize, lines: &mut [Line<f32>]) {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { along_avx512::lay_floats(rows, step, lines) }
    }

    #[inline(always)]
    fn lay_words<const C: usize>(self, rows: [&[i16]; 4], lines: &mut [Line<i32>]) {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { along_avx512::lay_words::<C>(rows, lines) }
    }

    #[inline(always)]
    fn unweigh<const C: usize>(self, v: __m512, full: f32, least: f32) -> __m512 {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe {
            let (alpha, colours) = match C {
                2 => (_mm512_permute_ps::<0b11_11_01_01>(v), 0b0101_0101_0101_0101),
                _ => (_mm512_permute_ps::<0b11_11_11_11>(v), 0b0111_0111_0111_0111),
            };
            let seen = _mm512_cmp_ps_mask::<_CMP_GE_OQ>(alpha, _mm512_set1_ps(least));
            let scale = _mm512_maskz_div_ps(seen, _mm512_set1_ps(full), alpha);
            _mm512_mask_mul_ps(v, colours, v, scale)
        }
    }

    #[inline(always)]
    fn unweigh_four(self, [a, b, c, d]: [__m512; 4], full: f32, least: f32) -> [__m512; 4] {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe {
            // The alphas of a pixel of each register side by side.
            let alphas = _mm512_permute_ps::<0b11_11_11_11>(a);
            let alphas = _mm512_mask_permute_ps::<0b11_11_11_11>(alphas, 0x2222, b);
            let alphas = _mm512_mask_permute_ps::<0b11_11_11_11>(alphas, 0x4444, c);
            let alphas = _mm512_mask_blend_ps(0x8888, alphas, d);
            let seen = _mm512_cmp_ps_mask::<_CMP_GE_OQ>(alphas, _mm512_set1_ps(least));
            let scales = _mm512_maskz_div_ps(seen, _mm512_set1_ps(full), alphas);
            [
                _mm512_mask_mul_ps(a, 0x7777, a, _mm512_permute_ps::<0b00_00_00_00>(scales)),
                _mm512_mask_mul_ps(b, 0x7777, b, _mm512_permute_ps::<0b01_01_01_01>(scales)),
                _mm512_mask_mul_ps(c, 0x7777, c, _mm512_permute_ps::<0b10_10_10_10>(scales)),
                _mm512_mask_mul_ps(d, 0x7777, d, _mm512_permute_ps::<0b11_11_11_11>(scales)),
            ]
        }
    }

    #[inline(always)]
    fn put_rounded_bytes(self, v: __m512, to: &mut [u8], at: usize) {
        let to = part_mut::<_, 16>(to, at);
        // SAFETY: where there is a value of this type, there is AVX-512; the array has the 16 bytes that are written.
        unsafe { _mm_storeu_si128(to.as_mut_ptr().cast(), _mm512_cvtepi32_epi8(rounded(v, 255.0))) }
    }

    #[inline(always)]
    fn put_rounded_words(self, v: __m512, to: &mut [u16], at: usize) {
        let to = part_mut::<_, 16>(to, at);
        // SAFETY: where there is a value of this type, there is AVX-512; the array has the 32 bytes that are written.
        unsafe { _mm256_storeu_si256(to.as_mut_ptr().cast(), _mm512_cvtepi32_epi16(rounded(v, 65_535.0))) }
    }

    #[inline(always)]
    fn four_taps(self, row: &[i16], starts: &[[u32; 16]], weights: &[[i16; 64]], shift: u32, out: &mut [[i16; 16]]) {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { along_avx512::four_taps(row, starts, weights, shift, out) }
    }

    #[inline(always)]
    fn across_words<const C: usize, const N: usize>(
        self,
        lines: &[Line<i32>],
        starts: &[u32; 4],
        weights: &[i32],
        shift: u32,
    ) -> [[i16; 16]; 4] {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { along_avx512::across_words::<C, N>(lines, starts, weights, shift) }
    }

    #[inline(always)]
    fn across_floats<const C: usize>(self, lines: &[Line<f32>], starts: &[u32; 4], weights: &[f32]) -> [[f32; 16]; 4] {
        // SAFETY: where there is a value of this type, there is AVX-512.
        unsafe { along_avx512::across_floats::<C>(lines, starts, weights) }
    }
}

/// Sixteen floats as the nearest whole numbers, halves up, within `most`.
#[target_feature(enable = "avx512f")]
#[inline]
fn rounded(v: __m512, most: f32) -> __m512i {
    // The second operand is what comes of NaN.
    let held = _mm512_min_ps(_mm512_max_ps(v, _mm512_setzero_ps()), _mm512_set1_ps(most));
    _mm512_cvttps_epi32(_mm512_add_ps(held, _mm512_set1_ps(0.5)))
}
