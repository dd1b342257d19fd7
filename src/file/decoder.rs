//! What every sequential decoder is: a machine that is pushed bytes and gives rows, the same however the bytes are cut. Formats from
//! outside implement it too.

use super::bounds::Bounds;
use super::options::{Chroma, Reduced};
use crate::color::ycbcr::YcbcrLayout;
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{AnyPlanes, Content, Facts, FileFormat, RawLayout, RowOrder, SamplesMut};
use crate::threads::Threads;
use std::ops::Range;

/// Why a decoder stopped taking bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Stop {
    /// It has taken all and wants more.
    NeedInput,
    /// The next bytes it wants are elsewhere in the file.
    Elsewhere(Jump),
    /// The facts are known; said once, before the first row.
    Facts,
    /// All rows that were wanted have been given.
    RowsGiven,
    /// The picture has ended, and all that follows its pixels has been checked.
    Done,
}

/// Said of a stream whose next picture has not been read.
pub(super) const ANOTHER_FOLLOWS: &str = "another picture follows in the stream: only this one was read";

/// Bytes that are enough for most headers.
const FIRST_LOOK: usize = 256;

/// Where the next bytes are.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub struct Jump {
    /// Bytes from the start of the file.
    pub to: u64,
    /// Where the bytes end that will be asked for in any order from now on; a stream has to be kept up to there. `None`
    /// where jumps only lead forward.
    pub keep_to: Option<u64>,
    /// How many bytes will be wanted there; few where that is not known yet.
    pub wanted: usize,
}

impl Stop {
    /// A jump forward, over bytes that will not be asked for again.
    pub fn forward(to: u64) -> Stop {
        Stop::Elsewhere(Jump { to, keep_to: None, wanted: FIRST_LOOK })
    }
}

/// What a decoder is told besides the bytes.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Start {
    /// Limits that are checked before memory is taken, and what of them is used.
    pub bounds: Bounds,
    /// Which picture of several, from 1.
    pub page: u32,
    /// Which of the pictures that hang below it, from 1; 0 for the page itself.
    pub sub_page: u32,
    /// Whether a palette picture is given as indices.
    pub indices: bool,
    /// How raw bytes lie.
    #[cfg_attr(not(feature = "raw"), allow(dead_code))]
    pub(super) raw: Option<RawLayout>,
    #[cfg_attr(not(feature = "raw"), allow(dead_code))]
    pub(super) raw_ycbcr: Option<YcbcrLayout>,
    /// How much of the size is wanted, and how colour is brought to it.
    #[cfg_attr(not(feature = "jpeg"), allow(dead_code))]
    pub(super) reduced: Reduced,
    #[cfg_attr(not(feature = "jpeg"), allow(dead_code))]
    pub(super) chroma: Chroma,
    /// Whether only facts are wanted: everything that is told beside the pixels, of all pages.
    pub header_only: bool,
    /// Whether the file is salvaged, so that what is missing is no error.
    pub salvages: bool,
    /// Whether a page of an animation is what its frame holds, not drawn over those before.
    pub frames_alone: bool,
    /// How many threads may unpack.
    pub threads: Threads,
    /// Whether three components of JPEG are YCbCr, where what holds the stream says so.
    #[cfg_attr(not(feature = "jpeg"), allow(dead_code))]
    pub(super) ycbcr: Option<bool>,
    /// Bytes of the whole file, where it can be read in any order.
    pub length: Option<u64>,
}

/// A sequential decoder of one format: bytes in, rows out.
///
/// It is fed what is at hand, takes what it can use, and is fed the rest with more behind it. It says
/// [`Facts`](Stop::Facts) once, before it gives a row, then [`RowsGiven`](Stop::RowsGiven) whenever its destination is full, and
/// [`Done`](Stop::Done) when all that follows the last row has been looked at. It must give the same rows however the bytes are cut, and
/// take no memory that the [`Limits`](super::limits::Limits) do not allow.
pub trait Decoder: Send {
    /// Takes bytes from the front of `input`, which then begins behind them, and says why it stopped. Rows go to `rows`. Where it fails, what
    /// `input` begins with is where the file is wrong, however the bytes were cut.
    ///
    /// # Errors
    /// Bytes that the format does not have ([`ErrorKind::Malformed`]), or what the limits refuse; the caller adds format and offset.
    fn feed(&mut self, input: &mut &[u8], rows: &mut RowsOut<'_>) -> Result<Stop>;

    /// Told that no more bytes will come; true where that lets it go on.
    fn input_ended(&mut self) -> bool {
        false
    }

    /// Told that from now on only these columns are looked at: what the others hold does not matter.
    fn only_columns(&mut self, columns: Range<u32>) {
        let _ = columns;
    }

    /// Goes on to the next page once all rows of this one were given, where that is cheaper than to begin again at the first byte; false
    /// where it is not, or where there is none. Its [facts](Decoder::facts) are known then, or there are none before it is fed.
    ///
    /// # Errors
    /// As [`feed`](Decoder::feed).
    fn next_page(&mut self) -> Result<bool> {
        Ok(false)
    }

    /// Begins the page at its first row again, where that is cheaper than to begin at the first byte of the file; false where it is not.
    /// Its [facts](Decoder::facts) are known then, or there are none before it is fed.
    ///
    /// # Errors
    /// As [`feed`](Decoder::feed).
    fn rewind_page(&mut self) -> Result<bool> {
        Ok(false)
    }

    /// What is known, once [`Stop::Facts`] was said.
    fn facts(&self) -> Option<&Facts>;

    /// What was expected when the input ended too early, in words.
    fn expected(&self) -> String;

    /// In which order the file gives its rows.
    fn row_order(&self) -> RowOrder {
        RowOrder::TopDown
    }

    /// Where the last row ends in the file, where rows are stored as they are.
    fn rows_end(&self) -> Option<u64> {
        None
    }

    /// Rows given so far that may be wrong, though nothing was found wrong in themselves: where it is only known later that the bytes
    /// they came from are damaged. Asked for in salvage, after an error and after each strip that follows; empty ranges do not count.
    fn suspect(&mut self) -> Vec<Range<u32>> {
        Vec::new()
    }

    /// Told that the bytes are damaged or have ended: gives those of the wanted rows that it holds and [loses](
    /// RowsOut::lose) others. True where bytes elsewhere in the file may give further rows; false where none will come.
    fn salvage(&mut self, rows: &mut RowsOut<'_>) -> bool {
        let _ = rows;
        false
    }
}

/// Destination of decoded rows: a strip, or none for rows that are skipped.
///
/// A decoder takes a [`Slot`] for each row that it has, in order from the top, until the destination is full.
#[derive(Debug)]
pub struct RowsOut<'a> {
    target: Option<&'a mut Content>,
    given: u32,
    wanted: u32,
    lost: Vec<Range<u32>>,
    suspect: Vec<Range<u32>>,
}

/// Where the next row goes.
#[derive(Debug)]
#[non_exhaustive]
pub enum Slot<'a> {
    /// Here.
    Row(SamplesMut<'a>),
    /// Into this row of planes.
    Planes(&'a mut AnyPlanes, u32),
    /// Skipped.
    Skip,
    /// No more rows are wanted now.
    Full,
}

impl<'a> RowsOut<'a> {
    /// Decodes rows into a strip, until it is full.
    pub(super) fn into_strip(strip: &'a mut Content) -> RowsOut<'a> {
        let wanted = strip.size().height;
        RowsOut { target: Some(strip), given: 0, wanted, lost: Vec::new(), suspect: Vec::new() }
    }

    /// Decodes rows into a strip of which so many are there already.
    #[cfg_attr(not(feature = "png"), allow(dead_code))]
    pub(super) fn resumed(strip: &'a mut Content, given: u32) -> RowsOut<'a> {
        RowsOut { given, ..RowsOut::into_strip(strip) }
    }

    /// Skips `rows` rows.
    pub(super) fn skip(wanted: u32) -> RowsOut<'a> {
        RowsOut { target: None, given: 0, wanted, lost: Vec::new(), suspect: Vec::new() }
    }

    /// Whether all wanted rows have been given.
    pub fn is_full(&self) -> bool {
        self.given >= self.wanted
    }

    /// Rows that have been given.
    pub(super) fn given(&self) -> u32 {
        self.given
    }

    /// Rows that are still wanted.
    pub fn left(&self) -> u32 {
        self.wanted.saturating_sub(self.given)
    }

    /// Wants no more than so many rows for now; gives how many are held back.
    pub(super) fn hold_back(&mut self, due: u32) -> u32 {
        let rest = self.left().saturating_sub(due);
        self.wanted = self.wanted.saturating_sub(rest);
        rest
    }

    /// Wants the rows that were held back.
    pub(super) fn release(&mut self, rest: u32) {
        self.wanted = self.wanted.saturating_add(rest);
    }

    /// Whether rows are skipped.
    pub fn skips(&self) -> bool {
        self.target.is_none()
    }

    /// Where the next row goes; it counts as given.
    pub fn next_row(&mut self) -> Slot<'_> {
        if self.is_full() {
            return Slot::Full;
        }
        let row = self.given;
        self.given = row.saturating_add(1);
        match &mut self.target {
            Some(Content::Pixels(strip)) => Slot::Row(strip.row_mut(row)),
            Some(Content::Planes(strip)) => Slot::Planes(strip, row),
            None => Slot::Skip,
        }
    }

    /// Skips `rows` rows; they count as given.
    pub fn pass(&mut self, rows: u32) {
        self.given = self.given.saturating_add(rows).min(self.wanted);
    }

    /// The next rows are lost: they stay as they are, and count as given.
    pub fn lose(&mut self, rows: u32) {
        let first = self.given;
        self.pass(rows);
        if self.given > first {
            self.lost.push(first..self.given);
        }
    }

    /// The row that was given last is not what it should be.
    pub fn spoil(&mut self) {
        if let Some(row) = self.given.checked_sub(1) {
            self.lost.push(row..self.given);
        }
    }

    /// The row that was given last is there, but not whole or not sure.
    pub fn doubt(&mut self) {
        if let Some(row) = self.given.checked_sub(1) {
            self.suspect.push(row..self.given);
        }
    }

    /// Rows of the strip that were lost, and those that are suspect.
    pub(super) fn lost_and_suspect(self) -> (Vec<Range<u32>>, Vec<Range<u32>>) {
        (self.lost, self.suspect)
    }
}

/// The decoder of a format of the library.
pub(super) fn decoder_for(format: FileFormat, start: Start) -> Result<Box<dyn Decoder>> {
    match format {
        #[cfg(feature = "png")]
        FileFormat::Png => Ok(Box::new(super::png::PngDecoder::new(start))),
        #[cfg(feature = "jpeg")]
        FileFormat::Jpeg => Ok(Box::new(super::jpeg::JpegDecoder::new(start))),
        #[cfg(feature = "gif")]
        FileFormat::Gif => Ok(Box::new(super::gif::GifDecoder::new(start))),
        #[cfg(feature = "tiff")]
        FileFormat::Tiff => Ok(Box::new(super::tiff::TiffDecoder::new(start))),
        #[cfg(feature = "pnm")]
        FileFormat::Pnm | FileFormat::Pam => Ok(Box::new(super::pnm::PnmDecoder::new(format, start))),
        #[cfg(feature = "bmp")]
        FileFormat::Bmp => Ok(Box::new(super::bmp::BmpDecoder::new(start))),
        #[cfg(feature = "tga")]
        FileFormat::Tga => Ok(Box::new(super::tga::TgaDecoder::new(start))),
        #[cfg(feature = "pfm")]
        FileFormat::Pfm => Ok(Box::new(super::pfm::PfmDecoder::new(start))),
        #[cfg(feature = "qoi")]
        FileFormat::Qoi => Ok(Box::new(super::qoi::QoiDecoder::new(start))),
        #[cfg(feature = "npy")]
        FileFormat::Npy => Ok(Box::new(super::npy::NpyDecoder::new(start))),
        #[cfg(feature = "npy")]
        FileFormat::Npz => Ok(Box::new(super::npz::NpzDecoder::new(start))),
        #[cfg(feature = "raw")]
        FileFormat::Raw => match start.raw_ycbcr {
            Some(layout) => Ok(Box::new(super::raw::YcbcrDecoder::new(&start, layout)?)),
            None => Ok(Box::new(super::raw::RawDecoder::new(start)?)),
        },
        other => {
            let _ = start;
            Err(ErrorKind::NotBuilt(other).into())
        }
    }
}

/// The error for input that ends early.
#[cold]
pub(super) fn ended_early(expected: String) -> Error {
    ErrorKind::Truncated(format!("{expected} expected")).into()
}

/// Reads a big-endian number of `N` bytes off the front of a slice.
pub(super) fn take_bytes<const N: usize>(from: &mut &[u8]) -> Option<[u8; N]> {
    let (head, tail) = from.split_first_chunk::<N>()?;
    *from = tail;
    Some(*head)
}

/// Gathers bytes from the front of `input` until `part` has `wanted` of them; true when it has. What a [`Decoder`] does with whatever
/// is fed to it in pieces.
pub fn gather(part: &mut Vec<u8>, input: &mut &[u8], wanted: usize) -> bool {
    let missing = wanted.saturating_sub(part.len()).min(input.len());
    let (head, tail) = input.split_at(missing);
    part.extend_from_slice(head);
    *input = tail;
    part.len() >= wanted
}

/// [`gather`] of bytes that begin at a place of the file, where the next byte of input lies at `at`; the stop that is due until `part` has
/// `wanted` of them. `ahead` is how many are asked for where the input has to go there: see [`Jump::wanted`].
#[cfg_attr(not(any(feature = "png", feature = "tiff", feature = "gif", feature = "npy")), allow(dead_code))]
pub(super) fn collect(
    (part, at): (&mut Vec<u8>, &mut u64),
    input: &mut &[u8],
    place: u64,
    wanted: usize,
    ahead: usize,
) -> Option<Stop> {
    let next = place.saturating_add(part.len() as u64);
    if part.len() < wanted && *at != next {
        *at = next;
        return Some(Stop::Elsewhere(Jump { to: next, keep_to: Some(u64::MAX), wanted: ahead }));
    }
    let before = input.len();
    let complete = gather(part, input, wanted);
    *at = at.saturating_add(before.saturating_sub(input.len()) as u64);
    (!complete).then_some(Stop::NeedInput)
}
