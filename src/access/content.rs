//! Moves of content whose type is known at run time only: pasting, tiles, the contact picture. They have the names of the
//! typed calls and see pixels as bytes, so they are compiled once.

use super::bytes::MOST;
use super::paste::{fits, paste_bytes};
use super::tiles::{Assembly, Overlap, Tile, TileGrid, contact_bytes, cut_bytes};
use super::{Edge, fill};
use crate::error::{ErrorKind, Result};
use crate::frame::{Content, PixelFormat, Region};
use crate::pixel::{Depth, NumberKind};
use crate::simd::arrays;

/// The bytes of one pixel of this format, its channels given as fractions of full; a plane's number is the first, as it is.
fn pixel_bytes(format: &PixelFormat, channels: [f64; 4]) -> [u8; MOST] {
    let (kind, count, full) = match format {
        PixelFormat::Pixels { depth, layout } => {
            let (kind, full) = match depth {
                Depth::U8 => (NumberKind::U8, 255.0),
                Depth::U16 => (NumberKind::U16, 65_535.0),
                Depth::F32 => (NumberKind::F32, 1.0),
            };
            (kind, layout.channels(), full)
        }
        PixelFormat::Planes { number, .. } => (*number, 1, 1.0),
    };
    let mut out = [0; MOST];
    let numbers = arrays::map(channels, |v| v * full);
    kind.put(&numbers[..count], &mut out[..count * kind.bytes()]);
    out
}

impl Content {
    /// [`ViewMut::paste`](crate::ViewMut::paste) for content of one pixel format: pixels onto pixels, each plane onto that of
    /// its name. One pass over what is copied.
    ///
    /// # Errors
    /// Pixel formats that differ (the error names both), or a picture that would reach outside.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Content, Frame, Gray, Size};
    /// let mut sea = Content::from(Frame::filled(Size::new(6, 4), Gray::new(10u8))?);
    /// sea.paste(&Frame::filled(Size::new(2, 1), Gray::new(200u8))?.into(), 3, 2)?;
    /// assert_eq!(sea.pixels()?.view::<Gray<u8>>()?[(4, 2)].value, 200);
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn paste(&mut self, source: &Content, x: i64, y: i64) -> Result<()> {
        self.check_same_format(source)?;
        fits(x, y, source.size(), self.size())?;
        self.paste_clipped(source, x, y).map(drop)
    }

    /// [`ViewMut::paste_clipped`](crate::ViewMut::paste_clipped): pastes what lies inside, and gives the region that was.
    ///
    /// # Errors
    /// Pixel formats that differ; the error names both.
    pub fn paste_clipped(&mut self, source: &Content, x: i64, y: i64) -> Result<Region> {
        let mut region = Region::default();
        self.changed_by_bytes(source, &mut |into, from| {
            region = paste_bytes(into, from, x, y);
            Ok(())
        })?;
        Ok(region)
    }

    /// [`View::cut_tile`](crate::View::cut_tile). A constant edge is given as fractions of full, a channel each in the
    /// layout's order; planes take the first as a number. One pass over the tile.
    ///
    /// # Errors
    /// A grid for a picture of another size, or a size beyond the system's memory.
    pub fn cut_tile(&self, grid: &TileGrid, tile: &Tile, edge: Edge<[f64; 4]>) -> Result<Content> {
        let edge = edge.map(|channels| pixel_bytes(&self.pixel_format(), channels));
        self.moved_by_bytes(grid.cut_size(tile), &|from, to| cut_bytes(from, grid, tile, edge, to))
    }

    /// [`contact`](super::contact): all tiles side by side, with gaps of `gap` pixels of a colour, given as a constant edge
    /// is: fractions of full, a channel each. One pass.
    ///
    /// # Errors
    /// A grid for a picture of another size, or a size beyond the address space or the system's memory.
    pub fn contact(&self, grid: &TileGrid, edge: Edge<[f64; 4]>, gap: u32, between: [f64; 4]) -> Result<Content> {
        let format = self.pixel_format();
        let (edge, between) = (edge.map(|channels| pixel_bytes(&format, channels)), pixel_bytes(&format, between));
        self.moved_by_bytes(grid.contact_size(gap)?, &|from, mut to| {
            fill::fill_bytes(to.reborrow(), &between);
            contact_bytes(from, grid, edge, gap, to)
        })
    }

    /// [`TileGrid::assemble`] from tiles of one pixel format. One pass over the tiles; with [`Overlap::Average`] in `f64`.
    ///
    /// # Errors
    /// Tiles of other sizes or formats than the grid's and the first's, gaps, a grid without tiles, what `tile` gives, or a
    /// size beyond the system's memory.
    pub fn assemble(
        grid: &TileGrid,
        overlap: Overlap,
        tile: &mut dyn FnMut(Tile) -> Result<Content>,
    ) -> Result<Content> {
        let mut begun: Option<(Content, Vec<Assembly>)> = None;
        for place in grid.tiles() {
            let cut = tile(place)?;
            let (out, parts) = match &mut begun {
                Some(there) => there,
                none => none.insert(begin(grid, overlap, &cut)?),
            };
            out.check_same_format(&cut)?;
            for ((part, from), into) in parts.iter_mut().zip(cut.views()).zip(out.views_mut()) {
                part.put(place, from, into)?;
            }
        }
        let Some((mut out, parts)) = begun else {
            return Err(crate::Error::invalid("grid", "a grid without tiles makes no picture"));
        };
        parts.into_iter().zip(out.views_mut()).for_each(|(part, into)| part.finish(into));
        Ok(out)
    }

    /// An error where the other is of another pixel format.
    pub(crate) fn check_same_format(&self, other: &Content) -> Result<()> {
        let (wanted, found) = (self.pixel_format(), other.pixel_format());
        match wanted == found {
            true => Ok(()),
            false => Err(ErrorKind::Types { wanted: wanted.describe(), found: found.describe() }.into()),
        }
    }
}

/// An empty picture of the first tile's pixel format, and one assembly for its pixels or for each of its planes.
fn begin(grid: &TileGrid, overlap: Overlap, first: &Content) -> Result<(Content, Vec<Assembly>)> {
    let size = grid.assembled_size()?;
    let account = first.account();
    let out = Content::zeros(size, &first.pixel_format(), account)?;
    let parts = out.views().into_iter();
    let parts = parts.map(|view| Assembly::new(*grid, overlap, (size, view.channels().count), account));
    let parts = parts.collect::<Result<_>>()?;
    Ok((out, parts))
}
