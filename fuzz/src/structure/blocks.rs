//! GIF: the header, tables, extensions, a frame's description and its data blocks.

use super::{Parts, Piece, joined};

pub(super) fn parts(bytes: &[u8]) -> Option<Parts> {
    if !bytes.starts_with(b"GIF8") || bytes.len() < 13 {
        return None;
    }
    let table = |flags: u8| if flags & 0x80 == 0 { 0 } else { 3usize << ((flags & 7) + 1) };
    let mut pieces = vec![Piece::new(&bytes[..13], &[(6, 2), (8, 2), (10, 1), (11, 1), (12, 1)], false)];
    let mut at = 13;
    let mut take = |length: usize, fields: &[(usize, usize)]| {
        let end = (at + length).min(bytes.len());
        pieces.push(Piece::new(&bytes[at..end], fields, false));
        at = end;
        at
    };
    let mut at = take(table(bytes[10]), &[]);
    while at < bytes.len() {
        at = match bytes[at..] {
            [0x21, 0xf9, ..] => take(8, &[(2, 1), (3, 1), (4, 2), (6, 1), (7, 1)]),
            [0x21, _, ..] => take(2, &[(1, 1)]),
            [0x2c, ..] => {
                let flags = bytes.get(at + 9).copied().unwrap_or(0);
                take(10, &[(1, 2), (3, 2), (5, 2), (7, 2), (9, 1)]);
                take(table(flags), &[]);
                take(1, &[(0, 1)])
            }
            [0x3b, ..] => take(1, &[(0, 1)]),
            [length, ..] => take(1 + usize::from(length), &[(0, 1), (1, 1)]),
            [] => break,
        };
    }
    Some(Parts { pieces, join })
}

/// A data block's length is what it holds, where it could be one.
fn join(pieces: &[Piece], right: bool) -> Vec<u8> {
    let mut pieces = pieces.to_vec();
    for Piece { bytes, fields, .. } in &mut pieces {
        if let (true, [(0, 1), (1, 1)], 2..=256) = (right, fields.as_slice(), bytes.len()) {
            bytes[0] = (bytes.len() - 1) as u8;
        }
    }
    joined(&pieces)
}
