//! Adding and dropping alpha: channel moves that make no new values.

use crate::error::Result;
use crate::frame::{Frame, Job, Pixels, View};
use crate::pixel::{Gray, GrayAlpha, Layout, Pixel, Rgb, Rgba, Sample, Stored};

/// The same pixels without their alpha, which is given up; a copy where there is none. One pass.
///
/// # Errors
/// A size beyond the system's memory.
pub fn drop_alpha(pixels: &Pixels) -> Result<Pixels> {
    struct Drop;
    impl Job for Drop {
        type Out = Result<Pixels>;
        fn run<P: Stored>(self, view: View<'_, P>) -> Result<Pixels> {
            match P::LAYOUT {
                Layout::GrayAlpha => moved::<P, Gray<P::Number>>(view),
                Layout::Rgba => moved::<P, Rgb<P::Number>>(view),
                _ => Ok(view.to_frame().into()),
            }
        }
    }
    pixels.visit(Drop)
}

/// The same pixels with full alpha; a copy where there is alpha already. One pass.
///
/// # Errors
/// Cmyk, which has no form with alpha, or a size beyond the system's memory.
pub fn add_alpha(pixels: &Pixels) -> Result<Pixels> {
    struct Add;
    impl Job for Add {
        type Out = Result<Pixels>;
        fn run<P: Stored>(self, view: View<'_, P>) -> Result<Pixels> {
            match P::LAYOUT {
                Layout::Gray => moved::<P, GrayAlpha<P::Number>>(view),
                Layout::Rgb => moved::<P, Rgba<P::Number>>(view),
                Layout::Cmyk => Err(crate::Error::unusable("cmyk has no form with alpha; convert it to rgb first")),
                _ => Ok(view.to_frame().into()),
            }
        }
    }
    pixels.visit(Add)
}

/// Copies the channels that both have; what the target has more is full.
fn moved<P: Stored, Q: Stored + Pixel<Number = P::Number>>(view: View<'_, P>) -> Result<Pixels> {
    let mut out = Frame::<Q>::new(view.size())?;
    let shared = P::CHANNELS.min(Q::CHANNELS);
    for y in 0..view.height() {
        let to = crate::pixel::samples_of_mut(out.row_mut(y));
        for (from, to) in view.row_numbers(y).chunks_exact(P::CHANNELS).zip(to.chunks_exact_mut(Q::CHANNELS)) {
            to[..shared].copy_from_slice(&from[..shared]);
            to[shared..].fill(P::Number::FULL);
        }
    }
    Ok(out.into())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::Size;

    #[test]
    fn alpha_comes_full_and_goes_without_a_trace() {
        let rgb = Frame::from_pixels(Size::new(2, 1), vec![Rgb::new(1u16, 2, 3), Rgb::new(4, 5, 6)]).unwrap();
        let with = add_alpha(&rgb.clone().into()).unwrap();
        assert_eq!(with.view::<Rgba<u16>>().unwrap()[(1, 0)], Rgba::new(4, 5, 6, 65_535));
        assert_eq!(drop_alpha(&with).unwrap().into_frame::<Rgb<u16>>().unwrap(), rgb);
        assert!(add_alpha(&Pixels::new(Size::new(1, 1), Layout::Cmyk, crate::Depth::U8).unwrap()).is_err());
    }
}
