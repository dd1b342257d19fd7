//! Measuring while rows come: a histogram as a sink.

use super::{Sink, Strip, check_complete, check_next};
use crate::error::{Error, Result};
use crate::frame::{Facts, PixelFormat, Pixels, Region};
use crate::measure::{Histogram, HistogramRules, Mask};
use crate::pixel::NumberKind;

/// A sink that counts the rows it is given, so that a picture larger than memory is measured in one pass.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, flow, measure::HistogramRules};
/// let picture = rahmen::Picture::from(Frame::from_fn(Size::new(9, 7), |x, _| Gray::new(x as u8))?);
/// let mut sink = flow::HistogramSink::new(&picture.facts(), HistogramRules::default())?;
/// flow::Chain::new(Box::new(flow::PictureSource::new(picture)), vec![])?.run_into(&mut sink)?;
/// assert_eq!(sink.into_histogram()?.channels[0].bins[8], 7);
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug)]
pub struct HistogramSink {
    facts: Facts,
    rules: HistogramRules,
    mask: Option<Pixels>,
    sum: Option<Histogram>,
    next: u32,
}

impl HistogramSink {
    /// Counts a picture of these facts.
    ///
    /// # Errors
    /// Floats, wide or signed numbers without a range: it is not known before all rows have come.
    pub fn new(facts: &Facts, rules: HistogramRules) -> Result<HistogramSink> {
        let number = match &facts.pixel_format {
            PixelFormat::Pixels { depth, .. } => depth.max_code().map(|_| NumberKind::U8),
            PixelFormat::Planes { number, .. } => {
                Some(*number).filter(|n| matches!(n, NumberKind::U8 | NumberKind::U16))
            }
        };
        if number.is_none() && rules.range.is_none() {
            return Err(Error::invalid(
                "range",
                "numbers without levels are counted in one pass over a range that is given",
            ));
        }
        Ok(HistogramSink { facts: facts.clone(), rules, mask: None, sum: None, next: 0 })
    }

    /// Counts only pixels where a gray mask is at half of full or above.
    ///
    /// # Errors
    /// A mask that is not gray or of another size.
    pub fn mask(self, mask: Pixels) -> Result<HistogramSink> {
        Mask::of_pixels(&mask)?.check(self.facts.size)?;
        Ok(HistogramSink { mask: Some(mask), ..self })
    }

    /// The histogram.
    ///
    /// # Errors
    /// Rows that have not come.
    pub fn into_histogram(self) -> Result<Histogram> {
        check_complete(self.next, &self.facts)?;
        self.sum
            .ok_or_else(|| Error::invalid("input", format!("a picture of {} has no pixel to measure", self.facts.size)))
    }
}

impl Sink for HistogramSink {
    fn put(&mut self, strip: &Strip) -> Result<()> {
        check_next(self.next, strip.first_row, &strip.content, &self.facts)?;
        let mask = match &self.mask {
            Some(mask) => {
                let rows = Region::new(0..self.facts.size.width, strip.rows())?;
                Mask::of_pixels(mask)?.region(rows)?
            }
            None => Mask::ALL,
        };
        let counted = strip.content.masked_histogram(&mask, &self.rules)?;
        match &mut self.sum {
            Some(sum) => sum.merge(&counted)?,
            None => self.sum = Some(counted),
        }
        self.next = strip.rows().end;
        Ok(())
    }

    fn finish(&mut self) -> Result<()> {
        check_complete(self.next, &self.facts)
    }
}
