//! Slices of pixels as slices of their numbers and back, at no cost. One of the few places with `unsafe`.
//!
//! Sound because every pixel type is `repr(C)` with fields of one number type and nothing else: `Proof` asserts at
//! compile time that size and alignment are those of an array of its numbers, and any bit pattern is a valid number.
#![allow(unsafe_code)]

use super::layout::Pixel;

struct Proof<P>(std::marker::PhantomData<P>);

impl<P: Pixel> Proof<P> {
    const SAME_BYTES: () = {
        assert!(P::CHANNELS > 0);
        assert!(size_of::<P>() == P::CHANNELS * size_of::<P::Number>());
        assert!(align_of::<P>() == align_of::<P::Number>());
    };
}

/// The numbers of a slice of pixels, in channel order: `CHANNELS` a pixel. No cost.
pub fn samples_of<P: Pixel>(pixels: &[P]) -> &[P::Number] {
    let () = Proof::<P>::SAME_BYTES;
    // SAFETY: the same bytes, size and alignment (Proof); the product cannot overflow as the slice exists.
    unsafe { std::slice::from_raw_parts(pixels.as_ptr().cast(), pixels.len() * P::CHANNELS) }
}

/// The numbers of a mutable slice of pixels, in channel order. No cost.
pub fn samples_of_mut<P: Pixel>(pixels: &mut [P]) -> &mut [P::Number] {
    let () = Proof::<P>::SAME_BYTES;
    // SAFETY: as in `samples_of`; the exclusive borrow is passed on.
    unsafe { std::slice::from_raw_parts_mut(pixels.as_mut_ptr().cast(), pixels.len() * P::CHANNELS) }
}

/// Numbers as pixels; a last incomplete pixel is left out. No cost.
pub fn pixels_of<P: Pixel>(numbers: &[P::Number]) -> &[P] {
    let () = Proof::<P>::SAME_BYTES;
    // SAFETY: the same bytes, size and alignment (Proof); the length is rounded down to whole pixels.
    unsafe { std::slice::from_raw_parts(numbers.as_ptr().cast(), numbers.len() / P::CHANNELS) }
}

/// Mutable numbers as pixels; a last incomplete pixel is left out. No cost.
pub fn pixels_of_mut<P: Pixel>(numbers: &mut [P::Number]) -> &mut [P] {
    let () = Proof::<P>::SAME_BYTES;
    // SAFETY: as in `pixels_of`; the exclusive borrow is passed on.
    unsafe { std::slice::from_raw_parts_mut(numbers.as_mut_ptr().cast(), numbers.len() / P::CHANNELS) }
}

/// A vector of pixels as a vector of its numbers, without a copy.
pub(crate) fn into_samples<P: Pixel>(pixels: Vec<P>) -> Vec<P::Number> {
    let () = Proof::<P>::SAME_BYTES;
    let mut pixels = std::mem::ManuallyDrop::new(pixels);
    let (start, length, capacity) = (pixels.as_mut_ptr(), pixels.len(), pixels.capacity());
    // SAFETY: the allocation is passed on whole: size in bytes (CHANNELS x capacity numbers) and alignment are the
    // same (Proof), and the first `length * CHANNELS` numbers are initialised.
    unsafe { Vec::from_raw_parts(start.cast(), length * P::CHANNELS, capacity * P::CHANNELS) }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::pixel::{Cmyk, Gray, GrayAlpha, Lab, Rgb, Rgba};

    #[test]
    fn pixels_and_numbers_are_the_same_bytes_in_field_order() {
        let pixels = [Rgb::new(1u16, 2, 3), Rgb::new(4, 5, 6)];
        assert_eq!(samples_of(&pixels), [1, 2, 3, 4, 5, 6]);
        assert_eq!(pixels_of::<Rgb<u16>>(&[1, 2, 3, 4, 5, 6, 7]), pixels);
        assert_eq!(pixels_of::<Rgba<u8>>(&[1, 2, 3]), []);
        assert_eq!(samples_of(&[Cmyk::new(1u8, 2, 3, 4)]), [1, 2, 3, 4]);
        assert_eq!(samples_of(&[GrayAlpha::new(0.5f32, 1.0)]), [0.5, 1.0]);
        assert_eq!(samples_of(&[Gray::new(-3i64)]), [-3]);
        assert_eq!(samples_of(&[Lab { l: 1.0, a: 2.0, b: 3.0 }]), [1.0, 2.0, 3.0]);
    }

    #[test]
    fn writing_through_the_numbers_changes_the_pixels() {
        let mut pixels = [Rgba::<u8>::default(); 2];
        samples_of_mut(&mut pixels)[6] = 9;
        assert_eq!(pixels[1].b, 9);
        let mut numbers = [0.0f32; 3];
        pixels_of_mut::<Lab>(&mut numbers)[0].b = 2.0;
        assert_eq!(numbers, [0.0, 0.0, 2.0]);
    }

    #[test]
    fn a_vector_changes_hands_with_its_spare_capacity() {
        let mut pixels = Vec::with_capacity(10);
        pixels.push(Rgb::new(1u8, 2, 3));
        let mut numbers = into_samples(pixels);
        assert_eq!(numbers, [1, 2, 3]);
        assert!(numbers.capacity() >= 30);
        numbers.extend([4; 40]);
        assert!(into_samples::<Rgb<u8>>(Vec::new()).is_empty());
    }
}
