//! The samples of the components, a few rows at a time, and their stretching to the size of the picture.
//!
//! A component that is sampled less is stretched by triangle weights between the centres of its samples (JFIF puts them
//! amid those they stand for), or by repetition. Two rows of MCUs are held: those that are given, and those behind them.

use super::frame::FrameHeader;
use crate::error::Result;
use crate::memory;
use crate::pixel::Sample;

/// Samples as codes of the file: bytes, or words of 12 bits.
pub(super) trait Code: Sample + Into<u32> {
    /// Of a number within their range.
    fn of(value: u32) -> Self;
    /// Of a number that may lie outside.
    fn clamped(value: i32) -> Self;
}

impl Code for u8 {
    #[inline(always)]
    fn of(value: u32) -> u8 {
        value as u8
    }
    #[inline(always)]
    fn clamped(value: i32) -> u8 {
        value.clamp(0, 255) as u8
    }
}

impl Code for u16 {
    #[inline(always)]
    fn of(value: u32) -> u16 {
        value as u16
    }
    #[inline(always)]
    fn clamped(value: i32) -> u16 {
        value.clamp(0, 4095) as u16
    }
}

/// What stretching does between samples.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
pub(super) enum Stretch {
    /// Weighs the two nearest.
    Triangle,
    /// Repeats the nearest.
    Repeat,
}

/// Rows of one component.
#[derive(Debug)]
struct Strip<S> {
    /// Sampling against the largest factors: across and down.
    h: (u32, u32),
    v: (u32, u32),
    /// Samples that count, and samples from row to row.
    width: usize,
    height: u32,
    stride: usize,
    /// Rows an MCU has.
    rows: usize,
    /// Two rows of MCUs; the first one starts at this row of the component.
    samples: Vec<S>,
    start: u32,
    /// Rows that are there from `start` on.
    have: usize,
    /// Where each column of the picture lies: left sample, and the weight of the one to its right.
    columns: Vec<(u32, u32)>,
}

/// Rows of all components.
#[derive(Debug)]
pub(super) struct Strips<S> {
    strips: Vec<Strip<S>>,
    stretch: Stretch,
    width: usize,
    /// A row between the stretching down and across.
    between: Vec<u32>,
    narrow: Vec<u16>,
}

impl<S: Code> Strips<S> {
    /// For a frame whose blocks come as `n` x `n` samples: 8, or fewer where it is read smaller.
    pub(super) fn new(frame: &FrameHeader, n: u32, stretch: Stretch) -> Result<Strips<S>> {
        let width = frame.size.width.saturating_mul(n).div_ceil(8);
        let strips = frame.components.iter().map(|c| {
            let (h, v) = ((u32::from(c.h), u32::from(frame.h)), (u32::from(c.v), u32::from(frame.v)));
            let stride = (c.padded.0 as usize).saturating_mul(n as usize);
            let rows = usize::from(c.v).saturating_mul(n as usize);
            let own = c.width.saturating_mul(n).div_ceil(8).max(1);
            let height = c.height.saturating_mul(n).div_ceil(8).max(1);
            let columns = match h.0 == h.1 {
                true => Vec::new(),
                false => (0..width).map(|x| between(x, h, own, stretch)).collect(),
            };
            let samples = memory::zeros(stride.saturating_mul(rows).saturating_mul(2))?;
            Ok(Strip { h, v, width: own as usize, height, stride, rows, samples, start: 0, have: 0, columns })
        });
        Ok(Strips {
            strips: strips.collect::<Result<_>>()?,
            stretch,
            width: width as usize,
            between: Vec::new(),
            narrow: Vec::new(),
        })
    }

    /// Bytes that strips of a frame take.
    pub(super) fn memory(frame: &FrameHeader) -> u64 {
        let of = |c: &super::frame::Component| u64::from(c.padded.0).saturating_mul(u64::from(c.v)).saturating_mul(128);
        frame.components.iter().map(of).fold(0u64, u64::saturating_add).saturating_mul(size_of::<S>() as u64)
    }

    /// Makes room for the next row of MCUs: the one before the last is given up.
    pub(super) fn advance(&mut self) {
        for strip in &mut self.strips {
            if strip.have >= strip.rows.saturating_mul(2) {
                let half = strip.stride.saturating_mul(strip.rows);
                strip.samples.copy_within(half.., 0);
                strip.start = strip.start.saturating_add(strip.rows as u32);
                strip.have = strip.have.saturating_sub(strip.rows);
            }
            strip.have = strip.have.saturating_add(strip.rows);
        }
    }

    /// The samples of a component's last row of MCUs, and how many there are from row to row.
    pub(super) fn last(&mut self, component: usize) -> (&mut [S], usize) {
        let Some(strip) = self.strips.get_mut(component) else { return (&mut [], 0) };
        let from = strip.have.saturating_sub(strip.rows).saturating_mul(strip.stride);
        (strip.samples.get_mut(from..).unwrap_or_default(), strip.stride)
    }

    /// Whether all is there that a row of the picture needs; `all` where no more rows of MCUs come.
    pub(super) fn has(&self, y: u32, all: bool) -> bool {
        self.strips.iter().all(|strip| {
            let (upper, weight) = between(y, strip.v, strip.height, self.stretch);
            let lower = if weight > 0 { upper.saturating_add(1) } else { upper };
            all || lower < strip.start.saturating_add(strip.have as u32)
        })
    }

    /// A component's row stretched to the picture's width.
    pub(super) fn row(&mut self, component: usize, y: u32, out: &mut Vec<S>) {
        let Strips { strips, stretch, width, between: wide, narrow } = self;
        let Some(strip) = strips.get(component) else { return };
        let (upper, weight) = between(y, strip.v, strip.height, *stretch);
        let near = strip.row(upper);
        let far = strip.row(upper.saturating_add(u32::from(weight > 0)));
        out.clear();
        let whole_across = strip.h.0 == strip.h.1;
        if whole_across && weight == 0 {
            out.extend_from_slice(near.get(..*width).unwrap_or(near));
            return;
        }
        let down = strip.v.1.saturating_mul(2);
        let halves = strip.h.1 == strip.h.0.saturating_mul(2) && *stretch == Stretch::Triangle;
        if halves && (weight == 0 || strip.v.1 == strip.v.0.saturating_mul(2)) && size_of::<S>() == 1 {
            doubled(
                near,
                far,
                weight.checked_mul(4).and_then(|w| w.checked_div(down)).unwrap_or(0),
                narrow,
                *width,
                out,
            );
            return;
        }
        wide.clear();
        let (a, b) = (down.saturating_sub(weight), weight);
        wide.resize(near.len().min(far.len()), 0);
        for ((to, &near), &far) in wide.iter_mut().zip(near).zip(far) {
            let (near, far): (u32, u32) = (near.into(), far.into());
            *to = near.wrapping_mul(a).wrapping_add(far.wrapping_mul(b));
        }
        let across = if whole_across { 1 } else { strip.h.1.saturating_mul(2) };
        let all = down.saturating_mul(across).max(1);
        let half = all >> 1;
        let value = |sum: u32| S::of(sum.wrapping_add(half).checked_div(all).unwrap_or(0));
        match whole_across {
            true => out.extend(wide.iter().take(*width).map(|&v| value(v))),
            false => out.extend(strip.columns.iter().map(|&(left, weight)| {
                let at = |i: u32| wide.get(i as usize).or(wide.last()).copied().unwrap_or(0);
                let (a, b) = (across.saturating_sub(weight), weight);
                let right = if weight > 0 { left.saturating_add(1) } else { left };
                value(at(left).wrapping_mul(a).wrapping_add(at(right).wrapping_mul(b)))
            })),
        }
    }
}

impl<S: Code> Strip<S> {
    /// A row of the component, the last one for those beyond it.
    fn row(&self, y: u32) -> &[S] {
        let y = y.min(self.height.saturating_sub(1)).saturating_sub(self.start) as usize;
        let from = y.min(self.have.saturating_sub(1)).saturating_mul(self.stride);
        self.samples.get(from..).and_then(|rest| rest.get(..self.width)).unwrap_or_default()
    }
}

/// Where place `x` of the picture lies among the samples of a component that has `own` of them and `part` to `most` of
/// the picture's: the sample before it, and the weight of the one behind that, of `2 * most`.
fn between(x: u32, (part, most): (u32, u32), own: u32, stretch: Stretch) -> (u32, u32) {
    if part == most {
        return (x, 0);
    }
    let last = own.saturating_sub(1);
    if stretch == Stretch::Repeat {
        return (x.saturating_mul(part).checked_div(most).unwrap_or(0).min(last), 0);
    }
    // (x + 1/2) * part / most - 1/2, over 2 * most.
    let over = most.saturating_mul(2);
    let place = x.saturating_mul(2).saturating_add(1).saturating_mul(part).saturating_sub(most);
    let (left, weight) = (place.checked_div(over).unwrap_or(0), place.checked_rem(over).unwrap_or(0));
    if left >= last { (last, 0) } else { (left, weight) }
}

/// A row of bytes stretched to twice its width, after mixing two rows with weights of `4 - weight` and `weight` quarters.
fn doubled<S: Code>(near: &[S], far: &[S], weight: u32, mixed: &mut Vec<u16>, width: usize, out: &mut Vec<S>) {
    mixed.clear();
    let (a, b) = (4u16.saturating_sub(weight as u16), weight as u16);
    let narrow = |v: S| -> u16 {
        let v: u32 = v.into();
        v as u16
    };
    // A row that stands alone counts four times, so that one rule serves: sixteenths.
    mixed
        .extend(near.iter().zip(far).map(|(&n, &f)| narrow(n).wrapping_mul(a).wrapping_add(narrow(f).wrapping_mul(b))));
    let (Some(&first), Some(&last)) = (mixed.first(), mixed.last()) else { return };
    out.resize(mixed.len().saturating_mul(2), S::default());
    let value = |near: u16, other: u16| S::of(u32::from(near.wrapping_mul(3).wrapping_add(other).wrapping_add(8) >> 4));
    let pairs = out.as_chunks_mut::<2>().0;
    if let [one] = mixed.as_slice() {
        pairs.iter_mut().for_each(|pair| *pair = [value(*one, *one); 2]);
    } else {
        // Slices, so that the loop vectorises.
        let inner = pairs.get_mut(1..).unwrap_or_default().iter_mut().zip(mixed.iter());
        let behind = mixed.get(1..).unwrap_or_default().iter().zip(mixed.get(2..).unwrap_or_default());
        inner.zip(behind).for_each(|((pair, &b), (&m, &n))| *pair = [value(m, b), value(m, n)]);
        if let (Some(pair), Some(&second)) = (pairs.first_mut(), mixed.get(1)) {
            *pair = [value(first, first), value(first, second)];
        }
        let before_last = mixed.get(mixed.len().saturating_sub(2)).copied().unwrap_or(last);
        if let Some(pair) = pairs.last_mut() {
            *pair = [value(last, before_last), value(last, last)];
        }
    }
    out.truncate(width);
}
