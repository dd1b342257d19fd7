//! Weighted sums of rows in whole numbers: half of what resizing spends its time in.
//!
//! The plain bodies are the definition. The wide ones multiply pairs of 16-bit numbers and add them in one instruction;
//! all sums are exact in `i32`, so that every body gives the same numbers.

use super::Level;
#[cfg(target_arch = "x86_64")]
use super::Set;
#[cfg(target_arch = "x86_64")]
use std::arch::x86_64::*;

/// A sum over 2^shift, to nearest, halves up, held in 16 bits.
#[inline(always)]
pub(super) fn narrowed(sum: i32, shift: u32) -> i16 {
    ((sum + (1 << (shift - 1))) >> shift).clamp(i32::from(i16::MIN), i32::from(i16::MAX)) as i16
}

impl Level {
    /// Rows of bytes times their weights, summed and divided by 2^shift (at least 1), to nearest. Rows are as long as `out`
    /// or longer; the sums must fit `i32`.
    #[inline]
    pub(crate) fn mix_bytes(self, rows: &[&[u8]], weights: &[i16], shift: u32, out: &mut [i16]) {
        let done = match self.0 {
            Set::Plain => 0,
            #[cfg(target_arch = "x86_64")]
            // SAFETY: a level of this kind exists only where its set was seen on this machine.
            Set::Avx2 => unsafe { bytes_avx2(rows, weights, shift, out) },
            #[cfg(target_arch = "x86_64")]
            // SAFETY: as above.
            Set::Avx512 => unsafe { bytes_avx512(rows, weights, shift, out) },
        };
        for (i, to) in out.iter_mut().enumerate().skip(done) {
            let sum = rows.iter().zip(weights).map(|(row, &w)| i32::from(row[i]) * i32::from(w)).sum();
            *to = narrowed(sum, shift);
        }
    }

    /// Rows of words times their weights, summed and divided by 2^shift (at least 1), to nearest and within a byte.
    #[inline]
    pub(crate) fn mix_words(self, rows: &[&[i16]], weights: &[i16], shift: u32, out: &mut [u8]) {
        let done = match self.0 {
            Set::Plain => 0,
            #[cfg(target_arch = "x86_64")]
            // SAFETY: a level of this kind exists only where its set was seen on this machine.
            Set::Avx2 => unsafe { words_avx2(rows, weights, shift, out) },
            #[cfg(target_arch = "x86_64")]
            // SAFETY: as above.
            Set::Avx512 => unsafe { words_avx512(rows, weights, shift, out) },
        };
        for (i, to) in out.iter_mut().enumerate().skip(done) {
            let sum = rows.iter().zip(weights).map(|(row, &w)| i32::from(row[i]) * i32::from(w)).sum();
            *to = narrowed(sum, shift).clamp(0, 255) as u8;
        }
    }

    /// Pairs of rows, each two rows number by number, times the weights of both: what [`mix_words`](Level::mix_words) gives
    /// of the rows. Where the same pairs are summed often, putting them together once is quicker.
    #[inline]
    pub(crate) fn mix_pairs(self, pairs: &[&[i16]], weights: &[[i16; 2]], shift: u32, out: &mut [u8]) {
        let done = match self.0 {
            Set::Plain => 0,
            #[cfg(target_arch = "x86_64")]
            // SAFETY: a level of this kind exists only where its set was seen on this machine.
            Set::Avx2 => unsafe { pairs_avx2(pairs, weights, shift, out) },
            #[cfg(target_arch = "x86_64")]
            // SAFETY: as above.
            Set::Avx512 => unsafe { pairs_avx512(pairs, weights, shift, out) },
        };
        for (i, to) in out.iter_mut().enumerate().skip(done) {
            let of = |(pair, [v, w]): (&&[i16], &[i16; 2])| {
                i32::from(pair[2 * i]) * i32::from(*v) + i32::from(pair[2 * i + 1]) * i32::from(*w)
            };
            *to = narrowed(pairs.iter().zip(weights).map(of).sum(), shift).clamp(0, 255) as u8;
        }
    }
}

/// Two weights as the pair that is multiplied at once.
#[cfg(target_arch = "x86_64")]
#[inline(always)]
fn pair(weights: &[i16]) -> i32 {
    let [a, b] = [weights.first(), weights.get(1)].map(|w| w.copied().unwrap_or(0));
    i32::from(b) << 16 | i32::from(a as u16)
}

/// `N` numbers of a row from `at` on.
#[cfg(target_arch = "x86_64")]
#[inline(always)]
pub(super) fn part<T, const N: usize>(row: &[T], at: usize) -> &[T; N] {
    match row[at..].first_chunk() {
        Some(part) => part,
        None => panic!("a row shorter than its output"),
    }
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn bytes_avx2(rows: &[&[u8]], weights: &[i16], shift: u32, out: &mut [i16]) -> usize {
    let load = |row: &[u8], at: usize| {
        let part: &[u8; 32] = part(row, at);
        // SAFETY: the array has the 32 bytes that are read.
        unsafe { _mm256_loadu_si256(part.as_ptr().cast()) }
    };
    let (zero, half) = (_mm256_setzero_si256(), _mm256_set1_epi32(1 << (shift - 1)));
    let shift = _mm_cvtsi32_si128(shift as i32);
    let blocks = out.as_chunks_mut::<32>().0;
    for (i, to) in blocks.iter_mut().enumerate() {
        let mut sums = [half; 4];
        for (rows, weights) in rows.chunks(2).zip(weights.chunks(2)) {
            let w = _mm256_set1_epi32(pair(weights));
            let a = load(rows[0], i * 32);
            let b = if rows.len() > 1 { load(rows[1], i * 32) } else { zero };
            let (low, high) = (_mm256_unpacklo_epi8(a, b), _mm256_unpackhi_epi8(a, b));
            let parts = [
                _mm256_unpacklo_epi8(low, zero),
                _mm256_unpackhi_epi8(low, zero),
                _mm256_unpacklo_epi8(high, zero),
                _mm256_unpackhi_epi8(high, zero),
            ];
            for (sum, part) in sums.iter_mut().zip(parts) {
                *sum = _mm256_add_epi32(*sum, _mm256_madd_epi16(part, w));
            }
        }
        let [a, b, c, d] = sums.map(|s| _mm256_sra_epi32(s, shift));
        let (first, second) = (_mm256_packs_epi32(a, b), _mm256_packs_epi32(c, d));
        let (low, high) =
            (_mm256_permute2x128_si256::<0x20>(first, second), _mm256_permute2x128_si256::<0x31>(first, second));
        let start: *mut __m256i = to.as_mut_ptr().cast();
        // SAFETY: the array has the 64 bytes that are written.
        unsafe {
            _mm256_storeu_si256(start, low);
            _mm256_storeu_si256(start.add(1), high);
        }
    }
    blocks.len() * 32
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx512f,avx512bw")]
fn bytes_avx512(rows: &[&[u8]], weights: &[i16], shift: u32, out: &mut [i16]) -> usize {
    let load = |row: &[u8], at: usize| {
        let part: &[u8; 64] = part(row, at);
        // SAFETY: the array has the 64 bytes that are read.
        unsafe { _mm512_loadu_si512(part.as_ptr().cast()) }
    };
    let (zero, half) = (_mm512_setzero_si512(), _mm512_set1_epi32(1 << (shift - 1)));
    let shift = _mm_cvtsi32_si128(shift as i32);
    // The first words lie in the lower halves of lanes, alternating between the two vectors.
    let low_lanes = _mm512_set_epi64(11, 10, 3, 2, 9, 8, 1, 0);
    let high_lanes = _mm512_set_epi64(15, 14, 7, 6, 13, 12, 5, 4);
    let blocks = out.as_chunks_mut::<64>().0;
    for (i, to) in blocks.iter_mut().enumerate() {
        let mut sums = [half; 4];
        for (rows, weights) in rows.chunks(2).zip(weights.chunks(2)) {
            let w = _mm512_set1_epi32(pair(weights));
            let a = load(rows[0], i * 64);
            let b = if rows.len() > 1 { load(rows[1], i * 64) } else { zero };
            let (low, high) = (_mm512_unpacklo_epi8(a, b), _mm512_unpackhi_epi8(a, b));
            let parts = [
                _mm512_unpacklo_epi8(low, zero),
                _mm512_unpackhi_epi8(low, zero),
                _mm512_unpacklo_epi8(high, zero),
                _mm512_unpackhi_epi8(high, zero),
            ];
            for (sum, part) in sums.iter_mut().zip(parts) {
                *sum = _mm512_add_epi32(*sum, _mm512_madd_epi16(part, w));
            }
        }
        let [a, b, c, d] = sums.map(|s| _mm512_sra_epi32(s, shift));
        let (first, second) = (_mm512_packs_epi32(a, b), _mm512_packs_epi32(c, d));
        let low = _mm512_permutex2var_epi64(first, low_lanes, second);
        let high = _mm512_permutex2var_epi64(first, high_lanes, second);
        let start: *mut __m512i = to.as_mut_ptr().cast();
        // SAFETY: the array has the 128 bytes that are written.
        unsafe {
            _mm512_storeu_si512(start, low);
            _mm512_storeu_si512(start.add(1), high);
        }
    }
    blocks.len() * 64
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn words_avx2(rows: &[&[i16]], weights: &[i16], shift: u32, out: &mut [u8]) -> usize {
    let load = |row: &[i16], at: usize| {
        let part: &[i16; 16] = part(row, at);
        // SAFETY: the array has the 32 bytes that are read.
        unsafe { _mm256_loadu_si256(part.as_ptr().cast()) }
    };
    let (zero, half) = (_mm256_setzero_si256(), _mm256_set1_epi32(1 << (shift - 1)));
    let shift = _mm_cvtsi32_si128(shift as i32);
    let blocks = out.as_chunks_mut::<32>().0;
    for (i, to) in blocks.iter_mut().enumerate() {
        let mut sums = [half; 4];
        for (rows, weights) in rows.chunks(2).zip(weights.chunks(2)) {
            let w = _mm256_set1_epi32(pair(weights));
            for (sums, at) in sums.as_chunks_mut::<2>().0.iter_mut().zip([i * 32, i * 32 + 16]) {
                let a = load(rows[0], at);
                let b = if rows.len() > 1 { load(rows[1], at) } else { zero };
                sums[0] = _mm256_add_epi32(sums[0], _mm256_madd_epi16(_mm256_unpacklo_epi16(a, b), w));
                sums[1] = _mm256_add_epi32(sums[1], _mm256_madd_epi16(_mm256_unpackhi_epi16(a, b), w));
            }
        }
        let [a, b, c, d] = sums.map(|s| _mm256_sra_epi32(s, shift));
        let bytes = _mm256_packus_epi16(_mm256_packs_epi32(a, b), _mm256_packs_epi32(c, d));
        // Lanes hold words 0..8, 16..24, 8..16, 24..32.
        let bytes = _mm256_permute4x64_epi64::<0b11_01_10_00>(bytes);
        // SAFETY: the array has the 32 bytes that are written.
        unsafe { _mm256_storeu_si256(to.as_mut_ptr().cast(), bytes) };
    }
    blocks.len() * 32
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx512f,avx512bw")]
fn words_avx512(rows: &[&[i16]], weights: &[i16], shift: u32, out: &mut [u8]) -> usize {
    let load = |row: &[i16], at: usize| {
        let part: &[i16; 32] = part(row, at);
        // SAFETY: the array has the 64 bytes that are read.
        unsafe { _mm512_loadu_si512(part.as_ptr().cast()) }
    };
    let (zero, half) = (_mm512_setzero_si512(), _mm512_set1_epi32(1 << (shift - 1)));
    let shift = _mm_cvtsi32_si128(shift as i32);
    let order = _mm512_set_epi64(7, 5, 3, 1, 6, 4, 2, 0);
    let blocks = out.as_chunks_mut::<64>().0;
    for (i, to) in blocks.iter_mut().enumerate() {
        let mut sums = [half; 4];
        for (rows, weights) in rows.chunks(2).zip(weights.chunks(2)) {
            let w = _mm512_set1_epi32(pair(weights));
            for (sums, at) in sums.as_chunks_mut::<2>().0.iter_mut().zip([i * 64, i * 64 + 32]) {
                let a = load(rows[0], at);
                let b = if rows.len() > 1 { load(rows[1], at) } else { zero };
                sums[0] = _mm512_add_epi32(sums[0], _mm512_madd_epi16(_mm512_unpacklo_epi16(a, b), w));
                sums[1] = _mm512_add_epi32(sums[1], _mm512_madd_epi16(_mm512_unpackhi_epi16(a, b), w));
            }
        }
        let [a, b, c, d] = sums.map(|s| _mm512_sra_epi32(s, shift));
        let bytes = _mm512_packus_epi16(_mm512_packs_epi32(a, b), _mm512_packs_epi32(c, d));
        let bytes = _mm512_permutexvar_epi64(order, bytes);
        // SAFETY: the array has the 64 bytes that are written.
        unsafe { _mm512_storeu_si512(to.as_mut_ptr().cast(), bytes) };
    }
    blocks.len() * 64
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn pairs_avx2(pairs: &[&[i16]], weights: &[[i16; 2]], shift: u32, out: &mut [u8]) -> usize {
    let half = _mm256_set1_epi32(1 << (shift - 1));
    let shift = _mm_cvtsi32_si128(shift as i32);
    let order = _mm256_setr_epi32(0, 4, 1, 5, 2, 6, 3, 7);
    let blocks = out.as_chunks_mut::<32>().0;
    for (i, to) in blocks.iter_mut().enumerate() {
        let mut sums = [half; 4];
        for (pair, weights) in pairs.iter().zip(weights) {
            let w = _mm256_set1_epi32(self::pair(weights));
            let block: &[i16; 64] = part(pair, i * 64);
            for (sum, part) in sums.iter_mut().zip(block.as_chunks::<16>().0) {
                // SAFETY: the array has the 32 bytes that are read.
                let part = unsafe { _mm256_loadu_si256(part.as_ptr().cast()) };
                *sum = _mm256_add_epi32(*sum, _mm256_madd_epi16(part, w));
            }
        }
        let [a, b, c, d] = sums.map(|s| _mm256_sra_epi32(s, shift));
        let bytes = _mm256_packus_epi16(_mm256_packs_epi32(a, b), _mm256_packs_epi32(c, d));
        let bytes = _mm256_permutevar8x32_epi32(bytes, order);
        // SAFETY: the array has the 32 bytes that are written.
        unsafe { _mm256_storeu_si256(to.as_mut_ptr().cast(), bytes) };
    }
    blocks.len() * 32
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx512f,avx512bw")]
fn pairs_avx512(pairs: &[&[i16]], weights: &[[i16; 2]], shift: u32, out: &mut [u8]) -> usize {
    let half = _mm512_set1_epi32(1 << (shift - 1));
    let shift = _mm_cvtsi32_si128(shift as i32);
    let order = _mm512_setr_epi32(0, 4, 8, 12, 1, 5, 9, 13, 2, 6, 10, 14, 3, 7, 11, 15);
    let blocks = out.as_chunks_mut::<64>().0;
    for (i, to) in blocks.iter_mut().enumerate() {
        let mut sums = [half; 4];
        for (pair, weights) in pairs.iter().zip(weights) {
            let w = _mm512_set1_epi32(self::pair(weights));
            let block: &[i16; 128] = part(pair, i * 128);
            for (sum, part) in sums.iter_mut().zip(block.as_chunks::<32>().0) {
                // SAFETY: the array has the 64 bytes that are read.
                let part = unsafe { _mm512_loadu_si512(part.as_ptr().cast()) };
                *sum = _mm512_add_epi32(*sum, _mm512_madd_epi16(part, w));
            }
        }
        let [a, b, c, d] = sums.map(|s| _mm512_sra_epi32(s, shift));
        let bytes = _mm512_packus_epi16(_mm512_packs_epi32(a, b), _mm512_packs_epi32(c, d));
        let bytes = _mm512_permutexvar_epi32(order, bytes);
        // SAFETY: the array has the 64 bytes that are written.
        unsafe { _mm512_storeu_si512(to.as_mut_ptr().cast(), bytes) };
    }
    blocks.len() * 64
}

#[cfg(test)]
pub(super) mod tests {
    use super::*;

    pub(crate) fn noise(count: usize, seed: u32) -> impl Iterator<Item = u32> {
        (0..count as u32).map(move |i| {
            let x = (i.wrapping_add(seed.wrapping_mul(977))).wrapping_mul(2_654_435_761);
            (x ^ x >> 15).wrapping_mul(2_246_822_519) >> 8
        })
    }

    pub(crate) fn words(count: usize, seed: u32, most: i32) -> Vec<i16> {
        noise(count, seed).map(|v| (v as i32 % (2 * most) - most) as i16).collect()
    }

    #[test]
    fn every_level_mixes_rows_to_the_same_numbers() {
        for length in (0..140).chain([1000, 1001, 4099]) {
            for taps in [1usize, 2, 3, 4, 7, 16] {
                let rows: Vec<Vec<u8>> =
                    (0..taps).map(|t| noise(length, t as u32).map(|v| v as u8).collect()).collect();
                let rows: Vec<&[u8]> = rows.iter().map(Vec::as_slice).collect();
                let wide: Vec<Vec<i16>> = (0..taps).map(|t| words(length, t as u32, 20_000)).collect();
                let wide: Vec<&[i16]> = wide.iter().map(Vec::as_slice).collect();
                // Weights large enough that both clamps are met.
                let weights = words(taps, 5, 5000);
                let (mut first, mut second) = (None, None);
                for level in Level::present() {
                    let (mut a, mut b) = (vec![0; length], vec![0; length]);
                    level.mix_bytes(&rows, &weights, 5, &mut a);
                    level.mix_words(&wide, &weights, 18, &mut b);
                    assert!(*first.get_or_insert(a.clone()) == a, "{level:?} bytes {length} {taps}");
                    assert!(*second.get_or_insert(b.clone()) == b, "{level:?} words {length} {taps}");
                    // The same rows by pairs, the last one alone with a weight of zero beside it.
                    let pairs: Vec<Vec<i16>> = wide
                        .chunks(2)
                        .map(|rows| (0..length).flat_map(|i| [rows[0][i], rows[rows.len() - 1][i]]).collect())
                        .collect();
                    let pairs: Vec<&[i16]> = pairs.iter().map(Vec::as_slice).collect();
                    let weights: Vec<[i16; 2]> =
                        weights.chunks(2).map(|w| [w[0], w.get(1).copied().unwrap_or(0)]).collect();
                    let mut c = vec![0; length];
                    level.mix_pairs(&pairs, &weights, 18, &mut c);
                    assert!(c == b, "{level:?} pairs {length} {taps}");
                }
            }
        }
    }

    #[test]
    fn sums_worked_by_hand() {
        let mut out = [0i16; 2];
        // (3 * 10 - 1 * 20) / 4 = 2.5, up to 3; (3 * 1 - 1 * 7) / 4 = -1.
        Level::best().mix_bytes(&[&[10, 1], &[20, 7]], &[3, -1], 2, &mut out);
        assert_eq!(out, [3, -1]);
        let mut out = [0u8; 2];
        Level::best().mix_words(&[&[100, -9], &[500, 3]], &[1, 1], 1, &mut out);
        assert_eq!(out, [255, 0]);
    }
}
