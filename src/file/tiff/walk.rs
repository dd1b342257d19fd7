//! The way from the header along the chain of directories: each is a page.

use super::directory::Directory;
use super::fetch::Fetch;
use super::numbers::Numbers;
use super::tags;
use crate::error::{Error, Result};
use crate::file::bounds::{AN_ENTRY, Bounds};
use crate::file::decoder::Stop;
use crate::frame::{FileFormat, PageFacts, Size};
use std::collections::HashSet;

/// Entries that are fetched together with their number; most directories have no more.
const FIRST_ENTRIES: usize = 20;
/// Entries that a directory has at most, in either form.
const MOST_ENTRIES: u64 = 65_535;

/// Where one stands on the way.
#[derive(Debug)]
pub(super) struct Walk {
    bounds: Bounds,
    length: u64,
    /// Once the header has been read.
    pub(super) numbers: Option<Numbers>,
    /// Where the next directory is; none behind the last.
    next: Option<u64>,
    seen: HashSet<u64>,
    pub(super) pages: Vec<PageFacts>,
    /// Where the directory of each is.
    pub(super) places: Vec<u64>,
}

/// What came of a step.
pub(super) enum Step {
    /// More bytes are needed, or others.
    Wait(Stop),
    /// A directory of the chain.
    Page(Directory),
    /// There are no more.
    End,
}

impl Walk {
    pub(super) fn new(bounds: Bounds, length: u64) -> Walk {
        Walk { bounds, length, numbers: None, next: None, seen: HashSet::new(), pages: Vec::new(), places: Vec::new() }
    }

    /// Goes on to the next directory.
    ///
    /// # Errors
    /// A header or an offset that no file has, a loop, or more pages than the limit.
    pub(super) fn step(&mut self, fetch: &mut Fetch, input: &mut &[u8]) -> Result<Step> {
        let numbers = match self.numbers {
            Some(numbers) => numbers,
            None => match self.header(fetch, input)? {
                Ok(numbers) => numbers,
                Err(stop) => return Ok(Step::Wait(stop)),
            },
        };
        let Some(at) = self.next else { return Ok(Step::End) };
        let (directory, next) = match self.directory(at, numbers, fetch, input)? {
            Ok(found) => found,
            Err(stop) => return Ok(Step::Wait(stop)),
        };
        self.seen.insert(at);
        if next != 0 && self.seen.contains(&next) {
            let line = format!("the directory at byte {at} is followed by one that came before, at byte {next}");
            return Err(Error::malformed(line).in_format(FileFormat::Tiff, Some(at)));
        }
        self.next = (next != 0).then_some(next);
        self.bounds.check_pages(u32::try_from(self.pages.len()).unwrap_or(u32::MAX).saturating_add(1))?;
        self.pages.push(page_facts(&directory, numbers));
        self.places.push(at);
        Ok(Step::Page(directory))
    }

    fn header(&mut self, fetch: &mut Fetch, input: &mut &[u8]) -> Result<Result<Numbers, Stop>> {
        if let Some(stop) = fetch.collect(input, 0, 8) {
            return Ok(Err(stop));
        }
        let big_endian = fetch.bytes().first() == Some(&b'M');
        let mut numbers = Numbers { big_endian, wide: false };
        numbers.wide = fetch.bytes().get(2..).and_then(|b| numbers.word(b)) == Some(43);
        if numbers.wide
            && let Some(stop) = fetch.collect(input, 0, 16)
        {
            return Ok(Err(stop));
        }
        let bytes = fetch.take();
        let first = match numbers.wide {
            false => bytes.get(4..).and_then(|b| numbers.long(b)).map(u64::from),
            true if bytes.get(4..).and_then(|b| numbers.word(b)) == Some(8) => {
                bytes.get(8..).and_then(|b| numbers.long8(b))
            }
            true => {
                let line = "offsets of another size than 8 bytes in the header";
                return Err(Error::malformed(line).in_format(FileFormat::Tiff, Some(4)));
            }
        };
        self.numbers = Some(numbers);
        match first {
            Some(at @ 1..) => self.next = Some(at),
            _ => return Err(Error::malformed("no directory, and so no picture").in_format(FileFormat::Tiff, Some(4))),
        }
        Ok(Ok(numbers))
    }

    /// The directory at a place, and where the next one is.
    pub(super) fn directory(
        &self,
        at: u64,
        numbers: Numbers,
        fetch: &mut Fetch,
        input: &mut &[u8],
    ) -> Result<Result<(Directory, u64), Stop>> {
        let wrong = |line: String| Error::malformed(line).in_format(FileFormat::Tiff, Some(at));
        let (head, each, behind) = (numbers.count_bytes(), numbers.entry_bytes(), numbers.offset_bytes());
        let room = self.length.saturating_sub(at);
        if room < head as u64 {
            let length = self.length;
            return Err(wrong(format!("a directory is said to be at byte {at}; the file has {length} bytes")));
        }
        let guess = head.saturating_add(FIRST_ENTRIES.saturating_mul(each)).saturating_add(behind);
        let guess = usize::try_from(room).unwrap_or(guess).min(guess);
        if let Some(stop) = fetch.collect(input, at, guess) {
            return Ok(Err(stop));
        }
        let count = fetch.count(numbers).unwrap_or(0);
        if count == 0 || count > MOST_ENTRIES {
            return Err(wrong(format!("a directory of {count} entries; it has 1 to {MOST_ENTRIES}")));
        }
        let entries = (count as usize).saturating_mul(each);
        let end = head.saturating_add(entries);
        if room < end.saturating_add(behind) as u64 {
            return Err(wrong(format!("a directory of {count} entries; the file ends amid them")));
        }
        if let Some(stop) = fetch.collect(input, at, end.saturating_add(behind)) {
            return Ok(Err(stop));
        }
        self.bounds.work(count.saturating_mul(AN_ENTRY))?;
        let bytes = fetch.take();
        let start = at.saturating_add(head as u64);
        let directory = Directory::parse(bytes.get(head..end).unwrap_or_default(), start, numbers);
        let next = bytes.get(end..).and_then(|b| numbers.offset(b)).unwrap_or(0);
        Ok(Ok((directory, next)))
    }
}

/// What a list of pages says of one: what stands in its directory itself.
fn page_facts(directory: &Directory, numbers: Numbers) -> PageFacts {
    let one = |tag: u16| {
        let entry = directory.entries.iter().find(|e| e.tag == tag)?;
        let bytes = entry.inline(numbers)?;
        match entry.kind {
            tags::SHORT => numbers.word(bytes).map(u32::from),
            tags::LONG => numbers.long(bytes),
            tags::LONG8 => numbers.long8(bytes).and_then(|v| u32::try_from(v).ok()),
            _ => None,
        }
    };
    let size = Size::new(one(tags::WIDTH).unwrap_or(0), one(tags::HEIGHT).unwrap_or(0));
    let below = directory.entries.iter().find(|e| e.tag == tags::SUB_DIRECTORIES);
    PageFacts {
        size,
        reduced: one(tags::SUBFILE_TYPE).unwrap_or(0) & 1 == 1,
        sub_pages: below.map_or(0, |e| u32::try_from(e.count).unwrap_or(u32::MAX)),
        delay: None,
    }
}
