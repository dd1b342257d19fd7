//! Whole pictures from and to files, in one call.

use super::options::{ReadOptions, WriteOptions};
use super::reader::{Reader, header_of_file, header_of_stream};
use super::writer::Writer;
use crate::error::Result;
use crate::flow::Sink;
use crate::frame::{Content, Facts, FileFormat, Frame, Levels, Metadata, Picture, PixelFormat, Size, View};
use crate::pixel::{PicturePixel, Sample};
use std::io::Read;
use std::path::Path;

/// Bytes of a view that are copied at a time on their way to a file.
const VIEW_BYTES: u64 = 1 << 20;

/// Reads a picture file, whatever its format, with the default [`Limits`](super::Limits).
///
/// Depth, layout and orientation are kept as stored; each change is asked for by name.
///
/// # Errors
/// A file that cannot be opened, is no picture, is damaged or ends early, or declares more than the limits allow.
pub fn read(path: impl AsRef<Path>) -> Result<Picture> {
    Reader::open(path, ReadOptions::default())?.read_whole()
}

/// [`read`] with options: as gray, colour or indices, at a depth, upright, salvaged, another page, raw bytes.
///
/// # Errors
/// As [`read`], or what the options ask for and cannot have.
pub fn read_with(path: impl AsRef<Path>, options: ReadOptions) -> Result<Picture> {
    Reader::open(path, options)?.read_whole()
}

/// Reads a picture from a stream of bytes.
///
/// # Errors
/// As [`read`].
pub fn read_from(from: impl Read + Send, options: ReadOptions) -> Result<Picture> {
    Reader::from_read(from, options)?.read_whole()
}

/// Reads the facts of a file from its header: no pixels, and less than 64 KiB.
///
/// # Errors
/// As [`read`], as far as the header goes.
pub fn facts(path: impl AsRef<Path>) -> Result<Facts> {
    header_of_file(path.as_ref(), ReadOptions::default())
}

/// Reads the facts of a stream of bytes from its header.
///
/// # Errors
/// As [`facts`].
pub fn facts_from(from: impl Read + Send, options: ReadOptions) -> Result<Facts> {
    header_of_stream(from, options)
}

/// Reads the facts of a file with options: which page, which raw layout.
///
/// # Errors
/// As [`facts`].
pub fn facts_with(path: impl AsRef<Path>, options: ReadOptions) -> Result<Facts> {
    header_of_file(path.as_ref(), options)
}

/// A picture out of the bytes of a file, whatever its format.
///
/// # Errors
/// As [`read`].
pub fn decode(bytes: &[u8], options: ReadOptions) -> Result<Picture> {
    Reader::from_seekable(std::io::Cursor::new(bytes), options)?.read_whole()
}

/// The bytes of a file of a format.
///
/// # Errors
/// A picture that the format cannot hold; the error names the words that make it fit.
///
/// # Examples
/// ```
/// use rahmen::{FileFormat, Frame, Rgb, Size, file};
/// let dawn = Frame::filled(Size::new(4, 3), Rgb::new(250u8, 160, 90))?;
/// let png: Vec<u8> = file::encode(&dawn, FileFormat::Png, Default::default())?;
/// assert_eq!(file::decode(&png, Default::default())?.frame::<Rgb<u8>>()?, dawn);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn encode(picture: &(impl AsPicture + ?Sized), format: FileFormat, options: WriteOptions) -> Result<Vec<u8>> {
    let mut out = std::io::Cursor::new(Vec::new());
    let options = WriteOptions { format: options.format.or(Some(format)), ..options };
    put_all(&mut Writer::to_seekable(&mut out, &picture.facts(), options)?, picture)?;
    Ok(out.into_inner())
}

/// Writes a picture, a frame or a view to a file; the extension says which format. An existing file is replaced atomically.
///
/// # Errors
/// An unknown extension, a picture that the format cannot hold (the error names the words that make it fit), or a failed
/// write, which leaves an old file as it was.
pub fn write(path: impl AsRef<Path>, picture: &(impl AsPicture + ?Sized)) -> Result<()> {
    write_with(path, picture, WriteOptions::default()).map(|_| ())
}

/// [`write()`] with options; gives the remarks of the writer, such as metadata that the format cannot hold.
///
/// # Errors
/// As [`write()`].
pub fn write_with(
    path: impl AsRef<Path>,
    picture: &(impl AsPicture + ?Sized),
    options: WriteOptions,
) -> Result<Vec<String>> {
    let mut writer = Writer::create(path, &picture.facts(), options)?;
    put_all(&mut writer, picture)?;
    Ok(writer.remarks())
}

fn put_all(writer: &mut Writer<'_>, picture: &(impl AsPicture + ?Sized)) -> Result<()> {
    picture.rows_into(&mut |first, rows| writer.put_rows(first, rows))?;
    writer.finish()
}

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
        Facts::new(self.size(), format, Metadata::default())
    }

    fn rows_into(&self, take: &mut dyn FnMut(u32, &Content) -> Result<()>) -> Result<()> {
        // A few rows at a time are copied: they may be padded where they lie.
        let row = AsPicture::facts(self).pixel_format.bytes(Size::new(self.width(), 1));
        let each = VIEW_BYTES.checked_div(row).unwrap_or(1).max(1);
        let each = u32::try_from(each).unwrap_or(u32::MAX);
        let mut first = 0;
        while first < self.height() {
            let end = first.saturating_add(each).min(self.height());
            take(first, &self.region(self.size().region().rows(first..end)?)?.to_frame().into())?;
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

impl Picture {
    /// Writes the picture to a file: [`write()`] as a method.
    ///
    /// # Errors
    /// As [`write()`].
    pub fn save(&self, path: impl AsRef<Path>) -> Result<()> {
        write(path, self)
    }
}
