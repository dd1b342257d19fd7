//! Likely causes of a difference: the accidents that happen between two tools.

use super::causes::FITTED;
use super::figures::decibels;
use super::fix::{Fix, Hint};
use super::pair::{BAND, CLOSE, ENOUGH, FIRST_LOOK, GAIN, Pair, numbers};
use crate::access::orient_bytes;
use crate::frame::{AnyNumbers, Content, Orientation, Pixels, Region, SampleView, SampleViewMut};
use crate::pixel::Depth;
use crate::threads::Threads;

/// The orders of three channels other than their own, swaps first.
const ORDERS: [[u8; 3]; 5] = [[2, 1, 0], [1, 0, 2], [0, 2, 1], [1, 2, 0], [2, 0, 1]];

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
    let told = best.filter(|best| best.0 >= worth).and_then(|(first, fix)| {
        let psnr_db = if step == BAND { first } else { pair.psnr(fix, BAND, f64::NEG_INFINITY) };
        (psnr_db >= worth).then_some(Hint { fix, psnr_db })
    });
    told.or_else(|| {
        let worth = (psnr + FITTED).max(CLOSE);
        let (_, fix) = pair.cause(step, worth - GAIN).filter(|best| best.0 >= worth)?;
        let psnr_db = pair.without(fix, BAND);
        (psnr_db >= worth).then_some(Hint { fix, psnr_db })
    })
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
