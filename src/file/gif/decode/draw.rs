//! A frame: its palette, its codes unpacked, drawn on the canvas, given row by row.

use super::GifDecoder;
use crate::error::{Error, Result};
use crate::file::decoder::{Slot, Stop};
use crate::file::gif::blocks::FrameInfo;
use crate::file::gif::canvas::{Canvas, interlaced_rows};
use crate::file::gif::frame::Frame;
use crate::frame::{FileFormat, SamplesMut, Size};
use crate::memory::{self, Charge};
use weezl::{BitOrder, LzwStatus, decode};

impl GifDecoder {
    /// Begins a frame.
    pub(super) fn begin_frame(&mut self) -> Result<()> {
        let Some(frame) = self.blocks.frames.get(self.next).copied() else { return Ok(()) };
        let pixels = frame.size.pixels();
        let bounds = self.start.bounds.clone();
        if self.canvas.is_none() {
            let canvas = self.blocks.canvas();
            bounds.check_size(canvas)?;
            // All frames up to the page are drawn: their pixels are the work.
            let up_to = self.blocks.frames.iter().take(self.page.saturating_add(1)).map(|f| f.size.pixels());
            bounds.check_work(up_to.fold(0u64, u64::saturating_add), self.start.length.unwrap_or(u64::MAX))?;
            let size = if self.alone() { Size::new(1, 1) } else { canvas };
            self.canvas = Some(Canvas::new(size, &bounds)?);
        }
        bounds.work(pixels)?;
        // Rows of an interlaced frame are brought in order beside it.
        let held = if frame.interlaced { pixels.saturating_mul(2) } else { pixels };
        self.frame.charge = Charge::NONE;
        if self.frame.indices.len() as u64 != pixels {
            self.frame.indices = Vec::new();
        }
        self.frame.charge = bounds.charge("a frame, which is held whole,", held)?;
        if self.frame.indices.is_empty() {
            self.frame.indices = memory::zeros(usize::try_from(pixels).unwrap_or(usize::MAX))?;
        }
        (self.frame.have, self.frame.lzw, self.frame.left, self.frame.begun) = (0, None, 0, false);
        self.part.clear();
        Ok(())
    }

    pub(super) fn palette(&mut self, input: &mut &[u8]) -> Option<Stop> {
        let frame = self.blocks.frames.get(self.next).copied()?;
        let mut colors = std::mem::take(&mut self.frame.colors);
        if frame.colors > 0 {
            if let Some(stop) = self.collect(input, frame.palette_at, frame.colors.saturating_mul(3)) {
                self.frame.colors = colors;
                return Some(stop);
            }
        } else {
            self.part.clone_from(&self.blocks.palette);
        }
        colors.clear();
        colors.extend(self.part.as_chunks::<3>().0.iter().map(|&[r, g, b]| [r, g, b, 255]));
        self.part.clear();
        // Numbers beyond the palette are black.
        colors.resize(256, [0, 0, 0, 255]);
        if let Some(clear) = frame.transparent.and_then(|i| colors.get_mut(usize::from(i))) {
            *clear = [0; 4];
        }
        self.frame.colors = colors;
        None
    }

    /// Takes a frame's data; none once it has ended.
    pub(super) fn data(&mut self, input: &mut &[u8]) -> Result<Option<Stop>> {
        let Some(frame) = self.blocks.frames.get(self.next).copied() else { return Ok(None) };
        if !self.frame.begun {
            if let Some(stop) = self.collect(input, frame.data_at, 1) {
                return Ok(Some(stop));
            }
            let bits = self.part.first().copied().unwrap_or(8).clamp(1, 11);
            self.part.clear();
            self.frame.lzw = Some(decode::Decoder::new(BitOrder::Lsb, bits));
            self.frame.begun = true;
        }
        loop {
            if self.frame.have >= self.frame.indices.len() {
                return Ok(None);
            }
            let Some(&first) = input.first() else { return Ok(Some(Stop::NeedInput)) };
            if self.frame.left == 0 {
                *input = input.get(1..).unwrap_or_default();
                self.at = self.at.saturating_add(1);
                if first == 0 {
                    self.frame.flush();
                    return self.short(&frame, "its data ends").map(|()| None);
                }
                self.frame.left = first.into();
                continue;
            }
            let Frame { indices, have, lzw, left, .. } = &mut self.frame;
            let (Some(lzw), Some(room)) = (lzw, indices.get_mut(*have..)) else { return Ok(None) };
            let bytes = input.get(..(*left).min(input.len())).unwrap_or_default();
            let done = lzw.decode_bytes(bytes, room);
            *have = have.saturating_add(done.consumed_out);
            *left = left.saturating_sub(done.consumed_in);
            *input = input.get(done.consumed_in..).unwrap_or_default();
            self.at = self.at.saturating_add(done.consumed_in as u64);
            match done.status {
                Ok(LzwStatus::Done) => return self.short(&frame, "its codes end").map(|()| None),
                Ok(_) if done.consumed_in == 0 && done.consumed_out == 0 && !bytes.is_empty() => {
                    return self.short(&frame, "its codes stand still").map(|()| None);
                }
                Ok(_) => {}
                Err(_) => return self.short(&frame, "a code cannot stand there").map(|()| None),
            }
        }
    }

    /// A frame's data ended: an error where pixels are missing, unless the file is salvaged.
    pub(super) fn short(&mut self, frame: &FrameInfo, why: &str) -> Result<()> {
        let (have, all) = (self.frame.have, self.frame.indices.len());
        if have >= all {
            return Ok(());
        }
        if !self.salvaging {
            let number = self.next.saturating_add(1);
            let line = format!("frame {number} has {have} of its {all} pixels: {why}");
            return Err(Error::malformed(line).in_format(FileFormat::Gif, Some(self.at)));
        }
        let width = (frame.size.width as usize).max(1);
        let rows = u32::try_from(have.checked_div(width).unwrap_or(0)).unwrap_or(u32::MAX);
        let top = if self.alone() { 0 } else { frame.y };
        // Rows of an interlaced frame are spread over all of it.
        let first = if frame.interlaced { 0 } else { rows };
        self.damaged.push(top.saturating_add(first)..top.saturating_add(frame.size.height));
        Ok(())
    }

    /// A frame's data is there: it is drawn.
    pub(super) fn draw(&mut self) -> Result<()> {
        let Some(frame) = self.blocks.frames.get(self.next).copied() else { return Ok(()) };
        if frame.interlaced {
            let width = (frame.size.width as usize).max(1);
            let mut seen = memory::zeros::<u8>(self.frame.indices.len())?;
            for (row, y) in self.frame.indices.chunks_exact(width).zip(interlaced_rows(frame.size.height)) {
                let at = (y as usize).saturating_mul(width);
                if let Some(to) = seen.get_mut(at..at.saturating_add(width)) {
                    to.copy_from_slice(row);
                }
            }
            self.frame.indices = seen;
            self.frame.have = self.frame.indices.len();
        }
        let colors: Option<&[[u8; 4]; 256]> = self.frame.colors.as_slice().try_into().ok();
        if let (false, Some(canvas), Some(colors)) = (self.alone(), &mut self.canvas, colors) {
            canvas.dispose();
            canvas.draw(&frame, &self.frame.indices, self.frame.have, colors, &self.start.bounds)?;
        }
        Ok(())
    }

    /// The row of the page that comes next.
    pub(super) fn row(&self, slot: Slot<'_>) -> Result<()> {
        let Slot::Row(SamplesMut::U8(to)) = slot else { return Ok(()) };
        let y = self.given as usize;
        if self.alone() {
            let width = self.facts.as_ref().map_or(0, |f| f.size.width as usize);
            let row = self.frame.indices.get(y.saturating_mul(width)..).and_then(|r| r.get(..width));
            let row = row.unwrap_or_default();
            if self.start.indices {
                to.iter_mut().zip(row).for_each(|(to, v)| *to = *v);
                return Ok(());
            }
            let color = |i: &u8| self.frame.colors.get(usize::from(*i)).copied().unwrap_or([0; 4]);
            put(row.iter().map(color), to, row.len());
            return Ok(());
        }
        let Some(canvas) = &self.canvas else { return Ok(()) };
        let width = canvas.size.width as usize;
        let row = canvas.pixels.get(y.saturating_mul(width)..).and_then(|r| r.get(..width)).unwrap_or_default();
        put(row.iter().copied(), to, width);
        Ok(())
    }
}

/// Colours to samples of three or four channels.
fn put(colors: impl Iterator<Item = [u8; 4]>, to: &mut [u8], width: usize) {
    if to.len() == width.saturating_mul(4) {
        to.as_chunks_mut::<4>().0.iter_mut().zip(colors).for_each(|(to, v)| *to = v);
    } else {
        to.as_chunks_mut::<3>().0.iter_mut().zip(colors).for_each(|(to, [r, g, b, _])| *to = [r, g, b]);
    }
}
