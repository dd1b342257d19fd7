//! Histograms and figures.

use crate::pictures::{self, LARGE};
use crate::ratio::{Bench, Load};
use rahmen::measure::{self, HistogramRules};
use rahmen::{Frame, Gray};
use std::hint::black_box;

pub(crate) fn rows(bench: &mut Bench) {
    let rules = HistogramRules::default();
    let gray = pictures::gray(LARGE);
    let flat = Frame::filled(LARGE, Gray::new(77u8)).expect("memory");
    let load = Load { pixels: LARGE.pixels(), read: gray.numbers().len(), written: 0 };
    for (name, picture) in [("histogram gray8", &gray), ("histogram gray8, one level", &flat)] {
        bench.row(name, load, || {
            black_box(measure::histogram(black_box(picture).view(), &rules).expect("bins"));
        });
    }
    bench.row("stats gray8", load, || {
        black_box(measure::stats(black_box(&gray).view()));
    });
    let rgb = pictures::rgb(LARGE);
    let load = Load { read: rgb.numbers().len(), ..load };
    bench.row("histogram RGB8", load, || {
        black_box(measure::histogram(black_box(&rgb).view(), &rules).expect("bins"));
    });
}
