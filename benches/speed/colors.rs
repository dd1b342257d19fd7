//! Colours: spaces, models, luma and colour differences, ramps, blending.

use crate::pictures::{self, LARGE};
use crate::ratio::{Bench, Load};
use crate::table::Table;
use rahmen::color::ycbcr::{LumaWeights, YcbcrFrame, YcbcrRange, YcbcrRules, to_ycbcr};
use rahmen::color::{self, BlendMode, BlendRules, ColorSpace, ModelRules, Ramp, RampRules, SpaceRules};
use rahmen::convert::depth::Window;
use rahmen::pixel::{ChromaSampling, Hsv, LinearRgb, Oklab, Xyz};
use rahmen::{Frame, Gray, Lab, Primaries, Rgb, Rgba, Threads, Transfer};
use std::hint::black_box;

pub(crate) fn rows(bench: &mut Bench) {
    let rgb = pictures::rgb(LARGE);
    let (pixels, bytes) = (LARGE.pixels(), rgb.samples().len());
    let mut other = Frame::<Rgb<u8>>::new(LARGE).expect("memory");
    let load = Load { pixels, read: bytes, written: bytes };
    for (name, threads) in
        [("RGB8 sRGB -> Display P3", Threads::ONE), ("RGB8 sRGB -> Display P3, all threads", Threads::ALL)]
    {
        let rules = SpaceRules::default().threads(threads);
        bench.row(name, load, || {
            let (from, to) = (&ColorSpace::SRGB, &ColorSpace::DISPLAY_P3);
            color::to_space_into(black_box(&rgb).view(), other.view_mut(), from, to, &rules).expect("sizes agree");
        });
    }
    if bench.wants("RGB8 sRGB -> Display P3, a 3-D table") {
        let table = Table::new(&ColorSpace::SRGB, &ColorSpace::DISPLAY_P3);
        bench.row("RGB8 sRGB -> Display P3, a 3-D table", load, || {
            for y in 0..LARGE.height {
                table.row(black_box(&rgb).row(y), other.view_mut().row_mut(y));
            }
        });
    }
    let rules = ModelRules::default().threads(Threads::ONE);
    let load = Load { pixels, read: bytes, written: 4 * bytes };
    model_row::<LinearRgb>(bench, "RGB8 -> linear light f32", load, &rgb, &rules);
    model_row::<Hsv>(bench, "RGB8 -> HSV f32", load, &rgb, &rules);
    model_row::<Lab>(bench, "RGB8 -> Lab f32", load, &rgb, &rules);
    model_row::<Oklab>(bench, "RGB8 -> Oklab f32", load, &rgb, &rules);
    if bench.wants("linear light f32 -> RGB8") || bench.wants("RGB f32 -> XYZ") {
        let light = color::to_model::<_, LinearRgb>(rgb.view(), &ColorSpace::SRGB, &rules).expect("memory");
        let load = Load { pixels, read: 4 * bytes, written: bytes };
        bench.row("linear light f32 -> RGB8", load, || {
            let into = other.view_mut();
            color::from_model_into(black_box(&light).view(), into, &ColorSpace::SRGB, &rules).expect("sizes agree");
        });
        let linear = ColorSpace { primaries: Primaries::Srgb, transfer: Transfer::Linear };
        let floats = rgb.view().map(|p| p.map(|v| f32::from(v) / 255.0)).expect("memory");
        let mut xyz = Frame::<Xyz>::new(LARGE).expect("memory");
        let load = Load { pixels, read: 4 * bytes, written: 4 * bytes };
        bench.row("RGB f32 -> XYZ, a matrix", load, || {
            color::to_model_into(black_box(&floats).view(), xyz.view_mut(), &linear, &rules).expect("sizes agree");
        });
    }
    luma_rows(bench, &rgb, &mut other);
    ramp_rows(bench);
    blend_rows(bench);
}

fn model_row<M: color::ModelPixel>(
    bench: &mut Bench,
    name: &str,
    load: Load,
    rgb: &Frame<Rgb<u8>>,
    rules: &ModelRules,
) {
    if bench.wants(name) {
        let mut out = Frame::<M>::new(LARGE).expect("memory");
        bench.row(name, load, || {
            color::to_model_into(black_box(rgb).view(), out.view_mut(), &ColorSpace::SRGB, rules).expect("sizes agree");
        });
    }
}

fn luma_rows(bench: &mut Bench, rgb: &Frame<Rgb<u8>>, other: &mut Frame<Rgb<u8>>) {
    let (pixels, bytes) = (LARGE.pixels(), rgb.samples().len());
    let rules = YcbcrRules::new(8).weights(LumaWeights::Bt601).range(YcbcrRange::Full).threads(Threads::ONE);
    for (name, sampling, written) in [
        ("RGB8 -> YCbCr 4:4:4", ChromaSampling::Ratio444, bytes),
        ("RGB8 -> YCbCr 4:2:0", ChromaSampling::Ratio420, bytes / 2),
    ] {
        if !bench.wants(name) {
            continue;
        }
        let rules = rules.sampling(sampling);
        let mut coded: YcbcrFrame<u8> = to_ycbcr(rgb.view(), &rules).expect("memory");
        bench.row(name, Load { pixels, read: bytes, written }, || {
            coded.fill_from(black_box(rgb).view()).expect("sizes agree");
        });
        bench.row(&format!("{name}, back"), Load { pixels, read: written, written: bytes }, || {
            black_box(&coded).to_rgb_into(other.view_mut()).expect("sizes agree");
        });
    }
}

fn ramp_rows(bench: &mut Bench) {
    let pixels = LARGE.pixels();
    let count = pixels as usize;
    let gray = pictures::gray(LARGE);
    let mut seen = Frame::<Rgb<u8>>::new(LARGE).expect("memory");
    let ramp = Ramp::named("beacon").expect("there is one");
    let rules = RampRules::default().threads(Threads::ONE);
    bench.row("ramp, gray8", Load { pixels, read: count, written: 3 * count }, || {
        let window = Window::new(0.0, 255.0).expect("rising");
        color::false_color_into(black_box(&gray).view(), seen.view_mut(), &ramp, window, &rules).expect("sizes agree");
    });
    if bench.wants("ramp, gray f32") {
        let floats: Frame<Gray<f32>> = gray.view().map(|p| Gray::new(f32::from(p.value))).expect("memory");
        bench.row("ramp, gray f32", Load { pixels, read: 4 * count, written: 3 * count }, || {
            let window = Window::new(0.0, 255.0).expect("rising");
            color::false_color_into(black_box(&floats).view(), seen.view_mut(), &ramp, window, &rules).expect("sizes");
        });
    }
}

fn blend_rows(bench: &mut Bench) {
    if !bench.wants("blend RGBA8 over RGBA8") && !bench.wants("blend RGBA8 over RGB8, multiply") {
        return;
    }
    let rgb = pictures::rgb(LARGE);
    let (pixels, count) = (LARGE.pixels(), LARGE.pixels() as usize);
    let upper = Frame::from_fn(LARGE, |x, y| Rgba::new(x as u8, y as u8, 200, (x ^ y) as u8)).expect("memory");
    let mut lower = rgb.view().map(|p| Rgba::new(p.r, p.g, p.b, p.g ^ p.b)).expect("memory");
    let rules = BlendRules::default().threads(Threads::ONE);
    bench.row("blend RGBA8 over RGBA8", Load { pixels, read: 8 * count, written: 4 * count }, || {
        color::blend(lower.view_mut(), black_box(&upper).view(), &rules).expect("sizes agree");
    });
    let mut opaque = rgb;
    let rules = rules.mode(BlendMode::Multiply);
    bench.row("blend RGBA8 over RGB8, multiply", Load { pixels, read: 7 * count, written: 3 * count }, || {
        color::blend(opaque.view_mut(), black_box(&upper).view(), &rules).expect("sizes agree");
    });
}
