//! Colour models against the standards' own figures, and back again for every colour of eight bits.

use rahmen::color::ycbcr::{LumaWeights, YcbcrFrame, YcbcrLayout, YcbcrOrder, YcbcrRange, YcbcrRules, to_ycbcr};
use rahmen::color::{self, ColorSpace, Model, ModelRules, from_model, to_model};
use rahmen::flow::{AsModel, OfModel, apply};
use rahmen::frame::Pixels;
use rahmen::pixel::{ChromaSampling, ChromaSiting, Hsl, Hsv, Lch, LinearRgb, Luv, Oklab, Oklch, Xyy, Xyz, Ycbcr};
use rahmen::{Depth, Frame, Gray, Lab, Picture, Pixel, Rgb, Rgba, Size};

fn near(found: [f32; 3], wanted: [f64; 3], within: f64) -> bool {
    found.iter().zip(wanted).all(|(f, w)| (f64::from(*f) - w).abs() <= within)
}

fn one<M: color::ModelPixel + Into<[f32; 3]>>(rgb: Rgb<u8>) -> [f32; 3] {
    let frame = Frame::filled(Size::new(1, 1), rgb).unwrap();
    to_model::<_, M>(frame.view(), &ColorSpace::SRGB, &ModelRules::default()).unwrap()[(0, 0)].into()
}

#[test]
fn the_primaries_of_srgb_have_their_published_places() {
    let (red, green, blue) = (Rgb::new(255u8, 0, 0), Rgb::new(0u8, 255, 0), Rgb::new(0u8, 0, 255));
    // IEC 61966-2-1, the columns of its matrix.
    assert!(near(one::<Xyz>(red), [0.4124, 0.2126, 0.0193], 6e-5));
    assert!(near(one::<Xyz>(green), [0.3576, 0.7152, 0.1192], 6e-5));
    assert!(near(one::<Xyz>(blue), [0.1805, 0.0722, 0.9505], 6e-5));
    assert!(near(one::<Xyy>(green), [0.3, 0.6, 0.7152], 6e-5));
    // CIE 15 on these.
    assert!(near(one::<Lab>(red), [53.24, 80.09, 67.20], 0.02));
    assert!(near(one::<Lab>(blue), [32.30, 79.19, -107.86], 0.02));
    assert!(near(one::<Luv>(red), [53.24, 175.01, 37.75], 0.02));
    let chroma = 80.09f64.hypot(67.20);
    assert!(near(one::<Lch>(red), [53.24, chroma, 67.20f64.atan2(80.09).to_degrees()], 0.02));
    // Ottosson 2020, red and blue of sRGB.
    assert!(near(one::<Oklab>(red), [0.627_955, 0.224_863, 0.125_846], 2e-4));
    assert!(near(one::<Oklch>(blue), [0.452_014, 0.313_214, 264.052], 0.05));
    assert_eq!(one::<Hsv>(blue), [240.0, 1.0, 1.0]);
    assert_eq!(one::<Hsl>(Rgb::new(255, 255, 0)), [60.0, 1.0, 0.5]);
    assert!(near(one::<LinearRgb>(Rgb::new(188, 0, 255)), [0.502_886, 0.0, 1.0], 1e-6));
    assert!(near(one::<Ycbcr>(red), [0.2126, -0.2126 / 1.8556, 0.5], 1e-6));
}

#[test]
fn black_white_and_grays_have_no_colour_in_any_model() {
    for v in [0u8, 1, 7, 128, 254, 255] {
        let gray = Rgb::new(v, v, v);
        let (lab, ok) = (one::<Lab>(gray), one::<Oklab>(gray));
        assert!(lab[1].abs() < 2e-4 && lab[2].abs() < 2e-4, "{v} {lab:?}");
        assert!(ok[1].abs() < 2e-4 && ok[2].abs() < 2e-4, "{v} {ok:?}");
        assert_eq!((one::<Hsv>(gray)[0], one::<Hsv>(gray)[1], one::<Hsl>(gray)[1]), (0.0, 0.0, 0.0));
    }
    assert!(near(one::<Lab>(Rgb::new(255, 255, 255)), [100.0, 0.0, 0.0], 2e-4));
    assert_eq!(one::<Xyy>(Rgb::new(0, 0, 0)), [0.0; 3]);
    assert!(near(one::<Luv>(Rgb::new(0, 0, 0)), [0.0; 3], 1e-6));
}

/// Every 3rd, or in release every, colour of 8 bits, a row of blues at a time.
fn every_color(check: impl Fn(&Frame<Rgb<u8>>)) {
    let step = if cfg!(debug_assertions) { 15 } else { 3 };
    for r in (0..256u32).step_by(step) {
        let greens: Vec<u32> = (0..256).step_by(step).collect();
        let frame = Frame::from_fn(Size::new(256, greens.len() as u32), |b, g| {
            Rgb::new(r as u8, greens[g as usize] as u8, b as u8)
        });
        check(&frame.unwrap());
    }
}

#[test]
fn every_colour_of_eight_bits_comes_back_from_every_model() {
    fn check<M: color::ModelPixel>() {
        every_color(|frame| {
            let there = to_model::<_, M>(frame.view(), &ColorSpace::SRGB, &ModelRules::default()).unwrap();
            let back = from_model::<_, Rgb<u8>>(there.view(), &ColorSpace::SRGB, &ModelRules::default()).unwrap();
            assert!(back == *frame, "{}", M::describe());
        });
    }
    check::<LinearRgb>();
    check::<Xyz>();
    check::<Xyy>();
    check::<Lab>();
    check::<Lch>();
    check::<Luv>();
    check::<Oklab>();
    check::<Oklch>();
    check::<Hsv>();
    check::<Hsl>();
    check::<Ycbcr>();
}

#[test]
fn runs_of_pixels_agree_with_the_single_colours() {
    let space = ColorSpace::ADOBE_RGB;
    let frame = Frame::from_fn(Size::new(129, 33), |x, y| {
        Rgb::new((x * 509) as u16, (y * 1_985) as u16, ((x * y * 37) % 65_536) as u16)
    })
    .unwrap();
    let (to_xyz, white) = (space.to_xyz().unwrap(), space.white().unwrap());
    let light = |v: u16| (f64::from(v) / 65_535.0).powf(563.0 / 256.0);
    let lab = to_model::<_, Lab>(frame.view(), &space, &ModelRules::default()).unwrap();
    let ok = to_model::<_, Oklab>(frame.view(), &space, &ModelRules::default()).unwrap();
    for ((p, lab), ok) in frame.pixels().iter().zip(lab.pixels()).zip(ok.pixels()) {
        let rgb = [light(p.r), light(p.g), light(p.b)];
        let xyz = to_xyz.map(|row| row[0] * rgb[0] + row[1] * rgb[1] + row[2] * rgb[2]);
        assert!(near((*lab).into(), color::lab_of(xyz, white), 2e-4), "{p:?} {lab:?}");
        // The white of Adobe RGB is D65 already.
        assert!(near((*ok).into(), color::oklab_of(xyz), 2e-6), "{p:?} {ok:?}");
    }
}

#[test]
fn the_white_is_what_was_asked_for() {
    let white = Frame::filled(Size::new(1, 1), Rgb::new(255u8, 255, 255)).unwrap();
    let d50 = ColorSpace::ROMM.white().unwrap();
    let xyz = to_model::<_, Xyz>(white.view(), &ColorSpace::SRGB, &ModelRules::default().white(d50)).unwrap();
    // The white of profiles: ICC.1:2022, 7.2.16.
    assert!(near(xyz[(0, 0)].into(), [0.9642, 1.0, 0.8249], 3e-4), "{xyz:?}");
    let lab = to_model::<_, Lab>(white.view(), &ColorSpace::SRGB, &ModelRules::default().white(d50)).unwrap();
    assert!(near(lab[(0, 0)].into(), [100.0, 0.0, 0.0], 2e-4));
    let none = ModelRules::default().white([0.0, 1.0, 1.0]);
    assert!(to_model::<_, Lab>(white.view(), &ColorSpace::SRGB, &none).unwrap_err().to_string().contains("a white"));
}

#[test]
fn pictures_become_named_planes_with_alpha_beside_them_and_come_back() {
    let frame = Frame::from_fn(Size::new(70, 9), |x, y| {
        Rgba::new((x * 3) as u8, (y * 28) as u8, (x * y) as u8, (x + 10 * y) as u8)
    })
    .unwrap();
    let picture = Picture::from(frame.clone());
    for (name, model) in Model::NAMED {
        let planes = picture.to_model(*model, &ModelRules::default()).unwrap();
        let names: Vec<&str> = planes.planes::<f32>().unwrap().names().collect();
        assert_eq!((names[..3].to_vec(), names[3]), (model.channel_names().to_vec(), "alpha"), "{name}");
        let back = apply(planes, &[&OfModel::new(*model, ColorSpace::SRGB, Depth::U8)]).unwrap();
        assert!(back.view::<Rgba<u8>>().unwrap().to_frame() == frame, "{name}");
        assert_eq!(Model::named(name), Some(*model));
    }
    let mut values = picture.clone();
    values.metadata_mut().meaning = rahmen::Meaning::values();
    assert!(apply(values, &[&AsModel::new(Model::Lab)]).unwrap_err().to_string().contains("not of values"));
    let planes = picture.to_model(Model::Hsv, &ModelRules::default()).unwrap();
    let error = apply(planes, &[&OfModel::new(Model::Lab, ColorSpace::SRGB, Depth::U8)]).unwrap_err().to_string();
    assert!(error.contains("there is no plane L"), "{error}");
}

#[test]
fn hues_of_any_number_of_degrees_and_numbers_that_are_none_are_taken() {
    let odd = [
        Hsv::new(-90.0, 1.0, 1.0),
        Hsv::new(630.0, 1.0, 1.0),
        Hsv::new(f32::NAN, 1.0, 1.0),
        Hsv::new(0.0, f32::INFINITY, 1.0),
    ];
    let frame = Frame::from_pixels(Size::new(4, 1), odd.to_vec()).unwrap();
    let back = from_model::<_, Rgb<u8>>(frame.view(), &ColorSpace::SRGB, &ModelRules::default()).unwrap();
    assert_eq!((back[(0, 0)], back[(1, 0)]), (Rgb::new(128, 0, 255), Rgb::new(128, 0, 255)));
    let labs = [
        Lab::new(f32::NAN, 0.0, 0.0),
        Lab::new(-50.0, 0.0, 0.0),
        Lab::new(1e30, 0.0, 0.0),
        Lab::new(50.0, 1e30, -1e30),
    ];
    let frame = Frame::from_pixels(Size::new(4, 1), labs.to_vec()).unwrap();
    let back = from_model::<_, Rgb<u8>>(frame.view(), &ColorSpace::SRGB, &ModelRules::default()).unwrap();
    assert_eq!((back[(0, 0)], back[(1, 0)]), (Rgb::new(0, 0, 0), Rgb::new(0, 0, 0)));
    // Negative light is defined: mirrored through black.
    let dark = Frame::filled(Size::new(1, 1), Rgb::new(-0.25f32, 0.5, -0.0)).unwrap();
    let lab = to_model::<_, Lab>(dark.view(), &ColorSpace::SRGB, &ModelRules::default()).unwrap();
    let back = from_model::<_, Rgb<f32>>(lab.view(), &ColorSpace::SRGB, &ModelRules::default()).unwrap();
    assert!((back[(0, 0)].r + 0.25).abs() < 1e-4 && (back[(0, 0)].g - 0.5).abs() < 1e-4, "{back:?}");
}

fn coded(bits: u8, weights: LumaWeights, range: YcbcrRange, rgb: Rgb<u16>) -> [u16; 3] {
    let frame = Frame::filled(Size::new(1, 1), rgb).unwrap();
    let coded: YcbcrFrame<u16> = to_ycbcr(frame.view(), &YcbcrRules::new(bits).weights(weights).range(range)).unwrap();
    [coded.y(), coded.cb(), coded.cr()].map(|plane| plane[(0, 0)].value)
}

#[test]
fn reference_levels_and_bars_are_those_of_the_recommendations() {
    use LumaWeights::{Bt601, Bt709, Bt2020};
    let (white, black) = (Rgb::new(65_535u16, 65_535, 65_535), Rgb::new(0, 0, 0));
    for weights in [Bt601, Bt709, Bt2020] {
        for (bits, low, high, none) in
            [(8, 16, 235, 128), (10, 64, 940, 512), (12, 256, 3760, 2048), (16, 4096, 60_160, 32_768)]
        {
            assert_eq!(coded(bits, weights, YcbcrRange::Limited, black), [low, none, none]);
            assert_eq!(coded(bits, weights, YcbcrRange::Limited, white), [high, none, none]);
            let full = ((1u32 << bits) - 1) as u16;
            assert_eq!(coded(bits, weights, YcbcrRange::Full, white), [full, none, none]);
        }
    }
    // ITU-R BT.801-1, table 2: bars of 100 % in 8 bits by BT.601.
    let f = 65_535u16;
    for (rgb, want) in [
        (Rgb::new(f, f, 0), [210, 16, 146]),
        (Rgb::new(0, f, f), [170, 166, 16]),
        (Rgb::new(0, f, 0), [145, 54, 34]),
        (Rgb::new(f, 0, f), [106, 202, 222]),
        (Rgb::new(f, 0, 0), [81, 90, 240]),
        (Rgb::new(0, 0, f), [41, 240, 110]),
    ] {
        assert_eq!(coded(8, Bt601, YcbcrRange::Limited, rgb), want, "{rgb:?}");
    }
    // BT.709 in 10 bits, worked by hand: red Y = 64 + 876 x 0.2126 = 250.2, Cr = 512 + 448.
    assert_eq!(coded(10, Bt709, YcbcrRange::Limited, Rgb::new(f, 0, 0)), [250, 409, 960]);
    // JPEG's own: ITU-T T.871 is BT.601 in full range; red 76, 85, 255.5 -> 255.
    assert_eq!(coded(8, Bt601, YcbcrRange::Full, Rgb::new(f, 0, 0)), [76, 85, 255]);
}

#[test]
fn codes_are_rounded_as_whole_numbers_say_and_come_back() {
    // BT.601 in full range by whole numbers: 1000 Y = 299 R + 587 G + 114 B; 1772 Cb = 886 B - 299 R - 587 G; 1402 Cr = 701 R - 587 G - 114 B.
    let rounded = |n: i64, d: i64| (2 * n + d).div_euclid(2 * d).clamp(0, 255) as u8;
    let rules = YcbcrRules::new(8).weights(LumaWeights::Bt601).range(YcbcrRange::Full);
    every_color(|frame| {
        let coded: YcbcrFrame<u8> = to_ycbcr(frame.view(), &rules).unwrap();
        for (i, p) in frame.pixels().iter().enumerate() {
            let [r, g, b] = [p.r, p.g, p.b].map(i64::from);
            let want = [
                rounded(299 * r + 587 * g + 114 * b, 1000),
                rounded(886 * b - 299 * r - 587 * g + 128 * 1772, 1772),
                rounded(701 * r - 587 * g - 114 * b + 128 * 1402, 1402),
            ];
            let found = [coded.y(), coded.cb(), coded.cr()].map(|plane| plane.samples()[i]);
            assert_eq!(found, want, "{p:?}");
        }
        let back = coded.to_rgb::<u8>().unwrap();
        // Eight bits cannot hold all: within two codes a channel.
        assert!(back.samples().iter().zip(frame.samples()).all(|(a, b)| a.abs_diff(*b) <= 2));
    });
    // Two bits more hold every colour of eight bits.
    for weights in [LumaWeights::Bt601, LumaWeights::Bt709, LumaWeights::Bt2020] {
        for range in [YcbcrRange::Full, YcbcrRange::Limited] {
            let rules = YcbcrRules::new(10).weights(weights).range(range);
            every_color(|frame| {
                let coded: YcbcrFrame<u16> = to_ycbcr(frame.view(), &rules).unwrap();
                assert!(coded.to_rgb::<u8>().unwrap() == *frame, "{weights:?} {range:?}");
            });
        }
    }
}

/// Codes of 8 bits by whole numbers: weights in ten-thousandths, limited range as 219 and 224 of 255.
fn whole_codes(weights: LumaWeights, range: YcbcrRange, [r, g, b]: [i64; 3]) -> [u8; 3] {
    let [wr, wg, wb] = weights.weights().map(|w| (w * 10_000.0).round() as i64);
    let y = wr * r + wg * g + wb * b;
    let (luma, black, chroma) = if range == YcbcrRange::Full { (255, 0, 255) } else { (219, 16, 224) };
    let rounded = |n: i64, d: i64, offset: i64| ((2 * n + d).div_euclid(2 * d) + offset).clamp(0, 255) as u8;
    [
        rounded(y * luma, 10_000 * 255, black),
        rounded((10_000 * b - y) * chroma, 2 * (10_000 - wb) * 255, 128),
        rounded((10_000 * r - y) * chroma, 2 * (10_000 - wr) * 255, 128),
    ]
}

#[test]
fn codes_of_bytes_are_those_of_whole_numbers_for_every_recommendation() {
    for weights in [LumaWeights::Bt601, LumaWeights::Bt709, LumaWeights::Bt2020] {
        for range in [YcbcrRange::Full, YcbcrRange::Limited] {
            let rules = YcbcrRules::new(8).weights(weights).range(range);
            every_color(|frame| {
                let coded: YcbcrFrame<u8> = to_ycbcr(frame.view(), &rules).unwrap();
                let planes = [coded.y(), coded.cb(), coded.cr()].map(|plane| plane.samples());
                for (i, p) in frame.pixels().iter().enumerate() {
                    let want = whole_codes(weights, range, [p.r, p.g, p.b].map(i64::from));
                    assert_eq!(planes.map(|plane| plane[i]), want, "{weights:?} {range:?} {p:?}");
                }
            });
        }
    }
}

#[test]
fn bytes_take_the_same_codes_and_come_back_as_the_same_pixels_as_in_wider_types() {
    for (size, seed) in [(Size::new(391, 37), 1), (Size::new(1, 1), 2), (Size::new(2, 3), 3), (Size::new(3, 2), 4)] {
        let frame = Frame::random(size, Rgb::default(), Rgb::new(255u8, 255, 255), seed).unwrap();
        let with_alpha = frame.view().map(|p| Rgba::new(p.r, p.g, p.b, 9)).unwrap();
        let gray = frame.view().map(|p| Gray::new(p.g)).unwrap();
        for weights in [LumaWeights::Bt601, LumaWeights::Bt709, LumaWeights::Bt2020] {
            for range in [YcbcrRange::Full, YcbcrRange::Limited] {
                for sampling in [ChromaSampling::Ratio444, ChromaSampling::Ratio422, ChromaSampling::Ratio420] {
                    for siting in [ChromaSiting::Left, ChromaSiting::Center] {
                        let rules = YcbcrRules::new(8).weights(weights).range(range).sampling(sampling).siting(siting);
                        let said = format!("{size} {rules:?}");
                        let bytes: YcbcrFrame<u8> = to_ycbcr(frame.view(), &rules).unwrap();
                        let words: YcbcrFrame<u16> = to_ycbcr(frame.view(), &rules).unwrap();
                        let wide = |coded: &YcbcrFrame<u8>| {
                            [coded.y(), coded.cb(), coded.cr()]
                                .map(|plane| plane.samples().iter().map(|v| u16::from(*v)).collect::<Vec<_>>())
                        };
                        assert_eq!(
                            wide(&bytes),
                            [words.y(), words.cb(), words.cr()].map(|p| p.samples().to_vec()),
                            "{said}"
                        );
                        assert!(to_ycbcr::<_, u8>(with_alpha.view(), &rules).unwrap() == bytes, "{said}");
                        let gray_words: YcbcrFrame<u16> = to_ycbcr(gray.view(), &rules).unwrap();
                        let gray_bytes = wide(&to_ycbcr::<_, u8>(gray.view(), &rules).unwrap());
                        assert_eq!(gray_bytes[0], gray_words.y().samples(), "{said}");
                        assert!(gray_bytes[1].iter().all(|v| *v == 128), "{said}");
                        assert!(bytes.to_rgb::<u8>().unwrap() == words.to_rgb::<u8>().unwrap(), "{said}");
                    }
                }
            }
        }
    }
}

#[test]
fn fewer_colour_differences_are_means_and_lie_where_they_are_sited() {
    // Gray by G, colour differences of red alone: Cr of 601 in full range is 128 + 127.5 (R - Y) / 0.701 ...; a step in R at x = 2.
    let frame = Frame::from_fn(Size::new(5, 3), |x, _| Rgb::new(if x < 2 { 0u8 } else { 255 }, 0, 0)).unwrap();
    let run = |sampling, siting| {
        let rules =
            YcbcrRules::new(8).weights(LumaWeights::Bt601).range(YcbcrRange::Full).sampling(sampling).siting(siting);
        to_ycbcr::<_, u8>(frame.view(), &rules).unwrap()
    };
    let center = run(ChromaSampling::Ratio420, ChromaSiting::Center);
    assert_eq!(center.cr().size(), Size::new(3, 2));
    assert_eq!(center.cr().samples(), [128, 255, 255, 128, 255, 255]);
    // Sited left: the one on x = 2 has a quarter of x = 1, which has no red: 128 + 0.75 x 127.5.
    let left = run(ChromaSampling::Ratio422, ChromaSiting::Left);
    assert_eq!(left.cr().size(), Size::new(3, 3));
    assert_eq!(left.cr().samples()[..3], [128, 224, 255]);
    // Flat colours stay, whatever is left out, at odd sizes too.
    for size in [Size::new(1, 1), Size::new(1, 7), Size::new(7, 1), Size::new(65, 33)] {
        let flat = Frame::filled(size, Rgb::new(90u8, 140, 200)).unwrap();
        for sampling in [ChromaSampling::Ratio444, ChromaSampling::Ratio422, ChromaSampling::Ratio420] {
            for siting in [ChromaSiting::Left, ChromaSiting::Center] {
                let coded =
                    to_ycbcr::<_, u16>(flat.view(), &YcbcrRules::new(12).sampling(sampling).siting(siting)).unwrap();
                assert!(coded.to_rgb::<u8>().unwrap() == flat, "{size} {sampling:?} {siting:?}");
            }
        }
    }
    // Between places of colour differences lies a straight line: 0, 1/2, 1 for sited left; 1/4, 3/4 between.
    let plane = |values: Vec<u8>, size| Frame::<Gray<u8>>::from_samples(size, values).unwrap();
    let rules = YcbcrRules::new(8).range(YcbcrRange::Full).sampling(ChromaSampling::Ratio422);
    let make = |siting| {
        let wide = plane(vec![100; 4], Size::new(4, 1));
        let few = |v: [u8; 2]| plane(v.to_vec(), Size::new(2, 1));
        YcbcrFrame::new(&rules.siting(siting), wide, few([128, 128]), few([128, 168])).unwrap().to_rgb::<f32>().unwrap()
    };
    let reds = |frame: &Frame<Rgb<f32>>| {
        frame.pixels().iter().map(|p| ((p.r * 255.0 - 100.0) / 1.5748).round()).collect::<Vec<_>>()
    };
    assert_eq!(reds(&make(ChromaSiting::Left)), [0.0, 20.0, 40.0, 40.0]);
    assert_eq!(reds(&make(ChromaSiting::Center)), [0.0, 10.0, 30.0, 40.0]);
}

#[test]
fn foreign_memory_of_every_order_comes_and_goes() {
    let size = Size::new(7, 5);
    let frame = Frame::from_fn(size, |x, y| Rgb::new((x * 36) as u8, (y * 60) as u8, (x * y * 7) as u8)).unwrap();
    for (name, order) in YcbcrOrder::NAMED {
        for sampling in [ChromaSampling::Ratio444, ChromaSampling::Ratio422, ChromaSampling::Ratio420] {
            for bits in [8u8, 10, 16] {
                let rules = YcbcrRules::new(bits).sampling(sampling);
                let coded = to_ycbcr::<_, u16>(frame.view(), &rules).unwrap();
                let layout = YcbcrLayout::new(size, *order, rules).offset(3).stride(40).big_endian();
                let layout = if bits == 10 { layout.high_bits() } else { layout };
                let Ok(needed) = layout.bytes_needed() else {
                    assert!(name.starts_with("y-c") || name.starts_with("cb"), "{name}");
                    continue;
                };
                let mut bytes = vec![0xee; needed];
                layout.write(&coded, &mut bytes).unwrap();
                assert_eq!(bytes[..3], [0xee; 3]);
                assert!(layout.read::<u16>(&bytes).unwrap() == coded, "{name} {sampling:?} {bits}");
                assert!(layout.read::<u16>(&bytes[..needed - 1]).unwrap_err().to_string().contains("bytes"));
                assert_eq!(layout.read::<u8>(&bytes).is_ok(), bits == 8, "{name}");
            }
        }
    }
    // By hand: two lumas share a pair; half-planar 4:2:0 with Cr first.
    let rules = YcbcrRules::new(8).sampling(ChromaSampling::Ratio420);
    let layout = YcbcrLayout::new(Size::new(2, 2), YcbcrOrder::PairsCrFirst, rules);
    let coded = layout.read::<u8>(&[1, 2, 3, 4, 200, 100]).unwrap();
    assert_eq!(
        (coded.y().samples(), coded.cb().samples(), coded.cr().samples()),
        (&[1, 2, 3, 4][..], &[100][..], &[200][..])
    );
    let packed = YcbcrLayout::new(Size::new(2, 1), YcbcrOrder::CbYCrY, rules.sampling(ChromaSampling::Ratio422));
    let coded = packed.read::<u8>(&[10, 20, 30, 40]).unwrap();
    assert_eq!(
        (coded.y().samples(), coded.cb().samples(), coded.cr().samples()),
        (&[20, 40][..], &[10][..], &[30][..])
    );
    for wrong in [
        YcbcrLayout::new(Size::new(u32::MAX, u32::MAX), YcbcrOrder::Planes, rules),
        YcbcrLayout::new(Size::new(4, 4), YcbcrOrder::Planes, rules).stride(3),
        YcbcrLayout::new(Size::new(4, 4), YcbcrOrder::Pairs, rules).chroma_stride(3),
        YcbcrLayout::new(Size::new(4, 4), YcbcrOrder::YCbYCr, rules),
        YcbcrLayout::new(Size::new(4, 4), YcbcrOrder::Planes, YcbcrRules::new(7)),
        YcbcrLayout::new(Size::new(4, 4), YcbcrOrder::Planes, YcbcrRules::new(17)),
    ] {
        assert!(wrong.bytes_needed().is_err(), "{wrong:?}");
    }
    let small = Frame::filled(Size::new(1, 2), Gray::new(1u8)).unwrap();
    let one = || Frame::filled(Size::new(1, 1), Gray::new(1u8)).unwrap();
    assert!(YcbcrFrame::new(&YcbcrRules::new(8), small.clone(), one(), one()).is_err());
    assert!(to_ycbcr::<_, u8>(small.view(), &YcbcrRules::new(9)).is_err());
    let ink = Pixels::new(Size::new(1, 1), rahmen::Layout::Cmyk, Depth::U8).unwrap();
    assert!(ink.to_model(Model::Lab, &ColorSpace::SRGB, &ModelRules::default()).is_err());
    assert_eq!(Lab::CHANNELS, 3);
}

#[test]
fn linear_light_of_a_space_that_is_not_known_is_refused() {
    let mut picture = Picture::from(Frame::filled(Size::new(1, 1), Rgb::new(9u8, 9, 9)).unwrap());
    picture.metadata_mut().primaries = rahmen::Primaries::Other;
    for model in [Model::LinearRgb, Model::Xyz, Model::Oklch] {
        let error = picture.to_model(model, &ModelRules::default()).unwrap_err().to_string();
        assert!(error.contains("not known"), "{error}");
    }
    assert!(picture.to_model(Model::Hsv, &ModelRules::default()).is_ok());
}
