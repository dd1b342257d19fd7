//! Colours keep what they look like from space to space, by an independent computation of every step.
#![cfg(feature = "png")]

use rahmen::color::{Adaptation, ColorSpace, DifferenceRules, Gamut, Profile, SpaceRules, color_difference, to_space};
use rahmen::file::{WriteOptions, decode, encode};
use rahmen::flow::{StateSpace, ToSpace, apply};
use rahmen::{FileFormat, Frame, Gray, Picture, Primaries, Rgb, Rgba, Size, Threads, Transfer};

/// The curve of sRGB, from the text of IEC 61966-2-1.
fn light(code: f64) -> f64 {
    if code <= 0.04045 { code / 12.92 } else { ((code + 0.055) / 1.055).powf(2.4) }
}

fn code(light: f64) -> f64 {
    if light <= 0.0031308 { 12.92 * light } else { 1.055 * light.powf(1.0 / 2.4) - 0.055 }
}

/// From linear light of sRGB to that of Display P3: by hand from the chromaticities of both, whites being the same.
const TO_P3: [[f64; 3]; 3] = [
    [0.822_461_968_714_362, 0.177_538_031_285_638, 0.0],
    [0.033_194_198_850_962, 0.966_805_801_149_038, 0.0],
    [0.017_082_630_767_183, 0.072_397_440_663_965, 0.910_519_928_568_852],
];

#[test]
fn srgb_becomes_display_p3_as_computed_apart() {
    let colors: Vec<Rgb<u8>> =
        (0..32_768u32).map(|i| Rgb::new((i % 32 * 8) as u8, (i / 32 % 32 * 8) as u8, (i / 1024 * 8) as u8)).collect();
    let frame = Frame::from_pixels(Size::new(256, 128), colors).unwrap();
    let rules = SpaceRules::default();
    let p3 = to_space(frame.view(), ColorSpace::SRGB, ColorSpace::DISPLAY_P3, &rules).unwrap();
    for (from, to) in frame.pixels().iter().zip(p3.pixels()) {
        let linear = [from.r, from.g, from.b].map(|v| light(f64::from(v) / 255.0));
        let wanted = TO_P3.map(|row| 255.0 * code(row[0] * linear[0] + row[1] * linear[1] + row[2] * linear[2]));
        for (wanted, found) in wanted.into_iter().zip([to.r, to.g, to.b]) {
            assert!((wanted - f64::from(found)).abs() <= 0.5 + 1e-4, "{from:?}: {found} for {wanted}");
        }
    }
    // Back in 16 bits nothing is lost that 8 bits could hold.
    let wide =
        frame.view().map(|p| Rgb::new(u16::from(p.r) * 257, u16::from(p.g) * 257, u16::from(p.b) * 257)).unwrap();
    let there = to_space(wide.view(), ColorSpace::SRGB, ColorSpace::DISPLAY_P3, &rules).unwrap();
    let back = to_space(there.view(), ColorSpace::DISPLAY_P3, ColorSpace::SRGB, &rules).unwrap();
    assert!(
        back.samples()
            .iter()
            .zip(frame.samples())
            .all(|(wide, narrow)| (u32::from(*wide) + 128) / 257 == u32::from(*narrow))
    );
}

#[test]
fn grays_stay_gray_and_white_white_in_every_space() {
    let grays =
        Frame::from_fn(Size::new(256, 1), |x, _| Rgba::new(x as u16 * 257, x as u16 * 257, x as u16 * 257, 9)).unwrap();
    for (name, a) in ColorSpace::NAMED {
        for (_, b) in ColorSpace::NAMED {
            let found = to_space(grays.view(), a, b, &SpaceRules::default()).unwrap();
            for p in found.pixels() {
                let spread = p.r.max(p.g).max(p.b) - p.r.min(p.g).min(p.b);
                assert!(spread <= 1 && p.a == 9, "{name}: {p:?}");
            }
            let white = found[(255, 0)].g;
            // A page is white; brighter light than that has no place in spaces whose full is white.
            let wanted = (b.transfer.encode(b.transfer.reference_white()) * 65_535.0).round() as u16;
            let is_page = a.transfer.reference_white() == 1.0;
            assert!(!is_page || white.abs_diff(wanted) <= 1, "{name}: {white} {wanted}");
        }
    }
    // A frame of gray goes through the curves alone.
    let one = Frame::filled(Size::new(1, 1), Gray::new(0.5f32)).unwrap();
    let linear = to_space(one.view(), ColorSpace::SRGB, ColorSpace::ACES_CG, &SpaceRules::default()).unwrap();
    assert!((f64::from(linear[(0, 0)].value) - light(0.5)).abs() < 1e-7);
}

#[test]
fn chroma_is_reduced_at_the_same_lightness_and_hue() {
    use rahmen::color::{oklab_of, polar_of};
    // The green of BT.2020 is far outside sRGB.
    let green = Frame::filled(Size::new(1, 1), Rgb::new(0.1f32, 0.9, 0.1)).unwrap();
    let rules = SpaceRules::default();
    let kept = to_space(green.view(), ColorSpace::BT2020, ColorSpace::SRGB, &rules).unwrap()[(0, 0)];
    assert!(kept.r < -0.1, "floats keep what lies outside: {kept:?}");
    let reduced = to_space(green.view(), ColorSpace::BT2020, ColorSpace::SRGB, &rules.gamut(Gamut::ReduceChroma))
        .unwrap()[(0, 0)];
    assert!([reduced.r, reduced.g, reduced.b].iter().all(|v| (0.0..=1.0).contains(v)), "{reduced:?}");
    let seen = |p: Rgb<f32>| {
        let to = ColorSpace::SRGB.to_xyz().unwrap();
        let l = [p.r, p.g, p.b].map(|v| Transfer::Srgb.decode(v.into()));
        polar_of(oklab_of(to.map(|row| row[0] * l[0] + row[1] * l[1] + row[2] * l[2])))
    };
    let ([l, c, h], [wanted_l, most, wanted_h]) = (seen(reduced), seen(kept));
    assert!((l - wanted_l).abs() < 1e-4 && (h - wanted_h).abs() < 0.02, "{l} {wanted_l} {h} {wanted_h}");
    // As much as there is room for: it lies on the edge.
    let edge = [reduced.r, reduced.g, reduced.b].iter().any(|v| *v < 1e-3 || *v > 1.0 - 1e-3);
    assert!(c < most && edge, "{c} of {most}, {reduced:?}");
    // Inside nothing changes, and threads change nothing.
    let inside = Frame::random(Size::new(300, 200), Rgb::new(60u8, 60, 60), Rgb::new(200, 200, 200), 7).unwrap();
    let of = |gamut, threads| {
        to_space(inside.view(), ColorSpace::SRGB, ColorSpace::DISPLAY_P3, &rules.gamut(gamut).threads(threads)).unwrap()
    };
    assert!(of(Gamut::Clip, Threads::ONE) == of(Gamut::ReduceChroma, Threads::at_most(3)));
}

#[test]
fn what_png_can_say_of_a_space_comes_back() {
    let picture = Picture::from(Frame::filled(Size::new(2, 2), Rgb::new(200u8, 100, 50)).unwrap());
    for (name, space) in ColorSpace::NAMED {
        let there = picture.to_space(space, &SpaceRules::default()).unwrap();
        assert_eq!(ColorSpace::of(there.metadata()), *space);
        let options = WriteOptions::default().format(FileFormat::Png);
        let said = rahmen::file::Writer::to_stream(Vec::new(), &there.facts(), options).unwrap().remarks();
        let read =
            decode(&encode(&there, FileFormat::Png, WriteOptions::default()).unwrap(), Default::default()).unwrap();
        let found = ColorSpace::of(read.metadata());
        // PNG has no word for the curve of ROMM: a profile says it.
        assert_eq!(read.metadata().icc.is_some(), *space == ColorSpace::ROMM, "{name}");
        assert_eq!(found.primaries, space.primaries, "{name}");
        match (found.transfer, space.transfer) {
            (Transfer::Power(a), Transfer::Power(b)) => assert!((a - b).abs() < 1e-4 && said.is_empty()),
            (found, wanted) => assert!(found == wanted && said.is_empty(), "{name}: {found:?}"),
        }
        assert!(read.content() == there.content());
    }
}

#[test]
fn steps_and_pictures_agree_and_what_has_no_space_is_refused() {
    let mut picture =
        Picture::from(Frame::random(Size::new(40, 30), Rgb::default(), Rgb::new(255u8, 255, 255), 3).unwrap());
    picture.metadata_mut().icc = Some(Profile::of_space(&ColorSpace::SRGB).unwrap().into());
    let whole = picture.to_space(&ColorSpace::ADOBE_RGB, &SpaceRules::default()).unwrap();
    assert!(apply(picture.clone(), &[&ToSpace::new(ColorSpace::ADOBE_RGB)]).unwrap() == whole);
    assert!(whole.metadata().icc.is_none() && whole.metadata().primaries == Primaries::AdobeRgb);
    // The same numbers, said to be of another space, look different; converted they look the same.
    let stated = apply(picture.clone(), &[&StateSpace::new(ColorSpace::ADOBE_RGB)]).unwrap();
    assert!(stated.content() == picture.content());
    let mean = |other: &Picture| {
        let apart = color_difference(&picture, other, &DifferenceRules::default()).unwrap();
        apart.samples().iter().map(|v| f64::from(*v)).sum::<f64>() / 1200.0
    };
    assert!(mean(&whole) < 0.6 && mean(&stated) > 3.0, "{} {}", mean(&whole), mean(&stated));
    let mut unknown = picture.clone();
    (unknown.metadata_mut().primaries, unknown.metadata_mut().icc) = (Primaries::Other, None);
    for refused in [
        unknown.to_space(&ColorSpace::SRGB, &SpaceRules::default()),
        rahmen::Planes::new(Size::new(1, 1))
            .with("z", Frame::filled(Size::new(1, 1), Gray::new(1.5f64)).unwrap())
            .map(|p| Picture::new(p, Default::default()))
            .unwrap()
            .to_space(&ColorSpace::SRGB, &SpaceRules::default()),
        Picture::from(Frame::filled(Size::new(1, 1), rahmen::Cmyk::new(1u8, 2, 3, 4)).unwrap())
            .to_space(&ColorSpace::SRGB, &SpaceRules::default().adaptation(Adaptation::None)),
    ] {
        assert!(refused.is_err());
    }
    // Codes are scaled first: 4095 of 12 bits is full light, and their colours are not looked at as they are.
    let codes = Frame::filled(Size::new(2, 1), Rgb::new(4095u16, 4095, 4095)).unwrap();
    let codes = Picture::of_codes(codes, 4095).unwrap();
    let white = codes.to_space(&ColorSpace::DISPLAY_P3, &SpaceRules::default()).unwrap();
    assert_eq!(white.frame::<Rgb<u16>>().unwrap().samples(), [65_535; 6]);
    assert!(color_difference(&codes, &codes, &DifferenceRules::default()).is_err());
}

#[test]
fn luminance_is_weighed_by_the_primaries_that_a_picture_states() {
    use rahmen::color::GrayWeights;
    let red = |space: ColorSpace| {
        let mut picture = Picture::from(Frame::filled(Size::new(1, 1), Rgb::new(1.0f32, 0.0, 0.0)).unwrap());
        (picture.metadata_mut().primaries, picture.metadata_mut().transfer) = (space.primaries, space.transfer);
        let gray = picture.gray(GrayWeights::luminance_of(picture.metadata())).unwrap();
        space.transfer.decode(gray.view::<Gray<f32>>().unwrap()[(0, 0)].value.into())
    };
    // The Y of red: IEC 61966-2-1, SMPTE EG 432-1, ITU-R BT.2020.
    for (space, y) in [(ColorSpace::SRGB, 0.2126), (ColorSpace::DISPLAY_P3, 0.2290), (ColorSpace::BT2020, 0.2627)] {
        assert!((red(space) - y).abs() < 6e-5, "{space:?}: {}", red(space));
    }
    let none = ColorSpace { primaries: Primaries::Other, transfer: Transfer::Srgb };
    let frame = Frame::filled(Size::new(1, 1), Rgb::new(1u8, 2, 3)).unwrap();
    assert!(
        rahmen::color::gray(frame.view(), GrayWeights::Luminance(none)).unwrap_err().to_string().contains("not known")
    );
}
