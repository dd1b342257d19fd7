//! Pixels of a warp whose taps are few and all lie inside: weighed in batches, once for every sample type, and mixed.
//!
//! Not here: pixels at an edge, of alpha or light, of wide kernels, which [`warp`](super::warp) makes one by one.

use super::affine::Affine;
use super::kernel::Kernel;
use super::shape::Along;
use crate::frame::{SampleView, Size};
use crate::pixel::Sample;
use crate::simd::{Level, Work};

/// Pixels whose weights are worked out together: few enough to stay in the nearest cache.
pub(super) const BATCH: usize = 32;

/// Which pixels count at a place, and how much: the same for every sample type.
pub(super) struct Places<'a> {
    pub(super) size: Size,
    pub(super) back: Affine,
    pub(super) kernel: &'a Kernel,
    pub(super) across: Along<'a>,
    pub(super) down: Along<'a>,
}

/// How a pixel is made.
#[derive(Clone, Copy)]
pub(super) enum Way {
    /// Of `N` columns and rows that all lie inside.
    Few,
    /// Of the edge's constant: nothing of the picture counts there.
    Constant,
    /// The general way.
    General,
}

/// The first of `N` columns and of `N` rows about a place, and their weights; those of the columns are divided by the sums
/// of both.
#[derive(Clone, Copy)]
pub(super) struct Spot<const N: usize> {
    pub(super) way: Way,
    left: usize,
    top: u32,
    columns: [f64; N],
    rows: [f64; N],
}

impl<const N: usize> Spot<N> {
    pub(super) const NONE: Spot<N> = Spot { way: Way::General, left: 0, top: 0, columns: [0.0; N], rows: [0.0; N] };
}

/// Works out the spots of pixels side by side.
struct Weigh<'a, 'b, const N: usize> {
    places: &'a Places<'b>,
    x: u32,
    y: u32,
    spots: &'a mut [Spot<N>],
    /// Whether what lies outside is constant.
    constant: bool,
}

impl<const N: usize> Work for Weigh<'_, '_, N> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let Weigh { places, x, y, spots, constant } = self;
        let y = f64::from(y) + 0.5;
        for (x, spot) in (x..).zip(spots) {
            let (u, v) = places.back.at(f64::from(x) + 0.5, y);
            spot.way = places.weigh(u, v, constant, spot);
        }
    }
}

/// Mixes the taps of pixels side by side that have a spot.
pub(super) struct Mix<'a, 'b, S: Sample, const N: usize> {
    pub(super) source: &'a SampleView<'b, S>,
    pub(super) constant: &'a [S],
    pub(super) spots: &'a [Spot<N>],
    pub(super) to: &'a mut [S],
}

impl<S: Sample, const N: usize> Work for Mix<'_, '_, S, N> {
    type Out = ();
    #[inline(always)]
    fn work(self) {
        let Mix { source, constant, spots, to } = self;
        let count = source.channels().count;
        for (spot, to) in spots.iter().zip(to.chunks_exact_mut(count)) {
            match spot.way {
                Way::Few => {}
                Way::Constant => {
                    to.copy_from_slice(constant);
                    continue;
                }
                Way::General => continue,
            }
            if count == 1 {
                to[0] = S::from_f64(gray(source, spot));
                continue;
            }
            let sums = color(source, count, spot);
            for c in 0..count {
                to[c] = S::from_f64(sums[c & 3]);
            }
        }
    }
}

/// A pixel of one channel.
#[inline(always)]
fn gray<S: Sample, const N: usize>(source: &SampleView<'_, S>, spot: &Spot<N>) -> f64 {
    let mut sums = [0.0; N];
    for y in 0..N {
        // A spot lies inside: there are as many numbers.
        let Some(numbers) = source.row(spot.top + y as u32)[spot.left..].first_chunk::<N>() else { continue };
        for i in 0..N {
            sums[i] += numbers[i].to_f64() * spot.rows[y];
        }
    }
    let mut sum = 0.0;
    for i in 0..N {
        sum += sums[i] * spot.columns[i];
    }
    sum
}

/// A pixel of three or four channels without alpha. Of three the number behind the pixel is read along, and left out.
#[inline(always)]
fn color<S: Sample, const N: usize>(source: &SampleView<'_, S>, count: usize, spot: &Spot<N>) -> [f64; 4] {
    let mut sums = [0.0; 4];
    for y in 0..N {
        let numbers = &source.row(spot.top + y as u32)[spot.left * count..];
        let mut row = [0.0; 4];
        for i in 0..N {
            let at = i * count;
            let pixel = match numbers.get(at..).and_then(|rest| rest.first_chunk::<4>()) {
                Some(four) => *four,
                // The last three numbers of a row.
                None => [numbers[at], numbers[at + 1], numbers[at + 2], S::default()],
            };
            for c in 0..4 {
                row[c] += pixel[c].to_f64() * spot.columns[i];
            }
        }
        for c in 0..4 {
            sums[c] += row[c] * spot.rows[y];
        }
    }
    sums
}

impl Places<'_> {
    /// How many pixels count along both axes, where that is as many everywhere and few; else 0.
    pub(super) fn few_taps(&self) -> usize {
        let whole = matches!(
            self.kernel,
            Kernel::Linear
                | Kernel::CatmullRom
                | Kernel::Mitchell
                | Kernel::Cubic { .. }
                | Kernel::Lanczos2
                | Kernel::Lanczos3
        );
        let of_own_width = self.across.scale == 1.0 && self.down.scale == 1.0;
        if whole && of_own_width { 2 * self.kernel.support() as usize } else { 0 }
    }

    /// Fills the spots of pixels side by side from (x, y) on. Not inlined: it is the same for every sample type.
    #[inline(never)]
    pub(super) fn weigh_all<const N: usize>(
        &self,
        level: Level,
        (x, y): (u32, u32),
        constant: bool,
        spots: &mut [Spot<N>],
    ) {
        level.work_in_256_bits(Weigh { places: self, x, y, spots, constant });
    }

    /// Whether nothing of the picture counts at a place.
    #[inline(always)]
    pub(super) fn is_outside(&self, u: f64, v: f64) -> bool {
        let outside =
            |at: f64, along: &Along<'_>, side: u32| at + along.reach() < 0.0 || at - along.reach() > f64::from(side);
        outside(u, &self.across, self.size.width) || outside(v, &self.down, self.size.height)
    }

    /// Fills the spot of a place, if all its taps lie inside.
    #[inline(always)]
    fn weigh<const N: usize>(&self, u: f64, v: f64, constant: bool, spot: &mut Spot<N>) -> Way {
        let reach = N as f64 / 2.0;
        let (left, top) = ((u - reach + 0.5).floor(), (v - reach + 0.5).floor());
        let Size { width, height } = self.size;
        let fits =
            left >= 0.0 && top >= 0.0 && left + N as f64 <= f64::from(width) && top + N as f64 <= f64::from(height);
        if !fits {
            return if constant && self.is_outside(u, v) { Way::Constant } else { Way::General };
        }
        let (columns, rows) = (self.across.few_weights::<N>(left, u), self.down.few_weights::<N>(top, v));
        let sum = columns.iter().sum::<f64>() * rows.iter().sum::<f64>();
        if !sum.is_finite() || sum.abs() < 1e-9 {
            return Way::General;
        }
        for i in 0..N {
            spot.columns[i] = columns[i] / sum;
        }
        (spot.left, spot.top, spot.rows) = (left as usize, top as u32, rows);
        Way::Few
    }
}
