//! What samples mean is said once: linear light becomes integers through the curve, values through their range, codes come
//! back exactly, and whatever a format cannot say is remarked on.

use rahmen::color::ConvertRules;
use rahmen::convert::codes;
use rahmen::file::{self, ReadOptions, StatedMeaning, WriteOptions, read_with, write_with};
use rahmen::flow::{StateMeaning, ToDepth, apply};
use rahmen::{
    Depth, FileFormat, Frame, Gray, Meaning, Picture, PicturePixel, Primaries, Rgb, Rgba, Size, Transfer, View,
};
use std::path::Path;

/// Code 178, 38, 34 of sRGB as light: by the formula of IEC 61966-2-1.
const BRICK: [f32; 3] = [0.445_201_2, 0.019_382_361, 0.015_996_294];

fn light() -> Picture {
    let mut picture = Picture::from(Frame::filled(Size::new(3, 2), Rgb::new(BRICK[0], BRICK[1], BRICK[2])).unwrap());
    picture.metadata_mut().transfer = Transfer::Linear;
    picture
}

fn first<P: PicturePixel>(picture: &Picture) -> P {
    let view: View<'_, P> = picture.view().unwrap();
    view[(0, 0)]
}

fn written(picture: &Picture, name: &str) -> (Picture, Vec<String>, Vec<u8>) {
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join(name);
    let remarks = write_with(&path, picture, WriteOptions::default()).unwrap();
    (rahmen::read(&path).unwrap(), remarks, std::fs::read(&path).unwrap())
}

#[test]
fn linear_floats_become_integers_through_the_curve_wherever_they_do() {
    let brick = Rgb::new(178u8, 38, 34);
    assert!(light().metadata().is_linear());
    let eight = apply(light(), &[&ToDepth::new(Depth::U8)]).unwrap();
    assert_eq!((first::<Rgb<u8>>(&eight), eight.metadata().transfer), (brick, Transfer::Srgb));
    assert_eq!(light().convert::<Rgb<u8>>(&ConvertRules::default()).unwrap()[(0, 0)], brick);
    let sixteen = light().convert::<Rgba<u16>>(&ConvertRules::default()).unwrap()[(0, 0)];
    assert_eq!([sixteen.r, sixteen.g, sixteen.b, sixteen.a].map(|v| (u32::from(v) + 128) / 257), [178, 38, 34, 255]);
    // By name it stays light.
    let kept = apply(light(), &[&ToDepth::new(Depth::U8).keep_linear()]).unwrap();
    assert_eq!((first::<Rgb<u8>>(&kept), kept.metadata().transfer), (Rgb::new(114, 5, 4), Transfer::Linear));
    assert_eq!(
        light().convert::<Rgb<u8>>(&ConvertRules::default().keep_linear()).unwrap()[(0, 0)],
        Rgb::new(114, 5, 4)
    );
    // Integers of linear light stay what they are, and so do floats.
    let eight = apply(kept, &[&ToDepth::new(Depth::U16)]).unwrap();
    assert_eq!((first::<Rgb<u16>>(&eight).r, eight.metadata().transfer), (114 * 257, Transfer::Linear));
    assert_eq!(light().convert::<Rgb<f32>>(&ConvertRules::default()).unwrap()[(0, 0)].r, BRICK[0]);
    // Through a file, and alpha is no light.
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("light.pfm");
    rahmen::write(&path, &light()).unwrap();
    let read = read_with(&path, ReadOptions::default().depth(Depth::U8)).unwrap();
    assert_eq!((first::<Rgb<u8>>(&read), read.metadata().transfer), (brick, Transfer::Srgb));
    let stated = ReadOptions::default().depth(Depth::U8).meaning(StatedMeaning::Encoded);
    assert_eq!(first::<Rgb<u8>>(&read_with(&path, stated).unwrap()), Rgb::new(114, 5, 4));
    let mut clear = Picture::from(Frame::filled(Size::new(1, 1), Rgba::new(0.5f32, 0.5, 0.5, 0.5)).unwrap());
    clear.metadata_mut().transfer = Transfer::Linear;
    let clear = apply(clear, &[&ToDepth::new(Depth::U8)]).unwrap();
    assert_eq!(first::<Rgba<u8>>(&clear), Rgba::new(188, 188, 188, 128));
}

#[test]
fn a_statement_of_meaning_leaves_no_contradiction() {
    let linear =
        apply(Picture::from(Frame::filled(Size::new(1, 1), Gray::new(0.5f32)).unwrap()), &[&StateMeaning::linear()]);
    let linear = linear.unwrap();
    assert!(linear.metadata().is_linear() && linear.metadata().meaning_name() == "linear");
    let encoded = apply(linear, &[&StateMeaning::encoded()]).unwrap();
    assert_eq!((encoded.metadata().transfer, encoded.metadata().meaning_name()), (Transfer::Srgb, "encoded"));
    let mut power = encoded.clone();
    power.metadata_mut().transfer = Transfer::Power(2.2);
    assert_eq!(apply(power, &[&StateMeaning::encoded()]).unwrap().metadata().transfer, Transfer::Power(2.2));
    let values = apply(encoded, &[&StateMeaning::values()]).unwrap();
    assert!(!values.metadata().is_linear() && values.metadata().meaning_name() == "values");
}

#[test]
fn a_known_range_of_values_stands_for_the_window() {
    let mut depths = Picture::from(Frame::filled(Size::new(2, 1), Gray::new(7.5f32)).unwrap());
    depths.metadata_mut().meaning = Meaning::values();
    assert!(depths.convert::<Gray<u8>>(&ConvertRules::default()).is_err());
    assert!(apply(depths.clone(), &[&ToDepth::new(Depth::U8)]).is_err());
    depths.metadata_mut().meaning = Meaning::Values { unit: Some("m".into()), range: Some((5.0, 15.0)) };
    assert_eq!(depths.convert::<Gray<u8>>(&ConvertRules::default()).unwrap()[(0, 0)].value, 64);
    let eight = apply(depths.clone(), &[&ToDepth::new(Depth::U8)]).unwrap();
    assert_eq!((first::<Gray<u8>>(&eight).value, eight.metadata().meaning.clone()), (64, Meaning::Color));
    // Floats stay values.
    assert_eq!(depths.convert::<Gray<f32>>(&ConvertRules::default()).unwrap()[(0, 0)].value, 7.5);
    depths.metadata_mut().meaning = Meaning::Values { unit: None, range: Some((5.0, 5.0)) };
    assert!(depths.convert::<Gray<u8>>(&ConvertRules::default()).is_err());
}

#[test]
fn every_format_says_what_it_loses() {
    let own = [31_270, 32_900, 68_000, 32_000, 26_500, 69_000, 15_000, 6000];
    let bytes = |transfer, primaries| {
        let mut picture = Picture::from(Frame::filled(Size::new(2, 2), Rgb::new(9u8, 8, 7)).unwrap());
        (picture.metadata_mut().transfer, picture.metadata_mut().primaries) = (transfer, primaries);
        picture
    };
    for name in ["a.png", "a.jpg", "a.ppm", "a.pam", "a.bmp", "a.tga", "a.qoi", "a.npy"] {
        let (_, none, _) = written(&bytes(Transfer::Srgb, Primaries::Srgb), name);
        assert!(none.is_empty(), "{name}: {none:?}");
        let says = |transfer, primaries, what: &str| {
            written(&bytes(transfer, primaries), name).1.iter().any(|remark| remark.contains(what))
        };
        let format = FileFormat::of_extension(Path::new(name)).unwrap();
        // JPEG says all of it by a profile.
        let profile = format == FileFormat::Jpeg;
        let holds_linear = profile || matches!(format, FileFormat::Png | FileFormat::Tga | FileFormat::Qoi);
        assert_eq!(says(Transfer::Linear, Primaries::Srgb, "linear light"), !holds_linear, "{name}");
        let holds_power = profile || matches!(format, FileFormat::Png | FileFormat::Tga);
        assert_eq!(says(Transfer::Power(1.8), Primaries::Srgb, "the curve"), !holds_power, "{name}");
        let holds_primaries = profile || format == FileFormat::Png;
        assert_eq!(says(Transfer::Srgb, Primaries::Chromaticities(own), "the primaries"), !holds_primaries, "{name}");
    }
    let mut depths = Picture::from(Frame::filled(Size::new(2, 1), Gray::new(7.5f32)).unwrap());
    depths.metadata_mut().meaning = Meaning::Values { unit: Some("m".into()), range: Some((5.0, 15.0)) };
    for name in ["a.pfm", "a.npy"] {
        let remarks = written(&depths, name).1.concat();
        assert!(remarks.contains("the unit") && remarks.contains("the range of the values"), "{name}: {remarks}");
    }
    let (back, remarks, _) = written(&light(), "a.pfm");
    assert!(back.metadata().is_linear() && remarks.is_empty(), "{remarks:?}");
    let mut encoded = light();
    encoded.metadata_mut().transfer = Transfer::Srgb;
    assert!(written(&encoded, "a.pfm").1.concat().contains("converted to linear light"));
    assert!(written(&encoded, "a.npy").1.is_empty());
    assert!(written(&light(), "a.npy").1.concat().contains("converted to encoded colour"));
    // A profile that is kept says curve and primaries.
    let mut profiled = bytes(Transfer::Power(1.8), Primaries::Chromaticities(own));
    profiled.metadata_mut().icc = Some([1; 200].into());
    assert!(written(&profiled, "a.jpg").1.is_empty());
}

#[test]
fn codes_come_back_from_png() {
    for (max, bits) in [(4095u32, Some(12u8)), (1000, None), (1, Some(1)), (65_534, None)] {
        let samples = vec![0, 1, max as u16 / 2, max as u16];
        let mut frame = Frame::<Gray<u16>>::from_samples(Size::new(4, 1), samples.clone()).unwrap();
        codes::expand(frame.view_mut(), &[max]).unwrap();
        let mut picture = Picture::from(frame);
        picture.metadata_mut().max_codes = Some(vec![max]);
        let (back, remarks, bytes) = written(&picture, "codes.png");
        assert!(remarks.is_empty(), "{remarks:?}");
        assert_eq!((back.metadata().max_codes.clone(), back.content()), (Some(vec![max]), picture.content()));
        assert_eq!(back.metadata().significant_bits, bits.map(|bits| vec![bits]));
        let mut found = back.frame::<Gray<u16>>().unwrap();
        codes::reduce(found.view_mut(), &[max]).unwrap();
        assert_eq!(found.samples(), samples);
        // The chunk as the documents give it: four bytes a channel, the highest first.
        let at = bytes.windows(4).position(|w| w == b"mxCD").unwrap();
        assert_eq!(bytes[at - 4..at], [0, 0, 0, 4]);
        assert_eq!(bytes[at + 4..at + 8], max.to_be_bytes());
    }
}

#[test]
fn a_chunk_of_codes_that_cannot_be_is_passed_over_and_significant_bits_are_no_codes() {
    use crate::common::{chunk, png_of_samples};
    let png = |body: &[u8], kind: &[u8; 4]| {
        let file = png_of_samples((1, 1), (0, 16), &[0x1234], false, &|_| 0, &[chunk(kind, body)]);
        file::decode(&file, ReadOptions::default()).unwrap()
    };
    assert_eq!(png(&[0, 0, 15, 255], b"mxCD").metadata().max_codes, Some(vec![4095]));
    for body in [&[0, 0, 0, 0][..], &[0, 0, 255, 255], &[0, 1, 0, 0], &[15, 255], &[0, 0, 15, 255, 0, 0, 15, 255], &[]]
    {
        assert_eq!(png(body, b"mxCD").metadata().max_codes, None, "{body:?}");
    }
    let other = png(&[12], b"sBIT");
    assert_eq!((other.metadata().max_codes.clone(), other.metadata().significant_bits.clone()), (None, Some(vec![12])));
}

#[test]
fn linear_light_of_a_profile_without_a_formula_is_refused() {
    use rahmen::frame::Light;
    let mut m = rahmen::Metadata::default();
    assert_eq!(Light::linear_of(&m).unwrap(), Light::Linear(Transfer::Srgb));
    // What reading leaves of a profile by tables: its bytes, and no curve with a formula.
    m.icc = Some([0u8; 4].into());
    (m.primaries, m.transfer) = (rahmen::Primaries::Other, Transfer::Other);
    let error = Light::linear_of(&m).unwrap_err().to_string();
    assert!(error.contains("its ICC profile has none with a formula"), "{error}");
    assert!(rahmen::resample::ResizeRules::of(rahmen::resample::Kernel::Box, &m).is_err());
    m.meaning = Meaning::values();
    assert_eq!(Light::linear_of(&m).unwrap(), Light::Encoded);
}
