//! Every move against a reference of a few lines, over random sizes (0, 1, primes), views of views, and pixel types of
//! every size in bytes and every layout. A move knows no more of a pixel than its bytes, so that one type a size and a layout
//! tells all; every further type would cost seconds of compiling.

use proptest::prelude::*;
use rahmen::access::{Edge, Margins, Overlap, Rest, TileGrid};
use rahmen::convert::channels;
use rahmen::pixel::{Premultiplied, samples_of, samples_of_mut};
use rahmen::{Cmyk, Frame, Gray, GrayAlpha, Lab, Number, Orientation, Pixel, Region, Rgb, Rgba, Size, Threads, View};

/// A check that is written once over all pixel types.
trait Check {
    fn run<P: Pixel>(&self);
}

fn for_all_types(check: impl Check) {
    macro_rules! run { ($($t:ty),*) => { $(check.run::<$t>();)* } }
    run!(Gray<u8>, Gray<i16>, Gray<f32>, Gray<u64>, GrayAlpha<u8>, GrayAlpha<f32>);
    run!(Rgb<u8>, Rgb<u16>, Lab, Rgba<u8>, Cmyk<u16>, Premultiplied<Rgba<f32>>);
}

/// A pixel that tells its place apart from its neighbours'.
fn pixel<P: Pixel>(x: u32, y: u32, salt: u32) -> P {
    let mut p = P::default();
    for (c, v) in (0u32..).zip(samples_of_mut(std::slice::from_mut(&mut p))) {
        *v = P::Number::from_f64(f64::from((x * 7 + y * 31 + c * 11 + salt * 53) % 120));
    }
    p
}

/// A view of a view of a larger frame, at (2, 1) in it and of this size.
fn within<P: Pixel>(outer: &Frame<P>, size: Size) -> View<'_, P> {
    let first = outer.region(Region::at(1, 0, Size::new(size.width + 2, size.height + 2)).unwrap()).unwrap();
    first.region(Region::at(1, 1, size).unwrap()).unwrap()
}

fn outer<P: Pixel>(size: Size, salt: u32) -> Frame<P> {
    Frame::from_fn(Size::new(size.width + 5, size.height + 3), |x, y| pixel(x, y, salt)).unwrap()
}

fn assert_is<P: Pixel>(found: &Frame<P>, size: Size, what: &str, want: &dyn Fn(u32, u32) -> P) {
    assert_eq!(found.size(), size, "{what} {}", P::describe());
    for (x, y) in (0..size.height).flat_map(|y| (0..size.width).map(move |x| (x, y))) {
        assert_eq!(found[(x, y)], want(x, y), "{what} {} at {x},{y} of {size}", P::describe());
    }
}

/// Sides that break kernels: nothing, one, primes, and lengths around blocks of 64.
fn side() -> impl Strategy<Value = u32> {
    prop_oneof![Just(0u32), Just(1), Just(2), Just(7), Just(13), Just(31), Just(64), Just(67), Just(131), 0u32..40]
}

fn size() -> impl Strategy<Value = Size> {
    (side(), side()).prop_map(|(w, h)| Size::new(w, h))
}

/// The same cases every time; PROPTEST_CASES and PROPTEST_RNG_SEED ask for more, or others.
fn config() -> ProptestConfig {
    let own = |name| std::env::var_os(name).is_some();
    let mut config = ProptestConfig { failure_persistence: None, ..ProptestConfig::default() };
    if !own("PROPTEST_CASES") {
        config.cases = 24;
    }
    if !own("PROPTEST_RNG_SEED") {
        config.rng_seed = proptest::test_runner::RngSeed::Fixed(20_261_125);
    }
    config
}

proptest! {
    #![proptest_config(config())]

    #[test]
    fn orientations(size in size()) {
        struct Turns(Size);
        impl Check for Turns {
            fn run<P: Pixel>(&self) {
                let Turns(size) = *self;
                let frame = outer::<P>(size, 0);
                let view = within(&frame, size);
                let (w, h) = (size.width, size.height);
                for orientation in Orientation::ALL {
                    let oriented = view.oriented(orientation).unwrap();
                    let want = |x: u32, y: u32| match orientation {
                        Orientation::Upright => view[(x, y)],
                        Orientation::MirroredLeftRight => view[(w - 1 - x, y)],
                        Orientation::MirroredTopBottom => view[(x, h - 1 - y)],
                        Orientation::RotatedHalf => view[(w - 1 - x, h - 1 - y)],
                        Orientation::Transposed => view[(y, x)],
                        Orientation::AntiTransposed => view[(w - 1 - y, h - 1 - x)],
                        Orientation::RotatedRight => view[(y, h - 1 - x)],
                        Orientation::RotatedLeft => view[(w - 1 - y, x)],
                    };
                    assert_is(&oriented, orientation.size(size), &format!("{orientation:?}"), &want);
                    assert_eq!(oriented.view().oriented(orientation.inverse()).unwrap(), view.to_frame());
                    let mut copy = outer::<P>(size, 0);
                    let mut place = copy.region_mut(Region::at(2, 1, size).unwrap()).unwrap();
                    match place.orient(orientation) {
                        Ok(()) => assert_eq!(place.as_view().to_frame(), oriented, "{orientation:?} in place"),
                        Err(_) => assert!(w != h && orientation.swaps_axes()),
                    }
                }
            }
        }
        for_all_types(Turns(size));
        for_all_types(Turns(Size::new(size.width, size.width)));
    }

    #[test]
    fn pads_and_shifts(size in size(), m in prop::array::uniform4(0u32..50), dx in -70i64..70, dy in -70i64..70) {
        struct Pads(Size, Margins, i64, i64);
        impl Check for Pads {
            fn run<P: Pixel>(&self) {
                let Pads(size, m, dx, dy) = *self;
                let frame = outer::<P>(size, 0);
                let view = within(&frame, size);
                let (w, h) = (i64::from(size.width), i64::from(size.height));
                let blank = pixel::<P>(1, 1, 1);
                for edge in [Edge::Clamp, Edge::Reflect, Edge::Wrap, Edge::Constant(blank)] {
                    let Ok(padded) = view.padded(m, edge) else {
                        assert!(size.is_empty() && !matches!(edge, Edge::Constant(_)));
                        continue;
                    };
                    // Step by step towards the picture: the edges by their words alone.
                    let walk = |mut at: i64, n: i64| loop {
                        match edge {
                            _ if (0..n).contains(&at) => return Some(at as u32),
                            Edge::Clamp => at = if at < 0 { 0 } else { n - 1 },
                            Edge::Reflect => at = if at < 0 { -1 - at } else { 2 * n - 1 - at },
                            Edge::Wrap => at += if at < 0 { n } else { -n },
                            _ => return None,
                        }
                    };
                    let want = |x: u32, y: u32| {
                        let (x, y) = (i64::from(x) - i64::from(m.left), i64::from(y) - i64::from(m.top));
                        walk(x, w).zip(walk(y, h)).map_or(blank, |place| view[place])
                    };
                    assert_is(&padded, m.around(size).unwrap(), &format!("{edge:?}"), &want);
                }
                let want = |x: u32, y: u32| {
                    view[((i64::from(x) - dx).rem_euclid(w) as u32, (i64::from(y) - dy).rem_euclid(h) as u32)]
                };
                assert_is(&view.shifted(dx, dy).unwrap(), size, "shifted", &want);
                let mut copy = outer::<P>(size, 0);
                let mut place = copy.region_mut(Region::at(2, 1, size).unwrap()).unwrap();
                place.shift(dx, dy);
                assert_is(&place.as_view().to_frame(), size, "shift", &want);
            }
        }
        let margins = Margins { left: m[0], top: m[1], right: m[2], bottom: m[3] };
        for_all_types(Pads(size, margins, dx, dy));
    }

    #[test]
    fn pastes(size in size(), over in size(), x in -50i64..150, y in -50i64..150) {
        struct Pastes(Size, Size, i64, i64);
        impl Check for Pastes {
            fn run<P: Pixel>(&self) {
                let Pastes(size, over, x, y) = *self;
                let (base, other) = (outer::<P>(size, 0), outer::<P>(over, 3));
                let (below, above) = (within(&base, size), within(&other, over));
                let mut target = base.clone();
                let done = target.region_mut(Region::at(2, 1, size).unwrap()).unwrap().paste_clipped(&above, x, y);
                let want = |px: u32, py: u32| {
                    let (ox, oy) = (i64::from(px) - x, i64::from(py) - y);
                    let inside = (0..i64::from(over.width)).contains(&ox) && (0..i64::from(over.height)).contains(&oy);
                    if inside { above[(ox as u32, oy as u32)] } else { below[(px, py)] }
                };
                assert_is(&within(&target, size).to_frame(), size, "paste", &want);
                let mut strict = base.clone();
                let mut place = strict.region_mut(Region::at(2, 1, size).unwrap()).unwrap();
                let fits = place.paste(&above, x, y).is_ok();
                assert!(strict == if fits { target.clone() } else { base.clone() });
                assert!(!fits || done.size() == over || over.is_empty());
                // What lies round the view is untouched.
                let outside = |f: &Frame<P>| (f.row(0).to_vec(), f.rows().map(|r| r[0]).collect::<Vec<_>>());
                assert_eq!(outside(&target), outside(&base));
            }
        }
        for_all_types(Pastes(size, over, x, y));
    }

    #[test]
    fn overlapping_copies(size in size(), a in 0.0..1.0f64, b in 0.0..1.0f64, x in -20i64..60, y in -20i64..60) {
        struct Copies(Size, Region, i64, i64);
        impl Check for Copies {
            fn run<P: Pixel>(&self) {
                let Copies(size, region, x, y) = *self;
                let base = outer::<P>(size, 0);
                let mut target = base.clone();
                let mut place = target.region_mut(Region::at(2, 1, size).unwrap()).unwrap();
                place.copy_within_clipped(region, x, y).unwrap();
                // By way of a copy of the region, nothing can overlap.
                let part = within(&base, size).region(region).unwrap().to_frame();
                let mut wanted = base.clone();
                wanted.region_mut(Region::at(2, 1, size).unwrap()).unwrap().paste_clipped(&part.view(), x, y);
                assert!(target == wanted, "{} {size} {region} to {x},{y}", P::describe());
            }
        }
        let (w, h) = (f64::from(size.width), f64::from(size.height));
        let part = |a: f64, b: f64, side: f64| (a.min(b) * side) as u32..(a.max(b) * side) as u32;
        let region = Region::new(part(a, b, w), part(a, b, h)).unwrap();
        for_all_types(Copies(size, region, x, y));
    }

    #[test]
    fn tiles_join_to_the_exact_original(
        size in size(), tile in (1u32..40, 1u32..40), step in (1u32..40, 1u32..40), rest in 0usize..3,
    ) {
        struct Tiles(TileGrid);
        impl Check for Tiles {
            fn run<P: Pixel>(&self) {
                let Tiles(grid) = *self;
                let frame = outer::<P>(grid.picture(), 0);
                let view = within(&frame, grid.picture());
                assert_eq!(grid.tiles().count() as u64, grid.count());
                for edge in [Edge::Clamp, Edge::Reflect, Edge::Wrap, Edge::Constant(pixel(5, 5, 5))] {
                    let padded = view.padded(Margins { right: 80, bottom: 80, ..Margins::default() }, edge);
                    for tile in grid.tiles() {
                        let cut = view.cut_tile(&grid, &tile, edge).unwrap();
                        let at = Region::at(tile.region.x(), tile.region.y(), grid.cut_size(&tile)).unwrap();
                        assert!(padded.as_ref().unwrap().region(at).unwrap().to_frame() == cut, "{grid:?} {edge:?}");
                    }
                }
                for overlap in [Overlap::Last, Overlap::Average] {
                    let Ok(whole) = grid.assemble(overlap, |tile| view.cut_tile(&grid, &tile, Edge::Clamp)) else {
                        assert!(grid.step().0 > grid.tile_size().width || grid.step().1 > grid.tile_size().height);
                        continue;
                    };
                    let part = view.region(whole.size().region()).unwrap();
                    assert!(part.to_frame() == whole, "{} {grid:?} {overlap:?}", P::describe());
                    assert!(grid.rest() == Rest::Drop || whole.size() == grid.picture());
                }
                let mut copy = frame.clone();
                let place = copy.region_mut(Region::at(2, 1, grid.picture()).unwrap()).unwrap();
                match place.tiles(&grid) {
                    Ok(parts) => {
                        assert_eq!(parts.len() as u64, grid.count());
                        for (mut part, tile) in parts.into_iter().zip(grid.tiles()) {
                            assert!(part.as_view().to_frame() == view.region(tile.region).unwrap().to_frame());
                            part.fill(pixel(9, 9, 9));
                        }
                    }
                    Err(_) => assert!(grid.overlaps()),
                }
            }
        }
        let rest = [Rest::Drop, Rest::Keep, Rest::Pad][rest];
        for_all_types(Tiles(TileGrid::new(size, Size::new(tile.0, tile.1), step, rest).unwrap()));
    }

    #[test]
    fn channels_split_merge_pick_and_replace(size in size()) {
        struct Channels(Size);
        impl Check for Channels {
            fn run<P: Pixel>(&self) {
                let Channels(size) = *self;
                let (frame, other) = (outer::<P>(size, 0), outer::<P>(size, 2));
                let (view, other) = (within(&frame, size), within(&other, size));
                let planes = channels::split(view).unwrap();
                for c in 0..P::CHANNELS {
                    let plane = channels::pick(view, c).unwrap();
                    assert_is(&plane, size, "pick", &|x, y| Gray::new(samples_of(&[view[(x, y)]])[c]));
                    assert_eq!(planes.get(P::CHANNEL_NAMES[c]), Some(&plane));
                    let mut mixed = view.to_frame();
                    channels::replace(mixed.view_mut(), c, channels::pick(other, c).unwrap().view()).unwrap();
                    assert_is(&mixed, size, "replace", &|x, y| {
                        let mut p = view[(x, y)];
                        samples_of_mut(std::slice::from_mut(&mut p))[c] = samples_of(&[other[(x, y)]])[c];
                        p
                    });
                }
                let views: Vec<_> = planes.iter().map(|(_, plane)| plane.view()).collect();
                assert!(channels::merge::<P>(&views).unwrap() == view.to_frame());
                assert!(channels::merge_planes::<P>(&planes).unwrap() == view.to_frame());
            }
        }
        for_all_types(Channels(size));
    }

    #[test]
    fn closures_see_every_pixel_once(size in size()) {
        struct Closures(Size);
        impl Check for Closures {
            fn run<P: Pixel>(&self) {
                let Closures(size) = *self;
                let (frame, other) = (outer::<P>(size, 0), outer::<P>(size, 2));
                let (view, other) = (within(&frame, size), within(&other, size));
                let number = |p: &P| samples_of(std::slice::from_ref(p))[0].to_f64();
                let doubled = view.map(|p| Gray::new(2.0 * number(&p))).unwrap();
                assert_is(&doubled, size, "map", &|x, y| Gray::new(2.0 * number(&view[(x, y)])));
                let mut spread = Frame::new(size).unwrap();
                view.map_into_parallel(spread.view_mut(), Threads::ALL, |p| Gray::new(2.0 * number(&p))).unwrap();
                assert_eq!(spread, doubled);
                let both = view.zip(&other, |a, b| Gray::new(number(&a) - number(&b))).unwrap();
                assert_is(&both, size, "zip", &|x, y| Gray::new(number(&view[(x, y)]) - number(&other[(x, y)])));
                let sum = doubled.pixels().iter().map(|p| p.value).sum::<f64>();
                assert_eq!(view.fold(0.0, |sum, p| sum + 2.0 * number(&p)), sum);
                assert_eq!(view.fold_parallel(Threads::ALL, || 0.0, |s, p| s + 2.0 * number(&p), |a, b| a + b), sum);
                let twice = view.as_plane().unwrap().map(|v| Gray::new(2.0 * v.value.to_f64())).unwrap();
                let numbers = view.rows().flat_map(samples_of).map(|v| 2.0 * v.to_f64());
                assert!(twice.samples().iter().copied().eq(numbers));
                let same = view.cast_unscaled::<P>().unwrap();
                assert!(same == view.to_frame());
                let mut copy = view.to_frame();
                copy.view_mut().update(|_| pixel(3, 3, 3));
                assert!(copy.pixels().iter().all(|p| *p == pixel(3, 3, 3)));
            }
        }
        for_all_types(Closures(size));
    }
}
