//! Pixels as plain bytes: moves make no new values, so all that counts of a pixel is how many bytes it takes.
//!
//! Every move is written once over arrays of `N` bytes and compiled for the eight sizes that pixels have, not for each
//! pixel type.

use crate::frame::SampleView;
use crate::pixel::{Pixel, samples_of};

/// Runs an expression with the bytes of a pixel as a constant.
macro_rules! with_pixel_bytes {
    ($bytes:expr, $n:ident => $run:expr) => {
        match $bytes {
            1 => {
                const $n: usize = 1;
                $run
            }
            2 => {
                const $n: usize = 2;
                $run
            }
            3 => {
                const $n: usize = 3;
                $run
            }
            4 => {
                const $n: usize = 4;
                $run
            }
            6 => {
                const $n: usize = 6;
                $run
            }
            8 => {
                const $n: usize = 8;
                $run
            }
            12 => {
                const $n: usize = 12;
                $run
            }
            // One to four channels of one to eight bytes, where only single ones have eight: no pixel takes another number.
            _ => {
                const $n: usize = 16;
                $run
            }
        }
    };
}
pub(crate) use with_pixel_bytes;

/// The most bytes that a pixel takes.
pub(crate) const MOST: usize = 16;

/// The bytes of one pixel, followed by zeros.
pub(crate) fn bytes_of<P: Pixel>(pixel: P) -> [u8; MOST] {
    let mut out = [0; MOST];
    let numbers = samples_of(std::slice::from_ref(&pixel));
    let view = SampleView::packed(numbers, crate::Size::new(1, 1), crate::pixel::Channels::of::<P>(), None).as_bytes();
    out.iter_mut().zip(view.row(0)).for_each(|(to, from)| *to = *from);
    out
}

/// The first `N` of a pixel's bytes.
pub(crate) fn first<const N: usize>(bytes: &[u8; MOST]) -> [u8; N] {
    let mut out = [0; N];
    out.copy_from_slice(&bytes[..N]);
    out
}

/// One row of pixels of `N` bytes.
#[inline(always)]
pub(crate) fn row<'a, const N: usize>(view: &SampleView<'a, u8>, y: u32) -> &'a [[u8; N]] {
    view.row(y).as_chunks().0
}

/// The pixels of `N` bytes of a row to write. Of a row, not of all rows of a view: an iterator over these would be compiled
/// for each size.
#[inline(always)]
pub(crate) fn pixels_mut<const N: usize>(row: &mut [u8]) -> &mut [[u8; N]] {
    row.as_chunks_mut().0
}
