//! A histogram as a small bar picture of characters.

/// Bars of up to eight steps in a character.
const STEPS: [char; 9] = [' ', '▁', '▂', '▃', '▄', '▅', '▆', '▇', '█'];

/// Counts as bars: `columns` characters wide at most, `rows` high, the highest bar full. Neighbouring bins share a column
/// where there are more bins than columns. A count that is not zero always shows.
pub fn bars(bins: &[u64], columns: usize, rows: usize) -> Vec<String> {
    let columns = columns.min(bins.len()).max(1);
    let edge = |column: usize| column * bins.len() / columns;
    let sums: Vec<u64> = (0..columns).map(|c| bins[edge(c)..edge(c + 1)].iter().sum()).collect();
    let highest = sums.iter().copied().max().unwrap_or(0).max(1);
    let height = |sum: u64| {
        let full = u128::from(sum) * 8 * rows as u128;
        full.div_ceil(u128::from(highest)) as usize
    };
    let row = |level: usize| {
        let steps = sums.iter().map(|&sum| STEPS[height(sum).saturating_sub(8 * level).min(8)]);
        steps.collect::<String>()
    };
    (0..rows).rev().map(row).collect()
}

#[cfg(test)]
mod tests {
    use super::*;

    #[test]
    fn the_highest_bar_is_full_and_the_least_count_shows() {
        assert_eq!(bars(&[0, 8, 16, 1], 9, 1), [" ▄█▁"]);
        assert_eq!(bars(&[0, 1000, 1], 9, 2), [" █ ", " █▁"]);
        assert_eq!(bars(&[1, 1, 2, 0], 2, 1), ["██"]);
        assert_eq!(bars(&[0, 0], 5, 1), ["  "]);
    }
}
