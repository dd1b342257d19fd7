//! Undoing the row filters (clause 9). The rows go pixel by pixel with the bytes of a pixel as a constant.

use crate::error::{Error, Result};

/// Undoes a row's filter in place; `above` is the row before, zeros for the first.
pub(super) fn unfilter(kind: u8, row: &mut [u8], above: &[u8], pixel_bytes: usize) -> Result<()> {
    match kind {
        0 => {}
        2 => row.iter_mut().zip(above).for_each(|(v, &up)| *v = v.wrapping_add(up)),
        1 | 3 | 4 => match pixel_bytes {
            1 => leftward::<1>(kind, row, above),
            2 => leftward::<2>(kind, row, above),
            3 => leftward::<3>(kind, row, above),
            4 => leftward::<4>(kind, row, above),
            6 => leftward::<6>(kind, row, above),
            _ => leftward::<8>(kind, row, above),
        },
        _ => return Err(Error::malformed(format!("a row has filter {kind}; only 0 to 4 exist"))),
    }
    Ok(())
}

/// The filters that look at the pixel to the left.
fn leftward<const N: usize>(kind: u8, row: &mut [u8], above: &[u8]) {
    let pixels = row.as_chunks_mut::<N>().0.iter_mut().zip(above.as_chunks::<N>().0);
    match kind {
        1 => {
            let mut left = [0u8; N];
            for (p, _) in pixels {
                left = each(*p, left, [0; N], [0; N], |v, a, _, _| v.wrapping_add(a));
                *p = left;
            }
        }
        3 => {
            let mut left = [0u8; N];
            for (p, up) in pixels {
                left = each(*p, left, *up, [0; N], |v, a, b, _| v.wrapping_add(mean(a, b)));
                *p = left;
            }
        }
        _ => {
            let (mut left, mut corner) = ([0u8; N], [0u8; N]);
            for (p, up) in pixels {
                left = each(*p, left, *up, corner, |v, a, b, c| v.wrapping_add(paeth(a, b, c)));
                corner = *up;
                *p = left;
            }
        }
    }
}

#[inline(always)]
fn each<const N: usize>(
    v: [u8; N],
    a: [u8; N],
    b: [u8; N],
    c: [u8; N],
    undo: impl Fn(u8, u8, u8, u8) -> u8,
) -> [u8; N] {
    let mut out = [0; N];
    // By indices, all below N: iterators over five arrays are compiled at length, for every kind of pixel and filter.
    #[allow(clippy::indexing_slicing)]
    for i in 0..N {
        out[i] = undo(v[i], a[i], b[i], c[i]);
    }
    out
}

/// floor((a + b) / 2) (9.2, filter type Average).
#[inline(always)]
pub(super) fn mean(a: u8, b: u8) -> u8 {
    // The bits both have, and half of those only one has: never above 255.
    (a & b).wrapping_add((a ^ b) >> 1)
}

/// The predictor of filter type Paeth (9.4): of left, above and upper left the one nearest to left + above - upper
/// left, in that order where two are as near.
#[inline(always)]
pub(super) fn paeth(a: u8, b: u8, c: u8) -> u8 {
    let (wa, wb, wc) = (i16::from(a), i16::from(b), i16::from(c));
    // Differences of bytes: far from the ends of i16.
    let (pa, pb) = (wb.wrapping_sub(wc), wa.wrapping_sub(wc));
    let pc = pa.wrapping_add(pb);
    let (pa, pb, pc) = (pa.wrapping_abs(), pb.wrapping_abs(), pc.wrapping_abs());
    let near = if pb <= pc { b } else { c };
    if pa <= pb && pa <= pc { a } else { near }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn predictors_are_those_of_the_standard() {
        for (a, b, c) in (0..=255u8)
            .step_by(5)
            .flat_map(|a| (0..=255u8).step_by(3).flat_map(move |b| (0..=255u8).step_by(7).map(move |c| (a, b, c))))
        {
            let p = i32::from(a) + i32::from(b) - i32::from(c);
            let nearest = [a, b, c].into_iter().min_by_key(|&v| (p - i32::from(v)).abs()).unwrap();
            assert_eq!(paeth(a, b, c), nearest, "{a} {b} {c}");
            assert_eq!(u16::from(mean(a, b)), (u16::from(a) + u16::from(b)) / 2);
        }
    }

    #[test]
    fn an_unknown_filter_is_damage() {
        assert!(unfilter(5, &mut [1], &[0], 1).unwrap_err().to_string().contains("filter 5"));
    }
}
