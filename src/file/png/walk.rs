//! The chunks behind the first packed pixels, gone through before any pixel is read: frames of an animation, and texts.
//!
//! A file may say what belongs to its facts behind its pixels (5.6: texts and the time may stand anywhere).

use super::frames::{Animation, Part};
use crate::error::{Error, Result};
use crate::file::bounds::Bounds;
use crate::file::budget::Budget;
use crate::file::decoder::{Stop, collect, take_bytes};

/// What is passed over by going to its end; less is read on with the next block.
const FAR: u32 = 4096;

/// A way along chunks, whose pixels are passed over.
#[derive(Debug)]
pub(super) struct Walk {
    /// Where the next chunk begins, and what has come of its start.
    pub(super) next: u64,
    part: Vec<u8>,
    /// Whether the chunk before the next one was long, so that the input has to go there.
    far: bool,
    ended: bool,
    /// Chunks that are no pixels and belong to the facts, in order.
    pub(super) found: Vec<([u8; 4], Vec<u8>)>,
}

impl Walk {
    /// A way from behind the first packed pixels.
    pub(super) fn behind(data: Part) -> Walk {
        let next = data.at.saturating_add(4).saturating_add(u64::from(data.bytes));
        Walk { next, part: Vec::new(), far: data.bytes >= FAR, ended: false, found: Vec::new() }
    }

    /// Goes on; the stop that is due until the end of the file is reached.
    ///
    /// # Errors
    /// Chunks of frames that are wrong or too many, or more metadata than the limit.
    pub(super) fn go(
        &mut self,
        (input, at): (&mut &[u8], &mut u64),
        mut animation: Option<&mut Animation>,
        bounds: &Bounds,
        budget: &mut Budget,
    ) -> Result<Option<Stop>> {
        while !self.ended {
            if let Some(stop) = self.collect(input, at, 8) {
                return Ok(Some(stop));
            }
            let mut head = self.part.as_slice();
            let (Some(length), Some(kind)) = (take_bytes::<4>(&mut head), take_bytes::<4>(&mut head)) else {
                return Ok(None);
            };
            let length = u32::from_be_bytes(length);
            let kept = is_kept(&kind);
            let Some(body) = looked_at(kind, length, animation.is_some())? else {
                self.ended = true;
                break;
            };
            // Frames' packed pixels have no checksum of their first bytes alone.
            let sum = if body > 0 && kind != *b"fdAT" { 4usize } else { 0 };
            if kept && self.part.len() == 8 {
                bounds.check_metadata(u64::from(length))?;
            }
            let wanted = (body as usize).saturating_add(8).saturating_add(sum);
            if let Some(stop) = self.collect(input, at, wanted) {
                return Ok(Some(stop));
            }
            let part = std::mem::take(&mut self.part);
            let (body, sum) = part.get(8..).unwrap_or_default().split_at_checked(body as usize).unwrap_or_default();
            let right = || {
                let mut crc = crc32fast::Hasher::new();
                crc.update(&kind);
                crc.update(body);
                sum == crc.finalize().to_be_bytes()
            };
            match (&kind, animation.as_deref_mut()) {
                (b"fcTL", Some(_)) if !right() => {
                    return Err(Error::malformed("the checksum of a chunk fcTL is wrong"));
                }
                (b"fcTL", Some(animation)) => animation.control(body, bounds, budget)?,
                (b"fdAT" | b"IDAT", Some(animation)) => {
                    let data = Part { at: self.next.saturating_add(8), bytes: length, sequence: None };
                    animation.packed(&kind, body, data, budget)?;
                }
                (b"IEND", _) => self.ended = true,
                // One that is wrong is found out when it is read.
                _ if kept && right() => {
                    budget.take(u64::from(length))?;
                    self.found.push((kind, body.to_vec()));
                }
                _ => {}
            }
            self.next = self.next.saturating_add(12).saturating_add(u64::from(length));
            self.far = length >= FAR;
        }
        Ok(None)
    }

    /// Told that the file ends.
    pub(super) fn cut(&mut self) {
        self.ended = true;
    }

    /// Bytes from the start of the chunk that is next; the stop that is due until all have come.
    fn collect(&mut self, input: &mut &[u8], at: &mut u64, wanted: usize) -> Option<Stop> {
        collect((&mut self.part, at), input, self.next, wanted, if self.far { 38 } else { 0 })
    }
}

/// How many bytes of a chunk are looked at; none of what is no chunk, which is found out when it is read.
fn looked_at(kind: [u8; 4], length: u32, animated: bool) -> Result<Option<u32>> {
    match &kind {
        b"fcTL" if animated && length == 26 => Ok(Some(26)),
        b"fdAT" if animated && length >= 4 => Ok(Some(4)),
        b"fcTL" | b"fdAT" if animated => Err(Error::malformed(format!("a chunk of frames has {length} bytes"))),
        kind if is_kept(kind) => Ok(Some(length)),
        kind => Ok(kind.iter().all(u8::is_ascii_alphabetic).then_some(0)),
    }
}

/// Whether a chunk of this kind belongs to the facts wherever it stands.
pub(super) fn is_kept(kind: &[u8; 4]) -> bool {
    matches!(kind, b"tEXt" | b"zTXt" | b"iTXt" | b"tIME" | b"eXIf")
}
