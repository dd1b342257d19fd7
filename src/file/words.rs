//! Small helpers that several formats share: numbers as bytes, and text of a file as it may be shown.
//!
//! Written once and without generics where that is possible: what is made of iterators is compiled for each use.

/// Numbers one behind the other, the lowest byte first.
#[cfg(feature = "tga")]
pub(super) fn words_le(numbers: &[u16]) -> Vec<u8> {
    let mut out = Vec::with_capacity(numbers.len().saturating_mul(2));
    numbers.iter().for_each(|n| out.extend_from_slice(&n.to_le_bytes()));
    out
}

/// Numbers one behind the other, the highest byte first.
#[cfg(feature = "jpeg")]
pub(super) fn words_be(numbers: &[u16]) -> Vec<u8> {
    let mut out = Vec::with_capacity(numbers.len().saturating_mul(2));
    extend_words_be(&mut out, numbers);
    out
}

/// Numbers behind others, the highest byte first.
#[cfg(any(feature = "png", feature = "jpeg", feature = "pnm"))]
pub(super) fn extend_words_be(out: &mut Vec<u8>, numbers: &[u16]) {
    let start = out.len();
    out.resize(start.saturating_add(numbers.len().saturating_mul(2)), 0);
    if let Some(room) = out.get_mut(start..) {
        room.as_chunks_mut::<2>().0.iter_mut().zip(numbers).for_each(|(to, n)| *to = n.to_be_bytes());
    }
}

/// The first characters of text from a file, without what a terminal or a line would take amiss.
#[cfg(any(feature = "npy", feature = "pnm", feature = "pfm"))]
pub(super) fn shown(text: &str, most: usize) -> String {
    text.chars().take(most).flat_map(char::escape_default).collect()
}
