//! Writing: an entry a page, its sizes behind its data, the central directory last.

use super::archive::{CENTRAL, DESCRIPTOR, END, LOCAL};
use crate::error::{Error, Result};
use crate::file::encoder::{Encoder, Output, put_bytes};
use crate::file::holds::plays_left_out;
use crate::file::npy::NpyEncoder;
use crate::file::options::WriteOptions;
use crate::frame::{Content, Facts};
use flate2::{Compress, Compression, FlushCompress, Status};
use std::collections::HashSet;

/// Sizes and checksum stand behind the data; names are UTF-8 (APPNOTE 4.4.4).
const FLAGS: u16 = 1 << 3 | 1 << 11;
/// The first day that the format's clock has: files do not depend on when they are written.
const DATE: u16 = 1 << 5 | 1;

/// An encoder of archives of arrays: given rows, gives bytes.
pub(in crate::file) struct NpzEncoder {
    effort: u32,
    array: NpyEncoder,
    entry: Entry,
    deflate: Option<Compress>,
    crc: crc32fast::Hasher,
    done: Vec<Entry>,
    names: HashSet<String>,
    at: u64,
    remarks: Vec<String>,
}

#[derive(Clone)]
struct Entry {
    name: String,
    at: u64,
    crc: u32,
    packed: u64,
    size: u64,
    deflated: bool,
}

impl NpzEncoder {
    /// Starts a file with its first entry.
    pub(in crate::file) fn new(facts: &Facts, options: &WriteOptions, out: &mut dyn Output) -> Result<NpzEncoder> {
        let effort = u32::from(options.compression.min(9));
        let mut head = Vec::new();
        let array = NpyEncoder::new(facts, &mut head)?;
        let entry = Entry { name: String::new(), at: 0, crc: 0, packed: 0, size: 0, deflated: effort > 0 };
        let (crc, done, names) = (crc32fast::Hasher::new(), Vec::new(), HashSet::new());
        let mut remarks = array.remarks();
        remarks.extend(plays_left_out(options));
        let mut encoder = NpzEncoder { effort, array, entry, deflate: None, crc, done, names, at: 0, remarks };
        encoder.begin(facts, &head, out)?;
        Ok(encoder)
    }

    fn write(&mut self, bytes: &[u8], out: &mut dyn Output) -> Result<()> {
        self.at = self.at.saturating_add(bytes.len() as u64);
        put_bytes(out, bytes)
    }

    /// Begins an entry: its header, then that of the array.
    fn begin(&mut self, facts: &Facts, head: &[u8], out: &mut dyn Output) -> Result<()> {
        let named = facts.metadata.text.iter().find(|t| t.keyword == "Page name").map(|t| t.text.to_string());
        // A name that no path can lead out of a folder by; one for each.
        let clean = |name: String| {
            name.chars().take(250).map(|c| if matches!(c, '/' | '\\' | '\0') { '_' } else { c }).collect()
        };
        let page = self.done.len();
        let mut name: String = named.map_or_else(|| format!("arr_{page}"), clean);
        // A name that is taken has the number of the entry behind it, which few others can have.
        let own = name.clone();
        while !self.names.insert(name.clone()) {
            name = if name == own { format!("{own}_{page}") } else { format!("{name}_") };
        }
        self.entry = Entry { name, at: self.at, crc: 0, packed: 0, size: 0, deflated: self.effort > 0 };
        self.crc = crc32fast::Hasher::new();
        // Kept from entry to entry: thousands of them would else leave as many holes in the heap.
        match &mut self.deflate {
            Some(state) => state.reset(),
            None => self.deflate = (self.effort > 0).then(|| Compress::new(Compression::new(self.effort), false)),
        }
        let mut header = LOCAL.to_vec();
        header.extend(fixed(&self.entry, false));
        header.extend(0u16.to_le_bytes());
        header.extend(format!("{}.npy", self.entry.name).bytes());
        self.write(&header, out)?;
        self.data(head, FlushCompress::None, out)
    }

    /// Bytes of the array.
    fn data(&mut self, bytes: &[u8], flush: FlushCompress, out: &mut dyn Output) -> Result<()> {
        self.crc.update(bytes);
        self.entry.size = self.entry.size.saturating_add(bytes.len() as u64);
        let before = self.at;
        match self.deflate.take() {
            None => self.write(bytes, out)?,
            Some(mut state) => {
                let mut rest = bytes;
                loop {
                    let used = state.total_in();
                    let mut packed = Vec::with_capacity(32 << 10);
                    let done = state.compress_vec(rest, &mut packed, flush);
                    let done = done.map_err(|e| Error::malformed(format!("Deflate cannot pack this: {e}")))?;
                    rest = rest.get(state.total_in().saturating_sub(used) as usize..).unwrap_or_default();
                    let (made, full) = (packed.len(), packed.len() == packed.capacity());
                    self.write(&packed, out)?;
                    let ended = match flush {
                        FlushCompress::Finish => done == Status::StreamEnd,
                        _ => rest.is_empty() && !full,
                    };
                    if ended || (made == 0 && rest.is_empty() && flush == FlushCompress::None) {
                        break;
                    }
                }
                self.deflate = Some(state);
            }
        }
        self.entry.packed = self.entry.packed.saturating_add(self.at.saturating_sub(before));
        Ok(())
    }

    /// Ends the entry: checksum and sizes behind it.
    fn end(&mut self, out: &mut dyn Output) -> Result<()> {
        let mut last = Vec::new();
        self.array.finish(&mut last)?;
        self.data(&last, FlushCompress::Finish, out)?;
        self.entry.crc = self.crc.clone().finalize();
        if self.at > u64::from(u32::MAX) || self.entry.size > u64::from(u32::MAX) {
            return Err(Error::not_supported("an archive of arrays of over 4 GiB"));
        }
        let mut descriptor = DESCRIPTOR.to_vec();
        descriptor.extend(sizes(&self.entry));
        self.write(&descriptor, out)?;
        self.done.push(self.entry.clone());
        Ok(())
    }
}

fn sizes(entry: &Entry) -> Vec<u8> {
    let mut out = Vec::with_capacity(12);
    for size in [entry.crc, entry.packed as u32, entry.size as u32] {
        out.extend_from_slice(&size.to_le_bytes());
    }
    out
}

/// What a local header and an entry of the central directory share, from the version on to the length of the name.
fn fixed(entry: &Entry, known: bool) -> Vec<u8> {
    let method: u16 = if entry.deflated { 8 } else { 0 };
    let mut out = Vec::with_capacity(24);
    for word in [20u16, FLAGS, method, 0, DATE] {
        out.extend_from_slice(&word.to_le_bytes());
    }
    out.extend(if known { sizes(entry) } else { vec![0; 12] });
    out.extend((entry.name.len().saturating_add(4) as u16).to_le_bytes());
    out
}

impl Encoder for NpzEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        // A row at a time, so that no copy of all is made.
        for y in 0..rows.size().height {
            let row = rows.crop(rows.size().region().rows(y..y.saturating_add(1))?)?;
            let mut bytes = Vec::new();
            self.array.put(&row, &mut bytes)?;
            self.data(&bytes, FlushCompress::None, out)?;
        }
        Ok(())
    }

    fn next_page(&mut self, facts: &Facts, out: &mut dyn Output) -> Result<()> {
        let mut head = Vec::new();
        let array = NpyEncoder::new(facts, &mut head)?;
        self.end(out)?;
        self.array = array;
        self.remarks.extend(self.array.remarks());
        self.begin(facts, &head, out)
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        self.end(out)?;
        let start = self.at;
        let done = std::mem::take(&mut self.done);
        for entry in &done {
            let mut line = CENTRAL.to_vec();
            line.extend(20u16.to_le_bytes());
            line.extend(fixed(entry, true));
            // No extra field, no comment, disk 0, attributes.
            line.extend([0; 12]);
            line.extend((entry.at as u32).to_le_bytes());
            line.extend(format!("{}.npy", entry.name).bytes());
            self.write(&line, out)?;
        }
        let mut end = END.to_vec();
        end.extend([0; 4]);
        let count = u16::try_from(done.len()).map_err(|_| Error::not_supported("an archive of over 65535 arrays"))?;
        end.extend([count.to_le_bytes(), count.to_le_bytes()].concat());
        end.extend((self.at.saturating_sub(start) as u32).to_le_bytes());
        end.extend((start as u32).to_le_bytes());
        end.extend([0; 2]);
        self.write(&end, out)
    }

    fn remarks(&self) -> Vec<String> {
        let mut remarks = self.remarks.clone();
        remarks.dedup();
        remarks
    }
}
