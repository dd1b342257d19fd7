//! Pictures in strips: sources that give rows, steps that change them, sinks that take them, and the chain that pulls
//! the rows through in bounded memory.
//!
//! Rows travel from the top. A chain is pulled from its end: for the next rows of output each step says which rows of
//! input it needs, and the chain keeps what is needed again. So a picture larger than memory can be cropped, turned
//! gray and saved while it is read.
//!
//! Not here: files (a [`Reader`](crate::file::Reader) is a source, a [`Writer`](crate::file::Writer) a sink) and the
//! pixel work itself, which the steps call.

mod alpha;
mod cast;
mod chain;
mod codes;
mod color;
mod crop;
mod depth;
mod indices;
mod input;
mod meaning;
mod measure;
mod moves;
mod picture;
mod resize;
mod tone;

use crate::error::{Error, Result};
use crate::frame::{Content, Facts};
use std::ops::Range;

pub use alpha::{DropAlpha, Flatten};
pub use cast::{Cast, CastRule};
pub use chain::{Chain, apply};
pub use codes::{Codes, FromCodes, ToCodes};
pub use color::{ToColor, ToGray};
pub use crop::Crop;
pub use depth::ToDepth;
pub use indices::ToIndices;
pub use meaning::StateMeaning;
pub use measure::HistogramSink;
pub use moves::{Channels, Fill, Filling, Orient};
pub use picture::{PictureSink, PictureSource};
pub(crate) use picture::{check_complete, check_next};
pub use resize::{Resize, RotateBy};
pub use tone::{EqualizeAdaptive, Find, FindTone, Found, Part, Quantize, Retone};

/// A run of whole rows of a picture.
#[derive(Debug, Clone, PartialEq)]
pub struct Strip {
    /// The picture's row that is the strip's first.
    pub first_row: u32,
    /// The rows.
    pub content: Content,
}

impl Strip {
    /// The picture's rows that are in the strip.
    pub fn rows(&self) -> Range<u32> {
        self.first_row..self.first_row.saturating_add(self.content.size().height)
    }
}

/// Source of a picture's rows, from the top.
pub trait Source: Send {
    /// Facts of the picture.
    fn facts(&self) -> &Facts;

    /// The next rows, as many as asked for unless the picture ends before; `None` behind the last row, once everything
    /// behind the pixels has been checked too.
    ///
    /// # Errors
    /// What reading gives.
    fn next(&mut self, rows: u32) -> Result<Option<Strip>>;

    /// Passes over rows, which may be cheaper than reading them.
    ///
    /// # Errors
    /// What reading gives.
    fn skip(&mut self, rows: u32) -> Result<()>;

    /// Starts again at the first row.
    ///
    /// # Errors
    /// A source that can be read only once.
    fn rewind(&mut self) -> Result<()>;

    /// Damage among the rows given so far, where the source salvages.
    fn damage(&self) -> Option<&Damage> {
        None
    }

    /// [`damage`](Source::damage), handed over.
    fn take_damage(&mut self) -> Option<Damage> {
        None
    }
}

/// A source that is lent: a chain over it gives it back.
impl<S: Source + ?Sized> Source for &mut S {
    fn facts(&self) -> &Facts {
        (**self).facts()
    }

    fn next(&mut self, rows: u32) -> Result<Option<Strip>> {
        (**self).next(rows)
    }

    fn skip(&mut self, rows: u32) -> Result<()> {
        (**self).skip(rows)
    }

    fn rewind(&mut self) -> Result<()> {
        (**self).rewind()
    }

    fn damage(&self) -> Option<&Damage> {
        (**self).damage()
    }

    fn take_damage(&mut self) -> Option<Damage> {
        (**self).take_damage()
    }
}

/// Rows that could not be read. They are given as zeros.
#[derive(Debug)]
pub struct Damage {
    /// The rows, as the file stores them; ranges in order, none touching another.
    pub lost: Vec<Range<u32>>,
    /// The first error of reading.
    pub error: Error,
}

impl Damage {
    /// Number of lost rows.
    pub fn rows_lost(&self) -> u32 {
        self.lost.iter().fold(0, |sum, r| sum.saturating_add(r.end - r.start))
    }

    /// Adds lost rows behind those that are known.
    pub(crate) fn lose(&mut self, rows: Range<u32>) {
        match self.lost.last_mut() {
            Some(last) if last.end >= rows.start => last.end = last.end.max(rows.end),
            _ if rows.is_empty() => {}
            _ => self.lost.push(rows),
        }
    }
}

/// Sink of a picture's rows, from the top.
pub trait Sink {
    /// Takes the next rows.
    ///
    /// # Errors
    /// What writing gives, or rows that do not fit what was announced.
    fn put(&mut self, strip: &Strip) -> Result<()>;

    /// Ends the picture; all rows must have come.
    ///
    /// # Errors
    /// What writing gives, or rows that are missing.
    fn finish(&mut self) -> Result<()>;
}

/// Number of times that a step must see its input.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Sees {
    /// Once, strip by strip.
    Once,
    /// Twice: first every strip through [`Step::watch`], then again through [`Step::run`].
    Twice,
    /// All of it at once: [`Step::rows_needed`] asks for every row.
    Whole,
}

/// A step that turns strips of one picture into strips of another.
pub trait Step: Send {
    /// Its name, as the program's verb.
    fn name(&self) -> &'static str;

    /// Plans the step: facts of its output from those of its input. Called once, before anything else.
    ///
    /// # Errors
    /// An input that the step cannot work on.
    fn plan(&mut self, input: &Facts) -> Result<Facts>;

    /// The input rows that these output rows need: the same ones, unless the step says otherwise. Later rows never need
    /// input from further up than earlier ones did.
    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        output
    }

    /// Number of times that it must see its input.
    fn sees(&self) -> Sees {
        Sees::Once
    }

    /// Whether it works on unscaled codes ([`Scale::Codes`](crate::frame::Scale)) as on samples: moves do. A chain scales
    /// codes to the full range before any other step.
    fn takes_codes(&self) -> bool {
        false
    }

    /// Sees a strip of the first of two rounds.
    ///
    /// # Errors
    /// Errors of the step's work.
    fn watch(&mut self, strip: &Strip) -> Result<()> {
        let _ = strip;
        Ok(())
    }

    /// Makes the output rows from a strip that holds at least the rows they need.
    ///
    /// # Errors
    /// Errors of the step's work.
    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content>;
}
