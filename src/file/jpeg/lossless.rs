//! Turning a file by its coefficients, without decoding them: a mirrored block has the same coefficients with other signs,
//! a transposed one has them in columns instead of rows.
//!
//! Samples are not computed, so nothing is rounded once more; transformed back, the coefficients are the same again.

use super::decode::{Collected, JpegDecoder};
use super::frame::{Coding, Component, FrameHeader};
use super::held::{SEGMENT_BYTES, Scans, put_segment};
use super::scan::NATURAL;
use super::shape::{McuLayout, Row};
use crate::error::{Error, Help, Result};
use crate::file::encoder::{Output, put_bytes};
use crate::file::exif;
use crate::file::lossless::{LosslessRules, OrientedFile, PartialBlocks};
use crate::frame::{Change, Facts, Orientation, Size};
use crate::memory::Charge;

/// What is done to blocks: transposed first, then mirrored.
#[derive(Debug, Clone, Copy)]
struct Parts {
    transpose: bool,
    left_right: bool,
    top_bottom: bool,
}

impl Parts {
    fn of(orientation: Orientation) -> Parts {
        let (transpose, left_right, top_bottom) = orientation.parts();
        Parts { transpose, left_right, top_bottom }
    }

    /// A pair of sides, or of anything along x and y, as it is afterwards.
    fn pair<T>(self, (x, y): (T, T)) -> (T, T) {
        if self.transpose { (y, x) } else { (x, y) }
    }

    /// For each coefficient in zigzag order: where it comes from in rows, and whether its sign changes.
    fn coefficients(self) -> [(u8, bool); 64] {
        let mut all = [(0, false); 64];
        for (to, &at) in all.iter_mut().zip(&NATURAL) {
            let (across, down) = (at & 7, at >> 3);
            let (u, v) = self.pair((across, down));
            // A wave that is odd about the block's middle turns over when mirrored.
            let negated = (self.left_right && across & 1 == 1) != (self.top_bottom && down & 1 == 1);
            *to = (v << 3 | u, negated);
        }
        all
    }
}

/// Writes the picture that a decoder has collected, its blocks rearranged.
pub(in crate::file) fn oriented(
    decoder: JpegDecoder,
    orientation: Option<Orientation>,
    rules: &LosslessRules,
) -> Result<OrientedFile> {
    let Some(source) = decoder.into_collected() else { return Err(Error::malformed("no picture in the file")) };
    let mut metadata = source.facts.metadata.clone();
    let mut whole = Orientation::Upright;
    if rules.upright {
        whole = metadata.orientation;
        metadata = metadata.after(Change::Upright);
    }
    if let Some(orientation) = orientation {
        whole = orientation.after(whole);
        metadata = metadata.after(Change::Orient(orientation));
    }
    let parts = Parts::of(whole);
    let frame = cut_to_whole(&source.frame, parts, rules.partial)?;
    // Those before are the decoder's, and charged to it.
    let bytes = frame.coefficient_bytes(8);
    rules.limits.check_memory("the coefficients, before and after,", bytes.saturating_mul(2))?;
    let _charge = Charge::take(source.bounds.account(), bytes)?;
    check_range(&source)?;
    let before = source.facts.clone();
    let (width, height) = parts.pair((frame.size.width, frame.size.height));
    // A JPEG file has no longer sides.
    let size = (width as u16, height as u16);
    let factors = frame.components.iter().map(|c| parts.pair((usize::from(c.h), usize::from(c.v)))).collect();
    let scans = Scans {
        shape: McuLayout::new(size, factors),
        ids: frame.components.iter().map(|c| c.id).collect(),
        progressive: frame.coding == Coding::Progressive || rules.progressive,
        restart_rows: rules.restart_rows,
        threads: rules.threads,
    };
    let most = scans.shape.blocks_an_mcu();
    if scans.ids.len() > 1 && most > 10 {
        return Err(Error::not_supported(format!("transforming a file by coefficients with {most} blocks an MCU")));
    }
    if let Err(what) = scans.check_restarts() {
        return Err(Error::invalid("size", format!("{what}; 65535 are the most, name fewer rows")));
    }
    let (tables, numbers) = quantisers(&source, parts);
    let mut bytes = Vec::new();
    let out = &mut bytes;
    put_bytes(out, &[0xff, 0xd8])?;
    let mut after = Facts::new(Size::new(width, height), before.pixel_format.clone(), metadata);
    after.format = before.format;
    let remarks = put_segments(&source, &after, parts, out)?;
    scans.put_quantisers(&tables, out)?;
    let wide = frame.bits > 8 || tables.iter().flatten().any(|&v| v > 255);
    let marker = match (scans.progressive, wide) {
        (true, _) => 0xc2,
        (false, true) => 0xc1,
        (false, false) => 0xc0,
    };
    scans.put_frame(marker, frame.bits, &numbers, out)?;
    let rows = rows(&frame, &source, parts, &scans.shape);
    scans.put_all(&rows, out)?;
    put_bytes(out, &[0xff, 0xd9])?;
    after.bytes = Some(bytes.len() as u64);
    Ok(OrientedFile { bytes, before, after, remarks })
}

/// The frame, cut to whole MCUs along the sides whose far end comes to lie at the near one.
fn cut_to_whole(frame: &FrameHeader, parts: Parts, partial: PartialBlocks) -> Result<FrameHeader> {
    let (mirrored_x, mirrored_y) = parts.pair((parts.left_right, parts.top_bottom));
    let mut size = frame.size;
    for (side, mirrored, factor, name) in
        [(&mut size.width, mirrored_x, frame.h, "width"), (&mut size.height, mirrored_y, frame.v, "height")]
    {
        let mcu = u32::from(factor).saturating_mul(8);
        let rest = side.checked_rem(mcu).unwrap_or(0);
        if !mirrored || rest == 0 {
            continue;
        }
        let whole = side.saturating_sub(rest);
        let line = format!("the {name} of {side} is not a multiple of the {mcu} pixels of its blocks");
        match partial {
            PartialBlocks::Refuse => {
                let help = &[Help::DropPartialBlocks, Help::NotLossless];
                return Err(Error::invalid("partial_blocks", format!("{line}: the last {rest} pixels are in the way"))
                    .with_help(help));
            }
            PartialBlocks::Drop if whole == 0 => {
                return Err(Error::invalid("partial_blocks", format!("{line}, and smaller, so nothing would be left")));
            }
            PartialBlocks::Drop => *side = whole,
        }
    }
    let mut frame = frame.clone();
    frame.resize(size);
    Ok(frame)
}

/// Whether all coefficients can be coded again: damaged files may hold numbers that no picture gives.
fn check_range(source: &Collected) -> Result<()> {
    // F.1.2.1.2 and F.1.2.2.1: 11 and 10 bits, four more for samples of 12 bits.
    let most = 1i16.checked_shl(u32::from(source.frame.bits).saturating_add(2)).unwrap_or(i16::MAX);
    let fits = |block: &[i16; 64]| {
        let [mean, rest @ ..] = block;
        (most.saturating_neg()..most).contains(mean) && rest.iter().all(|v| v.unsigned_abs() < most.unsigned_abs())
    };
    match source.coefficients.iter().flatten().all(fits) {
        true => Ok(()),
        false => Err(Error::malformed(format!("a coefficient beyond {most}, which no picture gives"))),
    }
}

/// The quantisers that differ, transposed where asked, and the number of each component's.
fn quantisers(source: &Collected, parts: Parts) -> (Vec<[u16; 64]>, Vec<u8>) {
    let mut tables: Vec<[u16; 64]> = Vec::new();
    let mut numbers = Vec::new();
    for table in &source.quantisers {
        let mut own = *table;
        if parts.transpose {
            for (at, to) in own.iter_mut().enumerate() {
                *to = table.get((at & 7) << 3 | at >> 3).copied().unwrap_or(1);
            }
        }
        let known = tables.iter().position(|t| *t == own).unwrap_or(tables.len());
        if known == tables.len() {
            tables.push(own);
        }
        numbers.push(known as u8);
    }
    (tables, numbers)
}

/// The rearranged blocks of all components, in zigzag order.
fn rows(frame: &FrameHeader, source: &Collected, parts: Parts, shape: &McuLayout) -> Vec<Row> {
    let moves = parts.coefficients();
    let block_of = |from: &[i16; 64]| {
        let mut to = [0i16; 64];
        for (to, &(at, negated)) in to.iter_mut().zip(&moves) {
            let v = from.get(usize::from(at)).copied().unwrap_or(0);
            *to = if negated { v.saturating_neg() } else { v };
        }
        to
    };
    let row_of = |row: usize| {
        let components = frame.components.iter().zip(&source.frame.components).zip(&source.coefficients);
        let row_of_component = |((cut, whole), blocks): ((&Component, &Component), &Vec<[i16; 64]>)| {
            let (across, down) = parts.pair((cut.padded.0 as usize, cut.padded.1 as usize));
            let (_, v) = parts.pair((usize::from(cut.h), usize::from(cut.v)));
            let first = row.saturating_mul(v);
            let places = (first..first.saturating_add(v)).flat_map(|y| (0..across).map(move |x| (x, y)));
            let from = places.map(|(x, y)| {
                let back = |at: usize, side: usize, mirrored: bool| {
                    if mirrored { side.saturating_sub(at).saturating_sub(1) } else { at }
                };
                let place = (back(x, across, parts.left_right), back(y, down, parts.top_bottom));
                let (x, y) = parts.pair(place);
                blocks.get(y.saturating_mul(whole.padded.0 as usize).saturating_add(x))
            });
            from.map(|block| block.map_or([0; 64], block_of)).collect()
        };
        components.map(row_of_component).collect()
    };
    (0..shape.mcus.1).map(row_of).collect()
}

/// The segments that say more than the pixels: as they stand, but for what speaks of sizes, places and orientation.
fn put_segments(source: &Collected, after: &Facts, parts: Parts, out: &mut dyn Output) -> Result<Vec<String>> {
    let metadata = &after.metadata;
    let mut exif_is_due = true;
    let mut remarks = Vec::new();
    for (marker, body) in &source.segments {
        match (marker, body.as_slice()) {
            (0xe0, [b'J', b'F', b'I', b'F', 0, major, minor, unit, x0, x1, y0, y1, ..]) => {
                let (x, y) = parts.pair(([*x0, *x1], [*y0, *y1]));
                // Without the preview that may follow.
                let head = [b'J', b'F', b'I', b'F', 0, *major, *minor, *unit];
                put_segment(out, *marker, &[&head[..], &x, &y, &[0, 0]].concat())?;
            }
            // A preview of another shape; places in the file, which are others now.
            (0xe0, [b'J', b'F', b'X', b'X', 0, ..]) => remarks.push("a preview is left out".to_string()),
            (0xe2, [b'M', b'P', b'F', 0, ..]) => {
                remarks.push("further pictures behind this one are left out, and their index".to_string());
            }
            (0xe1, [b'E', b'x', b'i', b'f', 0, _, ..]) if exif_is_due => {
                exif_is_due = false;
                let block = exif::for_picture(metadata.exif.as_deref(), metadata.orientation, after.size);
                let body = [b"Exif\0\0", block.unwrap_or_default().as_slice()].concat();
                match body.len() <= SEGMENT_BYTES {
                    true => put_segment(out, *marker, &body)?,
                    false => remarks.push("the EXIF block is larger than a segment and is left out".to_string()),
                }
            }
            (marker, body) => put_segment(out, *marker, body)?,
        }
    }
    Ok(remarks)
}
