//! A picture file as a sink of strips.

use super::encoder::{Encoder, Output, encoder_for, refuse_what_none_holds};
use super::formats::Formats;
use super::options::WriteOptions;
use super::replace::Replacement;
use crate::error::{Error, Result};
use crate::flow::{FromCodes, Sink, Stage, Step, Strip};
use crate::frame::{Content, Facts, FileFormat, Scale};
use std::io::{BufWriter, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// A picture file, written strip by strip. It comes into being when it is finished, or not at all.
pub struct Writer<'a> {
    encoder: Box<dyn Encoder>,
    out: Out<'a>,
    path: Option<PathBuf>,
    facts: Facts,
    format: FileFormat,
    /// Scales unscaled codes for formats that store codes of samples themselves.
    scaled: Option<Box<dyn Stage>>,
    next: u32,
}

enum Out<'a> {
    File(Option<BufWriter<Target>>),
    Stream(Stream<'a>),
    Anywhere(Anywhere<'a>),
}

/// What takes bytes one behind the other.
struct Stream<'a>(Box<dyn Write + Send + 'a>);

/// What takes bytes in any order.
struct Anywhere<'a> {
    to: Box<dyn WriteSeek + 'a>,
    /// Where byte 0 of the picture's file is, where the next byte goes, and where the last one was.
    start: u64,
    at: u64,
    end: u64,
}

pub(super) trait WriteSeek: Write + Seek + Send {}
impl<T: Write + Seek + Send> WriteSeek for T {}

/// A replacement as something to write to.
struct Target {
    file: Replacement,
    durable: bool,
}

impl Write for Target {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.file.file().write(bytes)
    }
    fn flush(&mut self) -> std::io::Result<()> {
        self.file.file().flush()
    }
}

impl Write for Stream<'_> {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        self.0.write(bytes)
    }
    fn flush(&mut self) -> std::io::Result<()> {
        self.0.flush()
    }
}

impl Write for Anywhere<'_> {
    fn write(&mut self, bytes: &[u8]) -> std::io::Result<usize> {
        let count = self.to.write(bytes)?;
        self.at = self.at.saturating_add(count as u64);
        self.end = self.end.max(self.at);
        Ok(count)
    }
    fn flush(&mut self) -> std::io::Result<()> {
        self.to.flush()
    }
}

impl Output for Stream<'_> {
    fn place(&mut self, _at: u64) -> Result<bool> {
        Ok(false)
    }
}

impl Output for Anywhere<'_> {
    fn place(&mut self, at: u64) -> Result<bool> {
        self.at = self.start.saturating_add(at);
        self.to.seek(SeekFrom::Start(self.at)).map_err(|e| Error::io("cannot write", e))?;
        Ok(true)
    }
}

impl Output for BufWriter<Target> {
    fn place(&mut self, at: u64) -> Result<bool> {
        if self.get_ref().file.is_straight() {
            return Ok(false);
        }
        let placed = self.flush().and_then(|()| self.get_mut().file.file().seek(SeekFrom::Start(at)));
        placed.map_err(|e| Error::io("cannot write", e))?;
        Ok(true)
    }
}

impl Out<'_> {
    fn write(&mut self) -> Result<&mut dyn Output> {
        match self {
            Out::File(Some(file)) => Ok(file),
            Out::File(None) => Err(Error::wrong_order("this file is finished")),
            Out::Stream(stream) => Ok(stream),
            Out::Anywhere(to) => Ok(to),
        }
    }
}

impl std::fmt::Debug for Writer<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Writer").field("path", &self.path).field("format", &self.format).finish_non_exhaustive()
    }
}

impl Writer<'static> {
    /// Starts a file for a picture of these facts; the format is the options', or the extension's. Nothing is touched
    /// before it is known that the format can hold the picture.
    ///
    /// # Errors
    /// An unknown extension, a picture that the format cannot hold (the error names the words that make it fit), or a
    /// place that cannot be written to.
    pub fn create(path: impl AsRef<Path>, facts: &Facts, options: WriteOptions) -> Result<Writer<'static>> {
        Writer::create_at(path.as_ref(), facts, options, &Formats::default())
    }

    pub(super) fn create_at(
        path: &Path,
        facts: &Facts,
        options: WriteOptions,
        formats: &Formats,
    ) -> Result<Writer<'static>> {
        let (facts, scaled) = scaled(facts, &options, Some(path))?;
        let format = options.format.map_or_else(|| formats.of_extension(path), Ok).map_err(|e| e.in_file(path))?;
        let own = path.extension().and_then(|e| e.to_str()).map(str::to_ascii_lowercase);
        let extension = options.extension.map(String::from).or(own);
        let mut head = Vec::new();
        let encoder = encoder_of(format, extension.as_deref(), &facts, &options, &mut head, formats)
            .map_err(|e| e.in_file(path))?;
        let mut file =
            BufWriter::with_capacity(64 << 10, Target { file: Replacement::start(path)?, durable: options.durable });
        file.write_all(&head).map_err(|e| Error::io("cannot write", e).in_file(path))?;
        let path = Some(path.to_path_buf());
        Ok(Writer { encoder, out: Out::File(Some(file)), path, facts, format, scaled, next: 0 })
    }
}

impl<'a> Writer<'a> {
    /// Writes to any stream of bytes; the options must name the format. A stream that is lent (`&mut stream`) is back once the
    /// writer is gone.
    ///
    /// # Errors
    /// No format in the options, a picture that the format cannot hold, or a failed write.
    pub fn to_stream(to: impl Write + Send + 'a, facts: &Facts, options: WriteOptions) -> Result<Writer<'a>> {
        Writer::in_order(Box::new(to), facts, options, &Formats::default())
    }

    pub(super) fn in_order(
        to: Box<dyn Write + Send + 'a>,
        facts: &Facts,
        options: WriteOptions,
        formats: &Formats,
    ) -> Result<Writer<'a>> {
        let Some(format) = options.format else {
            return Err(Error::invalid(
                "format",
                "a stream has no extension that says which format to write; name one",
            ));
        };
        let (facts, scaled) = scaled(facts, &options, None)?;
        let mut stream = Stream(to);
        let encoder = encoder_of(format, options.extension, &facts, &options, &mut stream, formats)?;
        Ok(Writer { encoder, out: Out::Stream(stream), path: None, facts, format, scaled, next: 0 })
    }

    /// Writes, from where it stands, to what can be written in any order, such as a file that is open already or a
    /// [`Cursor`](std::io::Cursor) over memory. Formats that start with the lowest row then need no memory for the
    /// others.
    ///
    /// # Errors
    /// As [`to_stream`](Writer::to_stream).
    pub fn to_seekable(to: impl Write + Seek + Send + 'a, facts: &Facts, options: WriteOptions) -> Result<Writer<'a>> {
        Writer::anywhere(Box::new(to), facts, options, &Formats::default())
    }

    pub(super) fn anywhere(
        mut to: Box<dyn WriteSeek + 'a>,
        facts: &Facts,
        options: WriteOptions,
        formats: &Formats,
    ) -> Result<Writer<'a>> {
        let Some(format) = options.format else {
            return Err(Error::invalid("format", "no extension says which format to write; name one"));
        };
        let start = to.stream_position().map_err(|e| Error::io("cannot write", e))?;
        let mut to = Anywhere { to, start, at: start, end: start };
        let (facts, scaled) = scaled(facts, &options, None)?;
        let encoder = encoder_of(format, options.extension, &facts, &options, &mut to, formats)?;
        Ok(Writer { encoder, out: Out::Anywhere(to), path: None, facts, format, scaled, next: 0 })
    }

    /// Ends the picture and begins another one in the same file, of these facts; its rows follow. TIFF holds any number of any kind.
    ///
    /// # Errors
    /// Rows that are missing, a format that holds one picture a file, or a picture that it cannot hold.
    pub fn next_page(&mut self, facts: &Facts) -> Result<()> {
        let result = self.turn_page(facts);
        result.map_err(|e| self.place(e))
    }

    fn turn_page(&mut self, facts: &Facts) -> Result<()> {
        crate::flow::check_complete(self.next, &self.facts)?;
        let (facts, scaled) = scaled_for(self.format, facts)?;
        refuse_what_none_holds(self.format, &facts)?;
        self.encoder.next_page(&facts, self.out.write()?)?;
        (self.facts, self.scaled, self.next) = (facts, scaled, 0);
        Ok(())
    }

    /// Remarks on metadata that the file does not hold, each a sentence.
    pub fn remarks(&self) -> Vec<String> {
        self.encoder.remarks()
    }

    pub(super) fn put_rows(&mut self, first_row: u32, content: &Content) -> Result<()> {
        let result = self.encode(first_row, content);
        result.map_err(|e| self.place(e))
    }

    fn encode(&mut self, first_row: u32, content: &Content) -> Result<()> {
        crate::flow::check_next(self.next, first_row, content, &self.facts)?;
        match &mut self.scaled {
            Some(step) => {
                let height = content.size().height;
                let strip = Strip { first_row, content: content.copied()? };
                let content = step.run(&strip, first_row..first_row.saturating_add(height))?;
                self.encoder.put(&content, self.out.write()?)?;
            }
            None => self.encoder.put(content, self.out.write()?)?,
        }
        self.next = first_row.saturating_add(content.size().height);
        Ok(())
    }

    fn end(&mut self) -> Result<()> {
        crate::flow::check_complete(self.next, &self.facts)?;
        self.encoder.finish(self.out.write()?)?;
        match &mut self.out {
            Out::Stream(stream) => stream.flush().map_err(|e| Error::io("cannot write", e)),
            // Behind the file's last byte, where whoever goes on writing expects to be.
            Out::Anywhere(to) => {
                let end = to.flush().and_then(|()| to.to.seek(SeekFrom::Start(to.end)));
                end.map(|_| ()).map_err(|e| Error::io("cannot write", e))
            }
            Out::File(file) => match file.take() {
                Some(buffered) => {
                    let target = buffered.into_inner().map_err(|e| Error::io("cannot write", e.into_error()))?;
                    target.file.finish(target.durable)
                }
                None => Ok(()),
            },
        }
    }

    fn place(&self, error: Error) -> Error {
        match &self.path {
            Some(path) => error.in_file(path),
            None => error,
        }
    }
}

impl Sink for Writer<'_> {
    fn put(&mut self, strip: &Strip) -> Result<()> {
        self.put_rows(strip.first_row, &strip.content)
    }

    fn finish(&mut self) -> Result<()> {
        let result = self.end();
        result.map_err(|e| self.place(e))
    }
}

/// The facts of what an encoder is given, and the step that scales unscaled codes first: codes are written as they are to
/// formats of plain numbers, NPY and raw bytes; all others store codes of samples themselves.
fn scaled(facts: &Facts, options: &WriteOptions, path: Option<&Path>) -> Result<(Facts, Option<Box<dyn Stage>>)> {
    let format = options.format.or_else(|| path.and_then(FileFormat::of_extension));
    scaled_for(format.unwrap_or(FileFormat::Png), facts)
}

fn scaled_for(format: FileFormat, facts: &Facts) -> Result<(Facts, Option<Box<dyn Stage>>)> {
    let plain = matches!(format, FileFormat::Npy | FileFormat::Npz | FileFormat::Raw);
    if facts.metadata.scale == Scale::Full || plain {
        return Ok((facts.clone(), None));
    }
    let stage = FromCodes.plan(facts)?;
    Ok((stage.facts().clone(), Some(stage)))
}

/// The encoder for a picture, its header written.
fn encoder_of(
    format: FileFormat,
    extension: Option<&str>,
    facts: &Facts,
    options: &WriteOptions,
    out: &mut dyn Output,
    formats: &Formats,
) -> Result<Box<dyn Encoder>> {
    match format {
        FileFormat::Other(name) => formats.named(name)?.encoder(facts, options, out),
        own => encoder_for(own, extension, facts, options, out),
    }
}
