//! Stages made of a closure that works on rows.

use super::{Stage, Strip, input};
use crate::error::Result;
use crate::frame::{Content, Facts};
use std::ops::Range;

/// A stage that makes output rows of the same input rows: `work` is given just these rows, and the picture's row that is
/// their first.
pub fn by_rows(facts: Facts, work: impl FnMut(&Content, u32) -> Result<Content> + Send + 'static) -> Box<dyn Stage> {
    Box::new(ByRows { facts, work: Box::new(work) })
}

/// A stage that makes each output row of the input rows up to `radius` above and below: `work` is given those that there are,
/// and makes as many, of which the wanted ones are taken. Beyond the first and the last row of the picture there are none.
///
/// # Examples
/// ```
/// use rahmen::flow::{self, Step, Stage};
/// use rahmen::{Facts, Frame, Gray, Size, access::Edge, Threads};
/// #[derive(Debug)]
/// struct Darkest;
/// impl Step for Darkest {
///     fn name(&self) -> &'static str { "darkest of 3 x 3" }
///     fn plan(&self, input: &Facts) -> rahmen::Result<Box<dyn Stage>> {
///         Ok(flow::by_rows_around(input.clone(), 1, |rows| {
///             let view = rows.pixels()?.view::<Gray<u8>>()?;
///             let least = |around: &rahmen::access::Around<'_, Gray<u8>>| around.pixels().min_by_key(|p| p.value).unwrap_or_default();
///             Ok(view.map_around((1, 1), Edge::Clamp, Threads::ALL, |around| least(&around))?.into())
///         }))
///     }
/// }
/// let row = Frame::<Gray<u8>>::from_samples(Size::new(1, 4), vec![9, 8, 1, 7])?.into();
/// assert_eq!(flow::apply(row, &[&Darkest])?.frame::<Gray<u8>>()?.samples(), [8, 1, 1, 1]);
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn by_rows_around(
    facts: Facts,
    radius: u32,
    work: impl FnMut(&Content) -> Result<Content> + Send + 'static,
) -> Box<dyn Stage> {
    Box::new(ByRowsAround { facts, radius, work: Box::new(work) })
}

/// The work of a stage that looks at rows around.
type AroundWork = dyn FnMut(&Content) -> Result<Content> + Send;

struct ByRowsAround {
    facts: Facts,
    radius: u32,
    work: Box<AroundWork>,
}

impl Stage for ByRowsAround {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        let end = output.end.saturating_add(self.radius).min(self.facts.size.height);
        output.start.saturating_sub(self.radius)..end
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let rows = self.rows_needed(output.clone());
        let part = input::rows_of(input, &rows)?;
        let made = (self.work)(part.as_ref().unwrap_or(&input.content))?;
        let wanted = made.size().region().rows(output.start - rows.start..output.end - rows.start)?;
        made.crop(wanted)
    }
}

/// The work of a stage that goes row by row.
type RowWork = dyn FnMut(&Content, u32) -> Result<Content> + Send;

struct ByRows {
    facts: Facts,
    work: Box<RowWork>,
}

impl Stage for ByRows {
    fn facts(&self) -> &Facts {
        &self.facts
    }

    fn run(&mut self, input: &Strip, output: Range<u32>) -> Result<Content> {
        let part = input::rows_of(input, &output)?;
        (self.work)(part.as_ref().unwrap_or(&input.content), output.start)
    }
}
