//! Between every pair of depths and layouts: the rule in exact arithmetic, written out once more here.

use rahmen::color::{self, AlphaRule, ConvertRules, GrayWeights};
use rahmen::convert::depth::Window;
use rahmen::frame::{Pixels, SamplesMut, SamplesRef};
use rahmen::{Cmyk, Depth, Frame, Gray, GrayAlpha, Layout, PicturePixel, Result, Rgb, Rgba, Sample, Size, Threads};

/// The typed conversion of one pair, called with pixels of the first type: all that is compiled for each pair.
type Conversion = fn(&Pixels, &ConvertRules) -> Result<Pixels>;

fn typed<P: PicturePixel, Q: PicturePixel>(from: &Pixels, rules: &ConvertRules) -> Result<Pixels> {
    color::convert::<P, Q>(from.view()?, rules).map(Pixels::from)
}

/// One of the fifteen types that pictures have.
#[derive(Clone, Copy)]
struct Kind {
    layout: Layout,
    depth: Depth,
}

/// Every pair of types, with the typed call for it.
fn all_pairs() -> Vec<(Kind, Kind, Conversion)> {
    fn kind<P: PicturePixel>() -> Kind {
        Kind { layout: P::LAYOUT, depth: P::Number::DEPTH }
    }
    fn from<P: PicturePixel>(pairs: &mut Vec<(Kind, Kind, Conversion)>) {
        macro_rules! add { ($($q:ty),*) => { $(pairs.push((kind::<P>(), kind::<$q>(), typed::<P, $q>));)* } }
        add!(Gray<u8>, GrayAlpha<u8>, Rgb<u8>, Rgba<u8>, Gray<u16>, GrayAlpha<u16>, Rgb<u16>, Rgba<u16>);
        add!(Gray<f32>, GrayAlpha<f32>, Rgb<f32>, Rgba<f32>, Cmyk<u8>, Cmyk<u16>, Cmyk<f32>);
    }
    let mut pairs = Vec::new();
    macro_rules! add { ($($p:ty),*) => { $(from::<$p>(&mut pairs);)* } }
    add!(Gray<u8>, GrayAlpha<u8>, Rgb<u8>, Rgba<u8>, Gray<u16>, GrayAlpha<u16>, Rgb<u16>, Rgba<u16>);
    add!(Gray<f32>, GrayAlpha<f32>, Rgb<f32>, Rgba<f32>, Cmyk<u8>, Cmyk<u16>, Cmyk<f32>);
    assert_eq!(pairs.len(), 225);
    pairs
}

impl Kind {
    fn name(self) -> String {
        format!("{} {}", self.layout, self.depth)
    }

    fn has_alpha(self) -> bool {
        matches!(self.layout, Layout::GrayAlpha | Layout::Rgba)
    }

    /// Pixels that meet every rounding: none, full, odd codes, and floats at and beyond the ends.
    fn pixels(self, size: Size) -> Pixels {
        let mut pixels = Pixels::new(size, self.layout, self.depth).unwrap();
        let mut i = 0;
        for y in 0..size.height {
            match pixels.row_mut(y) {
                SamplesMut::U8(row) => fill(row, &mut i),
                SamplesMut::U16(row) => fill(row, &mut i),
                SamplesMut::F32(row) => fill(row, &mut i),
            }
        }
        pixels
    }
}

fn fill<S: Sample>(row: &mut [S], i: &mut usize) {
    let fractions = [0.0, 1.0, 0.5, 1.0 / 255.0, 0.3, 0.001, 0.999, 0.25, 0.77, 0.1234567];
    for to in row {
        *to = S::from_fraction(fractions[(*i * 7 + *i / 10 + *i / 3) % fractions.len()]);
        *i += 1;
    }
}

fn fractions(pixels: &Pixels) -> Vec<f64> {
    match pixels.samples() {
        SamplesRef::U8(all) => all.iter().map(|v| v.to_fraction()).collect(),
        SamplesRef::U16(all) => all.iter().map(|v| v.to_fraction()).collect(),
        SamplesRef::F32(all) => all.iter().map(|v| v.to_fraction()).collect(),
    }
}

/// Ink is made of nothing but ink: every other source needs a model of the printer.
fn needs_a_printer(from: Kind, to: Kind) -> bool {
    to.layout == Layout::Cmyk && from.layout != Layout::Cmyk
}

/// Red, green and blue of a pixel's fractions: (1 - c)(1 - k) and so on of ink.
fn colors(layout: Layout, v: &[f64]) -> [f64; 3] {
    match layout {
        Layout::Gray | Layout::GrayAlpha => [v[0]; 3],
        Layout::Rgb | Layout::Rgba => [v[0], v[1], v[2]],
        Layout::Cmyk => [0, 1, 2].map(|i| (1.0 - v[i]) * (1.0 - v[3])),
    }
}

/// A fraction in a depth: nearest, ties up.
fn rounded(depth: Depth, fraction: f64) -> f64 {
    match depth.max_code() {
        Some(top) => (fraction.clamp(0.0, 1.0) * f64::from(top) + 0.5).floor() / f64::from(top),
        None => f64::from(fraction as f32),
    }
}

#[test]
fn every_pair_of_types_follows_the_rule() {
    for (from, to, convert) in all_pairs() {
        if needs_a_printer(from, to) {
            continue;
        }
        let name = format!("{} -> {}", from.name(), to.name());
        let source = from.pixels(Size::new(23, 41));
        let out = convert(&source, &ConvertRules::default().alpha(AlphaRule::Drop)).unwrap();
        assert_eq!((out.size(), out.layout(), out.depth()), (source.size(), to.layout, to.depth), "{name}");
        let (channels, to_channels) = (from.layout.channels(), to.layout.channels());
        let to_colors = to_channels - usize::from(to.has_alpha());
        // What is rounded on the way, to the finer of the two depths: gray of colours, and colours of ink.
        let between = |v: f64| match from.depth.max(to.depth) {
            Depth::F32 => v,
            finer => rounded(finer, v),
        };
        let weights = [0.2126, 0.7152, 0.0722];
        let (before, after) = (fractions(&source), fractions(&out));
        assert_eq!(before.len() / channels, after.len() / to_channels);
        for (v, found) in before.chunks(channels).zip(after.chunks(to_channels)) {
            let rgb = colors(from.layout, v);
            for c in 0..to_colors {
                let want = match (from.layout, to_colors) {
                    (Layout::Gray | Layout::GrayAlpha, _) => v[0],
                    (_, 1) => between((0..3).map(|i| rgb[i] * weights[i]).sum()),
                    (Layout::Cmyk, 3) => between(rgb[c]),
                    _ => v[c],
                };
                let (got, want) = (found[c], rounded(to.depth, want));
                assert!((got - want).abs() < 1e-6, "{name}: {got} {want}");
            }
            if to.has_alpha() {
                let want = if from.has_alpha() { rounded(to.depth, v[channels - 1]) } else { 1.0 };
                assert!((found[to_channels - 1] - want).abs() < 1e-7, "{name}");
            }
        }
    }
}

#[test]
fn alpha_is_lost_only_by_name_and_threads_change_nothing() {
    for (from, to, convert) in all_pairs() {
        let name = format!("{} -> {}", from.name(), to.name());
        let source = from.pixels(Size::new(700, 600));
        let refused = match needs_a_printer(from, to) {
            true => Some("printer"),
            false => (from.has_alpha() && !to.has_alpha()).then_some("flatten"),
        };
        match (convert(&source, &ConvertRules::default()), refused) {
            (Err(e), Some(word)) => assert!(e.to_string().contains(word), "{e}"),
            (Err(e), None) => panic!("{name}: {e}"),
            (Ok(_), Some(word)) => panic!("{name} is not refused: {word}"),
            (Ok(all), None) => {
                let rules = ConvertRules::default().threads(Threads::ONE);
                assert!(convert(&source, &rules).unwrap() == all, "{name}");
            }
        }
    }
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
