//! Writing.

use crate::error::{Help, Result};
use crate::file::encoder::{Encoder, Output, cannot_hold, put_bytes};
use crate::file::holds::{Holds, left_out};
use crate::file::reversed::ReversedRows;
use crate::frame::{Content, Facts, FileFormat, PixelFormat, RawLayout, Size};
use crate::memory::{self, Charge};
use crate::pixel::Meaning;

/// An encoder of bytes as a layout describes them.
pub(in crate::file) struct RawEncoder {
    layout: RawLayout,
    /// Bytes from row to row.
    stride: usize,
    bytes: Vec<u8>,
    /// All rows, where each plane has rows of its own.
    whole: Option<Content>,
    /// Rows that start from the lowest.
    upward: Option<ReversedRows>,
    given: u32,
    remarks: Vec<String>,
}

impl RawEncoder {
    /// Starts with the bytes before the first row. The layout's size is that of the picture.
    pub(in crate::file) fn new(facts: &Facts, layout: Option<RawLayout>, out: &mut dyn Output) -> Result<RawEncoder> {
        let refuse = |what: &str, help: &'static [Help]| Err(cannot_hold(FileFormat::Raw, what, help));
        let Some(layout) = layout else {
            return refuse("a picture whose layout is not named", &[Help::RawLayoutOut]);
        };
        let layout = RawLayout { size: facts.size, ..layout };
        if facts.pixel_format != (PixelFormat::Pixels { depth: layout.depth, layout: layout.layout() }) {
            let what = format!("{} as {} {}", facts.pixel_format.describe(), layout.layout(), layout.depth);
            let has_alpha = matches!(&facts.pixel_format, PixelFormat::Pixels { layout, .. } if layout.has_alpha());
            let remedy = match layout.layout().has_alpha() && !has_alpha {
                true => &[Help::RawAlphaIgnored][..],
                false => &[Help::RawLayoutOut][..],
            };
            return refuse(&what, remedy);
        }
        let measures = layout.measures()?;
        let gathered = layout.planar && layout.channels() > 1;
        let whole =
            if gathered { Some(Content::zeros(facts.size, &facts.pixel_format, facts.account())?) } else { None };
        if !gathered {
            put_zeros(layout.offset, out)?;
        }
        let upward = (layout.bottom_up && !gathered)
            .then(|| ReversedRows::new(measures.stride, facts.size.height, layout.offset as u64));
        let mut remarks = left_out(&facts.metadata, Holds::default());
        if facts.metadata.meaning == Meaning::Indices {
            remarks.push("the palette is not kept: the numbers are written without their colours".to_string());
        }
        Ok(RawEncoder { layout, stride: measures.stride, bytes: Vec::new(), whole, upward, given: 0, remarks })
    }
}

fn put_zeros(count: usize, out: &mut dyn Output) -> Result<()> {
    let zeros = [0u8; 4096];
    let mut left = count;
    while left > 0 {
        let now = left.min(zeros.len());
        put_bytes(out, zeros.get(..now).unwrap_or_default())?;
        left = left.saturating_sub(now);
    }
    Ok(())
}

impl Encoder for RawEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        let count = rows.size().height;
        if let Some(whole) = &mut self.whole {
            whole.put_rows(self.given, rows, 0..count)?;
            self.given = self.given.saturating_add(count);
            return Ok(());
        }
        // Every row is written with the gap behind it, the last one too.
        let size = Size::new(self.layout.size.width, count);
        let strip = RawLayout { size, offset: 0, stride: Some(self.stride), bottom_up: false, ..self.layout };
        let all = self.stride.saturating_mul(count as usize);
        if self.bytes.len() < all {
            memory::lengthen(&mut self.bytes, all)?;
        }
        // Gaps are where they were in the strip before, and are never written to.
        let bytes = self.bytes.get_mut(..all).unwrap_or_default();
        strip.write(rows.pixels()?, bytes)?;
        let Some(upward) = &mut self.upward else { return put_bytes(out, bytes) };
        let stride = self.stride;
        upward.put(count, out, |y, to| {
            let start = (y as usize).saturating_mul(stride);
            to.copy_from_slice(bytes.get(start..start.saturating_add(stride)).unwrap_or_default());
            Ok(())
        })
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        if let Some(upward) = &mut self.upward {
            return upward.finish(out);
        }
        let Some(whole) = &self.whole else { return Ok(()) };
        let needed = self.layout.bytes_needed()?;
        let _charge = Charge::take(whole.account(), needed as u64)?;
        let mut bytes = memory::zeros(needed)?;
        self.layout.write(whole.pixels()?, &mut bytes)?;
        put_bytes(out, &bytes)
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}
