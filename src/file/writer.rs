//! A picture file as a sink of strips.

use super::encoder::{Encoder, Output, encoder_for, refuse_what_none_holds};
use super::formats::Formats;
use super::holds::{Holds, left_out, refuse_what_is_not_held};
use super::options::WriteOptions;
use super::replace::Replacement;
use crate::cancel::Cancel;
use crate::color::ColorSpace;
use crate::error::{Error, Result};
use crate::flow::{FromCodes, OnCodes, Sink, Stage, Step, Strip, ToSpace};
use crate::frame::{Content, Facts, FileFormat, PixelFormat, Scale};
use crate::memory::{Charge, MemoryBudget};
use crate::pixel::{Depth, Layout, Meaning, Primaries, Transfer};
use std::borrow::Cow;
use std::io::{BufWriter, Seek, SeekFrom, Write};
use std::path::{Path, PathBuf};

/// A picture file, written strip by strip. It comes into being when it is finished, or not at all.
pub struct Writer<'a> {
    encoder: Box<dyn Encoder>,
    /// What a format from outside declares that it holds; encoders of the library know more exactly what they have stored.
    holds: Option<Holds>,
    left_out: Vec<String>,
    out: Out<'a>,
    path: Option<PathBuf>,
    facts: Facts,
    format: FileFormat,
    /// Brings rows to the form in which the format means its numbers.
    scaled: Option<Box<dyn Stage>>,
    next: u32,
    budget: Option<MemoryBudget>,
    cancel: Option<Cancel>,
    /// What copies of the metadata are charged, which encoders make.
    charge: Charge,
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
        let (facts, scaled) = adapted(facts, &options, Some(path))?;
        let format = options.format.map_or_else(|| formats.of_extension(path), Ok).map_err(|e| e.in_file(path))?;
        let own = path.extension().and_then(|e| e.to_str()).map(str::to_ascii_lowercase);
        let extension = options.extension.map(String::from).or(own);
        let holds = declared(format, &facts, formats).map_err(|e| e.in_file(path))?;
        let mut head = Vec::new();
        let charge = copies_of_metadata(&facts).map_err(|e| e.in_file(path))?;
        let encoder = encoder_of(format, extension.as_deref(), &facts, &options, &mut head, formats)
            .map_err(|e| e.in_file(path))?;
        let mut file =
            BufWriter::with_capacity(64 << 10, Target { file: Replacement::start(path)?, durable: options.durable });
        file.write_all(&head).map_err(|e| Error::io("cannot write", e).in_file(path))?;
        let path = Some(path.to_path_buf());
        Ok(Writer::new(encoder, holds, Out::File(Some(file)), path, (facts, format, scaled)).under(&options, charge))
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
        let (facts, scaled) = adapted(facts, &options, None)?;
        let holds = declared(format, &facts, formats)?;
        let mut stream = Stream(to);
        let charge = copies_of_metadata(&facts)?;
        let encoder = encoder_of(format, options.extension, &facts, &options, &mut stream, formats)?;
        Ok(Writer::new(encoder, holds, Out::Stream(stream), None, (facts, format, scaled)).under(&options, charge))
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
        let (facts, scaled) = adapted(facts, &options, None)?;
        let holds = declared(format, &facts, formats)?;
        let charge = copies_of_metadata(&facts)?;
        let encoder = encoder_of(format, options.extension, &facts, &options, &mut to, formats)?;
        Ok(Writer::new(encoder, holds, Out::Anywhere(to), None, (facts, format, scaled)).under(&options, charge))
    }

    fn new(
        encoder: Box<dyn Encoder>,
        holds: Option<Holds>,
        out: Out<'a>,
        path: Option<PathBuf>,
        (facts, format, scaled): (Facts, FileFormat, Option<Box<dyn Stage>>),
    ) -> Writer<'a> {
        let mut left_out = holds.map_or_else(Vec::new, |holds| left_out(&facts.metadata, holds));
        if scaled.is_some() {
            left_out.extend(facts.remarks.iter().cloned());
        }
        let (budget, cancel) = (None, None);
        Writer {
            encoder,
            holds,
            left_out,
            out,
            path,
            facts,
            format,
            scaled,
            next: 0,
            budget,
            cancel,
            charge: Charge::NONE,
        }
    }

    /// Under the budget and the signal of the options.
    fn under(self, options: &WriteOptions, charge: Charge) -> Writer<'a> {
        Writer { budget: options.budget.clone(), cancel: options.cancel.clone(), charge, ..self }
    }

    fn turn_page(&mut self, facts: &Facts) -> Result<()> {
        crate::flow::check_complete(self.next, &self.facts)?;
        let (facts, scaled) = adapted_for(self.format, &charged(facts, self.budget.as_ref()))?;
        match self.holds {
            Some(holds) => refuse_what_is_not_held(self.format, holds, &facts)?,
            None => refuse_what_none_holds(self.format, &facts)?,
        }
        self.charge = Charge::NONE;
        self.charge = copies_of_metadata(&facts)?;
        self.encoder.next_page(&facts, self.out.write()?)?;
        self.left_out.extend(self.holds.map_or_else(Vec::new, |holds| left_out(&facts.metadata, holds)));
        (self.facts, self.scaled, self.next) = (facts, scaled, 0);
        Ok(())
    }

    /// Remarks on metadata that the file does not hold, each a sentence.
    pub fn remarks(&self) -> Vec<String> {
        let mut all: Vec<String> = self.left_out.iter().cloned().chain(self.encoder.remarks()).collect();
        let mut seen = std::collections::HashSet::new();
        all.retain(|line| seen.insert(line.clone()));
        all
    }

    pub(super) fn put_rows(&mut self, first_row: u32, content: &Content) -> Result<()> {
        let result = self.encode(first_row, content, None);
        result.map_err(|e| self.place(e))
    }

    /// Encodes rows, which a strip may hold already.
    fn encode(&mut self, first_row: u32, content: &Content, strip: Option<&Strip>) -> Result<()> {
        self.cancel.as_ref().map_or(Ok(()), Cancel::check)?;
        crate::flow::check_next(self.next, first_row, content, &self.facts)?;
        match &mut self.scaled {
            Some(step) => {
                let height = content.size().height;
                let rows = first_row..first_row.saturating_add(height);
                let content = match strip {
                    Some(strip) => step.run(strip, rows)?,
                    None => step.run(&Strip { first_row, content: content.copied()? }, rows)?,
                };
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
        let result = self.encode(strip.first_row, &strip.content, Some(strip));
        result.map_err(|e| self.place(e))
    }

    fn next_page(&mut self, facts: &Facts) -> Result<()> {
        let result = self.turn_page(facts);
        result.map_err(|e| self.place(e))
    }

    fn finish(&mut self) -> Result<()> {
        let result = self.end();
        result.map_err(|e| self.place(e))
    }
}

/// The facts of what an encoder is given, and the step to the form in which the format means its numbers.
fn adapted(facts: &Facts, options: &WriteOptions, path: Option<&Path>) -> Result<(Facts, Option<Box<dyn Stage>>)> {
    let format = options.format.or_else(|| path.and_then(FileFormat::of_extension));
    options.cancel.as_ref().map_or(Ok(()), Cancel::check)?;
    adapted_for(format.unwrap_or(FileFormat::Png), &charged(facts, options.budget.as_ref()))
}

/// Charges what encoders take for metadata: as they are in the file, among what is put before it, and until they are written.
fn copies_of_metadata(facts: &Facts) -> Result<Charge> {
    Charge::take(facts.account(), facts.metadata.bytes().saturating_mul(3))
}

/// The facts with the budget of the options, if those have one.
fn charged<'f>(facts: &'f Facts, budget: Option<&MemoryBudget>) -> Cow<'f, Facts> {
    match budget {
        Some(budget) => Cow::Owned(facts.clone().charged_to(budget)),
        None => Cow::Borrowed(facts),
    }
}

/// Codes are written as they are to formats of plain numbers, arrays and raw bytes; all others store codes of samples themselves, or samples
/// that stand for codes: those of values that were computed are the nearest. Floats in
/// colour are linear light in a float map, and encoded in arrays and raw bytes.
fn adapted_for(format: FileFormat, facts: &Facts) -> Result<(Facts, Option<Box<dyn Stage>>)> {
    let array = matches!(format, FileFormat::Npy | FileFormat::Npz | FileFormat::Raw);
    if facts.metadata.scale == Scale::Codes && !array {
        let stage = FromCodes.plan(facts)?;
        let to = Facts { remarks: Vec::new(), ..stage.facts().clone() };
        return Ok((to, Some(stage)));
    }
    if matches!(format, FileFormat::Png | FileFormat::Tiff) && OnCodes::has_work(facts) {
        return Ok((facts.clone(), Some(OnCodes.plan(facts)?)));
    }
    let m = &facts.metadata;
    let floats = matches!(facts.pixel_format, PixelFormat::Pixels { depth: Depth::F32, layout } if layout.is_color() && layout != Layout::Cmyk);
    let wanted = match format {
        FileFormat::Pfm if !m.is_linear() => Some((Transfer::Linear, TO_LIGHT)),
        _ if array && m.is_linear() => Some((Transfer::Srgb, FROM_LIGHT)),
        _ => None,
    };
    let Some((transfer, line)) = wanted.filter(|_| floats && m.meaning == Meaning::Color) else {
        return Ok((facts.clone(), None));
    };
    // What a profile without a formula says is taken to the primaries of sRGB.
    let primaries = if m.primaries == Primaries::Other { Primaries::Srgb } else { m.primaries };
    let stage = ToSpace::new(ColorSpace { primaries, transfer }).plan(facts)?;
    let mut to = stage.facts().clone();
    to.remarks = vec![line.to_string()];
    Ok((to, Some(stage)))
}

const TO_LIGHT: &str = "encoded colour is converted to linear light, which a float map holds";
const FROM_LIGHT: &str = "linear light is converted to encoded colour, which arrays of floats hold; colour that is stated to be encoded is written \
                          as it is";

/// What a format from outside declares that it holds; what it does not is refused where the pixels would mean something else.
fn declared(format: FileFormat, facts: &Facts, formats: &Formats) -> Result<Option<Holds>> {
    let FileFormat::Other(name) = format else { return Ok(None) };
    let holds = formats.named(name)?.holds();
    refuse_what_is_not_held(format, holds, facts)?;
    Ok(Some(holds))
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
