//! The operations in registers of 256 bits.

use super::{Lanes, Line, along_avx2, part, part_mut};
use std::arch::x86_64::*;

/// AVX2 and FMA are at hand.
#[derive(Clone, Copy)]
pub(super) struct Avx2(());

impl Avx2 {
    /// Only code that is compiled for the sets can ask.
    #[target_feature(enable = "avx2,fma")]
    #[inline]
    pub(super) fn here() -> Avx2 {
        Avx2(())
    }
}

/// Which register of two halves a permutation takes its halves from: both lower ones, both upper ones.
const LOWER: i32 = 0x20;
const UPPER: i32 = 0x31;

impl Lanes for Avx2 {
    type Ints = __m256i;
    type Floats = __m256;
    const WORDS: usize = 16;
    const FLOATS: usize = 8;
    const TOGETHER: usize = 2;

    #[inline(always)]
    fn splat(self, v: i32) -> __m256i {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { _mm256_set1_epi32(v) }
    }

    #[inline(always)]
    fn add(self, a: __m256i, b: __m256i) -> __m256i {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { _mm256_add_epi32(a, b) }
    }

    #[inline(always)]
    fn multiply_pairs(self, a: __m256i, b: __m256i) -> __m256i {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { _mm256_madd_epi16(a, b) }
    }

    #[inline(always)]
    fn shift(self, v: __m256i, by: u32) -> __m256i {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { _mm256_sra_epi32(v, _mm_cvtsi32_si128(by as i32)) }
    }

    #[inline(always)]
    fn byte_pairs(self, a: &[u8], b: &[u8], at: usize) -> [__m256i; 4] {
        let (a, b) = (part::<_, 32>(a, at), part::<_, 32>(b, at));
        // SAFETY: where there is a value of this type, there is AVX2; the arrays have the 32 bytes that are read of each.
        unsafe {
            let zero = _mm256_setzero_si256();
            let (a, b) = (_mm256_loadu_si256(a.as_ptr().cast()), _mm256_loadu_si256(b.as_ptr().cast()));
            let (low, high) = (_mm256_unpacklo_epi8(a, b), _mm256_unpackhi_epi8(a, b));
            [
                _mm256_unpacklo_epi8(low, zero),
                _mm256_unpackhi_epi8(low, zero),
                _mm256_unpacklo_epi8(high, zero),
                _mm256_unpackhi_epi8(high, zero),
            ]
        }
    }

    #[inline(always)]
    fn word_pairs(self, a: &[i16], b: &[i16], at: usize) -> [__m256i; 2] {
        let (a, b) = (part::<_, 16>(a, at), part::<_, 16>(b, at));
        // SAFETY: where there is a value of this type, there is AVX2; the arrays have the 32 bytes that are read of each.
        unsafe {
            let (a, b) = (_mm256_loadu_si256(a.as_ptr().cast()), _mm256_loadu_si256(b.as_ptr().cast()));
            [_mm256_unpacklo_epi16(a, b), _mm256_unpackhi_epi16(a, b)]
        }
    }

    #[inline(always)]
    fn put_words(self, [a, b, c, d]: [__m256i; 4], to: &mut [i16], at: usize) {
        let to: *mut __m256i = part_mut::<_, 32>(to, at).as_mut_ptr().cast();
        // SAFETY: where there is a value of this type, there is AVX2; the array has the 64 bytes that are written.
        unsafe {
            let (first, second) = (_mm256_packs_epi32(a, b), _mm256_packs_epi32(c, d));
            _mm256_storeu_si256(to, _mm256_permute2x128_si256::<LOWER>(first, second));
            _mm256_storeu_si256(to.add(1), _mm256_permute2x128_si256::<UPPER>(first, second));
        }
    }

    #[inline(always)]
    fn put_bytes(self, [a, b, c, d]: [__m256i; 4], to: &mut [u8], at: usize) {
        let to = part_mut::<_, 32>(to, at);
        // SAFETY: where there is a value of this type, there is AVX2; the array has the 32 bytes that are written.
        unsafe {
            let bytes = _mm256_packus_epi16(_mm256_packs_epi32(a, b), _mm256_packs_epi32(c, d));
            // Lanes hold numbers 0..8, 16..24, 8..16, 24..32.
            let bytes = _mm256_permute4x64_epi64::<0b11_01_10_00>(bytes);
            _mm256_storeu_si256(to.as_mut_ptr().cast(), bytes);
        }
    }

    #[inline(always)]
    fn load(self, from: &[i32], at: usize) -> __m256i {
        let from = part::<_, 8>(from, at);
        // SAFETY: where there is a value of this type, there is AVX2; the array has the 32 bytes that are read.
        unsafe { _mm256_loadu_si256(from.as_ptr().cast()) }
    }

    #[inline(always)]
    fn pick(self, from: &[i32], at: usize, places: __m256i) -> __m256i {
        let from = part::<_, 16>(from, at);
        // SAFETY: where there is a value of this type, there is AVX2; the array has the 64 bytes that are read.
        unsafe {
            let (low, high) =
                (_mm256_loadu_si256(from.as_ptr().cast()), _mm256_loadu_si256(from.as_ptr().add(8).cast()));
            let (low, high) = (_mm256_permutevar8x32_epi32(low, places), _mm256_permutevar8x32_epi32(high, places));
            let upper = _mm256_cmpgt_epi32(places, _mm256_set1_epi32(7));
            _mm256_blendv_epi8(low, high, upper)
        }
    }

    #[inline(always)]
    fn put_sums(self, [a, b]: [__m256i; 2], to: &mut [i16], at: usize) {
        let to = part_mut::<_, 16>(to, at);
        // SAFETY: where there is a value of this type, there is AVX2; the array has the 32 bytes that are written.
        unsafe {
            let words = _mm256_permute4x64_epi64::<0b11_01_10_00>(_mm256_packs_epi32(a, b));
            _mm256_storeu_si256(to.as_mut_ptr().cast(), words);
        }
    }

    #[inline(always)]
    fn zero(self) -> __m256 {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { _mm256_setzero_ps() }
    }

    #[inline(always)]
    fn splat_float(self, v: f32) -> __m256 {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { _mm256_set1_ps(v) }
    }

    #[inline(always)]
    fn add_floats(self, a: __m256, b: __m256) -> __m256 {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { _mm256_add_ps(a, b) }
    }

    #[inline(always)]
    fn multiply(self, a: __m256, b: __m256) -> __m256 {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { _mm256_mul_ps(a, b) }
    }

    #[inline(always)]
    fn load_floats(self, from: &[f32], at: usize) -> __m256 {
        let from = part::<_, 8>(from, at);
        // SAFETY: where there is a value of this type, there is AVX2; the array has the 32 bytes that are read.
        unsafe { _mm256_loadu_ps(from.as_ptr()) }
    }

    #[inline(always)]
    fn load_bytes(self, from: &[u8], at: usize) -> __m256 {
        let from = part::<_, 8>(from, at);
        // SAFETY: where there is a value of this type, there is AVX2; the array has the 8 bytes that are read.
        unsafe { _mm256_cvtepi32_ps(_mm256_cvtepu8_epi32(_mm_loadl_epi64(from.as_ptr().cast()))) }
    }

    #[inline(always)]
    fn load_words(self, from: &[u16], at: usize) -> __m256 {
        let from = part::<_, 8>(from, at);
        // SAFETY: where there is a value of this type, there is AVX2; the array has the 16 bytes that are read.
        unsafe { _mm256_cvtepi32_ps(_mm256_cvtepu16_epi32(_mm_loadu_si128(from.as_ptr().cast()))) }
    }

    #[inline(always)]
    fn put_floats(self, v: __m256, to: &mut [f32], at: usize) {
        let to = part_mut::<_, 8>(to, at);
        // SAFETY: where there is a value of this type, there is AVX2; the array has the 32 bytes that are written.
        unsafe { _mm256_storeu_ps(to.as_mut_ptr(), v) }
    }

    #[inline(always)]
    fn pick_floats(self, from: &[f32], at: usize, places: __m256i) -> __m256 {
        let from = part::<_, 16>(from, at);
        // SAFETY: where there is a value of this type, there is AVX2; the array has the 64 bytes that are read.
        unsafe {
            let (low, high) = (_mm256_loadu_ps(from.as_ptr()), _mm256_loadu_ps(from.as_ptr().add(8)));
            let (low, high) = (_mm256_permutevar8x32_ps(low, places), _mm256_permutevar8x32_ps(high, places));
            let upper = _mm256_cmpgt_epi32(places, _mm256_set1_epi32(7));
            _mm256_blendv_ps(low, high, _mm256_castsi256_ps(upper))
        }
    }

    #[inline(always)]
    fn weigh<const C: usize>(self, v: __m256, unit: f32) -> __m256 {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe {
            let unit = _mm256_set1_ps(unit);
            if C == 2 {
                let alpha = _mm256_permute_ps::<0b11_11_01_01>(v);
                _mm256_blend_ps::<0b1010_1010>(_mm256_mul_ps(v, _mm256_mul_ps(alpha, unit)), v)
            } else {
                let alpha = _mm256_permute_ps::<0b11_11_11_11>(v);
                _mm256_blend_ps::<0b1000_1000>(_mm256_mul_ps(v, _mm256_mul_ps(alpha, unit)), v)
            }
        }
    }

    #[inline(always)]
    fn fours(self, row: &[[i16; 64]], weights: &[[i16; 64]], shift: u32, out: &mut [[i16; 16]]) {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { along_avx2::fours(row, weights, shift, out) }
    }

    #[inline(always)]
    fn lay_floats(self, rows: [&[f32]; 4], step: usize, lines: &mut [Line<f32>]) {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { along_avx2::lay_floats(rows, step, lines) }
    }

    #[inline(always)]
    fn lay_words<const C: usize>(self, rows: [&[i16]; 4], lines: &mut [Line<i32>]) {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { along_avx2::lay_words::<C>(rows, lines) }
    }

    #[inline(always)]
    fn unweigh<const C: usize>(self, v: __m256, full: f32, least: f32) -> __m256 {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe {
            let alpha = match C {
                2 => _mm256_permute_ps::<0b11_11_01_01>(v),
                _ => _mm256_permute_ps::<0b11_11_11_11>(v),
            };
            let seen = _mm256_cmp_ps::<_CMP_GE_OQ>(alpha, _mm256_set1_ps(least));
            let scale = _mm256_and_ps(seen, _mm256_div_ps(_mm256_set1_ps(full), alpha));
            let divided = _mm256_mul_ps(v, scale);
            match C {
                2 => _mm256_blend_ps::<0b1010_1010>(divided, v),
                _ => _mm256_blend_ps::<0b1000_1000>(divided, v),
            }
        }
    }

    #[inline(always)]
    fn unweigh_four(self, [a, b, c, d]: [__m256; 4], full: f32, least: f32) -> [__m256; 4] {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe {
            // The alphas of a pixel of each register side by side.
            let ab = _mm256_blend_ps::<0b0010_0010>(
                _mm256_permute_ps::<0b11_11_11_11>(a),
                _mm256_permute_ps::<0b11_11_11_11>(b),
            );
            let alphas = _mm256_blend_ps::<0b1100_1100>(
                ab,
                _mm256_blend_ps::<0b1000_1000>(_mm256_permute_ps::<0b11_11_11_11>(c), d),
            );
            let seen = _mm256_cmp_ps::<_CMP_GE_OQ>(alphas, _mm256_set1_ps(least));
            let scales = _mm256_and_ps(seen, _mm256_div_ps(_mm256_set1_ps(full), alphas));
            [
                _mm256_blend_ps::<0b1000_1000>(_mm256_mul_ps(a, _mm256_permute_ps::<0b00_00_00_00>(scales)), a),
                _mm256_blend_ps::<0b1000_1000>(_mm256_mul_ps(b, _mm256_permute_ps::<0b01_01_01_01>(scales)), b),
                _mm256_blend_ps::<0b1000_1000>(_mm256_mul_ps(c, _mm256_permute_ps::<0b10_10_10_10>(scales)), c),
                _mm256_blend_ps::<0b1000_1000>(_mm256_mul_ps(d, _mm256_permute_ps::<0b11_11_11_11>(scales)), d),
            ]
        }
    }

    #[inline(always)]
    fn put_rounded_bytes(self, v: __m256, to: &mut [u8], at: usize) {
        let to = part_mut::<_, 8>(to, at);
        // SAFETY: where there is a value of this type, there is AVX2; the array has the 8 bytes that are written.
        unsafe {
            let words = rounded(v, 255.0);
            _mm_storel_epi64(to.as_mut_ptr().cast(), _mm_packus_epi16(words, words));
        }
    }

    #[inline(always)]
    fn put_rounded_words(self, v: __m256, to: &mut [u16], at: usize) {
        let to = part_mut::<_, 8>(to, at);
        // SAFETY: where there is a value of this type, there is AVX2; the array has the 16 bytes that are written.
        unsafe { _mm_storeu_si128(to.as_mut_ptr().cast(), rounded(v, 65_535.0)) }
    }

    #[inline(always)]
    fn four_taps(self, row: &[i16], starts: &[[u32; 16]], weights: &[[i16; 64]], shift: u32, out: &mut [[i16; 16]]) {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { along_avx2::four_taps(row, starts, weights, shift, out) }
    }

    #[inline(always)]
    fn across_words<const C: usize, const N: usize>(
        self,
        lines: &[Line<i32>],
        starts: &[u32; 4],
        weights: &[i32],
        shift: u32,
    ) -> [[i16; 16]; 4] {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { along_avx2::across_words::<C, N>(lines, starts, weights, shift) }
    }

    #[inline(always)]
    fn across_floats<const C: usize>(self, lines: &[Line<f32>], starts: &[u32; 4], weights: &[f32]) -> [[f32; 16]; 4] {
        // SAFETY: where there is a value of this type, there is AVX2.
        unsafe { along_avx2::across_floats::<C>(lines, starts, weights) }
    }
}

/// Eight floats as the nearest words, halves up, within `most`.
#[target_feature(enable = "avx2")]
#[inline]
fn rounded(v: __m256, most: f32) -> __m128i {
    // The second operand is what comes of NaN.
    let held = _mm256_min_ps(_mm256_max_ps(v, _mm256_setzero_ps()), _mm256_set1_ps(most));
    let whole = _mm256_cvttps_epi32(_mm256_add_ps(held, _mm256_set1_ps(0.5)));
    _mm_packus_epi32(_mm256_castsi256_si128(whole), _mm256_extracti128_si256::<1>(whole))
}
