//! Laying pixels with alpha on a background of one colour.

use crate::error::Result;
use crate::frame::{Frame, Job, Pixels, View};
use crate::pixel::{Gray, Layout, Pixel, Rgb, Sample, Stored};

/// Lays the pixels on a background (red, green, blue as fractions of full) and drops alpha: c a + b (1 - a), in encoded
/// values, computed in `f64` and rounded once. A gray picture on a coloured background becomes rgb. One pass; a copy
/// where there is no alpha.
///
/// # Errors
/// A size beyond the system's memory.
pub fn flatten(pixels: &Pixels, background: [f64; 3]) -> Result<Pixels> {
    struct Flatten([f64; 3]);
    impl Job for Flatten {
        type Out = Result<Pixels>;
        fn run<P: Stored>(self, view: View<'_, P>) -> Result<Pixels> {
            flatten_view(view, self.0)
        }
    }
    pixels.visit(Flatten(background))
}

/// [`flatten`] of pixels of a known type.
pub(super) fn flatten_view<P: Stored>(view: View<'_, P>, background: [f64; 3]) -> Result<Pixels> {
    let [r, g, b] = background;
    match P::LAYOUT {
        Layout::GrayAlpha if r == g && g == b => each::<P, Gray<P::Number>>(view, [0; 1], &background),
        Layout::GrayAlpha => each::<P, Rgb<P::Number>>(view, [0, 0, 0], &background),
        Layout::Rgba => each::<P, Rgb<P::Number>>(view, [0, 1, 2], &background),
        _ => Ok(view.to_frame().into()),
    }
}

fn each<P: Stored, Q: Stored + Pixel<Number = P::Number>>(
    view: View<'_, P>,
    channels: impl AsRef<[usize]>,
    background: &[f64],
) -> Result<Pixels> {
    let mut out = Frame::<Q>::new(view.size())?;
    for y in 0..view.height() {
        let to = crate::pixel::samples_of_mut(out.row_mut(y));
        for (from, to) in view.row_numbers(y).chunks_exact(P::CHANNELS).zip(to.chunks_exact_mut(Q::CHANNELS)) {
            let alpha = from[P::CHANNELS - 1].to_fraction();
            for ((to, &channel), below) in to.iter_mut().zip(channels.as_ref()).zip(background) {
                *to = P::Number::from_fraction(from[channel].to_fraction() * alpha + below * (1.0 - alpha));
            }
        }
    }
    Ok(out.into())
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::Size;
    use crate::pixel::{GrayAlpha, Rgba};

    #[test]
    fn full_alpha_covers_none_shows_the_background_and_half_mixes() {
        let row = [0u8, 255, 51].map(|a| Rgba::new(200, 100, 0, a)).to_vec();
        let flat = flatten(&Frame::from_pixels(Size::new(3, 1), row).unwrap().into(), [0.0, 0.2, 1.0]).unwrap();
        let want = [Rgb::new(0u8, 51, 255), Rgb::new(200, 100, 0), Rgb::new(40, 61, 204)];
        assert_eq!(flat.into_frame::<Rgb<u8>>().unwrap().pixels(), want);
        let gray = Frame::filled(Size::new(1, 1), GrayAlpha::new(100u16, 0)).unwrap();
        assert_eq!(flatten(&gray.clone().into(), [1.0; 3]).unwrap().layout(), Layout::Gray);
        assert_eq!(flatten(&gray.into(), [1.0, 0.0, 0.0]).unwrap().layout(), Layout::Rgb);
    }
}
