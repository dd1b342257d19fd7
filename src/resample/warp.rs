//! A picture laid down by an affine map: any angle, shear and scale.

use super::affine::Affine;
use super::axis::no_sum;
use super::kernel::Kernel;
use super::light::{Curve, Light};
use super::point::{Sums, scaled_weight};
use super::rows::constant_of;
use crate::access::Edge;
use crate::error::{Error, Result};
use crate::frame::{Size, View, ViewMut};
use crate::pixel::{Number, Pixel, Sample};
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
    let whole = Work { source, back, scales, rules, curve, constant: constant.unwrap_or_default() };
    let bytes = target.size().pixels() as usize * size_of::<P>() * 16;
    let mut jobs = Vec::new();
    let mut rest = target;
    for band in threads::bands(rest.height(), rules.threads.bands(bytes)) {
        let (part, below) = rest.cut_rows(band.end - band.start);
        rest = below;
        jobs.push((band.start, part));
    }
    threads::collect(jobs, |(first, part)| whole.rows(first, part)).into_iter().collect()
}

struct Work<'a, P: Pixel> {
    source: View<'a, P>,
    back: Affine,
    scales: [f64; 2],
    rules: WarpRules,
    curve: Option<Curve>,
    constant: P,
}

impl<P: Pixel<Number: Sample>> Work<'_, P> {
    fn rows(&self, first: u32, mut part: ViewMut<'_, P>) -> Result<()> {
        let mut taps = [Vec::new(), Vec::new()];
        for (y, row) in (first..).zip(part.rows_mut()) {
            for (x, to) in (0u32..).zip(row) {
                let (u, v) = self.back.at(f64::from(x) + 0.5, f64::from(y) + 0.5);
                *to = self.pixel(u, v, &mut taps)?;
            }
        }
        Ok(())
    }

    /// The pixel at a place of the source; the weights of its columns and rows are kept in memory that is there already.
    fn pixel(&self, u: f64, v: f64, [columns, rows]: &mut [Vec<f64>; 2]) -> Result<P> {
        let (size, edge) = (self.source.size(), self.rules.edge);
        let reach = self.scales.map(|scale| match self.rules.kernel {
            // A pixel counts as soon as a part of it is covered.
            Kernel::Box => scale / 2.0 + 0.5,
            kernel => kernel.support() * scale,
        });
        // Far outside every edge shows what it shows a little outside, or repeats; a constant needs no sum at all.
        let outside = |at: f64, reach: f64, side: u32| at + reach < 0.0 || at - reach > f64::from(side);
        if matches!(edge, Edge::Constant(_)) && (outside(u, reach[0], size.width) || outside(v, reach[1], size.height))
        {
            return Ok(self.constant);
        }
        if self.rules.kernel == Kernel::Nearest {
            let inside = |at: f64, side: u32| edge.inside(at.floor() as i64, side);
            return Ok(match (inside(u, size.width), inside(v, size.height)) {
                (Some(x), Some(y)) => self.source.row(y)[x as usize],
                _ => self.constant,
            });
        }
        let left = self.weights(u, reach[0], self.scales[0], columns)?;
        let top = self.weights(v, reach[1], self.scales[1], rows)?;
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

    /// The weights of the pixels about a place, over their sum, and the first of them.
    fn weights(&self, at: f64, reach: f64, scale: f64, weights: &mut Vec<f64>) -> Result<i64> {
        if at.abs() > 1e12 {
            return Err(Error::unusable(format!("a map that leads to {at}, far from any picture")));
        }
        // The first and the last pixel whose centre is less than the reach away.
        let (first, last) = ((at - reach + 0.5).floor() as i64, (at + reach - 0.5).ceil() as i64 - 1);
        weights.clear();
        weights.extend((first..=last).map(|i| scaled_weight(self.rules.kernel, i, at, scale)));
        let sum: f64 = weights.iter().sum();
        if !sum.is_finite() || sum.abs() < 1e-9 {
            return Err(no_sum(sum));
        }
        weights.iter_mut().for_each(|w| *w /= sum);
        Ok(first)
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
