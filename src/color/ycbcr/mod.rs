//! Luma and colour differences as cameras and decoders hand them over: codes of 8 to 16 bits, full or limited range, at full size or
//! with fewer colour differences, in planes or packed.
//!
//! - [`YcbcrFrame`]: the three planes, made by [`to_ycbcr`] and turned back by [`YcbcrFrame::to_rgb`].
//! - [`YcbcrLayout`]: the same in foreign memory.
//!
//! Codes are rounded once, exactly, ties up. Not here: JPEG, whose own transform belongs to its standard ([`file`](crate::file)).

mod bytes;
mod code;
mod frame;
mod layout;
mod rows;
mod words;

use super::space::{Matrix, inverse};
use crate::error::{Error, Result};
use crate::pixel::{ChromaSampling, ChromaSiting};
use crate::threads::Threads;
pub use code::YcbcrCode;
pub use frame::{YcbcrFrame, to_ycbcr};
pub use layout::{YcbcrLayout, YcbcrOrder};

/// How much red and blue count towards luma.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[non_exhaustive]
pub enum LumaWeights {
    /// 0.299 and 0.114 (ITU-R BT.601-7, 2.5.1).
    Bt601,
    /// 0.2126 and 0.0722 (ITU-R BT.709-6, item 3.2).
    #[default]
    Bt709,
    /// 0.2627 and 0.0593 (ITU-R BT.2020-2, table 4, not constant luminance).
    Bt2020,
}

impl LumaWeights {
    /// The weights of red, green and blue.
    pub fn weights(self) -> [f64; 3] {
        match self {
            LumaWeights::Bt601 => [0.299, 0.587, 0.114],
            LumaWeights::Bt709 => [0.2126, 0.7152, 0.0722],
            LumaWeights::Bt2020 => [0.2627, 0.6780, 0.0593],
        }
    }

    /// What the weights are whole numbers of: a thousandth or a ten-thousandth, as its inverse.
    fn decimals(self) -> f64 {
        match self {
            LumaWeights::Bt601 => 1000.0,
            LumaWeights::Bt709 | LumaWeights::Bt2020 => 10_000.0,
        }
    }

    /// From encoded red, green and blue, 0 to 1, to Y, 0 to 1, and Cb and Cr, -1/2 to 1/2: Cb = (B - Y) / (2 - 2 Kb), Cr = (R - Y) / (2 - 2
    /// Kr).
    pub fn matrix(self) -> Matrix {
        let [r, g, b] = self.weights();
        let (cb, cr) = (2.0 * (1.0 - b), 2.0 * (1.0 - r));
        [[r, g, b], [-r / cb, -g / cb, 0.5], [0.5, -g / cr, -b / cr]]
    }

    /// The inverse of [`matrix`](LumaWeights::matrix).
    pub fn inverse(self) -> Matrix {
        let [r, g, b] = self.weights();
        let (cb, cr) = (2.0 * (1.0 - b), 2.0 * (1.0 - r));
        debug_assert!(inverse(&self.matrix()).is_some());
        [[1.0, 0.0, cr], [1.0, -b * cb / g, -r * cr / g], [1.0, cb, 0.0]]
    }
}

/// Which codes black, white and the largest colour differences have.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[non_exhaustive]
pub enum YcbcrRange {
    /// All codes: black 0, white 2^n - 1, colour differences around 2^(n-1) (ITU-T T.871, and H.273 with its full range flag).
    Full,
    /// Of 8 bits: black 16, white 235, colour differences 16 to 240 around 128; more bits multiply these by 2^(n-8) (ITU-R BT.709-6, item 4.6).
    #[default]
    Limited,
}

/// Rules of luma and colour differences.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct YcbcrRules {
    /// How much each colour counts.
    pub weights: LumaWeights,
    /// Which codes are used.
    pub range: YcbcrRange,
    /// Bits of a code, 8 to 16.
    pub bits: u8,
    /// How many colour differences there are. A side that is odd has one for its last luma too.
    pub sampling: ChromaSampling,
    /// Where they lie.
    pub siting: ChromaSiting,
    /// Maximum number of threads; the result does not depend on it.
    pub threads: Threads,
}

impl YcbcrRules {
    /// Rules for codes of this many bits: BT.709, limited range, 4:4:4, sited left.
    pub fn new(bits: u8) -> YcbcrRules {
        YcbcrRules {
            weights: LumaWeights::default(),
            range: YcbcrRange::default(),
            bits,
            sampling: ChromaSampling::Ratio444,
            siting: ChromaSiting::Left,
            threads: Threads::ALL,
        }
    }

    /// Sets how much each colour counts.
    pub fn weights(self, weights: LumaWeights) -> YcbcrRules {
        YcbcrRules { weights, ..self }
    }

    /// Sets which codes are used.
    pub fn range(self, range: YcbcrRange) -> YcbcrRules {
        YcbcrRules { range, ..self }
    }

    /// Sets how many colour differences there are.
    pub fn sampling(self, sampling: ChromaSampling) -> YcbcrRules {
        YcbcrRules { sampling, ..self }
    }

    /// Sets where colour differences lie.
    pub fn siting(self, siting: ChromaSiting) -> YcbcrRules {
        YcbcrRules { siting, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> YcbcrRules {
        YcbcrRules { threads, ..self }
    }

    /// That there are as many bits as codes of a type have room for.
    fn check(&self, most: u8) -> Result<()> {
        if (8..=most).contains(&self.bits) {
            return Ok(());
        }
        let reason = format!("luma and colour differences have 8 to {most} bits in codes of {most}, not {}", self.bits);
        Err(Error::out_of_range("bits", self.bits.into(), (8.0, most.into()), reason))
    }

    /// The code of Y = 0 and what Y = 1 adds; that of no colour difference and what a difference of 1 adds.
    fn scales(&self) -> ((f64, f64), (f64, f64)) {
        let more = f64::from(1u32 << (self.bits - 8));
        match self.range {
            YcbcrRange::Limited => ((16.0 * more, 219.0 * more), (128.0 * more, 224.0 * more)),
            YcbcrRange::Full => {
                let full = f64::from((1u32 << self.bits) - 1);
                ((0.0, full), (128.0 * more, full))
            }
        }
    }

    /// The largest code.
    fn max_code(&self) -> f64 {
        f64::from((1u32 << self.bits) - 1)
    }
}
