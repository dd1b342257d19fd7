//! Resizing.

use crate::pictures::{self, LARGE};
use crate::ratio::{Bench, Load};
use rahmen::pixel::Sample;
use rahmen::resample::{Kernel, Plan, ResizeRules};
use rahmen::{Frame, Pixel, Size, Threads};
use std::hint::black_box;

pub(crate) fn rows(bench: &mut Bench) {
    let rgb = pictures::rgb(LARGE);
    let small = Size::new(1024, 1024);
    for kernel in [Kernel::Nearest, Kernel::Linear, Kernel::CatmullRom] {
        row(bench, "RGB8 4096 -> 1024", &rgb, small, kernel);
    }
    let photo = pictures::rgb(Size::new(4928, 3280));
    for kernel in [Kernel::Linear, Kernel::CatmullRom] {
        row(bench, "RGB8 4928x3280 -> 852x567", &photo, Size::new(852, 567), kernel);
    }
    let from = pictures::rgb(small);
    for kernel in [Kernel::Linear, Kernel::CatmullRom] {
        row(bench, "RGB8 1024 -> 4096", &from, LARGE, kernel);
    }
    let floats = pictures::gray_f32(LARGE);
    for kernel in [Kernel::Linear, Kernel::CatmullRom] {
        row(bench, "gray f32 4096 -> 1024", &floats, small, kernel);
    }
}

fn row<P: Pixel<Number: Sample>>(bench: &mut Bench, what: &str, from: &Frame<P>, to: Size, kernel: Kernel) {
    let mut target = Frame::<P>::new(to).expect("memory");
    let rules = ResizeRules::new(kernel).threads(Threads::ONE);
    let plan = Plan::new(from.size(), to, rules).expect("a size");
    let bytes = |frame: &Frame<P>| std::mem::size_of_val(frame.numbers());
    let pixels = from.size().pixels().max(to.pixels());
    let load = Load { pixels, read: bytes(from), written: bytes(&target) };
    bench.row(&format!("resize {what}, {}", kernel.name()), load, || {
        plan.run(black_box(from).view(), target.view_mut()).expect("sizes agree");
    });
}
