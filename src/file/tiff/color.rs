//! Colour that is stored otherwise than as red, green and blue: YCbCr (section 21), L*a*b* (section 23; ICC.1 for its own form).
// Codes of 8 and 16 bits in floats.
#![allow(clippy::arithmetic_side_effects)]

use super::directory::Values;
use super::shape::{Photometric, Shape};
use super::tags;
use crate::error::Result;

/// YCbCr of 8 bits to red, green and blue, by tables.
#[derive(Debug)]
pub(super) struct Ycbcr {
    y: [f32; 256],
    /// What Cr adds to red, and Cb to blue.
    red: [f32; 256],
    blue: [f32; 256],
    /// Weights of red, green and blue in Y.
    weights: [f32; 3],
}

impl Ycbcr {
    pub(super) fn read(v: &mut Values<'_>) -> Result<Ycbcr> {
        let weights = v.fractions(tags::YCBCR_WEIGHTS, 3)?.unwrap_or_default();
        let weights: [f64; 3] = <[f64; 3]>::try_from(weights).unwrap_or([0.299, 0.587, 0.114]);
        let usable = weights.iter().all(|w| w.is_finite() && *w > 0.0);
        let weights = if usable { weights } else { [0.299, 0.587, 0.114] };
        let limits = v.fractions(tags::REFERENCE_BLACK_WHITE, 6)?.unwrap_or_default();
        let limits: [f64; 6] = <[f64; 6]>::try_from(limits).unwrap_or([0.0, 255.0, 128.0, 255.0, 128.0, 255.0]);
        let [y0, y1, b0, b1, r0, r1] = limits;
        // FullRangeValue = (code - black) * range / (white - black).
        let table = |black: f64, white: f64, range: f64, factor: f64| {
            let span = if white == black { 1.0 } else { white - black };
            let mut table = [0f32; 256];
            for (code, to) in (0u32..).zip(table.iter_mut()) {
                *to = ((f64::from(code) - black) * range / span * factor) as f32;
            }
            table
        };
        let [wr, _, wb] = weights;
        Ok(Ycbcr {
            y: table(y0, y1, 255.0, 1.0),
            red: table(r0, r1, 127.0, 2.0 - 2.0 * wr),
            blue: table(b0, b1, 127.0, 2.0 - 2.0 * wb),
            weights: weights.map(|w| w as f32),
        })
    }

    pub(super) fn rgb(&self, y: u8, cb: u8, cr: u8) -> [u8; 3] {
        let at = |table: &[f32; 256], code: u8| table.get(usize::from(code)).copied().unwrap_or(0.0);
        let y = at(&self.y, y);
        let (r, b) = (at(&self.red, cr) + y, at(&self.blue, cb) + y);
        let [wr, wg, wb] = self.weights;
        let g = (y - wb * b - wr * r) / wg;
        [r, g, b].map(|v| (v + 0.5).floor().clamp(0.0, 255.0) as u8)
    }
}

/// A strip or tile of units, each some Y and one pair of chroma, as pixels: the chroma of a unit is that of its pixels.
pub(super) fn units_to_pixels(shape: &Shape, units: &[u8], rows: u32, room: &mut [u8]) {
    let (h, v) = (shape.chroma.0 as usize, shape.chroma.1 as usize);
    let width = shape.chunk.width as usize;
    let (unit, across) = (h * v + 2, width.div_ceil(h));
    for (y, row) in room.chunks_exact_mut((width * 3).max(1)).take(rows as usize).enumerate() {
        let units = units.get(y / v * across * unit..).unwrap_or_default();
        for (x, pixel) in row.as_chunks_mut::<3>().0.iter_mut().enumerate() {
            let one = units.get(x / h * unit..).and_then(|u| u.get(..unit)).unwrap_or_default();
            let (Some(&luma), Some([cb, cr])) = (one.get(y % v * h + x % h), one.last_chunk::<2>()) else { continue };
            *pixel = [luma, *cb, *cr];
        }
    }
}

/// L, a and b of their codes, in units of CIE 15.
pub(super) fn lab(photometric: Photometric, bits: u16, codes: [u32; 3]) -> [f64; 3] {
    let [l, a, b] = codes.map(f64::from);
    let icc = photometric == Photometric::IccLab;
    match (bits, icc) {
        (8, false) => {
            let signed = |v: u32| f64::from(v as u8 as i8);
            [l * 100.0 / 255.0, signed(codes[1]), signed(codes[2])]
        }
        (8, true) => [l * 100.0 / 255.0, a - 128.0, b - 128.0],
        (_, false) => {
            let signed = |v: u32| f64::from(v as u16 as i16) / 256.0;
            [l * 100.0 / 65_535.0, signed(codes[1]), signed(codes[2])]
        }
        // L of 100 is at 0xff00.
        (_, true) => [l * 100.0 / 65_280.0, a / 256.0 - 128.0, b / 256.0 - 128.0],
    }
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn lab_codes_are_what_their_standards_say() {
        // TIFF 6.0, section 23: a and b in two's complement; ICC.1, 6.3.4.2: offset by 128.
        assert_eq!(lab(Photometric::CieLab, 8, [255, 0x80, 127]), [100.0, -128.0, 127.0]);
        assert_eq!(lab(Photometric::IccLab, 8, [0, 0, 128]), [0.0, -128.0, 0.0]);
        assert_eq!(lab(Photometric::CieLab, 16, [65_535, 0x8000, 0x0100]), [100.0, -128.0, 1.0]);
        assert_eq!(lab(Photometric::IccLab, 16, [0xff00, 0x8000, 0x8100]), [100.0, 0.0, 1.0]);
    }
}
