//! What steps ask of their input: the rows that are wanted, and the form that they can work on.

use super::Strip;
use crate::error::{Error, Help, Result};
use crate::frame::{Content, Facts, Metadata, PixelFormat, Size};
use crate::pixel::{Depth, Layout, Meaning};
use std::ops::Range;

/// The rows of a strip that are wanted, as content; the strip itself where it holds no others.
pub(super) fn rows_of(input: &Strip, rows: &Range<u32>) -> Result<Option<Content>> {
    if input.rows() == *rows {
        return Ok(None);
    }
    let first = rows.start.saturating_sub(input.first_row);
    let part = input.content.size().region().rows(first..first + (rows.end - rows.start))?;
    Ok(Some(input.content.crop(part)?))
}

pub(super) fn pixel_form(input: &Facts, step: &str) -> Result<(Depth, Layout)> {
    if input.metadata.meaning == Meaning::Indices {
        let what = format!("{step} works on colours, not on indices into a palette");
        return Err(Error::invalid("input", what).with_help(&[Help::NoIndices, Help::Color]));
    }
    match &input.pixel_format {
        PixelFormat::Pixels { depth, layout } => Ok((*depth, *layout)),
        planes => Err(Error::invalid("input", format!("{step} works on pixels, not on {}", planes.describe()))
            .with_help(&[Help::PixelsOfDepth(&[Depth::F32])])),
    }
}

/// Says that the profile is gone, where a change of the channels has taken it: what it said of the curve may be gone with it.
pub(super) fn without_profile(input: &Facts, mut output: Facts) -> Facts {
    if input.metadata.icc.is_some() && output.metadata.icc.is_none() {
        output.remarks.push(PROFILE_LEFT.to_string());
    }
    output
}

const PROFILE_LEFT: &str = "the ICC profile is left out: it describes other channels than there are now";

/// The facts of a picture of the same form in another size.
pub(super) fn same_form(input: &Facts, size: Size, metadata: Metadata) -> Facts {
    Facts::new(size, input.pixel_format.clone(), metadata).charged(input.account())
}

pub(super) fn same_size(input: &Facts, depth: Depth, layout: Layout, metadata: Metadata) -> Facts {
    Facts::new(input.size, PixelFormat::Pixels { depth, layout }, metadata).charged(input.account())
}
