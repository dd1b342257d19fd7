//! PNG: a chunk a piece, and the filtered rows behind the compression within reach.

use super::{Parts, Piece, joined};
use flate2::Compression;
use flate2::read::{ZlibDecoder, ZlibEncoder};
use std::io::Read;

const MARK: &[u8] = b"\x89PNG\r\n\x1a\n";

/// Chunks without their checksums; a first IDAT that unpacks stands as what it unpacks to, under a name of its own.
pub(super) fn parts(bytes: &[u8]) -> Option<Parts> {
    let mut rest = bytes.strip_prefix(MARK)?;
    let mut pieces = Vec::new();
    while rest.len() >= 8 {
        let declared = u32::from_be_bytes([rest[0], rest[1], rest[2], rest[3]]) as usize;
        let length = declared.min(rest.len() - 8);
        let body = &rest[8..8 + length];
        let fields: &[(usize, usize)] = match &rest[4..8] {
            b"IHDR" => &[(8, 4), (12, 4), (16, 1), (17, 1), (18, 1), (19, 1), (20, 1)],
            b"fcTL" => &[(8, 4), (12, 4), (16, 4), (20, 4), (24, 4), (28, 2), (30, 2), (32, 1), (33, 1)],
            b"acTL" | b"cHRM" => &[(8, 4), (12, 4)],
            b"gAMA" | b"fdAT" => &[(8, 4)],
            b"pHYs" => &[(8, 4), (12, 4), (16, 1)],
            _ => &[(8, 1), (8, 2), (9, 1), (10, 1)],
        };
        let mut piece = Piece::new(&rest[..8 + length], fields, true);
        let mut rows = Vec::new();
        if &rest[4..8] == b"IDAT" && ZlibDecoder::new(body).take(1 << 16).read_to_end(&mut rows).is_ok() {
            piece.bytes = [&rest[..4], b"rows", &rows].concat();
        }
        pieces.push(piece);
        rest = rest.get(8 + length + 4..).unwrap_or_default();
    }
    Some(Parts { pieces, join })
}

fn join(pieces: &[Piece], right: bool) -> Vec<u8> {
    let mut out = MARK.to_vec();
    for Piece { bytes, .. } in pieces {
        let Some((head, body)) = bytes.split_at_checked(8) else { continue };
        let mut packed = Vec::new();
        let (name, body) = match &head[4..] {
            b"rows" if ZlibEncoder::new(body, Compression::fast()).read_to_end(&mut packed).is_ok() => {
                (&b"IDAT"[..], &packed[..])
            }
            name => (name, body),
        };
        let length = if right { (body.len() as u32).to_be_bytes() } else { [head[0], head[1], head[2], head[3]] };
        let mut sum = crc32fast::Hasher::new();
        sum.update(name);
        sum.update(body);
        out.extend([&length, name, body, &sum.finalize().to_be_bytes()].concat());
    }
    if pieces.is_empty() { joined(pieces) } else { out }
}
