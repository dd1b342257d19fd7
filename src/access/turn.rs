//! Mirrors, quarter turns and transpositions: the eight ways to lay a picture down.

use crate::error::{Error, Result};
use crate::frame::{Frame, Orientation, Size, View, ViewMut};
use crate::pixel::Pixel;
use crate::simd::{self, Level};

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
            transpose_into(*self, target, left_right, top_bottom);
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

/// A row of pixels from its end.
fn reversed_row<P: Pixel>(level: Level, from: &[P], to: &mut [P]) {
    #[inline(always)]
    fn plain<P: Copy>(from: &[P], to: &mut [P]) {
        for (to, from) in to.iter_mut().zip(from.iter().rev()) {
            *to = *from;
        }
    }
    level.run(|| plain(from, to));
}

/// Rows and columns exchanged in blocks that fit the first cache: the target's rows are then written in runs.
const BLOCK: usize = 64;

/// Copies a view to a target with its axes exchanged. `rows_back` takes the source's rows from the bottom, `cols_back`
/// its columns from the right.
fn transpose_into<P: Pixel>(source: View<'_, P>, mut target: ViewMut<'_, P>, rows_back: bool, cols_back: bool) {
    let (width, height) = (source.width() as usize, source.height() as usize);
    let mut buffer = vec![P::default(); BLOCK * BLOCK];
    for top in (0..height).step_by(BLOCK) {
        let rows = BLOCK.min(height - top);
        for left in (0..width).step_by(BLOCK) {
            let cols = BLOCK.min(width - left);
            let block = |i: usize| {
                let y = if rows_back { height - 1 - (top + i) } else { top + i };
                &source.row(y as u32)[left..left + cols]
            };
            simd::transpose::block(rows, cols, block, &mut buffer);
            for (i, from) in buffer.chunks_exact(rows).take(cols).enumerate() {
                let x = left + i;
                let y = if cols_back { width - 1 - x } else { x };
                target.row_mut(y as u32)[top..top + rows].copy_from_slice(from);
            }
        }
    }
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
