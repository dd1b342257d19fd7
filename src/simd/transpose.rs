//! Squares of bytes with their rows and columns exchanged.

/// Exchanges rows and columns of a square of sixteen values of one byte each.
///
/// # Panics
/// For values of another size.
#[inline(always)]
pub(crate) fn sixteen<T: Copy>(rows: &[&[T; 16]; 16], out: &mut [[T; 16]; 16]) {
    assert!(size_of::<T>() == 1);
    #[cfg(target_arch = "x86_64")]
    // SAFETY: SSE2 is part of every x86-64 processor.
    unsafe {
        interleaved(rows, out);
    }
    #[cfg(not(target_arch = "x86_64"))]
    for (x, to) in out.iter_mut().enumerate() {
        *to = rows.map(|row| row[x]);
    }
}

/// Four rounds of interleaving row i with row i + 8 transpose a square of sixteen.
#[cfg(target_arch = "x86_64")]
#[target_feature(enable = "sse2")]
#[inline]
fn interleaved<T: Copy>(rows: &[&[T; 16]; 16], out: &mut [[T; 16]; 16]) {
    use std::arch::x86_64::{
        _mm_loadu_si128, _mm_setzero_si128, _mm_storeu_si128, _mm_unpackhi_epi8, _mm_unpacklo_epi8,
    };
    let mut square = [_mm_setzero_si128(); 16];
    for i in 0..16 {
        // SAFETY: each row is sixteen values of one byte, as the caller asserts.
        square[i] = unsafe { _mm_loadu_si128(rows[i].as_ptr().cast()) };
    }
    for _ in 0..4 {
        let mut next = square;
        for i in 0..8 {
            next[2 * i] = _mm_unpacklo_epi8(square[i], square[i + 8]);
            next[2 * i + 1] = _mm_unpackhi_epi8(square[i], square[i + 8]);
        }
        square = next;
    }
    for i in 0..16 {
        // SAFETY: as above; `Copy` values that are moved whole keep their bits.
        unsafe { _mm_storeu_si128(out[i].as_mut_ptr().cast(), square[i]) };
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn a_square_is_transposed() {
        let from: [[u8; 16]; 16] = std::array::from_fn(|y| std::array::from_fn(|x| (x * 16 + y * 3) as u8));
        let mut out = [[0; 16]; 16];
        sixteen(&from.each_ref(), &mut out);
        for (x, y) in (0..16).flat_map(|y| (0..16).map(move |x| (x, y))) {
            assert_eq!(out[x][y], from[y][x], "{x},{y}");
        }
    }
}
