//! Everything else: headers of a fixed shape by their fields, texts by their words, and the rest as it is.

use super::{Parts, Piece, joined};

pub(super) fn parts(bytes: &[u8]) -> Parts {
    let join = |pieces: &[Piece], _: bool| joined(pieces);
    let pieces = match bytes {
        [b'B', b'M', ..] => {
            fixed(bytes, 54, &[(10, 4), (14, 4), (18, 4), (22, 4), (26, 2), (28, 2), (30, 4), (34, 4), (46, 4)], false)
        }
        [b'q', b'o', b'i', b'f', ..] => fixed(bytes, 14, &[(4, 4), (8, 4), (12, 1), (13, 1)], true),
        [0x93, b'N', b'U', b'M', ..] => words(bytes, 10, &[(6, 1), (7, 1), (8, 2)]),
        [b'P', ..] => words(bytes, 2, &[(1, 1)]),
        _ if bytes.get(36..40) == Some(b"acsp") => profile(bytes),
        [_, 0 | 1, 1 | 2 | 3 | 9 | 10 | 11, ..] => fixed(
            bytes,
            18,
            &[(0, 1), (1, 1), (2, 1), (3, 2), (5, 2), (7, 1), (12, 2), (14, 2), (16, 1), (17, 1)],
            false,
        ),
        _ => words(bytes, 0, &[]),
    };
    Parts { pieces, join }
}

/// A header of so many bytes, and what follows in pieces of sixteen.
fn fixed(bytes: &[u8], header: usize, fields: &[(usize, usize)], big_endian: bool) -> Vec<Piece> {
    let (head, rest) = bytes.split_at(header.min(bytes.len()));
    let mut pieces = vec![Piece::new(head, fields, big_endian)];
    pieces.extend(rest.chunks(16).map(|part| Piece::new(part, &[(0, 1), (0, 2), (1, 1)], big_endian)));
    pieces
}

/// A mark of so many bytes, then numbers and words, each with the character behind it; at most two hundred.
fn words(bytes: &[u8], mark: usize, fields: &[(usize, usize)]) -> Vec<Piece> {
    let (head, mut rest) = bytes.split_at(mark.min(bytes.len()));
    let mut pieces = vec![Piece::new(head, fields, false)];
    while !rest.is_empty() && pieces.len() < 200 {
        let end = rest.iter().position(|b| !b.is_ascii_alphanumeric()).map_or(rest.len(), |at| at + 1);
        pieces.push(Piece::new(&rest[..end], &[(0, 1)], false));
        rest = &rest[end..];
    }
    pieces.push(Piece::new(rest, &[], false));
    pieces
}

/// An ICC profile: its header, the entries of its table, and the tags' data in pieces of sixteen.
fn profile(bytes: &[u8]) -> Vec<Piece> {
    let table = bytes.get(128..132).map_or(0, |n| u32::from_be_bytes([n[0], n[1], n[2], n[3]]) as usize);
    let (head, rest) = bytes.split_at(bytes.len().min(132));
    let (entries, data) = rest.split_at(rest.len().min(table.saturating_mul(12)));
    let mut pieces = vec![Piece::new(head, &[(0, 4), (8, 4), (12, 4), (16, 4), (20, 4), (68, 4), (128, 4)], true)];
    pieces.extend(entries.chunks(12).map(|entry| Piece::new(entry, &[(0, 4), (4, 4), (8, 4)], true)));
    pieces.extend(
        data.chunks(16).map(|part| Piece::new(part, &[(0, 4), (4, 4), (8, 4), (8, 2), (10, 2), (12, 4)], true)),
    );
    pieces
}
