//! What the directory of a page says: its pixels and how they lie, and what stands beside them.
//!
//! Not here: how a directory is laid out in the file ([`tags_out`](super::tags_out)).

use super::notes::{Meant, TEXTS};
use super::page_out::{Plan, codes_are_bits};
use super::shape::{Packing, Predictor};
use super::subtree;
use super::tags;
use super::tags_out::{Tags, of_tree};
use crate::file::exif;
use crate::file::holds::{Holds, Item, left_out};
use crate::frame::{Facts, Metadata, Orientation, PixelFormat, ResolutionUnit};
use crate::pixel::{Layout, Meaning};

/// A directory that a tag links to, with those that it links to itself.
pub(super) struct Link {
    pub(super) tag: u16,
    pub(super) tags: Tags,
    pub(super) further: Vec<(u16, Tags)>,
}

/// What the pixels are and how they lie.
pub(super) fn layout_tags(facts: &Facts, plan: &Plan, out: &mut Tags) {
    let m = &facts.metadata;
    out.longs(tags::WIDTH, &[plan.size.width]);
    out.longs(tags::HEIGHT, &[plan.size.height]);
    out.words(tags::BITS, &vec![plan.bits; plan.samples]);
    let packing = match plan.packing {
        Packing::PackBits => 32_773,
        Packing::Lzw => 5,
        Packing::Deflate => 8,
        _ => 1,
    };
    out.words(tags::COMPRESSION, &[packing]);
    let (photometric, extra) = match &facts.pixel_format {
        _ if m.meaning == Meaning::Indices => (3, Vec::new()),
        PixelFormat::Pixels { layout, .. } => match layout {
            Layout::Gray => (1, Vec::new()),
            Layout::GrayAlpha => (1, vec![2]),
            Layout::Rgb => (2, Vec::new()),
            Layout::Rgba => (2, vec![2]),
            Layout::Cmyk => (5, Vec::new()),
        },
        PixelFormat::Planes { names, .. } => (1, vec![0; names.len().saturating_sub(1)]),
    };
    out.words(tags::PHOTOMETRIC, &[photometric]);
    out.words(tags::SAMPLES, &[plan.samples as u16]);
    if !extra.is_empty() {
        out.words(tags::EXTRA_SAMPLES, &extra);
    }
    out.words(tags::PLANAR, &[1]);
    if plan.kind != 1 {
        out.words(tags::SAMPLE_FORMAT, &vec![plan.kind; plan.samples]);
    }
    match plan.predictor {
        Predictor::None => {}
        Predictor::Differences => out.words(tags::PREDICTOR, &[2]),
        Predictor::FloatBytes => out.words(tags::PREDICTOR, &[3]),
    }
    match plan.tile {
        Some(tile) => {
            out.longs(tags::TILE_WIDTH, &[tile]);
            out.longs(tags::TILE_HEIGHT, &[tile]);
        }
        None => out.longs(tags::ROWS_PER_STRIP, &[plan.rows_per_strip]),
    }
    if photometric == 5 {
        out.words(tags::INK_SET, &[1]);
    }
    if let (3, Some(palette)) = (photometric, &m.palette) {
        let mut map = vec![0u16; (1usize << plan.bits.min(8)).saturating_mul(3)];
        let count = map.len().checked_div(3).unwrap_or(0);
        for (i, c) in palette.colors().iter().enumerate() {
            for (place, v) in [c.r, c.g, c.b].into_iter().enumerate() {
                if let Some(to) = map.get_mut(place.saturating_mul(count).saturating_add(i)) {
                    *to = u16::from(v).saturating_mul(257);
                }
            }
        }
        out.words(tags::COLOR_MAP, &map);
    }
    if let Some(meant) = meant(facts) {
        out.text(tags::MEANING, &meant.text());
    }
}

/// What numbers mean, where no other tag says it.
fn meant(facts: &Facts) -> Option<Meant> {
    let m = &facts.metadata;
    let codes = m.max_codes.as_deref().filter(|_| !codes_are_bits(facts));
    match &facts.pixel_format {
        PixelFormat::Planes { names, .. } => Some(Meant::of(m, Some(names), None)),
        PixelFormat::Pixels { depth, .. } => {
            let plain = depth.max_code().is_some() && codes.is_none() && !matches!(m.meaning, Meaning::Values { .. });
            (!plain).then(|| Meant::of(m, None, codes))
        }
    }
}

/// What stands beside the pixels.
pub(super) fn metadata_tags(facts: &Facts, out: &mut Tags) {
    let m = &facts.metadata;
    if m.orientation != Orientation::Upright {
        out.words(tags::ORIENTATION, &[m.orientation.exif()]);
    }
    if let Some(r) = m.resolution {
        let (unit, scale) = match r.unit {
            ResolutionUnit::Ratio => (1, 1.0),
            ResolutionUnit::Inch => (2, 1.0),
            ResolutionUnit::Metre => (3, 0.01),
        };
        out.fraction(tags::X_RESOLUTION, r.x * scale);
        out.fraction(tags::Y_RESOLUTION, r.y * scale);
        out.words(tags::RESOLUTION_UNIT, &[unit]);
    }
    for (tag, keyword) in TEXTS {
        if let Some(text) = m.text.iter().find(|t| t.keyword == keyword) {
            out.text(tag, &text.text);
        }
    }
    if let Some(t) = m.changed {
        let line = format!("{:04}:{:02}:{:02} {:02}:{:02}:{:02}", t.year, t.month, t.day, t.hour, t.minute, t.second);
        out.text(tags::DATE_TIME, &line);
    }
    if let Some(xmp) = &m.xmp {
        out.bytes(tags::XMP, tags::BYTE, xmp.as_bytes());
    }
    let made = crate::file::profile::made(m, &facts.pixel_format);
    if let Some(profile) = m.icc.as_deref().or(made.as_deref()) {
        out.bytes(tags::ICC, tags::UNDEFINED, profile);
    }
}

/// The directories of a camera, out of the EXIF block, its sizes corrected.
pub(super) fn camera(facts: &Facts) -> Vec<Link> {
    let m = &facts.metadata;
    let block = m.exif.as_deref().and_then(|exif| exif::for_picture(Some(exif), m.orientation, facts.size));
    let Some((root, big_endian)) = block.as_deref().and_then(subtree::of_block) else { return Vec::new() };
    let mut out = Vec::new();
    for (tag, tree) in &root.links {
        let further = tree.links.iter().map(|(tag, below)| (*tag, of_tree(below, big_endian))).collect();
        out.push(Link { tag: *tag, tags: of_tree(tree, big_endian), further });
    }
    out
}

/// Remarks on what the file does not hold.
pub(super) fn remarks_on(facts: &Facts, remarks: &mut Vec<String>) {
    let m = &facts.metadata;
    let made = crate::file::profile::made(m, &facts.pixel_format).is_some();
    let mut others =
        Metadata { resolution: None, icc: None, exif: None, xmp: None, changed: None, max_codes: None, ..m.clone() };
    if m.icc.is_some() || made || !matches!(m.meaning, Meaning::Color) {
        // The profile says both, or they mean nothing.
        (others.primaries, others.transfer) = Default::default();
    }
    if m.is_linear() {
        others.transfer = Default::default();
    }
    let mut seen: Vec<String> = Vec::new();
    others.text.retain(|t| {
        let known = TEXTS.iter().any(|(_, keyword)| *keyword == t.keyword) && !seen.contains(&t.keyword);
        seen.push(t.keyword.clone());
        !known
    });
    if let Meaning::Values { .. } = m.meaning {
        others.meaning = Meaning::values();
    }
    remarks.extend(left_out(&others, Holds::of(&[Item::MaxCode])));
}
