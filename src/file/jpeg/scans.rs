//! The scans of a file that is written: which there are, and their parts as symbols and bits.

use super::codes::Sink;
use super::coding::{Ended, band_again, band_first, mean, sequential};
use super::planes::{Row, Shape};

/// A row of MCUs, blocks of all components together.
pub(super) fn interleaved(sink: &mut impl Sink, row: &Row, shape: &Shape, means: &mut [i32; 3]) {
    let across = shape.mcus.saturating_mul(shape.h);
    let [luminance, cb, cr] = row;
    let [a, b, c] = means;
    for mcu in 0..shape.mcus {
        for i in 0..shape.h.saturating_mul(shape.v) {
            let (dx, dy) = (i.checked_rem(shape.h).unwrap_or(0), i.checked_div(shape.h).unwrap_or(0));
            let at = dy.saturating_mul(across).saturating_add(mcu.saturating_mul(shape.h)).saturating_add(dx);
            if let Some(block) = luminance.get(at) {
                sequential(sink, (0, 1), block, a);
            }
        }
        if let (Some(cb), Some(cr)) = (cb.get(mcu), cr.get(mcu)) {
            sequential(sink, (2, 3), cb, b);
            sequential(sink, (2, 3), cr, c);
        }
    }
}

/// One scan of a progressive file.
#[derive(Debug, Clone, Copy)]
pub(super) struct Progress {
    /// The component, or none for the means of all.
    pub(super) component: Option<usize>,
    pub(super) band: (u8, u8),
    pub(super) high: u8,
    pub(super) low: u8,
}

/// First what is coarse: means and coefficients but for their lowest bits, the slow waves of luminance before the fast ones;
/// then those bits.
pub(super) fn progress(channels: usize) -> Vec<Progress> {
    let means = |high, low| Progress { component: None, band: (0, 0), high, low };
    let of = |component, band, high, low| Progress { component: Some(component), band, high, low };
    let mut scans = vec![means(0, 1), of(0, (1, 9), 0, 1)];
    scans.extend((1..channels).map(|c| of(c, (1, 63), 0, 1)));
    scans.extend([of(0, (10, 63), 0, 1), means(1, 0)]);
    scans.extend((0..channels).map(|c| of(c, (1, 63), 1, 0)));
    scans
}

/// Blocks across and down where the samples of a component count, and its sampling factors.
pub(super) fn blocks_of(component: usize, shape: &Shape, size: (u16, u16)) -> ((usize, usize), (usize, usize)) {
    let (h, v) = if component == 0 { (shape.h, shape.v) } else { (1, 1) };
    let part = |whole: u16, most: usize, own: usize| usize::from(whole).saturating_mul(own).div_ceil(most).div_ceil(8);
    ((part(size.0, shape.h, h), part(size.1, shape.v, v)), (h, v))
}

/// A part of a scan: some rows of MCUs from row `start` on, behind a restart mark or at the start.
pub(super) fn part_of_scan(
    sink: &mut impl Sink,
    (start, rows): (usize, &[Row]),
    shape: &Shape,
    size: (u16, u16),
    scan: Option<Progress>,
) {
    let mut means = [0i32; 3];
    let Some(scan) = scan else {
        rows.iter().for_each(|row| interleaved(sink, row, shape, &mut means));
        return;
    };
    let low = u32::from(scan.low);
    let Some(component) = scan.component else {
        let across = shape.mcus.saturating_mul(shape.h);
        for row in rows {
            for mcu in 0..shape.mcus {
                let count = shape.h.saturating_mul(shape.v);
                let luminance = (0..count).map(|i| {
                    let (dx, dy) = (i.checked_rem(shape.h).unwrap_or(0), i.checked_div(shape.h).unwrap_or(0));
                    (0usize, dy.saturating_mul(across).saturating_add(mcu.saturating_mul(shape.h)).saturating_add(dx))
                });
                for (c, at) in luminance.chain((1..shape.channels).map(|c| (c, mcu))) {
                    let Some([value, ..]) = row.get(c).and_then(|r| r.get(at)) else { continue };
                    match (scan.high, means.get_mut(c)) {
                        (0, Some(before)) => mean(sink, if c == 0 { 0 } else { 2 }, i32::from(*value) >> low, before),
                        _ => sink.bits((*value >> low) as u32 & 1, 1),
                    }
                }
            }
        }
        return;
    };
    // A single component has blocks only where its samples count.
    let ((across, down), (h, v)) = blocks_of(component, shape, size);
    let down = down.saturating_sub(start.saturating_mul(v));
    let stride = shape.mcus.saturating_mul(h).max(1);
    let ac = if component == 0 { 1 } else { 3 };
    let (first, last) = (usize::from(scan.band.0), usize::from(scan.band.1));
    let mut ended = Ended::default();
    let blocks = rows.iter().filter_map(|row| row.get(component)).flat_map(|row| row.chunks(stride));
    for row in blocks.take(down) {
        for block in row.iter().take(across) {
            let band = block.get(first..=last).unwrap_or_default();
            match scan.high {
                0 => band_first(sink, ac, band, low, &mut ended),
                _ => band_again(sink, ac, band, low, &mut ended),
            }
        }
    }
    ended.flush(sink, ac);
}
