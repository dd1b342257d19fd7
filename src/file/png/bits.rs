//! Codes of fewer than 8 bits as bytes; they are taken apart again by [`take_apart`](crate::file::bits::take_apart).

/// Samples as codes of `bits` bits, the leftmost in the highest bits of each byte (7.2).
pub(super) fn put_together(samples: &[u8], bits: u8, row: &mut Vec<u8>, code: impl Fn(u8) -> u8) {
    // Bits are 1, 2 or 4, so they divide a byte.
    let each = 8usize.checked_div(usize::from(bits)).unwrap_or(1);
    row.extend(samples.chunks(each).map(|part| {
        let mut shift = 8u32;
        part.iter().fold(0u8, |byte, &v| {
            shift = shift.saturating_sub(u32::from(bits));
            byte | code(v).checked_shl(shift).unwrap_or(0)
        })
    }));
}
