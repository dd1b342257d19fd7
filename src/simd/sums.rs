//! Sum, sum of squares, least and greatest of a row of bytes, all of one channel.

use super::Level;
#[cfg(target_arch = "x86_64")]
use super::Set;

/// What a row of bytes sums up to.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(crate) struct ByteSums {
    pub(crate) sum: u64,
    pub(crate) squares: u64,
    pub(crate) min: u8,
    pub(crate) max: u8,
}

/// The sums of a row; of none the least is 255 and the greatest 0. One pass.
pub(crate) fn of_bytes(level: Level, row: &[u8]) -> ByteSums {
    let mut sums = ByteSums { sum: 0, squares: 0, min: u8::MAX, max: 0 };
    let rest = match level.0 {
        #[cfg(target_arch = "x86_64")]
        Set::Avx2 | Set::Avx512 => {
            let (chunks, rest) = row.as_chunks::<32>();
            // So few that no 32-bit lane of squares overflows: each takes at most 2 x 65,025 of a chunk.
            for part in chunks.chunks(16_384) {
                // SAFETY: every level but the plain one exists only where AVX2 was seen on this machine.
                sums.add(unsafe { x86::avx2(part) });
            }
            rest
        }
        Set::Plain => row,
    };
    for &v in rest {
        let (sum, squares) = (u64::from(v), u64::from(v) * u64::from(v));
        sums.add(ByteSums { sum, squares, min: v, max: v });
    }
    sums
}

impl ByteSums {
    fn add(&mut self, other: ByteSums) {
        self.sum += other.sum;
        self.squares += other.squares;
        (self.min, self.max) = (self.min.min(other.min), self.max.max(other.max));
    }
}

#[cfg(target_arch = "x86_64")]
mod x86 {
    use super::ByteSums;
    use std::arch::x86_64::*;

    /// At most 16,384 chunks: a lane of squares takes up to 2 x 65,025 of each.
    #[target_feature(enable = "avx2")]
    pub(super) fn avx2(chunks: &[[u8; 32]]) -> ByteSums {
        let zero = _mm256_setzero_si256();
        let (mut sum, mut squares) = (zero, [zero; 2]);
        let (mut min, mut max) = (_mm256_set1_epi8(-1), zero);
        for chunk in chunks {
            // SAFETY: 32 bytes are read from an array of 32; the load takes any alignment.
            let v = unsafe { _mm256_loadu_si256(chunk.as_ptr().cast()) };
            sum = _mm256_add_epi64(sum, _mm256_sad_epu8(v, zero));
            let (low, high) = (_mm256_unpacklo_epi8(v, zero), _mm256_unpackhi_epi8(v, zero));
            squares[0] = _mm256_add_epi32(squares[0], _mm256_madd_epi16(low, low));
            squares[1] = _mm256_add_epi32(squares[1], _mm256_madd_epi16(high, high));
            min = _mm256_min_epu8(min, v);
            max = _mm256_max_epu8(max, v);
        }
        let wide = |v: __m256i| _mm256_add_epi64(_mm256_unpacklo_epi32(v, zero), _mm256_unpackhi_epi32(v, zero));
        let squares = _mm256_add_epi64(wide(squares[0]), wide(squares[1]));
        // The greatest is the least of what is missing from 255.
        let missing = _mm256_xor_si256(max, _mm256_set1_epi8(-1));
        ByteSums { sum: total(sum), squares: total(squares), min: least(min), max: !least(missing) }
    }

    /// The sum of four numbers of 64 bits.
    #[inline]
    #[target_feature(enable = "avx2")]
    fn total(v: __m256i) -> u64 {
        let v = _mm_add_epi64(_mm256_castsi256_si128(v), _mm256_extracti128_si256::<1>(v));
        (_mm_cvtsi128_si64(v) as u64).wrapping_add(_mm_extract_epi64::<1>(v) as u64)
    }

    /// The least of 32 bytes.
    #[inline]
    #[target_feature(enable = "avx2")]
    fn least(v: __m256i) -> u8 {
        let v = _mm_min_epu8(_mm256_castsi256_si128(v), _mm256_extracti128_si256::<1>(v));
        // The lesser of each pair, as a word.
        let v = _mm_min_epu8(v, _mm_srli_epi16::<8>(v));
        _mm_cvtsi128_si32(_mm_minpos_epu16(v)) as u8
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_level_sums_up_the_same() {
        for length in (0..100usize).chain([1000, 33_333, 600_000]) {
            let row: Vec<u8> = (0..length).map(|i| (i * i * 7 + length) as u8 | 3).collect();
            let wide = |v: &u8| u64::from(*v);
            let wanted = ByteSums {
                sum: row.iter().map(wide).sum(),
                squares: row.iter().map(|v| wide(v) * wide(v)).sum(),
                min: row.iter().copied().min().unwrap_or(255),
                max: row.iter().copied().max().unwrap_or(0),
            };
            for level in Level::present() {
                assert_eq!(of_bytes(level, &row), wanted, "{level:?} {length}");
            }
        }
        // As bright as can be, past where 32-bit lanes would overflow.
        let white = vec![255u8; 3_000_000];
        for level in Level::present() {
            assert_eq!(of_bytes(level, &white).squares, 3_000_000 * 65_025);
        }
    }
}
