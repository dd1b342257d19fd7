//! Luma and colour differences as raw bytes: held whole, turned into red, green and blue, and back.

use crate::color::ycbcr::{YcbcrLayout, to_ycbcr};
use crate::error::{ErrorKind, Help, Result};
use crate::file::bounds::Bounds;
use crate::file::decoder::{Decoder, RowsOut, Slot, Start, Stop, gather};
use crate::file::encoder::{Encoder, Output, cannot_hold, put_bytes};
use crate::file::holds::{Holds, left_out};
use crate::frame::{Content, Facts, FileFormat, Metadata, PixelFormat, Pixels, RowOrder, SamplesMut, SamplesRef};
use crate::memory::{self, Charge};
use crate::pixel::{Depth, Layout, Rgb};

/// The depth that has room for the codes.
fn depth_of(layout: &YcbcrLayout) -> Depth {
    if layout.rules.bits > 8 { Depth::U16 } else { Depth::U8 }
}

/// A decoder of luma and colour differences.
pub(in crate::file) struct YcbcrDecoder {
    layout: YcbcrLayout,
    bounds: Bounds,
    facts: Facts,
    said_facts: bool,
    needed: usize,
    bytes: Vec<u8>,
    pixels: Option<Pixels>,
    given: u32,
    charge: Charge,
}

impl YcbcrDecoder {
    pub(in crate::file) fn new(start: &Start, layout: YcbcrLayout) -> Result<YcbcrDecoder> {
        start.bounds.check_size(layout.size)?;
        let needed = layout.bytes_needed()?;
        if let Some(length) = start.length.filter(|&length| length < needed as u64) {
            let found = usize::try_from(length).unwrap_or(usize::MAX);
            let detail = format!(" ({layout})");
            return Err(ErrorKind::WrongLength { unit: "bytes", needed, found, detail }.into());
        }
        let layout = YcbcrLayout { rules: layout.rules.threads(start.threads), ..layout };
        let form = PixelFormat::Pixels { depth: depth_of(&layout), layout: Layout::Rgb };
        let mut facts = Facts::new(layout.size, form, Metadata::default());
        facts.format = Some(FileFormat::Raw);
        facts.stored = Some(layout.to_string());
        let more = start.length.and_then(|length| length.checked_sub(needed as u64)).filter(|&more| more > 0);
        if let Some(more) = more {
            facts.remarks.push(format!("{more} bytes behind the last row are not part of the picture"));
        }
        // The bytes, and their planes while they are turned.
        let charge = start.bounds.charge("luma and colour differences, which are held whole,", needed as u64)?;
        let (bounds, bytes) = (start.bounds.clone(), Vec::new());
        Ok(YcbcrDecoder { layout, bounds, facts, said_facts: false, needed, bytes, pixels: None, given: 0, charge })
    }

    fn turned(&self) -> Result<Pixels> {
        self.bounds.check_memory("the picture", self.facts.pixel_format.bytes(self.layout.size))?;
        Ok(match depth_of(&self.layout) {
            Depth::U8 => self.layout.read::<u8>(&self.bytes)?.to_rgb::<u8>()?.into(),
            _ => self.layout.read::<u16>(&self.bytes)?.to_rgb::<u16>()?.into(),
        })
    }
}

impl Decoder for YcbcrDecoder {
    fn feed(&mut self, rest: &mut &[u8], out: &mut RowsOut<'_>) -> Result<Stop> {
        if !std::mem::replace(&mut self.said_facts, true) {
            return Ok(Stop::Facts);
        }
        if out.is_full() && self.bytes.is_empty() && self.pixels.is_none() {
            return Ok(Stop::RowsGiven);
        }
        if self.pixels.is_none() {
            if !gather(&mut self.bytes, rest, self.needed) {
                return Ok(Stop::NeedInput);
            }
            self.pixels = Some(self.turned()?);
            (self.bytes, self.charge) = (Vec::new(), Charge::NONE);
        }
        let Some(pixels) = &self.pixels else { return Ok(Stop::Done) };
        while self.given < self.layout.size.height {
            match (out.next_row(), pixels.row(self.given)) {
                (Slot::Full, _) => return Ok(Stop::RowsGiven),
                (Slot::Row(SamplesMut::U8(to)), SamplesRef::U8(row)) => to.copy_from_slice(row),
                (Slot::Row(SamplesMut::U16(to)), SamplesRef::U16(row)) => to.copy_from_slice(row),
                _ => {}
            }
            self.given = self.given.saturating_add(1);
        }
        Ok(Stop::Done)
    }

    fn facts(&self) -> Option<&Facts> {
        Some(&self.facts)
    }

    fn expected(&self) -> String {
        format!("byte {} of {}", self.bytes.len(), self.needed)
    }

    fn row_order(&self) -> RowOrder {
        RowOrder::Whole
    }
}

/// An encoder of luma and colour differences.
pub(in crate::file) struct YcbcrEncoder {
    layout: YcbcrLayout,
    whole: Content,
    given: u32,
    remarks: Vec<String>,
}

impl YcbcrEncoder {
    /// The layout's size is that of the picture.
    pub(in crate::file) fn new(facts: &Facts, layout: YcbcrLayout) -> Result<YcbcrEncoder> {
        let layout = YcbcrLayout { size: facts.size, ..layout };
        let refuse = |what: String, help: &'static [Help]| Err(cannot_hold(FileFormat::Raw, &what, help));
        let what = || {
            format!("{} as luma and colour differences of {} bits", facts.pixel_format.describe(), layout.rules.bits)
        };
        match (&facts.pixel_format, depth_of(&layout)) {
            (PixelFormat::Pixels { layout: Layout::Rgb, depth: Depth::U8 }, Depth::U8) => {}
            (PixelFormat::Pixels { layout: Layout::Rgb, depth: Depth::U16 }, Depth::U16) => {}
            (PixelFormat::Pixels { layout: Layout::Rgb, .. }, Depth::U8) => {
                return refuse(what(), &[Help::Depth(&[Depth::U8])]);
            }
            (PixelFormat::Pixels { layout: Layout::Rgb, .. }, _) => {
                return refuse(what(), &[Help::Depth(&[Depth::U16])]);
            }
            (PixelFormat::Pixels { layout: of, .. }, _) if of.has_alpha() => return refuse(what(), &[Help::Flatten]),
            _ => return refuse(what(), &[Help::Color]),
        }
        layout.bytes_needed()?;
        let whole = Content::zeros(facts.size, &facts.pixel_format, facts.account())?;
        Ok(YcbcrEncoder { layout, whole, given: 0, remarks: left_out(&facts.metadata, Holds::default()) })
    }
}

impl Encoder for YcbcrEncoder {
    fn put(&mut self, rows: &Content, _: &mut dyn Output) -> Result<()> {
        let count = rows.size().height;
        self.whole.put_rows(self.given, rows, 0..count)?;
        self.given = self.given.saturating_add(count);
        Ok(())
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        let needed = self.layout.bytes_needed()?;
        let _charge = Charge::take(self.whole.account(), needed as u64)?;
        let mut bytes = memory::zeros(needed)?;
        let (pixels, rules) = (self.whole.pixels()?, &self.layout.rules);
        match depth_of(&self.layout) {
            Depth::U8 => self.layout.write::<u8>(&to_ycbcr(pixels.view::<Rgb<u8>>()?, rules)?, &mut bytes)?,
            _ => self.layout.write::<u16>(&to_ycbcr(pixels.view::<Rgb<u16>>()?, rules)?, &mut bytes)?,
        }
        put_bytes(out, &bytes)
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}
