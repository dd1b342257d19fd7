//! What a file is, by its first bytes.

use crate::error::{Error, ErrorKind};
use crate::frame::Format;

/// Bytes that are enough to tell.
pub(super) const ENOUGH: usize = 32;

/// The format that the first bytes say, if they are those of a picture.
pub(super) fn format_of(start: &[u8]) -> Option<Format> {
    let starts = |mark: &[u8]| start.starts_with(mark);
    match start {
        _ if starts(b"\x89PNG\r\n\x1a\n") => Some(Format::Png),
        [0xff, 0xd8, 0xff, ..] => Some(Format::Jpeg),
        [b'I', b'I', 42 | 43, 0, ..] | [b'M', b'M', 0, 42 | 43, ..] => Some(Format::Tiff),
        [b'P', b'7', b'\n', ..] => Some(Format::Pam),
        [b'P', b'1'..=b'6', b' ' | b'\t' | b'\r' | b'\n' | b'#', ..] => Some(Format::Pnm),
        [b'P', b'F' | b'f', b' ' | b'\t' | b'\r' | b'\n', ..] => Some(Format::Pfm),
        _ if starts(b"qoif") => Some(Format::Qoi),
        _ if starts(b"GIF87a") || starts(b"GIF89a") => Some(Format::Gif),
        _ if starts(b"\x93NUMPY") => Some(Format::Npy),
        [b'B', b'M', ..] => Some(Format::Bmp),
        _ => None,
    }
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
