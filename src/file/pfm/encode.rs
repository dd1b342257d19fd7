//! Writing: little-endian, scale 1.

use crate::error::Result;
use crate::file::encoder::{Encoder, cannot_hold, left_out, put_bytes};
use crate::file::reversed::ReversedRows;
use crate::frame::{Content, Facts, Form, Format, SamplesRef};
use crate::pixel::{Depth, Layout, Meaning, Transfer};
use std::io::Write;

/// An encoder of float maps: given rows, gives bytes once all have come.
pub(in crate::file) struct PfmEncoder {
    rows: ReversedRows,
    row: Vec<u8>,
    remarks: Vec<String>,
}

impl PfmEncoder {
    /// Starts a file with its header.
    pub(in crate::file) fn new(facts: &Facts, out: &mut dyn Write) -> Result<PfmEncoder> {
        let refuse = |what: &str, remedy: &str| Err(cannot_hold(Format::Pfm, what, remedy));
        let kind = match facts.form {
            Form::Pixels { depth: Depth::F32, layout: Layout::Gray } => "Pf",
            Form::Pixels { depth: Depth::F32, layout: Layout::Rgb } => "PF",
            Form::Pixels { layout: Layout::Cmyk, .. } => return refuse("cmyk", "add --as color"),
            Form::Pixels { layout, .. } if layout.has_alpha() => return refuse("alpha", "add --flatten COLOUR"),
            Form::Pixels { .. } => return refuse("integers", "add --depth f32"),
            Form::Planes { .. } => return refuse("planes", "add --depth f32 to make them a picture"),
        };
        if !facts.metadata.orientation.is_upright() {
            return refuse("an orientation", "add --upright to turn the pixels");
        }
        put_bytes(out, format!("{kind}\n{} {}\n-1.0\n", facts.size.width, facts.size.height).as_bytes())?;
        let mut remarks = left_out(&facts.metadata, true);
        let m = &facts.metadata;
        let encoded = m.meaning == Meaning::Encoded;
        if kind == "Pf" && encoded {
            remarks.push("the numbers are written as they are; a gray float map holds values, not encoded gray".into());
        }
        if kind == "PF" && (encoded || m.transfer != Transfer::Linear) {
            remarks.push("the numbers are written as they are; a colour float map holds linear light".into());
        }
        let channels = if kind == "PF" { 3 } else { 1 };
        let row_bytes = (facts.size.width as usize).saturating_mul(channels).saturating_mul(4);
        Ok(PfmEncoder { rows: ReversedRows::new(row_bytes), row: Vec::new(), remarks })
    }
}

impl Encoder for PfmEncoder {
    fn put(&mut self, rows: &Content, _out: &mut dyn Write) -> Result<()> {
        let rows = rows.pixels()?;
        for y in 0..rows.size().height {
            // `new` has let only floats through.
            let SamplesRef::F32(row) = rows.row(y) else { continue };
            self.row.clear();
            self.row.extend(row.iter().flat_map(|v| v.to_le_bytes()));
            self.rows.push(&self.row)?;
        }
        Ok(())
    }

    fn finish(&mut self, out: &mut dyn Write) -> Result<()> {
        self.rows.write(out)
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}
