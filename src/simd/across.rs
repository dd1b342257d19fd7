//! Weighted sums of pixels along a row in whole numbers: the other half of what resizing spends its time in.
//!
//! The plain body is the definition. The wide ones multiply pairs of 16-bit numbers, two pixels of one channel, and add them
//! in one instruction; all sums are exact in `i32`, so that every body gives the same numbers.

use super::Level;
#[cfg(target_arch = "x86_64")]
use super::Set;
use super::mix::narrowed;
#[cfg(target_arch = "x86_64")]
use super::mix::part;
#[cfg(target_arch = "x86_64")]
use std::arch::x86_64::*;

/// Numbers behind the end of a row that [`Level::across`] may look at, and multiply by zero.
pub(crate) const SLACK: usize = 64;

/// Which pixels along a row make each output, and how much each counts.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Columns<'a> {
    /// The first pixel of each output.
    pub(crate) starts: &'a [u32],
    /// Weights, so many an output, a multiple of 8; those behind the last tap are zero.
    pub(crate) weights: &'a [i16],
    pub(crate) stride: usize,
    /// How many taps count.
    pub(crate) taps: usize,
}

impl<'a> Columns<'a> {
    /// The weights of four outputs each.
    #[cfg(target_arch = "x86_64")]
    #[inline(always)]
    fn fours(&self) -> std::slice::ChunksExact<'a, i16> {
        self.weights.chunks_exact(self.stride * 4)
    }

    /// Without the first outputs.
    #[cfg(target_arch = "x86_64")]
    fn behind(self, outputs: usize) -> Columns<'a> {
        Columns { starts: &self.starts[outputs..], weights: &self.weights[outputs * self.stride..], ..self }
    }
}

impl Level {
    /// The outputs along a row of pixels of `C` channels: sums over their taps, divided by 2^shift, to nearest. The row has
    /// [`SLACK`] numbers behind the last pixel.
    pub(crate) fn across<const C: usize>(self, row: &[i16], columns: Columns<'_>, shift: u32, out: &mut [i16]) {
        let (pixels, _) = out.as_chunks_mut::<C>();
        match (self.0, C) {
            #[cfg(target_arch = "x86_64")]
            // SAFETY: a level of this kind exists only where its set was seen on this machine.
            (Set::Avx512, 3 | 4) if columns.taps > 4 => unsafe { across_avx512::<C>(row, columns, shift, pixels) },
            #[cfg(target_arch = "x86_64")]
            // SAFETY: as above; AVX-512 levels have AVX2.
            (Set::Avx2 | Set::Avx512, 3 | 4) if columns.taps <= 4 && columns.stride == 8 => unsafe {
                few_avx2::<C>(row, columns, shift, pixels);
            },
            #[cfg(target_arch = "x86_64")]
            // SAFETY: as above.
            (Set::Avx2 | Set::Avx512, 3 | 4) => unsafe { across_avx2::<C>(row, columns, shift, pixels) },
            #[cfg(target_arch = "x86_64")]
            // SAFETY: as above.
            (Set::Avx2 | Set::Avx512, 1) => unsafe { across_one_avx2(row, columns, shift, pixels.as_flattened_mut()) },
            _ => across_plain::<C>(row, columns, shift, pixels),
        }
    }
}

fn across_plain<const C: usize>(row: &[i16], columns: Columns<'_>, shift: u32, out: &mut [[i16; C]]) {
    let pixels = row.as_chunks::<C>().0;
    let weights = columns.weights.chunks_exact(columns.stride);
    for ((to, weights), &start) in out.iter_mut().zip(weights).zip(columns.starts) {
        let mut sums = [0i32; C];
        for (p, &w) in pixels[start as usize..].iter().zip(&weights[..columns.taps]) {
            for (sum, &v) in sums.iter_mut().zip(p) {
                *sum += i32::from(v) * i32::from(w);
            }
        }
        *to = sums.map(|sum| narrowed(sum, shift));
    }
}

/// The weights that count of each of four outputs.
#[cfg(target_arch = "x86_64")]
#[inline(always)]
fn each_of(weights: &[i16], stride: usize, taps: usize) -> [&[i16]; 4] {
    let (first, others) = weights.split_at(stride);
    let (second, others) = others.split_at(stride);
    let (third, fourth) = others.split_at(stride);
    [&first[..taps], &second[..taps], &third[..taps], &fourth[..taps]]
}

/// Bytes in the order that brings two pixels of three or four channels to pairs of one channel each.
#[cfg(target_arch = "x86_64")]
#[inline(always)]
fn pairs_of<const C: usize>() -> [i8; 16] {
    std::array::from_fn(|i| {
        let (channel, pixel, byte) = (i / 4, i / 2 % 2, i % 2);
        if channel < C { (pixel * 2 * C + channel * 2 + byte) as i8 } else { -1 }
    })
}

/// Four pixels from the sums of each, whose channels lie in both lanes, to be added: narrowed and put where they belong.
#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
#[inline]
fn put_four<const C: usize>(sums: [__m256i; 4], shift: u32, to: &mut [[i16; C]; 4]) {
    let half = _mm256_set1_epi32(1 << (shift - 1));
    let by = _mm_cvtsi32_si128(shift as i32);
    let two = |a: __m256i, b: __m256i| {
        let sum = _mm256_add_epi32(_mm256_permute2x128_si256::<0x20>(a, b), _mm256_permute2x128_si256::<0x31>(a, b));
        _mm256_sra_epi32(_mm256_add_epi32(sum, half), by)
    };
    let [a, b, c, d] = sums;
    // Pixels 0 and 1 in the lower lane, 2 and 3 in the upper one, four words each.
    let words = _mm256_packs_epi32(two(a, c), two(b, d));
    let numbers = to.as_flattened_mut();
    if C == 4 {
        let Some(to) = numbers.first_chunk_mut::<16>() else { return };
        // SAFETY: the array has the 32 bytes that are written.
        unsafe { _mm256_storeu_si256(to.as_mut_ptr().cast(), words) };
        return;
    }
    // Words 0, 1, 2, 4, 5, 6 of each lane.
    let close = _mm256_setr_epi8(
        0, 1, 2, 3, 4, 5, 8, 9, 10, 11, 12, 13, -1, -1, -1, -1, 0, 1, 2, 3, 4, 5, 8, 9, 10, 11, 12, 13, -1, -1, -1, -1,
    );
    let words = _mm256_shuffle_epi8(words, close);
    let (low, high) = (_mm256_castsi256_si128(words), _mm256_extracti128_si256::<1>(words));
    let last = _mm_extract_epi32::<2>(high);
    let Some(to) = numbers.first_chunk_mut::<12>() else { return };
    let start = to.as_mut_ptr();
    // SAFETY: the array has 24 bytes: 16 from its start, 8 from the twelfth on, and the last 4.
    unsafe {
        _mm_storeu_si128(start.cast(), low);
        _mm_storel_epi64(start.add(6).cast(), high);
        start.add(10).cast::<i32>().write_unaligned(last);
    }
}

/// An output's sums, each channel's in both lanes and to be added: four pixels at a time.
#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
#[inline]
fn sums_avx2<const C: usize>(row: &[i16], start: u32, weights: &[i16], order: __m256i) -> __m256i {
    // The lower lane takes the first two weights four times, the upper one the next two.
    let spread = _mm256_setr_epi8(
        0, 1, 2, 3, 0, 1, 2, 3, 0, 1, 2, 3, 0, 1, 2, 3, 4, 5, 6, 7, 4, 5, 6, 7, 4, 5, 6, 7, 4, 5, 6, 7,
    );
    let groups = weights.as_chunks::<4>().0;
    // Four pixels, of which the last load may reach into the slack.
    let pixels = &row[start as usize * C..][..groups.len() * 4 * C + 16];
    let mut sums = _mm256_setzero_si256();
    for (group, weights) in groups.iter().enumerate() {
        let at = group * 4 * C;
        let (a, b): (&[i16; 8], &[i16; 8]) = (part(pixels, at), part(pixels, at + 2 * C));
        // SAFETY: the arrays have the 16 bytes that are read of each, and the 8 of weights.
        let (a, b, w) = unsafe {
            let a = _mm_loadu_si128(a.as_ptr().cast());
            (a, _mm_loadu_si128(b.as_ptr().cast()), _mm_loadl_epi64(weights.as_ptr().cast()))
        };
        let values = _mm256_shuffle_epi8(_mm256_inserti128_si256::<1>(_mm256_castsi128_si256(a), b), order);
        let w = _mm256_shuffle_epi8(_mm256_broadcastq_epi64(w), spread);
        sums = _mm256_add_epi32(sums, _mm256_madd_epi16(values, w));
    }
    sums
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn across_avx2<const C: usize>(row: &[i16], columns: Columns<'_>, shift: u32, out: &mut [[i16; C]]) {
    let order: [i8; 16] = pairs_of::<C>();
    // SAFETY: the array has the 16 bytes that are read.
    let order = _mm256_broadcastsi128_si256(unsafe { _mm_loadu_si128(order.as_ptr().cast()) });
    let taps = columns.taps.next_multiple_of(4);
    let (fours, rest) = out.as_chunks_mut::<4>();
    for ((to, weights), starts) in fours.iter_mut().zip(columns.fours()).zip(columns.starts.as_chunks::<4>().0) {
        // Written out: a closure would not be inlined.
        let [a, b, c, d] = each_of(weights, columns.stride, taps);
        let sums = [
            sums_avx2::<C>(row, starts[0], a, order),
            sums_avx2::<C>(row, starts[1], b, order),
            sums_avx2::<C>(row, starts[2], c, order),
            sums_avx2::<C>(row, starts[3], d, order),
        ];
        put_four(sums, shift, to);
    }
    across_plain::<C>(row, columns.behind(fours.len() * 4), shift, rest);
}

/// Four taps at most, as where pictures are enlarged: no loop over taps, and one look at the row's length a pixel.
#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn few_avx2<const C: usize>(row: &[i16], columns: Columns<'_>, shift: u32, out: &mut [[i16; C]]) {
    let order: [i8; 16] = pairs_of::<C>();
    // SAFETY: the array has the 16 bytes that are read.
    let order = _mm256_broadcastsi128_si256(unsafe { _mm_loadu_si128(order.as_ptr().cast()) });
    let spread = _mm256_setr_epi8(
        0, 1, 2, 3, 0, 1, 2, 3, 0, 1, 2, 3, 0, 1, 2, 3, 4, 5, 6, 7, 4, 5, 6, 7, 4, 5, 6, 7, 4, 5, 6, 7,
    );
    let (fours, rest) = out.as_chunks_mut::<4>();
    let weights = columns.weights.as_chunks::<32>().0;
    for ((to, weights), starts) in fours.iter_mut().zip(weights).zip(columns.starts.as_chunks::<4>().0) {
        let mut sums = [_mm256_setzero_si256(); 4];
        for ((sum, &start), weights) in sums.iter_mut().zip(starts).zip(weights.as_chunks::<8>().0) {
            let pixels: &[i16; 16] = part(row, start as usize * C);
            // SAFETY: the 8 words from the start on and from the third pixel on lie within the 16; so do 4 weights.
            let (a, b, w) = unsafe {
                let third = pixels.as_ptr().add(2 * C);
                let b = _mm_loadu_si128(third.cast());
                (_mm_loadu_si128(pixels.as_ptr().cast()), b, _mm_loadl_epi64(weights.as_ptr().cast()))
            };
            let values = _mm256_shuffle_epi8(_mm256_inserti128_si256::<1>(_mm256_castsi128_si256(a), b), order);
            let w = _mm256_shuffle_epi8(_mm256_broadcastq_epi64(w), spread);
            *sum = _mm256_madd_epi16(values, w);
        }
        put_four(sums, shift, to);
    }
    across_plain::<C>(row, columns.behind(fours.len() * 4), shift, rest);
}

/// Eight pixels at a time for AVX-512.
#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2,avx512f,avx512bw")]
#[inline]
fn sums_avx512<const C: usize>(row: &[i16], start: u32, weights: &[i16], order: __m512i) -> __m256i {
    let spread = _mm512_set_epi32(3, 3, 3, 3, 2, 2, 2, 2, 1, 1, 1, 1, 0, 0, 0, 0);
    let groups = weights.as_chunks::<8>().0;
    let pixels = &row[start as usize * C..][..groups.len() * 8 * C + 8];
    let mut sums = _mm512_setzero_si512();
    for (group, weights) in groups.iter().enumerate() {
        let pixels: &[i16; 32] = part(pixels, group * 8 * C);
        // SAFETY: the arrays have the 64 and 16 bytes that are read.
        let (values, w) =
            unsafe { (_mm512_loadu_si512(pixels.as_ptr().cast()), _mm_loadu_si128(weights.as_ptr().cast())) };
        let values = _mm512_permutexvar_epi16(order, values);
        let w = _mm512_permutexvar_epi32(spread, _mm512_castsi128_si512(w));
        sums = _mm512_add_epi32(sums, _mm512_madd_epi16(values, w));
    }
    _mm256_add_epi32(_mm512_castsi512_si256(sums), _mm512_extracti64x4_epi64::<1>(sums))
}

#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2,avx512f,avx512bw")]
fn across_avx512<const C: usize>(row: &[i16], columns: Columns<'_>, shift: u32, out: &mut [[i16; C]]) {
    // Words in the order that brings eight pixels to pairs of one channel each, two pixels a lane.
    let order: [i16; 32] = std::array::from_fn(|i| {
        let (lane, channel, pixel) = (i / 8, i % 8 / 2, i % 2);
        ((lane * 2 + pixel) * C + channel.min(C - 1)) as i16
    });
    // SAFETY: the array has the 64 bytes that are read.
    let order = unsafe { _mm512_loadu_si512(order.as_ptr().cast()) };
    let taps = columns.taps.next_multiple_of(8);
    let (fours, rest) = out.as_chunks_mut::<4>();
    for ((to, weights), starts) in fours.iter_mut().zip(columns.fours()).zip(columns.starts.as_chunks::<4>().0) {
        // Written out: a closure would not be inlined.
        let [a, b, c, d] = each_of(weights, columns.stride, taps);
        let sums = [
            sums_avx512::<C>(row, starts[0], a, order),
            sums_avx512::<C>(row, starts[1], b, order),
            sums_avx512::<C>(row, starts[2], c, order),
            sums_avx512::<C>(row, starts[3], d, order),
        ];
        put_four(sums, shift, to);
    }
    across_plain::<C>(row, columns.behind(fours.len() * 4), shift, rest);
}

/// Eight taps of one channel at a time.
#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
#[inline]
fn sums_of_one(row: &[i16], start: u32, weights: &[i16]) -> __m128i {
    let mut sums = _mm_setzero_si128();
    let values = &row[start as usize..][..weights.len()];
    for (values, weights) in values.as_chunks::<8>().0.iter().zip(weights.as_chunks::<8>().0) {
        // SAFETY: both arrays have the 16 bytes that are read.
        let (values, weights) =
            unsafe { (_mm_loadu_si128(values.as_ptr().cast()), _mm_loadu_si128(weights.as_ptr().cast())) };
        sums = _mm_add_epi32(sums, _mm_madd_epi16(values, weights));
    }
    sums
}

/// One channel: four outputs together.
#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "avx2")]
fn across_one_avx2(row: &[i16], columns: Columns<'_>, shift: u32, out: &mut [i16]) {
    let half = _mm_set1_epi32(1 << (shift - 1));
    let by = _mm_cvtsi32_si128(shift as i32);
    let stride = columns.stride;
    let (fours, rest) = out.as_chunks_mut::<4>();
    for ((to, weights), &[a, b, c, d]) in fours.iter_mut().zip(columns.fours()).zip(columns.starts.as_chunks::<4>().0) {
        let [first, second, third, fourth] = each_of(weights, stride, stride);
        let (a, b) = (sums_of_one(row, a, first), sums_of_one(row, b, second));
        let (c, d) = (sums_of_one(row, c, third), sums_of_one(row, d, fourth));
        let sums = _mm_hadd_epi32(_mm_hadd_epi32(a, b), _mm_hadd_epi32(c, d));
        let sums = _mm_sra_epi32(_mm_add_epi32(sums, half), by);
        // SAFETY: the array has the 8 bytes that are written.
        unsafe { _mm_storel_epi64(to.as_mut_ptr().cast(), _mm_packs_epi32(sums, sums)) };
    }
    across_plain::<1>(row, columns.behind(fours.len() * 4), shift, rest.as_chunks_mut::<1>().0);
}

#[cfg(test)]
mod tests {
    use super::super::mix::tests::words;
    use super::*;

    fn across_everywhere<const C: usize>() {
        for (width, taps) in [(1usize, 1usize), (5, 3), (9, 4), (40, 5), (41, 8), (300, 9), (1003, 17), (1203, 40)] {
            let row: Vec<i16> = words(width * C, 3, 20_000).into_iter().chain([0; SLACK]).collect();
            let (outputs, taps) = (width * 3 / 2 + 1, taps.min(width));
            let stride = taps.next_multiple_of(8);
            let mut weights = words(outputs * stride, 9, 1500);
            weights.chunks_exact_mut(stride).for_each(|w| w[taps..].fill(0));
            let last = (width - taps) as u32;
            let starts: Vec<u32> = (0..outputs as u32).map(|x| (x * 2 / 3).min(last)).collect();
            let columns = Columns { starts: &starts, weights: &weights, stride, taps };
            let mut wanted = vec![[0i16; C]; outputs];
            across_plain(&row, columns, 16, &mut wanted);
            for level in Level::present() {
                let mut found = vec![0i16; outputs * C];
                level.across::<C>(&row, columns, 16, &mut found);
                assert!(found == wanted.as_flattened(), "{level:?} {C} channels, {width} wide, {taps} taps");
            }
        }
    }

    #[test]
    fn every_level_goes_across_to_the_same_numbers() {
        across_everywhere::<1>();
        across_everywhere::<2>();
        across_everywhere::<3>();
        across_everywhere::<4>();
    }
}
