//! The coefficients of a component that are held until all scans have come: all of them, or those that a reduced size is made of.

use crate::error::Result;
use crate::memory;

/// The coefficients of a component, block by block in rows.
pub(super) enum Coefficients {
    /// All of each block.
    Whole(Vec<[i16; 64]>),
    /// The lowest `n` x `n` of each block, and for all of them whether they are zero: a bit that is added later stands there only for those
    /// that are not (G.1.2.3).
    Lowest { n: usize, values: Vec<i16>, nonzero: Vec<u64> },
}

impl Coefficients {
    /// So many blocks of zeros, for a picture whose blocks become `n` x `n` samples.
    pub(super) fn zeros(blocks: usize, n: u32) -> Result<Coefficients> {
        let n = n as usize;
        Ok(match n {
            8.. => Coefficients::Whole(memory::zeros(blocks)?),
            _ => Coefficients::Lowest {
                n,
                values: memory::zeros(blocks.saturating_mul(n.saturating_mul(n)))?,
                nonzero: memory::zeros(blocks)?,
            },
        })
    }

    /// Bytes that a block takes.
    pub(super) fn bytes_a_block(n: u32) -> u64 {
        match u64::from(n) {
            8.. => 128,
            n => n.saturating_mul(n).saturating_mul(2).saturating_add(8),
        }
    }

    /// A block as far as it is known: of a coefficient that is not kept, whether it is zero.
    pub(super) fn block(&self, at: usize) -> Option<[i16; 64]> {
        match self {
            Coefficients::Whole(blocks) => blocks.get(at).copied(),
            Coefficients::Lowest { n, values, nonzero } => {
                let mut block = [0; 64];
                let bits = *nonzero.get(at)?;
                for (place, to) in (0u32..).zip(block.iter_mut()) {
                    *to = i16::from(bits.checked_shr(place).unwrap_or(0) & 1 == 1);
                }
                let kept = values.get(at.checked_mul(n.checked_mul(*n)?)?..)?;
                for (to, kept) in block.chunks_exact_mut(8).zip(kept.chunks_exact(*n)).take(*n) {
                    to.iter_mut().zip(kept).for_each(|(to, v)| *to = *v);
                }
                Some(block)
            }
        }
    }

    /// Keeps a block.
    pub(super) fn put(&mut self, at: usize, block: &[i16; 64]) {
        match self {
            Coefficients::Whole(blocks) => {
                if let Some(to) = blocks.get_mut(at) {
                    *to = *block;
                }
            }
            Coefficients::Lowest { n, values, nonzero } => {
                let n = *n;
                if let Some(to) = nonzero.get_mut(at) {
                    *to = block.iter().rev().fold(0u64, |bits, &v| bits << 1 | u64::from(v != 0));
                }
                let kept = values.get_mut(at.saturating_mul(n.saturating_mul(n))..).unwrap_or_default();
                for (from, kept) in block.chunks_exact(8).zip(kept.chunks_exact_mut(n)).take(n) {
                    kept.iter_mut().zip(from).for_each(|(to, v)| *to = *v);
                }
            }
        }
    }

    /// All coefficients, where they are held.
    pub(super) fn into_whole(self) -> Vec<[i16; 64]> {
        match self {
            Coefficients::Whole(blocks) => blocks,
            Coefficients::Lowest { .. } => Vec::new(),
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn what_is_kept_comes_back_and_of_the_rest_whether_it_is_zero() {
        let block: [i16; 64] = std::array::from_fn(|i| if i % 3 == 0 { 0 } else { 500 - i as i16 * 17 });
        for n in [1u32, 2, 4, 8] {
            let mut held = Coefficients::zeros(3, n).unwrap();
            held.put(1, &block);
            held.put(3, &block);
            let (found, kept) = (held.block(1).unwrap(), |i: usize| i / 8 < n as usize && i % 8 < n as usize);
            for (i, (found, put)) in found.into_iter().zip(block).enumerate() {
                assert_eq!(found, if kept(i) { put } else { i16::from(put != 0) }, "{n} {i}");
            }
            assert_eq!((held.block(0), held.block(2), held.block(3)), (Some([0; 64]), Some([0; 64]), None));
        }
    }
}
