//! The pieces of a band's rows that strips and tiles go to: lent to whoever unpacks them, so that each thread puts its own in place.
//!
//! Not here: what they are unpacked from ([`chunk`](super::chunk)).

use super::band::{Band, Job, Pieces};

impl Band {
    /// The pieces of each of these strips or tiles, which lie in the band's `planes`. They come in the order of planes, then down, then
    /// across; `widths` are their bytes across, a number a plane. A row that is too short for one has no piece of it.
    pub(super) fn pieces<'a>(&self, planes: &'a mut [Vec<u8>], jobs: &[Job], widths: &[usize]) -> Vec<Pieces<'a>> {
        let mut all: Vec<Pieces<'a>> = jobs.iter().map(|_| Vec::new()).collect();
        let mut jobs = jobs.iter().zip(&mut all).peekable();
        let layout = self.row_bytes.iter().zip(widths);
        for (number, (plane, (&row_bytes, &width))) in planes.iter_mut().zip(layout).enumerate() {
            let mut of_plane = Vec::new();
            while let Some(job) = jobs.next_if(|(job, _)| job.plane == number) {
                of_plane.push(job);
            }
            let mut ended = 0;
            for (row, bytes) in self.rows.clone().zip(plane.chunks_exact_mut(row_bytes.max(1))) {
                while of_plane.get(ended).is_some_and(|(job, _)| row >= job.first.saturating_add(job.rows)) {
                    ended = ended.saturating_add(1);
                }
                let (mut rest, mut at) = (bytes, 0);
                for (job, pieces) in of_plane.iter_mut().skip(ended).take_while(|(job, _)| job.first <= row) {
                    let from = self.column_of(job).saturating_mul(width);
                    let end = from.saturating_add(width);
                    if let Some((piece, behind)) = from.checked_sub(at).and_then(|gap| {
                        let (_, here) = std::mem::take(&mut rest).split_at_mut_checked(gap)?;
                        here.split_at_mut_checked(width)
                    }) {
                        pieces.push(piece);
                        (rest, at) = (behind, end);
                    }
                }
            }
        }
        all
    }

    /// Copies a part of a row to its place.
    pub(super) fn put(&mut self, plane: usize, row: u32, from: usize, bytes: &[u8]) {
        let each = self.row_bytes.get(plane).copied().unwrap_or(0);
        let at = each.saturating_mul(row as usize).saturating_add(from);
        let to = self.planes.get_mut(plane).and_then(|plane| plane.get_mut(at..)?.get_mut(..bytes.len()));
        if let Some(to) = to {
            to.copy_from_slice(bytes);
        }
    }

    /// How many strips or tiles of the band stand before this one.
    pub(super) fn column_of(&self, job: &Job) -> usize {
        job.across.saturating_sub(self.across.start) as usize
    }
}
