//! Mirrors, quarter turns and transpositions: the eight ways to lay a picture down.

use super::bytes::{self, with_pixel_bytes};
use crate::error::{Error, Result};
use crate::frame::{
    Change, Content, Frame, Orientation, Picture, Region, SampleView, SampleViewMut, Size, View, ViewMut, same_size,
};
use crate::pixel::Pixel;
use crate::simd::{self, Level};
use std::ops::Range;

/// A way to lay a picture down other than as it is.
#[derive(Debug, Clone, Copy, PartialEq, Eq, Hash)]
pub enum Turn {
    /// Mirrored left-right: x becomes width - 1 - x.
    LeftRight,
    /// Mirrored top-bottom: y becomes height - 1 - y.
    TopBottom,
    /// A quarter turn clockwise.
    Right,
    /// A half turn.
    Half,
    /// A quarter turn counter-clockwise.
    Left,
    /// Transposed, about the diagonal from the top left: (x, y) becomes (y, x).
    Transpose,
    /// Transposed about the other diagonal: (x, y) becomes (height - 1 - y, width - 1 - x).
    AntiTranspose,
}

impl Turn {
    /// All seven.
    pub const ALL: [Turn; 7] =
        [Turn::LeftRight, Turn::TopBottom, Turn::Right, Turn::Half, Turn::Left, Turn::Transpose, Turn::AntiTranspose];

    /// What makes a stored picture of this orientation upright; `None` if it is so already.
    pub fn to_upright(orientation: Orientation) -> Option<Turn> {
        Turn::ALL.into_iter().find(|turn| turn.orientation() == orientation)
    }

    /// The orientation of a stored picture that this turn makes upright.
    pub fn orientation(self) -> Orientation {
        let (transpose, left_right, top_bottom) = match self {
            Turn::LeftRight => (false, true, false),
            Turn::TopBottom => (false, false, true),
            Turn::Half => (false, true, true),
            Turn::Transpose => (true, false, false),
            Turn::Right => (true, true, false),
            Turn::Left => (true, false, true),
            Turn::AntiTranspose => (true, true, true),
        };
        Orientation::from_parts(transpose, left_right, top_bottom)
    }

    /// The size that a picture of this size has afterwards.
    pub fn size(self, size: Size) -> Size {
        if self.orientation().swaps_axes() { size.transposed() } else { size }
    }

    /// The part of a picture of this size that comes to lie in a part of the turned one.
    ///
    /// # Errors
    /// A part that reaches outside.
    pub fn source_of(self, part: Region, size: Size) -> Result<Region> {
        let turned = self.size(size);
        let part = part.inside(turned)?;
        let (transpose, left_right, top_bottom) = self.orientation().parts();
        let flipped = |range: Range<u32>, side: u32, back: bool| match back {
            true => side - range.end..side - range.start,
            false => range,
        };
        let x = flipped(part.cols_range(), turned.width, left_right);
        let y = flipped(part.rows_range(), turned.height, top_bottom);
        if transpose { Region::new(y, x) } else { Region::new(x, y) }
    }

    /// The turn that undoes this one.
    pub fn inverse(self) -> Turn {
        match self {
            Turn::Right => Turn::Left,
            Turn::Left => Turn::Right,
            other => other,
        }
    }
}

impl<P: Pixel> View<'_, P> {
    /// The picture laid down another way. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Size, access::Turn};
    /// let two = Frame::<Gray<u8>>::from_numbers(Size::new(2, 1), vec![1, 2])?;
    /// assert_eq!(two.view().turned(Turn::Right)?.numbers(), [1, 2]);
    /// assert_eq!(two.view().turned(Turn::Left)?.numbers(), [2, 1]);
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn turned(&self, turn: Turn) -> Result<Frame<P>> {
        let mut out = Frame::new(turn.size(self.size()))?;
        self.turn_into(turn, out.view_mut())?;
        Ok(out)
    }

    /// [`turned`](View::turned) into a view of the size that [`Turn::size`] gives.
    ///
    /// # Errors
    /// A target of another size.
    pub fn turn_into(&self, turn: Turn, target: ViewMut<'_, P>) -> Result<()> {
        same_size("the target", turn.size(self.size()), target.size())?;
        turn_bytes(self.as_bytes(), turn, target.into_bytes());
        Ok(())
    }
}

/// Pixels of any kind laid down another way, into a view of the size that the turn gives.
pub(crate) fn turn_bytes(from: SampleView<'_, u8>, turn: Turn, to: SampleViewMut<'_, u8>) {
    let (transpose, left_right, top_bottom) = turn.orientation().parts();
    if !transpose && !left_right {
        let height = from.height();
        for (y, to) in (0u32..).zip(to.into_rows()) {
            to.copy_from_slice(from.row(if top_bottom { height - 1 - y } else { y }));
        }
        return;
    }
    with_pixel_bytes!(from.channels().count, N => match transpose {
        true => transposed::<N>(from, to, left_right, top_bottom),
        false => mirrored::<N>(from, to, top_bottom),
    });
}

/// Mirrored left-right, and top-bottom too where that is asked for.
fn mirrored<const N: usize>(from: SampleView<'_, u8>, to: SampleViewMut<'_, u8>, top_bottom: bool) {
    let (level, height) = (Level::best(), from.height());
    for (y, to) in (0u32..).zip(bytes::rows_mut::<N>(to)) {
        reversed_row::<N>(level, bytes::row(&from, if top_bottom { height - 1 - y } else { y }), to);
    }
}

/// Transposed, and mirrored afterwards where that is asked for.
fn transposed<const N: usize>(from: SampleView<'_, u8>, to: SampleViewMut<'_, u8>, left_right: bool, top_bottom: bool) {
    // A mirror left-right after a transposition is one top-bottom before it.
    let mut from: Vec<&[[u8; N]]> = (0..from.height()).map(|y| bytes::row(&from, y)).collect();
    let mut to: Vec<_> = bytes::rows_mut::<N>(to).collect();
    if left_right {
        from.reverse();
    }
    if top_bottom {
        to.reverse();
    }
    transpose_rows(&from, &mut to);
}

impl<P: Pixel> ViewMut<'_, P> {
    /// Lays the picture down another way in place. One pass, no memory to speak of.
    ///
    /// # Errors
    /// A turn that exchanges the axes, unless the view is square: use [`View::turned`] then.
    pub fn turn(&mut self, turn: Turn) -> Result<()> {
        let size = self.size();
        let (transpose, ..) = turn.orientation().parts();
        if transpose && size.width != size.height {
            return Err(Error::unusable(format!(
                "only a square picture can be turned by a quarter in place, not {size}; make a new one"
            )));
        }
        turn_in_place(self.reborrow().into_bytes(), turn);
        Ok(())
    }
}

/// A turn that keeps the size, in place.
fn turn_in_place(mut view: SampleViewMut<'_, u8>, turn: Turn) {
    let (transpose, left_right, top_bottom) = turn.orientation().parts();
    with_pixel_bytes!(view.channels().count, N => {
        if transpose {
            transpose_in_place(&mut bytes::rows_mut::<N>(view.reborrow()).collect::<Vec<_>>());
        }
        if left_right {
            bytes::rows_mut::<N>(view.reborrow()).for_each(<[[u8; N]]>::reverse);
        }
    });
    if top_bottom {
        let mut rows = view.into_rows();
        while let (Some(a), Some(b)) = (rows.next(), rows.next_back()) {
            a.swap_with_slice(b);
        }
    }
}

impl Content {
    /// The content laid down another way. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn turned(&self, turn: Turn) -> Result<Content> {
        self.moved_by_bytes(turn.size(self.size()), &|from, to| {
            turn_bytes(from, turn, to);
            Ok(())
        })
    }
}

impl Picture {
    /// The picture laid down another way, so that it is seen turned just so; what its metadata says of axes and orientation
    /// follows. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn turned(&self, turn: Turn) -> Result<Picture> {
        let metadata = self.metadata().after(Change::Turn(turn.orientation()));
        Ok(Picture::new(self.content().turned(turn)?, metadata))
    }

    /// The picture turned as its orientation asks for; as it is where it is upright.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn upright(self) -> Result<Picture> {
        match Turn::to_upright(self.metadata().orientation) {
            Some(turn) => Ok(Picture::new(self.content().turned(turn)?, self.metadata().after(Change::Upright))),
            None => Ok(self),
        }
    }
}

/// A row of pixels from its end.
fn reversed_row<const N: usize>(level: Level, from: &[[u8; N]], to: &mut [[u8; N]]) {
    // Four pixels of three numbers at a time: a shuffle of whole registers, which one by one they are not.
    match N {
        3 => reversed_threes::<u8>(level, from.as_flattened(), to.as_flattened_mut()),
        _ => level.row(from, to, |from, to| {
            to.iter_mut().zip(from.iter().rev()).for_each(|(to, from)| *to = *from);
        }),
    }
}

fn reversed_threes<T: Copy>(level: Level, from: &[T], to: &mut [T]) {
    let (rest, fours) = from.as_rchunks::<12>();
    let (to_fours, to_rest) = to.split_at_mut(fours.len() * 12);
    level.row(fours, to_fours.as_chunks_mut::<12>().0, |from, to| {
        for (to, p) in to.iter_mut().zip(from.iter().rev()) {
            *to = [p[9], p[10], p[11], p[6], p[7], p[8], p[3], p[4], p[5], p[0], p[1], p[2]];
        }
    });
    for (to, from) in to_rest.as_chunks_mut::<3>().0.iter_mut().zip(rest.as_chunks::<3>().0.iter().rev()) {
        *to = *from;
    }
}

/// Copies rows to rows with the axes exchanged: `to[x][y] = from[y][x]`.
///
/// Block by block, so that few rows of either are open at once. The sides were measured to be best: bytes in squares of
/// 16 that shuffles transpose, larger pixels one by one.
fn transpose_rows<T: Copy>(from: &[&[T]], to: &mut [&mut [T]]) {
    match size_of::<T>() {
        1 => transpose_blocks::<T, 128>(from, to, squares_of_bytes::<T, 128>),
        _ => transpose_blocks::<T, 32>(from, to, whole_block::<T, 32>),
    }
}

#[inline(always)]
fn transpose_blocks<T: Copy, const N: usize>(
    from: &[&[T]],
    to: &mut [&mut [T]],
    whole: impl Fn(&[&[T]; N], &mut [&mut [T]; N], usize, usize),
) {
    let (width, height) = (to.len(), from.len());
    for y in (0..height).step_by(N) {
        for x in (0..width).step_by(N) {
            if let (Some(rows), Some(lines)) = (from[y..].first_chunk(), to[x..].first_chunk_mut()) {
                whole(rows, lines, x, y);
                continue;
            }
            for (x, line) in (x..).zip(to[x..].iter_mut().take(N)) {
                for (y, row) in (y..).zip(from[y..].iter().take(N)) {
                    line[y] = row[x];
                }
            }
        }
    }
}

/// A whole block of large pixels, column by column.
#[inline(always)]
fn whole_block<T: Copy, const N: usize>(from: &[&[T]; N], to: &mut [&mut [T]; N], x: usize, y: usize) {
    let Some(rows) = chunks_of::<T, N>(from, x) else { return };
    for (i, line) in to.iter_mut().enumerate() {
        let Some(line) = line[y..].first_chunk_mut::<N>() else { return };
        column_into(&rows, i, line);
    }
}

/// One column of a block. A function of its own, because arguments are known not to overlap: otherwise every store might
/// change the rows' addresses, and they would be loaded again for every pixel.
#[inline]
fn column_into<T: Copy, const N: usize>(rows: &[&[T; N]; N], column: usize, line: &mut [T; N]) {
    for (to, row) in line.iter_mut().zip(rows) {
        *to = row[column];
    }
}

/// A whole block of pixels of one byte, in squares of sixteen.
#[inline(always)]
fn squares_of_bytes<T: Copy, const N: usize>(from: &[&[T]; N], to: &mut [&mut [T]; N], x: usize, y: usize) {
    let Some(&first) = from[0].first() else { return };
    let mut out = [[first; 16]; 16];
    for (row, from) in from.as_chunks::<16>().0.iter().enumerate() {
        for (column, to) in to.as_chunks_mut::<16>().0.iter_mut().enumerate() {
            let Some(square) = chunks_of::<T, 16>(from, x + 16 * column) else { return };
            simd::transpose::sixteen(&square, &mut out);
            for (to, line) in to.iter_mut().zip(&out) {
                let Some(to) = to[y + 16 * row..].first_chunk_mut::<16>() else { return };
                *to = *line;
            }
        }
    }
}

/// The `N` pixels from `x` on of `N` rows; `None` where there are fewer, which a whole block never has.
#[inline(always)]
fn chunks_of<'a, T: Copy, const N: usize>(rows: &[&'a [T]; N], x: usize) -> Option<[&'a [T; N]; N]> {
    let mut out = [rows[0][x..].first_chunk::<N>()?; N];
    for (slot, row) in out.iter_mut().zip(rows) {
        *slot = row[x..].first_chunk()?;
    }
    Some(out)
}

/// Exchanges (x, y) with (y, x) in the rows of a square view, block by block.
fn transpose_in_place<T: Copy>(rows: &mut [&mut [T]]) {
    const SMALL: usize = 32;
    let side = rows.len();
    for top in (0..side).step_by(SMALL) {
        for left in (top..side).step_by(SMALL) {
            for y in top..side.min(top + SMALL) {
                for x in left.max(y + 1)..side.min(left + SMALL) {
                    (rows[x][y], rows[y][x]) = (rows[y][x], rows[x][y]);
                }
            }
        }
    }
}
