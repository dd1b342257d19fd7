//! What can be written as a picture: pictures, frames and views.

use crate::error::Result;
use crate::frame::{Content, Facts, Frame, Levels, Metadata, Picture, PixelFormat, Size, View};
use crate::pixel::{PicturePixel, Sample};

/// Bytes of a view that are copied at a time on their way to a file.
const VIEW_BYTES: u64 = 1 << 20;

/// What is written as a picture: a [`Picture`], or a frame or view of encoded colour without further metadata.
pub trait AsPicture {
    /// Its facts.
    fn facts(&self) -> Facts;

    /// Gives all rows, as many at a time as are at hand without a copy of the whole, each with the number of its first.
    ///
    /// # Errors
    /// What `take` gives, or a size beyond the system's memory.
    fn rows_into(&self, take: &mut dyn FnMut(u32, &Content) -> Result<()>) -> Result<()>;
}

impl AsPicture for Picture {
    fn facts(&self) -> Facts {
        self.facts()
    }

    fn rows_into(&self, take: &mut dyn FnMut(u32, &Content) -> Result<()>) -> Result<()> {
        if let Content::Pixels(pixels) = self.content() {
            Levels::of(self.metadata()).check_scaled(pixels.samples_any())?;
        }
        take(0, self.content())
    }
}

impl<P: PicturePixel> AsPicture for View<'_, P> {
    fn facts(&self) -> Facts {
        let format = PixelFormat::Pixels { depth: P::Number::DEPTH, layout: P::LAYOUT };
        Facts::new(self.size(), format, Metadata::default()).charged(self.account())
    }

    fn rows_into(&self, take: &mut dyn FnMut(u32, &Content) -> Result<()>) -> Result<()> {
        // A few rows at a time are copied: they may be padded where they lie.
        let row = AsPicture::facts(self).pixel_format.bytes(Size::new(self.width(), 1));
        let each = VIEW_BYTES.checked_div(row).unwrap_or(1).max(1);
        let each = u32::try_from(each).unwrap_or(u32::MAX);
        let mut first = 0;
        while first < self.height() {
            let end = first.saturating_add(each).min(self.height());
            take(first, &self.region(self.size().region().rows(first..end)?)?.try_to_frame()?.into())?;
            first = end;
        }
        Ok(())
    }
}

impl<P: PicturePixel> AsPicture for Frame<P> {
    fn facts(&self) -> Facts {
        AsPicture::facts(&self.view())
    }

    fn rows_into(&self, take: &mut dyn FnMut(u32, &Content) -> Result<()>) -> Result<()> {
        self.view().rows_into(take)
    }
}
