//! From the file's samples to those that are delivered: bits taken apart, codes scaled to the full range, indices looked
//! up, transparent colours turned into alpha.

use super::header::{Color, Header};
use crate::error::{Error, Result};
use crate::file::words::largest;
use crate::frame::SamplesMut;
use crate::pixel::Depth;
use crate::pixel::codes::samples_of_codes;
use crate::simd::arrays;

/// What the pixels need besides the header: the palette (11.2.2) and what is transparent (11.3.1.1).
#[derive(Debug, Clone, Default, PartialEq, Eq)]
pub(super) struct Colors {
    /// Red, green and blue of each index.
    pub(super) palette: Vec<[u8; 3]>,
    /// Alpha of the first indices; the others are full.
    pub(super) alpha: Vec<u8>,
    /// The sample values of the one transparent colour.
    pub(super) key: Option<[u16; 3]>,
}

impl Colors {
    /// Whether something is transparent that the colour type has no alpha for.
    pub(super) fn transparent(&self) -> bool {
        self.key.is_some() || !self.alpha.is_empty()
    }

    /// PLTE.
    pub(super) fn read_palette(&mut self, body: &[u8], header: &Header) -> Result<()> {
        let (entries, rest) = body.as_chunks::<3>();
        let most = if header.color == Color::Palette { 1usize << header.bits.min(8) } else { 256 };
        if !rest.is_empty() || entries.is_empty() || entries.len() > most {
            return Err(Error::malformed(format!(
                "PLTE has {} bytes; it holds 1 to {most} colours of 3 bytes",
                body.len()
            )));
        }
        if matches!(header.color, Color::Gray | Color::GrayAlpha) {
            return Err(Error::malformed("PLTE in a gray picture"));
        }
        // In a colour picture it is a suggestion for others, and means nothing here.
        if header.color == Color::Palette {
            self.palette = entries.to_vec();
        }
        Ok(())
    }

    /// tRNS.
    pub(super) fn read_transparency(&mut self, body: &[u8], header: &Header) -> Result<()> {
        let wanted = |bytes: usize| Error::malformed(format!("tRNS has {} bytes, not {bytes}", body.len()));
        let words = || body.as_chunks::<2>().0.iter().map(|b| u16::from_be_bytes(*b));
        match header.color {
            Color::Gray => {
                let (Some(v), 2) = (words().next(), body.len()) else { return Err(wanted(2)) };
                self.key = Some([v; 3]);
            }
            Color::Rgb => {
                let mut all = words();
                let (Some(r), Some(g), Some(b), 6) = (all.next(), all.next(), all.next(), body.len()) else {
                    return Err(wanted(6));
                };
                self.key = Some([r, g, b]);
            }
            Color::Palette if self.palette.is_empty() => return Err(Error::malformed("tRNS before PLTE")),
            Color::Palette if body.len() > self.palette.len() => {
                return Err(Error::malformed(format!(
                    "tRNS has {} entries for a palette of {}",
                    body.len(),
                    self.palette.len()
                )));
            }
            Color::Palette => self.alpha = body.to_vec(),
            Color::GrayAlpha | Color::Rgba => return Err(Error::malformed("tRNS in a picture with alpha")),
        }
        Ok(())
    }
}

/// Turns rows whose samples are apart into what is delivered.
#[derive(Debug)]
pub(super) struct Expander {
    header: Header,
    colors: Colors,
    /// Whether indices are given as they are.
    indices: bool,
    /// The sample of each code below 8 bits.
    scaled: Vec<u16>,
}

impl Expander {
    pub(super) fn new(header: Header, colors: Colors, indices: bool) -> Expander {
        let top = match (header.color, header.bits) {
            (Color::Gray, bits @ 1..8) => (1u16 << bits).saturating_sub(1),
            _ => 255,
        };
        Expander { header, colors, indices, scaled: samples_of_codes(top, Depth::U8) }
    }

    /// One row.
    pub(super) fn run(&self, apart: &[u8], to: SamplesMut<'_>) -> Result<()> {
        match to {
            SamplesMut::U8(to) => self.bytes(apart, to),
            SamplesMut::U16(to) => {
                self.words(apart, to);
                Ok(())
            }
            // The header only ever names integers.
            SamplesMut::F32(_) => Ok(()),
        }
    }

    fn scale(&self, code: u8) -> u8 {
        self.scaled.get(usize::from(code)).map_or(255, |&v| v as u8)
    }

    fn bytes(&self, apart: &[u8], to: &mut [u8]) -> Result<()> {
        match (self.header.color, self.colors.key) {
            (Color::Palette, _) if self.indices => return self.numbers(apart, to),
            (Color::Palette, _) => return self.look_up(apart, to),
            (Color::Gray, Some([key, ..])) => {
                for (to, &code) in to.as_chunks_mut::<2>().0.iter_mut().zip(apart) {
                    *to = [self.scale(code), if u16::from(code) == key { 0 } else { 255 }];
                }
            }
            (Color::Gray, None) if self.header.bits < 8 => {
                to.iter_mut().zip(apart).for_each(|(to, &code)| *to = self.scale(code));
            }
            (Color::Rgb, Some(key)) => {
                for (to, &[r, g, b]) in to.as_chunks_mut::<4>().0.iter_mut().zip(apart.as_chunks::<3>().0) {
                    *to = [r, g, b, if arrays::map([r, g, b], u16::from) == key { 0 } else { 255 }];
                }
            }
            _ => to.iter_mut().zip(apart).for_each(|(to, v)| *to = *v),
        }
        Ok(())
    }

    #[cold]
    fn beyond(&self, index: u8) -> Error {
        let count = self.colors.palette.len();
        Error::malformed(format!("a pixel has index {index}; the palette has {count} colours"))
    }

    /// Indices as they are, if the palette has them.
    fn numbers(&self, apart: &[u8], to: &mut [u8]) -> Result<()> {
        let most = largest(apart);
        if usize::from(most) >= self.colors.palette.len() {
            return Err(self.beyond(most));
        }
        to.iter_mut().zip(apart).for_each(|(to, v)| *to = *v);
        Ok(())
    }

    fn look_up(&self, apart: &[u8], to: &mut [u8]) -> Result<()> {
        let color = |index: u8| self.colors.palette.get(usize::from(index)).copied().ok_or_else(|| self.beyond(index));
        if self.colors.transparent() {
            for (to, &index) in to.as_chunks_mut::<4>().0.iter_mut().zip(apart) {
                let [r, g, b] = color(index)?;
                *to = [r, g, b, self.colors.alpha.get(usize::from(index)).copied().unwrap_or(255)];
            }
        } else {
            for (to, &index) in to.as_chunks_mut::<3>().0.iter_mut().zip(apart) {
                *to = color(index)?;
            }
        }
        Ok(())
    }

    /// 16-bit samples are big-endian (7.1).
    fn words(&self, apart: &[u8], to: &mut [u16]) {
        let from = apart.as_chunks::<2>().0;
        match (self.header.color, self.colors.key) {
            (Color::Gray, Some([key, ..])) => {
                for (to, bytes) in to.as_chunks_mut::<2>().0.iter_mut().zip(from) {
                    let v = u16::from_be_bytes(*bytes);
                    *to = [v, if v == key { 0 } else { u16::MAX }];
                }
            }
            (Color::Rgb, Some(key)) => {
                for (to, bytes) in to.as_chunks_mut::<4>().0.iter_mut().zip(from.as_chunks::<3>().0) {
                    let [r, g, b] = arrays::map(*bytes, u16::from_be_bytes);
                    *to = [r, g, b, if [r, g, b] == key { 0 } else { u16::MAX }];
                }
            }
            _ => to.iter_mut().zip(from).for_each(|(to, bytes)| *to = u16::from_be_bytes(*bytes)),
        }
    }
}
