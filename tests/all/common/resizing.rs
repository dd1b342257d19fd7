//! Resizing as it is defined, computed straight from the definition in `f64`: what tests and the tables of docs/accuracy.md hold the
//! library's against.
#![allow(dead_code, missing_docs, unreachable_pub)]

use rahmen::access::Edge;
use rahmen::resample::{Area, CustomKernel, Kernel, Light, ResizeRules, resize_area};
use rahmen::{Frame, Number, PicturePixel, Sample, Size, Threads};

/// The kernels written out from their own formulas.
pub fn kernel_at(kernel: Kernel, t: f64) -> f64 {
    let t = t.abs();
    let sinc = |t: f64| if t == 0.0 { 1.0 } else { (t * std::f64::consts::PI).sin() / (t * std::f64::consts::PI) };
    match kernel {
        Kernel::Linear => (1.0 - t).max(0.0),
        // Catmull-Rom written out: 1.5 t^3 - 2.5 t^2 + 1 below 1, -0.5 t^3 + 2.5 t^2 - 4 t + 2 below 2.
        Kernel::CatmullRom if t < 1.0 => 1.5 * t * t * t - 2.5 * t * t + 1.0,
        Kernel::CatmullRom if t < 2.0 => -0.5 * t * t * t + 2.5 * t * t - 4.0 * t + 2.0,
        // Mitchell: (7 t^3 - 12 t^2 + 16/3) / 6 below 1, (-7/3 t^3 + 12 t^2 - 20 t + 32/3) / 6 below 2.
        Kernel::Mitchell | Kernel::Cubic { .. } if t < 1.0 => (7.0 * t * t * t - 12.0 * t * t + 16.0 / 3.0) / 6.0,
        Kernel::Mitchell | Kernel::Cubic { .. } if t < 2.0 => {
            (-7.0 / 3.0 * t * t * t + 12.0 * t * t - 20.0 * t + 32.0 / 3.0) / 6.0
        }
        Kernel::Lanczos2 if t < 2.0 => sinc(t) * sinc(t / 2.0),
        Kernel::Lanczos3 if t < 3.0 => sinc(t) * sinc(t / 3.0),
        Kernel::Custom(_) if t <= 1.5 => (1.0 - t * t / 2.25).powi(2),
        _ => 0.0,
    }
}

pub fn bell_at(t: f64) -> f64 {
    (1.0 - t * t / 2.25).powi(2)
}

pub fn bell() -> CustomKernel {
    CustomKernel::new(bell_at, 1.5).unwrap()
}

/// Where the edge says that index `i` is seen; none for a constant.
pub fn seen(i: i64, side: i64, edge: Edge<[f64; 4]>) -> Option<usize> {
    let at = match edge {
        Edge::Reflect => {
            let place = i.rem_euclid(2 * side);
            if place < side { place } else { 2 * side - 1 - place }
        }
        Edge::Wrap => i.rem_euclid(side),
        Edge::Constant(_) if !(0..side).contains(&i) => return None,
        _ => i.clamp(0, side - 1),
    };
    Some(at as usize)
}

/// One axis of the definition: for output `x` the weight of every source index, and that of a constant outside.
pub fn weights(side: u32, part: &std::ops::Range<f64>, target: u32, x: u32, rules: &ResizeRules) -> (Vec<f64>, f64) {
    let ratio = (part.end - part.start) / f64::from(target);
    let scale = if rules.widen { ratio.max(1.0) } else { 1.0 };
    let center = part.start + (f64::from(x) + 0.5) * ratio;
    let reach = (3.0 * scale.max(ratio)).ceil() as i64 + 3;
    let (mut out, mut outside) = (vec![0.0; side as usize], 0.0);
    for i in center as i64 - reach..=center as i64 + reach {
        let pixel = i as f64;
        let weight = match &rules.kernel {
            Kernel::Box => ((pixel + 1.0).min(center + ratio / 2.0) - pixel.max(center - ratio / 2.0)).max(0.0),
            kernel => kernel_at(kernel.clone(), (pixel + 0.5 - center) / scale),
        };
        match seen(i, side.into(), rules.edge) {
            Some(at) => out[at] += weight,
            None => outside += weight,
        }
    }
    let sum: f64 = out.iter().sum::<f64>() + outside;
    (out.iter().map(|w| w / sum).collect(), outside / sum)
}

/// Every sample of the definition's result, in samples of the source's scale, not rounded; in linear light, on the way
/// back to what the curve makes of it.
pub fn reference<P: PicturePixel>(frame: &Frame<P>, area: Area, to: Size, rules: &ResizeRules) -> Vec<f64> {
    let from = frame.size();
    let columns: Vec<_> = (0..to.width).map(|x| weights(from.width, &area.x(), to.width, x, rules)).collect();
    let rows: Vec<_> = (0..to.height).map(|y| weights(from.height, &area.y(), to.height, y, rules)).collect();
    let (c, full) = (P::CHANNELS, P::Number::FULL.to_f64());
    let curve = match rules.light {
        Light::Linear(curve) => Some(curve),
        _ => None,
    };
    let light = |v: f64| curve.map_or(v, |curve| curve.decode(v / full) * full);
    let weighed = |p: &[f64], k: usize| match P::ALPHA {
        true if k == c - 1 => p[k],
        true => light(p[k]) * p[c - 1] / full,
        false => light(p[k]),
    };
    let values: Vec<f64> = frame
        .samples()
        .chunks_exact(c)
        .flat_map(|p| {
            let p: Vec<f64> = p.iter().map(|v| v.to_f64()).collect();
            (0..c).map(|k| weighed(&p, k)).collect::<Vec<_>>()
        })
        .collect();
    let row_of = from.width as usize * c;
    // Most sources of an output weigh nothing.
    let some = |(all, outside): &(Vec<f64>, f64)| -> (Vec<(usize, f64)>, f64) {
        (all.iter().copied().enumerate().filter(|(_, w)| *w != 0.0).collect(), *outside)
    };
    let (columns, rows): (Vec<_>, Vec<_>) = (columns.iter().map(some).collect(), rows.iter().map(some).collect());
    let constant: Vec<f64> = match rules.edge {
        Edge::Constant(all) => {
            let p: Vec<f64> = all[..c].iter().map(|&v| P::Number::from_fraction(v).to_f64()).collect();
            (0..c).map(|k| weighed(&p, k)).collect()
        }
        _ => vec![0.0; c],
    };
    let mut out = Vec::new();
    for (row, row_outside) in &rows {
        let mixed: Vec<f64> = (0..row_of)
            .map(|i| {
                let inside = row.iter().map(|(y, w)| w * values[y * row_of + i]);
                inside.sum::<f64>() + row_outside * constant[i % c]
            })
            .collect();
        for (column, outside) in &columns {
            let mut sums: Vec<f64> = (0..c)
                .map(|k| {
                    let inside = column.iter().map(|(x, w)| w * mixed[x * c + k]);
                    inside.sum::<f64>() + outside * constant[k]
                })
                .collect();
            if P::ALPHA {
                let alpha = sums[c - 1] / full;
                let visible = P::Number::from_f64(sums[c - 1]).to_f64() > 0.0;
                sums[..c - 1].iter_mut().for_each(|v| *v = if visible { *v / alpha } else { 0.0 });
            }
            if let Some(curve) = curve {
                let colors = if P::ALPHA { c - 1 } else { c };
                sums[..colors].iter_mut().for_each(|v| *v = curve.encode(*v / full) * full);
            }
            out.extend(sums);
        }
    }
    out
}

pub fn source<P: PicturePixel>(size: Size) -> Frame<P> {
    let mut state = 12_345u32;
    Frame::from_fn(size, |x, y| {
        let mut p = P::default();
        for (c, s) in (0u32..).zip(rahmen::pixel::samples_of_mut(std::slice::from_mut(&mut p))) {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let smooth = (x * 3 + y * 5 + c * 40) % 256;
            let code = if (x / 4 + y / 4) % 3 == 0 { state >> 24 } else { smooth };
            *s = P::Number::from_fraction(f64::from(code) / 255.0);
        }
        p
    })
    .unwrap()
}

/// The largest error in samples, and the share of samples that are not the nearest ones.
pub fn errors_of<P: PicturePixel>(frame: &Frame<P>, area: Area, to: Size, rules: ResizeRules) -> (f64, f64) {
    let out = resize_area(frame.view(), area, to, &rules).unwrap();
    let exact = reference(frame, area, to, &rules);
    let full = P::Number::FULL.to_f64();
    let (mut worst, mut wrong) = (0.0f64, 0usize);
    for (found, want) in out.samples().iter().zip(&exact) {
        let clamped = if full > 1.0 { want.clamp(0.0, full) } else { *want };
        worst = worst.max((found.to_f64() - clamped).abs());
        // A tie may be taken either way: the reference's own floats decide it.
        wrong += usize::from((found.to_f64() - clamped).abs() > 0.5 + 1e-9);
    }
    (worst, wrong as f64 / exact.len() as f64)
}

pub fn errors<P: PicturePixel>(from: Size, to: Size, rules: ResizeRules) -> (f64, f64) {
    errors_of(&source::<P>(from), Area::of(from), to, rules)
}

pub const SIZES: [((u32, u32), (u32, u32)); 12] = [
    ((1, 1), (5, 3)),
    ((1, 9), (1, 4)),
    ((2, 2), (7, 7)),
    ((7, 5), (7, 5)),
    ((37, 23), (11, 40)),
    ((37, 23), (5, 3)),
    ((64, 48), (16, 12)),
    ((100, 3), (33, 1)),
    ((31, 31), (124, 93)),
    ((64, 64), (63, 65)),
    ((1201, 17), (300, 5)),
    ((257, 5), (1031, 9)),
];

/// Every kernel that makes new values (the free cubic with Mitchell's numbers), and every pair of sizes.
pub fn cases() -> impl Iterator<Item = (Size, Size, Kernel)> {
    let own = [Kernel::Custom(bell()), Kernel::Cubic { b: 1.0 / 3.0, c: 1.0 / 3.0 }];
    let kernels: Vec<Kernel> = Kernel::ALL.iter().skip(1).cloned().chain(own).collect();
    SIZES.into_iter().flat_map(move |(from, to)| {
        let (from, to) = (Size::new(from.0, from.1), Size::new(to.0, to.1));
        kernels.clone().into_iter().map(move |kernel| (from, to, kernel))
    })
}

/// Sizes whose targets are too large for sums of the definition itself: what is quick computes them.
pub const LARGE: [((u32, u32), (u32, u32)); 3] =
    [((620, 431), (301, 223)), ((143, 121), (307, 219)), ((90, 700), (331, 203))];

/// The largest error at large targets and the share of samples that are not the nearest, on one thread and on two, which agree to the last bit.
pub fn large<P: PicturePixel>(frame: &Frame<P>, to: Size, rules: &ResizeRules) -> (f64, f64) {
    let (one, two) = (rules.clone().threads(Threads::ONE), rules.clone().threads(Threads::at_most(2)));
    let area = Area::of(frame.size());
    let found = resize_area(frame.view(), area, to, &one).unwrap();
    assert!(found == resize_area(frame.view(), area, to, &two).unwrap(), "threads");
    let (exact, full) = (reference(frame, area, to, rules), P::Number::FULL.to_f64());
    let (c, floats) = (P::CHANNELS, full == 1.0);
    let mut wrong = 0usize;
    let pixel = |(found, want): (&[P::Number], &[f64])| {
        // A colour is a sum divided by alpha, and as sure as both: where kernels overshoot alpha may nearly vanish. Integers are clamped.
        let alpha = if P::ALPHA && floats { want[c - 1].abs().min(1.0) } else { 1.0 };
        let off = found.iter().zip(want).enumerate().map(|(k, (found, want))| {
            let clamped = if floats { *want } else { want.clamp(0.0, full) };
            let sure = if P::ALPHA && floats && k + 1 < c { alpha / (1.0 + want.abs()) } else { 1.0 };
            let off = (found.to_f64() - clamped).abs() * sure;
            wrong += usize::from(off > 0.5 + 1e-9);
            off
        });
        off.fold(0.0, f64::max)
    };
    let worst = found.samples().chunks_exact(c).zip(exact.chunks_exact(c)).map(pixel).fold(0.0, f64::max);
    (worst, wrong as f64 / exact.len() as f64)
}
