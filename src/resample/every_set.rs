//! Whole resizes on every instruction set that this machine has, at targets large enough for the quick bodies: integers are the same to
//! the bit, floats within a millionth of full. That the widest set is right is for the definition to say (`tests/all/resize_definition.rs`).

use super::{Kernel, ResizeRules, resize_area};
use crate::frame::{Frame, Size};
use crate::pixel::{Cmyk, Gray, GrayAlpha, Number, PicturePixel, Rgb, Rgba, Sample, samples_of_mut};
use crate::resample::Area;
use crate::simd::Level;
use crate::threads::Threads;

const SIZES: [((u32, u32), (u32, u32)); 3] =
    [((620, 431), (301, 223)), ((143, 121), (307, 219)), ((90, 700), (331, 203))];

fn noise<P: PicturePixel>(size: Size, opaque: bool) -> Frame<P> {
    let mut state = 7u32;
    Frame::from_fn(size, |_, _| {
        let mut p = P::default();
        for (c, s) in samples_of_mut(std::slice::from_mut(&mut p)).iter_mut().enumerate() {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            let full = opaque && P::ALPHA && c + 1 == P::CHANNELS;
            *s = P::Number::from_fraction(if full { 1.0 } else { f64::from(state >> 16) / 65_535.0 });
        }
        p
    })
    .unwrap()
}

fn same_on_every_set<P: PicturePixel>(opaque: bool) {
    for (from, to) in SIZES {
        let (from, to) = (Size::new(from.0, from.1), Size::new(to.0, to.1));
        let frame = noise::<P>(from, opaque);
        for kernel in Kernel::ALL.iter() {
            let rules = ResizeRules::new(kernel.clone()).threads(Threads::ONE);
            let on = |level: Level| {
                let _forced = level.forced();
                resize_area(frame.view(), Area::of(from), to, &rules).unwrap()
            };
            let plain = on(Level::PLAIN);
            for level in Level::present() {
                let found = on(level);
                let off = found.samples().iter().zip(plain.samples()).map(|(a, b)| (a.to_f64() - b.to_f64()).abs());
                let bound = if P::Number::FULL.to_f64() > 1.0 { 0.0 } else { 1e-6 };
                let worst = off.fold(0.0, f64::max);
                assert!(
                    worst <= bound,
                    "{} {} {from} -> {to} {kernel} {level:?}: {worst}",
                    P::LAYOUT,
                    P::Number::DEPTH
                );
            }
        }
    }
}

#[test]
fn bytes_are_the_same_on_every_set() {
    same_on_every_set::<Gray<u8>>(false);
    same_on_every_set::<GrayAlpha<u8>>(false);
    same_on_every_set::<Rgb<u8>>(false);
    same_on_every_set::<Rgba<u8>>(false);
    same_on_every_set::<Rgba<u8>>(true);
    same_on_every_set::<Cmyk<u8>>(false);
}

#[test]
fn words_are_the_same_on_every_set() {
    same_on_every_set::<Gray<u16>>(false);
    same_on_every_set::<GrayAlpha<u16>>(true);
    same_on_every_set::<Rgb<u16>>(false);
    same_on_every_set::<Rgba<u16>>(false);
    same_on_every_set::<Cmyk<u16>>(false);
}

#[test]
fn floats_are_nearly_the_same_on_every_set() {
    same_on_every_set::<Gray<f32>>(false);
    same_on_every_set::<GrayAlpha<f32>>(false);
    same_on_every_set::<Rgb<f32>>(false);
    same_on_every_set::<Rgba<f32>>(false);
    same_on_every_set::<Cmyk<f32>>(false);
}
