//! Sums along rows in registers of 256 bits. Safe code but for reading and writing registers.

use super::{Line, part, part_mut};
use std::arch::x86_64::*;

/// A register from 32 bytes.
#[target_feature(enable = "avx2")]
#[inline]
fn read<T, const N: usize>(from: &[T; N]) -> __m256i {
    const { assert!(size_of::<T>() * N == 32) };
    // SAFETY: the array has the 32 bytes that are read, whatever they mean.
    unsafe { _mm256_loadu_si256(from.as_ptr().cast()) }
}

/// A register as 32 bytes of numbers.
#[target_feature(enable = "avx2")]
#[inline]
pub(super) fn write<T, const N: usize>(v: __m256i, to: &mut [T; N]) {
    const { assert!(size_of::<T>() * N == 32) };
    // SAFETY: the array has the 32 bytes that are written; its numbers are plain ones.
    unsafe { _mm256_storeu_si256(to.as_mut_ptr().cast(), v) };
}

/// Half a register from 16 bytes.
#[target_feature(enable = "avx2")]
#[inline]
fn read_half<T, const N: usize>(from: &[T; N]) -> __m128i {
    const { assert!(size_of::<T>() * N == 16) };
    // SAFETY: the array has the 16 bytes that are read, whatever they mean.
    unsafe { _mm_loadu_si128(from.as_ptr().cast()) }
}

/// Half a register as 16 bytes of numbers.
#[target_feature(enable = "avx2")]
#[inline]
fn write_half<T, const N: usize>(v: __m128i, to: &mut [T; N]) {
    const { assert!(size_of::<T>() * N == 16) };
    // SAFETY: the array has the 16 bytes that are written; its numbers are plain ones.
    unsafe { _mm_storeu_si128(to.as_mut_ptr().cast(), v) };
}

/// Four 32-bit numbers.
#[target_feature(enable = "avx2")]
#[inline]
pub(super) fn read_four<T>(from: &[T; 4]) -> __m128i {
    read_half(from)
}

/// Four words from an output's start on, and from the next one's.
#[target_feature(enable = "avx2")]
#[inline]
pub(super) fn eight_words(row: &[i16], starts: &[u32; 16], output: usize) -> __m128i {
    let four = |output: usize| part::<_, 4>(row, starts[output] as usize).as_ptr();
    // SAFETY: both arrays have the 8 bytes that are read.
    unsafe {
        let low = _mm_castsi128_pd(_mm_loadl_epi64(four(output).cast()));
        _mm_castpd_si128(_mm_loadh_pd(low, four(output + 1).cast()))
    }
}

#[target_feature(enable = "avx2,fma")]
#[inline]
pub(super) fn four_taps(row: &[i16], starts: &[[u32; 16]], weights: &[[i16; 64]], shift: u32, out: &mut [[i16; 16]]) {
    let (half, by) = (_mm256_set1_epi32(1 << (shift - 1)), _mm_cvtsi32_si128(shift as i32));
    // By indices, here and below: iterators side by side are calls where the linker does not inline them.
    for i in 0..out.len().min(starts.len()).min(weights.len()) {
        let (to, starts, weights) = (&mut out[i], &starts[i], &weights[i]);
        let sums = |side: usize| {
            let four = |a: usize, b: usize, weights: &[i16; 16]| {
                let low = _mm256_castsi128_si256(eight_words(row, starts, 8 * side + a));
                let numbers = _mm256_inserti128_si256::<1>(low, eight_words(row, starts, 8 * side + b));
                _mm256_castsi256_ps(_mm256_madd_epi16(numbers, read(weights)))
            };
            let (a, b) = (four(0, 4, part(weights, 16 * side)), four(2, 6, part(weights, 32 + 16 * side)));
            let even = _mm256_castps_si256(_mm256_shuffle_ps::<0b10_00_10_00>(a, b));
            let odd = _mm256_castps_si256(_mm256_shuffle_ps::<0b11_01_11_01>(a, b));
            _mm256_sra_epi32(_mm256_add_epi32(_mm256_add_epi32(even, odd), half), by)
        };
        write(_mm256_permute4x64_epi64::<0b11_01_10_00>(_mm256_packs_epi32(sums(0), sums(1))), to);
    }
}

#[target_feature(enable = "avx2,fma")]
#[inline]
pub(super) fn fours(row: &[[i16; 64]], weights: &[[i16; 64]], shift: u32, out: &mut [[i16; 16]]) {
    let (half, by) = (_mm256_set1_epi32(1 << (shift - 1)), _mm_cvtsi32_si128(shift as i32));
    for i in 0..out.len().min(row.len()).min(weights.len()) {
        let (to, numbers, weights) = (&mut out[i], &row[i], &weights[i]);
        let sums = |at: usize| {
            let four = |at: usize| {
                let product = _mm256_madd_epi16(read(part::<_, 16>(numbers, at)), read(part::<_, 16>(weights, at)));
                _mm256_castsi256_ps(product)
            };
            let (a, b) = (four(at), four(at + 16));
            let even = _mm256_castps_si256(_mm256_shuffle_ps::<0b10_00_10_00>(a, b));
            let odd = _mm256_castps_si256(_mm256_shuffle_ps::<0b11_01_11_01>(a, b));
            // Of two outputs of the first register and two of the second in turn.
            let sums = _mm256_permute4x64_epi64::<0b11_01_10_00>(_mm256_add_epi32(even, odd));
            _mm256_sra_epi32(_mm256_add_epi32(sums, half), by)
        };
        write(_mm256_permute4x64_epi64::<0b11_01_10_00>(_mm256_packs_epi32(sums(0), sums(32))), to);
    }
}

#[target_feature(enable = "avx2,fma")]
#[inline]
pub(super) fn lay_floats(rows: [&[f32]; 4], step: usize, lines: &mut [Line<f32>]) {
    for i in 0..lines.len() {
        let four = |row: &[f32]| read_half(part::<_, 4>(row, i * step));
        write_line(turned([four(rows[0]), four(rows[1]), four(rows[2]), four(rows[3])]), &mut lines[i]);
    }
}

#[target_feature(enable = "avx2,fma")]
#[inline]
pub(super) fn lay_words<const C: usize>(rows: [&[i16]; 4], lines: &mut [Line<i32>]) {
    let step = if C == 1 { 8 } else { 2 * C };
    for i in 0..lines.len() {
        let pairs = |row: &[i16]| _mm_shuffle_epi8(read_half(part::<_, 8>(row, i * step)), pixel_pairs::<C>());
        write_line(turned([pairs(rows[0]), pairs(rows[1]), pairs(rows[2]), pairs(rows[3])]), &mut lines[i]);
    }
}

#[target_feature(enable = "avx2,fma")]
#[inline]
pub(super) fn across_words<const C: usize, const N: usize>(
    lines: &[Line<i32>],
    starts: &[u32; 4],
    weights: &[i32],
    shift: u32,
) -> [[i16; 16]; 4] {
    let pixels = if C == 1 { 4 } else { 1 };
    let count = if N > 0 { N } else { weights.len() / 4 / pixels };
    // The first halves of the lines, and the second ones.
    let (mut low, mut high) = ([_mm256_setzero_si256(); 4], [_mm256_setzero_si256(); 4]);
    for x in 0..4 {
        let lines = &lines[starts[x] as usize..][..count];
        let weights = &weights[x * count * pixels..][..count * pixels];
        for i in 0..count {
            let line = &lines[i];
            let (v, w) = match C {
                1 => {
                    let w = _mm256_castsi128_si256(read_four(part(weights, i * 4)));
                    (_mm256_permutevar8x32_epi32(w, first_two()), _mm256_permutevar8x32_epi32(w, last_two()))
                }
                _ => (_mm256_set1_epi32(weights[i]), _mm256_set1_epi32(weights[i])),
            };
            low[x] = _mm256_add_epi32(low[x], _mm256_madd_epi16(read(part::<_, 8>(&line.0, 0)), v));
            high[x] = _mm256_add_epi32(high[x], _mm256_madd_epi16(read(part::<_, 8>(&line.0, 8)), w));
        }
    }
    words_of_sums::<C>(low, high, shift)
}

/// The sums of four outputs, in two halves, as words of four rows. It does not depend on the number of lines, so it is
/// compiled less often than the sums are.
#[target_feature(enable = "avx2,fma")]
#[inline]
fn words_of_sums<const C: usize>(mut low: [__m256i; 4], mut high: [__m256i; 4], shift: u32) -> [[i16; 16]; 4] {
    let mut out = [[0; 16]; 4];
    let (half, by) = (_mm256_set1_epi32(1 << (shift - 1)), _mm_cvtsi32_si128(shift as i32));
    if C == 1 {
        let mut sums = [_mm_setzero_si128(); 4];
        for x in 0..4 {
            let both = _mm256_add_epi32(low[x], high[x]);
            let both = _mm_add_epi32(_mm256_castsi256_si128(both), _mm256_extracti128_si256::<1>(both));
            sums[x] = _mm_sra_epi32(_mm_add_epi32(both, _mm256_castsi256_si128(half)), by);
        }
        let rows = turned(sums);
        for row in 0..4 {
            write_half(_mm_packs_epi32(rows[row], rows[row]), part_mut::<_, 8>(&mut out[row], 0));
        }
        return out;
    }
    for x in 0..4 {
        low[x] = _mm256_sra_epi32(_mm256_add_epi32(low[x], half), by);
        high[x] = _mm256_sra_epi32(_mm256_add_epi32(high[x], half), by);
    }
    for two in 0..2 {
        // Of each channel the words of two pixels, of four rows each; turned to four rows of two pixels.
        let words = |sums: &[__m256i; 4]| {
            let words = _mm256_packs_epi32(sums[two * 2], sums[two * 2 + 1]);
            quarters(_mm256_shuffle_epi8(words, _mm256_broadcastsi128_si256(turn_words())))
        };
        let ([a, b], [c, d]) = (words(&low), words(&high));
        // Of each row four channels of two pixels, at last pixel by pixel.
        let rows = turned([a, b, c, d]);
        for row in 0..4 {
            let words = _mm_shuffle_epi8(rows[row], pixels_of_channels::<C>());
            write_half(words, part_mut::<_, 8>(&mut out[row], two * 2 * C));
        }
    }
    out
}

#[target_feature(enable = "avx2,fma")]
#[inline]
pub(super) fn across_floats<const C: usize>(lines: &[Line<f32>], starts: &[u32; 4], weights: &[f32]) -> [[f32; 16]; 4] {
    let mut out = [[0.0; 16]; 4];
    let pixels = if C > 2 { 1 } else { 4 / C };
    let count = weights.len() / 4 / pixels;
    // Four sums at a time, as each waits for itself: of the first halves of the lines, and of the second ones.
    let (mut low, mut high) = ([_mm256_setzero_ps(); 4], [_mm256_setzero_ps(); 4]);
    // Written out: the map of an array is not inlined.
    let [a, b, c, d] = starts;
    let lines = [
        &lines[*a as usize..][..count],
        &lines[*b as usize..][..count],
        &lines[*c as usize..][..count],
        &lines[*d as usize..][..count],
    ];
    let weights = &weights[..4 * count * pixels];
    for i in 0..count {
        for x in 0..4 {
            let (line, w) = (&lines[x][i], &weights[(x * count + i) * pixels..][..pixels]);
            let (v, w) = match C {
                1 => {
                    let w = _mm256_castps128_ps256(_mm_castsi128_ps(read_four(part(w, 0))));
                    (_mm256_permutevar8x32_ps(w, first_two()), _mm256_permutevar8x32_ps(w, last_two()))
                }
                2 => (_mm256_set1_ps(w[0]), _mm256_set1_ps(w[1])),
                _ => (_mm256_set1_ps(w[0]), _mm256_set1_ps(w[0])),
            };
            let first = _mm256_castsi256_ps(read(part::<_, 8>(&line.0, 0)));
            let second = _mm256_castsi256_ps(read(part::<_, 8>(&line.0, 8)));
            low[x] = _mm256_add_ps(low[x], _mm256_mul_ps(first, v));
            high[x] = _mm256_add_ps(high[x], _mm256_mul_ps(second, w));
        }
    }
    for x in 0..4 {
        let (low, high) = (low[x], high[x]);
        let both = _mm256_add_ps(low, high);
        let none = _mm_setzero_si128();
        let channels = match C {
            1 => {
                let sum = _mm_add_ps(_mm256_castps256_ps128(both), _mm256_extractf128_ps::<1>(both));
                [_mm_castps_si128(sum), none, none, none]
            }
            2 => {
                let [a, b] = quarters(_mm256_castps_si256(both));
                [a, b, none, none]
            }
            _ => {
                let ([a, b], [c, d]) = (quarters(_mm256_castps_si256(low)), quarters(_mm256_castps_si256(high)));
                [a, b, c, d]
            }
        };
        // What fewer than four channels leave is written over by the next pixel.
        let rows = turned(channels);
        for row in 0..4 {
            write_half(rows[row], part_mut::<_, 4>(&mut out[row], x * C));
        }
    }
    out
}

#[target_feature(enable = "avx2")]
#[inline]
fn quarters(v: __m256i) -> [__m128i; 2] {
    [_mm256_castsi256_si128(v), _mm256_extracti128_si256::<1>(v)]
}

/// Four rows of four 32-bit numbers, turned about their diagonal.
#[target_feature(enable = "avx2")]
#[inline]
fn turned([a, b, c, d]: [__m128i; 4]) -> [__m128i; 4] {
    let (ab, cd) = (_mm_unpacklo_epi32(a, b), _mm_unpacklo_epi32(c, d));
    let (ab_high, cd_high) = (_mm_unpackhi_epi32(a, b), _mm_unpackhi_epi32(c, d));
    [
        _mm_unpacklo_epi64(ab, cd),
        _mm_unpackhi_epi64(ab, cd),
        _mm_unpacklo_epi64(ab_high, cd_high),
        _mm_unpackhi_epi64(ab_high, cd_high),
    ]
}

#[target_feature(enable = "avx2")]
#[inline]
fn write_line<T>(quarters: [__m128i; 4], line: &mut Line<T>) {
    for i in 0..4 {
        write_half(quarters[i], part_mut::<_, 4>(&mut line.0, 4 * i));
    }
}

/// The first two of four weights, each for four rows.
#[target_feature(enable = "avx2")]
#[inline]
fn first_two() -> __m256i {
    _mm256_setr_epi32(0, 0, 0, 0, 1, 1, 1, 1)
}

/// The last two of four weights.
#[target_feature(enable = "avx2")]
#[inline]
fn last_two() -> __m256i {
    _mm256_setr_epi32(2, 2, 2, 2, 3, 3, 3, 3)
}

/// Bytes in the order that brings two pixels of three or four words to pairs of one channel; of one channel as they are.
#[target_feature(enable = "avx2")]
#[inline]
fn pixel_pairs<const C: usize>() -> __m128i {
    match C {
        3 => _mm_setr_epi8(0, 1, 6, 7, 2, 3, 8, 9, 4, 5, 10, 11, -1, -1, -1, -1),
        4 => turn_words(),
        _ => _mm_setr_epi8(0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11, 12, 13, 14, 15),
    }
}

/// Two times four words, turned to four times two.
#[target_feature(enable = "avx2")]
#[inline]
pub(super) fn turn_words() -> __m128i {
    _mm_setr_epi8(0, 1, 8, 9, 2, 3, 10, 11, 4, 5, 12, 13, 6, 7, 14, 15)
}

/// Two words of each channel in the order of two pixels of three or four channels.
#[target_feature(enable = "avx2")]
#[inline]
pub(super) fn pixels_of_channels<const C: usize>() -> __m128i {
    match C {
        3 => _mm_setr_epi8(0, 1, 4, 5, 8, 9, 2, 3, 6, 7, 10, 11, -1, -1, -1, -1),
        _ => _mm_setr_epi8(0, 1, 4, 5, 8, 9, 12, 13, 2, 3, 6, 7, 10, 11, 14, 15),
    }
}
