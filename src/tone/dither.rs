//! Hiding the error of few levels in a pattern.

use super::quantizer::{Channel, each_row};
use crate::frame::SampleViewMut;
use crate::pixel::Sample;
use crate::threads::Threads;

/// Dithering: how the error of few levels is distributed.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Dither {
    /// No dithering: equal values stay equal.
    #[default]
    None,
    /// By an 8 x 8 matrix of thresholds (Bayer 1973), counted from the picture's top left pixel.
    Ordered,
    /// The error of each pixel goes to the next ones: 7/16 to the right, 3/16, 5/16 and 1/16 to those below (Floyd and
    /// Steinberg 1976), row by row from the left. One thread.
    Diffusion,
}

/// The threshold of a place: the 8 x 8 matrix that grows from [0 2; 3 1] by halving, as the middle of its 64 steps.
pub(super) fn threshold(x: u32, y: u32) -> f64 {
    let mut number = 0;
    for bit in 0..3 {
        let (x, y) = ((x >> bit) & 1, (y >> bit) & 1);
        // 0 2 / 3 1 for the coarsest bit last: its step is the largest.
        number = number << 2 | (2 * (x ^ y) + y);
    }
    (f64::from(number) + 0.5) / 64.0
}

/// The cell nearest to a place among outputs.
fn cell<S>(channel: &Channel<S>, place: f64) -> usize {
    // Below 0 and NaN become 0.
    (place.max(0.0) as usize).min(channel.outputs.len() - 1)
}

fn place<S: Sample>(channel: &Channel<S>, fraction: f64) -> f64 {
    channel.quantizer.place(fraction, S::DEPTH.max_code().is_none())
}

pub(super) fn ordered<S: Sample>(out: SampleViewMut<'_, S>, channels: &[Channel<S>], threads: Threads) {
    let all = out.channels().count;
    each_row(out, threads, &|y, row| {
        for (x, pixel) in (0u32..).zip(row.chunks_exact_mut(all)) {
            for (v, channel) in pixel.iter_mut().zip(channels) {
                let place = place(channel, channel.fraction(*v));
                *v = channel.outputs[cell(channel, (place + threshold(x, y)).floor())];
            }
        }
    });
}

pub(super) fn diffuse<S: Sample>(out: SampleViewMut<'_, S>, channels: &[Channel<S>]) {
    let all = out.channels().count;
    // Errors in cells, for the row and the one below, with a pixel of room at both ends.
    let colors = channels.len();
    let length = (out.width() as usize + 2) * colors;
    let (mut here, mut below) = (vec![0.0; length], vec![0.0; length]);
    for row in out.into_rows() {
        for (x, pixel) in row.chunks_exact_mut(all).enumerate() {
            for (c, (v, channel)) in pixel.iter_mut().zip(channels).enumerate() {
                let at = (x + 1) * colors + c;
                let wanted = place(channel, channel.fraction(*v)) + here[at];
                let cell = cell(channel, (wanted + 0.5).floor());
                *v = channel.outputs[cell];
                // What lies outside the outputs cannot be made up for: its error is bounded to half a cell.
                let error = (wanted - cell as f64).clamp(-0.5, 0.5);
                here[at + colors] += error * (7.0 / 16.0);
                below[at - colors] += error * (3.0 / 16.0);
                below[at] += error * (5.0 / 16.0);
                below[at + colors] += error * (1.0 / 16.0);
            }
        }
        std::mem::swap(&mut here, &mut below);
        below.fill(0.0);
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, Size};
    use crate::pixel::Gray;
    use crate::tone::{QuantizeRules, Reconstruction, quantize};

    #[test]
    fn the_matrix_holds_every_step_once_and_begins_as_published() {
        let mut all: Vec<u32> = (0..64).map(|i| (threshold(i % 8, i / 8) * 64.0) as u32).collect();
        // The first row of the 8 x 8 matrix of Bayer.
        assert_eq!(all[..8], [0, 32, 8, 40, 2, 34, 10, 42]);
        assert_eq!(all[8..16], [48, 16, 56, 24, 50, 18, 58, 26]);
        all.sort_unstable();
        assert_eq!(all, (0..64).collect::<Vec<_>>());
    }

    #[test]
    fn dithered_grays_keep_their_mean() {
        for level in [0u8, 1, 40, 100, 128, 200, 254, 255] {
            let flat = Frame::filled(Size::new(64, 64), Gray::new(level)).unwrap();
            for dither in [Dither::Ordered, Dither::Diffusion] {
                let rules = QuantizeRules::bits(1).reconstruction(Reconstruction::Spread).dither(dither);
                let out = quantize(flat.view(), &rules).unwrap();
                assert!(out.samples().iter().all(|v| [0, 255].contains(v)));
                let mean = out.samples().iter().map(|v| f64::from(*v)).sum::<f64>() / 4096.0;
                assert!((mean - f64::from(level)).abs() < 2.5, "{dither:?} {level}: {mean}");
            }
        }
    }

    #[test]
    fn the_error_goes_where_it_was_published_to_go() {
        // One bit, spread: 0 or 255. 102 of 255 is 0.4 of a cell.
        let frame = Frame::<Gray<u8>>::from_samples(Size::new(3, 2), vec![102; 6]).unwrap();
        let rules = QuantizeRules::bits(1).reconstruction(Reconstruction::Spread).dither(Dither::Diffusion);
        // Row 0: 0.4 -> 0, error 0.4; next 0.4 + 0.175 = 0.575 -> 1, error -0.425; next 0.4 - 0.1859 = 0.2141 -> 0, error
        // 0.2141. Below: 0.4 + 0.4 * 5/16 - 0.425 * 3/16 = 0.4453 -> 0; its error 0.4453 * 7/16 = 0.1948; the next
        // 0.4 + 0.4/16 - 0.425 * 5/16 + 0.2141 * 3/16 + 0.1948 = 0.5272 -> 1, error -0.4728; the last
        // 0.4 - 0.425/16 + 0.2141 * 5/16 - 0.4728 * 7/16 = 0.2335 -> 0.
        assert_eq!(quantize(frame.view(), &rules).unwrap().samples(), [0, 255, 0, 0, 255, 0]);
    }
}
