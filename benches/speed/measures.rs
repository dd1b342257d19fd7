//! Histograms, figures, comparisons, and curves by table.

use crate::pictures::{self, LARGE};
use crate::ratio::{Bench, Load};
use rahmen::measure::{self, CompareRules, HistogramRules};
use rahmen::tone::{Curve, EqualizeRules, Tone, equalization, measured};
use rahmen::{Frame, Gray, Threads};
use std::hint::black_box;

pub(crate) fn rows(bench: &mut Bench) {
    let mut rules = HistogramRules::default();
    rules.threads = Threads::ONE;
    let gray = pictures::gray(LARGE);
    let flat = Frame::filled(LARGE, Gray::new(77u8)).expect("memory");
    let load = Load { pixels: LARGE.pixels(), read: gray.samples().len(), written: 0 };
    for (name, picture) in [("histogram gray8", &gray), ("histogram gray8, one level", &flat)] {
        bench.row(name, load, || {
            black_box(measure::histogram(black_box(picture).view(), &rules).expect("bins"));
        });
    }
    bench.row("histogram gray8, all threads", load, || {
        black_box(measure::histogram(black_box(&gray).view(), &HistogramRules::default()).expect("bins"));
    });
    bench.row("min, max, mean, variance gray8", load, || {
        black_box(measure::moments(black_box(&gray).view(), Threads::ONE));
    });
    let rgb = pictures::rgb(LARGE);
    let of_rgb = Load { read: rgb.samples().len(), ..load };
    bench.row("histogram RGB8", of_rgb, || {
        black_box(measure::histogram(black_box(&rgb).view(), &rules).expect("bins"));
    });
    bench.row("min, max, mean, variance RGB8", of_rgb, || {
        black_box(measure::moments(black_box(&rgb).view(), Threads::ONE));
    });
    let words = gray.view().map(|p| Gray::new(u16::from(p.value) * 251)).expect("memory");
    let of_words = Load { read: 2 * words.samples().len(), ..load };
    bench.row("histogram gray16", of_words, || {
        black_box(measure::histogram(black_box(&words).view(), &rules).expect("bins"));
    });
    compare_rows(bench, &gray, load);
    tone_rows(bench, &gray, load);
}

fn compare_rows(bench: &mut Bench, gray: &Frame<Gray<u8>>, load: Load) {
    let other = gray.view().map(|p| Gray::new(p.value ^ 1)).expect("memory");
    let mut rules = CompareRules::default();
    (rules.ssim, rules.threads) = (false, Threads::ONE);
    let both = Load { read: 2 * gray.samples().len(), ..load };
    bench.row("compare gray8", both, || {
        black_box(measure::compare(black_box(gray).view(), other.view(), &rules).expect("sizes"));
    });
    rules.ssim = true;
    bench.row("compare gray8 with SSIM", both, || {
        black_box(measure::compare(black_box(gray).view(), other.view(), &rules).expect("sizes"));
    });
}

fn tone_rows(bench: &mut Bench, gray: &Frame<Gray<u8>>, load: Load) {
    let load = Load { written: gray.samples().len(), ..load };
    let tone = Tone::new(Curve::gamma(0.8).expect("an exponent")).threads(Threads::ONE);
    let mut target = gray.clone();
    bench.row("curve by table gray8, in place", load, || {
        tone.apply(black_box(&mut target).view_mut()).expect("a curve");
    });
    let mut rules = EqualizeRules::default();
    rules.threads = Threads::ONE;
    bench.row("equalise gray8, in place", load, || {
        let counted =
            measured(target.view(), &measure::Mask::ALL, rules.basis, &rules.levels, Threads::ONE).expect("pixels");
        let tone = equalization(&counted, &rules).expect("a channel");
        tone.apply(black_box(&mut target).view_mut()).expect("a curve");
    });
}
