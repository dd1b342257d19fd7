//! Writing: at each pixel the shortest chunk that holds it.

use super::{END, MAGIC, Rgba, START, place};
use crate::error::{Help, Result};
use crate::file::encoder::{Encoder, Output, cannot_hold, put_bytes};
use crate::file::holds::{holds, left_out};
use crate::frame::{Content, Facts, FileFormat, PixelFormat, SamplesRef};
use crate::pixel::{Depth, Layout, Transfer};
use crate::simd::arrays;

/// A QOI encoder: given rows, gives bytes.
pub(in crate::file) struct QoiEncoder {
    channels: usize,
    seen: [Rgba; 64],
    pixel: Rgba,
    /// Pixels like the last one that are not written yet.
    run: u8,
    bytes: Vec<u8>,
    remarks: Vec<String>,
}

impl QoiEncoder {
    /// Starts a file with its header.
    pub(in crate::file) fn new(facts: &Facts, out: &mut dyn Output) -> Result<QoiEncoder> {
        let channels = match facts.pixel_format {
            PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Rgb } => 3,
            PixelFormat::Pixels { depth: Depth::U8, layout: Layout::Rgba } => 4,
            PixelFormat::Pixels { depth: Depth::U16, .. } => {
                return Err(cannot_hold(FileFormat::Qoi, "u16 samples", &[Help::Depth(&[Depth::U8])]));
            }
            _ => return Err(cannot_hold(FileFormat::Qoi, "gray", &[Help::Color])),
        };
        let linear = facts.metadata.transfer == Transfer::Linear;
        let mut header = MAGIC.to_vec();
        header.extend(facts.size.width.to_be_bytes());
        header.extend(facts.size.height.to_be_bytes());
        header.extend([channels as u8, u8::from(linear)]);
        put_bytes(out, &header)?;
        let remarks = left_out(&facts.metadata, holds(FileFormat::Qoi));
        Ok(QoiEncoder { channels, seen: [[0; 4]; 64], pixel: START, run: 0, bytes: Vec::new(), remarks })
    }

    fn end_run(&mut self) {
        if self.run > 0 {
            self.bytes.push(0xc0 | self.run.saturating_sub(1));
            self.run = 0;
        }
    }

    fn push(&mut self, pixel: Rgba) {
        if pixel == self.pixel {
            self.run = self.run.saturating_add(1);
            // Runs of 63 and 64 would look like the chunks of whole colours.
            if self.run == 62 {
                self.end_run();
            }
            return;
        }
        self.end_run();
        let at = place(pixel);
        let before = std::mem::replace(&mut self.pixel, pixel);
        if self.seen.get(at) == Some(&pixel) {
            self.bytes.push(at as u8);
            return;
        }
        if let Some(seen) = self.seen.get_mut(at) {
            *seen = pixel;
        }
        let ([r, g, b, a], [r0, g0, b0, a0]) = (pixel, before);
        if a != a0 {
            return self.bytes.extend([0xff, r, g, b, a]);
        }
        let [dr, dg, db] = [r.wrapping_sub(r0), g.wrapping_sub(g0), b.wrapping_sub(b0)];
        let small = arrays::map([dr, dg, db], |d| d.wrapping_add(2));
        if small.iter().all(|&d| d < 4) {
            let [r, g, b] = small;
            return self.bytes.push(0x40 | (r << 4) | (g << 2) | b);
        }
        let green = dg.wrapping_add(32);
        let [red, blue] = arrays::map([dr, db], |d| d.wrapping_sub(dg).wrapping_add(8));
        if green < 64 && red < 16 && blue < 16 {
            return self.bytes.extend([0x80 | green, (red << 4) | blue]);
        }
        self.bytes.extend([0xfe, r, g, b]);
    }
}

impl Encoder for QoiEncoder {
    fn put(&mut self, rows: &Content, out: &mut dyn Output) -> Result<()> {
        let rows = rows.pixels()?;
        for y in 0..rows.size().height {
            // `new` has let only bytes through.
            let SamplesRef::U8(row) = rows.row(y) else { continue };
            if self.channels == 3 {
                row.as_chunks::<3>().0.iter().for_each(|&[r, g, b]| self.push([r, g, b, 255]));
            } else {
                row.as_chunks::<4>().0.iter().for_each(|&pixel| self.push(pixel));
            }
            put_bytes(out, &self.bytes)?;
            self.bytes.clear();
        }
        Ok(())
    }

    fn finish(&mut self, out: &mut dyn Output) -> Result<()> {
        self.end_run();
        self.bytes.extend(END);
        put_bytes(out, &self.bytes)
    }

    fn remarks(&self) -> Vec<String> {
        self.remarks.clone()
    }
}
