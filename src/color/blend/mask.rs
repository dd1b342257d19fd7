//! A gray picture as alpha.

use crate::error::{ErrorKind, Result};
use crate::frame::{
    AnySamples, AnySamplesMut, PixelFormat, Pixels, Region, SampleView, same_size, with_samples, with_samples_mut,
};
use crate::pixel::{Channels, Layout, Sample};

impl Pixels {
    /// These pixels with a gray mask of their size for alpha, of any depth: full is opaque. Where there is alpha already, it is multiplied
    /// by the mask, or replaced by it. One pass and a copy.
    ///
    /// # Errors
    /// A mask that is not gray or of another size; cmyk, which has no alpha.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Rgb, Rgba, Size, frame::Pixels};
    /// let quay = Pixels::from(Frame::filled(Size::new(1, 1), Rgb::new(1u8, 2, 3))?);
    /// let mask = Pixels::from(Frame::filled(Size::new(1, 1), Gray::new(32_896u16))?);
    /// assert_eq!(quay.with_alpha(&mask, true)?.view::<Rgba<u8>>()?[(0, 0)], Rgba::new(1, 2, 3, 128));
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn with_alpha(&self, mask: &Pixels, multiply: bool) -> Result<Pixels> {
        same_size("the mask", self.size(), mask.size())?;
        self.with_alpha_of(mask, 0, multiply)
    }

    /// [`with_alpha`](Pixels::with_alpha) of some rows of a picture, by those of its mask that begin at `first`.
    pub(crate) fn with_alpha_of(&self, mask: &Pixels, first: u32, multiply: bool) -> Result<Pixels> {
        is_mask(mask)?;
        let rows = Region::at(0, first, self.size())?.inside(mask.size())?;
        let mask = mask.samples_any().part(rows);
        let mut out = self.add_alpha()?;
        let multiply = multiply && self.layout().has_alpha();
        let mut target = out.samples_any_mut();
        for y in 0..self.size().height {
            put_alpha(&mut target, y, mask, multiply);
        }
        Ok(out)
    }
}

/// That pixels are gray, without alpha.
pub(crate) fn is_mask(mask: &Pixels) -> Result<()> {
    if mask.layout() == Layout::Gray {
        return Ok(());
    }
    let found = PixelFormat::Pixels { depth: mask.depth(), layout: mask.layout() }.describe();
    Err(ErrorKind::Types { wanted: "a gray mask".to_string(), found }.into())
}

/// A row of a mask into the alpha of a row.
fn put_alpha(to: &mut AnySamplesMut<'_>, y: u32, mask: AnySamples<'_>, multiply: bool) {
    with_samples_mut!(to, to => {
        let channels = to.channels();
        with_samples!(mask, mask => put_row(to.row_mut(y), channels, mask, y, multiply));
    });
}

fn put_row<S: Sample, M: Sample>(to: &mut [S], channels: Channels, mask: SampleView<'_, M>, y: u32, multiply: bool) {
    let mask = mask.row(y);
    for (x, pixel) in to.chunks_exact_mut(channels.count).enumerate() {
        let (Some(alpha), Some(share)) = (pixel.last_mut(), mask.get(x)) else { continue };
        *alpha = match multiply {
            true => S::from_fraction(alpha.to_fraction() * share.to_fraction()),
            false => share.to_depth(),
        };
    }
}
