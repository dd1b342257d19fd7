//! Tiles put together again.

use super::{Tile, TileGrid};
use crate::access::paste::paste_bytes;
use crate::error::{Error, Result};
use crate::frame::{AnyNumbers, AnyNumbersMut, Frame, Region, Size, ViewMut, gate, same_size};
use crate::memory::{Account, Charge};
use crate::pixel::Pixel;

/// Rule for pixels that several tiles hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
#[non_exhaustive]
pub enum Overlap {
    /// The last tile's, in the grid's order.
    #[default]
    Last,
    /// The mean of all, a channel each, rounded to nearest, ties up.
    Average,
}

impl TileGrid {
    /// The size of what the tiles make up together: the picture, or less of it with [`Rest::Drop`](super::Rest::Drop).
    ///
    /// # Errors
    /// Steps longer than the tile, which leave gaps that no tile holds.
    pub fn assembled_size(&self) -> Result<Size> {
        if self.step.0 > self.tile.width || self.step.1 > self.tile.height {
            return Err(Error::invalid(
                "overlap",
                format!(
                    "tiles of {} at steps of {} and {} leave gaps; they cannot be assembled",
                    self.tile, self.step.0, self.step.1
                ),
            ));
        }
        let end = |count: u32, step: u32, tile: u32, side: u32| match count {
            0 => 0,
            n => ((n - 1) * step).saturating_add(tile).min(side),
        };
        Ok(Size::new(
            end(self.columns(), self.step.0, self.tile.width, self.picture.width),
            end(self.rows(), self.step.1, self.tile.height, self.picture.height),
        ))
    }

    /// Assembles a picture from its tiles: `tile` gives each in the grid's order, as it was cut. One pass over the
    /// tiles; with [`Overlap::Average`] in `f64`, with two values a number of memory.
    ///
    /// # Errors
    /// Tiles of other sizes than the grid's, gaps, what `tile` gives, or a size beyond the system's memory.
    pub fn assemble<P: Pixel>(&self, overlap: Overlap, tile: impl FnMut(Tile) -> Result<Frame<P>>) -> Result<Frame<P>> {
        let mut out = Frame::new(self.assembled_size()?)?;
        self.assemble_into(overlap, out.view_mut(), tile)?;
        Ok(out)
    }

    /// [`assemble`](TileGrid::assemble) into a view of the size that [`assembled_size`](TileGrid::assembled_size) gives.
    ///
    /// # Errors
    /// As [`assemble`](TileGrid::assemble), or a target of another size.
    pub fn assemble_into<P: Pixel>(
        &self,
        overlap: Overlap,
        mut target: ViewMut<'_, P>,
        mut tile: impl FnMut(Tile) -> Result<Frame<P>>,
    ) -> Result<()> {
        let mut joint = None;
        for place in self.tiles() {
            let frame = tile(place)?;
            let joint = match &mut joint {
                Some(joint) => joint,
                None => joint.insert(Assembly::new(*self, overlap, (target.size(), P::CHANNELS), frame.account())?),
            };
            joint.put(place, frame.view().numbers_any(), target.reborrow().into_numbers_any())?;
        }
        match joint {
            Some(joint) => joint.finish(target.into_numbers_any()),
            None => same_size("the target", self.assembled_size()?, target.size())?,
        }
        Ok(())
    }
}

/// Tiles on their way into a picture.
pub(in crate::access) struct Assembly {
    grid: TileGrid,
    sums: Option<TileSums>,
}

impl Assembly {
    pub(in crate::access) fn new(
        grid: TileGrid,
        overlap: Overlap,
        (target, channels): (Size, usize),
        account: Account<'_>,
    ) -> Result<Assembly> {
        same_size("the target", grid.assembled_size()?, target)?;
        let sums = match overlap {
            Overlap::Average if grid.overlaps() => Some(TileSums::new(target, channels, account)?),
            _ => None,
        };
        Ok(Assembly { grid, sums })
    }

    pub(in crate::access) fn put(
        &mut self,
        place: Tile,
        tile: AnyNumbers<'_>,
        target: AnyNumbersMut<'_>,
    ) -> Result<()> {
        let wanted = self.grid.cut_size(&place);
        same_size(&format!("tile {},{}", place.column, place.row), wanted, tile.size())?;
        let inside = place.region.size().region();
        match &mut self.sums {
            Some(sums) => sums.add(tile.part(inside), place.region),
            None => {
                let (x, y) = (i64::from(place.region.x()), i64::from(place.region.y()));
                paste_bytes(target.into_bytes(), tile.as_bytes().part(inside), x, y);
            }
        }
        Ok(())
    }

    pub(in crate::access) fn finish(self, target: AnyNumbersMut<'_>) {
        if let Some(sums) = self.sums {
            sums.means_into(target);
        }
    }
}

/// What tiles add up to, and how many lie on each pixel.
struct TileSums {
    width: usize,
    channels: usize,
    sums: Vec<f64>,
    counts: Vec<u32>,
    _charges: [Charge; 2],
}

impl TileSums {
    fn new(size: Size, channels: usize, account: Account<'_>) -> Result<TileSums> {
        // A target of this size exists, so its pixels can be counted; two numbers of eight bytes each may be too many.
        let pixels = size.pixels() as usize;
        let (sums, of_sums) = gate::zeroed(pixels.saturating_mul(channels), account)?;
        let (counts, of_counts) = gate::zeroed(pixels, account)?;
        Ok(TileSums { width: size.width as usize, channels, sums, counts, _charges: [of_sums, of_counts] })
    }

    fn add(&mut self, tile: AnyNumbers<'_>, region: Region) {
        let mut row = Vec::new();
        for y in 0..region.height() {
            let at = (region.y() + y) as usize * self.width + region.x() as usize;
            tile.row(y).gather(0, 1, &mut row);
            let to = &mut self.sums[at * self.channels..][..row.len()];
            to.iter_mut().zip(&row).for_each(|(sum, v)| *sum += v);
            self.counts[at..at + region.width() as usize].iter_mut().for_each(|n| *n += 1);
        }
    }

    fn means_into(&self, mut target: AnyNumbersMut<'_>) {
        let width = self.width.max(1); // of a target without columns there is nothing to chunk
        let (sums, counts) = (self.sums.chunks(width * self.channels), self.counts.chunks(width));
        let mut means = Vec::with_capacity(width * self.channels);
        for (y, (sums, counts)) in (0..target.size().height).zip(sums.zip(counts)) {
            means.clear();
            for (sums, &n) in sums.chunks_exact(self.channels).zip(counts) {
                // Without gaps every pixel is in one tile at least.
                means.extend(sums.iter().map(|sum| sum / f64::from(n.max(1))));
            }
            target.put_row(y, &means);
        }
    }
}
