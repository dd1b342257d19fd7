//! The harbour's own format: `TIDE`, width, height and channels, then rows of bytes as differences from the pixel before.

use rahmen::file::{Decoder, Encoder, Format, Output, RowsOut, Slot, Start, Stop, WriteOptions, gather};
use rahmen::frame::{SamplesMut, SamplesRef};
use rahmen::{Content, Depth, ErrorKind, Facts, FileFormat, Layout, Metadata, PixelFormat, Result, Size};

#[derive(Debug)]
pub(crate) struct Tide;

impl Format for Tide {
    fn name(&self) -> &'static str {
        "tide"
    }
    fn extensions(&self) -> &'static [&'static str] {
        &["tide"]
    }
    fn is_start(&self, bytes: &[u8]) -> bool {
        bytes.starts_with(b"TIDE")
    }
    fn decoder(&self, start: &Start) -> Result<Box<dyn Decoder>> {
        Ok(Box::new(Decoding { bounds: start.bounds.clone(), part: Vec::new(), facts: None, channels: 0, given: 0 }))
    }
    fn encoder(&self, facts: &Facts, _: &WriteOptions, out: &mut dyn Output) -> Result<Box<dyn Encoder>> {
        let layouts = [Layout::Gray, Layout::GrayAlpha, Layout::Rgb, Layout::Rgba];
        let channels = match facts.pixel_format {
            PixelFormat::Pixels { depth: Depth::U8, layout } if layouts.contains(&layout) => layout.channels(),
            _ => {
                let what = facts.pixel_format.describe();
                return Err(ErrorKind::CannotHold { format: FileFormat::Other(self.name()), what }.into());
            }
        };
        let head = [b"TIDE", &facts.size.width.to_be_bytes()[..], &facts.size.height.to_be_bytes(), &[channels as u8]];
        out.write_all(&head.concat())?;
        Ok(Box::new(Encoding { channels }))
    }
}

struct Decoding {
    bounds: rahmen::file::Bounds,
    /// Bytes of the header or of a row that are not all there yet.
    part: Vec<u8>,
    facts: Option<Facts>,
    channels: usize,
    given: u32,
}

impl Decoding {
    fn header(&mut self) -> Result<()> {
        let number = |at: usize| self.part[at..at + 4].iter().fold(0, |n, byte| n << 8 | u32::from(*byte));
        let layout = match self.part[12] {
            1 => Layout::Gray,
            2 => Layout::GrayAlpha,
            3 => Layout::Rgb,
            4 => Layout::Rgba,
            n => return Err(ErrorKind::Malformed(format!("{n} channels; there are 1 to 4")).into()),
        };
        let (size, format) = (Size::new(number(4), number(8)), PixelFormat::Pixels { depth: Depth::U8, layout });
        self.bounds.check_size(size)?;
        self.channels = layout.channels();
        self.facts = Some(Facts::new(size, format, Metadata::default()));
        Ok(())
    }
}

impl Decoder for Decoding {
    fn feed(&mut self, input: &mut &[u8], rows: &mut RowsOut<'_>) -> Result<Stop> {
        loop {
            let Some(facts) = &self.facts else {
                if !gather(&mut self.part, input, 13) {
                    return Ok(Stop::NeedInput);
                }
                self.header()?;
                self.part.clear();
                return Ok(Stop::Facts);
            };
            let Size { width, height } = facts.size;
            if self.given == height {
                return Ok(Stop::Done);
            }
            if rows.is_full() {
                return Ok(Stop::RowsGiven);
            }
            if !gather(&mut self.part, input, width as usize * self.channels) {
                return Ok(Stop::NeedInput);
            }
            if let Slot::Row(SamplesMut::U8(row)) = rows.next_row() {
                row.copy_from_slice(&self.part);
                for i in self.channels..row.len() {
                    row[i] = row[i].wrapping_add(row[i - self.channels]);
                }
            }
            self.part.clear();
            self.given += 1;
        }
    }
    fn facts(&self) -> Option<&Facts> {
        self.facts.as_ref()
    }
    fn expected(&self) -> String {
        if self.facts.is_none() { "the header".to_string() } else { format!("row {}", self.given) }
    }
}

struct Encoding {
    channels: usize,
}

impl Encoder for Encoding {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        for y in 0..rows.size().height {
            let SamplesRef::U8(row) = rows.pixels()?.row(y) else { continue };
            let before = |i: usize| if i < self.channels { 0 } else { row[i - self.channels] };
            out.write_all(&(0..row.len()).map(|i| row[i].wrapping_sub(before(i))).collect::<Vec<u8>>())?;
        }
        Ok(())
    }
    fn finish(&mut self, _: &mut dyn Output) -> Result<()> {
        Ok(())
    }
}
