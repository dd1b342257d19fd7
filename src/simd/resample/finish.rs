//! Sums of floats back to samples: colours divided by the alpha they were weighted by, rounded once, halves up, clamped.

use super::lanes::{Lanes, Wide};
use crate::simd::{Level, prefetch};

/// How colours are divided by the alpha that comes behind them.
#[derive(Debug, Clone, Copy)]
pub(crate) struct Divide {
    /// Channels of a pixel with alpha, 2 or 4; of others 1, and nothing is divided.
    pub(crate) channels: usize,
    /// Full alpha.
    pub(crate) full: f32,
    /// The least alpha that is stored as more than zero; where there is less, colours are zero.
    pub(crate) least: f32,
}

impl Divide {
    /// A number at a place of a row, divided by its pixel's alpha if it is colour.
    #[inline(always)]
    fn at(self, row: &[f32], i: usize) -> f32 {
        let alpha = i / self.channels * self.channels + self.channels - 1;
        if i == alpha {
            return row[i];
        }
        row[i] * if row[alpha] >= self.least { self.full / row[alpha] } else { 0.0 }
    }
}

/// Samples to write.
#[derive(Debug)]
pub(crate) enum Finished<'a> {
    U8(&'a mut [u8]),
    U16(&'a mut [u16]),
    F32(&'a mut [f32]),
}

impl Level {
    /// A row of sums as samples; whole pixels, as many numbers as there are samples. NaN becomes zero in whole numbers.
    pub(crate) fn finish(self, from: &[f32], divide: Divide, to: Finished<'_>) {
        match to {
            Finished::U8(to) => self.finish_as(from, divide, to),
            Finished::U16(to) => self.finish_as(from, divide, to),
            Finished::F32(to) => self.finish_as(from, divide, to),
        }
    }

    fn finish_as<T: FromFloat>(self, from: &[f32], divide: Divide, to: &mut [T]) {
        let done = self.wide(Finish { from, divide, to: &mut *to });
        for (i, to) in to.iter_mut().enumerate().skip(done) {
            *to = T::nearest(divide.at(from, i));
        }
    }
}

/// A sample that floats are rounded to.
trait FromFloat: Copy {
    /// The nearest sample, halves up.
    fn nearest(v: f32) -> Self;
    fn put<L: Lanes>(lanes: L, v: L::Floats, to: &mut [Self], at: usize);
}

impl FromFloat for u8 {
    #[inline(always)]
    fn nearest(v: f32) -> u8 {
        // Within the type adding a half and cutting off rounds halves up; NaN is cut off to 0.
        (v.clamp(0.0, 255.0) + 0.5) as i32 as u8
    }

    #[inline(always)]
    fn put<L: Lanes>(lanes: L, v: L::Floats, to: &mut [u8], at: usize) {
        lanes.put_rounded_bytes(v, to, at);
    }
}

impl FromFloat for u16 {
    #[inline(always)]
    fn nearest(v: f32) -> u16 {
        (v.clamp(0.0, 65_535.0) + 0.5) as i32 as u16
    }

    #[inline(always)]
    fn put<L: Lanes>(lanes: L, v: L::Floats, to: &mut [u16], at: usize) {
        lanes.put_rounded_words(v, to, at);
    }
}

impl FromFloat for f32 {
    #[inline(always)]
    fn nearest(v: f32) -> f32 {
        v
    }

    #[inline(always)]
    fn put<L: Lanes>(lanes: L, v: L::Floats, to: &mut [f32], at: usize) {
        lanes.put_floats(v, to, at);
    }
}

struct Finish<'a, T> {
    from: &'a [f32],
    divide: Divide,
    to: &'a mut [T],
}

impl<T: FromFloat> Wide for Finish<'_, T> {
    #[inline(always)]
    fn work<L: Lanes>(self, lanes: L) -> usize {
        match self.divide.channels {
            1 => self.of_channels::<L, 1>(lanes),
            2 => self.of_channels::<L, 2>(lanes),
            _ => self.of_channels::<L, 4>(lanes),
        }
    }
}

impl<T: FromFloat> Finish<'_, T> {
    #[inline(always)]
    fn of_channels<L: Lanes, const C: usize>(self, lanes: L) -> usize {
        let Finish { from, divide, to } = self;
        let mut at = 0;
        if const { C == 4 } {
            let each = L::FLOATS;
            for to in to.chunks_exact_mut(4 * each) {
                for i in 0..4 {
                    prefetch::ahead(to, i * each);
                }
                let load = |i: usize| lanes.load_floats(from, at + i * each);
                let [a, b, c, d] = lanes.unweigh_four([load(0), load(1), load(2), load(3)], divide.full, divide.least);
                T::put(lanes, a, to, 0);
                T::put(lanes, b, to, each);
                T::put(lanes, c, to, 2 * each);
                T::put(lanes, d, to, 3 * each);
                at += to.len();
            }
        }
        for to in to[at..].chunks_exact_mut(L::FLOATS) {
            prefetch::ahead(to, 0);
            let v = lanes.load_floats(from, at);
            let v = if C == 1 { v } else { lanes.unweigh::<C>(v, divide.full, divide.least) };
            T::put(lanes, v, to, 0);
            at += to.len();
        }
        at
    }
}

#[cfg(test)]
mod tests {
    use super::super::mix::tests::noise;
    use super::*;

    /// Numbers of all kinds: within, beyond both ends, halves, and none at all.
    fn row(count: usize) -> Vec<f32> {
        let odd = [0.5, 1.5, -0.5, 254.5, 255.5, 65_534.5, 1e9, -1e9, f32::NAN, f32::INFINITY, f32::NEG_INFINITY, 0.0];
        noise(count, 4)
            .map(|v| if v % 7 == 0 { odd[v as usize % odd.len()] } else { v as f32 / 60_000.0 - 9.0 })
            .collect()
    }

    #[test]
    fn every_level_finishes_rows_to_the_same_samples() {
        for count in [0, 4, 12, 32, 64, 100, 1004] {
            let from = row(count);
            for channels in [1, 2, 4] {
                let divide = Divide { channels, full: 255.0, least: 0.5 };
                let run = |level: Level| {
                    let (mut bytes, mut words, mut floats) = (vec![0; count], vec![0; count], vec![0.0; count]);
                    level.finish(&from, divide, Finished::U8(&mut bytes));
                    level.finish(&from, divide, Finished::U16(&mut words));
                    level.finish(&from, divide, Finished::F32(&mut floats));
                    // NaN has more than one pattern of bits.
                    let bits = |v: f32| if v.is_nan() { 1 } else { v.to_bits() };
                    (bytes, words, floats.into_iter().map(bits).collect::<Vec<u32>>())
                };
                for level in Level::present() {
                    assert!(run(level) == run(Level::PLAIN), "{level:?} {count} {channels}");
                }
            }
        }
    }

    #[test]
    fn rows_finished_by_hand() {
        let mut bytes = [9u8; 8];
        let none = Divide { channels: 1, full: 255.0, least: 0.5 };
        let row = [0.49, 0.5, 254.49, 254.5, 300.0, -3.0, f32::NAN, 1.5];
        Level::best().finish(&row, none, Finished::U8(&mut bytes));
        assert_eq!(bytes, [0, 1, 254, 255, 255, 0, 0, 2]);
        // Half of full alpha doubles colour; too little of it leaves none.
        let mut words = [9u16; 4];
        let pairs = Divide { channels: 2, full: 65_535.0, least: 0.5 };
        Level::best().finish(&[1000.25, 32_767.5, 0.3, 0.4], pairs, Finished::U16(&mut words));
        assert_eq!(words, [2001, 32_768, 0, 0]);
    }
}
