//! Sums along rows in registers of 512 bits. Safe code but for reading and writing registers.

use super::along_avx2::{self, eight_words, pixels_of_channels, turn_words};
use super::{Line, part, part_mut};
use std::arch::x86_64::*;

/// A register from 64 bytes.
#[target_feature(enable = "avx512f")]
#[inline]
fn read<T, const N: usize>(from: &[T; N]) -> __m512i {
    const { assert!(size_of::<T>() * N == 64) };
    // SAFETY: the array has the 64 bytes that are read, whatever they mean.
    unsafe { _mm512_loadu_si512(from.as_ptr().cast()) }
}

/// A register as 64 bytes of numbers.
#[target_feature(enable = "avx512f")]
#[inline]
fn write<T, const N: usize>(v: __m512i, to: &mut [T; N]) {
    const { assert!(size_of::<T>() * N == 64) };
    // SAFETY: the array has the 64 bytes that are written; its numbers are plain ones.
    unsafe { _mm512_storeu_si512(to.as_mut_ptr().cast(), v) };
}

#[target_feature(enable = "avx512f")]
#[inline]
fn floats(line: &Line<f32>) -> __m512 {
    _mm512_castsi512_ps(read(&line.0))
}

#[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
#[inline]
pub(super) fn four_taps(row: &[i16], starts: &[[u32; 16]], weights: &[[i16; 64]], shift: u32, out: &mut [[i16; 16]]) {
    let (half, by) = (_mm512_set1_epi32(1 << (shift - 1)), _mm_cvtsi32_si128(shift as i32));
    // By indices, here and below: iterators side by side are calls where the linker does not inline them.
    for i in 0..out.len().min(starts.len()).min(weights.len()) {
        let (to, starts, weights) = (&mut out[i], &starts[i], &weights[i]);
        let eight = |first: usize, weights: &[i16; 32]| {
            let two = |a: usize| {
                let low = _mm256_castsi128_si256(eight_words(row, starts, a));
                _mm256_inserti128_si256::<1>(low, eight_words(row, starts, a + 4))
            };
            let numbers = _mm512_inserti64x4::<1>(_mm512_castsi256_si512(two(first)), two(first + 8));
            _mm512_castsi512_ps(_mm512_madd_epi16(numbers, read(weights)))
        };
        let (a, b) = (eight(0, part(weights, 0)), eight(2, part(weights, 32)));
        let even = _mm512_castps_si512(_mm512_shuffle_ps::<0b10_00_10_00>(a, b));
        let odd = _mm512_castps_si512(_mm512_shuffle_ps::<0b11_01_11_01>(a, b));
        let sums = _mm512_add_epi32(_mm512_add_epi32(even, odd), half);
        along_avx2::write(_mm512_cvtsepi32_epi16(_mm512_sra_epi32(sums, by)), to);
    }
}

#[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
#[inline]
pub(super) fn fours(row: &[[i16; 64]], weights: &[[i16; 64]], shift: u32, out: &mut [[i16; 16]]) {
    let (half, by) = (_mm512_set1_epi32(1 << (shift - 1)), _mm_cvtsi32_si128(shift as i32));
    // Of two outputs of the first register and two of the second in turn.
    let order = _mm512_setr_epi32(0, 1, 4, 5, 8, 9, 12, 13, 2, 3, 6, 7, 10, 11, 14, 15);
    for i in 0..out.len().min(row.len()).min(weights.len()) {
        let (to, numbers, weights) = (&mut out[i], &row[i], &weights[i]);
        let eight = |at: usize| {
            let product = _mm512_madd_epi16(read(part::<_, 32>(numbers, at)), read(part::<_, 32>(weights, at)));
            _mm512_castsi512_ps(product)
        };
        let (a, b) = (eight(0), eight(32));
        let even = _mm512_castps_si512(_mm512_shuffle_ps::<0b10_00_10_00>(a, b));
        let odd = _mm512_castps_si512(_mm512_shuffle_ps::<0b11_01_11_01>(a, b));
        let sums = _mm512_add_epi32(_mm512_add_epi32(even, odd), half);
        let sums = _mm512_permutexvar_epi32(order, _mm512_sra_epi32(sums, by));
        along_avx2::write(_mm512_cvtsepi32_epi16(sums), to);
    }
}

#[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
#[inline]
pub(super) fn lay_floats(rows: [&[f32]; 4], step: usize, lines: &mut [Line<f32>]) {
    let apart = _mm512_setr_epi32(0, 1, 2, 3, 3, 4, 5, 6, 6, 7, 8, 9, 9, 10, 11, 12);
    let (fours, rest) = lines.as_chunks_mut::<4>();
    let done = fours.len() * 4 * step;
    for i in 0..fours.len() {
        let four = |row: &[f32]| {
            let numbers = read(part::<_, 16>(row, i * 4 * step));
            if step == 3 { _mm512_permutexvar_epi32(apart, numbers) } else { numbers }
        };
        let laid = lay([four(rows[0]), four(rows[1]), four(rows[2]), four(rows[3])]);
        for line in 0..4 {
            write(laid[line], &mut fours[i][line].0);
        }
    }
    along_avx2::lay_floats([&rows[0][done..], &rows[1][done..], &rows[2][done..], &rows[3][done..]], step, rest);
}

#[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
#[inline]
pub(super) fn lay_words<const C: usize>(rows: [&[i16]; 4], lines: &mut [Line<i32>]) {
    let step = if C == 1 { 8 } else { 2 * C };
    let (fours, rest) = lines.as_chunks_mut::<4>();
    let done = fours.len() * 4 * step;
    for i in 0..fours.len() {
        let four = |row: &[i16]| {
            let words = read(part::<_, 32>(row, i * 4 * step));
            match C {
                3 => _mm512_permutexvar_epi16(pixel_pairs(), words),
                4 => _mm512_shuffle_epi8(words, _mm512_broadcast_i32x4(turn_words())),
                _ => words,
            }
        };
        let laid = lay([four(rows[0]), four(rows[1]), four(rows[2]), four(rows[3])]);
        for line in 0..4 {
            write(laid[line], &mut fours[i][line].0);
        }
    }
    along_avx2::lay_words::<C>([&rows[0][done..], &rows[1][done..], &rows[2][done..], &rows[3][done..]], rest);
}

#[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
#[inline]
pub(super) fn across_words<const C: usize, const N: usize>(
    lines: &[Line<i32>],
    starts: &[u32; 4],
    weights: &[i32],
    shift: u32,
) -> [[i16; 16]; 4] {
    let pixels = if C == 1 { 4 } else { 1 };
    let count = if N > 0 { N } else { weights.len() / 4 / pixels };
    let mut sums = [_mm512_setzero_si512(); 4];
    for x in 0..4 {
        let lines = &lines[starts[x] as usize..][..count];
        let weights = &weights[x * count * pixels..][..count * pixels];
        for i in 0..count {
            let w = match C {
                1 => _mm512_permutexvar_epi32(
                    each(),
                    _mm512_castsi128_si512(along_avx2::read_four(part(weights, i * 4))),
                ),
                _ => _mm512_set1_epi32(weights[i]),
            };
            sums[x] = _mm512_add_epi32(sums[x], _mm512_madd_epi16(read(&lines[i].0), w));
        }
    }
    words_of_sums::<C>(sums, shift)
}

/// The sums of four outputs as words of four rows. It does not depend on the number of lines, so it is compiled less often
/// than the sums are.
#[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
#[inline]
fn words_of_sums<const C: usize>(mut sums: [__m512i; 4], shift: u32) -> [[i16; 16]; 4] {
    let mut out = [[0; 16]; 4];
    let (half, by) = (_mm512_set1_epi32(1 << (shift - 1)), _mm_cvtsi32_si128(shift as i32));
    if C == 1 {
        let sums = _mm512_sra_epi32(_mm512_add_epi32(folded(sums), half), by);
        let mut rows = [0i16; 16];
        along_avx2::write(_mm512_cvtsepi32_epi16(_mm512_permutexvar_epi32(turn(), sums)), &mut rows);
        put_rows::<_, 4>(&rows, &mut out, 0);
        return out;
    }
    for x in 0..4 {
        sums[x] = _mm512_sra_epi32(_mm512_add_epi32(sums[x], half), by);
    }
    for two in 0..2 {
        // In each quarter one channel: two pixels of four rows each; turned to four rows of two pixels.
        let words = _mm512_packs_epi32(sums[2 * two], sums[2 * two + 1]);
        let words = _mm512_shuffle_epi8(words, _mm512_broadcast_i32x4(turn_words()));
        // In each quarter one row, at last pixel by pixel.
        let words = _mm512_permutexvar_epi32(turn(), words);
        let words = _mm512_shuffle_epi8(words, _mm512_broadcast_i32x4(pixels_of_channels::<C>()));
        let mut rows = [0i16; 32];
        write(words, &mut rows);
        put_rows::<_, 8>(&rows, &mut out, two * 2 * C);
    }
    out
}

#[target_feature(enable = "avx2,fma,avx512f,avx512bw,avx512vl,avx512dq")]
#[inline]
pub(super) fn across_floats<const C: usize>(lines: &[Line<f32>], starts: &[u32; 4], weights: &[f32]) -> [[f32; 16]; 4] {
    if C == 2 {
        return along_avx2::across_floats::<C>(lines, starts, weights);
    }
    let mut out = [[0.0; 16]; 4];
    let pixels = if C == 1 { 4 } else { 1 };
    let count = weights.len() / 4 / pixels;
    // Four sums at a time, as each waits for itself.
    let mut sums = [_mm512_setzero_ps(); 4];
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
            let w = match C {
                1 => {
                    let w = _mm512_castsi128_si512(along_avx2::read_four(part(w, 0)));
                    _mm512_castsi512_ps(_mm512_permutexvar_epi32(each(), w))
                }
                _ => _mm512_set1_ps(w[0]),
            };
            sums[x] = _mm512_add_ps(sums[x], _mm512_mul_ps(floats(line), w));
        }
    }
    let mut rows = [0.0f32; 16];
    if C == 1 {
        let sums = _mm512_castps_si512(folded_floats(sums));
        write(_mm512_permutexvar_epi32(turn(), sums), &mut rows);
        put_rows::<_, 4>(&rows, &mut out, 0);
        return out;
    }
    for x in 0..4 {
        write(_mm512_permutexvar_epi32(turn(), _mm512_castps_si512(sums[x])), &mut rows);
        // What three channels leave of four is written over by the next pixel.
        put_rows::<_, 4>(&rows, &mut out, x * C);
    }
    out
}

/// `N` numbers of each of four rows, one behind the other, to a place in each.
#[inline(always)]
fn put_rows<T: Copy, const N: usize>(rows: &[T], out: &mut [[T; 16]; 4], at: usize) {
    for row in 0..4 {
        *part_mut::<_, N>(&mut out[row], at) = *part(rows, row * N);
    }
}

/// Four numbers, or pairs of words, of each of four rows a quarter: as four lines.
#[target_feature(enable = "avx512f")]
#[inline]
fn lay([a, b, c, d]: [__m512i; 4]) -> [__m512i; 4] {
    let low = _mm512_setr_epi32(0, 16, 1, 17, 2, 18, 3, 19, 4, 20, 5, 21, 6, 22, 7, 23);
    let high = _mm512_setr_epi32(8, 24, 9, 25, 10, 26, 11, 27, 12, 28, 13, 29, 14, 30, 15, 31);
    let first = _mm512_setr_epi32(0, 1, 16, 17, 2, 3, 18, 19, 4, 5, 20, 21, 6, 7, 22, 23);
    let second = _mm512_setr_epi32(8, 9, 24, 25, 10, 11, 26, 27, 12, 13, 28, 29, 14, 15, 30, 31);
    let (ab, cd) = (_mm512_permutex2var_epi32(a, low, b), _mm512_permutex2var_epi32(c, low, d));
    let (ef, gh) = (_mm512_permutex2var_epi32(a, high, b), _mm512_permutex2var_epi32(c, high, d));
    [
        _mm512_permutex2var_epi32(ab, first, cd),
        _mm512_permutex2var_epi32(ab, second, cd),
        _mm512_permutex2var_epi32(ef, first, gh),
        _mm512_permutex2var_epi32(ef, second, gh),
    ]
}

/// Pairs of pixels of three words, by channels, each pair in a quarter.
#[target_feature(enable = "avx512f,avx512bw")]
#[inline]
fn pixel_pairs() -> __m512i {
    let order: [i16; 32] = const {
        let mut order = [0; 32];
        let mut i = 0;
        while i < 32 {
            let (pair, channel, side) = (i / 8, i % 8 / 2, i % 2);
            order[i] = if channel < 3 { (pair * 6 + side * 3 + channel) as i16 } else { 0 };
            i += 1;
        }
        order
    };
    read(&order)
}

/// Four registers whose quarters belong together, as the sums (0 + 2) + (1 + 3) of each, a quarter each.
#[target_feature(enable = "avx512f")]
#[inline]
fn folded([a, b, c, d]: [__m512i; 4]) -> __m512i {
    let halves = |a, b| _mm512_add_epi32(_mm512_shuffle_i32x4::<0x44>(a, b), _mm512_shuffle_i32x4::<0xee>(a, b));
    let (ab, cd) = (halves(a, b), halves(c, d));
    _mm512_add_epi32(_mm512_shuffle_i32x4::<0x88>(ab, cd), _mm512_shuffle_i32x4::<0xdd>(ab, cd))
}

/// The same of floats.
#[target_feature(enable = "avx512f")]
#[inline]
fn folded_floats([a, b, c, d]: [__m512; 4]) -> __m512 {
    let halves = |a, b| _mm512_add_ps(_mm512_shuffle_f32x4::<0x44>(a, b), _mm512_shuffle_f32x4::<0xee>(a, b));
    let (ab, cd) = (halves(a, b), halves(c, d));
    _mm512_add_ps(_mm512_shuffle_f32x4::<0x88>(ab, cd), _mm512_shuffle_f32x4::<0xdd>(ab, cd))
}

/// Four weights, each for four rows.
#[target_feature(enable = "avx512f")]
#[inline]
fn each() -> __m512i {
    _mm512_setr_epi32(0, 0, 0, 0, 1, 1, 1, 1, 2, 2, 2, 2, 3, 3, 3, 3)
}

/// Four by four 32-bit numbers, turned about their diagonal.
#[target_feature(enable = "avx512f")]
#[inline]
fn turn() -> __m512i {
    _mm512_setr_epi32(0, 4, 8, 12, 1, 5, 9, 13, 2, 6, 10, 14, 3, 7, 11, 15)
}
