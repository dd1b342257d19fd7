//! Huffman tables for reading (annex C, F.2.2.3).

use super::bits::{Bits, extend};
use crate::error::{Error, Result};

/// Bits that are looked up at once.
const LOOK: u32 = 10;

/// A table of codes.
#[derive(Debug, Clone)]
pub(super) struct Huffman {
    /// By the next bits: the code's length in the high byte, its symbol in the low one; 0 where the code is longer.
    short: Vec<u16>,
    /// By the next bits, where they hold a code and all bits of the number behind it: the number in the high half, then
    /// the zeros before it, then all bits used; 0 where they do not.
    whole: Vec<u32>,
    /// The first code of each length that is beyond it, left-aligned to 16 bits, and what to add to a code to find its
    /// symbol.
    limits: [u32; 17],
    offsets: [i32; 17],
    symbols: Vec<u8>,
}

impl Huffman {
    /// From how many codes there are of each length, 1 to 16, and their symbols.
    ///
    /// # Errors
    /// More codes than their lengths leave room for.
    pub(super) fn new(counts: &[u8; 16], symbols: &[u8]) -> Result<Huffman> {
        let mut table = Huffman {
            short: vec![0; 1 << LOOK],
            whole: vec![0; 1 << LOOK],
            limits: [0; 17],
            offsets: [0; 17],
            symbols: symbols.to_vec(),
        };
        let (mut code, mut first) = (0u32, 0usize);
        for ((length, &count), (limit, offset)) in
            (1u32..).zip(counts).zip(table.limits.iter_mut().zip(&mut table.offsets).skip(1))
        {
            *offset = (first as i32).wrapping_sub(code as i32);
            for i in 0..usize::from(count) {
                let symbol = symbols.get(first.saturating_add(i)).copied().unwrap_or(0);
                let code = code.saturating_add(i as u32);
                if length <= LOOK {
                    let spare = LOOK.saturating_sub(length);
                    let places = table.short.iter_mut().skip((code << spare) as usize).take(1 << spare);
                    places.for_each(|place| *place = (length as u16) << 8 | u16::from(symbol));
                }
            }
            code = code.saturating_add(u32::from(count));
            first = first.saturating_add(usize::from(count));
            if code > 1 << length {
                return Err(Error::malformed(format!(
                    "a Huffman table with more codes of {length} bits than there are"
                )));
            }
            *limit = code << (16u32.saturating_sub(length));
            code <<= 1;
        }
        for (bits, (whole, &short)) in (0u32..).zip(table.whole.iter_mut().zip(&table.short)) {
            let (length, run, size) = (u32::from(short >> 8), u32::from(short >> 4) & 15, u32::from(short) & 15);
            let all = length.saturating_add(size);
            if length > 0 && size > 0 && all <= LOOK {
                let value = (bits >> LOOK.saturating_sub(all)) & (1u32 << size).saturating_sub(1);
                let value = extend(value as i32, size) as u32;
                *whole = value << 16 | run << 8 | all;
            }
        }
        Ok(table)
    }

    /// The next symbol; 0 where no code fits, which `Err` tells. The bits have been filled.
    #[inline(always)]
    pub(super) fn symbol(&self, bits: &mut Bits<'_>) -> Result<u8> {
        let short = self.short.get(bits.peek(LOOK) as usize).copied().unwrap_or(0);
        if short != 0 {
            bits.skip(u32::from(short >> 8));
            return Ok(short as u8);
        }
        self.long_symbol(bits)
    }

    #[cold]
    fn long_symbol(&self, bits: &mut Bits<'_>) -> Result<u8> {
        let next = bits.peek(16);
        for (length, (&limit, &offset)) in (0u32..).zip(self.limits.iter().zip(&self.offsets)).skip(1) {
            if next < limit {
                let code = (next >> 16u32.saturating_sub(length)) as i32;
                let symbol = usize::try_from(code.wrapping_add(offset)).ok().and_then(|i| self.symbols.get(i));
                let Some(&symbol) = symbol else { break };
                bits.skip(length);
                return Ok(symbol);
            }
        }
        Err(Error::malformed("bits that are no code of the Huffman table"))
    }

    /// A number with the zeros before it, where both are short enough to be looked up at once: value and run. The bits
    /// are used up only then.
    #[inline(always)]
    pub(super) fn run_and_value(&self, bits: &mut Bits<'_>) -> Option<(u32, i32)> {
        let whole = self.whole.get(bits.peek(LOOK) as usize).copied().unwrap_or(0);
        if whole == 0 {
            return None;
        }
        bits.skip(whole & 255);
        Some(((whole >> 8) & 255, (whole as i32) >> 16))
    }
}
