//! Colour: light and back, gray in light, colours of one's own by closures, an overlay with a fade.

use rahmen::color::{self, ConvertRules, GrayWeights};
use rahmen::measure::moments;
use rahmen::tone::{Curve, Tone};
use rahmen::{Frame, Lab, Picture, Primaries, Region, Rgb, Rgba, Sample, Size, Threads, Transfer, convert};

#[test]
fn light_and_colours_go_where_they_should() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name);
    let dawn = rahmen::read("cli/demo/quay-dawn.png").unwrap();
    let quay = dawn.view::<Rgb<u8>>().unwrap();

    // Encoded bytes to linear floats, to a file, and back to bytes: the same code for code.
    let encoded = dawn.convert::<Rgb<f32>>(&ConvertRules::default()).unwrap();
    let light = Tone::new(Curve::function(|x| Transfer::Srgb.decode(x))).applied(encoded.view()).unwrap();
    let mut light = Picture::from(light);
    light.metadata_mut().transfer = Transfer::Linear;
    light.save(path("light.pfm")).unwrap();
    let back = rahmen::read(path("light.pfm")).unwrap();
    assert!(back.metadata().is_linear());
    assert_eq!(back.convert::<Rgb<u8>>(&ConvertRules::default()).unwrap().view(), quay);

    let gray = color::gray(quay, GrayWeights::Luminance(color::ColorSpace::SRGB)).unwrap();
    let Rgb { r, g, b } = quay[(100, 100)].map(|v| Transfer::Srgb.decode(v.to_fraction()));
    let luminance = Transfer::Srgb.encode(0.2126 * r + 0.7152 * g + 0.0722 * b);
    assert_eq!(gray[(100, 100)].value, u8::from_fraction(luminance));

    // Another model by a closure: measured, and kept as planes.
    let opponent = |p: Rgb<u8>| Lab { l: f32::from(p.g), a: f32::from(p.r) - f32::from(p.g), b: f32::from(p.b) };
    let opponents = quay.map(opponent).unwrap();
    let mean = quay.pixels().map(|p| f64::from(p.r) - f64::from(p.g)).sum::<f64>() / quay.size().pixels() as f64;
    assert!((moments(opponents.view(), Threads::ALL)[1].mean() - mean).abs() < 1e-9);
    Picture::from(convert::channels::split(opponents.view()).unwrap()).save(path("opponents.npy")).unwrap();
    assert_eq!(rahmen::read(path("opponents.npy")).unwrap().size(), quay.size());

    // Primaries of one's own stay with the file that can hold them.
    let mut wide = dawn.clone();
    wide.metadata_mut().primaries = Primaries::Chromaticities([31270, 32900, 67000, 32000, 26500, 69000, 15000, 6000]);
    wide.save(path("wide.png")).unwrap();
    assert_eq!(rahmen::read(path("wide.png")).unwrap().metadata().primaries, wide.metadata().primaries);

    // An overlay faded by half.
    let overlay = Frame::from_fn(Size::new(80, 40), |x, _| Rgba::new(255u8, 40, 0, x as u8 * 3)).unwrap();
    let (mut base, place) = (quay.to_frame(), Region::new(400..480, 280..320).unwrap());
    let under = base.crop(place).unwrap();
    let mix = |over: u8, under: u8, a: f64| u8::from_fraction(over.to_fraction() * a + under.to_fraction() * (1.0 - a));
    let faded = |b: Rgb<u8>, o: Rgba<u8>| {
        let a = o.a.to_fraction() / 2.0;
        Rgb::new(mix(o.r, b.r, a), mix(o.g, b.g, a), mix(o.b, b.b, a))
    };
    under.view().zip_into(&overlay.view(), base.region_mut(place).unwrap(), faded).unwrap();
    assert_eq!(base[(440, 300)], faded(quay[(440, 300)], Rgba::new(255, 40, 0, 120)));
    assert_eq!(base[(399, 300)], quay[(399, 300)]);
}
