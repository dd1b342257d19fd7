//! Pixels mirrored, rotated by quarters and transposed, as an [`Orientation`] says.

use super::bytes::{self, with_pixel_bytes};
use crate::error::{Error, Result};
use crate::frame::{Change, Content, Frame, Orientation, Picture, SampleView, SampleViewMut, View, ViewMut, same_size};
use crate::pixel::Pixel;
use crate::simd::{self, Level};

impl<P: Pixel> View<'_, P> {
    /// The pixels laid down another way, as a new frame. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    ///
    /// # Examples
    /// ```
    /// use rahmen::{Frame, Gray, Orientation, Size};
    /// let two = Frame::<Gray<u8>>::from_samples(Size::new(2, 1), vec![1, 2])?;
    /// assert_eq!(two.view().oriented(Orientation::RotatedRight)?.samples(), [1, 2]);
    /// assert_eq!(two.view().oriented(Orientation::RotatedLeft)?.samples(), [2, 1]);
    /// # Ok::<(), rahmen::Error>(())
    /// ```
    pub fn oriented(&self, orientation: Orientation) -> Result<Frame<P>> {
        let mut out = Frame::zeros(orientation.size(self.size()), self.account())?;
        self.oriented_into(orientation, out.view_mut())?;
        Ok(out)
    }

    /// [`oriented`](View::oriented) into a view of the size that [`Orientation::size`] gives.
    ///
    /// # Errors
    /// A target of another size.
    pub fn oriented_into(&self, orientation: Orientation, target: ViewMut<'_, P>) -> Result<()> {
        same_size("the target", orientation.size(self.size()), target.size())?;
        orient_bytes(self.as_bytes(), orientation, target.into_bytes());
        Ok(())
    }

    /// The pixels rotated by 90 degrees clockwise. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn rotated_right(&self) -> Result<Frame<P>> {
        self.oriented(Orientation::RotatedRight)
    }

    /// The pixels rotated by 90 degrees counter-clockwise. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn rotated_left(&self) -> Result<Frame<P>> {
        self.oriented(Orientation::RotatedLeft)
    }

    /// The pixels rotated by 180 degrees. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn rotated_half(&self) -> Result<Frame<P>> {
        self.oriented(Orientation::RotatedHalf)
    }

    /// The pixels mirrored left-right: x becomes width - 1 - x. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn mirrored_left_right(&self) -> Result<Frame<P>> {
        self.oriented(Orientation::MirroredLeftRight)
    }

    /// The pixels mirrored top-bottom: y becomes height - 1 - y. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn mirrored_top_bottom(&self) -> Result<Frame<P>> {
        self.oriented(Orientation::MirroredTopBottom)
    }

    /// The pixels transposed: (x, y) becomes (y, x). One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn transposed(&self) -> Result<Frame<P>> {
        self.oriented(Orientation::Transposed)
    }
}

/// Copies pixels of any type into `to` as the orientation says; `to` has the size that [`Orientation::size`] gives.
pub(crate) fn orient_bytes(from: SampleView<'_, u8>, orientation: Orientation, to: SampleViewMut<'_, u8>) {
    let (transpose, left_right, top_bottom) = orientation.parts();
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
    for (y, to) in (0u32..).zip(to.into_rows()) {
        let from = bytes::row(&from, if top_bottom { height - 1 - y } else { y });
        reversed_row::<N>(level, from, bytes::pixels_mut(to));
    }
}

/// Transposed, and mirrored afterwards where that is asked for.
fn transposed<const N: usize>(from: SampleView<'_, u8>, to: SampleViewMut<'_, u8>, left_right: bool, top_bottom: bool) {
    // A mirror left-right after a transposition is one top-bottom before it.
    let height = from.height();
    let mut rows: Vec<&[[u8; N]]> = Vec::with_capacity(height as usize);
    for y in 0..height {
        rows.push(bytes::row(&from, if left_right { height - 1 - y } else { y }));
    }
    let mut to = pixel_rows::<N>(to);
    if top_bottom {
        to.reverse();
    }
    transpose_rows(&rows, &mut to);
}

/// All rows of pixels of `N` bytes, to write.
fn pixel_rows<'a, const N: usize>(view: SampleViewMut<'a, u8>) -> Vec<&'a mut [[u8; N]]> {
    let mut rows = Vec::with_capacity(view.height() as usize);
    for row in view.into_rows() {
        rows.push(bytes::pixels_mut(row));
    }
    rows
}

impl<P: Pixel> ViewMut<'_, P> {
    /// Lays the pixels down another way in place. One pass, no further memory.
    ///
    /// # Errors
    /// An orientation that exchanges the axes, unless the view is square: use [`View::oriented`] then.
    pub fn orient(&mut self, orientation: Orientation) -> Result<()> {
        let size = self.size();
        if orientation.swaps_axes() && size.width != size.height {
            return Err(Error::invalid(
                "orientation",
                format!("only a square picture can exchange its axes in place, not {size}; make a new one"),
            ));
        }
        orient_in_place(self.reborrow().into_bytes(), orientation);
        Ok(())
    }
}

/// Lays pixels down another way in place; where the axes are exchanged the view is square.
fn orient_in_place(mut view: SampleViewMut<'_, u8>, orientation: Orientation) {
    let (transpose, left_right, top_bottom) = orientation.parts();
    with_pixel_bytes!(view.channels().count, N => {
        if transpose {
            transpose_in_place(&mut pixel_rows::<N>(view.reborrow()));
        }
        if left_right {
            for row in view.rows_mut() {
                bytes::pixels_mut::<N>(row).reverse();
            }
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
    pub fn oriented(&self, orientation: Orientation) -> Result<Content> {
        self.moved_by_bytes(orientation.size(self.size()), &|from, to| {
            orient_bytes(from, orientation, to);
            Ok(())
        })
    }
}

impl Picture {
    /// The picture laid down another way; its metadata follows: resolution along x and y, and the orientation, so that what is
    /// seen is what was seen before, laid down this way. One pass.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn oriented(&self, orientation: Orientation) -> Result<Picture> {
        let metadata = self.metadata().after(Change::Orient(orientation));
        Ok(Picture::new(self.content().oriented(orientation)?, metadata))
    }

    /// The picture with its pixels laid down as its orientation asks for; unchanged where it is upright.
    ///
    /// # Errors
    /// A size beyond the system's memory.
    pub fn upright(self) -> Result<Picture> {
        match self.metadata().orientation {
            Orientation::Upright => Ok(self),
            o => Ok(Picture::new(self.content().oriented(o)?, self.metadata().after(Change::Upright))),
        }
    }
}

/// A row of pixels from its end.
fn reversed_row<const N: usize>(level: Level, from: &[[u8; N]], to: &mut [[u8; N]]) {
    // Four pixels of three numbers at a time: a shuffle of whole registers, which one by one they are not.
    match N {
        3 => reversed_threes::<u8>(level, from.as_flattened(), to.as_flattened_mut()),
        _ => level.row(from, to, |from, to| {
            let count = to.len().min(from.len());
            let (from, to) = (&from[..count], &mut to[..count]);
            for i in 0..count {
                to[i] = from[count - 1 - i];
            }
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
            for x in x..width.min(x + N) {
                for y in y..height.min(y + N) {
                    to[x][y] = from[y][x];
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
    // By indices: a pair of iterators may stay a call.
    for i in 0..N {
        line[i] = rows[i][column];
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
    for i in 0..N {
        out[i] = rows[i][x..].first_chunk()?;
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
