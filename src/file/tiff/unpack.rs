//! Samples of a row out of its bytes: codes of any number of bits, and numbers of whole bytes.
// Shifts within 64 bits.
#![allow(clippy::arithmetic_side_effects)]

use crate::file::bits::take_apart;

/// The codes of `width` pixels whose samples have these bits (up to 32 each), the highest bit first; samples of 16 and 32 bits that are
/// all alike lie in this machine's byte order, those of 24 in the file's.
pub(super) fn codes(row: &[u8], bits: &[u16], lowest_first: bool, little_24: bool, width: usize, out: &mut Vec<u32>) {
    out.clear();
    let count = width.saturating_mul(bits.len());
    let first = bits.first().copied().unwrap_or(8);
    let alike = bits.iter().all(|&b| b == first);
    // A row may be far longer than the pixels that are asked for.
    let asked = count.saturating_mul(usize::from(first)).div_ceil(8);
    let row = if alike { row.get(..asked).unwrap_or(row) } else { row };
    match first {
        8 if alike => out.extend(row.iter().take(count).map(|&v| u32::from(v))),
        16 if alike => {
            out.extend(row.as_chunks::<2>().0.iter().take(count).map(|&v| u32::from(u16::from_ne_bytes(v))));
        }
        32 if alike => out.extend(row.as_chunks::<4>().0.iter().take(count).map(|&v| u32::from_ne_bytes(v))),
        24 if alike && little_24 => {
            out.extend(row.as_chunks::<3>().0.iter().take(count).map(|&[a, b, c]| u32::from_le_bytes([a, b, c, 0])));
        }
        _ if lowest_first && alike && first < 8 => lowest(row, u32::from(first), count, out),
        1 | 2 | 4 if alike => {
            let mut apart = [0; 1024];
            for part in row.chunks(apart.len() / 8 * usize::from(first)) {
                let codes = part.len() * 8 / usize::from(first);
                let apart = apart.get_mut(..codes).unwrap_or_default();
                take_apart(part, first as u8, apart);
                out.extend(apart.iter().map(|&v| u32::from(v)));
            }
        }
        12 if alike => {
            let (pairs, last) = row.as_chunks::<3>();
            for pair in pairs {
                let [a, b, c] = pair.map(u32::from);
                out.extend_from_slice(&[a << 4 | b >> 4, (b & 15) << 8 | c]);
            }
            if let [a, b] = last {
                out.push(u32::from(*a) << 4 | u32::from(*b) >> 4);
            }
        }
        _ => highest(row, bits, count, out),
    }
    out.resize(count, 0);
}

/// Samples one behind the other, the highest bit first.
fn highest(row: &[u8], bits: &[u16], count: usize, out: &mut Vec<u32>) {
    let mut bytes = row.iter();
    let (mut held, mut have) = (0u64, 0u32);
    for &bits in bits.iter().cycle().take(count) {
        let bits = u32::from(bits);
        while have < bits {
            let Some(&next) = bytes.next() else { return };
            held = held << 8 | u64::from(next);
            have += 8;
        }
        have -= bits;
        out.push((held >> have & (u64::MAX >> (64 - bits))) as u32);
    }
}

/// Samples of less than 8 bits whose first is in the lowest bits of a byte.
fn lowest(row: &[u8], bits: u32, count: usize, out: &mut Vec<u32>) {
    let mut bytes = row.iter();
    let (mut held, mut have) = (0u32, 0u32);
    for _ in 0..count {
        if have < bits {
            let Some(&next) = bytes.next() else { return };
            held |= u32::from(next) << have;
            have += 8;
        }
        out.push(held & (u32::MAX >> (32 - bits)));
        held >>= bits;
        have -= bits;
    }
}

/// A code of so many bits as a number with a sign (two's complement).
pub(super) fn signed(code: u32, bits: u16) -> i32 {
    let spare = 32u32.saturating_sub(u32::from(bits));
    ((code << spare) as i32) >> spare
}

/// A float of 24 bits, which f32 holds exactly: a sign, 7 bits of exponent and 16 of fraction (Adobe's technical note 3 of 2005).
pub(super) fn float24(bits: u32) -> f32 {
    let (exponent, fraction) = (bits >> 16 & 127, bits & 0xffff);
    let part = fraction as f32 / 65_536.0;
    let magnitude = match exponent {
        0 => part * 2f32.powi(-62),
        127 if fraction == 0 => f32::INFINITY,
        127 => f32::NAN,
        e => (1.0 + part) * 2f32.powi(e as i32 - 63),
    };
    if bits >> 23 & 1 == 1 { -magnitude } else { magnitude }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_of_any_bits_come_out_in_order() {
        let mut out = Vec::new();
        codes(&[0b1010_0110, 0b1000_0000], &[1], false, false, 9, &mut out);
        assert_eq!(out, [1, 0, 1, 0, 0, 1, 1, 0, 1]);
        codes(&[0b1010_0110, 0b1000_0001], &[1], true, false, 9, &mut out);
        assert_eq!(out, [0, 1, 1, 0, 0, 1, 0, 1, 1]);
        codes(&[0x12, 0x3f], &[4], true, false, 3, &mut out);
        assert_eq!(out, [2, 1, 15]);
        codes(&[0x12, 0x34, 0x56], &[12], false, false, 2, &mut out);
        assert_eq!(out, [0x123, 0x456]);
        codes(&[0x12, 0x34, 0x56, 0x78, 0x9a], &[12], false, false, 3, &mut out);
        assert_eq!(out, [0x123, 0x456, 0x789]);
        // Longer than what is taken apart at once.
        codes(&[0b0001_1011; 300], &[2, 2], false, false, 600, &mut out);
        assert_eq!(out, [0, 1, 2, 3].repeat(300));
        // Of a row that is far longer no more is taken apart than is asked for.
        for bits in [1, 2, 4, 12] {
            let mut out = Vec::new();
            codes(&[0x11; 100_000], &[bits], false, false, 16, &mut out);
            assert!(out.len() == 16 && out.capacity() <= 32, "{bits}: {}", out.capacity());
        }
        codes(&[0b1111_1000, 0b0000_0001], &[5, 6, 5], false, false, 1, &mut out);
        assert_eq!(out, [31, 0, 1]);
        codes(&[0x12, 0x34, 0x56], &[24], false, false, 1, &mut out);
        assert_eq!(out, [0x12_3456]);
        codes(&[0x12, 0x34, 0x56], &[24], false, true, 1, &mut out);
        assert_eq!(out, [0x56_3412]);
        // What is not there is zero.
        codes(&[0xff], &[8], false, false, 3, &mut out);
        assert_eq!(out, [255, 0, 0]);
        assert_eq!((signed(0x800, 12), signed(0x7ff, 12), signed(u32::MAX, 32)), (-2048, 2047, -1));
    }

    #[test]
    fn small_floats_are_what_their_definitions_say() {
        assert_eq!((float24(0x3f_0000), float24(0xc0_0000), float24(0x3f_8000)), (1.0, -2.0, 1.5));
        assert_eq!((float24(1), float24(0x7f_0000)), (2f32.powi(-78), f32::INFINITY));
        assert!(float24(0x7f_0001).is_nan());
    }
}
