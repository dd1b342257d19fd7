//! What a picture carries besides its pixels, and what becomes of it when the pixels change.

use super::{Orientation, Palette};
use crate::pixel::{Depth, Meaning, Primaries, Transfer, codes};
use std::sync::Arc;

/// Metadata of a picture: meaning, max codes, orientation, resolution, colour, texts.
///
/// What may be long is shared: a clone, which every step of a chain makes, does not copy it. `vec.into()` and `"text".into()` make one.
#[derive(Debug, Clone, PartialEq, Default)]
#[non_exhaustive]
pub struct Metadata {
    /// Meaning of the samples.
    pub meaning: Meaning,
    /// The largest code of the file, a channel each, where it is not the full range of the depth (1, 7, 1000, 4095 ...).
    /// The samples are scaled to the full range all the same, unless [`scale`](Metadata::scale) says otherwise. What steps compute of
    /// codes of more than 8 bits is rounded to the nearest code, ties up.
    pub max_codes: Option<Vec<u32>>,
    /// Whether integer samples span the full range of the depth, or are the codes 0..=max code themselves.
    pub scale: Scale,
    /// How the stored pixels have to be laid down to be seen upright.
    pub orientation: Orientation,
    /// Pixels a unit of length.
    pub resolution: Option<Resolution>,
    /// Primaries and white.
    pub primaries: Primaries,
    /// The curve between light and the samples of colour: the one statement on light. [`Transfer::Linear`] is linear light.
    pub transfer: Transfer,
    /// An ICC profile, as it stands in the file. [`set_profile`](Metadata::set_profile) sets it and states what it says in `primaries` and
    /// `transfer` too.
    pub icc: Option<Arc<[u8]>>,
    /// An EXIF block (a TIFF structure), as it stands in the file.
    pub exif: Option<Arc<[u8]>>,
    /// An XMP packet.
    pub xmp: Option<Arc<str>>,
    /// Keywords and texts.
    pub text: Vec<Text>,
    /// Coding-independent code points (ITU-T H.273) that say more than `primaries` and `transfer` do: primaries, transfer, matrix,
    /// and 1 for the full range.
    pub code_points: Option<[u8; 4]>,
    /// Bits of each channel that the source had, where the file says so.
    pub significant_bits: Option<Vec<u8>>,
    /// The colour to show the picture on: red, green and blue as fractions of full.
    pub background: Option<[f64; 3]>,
    /// The colours that the pixels are numbers of, where the meaning is [`Meaning::Indices`].
    pub palette: Option<Palette>,
    /// When the picture was last changed.
    pub changed: Option<Time>,
    /// Seconds that the picture is shown, in an animation.
    pub delay: Option<f64>,
}

/// Scale of integer samples that have a max code.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
pub enum Scale {
    /// Codes are scaled to the full range of the depth.
    #[default]
    Full,
    /// Samples are the codes: 0..=max code, unscaled.
    Codes,
}

/// A moment in universal time, to the second.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[allow(missing_docs)] // each field is what it is named after
pub struct Time {
    pub year: u16,
    pub month: u8,
    pub day: u8,
    pub hour: u8,
    pub minute: u8,
    pub second: u8,
}

/// A keyword and its text.
#[derive(Debug, Clone, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct Text {
    /// Keyword: `Title`, `Author`, `Comment` ...
    pub keyword: String,
    /// The text.
    pub text: Arc<str>,
}

/// Pixels a unit of length, along x and y.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
pub struct Resolution {
    /// Pixels a unit along x.
    pub x: f64,
    /// Pixels a unit along y.
    pub y: f64,
    /// The unit.
    pub unit: ResolutionUnit,
}

/// The unit of a [`Resolution`].
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
pub enum ResolutionUnit {
    /// Only the ratio of x to y means something.
    Ratio,
    /// Pixels a metre.
    Metre,
    /// Pixels an inch.
    Inch,
}

/// Kind of change to the pixels, as far as it affects metadata.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub enum Change {
    /// A region is cut out.
    Crop,
    /// A new size: factors along x and y.
    Resize {
        /// New width by old width.
        x: f64,
        /// New height by old height.
        y: f64,
        /// Whether every new pixel is one of the old ones, so that codes stay.
        keeps_values: bool,
    },
    /// Mirrored, rotated or transposed: what was done to the stored pixels and is seen.
    Orient(Orientation),
    /// Laid down as the orientation asks for: seen as before.
    Upright,
    /// Another depth.
    Depth(Depth),
    /// Other values, the same channels: curves, adjustments.
    Values,
    /// Other channels: gray, colour, alpha.
    Channels {
        /// How many channels there are afterwards.
        channels: usize,
        /// Whether colour became gray or gray became colour, so that a profile no longer fits.
        model: bool,
    },
}

impl Metadata {
    /// Bytes of what may be long: profile, blocks and texts, with what each text takes beside its own.
    pub(crate) fn bytes(&self) -> u64 {
        let blocks = [self.icc.as_deref(), self.exif.as_deref(), self.xmp.as_deref().map(str::as_bytes)];
        let blocks: usize = blocks.into_iter().flatten().map(<[u8]>::len).sum();
        let texts: usize = self.text.iter().map(|t| t.keyword.len() + t.text.len() + size_of::<Text>()).sum();
        blocks as u64 + texts as u64
    }

    /// Whether the samples are linear light: colour without a curve.
    pub fn is_linear(&self) -> bool {
        self.meaning == Meaning::Color && self.transfer == Transfer::Linear
    }

    /// The word for what samples mean in reports: `encoded`, `linear`, `indices`, `values`.
    pub fn meaning_name(&self) -> &'static str {
        match self.meaning {
            Meaning::Color if self.is_linear() => "linear",
            Meaning::Color => "encoded",
            Meaning::Indices => "indices",
            Meaning::Values { .. } => "values",
        }
    }

    /// Whether two pictures state the same space: the same primaries and curve, and where those are not known the same profile.
    pub fn same_space(&self, other: &Metadata) -> bool {
        let known = self.primaries != Primaries::Other;
        self.primaries == other.primaries && self.transfer == other.transfer && (known || self.icc == other.icc)
    }

    /// The range that values span, where it is known.
    pub fn value_range(&self) -> Option<(f64, f64)> {
        match self.meaning {
            Meaning::Values { range, .. } => range,
            _ => None,
        }
    }

    /// The max code of channel `channel` at this depth: the file's own, or the depth's full range; `None` for floats.
    pub fn max_code(&self, channel: usize, depth: Depth) -> Option<u32> {
        let full = u32::from(depth.max_code()?);
        Some(self.max_codes.as_ref().and_then(|codes| codes.get(channel).copied()).unwrap_or(full))
    }

    /// The sample that stands for full in channel `channel` at this depth: the max code of unscaled codes, else the full of
    /// the depth (255, 65,535, 1).
    pub fn full(&self, channel: usize, depth: Depth) -> f64 {
        match (self.scale, depth.max_code()) {
            (Scale::Codes, Some(_)) => self.max_code(channel, depth).map_or(1.0, f64::from),
            (Scale::Full, Some(full)) => f64::from(full),
            (_, None) => 1.0,
        }
    }

    /// The file's code of a sample of channel `channel` at this depth; `None` for floats.
    pub fn code(&self, channel: usize, depth: Depth, sample: u32) -> Option<u32> {
        let full = u32::from(depth.max_code()?);
        if self.scale == Scale::Codes {
            return Some(sample);
        }
        Some(codes::code_of(sample.min(full), self.max_code(channel, depth)?, full))
    }

    /// The metadata after a change of the pixels.
    ///
    /// Orientation is kept; after a transform it is such that the picture is seen transformed. Resolution is scaled by a resize, and
    /// its axes are exchanged where the transform exchanges them; a profile goes where the colour model changes; max codes stay with moves, stay with a depth
    /// that can hold them exactly; where new values are made those above 8 bits stay, which the values are rounded to on writing, and
    /// smaller ones go. EXIF and XMP packets are kept; sizes inside them
    /// are not trusted by any reader of this library.
    pub fn after(&self, change: Change) -> Metadata {
        let mut m = self.clone();
        match change {
            Change::Crop => {}
            Change::Resize { x, y, keeps_values } => {
                m.max_codes = m.max_codes.filter(|codes| keeps_values || are_wide(codes));
                m.resolution = m.resolution.map(|r| Resolution { x: r.x * x, y: r.y * y, ..r });
            }
            Change::Orient(done) => {
                m.orientation = m.orientation.seen_through(done);
                m.resolution = resolution_after(m.resolution, done);
            }
            Change::Upright => {
                m.resolution = resolution_after(m.resolution, m.orientation);
                m.orientation = Orientation::Upright;
            }
            Change::Depth(depth) => {
                let fits = |code: &u32| depth.max_code().is_some_and(|full| *code <= u32::from(full));
                m.max_codes = m.max_codes.filter(|codes| codes.iter().all(fits));
            }
            Change::Values => {
                m.max_codes = m.max_codes.filter(|codes| are_wide(codes));
                m.significant_bits = None;
            }
            Change::Channels { channels, model } => {
                m.max_codes = m.max_codes.and_then(|codes| codes_for(&codes, channels, model));
                m.significant_bits = None;
                if model {
                    m.icc = None;
                    m.code_points = None;
                }
            }
        }
        if m.max_codes.is_none() {
            // Codes over the full range are samples.
            m.scale = Scale::Full;
        }
        m
    }
}

fn resolution_after(resolution: Option<Resolution>, done: Orientation) -> Option<Resolution> {
    resolution.map(|r| if done.swaps_axes() { Resolution { x: r.y, y: r.x, ..r } } else { r })
}

/// Max codes after channels were added or dropped: kept where all are equal and no value was computed, or they are above 8 bits.
fn codes_for(codes: &[u32], channels: usize, model: bool) -> Option<Vec<u32>> {
    let first = *codes.first()?;
    let same = codes.iter().all(|&c| c == first);
    (same && (!model || are_wide(codes))).then(|| vec![first; channels])
}

/// Whether codes have more than 8 bits: as many levels are left to values that are computed, which are rounded to the nearest of them. Of
/// fewer, new values would be lost.
fn are_wide(codes: &[u32]) -> bool {
    codes.iter().all(|code| *code > 255)
}

#[cfg(test)]
mod tests {
    use super::*;

    fn sample() -> Metadata {
        Metadata {
            max_codes: Some(vec![200]),
            orientation: Orientation::from_exif(6).unwrap(),
            resolution: Some(Resolution { x: 100.0, y: 200.0, unit: ResolutionUnit::Inch }),
            icc: Some([1, 2, 3].into()),
            text: vec![Text { keyword: "Title".into(), text: "Quay".into() }],
            ..Metadata::default()
        }
    }

    #[test]
    fn each_change_keeps_what_still_holds() {
        let m = sample();
        assert_eq!(m.after(Change::Crop), m);
        let resized = m.after(Change::Resize { x: 0.5, y: 2.0, keeps_values: false });
        assert_eq!(resized.resolution.unwrap(), Resolution { x: 50.0, y: 400.0, unit: ResolutionUnit::Inch });
        assert_eq!((resized.max_codes, resized.icc.is_some()), (None, true));
        let repeated = m.after(Change::Resize { x: 2.0, y: 2.0, keeps_values: true });
        assert_eq!(repeated.max_codes, Some(vec![200]));
        let upright = m.after(Change::Upright);
        assert!(upright.orientation.is_upright());
        assert_eq!(upright.resolution.unwrap().x, 200.0);
        // A mirror of what is seen leaves an upright picture upright, and makes a rotation to the right one to the left.
        let mirror = Orientation::MirroredLeftRight;
        assert!(upright.after(Change::Orient(mirror)).orientation.is_upright());
        assert_eq!(m.after(Change::Orient(mirror)).orientation.exif(), 8);
        assert_eq!(m.after(Change::Orient(mirror)).resolution, m.resolution);
        assert_eq!(m.after(Change::Depth(Depth::U16)).max_codes, m.max_codes);
        let wide = Metadata { max_codes: Some(vec![1000]), ..sample() };
        assert_eq!(wide.after(Change::Depth(Depth::U8)).max_codes, None);
        assert_eq!(m.after(Change::Depth(Depth::F32)).max_codes, None);
        let gray = m.after(Change::Channels { channels: 1, model: true });
        assert_eq!((gray.icc, gray.max_codes, gray.text.len()), (None, None, 1));
        assert_eq!(m.after(Change::Channels { channels: 2, model: false }).max_codes, Some(vec![200, 200]));
        // Codes above 8 bits stay with values that are computed; fewer would lose them.
        for change in [Change::Values, Change::Resize { x: 2.0, y: 2.0, keeps_values: false }] {
            assert_eq!((wide.after(change).max_codes, m.after(change).max_codes), (Some(vec![1000]), None));
        }
        let wide = Metadata { max_codes: Some(vec![1000; 3]), ..sample() };
        assert_eq!(wide.after(Change::Channels { channels: 1, model: true }).max_codes, Some(vec![1000]));
    }
}
