//! Resizing planes of any number type: values, which are computed in `f64` and rounded once.
//!
//! Not here: pixels, which have alpha and light, and quick ways.

use super::axis::Axis;
use super::plan::{Plan, Tables};
use super::{Area, ResizeRules, nearest};
use crate::access::Edge;
use crate::error::Result;
use crate::frame::{AnyNumbers, AnyNumbersMut, Frame, Planes, Size, View, ViewMut};
use crate::pixel::{Gray, Number};

impl Plan {
    /// [`run_rows`](Plan::run_rows) for a plane of any number type: in `f64`, rounded once, half up; integers clamp. A
    /// constant edge shows its first number as it is, not as a fraction of full. Numbers beyond 2^53 are rounded first; a
    /// NaN counts wherever its weight is not zero. A row of memory a thread.
    ///
    /// # Errors
    /// As [`run_rows`](Plan::run_rows).
    pub fn run_plane_rows<T: Number>(
        &self,
        source: View<'_, Gray<T>>,
        first_row: u32,
        target: ViewMut<'_, Gray<T>>,
        first_output: u32,
    ) -> Result<()> {
        self.run_numbers(source.numbers_any(), first_row, target.into_numbers_any(), first_output)
    }

    /// [`run_plane_rows`](Plan::run_plane_rows) of numbers whose type is known at run time, one channel.
    pub(crate) fn run_numbers(
        &self,
        source: AnyNumbers<'_>,
        first_row: u32,
        target: AnyNumbersMut<'_>,
        first_output: u32,
    ) -> Result<()> {
        self.check_rows(source.size(), first_row, target.size(), first_output)?;
        let threads = self.rules().threads;
        let bytes = (source.size().pixels() + target.size().pixels()).saturating_mul(size_of::<f64>() as u64);
        match self.tables() {
            Tables::Nearest { columns, rows } => {
                let source = source.as_bytes();
                target.into_bytes().each_band(threads, bytes, &|band, part| {
                    nearest::run((source, first_row), part, columns, rows, first_output + band);
                });
            }
            Tables::Weighted { columns, rows, .. } => {
                let outside = match self.rules().edge {
                    Edge::Constant(all) => all[0],
                    _ => 0.0,
                };
                let weighed = Weighed { source, first_row, columns: &columns.axis, rows: &rows.axis, outside };
                target.each_band(threads, bytes, &|band, part| weighed.run(part, first_output + band));
            }
        }
        Ok(())
    }
}

/// A plane on its way through both passes, in `f64`.
struct Weighed<'a> {
    source: AnyNumbers<'a>,
    first_row: u32,
    columns: &'a Axis,
    rows: &'a Axis,
    /// What a constant edge shows.
    outside: f64,
}

impl Weighed<'_> {
    fn run(&self, mut target: AnyNumbersMut<'_>, first: u32) {
        let Weighed { source, first_row, columns, rows, outside } = *self;
        let Size { width, height } = target.size();
        // A row of the source's width, made of the rows that an output row needs; and the row that it becomes.
        let (mut row, mut made) = (vec![0.0f64; source.size().width as usize], vec![0.0f64; width as usize]);
        let mut values = Vec::new();
        for y in 0..height {
            let out = (first + y) as usize;
            row.fill(0.0);
            for tap in rows.used(out) {
                let weight = rows.weights_of(out)[tap];
                match rows.inside(rows.starts[out] + tap as u32) {
                    Some(_) if weight == 0.0 => {}
                    Some(from) => {
                        source.row(from - first_row).gather(0, 1, &mut values);
                        row.iter_mut().zip(&values).for_each(|(to, v)| *to += weight * v);
                    }
                    None => row.iter_mut().for_each(|to| *to += weight * outside),
                }
            }
            for (x, to) in made.iter_mut().enumerate() {
                let mut sum = 0.0;
                for tap in columns.used(x) {
                    let weight = columns.weights_of(x)[tap];
                    let value = columns.inside(columns.starts[x] + tap as u32).map_or(outside, |at| row[at as usize]);
                    sum += if weight != 0.0 { weight * value } else { 0.0 };
                }
                *to = sum;
            }
            target.put_row(y, &made);
        }
    }
}

/// A part of planes resized by any rules, each plane by itself.
///
/// # Errors
/// As [`Plan::of_area`], or no memory.
///
/// # Examples
/// ```
/// use rahmen::{Frame, Gray, Planes, Size, resample::{Area, Kernel, ResizeRules, resize_planes}};
/// let depths = Frame::<Gray<i32>>::from_samples(Size::new(2, 1), vec![-1000, 3000])?;
/// let planes = Planes::new(Size::new(2, 1)).with("depth", depths)?;
/// let rules = ResizeRules::new(Kernel::Linear);
/// let four = resize_planes(&planes, Area::of(planes.size()), Size::new(4, 1), &rules)?;
/// assert_eq!(four.get("depth").map(|d| d.samples().to_vec()), Some(vec![-1000, 0, 2000, 3000]));
/// # Ok::<(), rahmen::Error>(())
/// ```
pub fn resize_planes<T: Number>(planes: &Planes<T>, area: Area, to: Size, rules: &ResizeRules) -> Result<Planes<T>> {
    let plan = Plan::charged(planes.size(), area, to, rules, planes.account())?;
    let mut out = Planes::new(to);
    for (name, plane) in planes.iter() {
        let mut resized = Frame::zeros(to, plane.account())?;
        plan.run_plane_rows(plane.view(), 0, resized.view_mut(), 0)?;
        out.push(name, resized)?;
    }
    Ok(out)
}

#[cfg(test)]
mod tests {
    use super::*;
    use crate::resample::{Kernel, resize_area};

    #[test]
    fn planes_are_resized_as_floats_are_and_whole_numbers_rounded_once() {
        let size = Size::new(37, 23);
        let value = |x: u32, y: u32| (x * x) as f32 * 3.25 - (y * 17 % 29) as f32;
        let floats = Frame::from_fn(size, |x, y| Gray::new(value(x, y))).unwrap();
        let wide = Frame::from_fn(size, |x, y| Gray::new(f64::from(value(x, y)))).unwrap();
        let whole = Frame::from_fn(size, |x, y| Gray::new((value(x, y) * 1000.0) as i64)).unwrap();
        let area = Area::new(1.5..30.25, 0.0..23.0).unwrap();
        let kernels = [Kernel::Nearest, Kernel::Box, Kernel::Linear, Kernel::CatmullRom, Kernel::Lanczos3];
        for kernel in kernels {
            for to in [Size::new(11, 40), Size::new(90, 7), Size::new(1, 1)] {
                for edge in [Edge::Clamp, Edge::Reflect, Edge::Wrap, Edge::Constant([0.5; 4])] {
                    let rules = ResizeRules::new(kernel.clone()).edge(edge);
                    let wanted = resize_area(floats.view(), area, to, &rules).unwrap();
                    let planes = Planes::new(size).with("z", wide.clone()).unwrap();
                    let found = resize_planes(&planes, area, to, &rules).unwrap();
                    let found = found.get("z").unwrap();
                    for (a, b) in wanted.samples().iter().zip(found.samples()) {
                        assert!((f64::from(*a) - b).abs() < 5e-3, "{kernel} {to} {edge:?}: {a} {b}");
                    }
                    if edge == Edge::Clamp {
                        let planes = Planes::new(size).with("z", whole.clone()).unwrap();
                        let thousand = resize_planes(&planes, area, to, &rules).unwrap();
                        let pairs = thousand.get("z").unwrap().samples().iter().zip(found.samples());
                        assert!(pairs.into_iter().all(|(a, b)| (*a as f64 - b * 1000.0).abs() < 2.0));
                    }
                }
            }
        }
    }
}
