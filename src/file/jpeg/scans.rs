//! The scans of a file that is written: which there are, and their parts as symbols and bits.

use super::codes::Sink;
use super::coding::{Ended, band_again, band_first, mean, sequential};
use super::shape::{McuLayout, Row};

/// Numbers of a component's DC and AC tables: luminance has its own.
#[inline(always)]
fn tables_of(component: usize) -> (usize, usize) {
    if component == 0 { (0, 1) } else { (2, 3) }
}

/// A row of MCUs, blocks of all components together.
pub(super) fn interleaved(sink: &mut impl Sink, row: &Row, shape: &McuLayout, means: &mut [i32; 4]) {
    for mcu in 0..shape.mcus.0 {
        for (component, at) in shape.blocks_of_mcu(mcu) {
            if let (Some(block), Some(before)) = (row.get(component).and_then(|r| r.get(at)), means.get_mut(component))
            {
                sequential(sink, tables_of(component), block, before);
            }
        }
    }
}

/// One scan of a progressive file.
#[derive(Debug, Clone, Copy)]
pub(super) struct Progress {
    /// The component, or none for the DC coefficients of all.
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

/// A part of a scan: some rows of MCUs from row `start` on, behind a restart marker or at the start.
pub(super) fn part_of_scan(
    sink: &mut impl Sink,
    (start, rows): (usize, &[Row]),
    shape: &McuLayout,
    scan: Option<Progress>,
) {
    let mut means = [0i32; 4];
    match scan {
        None => rows.iter().for_each(|row| interleaved(sink, row, shape, &mut means)),
        Some(Progress { component: None, high, low, .. }) => {
            for row in rows {
                means_alone(sink, row, shape, (high, low), &mut means);
            }
        }
        Some(Progress { component: Some(component), band, high, low }) => {
            band_of(sink, (start, rows), shape, component, (band, high, low));
        }
    }
}

/// The DC coefficients of a row of MCUs: their higher bits, or bit `low`.
fn means_alone(sink: &mut impl Sink, row: &Row, shape: &McuLayout, (high, low): (u8, u8), means: &mut [i32; 4]) {
    let low = u32::from(low);
    for (component, at) in (0..shape.mcus.0).flat_map(|mcu| shape.blocks_of_mcu(mcu)) {
        let Some([value, ..]) = row.get(component).and_then(|r| r.get(at)) else { continue };
        match (high, means.get_mut(component)) {
            (0, Some(before)) => mean(sink, tables_of(component).0, i32::from(*value) >> low, before),
            _ => sink.bits((*value >> low) as u32 & 1, 1),
        }
    }
}

/// A band of one component, which has blocks only where its samples count.
fn band_of(
    sink: &mut impl Sink,
    (start, rows): (usize, &[Row]),
    shape: &McuLayout,
    component: usize,
    (band, high, low): ((u8, u8), u8, u8),
) {
    let ((across, down), (h, v)) = (shape.blocks_of(component), shape.factors_of(component));
    let down = down.saturating_sub(start.saturating_mul(v));
    let stride = shape.mcus.0.saturating_mul(h).max(1);
    let (_, ac) = tables_of(component);
    let (first, last) = (usize::from(band.0), usize::from(band.1));
    let mut ended = Ended::default();
    let blocks = rows.iter().filter_map(|row| row.get(component)).flat_map(|row| row.chunks(stride));
    for row in blocks.take(down) {
        for block in row.iter().take(across) {
            let band = block.get(first..=last).unwrap_or_default();
            match high {
                0 => band_first(sink, ac, band, u32::from(low), &mut ended),
                _ => band_again(sink, ac, band, u32::from(low), &mut ended),
            }
        }
    }
    ended.flush(sink, ac);
}
