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
mod by_rows;
mod calls;
mod cast;
mod chain;
mod codes;
mod color;
mod convert;
mod crop;
mod damage;
mod depth;
mod indices;
mod input;
mod meaning;
mod measure;
mod memory;
mod model;
mod moves;
mod order;
mod picture;
mod ramp;
mod resize;
mod space;
mod tone;

use crate::error::{Error, Result};
use crate::frame::{Content, Facts};
use std::ops::Range;

pub use alpha::{DropAlpha, Flatten, MaskAlpha, MultiplyAlpha};
pub use by_rows::{by_rows, by_rows_around};
pub use cast::{Cast, CastRule};
pub use chain::{Chain, Progress, apply};
pub(crate) use codes::OnCodes;
pub use codes::{Codes, FromCodes, ToCodes};
pub use color::{PickPlanes, ToColor, ToGray};
pub use convert::Convert;
pub use crop::Crop;
pub use damage::Damage;
pub use depth::ToDepth;
pub use indices::ToIndices;
pub use meaning::StateMeaning;
pub use measure::{HistogramSink, used_range};
pub use memory::{RawSink, ViewSink};
pub use model::{AsModel, OfModel};
pub use moves::{Channels, Fill, Filling, Orient};
pub use picture::{BlankSource, PictureSink, PictureSource};
pub(crate) use picture::{check_complete, check_next};
pub use ramp::{FalseColor, FoundLimits, RampLimits};
pub use resize::{Resize, RotateBy};
pub use space::{StateSpace, ToSpace};
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
    /// behind the pixels has been checked too, and where no rows are asked for.
    ///
    /// # Errors
    /// What reading gives.
    fn next(&mut self, rows: u32) -> Result<Option<Strip>>;

    /// [`next`](Source::next) where only these columns will be looked at, which may be cheaper: what the others hold is not defined.
    ///
    /// # Errors
    /// As [`next`](Source::next).
    fn next_columns(&mut self, rows: u32, columns: Range<u32>) -> Result<Option<Strip>> {
        let _ = columns;
        self.next(rows)
    }

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

    /// Goes on to the next picture: the next page of a file. Its facts are known then and its rows come next; false behind the last one.
    ///
    /// # Errors
    /// What reading gives.
    fn next_page(&mut self) -> Result<bool> {
        Ok(false)
    }

    /// Damage among the rows given so far, where the source salvages.
    fn damage(&self) -> Option<&Damage> {
        None
    }

    /// [`damage`](Source::damage), handed over.
    fn take_damage(&mut self) -> Option<Damage> {
        None
    }

    /// Remarks that only the whole file tells, each a sentence, once its last row was given; handed over.
    fn take_late_remarks(&mut self) -> Vec<String> {
        Vec::new()
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

    fn next_columns(&mut self, rows: u32, columns: Range<u32>) -> Result<Option<Strip>> {
        (**self).next_columns(rows, columns)
    }

    fn skip(&mut self, rows: u32) -> Result<()> {
        (**self).skip(rows)
    }

    fn rewind(&mut self) -> Result<()> {
        (**self).rewind()
    }

    fn next_page(&mut self) -> Result<bool> {
        (**self).next_page()
    }

    fn damage(&self) -> Option<&Damage> {
        (**self).damage()
    }

    fn take_damage(&mut self) -> Option<Damage> {
        (**self).take_damage()
    }

    fn take_late_remarks(&mut self) -> Vec<String> {
        (**self).take_late_remarks()
    }
}

/// Sink of a picture's rows, from the top.
pub trait Sink: Send {
    /// Takes the next rows.
    ///
    /// # Errors
    /// What writing gives, or rows that do not fit what was announced.
    fn put(&mut self, strip: &Strip) -> Result<()>;

    /// Ends the picture and begins another one of these facts, whose rows follow: the next page of a file.
    ///
    /// # Errors
    /// Rows that are missing, a sink that takes one picture, or a picture that it cannot take.
    fn next_page(&mut self, facts: &Facts) -> Result<()> {
        let _ = facts;
        Err(Error::not_supported("a second picture in this sink"))
    }

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
    /// Twice: first every strip through [`Stage::watch`], then again through [`Stage::run`].
    Twice,
    /// All of it at once: [`Stage::rows_needed`] asks for every row.
    Whole,
}

/// What is to be done to a picture: a description, which can be planned for any picture.
///
/// # Examples
/// A step of one's own, which works on each row by itself:
/// ```
/// use rahmen::{Content, Facts, Frame, Gray, Picture, Size, flow};
/// struct Mirror;
/// impl flow::Step for Mirror {
///     fn name(&self) -> &'static str {
///         "mirror"
///     }
///     fn plan(&self, input: &Facts) -> rahmen::Result<Box<dyn flow::Stage>> {
///         Ok(flow::by_rows(input.clone(), |content, _| content.oriented(rahmen::Orientation::MirroredLeftRight)))
///     }
/// }
/// let picture = Picture::from(Frame::<Gray<u8>>::from_samples(Size::new(3, 1), vec![1, 2, 3])?);
/// let mirrored: Frame<Gray<u8>> = flow::apply(picture, &[&Mirror])?.frame()?;
/// assert_eq!(mirrored.samples(), [3, 2, 1]);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub trait Step: Send {
    /// Its name, as messages give it.
    fn name(&self) -> &'static str;

    /// Plans the step for a picture of these facts.
    ///
    /// # Errors
    /// An input that the step cannot work on.
    fn plan(&self, input: &Facts) -> Result<Box<dyn Stage>>;

    /// Whether it works on unscaled codes ([`Scale::Codes`](crate::frame::Scale)) as on samples: moves do. A chain scales
    /// codes to the full range before any other step.
    fn takes_codes(&self) -> bool {
        false
    }

    /// What a chain may know of the step to put it and its neighbour in a better order; nothing of steps from elsewhere.
    #[doc(hidden)]
    fn known(&self) -> Known<'_> {
        Known::Other
    }
}

/// A step that a chain knows more of.
#[doc(hidden)]
#[derive(Debug)]
pub enum Known<'a> {
    Orient(&'a Orient),
    Resize(&'a Resize),
    Other,
}

/// A step planned for one picture: turns strips of its rows into strips of the output.
pub trait Stage: Send {
    /// Facts of the output.
    fn facts(&self) -> &Facts;

    /// The input rows that these output rows need: the same ones, unless the stage says otherwise. Later rows never need
    /// input from further up than earlier ones did, nor input that is not there: a chain says so with an error.
    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        output
    }

    /// The columns of the input that it looks at, where that is not all of them.
    fn columns_needed(&self) -> Option<Range<u32>> {
        None
    }

    /// Number of times that it must see its input.
    fn sees(&self) -> Sees {
        Sees::Once
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

    /// The stage as one that takes its input rows one after another, if it can; a chain does so where the rows that one
    /// output row needs are too many to be held.
    fn in_turn(&mut self) -> Option<&mut dyn InTurn> {
        None
    }
}

/// A stage that takes its input rows one strip after another and keeps less than the rows themselves.
pub trait InTurn {
    /// Takes rows from the top; those that no later output needs may be left out.
    ///
    /// # Errors
    /// Errors of the step's work.
    fn take(&mut self, rows: &Strip) -> Result<()>;

    /// Makes the next output row, once all rows that it needs were taken.
    ///
    /// # Errors
    /// Errors of the step's work, another row than the next.
    fn make(&mut self, output: u32) -> Result<Content>;

    /// Begins again at the first row.
    fn restart(&mut self);
}
