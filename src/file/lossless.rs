//! Turning JPEG files without decoding them, so that nothing is lost to rounding and quantising once more. Other formats
//! lose nothing when their pixels are turned.

use super::input::Input;
use super::options::Limits;
#[cfg(feature = "jpeg")]
use super::options::{Chroma, Reduced};
use super::reader::open_input;
use super::replace::Replacement;
#[cfg(feature = "jpeg")]
use super::{rows::push, sniff};
use crate::access::Turn;
use crate::error::{Error, Result};
use crate::frame::{Facts, Format};
use crate::threads::Threads;
use std::io::{Read, Write};
use std::path::Path;

/// What becomes of blocks that the picture covers in part, at its right and lower border, where a turn would bring them to
/// the left or upper one: there only whole blocks can be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum PartialBlocks {
    /// The turn is refused; the error says how many pixels are too many.
    #[default]
    Refuse,
    /// The pixels in them are dropped: up to 7 columns or rows, up to 15 (or 31) where colour is kept at less size.
    Drop,
}

/// How a file is turned by its coefficients.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub struct LosslessRules {
    /// What becomes of blocks that are covered in part.
    pub partial: PartialBlocks,
    /// Whether the picture is first made upright, as its orientation asks for.
    pub upright: bool,
    /// Whether the file becomes progressive; one that is progressive stays so.
    pub progressive: bool,
    /// Rows of blocks between restart marks, or 0 for none, whatever the file had.
    pub restart_rows: u16,
    /// What the file may make us do.
    pub limits: Limits,
    /// How many threads may be used; the bytes do not depend on it.
    pub threads: Threads,
}

impl LosslessRules {
    /// The same with partial blocks dropped.
    pub fn drop_partial(self) -> LosslessRules {
        LosslessRules { partial: PartialBlocks::Drop, ..self }
    }

    /// The same, made upright first.
    pub fn upright(self) -> LosslessRules {
        LosslessRules { upright: true, ..self }
    }

    /// The same as a progressive file.
    pub fn progressive(self) -> LosslessRules {
        LosslessRules { progressive: true, ..self }
    }

    /// The same with at most so many threads.
    pub fn threads(self, threads: Threads) -> LosslessRules {
        LosslessRules { threads, ..self }
    }

    /// The same with restart marks so many rows of blocks apart.
    pub fn restart_rows(self, rows: u16) -> LosslessRules {
        LosslessRules { restart_rows: rows, ..self }
    }

    /// The same with these limits.
    pub fn limits(self, limits: Limits) -> LosslessRules {
        LosslessRules { limits, ..self }
    }
}

/// A file that has been turned: its bytes, and what they hold.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct Turned {
    /// The new file.
    pub bytes: Vec<u8>,
    /// What the old file held.
    pub before: Facts,
    /// What the new one holds.
    pub after: Facts,
    /// What of it could not be kept, each a sentence.
    pub remarks: Vec<String>,
}

impl Turned {
    /// Writes the new file, which may be the old one; an existing file is replaced atomically.
    ///
    /// # Errors
    /// An ending other than that of JPEG; a failed write, which leaves an old file as it was.
    pub fn write(&self, path: impl AsRef<Path>) -> Result<()> {
        let path = path.as_ref();
        if Format::of_ending(path) != Some(Format::Jpeg) {
            return Err(Error::unusable("what is turned by its coefficients stays JPEG: name it .jpg").in_file(path));
        }
        let mut file = Replacement::start(path)?;
        let written = file.file().write_all(&self.bytes).map_err(|e| Error::io("cannot write", e));
        written.and_then(|()| file.finish()).map_err(|e| e.in_file(path))
    }
}

/// Turns or mirrors a JPEG file by its coefficients: no sample is decoded, nothing is lost. Metadata stay as they are, but
/// for orientation (see [`Change::Turn`](crate::frame::Change)), resolution, sizes and previews. Without a turn it is only
/// made upright, where the rules ask for that, and coded anew.
///
/// All coefficients are held in memory twice, 4 bytes a sample.
///
/// # Errors
/// A file that is no JPEG, or is damaged; partial blocks that are in the way (see [`PartialBlocks`]); more memory than the
/// limit.
///
/// # Examples
/// ```no_run
/// use rahmen::{access::Turn, file};
/// file::turn_lossless("quay.jpg", Turn::Right, file::LosslessRules::default())?.write("quay.jpg")?;
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn turn_lossless(path: impl AsRef<Path>, turn: impl Into<Option<Turn>>, rules: LosslessRules) -> Result<Turned> {
    let path = path.as_ref();
    let (input, length) = open_input(path, None)?;
    let mut turned = turn_input(input, turn.into(), &rules).map_err(|e| e.in_file(path))?;
    turned.before.bytes = length;
    Ok(turned)
}

/// [`turn_lossless`] of a stream of bytes.
///
/// # Errors
/// As [`turn_lossless`].
pub fn turn_lossless_from(
    from: impl Read + Send + 'static,
    turn: impl Into<Option<Turn>>,
    rules: LosslessRules,
) -> Result<Turned> {
    turn_input(Input::stream(from, None), turn.into(), &rules)
}

#[cfg(not(feature = "jpeg"))]
fn turn_input(_input: Input, _turn: Option<Turn>, _rules: &LosslessRules) -> Result<Turned> {
    Err(crate::error::ErrorKind::NotBuilt(Format::Jpeg).into())
}

#[cfg(feature = "jpeg")]
fn turn_input(mut input: Input, turn: Option<Turn>, rules: &LosslessRules) -> Result<Turned> {
    use super::decoder::{RowsOut, Start, Stop};
    use super::jpeg::{JpegDecoder, turned};
    input.fill(sniff::ENOUGH)?;
    match sniff::format_of(input.at_hand()) {
        Some(Format::Jpeg) => {}
        Some(other) => {
            let line = "only JPEG is turned by its coefficients; pixels of other formats are turned without loss";
            return Err(Error::unusable(line).in_format(other, None));
        }
        None => {
            let start = input.at_hand();
            return Err(sniff::not_a_picture(start.get(..sniff::ENOUGH).unwrap_or(start)));
        }
    }
    let mut decoder = JpegDecoder::collecting(Start {
        limits: rules.limits,
        page: 1,
        indices: false,
        raw: None,
        reduced: Reduced::Full,
        chroma: Chroma::Triangle,
        header_only: false,
        length: input.length(),
    });
    loop {
        match push(&mut input, &mut decoder, &mut RowsOut::skip(0), Format::Jpeg)? {
            Stop::RowsGiven | Stop::Done => break,
            _ => {}
        }
    }
    turned(decoder, turn, rules).map_err(|e| e.in_format(Format::Jpeg, None))
}
