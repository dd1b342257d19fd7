//! The curve of a page by its table TransferFunction (section 20): named where it is that of a standard, or a power.

use super::directory::Values;
use super::tags;
use crate::error::Result;
use crate::pixel::Transfer;

/// What a table's entries are parts of.
const FULL: f64 = 65_535.0;
/// How far entries may lie from a curve: an eighth of a code of eight bits, as writers round the constants of BT.709 to three digits.
const WITHIN: f64 = 32.0;

/// What the table says.
pub(super) enum Curve {
    /// One of the curves that pictures carry.
    Named(Transfer),
    /// Another one, why it is left out.
    LeftOut(&'static str),
}

/// Reads the table: light of each code, one for all channels or one each.
pub(super) fn read(v: &mut Values<'_>) -> Result<Option<Curve>> {
    let Some(table) = v.numbers(tags::TRANSFER_FUNCTION, 3 << 16)? else { return Ok(None) };
    let bits = v.one(tags::BITS)?.unwrap_or(1);
    let codes = if (1..=16).contains(&bits) { 1usize << bits } else { 0 };
    let tables: Vec<&[u64]> = table.chunks_exact(codes.max(2)).collect();
    let Some((first, others)) = tables.split_first() else {
        return Ok(Some(Curve::LeftOut("it has not an entry for each code")));
    };
    if table.len() != codes && table.len() != codes.saturating_mul(3) {
        return Ok(Some(Curve::LeftOut("it has not an entry for each code")));
    }
    if others.iter().any(|other| other != first) {
        return Ok(Some(Curve::LeftOut("its channels have curves of their own")));
    }
    // A power goes through the middle entry.
    let middle = first.len() / 2;
    let (code, light) = (fraction(middle, first.len()), first.get(middle).map_or(0.0, |&v| v as f64 / FULL));
    let power = Transfer::Power(((light.ln() / code.ln()) * 100.0).round() / 100.0);
    let curves = [Transfer::Srgb, Transfer::Linear, Transfer::Bt709, power, Transfer::Romm];
    let mut nearest = (WITHIN, None);
    for curve in curves {
        let apart = apart(first, curve);
        if apart < nearest.0 {
            nearest = (apart, Some(curve));
        }
    }
    Ok(Some(nearest.1.map_or(Curve::LeftOut("it is none of a standard, and no power"), Curve::Named)))
}

/// A code as a fraction of the largest.
fn fraction(code: usize, codes: usize) -> f64 {
    code as f64 / codes.saturating_sub(1).max(1) as f64
}

/// How far the furthest entry is from the light of its code; of a curve that is none, infinitely.
fn apart(table: &[u64], curve: Transfer) -> f64 {
    let mut furthest = 0.0f64;
    for (code, &entry) in table.iter().enumerate() {
        let apart = (curve.decode(fraction(code, table.len())) * FULL - entry as f64).abs();
        furthest = if apart.is_nan() { f64::INFINITY } else { furthest.max(apart) };
    }
    furthest
}
