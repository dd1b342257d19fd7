//! Limits on what a file may claim: plain values with stated defaults, and their checks.
//!
//! Not here: the budget of what is held at once ([`MemoryBudget`](crate::MemoryBudget)), and what metadata have taken so far
//! ([`budget`](super::budget)).

use crate::error::{Error, ErrorKind, Help, Result};
use crate::frame::{Facts, PixelFormat, Size};

/// Limits on the resources that a file may claim. Checked before anything is allocated.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct Limits {
    /// Bytes that one file may take, its picture held whole and what the decoder holds, where it is read without a
    /// [`MemoryBudget`](crate::MemoryBudget); and bytes of one strip: 1 GiB.
    pub memory: u64,
    /// Pixels a side: 2^31.
    pub side: u32,
    /// Bytes of metadata in all: 64 MiB.
    pub metadata: u64,
    /// Pictures in a file: 20,000.
    pub pages: u32,
    /// Channels or planes of a picture: 10,000.
    pub channels: u32,
    /// Scans of a JPEG file: 250. Together they may go over its blocks 40 times, or so many times more as this is raised.
    pub scans: u32,
    /// Pixels for each byte of a file, beside 2^26 (67 million) that any may have: 10,000. No format packs honest pictures so densely
    /// (one colour in two-level PNG: 8,250; runs: 130), so that the time of reading is bounded by the size of the file.
    pub work: u32,
}

impl Default for Limits {
    fn default() -> Self {
        Limits {
            memory: 1 << 30,
            side: 1 << 31,
            metadata: 64 << 20,
            pages: 20_000,
            channels: 10_000,
            scans: 250,
            work: 10_000,
        }
    }
}

impl Limits {
    /// Sets the limit of memory for a picture, in bytes.
    pub fn memory(self, bytes: u64) -> Limits {
        Limits { memory: bytes, ..self }
    }

    /// Sets the limit of a side, in pixels.
    pub fn side(self, pixels: u32) -> Limits {
        Limits { side: pixels, ..self }
    }

    /// Sets the limit of metadata, in bytes.
    pub fn metadata(self, bytes: u64) -> Limits {
        Limits { metadata: bytes, ..self }
    }

    /// Sets the limit of the number of pages.
    pub fn pages(self, pages: u32) -> Limits {
        Limits { pages, ..self }
    }

    /// Sets the limit of the number of channels or planes.
    pub fn channels(self, channels: u32) -> Limits {
        Limits { channels, ..self }
    }

    /// Sets the limit of the number of scans.
    pub fn scans(self, scans: u32) -> Limits {
        Limits { scans, ..self }
    }

    /// Sets the limit of pixels for each byte of a file.
    pub fn work(self, pixels: u32) -> Limits {
        Limits { work: pixels, ..self }
    }

    /// Checks that a picture's sides are within the limit and not zero: what a decoder does with the sizes of a header.
    ///
    /// # Errors
    /// A side of zero or beyond the limit.
    pub fn check_size(&self, size: Size) -> Result<()> {
        if size.is_empty() {
            return Err(ErrorKind::Malformed(format!("a size of {size}; a file holds at least one pixel")).into());
        }
        self.check_sides(size.width.into(), size.height.into())
    }

    /// Checks that sides, which may be more than any picture has, are within the limit.
    pub(super) fn check_sides(&self, width: u64, height: u64) -> Result<()> {
        for (what, side) in [("the width", width), ("the height", height)] {
            check(what, side, u64::from(self.side), "pixels", &[Help::RaiseLimit("side")])?;
        }
        Ok(())
    }

    /// Checks that a picture of these facts may be held whole.
    ///
    /// # Errors
    /// More bytes than [`memory`](Limits::memory).
    pub fn check_picture(&self, facts: &Facts) -> Result<()> {
        self.check_memory("the picture", facts.pixel_format.bytes(facts.size))
    }

    /// Checks that `bytes` of memory are within the limit.
    ///
    /// # Errors
    /// More than [`memory`](Limits::memory).
    pub fn check_memory(&self, what: &str, bytes: u64) -> Result<()> {
        check(what, bytes, self.memory, "bytes", &[Help::RaiseLimit("memory")])
    }

    /// Checks that `bytes` of metadata are within the limit.
    ///
    /// # Errors
    /// More than [`metadata`](Limits::metadata).
    pub fn check_metadata(&self, bytes: u64) -> Result<()> {
        check("the file's metadata", bytes, self.metadata, "bytes", &[Help::RaiseLimit("metadata")])
    }

    /// Checks that so many pixels may come of a file of so many bytes.
    ///
    /// # Errors
    /// More than [`work`](Limits::work) allows.
    pub(super) fn check_work(&self, pixels: u64, bytes: u64) -> Result<()> {
        let most = u64::from(self.work).saturating_mul(bytes).saturating_add(FREE_PIXELS);
        match pixels <= most {
            true => Ok(()),
            false => check(
                &format!("the picture, of a file of {bytes} bytes,"),
                pixels,
                most,
                "pixels",
                &[Help::RaiseLimit("work")],
            ),
        }
    }

    /// Checks the number of pictures.
    pub(super) fn check_pages(&self, pages: u32) -> Result<()> {
        check("the file", u64::from(pages), u64::from(self.pages), "pages", &[Help::RaiseLimit("pages")])
    }

    /// Checks the number of channels or planes.
    pub(super) fn check_channels(&self, format: &PixelFormat) -> Result<()> {
        let count = match format {
            PixelFormat::Pixels { layout, .. } => layout.channels(),
            PixelFormat::Planes { names, .. } => names.len(),
        };
        check("the picture", count as u64, u64::from(self.channels), "channels", &[Help::RaiseLimit("channels")])
    }

    /// Checks the number of scans, and of blocks that they go over of so many that the picture has.
    pub(super) fn check_scans(&self, scans: u32, visits: u64, blocks: u64) -> Result<()> {
        check("the picture", u64::from(scans), u64::from(self.scans), "scans", &[Help::RaiseLimit("scans")])?;
        let times = u64::from(self.scans).saturating_mul(MOST_VISITS).checked_div(250).unwrap_or(0).max(MOST_VISITS);
        let most = blocks.saturating_mul(times).saturating_add(SPARE_VISITS);
        match visits <= most {
            true => Ok(()),
            false => check(
                &format!("going over the picture in {scans} scans"),
                visits,
                most,
                "blocks",
                &[Help::RaiseLimit("scans")],
            ),
        }
    }
}

/// Pixels that any file may have.
const FREE_PIXELS: u64 = 1 << 26;

/// How often the scans may go over each block of the picture, and blocks that small pictures may have beside that. Files of ten scans go
/// over it four times.
const MOST_VISITS: u64 = 40;
const SPARE_VISITS: u64 = 1 << 22;

fn check(what: &str, needed: u64, limit: u64, unit: &'static str, help: &'static [Help]) -> Result<()> {
    if needed <= limit {
        return Ok(());
    }
    Err(Error::from(ErrorKind::Limit { what: what.to_string(), needed, limit, unit }).with_help(help))
}
