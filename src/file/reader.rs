//! A picture file as a source of strips.

use super::decoder::{Decoder, RowsOut, Stop, decoder_for, ended_early};
use super::options::ReadOptions;
use super::sniff;
use crate::error::{Error, ErrorKind, Result};
use crate::flow::{Source, Strip};
use crate::frame::{Content, Facts, Form, Format, Picture, Pixels, Size};
use std::io::Read;
use std::path::{Path, PathBuf};

/// Bytes read at a time.
const BLOCK: usize = 64 << 10;

/// A picture file, read strip by strip in bounded memory.
///
/// # Examples
/// ```no_run
/// use rahmen::{file::{Reader, ReadOptions}, flow::Source};
/// let mut reader = Reader::open("quay.png", ReadOptions::default())?;
/// println!("{}", reader.facts().size);
/// while let Some(strip) = reader.next(64)? {
///     println!("rows {:?}", strip.rows());
/// }
/// # Ok::<(), rahmen::Error>(())
/// ```
pub struct Reader {
    input: Input,
    decoder: Box<dyn Decoder>,
    facts: Facts,
    options: ReadOptions,
    next: u32,
    done: bool,
}

/// Bytes from a file or a stream, with a block of them at hand and a count of those used.
struct Input {
    from: Box<dyn Read + Send>,
    path: Option<PathBuf>,
    block: Vec<u8>,
    at: usize,
    end: usize,
    used: u64,
    ended: bool,
}

impl std::fmt::Debug for Reader {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Reader").field("path", &self.input.path).field("next", &self.next).finish_non_exhaustive()
    }
}

impl Input {
    fn new(from: Box<dyn Read + Send>, path: Option<PathBuf>) -> Input {
        Input { from, path, block: vec![0; BLOCK], at: 0, end: 0, used: 0, ended: false }
    }

    /// Reads until at least `wanted` bytes are at hand, or the input has ended.
    fn fill(&mut self, wanted: usize) -> Result<()> {
        if self.at > 0 {
            self.block.copy_within(self.at..self.end, 0);
            self.end = self.end.saturating_sub(self.at);
            self.at = 0;
        }
        while !self.ended && self.end < wanted.min(BLOCK) {
            let room = self.block.get_mut(self.end..).unwrap_or_default();
            match self.from.read(room) {
                Ok(0) => self.ended = true,
                Ok(n) => self.end = self.end.saturating_add(n),
                Err(e) if e.kind() == std::io::ErrorKind::Interrupted => {}
                Err(e) if e.kind() == std::io::ErrorKind::IsADirectory => {
                    return Err(Error::unusable("this is a folder, not a picture file"));
                }
                Err(e) => return Err(Error::io("cannot read on", e)),
            }
        }
        Ok(())
    }

    fn at_hand(&self) -> &[u8] {
        self.block.get(self.at..self.end).unwrap_or_default()
    }

    fn take(&mut self, count: usize) {
        self.at = self.at.saturating_add(count);
        self.used = self.used.saturating_add(count as u64);
    }
}

impl Reader {
    /// Opens a file and reads its header.
    ///
    /// # Errors
    /// A file that cannot be opened, is no picture, is damaged, or declares more than the limits allow.
    pub fn open(path: impl AsRef<Path>, options: ReadOptions) -> Result<Reader> {
        let path = path.as_ref();
        let file = open_file(path)?;
        let bytes = file.metadata().ok().filter(|m| m.is_file()).map(|m| m.len());
        let mut reader =
            Reader::start(Box::new(file), Some(path.to_path_buf()), options).map_err(|e| e.in_file(path))?;
        reader.facts.bytes = bytes;
        Ok(reader)
    }

    /// Reads a picture from any stream of bytes. Such a reader cannot be rewound.
    ///
    /// # Errors
    /// As [`open`](Reader::open).
    pub fn from_read(from: impl Read + Send + 'static, options: ReadOptions) -> Result<Reader> {
        Reader::start(Box::new(from), None, options)
    }

    fn start(from: Box<dyn Read + Send>, path: Option<PathBuf>, options: ReadOptions) -> Result<Reader> {
        let mut input = Input::new(from, path);
        input.fill(sniff::ENOUGH)?;
        let Some(format) = sniff::format_of(input.at_hand()) else {
            let start = input.at_hand();
            return Err(sniff::not_a_picture(start.get(..sniff::ENOUGH).unwrap_or(start)));
        };
        let mut decoder = decoder_for(format, options.limits)?;
        let stop = push(&mut input, decoder.as_mut(), &mut RowsOut::skip(0), format)?;
        let facts = match (stop, decoder.facts()) {
            (Stop::Facts, Some(facts)) => facts.clone(),
            _ => return Err(Error::damaged("no picture in the file").in_format(format, Some(input.used))),
        };
        Ok(Reader { input, decoder, facts, options, next: 0, done: false })
    }

    /// The file's format.
    fn format(&self) -> Format {
        // Every decoder sets it.
        self.facts.format.unwrap_or(Format::Raw)
    }

    fn step(&mut self, rows: &mut RowsOut<'_>) -> Result<Stop> {
        let format = self.format();
        let stop = push(&mut self.input, self.decoder.as_mut(), rows, format).map_err(|e| self.input.place(e))?;
        self.done = stop == Stop::Done;
        Ok(stop)
    }

    /// Reads all rows into a picture, and the file to its end.
    ///
    /// # Errors
    /// A picture over the memory limit, or what reading gives.
    pub fn read_whole(mut self) -> Result<Picture> {
        let place = |e: Error, reader: &Reader| reader.input.place(e.in_format(reader.format(), None));
        let bytes = self.facts.form.bytes(self.facts.size);
        self.options.limits.check_memory("the picture", bytes).map_err(|e| place(e, &self))?;
        let size = Size::new(self.facts.size.width, self.facts.size.height.saturating_sub(self.next));
        let (depth, layout) = self.pixel_form()?;
        let mut pixels = Pixels::new(size, layout, depth).map_err(|e| place(e, &self))?;
        self.step(&mut RowsOut::into_strip(&mut pixels))?;
        self.finish()?;
        Ok(Picture::new(pixels, self.facts.metadata))
    }

    /// Reads what follows the last row, so that checksums are checked.
    fn finish(&mut self) -> Result<()> {
        while !self.done {
            self.step(&mut RowsOut::skip(0))?;
        }
        Ok(())
    }

    fn pixel_form(&self) -> Result<(crate::pixel::Depth, crate::pixel::Layout)> {
        match self.facts.form {
            Form::Pixels { depth, layout } => Ok((depth, layout)),
            Form::Planes { .. } => Err(Error::not_supported("planes in strips").in_format(self.format(), None)),
        }
    }
}

impl Input {
    fn place(&self, error: Error) -> Error {
        match &self.path {
            Some(path) => error.in_file(path),
            None => error,
        }
    }
}

/// Feeds the decoder until it stops for another reason than wanting input.
fn push(input: &mut Input, decoder: &mut dyn Decoder, rows: &mut RowsOut<'_>, format: Format) -> Result<Stop> {
    loop {
        let at = input.used;
        let fed = decoder.feed(input.at_hand(), rows);
        let (taken, stop) = fed.map_err(|e| e.in_format(format, Some(at)))?;
        input.take(taken);
        if stop != Stop::NeedInput {
            return Ok(stop);
        }
        let left = input.at_hand().len();
        input.fill(BLOCK)?;
        if input.at_hand().len() == left && !decoder.input_ended() {
            return Err(ended_early(decoder.expected()).in_format(format, Some(input.used.saturating_add(left as u64))));
        }
    }
}

fn open_file(path: &Path) -> Result<std::fs::File> {
    std::fs::File::open(path).map_err(|e| {
        let action = if e.kind() == std::io::ErrorKind::NotFound { "there is no such file" } else { "cannot open it" };
        Error::io(action, e).in_file(path)
    })
}

impl Source for Reader {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn next(&mut self, rows: u32) -> Result<Option<Strip>> {
        let size = self.facts.size;
        let first_row = self.next;
        let end = size.height.min(first_row.saturating_add(rows));
        if first_row >= size.height {
            self.finish()?;
            return Ok(None);
        }
        let (depth, layout) = self.pixel_form()?;
        let size = Size::new(size.width, end.saturating_sub(first_row));
        let bytes = Form::Pixels { depth, layout }.bytes(size);
        self.options.limits.check_memory("a strip", bytes).map_err(|e| self.input.place(e))?;
        let mut pixels = Pixels::new(size, layout, depth)?;
        self.step(&mut RowsOut::into_strip(&mut pixels))?;
        self.next = end;
        Ok(Some(Strip { first_row, content: Content::Pixels(pixels) }))
    }

    fn skip(&mut self, rows: u32) -> Result<()> {
        let end = self.facts.size.height.min(self.next.saturating_add(rows));
        self.step(&mut RowsOut::skip(end.saturating_sub(self.next)))?;
        self.next = end;
        Ok(())
    }

    fn rewind(&mut self) -> Result<()> {
        match self.input.path.clone() {
            Some(path) => {
                *self = Reader::open(path, self.options)?;
                Ok(())
            }
            None => Err(ErrorKind::NotSupported("reading a stream twice; save it to a file first".into()).into()),
        }
    }
}
