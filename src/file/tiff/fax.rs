//! Fax: runs of white and black pixels (ITU-T T.4, ITU-T T.6, as section 11 of TIFF and its class F have them). White pixels come as 0.
//!
//! Not here: the uncompressed mode, which hardly any machine has; it is an error.
// Places within a row, whose width is checked; bits of 32.
#![allow(clippy::arithmetic_side_effects)]

use super::codecs::Unpacked;
use super::fax_codes::{Codes, Mode};
use super::shape::Packing;
use crate::error::{Error, Result};
use std::sync::OnceLock;

/// Bits, the highest of a byte first.
struct Bits<'a> {
    bytes: &'a [u8],
    at: usize,
}

impl Bits<'_> {
    /// The next 32 bits; zeros behind the end.
    fn peek(&self) -> u32 {
        let from = self.bytes.get(self.at >> 3..).unwrap_or_default();
        let mut all = [0u8; 5];
        all.iter_mut().zip(from).for_each(|(to, v)| *to = *v);
        let [a, b, c, d, e] = all;
        let wide = u64::from(u32::from_be_bytes([a, b, c, d])) << 8 | u64::from(e);
        (wide >> (8 - (self.at & 7))) as u32
    }

    fn skip(&mut self, bits: u32) {
        self.at += bits as usize;
    }

    fn is_empty(&self) -> bool {
        self.at >= self.bytes.len() * 8
    }

    /// To the next whole byte.
    fn align(&mut self) {
        self.at = self.at.next_multiple_of(8);
    }
}

/// Unpacks rows of `width` pixels; each begins with a whole byte of `room`.
pub(super) fn unpack(packing: Packing, bytes: &[u8], width: u32, room: &mut [u8]) -> Unpacked {
    static CODES: OnceLock<Codes> = OnceLock::new();
    let codes = CODES.get_or_init(Codes::new);
    let mut bits = Bits { bytes, at: 0 };
    // Where the colour changes: of the row above, and of this one.
    let (mut above, mut row) = (Vec::new(), Vec::new());
    let mut done = 0usize;
    for to in room.chunks_exact_mut((width as usize).div_ceil(8)) {
        row.clear();
        let found = match packing {
            Packing::Fax4 => two_dimensions(&mut bits, codes, &above, width, &mut row),
            Packing::Fax3 { two } => marked_row(&mut bits, codes, two, &above, width, &mut row),
            _ => {
                let found = one_dimension(&mut bits, codes, width, &mut row);
                bits.align();
                found
            }
        };
        match found {
            Ok(true) => {}
            Ok(false) => break,
            Err(fault) => return Unpacked { bytes: done, fault: Some(fault) },
        }
        only_changes(&mut row, width);
        paint(&row, width, to);
        done = done.saturating_add(to.len());
        std::mem::swap(&mut above, &mut row);
    }
    Unpacked { bytes: done, fault: None }
}

/// A row between marks; false where there are no more.
fn marked_row(
    bits: &mut Bits<'_>,
    codes: &Codes,
    two: bool,
    above: &[u32],
    width: u32,
    row: &mut Vec<u32>,
) -> Result<bool> {
    // A mark is a one behind eleven zeros or more; where rows may be coded by the row above, a bit behind it says whether the next one is.
    let (mut marks, mut alone) = (0, true);
    while bits.peek() >> 21 == 0 {
        let zeros = bits.peek().leading_zeros();
        if zeros == 32 {
            bits.skip(21);
            if bits.is_empty() {
                return Ok(false);
            }
            continue;
        }
        bits.skip(zeros + 1);
        marks += 1;
        if two {
            alone = bits.peek() >> 31 == 1;
            bits.skip(1);
        }
        // Six marks in a row are the end.
        if marks >= 6 {
            return Ok(false);
        }
    }
    match alone {
        true => one_dimension(bits, codes, width, row),
        false => two_dimensions(bits, codes, above, width, row),
    }
}

/// A run, of any length.
fn run(bits: &mut Bits<'_>, codes: &Codes, black: bool) -> Result<u32> {
    let mut whole = 0u32;
    loop {
        let Some((run, length)) = codes.run(black, bits.peek()).filter(|_| !bits.is_empty()) else {
            return Err(fault(bits, if black { "no code of a black run" } else { "no code of a white run" }));
        };
        bits.skip(u32::from(length));
        whole = whole.saturating_add(u32::from(run));
        if run < 64 {
            return Ok(whole);
        }
    }
}

#[cold]
fn fault(bits: &Bits<'_>, what: &str) -> Error {
    Error::malformed(format!("fax data with {what} at its bit {}", bits.at))
}

/// A row by itself: white and black runs in turn.
fn one_dimension(bits: &mut Bits<'_>, codes: &Codes, width: u32, row: &mut Vec<u32>) -> Result<bool> {
    if bits.is_empty() {
        return Ok(false);
    }
    let (mut at, mut black) = (0u32, false);
    while at < width {
        at = at.saturating_add(run(bits, codes, black)?);
        if at > width {
            return Err(fault(bits, &format!("a row of {at} pixels instead of {width}")));
        }
        row.push(at);
        black = !black;
    }
    Ok(true)
}

/// A row by the changes of the row above.
fn two_dimensions(bits: &mut Bits<'_>, codes: &Codes, above: &[u32], width: u32, row: &mut Vec<u32>) -> Result<bool> {
    // Two marks end a block of T.6.
    if bits.is_empty() || bits.peek() >> 20 == 1 {
        return Ok(false);
    }
    let (mut at, mut black, mut place) = (0u32, false, 0usize);
    // Before the first change one stands to the left of the row.
    let mut first = true;
    while at < width {
        // The first change above to the right of here that leads to the other colour; those at even places lead to black.
        while place > 0 && above.get(place - 1).is_some_and(|&c| c > at) {
            place -= 1;
        }
        while above.get(place).is_some_and(|&c| c <= at && !first || (place % 2 == 1) != black) {
            place += 1;
        }
        let change = above.get(place).copied().unwrap_or(width);
        let Some((mode, length)) = codes.mode(bits.peek()).filter(|_| !bits.is_empty()) else {
            return Err(fault(bits, "no mode"));
        };
        bits.skip(u32::from(length));
        match mode {
            Mode::Pass => at = above.get(place + 1).copied().unwrap_or(width),
            Mode::Horizontal => {
                for black in [black, !black] {
                    at = at.saturating_add(run(bits, codes, black)?);
                    if at > width {
                        return Err(fault(bits, &format!("a row of {at} pixels instead of {width}")));
                    }
                    row.push(at);
                }
            }
            Mode::Vertical(shift) => {
                match u32::try_from(i64::from(change) + i64::from(shift)) {
                    Ok(to) if (to > at || first) && to <= width => at = to,
                    _ => return Err(fault(bits, "a change that lies to the left of the one before, or outside")),
                }
                row.push(at);
                black = !black;
            }
        }
        first = false;
    }
    Ok(true)
}

/// Leaves only changes of colour: runs of no pixels have none, nor has the end of the row.
fn only_changes(row: &mut Vec<u32>, width: u32) {
    let mut kept = 0;
    for i in 0..row.len() {
        let Some(&change) = row.get(i) else { continue };
        if kept > 0 && row.get(kept - 1) == Some(&change) {
            kept -= 1;
        } else if let Some(to) = row.get_mut(kept) {
            *to = change;
            kept += 1;
        }
    }
    row.truncate(kept);
    row.retain(|&change| change < width);
}

/// Black pixels as ones; `changes` are the places where the colour changes, from white.
fn paint(changes: &[u32], width: u32, to: &mut [u8]) {
    to.fill(0);
    for pair in changes.chunks(2) {
        let &[from, ref rest @ ..] = pair else { continue };
        let end = rest.first().copied().unwrap_or(width);
        let (first, last) = ((from >> 3) as usize, (end >> 3) as usize);
        // The pixels of the first byte from `from` on, and those of the last before `end`.
        let (head, tail) = (0xffu8 >> (from & 7), !(0xffu8 >> (end & 7)));
        if first == last {
            to.iter_mut().skip(first).take(1).for_each(|byte| *byte |= head & tail);
            continue;
        }
        to.iter_mut().skip(first).take(1).for_each(|byte| *byte |= head);
        to.iter_mut().skip(last).take(1).for_each(|byte| *byte |= tail);
        if let Some(between) = to.get_mut(first + 1..last) {
            between.fill(255);
        }
    }
}
