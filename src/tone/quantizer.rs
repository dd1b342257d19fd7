//! Uniform quantisers: cells of levels, what they give out, and samples on their way through.
//!
//! Not here: hiding the error ([`dither`](super::dither)), and pictures ([`quantize`](super::quantize)).

use crate::error::{Error, Result};
use crate::frame::SampleViewMut;
use crate::pixel::{Sample, codes};
use crate::threads::Threads;

/// Reconstruction levels of a quantiser of L levels and N cells.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Reconstruction {
    /// The middle of each cell, (k + 1/2) L / N - 1/2, which keeps the error small.
    #[default]
    Centres,
    /// Spread over the full range, k (L - 1) / (N - 1), which keeps black and white.
    Spread,
    /// The numbers of the cells, 0..N, as plain numbers: not scaled.
    Indices,
}

/// A uniform quantiser of L levels into N = 2^bits cells: level v falls into cell floor(v N / L).
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Quantizer {
    levels: u32,
    cells: u32,
    output: Reconstruction,
}

/// One cell of a quantiser, in levels.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct Cell {
    /// The cell's number.
    pub index: u32,
    /// The decision levels: the cell holds levels from this one ...
    pub from: f64,
    /// ... up to, but not including, this one.
    pub to: f64,
    /// Its reconstruction level, rounded half up to a whole level.
    pub output: f64,
}

impl Quantizer {
    /// A quantiser of levels 0..`levels` into 2^bits cells.
    ///
    /// # Errors
    /// Bits outside 1 to 16, or more cells than levels.
    pub fn new(levels: u32, bits: u32, output: Reconstruction) -> Result<Quantizer> {
        if !(1..=16).contains(&bits) {
            return Err(Error::out_of_range(
                "bits",
                f64::from(bits),
                (1.0, 16.0),
                format!("quantisation takes 1 to 16 bits, not {bits}"),
            ));
        }
        let cells = 1 << bits;
        if cells > levels {
            return Err(Error::out_of_range(
                "bits",
                f64::from(bits),
                (1.0, f64::from(levels.max(1).ilog2())),
                format!("{bits} bits tell {cells} levels apart; there are only {levels}"),
            ));
        }
        Ok(Quantizer { levels, cells, output })
    }

    /// Cells.
    pub fn cells(&self) -> u32 {
        self.cells
    }

    /// The cell of a level.
    pub fn index(&self, level: u32) -> u32 {
        let level = level.min(self.levels - 1);
        // Below the number of cells, as the level is below that of levels.
        (u64::from(level) * u64::from(self.cells) / u64::from(self.levels)) as u32
    }

    /// The reconstruction level of a cell, not rounded.
    pub fn exact_output(&self, index: u32) -> f64 {
        let (l, n, k) = (f64::from(self.levels), f64::from(self.cells), f64::from(index));
        match self.output {
            Reconstruction::Centres => (k + 0.5) * l / n - 0.5,
            Reconstruction::Spread => k * (l - 1.0) / (n - 1.0),
            Reconstruction::Indices => k,
        }
    }

    /// The reconstruction level of a cell, rounded half up, in integer arithmetic.
    pub fn output(&self, index: u32) -> u32 {
        let (l, n, k) = (u64::from(self.levels), u64::from(self.cells), u64::from(index.min(self.cells - 1)));
        (match self.output {
            // (2k + 1) L / 2N - 1/2, and a half for rounding.
            Reconstruction::Centres => (2 * k + 1) * l / (2 * n),
            Reconstruction::Spread => (2 * k * (l - 1) + n - 1) / (2 * (n - 1)),
            Reconstruction::Indices => k,
        }) as u32
    }

    /// All cells: decision levels and output levels.
    pub fn table(&self) -> Vec<Cell> {
        let edge = |k: u32| f64::from(k) * f64::from(self.levels) / f64::from(self.cells);
        let cell = |index| Cell { index, from: edge(index), to: edge(index + 1), output: self.output(index).into() };
        (0..self.cells).map(cell).collect()
    }

    /// Where a fraction of full lies among the cells' outputs: a whole number k where it is just what cell k gives out.
    pub(super) fn place(&self, fraction: f64, continuous: bool) -> f64 {
        let n = f64::from(self.cells);
        match self.output {
            Reconstruction::Centres if continuous => fraction * n - 0.5,
            Reconstruction::Centres => {
                let l = f64::from(self.levels);
                (fraction * (l - 1.0) + 0.5) * n / l - 0.5
            }
            Reconstruction::Spread | Reconstruction::Indices => fraction * (n - 1.0),
        }
    }
}

/// What a channel of samples goes through.
pub(super) struct Channel<S> {
    pub(super) quantizer: Quantizer,
    top: u32,
    /// The sample of the max code; of floats none.
    full: u32,
    /// The sample that each cell gives out.
    pub(super) outputs: Vec<S>,
}

impl<S: Sample> Channel<S> {
    /// Of a channel with this max code, by 2^bits cells; samples are codes themselves, or scaled.
    pub(super) fn new(bits: u32, output: Reconstruction, max: u32, are_codes: bool) -> Result<Channel<S>> {
        let full = S::DEPTH.max_code().map(|full| if are_codes { max } else { full.into() });
        let top = if full.is_some() { max } else { 65_535 };
        let quantizer = Quantizer::new(top + 1, bits, output)?;
        let mut outputs = Vec::with_capacity(quantizer.cells as usize);
        for k in 0..quantizer.cells {
            outputs.push(match (output, full) {
                (Reconstruction::Indices, _) => S::from_f64(k.into()),
                (_, Some(full)) => S::from_f64(codes::sample_of(quantizer.output(k), top, full).into()),
                (Reconstruction::Centres, None) => S::from_fraction((f64::from(k) + 0.5) / f64::from(quantizer.cells)),
                (_, None) => S::from_fraction(f64::from(k) / f64::from(quantizer.cells - 1)),
            });
        }
        Ok(Channel { quantizer, top, full: full.unwrap_or(0), outputs })
    }

    /// The fraction of full that a sample stands for: of the max code for integers.
    pub(super) fn fraction(&self, sample: S) -> f64 {
        match S::DEPTH.max_code() {
            Some(_) => {
                let code = codes::code_of(sample.to_f64() as u32, self.top, self.full);
                f64::from(code) / f64::from(self.top)
            }
            None => sample.to_fraction(),
        }
    }

    pub(super) fn of(&self, sample: S) -> S {
        let index = match S::DEPTH.max_code() {
            Some(_) => self.quantizer.index(codes::code_of(sample.to_f64() as u32, self.top, self.full)) as usize,
            // Clamped; NaN falls in the first cell.
            None => {
                let cells = f64::from(self.quantizer.cells);
                ((sample.to_fraction() * cells).max(0.0) as usize).min(self.outputs.len() - 1)
            }
        };
        self.outputs[index]
    }
}

/// Runs work on every row, spread over threads.
pub(super) fn each_row<S: Sample>(out: SampleViewMut<'_, S>, threads: Threads, run: &(dyn Fn(u32, &mut [S]) + Sync)) {
    let bytes = 2 * out.bytes();
    out.each_band(threads, bytes, &|first, band| {
        (first..).zip(band.into_rows()).for_each(|(y, row)| run(y, row));
    });
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn decision_and_output_levels_are_those_worked_by_hand() {
        let four = Quantizer::new(256, 2, Reconstruction::Centres).unwrap();
        assert_eq!([0, 63, 64, 127, 128, 255].map(|v| four.index(v)), [0, 0, 1, 1, 2, 3]);
        // (k + 1/2) 64 - 1/2 = 31.5, 95.5 ... rounded half up.
        assert_eq!([0, 1, 2, 3].map(|k| four.output(k)), [32, 96, 160, 224]);
        let spread = Quantizer::new(256, 2, Reconstruction::Spread).unwrap();
        assert_eq!([0, 1, 2, 3].map(|k| spread.output(k)), [0, 85, 170, 255]);
        // Five levels, four cells of 1.25 levels: 0 1 | 2 | 3 | 4.
        let five = Quantizer::new(5, 2, Reconstruction::Centres).unwrap();
        assert_eq!([0, 1, 2, 3, 4].map(|v| five.index(v)), [0, 0, 1, 2, 3]);
        // 0.125, 1.375, 2.625, 3.875.
        assert_eq!([0, 1, 2, 3].map(|k| five.output(k)), [0, 1, 3, 4]);
        assert_eq!(five.table()[1], Cell { index: 1, from: 1.25, to: 2.5, output: 1.0 });
        let all = Quantizer::new(256, 8, Reconstruction::Centres).unwrap();
        assert!((0..256).all(|v| all.output(all.index(v)) == v));
        for (levels, bits) in [(256, 0), (256, 17), (256, 9), (5, 3)] {
            assert!(Quantizer::new(levels, bits, Reconstruction::Centres).is_err());
        }
        for output in [Reconstruction::Centres, Reconstruction::Spread] {
            for levels in [5u32, 256, 1000, 65_536] {
                let q = Quantizer::new(levels, 2, output).unwrap();
                assert!((0..4).all(|k| f64::from(q.output(k)) == (q.exact_output(k) + 0.5).floor()));
            }
        }
    }
}
