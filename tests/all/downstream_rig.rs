//! An inspection rig: 12-bit camera memory in padded rows, measured and thresholded by code where it lies, saved and read back.

use rahmen::file::{ReadAs, ReadOptions, read_with, write_with};
use rahmen::measure::{HistogramRules, Mask, histogram, masked_histogram};
use rahmen::tone::{Curve, EqualizeRules, ThresholdBy, ThresholdRules, Tone, equalize, threshold};
use rahmen::{Gray, Levels, Picture, Region, Size, View};

/// 1000 x 600 codes 0..=4095 in rows of 1024 words, whose padding holds garbage.
fn camera() -> Vec<u16> {
    let code = |x: u64, y: u64| ((((x * 2_654_435_761) ^ (y * 40_503)) >> 7) % 3001 + x % 1095) as u16;
    (0..600 * 1024u64).map(|i| if i % 1024 < 1000 { code(i % 1024, i / 1024) } else { 0xFFFF }).collect()
}

#[test]
fn codes_are_codes_all_the_way() {
    let memory = camera();
    let view = View::<Gray<u16>>::wrap(&memory, Size::new(1000, 600), 1024).unwrap();
    let part = view.region(Region::new(100..700, 50..450).unwrap()).unwrap();
    let disc = |x: u32, y: u32| (f64::from(x) - 300.0).hypot(f64::from(y) - 200.0) <= 150.0;
    let rules = HistogramRules::default().levels(Levels::codes(4095));
    let counted = masked_histogram(part, &Mask::at_places(&disc), &rules).unwrap();
    let inside = || part.pixels_with_xy().filter(|(x, y, _)| disc(*x, *y)).map(|(_, _, p)| f64::from(p.value));
    let mean = inside().sum::<f64>() / inside().count() as f64;
    let channel = &counted.channels[0];
    assert_eq!((channel.levels(), channel.range), (Some(4096), (0.0, 4096.0)));
    assert!((channel.stats.mean - mean).abs() < 1e-9 && channel.stats.max < 4096.0);
    // The same codes taken for scaled samples are an error, never a wrong number.
    assert!(histogram(part, &HistogramRules::default().levels(Levels::scaled(4095))).is_err());
    assert!(histogram(part, &HistogramRules::default().levels(Levels::codes(2000))).is_err());
    assert!(histogram(part, &HistogramRules::default().levels(Levels::Codes(vec![4095, 4095]))).is_err());
    let bins = histogram(part, &HistogramRules::default().bins(4096).range(0.0, 4096.0)).unwrap();
    assert!(
        bins.channels[0].is_by_level() && bins.channels[0].bins == histogram(part, &rules).unwrap().channels[0].bins
    );

    let at = ThresholdRules::new(ThresholdBy::Level(2048.0)).levels(Levels::codes(4095));
    let parted = threshold(part, &at).unwrap().frame;
    let above = part.pixels().filter(|p| p.value >= 2048).count();
    assert_eq!(parted.samples().iter().filter(|v| **v == 4095).count(), above);
    assert_eq!(parted.samples().iter().filter(|v| **v == 0).count(), part.pixels().count() - above);
    let negative = Tone::new(Curve::negative()).levels(Levels::codes(4095)).applied(part).unwrap();
    assert!(negative.samples().iter().zip(part.pixels()).all(|(v, p)| *v == 4095 - p.value));
    let even = equalize(part, &EqualizeRules::default().levels(Levels::codes(4095))).unwrap().frame;
    assert_eq!(even.samples().iter().max(), Some(&4095));

    let folder = tempfile::tempdir().unwrap();
    let picture = Picture::of_codes(part.to_frame(), 4095).unwrap();
    assert_eq!(picture.histogram().unwrap(), histogram(part, &rules).unwrap());
    for name in ["rig.png", "rig.pgm"] {
        let path = folder.path().join(name);
        assert!(write_with(&path, &picture, Default::default()).unwrap().is_empty());
        let back = read_with(&path, ReadOptions::default().read_as(ReadAs::Codes));
        assert_eq!(back.unwrap().view::<Gray<u16>>().unwrap(), part);
    }
    // Codes that are said to be scaled samples are not written.
    let mut wrong = Picture::from(part.to_frame());
    wrong.metadata_mut().max_codes = Some(vec![4095]);
    assert!(wrong.save(folder.path().join("wrong.pgm")).is_err());
}
