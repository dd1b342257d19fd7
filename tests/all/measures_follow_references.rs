//! Figures of pictures against plain computations of their definitions: two passes in `f64`, counts by hand, SSIM by its
//! formula window by window.

use rahmen::Orientation;
use rahmen::color::GrayWeights;
use rahmen::measure::{
    CompareRules, Fix, HistogramRules, Mask, compare, error_histogram, error_picture, gray_histogram, histogram,
    masked_histogram, masked_moments, moments, profile,
};
use rahmen::{Content, Frame, Gray, GrayAlpha, Pixel, Planes, Region, Rgb, Rgba, Size, Threads, View, color};

/// A picture without a pattern that lanes or strips could hide behind.
fn noise(size: Size, seed: u32) -> Frame<Rgb<u8>> {
    let mut state = seed;
    let mut next = || {
        state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
        (state >> 24) as u8
    };
    Frame::from_fn(size, |_, _| Rgb::new(next(), next() / 2, next() | 1)).unwrap()
}

fn numbers<P: Pixel>(view: View<'_, P>, channel: usize) -> Vec<f64> {
    use rahmen::Number;
    (0..view.height())
        .flat_map(|y| view.row_samples(y).iter().skip(channel).step_by(P::CHANNELS).map(|v| v.to_f64()))
        .collect()
}

#[test]
fn a_histogram_of_any_part_counts_what_a_loop_counts() {
    let frame = noise(Size::new(1203, 517), 5);
    let mask = Frame::from_fn(frame.size(), |x, y| Gray::new(((x * 7 + y * 3) % 256) as u8)).unwrap();
    let region = Region::new(17..1100, 3..500).unwrap();
    let (part, part_mask) = (frame.region(region).unwrap(), mask.region(region).unwrap());
    let rules = HistogramRules::default();
    let wanted = |counts: &dyn Fn(u32, u32) -> u64| {
        let mut bins = vec![0u64; 256];
        part.pixels_with_xy().for_each(|(x, y, p)| bins[usize::from(p.g)] += counts(x, y));
        bins
    };
    let bins = |h: rahmen::measure::Histogram| h.channels[1].bins.clone();
    assert_eq!(bins(histogram(part, &rules).unwrap()), wanted(&|_, _| 1));
    let half = Mask::from(part_mask);
    let in_half = |x, y| u64::from(part_mask[(x, y)].value >= 128);
    assert_eq!(bins(masked_histogram(part, &half, &rules).unwrap()), wanted(&in_half));
    let weighed = Mask::weights(part_mask);
    assert_eq!(bins(masked_histogram(part, &weighed, &rules).unwrap()), wanted(&|x, y| part_mask[(x, y)].value.into()));
    let places = |x: u32, y: u32| (x + y).is_multiple_of(3);
    let own = Mask::at_places(&places);
    assert_eq!(bins(masked_histogram(part, &own, &rules).unwrap()), wanted(&|x, y| u64::from(places(x, y))));
    // A region of a mask is the mask of the region, closures included.
    let inner = Region::new(5..60, 7..80).unwrap();
    let shifted = masked_histogram(part.region(inner).unwrap(), &own.region(inner).unwrap(), &rules).unwrap();
    let mut by_hand = vec![0u64; 256];
    part.pixels_with_xy()
        .filter(|(x, y, _)| inner.contains(*x, *y) && places(*x, *y))
        .for_each(|(_, _, p)| by_hand[usize::from(p.g)] += 1);
    assert_eq!(bins(shifted), by_hand);
    let wrong = masked_histogram(frame.view(), &half, &rules).unwrap_err();
    assert!(wrong.to_string().contains("the mask is 1083x497, but 1203x517 is needed"), "{wrong}");
}

#[test]
fn parts_add_up_to_the_whole_in_any_order() {
    let frame = noise(Size::new(640, 401), 9);
    let rules = HistogramRules::default();
    let whole = histogram(frame.view(), &rules).unwrap();
    let rows = |a: u32, b: u32| histogram(frame.region(Region::new(0..640, a..b).unwrap()).unwrap(), &rules).unwrap();
    for order in [[0usize, 1, 2], [2, 0, 1], [1, 2, 0]] {
        let parts = [rows(0, 100), rows(100, 399), rows(399, 401)];
        let mut sum = parts[order[0]].clone();
        sum.merge(&parts[order[1]]).unwrap();
        sum.merge(&parts[order[2]]).unwrap();
        assert_eq!(sum, whole);
    }
    // Floats: bins exactly, the mean within the stated bound, the median within a bin.
    let floats = frame.view().map(|p| Gray::new(f32::from(p.r) / 255.0 + 0.001)).unwrap();
    let rules = HistogramRules::default().bins(100).range(0.0, 1.1);
    let whole = &histogram(floats.view(), &rules).unwrap().channels[0];
    let cut = |a: u32, b: u32| histogram(floats.region(Region::new(0..640, a..b).unwrap()).unwrap(), &rules).unwrap();
    let mut sum = cut(0, 77);
    sum.merge(&cut(77, 401)).unwrap();
    let sum = &sum.channels[0];
    assert_eq!((&sum.bins, sum.stats.count, sum.stats.min), (&whole.bins, whole.stats.count, whole.stats.min));
    assert!((sum.stats.mean - whole.stats.mean).abs() < 1e-12 && (sum.stats.std - whole.stats.std).abs() < 1e-12);
    assert!((sum.stats.median - whole.stats.median).abs() <= 0.011);
    assert!(cut(0, 9).merge(&histogram(floats.view(), &HistogramRules::default()).unwrap()).is_err());
}

#[test]
fn the_gray_value_is_counted_as_if_it_had_been_made() {
    let frame = noise(Size::new(333, 217), 3);
    for weights in [GrayWeights::Bt709, GrayWeights::Mean] {
        let made = color::gray(frame.view(), weights).unwrap();
        let rules = HistogramRules::default();
        let counted = gray_histogram(frame.view(), weights, &Mask::ALL, &rules).unwrap();
        assert_eq!(counted, histogram(made.view(), &rules).unwrap());
        let mask = |x: u32, _: u32| x > 100;
        let mask = Mask::at_places(&mask);
        let masked = gray_histogram(frame.view(), weights, &mask, &rules).unwrap();
        assert_eq!(masked, masked_histogram(made.view(), &mask, &rules).unwrap());
        let few = rules.bins(16);
        let counted = gray_histogram(frame.view(), weights, &Mask::ALL, &few).unwrap();
        assert_eq!(counted.channels[0].bins, histogram(made.view(), &few).unwrap().channels[0].bins);
    }
}

#[test]
fn figures_of_a_mask_are_those_of_its_pixels() {
    let frame = noise(Size::new(97, 61), 1);
    let floats = frame.view().map(|p| Gray::new(f32::from(p.b) * 0.37)).unwrap();
    let mask = Frame::from_fn(frame.size(), |x, y| Gray::new(if (x ^ y) % 3 == 0 { 0.5f32 } else { 0.49 })).unwrap();
    let mask = Mask::from(mask.view());
    let inside: Vec<f64> =
        floats.view().pixels_with_xy().filter(|(x, y, _)| (x ^ y) % 3 == 0).map(|p| f64::from(p.2.value)).collect();
    let m = &masked_moments(floats.view(), &mask, Threads::ALL).unwrap()[0];
    let mean = inside.iter().sum::<f64>() / inside.len() as f64;
    assert_eq!(m.count, inside.len() as u64);
    assert!((m.mean() - mean).abs() < 1e-9);
    let mut sorted = inside.clone();
    sorted.sort_by(f64::total_cmp);
    let n = sorted.len();
    let h = &masked_histogram(floats.view(), &mask, &HistogramRules::default()).unwrap().channels[0];
    assert_eq!(h.stats.median, (sorted[(n - 1) / 2] + sorted[n / 2]) / 2.0);
    assert_eq!(h.stats.min, sorted[0]);
    let none = |_: u32, _: u32| false;
    let nothing = masked_histogram(floats.view(), &Mask::at_places(&none), &HistogramRules::default()).unwrap();
    assert_eq!(nothing.channels[0].stats.count, 0);
}

/// Comparison figures of one channel by their definitions.
fn plain<P: Pixel>(a: View<'_, P>, b: View<'_, P>, channel: usize, peak: f64) -> [f64; 5] {
    let pairs: Vec<_> = numbers(a, channel).into_iter().zip(numbers(b, channel)).collect();
    let n = pairs.len() as f64;
    let mse = pairs.iter().map(|(a, b)| (a - b).powi(2)).sum::<f64>() / n;
    let signal = pairs.iter().map(|(a, _)| a * a).sum::<f64>() / n;
    let mae = pairs.iter().map(|(a, b)| (a - b).abs()).sum::<f64>() / n;
    let max = pairs.iter().map(|(a, b)| (a - b).abs()).fold(0.0, f64::max);
    [max, mae, mse, 10.0 * (signal / mse).log10(), 10.0 * (peak * peak / mse).log10()]
}

/// SSIM as published, window by window: weights exp(-(dx^2 + dy^2) / 4.5) normalised over 11 x 11, means, variances and
/// covariance about the means.
fn ssim_by_formula(a: &dyn Fn(u32, u32) -> f64, b: &dyn Fn(u32, u32) -> f64, size: Size, peak: f64) -> f64 {
    let weight = |i: u32, j: u32| (-((f64::from(i) - 5.0).powi(2) + (f64::from(j) - 5.0).powi(2)) / 4.5).exp();
    let places = || (0..11).flat_map(|j| (0..11).map(move |i| (i, j)));
    let total: f64 = places().map(|(i, j)| weight(i, j)).sum();
    let (c1, c2) = ((0.01 * peak).powi(2), (0.03 * peak).powi(2));
    let (mut sum, mut count) = (0.0, 0.0);
    for y in 0..size.height - 10 {
        for x in 0..size.width - 10 {
            let mean = |f: &dyn Fn(u32, u32) -> f64| {
                places().map(|(i, j)| weight(i, j) / total * f(x + i, y + j)).sum::<f64>()
            };
            let (ma, mb) = (mean(a), mean(b));
            let va = mean(&|x, y| (a(x, y) - ma).powi(2));
            let vb = mean(&|x, y| (b(x, y) - mb).powi(2));
            let cov = mean(&|x, y| (a(x, y) - ma) * (b(x, y) - mb));
            sum += (2.0 * ma * mb + c1) * (2.0 * cov + c2) / ((ma * ma + mb * mb + c1) * (va + vb + c2));
            count += 1.0;
        }
    }
    sum / count
}

#[test]
fn comparisons_follow_the_definitions_for_every_depth() {
    let size = Size::new(83, 47);
    let (a, b) = (noise(size, 2), noise(size, 77));
    let found = compare(a.view(), b.view(), &CompareRules::default()).unwrap();
    let close = |found: f64, wanted: f64| (found - wanted).abs() <= 1e-9 * wanted.abs().max(1.0);
    for (channel, c) in found.channels.iter().enumerate() {
        let d = &c.difference;
        let [max, mae, mse, snr, psnr] = plain(a.view(), b.view(), channel, 255.0);
        assert_eq!(d.max_abs, max);
        assert!(close(d.mae, mae) && close(d.mse, mse) && close(d.snr_db, snr) && close(d.psnr_db, psnr), "{d:?}");
        let of = |f: &Frame<Rgb<u8>>, x: u32, y: u32| f64::from(f.view().row_samples(y)[3 * x as usize + channel]);
        let wanted = ssim_by_formula(&|x, y| of(&a, x, y), &|x, y| of(&b, x, y), size, 255.0);
        assert!((d.ssim.unwrap() - wanted).abs() < 1e-10, "{:?} {wanted}", d.ssim);
        let (x, y) = d.max_at.unwrap();
        assert_eq!((of(&a, x, y) - of(&b, x, y)).abs(), max);
    }
    // The whole is that of all numbers.
    let each = |f: &dyn Fn(&rahmen::measure::Difference) -> f64| {
        found.channels.iter().map(|c| f(&c.difference)).sum::<f64>() / 3.0
    };
    assert!(close(found.whole.mse, each(&|d| d.mse)) && close(found.whole.mae, each(&|d| d.mae)));
    assert!(close(found.whole.ssim.unwrap(), each(&|d| d.ssim.unwrap())));
    let words = [&a, &b].map(|f| f.view().map(|p| Gray::new(u16::from(p.r) * 257 - u16::from(p.r) / 9)).unwrap());
    let floats = [&a, &b].map(|f| f.view().map(|p| Gray::new(f32::from(p.g) / 255.0)).unwrap());
    let [max, mae, mse, ..] = plain(words[0].view(), words[1].view(), 0, 65_535.0);
    let w = compare(words[0].view(), words[1].view(), &CompareRules::default()).unwrap().whole;
    assert!(w.max_abs == max && close(w.mae, mae) && close(w.mse, mse));
    let [max, mae, mse, snr, psnr] = plain(floats[0].view(), floats[1].view(), 0, 1.0);
    let f = compare(floats[0].view(), floats[1].view(), &CompareRules::default()).unwrap().whole;
    assert!(
        f.max_abs == max && close(f.mae, mae) && close(f.mse, mse) && close(f.snr_db, snr) && close(f.psnr_db, psnr)
    );
    for threads in [Threads::ONE, Threads::at_most(5)] {
        let mut rules = CompareRules::default();
        rules.threads = threads;
        assert_eq!(compare(a.view(), b.view(), &rules).unwrap(), found);
    }
}

#[test]
fn equal_pictures_thresholds_alpha_and_nan_are_told() {
    let a = noise(Size::new(20, 20), 4);
    let same = compare(a.view(), a.view(), &CompareRules::default()).unwrap();
    assert!(same.equal && same.whole.psnr_db.is_infinite() && same.whole.ssim == Some(1.0) && same.hint.is_none());
    let mut b = a.clone();
    for (x, d) in [(3, 5u8), (4, 6), (5, 7)] {
        let p = b[(x, 9)];
        b.set(x, 9, Rgb::new(p.r, if p.g >= d { p.g - d } else { p.g + d }, p.b)).unwrap();
    }
    let mut rules = CompareRules::default();
    rules.threshold = 5.0;
    let found = compare(a.view(), b.view(), &rules).unwrap();
    assert_eq!((found.whole.max_at, found.whole.max_abs), (Some((5, 9)), 7.0));
    assert!((found.channels[1].difference.over - 2.0 / 400.0).abs() < 1e-15);
    // Whole figures leave alpha out, equality does not.
    let x = Frame::filled(Size::new(3, 3), GrayAlpha::new(9u8, 255)).unwrap();
    let y = Frame::filled(Size::new(3, 3), GrayAlpha::new(9u8, 254)).unwrap();
    let found = compare(x.view(), y.view(), &CompareRules::default()).unwrap();
    assert!(!found.equal && found.whole.mse == 0.0 && found.channels[1].difference.max_abs == 1.0);
    assert_eq!(found.whole.ssim, None);
    let nan = |v: [f32; 3]| Frame::<Gray<f32>>::from_samples(Size::new(3, 1), v.to_vec()).unwrap();
    let (p, q) = (nan([f32::NAN, 1.0, 2.0]), nan([f32::NAN, f32::NAN, 2.0]));
    assert!(compare(p.view(), p.view(), &CompareRules::default()).unwrap().equal);
    let found = compare(p.view(), q.view(), &CompareRules::default()).unwrap();
    assert_eq!((found.equal, found.whole.nan, found.whole.count), (false, 1, 1));
    let mut rules = CompareRules::default();
    rules.peak = Some(0.0);
    assert!(compare(a.view(), b.view(), &rules).is_err());
}

#[test]
fn what_would_make_pictures_equal_is_said() {
    let a = noise(Size::new(37, 21), 8);
    let hint = |b: &Frame<Rgb<u8>>| {
        compare(a.view(), b.view(), &CompareRules::default()).unwrap().hint.map(|h| (h.fix, h.psnr_db.is_infinite()))
    };
    assert_eq!(hint(&a.view().map(|p| Rgb::new(p.b, p.g, p.r)).unwrap()), Some((Fix::Channels([2, 1, 0]), true)));
    assert_eq!(hint(&a.view().map(|p| Rgb::new(p.b, p.r, p.g)).unwrap()), Some((Fix::Channels([1, 2, 0]), true)));
    // Nearly equal: one level off everywhere, and rotated.
    let near = a.view().map(|p| Rgb::new(p.r ^ 1, p.g ^ 1, p.b ^ 1)).unwrap().view().rotated_half().unwrap();
    let found = compare(a.view(), near.view(), &CompareRules::default()).unwrap();
    let hint_of_near = found.hint.unwrap();
    assert_eq!(hint_of_near.fix, Fix::Orientation(Orientation::RotatedHalf));
    // PSNR of an error of 1 of 255.
    assert!((hint_of_near.psnr_db - 48.130_803_608_679_1).abs() < 1e-9);
    assert!(
        hint_of_near
            .words(found.whole.psnr_db)
            .starts_with("much closer if the second is rotated by 180 degrees: 48.1 dB")
    );
    assert_eq!(
        hint(&a.view().oriented(Orientation::MirroredLeftRight).unwrap()),
        Some((Fix::Orientation(Orientation::MirroredLeftRight), true))
    );
    assert_eq!(
        hint(&a.view().oriented(Orientation::RotatedHalf).unwrap()),
        Some((Fix::Orientation(Orientation::RotatedHalf), true))
    );
    assert_eq!(hint(&noise(Size::new(37, 21), 9)), None);
    // Too few rows to give up on: the top eight of 128 are 60 levels off in all channels, so that the error after the swap is 60^2 / 16.
    let narrow = noise(Size::new(16, 128), 3).view().map(|p| Rgb::new(p.r / 2, p.g / 2, p.b / 2)).unwrap();
    let mut swapped = narrow.view().map(|p| Rgb::new(p.b, p.g, p.r)).unwrap();
    for y in 0..8 {
        swapped.row_mut(y).iter_mut().for_each(|p| *p = Rgb::new(p.r + 60, p.g + 60, p.b + 60));
    }
    let found = compare(narrow.view(), swapped.view(), &CompareRules::default()).unwrap().hint.unwrap();
    assert_eq!(found.fix, Fix::Channels([2, 1, 0]));
    assert!((found.psnr_db - 10.0 * (255.0f64.powi(2) / 225.0).log10()).abs() < 1e-9);
    let contents = |b: Content| Content::from(a.clone()).compare(&b, &CompareRules::default()).unwrap_err().to_string();
    let turned = contents(a.view().oriented(Orientation::RotatedLeft).unwrap().into());
    assert_eq!(
        turned,
        "the first picture is 37x21, the second 21x37; only pictures of one size and type can be compared; they are \
         equal if the second is rotated by 90 degrees clockwise"
    );
    let deep = a.view().map(|p| Rgb::new(u16::from(p.r) * 257, u16::from(p.g) * 257, u16::from(p.b) * 257)).unwrap();
    assert!(contents(deep.into()).ends_with("they are equal if both are taken at u8"));
    let rgba = a.view().map(|p| Rgba::new(p.r, p.g, p.b, 255)).unwrap();
    assert!(contents(rgba.into()).contains("holds rgb u8, the second rgb+alpha u8"));
    let plane = |v: i32| Frame::filled(Size::new(2, 2), Gray::new(v)).unwrap();
    let planes = |v: i32| Content::Planes(Planes::new(Size::new(2, 2)).with("z", plane(v)).unwrap().into());
    let found = planes(-5).compare(&planes(7), &CompareRules::default()).unwrap();
    assert_eq!((found.whole.max_abs, found.channels[0].name.as_str(), found.peak), (12.0, "z", 5.0));
}

#[test]
fn the_error_is_a_picture_and_a_histogram() {
    let (a, b) = (noise(Size::new(31, 17), 2), noise(Size::new(31, 17), 3));
    let error = error_picture(a.view(), b.view(), 1.0).unwrap();
    for ((a, b), e) in a.samples().iter().zip(b.samples()).zip(error.samples()) {
        let wanted = (127.5 + (f64::from(*b) - f64::from(*a)) / 2.0 + 0.5).floor();
        assert_eq!(f64::from(*e), wanted);
    }
    let counted = error_histogram(a.view(), b.view()).unwrap();
    let c = &counted.channels[2];
    let errors: Vec<f64> = a.pixels().iter().zip(b.pixels()).map(|(a, b)| f64::from(b.b) - f64::from(a.b)).collect();
    for (i, &count) in c.bins.iter().enumerate() {
        let at = i as f64 - 255.0;
        assert_eq!((c.level(i), count), (at, errors.iter().filter(|e| **e == at).count() as u64));
    }
    assert!((c.stats.mean - errors.iter().sum::<f64>() / errors.len() as f64).abs() < 1e-12);
    let of = |f: &Frame<Rgb<u8>>| f.view().map(|p| Gray::new(f32::from(p.r) - 300.0)).unwrap();
    let floats = error_histogram(of(&a).view(), of(&b).view()).unwrap();
    assert_eq!(floats.channels[0].range.0, -floats.channels[0].range.1);
    assert_eq!(floats.channels[0].in_bins(), 31 * 17);
    assert!(error_picture(a.view(), b.view(), 0.0).is_err());
}

#[test]
fn profiles_follow_rows_columns_and_lines() {
    let frame = noise(Size::new(40, 30), 6);
    let row = profile(frame.view(), (0, 7), (39, 7)).unwrap();
    assert!(row.channels[1].values.iter().zip(frame.row(7)).all(|(v, p)| *v == f64::from(p.g)));
    assert_eq!((row.channels[0].values.len(), row.step), (40, 1.0));
    let back = profile(frame.view(), (39, 7), (0, 7)).unwrap();
    assert!(back.channels[2].values.iter().rev().eq(&row.channels[2].values));
    let diagonal = profile(frame.view(), (5, 5), (15, 15)).unwrap();
    assert!((0..11).all(|i| diagonal.channels[0].values[i] == f64::from(frame[(5 + i as u32, 5 + i as u32)].r)));
    assert!((diagonal.step - 2f64.sqrt()).abs() < 1e-12);
    // A third of the way down a column: two thirds of one pixel and a third of the other.
    let slanted = profile(frame.view(), (0, 0), (3, 1)).unwrap();
    let wanted = f64::from(frame[(1, 0)].b) * 2.0 / 3.0 + f64::from(frame[(1, 1)].b) / 3.0;
    assert!((slanted.channels[2].values[1] - wanted).abs() < 1e-9);
    assert_eq!(profile(frame.view(), (4, 4), (4, 4)).unwrap().channels[0].values, [f64::from(frame[(4, 4)].r)]);
    let outside = profile(frame.view(), (0, 0), (3, 30)).unwrap_err();
    assert_eq!(outside.to_string(), "y 30 is outside 0..30; the swapped pair (30, 3) is inside: x comes first");
}

#[test]
fn moments_hold_for_lengths_about_the_lanes() {
    for width in (1..70).chain([1025, 4099]) {
        let a = noise(Size::new(width, 3), width);
        let b = noise(Size::new(width, 3), width + 1);
        let found = moments(a.view(), Threads::ALL);
        let apart = compare(a.view(), b.view(), &CompareRules::default()).unwrap();
        for (channel, found) in found.iter().enumerate() {
            let values = numbers(a.view(), channel);
            let mean = values.iter().sum::<f64>() / values.len() as f64;
            assert!((found.mean() - mean).abs() < 1e-9);
            let [max, _, mse, ..] = plain(a.view(), b.view(), channel, 255.0);
            let d = &apart.channels[channel].difference;
            assert!(d.max_abs == max && (d.mse - mse).abs() < 1e-9, "{width} {channel}");
        }
    }
}

#[test]
#[cfg(feature = "serde")]
fn measurements_come_back_from_json() {
    use rahmen::measure::{Comparison, Histogram, Moments};
    use rahmen::tone::{BitStudy, Reconstruction, bit_study};
    let (a, b) = (noise(Size::new(30, 20), 1), noise(Size::new(30, 20), 2));
    let counted = histogram(a.view(), &HistogramRules::default()).unwrap();
    let text = serde_json::to_string(&counted).unwrap();
    let mut back: Histogram = serde_json::from_str(&text).unwrap();
    assert_eq!(back, counted);
    // What came back from another machine still adds up.
    back.merge(&counted).unwrap();
    assert_eq!(back.channels[0].stats.count, 1200);
    let floats = a.view().map(|p| Gray::new(f32::from(p.r))).unwrap();
    let m = moments(floats.view(), Threads::ALL);
    assert_eq!(serde_json::from_str::<Vec<Moments>>(&serde_json::to_string(&m).unwrap()).unwrap(), m);
    let found = compare(a.view(), b.view(), &CompareRules::default()).unwrap();
    assert_eq!(serde_json::from_str::<Comparison>(&serde_json::to_string(&found).unwrap()).unwrap(), found);
    // Infinity becomes null, and no number comes back.
    let same = compare(a.view(), a.view(), &CompareRules::default()).unwrap();
    let text = serde_json::to_string(&same).unwrap();
    assert!(text.contains("\"psnr_db\":null"));
    assert!(serde_json::from_str::<Comparison>(&text).unwrap().whole.psnr_db.is_nan());
    let study = bit_study(&counted, Reconstruction::Centres).unwrap();
    assert_eq!(serde_json::from_str::<BitStudy>(&serde_json::to_string(&study).unwrap()).unwrap(), study);
}

#[test]
#[cfg(feature = "serde")]
fn what_stands_in_json_is_looked_at_before_it_is_a_measurement() {
    use rahmen::measure::{Histogram, JointHistogram, Profile, joint_histogram};
    let frame = Frame::from_fn(Size::new(9, 7), |x, y| Rgb::new(x as u8 * 20, y as u8, 7)).unwrap();
    let counted = serde_json::to_value(histogram(frame.view(), &HistogramRules::default()).unwrap()).unwrap();
    let view = frame.view();
    let pairs = joint_histogram((view, 0), (view, 1), (4, 4), [(0.0, 256.0); 2], &Mask::ALL).unwrap();
    let pairs = serde_json::to_value(pairs).unwrap();
    let line = serde_json::to_value(profile(view, (0, 0), (8, 6)).unwrap()).unwrap();
    assert!(serde_json::from_value::<Histogram>(counted.clone()).is_ok());
    assert!(serde_json::from_value::<JointHistogram>(pairs.clone()).is_ok());
    assert!(serde_json::from_value::<Profile>(line.clone()).is_ok());
    for (key, value) in [
        ("bins", serde_json::json!([])),
        ("bins", serde_json::json!([u64::MAX, u64::MAX])),
        ("range", serde_json::json!([3.0, 3.0])),
        ("range", serde_json::json!([9.0, 3.0])),
        ("levels", serde_json::json!(0)),
        ("levels", serde_json::json!(1u64 << 40)),
        ("first", serde_json::json!(i64::MIN)),
    ] {
        let mut wrong = counted.clone();
        wrong["channels"][0][key] = value.clone();
        let error = serde_json::from_value::<Histogram>(wrong).expect_err(&format!("{key} {value}"));
        assert!(error.to_string().contains("channel r"), "{error}");
    }
    for (key, value) in [
        ("bins", serde_json::json!([4, 5])),
        ("bins", serde_json::json!([usize::MAX, 2])),
        ("counts", serde_json::json!([1, 2])),
        ("ranges", serde_json::json!([[0.0, 0.0], [0.0, 1.0]])),
    ] {
        let mut wrong = pairs.clone();
        wrong[key] = value;
        assert!(serde_json::from_value::<JointHistogram>(wrong).is_err(), "{key}");
    }
    for (key, value) in [
        ("to", serde_json::json!([u32::MAX, 6])),
        ("step", serde_json::json!(0.0)),
        ("channels", serde_json::json!([])),
    ] {
        let mut wrong = line.clone();
        wrong[key] = value;
        assert!(serde_json::from_value::<Profile>(wrong).is_err(), "{key}");
    }
}
