//! False colours through pictures and chains: limits given and found, in codes and in units, whole and in strips.
#![cfg(feature = "png")]

use rahmen::color::{Ramp, RampKind, RampRules};
use rahmen::convert::depth::Window;
use rahmen::flow::{Chain, FalseColor, PictureSink, PictureSource, RampLimits, apply};
use rahmen::{Content, Frame, Gray, Meaning, Picture, Planes, Rgb, Size, color};

fn gray() -> Ramp {
    Ramp::named("gray").unwrap()
}

fn reds(picture: &Picture) -> Vec<u8> {
    picture.view::<Rgb<u8>>().unwrap().pixels().map(|p| p.r).collect()
}

#[test]
fn codes_of_twelve_bits_are_told_in_codes() {
    let codes = Frame::<Gray<u16>>::from_samples(Size::new(4, 1), vec![0, 1000, 2000, 4095]).unwrap();
    let picture = Picture::of_codes(codes, 4095).unwrap();
    let of = |limits| reds(&picture.false_color(gray(), limits, &RampRules::default()).unwrap());
    // The whole range is 0..=4095: full is white. Half way in Oklab's lightness is the gray ramp's own.
    let whole = of(RampLimits::Whole);
    assert_eq!((whole[0], whole[3]), (0, 255));
    let given = of(RampLimits::Levels(1000.0, 2000.0));
    assert_eq!(given, [0, 0, 255, 255]);
    let step = FalseColor::new(gray(), RampLimits::Percentiles(25.0, 75.0));
    let found = step.found();
    let between = whole_between(1000.0, 0.0, 2000.0);
    assert_eq!(reds(&apply(picture.clone(), &[&step]).unwrap()), [0, between, 255, 255]);
    assert_eq!(found.limits(), Some((0.0, 2000.0)));
    let metadata = apply(picture.clone(), &[&step]).unwrap().metadata().clone();
    assert_eq!((metadata.max_codes, metadata.meaning), (None, Meaning::Color));
}

/// The gray ramp's code of a value between limits: Oklab's lightness is the cube root of light, and even.
fn whole_between(value: f64, low: f64, high: f64) -> u8 {
    let light = ((value - low) / (high - low)).powi(3);
    let encoded = if light <= 0.0031308 { 12.92 * light } else { 1.055 * light.powf(1.0 / 2.4) - 0.055 };
    (encoded * 255.0).round() as u8
}

#[test]
fn values_take_their_range_their_extremes_or_percentiles() {
    let values: Vec<f32> = (0..100).map(|i| i as f32 / 10.0).chain([f32::NAN]).collect();
    let mut picture = Picture::from(Frame::<Gray<f32>>::from_samples(Size::new(101, 1), values).unwrap());
    picture.metadata_mut().meaning = Meaning::values();
    let limits = |picture: &Picture, limits| {
        let step = FalseColor::new(gray(), limits);
        let found = step.found();
        apply(picture.clone(), &[&step]).unwrap();
        found.limits().unwrap()
    };
    let near = |a: (f64, f64), b: (f64, f64)| (a.0 - b.0).abs() < 1e-6 && (a.1 - b.1).abs() < 1e-6;
    assert!(near(limits(&picture, RampLimits::Whole), (0.0, 9.9)));
    assert!(near(limits(&picture, RampLimits::Used), (0.0, 9.9)));
    // The smallest value whose share reaches 5 % of 100: the fifth.
    assert!(near(limits(&picture, RampLimits::Percentiles(5.0, 95.0)), (0.4, 9.4)));
    picture.metadata_mut().meaning = Meaning::Values { unit: Some("m".into()), range: Some((0.0, 40.0)) };
    assert!(near(limits(&picture, RampLimits::Whole), (0.0, 40.0)));
    // One value everywhere gets the middle.
    let flat = one_plane(Frame::filled(Size::new(3, 3), Gray::new(7i32)).unwrap());
    assert_eq!(limits(&flat, RampLimits::Used), (6.5, 7.5));
    let none = one_plane(Frame::filled(Size::new(3, 3), Gray::new(f64::NAN)).unwrap());
    let error = none.false_color(gray(), RampLimits::Used, &RampRules::default()).unwrap_err().to_string();
    assert!(error.contains("no number of the picture is finite"), "{error}");
}

fn one_plane<T: rahmen::Number>(frame: Frame<Gray<T>>) -> Picture
where
    Content: From<Planes<T>>,
{
    Picture::new(Planes::new(frame.size()).with("depth", frame).unwrap(), Default::default())
}

#[test]
fn strips_give_what_the_whole_gives() {
    let frame = Frame::from_fn(Size::new(61, 53), |x, y| Gray::new((x * 517 + y * 811) as u16)).unwrap();
    let ramp = Ramp::named("beacon").unwrap();
    for limits in
        [RampLimits::Whole, RampLimits::Used, RampLimits::Levels(900.0, 40_000.0), RampLimits::Percentiles(2.0, 98.0)]
    {
        let picture = Picture::from(frame.clone());
        let whole = picture.false_color(ramp.clone(), limits, &RampRules::default()).unwrap();
        let step = Box::new(FalseColor::new(ramp.clone(), limits));
        let mut chain = Chain::new(Box::new(PictureSource::new(picture)), vec![step]).unwrap();
        let mut sink = PictureSink::new(chain.facts()).unwrap();
        chain.run_into(&mut sink).unwrap();
        assert_eq!(sink.into_picture().unwrap().content(), whole.content(), "{limits:?}");
    }
}

#[test]
fn classes_are_codes_however_they_are_stored() {
    let classes = Ramp::named("pennants").unwrap();
    let want = [0, 1, 2].map(color::label_color);
    for max in [2, 3, 7, 200] {
        let codes = Frame::<Gray<u8>>::from_samples(Size::new(3, 1), vec![0, 1, 2]).unwrap();
        let scaled = apply(Picture::of_codes(codes, max).unwrap(), &[&rahmen::flow::FromCodes]).unwrap();
        let seen = scaled.false_color(classes.clone(), RampLimits::Whole, &RampRules::default()).unwrap();
        let found: Vec<[u8; 3]> = seen.view::<Rgb<u8>>().unwrap().pixels().map(|p| [p.r, p.g, p.b]).collect();
        assert_eq!(found, want, "{max}");
    }
}

#[test]
fn what_has_more_than_one_channel_or_is_colours_already_is_refused() {
    let rgb = Picture::from(Frame::filled(Size::new(2, 2), Rgb::new(1u8, 2, 3)).unwrap());
    let refused =
        |picture: &Picture, limits| picture.false_color(gray(), limits, &RampRules::default()).unwrap_err().to_string();
    assert!(refused(&rgb, RampLimits::Whole).contains("one channel"));
    let mut indices = Picture::from(Frame::filled(Size::new(2, 2), Gray::new(1u8)).unwrap());
    for limits in [
        RampLimits::Levels(5.0, 5.0),
        RampLimits::Levels(9.0, 1.0),
        RampLimits::Percentiles(-1.0, 50.0),
        RampLimits::Percentiles(0.0, 100.5),
        RampLimits::Levels(f64::NAN, 1.0),
        RampLimits::Levels(0.0, f64::INFINITY),
    ] {
        assert!(refused(&indices, limits).contains("from a lower to a higher one"), "{limits:?}");
    }
    indices.metadata_mut().meaning = Meaning::Indices;
    assert!(refused(&indices, RampLimits::Whole).contains("colours already"));
    assert!(Window::new(0.0, 0.0).is_err());
    assert_eq!(Ramp::named("pennants").unwrap().kind(), RampKind::Categories);
}
