//! What the chunks before the pixels say, as facts: of the first picture or of a frame.

use super::PngDecoder;
use crate::error::{Error, Result};
use crate::file::png::color::simplify;
use crate::file::png::header::{Color, Header};
use crate::file::png::player::Player;
use crate::frame::{Facts, FileFormat, Palette, PixelFormat};
use crate::pixel::{Layout, Meaning, Rgba};

impl PngDecoder {
    /// Whether the page is a frame that is drawn, and not the first picture.
    pub(super) fn frame(&self) -> Option<usize> {
        let first = self.start.page <= 1;
        self.animation.as_ref().filter(|a| !first && a.walked).and_then(|a| a.frame_of(self.start.page))
    }

    /// The facts of a frame that is drawn, once all are known.
    pub(super) fn begin_frame(&mut self, frame: usize) -> Result<()> {
        let (Some(header), Some(animation)) = (self.header, &self.animation) else { return Ok(()) };
        let Some(control) = animation.frames.get(frame) else {
            let (page, pages) = (self.start.page, animation.pages());
            let line = format!("there is no page {page}; the file has {pages}");
            return Err(Error::not_there("page", page.into(), pages.into(), line));
        };
        let how = (self.start.indices || self.start.frames_alone, self.start.indices);
        let player =
            self.player.get_or_insert_with(|| Player::new(header, self.colors.clone(), self.start.bounds.clone(), how));
        player.go_for(frame, animation, self.start.length)?;
        let (size, layout) = (player.size(control), player.layout(animation));
        self.make_facts(&Header { size, ..header }, Some(layout))
    }

    /// `layout`: of a frame, where it may be another than that of the first picture.
    pub(super) fn make_facts(&mut self, header: &Header, frame: Option<Layout>) -> Result<()> {
        let mut layout = frame.unwrap_or(header.layout(self.colors.transparent()));
        if header.color == Color::Gray && header.bits < 8 {
            let mut tops = vec![255; layout.channels()];
            if let Some(top) = tops.first_mut() {
                *top = (1u32 << header.bits).saturating_sub(1);
            }
            self.metadata.max_codes = Some(tops);
        }
        if header.color == Color::Palette && self.start.indices {
            layout = Layout::Gray;
            self.metadata.meaning = Meaning::Indices;
            let alpha = self.colors.alpha.iter().copied().chain(std::iter::repeat(255));
            let colors = self.colors.palette.iter().zip(alpha).map(|(&[r, g, b], a)| Rgba::new(r, g, b, a));
            self.metadata.palette = Some(Palette::new(colors.collect())?);
        }
        let form = PixelFormat::Pixels { depth: header.depth(), layout };
        simplify(&mut self.metadata);
        let mut facts = Facts::new(header.size, form, self.metadata.clone());
        facts.format = Some(FileFormat::Png);
        facts.stored = Some(self.describe(header));
        self.animate(&mut facts);
        self.facts = Some(facts);
        Ok(())
    }

    /// What an animation adds to the facts.
    fn animate(&self, facts: &mut Facts) {
        let Some(animation) = &self.animation else { return };
        facts.pages = animation.pages();
        if animation.walked {
            facts.page_list = animation.page_list().into();
        }
        facts.plays = Some(animation.plays);
        let frame = animation.frame_of(self.start.page).and_then(|frame| animation.frames.get(frame));
        facts.metadata.delay = frame.map(|f| f.control.delay);
        facts.remarks.extend(animation.remark());
        if let (Some(frame), true) = (frame, self.start.page > 1 && self.start.frames_alone) {
            let (x, y, canvas) = (frame.control.x, frame.control.y, self.header.map_or(frame.control.size, |h| h.size));
            if frame.control.size != canvas {
                facts.remarks.push(format!("the frame lies at {x}, {y} of a canvas of {canvas}"));
            }
        }
    }

    /// How the file stores its pixels, in words.
    fn describe(&self, header: &Header) -> String {
        let transparent = match (header.color, self.colors.transparent()) {
            (_, false) => "",
            (Color::Palette, true) => ", with alpha",
            (_, true) => ", with a transparent colour",
        };
        let colors = match header.color {
            Color::Palette => format!("{} colours, ", self.colors.palette.len()),
            _ => String::new(),
        };
        format!("{colors}{}{transparent}", header.describe())
    }
}
