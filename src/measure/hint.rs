//! Likely causes of a difference: the accidents that happen between two tools.

use super::figures::decibels;
use crate::access::orient_bytes;
use crate::frame::{AnyNumbers, Content, Orientation, Pixels, Region, SampleView, SampleViewMut};
use crate::pixel::{Depth, NumberKind};
use crate::threads::Threads;

/// A change that makes the second picture equal to the first, or much closer.
#[derive(Debug, Clone, Copy, PartialEq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize))]
#[non_exhaustive]
pub struct Hint {
    /// The change.
    pub fix: Fix,
    /// PSNR after the change, in dB; infinite where the pictures are equal then.
    #[cfg_attr(feature = "serde", serde(with = "super::null"))]
    pub psnr_db: f64,
}

/// A change of the second picture.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Fix {
    /// Its channels in another order: which of them become red, green and blue.
    Channels([u8; 3]),
    /// Another way to lay it down.
    Orientation(Orientation),
    /// Both pictures at this depth, the coarser of the two.
    Depth(Depth),
}

impl Fix {
    /// The change in words: `r and b are swapped`.
    pub fn words(self) -> String {
        match self {
            Fix::Channels([2, 1, 0]) => "r and b are swapped".into(),
            Fix::Channels([1, 0, 2]) => "r and g are swapped".into(),
            Fix::Channels([0, 2, 1]) => "g and b are swapped".into(),
            Fix::Channels(order) => {
                let letters: Vec<_> =
                    order.iter().filter_map(|&c| ["r", "g", "b"].get(usize::from(c))).copied().collect();
                format!("the channels of the second are taken as {}", letters.join(","))
            }
            Fix::Orientation(orientation) => {
                let word = match orientation {
                    Orientation::Upright => "left as it is",
                    Orientation::MirroredLeftRight => "mirrored left-right",
                    Orientation::MirroredTopBottom => "mirrored top-bottom",
                    Orientation::RotatedHalf => "rotated by 180 degrees",
                    Orientation::RotatedRight => "rotated by 90 degrees clockwise",
                    Orientation::RotatedLeft => "rotated by 90 degrees counter-clockwise",
                    Orientation::Transposed => "transposed",
                    Orientation::AntiTransposed => "transposed about the other diagonal",
                };
                format!("the second is {word}")
            }
            Fix::Depth(depth) => format!("both are taken at {depth}"),
        }
    }
}

impl Hint {
    /// The hint in words: `equal if r and b are swapped`, or how much closer the pictures are than `before`, in dB.
    pub fn words(self, before: f64) -> String {
        let fix = self.fix.words();
        match self.psnr_db.is_infinite() {
            true => format!("equal if {fix}"),
            false => format!("much closer if {fix}: {:.1} dB instead of {before:.1}", self.psnr_db),
        }
    }
}

/// The orders of three channels other than their own, swaps first.
const ORDERS: [[u8; 3]; 5] = [[2, 1, 0], [1, 0, 2], [0, 2, 1], [1, 2, 0], [2, 0, 1]];

/// Rows that are looked at together: transposed they are columns, of which as many as lie side by side cost the memory no more than
/// one. And how many such bands a first look at a change takes, spread evenly.
const BAND: u32 = 8;
const FIRST_LOOK: u32 = 8;

/// Differences after which a change that is far off is given up: a row or more of a picture that is large, all bands of a small one.
const ENOUGH: u64 = 4096;

/// How much closer, in dB, a change must bring two pictures, and how close at least, to be worth a word.
const GAIN: f64 = 6.0;
const CLOSE: f64 = 20.0;

/// The likeliest cause of a difference of `psnr` dB, where there is one. Looks at up to 64 rows for each change, and at all rows
/// for the best.
pub(super) fn hint(a: AnyNumbers<'_>, b: AnyNumbers<'_>, names: &[&str], peak: f64, psnr: f64) -> Option<Hint> {
    let pair = Pair { a: a.as_bytes(), b: b.as_bytes(), kind: a.kind(), colors: a.channels().colors(), peak };
    let orders = ORDERS.iter().filter(|_| names.starts_with(&["r", "g", "b"]) && a.size() == b.size());
    let orientations = Orientation::ALL[1..].iter().filter(|o| o.size(b.size()) == a.size());
    let fixes = orders.map(|&order| Fix::Channels(order)).chain(orientations.map(|&o| Fix::Orientation(o)));
    let step = (a.size().height / FIRST_LOOK).max(BAND);
    let worth = (psnr + GAIN).max(CLOSE);
    let mut best: Option<(f64, Fix)> = None;
    for fix in fixes {
        // One that is far off on the way is given up.
        let found = pair.psnr(fix, step, worth - GAIN);
        if best.is_none_or(|best| found > best.0) {
            best = Some((found, fix));
        }
    }
    let (first, fix) = best.filter(|best| best.0 >= worth)?;
    let psnr_db = if step == BAND { first } else { pair.psnr(fix, BAND, f64::NEG_INFINITY) };
    (psnr_db >= worth).then_some(Hint { fix, psnr_db })
}

/// Two pictures of one number type as bytes.
struct Pair<'a> {
    a: SampleView<'a, u8>,
    b: SampleView<'a, u8>,
    kind: NumberKind,
    /// Channels but alpha.
    colors: usize,
    peak: f64,
}

impl Pair<'_> {
    /// PSNR of a band of rows every `step` rows once the second picture is changed; that of the rows so far where it falls below
    /// `hopeless`.
    fn psnr(&self, fix: Fix, step: u32, hopeless: f64) -> f64 {
        let channels = self.a.channels().count / self.kind.bytes();
        let row_bytes = self.a.width() as usize * self.a.channels().count;
        let (mut sum, mut count) = (0.0, 0u64);
        let mut memory = vec![0; row_bytes * BAND.min(self.a.height()) as usize];
        let (mut first, mut second) = (Vec::new(), Vec::new());
        let orientation = if let Fix::Orientation(o) = fix { o } else { Orientation::Upright };
        let order = if let Fix::Channels(order) = fix { order.map(usize::from) } else { [0, 1, 2] };
        let so_far = |sum: f64, count: u64| decibels(self.peak * self.peak * count as f64, sum);
        for y in (0..self.a.height()).step_by(step as usize) {
            let height = BAND.min(self.a.height() - y);
            let band = Region { x: 0, y, width: self.a.width(), height };
            let Ok(source) = orientation.source_of(band, self.b.size()) else { return f64::NEG_INFINITY };
            let memory = &mut memory[..row_bytes * height as usize];
            let target = SampleViewMut::packed(memory, band.size(), self.a.channels());
            orient_bytes(self.b.part(source), orientation, target);
            for (y, changed) in (y..).zip(memory.chunks_exact(row_bytes.max(1))) {
                numbers(self.a.row(y), self.kind, &mut first);
                numbers(changed, self.kind, &mut second);
                for (a, b) in first.chunks_exact(channels).zip(second.chunks_exact(channels)) {
                    for (c, a) in a.iter().enumerate().take(self.colors) {
                        let from = if c < 3 { order[c] } else { c };
                        let apart = if a.is_nan() && b[from].is_nan() { 0.0 } else { a - b[from] };
                        sum += apart * apart;
                    }
                }
                count += u64::from(self.a.width()) * self.colors as u64;
                if count >= ENOUGH && so_far(sum, count) < hopeless {
                    return so_far(sum, count);
                }
            }
        }
        so_far(sum, count)
    }
}

/// Numbers of a row of bytes.
fn numbers(bytes: &[u8], kind: NumberKind, out: &mut Vec<f64>) {
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

/// What would make two contents equal that cannot be compared: another size or depth.
pub(super) fn hint_of_contents(a: &Content, b: &Content) -> Option<Fix> {
    let (Content::Pixels(a), Content::Pixels(b)) = (a, b) else { return None };
    if a.layout() != b.layout() {
        return None;
    }
    if a.depth() == b.depth() {
        let (a, b) = (a.samples_any().as_bytes(), b.samples_any().as_bytes());
        return Orientation::ALL[1..].iter().find(|&&o| equal_once_oriented(a, b, o)).map(|&o| Fix::Orientation(o));
    }
    let at = |depth: Depth| -> Option<bool> {
        let to = |p: &Pixels| p.to_depth(depth, None, Threads::ALL).ok();
        Some(a.size() == b.size() && to(a)? == to(b)?)
    };
    let coarser = [Depth::U8, Depth::U16].into_iter().find(|d| [a.depth(), b.depth()].contains(d))?;
    at(coarser)?.then_some(Fix::Depth(coarser))
}

/// Rows looked at together.
const STRIP: u32 = 16;

/// Whether `b` laid down this way equals `a`.
fn equal_once_oriented(a: SampleView<'_, u8>, b: SampleView<'_, u8>, orientation: Orientation) -> bool {
    if orientation.size(b.size()) != a.size() || a.channels() != b.channels() {
        return false;
    }
    let row = a.width() as usize * a.channels().count;
    // At most as large as a strip of a picture that is there.
    let mut memory = vec![0; row * STRIP.min(a.height()) as usize];
    (0..a.height()).step_by(STRIP as usize).all(|y| {
        let rows = y..a.height().min(y.saturating_add(STRIP));
        let strip = a.band(rows);
        let part = Region { x: 0, y, width: a.width(), height: strip.height() };
        let Ok(source) = orientation.source_of(part, b.size()) else { return false };
        let memory = &mut memory[..row * strip.height() as usize];
        orient_bytes(b.part(source), orientation, SampleViewMut::packed(memory, strip.size(), a.channels()));
        strip.rows().zip(memory.chunks_exact(row.max(1))).all(|(a, b)| a == b)
    })
}
