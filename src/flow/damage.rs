//! What damage has cost: lost and suspect rows.

use crate::error::Error;
use std::ops::Range;

/// What damage has cost: rows that could not be read, which are given as zeros, and rows that may be wrong. All others are good.
#[derive(Debug)]
#[non_exhaustive]
pub struct Damage {
    /// The lost rows, as the file stores them; ranges in order, none touching another.
    pub lost: Vec<Range<u32>>,
    /// Suspect rows: nothing was found wrong in themselves, but in what they were read with - a block whose checksum is wrong, coded
    /// data that no mark confirms up to where it fails. Ranges in order; lost rows may be among them.
    pub suspect: Vec<Range<u32>>,
    /// Rows of the picture, as the file declares them.
    pub rows: u32,
    /// The first error of reading.
    pub error: Error,
}

impl Damage {
    /// Number of lost rows.
    pub fn rows_lost(&self) -> u32 {
        self.lost.iter().fold(0, |sum, r| sum.saturating_add(r.end - r.start))
    }

    /// Number of suspect rows that are not lost.
    pub fn rows_suspect(&self) -> u32 {
        let shared = |a: &Range<u32>, b: &Range<u32>| a.end.min(b.end).saturating_sub(a.start.max(b.start));
        let of = |range: &Range<u32>| {
            let lost = self.lost.iter().fold(0, |sum: u32, lost| sum.saturating_add(shared(range, lost)));
            (range.end - range.start).saturating_sub(lost)
        };
        self.suspect.iter().fold(0, |sum, range| sum.saturating_add(of(range)))
    }

    /// Number of good rows.
    pub fn rows_good(&self) -> u32 {
        self.rows.saturating_sub(self.rows_lost()).saturating_sub(self.rows_suspect())
    }

    /// Damage with this error, and no rows so far.
    pub(crate) fn new(error: Error) -> Damage {
        Damage { lost: Vec::new(), suspect: Vec::new(), rows: 0, error }
    }

    /// Adds suspect rows, which may be known already.
    pub(crate) fn doubt(&mut self, rows: Range<u32>) {
        if rows.is_empty() {
            return;
        }
        // Behind all that begin before it; what touches becomes one.
        let mut at = self.suspect.partition_point(|before| before.start <= rows.start);
        match at.checked_sub(1).and_then(|before| self.suspect.get_mut(before)) {
            Some(before) if rows.start <= before.end => {
                before.end = before.end.max(rows.end);
                at -= 1;
            }
            _ => self.suspect.insert(at, rows),
        }
        while let Some(next) = self.suspect.get(at + 1).cloned().filter(|next| next.start <= self.suspect[at].end) {
            self.suspect[at].end = self.suspect[at].end.max(next.end);
            self.suspect.remove(at + 1);
        }
    }

    /// Adds lost rows behind those that are known.
    pub(crate) fn lose(&mut self, rows: Range<u32>) {
        match self.lost.last_mut() {
            Some(last) if last.end >= rows.start => last.end = last.end.max(rows.end),
            _ if rows.is_empty() => {}
            _ => self.lost.push(rows),
        }
    }
}
