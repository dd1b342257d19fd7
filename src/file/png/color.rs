//! Primaries and curves in PNG: the code points of cICP (ITU-T H.273), gAMA and cHRM.

use super::packed::Chunks;
use crate::error::{Error, Result};
use crate::file::decoder::take_bytes;
use crate::file::profile::made;
use crate::frame::{Metadata, PixelFormat};
use crate::pixel::{Primaries, Transfer};

/// Primaries by their number in H.273, table 2.
const PRIMARIES: [(u8, Primaries); 3] = [(1, Primaries::Srgb), (9, Primaries::Bt2020), (12, Primaries::DisplayP3)];

/// Curves by their number in H.273, table 3. Those of BT.709 and BT.601 (1, 6), and of BT.2020 for 10 and 12 bits (14, 15), are one each.
const CURVES: [(u8, Transfer); 11] = [
    (1, Transfer::Bt709),
    (6, Transfer::Bt709),
    (4, Transfer::Power(2.2)),
    (5, Transfer::Power(2.8)),
    (8, Transfer::Linear),
    (13, Transfer::Srgb),
    (14, Transfer::Bt709),
    (15, Transfer::Bt2020),
    (16, Transfer::Pq),
    (18, Transfer::Hlg),
    (2, Transfer::Srgb),
];

/// 11.3.2.6 of the third edition: primaries, curve, matrix (0: rgb), and whether the range is full.
pub(super) fn read_code_points(mut body: &[u8], into: &mut Metadata) -> Result<()> {
    let (Some(points), []) = (take_bytes::<4>(&mut body), body) else {
        return Err(Error::malformed("cICP must have 4 bytes"));
    };
    let [primaries, transfer, matrix, _] = points;
    if matrix != 0 {
        return Err(Error::malformed(format!("cICP names matrix {matrix}; only 0 (rgb) is allowed")));
    }
    let known = PRIMARIES.iter().find(|(number, _)| *number == primaries);
    into.primaries = known.map_or(Primaries::Other, |(_, known)| *known);
    let known = CURVES.iter().find(|(number, _)| *number == transfer);
    into.transfer = known.map_or(Transfer::Srgb, |(_, known)| *known);
    // Other chunks see by them that they do not count.
    into.code_points = Some(points);
    Ok(())
}

/// Forgets code points where primaries and curve say as much: they are all there is to remember once all chunks were seen.
pub(super) fn simplify(metadata: &mut Metadata) {
    if metadata.code_points == code_points_of(metadata.primaries, metadata.transfer) {
        metadata.code_points = None;
    }
}

/// The code points of primaries and a curve, where both have some; full range.
fn code_points_of(primaries: Primaries, transfer: Transfer) -> Option<[u8; 4]> {
    let (primaries, _) = PRIMARIES.iter().find(|(_, known)| *known == primaries)?;
    let (transfer, _) = CURVES.iter().find(|(_, known)| *known == transfer)?;
    Some([*primaries, *transfer, 0, 1])
}

/// The chunks of primaries and a curve without a profile; a profile where no other chunk can say them, and a remark where it cannot either.
pub(super) fn write(
    metadata: &Metadata,
    format: &PixelFormat,
    before: &mut Chunks,
    remarks: &mut Vec<String>,
) -> Result<()> {
    let (primaries, transfer) = (metadata.primaries, metadata.transfer);
    if (primaries, transfer) == (Primaries::Srgb, Transfer::Srgb) && metadata.code_points.is_none() {
        before.push((*b"sRGB", vec![0]));
        return Ok(());
    }
    // Code points of one's own come first; they were read with the same primaries and curve.
    let gamma = match transfer {
        Transfer::Srgb => Some(45_455),
        Transfer::Linear => Some(100_000),
        Transfer::Power(exponent) => Some(((1e5 / exponent + 0.5) as u32).max(1)),
        _ => None,
    };
    let points = match metadata.code_points {
        Some(points) => Some(points),
        // Readers that know no code points have the other two chunks, where they can say it.
        None => code_points_of(primaries, transfer)
            .filter(|_| gamma.is_none() || matches!(primaries, Primaries::Bt2020 | Primaries::DisplayP3)),
    };
    before.extend(points.map(|points| (*b"cICP", points.to_vec())));
    if (primaries, transfer) == (Primaries::Srgb, Transfer::Srgb) {
        before.push((*b"sRGB", vec![0]));
        return Ok(());
    }
    if gamma.is_none() && points.is_none() {
        // What no other chunk can say, a profile may.
        if let Some(profile) = made(metadata, format) {
            before.push((*b"iCCP", super::chunks::pack_profile(&profile)?));
            return Ok(());
        }
        remarks.push("left out, because the format cannot store it: the curve of the samples".to_string());
    }
    before.extend(gamma.map(|gamma| (*b"gAMA", gamma.to_be_bytes().to_vec())));
    before.extend(primaries.chromaticities().map(|all| (*b"cHRM", all.map(u32::to_be_bytes).concat())));
    Ok(())
}
