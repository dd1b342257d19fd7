//! Reading: the directory of the page that is wanted, the values that it points to, then its rows.

use super::band::{Band, Chunks};
use super::color::Ycbcr;
use super::directory::{Directory, Missing, Parts, Values};
use super::fetch::Fetch;
use super::form::Form;
use super::notes::{self, Meant};
use super::numbers::Numbers;
use super::rows::Converter;
use super::shape::{Packing, Photometric, Shape};
use super::tags;
use super::walk::{Step, Walk};
use crate::error::{Error, Result};
use crate::file::decoder::{Decoder, RowsOut, Slot, Start, Stop};
use crate::frame::{Facts, FileFormat};
use crate::memory::Charge;
use std::collections::VecDeque;
use std::ops::Range;

/// A decoder of TIFF: pushed bytes, asks for others, gives rows.
pub(in crate::file) struct TiffDecoder {
    start: Start,
    length: u64,
    fetch: Fetch,
    walk: Walk,
    state: State,
    parts: Parts,
    facts: Option<Facts>,
    body: Option<Body>,
    given: u32,
    salvaging: bool,
    /// Tables and what has been fetched of values.
    charge: Charge,
    /// Names of planes and what else there is for each sample.
    samples: Charge,
}

/// Bytes that a sample of a pixel takes beside its pixels: its bits, its name here and in copies of the facts.
const A_SAMPLE: u64 = 512;

/// What is read next.
enum State {
    /// Directories, until that of the page.
    Walk,
    /// The directory that hangs below the page's own.
    Below(u64),
    /// Values of the page's directory; what is missing of them.
    Values(Directory, VecDeque<Missing>),
    /// The directories behind it, to count them.
    Count,
    /// The facts are to be said.
    Facts,
    Rows,
}

struct Body {
    chunks: Chunks,
    converter: Converter,
}

impl TiffDecoder {
    pub(in crate::file) fn new(start: Start) -> TiffDecoder {
        let length = start.length.unwrap_or(u64::MAX);
        TiffDecoder {
            start,
            length,
            fetch: Fetch::default(),
            walk: Walk::new(start.limits, length),
            state: State::Walk,
            parts: Parts::default(),
            facts: None,
            body: None,
            given: 0,
            salvaging: false,
            charge: Charge::NONE,
            samples: Charge::NONE,
        }
    }

    /// Everything before the rows; the stop that is due, if any.
    fn before_rows(&mut self, input: &mut &[u8]) -> Result<Option<Stop>> {
        loop {
            match std::mem::replace(&mut self.state, State::Walk) {
                State::Walk => match self.walk.step(&mut self.fetch, input)? {
                    Step::Wait(stop) => return Ok(Some(stop)),
                    Step::Page(directory) if self.walk.pages.len() as u64 == u64::from(self.start.page) => {
                        self.state = State::Values(directory, VecDeque::new());
                    }
                    Step::Page(_) => {}
                    Step::End => return Err(no_page(self.start.page, self.walk.pages.len() as u64)),
                },
                State::Below(at) => {
                    let Some(numbers) = self.walk.numbers else { return Ok(Some(Stop::NeedInput)) };
                    match self.walk.directory(at, numbers, &mut self.fetch, input)? {
                        Ok((directory, _)) => {
                            self.start.sub_page = 0;
                            self.state = State::Values(directory, VecDeque::new());
                        }
                        Err(stop) => {
                            self.state = State::Below(at);
                            return Ok(Some(stop));
                        }
                    }
                }
                State::Values(directory, missing) => {
                    if let Some(stop) = self.values(directory, missing, input)? {
                        return Ok(Some(stop));
                    }
                }
                State::Count => match self.walk.step(&mut self.fetch, input) {
                    Ok(Step::Wait(stop)) => {
                        self.state = State::Count;
                        return Ok(Some(stop));
                    }
                    Ok(Step::Page(_)) => self.state = State::Count,
                    Ok(Step::End) => self.count(None),
                    // What is wrong behind the page does not matter to it.
                    Err(e) if e.is_about_bytes() => self.count(Some(e.kind().to_string())),
                    Err(e) => return Err(e),
                },
                State::Facts => {
                    self.state = State::Rows;
                    return Ok(Some(Stop::Facts));
                }
                State::Rows => {
                    self.state = State::Rows;
                    return Ok(None);
                }
            }
        }
    }

    /// All pages have been counted, or those before something that is wrong.
    fn count(&mut self, wrong: Option<String>) {
        self.state = State::Facts;
        let Some(facts) = &mut self.facts else { return };
        facts.pages = u32::try_from(self.walk.pages.len()).unwrap_or(u32::MAX);
        facts.page_list.clone_from(&self.walk.pages);
        facts.remarks.extend(wrong.map(|line| format!("what follows page {} was not read: {line}", facts.pages)));
    }

    /// Fetches what is missing of the values of the page's directory, and reads them as far as they have come.
    fn values(
        &mut self,
        directory: Directory,
        mut missing: VecDeque<Missing>,
        input: &mut &[u8],
    ) -> Result<Option<Stop>> {
        let Some(numbers) = self.walk.numbers else { return Ok(Some(Stop::NeedInput)) };
        loop {
            while let Some(part) = missing.front().copied() {
                let wanted = usize::try_from(part.bytes).unwrap_or(usize::MAX);
                if let Some(stop) = self.fetch.collect(input, part.at, wanted) {
                    self.state = State::Values(directory, missing);
                    return Ok(Some(stop));
                }
                missing.pop_front();
                self.charge.grow(part.bytes)?;
                self.parts.add(part.at, self.fetch.take());
            }
            let parts = std::mem::take(&mut self.parts);
            let most = self.start.limits.memory.max(self.start.limits.metadata);
            let none = Vec::new();
            let mut v =
                Values { numbers, directory: &directory, parts: &parts, length: self.length, most, missing: none };
            let read = self.read(&mut v, numbers);
            missing = v.missing.into();
            self.parts = parts;
            // What is wrong may be so only because something is missing.
            if missing.is_empty() {
                self.parts = Parts::default();
                self.state = match read? {
                    Some(at) => State::Below(at),
                    None => State::Count,
                };
                return Ok(None);
            }
        }
    }

    /// Reads the directory: what the pixels are, how they lie, what stands beside them. Gives the place of a directory below it, where
    /// that one is wanted.
    fn read(&mut self, v: &mut Values<'_>, numbers: Numbers) -> Result<Option<u64>> {
        if self.start.sub_page > 0 {
            return self.below(v);
        }
        let limits = self.start.limits;
        let shape = Shape::read(v, &limits)?;
        if !v.missing.is_empty() {
            return Ok(None);
        }
        limits.check_metadata(notes::bytes(v))?;
        self.samples = Charge::NONE;
        self.samples = limits.charge("samples of a pixel", (shape.bits.len() as u64).saturating_mul(A_SAMPLE))?;
        let meant = Meant::read(v)?;
        let mut form = Form::of(&shape, v, &meant, self.start.indices)?;
        notes::read(v, &mut form.metadata, &mut form.remarks);
        let plain_ycbcr = shape.photometric == Photometric::Ycbcr && shape.packing != Packing::Jpeg;
        let ycbcr = if plain_ycbcr { Some(Ycbcr::read(v)?) } else { None };
        let mut facts = Facts::new(shape.size, form.format.clone(), form.metadata.clone());
        facts.format = Some(FileFormat::Tiff);
        facts.stored = Some(shape.describe(numbers.big_endian));
        facts.remarks.clone_from(&form.remarks);
        if !meant.said {
            facts.remarks.extend(crate::file::options::unsaid_meaning(&facts));
        }
        self.facts = Some(facts);
        if self.start.header_only {
            return Ok(None);
        }
        let table = self.table(v, &shape)?;
        let jpeg_tables = v.bytes(tags::JPEG_TABLES)?.unwrap_or_default();
        if !v.missing.is_empty() {
            return Ok(None);
        }
        let blank = table.contains(&(0, 0));
        let converter = Converter::new(&shape, &form, ycbcr, numbers.big_endian);
        let columns = 0..shape.size.width;
        let chunks = Chunks {
            swapped: !numbers.is_native(),
            table,
            jpeg_tables,
            start: self.start,
            length: self.length,
            all_filled: !self.start.salvages && !blank,
            columns,
            band: Band::default(),
            shape,
        };
        self.body = Some(Body { chunks, converter });
        Ok(None)
    }

    /// Where the directory is that hangs below the page and is wanted.
    fn below(&self, v: &mut Values<'_>) -> Result<Option<u64>> {
        let all = v.numbers(tags::SUB_DIRECTORIES, u64::from(self.start.limits.pages))?;
        let there = v.directory.has(tags::SUB_DIRECTORIES);
        match all {
            None if there => Ok(None),
            all => {
                let all = all.unwrap_or_default();
                let place = (self.start.sub_page as usize).checked_sub(1);
                let found = place.and_then(|place| all.get(place)).copied();
                found.map(Some).ok_or_else(|| {
                    let (page, sub, count) = (self.start.page, self.start.sub_page, all.len() as u64);
                    Error::not_there(
                        "sub_page",
                        sub.into(),
                        count,
                        format!("there is no page {page}.{sub}; {count} pages hang below page {page}"),
                    )
                })
            }
        }
    }

    /// Where strips or tiles are, and their bytes; those that would follow the last are left out.
    fn table(&mut self, v: &mut Values<'_>, shape: &Shape) -> Result<Vec<(u64, u64)>> {
        let (at, bytes) = match v.directory.has(tags::TILE_OFFSETS) {
            true => (tags::TILE_OFFSETS, tags::TILE_BYTES),
            false => (tags::STRIP_OFFSETS, tags::STRIP_BYTES),
        };
        let count = shape.chunks();
        let limits = self.start.limits;
        // Both tables as they come and as they are kept.
        limits.check_memory("the table of strips or tiles", count.saturating_mul(32))?;
        let Some(entry) = v.directory.find(at)?.copied() else {
            return Err(Error::malformed(format!("{} is missing", tags::name(at))));
        };
        if entry.count < count && !self.salvages() {
            let names = shape.chunk_name();
            return Err(entry.wrong(format!("has {} values; there are {count} {names}s", entry.count)));
        }
        let offsets = v.numbers(at, count)?;
        let there = v.directory.has(bytes);
        let counts = v.numbers(bytes, count)?;
        let (Some(offsets), true) = (offsets, counts.is_some() || !there) else { return Ok(Vec::new()) };
        self.charge.grow((offsets.len() as u64).saturating_mul(16))?;
        let mut table = Vec::with_capacity(offsets.len());
        for (place, &at) in offsets.iter().enumerate() {
            let stated = match &counts {
                Some(counts) => counts.get(place).copied(),
                // They may be left out where nothing is packed; what is packed ends with the file at the latest.
                None => Some(self.length.saturating_sub(at)),
            };
            match stated {
                Some(bytes) => table.push((at, bytes)),
                None if self.salvages() => break,
                None => {
                    let line = format!("{} has {place} values for {count}", tags::name(bytes));
                    return Err(Error::malformed(line).in_format(FileFormat::Tiff, Some(entry.at)));
                }
            }
        }
        let all = table.iter().map(|&(_, bytes)| bytes).fold(0u64, u64::saturating_add);
        let most = self.length.saturating_mul(4).saturating_add(SHARED);
        if counts.is_some() && all > most {
            let (names, length) = (shape.chunk_name(), self.length);
            return Err(entry.wrong(format!("leads to {names}s of {all} bytes together in a file of {length}")));
        }
        let blank = table.iter().filter(|&&chunk| chunk == (0, 0)).count();
        if let (1.., Some(facts)) = (blank, &mut self.facts) {
            let names = shape.chunk_name();
            facts.remarks.push(format!("{blank} of {count} {names}s are not in the file; their pixels are zero"));
        }
        Ok(table)
    }

    fn salvages(&self) -> bool {
        self.start.salvages
    }

    fn rows(&mut self, input: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        let Some(Body { chunks, converter }) = &mut self.body else { return Ok(Stop::Done) };
        let height = chunks.shape.size.height;
        loop {
            if self.given >= height {
                return Ok(Stop::Done);
            }
            if out.is_full() {
                return Ok(Stop::RowsGiven);
            }
            if out.skips() {
                let rows = out.left().min(height.saturating_sub(self.given));
                out.pass(rows);
                self.given = self.given.saturating_add(rows);
                continue;
            }
            if chunks.lies_in_rows() {
                match plain_row(chunks, converter, self.given, &mut self.fetch, input, out) {
                    Ok(None) => {}
                    Ok(Some(stop)) => return Ok(stop),
                    Err(e) if !self.salvaging || !e.is_about_bytes() => return Err(e),
                    Err(_) => out.lose(1),
                }
                self.given = self.given.saturating_add(1);
                continue;
            }
            if !chunks.has(self.given)
                && let Some(stop) = chunks.load(self.given, &mut self.fetch, input, self.salvaging)?
            {
                return Ok(stop);
            }
            let (rows, columns, whole) = chunks.row(self.given);
            let slot = out.next_row();
            if matches!(slot, Slot::Full) {
                return Ok(Stop::RowsGiven);
            }
            let put = converter.put(&rows, columns, slot);
            if !whole || (self.salvaging && put.is_err()) {
                out.spoil();
            } else if let Err(e) = put {
                out.spoil();
                self.given = self.given.saturating_add(1);
                return Err(e);
            }
            self.given = self.given.saturating_add(1);
        }
    }
}

/// Gives a row that lies in the file as it is; the stop that is due until its bytes are there.
fn plain_row(
    chunks: &Chunks,
    converter: &mut Converter,
    row: u32,
    fetch: &mut Fetch,
    input: &mut &[u8],
    out: &mut RowsOut<'_>,
) -> Result<Option<Stop>> {
    let columns = 0..chunks.shape.size.width as usize;
    let Some((at, each)) = chunks.place_of_row(row)? else {
        // It stays zero.
        let _ = out.next_row();
        return Ok(None);
    };
    if !chunks.changes(0)
        && let Some(bytes) = fetch.straight(input, at, each)
    {
        return converter.put(&[bytes], columns, out.next_row()).map(|()| None);
    }
    if let Some(stop) = fetch.collect(input, at, each) {
        return Ok(Some(stop));
    }
    let mut bytes = fetch.take();
    chunks.undo(0, &mut bytes, each);
    converter.put(&[&bytes], columns, out.next_row())?;
    fetch.give_back(bytes);
    Ok(None)
}

/// Bytes that strips and tiles may have beside four times those of the file: blank ones are often written once.
const SHARED: u64 = 64 << 20;

#[cold]
fn no_page(page: u32, pages: u64) -> Error {
    Error::not_there("page", page.into(), pages, format!("there is no page {page}; the file has {pages}"))
}

impl Decoder for TiffDecoder {
    fn feed(&mut self, input: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        if let Some(stop) = self.before_rows(input)? {
            return Ok(stop);
        }
        self.rows(input, out)
    }

    fn header_so_far(&mut self) -> bool {
        let pages = self.walk.pages.len();
        let Some(facts) = &mut self.facts else { return false };
        facts.pages = u32::try_from(pages).unwrap_or(u32::MAX).max(1);
        facts.page_list.clone_from(&self.walk.pages);
        let line = match self.state {
            State::Count => format!("pages were counted up to {pages}; there are more"),
            _ => "what stands beside the pixels is long and was not looked at".to_string(),
        };
        facts.remarks.push(line);
        true
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        match &self.body {
            Some(Body { chunks, .. }) if matches!(self.state, State::Rows) => {
                format!("row {} of {}", self.given, chunks.shape.size.height)
            }
            _ => "the rest of a directory or of its values".to_string(),
        }
    }

    fn only_columns(&mut self, columns: Range<u32>) {
        if let Some(Body { chunks, .. }) = &mut self.body
            && columns.end <= chunks.shape.size.width
            && !columns.is_empty()
        {
            chunks.columns = columns;
        }
    }

    fn salvage(&mut self, _out: &mut RowsOut<'_>) -> bool {
        if self.salvaging || self.body.is_none() {
            return false;
        }
        self.salvaging = true;
        let Some(Body { chunks, .. }) = &mut self.body else { return false };
        chunks.drop_band();
        self.fetch = self.fetch.restarted();
        true
    }
}
