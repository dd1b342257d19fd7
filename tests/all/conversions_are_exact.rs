//! Between every pair of depths and layouts: the rule in exact arithmetic, written out once more here.

use rahmen::color::{self, AlphaRule, ConvertRules, GrayWeights};
use rahmen::convert::depth::Window;
use rahmen::{Cmyk, Depth, Frame, Gray, GrayAlpha, Layout, PicturePixel, Rgb, Rgba, Sample, Size, Threads};

/// A pair of types at a time.
trait PairCheck {
    fn run<P: PicturePixel, Q: PicturePixel>(&self);
}

fn for_all_pairs(check: &impl PairCheck) {
    fn second<P: PicturePixel>(check: &impl PairCheck) {
        macro_rules! run { ($($q:ty),*) => { $(check.run::<P, $q>();)* } }
        run!(Gray<u8>, GrayAlpha<u8>, Rgb<u8>, Rgba<u8>, Gray<u16>, GrayAlpha<u16>, Rgb<u16>, Rgba<u16>);
        run!(Gray<f32>, GrayAlpha<f32>, Rgb<f32>, Rgba<f32>, Cmyk<u8>, Cmyk<u16>, Cmyk<f32>);
    }
    macro_rules! run { ($($p:ty),*) => { $(second::<$p>(check);)* } }
    run!(Gray<u8>, GrayAlpha<u8>, Rgb<u8>, Rgba<u8>, Gray<u16>, GrayAlpha<u16>, Rgb<u16>, Rgba<u16>);
    run!(Gray<f32>, GrayAlpha<f32>, Rgb<f32>, Rgba<f32>, Cmyk<u8>, Cmyk<u16>, Cmyk<f32>);
}

/// Ink is made of nothing but ink: every other source needs a model of the printer.
fn needs_a_printer<P: PicturePixel, Q: PicturePixel>() -> bool {
    Q::LAYOUT == Layout::Cmyk && P::LAYOUT != Layout::Cmyk
}

/// Samples that meet every rounding: none, full, odd codes, and floats at and beyond the ends.
fn samples<S: Sample>(count: usize) -> Vec<S> {
    let fractions = [0.0, 1.0, 0.5, 1.0 / 255.0, 0.3, 0.001, 0.999, 0.25, 0.77, 0.1234567];
    (0..count).map(|i| S::from_fraction(fractions[(i * 7 + i / 10 + i / 3) % fractions.len()])).collect()
}

/// Red, green and blue of a pixel's fractions: (1 - c)(1 - k) and so on of ink.
fn colors(layout: Layout, v: &[f64]) -> [f64; 3] {
    match layout {
        Layout::Gray | Layout::GrayAlpha => [v[0]; 3],
        Layout::Rgb | Layout::Rgba => [v[0], v[1], v[2]],
        Layout::Cmyk => [0, 1, 2].map(|i| (1.0 - v[i]) * (1.0 - v[3])),
    }
}

/// A fraction in the target's depth: nearest, ties up.
fn rounded<S: Sample>(fraction: f64) -> f64 {
    match S::DEPTH.max_code() {
        Some(top) => (fraction.clamp(0.0, 1.0) * f64::from(top) + 0.5).floor() / f64::from(top),
        None => f64::from(fraction as f32),
    }
}

#[test]
fn every_pair_of_types_follows_the_rule() {
    struct Follows;
    impl PairCheck for Follows {
        fn run<P: PicturePixel, Q: PicturePixel>(&self) {
            if needs_a_printer::<P, Q>() {
                return;
            }
            let size = Size::new(23, 41);
            let numbers = samples::<P::Number>(size.pixels() as usize * P::CHANNELS);
            let frame = Frame::<P>::from_samples(size, numbers).unwrap();
            let rules = ConvertRules::default().alpha(AlphaRule::Drop);
            let out = color::convert::<P, Q>(frame.view(), &rules).unwrap();
            let to_colors = Q::CHANNELS - usize::from(Q::ALPHA);
            // What is rounded on the way, to the finer of the two depths: gray of colours, and colours of ink.
            let between = |v: f64| match P::Number::DEPTH.max(Q::Number::DEPTH) {
                Depth::U8 => rounded::<u8>(v),
                Depth::U16 => rounded::<u16>(v),
                Depth::F32 => v,
            };
            let weights = [0.2126, 0.7152, 0.0722];
            let pixels = frame.samples().chunks(P::CHANNELS).zip(out.samples().chunks(Q::CHANNELS));
            for (from, to) in pixels {
                let fractions: Vec<f64> = from.iter().map(|v| v.to_fraction()).collect();
                let rgb = colors(P::LAYOUT, &fractions);
                for c in 0..to_colors {
                    let want = match (P::LAYOUT, to_colors) {
                        (Layout::Gray | Layout::GrayAlpha, _) => fractions[0],
                        (_, 1) => between((0..3).map(|i| rgb[i] * weights[i]).sum()),
                        (Layout::Cmyk, 3) => between(rgb[c]),
                        _ => fractions[c],
                    };
                    let (got, want) = (to[c].to_fraction(), rounded::<Q::Number>(want));
                    assert!((got - want).abs() < 1e-6, "{} -> {}: {got} {want}", P::describe(), Q::describe());
                }
                if Q::ALPHA {
                    let want = if P::ALPHA { rounded::<Q::Number>(fractions[P::CHANNELS - 1]) } else { 1.0 };
                    assert!((to[Q::CHANNELS - 1].to_fraction() - want).abs() < 1e-7);
                }
            }
        }
    }
    for_all_pairs(&Follows);
}

#[test]
fn alpha_is_lost_only_by_name_and_threads_change_nothing() {
    struct Alpha;
    impl PairCheck for Alpha {
        fn run<P: PicturePixel, Q: PicturePixel>(&self) {
            let size = Size::new(700, 600);
            let frame = Frame::<P>::from_samples(size, samples(size.pixels() as usize * P::CHANNELS)).unwrap();
            let plain = color::convert::<P, Q>(frame.view(), &ConvertRules::default());
            let refused =
                if needs_a_printer::<P, Q>() { Some("printer") } else { (P::ALPHA && !Q::ALPHA).then_some("flatten") };
            match (plain, refused) {
                (Err(e), Some(word)) => assert!(e.to_string().contains(word), "{e}"),
                (Err(e), None) => panic!("{} -> {}: {e}", P::describe(), Q::describe()),
                (Ok(_), Some(word)) => panic!("{} -> {} is not refused: {word}", P::describe(), Q::describe()),
                (Ok(all), None) => {
                    let rules = ConvertRules::default().threads(Threads::ONE);
                    assert!(color::convert::<P, Q>(frame.view(), &rules).unwrap() == all);
                }
            }
        }
    }
    for_all_pairs(&Alpha);
}

#[test]
fn flattening_windows_and_weights_act_within_a_conversion() {
    let one = Size::new(1, 1);
    let spray = Frame::filled(one, Rgba::new(200u8, 100, 0, 51)).unwrap();
    let on_white = ConvertRules::default().alpha(AlphaRule::Flatten([1.0; 3]));
    // A fifth of the colour and four fifths of white.
    let flat = color::convert::<_, Rgb<u8>>(spray.view(), &on_white).unwrap();
    assert_eq!(flat[(0, 0)], Rgb::new(244, 224, 204));
    let red = ConvertRules::default().weights(GrayWeights::Channel(0)).alpha(AlphaRule::Drop);
    assert_eq!(color::convert::<_, Gray<u16>>(spray.view(), &red).unwrap()[(0, 0)].value, 200 * 257);
    let depths = Frame::<Gray<f32>>::from_samples(Size::new(3, 1), vec![-2.0, 0.0, 2.0]).unwrap();
    let window = ConvertRules::default().window(Window::new(-2.0, 2.0).unwrap());
    let seen = color::convert::<_, Rgb<u8>>(depths.view(), &window).unwrap();
    assert_eq!(seen.samples(), [0, 0, 0, 128, 128, 128, 255, 255, 255]);
    assert_eq!(depths.view().cast_unscaled::<Gray<i16>>().unwrap().samples(), [-2, 0, 2]);
    let ink = color::convert::<_, Cmyk<u8>>(spray.view(), &on_white);
    assert!(ink.unwrap_err().to_string().contains("printer"));
}

#[test]
fn a_picture_of_values_becomes_integers_only_through_a_window() {
    let mut picture = rahmen::Picture::from(Frame::filled(Size::new(1, 1), Gray::new(7.5f32)).unwrap());
    picture.metadata_mut().meaning = rahmen::Meaning::values();
    let error = picture.convert::<Gray<u8>>(&ConvertRules::default()).unwrap_err();
    assert!(error.to_string().contains("window"), "{error}");
    assert_eq!(picture.convert::<Rgb<f32>>(&ConvertRules::default()).unwrap()[(0, 0)], Rgb::new(7.5, 7.5, 7.5));
    let window = ConvertRules::default().window(Window::new(0.0, 10.0).unwrap());
    assert_eq!(picture.convert::<Gray<u8>>(&window).unwrap()[(0, 0)].value, 191);
}
