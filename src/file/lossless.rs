//! Turning JPEG files without decoding them, so that nothing is lost to rounding and quantising once more. Other formats
//! lose nothing when their pixels are rearranged.

#[cfg(feature = "jpeg")]
use super::bounds::Bounds;
use super::input::Input;
use super::limits::Limits;
#[cfg(feature = "jpeg")]
use super::options::{Chroma, Reduced};
use super::reader::open_input;
use super::replace::Replacement;
#[cfg(feature = "jpeg")]
use super::{feed::push, sniff};
use crate::error::{Error, Result};
use crate::frame::Orientation;
use crate::frame::{Facts, FileFormat};
use crate::threads::Threads;
use std::io::{Read, Write};
use std::path::Path;

/// Rule for partial blocks at the right and lower border, where the transform would bring them to
/// the left or upper one: there only whole blocks can be.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum PartialBlocks {
    /// The transform is refused; the error says how many pixels are too many.
    #[default]
    Refuse,
    /// The pixels in them are dropped: up to 7 columns or rows, up to 15 (or 31) where colour is kept at less size.
    Drop,
}

/// Rules of a lossless JPEG transform.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub struct LosslessRules {
    /// Rule for partial blocks.
    pub partial: PartialBlocks,
    /// Whether the picture is first made upright, as its orientation asks for.
    pub upright: bool,
    /// Whether the file becomes progressive; one that is progressive stays so.
    pub progressive: bool,
    /// Rows of blocks between restart markers, or 0 for none, whatever the file had.
    pub restart_rows: u16,
    /// Limits on the resources that the file may claim.
    pub limits: Limits,
    /// Maximum number of threads; the bytes do not depend on it.
    pub threads: Threads,
}

impl LosslessRules {
    /// Drops partial blocks.
    pub fn drop_partial(self) -> LosslessRules {
        LosslessRules { partial: PartialBlocks::Drop, ..self }
    }

    /// Makes the picture upright first.
    pub fn upright(self) -> LosslessRules {
        LosslessRules { upright: true, ..self }
    }

    /// Makes the file progressive.
    pub fn progressive(self) -> LosslessRules {
        LosslessRules { progressive: true, ..self }
    }

    /// Sets the maximum number of threads.
    pub fn threads(self, threads: Threads) -> LosslessRules {
        LosslessRules { threads, ..self }
    }

    /// Sets the restart interval, in rows of blocks.
    pub fn restart_rows(self, rows: u16) -> LosslessRules {
        LosslessRules { restart_rows: rows, ..self }
    }

    /// Sets the limits.
    pub fn limits(self, limits: Limits) -> LosslessRules {
        LosslessRules { limits, ..self }
    }
}

/// A transformed file: its bytes, and what they hold.
#[derive(Debug, Clone)]
#[non_exhaustive]
pub struct OrientedFile {
    /// The new file.
    pub bytes: Vec<u8>,
    /// Facts of the old file.
    pub before: Facts,
    /// Facts of the new file.
    pub after: Facts,
    /// Remarks on what could not be kept, each a sentence.
    pub remarks: Vec<String>,
}

impl OrientedFile {
    /// Writes the new file, which may be the old one; an existing file is replaced atomically.
    ///
    /// # Errors
    /// An extension other than that of JPEG; a failed write, which leaves an old file as it was.
    pub fn write(&self, path: impl AsRef<Path>) -> Result<()> {
        let path = path.as_ref();
        if FileFormat::of_extension(path) != Some(FileFormat::Jpeg) {
            return Err(
                Error::invalid("path", "a file transformed by its coefficients stays JPEG: name it .jpg").in_file(path)
            );
        }
        let mut file = Replacement::start(path)?;
        let written = file.file().write_all(&self.bytes).map_err(|e| Error::io("cannot write", e));
        written.and_then(|()| file.finish(true)).map_err(|e| e.in_file(path))
    }
}

/// Turns or mirrors a JPEG file by its coefficients: no sample is decoded, nothing is lost. Metadata stay as they are, but
/// for orientation (see [`Change::Orient`](crate::frame::Change)), resolution, sizes and previews. Without an orientation it is only
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
/// use rahmen::{Orientation, file};
/// file::orient_lossless("quay.jpg", Orientation::RotatedRight, file::LosslessRules::default())?.write("quay.jpg")?;
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn orient_lossless(
    path: impl AsRef<Path>,
    orientation: impl Into<Option<Orientation>>,
    rules: LosslessRules,
) -> Result<OrientedFile> {
    let path = path.as_ref();
    let (input, length) = open_input(path, false)?;
    let mut oriented = orient_input(input, orientation.into(), &rules).map_err(|e| e.in_file(path))?;
    oriented.before.bytes = length;
    Ok(oriented)
}

/// [`orient_lossless`] of a stream of bytes.
///
/// # Errors
/// As [`orient_lossless`].
pub fn orient_lossless_from(
    from: impl Read + Send + 'static,
    orientation: impl Into<Option<Orientation>>,
    rules: LosslessRules,
) -> Result<OrientedFile> {
    orient_input(Input::stream(from, false), orientation.into(), &rules)
}

#[cfg(not(feature = "jpeg"))]
fn orient_input(_input: Input<'_>, _orientation: Option<Orientation>, _rules: &LosslessRules) -> Result<OrientedFile> {
    Err(crate::error::ErrorKind::NotBuilt(FileFormat::Jpeg).into())
}

#[cfg(feature = "jpeg")]
fn orient_input(mut input: Input<'_>, orientation: Option<Orientation>, rules: &LosslessRules) -> Result<OrientedFile> {
    use super::decoder::{RowsOut, Start, Stop};
    use super::jpeg::{JpegDecoder, oriented};
    input.fill(sniff::ENOUGH)?;
    match sniff::format_of(input.at_hand(), &super::formats::Formats::default()) {
        Some(FileFormat::Jpeg) => {}
        Some(other) => {
            let line =
                "only JPEG is transformed by its coefficients; pixels of other formats are transformed without loss";
            return Err(Error::invalid("path", line).in_format(other, None));
        }
        None => {
            let start = input.at_hand();
            return Err(sniff::not_a_picture(start.get(..sniff::ENOUGH).unwrap_or(start)));
        }
    }
    let bounds = Bounds::of(rules.limits);
    let mut decoder = JpegDecoder::collecting(Start {
        bounds: bounds.clone(),
        page: 1,
        sub_page: 0,
        indices: false,
        raw: None,
        raw_ycbcr: None,
        reduced: Reduced::Full,
        chroma: Chroma::Triangle,
        header_only: false,
        salvages: false,
        frames_alone: false,
        threads: crate::threads::Threads::ONE,
        ycbcr: None,
        length: input.length(),
    });
    loop {
        match push(&mut input, &mut decoder, &mut RowsOut::skip(0), FileFormat::Jpeg, &bounds)? {
            Stop::RowsGiven | Stop::Done => break,
            _ => {}
        }
    }
    oriented(decoder, orientation, rules).map_err(|e| e.in_format(FileFormat::Jpeg, None))
}
