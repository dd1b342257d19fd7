//! A picture laid down by an affine map: any angle, shear and scale.

use super::affine::Affine;
use super::kernel::Kernel;
use super::light::Curve;
use super::point::TapSums;
use super::rows::constant_of;
use super::shape::{Along, KernelShape};
use super::spots::{BATCH, Mix, Places, Spot, Way};
use crate::access::Edge;
use crate::access::bytes::{self, with_pixel_bytes};
use crate::error::{Error, Result};
use crate::frame::Light;
use crate::frame::{AnySamples, AnySamplesMut, SampleView, SampleViewMut, Size, View, ViewMut, with_same_samples};
use crate::pixel::{Channels, Pixel, Sample};
use crate::simd::{Level, Work};
use crate::threads::Threads;
use std::sync::PoisonError;

/// How to warp.
#[derive(Debug, Clone, PartialEq)]
#[non_exhaustive]
pub struct WarpRules {
    /// How to interpolate; Catmull-Rom by default.
    pub kernel: Kernel,
    /// What lies outside the picture: nothing by default, that is all channels zero (black; clear where there is alpha). The
    /// channels of a constant are fractions of full, in the order that the pixels have them.
    pub edge: Edge<[f64; 4]>,
    /// Whether the kernel widens where the map shrinks; on by default.
    pub widen: bool,
    /// Light that is mixed in (default: encoded values).
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

    /// Sets the edge rule.
    pub fn edge(self, edge: Edge<[f64; 4]>) -> WarpRules {
        WarpRules { edge, ..self }
    }

    /// Keeps the kernel's width when shrinking: faster, and aliased.
    pub fn without_antialias(self) -> WarpRules {
        WarpRules { widen: false, ..self }
    }

    /// Sets the light that is mixed in.
    pub fn light(self, light: Light) -> WarpRules {
        WarpRules { light, ..self }
    }

    /// Sets the maximum number of threads.
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
    rules: &WarpRules,
) -> Result<()> {
    warp_any(source.samples_any(), map, target.into_samples_any(), rules)
}

/// [`warp`] of samples whose type is known at run time.
pub(crate) fn warp_any(
    source: AnySamples<'_>,
    map: Affine,
    target: AnySamplesMut<'_>,
    rules: &WarpRules,
) -> Result<()> {
    if source.size().is_empty() {
        return Err(Error::no_pixels(
            "source",
            source.size(),
            format!("a picture of {} has no pixel to warp", source.size()),
        ));
    }
    let back = map.inverse()?;
    let scales = back.rows().map(|[a, b, _]| if rules.widen { a.hypot(b).max(1.0) } else { 1.0 });
    if scales.iter().any(|&scale| scale * rules.kernel.support() > 1e3) {
        let line = format!("a map that shrinks {} times makes pixels of too many others", scales[0].max(scales[1]));
        return Err(Error::invalid("target", line));
    }
    with_same_samples!(source, target, source, target => warp_samples(source, back, target, rules, scales))
}

fn warp_samples<S: Sample>(
    source: SampleView<'_, S>,
    back: Affine,
    target: SampleViewMut<'_, S>,
    rules: &WarpRules,
    scales: [f64; 2],
) -> Result<()> {
    let channels = source.channels();
    let mut constant = constant_of::<S>(rules.edge, channels.count).unwrap_or_default();
    constant.resize(channels.count, S::default());
    let bytes = target.bytes().saturating_mul(16);
    let level = Level::best();
    if rules.kernel == Kernel::Nearest {
        let constant = SampleView::packed(&constant, Size::new(1, 1), channels, None).as_bytes().row(0);
        let nearest = Nearest { source: source.as_bytes(), back, edge: rules.edge.kind(), constant };
        target.into_bytes().each_band(rules.threads, bytes, &|first, part| nearest.run(level, first, part));
        return Ok(());
    }
    let curve = rules.light.curve().map(|transfer| Curve::new(transfer, S::KIND));
    let shape = KernelShape::new(&rules.kernel);
    let along = |scale| Along { shape: &shape, kernel: &rules.kernel, scale };
    let (across, down) = (along(scales[0]), along(scales[1]));
    let places = Places { size: source.size(), back, kernel: &rules.kernel, across, down };
    let whole = Warp { source, channels, places, edge: rules.edge.kind(), curve, constant };
    let failed = std::sync::Mutex::new(None);
    target.each_band(rules.threads, bytes, &|first, part| {
        let mut taps = [Vec::new(), Vec::new()];
        let mut rows = (first..).zip(part.into_rows());
        if let Err(error) = rows.try_for_each(|(y, to)| whole.row(level, y, to, &mut taps)) {
            failed.lock().unwrap_or_else(PoisonError::into_inner).get_or_insert(error);
        }
    });
    failed.into_inner().unwrap_or_else(PoisonError::into_inner).map_or(Ok(()), Err)
}

/// The pixel that a place lies in, as it is: pixels as bytes.
struct Nearest<'a> {
    source: SampleView<'a, u8>,
    back: Affine,
    edge: Edge<()>,
    constant: &'a [u8],
}

impl Nearest<'_> {
    fn run(&self, level: Level, first: u32, target: SampleViewMut<'_, u8>) {
        with_pixel_bytes!(self.source.channels().count, N => {
            for (y, to) in (first..).zip(target.into_rows()) {
                level.work_in_256_bits(NearestRow::<N> { nearest: self, y, to: bytes::pixels_mut(to) });
            }
        });
    }
}

/// One row of the target.
struct NearestRow<'a, 'b, const N: usize> {
    nearest: &'a Nearest<'b>,
    y: u32,
    to: &'a mut [[u8; N]],
}

impl<const N: usize> Work for NearestRow<'_, '_, N> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let NearestRow { nearest: Nearest { source, back, edge, constant }, y, to } = self;
        let Size { width, height } = source.size();
        let y = f64::from(y) + 0.5;
        for (x, to) in (0u32..).zip(to) {
            let (u, v) = back.at(f64::from(x) + 0.5, y);
            // Not negative, and cut off: the floor.
            if u >= 0.0 && v >= 0.0 && u < f64::from(width) && v < f64::from(height) {
                *to = bytes::row::<N>(source, v as u32)[u as usize];
                continue;
            }
            let inside = |at: f64, side: u32| edge.inside(at.floor() as i64, side);
            match (inside(u, width), inside(v, height)) {
                (Some(x), Some(y)) => *to = bytes::row::<N>(source, y)[x as usize],
                _ => to.copy_from_slice(constant),
            }
        }
    }
}

struct Warp<'a, S: Sample> {
    source: SampleView<'a, S>,
    channels: Channels,
    places: Places<'a>,
    edge: Edge<()>,
    curve: Option<Curve>,
    constant: Vec<S>,
}

/// Pixels side by side in a row of the target from `x` on, the general way: any kernel, any edge, alpha, light. The weights
/// of columns and rows are kept in memory that is there already.
struct Stretch<'a, 'b, S: Sample> {
    warp: &'a Warp<'b, S>,
    x: u32,
    y: u32,
    to: &'a mut [S],
    taps: &'a mut [Vec<f64>; 2],
}

impl<S: Sample> Work for Stretch<'_, '_, S> {
    type Out = Result<()>;
    #[inline(always)]
    fn work(self) -> Result<()> {
        let Stretch { warp, x, y, to, taps } = self;
        let y = f64::from(y) + 0.5;
        for (x, to) in (x..).zip(to.chunks_exact_mut(warp.channels.count)) {
            let (u, v) = warp.places.back.at(f64::from(x) + 0.5, y);
            warp.pixel(u, v, taps, to)?;
        }
        Ok(())
    }
}

impl<S: Sample> Warp<'_, S> {
    /// Row `y` of the target.
    fn row(&self, level: Level, y: u32, to: &mut [S], taps: &mut [Vec<f64>; 2]) -> Result<()> {
        // Alpha and light go the general way.
        let numbers = if self.channels.alpha || self.curve.is_some() { 0 } else { self.channels.count };
        let few = if matches!(numbers, 1 | 3 | 4) { self.places.few_taps() } else { 0 };
        match few {
            2 => self.row_of::<2>(level, y, to, taps),
            4 => self.row_of::<4>(level, y, to, taps),
            6 => self.row_of::<6>(level, y, to, taps),
            _ => self.stretch(level, (0, y), to, taps),
        }
    }

    /// A row of channels without alpha, each pixel by `N` taps each way where all lie inside, and by the general way
    /// elsewhere.
    fn row_of<const N: usize>(&self, level: Level, y: u32, to: &mut [S], taps: &mut [Vec<f64>; 2]) -> Result<()> {
        let count = self.channels.count;
        let mut spots = [Spot::<N>::NONE; BATCH];
        let constant = matches!(self.edge, Edge::Constant(_));
        for (x, to) in (0u32..).step_by(BATCH).zip(to.chunks_mut(BATCH * count)) {
            let spots = &mut spots[..to.len() / count];
            self.places.weigh_all(level, (x, y), constant, spots);
            level.work_in_256_bits(Mix { source: &self.source, constant: &self.constant, spots, to });
            for (i, to) in to.chunks_exact_mut(count).enumerate() {
                if matches!(spots[i].way, Way::General) {
                    self.stretch(level, (x + i as u32, y), to, taps)?;
                }
            }
        }
        Ok(())
    }

    /// Pixels side by side from (x, y) on, the general way. Not inlined: it is compiled once a sample type.
    #[inline(never)]
    fn stretch(&self, level: Level, (x, y): (u32, u32), to: &mut [S], taps: &mut [Vec<f64>; 2]) -> Result<()> {
        level.work_in_256_bits(Stretch { warp: self, x, y, to, taps })
    }

    /// The pixel at a place of the source.
    #[inline(always)]
    fn pixel(&self, u: f64, v: f64, [columns, rows]: &mut [Vec<f64>; 2], to: &mut [S]) -> Result<()> {
        let (size, edge, count) = (self.source.size(), self.edge, self.channels.count);
        let Places { across, down, .. } = &self.places;
        // Far outside every edge shows what it shows a little outside, or repeats; a constant needs no sum at all.
        if matches!(edge, Edge::Constant(_)) && self.places.is_outside(u, v) {
            to.copy_from_slice(&self.constant);
            return Ok(());
        }
        let left = across.weights(u, columns)?;
        let top = down.weights(v, rows)?;
        let mut sums = TapSums::new(self.channels, self.curve.as_ref());
        let inner = left >= 0 && left + columns.len() as i64 <= i64::from(size.width);
        for (y, &down) in (top..).zip(&*rows) {
            let row = edge.inside(y, size.height).map(|y| self.source.row(y));
            match row {
                Some(row) if inner => {
                    let pixels = row[left as usize * count..].chunks_exact(count).zip(&*columns);
                    pixels.for_each(|(pixel, across)| sums.add(pixel, across * down));
                }
                _ => {
                    for (x, across) in (left..).zip(&*columns) {
                        let pixel = match (row, edge.inside(x, size.width)) {
                            (Some(row), Some(x)) => &row[x as usize * count..][..count],
                            _ => &self.constant,
                        };
                        sums.add(pixel, across * down);
                    }
                }
            }
        }
        sums.store(to);
        Ok(())
    }
}

/// Angles beyond this are refused: a number of such a size does not tell one degree from the next.
const MOST_DEGREES: f64 = 1e9;

/// The map that rotates a picture clockwise by `degrees` about its centre, and the size that holds all of it; sides are
/// rounded up, but for what rounding leaves over a whole number.
///
/// # Errors
/// An angle that is not a number, or a size beyond `u32`.
pub fn rotated_whole(size: Size, degrees: f64) -> Result<(Affine, Size)> {
    let turn = Affine::rotate(degrees);
    if degrees.is_nan() || degrees.abs() > MOST_DEGREES {
        return Err(Error::out_of_range(
            "degrees",
            degrees,
            (-MOST_DEGREES, MOST_DEGREES),
            format!("an angle of {degrees:e} degrees"),
        ));
    }
    let (w, h) = (f64::from(size.width), f64::from(size.height));
    let [[a, b, _], [d, e, _]] = turn.rows();
    let side = |v: f64| (v - 1e-6).ceil().max(0.0);
    let (width, height) = (side(a.abs() * w + b.abs() * h), side(d.abs() * w + e.abs() * h));
    if width.max(height) > f64::from(u32::MAX) {
        return Err(Error::invalid("degrees", format!("{size} rotated is more than a picture can have")));
    }
    let map = Affine::translate(-w / 2.0, -h / 2.0).then(turn).then(Affine::translate(width / 2.0, height / 2.0));
    Ok((map, Size::new(width as u32, height as u32)))
}
