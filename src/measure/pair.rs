//! Two pictures as rows of numbers, and how far they are looked at for the cause of a difference.

use crate::frame::SampleView;
use crate::pixel::NumberKind;

/// Rows that are looked at together: transposed they are columns, of which as many as lie side by side cost the memory no more than
/// one. And how many such bands a first look at a change takes, spread evenly.
pub(super) const BAND: u32 = 8;
pub(super) const FIRST_LOOK: u32 = 8;

/// Differences after which a change that is far off is given up: a row or more of a picture that is large, all bands of a small one.
pub(super) const ENOUGH: u64 = 4096;

/// How much closer, in dB, a change must bring two pictures, and how close at least, to be worth a word.
pub(super) const GAIN: f64 = 6.0;
pub(super) const CLOSE: f64 = 20.0;

/// Two pictures of one number type as bytes.
pub(super) struct Pair<'a> {
    pub(super) a: SampleView<'a, u8>,
    pub(super) b: SampleView<'a, u8>,
    pub(super) kind: NumberKind,
    /// Channels but alpha.
    pub(super) colors: usize,
    pub(super) peak: f64,
}

/// Numbers of a row of bytes.
pub(super) fn numbers(bytes: &[u8], kind: NumberKind, out: &mut Vec<f64>) {
    #[inline(always)]
    fn all<const N: usize>(bytes: &[u8], out: &mut Vec<f64>, of: impl Fn([u8; N]) -> f64) {
        for b in bytes.as_chunks::<N>().0 {
            out.push(of(*b));
        }
    }
    out.clear();
    match kind {
        NumberKind::U8 => all(bytes, out, |[b]| f64::from(b)),
        NumberKind::I8 => all(bytes, out, |[b]| f64::from(b as i8)),
        NumberKind::U16 => all(bytes, out, |b| f64::from(u16::from_ne_bytes(b))),
        NumberKind::I16 => all(bytes, out, |b| f64::from(i16::from_ne_bytes(b))),
        NumberKind::U32 => all(bytes, out, |b| f64::from(u32::from_ne_bytes(b))),
        NumberKind::I32 => all(bytes, out, |b| f64::from(i32::from_ne_bytes(b))),
        NumberKind::U64 => all(bytes, out, |b| u64::from_ne_bytes(b) as f64),
        NumberKind::I64 => all(bytes, out, |b| i64::from_ne_bytes(b) as f64),
        NumberKind::F32 => all(bytes, out, |b| f64::from(f32::from_ne_bytes(b))),
        NumberKind::F64 => all(bytes, out, f64::from_ne_bytes),
    }
}
