//! Measurements of content whose type is known at run time only: the names of the typed calls, as methods.

use super::apart::{check, error_any, error_counts, error_planes};
use super::compare::{compare_any, compare_planes, differ};
use super::histogram::histogram_any;
use super::joint::joint_any;
use super::profile::profile_any;
use super::{CompareRules, Comparison, Histogram, HistogramRules, JointHistogram, Mask, Profile};
use crate::error::{Error, Result};
use crate::frame::{AnyNumbers, Content, Picture, Pixels};
use crate::memory::Charge;

impl Picture {
    /// The histogram of every channel or plane, in the picture's own levels: max codes and scale are those of its metadata.
    ///
    /// # Errors
    /// A picture without pixels, or samples that are not what the metadata say.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Picture, Size};
    /// let frame = Frame::<Gray<u16>>::from_samples(Size::new(2, 1), vec![1000, 3000])?;
    /// let counted = Picture::of_codes(frame, 4095)?.histogram()?;
    /// assert_eq!((counted.channels[0].levels(), counted.channels[0].stats.mean), (Some(4096), 2000.0));
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn histogram(&self) -> Result<Histogram> {
        self.content().histogram(&HistogramRules::of(self.metadata()))
    }

    /// The [`Comparison`] with another picture, by the default rules for this one's metadata.
    ///
    /// # Errors
    /// As [`compare`](super::compare).
    pub fn compare(&self, other: &Picture) -> Result<Comparison> {
        self.content().compare(other.content(), &CompareRules::of(self.metadata()))
    }
}

impl Content {
    /// [`histogram`](super::histogram) of every channel or plane.
    ///
    /// # Errors
    /// As [`histogram`](super::histogram).
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Content, Frame, Gray, Size, measure::HistogramRules};
    /// let fog = Content::from(Frame::from_fn(Size::new(4, 1), |x, _| Gray::new(x as u8 / 2))?);
    /// assert_eq!(fog.histogram(&HistogramRules::default())?.channels[0].bins[..3], [2, 2, 0]);
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn histogram(&self, rules: &HistogramRules) -> Result<Histogram> {
        self.masked_histogram(&Mask::ALL, rules)
    }

    /// [`masked_histogram`](super::masked_histogram) of every channel or plane.
    ///
    /// # Errors
    /// As [`masked_histogram`](super::masked_histogram).
    pub fn masked_histogram(&self, mask: &Mask<'_>, rules: &HistogramRules) -> Result<Histogram> {
        self.counted(mask, rules, true)
    }

    /// [`masked_histogram`](Content::masked_histogram) of some rows of a picture.
    pub(crate) fn counted(&self, mask: &Mask<'_>, rules: &HistogramRules, is_whole: bool) -> Result<Histogram> {
        if let Content::Pixels(pixels) = self {
            return histogram_any(pixels.samples_any().into(), pixels.layout().channel_names(), mask, rules, is_whole);
        }
        // A file may have planes by the thousand.
        let _counts = Charge::take(self.account(), rules.bytes(&self.pixel_format()))?;
        let mut channels = Vec::new();
        for (name, plane) in self.pixel_format().channel_names().iter().zip(self.views()) {
            channels.append(&mut histogram_any(plane, &[name], mask, rules, is_whole)?.channels);
        }
        Ok(Histogram { channels })
    }

    /// [`profile`](super::profile()) of every channel or plane.
    ///
    /// # Errors
    /// As [`profile`](super::profile()).
    pub fn profile(&self, from: (u32, u32), to: (u32, u32)) -> Result<Profile> {
        profile_any(&self.views(), self.size(), &self.pixel_format().channel_names(), from, to)
    }

    /// [`compare`](super::compare()) of this content, a, with another, b: pixels, or planes by their order.
    ///
    /// # Errors
    /// Sizes or types that differ: the error says how, and what would make the pictures equal, where that is known.
    pub fn compare(&self, other: &Content, rules: &CompareRules) -> Result<Comparison> {
        if self.size() != other.size() || self.pixel_format() != other.pixel_format() {
            return Err(differ(self, other));
        }
        match (self, other) {
            (Content::Pixels(a), Content::Pixels(b)) => {
                compare_any(a.samples_any().into(), b.samples_any().into(), a.layout().channel_names(), rules)
            }
            _ => compare_planes(&self.views(), &other.views(), &self.pixel_format().channel_names(), rules),
        }
    }

    /// [`error_picture`](super::error_picture): the signed error of another picture, b, against this one, a.
    ///
    /// # Errors
    /// Sizes or types that differ, no pixels, a gain that is not a number above 0; planes.
    pub fn error_picture(&self, other: &Content, gain: f64) -> Result<Content> {
        let (a, b) = (self.pixels()?, other.pixels()?);
        self.check_same_format(other)?;
        let mut out = Pixels::zeros(a.size(), a.layout(), a.depth(), a.account())?;
        error_any(a.samples_any(), b.samples_any(), out.samples_any_mut(), gain)?;
        Ok(out.into())
    }

    /// [`error_histogram`](super::error_histogram) of another picture, b, against this one, a: every channel or plane.
    ///
    /// # Errors
    /// Sizes or types that differ, or no pixels.
    pub fn error_histogram(&self, other: &Content) -> Result<Histogram> {
        self.check_same_format(other)?;
        check(self.size(), other.size())?;
        match (self, other) {
            (Content::Pixels(a), Content::Pixels(b)) => {
                error_counts(a.samples_any().into(), b.samples_any().into(), a.layout().channel_names())
            }
            _ => error_planes(&self.views(), &other.views(), &self.pixel_format().channel_names()),
        }
    }

    /// [`joint_histogram`](super::joint_histogram) of two channels or planes of this content, by their indices.
    ///
    /// # Errors
    /// Channels that are not there, and as [`joint_histogram`](super::joint_histogram).
    pub fn joint_histogram(
        &self,
        channels: (usize, usize),
        bins: (usize, usize),
        ranges: [(f64, f64); 2],
        mask: &Mask<'_>,
    ) -> Result<JointHistogram> {
        joint_any(self.channel(channels.0)?, self.channel(channels.1)?, bins, ranges, mask)
    }

    /// The view that holds a channel or plane, and which of the view's channels it is.
    fn channel(&self, index: usize) -> Result<(AnyNumbers<'_>, usize)> {
        let count = self.pixel_format().channel_names().len();
        let outside = || {
            Error::not_there("channel", index as u64, count as u64, format!("channel {index} is outside 0..{count}"))
        };
        match self {
            Content::Pixels(pixels) if index < count => Ok((pixels.samples_any().into(), index)),
            Content::Pixels(_) => Err(outside()),
            Content::Planes(planes) => planes.views().get(index).map(|view| (*view, 0)).ok_or_else(outside),
        }
    }
}
