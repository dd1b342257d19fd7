//! What is known at run time only gives what the typed calls give: every twin against its typed call, and its refusals.

use rahmen::access::{Edge, Overlap, Rest, TileGrid, contact};
use rahmen::convert::channels;
use rahmen::frame::Visitor;
use rahmen::measure::{self, CompareRules, HistogramRules, Mask};
use rahmen::{
    AnyPlanes, Cmyk, Content, Depth, Frame, Gray, GrayAlpha, Layout, Number, PicturePixel, Pixel, PixelFormat, Planes,
    Region, Rgb, Rgba, Size, View,
};

const SIZE: Size = Size::new(7, 5);

/// Content of every pixel format, each sample another.
fn every() -> Vec<Content> {
    fn of<P: PicturePixel>(full: f64) -> Content {
        let samples = SIZE.pixels() as usize * P::CHANNELS;
        let value = |i: usize| rahmen::Number::from_f64(((i * 37 + 11) % 101) as f64 / 100.0 * full);
        Frame::<P>::from_samples(SIZE, (0..samples).map(value).collect()).unwrap().into()
    }
    macro_rules! depths {
        ($($p:ident),*) => { vec![$(of::<$p<u8>>(255.0), of::<$p<u16>>(65_535.0), of::<$p<f32>>(1.0)),*] };
    }
    depths!(Gray, GrayAlpha, Rgb, Rgba, Cmyk)
}

fn planes() -> Content {
    let plane = |by: i32| Frame::from_fn(SIZE, |x, y| Gray::new((x as i32 * by - 7 * y as i32) * 1000)).unwrap();
    Planes::new(SIZE).with("near", plane(5)).unwrap().with("far", plane(-9)).unwrap().into()
}

/// Typed work on the pixels, to hold against the twin's.
struct Typed<F>(F);

trait Work {
    fn on<P: PicturePixel>(&self, view: View<'_, P>) -> Content;
}

impl<F: Work> Visitor for Typed<&F> {
    type Out = Content;
    fn run<P: PicturePixel>(self, view: View<'_, P>) -> Content {
        self.0.on(view)
    }
}

fn typed(content: &Content, work: &impl Work) -> Content {
    content.pixels().unwrap().visit(Typed(work))
}

#[test]
fn pasting_is_that_of_the_typed_call_and_planes_find_each_other_by_name() {
    struct Paste(i64, i64);
    impl Work for Paste {
        fn on<P: PicturePixel>(&self, view: View<'_, P>) -> Content {
            let part = view.region(Region::new(1..5, 0..3).unwrap()).unwrap().to_frame();
            let mut out = view.to_frame();
            out.view_mut().paste_clipped(&part.view(), self.0, self.1);
            out.into()
        }
    }
    for content in every() {
        let part = content.crop(Region::new(1..5, 0..3).unwrap()).unwrap();
        for (x, y) in [(0, 0), (3, 2), (-2, 3), (6, -1), (100, 0)] {
            let mut out = content.clone();
            let region = out.paste_clipped(&part, x, y).unwrap();
            assert_eq!(out, typed(&content, &Paste(x, y)), "{:?} at {x},{y}", content.pixel_format());
            assert_eq!(region.is_empty(), x == 100);
            let mut whole = content.clone();
            let fits = (0..=3).contains(&x) && (0..=2).contains(&y);
            assert_eq!(whole.paste(&part, x, y).is_ok(), fits);
            assert_eq!(whole, if fits { out } else { content.clone() });
        }
    }
    let (mut into, from) = (planes(), planes().crop(Region::new(0..2, 0..1).unwrap()).unwrap());
    into.paste(&from, 5, 4).unwrap();
    let Content::Planes(AnyPlanes::I32(found)) = &into else { panic!("{into:?}") };
    assert_eq!((found.get("near").unwrap()[(6, 4)].value, found.get("far").unwrap()[(6, 4)].value), (5000, -9000));
    let error = every()[0].clone().paste(&from, 0, 0).unwrap_err().to_string();
    assert_eq!(error, "wanted gray u8, the picture holds 2 planes of i32");
}

#[test]
fn channels_are_split_merged_and_replaced_as_typed() {
    struct Second;
    impl Work for Second {
        fn on<P: PicturePixel>(&self, view: View<'_, P>) -> Content {
            channels::pick(view, P::CHANNELS - 1).unwrap().into()
        }
    }
    for content in every() {
        let PixelFormat::Pixels { layout, depth } = content.pixel_format() else { panic!() };
        let split = content.split().unwrap();
        assert_eq!(split.iter().map(|(name, _)| name.as_str()).collect::<Vec<_>>(), layout.channel_names());
        assert_eq!(split.last().unwrap().1, typed(&content, &Second));
        let parts: Vec<_> = split.iter().map(|(_, plane)| plane.pixels().unwrap()).collect();
        assert_eq!(Content::from(rahmen::frame::Pixels::merge(&parts, layout).unwrap()), content);
        let mut black = Content::new(SIZE, &content.pixel_format()).unwrap();
        for (channel, (_, plane)) in split.iter().enumerate() {
            black.replace_channel(channel, plane).unwrap();
        }
        assert_eq!(black, content);
        assert!(black.replace_channel(split.len(), &split[0].1).is_err());
        let other = if depth == Depth::U8 { Depth::U16 } else { Depth::U8 };
        let other = Content::new(SIZE, &PixelFormat::Pixels { depth: other, layout: Layout::Gray }).unwrap();
        assert!(black.replace_channel(0, &other).is_err());
        let narrow = split[0].1.crop(Region::new(0..3, 0..5).unwrap()).unwrap();
        assert!(black.replace_channel(0, &narrow).is_err());
        let mut uneven = parts.clone();
        uneven[0] = narrow.pixels().unwrap();
        assert_eq!(rahmen::frame::Pixels::merge(&uneven, layout).is_ok(), parts.len() == 1);
        assert!(rahmen::frame::Pixels::merge(&parts[1..], layout).is_err());
    }
    let apart = planes().split().unwrap();
    assert_eq!(apart[1].0, "far");
    assert_eq!(apart[1].1.pixel_format().channel_names(), ["far"]);
}

#[test]
fn tiles_are_cut_laid_out_and_assembled_as_typed() {
    struct Sheet(TileGrid, Edge<[f64; 4]>, [f64; 4]);
    fn pixel<P: Pixel>(channels: [f64; 4]) -> P {
        let full = match P::Number::KIND {
            rahmen::NumberKind::U8 => 255.0,
            rahmen::NumberKind::U16 => 65_535.0,
            _ => 1.0,
        };
        let samples: Vec<_> = channels.map(|v| rahmen::Number::from_f64(v * full))[..P::CHANNELS].to_vec();
        Frame::<P>::from_samples(Size::new(1, 1), samples).unwrap()[(0, 0)]
    }
    impl Work for Sheet {
        fn on<P: PicturePixel>(&self, view: View<'_, P>) -> Content {
            contact(view, &self.0, self.1.map(pixel::<P>), 2, pixel(self.2)).unwrap().into()
        }
    }
    let colour = [0.2, 0.4, 0.6, 1.0];
    for content in every() {
        for edge in [Edge::Clamp, Edge::Reflect, Edge::Wrap, Edge::Constant(colour)] {
            let grid = TileGrid::new(SIZE, Size::new(3, 2), (3, 2), Rest::Pad).unwrap();
            let sheet = content.contact(&grid, edge, 2, colour).unwrap();
            assert_eq!(sheet, typed(&content, &Sheet(grid, edge, colour)));
        }
        for (step, overlap) in [((3, 2), Overlap::Last), ((2, 1), Overlap::Last), ((2, 1), Overlap::Average)] {
            let grid = TileGrid::new(SIZE, Size::new(3, 2), step, Rest::Pad).unwrap();
            let mut cut = |tile| content.cut_tile(&grid, &tile, Edge::Reflect);
            assert_eq!(Content::assemble(&grid, overlap, &mut cut).unwrap(), content, "{step:?}");
        }
    }
    let (content, grid) = (planes(), TileGrid::new(SIZE, Size::new(4, 4), (3, 3), Rest::Keep).unwrap());
    let mut cut = |tile| content.cut_tile(&grid, &tile, Edge::Clamp);
    assert_eq!(Content::assemble(&grid, Overlap::Average, &mut cut).unwrap(), content);
    let mut mixed = |tile: rahmen::access::Tile| match tile.column {
        0 => content.cut_tile(&grid, &tile, Edge::Clamp),
        _ => Content::new(grid.cut_size(&tile), &every()[0].pixel_format()),
    };
    assert!(
        Content::assemble(&grid, Overlap::Last, &mut mixed).unwrap_err().to_string().contains("wanted 2 planes of i32")
    );
}

#[test]
fn measurements_are_those_of_the_typed_calls() {
    let [rgb, other] = [0, 3].map(|by| {
        Frame::from_fn(SIZE, |x, y| Rgb::new((40 * x + by) as u8, (50 * y) as u8, (9 * x * y) as u8)).unwrap()
    });
    let (a, b) = (Content::from(rgb.clone()), Content::from(other.clone()));
    let rules = HistogramRules::default();
    assert_eq!(a.histogram(&rules).unwrap(), measure::histogram(rgb.view(), &rules).unwrap());
    assert_eq!(a.profile((0, 0), (6, 4)).unwrap(), measure::profile(rgb.view(), (0, 0), (6, 4)).unwrap());
    let compare = CompareRules::default();
    assert_eq!(a.compare(&b, &compare).unwrap(), measure::compare(rgb.view(), other.view(), &compare).unwrap());
    let errors = measure::error_picture(rgb.view(), other.view(), 3.0).unwrap();
    assert_eq!(a.error_picture(&b, 3.0).unwrap(), Content::from(errors));
    let errors = measure::error_histogram(rgb.view(), other.view()).unwrap();
    assert_eq!(a.error_histogram(&b).unwrap(), errors);
    let ranges = [(0.0, 256.0); 2];
    let pairs = measure::joint_histogram((rgb.view(), 0), (rgb.view(), 2), (8, 4), ranges, &Mask::ALL).unwrap();
    assert_eq!(a.joint_histogram((0, 2), (8, 4), ranges, &Mask::ALL).unwrap(), pairs);
    let outside = a.joint_histogram((0, 3), (8, 4), ranges, &Mask::ALL).unwrap_err().to_string();
    assert!(outside.contains("channel 3 is outside 0..3"), "{outside}");
    // Planes are measured one by one.
    let planes = planes();
    let Content::Planes(AnyPlanes::I32(known)) = &planes else { panic!() };
    let far = measure::joint_histogram(
        (known.get("near").unwrap().view(), 0),
        (known.get("far").unwrap().view(), 0),
        (4, 4),
        [(-60_000.0, 60_000.0); 2],
        &Mask::ALL,
    );
    let found = planes.joint_histogram((0, 1), (4, 4), [(-60_000.0, 60_000.0); 2], &Mask::ALL);
    assert_eq!(found.unwrap(), far.unwrap());
    assert_eq!(planes.error_histogram(&planes).unwrap().channels.len(), 2);
    assert!(planes.error_histogram(&a).is_err() && planes.error_picture(&planes, 1.0).is_err());
}
