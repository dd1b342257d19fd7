//! Writing: version 1, little-endian, rows in order.

use super::element::Element;
use super::header::MARK;
use crate::error::Result;
use crate::file::encoder::{Encoder, Output, put_bytes};
use crate::file::holds::{Holds, Item, left_out};
use crate::file::interleaved::together;
use crate::frame::{Content, Facts, PixelFormat, SamplesRef, Scale};
use crate::pixel::{Depth, Layout, Meaning, NumberKind};

/// Whether numbers of this machine are in the other order than an array's.
const BIG: bool = cfg!(target_endian = "big");
/// The numbers start at a multiple of this, says the format's description.
const ALIGN: usize = 64;

/// An encoder of arrays: given rows, gives bytes.
pub(in crate::file) struct NpyEncoder {
    bools: bool,
    row: Vec<u8>,
    remarks: Vec<String>,
}

impl NpyEncoder {
    /// Starts a file with its header.
    pub(in crate::file) fn new(facts: &Facts, out: &mut dyn Output) -> Result<NpyEncoder> {
        let m = &facts.metadata;
        let (kind, channels) = match &facts.pixel_format {
            PixelFormat::Pixels { depth: Depth::U8, layout } => (NumberKind::U8, layout.channels()),
            PixelFormat::Pixels { depth: Depth::U16, layout } => (NumberKind::U16, layout.channels()),
            PixelFormat::Pixels { depth: Depth::F32, layout } => (NumberKind::F32, layout.channels()),
            PixelFormat::Planes { number, names } => (*number, names.len()),
        };
        // Two-valued pictures are booleans.
        let one = |tops: &Vec<u32>| tops.iter().all(|&top| top == 1);
        let bools = matches!(facts.pixel_format, PixelFormat::Pixels { depth: Depth::U8, .. })
            && m.scale == Scale::Full
            && m.max_codes.as_ref().is_some_and(one);
        let letters = match (bools, Element::letters(kind)) {
            (true, _) => "|b1".to_string(),
            (false, letters) if kind.bytes() == 1 => format!("|{letters}"),
            (false, letters) => format!("<{letters}"),
        };
        let shape = match channels {
            1 => format!("({}, {})", facts.size.height, facts.size.width),
            n => format!("({}, {}, {n})", facts.size.height, facts.size.width),
        };
        let mut text = format!("{{'descr': '{letters}', 'fortran_order': False, 'shape': {shape}, }}");
        let fixed = MARK.len().saturating_add(4);
        let whole = fixed.saturating_add(text.len()).saturating_add(1).next_multiple_of(ALIGN);
        let width = whole.saturating_sub(fixed).saturating_sub(1);
        text = format!("{text:width$}\n");
        let mut head = MARK.to_vec();
        head.extend([1, 0]);
        head.extend((text.len() as u16).to_le_bytes());
        head.extend(text.bytes());
        put_bytes(out, &head)?;
        Ok(NpyEncoder { bools, row: Vec::new(), remarks: remarks(facts, bools) })
    }
}

fn remarks(facts: &Facts, bools: bool) -> Vec<String> {
    let m = &facts.metadata;
    let mut remarks = left_out(m, Holds::of(if bools { &[Item::MaxCode] } else { &[] }));
    let mut say = |line: &str| remarks.push(line.to_string());
    match &facts.pixel_format {
        PixelFormat::Planes { names, .. } if names.iter().enumerate().any(|(i, name)| *name != i.to_string()) => {
            say("the planes' names are not kept: planes of an array are told apart by their place");
        }
        PixelFormat::Pixels { depth: Depth::F32, layout: Layout::Gray | Layout::GrayAlpha }
            if !matches!(m.meaning, Meaning::Values { .. }) =>
        {
            say("the numbers are written as they are; floats without colour are read back as values");
        }
        _ => {}
    }
    if m.meaning == Meaning::Indices {
        say("the palette is not kept: the numbers are written without their colours");
    }
    remarks
}

impl Encoder for NpyEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        for y in 0..rows.size().height {
            let row = &mut self.row;
            row.clear();
            match rows {
                Content::Pixels(pixels) => match pixels.row(y) {
                    SamplesRef::U8(s) if self.bools => row.extend(s.iter().map(|&v| v >> 7)),
                    SamplesRef::U8(s) => row.extend_from_slice(s),
                    SamplesRef::U16(_) => in_order::<2>(pixels.bytes_of_row(y), row),
                    SamplesRef::F32(_) => in_order::<4>(pixels.bytes_of_row(y), row),
                },
                Content::Planes(planes) => {
                    let views = planes.views();
                    match planes.number().bytes() {
                        1 => together::<1>(&views, y, BIG, row),
                        2 => together::<2>(&views, y, BIG, row),
                        4 => together::<4>(&views, y, BIG, row),
                        _ => together::<8>(&views, y, BIG, row),
                    }
                }
            }
            put_bytes(out, row)?;
        }
        Ok(())
    }

    fn finish(&mut self, _out: &mut dyn Output) -> Result<()> {
        Ok(())
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}

/// Numbers of `N` bytes in the order of an array of little-endian numbers.
fn in_order<const N: usize>(numbers: &[u8], row: &mut Vec<u8>) {
    row.extend_from_slice(numbers);
    if BIG {
        row.as_chunks_mut::<N>().0.iter_mut().for_each(|number| number.reverse());
    }
}
