//! Resizing against a plain float64 computation straight from the stated definition.

use crate::common::resizing::{LARGE, SIZES, bell, cases, errors, errors_of, large, source};
use rahmen::access::Edge;
use rahmen::resample::{Area, Kernel, Light, Plan, ResizeRules, resize, resize_area, sample};
use rahmen::{Cmyk, Frame, Gray, GrayAlpha, Number, PicturePixel, Rgb, Rgba, Sample, Size, Threads, Transfer};

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

fn all_large<P: PicturePixel>(bound: f64) {
    for (from, to) in LARGE {
        let (from, to) = (Size::new(from.0, from.1), Size::new(to.0, to.1));
        assert!(to.pixels() > 65_536);
        let frame = source::<P>(from);
        for kernel in Kernel::ALL.iter().skip(1).cloned().chain([Kernel::Custom(bell())]) {
            let (worst, wrong) = large(&frame, to, &ResizeRules::new(kernel.clone()));
            assert!(bound != 0.53 || wrong <= 0.005, "{} {from} -> {to} {kernel}: {wrong}", P::LAYOUT);
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
        for kernel in &Kernel::ALL[1..] {
            let (worst, _) = large(&opaque, to, &ResizeRules::new(kernel.clone()));
            assert!(worst <= 0.53, "opaque {from} -> {to} {kernel}: {worst}");
            let (worst, _) = large(&gray, to, &ResizeRules::new(kernel.clone()));
            assert!(worst <= 1.0, "opaque {from} -> {to} {kernel}: {worst}");
        }
        let light = ResizeRules::new(Kernel::CatmullRom).light(Light::Linear(Transfer::Srgb));
        let (worst, _) = large(&source::<Rgb<u8>>(from), to, &light);
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
