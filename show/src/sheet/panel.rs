//! A panel of a sheet: a picture, what is known about it, and how it is looked at.

use crate::render::{Look, look_window};
use crate::{Result, space_name};
use rahmen::color::Ramp;
use rahmen::measure::{Histogram, HistogramRules};
use rahmen::resample::{Area, Kernel, ResizeRules};
use rahmen::{Content, Facts, Meaning, Metadata, Picture, PixelFormat, Size};
use std::borrow::Cow;

/// A picture of a sheet.
#[derive(Debug, Clone)]
pub struct SheetPanel {
    pub(super) title: String,
    pub(super) picture: Picture,
    /// The size of the picture that this one may be a reduction of, and what it is in words.
    pub(super) whole: Size,
    pub(super) about: String,
    pub(super) histogram: Histogram,
    pub(super) ramp: Option<Ramp>,
    pub(super) window: Option<(f64, f64)>,
}

impl SheetPanel {
    /// A whole picture; its histogram is counted. One pass and what [`Content::histogram`] takes.
    ///
    /// # Errors
    /// A picture without pixels.
    pub fn new(title: impl Into<String>, picture: Picture) -> Result<SheetPanel> {
        let histogram = picture.content().histogram(&HistogramRules::of(picture.metadata()))?;
        let facts = picture.facts();
        Ok(SheetPanel::reduced(title, picture, &facts, histogram))
    }

    /// A picture that was reduced already, what the whole one is, and the whole one's histogram.
    pub fn reduced(title: impl Into<String>, picture: Picture, whole: &Facts, histogram: Histogram) -> SheetPanel {
        let about = format!("{} {}", whole.size, whole.pixel_format.describe());
        let means = whole.metadata.meaning_name();
        let about = if means == "encoded" { about } else { format!("{about}, {means}") };
        let about = match space_name(&whole.metadata) {
            Some(space) => format!("{about}, {space}"),
            None => about,
        };
        let about = match whole.metadata.max_codes.as_deref() {
            Some([first, others @ ..]) if others.iter().all(|code| code == first) => {
                format!("{about}, codes 0 to {first}")
            }
            _ => about,
        };
        SheetPanel { title: title.into(), picture, whole: whole.size, about, histogram, ramp: None, window: None }
    }

    /// Adds words to what is said of the picture.
    pub fn remark(mut self, words: &str) -> SheetPanel {
        self.about = format!("{}, {words}", self.about);
        self
    }

    /// Paints one channel with a ramp.
    pub fn ramp(self, ramp: impl Into<Option<Ramp>>) -> SheetPanel {
        SheetPanel { ramp: ramp.into(), ..self }
    }

    /// Shows values from `low` to `high` as black to white: in codes, or in the picture's unit (default: bytes as they are, other
    /// numbers by their minimum and maximum).
    pub fn window(self, window: impl Into<Option<(f64, f64)>>) -> SheetPanel {
        SheetPanel { window: window.into(), ..self }
    }

    /// Bytes of its samples.
    pub(super) fn bytes(&self) -> usize {
        let form = self.picture.content().pixel_format();
        usize::try_from(form.bytes(self.picture.content().size())).unwrap_or(usize::MAX)
    }

    /// Its samples in at most so many bytes; reduced by means of whole areas where they are more.
    pub(super) fn within(&self, bytes: usize) -> Result<Cow<'_, Content>> {
        let content = self.picture.content();
        let size = content.size();
        let factor = (bytes as f64 / self.bytes() as f64).sqrt();
        if factor >= 1.0 {
            return Ok(Cow::Borrowed(content));
        }
        let side = |side: u32| ((f64::from(side) * factor).floor() as u32).max(1);
        let to = Size::new(side(size.width), side(size.height));
        Ok(Cow::Owned(content.resize_area(Area::of(size), to, &ResizeRules::new(Kernel::Box))?))
    }

    pub(super) fn metadata(&self) -> &Metadata {
        self.picture.metadata()
    }

    /// The unit of its values; empty where there is none.
    pub(super) fn unit(&self) -> &str {
        match &self.metadata().meaning {
            Meaning::Values { unit: Some(unit), .. } => unit,
            _ => "",
        }
    }

    /// The max code of each channel, and the sample that stands for full; `None` for numbers that are no codes.
    pub(super) fn codes(&self) -> (Vec<Option<u32>>, Option<f64>) {
        let form = self.picture.content().pixel_format();
        let count = form.channel_names().len();
        match form {
            PixelFormat::Pixels { depth, .. } => {
                let metadata = self.metadata();
                let codes = (0..count).map(|c| metadata.max_code(c, depth)).collect();
                let plain = matches!(metadata.meaning, Meaning::Values { .. });
                (codes, (!plain).then(|| metadata.full(0, depth)))
            }
            PixelFormat::Planes { .. } => (vec![None; count], None),
        }
    }

    /// The numbers shown black and white: in codes, or as they are.
    pub(super) fn shown_window(&self) -> (f64, f64) {
        if let Some(window) = self.window {
            return window;
        }
        let (codes, full) = self.codes();
        let code = codes.first().copied().flatten().map(f64::from);
        match look_window(self.picture.content(), &Look::of(self.metadata())) {
            Some(window) => {
                let scale = code.zip(full).map_or(1.0, |(code, full)| code / full);
                (window.low() * scale, window.high() * scale)
            }
            None => (0.0, code.unwrap_or(1.0)),
        }
    }
}
