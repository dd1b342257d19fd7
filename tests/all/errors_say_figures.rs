//! An error is data: its kind has the figures, its help says what to do in words of the library, and its text has both.
#![cfg(feature = "png")]

use rahmen::color::ConvertRules;
use rahmen::file::{Limits, ReadOptions, decode};
use rahmen::measure::{HistogramRules, histogram};
use rahmen::resample::{CustomKernel, Kernel, ResizeRules, Target};
use rahmen::tone::{Curve, QuantizeRules, quantize};
use rahmen::{ErrorKind, Frame, Gray, Help, Meaning, Picture, Region, Rgb, Size};

fn gray(size: Size) -> Frame<Gray<u8>> {
    Frame::filled(size, Gray::new(9)).unwrap()
}

#[test]
fn kinds_have_the_figures_of_their_texts() {
    let frame = gray(Size::new(4, 3));
    let out_of_range = |error: rahmen::Error| match error.kind() {
        ErrorKind::OutOfRange { argument, value, allowed, .. } => (*argument, *value, *allowed),
        kind => panic!("{kind:?}"),
    };
    let bits = quantize(frame.view(), &QuantizeRules::bits(17)).unwrap_err();
    assert_eq!(bits.to_string(), "quantisation takes 1 to 16 bits, not 17");
    assert_eq!(out_of_range(bits), ("bits", 17.0, (1.0, 16.0)));
    let counted = histogram(frame.view(), &HistogramRules::default()).unwrap();
    assert_eq!(out_of_range(counted.channels[0].percentile(101.0).unwrap_err()), ("percent", 101.0, (0.0, 100.0)));
    assert_eq!(out_of_range(CustomKernel::new(|_| 1.0, 65.0).unwrap_err()).1, 65.0);
    assert_eq!(out_of_range(Curve::gamma(-2.0).unwrap_err()).0, "exponent");
    assert_eq!(out_of_range(Target::Scale(0.0, 1.0).size(frame.size()).unwrap_err()).0, "factor");
    let range = histogram(frame.view(), &HistogramRules::default().range(9.0, 2.0)).unwrap_err();
    assert!(matches!(range.kind(), ErrorKind::NotARange { argument: "range", range: (9.0, 2.0), .. }), "{range:?}");
    let empty = gray(Size::new(0, 3)).resize(Size::new(1, 1), &ResizeRules::new(Kernel::Box)).unwrap_err();
    let none = Size::new(0, 3);
    assert!(matches!(empty.kind(), ErrorKind::NoPixels { size, .. } if *size == none), "{empty:?}");
    let missing = frame.clone();
    let missing =
        Picture::from(missing).pixels().unwrap().select(&[rahmen::convert::channels::Take::Channel(2)]).unwrap_err();
    assert!(matches!(missing.kind(), ErrorKind::NotThere { number: 2, count: 1, .. }), "{missing:?}");
    let outside = frame.region(Region::new(0..5, 0..1).unwrap()).unwrap_err();
    assert!(matches!(outside.kind(), ErrorKind::RegionOutside { axis: "x", .. }), "{outside:?}");
}

#[test]
fn limits_have_units_and_only_files_are_to_be_trusted() {
    let file = rahmen::file::encode(
        &Frame::filled(Size::new(2000, 1000), Rgb::new(1u8, 2, 3)).unwrap(),
        rahmen::FileFormat::Png,
        Default::default(),
    )
    .unwrap();
    let memory = decode(&file, ReadOptions::default().limits(Limits::default().memory(2 << 20))).unwrap_err();
    let says = "PNG: the picture needs 6000000 bytes (5.7 MiB), over the limit of 2097152 bytes (2.0 MiB); raise `Limits::memory` if the file is to be trusted";
    assert_eq!((memory.to_string().as_str(), memory.help()), (says, &[Help::RaiseLimit("memory")][..]));
    let side = decode(&file, ReadOptions::default().limits(Limits::default().side(1999))).unwrap_err();
    assert!(matches!(side.kind(), ErrorKind::Limit { needed: 2000, limit: 1999, unit: "pixels", .. }), "{side:?}");
    assert!(
        side.help() == [Help::RaiseLimit("side")]
            && side.to_string().contains("needs 2000 pixels, over the limit of 1999 pixels"),
        "{side}"
    );
    let wide = gray(Size::new(9, 9)).resize(Size::new(u32::MAX, 1), &ResizeRules::new(Kernel::Lanczos3)).unwrap_err();
    assert!(!wide.to_string().contains("trusted") && wide.to_string().contains("MiB"), "{wide}");
    // The first bytes of a signature are a file that was cut, not one that was mangled.
    for cut in 2..8 {
        let error = decode(&file[..cut], ReadOptions::default()).unwrap_err();
        assert!(matches!(error.kind(), ErrorKind::Truncated(_)), "{cut}: {error}");
    }
    let mangled = decode(b"\x89PNG\n\x1a\nxxxxxxxxxxxxxxxxxxxxxx", ReadOptions::default()).unwrap_err().to_string();
    assert!(mangled.contains("text-mode transfer"), "{mangled}");
}

#[test]
fn help_is_said_in_words_of_the_library() {
    let mut depths = Picture::from(Frame::filled(Size::new(2, 1), Gray::new(7.5f32)).unwrap());
    depths.metadata_mut().meaning = Meaning::values();
    let error = depths.convert::<Gray<u8>>(&ConvertRules::default()).unwrap_err();
    assert!(error.to_string().contains("`window`") && !error.to_string().contains("--"), "{error}");
    let error = rahmen::file::encode(&depths, rahmen::FileFormat::Png, Default::default()).unwrap_err();
    assert_eq!(error.help(), [Help::Encoded, Help::Window]);
    depths.metadata_mut().meaning = Meaning::Values { unit: Some("m".into()), range: None };
    let error = rahmen::file::encode(&depths, rahmen::FileFormat::Png, Default::default()).unwrap_err();
    assert_eq!(error.help(), [Help::Window]);
}
