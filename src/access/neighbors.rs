//! The surroundings of each pixel, row by row: what filters are built on. No filter is in here.

use super::Edge;
use super::pad::pad_row;
use crate::error::Result;
use crate::frame::{Frame, View, ViewMut, same_size};
use crate::pixel::Pixel;
use crate::threads::Threads;

/// Walks down a view and shows, for each row, the rows around it, each with the columns around it.
///
/// For radius (rx, ry) and row y it shows the 2 ry + 1 rows from y - ry to y + ry, each width + 2 rx pixels long; the
/// edge says what lies outside. So the surroundings of pixel x in row dy are `row(dy)[x .. x + 2 rx + 1]`, its centre
/// is `row(0)[x + rx]`, and a loop over these slices is as fast as one over the picture. Every row is copied once, into
/// memory for 2 ry + 1 rows.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Size, access::{Edge, Neighbors}};
/// // The largest of each pixel and its left and right neighbours.
/// let row = Frame::<Gray<u8>>::from_samples(Size::new(4, 1), vec![1, 5, 2, 0])?;
/// let mut around = Neighbors::new(row.view(), (1, 0), Edge::Clamp)?;
/// let rows = around.next_row().unwrap();
/// let most: Vec<u8> = rows.row(0).windows(3).map(|w| w[0].value.max(w[1].value).max(w[2].value)).collect();
/// assert_eq!(most, [5, 5, 5, 2]);
/// # Ok::<(), rahmen::Error>(())
/// ```
#[derive(Debug)]
pub struct Neighbors<'a, P: Pixel> {
    view: View<'a, P>,
    radius: (u32, u32),
    edge: Edge<P>,
    /// 2 ry + 1 rows; that of position p (which may lie outside) is at p modulo their number.
    rows: Vec<Vec<P>>,
    /// The row shown next, and the one behind the last.
    next: u32,
    end: u32,
}

impl<'a, P: Pixel> Neighbors<'a, P> {
    /// Starts above the first row. The radius is given along x and y.
    ///
    /// # Errors
    /// An empty view with an edge that needs a pixel, or a radius beyond the system's memory.
    pub fn new(view: View<'a, P>, radius: (u32, u32), edge: Edge<P>) -> Result<Neighbors<'a, P>> {
        Neighbors::of_rows(view, radius, edge, 0..view.height())
    }

    /// Shows these rows of the view only; their surroundings are the whole view's.
    fn of_rows(view: View<'a, P>, radius: (u32, u32), edge: Edge<P>, shown: std::ops::Range<u32>) -> Result<Self> {
        edge.needs_pixels(view.size())?;
        let count = u64::from(radius.1) * 2 + 1;
        let length = u64::from(view.width()) + 2 * u64::from(radius.0);
        let bytes = u128::from(count) * u128::from(length) * size_of::<P>() as u128;
        if bytes > isize::MAX as u128 || count > u64::from(u32::MAX) {
            return Err(crate::ErrorKind::TooLarge { what: format!("a radius of {radius:?}") }.into());
        }
        let (mut rows, _) = crate::frame::gate::reserve::<Vec<P>>(count as usize, view.account())?;
        for _ in 0..count {
            let (mut row, _) = crate::frame::gate::reserve::<P>(length as usize, view.account())?;
            row.resize(length as usize, P::default());
            rows.push(row);
        }
        let mut all = Neighbors { view, radius, edge, rows, next: shown.start, end: shown.end };
        if !shown.is_empty() {
            // All but the lowest row, which the first step brings.
            let ry = i64::from(radius.1);
            (i64::from(shown.start) - ry..i64::from(shown.start) + ry).for_each(|at| all.load(at));
        }
        Ok(all)
    }

    fn slot(&self, at: i64) -> usize {
        at.rem_euclid(self.rows.len() as i64) as usize
    }

    /// Brings in the row of a position that may lie outside.
    fn load(&mut self, at: i64) {
        let slot = self.slot(at);
        let row = &mut self.rows[slot];
        match self.edge.inside(at, self.view.height()) {
            Some(y) => pad_row(self.view.row(y), self.radius.0, &self.edge, self.edge.constant(), row),
            None => row.fill(self.edge.constant()),
        }
    }

    /// The next row with its surroundings, or `None` below the last.
    pub fn next_row(&mut self) -> Option<AroundRow<'_, P>> {
        if self.next >= self.end {
            return None;
        }
        let y = self.next;
        let ry = i64::from(self.radius.1);
        self.load(i64::from(y) + ry);
        self.next += 1;
        let rows = (-ry..=ry).map(|dy| self.rows[self.slot(i64::from(y) + dy)].as_slice()).collect();
        Some(AroundRow { rows, radius: self.radius, width: self.view.width(), y })
    }
}

/// One row and the rows around it.
#[derive(Debug)]
pub struct AroundRow<'n, P: Pixel> {
    /// From the highest to the lowest.
    rows: Vec<&'n [P]>,
    radius: (u32, u32),
    width: u32,
    y: u32,
}

/// The row `dy` further down of those from -ry to ry.
#[inline]
#[track_caller]
fn row_of<'n, P>(rows: &[&'n [P]], ry: u32, dy: i32) -> &'n [P] {
    assert!(dy.unsigned_abs() <= ry, "row {dy} is outside -{ry}..={ry}");
    rows[(i64::from(dy) + i64::from(ry)) as usize]
}

impl<'n, P: Pixel> AroundRow<'n, P> {
    /// Which row of the view this is.
    pub fn y(&self) -> u32 {
        self.y
    }

    /// The row `dy` further down (further up where negative): width + 2 rx pixels, that of column x at x + rx.
    ///
    /// # Panics
    /// If `dy` is not within -ry..=ry.
    #[inline]
    #[track_caller]
    pub fn row(&self, dy: i32) -> &'n [P] {
        row_of(&self.rows, self.radius.1, dy)
    }

    /// The surroundings of each pixel of the row, from the left.
    pub fn windows(&self) -> impl ExactSizeIterator<Item = Around<'_, P>> {
        (0..self.width).map(|x| Around { rows: &self.rows, radius: self.radius, x, y: self.y })
    }
}

/// One pixel and its surroundings.
#[derive(Debug, Clone, Copy)]
pub struct Around<'n, P: Pixel> {
    rows: &'n [&'n [P]],
    radius: (u32, u32),
    x: u32,
    y: u32,
}

impl<'n, P: Pixel> Around<'n, P> {
    /// Where the pixel is.
    pub fn place(&self) -> (u32, u32) {
        (self.x, self.y)
    }

    /// The pixel itself.
    #[inline]
    pub fn centre(&self) -> P {
        self.row(0)[self.radius.0 as usize]
    }

    /// The pixel `dx` to the right and `dy` below.
    ///
    /// # Panics
    /// If `dx` is not within -rx..=rx or `dy` not within -ry..=ry.
    #[inline]
    #[track_caller]
    pub fn at(&self, dx: i32, dy: i32) -> P {
        let rx = self.radius.0;
        assert!(dx.unsigned_abs() <= rx, "column {dx} is outside -{rx}..={rx}");
        self.row(dy)[(i64::from(dx) + i64::from(rx)) as usize]
    }

    /// The 2 rx + 1 pixels of the row `dy` further down.
    ///
    /// # Panics
    /// If `dy` is not within -ry..=ry.
    #[inline]
    #[track_caller]
    pub fn row(&self, dy: i32) -> &'n [P] {
        self.across(row_of(self.rows, self.radius.1, dy))
    }

    #[inline]
    fn across(&self, row: &'n [P]) -> &'n [P] {
        &row[self.x as usize..][..2 * self.radius.0 as usize + 1]
    }

    /// All pixels of the surroundings, row by row from the top left.
    #[inline]
    pub fn pixels(&self) -> impl Iterator<Item = P> + use<'n, P> {
        let around = *self;
        around.rows.iter().flat_map(move |row| around.across(row).iter().copied())
    }
}

impl<P: Pixel> View<'_, P> {
    /// A new frame whose pixels are a function of the surroundings of these, spread over threads. One pass, and what
    /// the function costs.
    ///
    /// # Errors
    /// As [`Neighbors::new`], or a size beyond the system's memory.
    pub fn map_around<Q: Pixel>(
        &self,
        radius: (u32, u32),
        edge: Edge<P>,
        threads: Threads,
        change: impl Fn(Around<'_, P>) -> Q + Sync + Send,
    ) -> Result<Frame<Q>> {
        let mut out = Frame::zeros(self.size(), self.account())?;
        self.map_around_into(radius, edge, threads, out.view_mut(), change)?;
        Ok(out)
    }

    /// [`map_around`](View::map_around) into a view of the same size.
    ///
    /// # Errors
    /// As [`Neighbors::new`], or a target of another size.
    pub fn map_around_into<Q: Pixel>(
        &self,
        radius: (u32, u32),
        edge: Edge<P>,
        threads: Threads,
        target: ViewMut<'_, Q>,
        change: impl Fn(Around<'_, P>) -> Q + Sync + Send,
    ) -> Result<()> {
        same_size("the target", self.size(), target.size())?;
        if self.size().is_empty() {
            return Ok(());
        }
        let bytes = self.samples().bytes() + target.as_view().samples().bytes();
        let failed = std::sync::Mutex::new(None);
        target.each_band(threads, bytes, |first, mut to| {
            let mut around = match Neighbors::of_rows(*self, radius, edge, first..first + to.height()) {
                Ok(around) => around,
                Err(error) => {
                    failed.lock().unwrap_or_else(std::sync::PoisonError::into_inner).get_or_insert(error);
                    return;
                }
            };
            for row in to.rows_mut() {
                // There are as many rows here as there, so there is always one more.
                let Some(rows) = around.next_row() else { break };
                row.iter_mut().zip(rows.windows()).for_each(|(to, window)| *to = change(window));
            }
        });
        failed.into_inner().unwrap_or_else(std::sync::PoisonError::into_inner).map_or(Ok(()), Err)
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::Size;
    use crate::pixel::Gray;

    #[test]
    fn surroundings_are_what_the_edge_says_for_every_radius_and_thread() {
        for (w, h) in [(1, 1), (2, 3), (5, 4), (3, 1), (17, 29)] {
            let frame = Frame::from_fn(Size::new(w, h), |x, y| Gray::new((x * 7 + y * 31) as u16)).unwrap();
            for edge in [Edge::Clamp, Edge::Reflect, Edge::Wrap, Edge::Constant(Gray::new(999))] {
                for (rx, ry) in [(0u32, 0u32), (1, 1), (2, 0), (0, 3), (4, 5)] {
                    let look = |x: i64, y: i64| match (edge.inside(x, w), edge.inside(y, h)) {
                        (Some(x), Some(y)) => frame[(x, y)].value,
                        _ => 999,
                    };
                    let check = |a: Around<'_, Gray<u16>>| {
                        let (x, y) = a.place();
                        assert_eq!(a.centre().value, look(x.into(), y.into()));
                        for (dx, dy) in [(0, 0), (rx as i32, ry as i32), (-(rx as i32), -(ry as i32))] {
                            let (px, py) = (i64::from(x) + i64::from(dx), i64::from(y) + i64::from(dy));
                            assert_eq!(a.at(dx, dy).value, look(px, py), "{w}x{h} {edge:?} {rx},{ry}");
                        }
                        Gray::new(a.pixels().map(|p| u64::from(p.value)).sum::<u64>())
                    };
                    let one = frame.view().map_around((rx, ry), edge, Threads::ONE, check).unwrap();
                    let want = |x: u32, y: u32| {
                        let across = |dy: i64| {
                            let row = i64::from(y) + dy;
                            let (rx, x) = (i64::from(rx), i64::from(x));
                            (-rx..=rx).map(|dx| u64::from(look(x + dx, row))).sum::<u64>()
                        };
                        (-i64::from(ry)..=i64::from(ry)).map(across).sum::<u64>()
                    };
                    assert!((0..h).all(|y| (0..w).all(|x| one[(x, y)].value == want(x, y))));
                }
            }
        }
    }

    #[test]
    fn empty_views_have_no_rows_and_need_a_constant_edge() {
        let empty = Frame::<Gray<u8>>::new(Size::new(0, 3)).unwrap();
        assert!(Neighbors::new(empty.view(), (1, 1), Edge::Clamp).is_err());
        let mut around = Neighbors::new(empty.view(), (1, 1), Edge::Constant(Gray::new(1))).unwrap();
        assert_eq!(around.next_row().unwrap().windows().len(), 0);
        assert!(
            empty.view().map_around((1, 1), Edge::Clamp, Threads::ONE, |a| a.centre()).unwrap().pixels().is_empty()
        );
    }
}
