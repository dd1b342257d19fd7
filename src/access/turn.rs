//! Mirrors, quarter turns and transpositions: the eight ways to lay a picture down.

use crate::error::{Error, Result};
use crate::frame::{Change, Content, Frame, Move, Orientation, Picture, Region, Size, View, ViewMut};
use crate::pixel::{Pixel, samples_of, samples_of_mut};
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
    pub fn turn_into(&self, turn: Turn, mut target: ViewMut<'_, P>) -> Result<()> {
        let size = turn.size(self.size());
        if target.size() != size {
            return Err(Error::sizes("the target", size, target.size()));
        }
        let (transpose, left_right, top_bottom) = turn.orientation().parts();
        if transpose {
            // A mirror left-right after a transposition is one top-bottom before it.
            let (mut from, mut to): (Vec<_>, Vec<_>) = (self.rows().collect(), target.rows_mut().collect());
            if left_right {
                from.reverse();
            }
            if top_bottom {
                to.reverse();
            }
            transpose_rows(&from, &mut to);
            return Ok(());
        }
        let (level, height) = (Level::best(), self.height());
        for (y, to) in (0u32..).zip(target.rows_mut()) {
            let from = self.row(if top_bottom { height - 1 - y } else { y });
            if left_right { reversed_row(level, from, to) } else { to.copy_from_slice(from) }
        }
        Ok(())
    }
}

impl<P: Pixel> ViewMut<'_, P> {
    /// Lays the picture down another way in place. One pass, no memory to speak of.
    ///
    /// # Errors
    /// A turn that exchanges the axes, unless the view is square: use [`View::turned`] then.
    pub fn turn(&mut self, turn: Turn) -> Result<()> {
        let size = self.size();
        let (transpose, left_right, top_bottom) = turn.orientation().parts();
        if transpose && size.width != size.height {
            return Err(Error::unusable(format!(
                "only a square picture can be turned by a quarter in place, not {size}; make a new one"
            )));
        }
        if transpose {
            transpose_in_place(self);
        }
        if left_right {
            self.rows_mut().for_each(<[P]>::reverse);
        }
        if top_bottom {
            let mut rows = self.rows_mut();
            while let (Some(a), Some(b)) = (rows.next(), rows.next_back()) {
                a.swap_with_slice(b);
            }
        }
        Ok(())
    }
}

impl Move for Turn {
    fn run<P: Pixel>(&self, view: View<'_, P>) -> Result<Frame<P>> {
        view.turned(*self)
    }
}

impl Content {
    /// The content laid down another way. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn turned(&self, turn: Turn) -> Result<Content> {
        self.moved(&turn)
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
fn reversed_row<P: Pixel>(level: Level, from: &[P], to: &mut [P]) {
    if P::CHANNELS != 3 {
        return level.row(from, to, |from, to| {
            to.iter_mut().zip(from.iter().rev()).for_each(|(to, from)| *to = *from);
        });
    }
    // Four pixels of three numbers at a time: a shuffle of whole registers, which one by one they are not.
    let (from, to) = (samples_of(from), samples_of_mut(to));
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
fn transpose_rows<T: Copy + Default>(from: &[&[T]], to: &mut [&mut [T]]) {
    match size_of::<T>() {
        1 => transpose_blocks::<T, 128>(from, to, squares_of_bytes::<T, 128>),
        _ => transpose_blocks::<T, 32>(from, to, whole_block::<T, 32>),
    }
}

#[inline(always)]
fn transpose_blocks<T: Copy + Default, const N: usize>(
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
fn whole_block<T: Copy + Default, const N: usize>(from: &[&[T]; N], to: &mut [&mut [T]; N], x: usize, y: usize) {
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
fn squares_of_bytes<T: Copy + Default, const N: usize>(from: &[&[T]; N], to: &mut [&mut [T]; N], x: usize, y: usize) {
    let mut out = [[T::default(); 16]; 16];
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
fn chunks_of<'a, T: Copy + Default, const N: usize>(rows: &[&'a [T]; N], x: usize) -> Option<[&'a [T; N]; N]> {
    let mut out = [rows[0][x..].first_chunk::<N>()?; N];
    for (slot, row) in out.iter_mut().zip(rows) {
        *slot = row[x..].first_chunk()?;
    }
    Some(out)
}

/// Exchanges (x, y) with (y, x) in a square view, block by block.
fn transpose_in_place<P: Pixel>(view: &mut ViewMut<'_, P>) {
    const SMALL: usize = 32;
    let side = view.width() as usize;
    for top in (0..side).step_by(SMALL) {
        for left in (top..side).step_by(SMALL) {
            for y in top..side.min(top + SMALL) {
                for x in left.max(y + 1)..side.min(left + SMALL) {
                    let (x, y) = (x as u32, y as u32);
                    (view[(x, y)], view[(y, x)]) = (view[(y, x)], view[(x, y)]);
                }
            }
        }
    }
}
