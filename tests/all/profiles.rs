//! ICC profiles, laid out here byte by byte from ICC.1:2022: what they lead to, what is written, and what is wrong with them.
#![cfg(all(feature = "png", feature = "jpeg"))]

use rahmen::color::{ColorSpace, Encoding, Profile, SpaceRules, to_space};
use rahmen::file::{decode, encode};
use rahmen::flow::{StateSpace, ToSpace, apply};
use rahmen::{FileFormat, Frame, Gray, Picture, Primaries, Rgb, Size, Transfer};

/// A number with 16 bits behind the point.
fn fixed(v: f64) -> [u8; 4] {
    ((v * 65_536.0).round() as i32).to_be_bytes()
}

fn xyz(v: [f64; 3]) -> Vec<u8> {
    [b"XYZ \0\0\0\0".to_vec(), v.map(fixed).concat()].concat()
}

fn sampled(values: &[u16]) -> Vec<u8> {
    let words = values.iter().flat_map(|v| v.to_be_bytes());
    [b"curv\0\0\0\0".to_vec(), (values.len() as u32).to_be_bytes().to_vec(), words.collect()].concat()
}

fn parametric(kind: u16, values: &[f64]) -> Vec<u8> {
    let numbers: Vec<u8> = values.iter().flat_map(|v| fixed(*v)).collect();
    [b"para\0\0\0\0".to_vec(), kind.to_be_bytes().to_vec(), vec![0, 0], numbers].concat()
}

fn described(text: &str) -> Vec<u8> {
    [b"desc\0\0\0\0".to_vec(), (text.len() as u32 + 1).to_be_bytes().to_vec(), text.as_bytes().to_vec(), vec![0; 79]]
        .concat()
}

/// A profile of version 2 with these tags, one behind the other.
fn profile(colors: &[u8; 4], connection: &[u8; 4], tags: &[(&[u8; 4], Vec<u8>)]) -> Vec<u8> {
    let mut header = vec![0u8; 128];
    header[8] = 2;
    header[9] = 0x40;
    header[12..16].copy_from_slice(b"mntr");
    header[16..20].copy_from_slice(colors);
    header[20..24].copy_from_slice(connection);
    header[36..40].copy_from_slice(b"acsp");
    let (mut table, mut body) = ((tags.len() as u32).to_be_bytes().to_vec(), Vec::new());
    let start = 132 + 12 * tags.len();
    for (name, tag) in tags {
        table.extend(*name);
        table.extend(((start + body.len()) as u32).to_be_bytes());
        table.extend((tag.len() as u32).to_be_bytes());
        body.extend(tag);
        body.resize(body.len().next_multiple_of(4), 0);
    }
    header[..4].copy_from_slice(&((start + body.len()) as u32).to_be_bytes());
    [header, table, body].concat()
}

/// The colorants of sRGB as published profiles store them, adapted to D50.
const SRGB: [[f64; 3]; 3] =
    [[0.436_07, 0.222_49, 0.013_92], [0.385_15, 0.716_87, 0.097_08], [0.143_07, 0.060_61, 0.714_10]];

fn rgb_profile(colorants: [[f64; 3]; 3], curve: &[u8]) -> Vec<u8> {
    let [r, g, b] = colorants.map(xyz);
    let curve = || curve.to_vec();
    profile(
        b"RGB ",
        b"XYZ ",
        &[
            (b"desc", described("own")),
            (b"rXYZ", r),
            (b"gXYZ", g),
            (b"bXYZ", b),
            (b"rTRC", curve()),
            (b"gTRC", curve()),
            (b"bTRC", curve()),
        ],
    )
}

fn srgb_light(v: f64) -> f64 {
    if v <= 0.04045 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) }
}

#[test]
fn published_forms_of_srgb_lead_to_srgb() {
    let table: Vec<u16> = (0..1024).map(|i| (srgb_light(f64::from(i) / 1023.0) * 65_535.0).round() as u16).collect();
    let forms = [
        sampled(&table),
        parametric(3, &[2.4, 1.0 / 1.055, 0.055 / 1.055, 1.0 / 12.92, 0.04045]),
        parametric(4, &[2.4, 1.0 / 1.055, 0.055 / 1.055, 1.0 / 12.92, 0.04045, 0.0, 0.0]),
    ];
    for form in forms {
        let read = Profile::parse(&rgb_profile(SRGB, &form)).unwrap();
        assert_eq!(
            (read.space(), read.description(), read.version(), read.is_gray()),
            (Some(ColorSpace::SRGB), "own", (2, 4), false)
        );
    }
    // Adobe RGB (1998): colorants of its own profile, and 563/256 as a power of 2.19922.
    let adobe = [[0.609_74, 0.311_11, 0.019_47], [0.205_28, 0.625_67, 0.060_87], [0.149_19, 0.063_22, 0.744_57]];
    assert_eq!(Profile::parse(&rgb_profile(adobe, &sampled(&[563]))).unwrap().space(), Some(ColorSpace::ADOBE_RGB));
    assert_eq!(
        Profile::parse(&rgb_profile(SRGB, &sampled(&[]))).unwrap().space(),
        Some(ColorSpace { primaries: Primaries::Srgb, transfer: Transfer::Linear })
    );
}

#[test]
fn every_space_comes_back_from_the_profile_that_is_written_for_it() {
    for (name, space) in ColorSpace::NAMED {
        match Profile::of_space(space) {
            Ok(bytes) => {
                let read = Profile::parse(&bytes).unwrap();
                let found = read.space().unwrap_or_else(|| panic!("{name}"));
                assert!(found == *space && read.version() == (4, 4), "{name}: {found:?}");
                assert_eq!(bytes.len() % 4, 0);
            }
            Err(e) => assert!(name.starts_with("bt2100") && e.to_string().contains("PQ and HLG"), "{name} {e}"),
        }
    }
    let gray = Profile::parse(&Profile::of_gray(Transfer::Power(1.8)).unwrap()).unwrap();
    assert!(gray.is_gray());
}

/// A curve that no formula here describes: a straight line to (1/2, 1/5), and on to (1, 1).
fn bent(v: f64) -> f64 {
    if v < 0.5 { 0.4 * v } else { 0.2 + 1.6 * (v - 0.5) }
}

#[test]
fn colours_go_through_tables_as_computed_apart() {
    let curve = sampled(&[0, 13_107, 65_535]);
    let read = Profile::parse(&rgb_profile(SRGB, &curve)).unwrap();
    assert_eq!(read.space(), None);
    let frame =
        Frame::from_fn(Size::new(64, 64), |x, y| Rgb::new((x * 4) as u8, (y * 4) as u8, ((x + y) * 2) as u8)).unwrap();
    let found = to_space(frame.view(), read.clone(), ColorSpace::SRGB, &SpaceRules::default()).unwrap();
    // The primaries are those of sRGB but for rounding: the curve alone changes.
    let encode = |l: f64| if l <= 0.0031308 { 12.92 * l } else { 1.055 * l.powf(1.0 / 2.4) - 0.055 };
    for (from, to) in frame.samples().iter().zip(found.samples()) {
        let want = 255.0 * encode(bent(f64::from(*from) / 255.0));
        assert!((want - f64::from(*to)).abs() < 0.7, "{from}: {to} for {want}");
    }
    // And back: white is that of the profile's rounded colorants, which is off by some 1e-4.
    let wide =
        Frame::from_fn(Size::new(256, 1), |x, _| Rgb::new(x as u16 * 257, x as u16 * 257, x as u16 * 257)).unwrap();
    let there = to_space(wide.view(), read.clone(), ColorSpace::SRGB, &SpaceRules::default()).unwrap();
    let back = to_space(there.view(), ColorSpace::SRGB, read, &SpaceRules::default()).unwrap();
    assert!(back.samples().iter().zip(wide.samples()).all(|(a, b)| a.abs_diff(*b) <= 24));
}

#[test]
fn parameters_of_all_five_kinds_are_what_the_standard_says() {
    let light = |curve: &[u8], code: u8| {
        let read = Profile::parse(&rgb_profile(SRGB, curve)).unwrap();
        let one = Frame::filled(Size::new(1, 1), Rgb::new(code, code, code)).unwrap();
        let to = ColorSpace { primaries: Primaries::Srgb, transfer: Transfer::Linear };
        let wide = one.view().map(|p| p.map(|v| f32::from(v) / 255.0)).unwrap();
        let out: Frame<Rgb<f32>> = to_space::<Rgb<f32>>(wide.view(), read, to, &SpaceRules::default()).unwrap();
        f64::from(out[(0, 0)].g)
    };
    let x = 100.0 / 255.0f64;
    for (kind, values, want) in [
        (0, vec![1.7], x.powf(1.7)),
        (1, vec![2.0, 1.25, -0.25], (1.25 * x - 0.25).powi(2)),
        (2, vec![2.0, 1.0, -0.1, 0.05], (x - 0.1).powi(2) + 0.05),
        (3, vec![3.0, 0.9, 0.1, 0.2, 0.5], 0.2 * x),
        (4, vec![2.2, 0.95, 0.05, 0.1, 0.1, 0.01, 0.01], (0.95 * x + 0.05).powf(2.2) + 0.01),
    ] {
        let found = light(&parametric(kind, &values), 100);
        assert!((found - want).abs() < 4e-4, "{kind}: {found} for {want}");
    }
    assert!((light(&parametric(1, &[2.0, 1.25, -0.25]), 20)).abs() < 1e-4);
}

#[test]
fn gray_profiles_serve_gray_by_light_or_lightness() {
    let gray = |connection: &[u8; 4]| profile(b"GRAY", connection, &[(b"kTRC", sampled(&[]))]);
    let frame = Frame::filled(Size::new(1, 1), Gray::new(0.5f32)).unwrap();
    let run = |bytes: Vec<u8>| {
        let read = Profile::parse(&bytes).unwrap();
        assert!(read.is_gray());
        to_space(frame.view(), read, ColorSpace::SRGB, &SpaceRules::default()).unwrap()[(0, 0)].value
    };
    // Half the light; L* = 50 is light of 0.18419.
    assert!((f64::from(run(gray(b"XYZ "))) - 0.735_357).abs() < 1e-5);
    let want = 1.055 * 0.184_186_5f64.powf(1.0 / 2.4) - 0.055;
    assert!((f64::from(run(gray(b"Lab "))) - want).abs() < 1e-5);
}

#[test]
fn files_lead_to_the_space_of_their_profile_and_state_it_again() {
    let frame = Frame::from_fn(Size::new(16, 16), |x, y| Rgb::new((x * 16) as u8, (y * 16) as u8, 90)).unwrap();
    for (space, format) in [
        (ColorSpace::DISPLAY_P3, FileFormat::Jpeg),
        (ColorSpace::ADOBE_RGB, FileFormat::Jpeg),
        (ColorSpace::ROMM, FileFormat::Png),
        (ColorSpace::ROMM, FileFormat::Jpeg),
    ] {
        let picture = apply(Picture::from(frame.clone()), &[&ToSpace::new(space)]).unwrap();
        assert_eq!(ColorSpace::of(picture.metadata()), space);
        let back = decode(&encode(&picture, format, Default::default()).unwrap(), Default::default()).unwrap();
        let metadata = back.metadata();
        assert!(metadata.icc.is_some() && ColorSpace::of(metadata) == space, "{space:?} {format:?} {metadata:?}");
        assert!(metadata.same_space(picture.metadata()));
        // To sRGB and the profile goes.
        let srgb = back.to_space(&ColorSpace::SRGB, &SpaceRules::default()).unwrap();
        assert!(srgb.metadata().icc.is_none() && ColorSpace::of(srgb.metadata()) == ColorSpace::SRGB);
    }
    // sRGB needs no profile, and gray none of colours.
    let plain =
        decode(&encode(&Picture::from(frame), FileFormat::Jpeg, Default::default()).unwrap(), Default::default())
            .unwrap();
    assert_eq!((plain.metadata().icc.is_none(), ColorSpace::of(plain.metadata())), (true, ColorSpace::SRGB));
    // A profile of its own curve is kept, used, and its numbers stay what they are.
    let mut odd = Picture::from(Frame::filled(Size::new(1, 1), Rgb::new(128u8, 128, 128)).unwrap());
    odd.metadata_mut().icc = Some(rgb_profile(SRGB, &sampled(&[0, 13_107, 65_535])).into());
    let back = decode(&encode(&odd, FileFormat::Png, Default::default()).unwrap(), Default::default()).unwrap();
    // What it says is stated as far as it has a name: its primaries are those of sRGB, its curve is another.
    assert_eq!((back.metadata().primaries, back.metadata().transfer), (Primaries::Srgb, Transfer::Other));
    assert!(matches!(Encoding::of(back.metadata()), Ok(Encoding::Profile(_))));
    let seen = back.to_space(&ColorSpace::SRGB, &SpaceRules::default()).unwrap();
    // Light of bent(128/255) = 0.2031: code 124.
    assert_eq!(seen.view::<Rgb<u8>>().unwrap()[(0, 0)], Rgb::new(124, 124, 124));
}

#[test]
fn wrong_profiles_are_named_errors_wherever_they_are_cut() {
    let good = rgb_profile(SRGB, &sampled(&[0, 13_107, 65_535]));
    for end in 0..good.len() {
        let mut cut = good[..end].to_vec();
        assert!(Profile::parse(&cut).is_err(), "{end}");
        // The size made right, what lies behind is still missing.
        if end >= 132 {
            cut[..4].copy_from_slice(&(end as u32).to_be_bytes());
            let _ = Profile::parse(&cut);
        }
    }
    let says = |bytes: Vec<u8>| Profile::parse(&bytes).unwrap_err().to_string();
    let changed = |at: usize, with: &[u8]| {
        let mut bytes = good.clone();
        bytes[at..at + with.len()].copy_from_slice(with);
        bytes
    };
    assert!(says(changed(36, b"acsq")).contains("acsp"));
    assert!(says(changed(8, &[5])).contains("version 5"));
    assert!(says(changed(16, b"CMYK")).contains("CMYK") && says(changed(16, b"CMYK")).contains("kept"));
    assert!(says(changed(12, b"link")).contains("class link"));
    assert!(says(changed(128, &u32::MAX.to_be_bytes())).contains("4294967295 tags"));
    // The first colorant's offset, then its size, beyond the end; in a ring: the table itself.
    let entry = 132 + 12;
    assert!(
        says(changed(entry + 4, &u32::MAX.to_be_bytes())).contains("rXYZ")
            && says(changed(entry + 8, &u32::MAX.to_be_bytes())).contains("outside")
    );
    assert!(says(changed(entry + 4, &128u32.to_be_bytes())).contains("no XYZ number"));
    let with_curve = |curve: Vec<u8>| says(rgb_profile(SRGB, &curve));
    let mut many = sampled(&[1, 2, 3]);
    many[8..12].copy_from_slice(&u32::MAX.to_be_bytes());
    assert!(with_curve(many.clone()).contains("4294967295 entries"));
    many[8..12].copy_from_slice(&60_000u32.to_be_bytes());
    assert!(with_curve(many).contains("fewer than 60000"));
    assert!(with_curve(sampled(&[9, 5, 9])).contains("does not rise"));
    assert!(with_curve(sampled(&[5, 5])).contains("does not rise"));
    assert!(with_curve(sampled(&[0])).contains("power 0"));
    assert!(with_curve(parametric(9, &[1.0])).contains("kind 9"));
    assert!(with_curve(parametric(0, &[])).contains("cut off"));
    assert!(with_curve(parametric(0, &[-1.0])).contains("does not rise"));
    assert!(with_curve(parametric(2, &[1.0, 0.0, 0.0, 0.0])).contains("divides by 0"));
    assert!(says(rgb_profile([[0.5, 0.5, 0.5]; 3], &sampled(&[256]))).contains("span no space"));
    assert!(says(profile(b"RGB ", b"XYZ ", &[(b"A2B0", vec![0; 40])])).contains("by tables"));
    assert!(says(profile(b"GRAY", b"XYZ ", &[])).contains("kTRC is missing"));
    // A picture with one is read all the same; only its colours are not known.
    let mut picture = Picture::from(Frame::filled(Size::new(1, 1), Rgb::new(1u8, 2, 3)).unwrap());
    picture.metadata_mut().icc = Some(changed(16, b"CMYK").into());
    let back = decode(&encode(&picture, FileFormat::Png, Default::default()).unwrap(), Default::default()).unwrap();
    assert_eq!(back.metadata().primaries, Primaries::Other);
    let error = back.to_space(&ColorSpace::SRGB, &SpaceRules::default()).unwrap_err().to_string();
    assert!(error.contains("CMYK"), "{error}");
}

#[test]
fn colours_go_to_the_space_of_a_profile_which_goes_with_them() {
    let colors = Frame::from_fn(Size::new(16, 16), |x, y| Rgb::new((16 * x) as u8, (16 * y) as u8, 99)).unwrap();
    let picture = Picture::from(colors);
    let icc = Profile::of_space(&ColorSpace::DISPLAY_P3).unwrap();
    let by_name = apply(picture.clone(), &[&ToSpace::new(ColorSpace::DISPLAY_P3)]).unwrap();
    let by_profile = apply(picture.clone(), &[&ToSpace::to_profile(icc.clone()).unwrap()]).unwrap();
    assert!(by_profile.content() == by_name.content());
    assert_eq!(by_profile.metadata().icc.as_deref(), Some(icc.as_slice()));
    assert_eq!(by_profile.metadata().primaries, by_name.metadata().primaries);
    // There and back: the profile says where the colours come from.
    let back = apply(by_profile, &[&ToSpace::new(ColorSpace::SRGB)]).unwrap();
    assert!(back.metadata().icc.is_none());
    assert!(back.content() == apply(by_name, &[&ToSpace::new(ColorSpace::SRGB)]).unwrap().content());
    // The numbers stay where it is only said.
    let said = apply(picture.clone(), &[&StateSpace::of_profile(icc.clone()).unwrap()]).unwrap();
    assert!(said.content() == picture.content() && said.metadata().icc.as_deref() == Some(icc.as_slice()));
    let gray = Profile::of_gray(rahmen::Transfer::Power(1.8)).unwrap();
    let error = apply(picture.clone(), &[&ToSpace::to_profile(gray.clone()).unwrap()]).unwrap_err().to_string();
    assert!(error.contains("the profile is of gray, the picture holds colours"), "{error}");
    let grays = Picture::from(Frame::from_fn(Size::new(9, 1), |x, _| rahmen::Gray::new((28 * x) as u8)).unwrap());
    let turned = apply(grays.clone(), &[&ToSpace::to_profile(gray).unwrap()]).unwrap();
    // Half of light is 188 by sRGB's curve; by a power of 1.8 it is 255 * 0.5^(1 / 1.8) = 173.5.
    let light = |v: f64| if v <= 0.04045 { v / 12.92 } else { ((v + 0.055) / 1.055).powf(2.4) };
    for (from, to) in grays
        .frame::<rahmen::Gray<u8>>()
        .unwrap()
        .pixels()
        .iter()
        .zip(turned.frame::<rahmen::Gray<u8>>().unwrap().pixels())
    {
        let wanted = (light(f64::from(from.value) / 255.0).powf(1.0 / 1.8) * 255.0 + 0.5).floor();
        assert!((f64::from(to.value) - wanted).abs() <= 1.0, "{from:?} {to:?}");
    }
    assert!(ToSpace::to_profile(vec![1, 2, 3]).is_err());
}
