//! The directories of a camera (EXIF 2.3, 4.6.3) out of a TIFF file into a block that stands by itself, and back.
//!
//! A block is a TIFF structure whose first directory links to those of EXIF and of the place (GPS), as JPEG files carry it.

use super::directory::{Directory, Missing, Parts, Values};
use super::numbers::Numbers;
use super::tags;
use crate::error::Result;

/// Entries that are taken from one directory at most.
const MOST_ENTRIES: u64 = 4096;

/// A directory with the bytes of its values, and those it links to.
#[derive(Debug, Default, PartialEq)]
pub(super) struct Tree {
    /// Tag, type, number of values and their bytes.
    pub(super) entries: Vec<(u16, u16, u64, Vec<u8>)>,
    pub(super) links: Vec<(u16, Tree)>,
}

/// The block of what cameras say in a directory; none where they say nothing, or where it has not been fetched.
pub(super) fn block(v: &mut Values<'_>) -> Result<Option<Vec<u8>>> {
    if !v.directory.has(tags::EXIF) && !v.directory.has(tags::GPS) {
        return Ok(None);
    }
    let before = v.missing.len();
    let mut root = Tree::default();
    links(v, &mut root, &[tags::EXIF, tags::GPS], 0)?;
    if v.missing.len() > before {
        return Ok(None);
    }
    let order: &[u8] = if v.numbers.big_endian { b"MM\0\x2a" } else { b"II\x2a\0" };
    let mut out = order.to_vec();
    let word = Order(v.numbers.big_endian);
    out.extend(word.long(8));
    put(&root, word, &mut out);
    // Parts of over 4 GiB are no block.
    Ok(u32::try_from(out.len()).is_ok().then_some(out))
}

/// The directories that a block links to.
pub(super) fn of_block(bytes: &[u8]) -> Option<(Tree, bool)> {
    let big_endian = match bytes.first_chunk::<4>()? {
        b"II\x2a\0" => false,
        b"MM\0\x2a" => true,
        _ => return None,
    };
    let numbers = Numbers { big_endian, wide: false };
    let mut parts = Parts::default();
    parts.add(0, bytes.to_vec());
    let first = u64::from(numbers.long(bytes.get(4..)?)?);
    let empty = Directory::default();
    let length = bytes.len() as u64;
    let mut v = Values { numbers, directory: &empty, parts: &parts, length, most: length, missing: Vec::new() };
    let directory = directory_at(&mut v, first)?;
    let mut v = Values { numbers, directory: &directory, parts: &parts, length, most: length, missing: Vec::new() };
    let mut root = Tree::default();
    links(&mut v, &mut root, &[tags::EXIF, tags::GPS], 0).ok()?;
    Some((root, big_endian))
}

/// Adds the directories that stand behind some tags.
fn links(v: &mut Values<'_>, into: &mut Tree, which: &[u16], depth: u32) -> Result<()> {
    for &tag in which {
        let Some(at) = v.one(tag)? else { continue };
        let Some(directory) = directory_at(v, at) else { continue };
        let mut below = Values { directory: &directory, missing: Vec::new(), ..*v };
        let mut tree = Tree::default();
        for entry in directory.entries.iter().filter(|e| e.tag != tags::INTEROPERABILITY) {
            // Types of BigTIFF and unknown ones have no place in a block.
            if entry.kind > 12 || entry.count == 0 {
                continue;
            }
            // What is not there is left out.
            if let Ok(Some(bytes)) = below.bytes_of(entry, u64::MAX) {
                let bytes = bytes.get(..entry.bytes().unwrap_or(0) as usize).unwrap_or(&bytes).to_vec();
                tree.entries.push((entry.tag, entry.kind, entry.count, bytes));
            }
        }
        if depth == 0 {
            links(&mut below, &mut tree, &[tags::INTEROPERABILITY], 1)?;
        }
        let missing = std::mem::take(&mut below.missing);
        v.missing.extend(missing);
        into.links.push((tag, tree));
    }
    Ok(())
}

/// The directory at a place; none where there is none, or where it has not been fetched.
fn directory_at(v: &mut Values<'_>, at: u64) -> Option<Directory> {
    let numbers = v.numbers;
    let (head, each) = (numbers.count_bytes() as u64, numbers.entry_bytes() as u64);
    if at.checked_add(head)? > v.length {
        return None;
    }
    let Some(count) = v.parts.get(at, head) else {
        v.missing.push(Missing { at, bytes: head });
        return None;
    };
    let count = if numbers.wide { numbers.long8(count)? } else { u64::from(numbers.word(count)?) };
    let (start, bytes) = (at.checked_add(head)?, count.checked_mul(each)?);
    if count > MOST_ENTRIES || start.checked_add(bytes)? > v.length {
        return None;
    }
    match v.parts.get(start, bytes) {
        Some(entries) => Some(Directory::parse(entries, start, numbers)),
        None => {
            v.missing.push(Missing { at: start, bytes });
            None
        }
    }
}

#[derive(Clone, Copy)]
struct Order(bool);

impl Order {
    fn word(self, value: u16) -> [u8; 2] {
        if self.0 { value.to_be_bytes() } else { value.to_le_bytes() }
    }

    fn long(self, value: u32) -> [u8; 4] {
        if self.0 { value.to_be_bytes() } else { value.to_le_bytes() }
    }
}

/// A directory behind what has been put, then its values, then those it links to. Values keep their byte order.
fn put(tree: &Tree, order: Order, out: &mut Vec<u8>) {
    let count = tree.entries.len().saturating_add(tree.links.len());
    out.extend(order.word(u16::try_from(count).unwrap_or(u16::MAX)));
    let mut tags: Vec<u16> = tree.entries.iter().map(|e| e.0).chain(tree.links.iter().map(|l| l.0)).collect();
    tags.sort_unstable();
    let entries = out.len();
    out.resize(entries.saturating_add(count.saturating_mul(12)).saturating_add(4), 0);
    for (i, tag) in tags.into_iter().enumerate() {
        if out.len() % 2 == 1 {
            out.push(0);
        }
        let end = order.long(u32::try_from(out.len()).unwrap_or(u32::MAX));
        let mut entry = order.word(tag).to_vec();
        match (tree.entries.iter().find(|e| e.0 == tag), tree.links.iter().find(|l| l.0 == tag)) {
            (Some((_, kind, number, bytes)), _) => {
                entry.extend(order.word(*kind));
                entry.extend(order.long(u32::try_from(*number).unwrap_or(u32::MAX)));
                if bytes.len() <= 4 {
                    entry.extend(bytes);
                } else {
                    entry.extend(end);
                    out.extend(bytes);
                }
            }
            (None, Some((_, below))) => {
                entry.extend(order.word(tags::LONG));
                entry.extend(order.long(1));
                entry.extend(end);
                put(below, order, out);
            }
            (None, None) => {}
        }
        entry.resize(12, 0);
        let at = entries.saturating_add(i.saturating_mul(12));
        if let Some(place) = out.get_mut(at..at.saturating_add(12)) {
            place.copy_from_slice(&entry);
        }
    }
}
