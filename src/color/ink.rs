//! Between gray, rgb and ink at run time.

use crate::convert::channels::Take;
use crate::error::Result;
use crate::frame::{AnySamples, AnySamplesMut, Pixels, row_pairs, with_same_samples};
use crate::pixel::{Layout, PicturePixel, Sample, samples_of_mut};
use crate::simd::arrays;

impl Pixels {
    /// Converts to rgb, keeping alpha: gray is repeated, ink becomes (1 - c)(1 - k) and so on, the uncalibrated rule of ISO 12639 and
    /// PDF (ISO 32000-1, 10.3.5) for device colours; a copy where they are rgb already. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn color(&self) -> Result<Pixels> {
        use Take::Channel as C;
        match self.layout() {
            Layout::Gray => self.select(&[C(0), C(0), C(0)]),
            Layout::GrayAlpha => self.select(&[C(0), C(0), C(0), C(1)]),
            Layout::Rgb | Layout::Rgba => Ok(self.clone()),
            Layout::Cmyk => {
                let mut out = Pixels::zeros(self.size(), Layout::Rgb, self.depth(), self.account())?;
                ink_any(self.samples_any(), out.samples_any_mut())?;
                Ok(out)
            }
        }
    }
}

/// Ink as rgb, or as rgb with full alpha, at the same depth.
pub(super) fn ink_any(from: AnySamples<'_>, to: AnySamplesMut<'_>) -> Result<()> {
    with_same_samples!(from, to, from, to => {
        let channels = to.channels().count;
        row_pairs(from, to, &mut |from, to| ink_row(from, to, channels));
        Ok(())
    })
}

fn ink_row<S: Sample>(from: &[S], to: &mut [S], channels: usize) {
    for (ink, to) in from.as_chunks::<4>().0.iter().zip(to.chunks_exact_mut(channels)) {
        to.fill(S::FULL);
        let rgb = ink_to_rgb(arrays::map(*ink, Sample::to_fraction));
        to.iter_mut().zip(rgb).for_each(|(to, v)| *to = S::from_fraction(v));
    }
}

/// The pixel of a colour given as fractions of full; gray is its BT.709 weight. Alpha is used where the pixel has it.
///
/// # Errors
/// Cmyk: ink needs a model of the printer.
pub fn pixel_of<P: PicturePixel>(rgb: [f64; 3], alpha: f64) -> Result<P> {
    let mut pixel = P::default();
    let samples = samples_of_color(P::LAYOUT, rgb, alpha)?;
    samples_of_mut(std::slice::from_mut(&mut pixel)).iter_mut().zip(samples).for_each(|(to, v)| *to = v);
    Ok(pixel)
}

/// [`pixel_of`] as samples of a layout.
pub(crate) fn samples_of_color<S: Sample>(layout: Layout, rgb: [f64; 3], alpha: f64) -> Result<Vec<S>> {
    if layout == Layout::Cmyk {
        return Err(crate::Error::not_supported("a colour as cmyk: ink needs a model of the printer"));
    }
    let [r, g, b] = rgb;
    let colors = if layout.is_color() { vec![r, g, b] } else { vec![0.2126 * r + 0.7152 * g + 0.0722 * b] };
    Ok(colors.into_iter().chain(layout.has_alpha().then_some(alpha)).map(S::from_fraction).collect())
}

/// Red, green and blue of four inks, all as fractions.
pub(super) fn ink_to_rgb([c, m, y, k]: [f64; 4]) -> [f64; 3] {
    arrays::map([c, m, y], |ink| (1.0 - ink) * (1.0 - k))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, Size};
    use crate::pixel::{Cmyk, Gray, GrayAlpha, Rgb, Rgba};

    #[test]
    fn gray_is_repeated_and_ink_takes_light_away() {
        let one = Size::new(1, 1);
        let gray = Pixels::from(Frame::filled(one, Gray::new(7u8)).unwrap()).color().unwrap();
        assert_eq!(gray.view::<Rgb<u8>>().unwrap()[(0, 0)], Rgb::new(7, 7, 7));
        let alpha = Pixels::from(Frame::filled(one, GrayAlpha::new(7u16, 9)).unwrap()).color().unwrap();
        assert_eq!(alpha.view::<Rgba<u16>>().unwrap()[(0, 0)], Rgba::new(7, 7, 7, 9));
        let ink = Pixels::from(Frame::filled(one, Cmyk::new(255u8, 0, 51, 51)).unwrap()).color().unwrap();
        // (1 - 0.2)(1 - 0.2) = 0.64 of 255 is 163.2; (1 - 0.2) is 204.
        assert_eq!(ink.view::<Rgb<u8>>().unwrap()[(0, 0)], Rgb::new(0, 204, 163));
    }
}
