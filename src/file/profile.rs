//! ICC profiles beside pictures: what they say of primaries and curve, and one made for a format that says both by profiles alone.

use crate::color::{ColorSpace, Profile};
use crate::frame::{Metadata, PixelFormat};
use crate::pixel::{Layout, Meaning, Primaries, Transfer};
use std::sync::Arc;

/// Keeps a profile, and states the primaries and the curve that it describes, where they are known.
pub(super) fn keep(bytes: Arc<[u8]>, metadata: &mut Metadata) {
    if metadata.set_profile(Arc::clone(&bytes)).is_err() {
        (metadata.primaries, metadata.transfer) = (Primaries::Other, Transfer::Other);
        metadata.icc = Some(bytes);
    }
}

/// A profile for colours that are not sRGB and have none; none where such a profile cannot say what they are.
pub(super) fn made(metadata: &Metadata, format: &PixelFormat) -> Option<Vec<u8>> {
    let PixelFormat::Pixels { layout, .. } = format else { return None };
    let space = ColorSpace::of(metadata);
    if metadata.icc.is_some() || metadata.meaning != Meaning::Color || space == ColorSpace::SRGB {
        return None;
    }
    match layout {
        Layout::Gray | Layout::GrayAlpha if matches!(space.transfer, Transfer::Srgb | Transfer::Other) => None,
        Layout::Gray | Layout::GrayAlpha => Profile::of_gray(space.transfer).ok(),
        Layout::Rgb | Layout::Rgba => Profile::of_space(&space).ok(),
        Layout::Cmyk => None,
    }
}
