//! What every sequential decoder is: a machine that is pushed bytes and gives rows, the same however the bytes are cut.

use super::options::Limits;
use crate::error::{Error, ErrorKind, Result};
use crate::frame::{Facts, Format, Pixels, SamplesMut};

/// Why a decoder stopped taking bytes.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Stop {
    /// It has taken all and wants more.
    NeedInput,
    /// The facts are known; said once, before the first row.
    Facts,
    /// All rows that were wanted have been given.
    RowsGiven,
    /// The picture has ended, and all that follows its pixels has been checked.
    Done,
}

/// A sequential decoder of one format.
pub(super) trait Decoder: Send {
    /// Takes bytes from the front of `input`, says how many and why it stopped. Rows go to `rows`.
    fn feed(&mut self, input: &[u8], rows: &mut RowsOut<'_>) -> Result<(usize, Stop)>;

    /// Told that no more bytes will come; true where that lets it go on.
    fn input_ended(&mut self) -> bool {
        false
    }

    /// What is known, once [`Stop::Facts`] was said.
    fn facts(&self) -> Option<&Facts>;

    /// What was expected when the input ended too early, in words.
    fn expected(&self) -> String;
}

/// Where decoded rows go: into a strip, or nowhere for rows that are passed over.
#[derive(Debug)]
pub(super) struct RowsOut<'a> {
    target: Option<&'a mut Pixels>,
    given: u32,
    wanted: u32,
}

/// Where the next row goes.
pub(super) enum Slot<'a> {
    /// Here.
    Row(SamplesMut<'a>),
    /// Nowhere: it is passed over.
    Skip,
    /// No more rows are wanted now.
    Full,
}

impl<'a> RowsOut<'a> {
    /// Rows into a strip, until it is full.
    pub(super) fn into_strip(strip: &'a mut Pixels) -> RowsOut<'a> {
        let wanted = strip.size().height;
        RowsOut { target: Some(strip), given: 0, wanted }
    }

    /// So many rows nowhere.
    pub(super) fn skip(wanted: u32) -> RowsOut<'a> {
        RowsOut { target: None, given: 0, wanted }
    }

    /// Whether all wanted rows have been given.
    pub(super) fn is_full(&self) -> bool {
        self.given >= self.wanted
    }

    /// Where the next row goes; it counts as given.
    pub(super) fn next(&mut self) -> Slot<'_> {
        if self.is_full() {
            return Slot::Full;
        }
        let row = self.given;
        self.given = row.saturating_add(1);
        match &mut self.target {
            Some(strip) => Slot::Row(strip.row_mut(row)),
            None => Slot::Skip,
        }
    }
}

/// The decoder of a format.
pub(super) fn decoder_for(format: Format, limits: Limits) -> Result<Box<dyn Decoder>> {
    match format {
        #[cfg(feature = "png")]
        Format::Png => Ok(Box::new(super::png::PngDecoder::new(limits))),
        #[cfg(feature = "pnm")]
        Format::Pnm | Format::Pam => Ok(Box::new(super::pnm::PnmDecoder::new(format, limits))),
        #[cfg(feature = "bmp")]
        Format::Bmp => Ok(Box::new(super::bmp::BmpDecoder::new(limits))),
        #[cfg(feature = "pfm")]
        Format::Pfm => Ok(Box::new(super::pfm::PfmDecoder::new(limits))),
        #[cfg(feature = "qoi")]
        Format::Qoi => Ok(Box::new(super::qoi::QoiDecoder::new(limits))),
        other => {
            let _ = limits;
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
