//! Counting values of 8 and 16 bits level by level: what histograms and figures of integers rest on.

use crate::frame::View;
use crate::pixel::{Number, NumberKind, Pixel};
use crate::threads::{self, Threads};

/// Levels of a number type that is counted by level.
pub(super) fn levels_of<T: Number>() -> Option<usize> {
    match T::KIND {
        NumberKind::U8 => Some(256),
        NumberKind::U16 => Some(65_536),
        _ => None,
    }
}

/// How often each stored value of 8 or 16 bits occurs in a channel. One pass.
pub(super) fn count_levels<P: Pixel>(view: View<'_, P>, channel: usize, levels: usize, threads: Threads) -> Vec<u64> {
    let bytes = view.size().pixels() as usize * size_of::<P>();
    let bands = threads::bands(view.height(), threads.bands(bytes));
    let parts = threads::collect(bands, |rows| {
        // Four tables, so that runs of one value do not wait for their own count to be stored.
        let mut tables = [(); 4].map(|()| vec![0u64; levels]);
        for y in rows {
            let row = view.row_numbers(y);
            let mut four = row[channel..].chunks(4 * P::CHANNELS);
            for group in &mut four {
                for (table, value) in tables.iter_mut().zip(group.iter().step_by(P::CHANNELS)) {
                    // Only 8- and 16-bit values come here, so that each is an index into a table of its levels.
                    table[value.to_f64() as usize] += 1;
                }
            }
        }
        tables
    });
    let mut counts = vec![0u64; levels];
    for table in parts.iter().flatten() {
        counts.iter_mut().zip(table).for_each(|(count, more)| *count += more);
    }
    counts
}
