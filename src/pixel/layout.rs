//! Channel layouts at run time, and the traits that every pixel type has.

use super::number::Number;
use super::sample::Sample;
use super::sealed::Sealed;

/// Channels of a picture's pixels, in order.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub enum Layout {
    /// One channel: gray.
    #[cfg_attr(feature = "serde", serde(rename = "gray"))]
    Gray,
    /// Gray and straight alpha.
    #[cfg_attr(feature = "serde", serde(rename = "gray+alpha"))]
    GrayAlpha,
    /// Red, green, blue.
    #[cfg_attr(feature = "serde", serde(rename = "rgb"))]
    Rgb,
    /// Red, green, blue and straight alpha.
    #[cfg_attr(feature = "serde", serde(rename = "rgb+alpha"))]
    Rgba,
    /// Cyan, magenta, yellow and black as ink: full = full ink.
    #[cfg_attr(feature = "serde", serde(rename = "cmyk"))]
    Cmyk,
}

impl Layout {
    /// All five.
    pub const ALL: [Layout; 5] = [Layout::Gray, Layout::GrayAlpha, Layout::Rgb, Layout::Rgba, Layout::Cmyk];

    /// The name used in reports: `gray`, `gray+alpha`, `rgb`, `rgb+alpha`, `cmyk`.
    pub fn name(self) -> &'static str {
        match self {
            Layout::Gray => "gray",
            Layout::GrayAlpha => "gray+alpha",
            Layout::Rgb => "rgb",
            Layout::Rgba => "rgb+alpha",
            Layout::Cmyk => "cmyk",
        }
    }

    /// Channels a pixel, alpha included: 1 to 4.
    pub fn channels(self) -> usize {
        self.channel_names().len()
    }

    /// The channels' short names in channel order.
    pub fn channel_names(self) -> &'static [&'static str] {
        match self {
            Layout::Gray => &["gray"],
            Layout::GrayAlpha => &["gray", "alpha"],
            Layout::Rgb => &["r", "g", "b"],
            Layout::Rgba => &["r", "g", "b", "alpha"],
            Layout::Cmyk => &["c", "m", "y", "k"],
        }
    }

    /// Whether the last channel is straight alpha.
    pub fn has_alpha(self) -> bool {
        matches!(self, Layout::GrayAlpha | Layout::Rgba)
    }

    /// The same layout without alpha.
    pub fn without_alpha(self) -> Layout {
        match self {
            Layout::GrayAlpha => Layout::Gray,
            Layout::Rgba => Layout::Rgb,
            other => other,
        }
    }

    /// The same layout with alpha; `None` for cmyk, which has no form with alpha.
    pub fn with_alpha(self) -> Option<Layout> {
        match self {
            Layout::Gray | Layout::GrayAlpha => Some(Layout::GrayAlpha),
            Layout::Rgb | Layout::Rgba => Some(Layout::Rgba),
            Layout::Cmyk => None,
        }
    }

    /// Whether pixels of this layout carry colour rather than brightness alone.
    pub fn is_color(self) -> bool {
        !matches!(self, Layout::Gray | Layout::GrayAlpha)
    }
}

impl std::fmt::Display for Layout {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(self.name())
    }
}

/// A pixel: a fixed number of channels of one number type, laid out as `repr(C)` without gaps. Sealed.
///
/// A slice of pixels and a slice of their numbers are the same bytes; [`samples_of`](super::samples_of) and
/// [`pixels_of`](super::pixels_of) go from one to the other at no cost.
pub trait Pixel: Copy + Default + PartialEq + std::fmt::Debug + Send + Sync + Sealed + 'static {
    /// The number type of each channel.
    type Number: Number;
    /// Channels, alpha included.
    const CHANNELS: usize;
    /// Whether the last channel is straight alpha.
    const ALPHA: bool;
    /// The channels' short names in channel order.
    const CHANNEL_NAMES: &'static [&'static str];

    /// The pixel type in words: `rgb u8`.
    fn describe() -> String;

    /// The pixel whose channels all hold one number.
    fn splat(value: Self::Number) -> Self {
        let mut pixel = Self::default();
        super::samples_of_mut(std::slice::from_mut(&mut pixel)).fill(value);
        pixel
    }
}

/// A pixel that files and pictures hold: one of the five layouts over a [`Sample`].
pub trait PicturePixel: Pixel<Number: Sample> {
    /// The layout, at run time.
    const LAYOUT: Layout;
    /// The same layout over another sample type.
    type Over<T: Sample>: PicturePixel + Pixel<Number = T>;
}
