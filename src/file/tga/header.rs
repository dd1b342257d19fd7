//! The header of 18 bytes, and what it says of the pixels.

use crate::error::{Error, Result};
use crate::frame::Size;
use crate::pixel::codes;

/// Bytes of the header.
pub(super) const HEADER: usize = 18;

/// What the pixels are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Kind {
    /// Numbers of colours.
    Indices,
    /// Blue, green, red, and perhaps attributes.
    Color,
    /// One value, and perhaps attributes.
    Gray,
}

#[derive(Debug, Clone, PartialEq, Eq)]
pub(super) struct Header {
    pub(super) size: Size,
    pub(super) kind: Kind,
    /// Whether pixels come as runs.
    pub(super) runs: bool,
    /// Bits a pixel: 8, 15, 16, 24 or 32.
    pub(super) bits: u8,
    /// Attribute bits a pixel, or a colour of the map.
    pub(super) attributes: u8,
    pub(super) from_right: bool,
    pub(super) top_down: bool,
    /// Bytes of the identification behind the header.
    pub(super) identification: usize,
    /// The first index of the map, how many it has, and the bits of each.
    pub(super) map: (u16, u16, u8),
}

impl Header {
    pub(super) fn parse(bytes: &[u8; HEADER]) -> Result<Header> {
        let [id, has_map, kind, f0, f1, l0, l1, entry, _, _, _, _, w0, w1, h0, h1, bits, descriptor] = *bytes;
        let runs = kind & 8 != 0;
        let kind = match kind & !8 {
            1 => Kind::Indices,
            2 => Kind::Color,
            3 => Kind::Gray,
            _ => return Err(Error::malformed(format!("a picture of type {kind}"))),
        };
        let fits = match kind {
            Kind::Indices => matches!(bits, 8 | 15 | 16),
            Kind::Color => matches!(bits, 15 | 16 | 24 | 32),
            Kind::Gray => matches!(bits, 8 | 16),
        };
        if !fits {
            return Err(Error::malformed(format!("{bits} bits a pixel do not fit the type of picture")));
        }
        let map = match has_map {
            0 => (0, 0, 0),
            _ => (u16::from_le_bytes([f0, f1]), u16::from_le_bytes([l0, l1]), entry),
        };
        if map.1 > 0 && !matches!(map.2, 15 | 16 | 24 | 32) {
            return Err(Error::malformed(format!("a palette with colours of {} bits", map.2)));
        }
        if kind == Kind::Indices && map.1 == 0 {
            return Err(Error::malformed("a picture of indices without a palette"));
        }
        if descriptor & 0xc0 != 0 {
            return Err(Error::not_supported("interleaved rows, which version 2.0 has abolished"));
        }
        Ok(Header {
            size: Size::new(u32::from(u16::from_le_bytes([w0, w1])), u32::from(u16::from_le_bytes([h0, h1]))),
            kind,
            runs,
            bits,
            attributes: descriptor & 15,
            from_right: descriptor & 0x10 != 0,
            top_down: descriptor & 0x20 != 0,
            identification: usize::from(id),
            map,
        })
    }

    /// Bytes a pixel takes.
    pub(super) fn pixel_bytes(&self) -> usize {
        usize::from(self.bits).div_ceil(8)
    }

    /// Bytes a row takes, plain.
    pub(super) fn row_bytes(&self) -> usize {
        (self.size.width as usize).saturating_mul(self.pixel_bytes())
    }

    /// Bytes of the map.
    pub(super) fn map_bytes(&self) -> usize {
        usize::from(self.map.1).saturating_mul(usize::from(self.map.2).div_ceil(8))
    }

    /// Where the pixels start.
    pub(super) fn data_at(&self) -> u64 {
        (HEADER as u64).saturating_add(self.identification as u64).saturating_add(self.map_bytes() as u64)
    }

    /// Whether the header counts attribute bits that a pixel (or a colour of the map) has room for.
    pub(super) fn has_attributes(&self) -> bool {
        let bits = if self.kind == Kind::Indices { self.map.2 } else { self.bits };
        match (self.kind, bits) {
            (Kind::Gray, 16) | (_, 32) => self.attributes == 8,
            (Kind::Color | Kind::Indices, 16) => self.attributes >= 1,
            _ => false,
        }
    }

    /// The description in words.
    pub(super) fn describe(&self) -> String {
        let runs = if self.runs { "runs of " } else { "" };
        let what = match self.kind {
            Kind::Indices => format!("{runs}{}-bit indices, {} colours of {} bits", self.bits, self.map.1, self.map.2),
            Kind::Color => format!("{runs}{}-bit colour", self.bits),
            Kind::Gray => format!("{runs}{}-bit gray", self.bits),
        };
        let rows = if self.top_down { "top row first" } else { "lowest row first" };
        let side = if self.from_right { ", from the right" } else { "" };
        format!("{what}, {} attribute bits, {rows}{side}", self.attributes)
    }
}

/// Red, green, blue and alpha of a colour of 15, 16, 24 or 32 bits, as bytes.
pub(super) fn color_of(bytes: &[u8]) -> [u8; 4] {
    let five = |v: u16| codes::sample_of(u32::from(v & 31), 31, 255) as u8;
    match *bytes {
        [low, high] => {
            let v = u16::from_le_bytes([low, high]);
            [five(v >> 10), five(v >> 5), five(v), if v >> 15 == 1 { 255 } else { 0 }]
        }
        [b, g, r] => [r, g, b, 255],
        [b, g, r, a] => [r, g, b, a],
        _ => [0; 4],
    }
}
