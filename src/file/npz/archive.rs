//! The central directory of an archive (APPNOTE 4.3.12 and 4.3.16).

use crate::error::{Error, Result};
use crate::frame::FileFormat;

/// Marks of the parts of an archive.
pub(super) const LOCAL: [u8; 4] = *b"PK\x03\x04";
pub(super) const CENTRAL: [u8; 4] = *b"PK\x01\x02";
pub(super) const END: [u8; 4] = *b"PK\x05\x06";
pub(super) const DESCRIPTOR: [u8; 4] = *b"PK\x07\x08";
/// Bytes of the end record without a comment, of a local header and of an entry without names.
pub(super) const END_BYTES: u64 = 22;
pub(super) const LOCAL_BYTES: usize = 30;
const ENTRY_BYTES: usize = 46;

/// An array of an archive.
#[derive(Debug, Clone)]
pub(super) struct Entry {
    pub(super) name: String,
    pub(super) deflated: bool,
    pub(super) crc: u32,
    pub(super) packed: u64,
    pub(super) size: u64,
    /// Where its local header is.
    pub(super) at: u64,
}

fn word(bytes: &[u8], at: usize) -> u16 {
    bytes.get(at..).and_then(|b| b.first_chunk::<2>()).map_or(0, |b| u16::from_le_bytes(*b))
}

fn long(bytes: &[u8], at: usize) -> u32 {
    bytes.get(at..).and_then(|b| b.first_chunk::<4>()).map_or(0, |b| u32::from_le_bytes(*b))
}

fn long8(bytes: &[u8], at: usize) -> u64 {
    bytes.get(at..).and_then(|b| b.first_chunk::<8>()).map_or(0, |b| u64::from_le_bytes(*b))
}

/// Where the central directory is and how many bytes it has, out of the end of the file; none where its record is not there.
pub(super) fn directory_of(tail: &[u8]) -> Option<(u64, u64)> {
    let at = tail.windows(4).rposition(|w| w == END)?;
    let record = tail.get(at..).filter(|record| record.len() as u64 >= END_BYTES)?;
    Some((long(record, 16).into(), long(record, 12).into()))
}

/// Where data begins behind a local header of these bytes.
pub(super) fn behind_header(header: &[u8], at: u64) -> Result<u64> {
    if header.get(..4) != Some(&LOCAL[..]) {
        return Err(wrong("an entry without its local header", at));
    }
    let names = u64::from(word(header, 26)).saturating_add(u64::from(word(header, 28)));
    Ok(at.saturating_add(LOCAL_BYTES as u64).saturating_add(names))
}

#[cold]
fn wrong(what: &str, at: u64) -> Error {
    Error::malformed(what).in_format(FileFormat::Npz, Some(at))
}

/// The arrays that the central directory lists, and how many other files.
pub(super) fn entries(mut bytes: &[u8], at: u64) -> Result<(Vec<Entry>, usize)> {
    let (mut out, mut others) = (Vec::new(), 0usize);
    while bytes.len() >= ENTRY_BYTES {
        if bytes.get(..4) != Some(&CENTRAL[..]) {
            return Err(wrong("a central directory whose entries do not follow each other", at));
        }
        let (name, extra, comment) = (word(bytes, 28), word(bytes, 30), word(bytes, 32));
        let names = ENTRY_BYTES.saturating_add(name.into());
        let end = names.saturating_add(extra.into()).saturating_add(comment.into());
        let (Some(text), Some(rest)) = (bytes.get(ENTRY_BYTES..names), bytes.get(end..)) else {
            return Err(wrong("an entry of the central directory that is cut off", at));
        };
        let (mut packed, mut size) = (u64::from(long(bytes, 20)), u64::from(long(bytes, 24)));
        let mut place = u64::from(long(bytes, 42));
        // Sizes of 64 bits stand in an extra field, in this order, those that have no room here (4.5.3).
        let fields = bytes.get(names..names.saturating_add(extra.into())).unwrap_or_default();
        let mut wide = wide_of(fields);
        for value in [&mut size, &mut packed, &mut place] {
            if *value == u64::from(u32::MAX) {
                let (Some(eight), behind) = (wide.get(..8), wide.get(8..).unwrap_or_default()) else { break };
                (*value, wide) = (long8(eight, 0), behind);
            }
        }
        let name = String::from_utf8_lossy(text).into_owned();
        if let Some(name) = name.strip_suffix(".npy") {
            let deflated = match word(bytes, 10) {
                0 => false,
                8 => true,
                other => return Err(Error::not_supported(format!("the array {name} packed by method {other} of ZIP"))),
            };
            if word(bytes, 8) & 1 == 1 {
                return Err(Error::not_supported(format!("the array {name}, which is encrypted")));
            }
            out.push(Entry { name: name.to_string(), deflated, crc: long(bytes, 16), packed, size, at: place });
        } else {
            others = others.saturating_add(1);
        }
        bytes = rest;
    }
    Ok((out, others))
}

/// The field of sizes of 64 bits among extra fields.
fn wide_of(mut fields: &[u8]) -> &[u8] {
    while fields.len() >= 4 {
        let (id, length) = (word(fields, 0), usize::from(word(fields, 2)));
        let end = length.saturating_add(4);
        if id == 1 {
            return fields.get(4..end).unwrap_or_default();
        }
        fields = fields.get(end..).unwrap_or_default();
    }
    &[]
}
