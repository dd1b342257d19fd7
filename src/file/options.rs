//! Limits and options: plain values with stated defaults.

use crate::error::{ErrorKind, Result};
use crate::frame::{Facts, Format, Size};

/// What a file may make us do. Checked before anything is allocated.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct Limits {
    /// Bytes of a picture held whole, and of a strip: 1 GiB.
    pub memory: u64,
    /// Pixels a side: 2^31.
    pub side: u32,
    /// Bytes of metadata in all: 64 MiB.
    pub metadata: u64,
}

impl Default for Limits {
    fn default() -> Self {
        Limits { memory: 1 << 30, side: 1 << 31, metadata: 64 << 20 }
    }
}

impl Limits {
    /// The same limits with so many bytes of memory for a picture.
    pub fn memory(self, bytes: u64) -> Limits {
        Limits { memory: bytes, ..self }
    }

    /// Whether a picture's sides are within the limit and not zero.
    pub(crate) fn check_size(&self, size: Size) -> Result<()> {
        if size.is_empty() {
            return Err(ErrorKind::Damaged(format!("a size of {size}; a file holds at least one pixel")).into());
        }
        for (what, side) in [("the width", size.width), ("the height", size.height)] {
            check(what, u64::from(side), u64::from(self.side))?;
        }
        Ok(())
    }

    /// Whether a picture of these facts may be held whole.
    ///
    /// # Errors
    /// More bytes than [`memory`](Limits::memory).
    pub fn check_picture(&self, facts: &Facts) -> Result<()> {
        self.check_memory("the picture", facts.form.bytes(facts.size))
    }

    /// Whether so many bytes may be taken.
    pub(crate) fn check_memory(&self, what: &str, bytes: u64) -> Result<()> {
        check(what, bytes, self.memory)
    }

    /// Whether so many bytes of metadata may be taken.
    pub(crate) fn check_metadata(&self, bytes: u64) -> Result<()> {
        check("the file's metadata", bytes, self.metadata)
    }
}

fn check(what: &str, needed: u64, limit: u64) -> Result<()> {
    if needed <= limit {
        return Ok(());
    }
    Err(ErrorKind::Limit { what: what.to_string(), needed, limit }.into())
}

/// How to read.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub struct ReadOptions {
    /// What the file may make us do.
    pub limits: Limits,
}

impl ReadOptions {
    /// The default options with these limits.
    pub fn limits(limits: Limits) -> ReadOptions {
        ReadOptions { limits }
    }
}

/// How to write.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct WriteOptions {
    /// The format; the file name's ending decides where it is not given.
    pub format: Option<Format>,
    /// How hard to compress, where the format compresses: 0 stores, 1 to 9 are Deflate's levels; 3 by default.
    pub effort: u8,
}

impl Default for WriteOptions {
    fn default() -> Self {
        WriteOptions { format: None, effort: 3 }
    }
}

impl WriteOptions {
    /// The same options with this format.
    pub fn format(self, format: Format) -> WriteOptions {
        WriteOptions { format: Some(format), ..self }
    }

    /// The same options with this effort; above 9 counts as 9.
    pub fn effort(self, effort: u8) -> WriteOptions {
        WriteOptions { effort: effort.min(9), ..self }
    }
}
