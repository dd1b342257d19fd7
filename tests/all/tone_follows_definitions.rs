//! Tone: the two definitions of equalising worked by hand, curves on every depth, alpha left alone, hues kept, thresholds
//! and quantisers against plain loops.

use rahmen::color::GrayWeights;
use rahmen::measure::{ChannelHistogram, Histogram, HistogramRules, Mask, histogram};
use rahmen::tone::{
    Basis, Curve, EqualizeBy, EqualizeRules, QuantizeRules, Reconstruction, StretchBy, StretchRules, ThresholdBy,
    ThresholdRules, Tone, equalization, equalize, level_table, matching, otsu, quantize, stretch, threshold,
};
use rahmen::{Frame, Gray, GrayAlpha, Levels, Rgb, Rgba, Size, Threads};

/// 6 x 5 pixels with codes 0..=4, as samples of 8 bits: counts 4 9 9 5 3.
fn worked() -> Frame<Gray<u8>> {
    let codes = [0, 0, 1, 1, 1, 2, 0, 1, 1, 2, 2, 2, 0, 1, 1, 2, 2, 3, 1, 1, 2, 3, 3, 4, 2, 2, 3, 3, 4, 4];
    Frame::from_samples(Size::new(6, 5), codes.map(|c: usize| [0u8, 64, 128, 191, 255][c]).to_vec()).unwrap()
}

fn rules(by: EqualizeBy) -> EqualizeRules {
    let mut rules = EqualizeRules::default();
    (rules.by, rules.levels) = (by, Levels::scaled(4));
    rules
}

#[test]
fn the_worked_example_gives_the_levels_found_by_hand() {
    let mut counting = HistogramRules::default();
    counting.levels = Levels::scaled(4);
    let counted = histogram(worked().view(), &counting).unwrap();
    // 4 c(k) / 30: 0.53 1.73 2.93 3.6 4; pinned, 4 (c(k) - 4) / 26: 0 1.38 2.77 3.54 4.
    for (by, new) in
        [(EqualizeBy::Cumulative, [1.0, 2.0, 3.0, 4.0, 4.0]), (EqualizeBy::Pinned, [0.0, 1.0, 3.0, 4.0, 4.0])]
    {
        let table = level_table(&counted.channels[0], by).unwrap();
        assert_eq!(table.iter().map(|r| r.new_level).collect::<Vec<_>>(), new);
        assert_eq!(table.iter().map(|r| r.count).collect::<Vec<_>>(), [4, 9, 9, 5, 3]);
        assert_eq!(table[2].cumulative, 22.0 / 30.0);
        assert_eq!(table[3].probability, 5.0 / 30.0);
        let done = equalize(worked().view(), &rules(by)).unwrap();
        let samples = new.map(|level| [0u8, 64, 128, 191, 255][level as usize]);
        for (old, found) in worked().samples().iter().zip(done.frame.samples()) {
            let code = [0u8, 64, 128, 191, 255].iter().position(|v| v == old).unwrap();
            assert_eq!(*found, samples[code]);
        }
    }
    let coarse = histogram(worked().view(), &HistogramRules::default().bins(5)).unwrap();
    assert!(level_table(&coarse.channels[0], EqualizeBy::Cumulative).is_err());
}

#[test]
fn equalising_follows_the_formula_on_8_and_16_bits_and_floats() {
    let deep = Frame::from_fn(Size::new(120, 90), |x, y| Gray::new((20_000 + x * x + 31 * y) as u16)).unwrap();
    let done = equalize(deep.view(), &EqualizeRules::default()).unwrap().frame;
    let mut sorted: Vec<u16> = deep.samples().to_vec();
    sorted.sort_unstable();
    for (old, found) in deep.samples().iter().zip(done.samples()) {
        let at_or_below = sorted.partition_point(|v| v <= old) as f64;
        assert_eq!(f64::from(*found), (65_535.0 * at_or_below / 10_800.0 + 0.5).floor());
    }
    let floats = deep.view().map(|p| Gray::new(f32::from(p.value) / 65_535.0)).unwrap();
    let done = equalize(floats.view(), &EqualizeRules::default()).unwrap().frame;
    for (old, found) in deep.samples().iter().zip(done.samples()) {
        let (below, at_or_below) = (sorted.partition_point(|v| v < old), sorted.partition_point(|v| v <= old));
        // Straight within a bin of 1/65,536.
        let (low, high) = (below as f64 / 10_800.0, at_or_below as f64 / 10_800.0);
        assert!(f64::from(*found) >= low - 1e-6 && f64::from(*found) <= high + 1e-6);
    }
}

#[test]
fn one_level_stays_and_is_told() {
    let flat = Frame::filled(Size::new(9, 9), Rgb::new(7u8, 7, 7)).unwrap();
    for basis in [Basis::Together, Basis::EachChannel, Basis::GRAY_VALUE] {
        let mut how = EqualizeRules::default();
        how.basis = basis;
        let done = equalize(flat.view(), &how).unwrap();
        assert!(done.frame == flat && done.unchanged().unwrap().contains("one level"));
        let mut how = StretchRules::default();
        how.basis = basis;
        let done = stretch(flat.view(), &how).unwrap();
        assert!(done.frame == flat && done.unchanged().is_some());
    }
    let done = threshold(flat.view(), &ThresholdRules::new(ThresholdBy::Otsu)).unwrap();
    assert!(done.frame == flat && done.unchanged().is_some());
    let empty = Frame::<Gray<u8>>::new(Size::new(0, 4)).unwrap();
    assert!(equalize(empty.view(), &EqualizeRules::default()).is_err());
    assert!(stretch(empty.view(), &StretchRules::default()).is_err());
}

#[test]
fn curves_by_table_are_the_function_rounded_once_and_leave_alpha_alone() {
    let curve = || Curve::gamma(0.7).unwrap().then(Curve::contrast(1.3, 0.4).unwrap());
    let wanted = |v: f64| ((v.powf(0.7) - 0.4) * 1.3 + 0.4).clamp(0.0, 1.0);
    let size = Size::new(1031, 70);
    let bytes = Frame::from_fn(size, |x, y| Rgba::new(x as u8, y as u8, (x + y) as u8, (x * 3) as u8)).unwrap();
    let mut out = bytes.clone();
    Tone::new(curve()).apply(out.view_mut()).unwrap();
    for (old, new) in bytes.pixels().iter().zip(out.pixels()) {
        assert_eq!(f64::from(new.g), (wanted(f64::from(old.g) / 255.0) * 255.0 + 0.5).floor());
        assert_eq!(new.a, old.a);
    }
    let plain = bytes.view().map(|p| Rgb::new(p.r, p.g, p.b)).unwrap();
    let mut same = plain.clone();
    Tone::new(curve()).threads(Threads::at_most(3)).apply(same.view_mut()).unwrap();
    assert!(same.pixels().iter().zip(out.pixels()).all(|(a, b)| (a.r, a.g, a.b) == (b.r, b.g, b.b)));
    let words = Frame::from_fn(size, |x, y| GrayAlpha::new((x * 61 + y) as u16, 5)).unwrap();
    let mut out = words.clone();
    Tone::new(curve()).apply(out.view_mut()).unwrap();
    for (old, new) in words.pixels().iter().zip(out.pixels()) {
        assert_eq!(f64::from(new.value), (wanted(f64::from(old.value) / 65_535.0) * 65_535.0 + 0.5).floor());
    }
    let floats = Frame::from_fn(size, |x, y| Gray::new((x as f32 - 20.0) / (900.0 + y as f32))).unwrap();
    let mut out = floats.clone();
    Tone::new(Curve::negative()).apply(out.view_mut()).unwrap();
    // Floats are not clamped.
    assert!(floats.samples().iter().zip(out.samples()).all(|(a, b)| *b == (1.0 - f64::from(*a)) as f32));
}

#[test]
fn each_channel_has_its_own_curve_and_a_mask_says_where() {
    let frame = Frame::filled(Size::new(8, 4), Rgb::new(10u8, 20, 30)).unwrap();
    let curves = vec![Curve::identity(), Curve::negative(), Curve::brightness(0.2).unwrap()];
    let mut out = frame.clone();
    let left = |x: u32, _: u32| x < 3;
    Tone::each(curves).unwrap().apply_where(out.view_mut(), &Mask::at_places(&left)).unwrap();
    assert_eq!((out[(2, 1)], out[(3, 1)]), (Rgb::new(10, 235, 81), Rgb::new(10, 20, 30)));
    assert!(Tone::each(vec![]).is_err());
}

#[test]
fn luminance_curves_keep_hues() {
    let frame = Frame::from_fn(Size::new(60, 60), |x, y| Rgb::new((4 * x) as u8, (4 * y) as u8, 90)).unwrap();
    let tone = Tone::gray_value(Curve::gamma(0.6).unwrap(), GrayWeights::Bt709);
    let out = tone.applied(frame.view()).unwrap();
    let brightness =
        |p: &Rgb<u8>| (0.2126 * f64::from(p.r) + 0.7152 * f64::from(p.g) + 0.0722 * f64::from(p.b)) / 255.0;
    for (old, new) in frame.pixels().iter().zip(out.pixels()) {
        // The new brightness is that of the curve, within rounding of three channels.
        assert!((brightness(new) - brightness(old).powf(0.6)).abs() < 0.6 / 255.0, "{old:?} {new:?}");
        // The order of the channels stays, and where nothing reaches full so do their ratios.
        assert!(old.r <= old.g || new.r >= new.g, "{old:?} {new:?}");
        if new.r < 255 && new.g < 255 && new.b < 255 && old.b > 0 && brightness(old) > 0.1 {
            let scale = brightness(old).powf(0.6) / brightness(old);
            assert!((f64::from(new.b) - f64::from(old.b) * scale).abs() < 0.51, "{old:?} {new:?}");
        }
    }
}

#[test]
fn stretching_takes_extremes_percentiles_or_levels() {
    let row = Frame::<Gray<u8>>::from_samples(Size::new(100, 1), (100..200).collect()).unwrap();
    let at = |by: StretchBy| stretch(row.view(), &StretchRules::new(by)).unwrap().frame;
    let found = at(StretchBy::MinMax);
    assert!(found.samples().iter().enumerate().all(|(i, v)| *v == (i as f64 / 99.0 * 255.0 + 0.5).floor() as u8));
    // The 5th percentile is the 5th of 100 values, 104; the 95th is 194.
    let found = at(StretchBy::Percentiles(5.0, 95.0));
    assert_eq!((found[(4, 0)].value, found[(5, 0)].value, found[(94, 0)].value), (0, 3, 255));
    let found = at(StretchBy::Levels(120.0, 180.0));
    assert_eq!((found[(20, 0)].value, found[(50, 0)].value, found[(80, 0)].value), (0, 128, 255));
    for odd in [StretchBy::Percentiles(9.0, 9.0), StretchBy::Percentiles(-1.0, 50.0), StretchBy::Levels(5.0, f64::NAN)]
    {
        assert!(stretch(row.view(), &StretchRules::new(odd)).is_err(), "{odd:?}");
    }
}

#[test]
fn thresholds_part_where_they_say() {
    let ramp = Frame::from_fn(Size::new(256, 1), |x, _| Gray::new(x as u8)).unwrap();
    let at = |by: &ThresholdBy| threshold(ramp.view(), &ThresholdRules::new(by.clone())).unwrap().frame;
    let white = |f: &Frame<Gray<u8>>| f.samples().iter().position(|v| *v == 255).unwrap_or(256);
    assert_eq!(white(&at(&ThresholdBy::Level(77.0))), 77);
    assert_eq!(white(&at(&ThresholdBy::Level(76.2))), 77);
    // A quarter of 256 values is 0..=63.
    assert_eq!(white(&at(&ThresholdBy::Percentile(25.0))), 64);
    assert_eq!((white(&at(&ThresholdBy::Percentile(0.0))), white(&at(&ThresholdBy::Percentile(100.0)))), (0, 256));
    let three = at(&ThresholdBy::Levels(vec![200.0, 50.0]));
    assert_eq!([49usize, 50, 199, 200].map(|i| three.samples()[i]), [0, 128, 128, 255]);
    assert!(threshold(ramp.view(), &ThresholdRules::new(ThresholdBy::Level(f64::NAN))).is_err());
    assert!(threshold(ramp.view(), &ThresholdRules::new(ThresholdBy::Levels(vec![]))).is_err());
}

#[test]
fn otsu_maximises_the_variance_between_classes() {
    let mut counts = [0u64; 64];
    for (i, n) in counts.iter_mut().enumerate() {
        let hill = |at: f64, width: f64| (1000.0 * (-((i as f64 - at) / width).powi(2)).exp()) as u64;
        *n = hill(15.0, 6.0) + hill(44.0, 9.0) / 2;
    }
    let h = ChannelHistogram::of_counts("v", &counts);
    let between = |t: usize| {
        let class = |levels: std::ops::Range<usize>| {
            let n: f64 = levels.clone().map(|i| counts[i] as f64).sum();
            (n, levels.map(|i| i as f64 * counts[i] as f64).sum::<f64>() / n)
        };
        let ((a, ma), (b, mb)) = (class(0..t), class(t..64));
        a * b * (ma - mb) * (ma - mb)
    };
    let best = (1..64).max_by(|a, b| between(*a).total_cmp(&between(*b))).unwrap();
    assert_eq!(otsu(&h), Some(best as f64));
    // Two levels far apart: every threshold between is as good; the middle one.
    let mut two = [0u64; 11];
    (two[2], two[8]) = (5, 5);
    assert_eq!(otsu(&ChannelHistogram::of_counts("v", &two)), Some(5.0));
    assert_eq!(otsu(&ChannelHistogram::of_counts("v", &[0, 4, 0])), None);
}

#[test]
fn matching_gives_one_distribution_to_another() {
    let from = Frame::from_fn(Size::new(64, 64), |x, y| Gray::new((x + y) as u8)).unwrap();
    let to = Frame::from_fn(Size::new(64, 64), |x, y| Gray::new((250 - (x * y) / 20) as u8)).unwrap();
    let of = |f: &Frame<Gray<u8>>| histogram(f.view(), &HistogramRules::default()).unwrap();
    let tone = matching(&of(&from), &of(&to), Basis::Together, Threads::ALL).unwrap();
    let made = tone.applied(from.view()).unwrap();
    // The definition, pixel by pixel, on sorted values.
    let sorted = |f: &Frame<Gray<u8>>| {
        let mut v = f.samples().to_vec();
        v.sort_unstable();
        v
    };
    let (a, b) = (sorted(&from), sorted(&to));
    for (old, new) in from.samples().iter().zip(made.samples()) {
        let share = a.partition_point(|v| v <= old);
        let wanted = (0..=255u8).find(|level| b.partition_point(|v| v <= level) >= share).unwrap();
        assert_eq!(*new, wanted);
    }
    // To itself nothing changes.
    assert!(
        matching(&of(&from), &of(&from), Basis::Together, Threads::ALL).unwrap().applied(from.view()).unwrap() == from
    );
    let none = Histogram::new(vec![ChannelHistogram::of_counts("v", &[0; 256])]);
    assert!(matching(&of(&from), &none, Basis::Together, Threads::ALL).is_err());
    let two = Histogram::new(vec![of(&from).channels[0].clone(), of(&from).channels[0].clone()]);
    assert!(matching(&of(&from), &two, Basis::Together, Threads::ALL).is_err());
    let flat = equalization(&none, &EqualizeRules::default()).unwrap();
    assert!(flat.unchanged().is_some());
}

#[test]
fn quantisers_follow_the_plain_formula_at_every_depth() {
    let ramp = Frame::from_fn(Size::new(256, 2), |x, y| Rgba::new(x as u8, 255 - x as u8, y as u8, 9)).unwrap();
    for bits in 1..=8u32 {
        let cell = 256 >> bits;
        let out = quantize(ramp.view(), &QuantizeRules::bits(bits)).unwrap();
        for (old, new) in ramp.pixels().iter().zip(out.pixels()) {
            let v = u32::from(old.r);
            assert_eq!(u32::from(new.r), v / cell * cell + cell / 2);
            assert_eq!(new.a, 9);
        }
        let spread = quantize(ramp.view(), &QuantizeRules::bits(bits).reconstruction(Reconstruction::Spread)).unwrap();
        let cells = (1u32 << bits) - 1;
        assert!(ramp.pixels().iter().zip(spread.pixels()).all(|(old, new)| {
            f64::from(new.g) == (f64::from(u32::from(old.g) / cell) * 255.0 / f64::from(cells) + 0.5).floor()
        }));
        let indices =
            quantize(ramp.view(), &QuantizeRules::bits(bits).reconstruction(Reconstruction::Indices)).unwrap();
        assert!(
            ramp.pixels().iter().zip(indices.pixels()).all(|(old, new)| u32::from(new.r) == u32::from(old.r) / cell)
        );
    }
    let floats = Frame::<Gray<f32>>::from_samples(Size::new(6, 1), vec![-1.0, 0.0, 0.26, 0.5, 1.0, f32::NAN]).unwrap();
    let out = quantize(floats.view(), &QuantizeRules::bits(2)).unwrap();
    assert_eq!(out.samples(), [0.125, 0.125, 0.375, 0.625, 0.875, 0.125]);
    assert!(quantize(ramp.view(), &QuantizeRules::bits(0)).is_err());
    assert!(quantize(ramp.view(), &QuantizeRules::bits(9)).is_err());
    let deep = Frame::filled(Size::new(1, 1), Gray::new(40_000u16)).unwrap();
    assert_eq!(quantize(deep.view(), &QuantizeRules::bits(16)).unwrap().samples(), [40_000]);
}
