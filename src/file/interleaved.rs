//! Numbers of planes that files keep side by side, pixel by pixel, like the channels of a picture.

use crate::frame::{AnyNumbers, AnyNumbersMut};

/// A row of numbers of `N` bytes side by side into one plane each, whose numbers take as many; `swapped` turns their bytes around.
pub(super) fn apart<const N: usize>(row: &[u8], planes: &mut [AnyNumbersMut<'_>], y: u32, swapped: bool) {
    let (elements, channels) = (row.as_chunks::<N>().0, planes.len().max(1));
    for (channel, plane) in planes.iter_mut().enumerate() {
        let to = plane.row_bytes_mut(y).as_chunks_mut::<N>().0;
        let mut from = elements.iter().skip(channel).step_by(channels);
        for to in to {
            let Some(bytes) = from.next() else { break };
            *to = *bytes;
            if swapped {
                to.reverse();
            }
        }
    }
}

/// A row of every plane as numbers of `N` bytes side by side; `swapped` turns their bytes around.
pub(super) fn together<const N: usize>(planes: &[AnyNumbers<'_>], y: u32, swapped: bool, row: &mut Vec<u8>) {
    let channels = planes.len();
    let width = planes.first().map_or(0, |plane| plane.size().width as usize);
    row.resize(width.saturating_mul(channels).saturating_mul(N), 0);
    for (channel, plane) in planes.iter().enumerate() {
        let mut places = row.as_chunks_mut::<N>().0.iter_mut().skip(channel).step_by(channels.max(1));
        for number in plane.as_bytes().row(y).as_chunks::<N>().0 {
            let Some(to) = places.next() else { break };
            *to = *number;
            if swapped {
                to.reverse();
            }
        }
    }
}
