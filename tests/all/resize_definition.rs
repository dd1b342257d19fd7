//! Resizing against a plain float64 computation straight from the stated definition.

use rahmen::access::Edge;
use rahmen::resample::{Area, CustomKernel, Kernel, Light, Plan, ResizeRules, resize, resize_area, sample};
use rahmen::{Cmyk, Frame, Gray, GrayAlpha, Number, PicturePixel, Rgb, Rgba, Sample, Size, Threads, Transfer};

/// The kernels written out from their own formulas.
fn kernel_at(kernel: Kernel, t: f64) -> f64 {
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

fn bell_at(t: f64) -> f64 {
    (1.0 - t * t / 2.25).powi(2)
}

fn bell() -> CustomKernel {
    CustomKernel::new(bell_at, 1.5).unwrap()
}

/// Where the edge says that index `i` is seen; none for a constant.
fn seen(i: i64, side: i64, edge: Edge<[f64; 4]>) -> Option<usize> {
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
fn weights(side: u32, part: &std::ops::Range<f64>, target: u32, x: u32, rules: &ResizeRules) -> (Vec<f64>, f64) {
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
fn reference<P: PicturePixel>(frame: &Frame<P>, area: Area, to: Size, rules: &ResizeRules) -> Vec<f64> {
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

fn source<P: PicturePixel>(size: Size) -> Frame<P> {
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
fn errors_of<P: PicturePixel>(frame: &Frame<P>, area: Area, to: Size, rules: ResizeRules) -> (f64, f64) {
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

fn errors<P: PicturePixel>(from: Size, to: Size, rules: ResizeRules) -> (f64, f64) {
    errors_of(&source::<P>(from), Area::of(from), to, rules)
}

const SIZES: [((u32, u32), (u32, u32)); 12] = [
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
fn cases() -> impl Iterator<Item = (Size, Size, Kernel)> {
    let own = [Kernel::Custom(bell()), Kernel::Cubic { b: 1.0 / 3.0, c: 1.0 / 3.0 }];
    let kernels: Vec<Kernel> = Kernel::ALL.iter().skip(1).cloned().chain(own).collect();
    SIZES.into_iter().flat_map(move |(from, to)| {
        let (from, to) = (Size::new(from.0, from.1), Size::new(to.0, to.1));
        kernels.clone().into_iter().map(move |kernel| (from, to, kernel))
    })
}

#[test]
fn bytes_are_within_0_53_of_a_level_and_hardly_ever_not_the_nearest() {
    let (mut share, mut count, mut most) = (0.0, 0.0, 0.0f64);
    for (from, to, kernel) in cases() {
        for rules in [ResizeRules::new(kernel.clone()), ResizeRules::new(kernel.clone()).without_antialias()] {
            for (worst, wrong) in [
                errors::<Gray<u8>>(from, to, rules.clone()),
                errors::<Rgb<u8>>(from, to, rules.clone()),
                errors::<Cmyk<u8>>(from, to, rules.clone()),
            ] {
                assert!(worst <= 0.53, "{from} -> {to} {kernel} widen {}: {worst}", rules.widen);
                (share, count, most) = (share + wrong, count + 1.0, most.max(worst));
            }
        }
    }
    println!("u8: at most {most:.4} levels off, {:.3} % not the nearest", share / count * 100.0);
    assert!(share / count < 0.005, "{}", share / count);
}

#[test]
fn words_are_within_one_level_and_floats_within_a_millionth() {
    let (mut words, mut floats) = (0.0f64, 0.0f64);
    for (from, to, kernel) in cases() {
        let rules = ResizeRules::new(kernel.clone());
        for (worst, _) in [errors::<Rgb<u16>>(from, to, rules.clone()), errors::<Gray<u16>>(from, to, rules.clone())] {
            assert!(worst <= 1.0, "u16 {from} -> {to} {kernel}: {worst}");
            words = words.max(worst);
        }
        for (worst, _) in [errors::<Gray<f32>>(from, to, rules.clone()), errors::<Rgb<f32>>(from, to, rules)] {
            assert!(worst <= 1e-6, "f32 {from} -> {to} {kernel}: {worst}");
            floats = floats.max(worst);
        }
    }
    println!("u16: at most {words:.4} levels off; f32: at most {floats:.2e} of full");
}

/// Sizes whose targets are too large for sums of the definition itself: what is quick computes them.
const LARGE: [((u32, u32), (u32, u32)); 3] =
    [((620, 431), (301, 223)), ((143, 121), (307, 219)), ((90, 700), (331, 203))];

/// The largest error at large targets, on one thread and on two, which agree to the last bit.
fn large<P: PicturePixel>(frame: &Frame<P>, to: Size, rules: &ResizeRules) -> f64 {
    let (one, two) = (rules.clone().threads(Threads::ONE), rules.clone().threads(Threads::at_most(2)));
    let area = Area::of(frame.size());
    let found = resize_area(frame.view(), area, to, &one).unwrap();
    assert!(found == resize_area(frame.view(), area, to, &two).unwrap(), "threads");
    let (exact, full) = (reference(frame, area, to, rules), P::Number::FULL.to_f64());
    let (c, floats) = (P::CHANNELS, full == 1.0);
    let pixel = |(found, want): (&[P::Number], &[f64])| {
        // A colour is a sum divided by alpha, and as sure as both: where kernels overshoot alpha may nearly vanish. Integers are clamped.
        let alpha = if P::ALPHA && floats { want[c - 1].abs().min(1.0) } else { 1.0 };
        let off = found.iter().zip(want).enumerate().map(|(k, (found, want))| {
            let clamped = if floats { *want } else { want.clamp(0.0, full) };
            let sure = if P::ALPHA && floats && k + 1 < c { alpha / (1.0 + want.abs()) } else { 1.0 };
            (found.to_f64() - clamped).abs() * sure
        });
        off.fold(0.0, f64::max)
    };
    found.samples().chunks_exact(c).zip(exact.chunks_exact(c)).map(pixel).fold(0.0, f64::max)
}

fn all_large<P: PicturePixel>(bound: f64) {
    for (from, to) in LARGE {
        let (from, to) = (Size::new(from.0, from.1), Size::new(to.0, to.1));
        assert!(to.pixels() > 65_536);
        let frame = source::<P>(from);
        for kernel in Kernel::ALL.iter().skip(1).cloned().chain([Kernel::Custom(bell())]) {
            let worst = large(&frame, to, &ResizeRules::new(kernel.clone()));
            assert!(worst <= bound, "{} {} {from} -> {to} {kernel}: {worst}", P::LAYOUT, P::Number::DEPTH);
        }
    }
}

#[test]
fn large_targets_of_bytes_are_what_the_definition_says() {
    all_large::<Gray<u8>>(0.53);
    all_large::<Rgb<u8>>(0.53);
    all_large::<Cmyk<u8>>(0.53);
}

#[test]
fn large_targets_of_bytes_with_alpha_are_what_the_definition_says() {
    all_large::<GrayAlpha<u8>>(0.53);
    all_large::<Rgba<u8>>(0.53);
}

#[test]
fn large_targets_of_words_are_what_the_definition_says() {
    all_large::<Gray<u16>>(1.0);
    all_large::<GrayAlpha<u16>>(1.0);
    all_large::<Rgb<u16>>(1.0);
    all_large::<Rgba<u16>>(1.0);
    all_large::<Cmyk<u16>>(1.0);
}

#[test]
fn large_targets_of_floats_are_what_the_definition_says() {
    all_large::<Gray<f32>>(1e-6);
    all_large::<GrayAlpha<f32>>(1e-6);
    all_large::<Rgb<f32>>(1e-6);
    all_large::<Rgba<f32>>(1e-6);
    all_large::<Cmyk<f32>>(1e-6);
}

#[test]
fn large_opaque_pictures_and_linear_light_are_what_the_definition_says() {
    for (from, to) in LARGE {
        let (from, to) = (Size::new(from.0, from.1), Size::new(to.0, to.1));
        // Alpha that is full everywhere goes a way of its own.
        let opaque = source::<Rgba<u8>>(from).view().map(|p| Rgba { a: 255, ..p }).unwrap();
        let gray = source::<GrayAlpha<u16>>(from).view().map(|p| GrayAlpha { a: 65_535, ..p }).unwrap();
        for kernel in Kernel::ALL.iter().skip(1).cloned() {
            let worst = large(&opaque, to, &ResizeRules::new(kernel.clone()));
            assert!(worst <= 0.53, "opaque {from} -> {to} {kernel}: {worst}");
            let worst = large(&gray, to, &ResizeRules::new(kernel.clone()));
            assert!(worst <= 1.0, "opaque {from} -> {to} {kernel}: {worst}");
        }
        let light = ResizeRules::new(Kernel::CatmullRom).light(Light::Linear(Transfer::Srgb));
        let worst = large(&source::<Rgb<u8>>(from), to, &light);
        assert!(worst <= 0.53, "light {from} -> {to}: {worst}");
    }
}

#[test]
fn alpha_weighs_colour() {
    for (from, to) in SIZES {
        let (from, to) = (Size::new(from.0, from.1), Size::new(to.0, to.1));
        let rules = ResizeRules::new(Kernel::Linear);
        for worst in
            [errors::<Rgba<u16>>(from, to, rules.clone()).0, errors::<GrayAlpha<u8>>(from, to, rules.clone()).0]
        {
            assert!(worst <= 1.0, "{from} -> {to}: {worst}");
        }
        assert!(errors::<Rgba<u8>>(from, to, rules).0 <= 0.501);
    }
    // Red that is seen beside green that is not: no green comes through.
    let row = vec![Rgba::new(200u8, 0, 0, 255), Rgba::new(0, 255, 0, 0)];
    let frame = Frame::from_pixels(Size::new(2, 1), row).unwrap();
    let one = resize(frame.view(), Size::new(1, 1), Kernel::Linear).unwrap();
    assert_eq!(one[(0, 0)], Rgba::new(200, 0, 0, 128));
}

#[test]
fn edges_show_what_they_say() {
    let constant = Edge::Constant([0.2, 0.9, 0.4, 0.6]);
    for (from, to, kernel) in cases().filter(|(from, ..)| from.width <= 100) {
        for edge in [Edge::Reflect, Edge::Wrap, constant] {
            let rules = ResizeRules::new(kernel.clone()).edge(edge);
            let (worst, _) = errors::<Rgb<u8>>(from, to, rules.clone());
            assert!(worst <= 0.53, "{from} -> {to} {kernel} {edge:?}: {worst}");
            let (worst, _) = errors::<Gray<f32>>(from, to, rules);
            assert!(worst <= 1e-6, "{from} -> {to} {kernel} {edge:?}: {worst}");
        }
    }
    let rules = ResizeRules::new(Kernel::Linear).edge(constant);
    assert!(errors::<Rgba<u16>>(Size::new(9, 7), Size::new(20, 3), rules).0 <= 1.0);
}

#[test]
fn areas_may_begin_between_pixels_and_see_the_picture_beside_them() {
    let from = Size::new(61, 47);
    let frame = source::<Rgb<u8>>(from);
    let areas = [(0.0..61.0, 0.25..46.75), (10.3..11.1, 20.0..47.0), (3.0..33.0, 5.0..35.0), (60.5..61.0, 0.0..0.5)];
    for (x, y) in areas {
        let area = Area::new(x, y).unwrap();
        for to in [Size::new(30, 30), Size::new(7, 90), Size::new(1, 1)] {
            for kernel in &Kernel::ALL[1..] {
                let rules = ResizeRules::new(kernel.clone()).edge(Edge::Reflect);
                let (worst, _) = errors_of(&frame, area, to, rules);
                assert!(worst <= 0.53, "{area:?} -> {to} {kernel}: {worst}");
            }
        }
    }
    // Whole pixels at their own size: just a crop, by every kernel that interpolates.
    let area = Area::new(3.0..33.0, 5.0..35.0).unwrap();
    let cropped = frame.region(rahmen::Region::new(3..33, 5..35).unwrap()).unwrap();
    for kernel in Kernel::ALL.iter().filter(|k| **k != Kernel::Mitchell) {
        let out = resize_area(frame.view(), area, Size::new(30, 30), &ResizeRules::new(kernel.clone())).unwrap();
        assert!(out.view() == cropped, "{kernel}");
    }
    assert!(
        Plan::of_area(from, Area::new(0.0..61.5, 0.0..1.0).unwrap(), Size::new(5, 5), &ResizeRules::default()).is_err()
    );
}

#[test]
fn light_is_mixed_where_that_is_asked_for() {
    let curve = rahmen::Transfer::Srgb;
    for (from, to, kernel) in cases().filter(|(from, _, k)| from.width <= 64 && *k != Kernel::Mitchell) {
        let rules = ResizeRules::new(kernel.clone()).light(Light::Linear(curve));
        let (worst, _) = errors::<Rgb<u8>>(from, to, rules.clone());
        assert!(worst <= 0.51, "{from} -> {to} {kernel}: {worst}");
        // Kernels without negative weights: elsewhere a colour of hardly any alpha is a quotient of next to nothing.
        if matches!(kernel, Kernel::Box | Kernel::Linear) {
            assert!(errors::<Rgba<u16>>(from, to, rules).0 <= 2.0, "{from} -> {to} {kernel}");
        }
    }
    // Black and white seen as one: half the light, which sRGB writes as 188.
    let frame = Frame::<Gray<u8>>::from_samples(Size::new(2, 1), vec![0, 255]).unwrap();
    let rules = ResizeRules::new(Kernel::Box).light(Light::Linear(curve));
    let one = resize_area(frame.view(), Area::of(frame.size()), Size::new(1, 1), &rules).unwrap();
    assert_eq!(one.samples(), [188]);
}

#[test]
fn sampling_agrees_with_resizing_at_the_same_places() {
    let from = Size::new(23, 17);
    fn agree<P: PicturePixel>(from: Size, most: f64) {
        let frame = source::<P>(from);
        let to = Size::new(61, 40);
        for kernel in Kernel::ALL.iter().cloned() {
            // Enlarging alone: a point has no width to widen for.
            let out = resize(frame.view(), to, kernel.clone()).unwrap();
            for (x, y) in (0..to.width).flat_map(|x| (0..to.height).map(move |y| (x, y))) {
                let place = |at: u32, from: u32, to: u32| (f64::from(at) + 0.5) * f64::from(from) / f64::from(to);
                let (u, v) = (place(x, from.width, to.width), place(y, from.height, to.height));
                // The box of a resize is as wide as the output's pixel, that of a point as one of the source's.
                if kernel == Kernel::Box {
                    continue;
                }
                let point = sample(frame.view(), u, v, &kernel, Edge::Clamp).unwrap();
                let (a, b) = ([point], [out[(x, y)]]);
                let pairs = rahmen::pixel::samples_of(&a).iter().zip(rahmen::pixel::samples_of(&b));
                for (a, b) in pairs {
                    assert!((a.to_f64() - b.to_f64()).abs() <= most, "{kernel} {x},{y}: {a} {b}");
                }
            }
        }
    }
    agree::<Rgb<u8>>(from, 1.0);
    agree::<Rgba<u16>>(from, 1.0);
    agree::<Gray<f32>>(from, 1e-6);
}

#[test]
fn what_has_no_bearing_does_not_show() {
    // Infinities and NaN beyond the kernel's reach.
    let mut frame = Frame::<Gray<f32>>::filled(Size::new(40, 30), Gray::new(0.5)).unwrap();
    for (x, y) in [(20, 15), (39, 29), (0, 3)] {
        frame[(x, y)] = Gray::new(if x == 0 { f32::INFINITY } else { f32::NAN });
    }
    // Counted by hand: within two pixels each way when enlarged twice, and so on.
    for (to, reached) in [(Size::new(80, 60), 37), (Size::new(10, 10), 7)] {
        let out = resize(frame.view(), to, Kernel::Linear).unwrap();
        let (near, far) = (to.width / 2, to.width / 4);
        let bad = out.samples().iter().filter(|v| !v.is_finite()).count();
        assert!(out[(near, to.height / 2)].value.is_nan() && out[(far, to.height / 2)].value == 0.5);
        assert_eq!(bad, reached, "{to}");
    }
}

#[test]
fn mirrored_input_gives_mirrored_output() {
    use rahmen::Orientation;
    for size in [Size::new(61, 33), Size::new(40, 25)] {
        let frame = source::<Rgb<u8>>(size);
        let mirrored = frame.view().oriented(Orientation::RotatedHalf).unwrap();
        for to in [Size::new(17, 60), Size::new(100, 9), Size::new(40, 25)] {
            for kernel in &Kernel::ALL[1..] {
                let a = resize(frame.view(), to, kernel.clone()).unwrap();
                let b = resize(mirrored.view(), to, kernel.clone()).unwrap();
                assert!(a.view().oriented(Orientation::RotatedHalf).unwrap() == b, "{size} -> {to} {kernel}");
            }
        }
    }
}

#[test]
fn whole_factors_repeat_pixels() {
    let frame = source::<Rgb<u16>>(Size::new(13, 7));
    for n in 1..7 {
        let out = resize(frame.view(), Size::new(13 * n, 7 * (n + 1)), Kernel::Nearest).unwrap();
        let same = (0..13 * n).all(|x| (0..7 * (n + 1)).all(|y| out[(x, y)] == frame[(x / n, y / (n + 1))]));
        assert!(same, "{n}");
    }
}

#[test]
fn constants_stay_and_threads_do_not_show() {
    for v in [0u8, 1, 127, 254, 255] {
        let flat = Frame::filled(Size::new(41, 29), Rgb::new(v, 255 - v, v / 2)).unwrap();
        for kernel in Kernel::ALL {
            for to in [Size::new(7, 90), Size::new(200, 3), Size::new(41, 29)] {
                let out = resize(flat.view(), to, kernel.clone()).unwrap();
                assert!(out.pixels().iter().all(|p| *p == Rgb::new(v, 255 - v, v / 2)), "{v} {kernel} {to}");
            }
        }
    }
    let big = source::<Rgb<u8>>(Size::new(1500, 1100));
    for to in [Size::new(400, 333), Size::new(1999, 1201)] {
        let run = |threads| {
            let mut out = Frame::<Rgb<u8>>::new(to).unwrap();
            let rules = ResizeRules::default().threads(threads);
            Plan::new(big.size(), to, &rules).unwrap().run(big.view(), out.view_mut()).unwrap();
            out
        };
        assert!(run(Threads::ONE) == run(Threads::at_most(7)));
    }
}

#[test]
fn strips_of_output_are_the_rows_of_the_whole() {
    let frame = source::<Rgb<u8>>(Size::new(90, 70));
    for (to, kernel) in [
        (Size::new(33, 21), Kernel::CatmullRom),
        (Size::new(200, 177), Kernel::Linear),
        (Size::new(45, 200), Kernel::Nearest),
        (Size::new(45, 20), Kernel::Lanczos3),
        (Size::new(45, 20), Kernel::Box),
    ] {
        let whole = resize(frame.view(), to, kernel.clone()).unwrap();
        let plan = Plan::new(frame.size(), to, &ResizeRules::new(kernel)).unwrap();
        for first in (0..to.height).step_by(8) {
            let rows = 8.min(to.height - first);
            let need = plan.rows_needed(first..first + rows);
            let strip = frame.region(frame.size().region().rows(need.clone()).unwrap()).unwrap();
            let mut out = Frame::<Rgb<u8>>::new(Size::new(to.width, rows)).unwrap();
            plan.run_rows(strip, need.start, out.view_mut(), first).unwrap();
            assert!(out.view() == whole.region(whole.size().region().rows(first..first + rows).unwrap()).unwrap());
        }
        let mut out = Frame::<Rgb<u8>>::new(Size::new(to.width, 4)).unwrap();
        let short = frame.region(frame.size().region().rows(0..1).unwrap()).unwrap();
        assert!(plan.run_rows(short, 0, out.view_mut(), 8).is_err());
    }
}
