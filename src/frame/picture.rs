//! A picture: content and its metadata.

use super::{
    Content, Facts, Frame, Levels, Metadata, PixelFormat, Pixels, Planes, Scale, Size, View, ViewMut, Visitor,
};
use crate::error::{ErrorKind, Result};
use crate::memory::MemoryBudget;
use crate::pixel::{Meaning, Number, PicturePixel};

/// A picture: pixels of a depth and layout (or planes), and metadata.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Picture, Rgb, Size};
/// let picture = Picture::from(Frame::filled(Size::new(4, 3), Rgb::new(1u8, 2, 3))?);
/// assert_eq!(picture.view::<Rgb<u8>>()?.at(3, 2)?.b, 3);
/// assert_eq!(picture.view::<Gray<u16>>().unwrap_err().to_string(), "wanted gray u16, the picture holds rgb u8");
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug, Clone, PartialEq)]
pub struct Picture {
    content: Content,
    metadata: Metadata,
}

impl Picture {
    /// A picture of this content and metadata.
    pub fn new(content: impl Into<Content>, metadata: Metadata) -> Picture {
        Picture { content: content.into(), metadata }
    }

    /// A picture whose samples are a camera's codes 0..=max code, unscaled: files and steps that need the full range scale them.
    ///
    /// # Errors
    /// A sample above the max code, floats, or a max code of 0 or beyond the depth.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Picture, Size};
    /// let twelve = Frame::<Gray<u16>>::from_samples(Size::new(3, 1), vec![0, 2000, 4095])?;
    /// let picture = Picture::of_codes(twelve, 4095)?;
    /// assert_eq!(picture.metadata().max_codes, Some(vec![4095]));
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn of_codes(pixels: impl Into<Pixels>, max: u32) -> Result<Picture> {
        let pixels = pixels.into();
        Levels::codes(max).check(pixels.samples_any())?;
        let max_codes = Some(vec![max; pixels.layout().channels()]);
        Ok(Picture::new(pixels, Metadata { max_codes, scale: Scale::Codes, ..Metadata::default() }))
    }

    /// Width and height as stored.
    pub fn size(&self) -> Size {
        self.content.size()
    }

    /// The pixel format: depth and layout, or number type and plane names.
    pub fn pixel_format(&self) -> PixelFormat {
        self.content.pixel_format()
    }

    /// Everything but the pixels.
    pub fn facts(&self) -> Facts {
        Facts::new(self.size(), self.pixel_format(), self.metadata.clone()).charged(self.content.account())
    }

    /// The pixels or planes.
    pub fn content(&self) -> &Content {
        &self.content
    }

    /// The pixels or planes, mutable.
    pub fn content_mut(&mut self) -> &mut Content {
        &mut self.content
    }

    /// The metadata.
    pub fn metadata(&self) -> &Metadata {
        &self.metadata
    }

    /// The metadata, mutable.
    pub fn metadata_mut(&mut self) -> &mut Metadata {
        &mut self.metadata
    }

    /// The pixels, whatever their type.
    ///
    /// # Errors
    /// Planes: the error says which.
    pub fn pixels(&self) -> Result<&Pixels> {
        self.content.pixels()
    }

    /// The planes, as planes of a number type.
    ///
    /// # Errors
    /// Pixels, or another number type; the error names both.
    pub fn planes<T: Number>(&self) -> Result<&Planes<T>> {
        match &self.content {
            Content::Planes(planes) => planes.planes(),
            Content::Pixels(pixels) => {
                let wanted = format!("planes of {}", T::KIND.name());
                Err(ErrorKind::Types { wanted, found: format!("{} {}", pixels.layout(), pixels.depth()) }.into())
            }
        }
    }

    /// A typed view of the pixels.
    ///
    /// # Errors
    /// Another type than the one held; the error names both.
    pub fn view<P: PicturePixel>(&self) -> Result<View<'_, P>> {
        self.pixels()?.view()
    }

    /// A typed, mutable view of the pixels.
    ///
    /// # Errors
    /// Another type than the one held; the error names both.
    pub fn view_mut<P: PicturePixel>(&mut self) -> Result<ViewMut<'_, P>> {
        self.content.pixels_mut()?.view_mut()
    }

    /// The pixels as a typed frame; the metadata is dropped. No copy.
    ///
    /// # Errors
    /// Another type than the one held; the error names both.
    pub fn frame<P: PicturePixel>(self) -> Result<Frame<P>> {
        match self.content {
            Content::Pixels(pixels) => pixels.into_frame(),
            Content::Planes(_) => Err(self.content.not_pixels()),
        }
    }

    /// Runs a visitor on the pixels, typed.
    ///
    /// # Errors
    /// Planes: the error says which.
    pub fn visit<J: Visitor>(&self, job: J) -> Result<J::Out> {
        Ok(self.pixels()?.visit(job))
    }

    /// The picture, charged to a budget from now on, as all that is made of it is: in place of the one that it was charged to. No cost.
    ///
    /// # Errors
    /// More than the budget has left.
    pub fn charged_to(self, budget: &MemoryBudget) -> Result<Picture> {
        Ok(Picture { content: self.content.charged_to(budget)?, ..self })
    }

    /// Splits the picture into content and metadata.
    pub fn into_parts(self) -> (Content, Metadata) {
        (self.content, self.metadata)
    }
}

impl<P: PicturePixel> From<Frame<P>> for Picture {
    /// A picture of encoded colour without further metadata. No copy.
    fn from(frame: Frame<P>) -> Picture {
        Picture::new(frame, Metadata::default())
    }
}

impl<T: crate::pixel::Number> From<Planes<T>> for Picture
where
    super::AnyPlanes: From<Planes<T>>,
{
    /// A picture of planes that hold values (see [`Meaning::Values`]). No copy.
    fn from(planes: Planes<T>) -> Picture {
        Picture::new(planes, Metadata { meaning: Meaning::values(), ..Metadata::default() })
    }
}
