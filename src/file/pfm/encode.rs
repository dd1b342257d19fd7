//! Writing: little-endian, scale 1.

use crate::error::{Help, Result};
use crate::file::encoder::{Encoder, Output, cannot_hold, put_bytes};
use crate::file::holds::{Holds, left_out};
use crate::file::reversed::ReversedRows;
use crate::frame::{Content, Facts, FileFormat, PixelFormat};
use crate::pixel::{Depth, Layout, Meaning, NumberKind, NumbersRef, Transfer};

/// An encoder of float maps: given rows, gives bytes once all have come.
pub(in crate::file) struct PfmEncoder {
    rows: ReversedRows,
    remarks: Vec<String>,
}

impl PfmEncoder {
    /// Starts a file with its header.
    pub(in crate::file) fn new(facts: &Facts, out: &mut dyn Output) -> Result<PfmEncoder> {
        let refuse = |what: &str, help: &'static [Help]| Err(cannot_hold(FileFormat::Pfm, what, help));
        let kind = match &facts.pixel_format {
            PixelFormat::Pixels { depth: Depth::F32, layout: Layout::Gray } => "Pf",
            PixelFormat::Pixels { depth: Depth::F32, layout: Layout::Rgb } => "PF",
            PixelFormat::Pixels { layout: Layout::Cmyk, .. } => return refuse("cmyk", &[Help::Color]),
            PixelFormat::Pixels { layout, .. } if layout.has_alpha() => return refuse("alpha", &[Help::Flatten]),
            PixelFormat::Pixels { .. } => return refuse("integers", &[Help::Depth(&[Depth::F32])]),
            // One plane of floats is what a gray float map holds.
            PixelFormat::Planes { number: NumberKind::F32, names } if names.len() == 1 => "Pf",
            PixelFormat::Planes { .. } => return refuse("planes", &[Help::PixelsOfDepth(&[Depth::F32])]),
        };
        if !facts.metadata.orientation.is_upright() {
            return refuse("an orientation", &[Help::Upright]);
        }
        let head = format!("{kind}\n{} {}\n-1.0\n", facts.size.width, facts.size.height);
        put_bytes(out, head.as_bytes())?;
        let m = &facts.metadata;
        let mut left = m.clone();
        if kind == "PF" && m.is_linear() {
            // That is what a colour float map holds.
            left.transfer = Transfer::Srgb;
        }
        let mut remarks = left_out(&left, Holds::default());
        if kind == "Pf" && m.meaning == Meaning::Color {
            remarks.push("the numbers are written as they are; a gray float map holds values, not encoded gray".into());
        }
        if kind == "PF" && !m.is_linear() {
            remarks.push("the values are written as they are; a colour float map is read back as linear light".into());
        }
        let channels = if kind == "PF" { 3 } else { 1 };
        let row_bytes = (facts.size.width as usize).saturating_mul(channels).saturating_mul(4);
        let rows = ReversedRows::new(row_bytes, facts.size.height, head.len() as u64);
        Ok(PfmEncoder { rows, remarks })
    }
}

impl Encoder for PfmEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        let views = rows.views();
        let Some(only) = views.first() else { return Ok(()) };
        self.rows.put(rows.size().height, out, |y, to| {
            // `new` has let only floats through.
            if let NumbersRef::F32(row) = only.row(y) {
                to.as_chunks_mut::<4>().0.iter_mut().zip(row).for_each(|(to, v)| *to = v.to_le_bytes());
            }
            Ok(())
        })
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        self.rows.finish(out)
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}
