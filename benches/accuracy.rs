//! The largest errors of resizing and of colour conversions, against the definitions in `f64`: `cargo bench --bench accuracy` prints the
//! tables, and puts them into docs/accuracy.md, each between its marks.
#![allow(clippy::print_stdout, missing_docs)]

#[path = "../tests/all/common/resizing.rs"]
mod resizing;

use rahmen::color::ycbcr::{LumaWeights, YcbcrFrame, YcbcrRange, YcbcrRules, to_ycbcr};
use rahmen::color::{self, ColorSpace, Model, ModelRules, SpaceRules};
use rahmen::frame::Pixels;
use rahmen::resample::{Kernel, Light, ResizeRules};
use rahmen::{Cmyk, Depth, Frame, Gray, GrayAlpha, PicturePixel, Rgb, Rgba, Sample, Size, Transfer};
use resizing::{LARGE, bell, cases, errors, large, source};
use std::fmt::Write;

/// Every third code of each channel, and full: 86 x 86 x 86 colours.
fn colors<S: Sample>() -> Frame<Rgb<S>> {
    let level = |i: u32| S::from_fraction(f64::from(3 * i) / 255.0);
    Frame::from_fn(Size::new(86 * 86, 86), |x, y| Rgb::new(level(x % 86), level(x / 86), level(y))).expect("memory")
}

/// The model of one colour by the functions that the standards' figures are tested on.
fn exact(model: Model, rgb: [f64; 3]) -> [f64; 3] {
    let space = ColorSpace::SRGB;
    let (to_xyz, white) = (space.to_xyz().expect("a space"), space.white().expect("a space"));
    let light = rgb.map(|v| space.transfer.decode(v));
    let xyz = to_xyz.map(|row| row[0] * light[0] + row[1] * light[1] + row[2] * light[2]);
    match model {
        Model::LinearRgb => light,
        Model::Xyz => xyz,
        Model::Xyy => color::xyy_of(xyz),
        Model::Lab => color::lab_of(xyz, white),
        Model::Lch => color::polar_of(color::lab_of(xyz, white)),
        Model::Luv => color::luv_of(xyz, white),
        Model::Oklab => color::oklab_of(xyz),
        Model::Oklch => color::polar_of(color::oklab_of(xyz)),
        Model::Hsv => color::hsv_of(rgb),
        Model::Hsl => color::hsl_of(rgb),
        Model::Ycbcr(weights) => weights.matrix().map(|row| row[0] * rgb[0] + row[1] * rgb[1] + row[2] * rgb[2]),
        _ => [f64::NAN; 3],
    }
}

fn models() -> String {
    let mut out =
        String::from("| RGB8 to | largest error, a channel each | colours that do not come back |\n|---|---|---|\n");
    let frame = colors::<u8>();
    let pixels = Pixels::from(frame.clone());
    let rules = ModelRules::default();
    for (name, model) in Model::NAMED {
        let planes = pixels.to_model(*model, &ColorSpace::SRGB, &rules).expect("memory");
        let mut most = [0f64; 3];
        for (c, channel) in model.channel_names().into_iter().enumerate() {
            let plane = planes.get(channel).expect("there is one");
            for (p, found) in frame.pixels().iter().zip(plane.samples()) {
                let rgb = [p.r, p.g, p.b].map(|v| f64::from(v) / 255.0);
                let wanted = exact(*model, rgb);
                // The hue of what has hardly any colour is that of rounding.
                let hue = matches!(channel, "h" | "H");
                if hue && rgb.iter().all(|v| (v - rgb[0]).abs() < 0.02) {
                    continue;
                }
                let off = (wanted[c] - f64::from(*found)).abs();
                most[c] = most[c].max(if hue { off.min(360.0 - off) } else { off });
            }
        }
        let back = Pixels::from_model(&planes, *model, &ColorSpace::SRGB, Depth::U8, &rules).expect("memory");
        let back = back.into_frame::<Rgb<u8>>().expect("rgb");
        let lost = back.pixels().iter().zip(frame.pixels()).filter(|(a, b)| a != b).count();
        let [a, b, c] = most;
        line(&mut out, format_args!("| {name} | {a:.1e}, {b:.1e}, {c:.1e} | {lost} |"));
    }
    out
}

fn spaces<S: Sample>(name: &str, out: &mut String) {
    let frame = colors::<S>();
    let full = S::DEPTH.max_code().map_or(1.0, f64::from);
    for to in [ColorSpace::DISPLAY_P3, ColorSpace::ADOBE_RGB, ColorSpace::BT2020, ColorSpace::ROMM] {
        let from = ColorSpace::SRGB;
        let matrix = from.matrix_to(&to, Default::default()).expect("spaces");
        let found = color::to_space(frame.view(), from, to, &SpaceRules::default()).expect("memory");
        let (mut most, mut wrong) = (0f64, 0);
        for (p, q) in frame.pixels().iter().zip(found.pixels()) {
            let light = [p.r, p.g, p.b].map(|v| from.transfer.decode(v.to_fraction()));
            let wanted =
                matrix.map(|row| to.transfer.encode(row[0] * light[0] + row[1] * light[1] + row[2] * light[2]));
            for (wanted, found) in wanted.into_iter().zip([q.r, q.g, q.b]) {
                let wanted = if full > 1.0 { wanted.clamp(0.0, 1.0) } else { wanted } * full;
                most = most.max((wanted - found.to_f64()).abs());
                wrong += u32::from(full > 1.0 && (wanted + 0.5).floor() != found.to_f64());
            }
        }
        let of = to.name().unwrap_or("none");
        line(out, format_args!("| {name} sRGB to {of} | {most:.6} | {wrong} |"));
    }
}

fn luma() -> String {
    let mut out = String::from(
        "| RGB8 to codes of 8 bits and back | largest error of a code | of a channel, there and back |\n|---|---|---|\n",
    );
    let frame = colors::<u8>();
    for (name, weights) in
        [("BT.601", LumaWeights::Bt601), ("BT.709", LumaWeights::Bt709), ("BT.2020", LumaWeights::Bt2020)]
    {
        for (range, black, luma, chroma) in
            [(YcbcrRange::Full, 0.0, 255.0, 255.0), (YcbcrRange::Limited, 16.0, 219.0, 224.0)]
        {
            let coded: YcbcrFrame<u8> =
                to_ycbcr(frame.view(), &YcbcrRules::new(8).weights(weights).range(range)).expect("memory");
            let mut most = 0f64;
            for (i, p) in frame.pixels().iter().enumerate() {
                let [y, cb, cr] = exact(Model::Ycbcr(weights), [p.r, p.g, p.b].map(|v| f64::from(v) / 255.0));
                let wanted = [black + luma * y, 128.0 + chroma * cb, 128.0 + chroma * cr];
                let found = [coded.y(), coded.cb(), coded.cr()].map(|plane| f64::from(plane.samples()[i]));
                for (w, f) in wanted.into_iter().zip(found) {
                    most = most.max((w.clamp(0.0, 255.0) - f).abs());
                }
            }
            let back = coded.to_rgb::<u8>().expect("memory");
            let off = back.samples().iter().zip(frame.samples()).map(|(a, b)| a.abs_diff(*b)).max();
            line(&mut out, format_args!("| {name}, {range:?} | {most:.4} | {} |", off.unwrap_or(0)));
        }
    }
    out
}

fn line(out: &mut String, words: std::fmt::Arguments<'_>) {
    writeln!(out, "{words}").expect("memory");
}

/// Every kernel, and a free one, at targets that the definition's own sums serve and at larger ones, which the quick code computes.
fn resizes<P: PicturePixel>(out: &mut String) {
    let (mut small, mut most, mut wrong) = (0f64, 0f64, 0f64);
    // Alpha that kernels make vanish leaves quotients of next to nothing: there large targets, which weigh that, are the measure.
    for (from, to, kernel) in cases().filter(|(.., kernel)| !P::ALPHA || *kernel == Kernel::Linear) {
        small = small.max(errors::<P>(from, to, ResizeRules::new(kernel)).0);
    }
    for (from, to) in LARGE {
        let frame = source::<P>(Size::new(from.0, from.1));
        for kernel in Kernel::ALL.iter().skip(1).cloned().chain([Kernel::Custom(bell())]) {
            let (off, share) = large(&frame, Size::new(to.0, to.1), &ResizeRules::new(kernel));
            (most, wrong) = (most.max(off), wrong.max(share));
        }
    }
    let name = format!("{} {}", P::Number::DEPTH, P::LAYOUT);
    match P::Number::DEPTH {
        Depth::F32 => line(out, format_args!("| {name} | {small:.1e} of full | {most:.1e} of full | - |")),
        _ => line(
            out,
            format_args!("| {name} | {small:.3} of a level | {most:.3} of a level | {:.2} % |", wrong * 100.0),
        ),
    }
}

fn resizing_table() -> String {
    let mut out = String::from(
        "| pixels | largest error, small targets | large targets | of these not the nearest, at most |\n|---|---|---|---|\n",
    );
    resizes::<Gray<u8>>(&mut out);
    resizes::<GrayAlpha<u8>>(&mut out);
    resizes::<Rgb<u8>>(&mut out);
    resizes::<Rgba<u8>>(&mut out);
    resizes::<Cmyk<u8>>(&mut out);
    resizes::<Gray<u16>>(&mut out);
    resizes::<GrayAlpha<u16>>(&mut out);
    resizes::<Rgb<u16>>(&mut out);
    resizes::<Rgba<u16>>(&mut out);
    resizes::<Cmyk<u16>>(&mut out);
    resizes::<Gray<f32>>(&mut out);
    resizes::<GrayAlpha<f32>>(&mut out);
    resizes::<Rgb<f32>>(&mut out);
    resizes::<Rgba<f32>>(&mut out);
    resizes::<Cmyk<f32>>(&mut out);
    let rules = ResizeRules::new(Kernel::CatmullRom).light(Light::Linear(Transfer::Srgb));
    let light = LARGE
        .into_iter()
        .map(|(from, to)| large(&source::<Rgb<u8>>(Size::new(from.0, from.1)), Size::new(to.0, to.1), &rules).0);
    let light = light.fold(0.0, f64::max);
    line(&mut out, format_args!("| u8 rgb in linear light, catmull-rom | - | {light:.3} of a level | - |"));
    out
}

/// Puts a table between its marks.
fn replaced(text: &str, name: &str, table: &str) -> Option<String> {
    let mark = format!("<!-- {name} -->\n");
    let start = text.find(&mark)? + mark.len();
    let end = start + text.get(start..)?.find("<!-- end -->")?;
    Some(format!("{}{table}{}", text.get(..start)?, text.get(end..)?))
}

fn main() {
    if !std::env::args().any(|word| word == "--bench") {
        return;
    }
    let mut spaces_table = String::from(
        "| conversion | largest error, in codes (floats: of 1) | codes that are not the nearest |\n|---|---|---|\n",
    );
    spaces::<u8>("RGB8", &mut spaces_table);
    spaces::<u16>("RGB16", &mut spaces_table);
    spaces::<f32>("RGB f32", &mut spaces_table);
    let tables = [
        ("resizing", resizing_table()),
        ("models", models()),
        ("spaces", spaces_table),
        ("luma and differences", luma()),
    ];
    let path = concat!(env!("CARGO_MANIFEST_DIR"), "/docs/accuracy.md");
    let mut text = std::fs::read_to_string(path).expect("docs/accuracy.md");
    for (name, table) in tables {
        println!("{table}");
        text = replaced(&text, name, &table).unwrap_or_else(|| panic!("docs/accuracy.md has no <!-- {name} -->"));
    }
    std::fs::write(path, text).expect("docs/accuracy.md is written");
}
