//! ZIP: a member a piece, unpacked where it is packed; its directory is written anew.

use super::{Parts, Piece};
use flate2::Compression;
use flate2::read::{DeflateDecoder, DeflateEncoder};
use std::io::Read;

/// What stands before a member's name: the local header.
const HEAD: usize = 30;

pub(super) fn parts(bytes: &[u8]) -> Option<Parts> {
    let mut pieces = Vec::new();
    let mut rest = bytes;
    while let Some(head) = rest.strip_prefix(b"PK\x03\x04").and(rest.get(..HEAD)) {
        let short = |at: usize| usize::from(u16::from_le_bytes([head[at], head[at + 1]]));
        let declared = u32::from_le_bytes([head[18], head[19], head[20], head[21]]) as usize;
        let body = (HEAD + short(26) + short(28)).min(rest.len());
        let mut content = Vec::new();
        let mut unpacker = DeflateDecoder::new(&rest[body..]);
        let deflated = short(8) == 8 && unpacker.by_ref().take(1 << 16).read_to_end(&mut content).is_ok();
        // What is packed ends by itself: its length may stand behind it alone.
        let packed = if deflated { unpacker.total_in() as usize } else { declared };
        let end = body.saturating_add(packed).min(rest.len());
        let content = if deflated { &content } else { &rest[body..end] };
        let fields =
            [(4, 2), (6, 2), (8, 2), (14, 4), (18, 4), (22, 4), (26, 2), (28, 2), (body + 8, 2), (body + 6, 1)];
        pieces.push(Piece::new(&[&rest[..body], content].concat(), &fields, false));
        let next = rest[end..].windows(4).position(|four| four == b"PK\x03\x04");
        rest = next.map_or(&[], |at| &rest[end + at..]);
    }
    (!pieces.is_empty()).then_some(Parts { pieces, join })
}

fn join(pieces: &[Piece], right: bool) -> Vec<u8> {
    let (mut out, mut directory) = (Vec::new(), Vec::<u8>::new());
    for Piece { bytes, .. } in pieces.iter().filter(|piece| piece.bytes.len() >= HEAD) {
        let mut head = bytes[..HEAD].to_vec();
        let named = HEAD
            + usize::from(u16::from_le_bytes([head[26], head[27]]))
            + usize::from(u16::from_le_bytes([head[28], head[29]]));
        let (name, content) = bytes[HEAD..].split_at(named.min(bytes.len()) - HEAD);
        let mut packed = Vec::new();
        if head[8..10] == [8, 0] {
            let _ = DeflateEncoder::new(content, Compression::fast()).read_to_end(&mut packed);
        } else {
            packed.extend(content);
        }
        if right {
            head[6] &= !8;
            head[14..18].copy_from_slice(&crc32fast::hash(content).to_le_bytes());
            head[18..22].copy_from_slice(&(packed.len() as u32).to_le_bytes());
            head[22..26].copy_from_slice(&(content.len() as u32).to_le_bytes());
        }
        let place = (out.len() as u32).to_le_bytes();
        let entry = [b"PK\x01\x02\x14\0", &head[4..], &[0; 10], &place, name];
        entry.iter().for_each(|part| directory.extend(*part));
        [&head[..], name, &packed].iter().for_each(|part| out.extend(*part));
    }
    let (count, start, length) = (pieces.len() as u16, out.len() as u32, directory.len() as u32);
    out.extend(directory);
    out.extend(b"PK\x05\x06\0\0\0\0");
    [count, count].iter().for_each(|n| out.extend(n.to_le_bytes()));
    [length, start].iter().for_each(|n| out.extend(n.to_le_bytes()));
    out.extend([0, 0]);
    out
}
