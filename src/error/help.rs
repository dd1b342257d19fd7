//! Remedies for an error, as data.

use crate::pixel::Depth;
use std::fmt;

/// Remedies for an error, as data, which an interface puts into its own words. The text of an [`Error`](crate::Error) says them in
/// words of the library.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub enum Help {
    /// State that the samples are encoded colour, 0 black and 1 full, where a file cannot say so.
    Encoded,
    /// Give a window: which values become 0 and full.
    Window,
    /// Change the depth to one of these, the first best.
    Depth(&'static [Depth]),
    /// Make the planes a picture of one of these depths, the first best.
    PixelsOfDepth(&'static [Depth]),
    /// Make the picture rgb.
    Color,
    /// Make the picture gray.
    Gray,
    /// Reduce the picture to the colours of a palette.
    Palette,
    /// Give up indices into a palette: keep the colours.
    NoIndices,
    /// Lay the pixels on a background of one colour.
    Flatten,
    /// Lay the pixels down as the orientation asks for.
    Upright,
    /// Reduce the picture to two levels of gray.
    TwoLevels,
    /// Raise the limit of this name, a field of [`Limits`](crate::file::Limits), if the file is to be trusted.
    RaiseLimit(&'static str),
    /// Give a larger [`MemoryBudget`](crate::MemoryBudget), or hold less at once.
    RaiseBudget,
    /// Write a file with this extension.
    Extension(&'static str),
    /// Describe the raw bytes that are read.
    RawLayout,
    /// Describe the raw bytes that are written.
    RawLayoutOut,
    /// Let the description of the raw bytes ignore alpha.
    RawAlphaIgnored,
    /// Drop the blocks that are not whole.
    DropPartialBlocks,
    /// Do it with a loss.
    NotLossless,
    /// Write JPEG with fixed tables, in one pass.
    FixedTables,
    /// Write JPEG in one scan, with fixed tables.
    OneScan,
}

impl fmt::Display for Help {
    fn fmt(&self, f: &mut fmt::Formatter<'_>) -> fmt::Result {
        let depths = |f: &mut fmt::Formatter<'_>, all: &[Depth]| {
            all.iter().enumerate().try_for_each(|(i, d)| write!(f, "{}{d}", if i > 0 { " or " } else { "" }))
        };
        match self {
            Help::Encoded => {
                f.write_str("state that they are encoded (`StatedMeaning::Encoded`), if 0 is black and 1 is full")
            }
            Help::Window => f.write_str("set `window`: Window::new(low, high) says which values become 0 and full"),
            Help::Depth(all) => f.write_str("change the depth (`to_depth`) to ").and_then(|()| depths(f, all)),
            Help::PixelsOfDepth(all) => {
                f.write_str("make pixels of it (`to_pixels`), of depth ").and_then(|()| depths(f, all))
            }
            Help::Color => f.write_str("make it rgb (`color`)"),
            Help::Gray => f.write_str("make it gray (`gray`)"),
            Help::Palette => f.write_str("reduce it to the colours of a palette (`to_palette`)"),
            Help::NoIndices => f.write_str("keep the colours instead of indices"),
            Help::Flatten => f.write_str("flatten it on a background (`flatten`)"),
            Help::Upright => f.write_str("lay the pixels down upright (`upright`)"),
            Help::TwoLevels => f.write_str("reduce it to two levels of gray"),
            Help::RaiseLimit(name) => write!(f, "raise `Limits::{name}` if the file is to be trusted"),
            Help::RaiseBudget => f.write_str("give a larger `MemoryBudget`, or hold less at once"),
            Help::Extension(name) => write!(f, "write .{name}"),
            Help::RawLayout | Help::RawLayoutOut => f.write_str("describe the layout of the raw bytes"),
            Help::RawAlphaIgnored => f.write_str("let the layout ignore alpha"),
            Help::DropPartialBlocks => f.write_str("drop the blocks that are not whole"),
            Help::NotLossless => f.write_str("do it with a loss"),
            Help::FixedTables => f.write_str("write it in one pass (`fixed_tables`)"),
            Help::OneScan => f.write_str("write one scan in one pass (not `progressive`, `fixed_tables`)"),
        }
    }
}
