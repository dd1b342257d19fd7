//! Writing in passes (Adam7, 8.2): the picture is held whole, and packed at its end.
//!
//! One thread: who asks for passes asks for a picture that is fetched slowly, which a large one would not be.

use super::bits::put_together;
use super::filter::Filters;
use super::header::Header;
use super::passes::passes;
use crate::error::{Error, Result};
use crate::memory::{self, Account, Charge};
use flate2::{Compression, write::ZlibEncoder};
use std::io::Write;

/// Bytes of packed data that are handed on together.
const PART: usize = 1 << 20;

/// A picture that waits for its last row.
pub(super) struct Interlaced {
    header: Header,
    adaptive: bool,
    effort: u32,
    /// The pixels, a byte a code below 8 bits.
    samples: Vec<u8>,
    _charge: Charge,
}

impl Interlaced {
    pub(super) fn new(header: Header, (adaptive, effort): (bool, u32), account: Account<'_>) -> Result<Interlaced> {
        let bytes = header.apart_bytes().saturating_mul(header.size.height as usize);
        let charge = Charge::take(account, bytes as u64)?;
        // As much as was charged: growing would take up to twice of it.
        let samples = memory::room(bytes)?;
        Ok(Interlaced { header, adaptive: adaptive && effort > 0, effort, samples, _charge: charge })
    }

    /// Where the next row's samples are to be put.
    pub(super) fn rows(&mut self) -> &mut Vec<u8> {
        &mut self.samples
    }

    /// Packs all passes.
    pub(super) fn pack(&mut self, mut put: impl FnMut(&[u8]) -> Result<()>) -> Result<()> {
        let failed = |e| Error::io("cannot pack the pixels", e);
        let mut packer = ZlibEncoder::new(Vec::new(), Compression::new(self.effort));
        let (bytes, line) = (self.header.pixel_bytes(), self.header.apart_bytes());
        let bits = self.header.bits;
        for pass in passes(&self.header) {
            let mut filters = Filters::new(self.header.row_bytes_of(pass.width));
            let (mut apart, mut row, mut above) = (Vec::new(), Vec::new(), None::<Vec<u8>>);
            let lines = self.samples.chunks_exact(line.max(1)).skip(pass.y as usize).step_by(pass.dy as usize);
            for line in lines {
                apart.clear();
                let pixels = line.chunks_exact(bytes.max(1)).skip(pass.x as usize).step_by(pass.dx as usize);
                pixels.for_each(|pixel| apart.extend_from_slice(pixel));
                row.clear();
                match bits {
                    1 | 2 | 4 => put_together(&apart, bits, &mut row, |v| v),
                    _ => row.extend_from_slice(&apart),
                }
                let (kind, form) = match self.adaptive {
                    true => filters.choose(&row, above.as_deref(), bytes),
                    false => (0, row.as_slice()),
                };
                packer.write_all(&[kind]).and_then(|()| packer.write_all(form)).map_err(failed)?;
                above.get_or_insert_default().clone_from(&row);
                if packer.get_ref().len() >= PART {
                    put(packer.get_ref())?;
                    packer.get_mut().clear();
                }
            }
        }
        let last = packer.finish().map_err(failed)?;
        self.samples = Vec::new();
        put(&last)
    }
}
