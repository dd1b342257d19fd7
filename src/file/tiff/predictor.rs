//! Differences undone and taken: of neighbouring samples (section 14), and of the bytes of floats (Adobe's technical note 3 of 2005).
//! Numbers come out in this machine's byte order.
// Sums of samples that wrap around, and places within a row.
#![allow(clippy::arithmetic_side_effects)]

use super::shape::Predictor;

/// Undoes the differences of a row of numbers of `bytes` bytes, `samples` each pixel; `swapped` where their order is not this machine's.
pub(super) fn undo(predictor: Predictor, row: &mut [u8], bytes: usize, samples: usize, swapped: bool) {
    match (predictor, bytes) {
        (Predictor::FloatBytes, _) => float_bytes(row, bytes, samples),
        (Predictor::Differences, 1) => sums(row, samples),
        (Predictor::Differences, 2) => numbers::<2>(row, samples, swapped, |a, b| {
            u16::from_ne_bytes(a).wrapping_add(u16::from_ne_bytes(b)).to_ne_bytes()
        }),
        (Predictor::Differences, 4) => numbers::<4>(row, samples, swapped, |a, b| {
            u32::from_ne_bytes(a).wrapping_add(u32::from_ne_bytes(b)).to_ne_bytes()
        }),
        (Predictor::Differences, 8) => numbers::<8>(row, samples, swapped, |a, b| {
            u64::from_ne_bytes(a).wrapping_add(u64::from_ne_bytes(b)).to_ne_bytes()
        }),
        (_, 2 | 4 | 8) if swapped => row.chunks_exact_mut(bytes).for_each(<[u8]>::reverse),
        _ => {}
    }
}

/// Running sums of bytes.
fn sums(row: &mut [u8], samples: usize) {
    match samples {
        1 => {
            let mut sum = 0u8;
            row.iter_mut().for_each(|v| {
                sum = sum.wrapping_add(*v);
                *v = sum;
            });
        }
        3 => sums_of::<3>(row),
        4 => sums_of::<4>(row),
        n => {
            for i in n..row.len() {
                let before = row.get(i - n).copied().unwrap_or(0);
                if let Some(v) = row.get_mut(i) {
                    *v = v.wrapping_add(before);
                }
            }
        }
    }
}

fn sums_of<const N: usize>(row: &mut [u8]) {
    let mut sum = [0u8; N];
    for pixel in row.as_chunks_mut::<N>().0 {
        for (sum, v) in sum.iter_mut().zip(pixel.iter_mut()) {
            *sum = sum.wrapping_add(*v);
            *v = *sum;
        }
    }
}

fn numbers<const N: usize>(row: &mut [u8], samples: usize, swapped: bool, add: impl Fn([u8; N], [u8; N]) -> [u8; N]) {
    let row = row.as_chunks_mut::<N>().0;
    if swapped {
        row.iter_mut().for_each(|v| v.reverse());
    }
    for i in samples..row.len() {
        let before = row.get(i - samples).copied().unwrap_or([0; N]);
        if let Some(v) = row.get_mut(i) {
            *v = add(*v, before);
        }
    }
}

/// Bytes of floats: all highest ones of a row first, then the next; of these the differences.
fn float_bytes(row: &mut [u8], bytes: usize, samples: usize) {
    sums(row, samples);
    let count = row.len() / bytes.max(1);
    let apart = row.to_vec();
    for (i, number) in row.chunks_exact_mut(bytes).enumerate() {
        for (place, to) in number.iter_mut().enumerate() {
            let highest_first = if cfg!(target_endian = "big") { place } else { bytes - 1 - place };
            *to = apart.get(highest_first * count + i).copied().unwrap_or(0);
        }
    }
}

/// Takes differences of a row of numbers in this machine's byte order; they stay in it, but for the bytes of floats.
pub(super) fn take(predictor: Predictor, row: &mut [u8], bytes: usize, samples: usize) {
    match (predictor, bytes) {
        (Predictor::FloatBytes, _) => {
            let count = row.len() / bytes.max(1);
            let numbers = row.to_vec();
            for (i, number) in numbers.chunks_exact(bytes).enumerate() {
                for (place, v) in number.iter().enumerate() {
                    let highest_first = if cfg!(target_endian = "big") { place } else { bytes - 1 - place };
                    if let Some(to) = row.get_mut(highest_first * count + i) {
                        *to = *v;
                    }
                }
            }
            differences::<1>(row, samples, |a, b| [a[0].wrapping_sub(b[0])]);
        }
        (Predictor::Differences, 1) => differences::<1>(row, samples, |a, b| [a[0].wrapping_sub(b[0])]),
        (Predictor::Differences, 2) => differences::<2>(row, samples, |a, b| {
            u16::from_ne_bytes(a).wrapping_sub(u16::from_ne_bytes(b)).to_ne_bytes()
        }),
        (Predictor::Differences, 4) => differences::<4>(row, samples, |a, b| {
            u32::from_ne_bytes(a).wrapping_sub(u32::from_ne_bytes(b)).to_ne_bytes()
        }),
        (Predictor::Differences, 8) => differences::<8>(row, samples, |a, b| {
            u64::from_ne_bytes(a).wrapping_sub(u64::from_ne_bytes(b)).to_ne_bytes()
        }),
        _ => {}
    }
}

fn differences<const N: usize>(row: &mut [u8], samples: usize, less: impl Fn([u8; N], [u8; N]) -> [u8; N]) {
    let row = row.as_chunks_mut::<N>().0;
    for i in (samples..row.len()).rev() {
        let before = row.get(i - samples).copied().unwrap_or([0; N]);
        if let Some(v) = row.get_mut(i) {
            *v = less(*v, before);
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn differences_come_back_in_either_byte_order() {
        let plain: Vec<u8> = (0..240u32).map(|i| ((i * i * 31) >> 3) as u8).collect();
        for (predictor, widths) in [(Predictor::Differences, &[1, 2, 4, 8][..]), (Predictor::FloatBytes, &[2, 3, 4, 8])]
        {
            for &bytes in widths {
                for samples in [1, 2, 3, 4, 5] {
                    let mut row = plain.clone();
                    take(predictor, &mut row, bytes, samples);
                    assert_ne!(row, plain);
                    let mut same = row.clone();
                    undo(predictor, &mut same, bytes, samples, false);
                    assert_eq!(same, plain, "{predictor:?} {bytes} {samples}");
                    if predictor == Predictor::Differences {
                        row.chunks_exact_mut(bytes).for_each(<[u8]>::reverse);
                        undo(predictor, &mut row, bytes, samples, true);
                        assert_eq!(row, plain, "{predictor:?} {bytes} {samples}, swapped");
                    }
                }
            }
        }
    }

    #[test]
    fn float_bytes_lie_as_the_technical_note_says() {
        // Two floats, 1.0 and -2.0: 3f 80 00 00 and c0 00 00 00. Highest bytes first: 3f c0 80 00 00 00 00 00.
        let mut row: Vec<u8> = [1.0f32, -2.0].iter().flat_map(|v| v.to_ne_bytes()).collect();
        take(Predictor::FloatBytes, &mut row, 4, 1);
        assert_eq!(row, [0x3f, 0x81, 0xc0, 0x80, 0, 0, 0, 0]);
    }
}
