//! What a file is, by its first bytes.

use super::formats::Formats;
use crate::error::{Error, ErrorKind};
use crate::frame::FileFormat;

/// Bytes that are enough to tell.
pub(super) const ENOUGH: usize = 32;

/// The format that the first bytes say, if they are those of a picture. TGA has no mark, so that it comes last.
pub(super) fn format_of(start: &[u8], formats: &Formats) -> Option<FileFormat> {
    let starts = |mark: &[u8]| start.starts_with(mark);
    match start {
        _ if starts(b"\x89PNG\r\n\x1a\n") => Some(FileFormat::Png),
        [0xff, 0xd8, 0xff, ..] => Some(FileFormat::Jpeg),
        [b'I', b'I', 42 | 43, 0, ..] | [b'M', b'M', 0, 42 | 43, ..] => Some(FileFormat::Tiff),
        [b'P', b'7', b'\n', ..] => Some(FileFormat::Pam),
        [b'P', b'1'..=b'6', b' ' | b'\t' | b'\r' | b'\n' | b'#', ..] => Some(FileFormat::Pnm),
        [b'P', b'F' | b'f', b' ' | b'\t' | b'\r' | b'\n', ..] => Some(FileFormat::Pfm),
        _ if starts(b"qoif") => Some(FileFormat::Qoi),
        _ if starts(b"GIF87a") || starts(b"GIF89a") => Some(FileFormat::Gif),
        _ if starts(b"\x93NUMPY") => Some(FileFormat::Npy),
        _ if starts(b"PK\x03\x04") => Some(FileFormat::Npz),
        [b'B', b'M', ..] => Some(FileFormat::Bmp),
        _ => formats.of_start(start).or_else(|| is_targa(start).then_some(FileFormat::Tga)),
    }
}

/// Whether a header makes sense as one of TGA, which has no mark of its own: kinds and bits that exist and fit each
/// other, a size, no bits that must be 0.
fn is_targa(start: &[u8]) -> bool {
    let Some(&[_, has_map, kind, f0, f1, l0, l1, entry, _, _, _, _, w0, w1, h0, h1, bits, descriptor]) =
        start.first_chunk::<18>()
    else {
        return false;
    };
    let map = match has_map {
        0 => [f0, f1, l0, l1, entry] == [0; 5],
        1 => matches!(entry, 15 | 16 | 24 | 32) && (l0 | l1) != 0,
        _ => false,
    };
    let pixels = match kind {
        1 | 9 => has_map == 1 && matches!(bits, 8 | 15 | 16),
        2 | 10 => matches!(bits, 15 | 16 | 24 | 32),
        3 | 11 => matches!(bits, 8 | 16),
        _ => false,
    };
    map && pixels && (w0 | w1) != 0 && (h0 | h1) != 0 && descriptor & 0xc0 == 0 && descriptor & 15 <= 8
}

/// Whether all there is are the first bytes of a signature.
fn is_cut(start: &[u8]) -> bool {
    let signatures: [&[u8]; 5] = [b"\x89PNG\r\n\x1a\n", &[0xff, 0xd8, 0xff], b"qoif", b"\x93NUMPY", b"GIF89a"];
    start.len() > 1 && signatures.iter().any(|signature| start.len() < signature.len() && signature.starts_with(start))
}

/// The error for what is not a picture, saying what it looks like.
#[cold]
pub(super) fn not_a_picture(start: &[u8]) -> Error {
    let starts = |mark: &[u8]| start.starts_with(mark);
    let looks_like = match start {
        [] => Some("an empty file"),
        _ if starts(b"%PDF") => Some("a PDF document"),
        _ if starts(b"PK\x03\x04") => Some("a ZIP archive, or a document packed as one"),
        _ if starts(b"\x1f\x8b") => Some("gzip-compressed data"),
        _ if starts(b"\x7fELF") => Some("a program"),
        _ if is_cut(start) => return ErrorKind::Truncated("the rest of the signature expected".to_string()).into(),
        _ if starts(b"\x89PNG") || starts(b"PNG\r\n") => Some("a PNG file damaged by a text-mode transfer"),
        _ if starts(b"<svg") || starts(b"<?xml") => Some("XML text (an SVG drawing, perhaps)"),
        _ if starts(b"<!DOCTYPE") || starts(b"<html") => Some("a web page"),
        _ if starts(b"{") || starts(b"[") => Some("JSON text"),
        _ if start.iter().all(|b| matches!(b, b'\t' | b'\n' | b'\r' | 0x20..=0x7e | 0x80..)) => Some("text"),
        _ if start.iter().all(|&b| b == 0) => Some("a run of zero bytes"),
        _ => None,
    };
    ErrorKind::NotAPicture { looks_like }.into()
}
