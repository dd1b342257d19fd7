//! Between gray, rgb and ink at run time.

use crate::error::Result;
use crate::frame::{Frame, Job, Pixels, View};
use crate::pixel::{GrayAlpha, Layout, Rgb, Rgba, Sample, Stored, pixels_of, samples_of_mut};

/// Any pixels as rgb, keeping alpha: gray is repeated, ink becomes (1 - c)(1 - k) and so on, the uncalibrated rule of
/// ISO 12639 and PDF (ISO 32000-1, 10.3.5) for device colours; a copy where they are rgb already. One pass.
///
/// # Errors
/// A size beyond the system's memory.
pub fn pixels_to_color(pixels: &Pixels) -> Result<Pixels> {
    struct ToColor;
    impl Job for ToColor {
        type Out = Result<Pixels>;
        fn run<P: Stored>(self, view: View<'_, P>) -> Result<Pixels> {
            match P::LAYOUT {
                Layout::Gray => each(view, |p| Rgb::new(p[0], p[0], p[0])),
                Layout::GrayAlpha => each(view, |p| {
                    let g: GrayAlpha<P::Number> = pixels_of(p)[0];
                    Rgba::new(g.v, g.v, g.v, g.a)
                }),
                Layout::Cmyk => each(view, |p| {
                    let ink = std::array::from_fn(|i| p[i].to_fraction());
                    let [r, g, b] = ink_to_rgb(ink).map(P::Number::from_fraction);
                    Rgb::new(r, g, b)
                }),
                Layout::Rgb | Layout::Rgba => Ok(view.to_frame().into()),
            }
        }
    }
    pixels.visit(ToColor)
}

fn each<P: Stored, Q: Stored>(view: View<'_, P>, color: impl Fn(&[P::Number]) -> Q) -> Result<Pixels> {
    let mut out = Frame::<Q>::new(view.size())?;
    for y in 0..view.height() {
        for (from, to) in view.row_numbers(y).chunks_exact(P::CHANNELS).zip(out.row_mut(y)) {
            *to = color(from);
        }
    }
    Ok(out.into())
}

/// The pixel of a colour given as fractions of full; gray is its BT.709 weight. Alpha is used where the pixel has it.
///
/// # Errors
/// Cmyk: ink needs a model of the printer.
pub fn pixel_of<P: Stored>(rgb: [f64; 3], alpha: f64) -> Result<P> {
    if P::LAYOUT == Layout::Cmyk {
        return Err(crate::Error::not_supported("a colour as cmyk: ink needs a model of the printer"));
    }
    let [r, g, b] = rgb;
    let colors = if P::LAYOUT.is_color() { vec![r, g, b] } else { vec![0.2126 * r + 0.7152 * g + 0.0722 * b] };
    let mut pixel = P::default();
    let numbers = samples_of_mut(std::slice::from_mut(&mut pixel));
    for (to, value) in numbers.iter_mut().zip(colors.into_iter().chain([alpha])) {
        *to = P::Number::from_fraction(value);
    }
    Ok(pixel)
}

/// Red, green and blue of four inks, all as fractions.
pub(super) fn ink_to_rgb([c, m, y, k]: [f64; 4]) -> [f64; 3] {
    [c, m, y].map(|ink| (1.0 - ink) * (1.0 - k))
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::Size;
    use crate::pixel::{Cmyk, Gray};

    #[test]
    fn gray_is_repeated_and_ink_takes_light_away() {
        let one = Size::new(1, 1);
        let gray = pixels_to_color(&Frame::filled(one, Gray::new(7u8)).unwrap().into()).unwrap();
        assert_eq!(gray.view::<Rgb<u8>>().unwrap()[(0, 0)], Rgb::new(7, 7, 7));
        let alpha = pixels_to_color(&Frame::filled(one, GrayAlpha::new(7u16, 9)).unwrap().into()).unwrap();
        assert_eq!(alpha.view::<Rgba<u16>>().unwrap()[(0, 0)], Rgba::new(7, 7, 7, 9));
        let ink = pixels_to_color(&Frame::filled(one, Cmyk::new(255u8, 0, 51, 51)).unwrap().into()).unwrap();
        // (1 - 0.2)(1 - 0.2) = 0.64 of 255 is 163.2; (1 - 0.2) is 204.
        assert_eq!(ink.view::<Rgb<u8>>().unwrap()[(0, 0)], Rgb::new(0, 204, 163));
    }
}
