//! Laying pixels with alpha on a background of one colour.

use crate::error::Result;
use crate::frame::{AnySamples, Pixels, row_pairs, with_same_samples};
use crate::pixel::{Layout, Sample};

impl Pixels {
    /// Lays the pixels on a background (red, green, blue as fractions of full) and drops alpha: c a + b (1 - a), in encoded
    /// values, computed in `f64` and rounded once. A gray picture on a coloured background becomes rgb. One pass; a copy
    /// where there is no alpha.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn flatten(&self, background: [f64; 3]) -> Result<Pixels> {
        flatten_any(self.samples_any(), self.layout(), background)
    }
}

/// [`Pixels::flatten`] of a view of samples.
pub(super) fn flatten_any(view: AnySamples<'_>, layout: Layout, background: [f64; 3]) -> Result<Pixels> {
    let [r, g, b] = background;
    let (to, channels): (_, &[usize]) = match layout {
        Layout::GrayAlpha if r == g && g == b => (Layout::Gray, &[0]),
        Layout::GrayAlpha => (Layout::Rgb, &[0, 0, 0]),
        Layout::Rgba => (Layout::Rgb, &[0, 1, 2]),
        other => (other, &[]),
    };
    let mut out = Pixels::zeros(view.size(), to, view.depth(), view.account())?;
    with_same_samples!(view, out.samples_any_mut(), from, to => {
        row_pairs(from, to, &mut |from, to| match channels {
            [] => to.copy_from_slice(from),
            _ => flatten_row(from, to, layout.channels(), channels, &background),
        });
        Ok::<(), crate::Error>(())
    })?;
    Ok(out)
}

/// One row whose last of `count` channels is alpha; `channels` are those that the target is made of.
fn flatten_row<S: Sample>(from: &[S], to: &mut [S], count: usize, channels: &[usize], background: &[f64]) {
    for (from, to) in from.chunks_exact(count).zip(to.chunks_exact_mut(channels.len())) {
        let alpha = from[count - 1].to_fraction();
        for i in 0..channels.len() {
            to[i] = S::from_fraction(from[channels[i]].to_fraction() * alpha + background[i] * (1.0 - alpha));
        }
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::{Frame, Size};
    use crate::pixel::{GrayAlpha, Rgb, Rgba};

    #[test]
    fn full_alpha_covers_none_shows_the_background_and_half_mixes() {
        let row = [0u8, 255, 51].map(|a| Rgba::new(200, 100, 0, a)).to_vec();
        let flat = Pixels::from(Frame::from_pixels(Size::new(3, 1), row).unwrap()).flatten([0.0, 0.2, 1.0]).unwrap();
        let want = [Rgb::new(0u8, 51, 255), Rgb::new(200, 100, 0), Rgb::new(40, 61, 204)];
        assert_eq!(flat.into_frame::<Rgb<u8>>().unwrap().pixels(), want);
        let gray = Frame::filled(Size::new(1, 1), GrayAlpha::new(100u16, 0)).unwrap();
        assert_eq!(Pixels::from(gray.clone()).flatten([1.0; 3]).unwrap().layout(), Layout::Gray);
        assert_eq!(Pixels::from(gray).flatten([1.0, 0.0, 0.0]).unwrap().layout(), Layout::Rgb);
    }
}
