//! Codes of fewer than 8 bits, several to a byte: the leftmost in the highest bits, as PNG (7.2), BMP and TIFF (section 8, FillOrder 1)
//! have them.
// The tables have an entry for every byte.
#![allow(clippy::indexing_slicing, clippy::arithmetic_side_effects)]

static OF_1_BIT: [[u8; 8]; 256] = table();
static OF_2_BITS: [[u8; 4]; 256] = table();
static OF_4_BITS: [[u8; 2]; 256] = table();

/// The `N` codes of every byte.
const fn table<const N: usize>() -> [[u8; N]; 256] {
    let bits = 8 / N;
    let mut all = [[0; N]; 256];
    let mut byte = 0;
    while byte < 256 {
        let mut i = 0;
        while i < N {
            all[byte][i] = (byte >> (8 - bits * (i + 1)) & ((1 << bits) - 1)) as u8;
            i += 1;
        }
        byte += 1;
    }
    all
}

/// Takes the samples of a row apart: `bits` of 1, 2 and 4 become a byte each, unscaled; whole bytes are copied.
pub(super) fn take_apart(row: &[u8], bits: u8, to: &mut [u8]) {
    match bits {
        1 => through(&OF_1_BIT, row, to),
        2 => through(&OF_2_BITS, row, to),
        4 => through(&OF_4_BITS, row, to),
        _ => to.iter_mut().zip(row).for_each(|(to, v)| *to = *v),
    }
}

fn through<const N: usize>(table: &[[u8; N]; 256], row: &[u8], to: &mut [u8]) {
    let (whole, rest) = to.as_chunks_mut::<N>();
    if let Some(&last) = row.get(whole.len()) {
        let codes = table[usize::from(last)];
        rest.copy_from_slice(&codes[..rest.len()]);
    }
    for (to, &byte) in whole.iter_mut().zip(row) {
        *to = table[usize::from(byte)];
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn codes_come_out_the_highest_bits_first() {
        let row = [0b1011_0001, 0b0100_1110];
        let mut to = [9; 11];
        take_apart(&row, 1, &mut to);
        assert_eq!(to, [1, 0, 1, 1, 0, 0, 0, 1, 0, 1, 0]);
        take_apart(&row, 2, &mut to[..7]);
        assert_eq!(to[..8], [2, 3, 0, 1, 1, 0, 3, 1]);
        take_apart(&row, 4, &mut to[..3]);
        assert_eq!(to[..4], [11, 1, 4, 1]);
        take_apart(&row, 8, &mut to[..3]);
        // What a row does not have stays as it was.
        assert_eq!(to[..3], [row[0], row[1], 4]);
    }
}
