//! Whole pictures from and to files, in one call.

use super::as_picture::AsPicture;
use super::formats::Formats;
use super::options::{ReadOptions, WriteOptions};
use super::reader::{Reader, header_of_file, header_of_stream};
use super::replace::Replacement;
use crate::error::{Error, Result};
use crate::frame::{Facts, FileFormat, Picture};
use std::io::{Read, Write};
use std::path::Path;

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

/// Reads the facts of a file: everything but its pixels, which are passed over. Of a GIF file all bytes are read, since only its parts
/// say where the next frame is; of others the headers, directories and metadata.
///
/// # Errors
/// As [`read`], as far as the header goes.
pub fn facts(path: impl AsRef<Path>) -> Result<Facts> {
    header_of_file(path.as_ref(), ReadOptions::default(), &Formats::default())
}

/// Reads the facts of a stream of bytes.
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
    header_of_file(path.as_ref(), options, &Formats::default())
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
    Formats::default().encode(picture, format, options)
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
    Formats::default().write(path, picture, options)
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

/// Writes any bytes as a file, as pictures are written: an existing one is replaced whole or stays as it was, and the new one is forced
/// to the disk. What a program writes beside its pictures: an index, a report, a page.
///
/// # Errors
/// A place that cannot be written to.
pub fn write_bytes(path: impl AsRef<Path>, bytes: &[u8]) -> Result<()> {
    let path = path.as_ref();
    let mut file = Replacement::start(path)?;
    file.file().write_all(bytes).map_err(|e| Error::io("cannot write", e).in_file(path))?;
    file.finish(true).map_err(|e| e.in_file(path))
}
