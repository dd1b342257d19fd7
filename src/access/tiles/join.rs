//! Tiles put together again.

use super::{Tile, TileGrid};
use crate::access::map::same_size;
use crate::error::{Error, Result};
use crate::frame::{Frame, Region, Size, View, ViewMut, gate};
use crate::pixel::{Number, Pixel};

/// What a pixel is that several tiles hold.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Default)]
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
    pub fn joined_size(&self) -> Result<Size> {
        if self.step.0 > self.tile.width || self.step.1 > self.tile.height {
            return Err(Error::unusable(format!(
                "tiles of {} at steps of {} and {} leave gaps; they cannot be joined",
                self.tile, self.step.0, self.step.1
            )));
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

    /// The picture that the tiles make up: `tile` gives each in the grid's order, as it was cut. One pass over the
    /// tiles; with [`Overlap::Average`] in `f64`, with two values a number of memory.
    ///
    /// # Errors
    /// Tiles of other sizes than the grid's, gaps, what `tile` gives, or a size beyond the system's memory.
    pub fn join<P: Pixel>(&self, overlap: Overlap, tile: impl FnMut(Tile) -> Result<Frame<P>>) -> Result<Frame<P>> {
        let mut out = Frame::new(self.joined_size()?)?;
        self.join_into(overlap, out.view_mut(), tile)?;
        Ok(out)
    }

    /// [`join`](TileGrid::join) into a view of the size that [`joined_size`](TileGrid::joined_size) gives.
    ///
    /// # Errors
    /// As [`join`](TileGrid::join), or a target of another size.
    pub fn join_into<P: Pixel>(
        &self,
        overlap: Overlap,
        mut target: ViewMut<'_, P>,
        mut tile: impl FnMut(Tile) -> Result<Frame<P>>,
    ) -> Result<()> {
        same_size("the target", self.joined_size()?, target.size())?;
        let mut sums = match overlap {
            Overlap::Average if self.overlaps() => Some(Sums::new(target.size(), P::CHANNELS)?),
            _ => None,
        };
        for place in self.tiles() {
            let frame = tile(place)?;
            same_size(&format!("tile {},{}", place.column, place.row), self.cut_size(&place), frame.size())?;
            let inside = frame.region(place.region.size().region())?;
            match &mut sums {
                Some(sums) => sums.add(inside, place.region),
                None => target.paste(&inside, i64::from(place.region.x()), i64::from(place.region.y()))?,
            }
        }
        if let Some(sums) = sums {
            sums.means_into(&mut target);
        }
        Ok(())
    }
}

/// What tiles add up to, and how many lie on each pixel.
struct Sums {
    width: usize,
    channels: usize,
    sums: Vec<f64>,
    counts: Vec<u32>,
}

impl Sums {
    fn new(size: Size, channels: usize) -> Result<Sums> {
        let pixels = size.pixels() as usize;
        let sums = gate::zeroed(pixels * channels)?;
        Ok(Sums { width: size.width as usize, channels, sums, counts: gate::zeroed(pixels)? })
    }

    fn add<P: Pixel>(&mut self, tile: View<'_, P>, region: Region) {
        for y in 0..tile.height() {
            let at = (region.y() + y) as usize * self.width + region.x() as usize;
            let row = tile.row_numbers(y);
            let to = &mut self.sums[at * self.channels..][..row.len()];
            to.iter_mut().zip(row).for_each(|(sum, v)| *sum += v.to_f64());
            self.counts[at..at + tile.width() as usize].iter_mut().for_each(|n| *n += 1);
        }
    }

    fn means_into<P: Pixel>(self, target: &mut ViewMut<'_, P>) {
        let width = self.width.max(1); // of a target without columns there is nothing to chunk
        let (sums, counts) = (self.sums.chunks(width * self.channels), self.counts.chunks(width));
        for (y, (sums, counts)) in (0..target.height()).zip(sums.zip(counts)) {
            let pixels = target.row_numbers_mut(y).chunks_exact_mut(P::CHANNELS);
            for ((to, sums), &n) in pixels.zip(sums.chunks_exact(P::CHANNELS)).zip(counts) {
                // Without gaps every pixel is in one tile at least.
                to.iter_mut().zip(sums).for_each(|(to, sum)| *to = P::Number::from_f64(sum / f64::from(n.max(1))));
            }
        }
    }
}
