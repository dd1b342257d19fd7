//! The directory of the page that is wanted: its values fetched, what they say of the pixels and where these are.

use super::{Body, State, TiffDecoder};
use crate::error::{Error, Result};
use crate::file::decoder::Stop;
use crate::file::tiff::band::{Band, Chunks};
use crate::file::tiff::color::Ycbcr;
use crate::file::tiff::directory::{Directory, Missing, Parts, Values};
use crate::file::tiff::form::Form;
use crate::file::tiff::jpeg;
use crate::file::tiff::notes::{self, Meant};
use crate::file::tiff::numbers::Numbers;
use crate::file::tiff::rows::Converter;
use crate::file::tiff::shape::{Packing, Photometric, Shape};
use crate::file::tiff::tags;
use crate::frame::{Facts, FileFormat};
use crate::memory::Charge;
use std::collections::VecDeque;

/// Bytes that a sample of a pixel takes beside its pixels: its bits, its name here and in copies of the facts.
const A_SAMPLE: u64 = 512;

/// Bytes that strips and tiles may have beside four times those of the file: blank ones are often written once.
const SHARED: u64 = 64 << 20;

impl TiffDecoder {
    /// Fetches what is missing of the values of the page's directory, and reads them as far as they have come.
    pub(super) fn values(
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
                // The part, what it is read as, and the form in which it is kept.
                self.fetched.grow(part.bytes.saturating_mul(3))?;
                self.parts.add(part.at, self.fetch.take());
            }
            let parts = std::mem::take(&mut self.parts);
            let most = self.start.bounds.memory.max(self.start.bounds.metadata);
            let none = Vec::new();
            let mut v =
                Values { numbers, directory: &directory, parts: &parts, length: self.length, most, missing: none };
            let read = self.read(&mut v, numbers);
            missing = v.missing.into();
            self.parts = parts;
            // What is wrong may be so only because something is missing.
            if missing.is_empty() {
                self.parts = Parts::default();
                self.fetched = Charge::on(self.start.bounds.account());
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
        let bounds = self.start.bounds.clone();
        let shape = Shape::read(v, &bounds)?;
        if !v.missing.is_empty() {
            return Ok(None);
        }
        bounds.check_metadata(notes::bytes(v))?;
        self.samples = Charge::NONE;
        self.samples = bounds.charge("samples of a pixel", (shape.bits.len() as u64).saturating_mul(A_SAMPLE))?;
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
        let jpeg_tables = jpeg::last_tables(jpeg_tables)?;
        let blank = table.contains(&(0, 0));
        let converter = Converter::new(&shape, &form, ycbcr, numbers.big_endian);
        let columns = 0..shape.size.width;
        let chunks = Chunks {
            swapped: !numbers.is_native(),
            table,
            jpeg_tables,
            start: self.start.clone(),
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
        let all = v.numbers(tags::SUB_DIRECTORIES, u64::from(self.start.bounds.pages))?;
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
        let bounds = self.start.bounds.clone();
        // Both tables as they come and as they are kept.
        bounds.check_memory("the table of strips or tiles", count.saturating_mul(32))?;
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
}
