//! The definition as it stands, summed in `f64` and rounded half up: for small targets, and wherever it is asked for.
//!
//! Not here: quick ways, whose sums lie up to 0.02 of a level off, so that a tie may go either way.

use super::axis::Axis;
use crate::access::Edge;
use crate::frame::{AnyNumbers, AnyNumbersMut, AnySamples, AnySamplesMut};
use crate::pixel::{Channels, Depth, Transfer};
use crate::threads::Threads;

/// Share of full that a sum may lie below a tie and still count as one: far more than `f64` rounds off, far less than a
/// level.
const TIE: f64 = 1e-12;

/// Both passes over pixels of any depth.
pub(super) struct Exact<'a> {
    pub(super) columns: &'a Axis,
    pub(super) rows: &'a Axis,
    pub(super) edge: Edge<[f64; 4]>,
    pub(super) curve: Option<Transfer>,
    pub(super) threads: Threads,
}

impl Exact<'_> {
    /// Makes the rows of the target, whose first is row `first` of the whole, from a strip that begins at row `row`.
    pub(super) fn run(&self, source: AnySamples<'_>, row: u32, target: AnySamplesMut<'_>, first: u32) {
        let (depth, channels) = (source.depth(), source.channels());
        let scale = Scale { full: depth.max_code().map_or(1.0, f64::from), depth, channels, curve: self.curve };
        let (source, target) = (AnyNumbers::from(source), AnyNumbersMut::from(target));
        let bytes = (source.size().pixels() + target.size().pixels()).saturating_mul(size_of::<f64>() as u64);
        target.each_band(self.threads, bytes, &|band, part| self.band(source, row, part, first + band, &scale));
    }

    fn band(&self, source: AnyNumbers<'_>, row: u32, mut target: AnyNumbersMut<'_>, first: u32, scale: &Scale) {
        let Exact { columns, rows, edge, .. } = *self;
        let (size, count) = (target.size(), scale.channels.count);
        let length = source.size().width as usize * count;
        let outside = scale.constant(edge);
        let (mut values, mut sums, mut made) = (Vec::new(), vec![0.0; length], vec![0.0; size.width as usize * count]);
        for y in 0..size.height {
            let out = (first + y) as usize;
            sums.fill(0.0);
            for tap in rows.used(out) {
                let weight = rows.weights_of(out)[tap];
                if weight == 0.0 {
                    continue;
                }
                match rows.inside(rows.starts[out] + tap as u32) {
                    Some(from) => {
                        source.row(from - row).gather(0, 1, &mut values);
                        scale.load(&mut values);
                        sums.iter_mut().zip(&values).for_each(|(sum, v)| *sum += weight * v);
                    }
                    None => {
                        let pixels = sums.chunks_exact_mut(count);
                        pixels.for_each(|p| p.iter_mut().zip(&outside).for_each(|(sum, v)| *sum += weight * v));
                    }
                }
            }
            for (x, pixel) in made.chunks_exact_mut(count).enumerate() {
                pixel.fill(0.0);
                for tap in columns.used(x) {
                    let weight = columns.weights_of(x)[tap];
                    if weight == 0.0 {
                        continue;
                    }
                    let from = match columns.inside(columns.starts[x] + tap as u32) {
                        Some(at) => &sums[at as usize * count..][..count],
                        None => &outside[..count],
                    };
                    pixel.iter_mut().zip(from).for_each(|(sum, v)| *sum += weight * v);
                }
                scale.store(pixel);
            }
            target.put_row(y, &made);
        }
    }
}

/// What numbers are mixed as: on their own scale, or as light up to 1; colours times alpha as a fraction.
struct Scale {
    full: f64,
    depth: Depth,
    channels: Channels,
    curve: Option<Transfer>,
}

impl Scale {
    fn load(&self, values: &mut [f64]) {
        for pixel in values.chunks_exact_mut(self.channels.count) {
            let (colors, alpha) = pixel.split_at_mut(self.channels.colors());
            if let Some(curve) = self.curve {
                colors.iter_mut().for_each(|v| *v = curve.decode(*v / self.full));
            }
            if let [alpha] = alpha {
                colors.iter_mut().for_each(|v| *v *= *alpha / self.full);
            }
        }
    }

    /// Sums as numbers of the picture, ready to be rounded half up.
    fn store(&self, pixel: &mut [f64]) {
        let (colors, alpha) = pixel.split_at_mut(self.channels.colors());
        if let [alpha] = alpha {
            // The least alpha that is stored as more than zero.
            let least = if self.depth == Depth::F32 { f64::from(f32::MIN_POSITIVE) } else { 0.5 };
            let back = if tied(*alpha, self.full) >= least { self.full / *alpha } else { 0.0 };
            colors.iter_mut().for_each(|v| *v *= back);
        }
        if let Some(curve) = self.curve {
            colors.iter_mut().for_each(|v| *v = curve.encode(*v) * self.full);
        }
        if self.depth != Depth::F32 {
            pixel.iter_mut().for_each(|v| *v = tied(*v, self.full));
        }
    }

    /// The pixel that a constant edge shows, as it is mixed.
    fn constant(&self, edge: Edge<[f64; 4]>) -> Vec<f64> {
        let Edge::Constant(all) = edge else { return vec![0.0; self.channels.count] };
        let held = |v: f64| match self.depth {
            Depth::F32 => v,
            _ => (v * self.full + 0.5).floor().clamp(0.0, self.full),
        };
        let mut pixel: Vec<f64> = all.iter().take(self.channels.count).map(|&v| held(v)).collect();
        self.load(&mut pixel);
        pixel
    }
}

/// A sum, exactly on its tie where it lies next to one.
pub(super) fn tied(sum: f64, full: f64) -> f64 {
    let tie = sum.floor() + 0.5;
    if (sum - tie).abs() < full * TIE { tie } else { sum }
}

#[cfg(test)]
mod tests {
    use crate::frame::{Frame, Size};
    use crate::pixel::{Gray, GrayAlpha};
    use crate::resample::{Kernel, Plan, ResizeRules, resize};

    #[test]
    fn ties_go_up_whatever_the_strips() {
        // Ten times as large, every output is a hundredth of whole numbers: by hand, from the rational weights.
        let four = Frame::<Gray<u8>>::from_samples(Size::new(2, 2), vec![10, 13, 20, 200]).unwrap();
        let made = resize(four.view(), Size::new(20, 20), Kernel::Linear).unwrap();
        let weight = |at: i64| (2 * at + 1 - 10).clamp(0, 20);
        for (x, y, p) in made.view().pixels_with_xy() {
            let (right, down) = (weight(x.into()), weight(y.into()));
            let of = |x, y| i64::from(four[(x, y)].value);
            let top = (20 - right) * of(0, 0) + right * of(1, 0);
            let bottom = (20 - right) * of(0, 1) + right * of(1, 1);
            let sum = (20 - down) * top + down * bottom;
            assert_eq!(i64::from(p.value), (2 * sum + 400) / 800, "{x},{y}");
        }
        let plan = Plan::new(four.size(), Size::new(20, 20), &ResizeRules::new(Kernel::Linear)).unwrap();
        let mut strip = Frame::<Gray<u8>>::new(Size::new(20, 3)).unwrap();
        plan.run_rows(four.view(), 0, strip.view_mut(), 8).unwrap();
        assert!(strip.view() == made.region(crate::Region::new(0..20, 8..11).unwrap()).unwrap());
    }

    #[test]
    fn large_targets_round_so_where_it_is_asked_for() {
        let two = Frame::<Gray<u8>>::from_samples(Size::new(2, 1), vec![0, 23]).unwrap();
        let rules = ResizeRules::new(Kernel::Linear).exact();
        let made = crate::resample::resize_area(
            two.view(),
            crate::resample::Area::of(two.size()),
            Size::new(70_000, 1),
            &rules,
        );
        for (x, _, p) in made.unwrap().view().pixels_with_xy() {
            let right = (2 * i64::from(x) + 1 - 35_000).clamp(0, 70_000);
            assert_eq!(i64::from(p.value), (2 * 23 * right + 70_000) / 140_000, "{x}");
        }
    }

    #[test]
    fn colours_beside_alpha_are_weighed_by_it() {
        let two = Frame::from_samples(Size::new(2, 1), vec![200u8, 255, 100, 85]).unwrap();
        let one: Frame<GrayAlpha<u8>> = resize(two.view(), Size::new(1, 1), Kernel::Box).unwrap();
        // (200 * 255 + 100 * 85) / (255 + 85) = 175, alpha 170.
        assert_eq!(one[(0, 0)], GrayAlpha::new(175, 170));
    }
}
