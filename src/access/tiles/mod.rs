//! Equal patches of a picture: where they lie, and cutting them out. Putting them together again has a file of its own.

mod assemble;

use crate::access::bytes::{self, MOST, bytes_of, with_pixel_bytes};
use crate::access::{Edge, Margins};
use crate::error::{Error, Result};
use crate::frame::{Frame, Region, SampleView, SampleViewMut, Size, View, ViewMut, same_size};
use crate::pixel::Pixel;

pub(super) use assemble::Assembly;
pub use assemble::Overlap;

/// Rule for the columns and rows at the far ends that do not fill a tile.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash, Default)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(rename_all = "snake_case"))]
#[non_exhaustive]
pub enum Rest {
    /// They are dropped.
    Drop,
    /// The last tiles are smaller.
    #[default]
    Keep,
    /// The last tiles are padded: they reach beyond the picture, where an [`Edge`] applies.
    Pad,
}

/// Grid of tiles over a picture: equal sizes at equal steps, row by row from the top left.
///
/// As few tiles as cover the picture; with [`Rest::Drop`] as many as lie within it.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, access::{Rest, TileGrid}};
/// let frame = Frame::from_fn(Size::new(10, 4), |x, y| Gray::new((10 * y + x) as u8))?;
/// let grid = TileGrid::new(frame.size(), Size::new(4, 4), (3, 3), Rest::Keep)?;
/// assert_eq!((grid.columns(), grid.rows(), grid.count()), (3, 1, 3));
/// let corners: Vec<u8> = frame.view().tiles(&grid)?.map(|tile| tile[(0, 0)].value).collect();
/// assert_eq!(corners, [0, 3, 6]);
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[cfg_attr(feature = "serde", derive(serde::Serialize, serde::Deserialize), serde(try_from = "Unchecked"))]
pub struct TileGrid {
    picture: Size,
    tile: Size,
    step: (u32, u32),
    rest: Rest,
}

/// A grid as it stands in a file: nothing is known of its figures yet.
#[cfg(feature = "serde")]
#[derive(serde::Deserialize)]
struct Unchecked {
    picture: Size,
    tile: Size,
    step: (u32, u32),
    rest: Rest,
}

#[cfg(feature = "serde")]
impl TryFrom<Unchecked> for TileGrid {
    type Error = Error;

    fn try_from(grid: Unchecked) -> Result<TileGrid> {
        TileGrid::new(grid.picture, grid.tile, grid.step, grid.rest)
    }
}

/// One tile of a grid.
#[derive(Debug, Clone, Copy, PartialEq, Eq)]
#[non_exhaustive]
pub struct Tile {
    /// Column of tiles, from 0.
    pub column: u32,
    /// Row of tiles, from 0.
    pub row: u32,
    /// Region of the picture that it covers: smaller than a tile where it reaches beyond.
    pub region: Region,
}

impl TileGrid {
    /// Tiles of a size, each a step (along x and y) from the one before; a step as long as the tile is the plain case.
    ///
    /// # Errors
    /// A tile or a step of zero.
    pub fn new(picture: Size, tile: Size, step: (u32, u32), rest: Rest) -> Result<TileGrid> {
        if tile.is_empty() {
            return Err(Error::no_pixels(
                "tile",
                tile,
                format!("a tile of {tile} has no pixel; both sides must be 1 or more"),
            ));
        }
        if step.0 == 0 || step.1 == 0 {
            return Err(Error::invalid(
                "overlap",
                format!("steps of {} and {} never get on; they must be 1 or more", step.0, step.1),
            ));
        }
        Ok(TileGrid { picture, tile, step, rest })
    }

    /// The picture's size.
    pub fn picture(&self) -> Size {
        self.picture
    }

    /// A tile's size.
    pub fn tile_size(&self) -> Size {
        self.tile
    }

    /// Step from tile to tile, along x and y.
    pub fn step(&self) -> (u32, u32) {
        self.step
    }

    /// Rule for what does not fill a tile.
    pub fn rest(&self) -> Rest {
        self.rest
    }

    /// Number of columns of tiles.
    pub fn columns(&self) -> u32 {
        tiles_along(self.picture.width, self.tile.width, self.step.0, self.rest)
    }

    /// Number of rows of tiles.
    pub fn rows(&self) -> u32 {
        tiles_along(self.picture.height, self.tile.height, self.step.1, self.rest)
    }

    /// Number of tiles.
    pub fn count(&self) -> u64 {
        u64::from(self.columns()) * u64::from(self.rows())
    }

    /// Whether some pixel is in several tiles.
    pub fn overlaps(&self) -> bool {
        let along = |step: u32, tile: u32, count: u32| step < tile && count > 1;
        self.count() > 0
            && (along(self.step.0, self.tile.width, self.columns())
                || along(self.step.1, self.tile.height, self.rows()))
    }

    /// The tile of this column and row of tiles, or `None` where there is none.
    pub fn tile(&self, column: u32, row: u32) -> Option<Tile> {
        if column >= self.columns() || row >= self.rows() {
            return None;
        }
        // A tile of the grid starts inside the picture, so the products are below its sides.
        let (x, y) = (column * self.step.0, row * self.step.1);
        let end = |at: u32, tile: u32, side: u32| at.saturating_add(tile).min(side);
        let width = end(x, self.tile.width, self.picture.width) - x;
        let height = end(y, self.tile.height, self.picture.height) - y;
        Some(Tile { column, row, region: Region { x, y, width, height } })
    }

    /// All tiles, row by row from the top left.
    pub fn tiles(&self) -> impl Iterator<Item = Tile> + use<> {
        let grid = *self;
        // Without a column there is nothing in a billion rows.
        let rows = if grid.columns() == 0 { 0 } else { grid.rows() };
        (0..rows).flat_map(move |row| (0..grid.columns()).filter_map(move |column| grid.tile(column, row)))
    }

    /// The size of this tile as it is cut: with [`Rest::Pad`] all are alike.
    pub fn cut_size(&self, tile: &Tile) -> Size {
        if self.rest == Rest::Pad { self.tile } else { tile.region.size() }
    }
}

fn tiles_along(side: u32, tile: u32, step: u32, rest: Rest) -> u32 {
    match rest {
        Rest::Drop if tile <= side => (side - tile) / step + 1,
        Rest::Drop => 0,
        Rest::Keep | Rest::Pad if side == 0 => 0,
        Rest::Keep | Rest::Pad if step >= tile => side.div_ceil(step),
        Rest::Keep | Rest::Pad => side.saturating_sub(tile).div_ceil(step) + 1,
    }
}

impl<'a, P: Pixel> View<'a, P> {
    /// The tiles of a grid over this view, without a copy, in the grid's order; of tiles that reach beyond the view
    /// the part inside, also with [`Rest::Pad`]: [`cut_tile`](View::cut_tile) gives those whole.
    ///
    /// # Errors
    /// A grid for a picture of another size.
    pub fn tiles(&self, grid: &TileGrid) -> Result<impl Iterator<Item = View<'a, P>> + use<'a, P>> {
        same_size("the grid's picture", self.size(), grid.picture)?;
        let view = *self;
        // A grid of this size has only tiles that lie inside.
        Ok(grid.tiles().map(move |tile| view.part(tile.region)))
    }

    /// One tile as a frame of its own, as large as the grid says, with what the edge says beyond the view. One pass
    /// over the tile.
    ///
    /// # Errors
    /// A grid for a picture of another size, or a size beyond the system's memory.
    pub fn cut_tile(&self, grid: &TileGrid, tile: &Tile, edge: Edge<P>) -> Result<Frame<P>> {
        let mut out = Frame::zeros(grid.cut_size(tile), self.account())?;
        self.cut_tile_into(grid, tile, edge, out.view_mut())?;
        Ok(out)
    }

    /// [`cut_tile`](View::cut_tile) into a view of the size that [`TileGrid::cut_size`] gives.
    ///
    /// # Errors
    /// A grid for a picture of another size, or a target of another size.
    pub fn cut_tile_into(&self, grid: &TileGrid, tile: &Tile, edge: Edge<P>, target: ViewMut<'_, P>) -> Result<()> {
        cut_bytes(self.as_bytes(), grid, tile, edge.map(bytes_of), target.into_bytes())
    }
}

/// One tile of pixels of any kind.
pub(super) fn cut_bytes(
    from: SampleView<'_, u8>,
    grid: &TileGrid,
    tile: &Tile,
    edge: Edge<[u8; MOST]>,
    target: SampleViewMut<'_, u8>,
) -> Result<()> {
    same_size("the grid's picture", from.size(), grid.picture)?;
    same_size("the target", grid.cut_size(tile), target.size())?;
    let inside = from.part(tile.region.inside(from.size())?);
    let (size, whole) = (tile.region.size(), target.size());
    if matches!(edge, Edge::Clamp | Edge::Constant(_)) || whole == size {
        // The border within the tile is the picture's own, so padding the tile is padding the picture.
        let (right, bottom) = (whole.width - size.width, whole.height - size.height);
        return crate::access::pad::pad_bytes(inside, Margins { right, bottom, ..Margins::default() }, edge, target);
    }
    with_pixel_bytes!(from.channels().count, N => cut_beyond::<N>(from, tile.region, &edge, target));
    Ok(())
}

/// A tile that reaches beyond a picture which goes on by reflecting or wrapping.
fn cut_beyond<const N: usize>(
    from: SampleView<'_, u8>,
    tile: Region,
    edge: &Edge<[u8; MOST]>,
    target: SampleViewMut<'_, u8>,
) {
    let at = |at: u32, by: u32, side| edge.inside(i64::from(at) + i64::from(by), side);
    for (y, row) in (0u32..).zip(target.into_rows()) {
        // Such edges always lead inside a view that has a tile.
        let Some(y) = at(tile.y(), y, from.height()) else { continue };
        let source = bytes::row::<N>(&from, y);
        for (x, to) in (0u32..).zip(bytes::pixels_mut::<N>(row)) {
            let Some(x) = at(tile.x(), x, from.width()) else { continue };
            *to = source[x as usize];
        }
    }
}

impl<'a, P: Pixel> ViewMut<'a, P> {
    /// The tiles of a grid over this view, all to write at once, in the grid's order.
    ///
    /// # Errors
    /// A grid for a picture of another size, or one whose tiles overlap.
    pub fn tiles(self, grid: &TileGrid) -> Result<Vec<ViewMut<'a, P>>> {
        same_size("the grid's picture", self.size(), grid.picture)?;
        if grid.overlaps() {
            return Err(Error::invalid(
                "tiles",
                "tiles that overlap cannot all be written at once; take steps as long as they",
            ));
        }
        let mut out = Vec::new();
        let mut below = self;
        for row in 0..grid.rows() {
            let mut at = 0;
            let mut line = None;
            for column in 0..grid.columns() {
                // Both counts are the grid's own, so there is a tile.
                let Some(Tile { region, .. }) = grid.tile(column, row) else { continue };
                let mut right = match line.take() {
                    Some(rest) => rest,
                    None => {
                        let skipped = region.y() - (grid.picture.height - below.height());
                        let (_, from_here) = below.split_at_row(skipped)?;
                        let (line, rest) = from_here.split_at_row(region.height())?;
                        below = rest;
                        line
                    }
                };
                (_, right) = right.split_at_col(region.x() - at)?;
                let (tile, rest) = right.split_at_col(region.width())?;
                out.push(tile);
                at = region.x() + region.width();
                line = Some(rest);
            }
        }
        Ok(out)
    }
}

impl TileGrid {
    /// The size of the contact picture with gaps of `gap` pixels.
    ///
    /// # Errors
    /// A side beyond `u32`.
    pub fn contact_size(&self, gap: u32) -> Result<Size> {
        let side = |count: u32, tile: u32| {
            let cell = u64::from(tile) + u64::from(gap);
            u32::try_from(u64::from(count).saturating_mul(cell).saturating_add(gap.into())).ok()
        };
        match (side(self.columns(), self.tile.width), side(self.rows(), self.tile.height)) {
            (Some(width), Some(height)) => Ok(Size::new(width, height)),
            _ => Err(crate::ErrorKind::TooLarge { what: "the contact picture".into() }.into()),
        }
    }
}

/// Contact picture: all tiles side by side in the grid's order, with gaps of a colour between and around them. One pass.
///
/// # Errors
/// A grid for a picture of another size, or a size beyond the address space or the system's memory.
pub fn contact<P: Pixel>(view: View<'_, P>, grid: &TileGrid, edge: Edge<P>, gap: u32, between: P) -> Result<Frame<P>> {
    let mut out = Frame::zeros(grid.contact_size(gap)?, view.account())?;
    contact_into(view, grid, edge, gap, between, out.view_mut())?;
    Ok(out)
}

/// [`contact`] into a view of the size that [`TileGrid::contact_size`] gives.
///
/// # Errors
/// A grid for a picture of another size, or a target of another size.
pub fn contact_into<P: Pixel>(
    view: View<'_, P>,
    grid: &TileGrid,
    edge: Edge<P>,
    gap: u32,
    between: P,
    mut target: ViewMut<'_, P>,
) -> Result<()> {
    target.reborrow().fill(between);
    contact_bytes(view.as_bytes(), grid, edge.map(bytes_of), gap, target.into_bytes())
}

pub(super) fn contact_bytes(
    from: SampleView<'_, u8>,
    grid: &TileGrid,
    edge: Edge<[u8; MOST]>,
    gap: u32,
    mut target: SampleViewMut<'_, u8>,
) -> Result<()> {
    same_size("the target", grid.contact_size(gap)?, target.size())?;
    same_size("the grid's picture", from.size(), grid.picture)?;
    for tile in grid.tiles() {
        // Within the contact picture, whose sides are u32.
        let at = |index: u32, side: u32| index * (side + gap) + gap;
        let (x, y) = (at(tile.column, grid.tile.width), at(tile.row, grid.tile.height));
        let place = Region::at(x, y, grid.cut_size(&tile))?.inside(target.size())?;
        cut_bytes(from, grid, &tile, edge, target.reborrow().part(place))?;
    }
    Ok(())
}
