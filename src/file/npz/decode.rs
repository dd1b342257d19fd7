//! Reading: the list of arrays at the end of the file, then the one that is wanted through the decoder of a single array.

use super::archive::{self, END_BYTES, Entry, LOCAL_BYTES};
use crate::error::{Error, ErrorKind, Result};
use crate::file::bounds::AN_ENTRY;
use crate::file::decoder::{Decoder, Jump, RowsOut, Start, Stop, collect};
use crate::file::npy::NpyDecoder;
use crate::frame::{Facts, FileFormat, RowOrder, Text};
use crate::memory::Charge;
use flate2::{Decompress, FlushDecompress, Status};

/// Bytes at the end of a file that are looked at: the record, and a comment of moderate length behind it.
const TAIL: u64 = 32 << 10;
/// Unpacked bytes that are made at a time.
const PIECE: usize = 64 << 10;

/// A decoder of archives of arrays: pushed bytes, asks for others, gives the rows of one.
pub(in crate::file) struct NpzDecoder {
    start: Start,
    length: u64,
    state: State,
    part: Vec<u8>,
    /// Where in the file the next byte of input lies.
    at: u64,
    /// All arrays, and which of them is read.
    entries: Vec<Entry>,
    entry: Option<Entry>,
    count: u32,
    /// Files of the archive that are no arrays.
    others: usize,
    facts: Option<Facts>,
    body: Option<Body>,
    charge: Charge,
}

enum State {
    Tail,
    /// Where the central directory is, and its bytes.
    Directory(u64, u64),
    Local,
    Array,
}

struct Body {
    array: NpyDecoder,
    data_at: u64,
    /// Packed bytes that have come.
    came: u64,
    /// The checksum of what is stored, as long as none of it is passed over.
    crc: Option<crc32fast::Hasher>,
    inflate: Option<Inflate>,
}

/// What is packed, unpacked: a piece at a time.
struct Inflate {
    state: Decompress,
    piece: Vec<u8>,
    /// Bytes of the piece that have been used, and where the next one is in the array's file.
    used: usize,
    place: u64,
    /// Bytes that are to be passed over.
    skip: u64,
    crc: crc32fast::Hasher,
}

impl NpzDecoder {
    pub(in crate::file) fn new(start: Start) -> NpzDecoder {
        let charge = Charge::on(start.bounds.account());
        let length = start.length.unwrap_or(0);
        NpzDecoder {
            start,
            length,
            state: State::Tail,
            part: Vec::new(),
            at: 0,
            entries: Vec::new(),
            entry: None,
            count: 0,
            others: 0,
            facts: None,
            body: None,
            charge,
        }
    }

    fn collect(&mut self, input: &mut &[u8], place: u64, wanted: u64) -> Option<Stop> {
        let wanted = usize::try_from(wanted).unwrap_or(usize::MAX);
        let missing = wanted.saturating_sub(self.part.len());
        collect((&mut self.part, &mut self.at), input, place, wanted, missing)
    }

    /// Goes to the array; the stop that is due until its first byte comes.
    fn open(&mut self, input: &mut &[u8]) -> Result<Option<Stop>> {
        loop {
            match self.state {
                State::Tail => {
                    let bytes = self.length.min(TAIL);
                    if bytes < END_BYTES {
                        return Err(Error::malformed("an archive that is cut off"));
                    }
                    if let Some(stop) = self.collect(input, self.length.saturating_sub(bytes), bytes) {
                        return Ok(Some(stop));
                    }
                    let tail = std::mem::take(&mut self.part);
                    let Some((at, bytes)) = archive::directory_of(&tail) else {
                        let line = "an archive without the record at its end";
                        return Err(Error::malformed(line).in_format(FileFormat::Npz, Some(self.length)));
                    };
                    if at.checked_add(bytes).is_none_or(|end| end > self.length) {
                        let line =
                            format!("a central directory of {bytes} bytes at byte {at}; the file has {}", self.length);
                        return Err(Error::malformed(line).in_format(FileFormat::Npz, Some(self.length)));
                    }
                    self.start.bounds.check_metadata(bytes)?;
                    self.charge.grow(bytes.saturating_mul(4))?;
                    self.state = State::Directory(at, bytes);
                }
                State::Directory(at, bytes) => {
                    if let Some(stop) = self.collect(input, at, bytes) {
                        return Ok(Some(stop));
                    }
                    let directory = std::mem::take(&mut self.part);
                    let (arrays, others) = archive::entries(&directory, at)?;
                    let entries = (arrays.len() as u64).saturating_add(others as u64);
                    self.start.bounds.work(entries.saturating_mul(AN_ENTRY))?;
                    self.others = others;
                    self.choose(arrays)?;
                    self.state = State::Local;
                }
                State::Local => {
                    let Some(entry) = self.entry.clone() else { return Ok(None) };
                    if entry.at.saturating_add(LOCAL_BYTES as u64).saturating_add(entry.packed) > self.length {
                        let line = format!(
                            "the array {} of {} bytes at byte {}; the file has {}",
                            entry.name, entry.packed, entry.at, self.length
                        );
                        return Err(
                            Error::from(ErrorKind::Truncated(line)).in_format(FileFormat::Npz, Some(self.length))
                        );
                    }
                    if let Some(stop) = self.collect(input, entry.at, LOCAL_BYTES as u64) {
                        return Ok(Some(stop));
                    }
                    let header = std::mem::take(&mut self.part);
                    let data_at = archive::behind_header(&header, entry.at)?;
                    // What is packed cannot be told from its size: the limits of work and memory stand.
                    let start =
                        Start { length: (!entry.deflated).then_some(entry.size), page: 1, ..self.start.clone() };
                    let kept = self.body.take().and_then(|body| body.inflate);
                    let inflate = entry.deflated.then(|| kept.map_or_else(Inflate::new, Inflate::again));
                    self.body = Some(Body {
                        array: NpyDecoder::new(start),
                        data_at,
                        came: 0,
                        crc: Some(crc32fast::Hasher::new()),
                        inflate,
                    });
                    self.state = State::Array;
                }
                State::Array => return Ok(None),
            }
        }
    }

    fn choose(&mut self, entries: Vec<Entry>) -> Result<()> {
        self.count = u32::try_from(entries.len()).unwrap_or(u32::MAX);
        self.start.bounds.check_pages(self.count)?;
        if entries.is_empty() {
            return Err(ErrorKind::NotAPicture { looks_like: Some("a ZIP archive without an array (.npy)") }.into());
        }
        let place = (self.start.page as usize).saturating_sub(1);
        let (page, count) = (self.start.page, entries.len());
        self.entry = entries.get(place).cloned();
        self.entries = entries;
        match self.entry {
            Some(_) => Ok(()),
            None => {
                let line = format!("there is no page {page}; the file has {count}");
                Err(Error::not_there("page", page.into(), count as u64, line))
            }
        }
    }

    /// Facts of the array as those of a page.
    fn tell(&mut self) {
        let (Some(body), Some(entry)) = (&self.body, &self.entry) else { return };
        let Some(mut facts) = body.array.facts().cloned() else { return };
        facts.format = Some(FileFormat::Npz);
        facts.pages = self.count;
        if self.others > 0 {
            let files = if self.others == 1 { "file" } else { "files" };
            facts.remarks.push(format!("{} {files} of the archive are no arrays and are not read", self.others));
        }
        facts.metadata.text.push(Text { keyword: "Page name".to_string(), text: entry.name.as_str().into() });
        let packed = if entry.deflated { "Deflate" } else { "stored" };
        facts.stored = Some(format!("{}, {packed}", facts.stored.unwrap_or_default()));
        self.facts = Some(facts);
    }

    /// The array's bytes as they lie in the file.
    fn stored(&mut self, input: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        let (Some(body), Some(entry)) = (&mut self.body, &self.entry) else { return Ok(Stop::Done) };
        let next = body.data_at.saturating_add(body.came);
        if self.at != next {
            self.at = next;
            return Ok(Stop::Elsewhere(Jump { to: next, keep_to: Some(u64::MAX), wanted: 0 }));
        }
        let left = usize::try_from(entry.size.saturating_sub(body.came)).unwrap_or(usize::MAX);
        let own = input.get(..left.min(input.len())).unwrap_or_default();
        let mut rest = own;
        let stop = body.array.feed(&mut rest, out)?;
        let taken = own.len().saturating_sub(rest.len());
        if let Some(crc) = &mut body.crc {
            crc.update(own.get(..taken).unwrap_or_default());
        }
        *input = input.get(taken..).unwrap_or_default();
        body.came = body.came.saturating_add(taken as u64);
        self.at = self.at.saturating_add(taken as u64);
        match stop {
            Stop::Elsewhere(jump) => {
                (body.came, body.crc) = (jump.to, None);
                self.stored(input, out)
            }
            // The entry has no more, whatever follows it.
            Stop::NeedInput if body.came >= entry.size => Err(short(entry, &body.array)),
            Stop::Done if body.came >= entry.size => match body.crc.take() {
                Some(crc) if crc.clone().finalize() != entry.crc => Err(spoiled(entry, self.at)),
                _ => Ok(Stop::Done),
            },
            stop => Ok(stop),
        }
    }

    /// The array's bytes unpacked.
    fn unpacked(&mut self, input: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        let (Some(body), Some(entry)) = (&mut self.body, &self.entry) else { return Ok(Stop::Done) };
        let Body { array, data_at, came, inflate: Some(inflate), .. } = body else { return Ok(Stop::Done) };
        loop {
            let mut rest = inflate.piece.get(inflate.used..).unwrap_or_default();
            if inflate.skip > 0 {
                let passed = usize::try_from(inflate.skip).unwrap_or(usize::MAX).min(rest.len());
                rest = rest.get(passed..).unwrap_or_default();
                inflate.skip = inflate.skip.saturating_sub(passed as u64);
            }
            let stop = if inflate.skip > 0 { Stop::NeedInput } else { array.feed(&mut rest, out)? };
            inflate.used = inflate.piece.len().saturating_sub(rest.len());
            match stop {
                Stop::NeedInput => {}
                Stop::Elsewhere(jump) => {
                    let here = inflate.place.saturating_sub(inflate.piece.len().saturating_sub(inflate.used) as u64);
                    inflate.skip = jump.to.saturating_sub(here);
                    continue;
                }
                stop => return Ok(stop),
            }
            let next = data_at.saturating_add(*came);
            if self.at != next {
                self.at = next;
                return Ok(Stop::Elsewhere(Jump { to: next, keep_to: Some(u64::MAX), wanted: 0 }));
            }
            let left = usize::try_from(entry.packed.saturating_sub(*came)).unwrap_or(usize::MAX);
            let own = input.get(..left.min(input.len())).unwrap_or_default();
            let (used, ended) = inflate.more(own)?;
            *input = input.get(used..).unwrap_or_default();
            *came = came.saturating_add(used as u64);
            self.at = self.at.saturating_add(used as u64);
            if inflate.used == inflate.piece.len() {
                if ended || *came >= entry.packed {
                    return Err(short(entry, array));
                }
                return Ok(Stop::NeedInput);
            }
            if ended && inflate.crc.clone().finalize() != entry.crc {
                return Err(spoiled(entry, self.at));
            }
        }
    }
}

#[cold]
fn spoiled(entry: &Entry, at: u64) -> Error {
    let line = format!("the checksum of the array {} is wrong", entry.name);
    Error::malformed(line).in_format(FileFormat::Npz, Some(at))
}

#[cold]
fn short(entry: &Entry, array: &NpyDecoder) -> Error {
    ErrorKind::Truncated(format!("the array {} has {} bytes; {} expected", entry.name, entry.size, array.expected()))
        .into()
}

impl Inflate {
    fn new() -> Inflate {
        let (state, crc) = (Decompress::new(false), crc32fast::Hasher::new());
        Inflate { state, piece: Vec::new(), used: 0, place: 0, skip: 0, crc }
    }

    /// For another array, with what the one before has taken: arrays by the thousand would else leave as many holes in the heap.
    fn again(self) -> Inflate {
        let Inflate { mut state, mut piece, .. } = self;
        state.reset(false);
        piece.clear();
        Inflate { state, piece, used: 0, place: 0, skip: 0, crc: crc32fast::Hasher::new() }
    }

    /// Unpacks the next piece behind what is left of the one before; gives how many bytes it took, and whether there are no more.
    fn more(&mut self, bytes: &[u8]) -> Result<(usize, bool)> {
        self.piece.drain(..self.used);
        self.used = 0;
        let kept = self.piece.len();
        self.piece.resize(kept.saturating_add(PIECE), 0);
        let (used, filled) = (self.state.total_in(), self.state.total_out());
        let room = self.piece.get_mut(kept..).unwrap_or_default();
        let done = self.state.decompress(bytes, room, FlushDecompress::None);
        let made = (self.state.total_out().saturating_sub(filled)) as usize;
        self.piece.truncate(kept.saturating_add(made));
        self.crc.update(self.piece.get(kept..).unwrap_or_default());
        self.place = self.state.total_out();
        let used = (self.state.total_in().saturating_sub(used)) as usize;
        match done {
            Ok(status) => Ok((used, status == Status::StreamEnd)),
            Err(_) => Err(Error::malformed("Deflate data that is wrong")),
        }
    }
}

impl Decoder for NpzDecoder {
    fn feed(&mut self, input: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        if let Some(stop) = self.open(input)? {
            return Ok(stop);
        }
        let packed = self.entry.as_ref().is_some_and(|entry| entry.deflated);
        let stop = if packed { self.unpacked(input, out)? } else { self.stored(input, out)? };
        if stop == Stop::Facts {
            self.tell();
        }
        Ok(stop)
    }

    fn next_page(&mut self) -> Result<bool> {
        let Some(entry) = self.entries.get(self.start.page as usize).cloned() else { return Ok(false) };
        self.start.page = self.start.page.saturating_add(1);
        (self.entry, self.facts, self.state) = (Some(entry), None, State::Local);
        self.part.clear();
        Ok(true)
    }

    fn rewind_page(&mut self) -> Result<bool> {
        let known = self.entry.is_some() && self.facts.is_some();
        if known {
            (self.facts, self.state) = (None, State::Local);
            self.part.clear();
        }
        Ok(known)
    }

    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }

    fn expected(&self) -> String {
        match &self.body {
            Some(body) => body.array.expected(),
            None => "the rest of the archive's directory".to_string(),
        }
    }

    fn row_order(&self) -> RowOrder {
        self.body.as_ref().map_or(RowOrder::TopDown, |body| body.array.row_order())
    }
}
