//! Weighted sums of three bytes a pixel, rounded to bytes: pairs of products in words, which no plain loop over pixels of three bytes becomes.
//!
//! Not here: which weights there are, and pixels of four bytes, which registers load as they are.

use super::Level;

/// `floor((w . p + half) / whole)` of pixels from the first on; gives how many were done. The sum is below 2^24, so that it is exact in `f32`;
/// `scale` is what the caller divides by, rounded. 0 where the machine has no wide registers, or a weight
/// is above 32,767.
pub(crate) fn pixels(level: Level, weights: [u32; 3], half: u32, scale: f32, from: &[u8], to: &mut [u8]) -> usize {
    let words = weights.iter().all(|&w| w <= i16::MAX as u32);
    #[cfg(target_arch = "x86_64")]
    if level.is_fused() && words {
        let weights = [weights[0] as i16, weights[1] as i16, weights[2] as i16];
        // SAFETY: every level but the plain one exists only where AVX2 was seen on this machine.
        return unsafe { x86::pixels(weights, half as i32, scale, from, to) };
    }
    let _ = (level, words, half, scale, from, to);
    0
}

#[cfg(target_arch = "x86_64")]
mod x86 {
    use std::arch::x86_64::*;

    /// Pixels of a turn of the loop, and the bytes that are read for them: four more than they have.
    const PIXELS: usize = 32;
    const READ: usize = 3 * PIXELS + 4;

    #[target_feature(enable = "avx2,fma")]
    pub(super) fn pixels(weights: [i16; 3], half: i32, scale: f32, from: &[u8], to: &mut [u8]) -> usize {
        let [r, g, b] = weights;
        let both = |a: i16, b: i16| i32::from(b) << 16 | i32::from(a) & 0xffff;
        let (red_green, blue) = (_mm256_set1_epi32(both(r, g)), _mm256_set1_epi32(both(b, 0)));
        let (half, scale) = (_mm256_set1_epi32(half), _mm256_set1_ps(scale));
        // Red and green of four pixels as words, and blue.
        let pairs = _mm_setr_epi8(0, -1, 1, -1, 3, -1, 4, -1, 6, -1, 7, -1, 9, -1, 10, -1);
        let ones = _mm_setr_epi8(2, -1, -1, -1, 5, -1, -1, -1, 8, -1, -1, -1, 11, -1, -1, -1);
        let (pairs, ones) = (_mm256_broadcastsi128_si256(pairs), _mm256_broadcastsi128_si256(ones));
        let order = _mm256_setr_epi32(0, 4, 1, 5, 2, 6, 3, 7);
        let mut done = 0;
        while let (Some(from), Some(to)) = (
            from.get(3 * done..).and_then(|rest| rest.first_chunk::<READ>()),
            to.get_mut(done..).and_then(|rest| rest.first_chunk_mut::<PIXELS>()),
        ) {
            let mut eights = [_mm256_setzero_si256(); 4];
            for (i, eight) in eights.iter_mut().enumerate() {
                // SAFETY: sixteen bytes from the 84th at most of a hundred; the load takes any alignment.
                let (low, high) = unsafe {
                    let at = from.as_ptr().add(24 * i);
                    (_mm_loadu_si128(at.cast()), _mm_loadu_si128(at.add(12).cast()))
                };
                let eights = _mm256_inserti128_si256::<1>(_mm256_castsi128_si256(low), high);
                let sum = _mm256_add_epi32(
                    _mm256_madd_epi16(_mm256_shuffle_epi8(eights, pairs), red_green),
                    _mm256_madd_epi16(_mm256_shuffle_epi8(eights, ones), blue),
                );
                let sum = _mm256_cvtepi32_ps(_mm256_add_epi32(sum, half));
                *eight = _mm256_cvttps_epi32(_mm256_mul_ps(sum, scale));
            }
            let [a, b, c, d] = eights;
            let bytes = _mm256_packus_epi16(_mm256_packs_epi32(a, b), _mm256_packs_epi32(c, d));
            let bytes = _mm256_permutevar8x32_epi32(bytes, order);
            // SAFETY: 32 bytes are written to an array of 32; the store takes any alignment.
            unsafe { _mm256_storeu_si256(to.as_mut_ptr().cast(), bytes) };
            done += PIXELS;
        }
        done
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn pixels_become_the_sums_that_plain_numbers_give() {
        for (weights, whole) in
            [([4 * 299, 4 * 587, 4 * 114], 1000u32), ([4 * 2126, 4 * 7152, 4 * 722], 10_000), ([32_767, 0, 1], 8192)]
        {
            let (half, scale) = (2 * whole + 1, 1.0 / (4.0 * whole as f32));
            for count in [0, 1, 31, 32, 33, 34, 64, 65, 100, 1000] {
                let from: Vec<u8> = (0..3 * count).map(|i| (i * i / 7 + 13 * i) as u8).collect();
                let wanted = |i: usize| {
                    let sum: u32 = (0..3).map(|c| weights[c] * u32::from(from[3 * i + c])).sum();
                    ((sum + half) / (4 * whole)).min(255) as u8
                };
                for level in Level::present() {
                    let mut to = vec![7; count];
                    let done = pixels(level, weights, half, scale, &from, &mut to);
                    assert!(if level.is_fused() { done + 34 > count } else { done == 0 }, "{level:?} {count} {done}");
                    for (i, found) in to.iter().enumerate() {
                        assert_eq!(*found, if i < done { wanted(i) } else { 7 }, "{level:?} {weights:?} {i}");
                    }
                }
            }
        }
        let mut to = [7; 64];
        for level in Level::present() {
            assert_eq!(pixels(level, [32_768, 0, 0], 1, 1.0, &[0; 192], &mut to), 0);
        }
    }
}
