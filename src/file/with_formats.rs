//! Reading and writing with formats that were added from outside: the functions of this module as methods of [`Formats`].

use super::as_picture::AsPicture;
use super::formats::Formats;
use super::input::Input;
use super::options::{ReadOptions, WriteOptions};
use super::reader::{Reader, header_of_file};

use super::writer::Writer;
use crate::error::Result;
use crate::flow::Sink;
use crate::frame::{Facts, FileFormat, Picture};
use std::io::{Read, Seek, Write};
use std::path::Path;

impl Formats {
    /// Opens a file and reads its header: see [`Reader::open`].
    ///
    /// # Errors
    /// As [`Reader::open`].
    pub fn open(&self, path: impl AsRef<Path>, options: ReadOptions) -> Result<Reader<'static>> {
        Reader::open_of(path.as_ref(), options, self)
    }

    /// Reads a picture from any stream of bytes: see [`Reader::from_read`].
    ///
    /// # Errors
    /// As [`Reader::from_read`].
    pub fn open_stream<'a>(&self, from: impl Read + Send + 'a, options: ReadOptions) -> Result<Reader<'a>> {
        Reader::of_input(Input::stream(from, false), options, self)
    }

    /// Reads a picture from bytes in any order: see [`Reader::from_seekable`].
    ///
    /// # Errors
    /// As [`Reader::from_seekable`].
    pub fn open_seekable<'a>(&self, from: impl Read + Seek + Send + 'a, options: ReadOptions) -> Result<Reader<'a>> {
        Reader::of_input(Input::anywhere(from, false), options, self)
    }

    /// Starts a file: see [`Writer::create`].
    ///
    /// # Errors
    /// As [`Writer::create`].
    pub fn create(&self, path: impl AsRef<Path>, facts: &Facts, options: WriteOptions) -> Result<Writer<'static>> {
        Writer::create_at(path.as_ref(), facts, options, self)
    }

    /// Writes to any stream of bytes: see [`Writer::to_stream`].
    ///
    /// # Errors
    /// As [`Writer::to_stream`].
    pub fn create_stream<'a>(
        &self,
        to: impl Write + Send + 'a,
        facts: &Facts,
        options: WriteOptions,
    ) -> Result<Writer<'a>> {
        Writer::in_order(Box::new(to), facts, options, self)
    }

    /// Writes to what can be written in any order: see [`Writer::to_seekable`].
    ///
    /// # Errors
    /// As [`Writer::to_seekable`].
    pub fn create_seekable<'a>(
        &self,
        to: impl Write + Seek + Send + 'a,
        facts: &Facts,
        options: WriteOptions,
    ) -> Result<Writer<'a>> {
        Writer::anywhere(Box::new(to), facts, options, self)
    }

    /// Reads a picture: see [`read_with`](super::read_with).
    ///
    /// # Errors
    /// As [`read`](super::read).
    pub fn read(&self, path: impl AsRef<Path>, options: ReadOptions) -> Result<Picture> {
        self.open(path, options)?.read_whole()
    }

    /// Reads the facts of a file from its header: see [`facts_with`](super::facts_with).
    ///
    /// # Errors
    /// As [`facts`](super::facts).
    pub fn facts(&self, path: impl AsRef<Path>, options: ReadOptions) -> Result<Facts> {
        header_of_file(path.as_ref(), options, self)
    }

    /// Writes a picture, a frame or a view; gives the writer's remarks: see [`write_with`](super::write_with).
    ///
    /// # Errors
    /// As [`write`](super::write()).
    pub fn write(
        &self,
        path: impl AsRef<Path>,
        picture: &(impl AsPicture + ?Sized),
        options: WriteOptions,
    ) -> Result<Vec<String>> {
        let mut writer = self.create(path, &picture.facts(), options)?;
        put_all(&mut writer, picture)?;
        Ok(writer.remarks())
    }

    /// A picture out of the bytes of a file: see [`decode`](super::decode).
    ///
    /// # Errors
    /// As [`decode`](super::decode).
    pub fn decode(&self, bytes: &[u8], options: ReadOptions) -> Result<Picture> {
        self.open_seekable(std::io::Cursor::new(bytes), options)?.read_whole()
    }

    /// The bytes of a file of a format: see [`encode`](super::encode).
    ///
    /// # Errors
    /// As [`encode`](super::encode).
    pub fn encode(
        &self,
        picture: &(impl AsPicture + ?Sized),
        format: FileFormat,
        options: WriteOptions,
    ) -> Result<Vec<u8>> {
        let mut out = std::io::Cursor::new(Vec::new());
        let options = WriteOptions { format: options.format.or(Some(format)), ..options };
        put_all(&mut self.create_seekable(&mut out, &picture.facts(), options)?, picture)?;
        Ok(out.into_inner())
    }
}

fn put_all(writer: &mut Writer<'_>, picture: &(impl AsPicture + ?Sized)) -> Result<()> {
    picture.rows_into(&mut |first, rows| writer.put_rows(first, rows))?;
    writer.finish()
}
