//! IHDR, the image header (11.2.1).

use crate::error::{Error, Result};
use crate::file::decoder::take_bytes;
use crate::frame::Size;
use crate::pixel::{Depth, Layout};

/// How the file stores a pixel: the five colour types (table 7).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Color {
    Gray,
    Rgb,
    Palette,
    GrayAlpha,
    Rgba,
}

/// What IHDR says.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Header {
    pub(super) size: Size,
    /// Bits a sample: 1, 2, 4, 8 or 16.
    pub(super) bits: u8,
    pub(super) color: Color,
    pub(super) interlaced: bool,
}

impl Header {
    /// Samples a pixel in the file: an index counts as one.
    pub(super) fn channels(&self) -> usize {
        match self.color {
            Color::Gray | Color::Palette => 1,
            Color::GrayAlpha => 2,
            Color::Rgb => 3,
            Color::Rgba => 4,
        }
    }

    /// Bytes a pixel counts for in filters (9.2): 1 to 8, 1 for pixels of less than a byte.
    pub(super) fn pixel_bytes(&self) -> usize {
        usize::from(self.bits).saturating_mul(self.channels()).div_ceil(8)
    }

    /// Bytes that a row of this many pixels takes in the file, without its filter byte.
    pub(super) fn row_bytes_of(&self, width: u32) -> usize {
        let bits = usize::from(self.bits).saturating_mul(self.channels());
        (width as usize).saturating_mul(bits).div_ceil(8)
    }

    /// Bytes a whole row takes in the file, without its filter byte.
    pub(super) fn row_bytes(&self) -> usize {
        self.row_bytes_of(self.size.width)
    }

    /// Bytes of a row whose samples have been taken apart: one a sample, two for 16 bits.
    pub(super) fn apart_bytes(&self) -> usize {
        (self.size.width as usize).saturating_mul(self.pixel_bytes())
    }

    /// The depth that the samples are delivered in.
    pub(super) fn depth(&self) -> Depth {
        if self.bits == 16 { Depth::U16 } else { Depth::U8 }
    }

    /// The layout that the pixels are delivered in, where a transparent colour or palette alpha was named.
    pub(super) fn layout(&self, transparent: bool) -> Layout {
        match self.color {
            Color::Gray if transparent => Layout::GrayAlpha,
            Color::Gray => Layout::Gray,
            Color::GrayAlpha => Layout::GrayAlpha,
            Color::Rgb | Color::Palette if transparent => Layout::Rgba,
            Color::Rgb | Color::Palette => Layout::Rgb,
            Color::Rgba => Layout::Rgba,
        }
    }

    /// The description in words.
    pub(super) fn describe(&self) -> String {
        let bits = self.bits;
        let what = match self.color {
            Color::Palette => format!("{bits}-bit indices"),
            _ => format!("{bits}-bit {}", self.layout(false)),
        };
        let interlace = if self.interlaced { "interlaced (Adam7)" } else { "not interlaced" };
        format!("{what}, {interlace}")
    }

    pub(super) fn parse(mut body: &[u8]) -> Result<Header> {
        let all = &mut body;
        let (Some(width), Some(height), Some(rest), []) =
            (take_bytes::<4>(all), take_bytes::<4>(all), take_bytes::<5>(all), &**all)
        else {
            return Err(Error::malformed("IHDR must have 13 bytes"));
        };
        let (width, height) = (u32::from_be_bytes(width), u32::from_be_bytes(height));
        let [bits, color, compression, filter, interlace] = rest;
        if compression != 0 || filter != 0 || interlace > 1 {
            return Err(Error::malformed(format!(
                "IHDR names compression {compression}, filter method {filter}, interlace {interlace}; only 0, 0 and 0 or 1 exist"
            )));
        }
        let color = match (color, bits) {
            (0, 1 | 2 | 4 | 8 | 16) => Color::Gray,
            (2, 8 | 16) => Color::Rgb,
            (3, 1 | 2 | 4 | 8) => Color::Palette,
            (4, 8 | 16) => Color::GrayAlpha,
            (6, 8 | 16) => Color::Rgba,
            _ => {
                return Err(Error::malformed(format!(
                    "IHDR names colour type {color} at {bits} bits, which does not exist"
                )));
            }
        };
        if width > i32::MAX as u32 || height > i32::MAX as u32 {
            return Err(Error::malformed(format!("IHDR names a size of {width}x{height}; a side is below 2^31")));
        }
        Ok(Header { size: Size::new(width, height), bits, color, interlaced: interlace == 1 })
    }

    pub(super) fn chunk_body(self) -> [u8; 13] {
        let color = match self.color {
            Color::Gray => 0,
            Color::Rgb => 2,
            Color::Palette => 3,
            Color::GrayAlpha => 4,
            Color::Rgba => 6,
        };
        let mut bytes = [0; 13];
        let [w, h] = [self.size.width.to_be_bytes(), self.size.height.to_be_bytes()];
        let rest = [self.bits, color, 0, 0, u8::from(self.interlaced)];
        for (to, from) in bytes.iter_mut().zip(w.into_iter().chain(h).chain(rest)) {
            *to = from;
        }
        bytes
    }
}
