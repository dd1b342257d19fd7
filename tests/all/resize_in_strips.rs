//! Resizing as a step gives the picture that resizing it whole gives, whatever strips it is fed and asked for, and works
//! from and into views whose rows do not touch.

use rahmen::access::Edge;
use rahmen::flow::{Chain, PictureSource, Resize, RotateBy, Source, Step};
use rahmen::resample::{Area, Kernel, Plan, ResizeRules, Target, WarpRules, resize_area, rotated_whole, warp};
use rahmen::{Content, Frame, Gray, Picture, PicturePixel, Rgb, Rgba, Size};

fn frame<P: PicturePixel>(size: Size) -> Frame<P> {
    Frame::random(size, P::default(), brightest(), 11).unwrap()
}

fn brightest<P: PicturePixel>() -> P {
    let mut p = P::default();
    for v in rahmen::pixel::samples_of_mut(std::slice::from_mut(&mut p)) {
        *v = <P::Number as rahmen::Sample>::FULL;
    }
    p
}

/// The rows that a chain gives, so many at a time, joined.
fn pulled(picture: &Picture, step: Box<dyn Step>, rows: u32, name: &str) -> (Size, Vec<Content>) {
    let mut chain = Chain::new(Box::new(PictureSource::new(picture.clone())), vec![step]).unwrap();
    let size = chain.facts().size;
    let mut all = Vec::new();
    while let Some(strip) = chain.next(rows).unwrap_or_else(|e| panic!("{e}: {name}")) {
        all.push(strip.content);
    }
    (size, all)
}

fn check<P: PicturePixel>(from: Size) {
    let source = frame::<P>(from);
    let picture = Picture::from(source.clone());
    let areas = [Area::of(from), Area::new(3.25..40.0, 1.5..29.5).unwrap()];
    for area in areas {
        for target in [Target::Scale(0.4, 0.3), Target::Scale(2.5, 3.0), Target::Exact(Size::new(30, 30))] {
            for (kernel, edge) in [
                (Kernel::Lanczos3, Edge::Clamp),
                (Kernel::CatmullRom, Edge::Wrap),
                (Kernel::Box, Edge::Reflect),
                (Kernel::Linear, Edge::Constant([0.1, 0.4, 0.7, 1.0])),
                (Kernel::Nearest, Edge::Clamp),
            ] {
                let rules = ResizeRules::new(kernel.clone()).edge(edge);
                let to = target.of_area(from, area).unwrap().1;
                let whole = Content::from(resize_area(source.view(), area, to, &rules).unwrap());
                for rows in [1, 7, 1000] {
                    let step = Resize::new(target, rules.clone()).of_area(area);
                    let (size, strips) = pulled(
                        &picture,
                        Box::new(step),
                        rows,
                        &format!("{area:?} {kernel} {edge:?} {target:?} {rows}"),
                    );
                    assert_eq!(size, to);
                    let mut first = 0;
                    for strip in strips {
                        let rows = first..first + strip.size().height;
                        let wanted = whole.crop(to.region().rows(rows.clone()).unwrap()).unwrap();
                        assert!(strip == wanted, "{kernel} {edge:?} {target:?} rows {rows:?}");
                        first = rows.end;
                    }
                    assert_eq!(first, to.height);
                }
            }
        }
    }
}

#[test]
fn strips_are_rows_of_the_whole_for_every_edge_and_part() {
    check::<Rgb<u8>>(Size::new(45, 31));
    check::<Rgba<u16>>(Size::new(45, 31));
    check::<Gray<f32>>(Size::new(45, 31));
}

#[test]
fn a_rotation_by_degrees_in_strips_is_the_whole_one() {
    let source = frame::<Rgb<u8>>(Size::new(40, 25));
    let (map, size) = rotated_whole(source.size(), 20.0).unwrap();
    let mut whole = Frame::<Rgb<u8>>::new(size).unwrap();
    warp(source.view(), map, whole.view_mut(), &WarpRules::default()).unwrap();
    let (found, strips) = pulled(&source.into(), Box::new(RotateBy::new(20.0, WarpRules::default())), 9, "rotate");
    assert_eq!(found, size);
    let mut first = 0;
    for strip in strips {
        let wanted = Content::from(whole.clone());
        let wanted = wanted.crop(size.region().rows(first..first + strip.size().height).unwrap()).unwrap();
        // A strip's map is shifted: the last bit of a place may differ, and with it a rounding.
        let (a, b) = (strip.pixels().unwrap().samples(), wanted.pixels().unwrap().samples());
        let (rahmen::frame::SamplesRef::U8(a), rahmen::frame::SamplesRef::U8(b)) = (a, b) else { panic!("bytes") };
        assert!(a.iter().zip(b).all(|(a, b)| a.abs_diff(*b) <= 1));
        first += strip.size().height;
    }
    assert_eq!(first, size.height);
}

#[test]
fn rows_need_not_touch() {
    let outer = frame::<Rgb<u8>>(Size::new(90, 60));
    let part = rahmen::Region::new(11..64, 7..48).unwrap();
    let inner = outer.region(part).unwrap();
    let packed = inner.to_frame();
    for to in [Size::new(20, 13), Size::new(70, 55)] {
        for kernel in Kernel::ALL {
            let plan = Plan::new(inner.size(), to, &ResizeRules::new(kernel.clone())).unwrap();
            let mut wanted = Frame::<Rgb<u8>>::new(to).unwrap();
            plan.run(packed.view(), wanted.view_mut()).unwrap();
            let mut around = Frame::filled(Size::new(to.width + 9, to.height + 4), Rgb::new(1u8, 2, 3)).unwrap();
            let place = rahmen::Region::new(5..5 + to.width, 3..3 + to.height).unwrap();
            plan.run(inner, around.view_mut().region(place).unwrap()).unwrap();
            assert!(around.region(place).unwrap() == wanted.view(), "{kernel}");
            // What lies beside is untouched.
            let touched = (0..around.height()).flat_map(|y| (0..around.width()).map(move |x| (x, y)));
            let beside = touched.filter(|&(x, y)| !place.contains(x, y));
            assert!(beside.into_iter().all(|at| around[at] == Rgb::new(1, 2, 3)), "{kernel}");
        }
    }
}
