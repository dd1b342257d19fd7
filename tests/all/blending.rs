//! Layers over layers, by another computation of every formula: the text of W3C Compositing and Blending Level 1, in doubles.

use rahmen::color::{BlendMode, BlendRules, Gradient, Operator, blend};
use rahmen::frame::{Light, Pixels};
use rahmen::{Depth, Frame, Gray, GrayAlpha, Layout, Picture, Rgb, Rgba, Sample, Size, Transfer};

/// B(cb, cs) of section 10.1.
fn formula(mode: BlendMode, cb: f64, cs: f64) -> f64 {
    let screen = |a: f64, b: f64| 1.0 - (1.0 - a) * (1.0 - b);
    let hard_light = |cb: f64, cs: f64| if cs <= 0.5 { cb * 2.0 * cs } else { screen(cb, 2.0 * cs - 1.0) };
    match mode {
        BlendMode::Normal => cs,
        BlendMode::Multiply => cb * cs,
        BlendMode::Screen => screen(cb, cs),
        BlendMode::Overlay => hard_light(cs, cb),
        BlendMode::Darken => cb.min(cs),
        BlendMode::Lighten => cb.max(cs),
        BlendMode::ColorDodge if cb == 0.0 => 0.0,
        BlendMode::ColorDodge if cs == 1.0 => 1.0,
        BlendMode::ColorDodge => (cb / (1.0 - cs)).min(1.0),
        BlendMode::ColorBurn if cb == 1.0 => 1.0,
        BlendMode::ColorBurn if cs == 0.0 => 0.0,
        BlendMode::ColorBurn => 1.0 - ((1.0 - cb) / cs).min(1.0),
        BlendMode::HardLight => hard_light(cb, cs),
        BlendMode::SoftLight if cs <= 0.5 => cb - (1.0 - 2.0 * cs) * cb * (1.0 - cb),
        BlendMode::SoftLight => {
            let d = if cb <= 0.25 { ((16.0 * cb - 12.0) * cb + 4.0) * cb } else { cb.sqrt() };
            cb + (2.0 * cs - 1.0) * (d - cb)
        }
        BlendMode::Difference => (cb - cs).abs(),
        BlendMode::Exclusion => cb + cs - 2.0 * cb * cs,
        other => panic!("{other:?}"),
    }
}

/// Fa and Fb of section 9.1.
fn shares(operator: Operator, ab: f64, a: f64) -> (f64, f64) {
    match operator {
        Operator::Clear => (0.0, 0.0),
        Operator::Copy => (1.0, 0.0),
        Operator::SourceOver => (1.0, 1.0 - a),
        Operator::DestinationOver => (1.0 - ab, 1.0),
        Operator::SourceIn => (ab, 0.0),
        Operator::DestinationIn => (0.0, a),
        Operator::SourceOut => (1.0 - ab, 0.0),
        Operator::DestinationOut => (0.0, 1.0 - a),
        Operator::SourceAtop => (ab, 1.0 - a),
        Operator::DestinationAtop => (1.0 - ab, a),
        Operator::Xor => (1.0 - ab, 1.0 - a),
        Operator::Plus => (1.0, 1.0),
        other => panic!("{other:?}"),
    }
}

/// Colours and alpha of one pixel over another, straight.
fn over(lower: ([f64; 3], f64), upper: ([f64; 3], f64), mode: BlendMode, operator: Operator) -> ([f64; 3], f64) {
    let ((cb, ab), (cs, a)) = (lower, upper);
    let (fa, fb) = shares(operator, ab, a);
    let alpha = (a * fa + ab * fb).min(1.0);
    let color = [0, 1, 2].map(|c| {
        let mixed = (1.0 - ab) * cs[c] + ab * formula(mode, cb[c], cs[c]);
        let sum = a * fa * mixed + ab * fb * cb[c];
        if alpha > 0.0 { sum / alpha } else { 0.0 }
    });
    (color, alpha)
}

/// A number from a place, well mixed.
fn hash(i: u32) -> u32 {
    let mut h = i.wrapping_mul(0x9e37_79b1) ^ 0x5bd1_e995;
    h ^= h >> 15;
    h = h.wrapping_mul(0x2c1b_3c6d);
    h ^ (h >> 12)
}

/// Pixels of all kinds, extremes among them.
fn mixed_pixels(seed: u32, count: u32) -> Vec<Rgba<u8>> {
    let code = |i: u32| match hash(i) % 8 {
        0 => 0,
        1 => 255,
        _ => (hash(i) >> 8) as u8,
    };
    (0..count).map(|i| Rgba::from([0, 1, 2, 3].map(|c| code(seed + 4 * i + c)))).collect()
}

fn of(p: Rgba<u8>) -> ([f64; 3], f64) {
    ([p.r, p.g, p.b].map(|v| f64::from(v) / 255.0), f64::from(p.a) / 255.0)
}

#[test]
fn every_mode_and_operator_follows_its_formula() {
    let size = Size::new(151, 7);
    let (below, above) = (mixed_pixels(1, 1057), mixed_pixels(900_001, 1057));
    let upper = Frame::from_pixels(size, above.clone()).unwrap();
    for (mode_name, mode) in BlendMode::NAMED {
        for (operator_name, operator) in Operator::NAMED {
            let mut lower = Frame::from_pixels(size, below.clone()).unwrap();
            let rules = BlendRules::default().mode(*mode).operator(*operator);
            blend(lower.view_mut(), upper.view(), &rules).unwrap();
            for ((b, s), found) in below.iter().zip(&above).zip(lower.pixels()) {
                let (color, alpha) = over(of(*b), of(*s), *mode, *operator);
                let keeps = s.a == 0 && *found == *b;
                let near = |wanted: f64, found: u8| (wanted.min(1.0) * 255.0 - f64::from(found)).abs() <= 0.5 + 2e-3;
                let colors = color.into_iter().zip([found.r, found.g, found.b]).all(|(w, f)| near(w, f));
                assert!(
                    keeps || colors && near(alpha, found.a),
                    "{mode_name} {operator_name} {b:?} {s:?} {found:?} {color:?} {alpha}"
                );
            }
        }
    }
}

/// A full mask changes nothing but the way there: what it goes through keeps its own arithmetic for bytes without one.
#[test]
fn bytes_over_bytes_have_the_codes_of_the_general_way() {
    let size = Size::new(307, 3);
    let full = Pixels::from(Frame::filled(size, Gray::new(255u8)).unwrap());
    let (below, above) = (mixed_pixels(3, 921), mixed_pixels(55_555, 921));
    let frames = [below, above].map(|pixels| Frame::from_pixels(size, pixels).unwrap());
    let in_layout = |frame: &Frame<Rgba<u8>>, layout| match layout {
        Layout::Gray => Pixels::from(frame.view().map(|p| Gray::new(p.g)).unwrap()),
        Layout::GrayAlpha => Pixels::from(frame.view().map(|p| GrayAlpha::new(p.g, p.a)).unwrap()),
        Layout::Rgb => Pixels::from(frame.view().map(|p| Rgb::new(p.r, p.g, p.b)).unwrap()),
        _ => Pixels::from(frame.clone()),
    };
    let layouts = [Layout::Gray, Layout::GrayAlpha, Layout::Rgb, Layout::Rgba];
    for under in layouts {
        for over in layouts.into_iter().filter(|over| under.is_color() || !over.is_color()) {
            let (lower, upper) = (in_layout(&frames[0], under), in_layout(&frames[1], over));
            for opacity in [1.0, 0.37, 0.0] {
                let rules = BlendRules::default().opacity(opacity);
                let (mut quick, mut general) = (lower.clone(), lower.clone());
                quick.blend(&upper, (0, 0), None, &rules).unwrap();
                general.blend(&upper, (0, 0), Some(&full), &rules).unwrap();
                assert!(quick == general, "{over} over {under}, {opacity}");
            }
        }
    }
}

#[test]
fn depths_and_layouts_agree_with_each_other() {
    let size = Size::new(67, 5);
    let (below, above) = (mixed_pixels(5, 335), mixed_pixels(77_777, 335));
    let lower = Pixels::from(Frame::from_pixels(size, below).unwrap());
    let upper = Pixels::from(Frame::from_pixels(size, above).unwrap());
    let mut plain = lower.clone();
    plain.blend(&upper, (0, 0), None, &BlendRules::default()).unwrap();
    let plain = plain.into_frame::<Rgba<u8>>().unwrap();
    for depth in [Depth::U16, Depth::F32] {
        for other in [Depth::U8, Depth::U16, Depth::F32] {
            let mut wide = lower.to_depth(depth, None, Default::default()).unwrap();
            let above = upper.to_depth(other, None, Default::default()).unwrap();
            wide.blend(&above, (0, 0), None, &BlendRules::default()).unwrap();
            let back = wide.to_depth(Depth::U8, None, Default::default()).unwrap().into_frame::<Rgba<u8>>().unwrap();
            for (a, b) in plain.samples().iter().zip(back.samples()) {
                assert!(a.abs_diff(*b) <= 1, "{depth} {other}");
            }
        }
    }
    // Gray over colour is that gray; colour over gray is refused by name.
    let gray = Frame::filled(size, GrayAlpha::new(90u8, 128)).unwrap();
    let same = Frame::filled(size, Rgba::new(90u8, 90, 90, 128)).unwrap();
    let (mut one, mut two) = (lower.clone(), lower.clone());
    one.blend(&gray.clone().into(), (0, 0), None, &BlendRules::default()).unwrap();
    two.blend(&same.into(), (0, 0), None, &BlendRules::default()).unwrap();
    assert_eq!(one, two);
    let error = Pixels::from(gray).blend(&upper, (0, 0), None, &BlendRules::default()).unwrap_err().to_string();
    assert!(error.contains("gray+alpha") && error.contains("rgb+alpha"), "{error}");
    let ink = Pixels::new(size, Layout::Cmyk, Depth::U8).unwrap();
    assert!(lower.clone().blend(&ink, (0, 0), None, &BlendRules::default()).is_err());
}

#[test]
fn nothing_over_something_changes_no_bit() {
    fn check<S: Sample>(values: Vec<S>) {
        let size = Size::new(values.len() as u32 / 4, 1);
        let lower = Frame::<Rgba<S>>::from_samples(size, values).unwrap();
        let clear = Frame::filled(size, Rgba::new(S::FULL, S::FULL, S::FULL, S::default())).unwrap();
        for mode in BlendMode::NAMED {
            let mut changed = lower.clone();
            blend(changed.view_mut(), clear.view(), &BlendRules::default().mode(mode.1)).unwrap();
            assert!(changed.samples() == lower.samples(), "{}", mode.0);
            let full = Frame::filled(size, Rgba::new(S::FULL, S::FULL, S::FULL, S::FULL)).unwrap();
            blend(changed.view_mut(), full.view(), &BlendRules::default().mode(mode.1).opacity(0.0)).unwrap();
            assert!(changed.samples() == lower.samples(), "{}", mode.0);
        }
    }
    check::<u8>((0..1024u32).map(|i| hash(i) as u8).collect());
    check::<u16>((0..1024u32).map(|i| hash(i) as u16).collect());
    check::<f32>((0..1024u32).map(|i| hash(i) as f32 / 4e9).collect());
}

#[test]
fn a_picture_without_alpha_is_opaque_and_what_becomes_clear_is_black() {
    let one = Size::new(1, 1);
    let run = |operator, upper: Rgba<u8>| {
        let mut lower = Frame::filled(one, Rgb::new(200u8, 100, 50)).unwrap();
        blend(lower.view_mut(), Frame::filled(one, upper).unwrap().view(), &BlendRules::default().operator(operator))
            .unwrap();
        lower[(0, 0)]
    };
    let half = Rgba::new(0u8, 255, 0, 51);
    assert_eq!(run(Operator::SourceOver, half), Rgb::new(160, 131, 40));
    assert_eq!(run(Operator::Clear, half), Rgb::new(0, 0, 0));
    // A fifth of what was, on black.
    assert_eq!(run(Operator::DestinationIn, half), Rgb::new(40, 20, 10));
    assert_eq!(run(Operator::Copy, half), Rgb::new(0, 51, 0));
}

#[test]
fn linear_light_mixes_light() {
    let one = Size::new(1, 1);
    let white = Frame::filled(one, GrayAlpha::new(255u8, 128)).unwrap();
    let rules = BlendRules::default().light(Light::Linear(Transfer::Srgb));
    let mut black = Frame::filled(one, Gray::new(0u8)).unwrap();
    blend(black.view_mut(), white.view(), &rules).unwrap();
    // 128/255 of the light: by IEC 61966-2-1 code 188.0.
    assert_eq!(black[(0, 0)].value, 188);
    let mut deep = Frame::filled(one, Gray::new(0.0f32)).unwrap();
    blend(deep.view_mut(), white.view(), &rules).unwrap();
    assert!((deep[(0, 0)].value - 0.736_647).abs() < 1e-6, "{}", deep[(0, 0)].value);
}

#[test]
fn masks_opacity_and_places_outside_are_what_they_say() {
    let mut base = Picture::from(Frame::filled(Size::new(6, 4), Rgb::new(0u8, 0, 0)).unwrap());
    let white = Picture::from(Frame::filled(Size::new(4, 4), Gray::new(255u8)).unwrap());
    let mask = Gradient::linear((0.5, 0.0), (3.5, 0.0)).mask::<u16>(Size::new(4, 4)).unwrap();
    let region = base.blend(&white, (-1, 2), Some(&mask.into()), &BlendRules::default().opacity(0.6)).unwrap();
    assert_eq!((region.x(), region.y(), region.width(), region.height()), (0, 2, 3, 2));
    let row: Vec<u8> = base.view::<Rgb<u8>>().unwrap().row(2).iter().map(|p| p.g).collect();
    // Thirds of 0.6 x 255 = 153, the first column of the mask being outside.
    assert_eq!(row, [51, 102, 153, 0, 0, 0]);
    assert!(base.view::<Rgb<u8>>().unwrap().row(1).iter().all(|p| *p == Rgb::new(0, 0, 0)));
    assert!(base.blend(&white, (9, 9), None, &BlendRules::default()).unwrap().is_empty());
    for opacity in [-0.1, 1.1, f64::NAN] {
        let error = base.blend(&white, (0, 0), None, &BlendRules::default().opacity(opacity)).unwrap_err();
        assert!(error.to_string().contains("opacity is 0 to 1"), "{error}");
    }
    let wrong = Pixels::from(Frame::filled(Size::new(3, 4), Gray::new(1u8)).unwrap());
    assert!(base.blend(&white, (0, 0), Some(&wrong), &BlendRules::default()).unwrap_err().to_string().contains("mask"));
    let flat = Pixels::from(Frame::filled(Size::new(1, 1), GrayAlpha::new(255u8, 102)).unwrap());
    let on = flat.flatten_over(&Frame::filled(Size::new(1, 1), Rgb::new(0u16, 0, 65_535)).unwrap().into()).unwrap();
    assert_eq!(on.view::<Rgb<u16>>().unwrap()[(0, 0)], Rgb::new(26_214, 26_214, 65_535));
}

#[test]
fn what_is_no_colour_or_of_another_space_is_refused() {
    let picture = || Picture::from(Frame::filled(Size::new(1, 1), Rgb::new(9u8, 9, 9)).unwrap());
    let mut p3 = picture();
    p3.metadata_mut().primaries = rahmen::Primaries::DisplayP3;
    assert!(
        picture()
            .blend(&p3, (0, 0), None, &BlendRules::default())
            .unwrap_err()
            .to_string()
            .contains("different colour spaces")
    );
    let mut values = picture();
    values.metadata_mut().meaning = rahmen::Meaning::values();
    assert!(
        picture()
            .blend(&values, (0, 0), None, &BlendRules::default())
            .unwrap_err()
            .to_string()
            .contains("the upper picture holds values")
    );
    let codes = Picture::of_codes(Frame::filled(Size::new(1, 1), Gray::new(1u8)).unwrap(), 7).unwrap();
    assert!(
        picture()
            .blend(&codes, (0, 0), None, &BlendRules::default())
            .unwrap_err()
            .to_string()
            .contains("unscaled codes")
    );
}

#[test]
fn a_mask_becomes_alpha() {
    let quay = Pixels::from(Frame::filled(Size::new(1, 1), GrayAlpha::new(7u16, 32_768)).unwrap());
    let mask = Pixels::from(Frame::filled(Size::new(1, 1), Gray::new(0.5f32)).unwrap());
    let alpha = |multiply| quay.with_alpha(&mask, multiply).unwrap().view::<GrayAlpha<u16>>().unwrap()[(0, 0)].a;
    assert_eq!((alpha(true), alpha(false)), (16_384, 32_768));
    assert!(quay.with_alpha(&quay, true).is_err());
    assert!(Pixels::new(Size::new(1, 1), Layout::Cmyk, Depth::U8).unwrap().with_alpha(&mask, true).is_err());
}
