//! JPEG: a segment a piece, coded data between restarts one of its own.

use super::{Parts, Piece, joined};

pub(super) fn parts(bytes: &[u8]) -> Option<Parts> {
    let mut rest = bytes.strip_prefix(b"\xff\xd8")?;
    let mut pieces = vec![Piece::new(&[0xff, 0xd8], &[], true)];
    while !rest.is_empty() {
        let length = match rest {
            [0xff, 0xd0..=0xd9 | 0x01, ..] => 2,
            [0xff, 0xc0..=0xfe, high, low, ..] => 2 + usize::from(u16::from_be_bytes([*high, *low])),
            // Coded data, to the next marker.
            _ => (1..rest.len())
                .find(|&at| rest[at] == 0xff && rest.get(at + 1).is_some_and(|m| *m != 0))
                .unwrap_or(rest.len()),
        };
        let (piece, behind) = rest.split_at(length.min(rest.len()));
        let fields: &[(usize, usize)] = match piece {
            [0xff, 0xc0..=0xc3 | 0xc5..=0xc7 | 0xc9..=0xcf, ..] => {
                &[(4, 1), (5, 2), (7, 2), (9, 1), (10, 1), (11, 1), (12, 1), (13, 1), (14, 1), (15, 1)]
            }
            [0xff, 0xda, ..] => &[(4, 1), (5, 1), (6, 1), (7, 1), (8, 1), (9, 1), (10, 1), (11, 1), (12, 1), (13, 1)],
            [0xff, 0xdd, ..] => &[(4, 2)],
            _ => &[(2, 2), (4, 1), (5, 1), (6, 1), (20, 1)],
        };
        pieces.push(Piece::new(piece, fields, true));
        rest = behind;
    }
    Some(Parts { pieces, join })
}

fn join(pieces: &[Piece], right: bool) -> Vec<u8> {
    if !right {
        return joined(pieces);
    }
    let mut pieces = pieces.to_vec();
    for Piece { bytes, .. } in &mut pieces {
        let length = (bytes.len().saturating_sub(2) as u16).to_be_bytes();
        if let [0xff, 0xc0..=0xcf | 0xda..=0xfe, high, low, ..] = bytes.as_mut_slice() {
            [*high, *low] = length;
        }
    }
    joined(&pieces)
}
