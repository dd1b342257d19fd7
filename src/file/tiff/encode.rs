//! Writing: little-endian; strips or tiles as they come, each page's directory behind them, the header last. A file of up to 4 GiB is
//! TIFF, a larger one BigTIFF: the header has room for either.

use super::halves::Halves;
use super::page_out::{Packers, PageOut, Place, Plan};
use super::page_tags::{Link, camera, layout_tags, metadata_tags, remarks_on};
use super::shape::Packing;
use super::tags;
use super::tags_out::{Tags, offset_bytes};
use crate::error::{Error, Help, Result};
use crate::file::encoder::{Encoder, Output, cannot_hold, palette_of, put_bytes};
use crate::file::holds::plays_left_out;
use crate::file::options::{TiffCompression, WriteOptions};
use crate::frame::{Content, Facts, FileFormat};
use std::io::{Read, Seek, Write};

/// Bytes kept in memory before a temporary file takes them, where the output can only be written in order.
const KEPT_IN_MEMORY: usize = 16 << 20;
/// Bytes that the header has room for.
const HEADER: u64 = 16;

/// An encoder of TIFF: given rows, gives bytes.
pub(in crate::file) struct TiffEncoder {
    options: WriteOptions,
    /// What is written in order and kept, where the header cannot be put last.
    kept: Option<tempfile::SpooledTempFile>,
    begun: bool,
    /// Where the next byte goes.
    at: u64,
    page: Page,
    packers: Packers,
    /// Pages that are complete, with what hangs below each.
    done: Vec<Done>,
    remarks: Vec<String>,
}

struct Page {
    facts: Facts,
    main: PageOut,
    halves: Option<Halves>,
}

struct Done {
    tags: Tags,
    offsets: Chunks,
    below: Vec<(Tags, Chunks)>,
    /// The directories of a camera.
    links: Vec<Link>,
}

/// Where strips or tiles are.
struct Chunks {
    tiled: bool,
    offsets: Vec<u64>,
    counts: Vec<u64>,
}

/// The output as a place to append to.
struct Behind<'o> {
    out: &'o mut dyn Output,
    kept: Option<&'o mut tempfile::SpooledTempFile>,
    at: &'o mut u64,
}

impl Place for Behind<'_> {
    fn append(&mut self, bytes: &[u8]) -> Result<u64> {
        // Offsets are even, says the standard.
        let odd = *self.at % 2 == 1;
        let place = self.at.saturating_add(u64::from(odd));
        let mut put = |bytes: &[u8]| match &mut self.kept {
            Some(kept) => kept.write_all(bytes).map_err(keeping),
            None => put_bytes(self.out, bytes),
        };
        if odd {
            put(&[0])?;
        }
        put(bytes)?;
        *self.at = place.saturating_add(bytes.len() as u64);
        Ok(place)
    }
}

impl TiffEncoder {
    /// Starts a file; nothing is written yet.
    pub(in crate::file) fn new(facts: &Facts, options: &WriteOptions) -> Result<TiffEncoder> {
        let mut remarks = Vec::new();
        let packers = Packers::new(u32::from(options.compression.min(9)));
        let page = Page::new(facts, options, &packers, &mut remarks)?;
        remarks.extend(plays_left_out(options));
        let (kept, done) = (None, Vec::new());
        Ok(TiffEncoder { options: options.clone(), kept, begun: false, at: 0, page, packers, done, remarks })
    }

    fn begin(&mut self, out: &mut dyn Output) -> Result<()> {
        if self.begun {
            return Ok(());
        }
        self.begun = true;
        if !out.place(0)? {
            self.kept = Some(tempfile::spooled_tempfile(KEPT_IN_MEMORY));
        }
        self.behind(out).append(&[0; HEADER as usize]).map(|_| ())
    }

    fn behind<'o>(&'o mut self, out: &'o mut dyn Output) -> Behind<'o> {
        Behind { out, kept: self.kept.as_mut(), at: &mut self.at }
    }

    /// Ends the page: what its directory will say is known now.
    fn end_page(&mut self, out: &mut dyn Output) -> Result<()> {
        let halves = self.page.halves.take();
        let mut below = Vec::new();
        if let Some(halves) = halves {
            let mut to = Behind { out, kept: self.kept.as_mut(), at: &mut self.at };
            for level in halves.finish(&mut to)? {
                let mut tags = Tags::default();
                layout_tags(&self.page.facts, &level.plan, &mut tags);
                tags.longs(tags::SUBFILE_TYPE, &[1]);
                below.push((tags, Chunks::of(level)));
            }
        }
        let mut tags = Tags::default();
        let facts = &self.page.facts;
        layout_tags(facts, &self.page.main.plan, &mut tags);
        if self.options.pages > 1 || !self.done.is_empty() {
            tags.longs(tags::SUBFILE_TYPE, &[2]);
        }
        metadata_tags(facts, &mut tags);
        let plan = self.page.main.plan.clone();
        let main = std::mem::replace(&mut self.page.main, PageOut::new(plan));
        let links = camera(facts);
        self.done.push(Done { tags, offsets: Chunks::of(main), below, links });
        Ok(())
    }

    /// Writes all directories, then the header.
    fn directories(&mut self, out: &mut dyn Output) -> Result<()> {
        // Directories take little; where what there is comes near to 4 GiB the file has offsets of 64 bits.
        let chunks = self.done.iter().flat_map(|d| std::iter::once(&d.offsets).chain(d.below.iter().map(|b| &b.1)));
        let tables = chunks.map(|c| c.offsets.len() as u64).fold(0u64, u64::saturating_add).saturating_mul(16);
        let wide = self.at.saturating_add(tables).saturating_add(256 << 20) > u64::from(u32::MAX);
        let done = std::mem::take(&mut self.done);
        let count = done.len();
        // Each is told where the next one is, so the last is written first.
        let mut next = 0u64;
        for (i, page) in done.into_iter().enumerate().rev() {
            let Done { mut tags, offsets, below, links } = page;
            let mut all = Vec::new();
            for (mut tags, chunks) in below {
                chunks.put(&mut tags, wide);
                all.push(self.directory(&tags, 0, wide, out)?);
            }
            if !all.is_empty() {
                let kind = if wide { tags::IFD8 } else { tags::IFD };
                tags.put(tags::SUB_DIRECTORIES, kind, all.len() as u64, offset_bytes(&all, wide));
            }
            for Link { tag, tags: mut below, further } in links {
                for (tag, tags) in further {
                    let at = self.directory(&tags, 0, wide, out)?;
                    below.offsets(tag, &[at], wide);
                }
                let at = self.directory(&below, 0, wide, out)?;
                tags.offsets(tag, &[at], wide);
            }
            offsets.put(&mut tags, wide);
            if count > 1 {
                let number = u16::try_from(i).unwrap_or(u16::MAX);
                tags.words(297, &[number, u16::try_from(count).unwrap_or(u16::MAX)]);
            }
            next = self.directory(&tags, next, wide, out)?;
        }
        let header = match wide {
            false => [b"II\x2a\0".to_vec(), (next as u32).to_le_bytes().to_vec()].concat(),
            true => [b"II\x2b\0\x08\0\0\0".to_vec(), next.to_le_bytes().to_vec()].concat(),
        };
        match &mut self.kept {
            Some(kept) => {
                kept.rewind().and_then(|()| kept.write_all(&header)).and_then(|()| kept.rewind()).map_err(keeping)?;
                let mut block = vec![0; 64 << 10];
                loop {
                    match kept.read(&mut block).map_err(keeping)? {
                        0 => return Ok(()),
                        count => put_bytes(out, block.get(..count).unwrap_or_default())?,
                    }
                }
            }
            None => {
                out.place(0)?;
                put_bytes(out, &header)
            }
        }
    }

    /// Writes a directory that is followed by the one at `next`; gives where it is.
    fn directory(&mut self, tags: &Tags, next: u64, wide: bool, out: &mut dyn Output) -> Result<u64> {
        let at = self.at.saturating_add(self.at % 2);
        let (mut bytes, link) = tags.directory(at, wide)?;
        let next = offset_bytes(&[next], wide);
        if let Some(place) = bytes.get_mut(link..link.saturating_add(next.len())) {
            place.copy_from_slice(&next);
        }
        self.behind(out).append(&bytes)
    }
}

impl Chunks {
    fn of(page: PageOut) -> Chunks {
        Chunks { tiled: page.plan.tile.is_some(), offsets: page.offsets, counts: page.counts }
    }

    fn put(&self, tags: &mut Tags, wide: bool) {
        let (at, counts) = match self.tiled {
            true => (tags::TILE_OFFSETS, tags::TILE_BYTES),
            false => (tags::STRIP_OFFSETS, tags::STRIP_BYTES),
        };
        tags.offsets(at, &self.offsets, wide);
        tags.offsets(counts, &self.counts, wide);
    }
}

impl Page {
    fn new(facts: &Facts, options: &WriteOptions, packers: &Packers, remarks: &mut Vec<String>) -> Result<Page> {
        if palette_of(facts)?.is_some_and(|palette| !palette.is_opaque()) {
            let help = &[Help::NoIndices, Help::Extension("png")];
            return Err(cannot_hold(FileFormat::Tiff, "a palette with alpha", help));
        }
        let packing = match options.tiff.compression {
            _ if options.compression == 0 => Packing::None,
            TiffCompression::None => Packing::None,
            TiffCompression::PackBits => Packing::PackBits,
            TiffCompression::Lzw => Packing::Lzw,
            TiffCompression::Deflate => Packing::Deflate,
        };
        let tile = match options.tiff.tile {
            0 => None,
            tile if tile % 16 == 0 => Some(u32::from(tile)),
            tile => {
                let line = format!("tiles of {tile} pixels; TIFF has multiples of 16");
                return Err(Error::out_of_range("tile", f64::from(tile), (16.0, 65_520.0), line));
            }
        };
        let plan = Plan::of(facts, packing, packers, tile, options.threads);
        if plan.samples > usize::from(u16::MAX) {
            return Err(Error::not_supported(format!("TIFF of {} samples a pixel", plan.samples)));
        }
        let halves = options.tiff.reduced_copies.then(|| Halves::new(facts, &plan));
        remarks_on(facts, remarks);
        Ok(Page { facts: facts.clone(), main: PageOut::new(plan), halves })
    }
}

impl Encoder for TiffEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        self.begin(out)?;
        let mut to = Behind { out, kept: self.kept.as_mut(), at: &mut self.at };
        self.page.main.put(rows, &mut to)?;
        match &mut self.page.halves {
            Some(halves) => halves.put(rows, &mut to),
            None => Ok(()),
        }
    }

    fn next_page(&mut self, facts: &Facts, out: &mut dyn Output) -> Result<()> {
        self.begin(out)?;
        self.end_page(out)?;
        self.page = Page::new(facts, &self.options, &self.packers, &mut self.remarks)?;
        Ok(())
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        self.begin(out)?;
        self.end_page(out)?;
        self.directories(out)
    }

    fn remarks(&self) -> Vec<String> {
        let mut remarks = self.remarks.clone();
        remarks.dedup();
        remarks
    }
}

fn keeping(e: std::io::Error) -> Error {
    Error::io("cannot keep the file in a temporary one", e)
}
