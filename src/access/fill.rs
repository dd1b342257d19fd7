//! Filling with a value, a function, or random numbers.

use super::bytes::{MOST, bytes_of};
use crate::frame::{Frame, SampleViewMut, Size, ViewMut};
use crate::pixel::{Number, Pixel, samples_of};
use rand_pcg::Pcg64Mcg;
use rand_pcg::rand_core::Rng;

/// 2^128 divided by the golden ratio: carries neighbouring seeds far apart.
const SPREAD: u128 = 0x9E37_79B9_7F4A_7C15_F39C_C060_5CED_C835;

impl<P: Pixel> ViewMut<'_, P> {
    /// Sets every pixel to one value. One pass.
    pub fn fill(&mut self, pixel: P) {
        fill_bytes(self.reborrow().into_bytes(), &bytes_of(pixel));
    }

    /// Sets every pixel to a function of its place in this view, called row by row. One pass.
    pub fn fill_with(&mut self, mut pixel: impl FnMut(u32, u32) -> P) {
        for (y, row) in (0u32..).zip(self.rows_mut()) {
            for (x, p) in (0u32..).zip(row) {
                *p = pixel(x, y);
            }
        }
    }

    /// Sets every channel of every pixel to a random number, evenly distributed from that of `low` to that of `high`:
    /// both included for integers, `high` left out for floats. Where `low` is above `high` the two are taken the other
    /// way round. One pass.
    ///
    /// The same seed gives the same picture for ever, on every machine, for every stride: the generator is PCG
    /// XSL RR 128/64 with a multiplicative congruential step (M. O'Neill, HMC-CS-2014-0905), started at (seed + 1) times
    /// 2^128 / the golden ratio and asked once a number, row by row from the top left; a number is `low + ((high - low + 1) * r >> 64)` of the 64 random bits `r` for integers,
    /// and `low + (high - low) * (r >> 11) / 2^53` for floats.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Size};
    /// let mut noise = Frame::<Gray<u8>>::new(Size::new(100, 100))?;
    /// noise.view_mut().fill_random(Gray::new(10), Gray::new(12), 7);
    /// assert!(noise.samples().iter().all(|v| (10..=12).contains(v)));
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn fill_random(&mut self, low: P, high: P, seed: u64) {
        self.fill_random_from(low, high, seed, 0);
    }

    /// [`fill_random`](ViewMut::fill_random) as if this view lay `skipped` numbers further on: a strip of a picture gets
    /// what the whole picture would have there.
    pub fn fill_random_from(&mut self, low: P, high: P, seed: u64, skipped: u128) {
        let (low, high) = (samples_of(std::slice::from_ref(&low)), samples_of(std::slice::from_ref(&high)));
        random_samples(self.reborrow().into_samples(), low, high, seed, skipped);
    }
}

/// A multiple of every pixel's bytes that registers hold.
const PATTERN: usize = 96;

/// Sets every pixel to one of these bytes.
pub(super) fn fill_bytes(view: SampleViewMut<'_, u8>, pixel: &[u8; MOST]) {
    // Copies of a known length go through registers; pixels of odd size one by one do not.
    let bytes = view.channels().count;
    let mut pattern = [0; PATTERN];
    pattern.iter_mut().zip(pixel[..bytes].iter().cycle()).for_each(|(to, from)| *to = *from);
    for row in view.into_rows() {
        let (blocks, rest) = row.as_chunks_mut::<PATTERN>();
        blocks.iter_mut().for_each(|to| *to = pattern);
        rest.copy_from_slice(&pattern[..rest.len()]);
    }
}

/// Random numbers between those of two pixels: see [`ViewMut::fill_random_from`].
pub(crate) fn random_samples<T: Number>(view: SampleViewMut<'_, T>, low: &[T], high: &[T], seed: u64, skipped: u128) {
    let mut random = Pcg64Mcg::new((u128::from(seed) + 1).wrapping_mul(SPREAD));
    random.advance(skipped);
    let channels = view.channels().count;
    for row in view.into_rows() {
        for pixel in row.chunks_exact_mut(channels) {
            for ((to, &a), &b) in pixel.iter_mut().zip(low).zip(high) {
                let (a, b) = if a > b { (b, a) } else { (a, b) };
                *to = T::between(a, b, random.next_u64());
            }
        }
    }
}

impl<P: Pixel> Frame<P> {
    /// New frame of random pixels between two: see [`ViewMut::fill_random`].
    ///
    /// # Errors
    /// A size beyond the address space or the system's memory.
    pub fn random(size: Size, low: P, high: P, seed: u64) -> crate::Result<Frame<P>> {
        let mut frame = Frame::new(size)?;
        frame.view_mut().fill_random(low, high, seed);
        Ok(frame)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixel::{Gray, Rgb};

    #[test]
    fn a_value_fills_the_view_and_nothing_else() {
        for (w, h, stride) in [(1, 1, 3), (3, 2, 9), (130, 3, 400), (0, 2, 5), (200, 1, 600)] {
            let mut memory = vec![1u8; stride * h as usize + 7];
            let mut view = ViewMut::<Rgb<u8>>::wrap(&mut memory, Size::new(w, h), stride).unwrap();
            view.fill(Rgb::new(7, 8, 9));
            for (i, v) in memory.iter().enumerate() {
                let (x, y) = (i % stride, i / stride);
                let inside = x < w as usize * 3 && y < h as usize;
                assert_eq!(*v, if inside { 7 + (x % 3) as u8 } else { 1 }, "{w}x{h} at {i}");
            }
        }
    }

    #[test]
    fn a_seed_means_the_same_numbers_for_ever() {
        let size = Size::new(4, 1);
        // By an independent computation of the published generator.
        let frame = Frame::random(size, Gray::new(0u8), Gray::new(255), 1).unwrap();
        assert_eq!(frame.samples(), [4, 106, 74, 11]);
        let frame = Frame::random(size, Gray::new(0u8), Gray::new(255), 0).unwrap();
        assert_eq!(frame.samples(), [108, 253, 160, 13]);
        let mut strip = Frame::<Gray<u8>>::new(Size::new(2, 1)).unwrap();
        strip.view_mut().fill_random_from(Gray::new(0), Gray::new(255), 1, 2);
        assert_eq!(strip.samples(), [74, 11]);
        let die = Frame::random(Size::new(6000, 1), Gray::new(-1i8), Gray::new(4), 5).unwrap();
        for side in -1..=4 {
            let count = die.samples().iter().filter(|&&v| v == side).count();
            assert!((850..1150).contains(&count), "{side}: {count}");
        }
        let floats = Frame::random(Size::new(1000, 1), Gray::new(2.0f32), Gray::new(-1.0), 5).unwrap();
        assert!(floats.samples().iter().all(|v| (-1.0..2.0).contains(v)));
        let wide = Frame::random(Size::new(100, 1), Gray::new(i64::MIN), Gray::new(i64::MAX), 5).unwrap();
        assert!(wide.samples().iter().any(|&v| v < 0) && wide.samples().iter().any(|&v| v > 0));
    }
}
