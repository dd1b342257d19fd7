//! The bytes of a file or a stream: a block of them at hand, a count of those used, and jumps.
//!
//! A stream that a format must read in another order than it comes in is kept: in memory as long as it is small, in a
//! temporary file otherwise.

use super::decoder::Jump;
use crate::error::{Error, Result};
use std::io::{Read, Seek, SeekFrom, Write};

/// Bytes at hand at most.
const BLOCK: usize = 64 << 10;
/// Bytes read at a time while only a header is wanted, and how many bytes of the file are read so; what is longer is read in blocks.
const HEADER_BLOCK: usize = 4 << 10;
const SHORT_HEADER: u64 = 16 << 10;
/// Bytes of a stream that are kept in memory before a temporary file takes them.
const KEPT_IN_MEMORY: usize = 16 << 20;

/// What can be read in any order.
pub(super) trait ReadSeek: Read + Seek + Send {}
impl<T: Read + Seek + Send> ReadSeek for T {}

enum From<'a> {
    /// In the order in which it comes.
    Stream(Box<dyn Read + Send + 'a>),
    /// In any order; byte 0 of it is this byte of the file.
    Anywhere(Box<dyn ReadSeek + 'a>, u64),
}

/// Bytes, and where one stands in them.
pub(super) struct Input<'a> {
    from: From<'a>,
    block: Vec<u8>,
    at: usize,
    end: usize,
    /// Bytes of the file before those at hand.
    used: u64,
    ended: bool,
    /// Bytes that are wanted behind the last jump and have not been read.
    wanted: usize,
    /// Whether only facts are wanted, so that little is read at a time.
    header_only: bool,
}

impl<'a> Input<'a> {
    fn new(from: From<'a>, header_only: bool) -> Input<'a> {
        Input { from, block: vec![0; BLOCK], at: 0, end: 0, used: 0, ended: false, wanted: 0, header_only }
    }

    pub(super) fn stream(from: impl Read + Send + 'a, header_only: bool) -> Input<'a> {
        Input::new(From::Stream(Box::new(from)), header_only)
    }

    pub(super) fn anywhere(from: impl Read + Seek + Send + 'a, header_only: bool) -> Input<'a> {
        Input::new(From::Anywhere(Box::new(from), 0), header_only)
    }

    /// Bytes of the whole file, where it can be read in any order.
    pub(super) fn length(&mut self) -> Option<u64> {
        match &mut self.from {
            From::Stream(_) => None,
            From::Anywhere(file, base) => {
                let here = file.stream_position().ok()?;
                let end = file.seek(SeekFrom::End(0)).ok()?;
                file.seek(SeekFrom::Start(here)).ok()?;
                Some(end.saturating_add(*base))
            }
        }
    }

    /// Whether its first bytes cannot be read a second time.
    pub(super) fn is_stream(&self) -> bool {
        !matches!(self.from, From::Anywhere(_, 0))
    }

    pub(super) fn used(&self) -> u64 {
        self.used
    }

    pub(super) fn at_hand(&self) -> &[u8] {
        self.block.get(self.at..self.end).unwrap_or_default()
    }

    pub(super) fn take(&mut self, count: usize) {
        let count = count.min(self.end.saturating_sub(self.at));
        self.at = self.at.saturating_add(count);
        self.used = self.used.saturating_add(count as u64);
    }

    /// Reads until at least `wanted` bytes are at hand, or the input has ended.
    pub(super) fn fill(&mut self, wanted: usize) -> Result<()> {
        if self.at > 0 {
            self.block.copy_within(self.at..self.end, 0);
            self.end = self.end.saturating_sub(self.at);
            self.at = 0;
        }
        while !self.ended && self.end < wanted.min(BLOCK) {
            self.read_on()?;
        }
        Ok(())
    }

    /// Bytes it is worth reading at a time.
    pub(super) fn portion(&self) -> usize {
        match self.wanted {
            0 if self.header_only && self.used < SHORT_HEADER => HEADER_BLOCK,
            0 => BLOCK,
            wanted => wanted,
        }
    }

    /// Whether only facts are wanted.
    pub(super) fn header_only(&self) -> bool {
        self.header_only
    }

    fn read_on(&mut self) -> Result<()> {
        let most = self.portion();
        let room = self.block.get_mut(self.end..).unwrap_or_default();
        let most = most.min(room.len());
        let room = room.get_mut(..most).unwrap_or_default();
        let count = match &mut self.from {
            From::Stream(stream) => some(stream, room)?,
            From::Anywhere(file, _) => some(file, room)?,
        };
        self.ended = count == 0;
        self.wanted = self.wanted.saturating_sub(count);
        self.end = self.end.saturating_add(count);
        Ok(())
    }

    /// Goes to another byte of the file.
    pub(super) fn jump(&mut self, jump: Jump) -> Result<()> {
        if let (From::Stream(_), Some(keep_to)) = (&self.from, jump.keep_to) {
            self.keep(keep_to)?;
        }
        let ahead = jump.to.checked_sub(self.used).and_then(|n| usize::try_from(n).ok());
        if let Some(ahead) = ahead.filter(|&n| n <= self.at_hand().len()) {
            self.take(ahead);
            return Ok(());
        }
        match &mut self.from {
            From::Anywhere(file, base) => {
                let place = jump.to.checked_sub(*base).ok_or_else(gone)?;
                file.seek(SeekFrom::Start(place)).map_err(|e| Error::io("cannot go to another place in it", e))?;
                (self.at, self.end, self.used, self.ended, self.wanted) = (0, 0, jump.to, false, jump.wanted);
            }
            From::Stream(_) => {
                if jump.to < self.used {
                    return Err(gone());
                }
                while self.used < jump.to && !(self.ended && self.at_hand().is_empty()) {
                    let ahead = usize::try_from(jump.to.saturating_sub(self.used)).unwrap_or(BLOCK);
                    self.take(ahead.min(self.at_hand().len()));
                    if self.used < jump.to {
                        self.fill(1)?;
                    }
                }
            }
        }
        Ok(())
    }

    /// Keeps a stream from here on up to byte `to` of the file, so that it can be read in any order.
    pub(super) fn keep(&mut self, to: u64) -> Result<()> {
        let base = self.used;
        let mut kept = tempfile::spooled_tempfile(KEPT_IN_MEMORY);
        kept.write_all(self.at_hand()).map_err(keeping)?;
        let missing = to.saturating_sub(base).saturating_sub(self.at_hand().len() as u64);
        if let From::Stream(stream) = &mut self.from {
            std::io::copy(&mut stream.take(missing), &mut kept).map_err(keeping)?;
        }
        kept.rewind().map_err(keeping)?;
        self.from = From::Anywhere(Box::new(kept), base);
        (self.at, self.end, self.ended) = (0, 0, false);
        Ok(())
    }
}

/// Reads some bytes; none at the end.
fn some(from: &mut (impl Read + ?Sized), room: &mut [u8]) -> Result<usize> {
    loop {
        match from.read(room) {
            Ok(count) => return Ok(count),
            Err(e) if e.kind() == std::io::ErrorKind::Interrupted => {}
            Err(e) if e.kind() == std::io::ErrorKind::IsADirectory => {
                return Err(Error::invalid("path", "this is a folder, not a picture file"));
            }
            Err(e) => return Err(Error::io("cannot read on", e)),
        }
    }
}

#[cold]
fn gone() -> Error {
    Error::not_supported("reading a stream twice; save it to a file first")
}

fn keeping(e: std::io::Error) -> Error {
    Error::io("cannot keep the stream in a temporary file", e)
}
