//! What the blocks say, as facts of a page.

use super::GifDecoder;
use crate::error::{Error, Result};
use crate::file::gif::blocks::{Blocks, Disposal, FrameInfo};
use crate::frame::{Facts, FileFormat, Metadata, Palette, PixelFormat, Text};
use crate::memory::Charge;
use crate::pixel::{Depth, Layout, Meaning, Rgba};

impl GifDecoder {
    /// What is known makes facts.
    pub(super) fn make_facts(&mut self) -> Result<()> {
        let blocks = &self.blocks;
        let pages = u32::try_from(blocks.frames.len()).unwrap_or(u32::MAX);
        let Some(frame) = blocks.frames.get(self.page) else {
            let page = self.start.page;
            if pages == 0 {
                return Err(Error::malformed("a file without a frame").in_format(FileFormat::Gif, Some(blocks.at)));
            }
            let line = format!("there is no page {page}; the file has {pages}");
            return Err(Error::not_there("page", page.into(), pages.into(), line));
        };
        let size = if self.alone() { frame.size } else { blocks.canvas() };
        self.start.bounds.check_size(size)?;
        let mut metadata = Metadata { delay: frame.delay.map(|d| f64::from(d) / 100.0), ..Metadata::default() };
        let mut layout = if self.sees_through() { Layout::Rgba } else { Layout::Rgb };
        if self.start.indices {
            metadata.meaning = Meaning::Indices;
            metadata.palette = Some(palette_of(blocks, frame)?);
            layout = Layout::Gray;
        }
        if !blocks.comment.is_empty() {
            // Seven-bit ASCII, says the standard; what is more is taken as UTF-8 where it is.
            let _beside = Charge::take(self.start.bounds.account(), blocks.comment.len() as u64)?;
            let text = String::from_utf8_lossy(&blocks.comment);
            metadata.text.push(Text { keyword: "Comment".to_string(), text: text.as_ref().into() });
        }
        let mut facts = Facts::new(size, PixelFormat::Pixels { depth: Depth::U8, layout }, metadata);
        facts.format = Some(FileFormat::Gif);
        let interlaced = if frame.interlaced { "interlaced" } else { "not interlaced" };
        let colors = if frame.colors > 0 { frame.colors } else { blocks.palette.len() / 3 };
        let own = if frame.colors > 0 { ", a palette of its own" } else { "" };
        let version = if blocks.screen.is_some_and(|s| s.is_89a) { "89a" } else { "87a" };
        facts.stored = Some(format!("{version}, {colors} colours{own}, {interlaced}"));
        if self.alone() && frame.size != blocks.canvas() {
            let (x, y, canvas) = (frame.x, frame.y, blocks.canvas());
            facts.remarks.push(format!("the frame lies at {x}, {y} of a canvas of {canvas}"));
        }
        facts.pages = pages;
        facts.page_list.clone_from(self.page_list.get_or_insert_with(|| blocks.page_list().into()));
        facts.plays = blocks.plays.or((pages > 1).then_some(1));
        facts.remarks.extend(blocks.remarks.iter().cloned());
        self.facts = Some(facts);
        Ok(())
    }

    /// Whether the pages may show what is behind them.
    fn sees_through(&self) -> bool {
        let blocks = &self.blocks;
        let canvas = blocks.canvas();
        let covers = |f: &FrameInfo| (f.x, f.y, f.size) == (0, 0, canvas) && f.transparent.is_none();
        if self.start.frames_alone {
            return blocks.frames.get(self.page).is_some_and(|f| f.transparent.is_some());
        }
        let clears = blocks.frames.iter().any(|f| f.disposal != Disposal::Keep);
        let all_cover = blocks.frames.iter().all(covers);
        // Where something is cleared, only frames that cover all of it again hide that.
        !blocks.frames.first().is_some_and(covers) || clears && !all_cover
    }
}

/// The palette of a frame, with black for numbers that its codes can have beyond it.
fn palette_of(blocks: &Blocks, frame: &FrameInfo) -> Result<Palette> {
    let bytes = if frame.colors > 0 { &blocks.local } else { &blocks.palette };
    let mut colors: Vec<Rgba<u8>> = bytes.as_chunks::<3>().0.iter().map(|&[r, g, b]| Rgba::new(r, g, b, 255)).collect();
    let all = 1usize.checked_shl(frame.code_bits.into()).unwrap_or(256).min(256);
    colors.resize(colors.len().max(all), Rgba::new(0, 0, 0, 255));
    if let Some(clear) = frame.transparent.and_then(|i| colors.get_mut(usize::from(i))) {
        clear.a = 0;
    }
    Palette::new(colors)
}
