//! Segments between the markers: tables (B.2.4), and what stands in application segments: JFIF (its version 1.02), EXIF,
//! XMP, ICC profiles in parts (ICC.1, B.4), the colour transform of Adobe's segment, comments.

use super::color::Model;
use super::frame::{Component, FrameHeader};
use super::huffman::Huffman;
use super::scan::{NATURAL, Tables};
use crate::error::{Error, Result};
use crate::file::exif;
use crate::frame::{Metadata, Resolution, ResolutionUnit, Text};
use std::sync::Arc;

/// The quantisers that have come, by number, in rows.
pub(super) type Quantisers = [Option<[u16; 64]>; 4];

/// Takes quantisers (B.2.4.1).
pub(super) fn quantisers(mut body: &[u8], into: &mut Quantisers) -> Result<()> {
    while let Some((&kind, rest)) = body.split_first() {
        let (wide, number) = (kind >> 4, kind & 15);
        let bytes = if wide == 0 { 64 } else { 128 };
        let (Some((values, rest)), Some(place)) = (rest.split_at_checked(bytes), into.get_mut(usize::from(number)))
        else {
            return Err(Error::malformed(format!("quantiser {number} of {} bytes", rest.len())));
        };
        if wide > 1 {
            return Err(Error::malformed(format!("a quantiser of kind {wide}; there are 0 and 1")));
        }
        let mut table = [0u16; 64];
        for (i, &at) in NATURAL.iter().take(64).enumerate() {
            let value = match wide {
                0 => values.get(i).map(|&v| u16::from(v)),
                _ => values.as_chunks::<2>().0.get(i).map(|&v| u16::from_be_bytes(v)),
            };
            match (value, table.get_mut(usize::from(at))) {
                (Some(0), _) => return Err(Error::malformed("a quantiser with a step of 0")),
                (Some(value), Some(to)) => *to = value,
                _ => {}
            }
        }
        *place = Some(table);
        body = rest;
    }
    Ok(())
}

/// Takes Huffman tables (B.2.4.2).
pub(super) fn huffman_tables(mut body: &[u8], into: &mut Tables) -> Result<()> {
    while let Some((&kind, rest)) = body.split_first() {
        let (class, number) = (kind >> 4, usize::from(kind & 15));
        let Some((counts, rest)) = rest.split_first_chunk::<16>() else {
            return Err(Error::malformed("a Huffman table that is cut off"));
        };
        let all = counts.iter().map(|&c| usize::from(c)).fold(0usize, usize::saturating_add);
        let Some((symbols, rest)) = rest.split_at_checked(all).filter(|_| all <= 256) else {
            return Err(Error::malformed(format!("a Huffman table of {all} codes in {} bytes", rest.len())));
        };
        let tables = match class {
            0 => &mut into.dc,
            1 => &mut into.ac,
            _ => return Err(Error::malformed(format!("a Huffman table of class {class}; there are 0 and 1"))),
        };
        let Some(place) = tables.get_mut(number) else {
            return Err(Error::malformed(format!("Huffman table {number}; there are 0 to 3")));
        };
        *place = Some(Arc::new(Huffman::new(counts, symbols)?));
        body = rest;
    }
    Ok(())
}

/// What application segments and comments say.
#[derive(Debug, Default)]
pub(super) struct Notes {
    pub(super) metadata: Metadata,
    jfif: bool,
    adobe: Option<u8>,
    /// Parts of an ICC profile by number, and how many there are to be.
    profile: Vec<(u8, Vec<u8>)>,
    profile_parts: u8,
    pub(super) remarks: Vec<String>,
}

impl Notes {
    /// Takes an application segment or a comment; others are passed over.
    pub(super) fn take(&mut self, marker: u8, body: &[u8]) {
        match (marker, body) {
            (0xe0, [b'J', b'F', b'I', b'F', 0, _, _, unit, x0, x1, y0, y1, ..]) => {
                self.jfif = true;
                let (x, y) = (u16::from_be_bytes([*x0, *x1]), u16::from_be_bytes([*y0, *y1]));
                let (unit, scale) = match unit {
                    1 => (ResolutionUnit::Inch, 1.0),
                    // A centimetre.
                    2 => (ResolutionUnit::Metre, 100.0),
                    _ => (ResolutionUnit::Ratio, 1.0),
                };
                let said = x > 0 && y > 0 && !(unit == ResolutionUnit::Ratio && x == y);
                if said {
                    let (x, y) = (f64::from(x) * scale, f64::from(y) * scale);
                    self.metadata.resolution = Some(Resolution { x, y, unit });
                }
            }
            (0xe1, _) if body.starts_with(b"Exif\0") => {
                let block = body.get(6..).unwrap_or_default();
                if let Some(orientation) = exif::orientation_of(block) {
                    self.metadata.orientation = orientation;
                }
                if self.metadata.resolution.is_none() {
                    self.metadata.resolution = exif::resolution_of(block);
                }
                if let (Some((space, transfer)), None) = (exif::color_of(block), &self.metadata.exif) {
                    (self.metadata.primaries, self.metadata.transfer) = (space, transfer);
                }
                if self.metadata.exif.is_none() {
                    self.metadata.exif = Some(block.into());
                }
            }
            (0xe1, _) => {
                if let Some(packet) = body.strip_prefix(XMP) {
                    self.metadata.xmp = Some(String::from_utf8_lossy(packet).into());
                }
            }
            (0xe2, _) if body.starts_with(b"MPF\0") => {
                let line =
                    "further pictures stand behind this one (multi-picture format, CIPA DC-007) and are not read";
                self.remarks.push(line.to_string());
            }
            (0xe2, _) => {
                if let Some([number, parts, part @ ..]) = body.strip_prefix(ICC) {
                    self.profile_parts = *parts;
                    let place = self.profile.partition_point(|(before, _)| before <= number);
                    self.profile.insert(place, (*number, part.to_vec()));
                }
            }
            (0xee, [b'A', b'd', b'o', b'b', b'e', _, _, _, _, _, _, transform, ..]) => self.adobe = Some(*transform),
            (0xfe, _) => {
                let text = match std::str::from_utf8(body) {
                    Ok(text) => text.to_string(),
                    // Latin-1, as the older ones are.
                    Err(_) => body.iter().map(|&b| char::from(b)).collect(),
                };
                let text = text.trim_end_matches('\0').into();
                self.metadata.text.push(Text { keyword: "Comment".to_string(), text });
            }
            _ => {}
        }
    }

    /// Puts the profile together, once all segments before the pixels have come.
    pub(super) fn finish(&mut self) {
        if self.profile.is_empty() {
            return;
        }
        let complete = self.profile.len() == usize::from(self.profile_parts)
            && self.profile.iter().zip(1u8..).all(|((number, _), want)| *number == want);
        match complete {
            true => {
                let parts = std::mem::take(&mut self.profile);
                let bytes = parts.into_iter().flat_map(|(_, part)| part).collect();
                crate::file::profile::keep(bytes, &mut self.metadata);
            }
            false => self.remarks.push("the colour profile is not complete and is left out".to_string()),
        }
    }

    /// What the components are; `ycbcr` where what holds the stream says so, and stores ink as it is.
    pub(super) fn model(&self, frame: &FrameHeader, ycbcr: Option<bool>) -> Model {
        let ids: Vec<u8> = frame.components.iter().map(|c: &Component| c.id).collect();
        match (ycbcr, ids.len()) {
            (Some(true), 3) => return Model::Ycbcr,
            (Some(false), 3) => return Model::Rgb,
            (Some(true), 4) => return Model::Ycck { inverted: false },
            (Some(false), 4) => return Model::Cmyk { inverted: false },
            _ => {}
        }
        match (ids.len(), self.adobe) {
            (1, _) => Model::Gray,
            (3, Some(0)) => Model::Rgb,
            (3, Some(_)) => Model::Ycbcr,
            (3, None) if !self.jfif && ids == *b"RGB" => Model::Rgb,
            (3, None) => Model::Ycbcr,
            // Whoever writes Adobe's segment stores ink inverted.
            (_, Some(2)) => Model::Ycck { inverted: true },
            (_, adobe) => Model::Cmyk { inverted: adobe.is_some() },
        }
    }
}

/// What stands before an XMP packet and a part of an ICC profile.
pub(super) const XMP: &[u8] = b"http://ns.adobe.com/xap/1.0/\0";
pub(super) const ICC: &[u8] = b"ICC_PROFILE\0";
