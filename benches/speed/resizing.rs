//! Resizing: the shapes of docs/speed.md, every kernel, and what memory it takes.

use crate::MEMORY;
use crate::pictures::{self, LARGE};
use crate::ratio::{Bench, Load};
use rahmen::access::Edge;
use rahmen::pixel::Sample;
use rahmen::resample::{Kernel, Light, Plan, ResizeRules, WarpRules, rotated_whole, warp};
use rahmen::{Frame, Gray, Pixel, Rgb, Rgba, Size, Threads, Transfer};
use std::hint::black_box;

const SMALL: Size = Size { width: 1024, height: 1024 };

pub(crate) fn rows(bench: &mut Bench) {
    shapes(bench, "RGB8", pictures::rgb);
    shapes(bench, "gray u8", pictures::gray);
    shapes(bench, "gray f32", pictures::gray_f32);
    shapes(bench, "RGBA8", noisy::<Rgba<u8>>);
    shapes(bench, "opaque RGBA8", opaque);
    shapes(bench, "RGB16", noisy::<Rgb<u16>>);
    shapes(bench, "gray u16", noisy::<Gray<u16>>);
    let light = ResizeRules::new(Kernel::CatmullRom).light(Light::Linear(Transfer::Srgb));
    let wrapped = ResizeRules::new(Kernel::CatmullRom).edge(Edge::Wrap);
    for (what, rules) in [("RGB8 4096 -> 1024, linear light", light), ("RGB8 4096 -> 1024, wrapped", wrapped)] {
        if bench.wants(&row_name(what, &rules.kernel)) {
            row(bench, what, &pictures::rgb(LARGE), SMALL, rules);
        }
    }
    warps(bench);
}

/// From large to small, the odd shrink of a photograph, and from small to large, by every kernel.
fn shapes<P: Pixel<Number: Sample>>(bench: &mut Bench, what: &str, make: impl Fn(Size) -> Frame<P>) {
    let cases = [
        (LARGE, SMALL, "4096 -> 1024"),
        (Size::new(4928, 3280), Size::new(852, 567), "4928x3280 -> 852x567"),
        (SMALL, LARGE, "1024 -> 4096"),
    ];
    for (from, to, name) in cases {
        let mut kernels = Kernel::ALL.to_vec();
        kernels.retain(|kernel| bench.wants(&row_name(&format!("{what} {name}"), kernel)));
        if kernels.is_empty() {
            continue;
        }
        let from = make(from);
        for kernel in kernels {
            row(bench, &format!("{what} {name}"), &from, to, ResizeRules::new(kernel));
        }
    }
}

fn row_name(what: &str, kernel: &Kernel) -> String {
    format!("resize {what}, {kernel}")
}

/// One thread and two, each as a ratio to the copy; how many times as fast two are is printed below.
fn row<P: Pixel<Number: Sample>>(bench: &mut Bench, what: &str, from: &Frame<P>, to: Size, rules: ResizeRules) {
    let mut target = Frame::<P>::new(to).expect("memory");
    let bytes = |frame: &Frame<P>| std::mem::size_of_val(frame.samples());
    let pixels = from.size().pixels().max(to.pixels());
    let load = Load { pixels, read: bytes(from), written: bytes(&target) };
    let mut times = [None; 2];
    for ((threads, name), time) in
        [(Threads::ONE, ""), (Threads::at_most(2), ", 2 threads")].into_iter().zip(&mut times)
    {
        let plan = Plan::new(from.size(), to, &rules.clone().threads(threads)).expect("a size");
        let name = row_name(what, &rules.kernel) + name;
        *time = bench.row(&name, load, || {
            plan.run(black_box(from).view(), target.view_mut()).expect("sizes agree");
        });
        if threads == Threads::ONE && time.is_some() {
            MEMORY.reset_peak_usage();
            let before = MEMORY.current_usage();
            plan.run(black_box(from).view(), target.view_mut()).expect("sizes agree");
            println!("  memory beside both pictures: {} KiB", (MEMORY.peak_usage() - before) >> 10);
        }
    }
    if let [Some(one), Some(two)] = times {
        println!("  two threads: {:.2} times as fast", one / two);
    }
}

fn warps(bench: &mut Bench) {
    let name = |kernel: Kernel| format!("warp RGB8 by 30 degrees, {kernel}");
    let kernels = [Kernel::Nearest, Kernel::Linear, Kernel::CatmullRom, Kernel::Lanczos3];
    if !kernels.iter().any(|kernel| bench.wants(&name(kernel.clone()))) {
        return;
    }
    let from = &pictures::rgb(LARGE);
    let (map, size) = rotated_whole(from.size(), 30.0).expect("a size");
    let mut target = Frame::<Rgb<u8>>::new(size).expect("memory");
    let load = Load { pixels: size.pixels(), read: from.samples().len(), written: target.samples().len() };
    for kernel in kernels {
        let rules = WarpRules::new(kernel.clone()).threads(Threads::ONE);
        bench.row(&name(kernel), load, || {
            warp(black_box(from).view(), map, target.view_mut(), &rules).expect("a map with a way back");
        });
    }
}

fn opaque(size: Size) -> Frame<Rgba<u8>> {
    let mut frame = noisy::<Rgba<u8>>(size);
    frame.pixels_mut().iter_mut().for_each(|p| p.a = 255);
    frame
}

fn noisy<P: Pixel<Number: Sample>>(size: Size) -> Frame<P> {
    let mut state = 7u32;
    Frame::from_fn(size, |x, y| {
        let mut p = P::default();
        for (c, v) in (0u32..).zip(rahmen::pixel::samples_of_mut(std::slice::from_mut(&mut p))) {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let soft = (x / 8 + y / 8 + c * 70) & 255;
            *v = P::Number::from_fraction(f64::from((soft + (state >> 28)).min(255)) / 255.0);
        }
        p
    })
    .expect("memory")
}
