//! Looking bytes up in a table of 256: by byte shuffles over its sixteen rows of sixteen, or by word permutes over all.

use super::Level;
#[cfg(target_arch = "x86_64")]
use super::Set;

/// Each byte becomes its entry of the table. One pass.
pub(crate) fn bytes_in_place(level: Level, table: &[u8; 256], bytes: &mut [u8]) {
    let rest = match level.0 {
        #[cfg(target_arch = "x86_64")]
        Set::Avx512 => {
            let (chunks, rest) = bytes.as_chunks_mut::<64>();
            // SAFETY: a level of this kind exists only where its sets were seen on this machine.
            unsafe { x86::avx512(table, chunks) };
            rest
        }
        #[cfg(target_arch = "x86_64")]
        Set::Avx2 => {
            let (chunks, rest) = bytes.as_chunks_mut::<32>();
            // SAFETY: as above.
            unsafe { x86::avx2(table, chunks) };
            rest
        }
        Set::Plain => bytes,
    };
    rest.iter_mut().for_each(|v| *v = table[usize::from(*v)]);
}

#[cfg(target_arch = "x86_64")]
mod x86 {
    use std::arch::x86_64::*;

    /// The sixteen rows of a table.
    #[target_feature(enable = "avx2")]
    fn rows(table: &[u8; 256]) -> [__m128i; 16] {
        let mut rows = [_mm_setzero_si128(); 16];
        for (row, part) in rows.iter_mut().zip(table.as_chunks::<16>().0) {
            // SAFETY: sixteen bytes are read from an array of sixteen; the load takes any alignment.
            *row = unsafe { _mm_loadu_si128(part.as_ptr().cast()) };
        }
        rows
    }

    #[target_feature(enable = "avx2")]
    pub(super) fn avx2(table: &[u8; 256], chunks: &mut [[u8; 32]]) {
        let mut wide = [_mm256_setzero_si256(); 16];
        for (wide, row) in wide.iter_mut().zip(rows(table)) {
            *wide = _mm256_broadcastsi128_si256(row);
        }
        let (step, fence) = (_mm256_set1_epi8(16), _mm256_set1_epi8(0x70));
        for chunk in chunks {
            // SAFETY: 32 bytes are read from and written to an array of 32; both take any alignment.
            let mut value = unsafe { _mm256_loadu_si256(chunk.as_ptr().cast()) };
            let mut found = _mm256_setzero_si256();
            for row in wide {
                // 0..16 become 0x70..0x80, all others 0x80 and more, where a shuffle gives 0.
                let index = _mm256_adds_epu8(value, fence);
                found = _mm256_or_si256(found, _mm256_shuffle_epi8(row, index));
                value = _mm256_sub_epi8(value, step);
            }
            // SAFETY: as above.
            unsafe { _mm256_storeu_si256(chunk.as_mut_ptr().cast(), found) };
        }
    }

    /// The table as 128 words in four registers: a word by the upper seven bits of a byte, its half by the lowest. Even and
    /// odd bytes go apart.
    #[target_feature(enable = "avx512f,avx512bw,avx512vl,avx512dq")]
    pub(super) fn avx512(table: &[u8; 256], chunks: &mut [[u8; 64]]) {
        let mut words = [_mm512_setzero_si512(); 4];
        for (words, part) in words.iter_mut().zip(table.as_chunks::<64>().0) {
            // SAFETY: 64 bytes are read from an array of 64; the load takes any alignment.
            *words = unsafe { _mm512_loadu_si512(part.as_ptr().cast()) };
        }
        let low = _mm512_set1_epi16(0x00ff);
        for chunk in chunks {
            // SAFETY: 64 bytes are read from and written to an array of 64; both take any alignment.
            let value = unsafe { _mm512_loadu_si512(chunk.as_ptr().cast()) };
            let even = halves(words, _mm512_and_si512(value, low));
            let odd = halves(words, _mm512_srli_epi16::<8>(value));
            let found = _mm512_or_si512(_mm512_and_si512(even, low), _mm512_slli_epi16::<8>(odd));
            // SAFETY: as above.
            unsafe { _mm512_storeu_si512(chunk.as_mut_ptr().cast(), found) };
        }
    }

    /// In the lower half of each word, the entries of the bytes that the words hold.
    #[target_feature(enable = "avx512f,avx512bw,avx512vl,avx512dq")]
    fn halves([a, b, c, d]: [__m512i; 4], bytes: __m512i) -> __m512i {
        let index = _mm512_srli_epi16::<1>(bytes);
        let upper = _mm512_test_epi16_mask(bytes, _mm512_set1_epi16(0x80));
        let words = _mm512_permutex2var_epi16(a, index, b);
        let words = _mm512_mask_blend_epi16(upper, words, _mm512_permutex2var_epi16(c, index, d));
        let shift = _mm512_slli_epi16::<3>(_mm512_and_si512(bytes, _mm512_set1_epi16(1)));
        _mm512_srlv_epi16(words, shift)
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn every_level_looks_up_what_the_table_holds() {
        let table: [u8; 256] = std::array::from_fn(|i| (i as u8).wrapping_mul(167).wrapping_add(13));
        for level in Level::present() {
            for length in (0..200).chain([1000, 4097]) {
                let bytes: Vec<u8> = (0..length).map(|i| (i * 7 + length) as u8).collect();
                let mut found = bytes.clone();
                bytes_in_place(level, &table, &mut found);
                let wanted: Vec<u8> = bytes.iter().map(|&v| table[usize::from(v)]).collect();
                assert_eq!(found, wanted, "{level:?} {length}");
            }
        }
    }
}
