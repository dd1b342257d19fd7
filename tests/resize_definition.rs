//! Resizing against a plain float64 computation straight from the stated definition.

use rahmen::resample::{Kernel, Plan, ResizeRules, resize};
use rahmen::{Frame, Gray, GrayAlpha, Number, Rgb, Rgba, Sample, Size, Stored, Threads};

fn kernel_at(kernel: Kernel, t: f64) -> f64 {
    let t = t.abs();
    match kernel {
        Kernel::Linear => (1.0 - t).max(0.0),
        // Catmull-Rom written out: 1.5 t^3 - 2.5 t^2 + 1 below 1, -0.5 t^3 + 2.5 t^2 - 4 t + 2 below 2.
        _ if t < 1.0 => 1.5 * t * t * t - 2.5 * t * t + 1.0,
        _ if t < 2.0 => -0.5 * t * t * t + 2.5 * t * t - 4.0 * t + 2.0,
        _ => 0.0,
    }
}

/// One axis of the definition: for output `x` the weight of every source index, taps outside on the nearest edge pixel.
fn weights(source: u32, target: u32, x: u32, kernel: Kernel, widen: bool) -> Vec<f64> {
    let ratio = f64::from(source) / f64::from(target);
    let scale = if widen { ratio.max(1.0) } else { 1.0 };
    let center = (f64::from(x) + 0.5) * ratio;
    let reach = (2.0 * scale).ceil() as i64 + 2;
    let mut out = vec![0.0; source as usize];
    for i in center as i64 - reach..=center as i64 + reach {
        let at = i.clamp(0, i64::from(source) - 1) as usize;
        out[at] += kernel_at(kernel, (i as f64 + 0.5 - center) / scale);
    }
    let sum: f64 = out.iter().sum();
    out.iter().map(|w| w / sum).collect()
}

/// Every sample of the definition's result, in samples of the source's scale, not rounded.
fn reference<P: Stored>(frame: &Frame<P>, to: Size, kernel: Kernel, widen: bool) -> Vec<f64> {
    let from = frame.size();
    let columns: Vec<_> = (0..to.width).map(|x| weights(from.width, to.width, x, kernel, widen)).collect();
    let rows: Vec<_> = (0..to.height).map(|y| weights(from.height, to.height, y, kernel, widen)).collect();
    let c = P::CHANNELS;
    let value = |x: usize, y: usize, k: usize| {
        let p = &frame.numbers()[(y * from.width as usize + x) * c..][..c];
        let alpha = if P::ALPHA { p[c - 1].to_fraction() } else { 1.0 };
        if P::ALPHA && k == c - 1 { p[k].to_f64() } else { p[k].to_f64() * alpha }
    };
    let mut out = Vec::new();
    for row in &rows {
        let mixed: Vec<f64> = (0..from.width as usize * c)
            .map(|i| row.iter().enumerate().filter(|(_, w)| **w != 0.0).map(|(y, w)| w * value(i / c, y, i % c)).sum())
            .collect();
        for column in &columns {
            let mut sums: Vec<f64> = (0..c)
                .map(|k| {
                    column.iter().enumerate().map(|(x, w)| if *w == 0.0 { 0.0 } else { w * mixed[x * c + k] }).sum()
                })
                .collect();
            if P::ALPHA {
                let full = P::Number::FULL.to_f64();
                let alpha = sums[c - 1] / full;
                let visible = P::Number::from_f64(sums[c - 1]).to_f64() > 0.0;
                sums[..c - 1].iter_mut().for_each(|v| *v = if visible { *v / alpha } else { 0.0 });
            }
            out.extend(sums);
        }
    }
    out
}

fn source<P: Stored>(size: Size) -> Frame<P> {
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
fn errors<P: Stored>(from: Size, to: Size, kernel: Kernel, widen: bool) -> (f64, f64) {
    let frame = source::<P>(from);
    let mut rules = ResizeRules::new(kernel);
    if !widen {
        rules = rules.without_widening();
    }
    let mut out = Frame::<P>::new(to).unwrap();
    Plan::new(from, to, rules).unwrap().run(frame.view(), out.view_mut()).unwrap();
    let exact = reference(&frame, to, kernel, widen);
    let full = P::Number::FULL.to_f64();
    let (mut worst, mut wrong) = (0.0f64, 0usize);
    for (found, want) in out.numbers().iter().zip(&exact) {
        let clamped = if full > 1.0 { want.clamp(0.0, full) } else { *want };
        worst = worst.max((found.to_f64() - clamped).abs());
        wrong += usize::from(*found != P::Number::from_f64(*want));
    }
    (worst, wrong as f64 / exact.len() as f64)
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

#[test]
fn bytes_are_within_0_53_of_a_level_and_hardly_ever_not_the_nearest() {
    let (mut share, mut count) = (0.0, 0.0);
    for (from, to) in SIZES {
        let (from, to) = (Size::new(from.0, from.1), Size::new(to.0, to.1));
        for kernel in [Kernel::Linear, Kernel::CatmullRom] {
            for widen in [true, false] {
                for (worst, wrong) in
                    [errors::<Gray<u8>>(from, to, kernel, widen), errors::<Rgb<u8>>(from, to, kernel, widen)]
                {
                    assert!(worst <= 0.53, "{from} -> {to} {kernel} widen {widen}: {worst}");
                    (share, count) = (share + wrong, count + 1.0);
                }
            }
        }
    }
    assert!(share / count < 0.005, "{}", share / count);
}

#[test]
fn words_are_within_one_level_and_floats_within_a_millionth() {
    for (from, to) in SIZES {
        let (from, to) = (Size::new(from.0, from.1), Size::new(to.0, to.1));
        for kernel in [Kernel::Linear, Kernel::CatmullRom] {
            let (worst, _) = errors::<Rgb<u16>>(from, to, kernel, true);
            assert!(worst <= 1.0, "u16 {from} -> {to} {kernel}: {worst}");
            let (worst, _) = errors::<Gray<f32>>(from, to, kernel, true);
            assert!(worst <= 1e-6, "f32 {from} -> {to} {kernel}: {worst}");
        }
    }
}

#[test]
fn alpha_weighs_colour() {
    for (from, to) in SIZES {
        let (from, to) = (Size::new(from.0, from.1), Size::new(to.0, to.1));
        for worst in [
            errors::<Rgba<u16>>(from, to, Kernel::Linear, true).0,
            errors::<GrayAlpha<u8>>(from, to, Kernel::Linear, true).0,
        ] {
            assert!(worst <= 1.0, "{from} -> {to}: {worst}");
        }
    }
    // Red that is seen beside green that is not: no green comes through.
    let row = vec![Rgba::new(200u8, 0, 0, 255), Rgba::new(0, 255, 0, 0)];
    let frame = Frame::from_pixels(Size::new(2, 1), row).unwrap();
    let one = resize(frame.view(), Size::new(1, 1), Kernel::Linear).unwrap();
    assert_eq!(one[(0, 0)], Rgba::new(200, 0, 0, 128));
}

#[test]
fn constants_stay_and_threads_do_not_show() {
    for v in [0u8, 1, 127, 254, 255] {
        let flat = Frame::filled(Size::new(41, 29), Rgb::new(v, 255 - v, v / 2)).unwrap();
        for kernel in Kernel::ALL {
            for to in [Size::new(7, 90), Size::new(200, 3), Size::new(41, 29)] {
                let out = resize(flat.view(), to, kernel).unwrap();
                assert!(out.pixels().iter().all(|p| *p == Rgb::new(v, 255 - v, v / 2)), "{v} {kernel} {to}");
            }
        }
    }
    let big = source::<Rgb<u8>>(Size::new(1500, 1100));
    for to in [Size::new(400, 333), Size::new(1999, 1201)] {
        let run = |threads| {
            let mut out = Frame::<Rgb<u8>>::new(to).unwrap();
            let rules = ResizeRules::default().threads(threads);
            Plan::new(big.size(), to, rules).unwrap().run(big.view(), out.view_mut()).unwrap();
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
    ] {
        let whole = resize(frame.view(), to, kernel).unwrap();
        let plan = Plan::new(frame.size(), to, ResizeRules::new(kernel)).unwrap();
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
