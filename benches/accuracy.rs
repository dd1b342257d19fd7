//! The largest errors of colour conversions, against the definitions in `f64`: `cargo bench --bench accuracy` prints the table that
//! docs/accuracy.md keeps.
#![allow(clippy::print_stdout, missing_docs)]

use rahmen::color::ycbcr::{LumaWeights, YcbcrFrame, YcbcrRange, YcbcrRules, to_ycbcr};
use rahmen::color::{self, ColorSpace, Model, ModelRules, SpaceRules};
use rahmen::frame::Pixels;
use rahmen::{Depth, Frame, Rgb, Sample, Size};

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

fn models() {
    println!("| RGB8 to | largest error, a channel each | colours that do not come back |\n|---|---|---|");
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
        println!("| {name} | {a:.1e}, {b:.1e}, {c:.1e} | {lost} |");
    }
}

fn spaces<S: Sample>(name: &str) {
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
        println!("| {name} sRGB to {of} | {most:.6} | {wrong} |");
    }
}

fn luma() {
    println!(
        "\n| RGB8 to codes of 8 bits and back | largest error of a code | of a channel, there and back |\n|---|---|---|"
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
            println!("| {name}, {range:?} | {most:.4} | {} |", off.unwrap_or(0));
        }
    }
}

fn main() {
    models();
    println!(
        "\n| conversion | largest error, in codes (floats: of 1) | codes that are not the nearest |\n|---|---|---|"
    );
    spaces::<u8>("RGB8");
    spaces::<u16>("RGB16");
    spaces::<f32>("RGB f32");
    luma();
}
