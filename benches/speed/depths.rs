//! Changes of depth, and gray.

use crate::pictures::{self, LARGE};
use crate::ratio::{Bench, Load};
use rahmen::color::{self, GrayWeights};
use rahmen::convert::depth;
use rahmen::{Frame, Gray, Rgb, Threads};
use std::hint::black_box;

pub(crate) fn rows(bench: &mut Bench) {
    let rgb = pictures::rgb(LARGE);
    let pixels = LARGE.pixels();
    let bytes = rgb.samples().len();
    let mut gray = Frame::<Gray<u8>>::new(LARGE).expect("memory");
    let load = Load { pixels, read: bytes, written: bytes / 3 };
    for (name, threads) in [("RGB8 -> gray", Threads::ONE), ("RGB8 -> gray, all threads", Threads::ALL)] {
        bench.row(name, load, || {
            color::gray_into(black_box(&rgb).view(), gray.view_mut(), GrayWeights::Bt709, threads)
                .expect("sizes agree");
        });
    }
    // Filled, whichever rows are wanted: memory that was never written is not read from where it lies.
    let mut wide = Frame::filled(LARGE, Rgb::new(1u16, 2, 3)).expect("memory");
    let load = Load { pixels, read: bytes, written: 2 * bytes };
    bench.row("u8 -> u16, RGB", load, || {
        depth::convert_into(black_box(&rgb).view(), wide.view_mut(), Threads::ONE).expect("sizes agree");
    });
    let mut narrow = Frame::<Rgb<u8>>::new(LARGE).expect("memory");
    let load = Load { pixels, read: 2 * bytes, written: bytes };
    bench.row("u16 -> u8, RGB", load, || {
        depth::convert_into(black_box(&wide).view(), narrow.view_mut(), Threads::ONE).expect("sizes agree");
    });
    drop(wide);
    let mut floats = Frame::<Rgb<f32>>::new(LARGE).expect("memory");
    let load = Load { pixels, read: bytes, written: 4 * bytes };
    bench.row("u8 -> f32, RGB", load, || {
        depth::convert_into(black_box(&rgb).view(), floats.view_mut(), Threads::ONE).expect("sizes agree");
    });
    let load = Load { pixels, read: 4 * bytes, written: bytes };
    bench.row("f32 -> u8, RGB", load, || {
        depth::convert_into(black_box(&floats).view(), narrow.view_mut(), Threads::ONE).expect("sizes agree");
    });
    bench.row("f32 -> u8, RGB, all threads", load, || {
        depth::convert_into(black_box(&floats).view(), narrow.view_mut(), Threads::ALL).expect("sizes agree");
    });
}
