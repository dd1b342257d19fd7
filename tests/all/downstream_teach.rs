//! A course on images: repeated pixels, a place between four of them, eight levels equalised, what a bit is worth.

use rahmen::access::Edge;
use rahmen::measure::{ChannelHistogram, HistogramRules, histogram};
use rahmen::resample::{Kernel, ResizeRules, sample, taps};
use rahmen::tone::{
    EqualizeBy, EqualizeRules, QuantizeRules, Reconstruction, bit_study, equalize, level_table, quantize,
};
use rahmen::{Frame, Gray, Levels, Size};

#[test]
fn the_examples_of_the_course_come_out_as_on_paper() {
    let two = Frame::<Gray<u8>>::from_samples(Size::new(2, 2), vec![10, 20, 30, 40]).unwrap();
    let four = two.resize(Size::new(4, 4), &ResizeRules::new(Kernel::Nearest)).unwrap();
    assert_eq!(four.samples(), [10, 10, 20, 20, 10, 10, 20, 20, 30, 30, 40, 40, 30, 30, 40, 40]);
    let smooth = two.resize(Size::new(4, 4), &ResizeRules::new(Kernel::Linear)).unwrap();
    assert_eq!(smooth.samples()[..4], [10, 13, 18, 20]);

    // Linear interpolation at (0.8, 1.3): 0.7 and 0.3 of the columns, 0.2 and 0.8 of the rows.
    let made = taps(two.size(), 0.8, 1.3, &Kernel::Linear, Edge::Clamp).unwrap();
    let pairs = made.y.iter().flat_map(|row| made.x.iter().map(move |column| (column, row)));
    let value = |(x, y): (u32, u32)| f64::from(two[(x, y)].value);
    let sum: f64 = pairs.map(|(c, r)| c.weight * r.weight * value((c.inside.unwrap(), r.inside.unwrap()))).sum();
    assert!((sum - (0.2 * (0.7 * 10.0 + 0.3 * 20.0) + 0.8 * (0.7 * 30.0 + 0.3 * 40.0))).abs() < 1e-12);
    assert_eq!(sample(two.view(), 0.8, 1.3, &Kernel::Linear, Edge::Clamp).unwrap().value, 29);

    // A textbook's 64 x 64 pixels of eight levels: 7 times the cumulative share, rounded.
    let counts = [790u64, 1023, 850, 656, 329, 245, 122, 81];
    let table = level_table(&ChannelHistogram::of_counts("gray", &counts), EqualizeBy::Cumulative).unwrap();
    assert_eq!(table.iter().map(|row| row.new_level).collect::<Vec<_>>(), [1.0, 3.0, 5.0, 6.0, 6.0, 7.0, 7.0, 7.0]);
    assert_eq!((table[0].exact_level, table[0].probability), (7.0 * 790.0 / 4096.0, 790.0 / 4096.0));
    let levels = counts.iter().enumerate().flat_map(|(l, &n)| std::iter::repeat_n(l as u8, n as usize)).collect();
    let picture = Frame::<Gray<u8>>::from_samples(Size::new(64, 64), levels).unwrap();
    let even = equalize(picture.view(), &EqualizeRules::default().levels(Levels::codes(7))).unwrap().frame;
    let counted = histogram(even.view(), &HistogramRules::default().levels(Levels::codes(7))).unwrap();
    assert_eq!(counted.channels[0].bins, [0, 790, 0, 1023, 0, 850, 985, 448]);

    let fog = rahmen::read("cli/demo/quay-fog.png").unwrap().frame::<Gray<u8>>().unwrap();
    let study =
        bit_study(&histogram(fog.view(), &HistogramRules::default()).unwrap(), Reconstruction::Centres).unwrap();
    let three = quantize(fog.view(), &QuantizeRules::bits(3)).unwrap();
    let error = |a: Gray<u8>, b: Gray<u8>| Gray::new((f64::from(a.value) - f64::from(b.value)).powi(2));
    let squares = fog.view().zip(&three.view(), error).unwrap();
    let mse = squares.view().fold(0.0, |sum, p| sum + p.value) / fog.size().pixels() as f64;
    let of_three = study.levels.iter().find(|level| level.bits == 3).unwrap();
    assert!((of_three.mse - mse).abs() < 1e-9 && study.slope_db_per_bit > 5.0);
}
