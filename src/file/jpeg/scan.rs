//! A scan: its header (B.2.3), and the decoding of its blocks - sequential (F.2), and progressive (G.2).

use super::bits::Bits;
use super::frame::{Coding, FrameHeader};
use super::huffman::Huffman;
use super::idct::Block;
use crate::error::{Error, Result};

/// Where the coefficients of the zigzag order lie in rows (figure 5), and sixteen more for runs that lead too far.
#[rustfmt::skip]
pub(super) const NATURAL: [u8; 80] = [
    0, 1, 8, 16, 9, 2, 3, 10, 17, 24, 32, 25, 18, 11, 4, 5,
    12, 19, 26, 33, 40, 48, 41, 34, 27, 20, 13, 6, 7, 14, 21, 28,
    35, 42, 49, 56, 57, 50, 43, 36, 29, 22, 15, 23, 30, 37, 44, 51,
    58, 59, 52, 45, 38, 31, 39, 46, 53, 60, 61, 54, 47, 55, 62, 63,
    63, 63, 63, 63, 63, 63, 63, 63, 63, 63, 63, 63, 63, 63, 63, 63,
];

/// The tables that are in force: by number, DC and AC.
#[derive(Debug, Clone, Default)]
pub(super) struct Tables {
    pub(super) dc: [Option<std::sync::Arc<Huffman>>; 4],
    pub(super) ac: [Option<std::sync::Arc<Huffman>>; 4],
}

/// One component of a scan.
#[derive(Debug, Clone)]
pub(super) struct Part {
    /// Which of the frame's components.
    pub(super) index: usize,
    pub(super) dc: Option<std::sync::Arc<Huffman>>,
    pub(super) ac: Option<std::sync::Arc<Huffman>>,
}

/// What a scan header says.
#[derive(Debug, Clone)]
pub(super) struct Scan {
    pub(super) parts: Vec<Part>,
    /// The band of coefficients, in zigzag order, both ends included.
    pub(super) first: u8,
    pub(super) last: u8,
    /// The bit that earlier scans stopped at, 0 for a first scan; and the bit that this one stops at.
    pub(super) high: u8,
    pub(super) low: u8,
}

impl Scan {
    pub(super) fn parse(body: &[u8], frame: &FrameHeader, tables: &Tables) -> Result<Scan> {
        let short = || Error::malformed("a scan header whose length does not fit");
        let (&count, rest) = body.split_first().ok_or_else(short)?;
        let (parts, rest) = rest.split_at_checked(usize::from(count).saturating_mul(2)).ok_or_else(short)?;
        let &[first, last, approximation] = rest.first_chunk::<3>().filter(|_| rest.len() == 3).ok_or_else(short)?;
        let (high, low) = (approximation >> 4, approximation & 15);
        let progressive = frame.coding == Coding::Progressive;
        let fits = match progressive {
            true => {
                first <= last
                    && last <= 63
                    && low <= 13
                    && (high == 0 || high == low.saturating_add(1))
                    && if first == 0 { last == 0 } else { count == 1 }
            }
            false => (first, last, high, low) == (0, 63, 0, 0),
        };
        if !fits {
            let line =
                format!("a scan of coefficients {first} to {last} from bit {high} to {low} of {count} components");
            return Err(Error::malformed(line));
        }
        let mut scan = Scan { parts: Vec::new(), first, last, high, low };
        let mut blocks = 0u32;
        for &[id, numbers] in parts.as_chunks::<2>().0 {
            let found = frame.components.iter().enumerate().find(|(_, c)| c.id == id);
            let Some((index, component)) = found else {
                return Err(Error::malformed(format!("a scan of component {id}, which the frame has not")));
            };
            if scan.parts.iter().any(|p| p.index == index) {
                return Err(Error::malformed(format!("a scan that has component {id} twice")));
            }
            blocks = blocks.saturating_add(u32::from(component.h).saturating_mul(u32::from(component.v)));
            let pick = |from: &[Option<_>; 4], number: u8, needed: bool, what: &str| match from.get(usize::from(number))
            {
                Some(Some(table)) => Ok(Some(std::sync::Arc::clone(table))),
                _ if !needed => Ok(None),
                _ => Err(Error::malformed(format!("a scan by {what} table {number}, which has not come"))),
            };
            let dc = pick(&tables.dc, numbers >> 4, first == 0 && high == 0, "DC")?;
            let ac = pick(&tables.ac, numbers & 15, last > 0, "AC")?;
            scan.parts.push(Part { index, dc, ac });
        }
        if scan.parts.is_empty() || scan.parts.len() > 4 || (scan.parts.len() > 1 && blocks > 10) {
            return Err(Error::malformed(format!(
                "a scan of {count} components with {blocks} blocks together; 10 is the most"
            )));
        }
        Ok(scan)
    }

    /// Whether the scan holds one component alone, whose blocks then follow each other without padding.
    pub(super) fn is_single(&self) -> bool {
        self.parts.len() == 1
    }
}

fn missing() -> Error {
    Error::malformed("a scan without the table it needs")
}

/// What is carried from block to block.
#[derive(Debug, Clone, Copy, Default, PartialEq, Eq)]
pub(super) struct Carried {
    /// The last DC coefficient of each of the scan's components.
    pub(super) means: [i32; 4],
    /// Blocks whose band has ended.
    pub(super) ended: u32,
}

/// Decodes a block of a sequential scan, dequantised; the block has been zero. Gives the number of the last coefficient
/// that is not zero.
#[inline(always)]
pub(super) fn sequential(
    bits: &mut Bits<'_>,
    part: &Part,
    quantiser: &[u16; 64],
    mean: &mut i32,
    block: &mut Block,
) -> Result<u8> {
    let (Some(dc), Some(ac)) = (&part.dc, &part.ac) else { return Err(missing()) };
    bits.fill();
    let size = u32::from(dc.symbol(bits)?);
    if size > 16 {
        return Err(Error::malformed(format!("a DC coefficient whose difference has {size} bits")));
    }
    bits.fill();
    *mean = mean.wrapping_add(bits.extended(size));
    if let (Some(to), Some(q)) = (block.first_mut(), quantiser.first()) {
        *to = mean.wrapping_mul(i32::from(*q));
    }
    let mut k = 1u8;
    let mut last = 0u8;
    while k < 64 {
        bits.fill();
        let value = match ac.run_and_value(bits) {
            Some((run, value)) => {
                k = k.saturating_add(run as u8);
                value
            }
            None => {
                let symbol = ac.symbol(bits)?;
                let (run, size) = (symbol >> 4, u32::from(symbol & 15));
                if size == 0 {
                    if run < 15 {
                        break;
                    }
                    k = k.saturating_add(16);
                    continue;
                }
                k = k.saturating_add(run);
                bits.fill();
                bits.extended(size)
            }
        };
        if k > 63 {
            return Err(Error::malformed("a block with more than 64 coefficients"));
        }
        let place = NATURAL.get(usize::from(k)).copied().unwrap_or(63);
        if let (Some(to), Some(q)) = (block.get_mut(usize::from(place)), quantiser.get(usize::from(place))) {
            *to = value.wrapping_mul(i32::from(*q));
        }
        last = k;
        k = k.saturating_add(1);
    }
    Ok(last)
}

/// Decodes a block of a progressive scan into the coefficients so far, which are not dequantised (G.1.2).
pub(super) fn progressive(
    bits: &mut Bits<'_>,
    scan: &Scan,
    number: usize,
    carried: &mut Carried,
    block: &mut [i16; 64],
) -> Result<()> {
    let part = scan.parts.get(number).ok_or_else(missing)?;
    match (scan.first, scan.high) {
        (0, 0) => {
            let (Some(dc), Some(mean)) = (&part.dc, carried.means.get_mut(number)) else { return Err(missing()) };
            bits.fill();
            let size = u32::from(dc.symbol(bits)?);
            if size > 16 {
                return Err(Error::malformed(format!("a DC coefficient whose difference has {size} bits")));
            }
            bits.fill();
            *mean = mean.wrapping_add(bits.extended(size));
            if let Some(to) = block.first_mut() {
                *to = (*mean << scan.low) as i16;
            }
            Ok(())
        }
        (0, _) => {
            bits.fill();
            if let (1, Some(to)) = (bits.take(1), block.first_mut()) {
                *to |= 1 << scan.low;
            }
            Ok(())
        }
        (_, 0) => band_first(bits, scan, part, carried, block),
        _ => band_again(bits, scan, part, carried, block),
    }
}

fn place_of(k: u8) -> usize {
    usize::from(NATURAL.get(usize::from(k)).copied().unwrap_or(63))
}

/// The first scan of a band of coefficients (G.1.2.2).
fn band_first(
    bits: &mut Bits<'_>,
    scan: &Scan,
    part: &Part,
    carried: &mut Carried,
    block: &mut [i16; 64],
) -> Result<()> {
    if carried.ended > 0 {
        carried.ended = carried.ended.saturating_sub(1);
        return Ok(());
    }
    let ac = part.ac.as_deref().ok_or_else(missing)?;
    let mut k = scan.first;
    while k <= scan.last {
        bits.fill();
        let symbol = ac.symbol(bits)?;
        let (run, size) = (symbol >> 4, symbol & 15);
        bits.fill();
        match (run, size) {
            (15, 0) => k = k.saturating_add(16),
            (_, 0) => {
                // So many blocks have no more in this band, this one among them.
                carried.ended = (1u32 << run).saturating_sub(1).saturating_add(bits.take(u32::from(run)));
                return Ok(());
            }
            _ => {
                k = k.saturating_add(run);
                if k > scan.last {
                    return Err(Error::malformed("a coefficient behind the end of its band"));
                }
                let value = bits.extended(u32::from(size));
                if let Some(to) = block.get_mut(place_of(k)) {
                    *to = (value << scan.low) as i16;
                }
                k = k.saturating_add(1);
            }
        }
    }
    Ok(())
}

/// A further bit of a band of coefficients (G.1.2.3).
fn band_again(
    bits: &mut Bits<'_>,
    scan: &Scan,
    part: &Part,
    carried: &mut Carried,
    block: &mut [i16; 64],
) -> Result<()> {
    let ac = part.ac.as_deref().ok_or_else(missing)?;
    let bit = 1i16 << scan.low;
    let mut k = scan.first;
    if carried.ended == 0 {
        while k <= scan.last {
            bits.fill();
            let symbol = ac.symbol(bits)?;
            let (mut run, size) = (symbol >> 4, symbol & 15);
            bits.fill();
            let value = match (run, size) {
                (15, 0) => 0,
                (_, 0) => {
                    carried.ended = (1u32 << run).saturating_add(bits.take(u32::from(run)));
                    break;
                }
                (_, 1) => {
                    if bits.take(1) == 1 {
                        bit
                    } else {
                        bit.wrapping_neg()
                    }
                }
                _ => return Err(Error::malformed("a further bit of a coefficient that is more than a bit")),
            };
            // Past `run` coefficients that are still zero; each that is not takes a bit on the way.
            while k <= scan.last {
                let Some(to) = block.get_mut(place_of(k)) else { break };
                if *to != 0 {
                    bits.fill();
                    refine(bits, to, bit);
                } else if run == 0 {
                    *to = value;
                    k = k.saturating_add(1);
                    break;
                } else {
                    run = run.saturating_sub(1);
                }
                k = k.saturating_add(1);
            }
        }
    }
    if carried.ended > 0 {
        while k <= scan.last {
            if let Some(to) = block.get_mut(place_of(k)).filter(|to| **to != 0) {
                bits.fill();
                refine(bits, to, bit);
            }
            k = k.saturating_add(1);
        }
        carried.ended = carried.ended.saturating_sub(1);
    }
    Ok(())
}

/// A bit more of a coefficient that is not zero, away from zero.
fn refine(bits: &mut Bits<'_>, to: &mut i16, bit: i16) {
    if bits.take(1) == 1 {
        *to = if *to > 0 { to.wrapping_add(bit) } else { to.wrapping_sub(bit) };
    }
}
