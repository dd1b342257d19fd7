//! A picture laid down by an affine map: any angle, shear and scale.

use super::affine::Affine;
use super::kernel::Kernel;
use super::light::{Curve, Light};
use super::point::Sums;
use super::rows::constant_of;
use super::shape::{Along, Shape};
use crate::access::Edge;
use crate::error::{Error, Result};
use crate::frame::{Size, View, ViewMut};
use crate::pixel::{Number, Pixel, Sample};
use crate::simd::{Level, Work};
use crate::threads::{self, Threads};

/// How to warp.
#[derive(Debug, Clone, Copy, PartialEq)]
#[non_exhaustive]
pub struct WarpRules {
    /// How to interpolate; Catmull-Rom by default.
    pub kernel: Kernel,
    /// What lies outside the picture: nothing by default, that is all channels zero (black; clear where there is alpha). The
    /// channels of a constant are fractions of full, in the order that the pixels have them.
    pub edge: Edge<[f64; 4]>,
    /// Whether the kernel widens where the map shrinks; on by default.
    pub widen: bool,
    /// What is mixed: the numbers as they are encoded by default.
    pub light: Light,
    /// How many threads may be used; all by default.
    pub threads: Threads,
}

impl Default for WarpRules {
    fn default() -> Self {
        WarpRules {
            kernel: Kernel::default(),
            edge: Edge::Constant([0.0; 4]),
            widen: true,
            light: Light::Encoded,
            threads: Threads::ALL,
        }
    }
}

impl WarpRules {
    /// The default rules with this kernel.
    pub fn new(kernel: Kernel) -> WarpRules {
        WarpRules { kernel, ..WarpRules::default() }
    }

    /// The same rules with this edge.
    pub fn edge(self, edge: Edge<[f64; 4]>) -> WarpRules {
        WarpRules { edge, ..self }
    }

    /// The same rules with a kernel of its own width.
    pub fn without_widening(self) -> WarpRules {
        WarpRules { widen: false, ..self }
    }

    /// The same rules in encoded or linear light.
    pub fn light(self, light: Light) -> WarpRules {
        WarpRules { light, ..self }
    }

    /// The same rules on so many threads.
    pub fn threads(self, threads: Threads) -> WarpRules {
        WarpRules { threads, ..self }
    }
}

/// Lays a picture into another one: `map` says where a place of the source goes.
///
/// Each target pixel asks the inverse map where its centre comes from, and takes the value there as
/// [`sample`](super::sample) does. Along x and y of the source the kernel is widened by how far the inverse map goes in a
/// step of one pixel (the root of the squares of both directions), where that is over 1: for a map that only scales this
/// is what [`resize`](super::resize) does. One pass over the target; the kernel is evaluated anew for each pixel, so a
/// resize by its plan is much quicker.
///
/// # Errors
/// A source without pixels, a map without a way back, or one that shrinks so much that a pixel is made of millions; a
/// kernel whose weights have no sum.
pub fn warp<P: Pixel<Number: Sample>>(
    source: View<'_, P>,
    map: Affine,
    target: ViewMut<'_, P>,
    rules: WarpRules,
) -> Result<()> {
    if source.size().is_empty() {
        return Err(Error::unusable(format!("a picture of {} has no pixel to warp", source.size())));
    }
    let back = map.inverse()?;
    let scales = back.rows().map(|[a, b, _]| if rules.widen { a.hypot(b).max(1.0) } else { 1.0 });
    if scales.iter().any(|&scale| scale * rules.kernel.support() > 1e3) {
        let line = format!("a map that shrinks {} times makes pixels of too many others", scales[0].max(scales[1]));
        return Err(Error::unusable(line));
    }
    let constant = constant_of::<P>(rules.edge).and_then(|c| crate::pixel::pixels_of(&c).first().copied());
    let curve = rules.light.curve().map(|transfer| Curve::new(transfer, P::Number::KIND));
    let shape = Shape::new(rules.kernel);
    let [across, down] = scales.map(|scale| Along { shape: &shape, kernel: rules.kernel, scale });
    let whole = Warp { source, back, across, down, rules, curve, constant: constant.unwrap_or_default() };
    let bytes = target.size().pixels() as usize * size_of::<P>() * 16;
    let mut jobs = Vec::new();
    let mut rest = target;
    for band in threads::bands(rest.height(), rules.threads.bands(bytes)) {
        let (part, below) = rest.cut_rows(band.end - band.start);
        rest = below;
        jobs.push((band.start, part));
    }
    let level = Level::best();
    let run = |(first, mut part): (u32, ViewMut<'_, P>)| {
        let mut taps = [Vec::new(), Vec::new()];
        (first..).zip(part.rows_mut()).try_for_each(|(y, to)| level.work(Row { warp: &whole, y, to, taps: &mut taps }))
    };
    threads::collect(jobs, run).into_iter().collect()
}

struct Warp<'a, P: Pixel> {
    source: View<'a, P>,
    back: Affine,
    across: Along<'a>,
    down: Along<'a>,
    rules: WarpRules,
    curve: Option<Curve>,
    constant: P,
}

/// One row of the target. The weights of columns and rows are kept in memory that is there already.
struct Row<'a, 'b, P: Pixel> {
    warp: &'a Warp<'b, P>,
    y: u32,
    to: &'a mut [P],
    taps: &'a mut [Vec<f64>; 2],
}

impl<P: Pixel<Number: Sample>> Work for Row<'_, '_, P> {
    type Out = Result<()>;
    #[inline(always)]
    fn work(self) -> Result<()> {
        let Row { warp, y, to, taps } = self;
        let y = f64::from(y) + 0.5;
        if warp.rules.kernel == Kernel::Nearest {
            for (x, to) in (0u32..).zip(to) {
                let (u, v) = warp.back.at(f64::from(x) + 0.5, y);
                *to = warp.nearest(u, v);
            }
            return Ok(());
        }
        match warp.few_taps() {
            2 => warp.row::<2>(y, to, taps),
            4 => warp.row::<4>(y, to, taps),
            6 => warp.row::<6>(y, to, taps),
            _ => warp.row::<0>(y, to, taps),
        }
    }
}

impl<P: Pixel<Number: Sample>> Warp<'_, P> {
    /// The pixel that a place lies in.
    #[inline(always)]
    fn nearest(&self, u: f64, v: f64) -> P {
        let Size { width, height } = self.source.size();
        // Not negative, and cut off: the floor.
        if u >= 0.0 && v >= 0.0 && u < f64::from(width) && v < f64::from(height) {
            return self.source.row(v as u32)[u as usize];
        }
        let inside = |at: f64, side: u32| self.rules.edge.inside(at.floor() as i64, side);
        match (inside(u, width), inside(v, height)) {
            (Some(x), Some(y)) => self.source.row(y)[x as usize],
            _ => self.constant,
        }
    }

    /// How many pixels count along both axes, where that is as many everywhere and few.
    fn few_taps(&self) -> usize {
        let whole = matches!(
            self.rules.kernel,
            Kernel::Linear
                | Kernel::CatmullRom
                | Kernel::Mitchell
                | Kernel::Cubic { .. }
                | Kernel::Lanczos2
                | Kernel::Lanczos3
        );
        let of_own_width = self.across.scale == 1.0 && self.down.scale == 1.0;
        if whole && of_own_width { 2 * self.rules.kernel.support() as usize } else { 0 }
    }

    /// A row by so many taps each way where all of them lie inside, and by the general way elsewhere.
    #[inline(always)]
    fn row<const N: usize>(&self, y: f64, to: &mut [P], taps: &mut [Vec<f64>; 2]) -> Result<()> {
        // Of three channels the number behind the pixel is read along, and left out.
        let numbers = if P::ALPHA || self.curve.is_some() { 0 } else { P::CHANNELS };
        for (x, to) in (0u32..).zip(to) {
            let (u, v) = self.back.at(f64::from(x) + 0.5, y);
            let quick = match (N, numbers) {
                (0, _) => None,
                (_, 1) => self.inner_gray::<N>(u, v),
                (_, 3) => self.inner_color::<N, 3>(u, v),
                (_, 4) => self.inner_color::<N, 4>(u, v),
                _ => None,
            };
            *to = match quick {
                Some(pixel) => pixel,
                None => self.pixel(u, v, taps)?,
            };
        }
        Ok(())
    }

    /// The first of `N` columns and of `N` rows about a place, if all lie inside, and their weights; those of the columns
    /// are divided by the sums of both.
    #[inline(always)]
    fn inner<const N: usize>(&self, u: f64, v: f64) -> Option<(usize, u32, [f64; N], [f64; N])> {
        let reach = N as f64 / 2.0;
        let (left, top) = ((u - reach + 0.5).floor(), (v - reach + 0.5).floor());
        let Size { width, height } = self.source.size();
        let fits =
            left >= 0.0 && top >= 0.0 && left + N as f64 <= f64::from(width) && top + N as f64 <= f64::from(height);
        if !fits {
            return None;
        }
        let (left, top) = (left as usize, top as u32);
        let (mut columns, mut rows) = ([0.0; N], [0.0; N]);
        for i in 0..N {
            columns[i] = self.across.weight((left + i) as i64, u);
            rows[i] = self.down.weight(i64::from(top) + i as i64, v);
        }
        let sum = columns.iter().sum::<f64>() * rows.iter().sum::<f64>();
        if !sum.is_finite() || sum.abs() < 1e-9 {
            return None;
        }
        columns.iter_mut().for_each(|w| *w /= sum);
        Some((left, top, columns, rows))
    }

    /// A pixel of one channel, all taps inside.
    #[inline(always)]
    fn inner_gray<const N: usize>(&self, u: f64, v: f64) -> Option<P> {
        let (left, top, columns, rows) = self.inner::<N>(u, v)?;
        let mut sums = [0.0; N];
        for (y, down) in (top..).zip(rows) {
            let numbers = self.source.row_numbers(y)[left..].first_chunk::<N>()?;
            for (sum, v) in sums.iter_mut().zip(numbers) {
                *sum += v.to_f64() * down;
            }
        }
        let sum = sums.iter().zip(columns).map(|(sum, across)| sum * across).sum();
        crate::pixel::pixels_of(&[P::Number::from_f64(sum)]).first().copied()
    }

    /// A pixel of three or four channels without alpha, all taps inside.
    #[inline(always)]
    fn inner_color<const N: usize, const C: usize>(&self, u: f64, v: f64) -> Option<P> {
        let (left, top, columns, rows) = self.inner::<N>(u, v)?;
        let mut sums = [0.0; 4];
        for (y, down) in (top..).zip(rows) {
            let numbers = &self.source.row_numbers(y)[left * C..];
            let mut row = [0.0; 4];
            for (i, across) in columns.into_iter().enumerate() {
                let pixel = numbers.get(i * C..)?.first_chunk::<4>()?;
                for (sum, v) in row.iter_mut().zip(pixel) {
                    *sum += v.to_f64() * across;
                }
            }
            for (sum, row) in sums.iter_mut().zip(row) {
                *sum += row * down;
            }
        }
        let mut out = P::default();
        let numbers = crate::pixel::samples_of_mut(std::slice::from_mut(&mut out));
        numbers.iter_mut().zip(sums).for_each(|(to, sum)| *to = P::Number::from_f64(sum));
        Some(out)
    }

    /// The pixel at a place of the source.
    #[inline(always)]
    fn pixel(&self, u: f64, v: f64, [columns, rows]: &mut [Vec<f64>; 2]) -> Result<P> {
        let (size, edge) = (self.source.size(), self.rules.edge);
        // Far outside every edge shows what it shows a little outside, or repeats; a constant needs no sum at all.
        let outside =
            |at: f64, along: &Along<'_>, side: u32| at + along.reach() < 0.0 || at - along.reach() > f64::from(side);
        if matches!(edge, Edge::Constant(_))
            && (outside(u, &self.across, size.width) || outside(v, &self.down, size.height))
        {
            return Ok(self.constant);
        }
        let left = self.across.weights(u, columns)?;
        let top = self.down.weights(v, rows)?;
        let mut sums = Sums::<P>::new(self.curve.as_ref());
        let inner = left >= 0 && left + columns.len() as i64 <= i64::from(size.width);
        for (y, &down) in (top..).zip(&*rows) {
            let row = edge.inside(y, size.height).map(|y| self.source.row(y));
            match row {
                Some(row) if inner => {
                    let pixels = &row[left as usize..][..columns.len()];
                    pixels.iter().zip(&*columns).for_each(|(&pixel, across)| sums.add(pixel, across * down));
                }
                _ => {
                    for (x, across) in (left..).zip(&*columns) {
                        let pixel = match (row, edge.inside(x, size.width)) {
                            (Some(row), Some(x)) => row[x as usize],
                            _ => self.constant,
                        };
                        sums.add(pixel, across * down);
                    }
                }
            }
        }
        Ok(sums.pixel())
    }
}

/// The map that turns a picture by so many degrees clockwise about its middle, and the size that holds all of it; sides are
/// rounded up, but for what rounding leaves over a whole number.
///
/// # Errors
/// An angle that is not a number, or a size beyond `u32`.
pub fn turned_whole(size: Size, degrees: f64) -> Result<(Affine, Size)> {
    let turn = Affine::turn(degrees);
    if !degrees.is_finite() {
        return Err(Error::unusable(format!("an angle of {degrees} degrees")));
    }
    let (w, h) = (f64::from(size.width), f64::from(size.height));
    let [[a, b, _], [d, e, _]] = turn.rows();
    let side = |v: f64| (v - 1e-6).ceil().max(0.0);
    let (width, height) = (side(a.abs() * w + b.abs() * h), side(d.abs() * w + e.abs() * h));
    if width.max(height) > f64::from(u32::MAX) {
        return Err(Error::unusable(format!("{size} turned is more than a picture can have")));
    }
    let map = Affine::shift(-w / 2.0, -h / 2.0).then(turn).then(Affine::shift(width / 2.0, height / 2.0));
    Ok((map, Size::new(width as u32, height as u32)))
}
