//! Pictures laid down by affine maps: whole pixels and quarter turns move exactly, a map that scales is a resize, and
//! places between pixels are what sampling gives there.

use rahmen::access::Edge;
use rahmen::pixel::{samples_of, samples_of_mut};
use rahmen::resample::{Affine, Area, Kernel, ResizeRules, WarpRules, resize_area, rotated_whole, sample, warp};
use rahmen::{Cmyk, Frame, Gray, Orientation, Pixel, Rgb, Rgba, Sample, Size, Threads};

fn frame(size: Size) -> Frame<Rgb<u8>> {
    Frame::from_fn(size, |x, y| Rgb::new((x * 37 + y * 11) as u8, (x * x + y) as u8, (y * 29) as u8)).unwrap()
}

fn warped<P: Pixel<Number: Sample>>(from: &Frame<P>, map: Affine, to: Size, rules: &WarpRules) -> Frame<P> {
    let mut out = Frame::new(to).unwrap();
    warp(from.view(), map, out.view_mut(), rules).unwrap();
    out
}

/// Those that give back the samples where nothing is between them.
fn interpolating() -> impl Iterator<Item = Kernel> {
    Kernel::ALL.iter().filter(|&k| *k != Kernel::Mitchell).cloned()
}

#[test]
fn whole_pixels_and_quarter_turns_move_exactly() {
    let from = frame(Size::new(31, 22));
    for kernel in interpolating() {
        let same = warped(&from, Affine::IDENTITY, from.size(), &WarpRules::new(kernel.clone()));
        assert!(same == from, "{kernel}");
        let shifted = warped(&from, Affine::translate(3.0, -2.0), from.size(), &WarpRules::new(kernel.clone()));
        for (x, y) in [(3, 0), (30, 19), (17, 5)] {
            assert_eq!(shifted[(x, y)], from[(x - 3, y + 2)], "{kernel}");
        }
        assert_eq!((shifted[(2, 5)], shifted[(9, 20)]), (Rgb::new(0, 0, 0), Rgb::new(0, 0, 0)), "{kernel}");
        for (degrees, turn) in [
            (90.0, Orientation::RotatedRight),
            (180.0, Orientation::RotatedHalf),
            (-90.0, Orientation::RotatedLeft),
            (450.0, Orientation::RotatedRight),
        ] {
            let (map, size) = rotated_whole(from.size(), degrees).unwrap();
            let wanted = from.view().oriented(turn).unwrap();
            assert!(warped(&from, map, size, &WarpRules::new(kernel.clone())) == wanted, "{kernel} {degrees}");
        }
    }
}

#[test]
fn a_map_that_scales_is_a_resize() {
    let from = frame(Size::new(60, 45));
    // Not the nearest pixel: a centre just between two is a matter of the last bit.
    let kernels = || Kernel::ALL.iter().skip(1).cloned();
    let cases = [Size::new(24, 9), Size::new(97, 91)].into_iter().flat_map(|to| kernels().map(move |k| (to, k)));
    for (to, kernel) in cases {
        // A box of a resize follows the scale both ways, that of a warp is a pixel wide at least.
        if kernel == Kernel::Box && to.width > 60 {
            continue;
        }
        let map = Affine::scale(f64::from(to.width) / 60.0, f64::from(to.height) / 45.0);
        for edge in [Edge::Clamp, Edge::Wrap, Edge::Constant([0.3, 0.6, 0.9, 0.0])] {
            let found = warped(&from, map, to, &WarpRules::new(kernel.clone()).edge(edge));
            let rules = ResizeRules::new(kernel.clone()).edge(edge);
            let wanted = resize_area(from.view(), Area::of(from.size()), to, &rules).unwrap();
            let worst = found.samples().iter().zip(wanted.samples()).map(|(a, b)| a.abs_diff(*b)).max().unwrap();
            assert!(worst <= 1, "{kernel} {to} {edge:?}: {worst}");
        }
    }
}

#[test]
fn places_between_pixels_are_sampled() {
    let from = frame(Size::new(40, 30));
    let (map, size) = rotated_whole(from.size(), 33.0).unwrap();
    // |40 cos| + |30 sin| = 49.9, |40 sin| + |30 cos| = 46.9, rounded up.
    assert_eq!(size, Size::new(50, 47));
    let back = map.inverse().unwrap();
    for kernel in Kernel::ALL {
        let rules = WarpRules::new(kernel.clone()).edge(Edge::Reflect);
        let out = warped(&from, map, size, &rules);
        for (x, y) in [(25, 23), (10, 30), (0, 0), (49, 20)] {
            let (u, v) = back.at(f64::from(x) + 0.5, f64::from(y) + 0.5);
            assert_eq!(out[(x, y)], sample(from.view(), u, v, kernel, Edge::Reflect).unwrap(), "{kernel} {x},{y}");
        }
        let parallel = warped(&from, map, size, &rules.clone().threads(Threads::at_most(5)));
        assert!(parallel == warped(&from, map, size, &rules.threads(Threads::ONE)));
    }
}

/// Every pixel of a turned picture against sampling its place: at most `most` of full apart, and where rounding shows hardly
/// ever apart at all.
fn every_pixel_is_sampled<P: Pixel<Number: Sample>>(most: f64) {
    let mut state = 5u32;
    let from = Frame::<P>::from_fn(Size::new(61, 47), |_, _| {
        let mut p = P::default();
        for v in samples_of_mut(std::slice::from_mut(&mut p)) {
            state = state.wrapping_mul(1_664_525).wrapping_add(1_013_904_223);
            *v = P::Number::from_fraction(f64::from(state >> 16) / 65_535.0);
        }
        p
    })
    .unwrap();
    let (map, size) = rotated_whole(from.size(), 29.0).unwrap();
    let back = map.inverse().unwrap();
    for kernel in Kernel::ALL {
        let mut out = Frame::<P>::new(size).unwrap();
        warp(from.view(), map, out.view_mut(), &WarpRules::new(kernel.clone()).edge(Edge::Clamp)).unwrap();
        let (mut apart, mut count) = (0u32, 0u32);
        for (x, y, found) in out.view().pixels_with_xy() {
            let (u, v) = back.at(f64::from(x) + 0.5, f64::from(y) + 0.5);
            let wanted = sample(from.view(), u, v, kernel, Edge::Clamp).unwrap();
            for (a, b) in samples_of(&[found]).iter().zip(samples_of(&[wanted])) {
                let error = (a.to_fraction() - b.to_fraction()).abs();
                assert!(error <= most, "{kernel} {x},{y}: {found:?} instead of {wanted:?}");
                apart += u32::from(error > 1e-6);
                count += 1;
            }
        }
        assert!(apart * 1000 <= count, "{kernel}: {apart} of {count}");
    }
}

#[test]
fn every_pixel_of_every_layout_is_what_sampling_gives() {
    every_pixel_is_sampled::<Gray<u8>>(1.0 / 255.0);
    every_pixel_is_sampled::<Rgb<u8>>(1.0 / 255.0);
    every_pixel_is_sampled::<Cmyk<u8>>(1.0 / 255.0);
    every_pixel_is_sampled::<Rgba<u8>>(1.0 / 255.0);
    every_pixel_is_sampled::<Rgb<u16>>(1.0 / 65_535.0);
    every_pixel_is_sampled::<Gray<f32>>(1e-6);
    every_pixel_is_sampled::<Rgb<f32>>(1e-6);
}

#[test]
fn turning_there_and_back_keeps_what_is_soft() {
    let soft = |x: u32, y: u32| (f64::from(x) / 9.0).sin() + (f64::from(y) / 11.0).cos();
    let from = Frame::<Gray<f32>>::from_fn(Size::new(90, 90), |x, y| Gray::new(soft(x, y) as f32)).unwrap();
    let turn = Affine::rotate(27.0).about(45.0, 45.0);
    let rules = WarpRules::new(Kernel::Lanczos3).edge(Edge::Clamp);
    let there = warped(&from, turn, from.size(), &rules);
    let back = warped(&there, Affine::rotate(-27.0).about(45.0, 45.0), from.size(), &rules);
    let middle = rahmen::Region::new(25..65, 25..65).unwrap();
    let (a, b) = (from.region(middle).unwrap(), back.region(middle).unwrap());
    for (a, b) in a.rows().flatten().zip(b.rows().flatten()) {
        assert!((a.value - b.value).abs() < 0.02, "{} {}", a.value, b.value);
    }
}

#[test]
fn what_lies_outside_is_clear_where_there_is_alpha() {
    let from = Frame::filled(Size::new(20, 20), Rgba::new(200u8, 100, 50, 255)).unwrap();
    let (map, size) = rotated_whole(from.size(), 45.0).unwrap();
    let out = warped(&from, map, size, &WarpRules::default());
    assert_eq!((out[(0, 0)], out[(14, 14)]), (Rgba::new(0, 0, 0, 0), Rgba::new(200, 100, 50, 255)));
    // Along the border the colour is the picture's own, only fainter.
    assert!(out.pixels().iter().all(|p| p.a < 2 || (p.r.abs_diff(200) <= 60 && p.g.abs_diff(100) <= 60)));
}

#[test]
fn maps_that_cannot_be_are_errors() {
    let from = frame(Size::new(9, 9));
    let mut out = Frame::new(Size::new(4, 4)).unwrap();
    for map in [Affine::scale(0.0, 1.0), Affine::scale(1e-9, 1e-9), Affine::translate(1e300, 0.0)] {
        let rules = WarpRules::default().edge(Edge::Clamp);
        assert!(warp(from.view(), map, out.view_mut(), &rules).is_err(), "{map:?}");
    }
    assert!(rotated_whole(Size::new(4, 4), f64::NAN).is_err());
    let empty = Frame::<Rgb<u8>>::new(Size::new(0, 3)).unwrap();
    assert!(warp(empty.view(), Affine::IDENTITY, out.view_mut(), &WarpRules::default()).is_err());
}
