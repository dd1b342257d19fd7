//! A picture file as a source of strips, as stored or as the options ask for.

use super::formats::Formats;
use super::input::Input;
use super::options::{ReadAs, ReadOptions};
use super::rows::FileRows;
use crate::color::ConvertRules;
use crate::error::{Error, Result};
use crate::flow::{Chain, Damage, PictureSink, PictureSource, RawSink, Sink, Source, Strip, ToIndices, ViewSink};
use crate::frame::{Facts, Picture, RawLayout, RowOrder, Size, ViewMut};
use crate::pixel::{Meaning, PicturePixel};
use crate::threads::{self, Threads};
use std::io::{Read, Seek};
use std::path::{Path, PathBuf};

/// Rows of about as many bytes are handed on together: they stay in the cache.
const STRIP_BYTES: u64 = 1 << 20;

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
pub struct Reader<'a> {
    rows: Rows<'a>,
    options: ReadOptions,
    path: Option<PathBuf>,
    stored: Facts,
    row_order: RowOrder,
    /// Whether a stream's picture is held, since it is looked at twice.
    held: bool,
}

enum Rows<'a> {
    /// As the file stores them.
    Stored(Box<FileRows<'a>>),
    /// Changed on the way, as the options ask for.
    Changed(Box<Chain<'a>>),
}

impl std::fmt::Debug for Reader<'_> {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.debug_struct("Reader").field("path", &self.path).field("stored", &self.stored).finish_non_exhaustive()
    }
}

impl Reader<'static> {
    /// Opens a file and reads its header.
    ///
    /// # Errors
    /// A file that cannot be opened, is no picture, is damaged, declares more than the limits allow, or cannot be what
    /// the options ask for.
    pub fn open(path: impl AsRef<Path>, options: ReadOptions) -> Result<Reader<'static>> {
        Reader::open_of(path.as_ref(), options, &Formats::default())
    }

    pub(super) fn open_of(path: &Path, options: ReadOptions, formats: &Formats) -> Result<Reader<'static>> {
        Reader::with_options(open_rows(path, options, false, formats)?)
    }
}

impl<'a> Reader<'a> {
    /// Reads a picture from any stream of bytes. Such a reader cannot be rewound; what a format stores in another order
    /// than it is wanted in is kept, in a temporary file where it is large.
    ///
    /// # Errors
    /// As [`open`](Reader::open).
    pub fn from_read(from: impl Read + Send + 'a, options: ReadOptions) -> Result<Reader<'a>> {
        Reader::of_input(Input::stream(from, false), options, &Formats::default())
    }

    /// Reads a picture from bytes that can be read in any order, such as a file that is open already or a
    /// [`Cursor`](std::io::Cursor) over memory.
    ///
    /// # Errors
    /// As [`open`](Reader::open).
    pub fn from_seekable(from: impl Read + Seek + Send + 'a, options: ReadOptions) -> Result<Reader<'a>> {
        Reader::of_input(Input::anywhere(from, false), options, &Formats::default())
    }

    pub(super) fn of_input(input: Input<'a>, options: ReadOptions, formats: &Formats) -> Result<Reader<'a>> {
        Reader::with_options(FileRows::start(input, None, options, formats)?)
    }

    fn with_options(rows: FileRows<'a>) -> Result<Reader<'a>> {
        let (stored, row_order) = (rows.facts().clone(), rows.row_order());
        let (path, options) = (rows.path().cloned(), rows.options().clone());
        let named = |e: Error| match &path {
            Some(path) => e.in_file(path),
            None => e,
        };
        let steps = options.steps(&stored);
        let indices = makes_indices(&options, &stored);
        let held = indices && rows.is_stream();
        let rows = match indices || !steps.is_empty() {
            true => {
                let source = if indices { read_twice(rows, &options)? } else { Box::new(rows) };
                let mut chain = Chain::new(source, steps).map_err(named)?;
                number_colors(&mut chain, &options, &stored).map_err(named)?;
                Rows::Changed(Box::new(chain))
            }
            false => Rows::Stored(Box::new(rows)),
        };
        Ok(Reader { rows, options, path, stored, row_order, held })
    }

    /// Goes on to the next page of the file; false behind the last one. Its facts are known then, and its rows come next, changed as the
    /// options ask for. Frames of an animation are drawn on from the one before, which is quicker than to ask for each by its number.
    ///
    /// # Errors
    /// A page that cannot be read, or a stream that cannot go back.
    pub fn next_page(&mut self) -> Result<bool> {
        Source::next_page(self)
    }

    fn turn(&mut self) -> Result<bool> {
        let chain = match &mut self.rows {
            Rows::Stored(rows) => {
                let more = rows.next_page()?;
                if more {
                    self.stored = rows.facts().clone();
                    self.row_order = rows.row_order();
                }
                return Ok(more);
            }
            Rows::Changed(chain) => chain,
        };
        let (options, stored) = (&self.options, &mut self.stored);
        let pages = stored.pages;
        let more = chain.next_page_with(|facts| {
            *stored = facts.clone();
            Ok(options.steps(facts))
        })?;
        match more {
            true => number_colors(chain, options, stored)?,
            false if options.page.unwrap_or(1) < pages && self.held => {
                let line = "the next page of a stream whose colours are numbered; save it to a file first";
                return Err(Error::not_supported(line));
            }
            false => {}
        }
        Ok(more)
    }

    /// Facts of the picture that is read: as the options make it.
    pub fn facts(&self) -> &Facts {
        self.source().facts()
    }

    /// Facts of the picture as stored, before the options change it. How it stores it may be told more exactly once all rows
    /// have been read, such as the number of scans of a JPEG file.
    pub fn stored(&self) -> &Facts {
        match &self.rows {
            Rows::Stored(rows) => rows.facts(),
            Rows::Changed(_) => &self.stored,
        }
    }

    /// The damage that was met so far, where the options ask to go on all the same; taken once.
    pub fn take_damage(&mut self) -> Option<Damage> {
        Source::take_damage(self)
    }

    /// In which order the file stores its rows; they are given from the top all the same.
    pub fn row_order(&self) -> RowOrder {
        self.row_order
    }

    /// Reads all rows into a picture, and the file to its end.
    ///
    /// # Errors
    /// A picture over the memory limit, or what reading gives.
    pub fn read_whole(mut self) -> Result<Picture> {
        self.whole()
    }

    /// Reads all rows into a view, wherever it lies, converted to its pixels as [`Convert`](crate::flow::Convert) does. Bytes of any order go
    /// through a [`RawSink`](crate::flow::RawSink).
    ///
    /// # Errors
    /// A view of another size, pixels that do not become those of the view, or what reading gives.
    ///
    /// # Examples
    /// ```no_run
    /// use rahmen::file::{ReadOptions, Reader};
    /// use rahmen::{Frame, Rgba};
    /// let reader = Reader::open("boat.jpg", ReadOptions::default())?;
    /// let mut frame = Frame::<Rgba<u8>>::new(reader.facts().size)?;
    /// reader.read_into(frame.view_mut(), &Default::default())?;
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn read_into<P: PicturePixel>(mut self, view: ViewMut<'_, P>, rules: &ConvertRules) -> Result<()> {
        let mut sink = ViewSink::by(view, self.facts(), &self.beside(rules))?;
        self.put_beside(&mut sink, rules.threads)
    }

    /// Reads all rows into bytes of any order, with gaps, from below, in planes, converted to what the layout holds as
    /// [`Convert`](crate::flow::Convert) does: what a window system or a camera's buffer asks for. Rows are put there while the next ones are
    /// read, where the rules allow two threads.
    ///
    /// # Errors
    /// A layout of another size, a buffer too short, pixels that do not become those of the layout, or what reading gives.
    ///
    /// # Examples
    /// ```no_run
    /// use rahmen::file::{ReadOptions, Reader};
    /// use rahmen::{Depth, frame::{ChannelOrder, RawLayout}};
    /// let reader = Reader::open("boat.jpg", ReadOptions::default().upright())?;
    /// let size = reader.facts().size;
    /// let window = RawLayout::new(size, ChannelOrder::Bgra, Depth::U8).stride((size.width as usize * 4).next_multiple_of(64));
    /// let mut bytes = vec![0; window.bytes_needed()?];
    /// reader.read_raw(&window, &mut bytes, &Default::default())?;
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn read_raw(mut self, layout: &RawLayout, bytes: &mut [u8], rules: &ConvertRules) -> Result<()> {
        let mut sink = RawSink::by(layout, bytes, self.facts(), &self.beside(rules))?;
        self.put_beside(&mut sink, rules.threads)
    }

    /// The rules for a sink that works beside the reading: one thread each.
    fn beside(&self, rules: &ConvertRules) -> ConvertRules {
        match self.rows {
            Rows::Stored(_) => rules.threads(Threads::ONE),
            Rows::Changed(_) => *rules,
        }
    }

    /// Reads rows while those before go into a sink, each on a thread. What options change on the way spreads over threads
    /// itself: then one comes after the other.
    fn put_beside(&mut self, sink: &mut dyn Sink, threads: Threads) -> Result<()> {
        let rows = self.rows_at_a_time();
        let Rows::Stored(source) = &mut self.rows else { return self.put_into(sink) };
        if threads.count() < 2 {
            return self.put_into(sink);
        }
        let mut strip = source.next(rows)?;
        while let Some(ready) = strip {
            let (mut next, mut put) = (Ok(None), Ok(()));
            let jobs: Vec<Box<dyn FnOnce() + Send>> =
                vec![Box::new(|| next = source.next(rows)), Box::new(|| put = sink.put(&ready))];
            threads::each(Threads::at_most(2), jobs, |job| job());
            put?;
            strip = next?;
        }
        sink.finish()
    }

    fn rows_at_a_time(&self) -> u32 {
        let row = self.facts().pixel_format.bytes(Size::new(self.facts().size.width, 1));
        let rows = u32::try_from(STRIP_BYTES.checked_div(row).unwrap_or(1)).unwrap_or(u32::MAX);
        rows.clamp(1, 1 << 24).next_multiple_of(16)
    }

    /// Reads all rows into a sink, and ends it.
    ///
    /// # Errors
    /// What reading or the sink gives.
    pub fn run_into(mut self, sink: &mut dyn Sink) -> Result<()> {
        self.put_into(sink)
    }

    fn put_into(&mut self, sink: &mut dyn Sink) -> Result<()> {
        let rows = self.rows_at_a_time();
        while let Some(strip) = Source::next(self, rows)? {
            sink.put(&strip)?;
        }
        sink.finish()
    }

    /// Reads all rows into a picture, and tells what was damaged, where the options ask to go on all the same.
    ///
    /// # Errors
    /// As [`read_whole`](Reader::read_whole), for what is not damage of the file.
    pub fn read_damaged(mut self) -> Result<(Picture, Option<Damage>)> {
        let picture = self.whole()?;
        Ok((picture, self.take_damage()))
    }

    fn whole(&mut self) -> Result<Picture> {
        let chain = match &mut self.rows {
            Rows::Stored(rows) => return rows.read_whole(),
            Rows::Changed(chain) => chain,
        };
        let mut read = || {
            let facts = chain.facts().clone();
            self.options.limits.check_picture(&facts)?;
            let mut sink = PictureSink::new(&facts)?;
            chain.run_into(&mut sink)?;
            sink.into_picture()
        };
        read().map_err(|e| named(self.path.as_ref(), e))
    }

    fn source(&self) -> &(dyn Source + 'a) {
        match &self.rows {
            Rows::Stored(rows) => rows.as_ref(),
            Rows::Changed(chain) => chain.as_ref(),
        }
    }

    fn source_mut(&mut self) -> &mut (dyn Source + 'a) {
        match &mut self.rows {
            Rows::Stored(rows) => rows.as_mut(),
            Rows::Changed(chain) => chain.as_mut(),
        }
    }
}

fn named(path: Option<&PathBuf>, error: Error) -> Error {
    match path {
        Some(path) => error.in_file(path),
        None => error,
    }
}

/// Whether colours are numbered that the file does not number itself.
fn makes_indices(options: &ReadOptions, stored: &Facts) -> bool {
    options.read_as == ReadAs::Indices && stored.metadata.meaning != Meaning::Indices
}

/// Numbers the colours that come out of a chain, where the options ask for that: they are looked at first.
fn number_colors(chain: &mut Chain<'_>, options: &ReadOptions, stored: &Facts) -> Result<()> {
    if !makes_indices(options, stored) {
        return Ok(());
    }
    let step = match &options.palette {
        Some(rules) => ToIndices::reduced(chain, rules)?,
        None => ToIndices::of_source(chain)?,
    };
    chain.add(Box::new(step))
}

/// A source that can be read twice: the file, or all of a stream in memory.
fn read_twice<'a>(mut rows: FileRows<'a>, options: &ReadOptions) -> Result<Box<dyn Source + 'a>> {
    match rows.is_stream() {
        false => Ok(Box::new(rows)),
        true => {
            options.limits.check_picture(rows.facts())?;
            Ok(Box::new(PictureSource::new(rows.read_whole()?)))
        }
    }
}

/// The rows of a file by its name.
fn open_rows(path: &Path, options: ReadOptions, header_only: bool, formats: &Formats) -> Result<FileRows<'static>> {
    let (input, length) = open_input(path, header_only)?;
    let mut rows = FileRows::start(input, Some(path.to_path_buf()), options, formats)?;
    rows.facts_mut().bytes = length;
    Ok(rows)
}

/// Opens a file to read its bytes, and tells its length, if it has one.
pub(super) fn open_input(path: &Path, header_only: bool) -> Result<(Input<'static>, Option<u64>)> {
    let file = std::fs::File::open(path).map_err(|e| {
        let action = if e.kind() == std::io::ErrorKind::NotFound { "there is no such file" } else { "cannot open it" };
        Error::io(action, e).in_file(path)
    })?;
    // Devices and pipes have no length and no other order than that in which their bytes come.
    let length = file.metadata().ok().filter(|m| m.is_file()).map(|m| m.len());
    let input = match length {
        Some(_) => Input::anywhere(file, header_only),
        None => Input::stream(file, header_only),
    };
    Ok((input, length))
}

/// What a file says beside its pixels, which are passed over.
pub(super) fn header_of_file(path: &Path, options: ReadOptions, formats: &Formats) -> Result<Facts> {
    Ok(open_rows(path, options, true, formats)?.facts().clone())
}

/// What a stream says beside its pixels.
pub(super) fn header_of_stream(from: impl Read + Send, options: ReadOptions) -> Result<Facts> {
    let input = Input::stream(from, true);
    Ok(FileRows::start(input, None, options, &Formats::default())?.facts().clone())
}

impl Source for Reader<'_> {
    fn facts(&self) -> &Facts {
        self.source().facts()
    }

    fn next(&mut self, rows: u32) -> Result<Option<Strip>> {
        self.source_mut().next(rows)
    }

    fn next_columns(&mut self, rows: u32, columns: std::ops::Range<u32>) -> Result<Option<Strip>> {
        self.source_mut().next_columns(rows, columns)
    }

    fn skip(&mut self, rows: u32) -> Result<()> {
        self.source_mut().skip(rows)
    }

    fn rewind(&mut self) -> Result<()> {
        self.source_mut().rewind()
    }

    fn next_page(&mut self) -> Result<bool> {
        let turned = self.turn();
        turned.map_err(|e| named(self.path.as_ref(), e))
    }

    fn damage(&self) -> Option<&Damage> {
        self.source().damage()
    }

    fn take_damage(&mut self) -> Option<Damage> {
        self.source_mut().take_damage()
    }

    fn take_late_remarks(&mut self) -> Vec<String> {
        self.source_mut().take_late_remarks()
    }
}
