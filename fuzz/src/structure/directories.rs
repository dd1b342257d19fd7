//! TIFF and EXIF: an entry of a directory a piece, with the values it points to, and each strip or tile one; written anew with
//! offsets that are right.

use super::{Parts, Piece};

/// Where the data of a page stand, and how long they are.
const OFFSETS: [u16; 2] = [273, 324];
const LENGTHS: [u16; 2] = [279, 325];

/// What a piece is, by its first two bytes: an entry (its tag follows), a strip or tile, the end of a directory, or how the file starts.
const ENTRY: [u8; 2] = *b"en";
const DATA: [u8; 2] = *b"da";
const END: [u8; 2] = *b"of";
const START: [u8; 2] = *b"st";

/// Reads and writes numbers in the file's order, and offsets in its width.
#[derive(Clone, Copy)]
struct Form {
    big_endian: bool,
    wide: bool,
}

impl Form {
    fn number(self, bytes: &[u8]) -> u64 {
        let all = bytes.iter().take(8).copied();
        let add = |sum: u64, byte: u8| sum << 8 | u64::from(byte);
        if self.big_endian { all.fold(0, add) } else { bytes.iter().take(8).rev().copied().fold(0, add) }
    }

    fn put(self, out: &mut Vec<u8>, value: u64, width: usize) {
        if self.big_endian {
            out.extend(&value.to_be_bytes()[8 - width..])
        } else {
            out.extend(&value.to_le_bytes()[..width])
        }
    }

    /// Bytes of an offset.
    fn width(self) -> usize {
        if self.wide { 8 } else { 4 }
    }

    /// Bytes of an entry, and of the count of entries.
    fn entry(self) -> (usize, usize) {
        if self.wide { (20, 8) } else { (12, 2) }
    }
}

/// Bytes of a value of a type.
fn value_bytes(kind: u64) -> usize {
    match kind {
        3 | 8 => 2,
        4 | 9 | 11 | 13 => 4,
        5 | 10 | 12 | 16..=18 => 8,
        _ => 1,
    }
}

fn form(bytes: &[u8]) -> Option<(Form, usize)> {
    let big_endian = bytes.starts_with(b"MM");
    let of = |wide| Form { big_endian, wide };
    match bytes.get(..4)? {
        b"II\x2a\0" | b"MM\0\x2a" => Some((of(false), of(false).number(bytes.get(4..8)?) as usize)),
        b"II\x2b\0" | b"MM\0\x2b" => Some((of(true), of(true).number(bytes.get(8..16)?) as usize)),
        _ => None,
    }
}

pub(super) fn parts(bytes: &[u8]) -> Option<Parts> {
    let (form, mut place) = form(bytes)?;
    let (entry, count) = form.entry();
    let big_endian = form.big_endian;
    let start = [&START[..], &bytes[..if form.wide { 8 } else { 4 }]].concat();
    let mut pieces = vec![Piece::new(&start, &[(4, 2), (6, 2), (8, 2)], big_endian)];
    for _page in 0..4 {
        let Some(entries) = bytes.get(place..).and_then(|rest| rest.get(..count)).map(|n| form.number(n) as usize)
        else {
            break;
        };
        let (mut offsets, mut lengths) = (Vec::new(), Vec::new());
        for number in 0..entries.min(100) {
            let Some(raw) = bytes.get(place + count + number * entry..).and_then(|rest| rest.get(..entry)) else {
                break;
            };
            let (tag, kind) = (form.number(&raw[..2]) as u16, form.number(&raw[2..4]));
            let length = (form.number(&raw[4..4 + form.width()]) as usize).saturating_mul(value_bytes(kind));
            let inline = &raw[4 + form.width()..];
            let at = form.number(inline) as usize;
            let values =
                if length <= inline.len() { inline.get(..length) } else { bytes.get(at..at.saturating_add(length)) };
            let Some(values) = values else { continue };
            let each = values.chunks(value_bytes(kind)).map(|v| form.number(v) as usize);
            match tag {
                _ if OFFSETS.contains(&tag) => offsets = each.collect(),
                _ if LENGTHS.contains(&tag) => lengths = each.collect(),
                _ => {}
            }
            let width = value_bytes(kind);
            let fields: Vec<_> = [(2, 2), (4, 2), (6, form.width())]
                .into_iter()
                .chain((0..3).map(|n| (6 + form.width() + n * width, width)))
                .collect();
            let whole = [&ENTRY[..], &raw[..4 + form.width()], values].concat();
            pieces.push(Piece::new(&whole, &fields, big_endian));
        }
        for (at, length) in offsets.into_iter().zip(lengths).take(64) {
            let data = bytes.get(at..at.saturating_add(length)).unwrap_or_default();
            pieces.push(Piece::new(&[&DATA[..], data].concat(), &[(2, 1), (3, 1), (3, 2)], big_endian));
        }
        pieces.push(Piece::new(&END, &[], big_endian));
        let next = place + count + entries.min(1 << 16) * entry;
        place = bytes.get(next..).and_then(|rest| rest.get(..form.width())).map_or(0, |n| form.number(n) as usize);
        if place == 0 {
            break;
        }
    }
    Some(Parts { pieces, join })
}

fn join(pieces: &[Piece], right: bool) -> Vec<u8> {
    let start =
        pieces.iter().find(|piece| piece.bytes.starts_with(&START)).map_or(&b"II\x2a\0"[..], |piece| &piece.bytes[2..]);
    let form = Form { big_endian: start.starts_with(b"MM"), wide: start.get(..4).is_some_and(|s| s.contains(&0x2b)) };
    let mut out = start.to_vec();
    let mut link = out.len();
    form.put(&mut out, 0, form.width());
    for page in pieces.split(|piece| piece.bytes.starts_with(&END)) {
        let of = |kind: [u8; 2]| page.iter().filter_map(move |piece| piece.bytes.strip_prefix(&kind));
        let mut data = Vec::new();
        for bytes in of(DATA) {
            data.push((out.len() as u64, bytes.len() as u64));
            out.extend(bytes);
        }
        let entries: Vec<&[u8]> = of(ENTRY).filter(|entry| entry.len() >= 4 + form.width()).collect();
        if entries.is_empty() {
            continue;
        }
        let mut directory = Vec::new();
        form.put(&mut directory, entries.len() as u64, form.entry().1);
        for entry in entries {
            let (head, values) = entry.split_at(4 + form.width());
            let (tag, kind) = (form.number(&head[..2]) as u16, form.number(&head[2..4]));
            let width = value_bytes(kind);
            let mut values = values.to_vec();
            if right && (OFFSETS.contains(&tag) || LENGTHS.contains(&tag)) {
                values.clear();
                data.iter().for_each(|(at, length)| {
                    form.put(&mut values, if OFFSETS.contains(&tag) { *at } else { *length }, width)
                });
            }
            directory.extend(&head[..4]);
            if right {
                form.put(&mut directory, (values.len() / width) as u64, form.width())
            } else {
                directory.extend(&head[4..])
            }
            if values.len() <= form.width() {
                values.resize(form.width(), 0);
                directory.extend(values);
            } else {
                form.put(&mut directory, out.len() as u64, form.width());
                out.extend(values);
            }
        }
        let mut place = Vec::new();
        form.put(&mut place, out.len() as u64, form.width());
        out[link..link + form.width()].copy_from_slice(&place);
        out.extend(directory);
        link = out.len();
        form.put(&mut out, 0, form.width());
    }
    out
}
