//! The row windows behind [`View`](super::View) and [`ViewMut`](super::ViewMut). One of the few places with `unsafe`.
//!
//! A window is a start pointer, a row length, a number of rows and a stride, never one slice over several rows: that is
//! what makes halves split at a column, and tiles, sound. Only single rows are ever lent as slices.
//!
//! Invariants, set up by `over` from a slice and a checked [`Shape`] and kept by everything else:
//!
//! 1. `stride >= row` wherever there are at least two rows.
//! 2. If `row > 0` and `rows > 0`, every one of the `row` values of each of the `rows` rows lies inside one allocation
//!    that is borrowed for `'a`, shared for `Window`, exclusive for `WindowMut`.
//! 3. No two live `WindowMut` share a value: a split hands each value to one side. The values between rows may belong
//!    to somebody else and are never touched.
//! 4. If there is no value, the pointer is the old start and is never read.
#![allow(unsafe_code)]

use super::gate::Extent;
use crate::memory::Account;
use crate::pixel::Number;
use std::marker::PhantomData;

/// A shared window.
pub(crate) struct Window<'a, T> {
    start: *const T,
    row: usize,
    rows: usize,
    stride: usize,
    /// What a copy of the values is charged to.
    account: Account<'a>,
    life: PhantomData<&'a [T]>,
}

/// An exclusive window.
pub(crate) struct WindowMut<'a, T> {
    start: *mut T,
    row: usize,
    rows: usize,
    stride: usize,
    life: PhantomData<&'a mut [T]>,
}

impl<T> Clone for Window<'_, T> {
    fn clone(&self) -> Self {
        *self
    }
}
impl<T> Copy for Window<'_, T> {}

// SAFETY: a window is a shared borrow of values of T (invariant 2), as `&[T]` is, which is Send and Sync for T: Sync.
unsafe impl<T: Sync> Send for Window<'_, T> {}
// SAFETY: as above.
unsafe impl<T: Sync> Sync for Window<'_, T> {}
// SAFETY: an exclusive borrow of values of T that nobody else can reach (invariants 2 and 3), as `&mut [T]` is.
unsafe impl<T: Send> Send for WindowMut<'_, T> {}
// SAFETY: through a shared reference a WindowMut only lends shared slices, as `&&mut [T]` does.
unsafe impl<T: Sync> Sync for WindowMut<'_, T> {}

impl<'a, T> Window<'a, T> {
    /// A window over a slice that is long enough for the shape.
    ///
    /// # Panics
    /// Where it is not: callers have checked that with [`Shape::holds`].
    pub(crate) fn over(values: &'a [T], shape: &Extent, rows: u32) -> Self {
        assert!(values.len() >= shape.needed);
        let (start, row, rows, stride) = (values.as_ptr(), shape.row, rows as usize, shape.stride);
        Window { start, row, rows, stride, account: None, life: PhantomData }
    }

    /// The same values, charged to a budget.
    #[inline]
    pub(crate) fn charged(self, account: Account<'a>) -> Self {
        Window { account, ..self }
    }

    /// What a copy of the values is charged to.
    #[inline]
    pub(crate) fn account(&self) -> Account<'a> {
        self.account
    }

    pub(crate) fn stride(&self) -> usize {
        self.stride
    }

    /// The bytes of the same values; every byte of a number is one that may be read, as numbers have no padding.
    pub(crate) fn bytes(self) -> Window<'a, u8>
    where
        T: Number,
    {
        let Window { start, row, rows, stride, account, .. } = self;
        let each = size_of::<T>();
        // Of at most one row the stride is never used, and may be too large to be multiplied.
        let stride = stride.saturating_mul(each);
        Window { start: start.cast(), row: row * each, rows, stride, account, life: PhantomData }
    }

    /// One row.
    #[inline(always)]
    #[track_caller]
    pub(crate) fn row(&self, y: usize) -> &'a [T] {
        assert!(y < self.rows, "row {y} is outside 0..{}", self.rows);
        if self.row == 0 {
            return &[];
        }
        // SAFETY: y is in range, so the row's values are inside the borrowed allocation (invariant 2).
        unsafe { std::slice::from_raw_parts(self.start.add(y * self.stride), self.row) }
    }

    /// All values as one slice, where the rows have no gaps.
    pub(crate) fn packed(&self) -> Option<&'a [T]> {
        if self.row == 0 || self.rows == 0 {
            return Some(&[]);
        }
        if self.rows > 1 && self.stride != self.row {
            return None;
        }
        // SAFETY: without gaps the rows are one run of row * rows values inside the allocation (invariant 2).
        Some(unsafe { std::slice::from_raw_parts(self.start, self.row * self.rows) })
    }

    /// The window of `row` values from column value `x` and `rows` rows from `y`.
    #[track_caller]
    pub(crate) fn part(&self, x: usize, y: usize, row: usize, rows: usize) -> Self {
        assert!(x <= self.row && row <= self.row - x && y <= self.rows && rows <= self.rows - y);
        let start = if row == 0 || rows == 0 {
            self.start
        } else {
            // SAFETY: the part has a value, so its first one lies inside the allocation (invariant 2).
            unsafe { self.start.add(y * self.stride + x) }
        };
        Window { start, row, rows, stride: self.stride, account: self.account, life: PhantomData }
    }
}

impl<'a> Window<'a, u8> {
    /// Bytes as numbers of a type; `None` where a row does not start and end as one would. Any bytes are a number.
    pub(crate) fn numbers<T: Number>(self) -> Option<Window<'a, T>> {
        let Window { start, row, rows, stride, account, .. } = self;
        let (row, stride) = in_numbers::<T>(start, row, rows, stride)?;
        Some(Window { start: start.cast(), row, rows, stride, account, life: PhantomData })
    }
}

impl<'a> WindowMut<'a, u8> {
    /// Bytes as numbers of a type, to write; `None` where a row does not start and end as one would.
    pub(crate) fn numbers<T: Number>(self) -> Option<WindowMut<'a, T>> {
        let WindowMut { start, row, rows, stride, .. } = self;
        let (row, stride) = in_numbers::<T>(start, row, rows, stride)?;
        Some(WindowMut { start: start.cast(), row, rows, stride, life: PhantomData })
    }
}

/// Row and stride in numbers of a type instead of bytes, where every row begins where a number may, and ends with one.
fn in_numbers<T>(start: *const u8, row: usize, rows: usize, stride: usize) -> Option<(usize, usize)> {
    let each = size_of::<T>();
    // Of at most one row, or of rows without a value, the stride is never used.
    let stride = if rows > 1 && row > 0 { stride } else { row };
    let whole = row.is_multiple_of(each) && stride.is_multiple_of(each);
    let aligned = row == 0 || start.addr().is_multiple_of(align_of::<T>());
    (whole && aligned).then_some((row / each, stride / each))
}

impl<'a, T> WindowMut<'a, T> {
    /// A window over a slice that is long enough for the shape.
    ///
    /// # Panics
    /// Where it is not: callers have checked that with [`Shape::holds`].
    pub(crate) fn over(values: &'a mut [T], shape: &Extent, rows: u32) -> Self {
        assert!(values.len() >= shape.needed);
        let start = values.as_mut_ptr();
        WindowMut { start, row: shape.row, rows: rows as usize, stride: shape.stride, life: PhantomData }
    }

    pub(crate) fn stride(&self) -> usize {
        self.stride
    }

    /// The bytes of the same values, to write: any bytes are a number.
    pub(crate) fn bytes(self) -> WindowMut<'a, u8>
    where
        T: Number,
    {
        let WindowMut { start, row, rows, stride, .. } = self;
        let each = size_of::<T>();
        // Of at most one row the stride is never used, and may be too large to be multiplied.
        let stride = stride.saturating_mul(each);
        WindowMut { start: start.cast(), row: row * each, rows, stride, life: PhantomData }
    }

    /// The same window, shared, for as long as this one is borrowed.
    #[inline(always)]
    pub(crate) fn as_read(&self) -> Window<'_, T> {
        let (row, rows, stride) = (self.row, self.rows, self.stride);
        Window { start: self.start, row, rows, stride, account: None, life: PhantomData }
    }

    /// The same window, for as long as this one is borrowed.
    #[inline(always)]
    pub(crate) fn reborrow(&mut self) -> WindowMut<'_, T> {
        WindowMut { start: self.start, row: self.row, rows: self.rows, stride: self.stride, life: PhantomData }
    }

    /// One row.
    #[inline(always)]
    #[track_caller]
    pub(crate) fn row(&mut self, y: usize) -> &mut [T] {
        assert!(y < self.rows, "row {y} is outside 0..{}", self.rows);
        if self.row == 0 {
            return &mut [];
        }
        // SAFETY: y is in range, so the row's values are inside the allocation and ours alone (invariants 2 and 3),
        // and self stays borrowed as long as the slice.
        unsafe { std::slice::from_raw_parts_mut(self.start.add(y * self.stride), self.row) }
    }

    /// All values as one slice, where the rows have no gaps.
    pub(crate) fn packed(&mut self) -> Option<&mut [T]> {
        if self.row == 0 || self.rows == 0 {
            return Some(&mut []);
        }
        if self.rows > 1 && self.stride != self.row {
            return None;
        }
        // SAFETY: without gaps the rows are one run of values that is ours alone (invariants 2 and 3).
        Some(unsafe { std::slice::from_raw_parts_mut(self.start, self.row * self.rows) })
    }

    /// The window of `row` values from column value `x` and `rows` rows from `y`; the rest is given up.
    #[track_caller]
    pub(crate) fn part(self, x: usize, y: usize, row: usize, rows: usize) -> Self {
        assert!(x <= self.row && row <= self.row - x && y <= self.rows && rows <= self.rows - y);
        let start = if row == 0 || rows == 0 {
            self.start
        } else {
            // SAFETY: the part has a value, so its first one lies inside the allocation (invariant 2).
            unsafe { self.start.add(y * self.stride + x) }
        };
        WindowMut { start, row, rows, stride: self.stride, life: PhantomData }
    }

    /// The rows before `y` and the rest: no value is in both.
    #[track_caller]
    pub(crate) fn split_at_row(self, y: usize) -> (Self, Self) {
        let (row, rows) = (self.row, self.rows);
        let twin = self.twin();
        (self.part(0, 0, row, y), twin.part(0, y, row, rows - y))
    }

    /// The values before column value `x` of every row and the rest: no value is in both.
    #[track_caller]
    pub(crate) fn split_at_col(self, x: usize) -> (Self, Self) {
        let (row, rows) = (self.row, self.rows);
        let twin = self.twin();
        (self.part(0, 0, x, rows), twin.part(x, 0, row - x, rows))
    }

    /// A second window on the same values, which breaks invariant 3 until both are cut to disjoint parts: only for the
    /// two splits above, which do so before anything can be lent.
    fn twin(&self) -> Self {
        WindowMut { start: self.start, row: self.row, rows: self.rows, stride: self.stride, life: PhantomData }
    }

    /// Takes the first row off the window.
    pub(crate) fn pop_first(&mut self) -> Option<&'a mut [T]> {
        let rest = self.rows.checked_sub(1)?;
        let first = self.start;
        if rest > 0 && self.row > 0 {
            // SAFETY: there is a second row, so its start lies inside the allocation (invariant 2).
            self.start = unsafe { self.start.add(self.stride) };
        }
        self.rows = rest;
        if self.row == 0 {
            return Some(&mut []);
        }
        // SAFETY: the first row's values were ours alone (invariant 3) and no longer belong to this window.
        Some(unsafe { std::slice::from_raw_parts_mut(first, self.row) })
    }

    /// Takes the last row off the window.
    pub(crate) fn pop_last(&mut self) -> Option<&'a mut [T]> {
        let rest = self.rows.checked_sub(1)?;
        self.rows = rest;
        if self.row == 0 {
            return Some(&mut []);
        }
        // SAFETY: row `rest` was ours alone (invariants 2 and 3) and no longer belongs to this window.
        Some(unsafe { std::slice::from_raw_parts_mut(self.start.add(rest * self.stride), self.row) })
    }

    /// Rows left.
    pub(crate) fn rows(&self) -> usize {
        self.rows
    }
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::frame::Size;

    fn shape(width: u32, height: u32, stride: usize) -> Extent {
        Extent::strided(Size::new(width, height), 1, 1, stride).unwrap()
    }

    #[test]
    fn rows_and_parts_are_the_values_a_slice_index_gives() {
        let values: Vec<u8> = (0..60).collect();
        for (w, h, stride) in [(5, 4, 7), (5, 4, 5), (1, 8, 8), (7, 1, 7), (0, 3, 4), (3, 0, 3)] {
            let window = Window::over(&values, &shape(w, h, stride), h);
            for y in 0..h as usize {
                assert_eq!(window.row(y), &values[y * stride..][..w as usize]);
            }
            for (x, y) in (0..=w as usize).flat_map(|x| (0..=h as usize).map(move |y| (x, y))) {
                let part = window.part(x, y, w as usize - x, h as usize - y);
                for row in 0..h as usize - y {
                    assert_eq!(part.row(row), &window.row(y + row)[x..]);
                }
            }
        }
    }

    #[test]
    fn packed_lends_all_values_only_without_gaps() {
        let mut values: Vec<u8> = (0..20).collect();
        assert_eq!(Window::over(&values, &shape(5, 4, 5), 4).packed(), Some(&values[..20]));
        assert_eq!(Window::over(&values, &shape(4, 4, 5), 4).packed(), None);
        assert_eq!(Window::over(&values, &shape(4, 1, 5), 1).packed(), Some(&values[..4]));
        assert_eq!(Window::over(&values, &shape(0, 4, 5), 4).packed(), Some(&[][..]));
        assert!(WindowMut::over(&mut values, &shape(4, 4, 5), 4).packed().is_none());
        WindowMut::over(&mut values, &shape(5, 4, 5), 4).packed().unwrap().fill(1);
        assert_eq!(values, [1; 20]);
        assert!(WindowMut::over(&mut values, &shape(0, 4, 5), 4).packed().unwrap().is_empty());
    }

    #[test]
    fn split_halves_write_side_by_side_and_leave_the_gaps_alone() {
        for (x, y) in (0..=4).flat_map(|x| (0..=3).map(move |y| (x, y))) {
            let mut values = [0u8; 20];
            let (top, bottom) = WindowMut::over(&mut values, &shape(4, 3, 6), 3).split_at_row(y);
            let (top_left, top_right) = top.split_at_col(x);
            let (bottom_left, bottom_right) = bottom.split_at_col(x);
            for (mark, mut part) in [top_left, top_right, bottom_left, bottom_right].into_iter().enumerate() {
                for row in 0..part.rows() {
                    part.row(row).fill(mark as u8 + 1);
                }
            }
            for (i, &v) in values.iter().enumerate() {
                let (col, row) = (i % 6, i / 6);
                let want = if col >= 4 || row >= 3 { 0 } else { 1 + u8::from(col >= x) + 2 * u8::from(row >= y) };
                assert_eq!(v, want, "split at {x},{y}, value {i}");
            }
        }
    }

    #[test]
    fn rows_taken_from_both_ends_are_all_there_once() {
        let mut values = [0u8; 5 * 7];
        let mut window = WindowMut::over(&mut values, &shape(3, 5, 7), 5);
        let mut rows = vec![window.pop_first().unwrap(), window.pop_last().unwrap()];
        rows.extend(std::iter::from_fn(|| window.pop_first()));
        assert!(window.pop_first().is_none() && window.pop_last().is_none());
        rows.into_iter().enumerate().for_each(|(i, row)| row.fill(i as u8 + 1));
        assert_eq!([0, 7, 14, 21, 28].map(|i| values[i]), [1, 3, 4, 5, 2]);
        let mut empty = WindowMut::over(&mut values[..0], &shape(0, 2, 0), 2);
        assert_eq!(empty.pop_first(), Some(&mut [][..]));
        assert_eq!(empty.pop_last(), Some(&mut [][..]));
        assert_eq!(empty.pop_last(), None);
    }

    #[test]
    fn bytes_are_those_of_the_values_and_types_are_told_apart() {
        let mut values: Vec<u16> = (0..12).map(|v| v * 257 + 1).collect();
        let wide = |w, h, stride| Extent::strided(Size::new(w, h), 1, 2, stride).unwrap();
        let expected: Vec<u8> = values[5..8].iter().flat_map(|v| v.to_ne_bytes()).collect();
        let window = Window::over(&values, &wide(3, 2, 5), 2);
        assert_eq!((window.bytes().row(1), window.bytes().stride()), (&expected[..], 10));
        assert_eq!(window.bytes().numbers::<u16>().map(|w| (w.row(1), w.stride())), Some((&values[5..8], 5)));
        // Rows of six bytes, ten apart, are no whole numbers of four; nor are bytes that start at an odd place.
        assert!(window.bytes().numbers::<u32>().is_none());
        assert!(window.bytes().part(1, 0, 4, 2).numbers::<u16>().is_none());
        // A single row whose stride is never used.
        assert_eq!(Window::over(&values, &wide(2, 1, usize::MAX / 2), 1).bytes().row(0).len(), 4);
        let mut bytes = WindowMut::over(&mut values, &wide(3, 2, 5), 2).bytes();
        bytes.row(1).fill(9);
        assert_eq!(values[4..9], [1029, 0x0909, 0x0909, 0x0909, 2057]);
        let bytes = WindowMut::over(&mut values, &wide(3, 2, 5), 2).bytes();
        bytes.numbers::<i16>().unwrap().row(1)[0] = -2;
        assert_eq!(values[4..7], [1029, 0xfffe, 0x0909]);
        let mut few = [1u8, 2, 3];
        assert!(WindowMut::over(&mut few, &shape(3, 1, 3), 1).numbers::<u16>().is_none());
    }

    #[test]
    fn views_of_one_window_are_shared_or_reborrowed() {
        let mut values = [1u8, 2, 3, 4];
        let mut window = WindowMut::over(&mut values, &shape(2, 2, 2), 2);
        assert_eq!((window.as_read().row(1), window.stride()), (&[3, 4][..], 2));
        window.reborrow().row(0)[0] = 9;
        let read = window.as_read();
        let copy = read;
        assert_eq!((read.row(0), copy.stride()), (&[9, 2][..], 2));
    }

    #[test]
    #[should_panic(expected = "row 2 is outside 0..2")]
    fn a_row_outside_panics() {
        Window::over(&[1u8, 2], &shape(1, 2, 1), 2).row(2);
    }
}
