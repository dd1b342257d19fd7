//! Measuring while rows come: a histogram as a sink.

use super::{Sink, Source, Strip, check_complete, check_next};
use crate::error::{Error, Result};
use crate::frame::{Facts, PixelFormat, Pixels, Region};
use crate::measure::{Histogram, HistogramRules, Mask, Scan};
use crate::memory::Charge;
use crate::pixel::NumberKind;

/// Rows looked at together while a range is found.
const ROWS: u32 = 64;

/// The least and the greatest finite value of a source, over all channels but alpha: what values without a known range are shown
/// by. Reads the source to its end and rewinds it; `None` where no value is finite.
///
/// # Errors
/// What reading gives.
pub fn used_range(source: &mut dyn Source) -> Result<Option<(f64, f64)>> {
    let colors = match &source.facts().pixel_format {
        PixelFormat::Pixels { layout, .. } => layout.without_alpha().channels(),
        PixelFormat::Planes { names, .. } => names.len(),
    };
    let mut scan = Scan::default();
    while let Some(strip) = source.next(ROWS)? {
        scan.add(&strip.content);
    }
    source.rewind()?;
    let finite = scan.used.iter().take(colors).filter(|used| used.0.is_finite() && used.1.is_finite());
    Ok(finite.fold(None, |range: Option<(f64, f64)>, used| {
        let (low, high) = range.unwrap_or(*used);
        Some((low.min(used.0), high.max(used.1)))
    }))
}

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
    /// What the counts take.
    _charge: Charge,
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
        let _charge = Charge::take(facts.account(), rules.bytes(&facts.pixel_format))?;
        Ok(HistogramSink { facts: facts.clone(), rules, mask: None, sum: None, next: 0, _charge })
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
        self.sum.ok_or_else(|| {
            Error::no_pixels(
                "input",
                self.facts.size,
                format!("a picture of {} has no pixel to measure", self.facts.size),
            )
        })
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
        let counted = strip.content.counted(&mask, &self.rules, false)?;
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
