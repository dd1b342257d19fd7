//! A directory: its entries, and their values, which stand in the entries or elsewhere in the file.

use super::numbers::Numbers;
use super::tags;
use crate::error::{Error, Result};
use crate::frame::FileFormat;
use std::collections::BTreeMap;

/// One entry of a directory.
#[derive(Debug, Clone, Copy)]
pub(super) struct Entry {
    pub(super) tag: u16,
    pub(super) kind: u16,
    pub(super) count: u64,
    /// The value itself, or where it is.
    inline: [u8; 8],
    /// Where the entry stands in the file.
    pub(super) at: u64,
}

/// The entries of a directory, in the order of the file.
#[derive(Debug, Clone, Default)]
pub(super) struct Directory {
    pub(super) entries: Vec<Entry>,
}

impl Directory {
    /// The entries that stand in `bytes`, the first at byte `at` of the file.
    pub(super) fn parse(bytes: &[u8], at: u64, numbers: Numbers) -> Directory {
        let each = numbers.entry_bytes();
        let mut entries = Vec::with_capacity(bytes.len().checked_div(each).unwrap_or(0));
        for (i, bytes) in (0u64..).zip(bytes.chunks_exact(each)) {
            let (Some(tag), Some(kind)) = (numbers.word(bytes), bytes.get(2..).and_then(|b| numbers.word(b))) else {
                continue;
            };
            let count = bytes.get(4..).and_then(|b| numbers.offset(b)).unwrap_or(0);
            let value = bytes.get(4usize.saturating_add(numbers.offset_bytes())..).unwrap_or_default();
            let mut inline = [0; 8];
            inline.iter_mut().zip(value).for_each(|(to, v)| *to = *v);
            let at = at.saturating_add(i.saturating_mul(each as u64));
            entries.push(Entry { tag, kind, count, inline, at });
        }
        Directory { entries }
    }

    pub(super) fn has(&self, tag: u16) -> bool {
        self.entries.iter().any(|e| e.tag == tag)
    }

    /// The entry of a tag.
    ///
    /// # Errors
    /// Two of them.
    pub(super) fn find(&self, tag: u16) -> Result<Option<&Entry>> {
        let mut all = self.entries.iter().filter(|e| e.tag == tag);
        let first = all.next();
        match all.next() {
            Some(second) => Err(second.wrong("stands in the directory twice")),
            None => Ok(first),
        }
    }
}

impl Entry {
    /// An error about this entry.
    #[cold]
    pub(super) fn wrong(&self, what: impl std::fmt::Display) -> Error {
        Error::malformed(format!("{} {what}", tags::name(self.tag))).in_format(FileFormat::Tiff, Some(self.at))
    }

    /// Bytes of all its values.
    pub(super) fn bytes(&self) -> Option<u64> {
        tags::type_bytes(self.kind)?.checked_mul(self.count)
    }

    /// The value where it stands in the entry itself.
    pub(super) fn inline(&self, numbers: Numbers) -> Option<&[u8]> {
        let bytes = usize::try_from(self.bytes()?).ok()?;
        if bytes <= numbers.offset_bytes() { self.inline.get(..bytes) } else { None }
    }

    /// Where the value is otherwise.
    pub(super) fn offset(&self, numbers: Numbers) -> u64 {
        numbers.offset(&self.inline).unwrap_or(0)
    }
}

/// Parts of the file that have been fetched, by where they are.
#[derive(Debug, Default)]
pub(super) struct Parts(BTreeMap<u64, Vec<u8>>);

impl Parts {
    pub(super) fn add(&mut self, at: u64, bytes: Vec<u8>) {
        self.0.insert(at, bytes);
    }

    pub(super) fn get(&self, at: u64, bytes: u64) -> Option<&[u8]> {
        let (&start, part) = self.0.range(..=at).next_back()?;
        let from = usize::try_from(at.checked_sub(start)?).ok()?;
        part.get(from..)?.get(..usize::try_from(bytes).ok()?)
    }
}

/// A part of the file that is missing.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Missing {
    pub(super) at: u64,
    pub(super) bytes: u64,
}

/// The values of a directory's entries, as far as they have been fetched; what is missing is noted.
#[derive(Debug)]
pub(super) struct Values<'a> {
    pub(super) numbers: Numbers,
    pub(super) directory: &'a Directory,
    pub(super) parts: &'a Parts,
    /// Bytes that the file has.
    pub(super) length: u64,
    /// Bytes that a value may have.
    pub(super) most: u64,
    pub(super) missing: Vec<Missing>,
}

impl Values<'_> {
    /// The bytes of an entry's first values, at most so many.
    pub(super) fn bytes_of(&mut self, entry: &Entry, most: u64) -> Result<Option<Vec<u8>>> {
        let Some(each) = tags::type_bytes(entry.kind) else { return Ok(None) };
        if let Some(inline) = entry.inline(self.numbers) {
            return Ok(Some(inline.to_vec()));
        }
        let bytes = entry.count.min(most).saturating_mul(each);
        let at = entry.offset(self.numbers);
        if entry.bytes().and_then(|all| at.checked_add(all)).is_none_or(|end| end > self.length) {
            let (count, length) = (entry.count, self.length);
            return Err(entry.wrong(format!("has {count} values at byte {at}; the file has {length} bytes")));
        }
        if bytes > self.most {
            let (what, needed, limit) = (tags::name(entry.tag), bytes, self.most);
            return Err(crate::error::ErrorKind::Limit { what, needed, limit, unit: "bytes" }.into());
        }
        let found = self.parts.get(at, bytes).map(<[u8]>::to_vec);
        if found.is_none() {
            self.missing.push(Missing { at, bytes });
        }
        Ok(found)
    }

    /// The bytes of a tag's values; none where it is not there, or where they have not been fetched.
    pub(super) fn bytes(&mut self, tag: u16) -> Result<Option<Vec<u8>>> {
        match self.directory.find(tag)? {
            Some(entry) => self.bytes_of(entry, u64::MAX),
            None => Ok(None),
        }
    }

    /// Whole numbers of a tag, at most so many.
    ///
    /// # Errors
    /// A tag that stands there twice, is of a type without whole numbers, or has no value.
    pub(super) fn numbers(&mut self, tag: u16, most: u64) -> Result<Option<Vec<u64>>> {
        let Some(entry) = self.directory.find(tag)? else { return Ok(None) };
        if !matches!(entry.kind, tags::BYTE | tags::SHORT | tags::LONG | tags::IFD | tags::LONG8 | tags::IFD8) {
            return Err(entry.wrong(format!("is of type {}, not of whole numbers", entry.kind)));
        }
        if entry.count == 0 {
            return Err(entry.wrong("has no value"));
        }
        let Some(bytes) = self.bytes_of(entry, most)? else { return Ok(None) };
        let numbers = self.numbers;
        let each = tags::type_bytes(entry.kind).unwrap_or(1) as usize;
        let number = |bytes: &[u8]| match each {
            1 => bytes.first().map_or(0, |&b| u64::from(b)),
            2 => numbers.word(bytes).map_or(0, u64::from),
            4 => numbers.long(bytes).map_or(0, u64::from),
            _ => numbers.long8(bytes).unwrap_or(0),
        };
        let all = bytes.chunks_exact(each).take(usize::try_from(most).unwrap_or(usize::MAX));
        Ok(Some(all.map(number).collect()))
    }

    /// The first whole number of a tag.
    pub(super) fn one(&mut self, tag: u16) -> Result<Option<u64>> {
        Ok(self.numbers(tag, 1)?.and_then(|all| all.first().copied()))
    }

    /// Fractions of a tag, at most so many; none of other types.
    pub(super) fn fractions(&mut self, tag: u16, most: u64) -> Result<Option<Vec<f64>>> {
        let Some(entry) = self.directory.find(tag)? else { return Ok(None) };
        if entry.kind != tags::RATIONAL {
            return Ok(None);
        }
        let Some(bytes) = self.bytes_of(entry, most)? else { return Ok(None) };
        let numbers = self.numbers;
        let fraction = |pair: &[u8; 8]| {
            let over = numbers.long(pair).map_or(0.0, f64::from);
            over / pair.get(4..).and_then(|b| numbers.long(b)).map_or(0.0, f64::from)
        };
        Ok(Some(bytes.as_chunks::<8>().0.iter().map(fraction).collect()))
    }

    /// The text of a tag, up to its first zero byte; bytes that are no UTF-8 are taken as Latin-1.
    pub(super) fn text(&mut self, tag: u16) -> Result<Option<String>> {
        let Some(bytes) = self.bytes(tag)? else { return Ok(None) };
        let end = bytes.iter().position(|&b| b == 0).unwrap_or(bytes.len());
        let bytes = bytes.get(..end).unwrap_or_default();
        let text = match std::str::from_utf8(bytes) {
            Ok(text) => text.to_string(),
            Err(_) => bytes.iter().map(|&b| char::from(b)).collect(),
        };
        Ok((!text.is_empty()).then_some(text))
    }
}
