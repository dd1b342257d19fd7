//! IHDR, the image header (11.2.1).

use crate::error::{Error, Result};
use crate::file::decoder::take_bytes;
use crate::frame::{Form, Size};
use crate::pixel::{Depth, Layout};

/// What IHDR says, for the pictures that are read here.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) struct Header {
    pub(super) size: Size,
    pub(super) depth: Depth,
    pub(super) layout: Layout,
}

impl Header {
    /// Bytes a pixel takes in the file: 1 to 8.
    pub(super) fn pixel_bytes(&self) -> usize {
        self.depth.bytes().saturating_mul(self.layout.channels())
    }

    /// Bytes a row takes in the file, without its filter byte.
    pub(super) fn row_bytes(&self) -> usize {
        (self.size.width as usize).saturating_mul(self.pixel_bytes())
    }

    pub(super) fn form(&self) -> Form {
        Form::Pixels { depth: self.depth, layout: self.layout }
    }

    /// In people's words.
    pub(super) fn describe(&self) -> String {
        let bits = self.depth.bytes().saturating_mul(8);
        format!("{bits}-bit {}, not interlaced", self.layout)
    }

    pub(super) fn parse(mut body: &[u8]) -> Result<Header> {
        let all = &mut body;
        let (Some(width), Some(height), Some(rest), []) =
            (take_bytes::<4>(all), take_bytes::<4>(all), take_bytes::<5>(all), &**all)
        else {
            return Err(Error::damaged("IHDR must have 13 bytes"));
        };
        let (width, height) = (u32::from_be_bytes(width), u32::from_be_bytes(height));
        let [bits, color, compression, filter, interlace] = rest;
        if compression != 0 || filter != 0 || interlace > 1 {
            return Err(Error::damaged(format!(
                "IHDR names compression {compression}, filter method {filter}, interlace {interlace}; only 0, 0 and 0 or 1 exist"
            )));
        }
        let layout = match color {
            0 => Layout::Gray,
            2 => Layout::Rgb,
            4 => Layout::GrayAlpha,
            6 => Layout::Rgba,
            3 if matches!(bits, 1 | 2 | 4 | 8) => return Err(Error::not_supported("a PNG with a palette")),
            _ => {
                return Err(Error::damaged(format!(
                    "IHDR names colour type {color} at {bits} bits, which does not exist"
                )));
            }
        };
        let depth = match bits {
            8 => Depth::U8,
            16 => Depth::U16,
            1 | 2 | 4 if color == 0 => return Err(Error::not_supported(format!("a PNG of {bits}-bit gray"))),
            _ => {
                return Err(Error::damaged(format!(
                    "IHDR names colour type {color} at {bits} bits, which does not exist"
                )));
            }
        };
        if interlace == 1 {
            return Err(Error::not_supported("an interlaced PNG (Adam7)"));
        }
        if width > i32::MAX as u32 || height > i32::MAX as u32 {
            return Err(Error::damaged(format!("IHDR names a size of {width}x{height}; a side is below 2^31")));
        }
        Ok(Header { size: Size::new(width, height), depth, layout })
    }

    pub(super) fn chunk_body(self) -> [u8; 13] {
        let color = match self.layout {
            Layout::Gray => 0,
            Layout::GrayAlpha => 4,
            Layout::Rgba => 6,
            // Cmyk never comes here: the encoder has refused it.
            Layout::Rgb | Layout::Cmyk => 2,
        };
        let bits = if self.depth == Depth::U16 { 16 } else { 8 };
        let mut bytes = [0; 13];
        let [w, h] = [self.size.width.to_be_bytes(), self.size.height.to_be_bytes()];
        for (to, from) in bytes.iter_mut().zip(w.into_iter().chain(h).chain([bits, color])) {
            *to = from;
        }
        bytes
    }
}
