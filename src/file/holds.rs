//! What a format can hold beside its pixels, declared once: warnings about what a file loses are worked out of it.

use super::encoder::cannot_hold;
use super::options::WriteOptions;
use crate::error::{Help, Result};
use crate::frame::{Facts, FileFormat, Metadata};
use crate::pixel::{Meaning, Primaries, Transfer};

/// What a file may hold beside the pixels of one picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
#[non_exhaustive]
#[allow(missing_docs)] // `Display` names each
pub enum Item {
    Resolution,
    Profile,
    Exif,
    Xmp,
    Texts,
    MaxCode,
    CodePoints,
    SignificantBits,
    Background,
    Time,
    Delay,
    /// That the samples are linear light.
    Linear,
    /// Another curve than that of sRGB.
    Curve,
    Primaries,
    Unit,
    /// The range that values span.
    Range,
    Orientation,
    /// The colours that indices stand for.
    Palette,
    /// Several pictures.
    Pages,
}

impl Item {
    const ALL: [Item; 19] = [
        Item::Resolution,
        Item::Profile,
        Item::Exif,
        Item::Xmp,
        Item::Texts,
        Item::MaxCode,
        Item::CodePoints,
        Item::SignificantBits,
        Item::Background,
        Item::Time,
        Item::Delay,
        Item::Linear,
        Item::Curve,
        Item::Primaries,
        Item::Unit,
        Item::Range,
        Item::Orientation,
        Item::Palette,
        Item::Pages,
    ];

    /// Whether a picture's metadata have it, so that a file which cannot hold it loses it.
    pub fn is_in(self, m: &Metadata) -> bool {
        // What a profile says stands in the profile.
        let told_apart = m.meaning == Meaning::Color && m.icc.is_none();
        match self {
            Item::Resolution => m.resolution.is_some(),
            Item::Profile => m.icc.is_some(),
            Item::Exif => m.exif.is_some(),
            Item::Xmp => m.xmp.is_some(),
            Item::Texts => !m.text.is_empty(),
            Item::MaxCode => m.max_codes.is_some(),
            Item::CodePoints => m.code_points.is_some(),
            Item::SignificantBits => m.significant_bits.is_some(),
            Item::Background => m.background.is_some(),
            Item::Time => m.changed.is_some(),
            Item::Delay => m.delay.is_some(),
            Item::Linear => m.is_linear(),
            Item::Curve => told_apart && !matches!(m.transfer, Transfer::Srgb | Transfer::Linear),
            Item::Primaries => told_apart && m.primaries != Primaries::Srgb,
            Item::Unit => matches!(&m.meaning, Meaning::Values { unit: Some(_), .. }),
            Item::Range => m.value_range().is_some(),
            Item::Orientation => !m.orientation.is_upright(),
            Item::Palette => m.meaning == Meaning::Indices,
            Item::Pages => false,
        }
    }
}

impl std::fmt::Display for Item {
    fn fmt(&self, f: &mut std::fmt::Formatter<'_>) -> std::fmt::Result {
        f.write_str(match self {
            Item::Resolution => "the resolution",
            Item::Profile => "the ICC profile",
            Item::Exif => "the EXIF block",
            Item::Xmp => "the XMP packet",
            Item::Texts => "the texts",
            Item::MaxCode => "the max code",
            Item::CodePoints => "the code points of colour",
            Item::SignificantBits => "the significant bits",
            Item::Background => "the background",
            Item::Time => "the time",
            Item::Delay => "the delay",
            Item::Linear => "that the samples are linear light",
            Item::Curve => "the curve of the samples",
            Item::Primaries => "the primaries",
            Item::Unit => "the unit",
            Item::Range => "the range of the values",
            Item::Orientation => "the orientation",
            Item::Palette => "the palette",
            Item::Pages => "further pages",
        })
    }
}

/// A set of [`Item`]s: what a format declares that it can hold. Default: nothing beside the pixels of one picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
pub struct Holds(u32);

impl Holds {
    /// The set of these items.
    pub fn of(items: &[Item]) -> Holds {
        Holds(items.iter().fold(0, |all, item| all | 1 << (*item as u32)))
    }

    /// Whether the item is in the set.
    pub fn has(self, item: Item) -> bool {
        self.0 & 1 << (item as u32) != 0
    }
}

/// What files of a format can hold beside pixels, as far as it does not depend on the picture. Of a format from outside it is what its
/// [`Format`](super::Format) declares.
pub fn holds(format: FileFormat) -> Holds {
    use Item::*;
    if format == FileFormat::Png {
        let all: Vec<Item> = Item::ALL.into_iter().filter(|item| !matches!(item, Unit | Range)).collect();
        return Holds::of(&all);
    }
    Holds::of(match format {
        FileFormat::Jpeg => &[Resolution, Profile, Exif, Xmp, Linear, Curve, Primaries, Orientation],
        FileFormat::Tiff => &[
            Resolution,
            Profile,
            Exif,
            Xmp,
            MaxCode,
            Time,
            Linear,
            Curve,
            Primaries,
            Unit,
            Orientation,
            Palette,
            Pages,
        ],
        FileFormat::Gif => &[Delay, Palette, Pages],
        FileFormat::Bmp => &[Resolution, Palette],
        FileFormat::Tga => &[Time, Linear, Palette],
        FileFormat::Qoi => &[Linear],
        FileFormat::Pnm | FileFormat::Pam => &[MaxCode],
        FileFormat::Npz => &[Pages],
        _ => &[],
    })
}

/// A warning on the metadata that a file does not hold. What it holds in a way of its own, the caller has taken out before.
pub(super) fn left_out(m: &Metadata, holds: Holds) -> Vec<String> {
    // The colours of indices and the orientation are refused, not left out.
    let lost = |item: &&Item| item.is_in(m) && !holds.has(**item);
    let all = Item::ALL.iter().filter(|item| !matches!(item, Item::Orientation | Item::Palette)).filter(lost);
    let names: Vec<String> = all.map(Item::to_string).collect();
    match names.is_empty() {
        true => Vec::new(),
        false => vec![format!("left out, because the format cannot store it: {}", names.join(", "))],
    }
}

/// A warning of a format that holds pages but no animation.
pub(super) fn plays_left_out(options: &WriteOptions) -> Option<String> {
    let animated = options.pages > 1 && options.plays.is_some();
    animated.then(|| "left out, because the format cannot store it: how often the animation is played".to_string())
}

/// Refuses a picture that means something else without what a format from outside does not hold.
pub(super) fn refuse_what_is_not_held(format: FileFormat, holds: Holds, facts: &Facts) -> Result<()> {
    let lost = |item: Item| item.is_in(&facts.metadata) && !holds.has(item);
    if lost(Item::Palette) {
        return Err(cannot_hold(format, "indices into a palette", &[Help::Color]));
    }
    if lost(Item::Orientation) {
        return Err(cannot_hold(format, "an orientation", &[Help::Upright]));
    }
    Ok(())
}
