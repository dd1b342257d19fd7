//! A budget of memory is a value that goes along with what is made under it: the same on every thread, and nobody else's.

use rahmen::access::{Edge, Margins, Overlap, Rest, TileGrid};
use rahmen::color::{self, ColorSpace, GrayWeights, Model, Ramp, ycbcr};
use rahmen::convert::{self, channels};
use rahmen::file::{self, ReadOptions, Reader, WriteOptions, Writer};
use rahmen::flow::{self, Chain, PictureSource, Source, Stage, Step};
use rahmen::resample::{Area, Kernel, ResizeRules};
use rahmen::{
    Content, Depth, ErrorKind, Facts, FileFormat, Frame, Gray, Layout, MemoryBudget, Orientation, Picture, Planes,
    Region, Rgb, Rgba, Size, measure, tone,
};
use std::any::Any;
use std::sync::atomic::{AtomicUsize, Ordering};

const MUCH: u64 = 1 << 30;

fn rgb(size: Size) -> Frame<Rgb<u8>> {
    Frame::from_fn(size, |x, y| Rgb::new(x as u8, y as u8, (x ^ y) as u8)).unwrap()
}

/// What was made, kept as long as this is, and the bytes of its pixels.
type Made = (Box<dyn Any>, u64);

fn kept<T: Any>(bytes: u64, made: rahmen::Result<T>) -> Made {
    (Box::new(made.unwrap()), bytes)
}

#[test]
fn what_is_made_of_a_frame_is_charged_where_the_frame_is() {
    let size = Size::new(40, 30);
    let n = size.pixels();
    let budget = MemoryBudget::new(MUCH);
    let frame = rgb(size).charged_to(&budget).unwrap();
    let other = frame.clone();
    let alpha = frame.view().map(|p| Rgba::new(p.r, p.g, p.b, 200)).unwrap();
    let gray = color::gray(frame.view(), GrayWeights::Bt709).unwrap();
    let view = frame.view();
    let rules = || ResizeRules::new(Kernel::Linear);
    let grid = TileGrid::new(size, Size::new(16, 16), (16, 16), Rest::Pad).unwrap();
    let tile = grid.tiles().next().unwrap();
    let planes = channels::split(view).unwrap();
    let works: [(&str, &dyn Fn() -> Made); 27] = [
        ("crop", &|| kept(3 * 25, view.region(Region::new(0..5, 0..5).unwrap()).map(|part| part.to_frame()))),
        ("frame.crop", &|| kept(3 * 25, frame.crop(Region::new(0..5, 0..5).unwrap()))),
        ("clone", &|| kept(3 * n, Ok(frame.clone()))),
        ("map", &|| kept(n, view.map(|p| Gray::new(p.r)))),
        ("zip", &|| kept(n, view.zip(&other.view(), |a, b| Gray::new(a.r ^ b.r)))),
        ("cast", &|| kept(6 * n, view.cast_unscaled::<Rgb<u16>>())),
        ("padded", &|| kept(3 * 42 * 32, view.padded(Margins::all(1), Edge::Clamp))),
        ("shifted", &|| kept(3 * n, view.shifted(3, 3))),
        ("oriented", &|| kept(3 * n, view.oriented(Orientation::RotatedRight))),
        ("cut tile", &|| kept(3 * 256, view.cut_tile(&grid, &tile, Edge::Clamp))),
        ("contact", &|| kept(3 * n, rahmen::access::contact(view, &grid, Edge::Clamp, 1, Rgb::new(0, 0, 0)))),
        ("resize", &|| kept(3 * 80 * 60, frame.resize(Size::new(80, 60), &rules()))),
        ("split", &|| kept(3 * n, channels::split(view))),
        ("pick", &|| kept(n, channels::pick(view, 1))),
        ("merge", &|| kept(3 * n, channels::merge_planes::<Rgb<u8>>(&planes))),
        ("resized planes", &|| {
            let to = Size::new(80, 60);
            kept(3 * 80 * 60, rahmen::resample::resize_planes(&planes, Area::of(size), to, &rules()))
        }),
        ("premultiply", &|| kept(4 * n, convert::premultiply::premultiply(alpha.view()))),
        ("convert", &|| kept(8 * n, color::convert::<_, Rgba<u16>>(view, &Default::default()))),
        ("gray", &|| kept(n, color::gray(view, GrayWeights::Bt709))),
        ("labels", &|| kept(3 * n, color::color_labels(gray.view(), rahmen::Threads::ONE))),
        ("luma and colour differences", &|| kept(3 * n, ycbcr::to_ycbcr::<_, u8>(view, &ycbcr::YcbcrRules::new(8)))),
        ("back from them", &|| {
            let coded = ycbcr::to_ycbcr::<_, u8>(view, &ycbcr::YcbcrRules::new(8)).unwrap();
            kept(3 * n, coded.to_rgb::<u8>())
        }),
        ("error picture", &|| kept(3 * n, measure::error_picture(view, other.view(), 1.0))),
        ("equalised", &|| kept(n, tone::equalize_adaptive(gray.view(), &Default::default()))),
        ("quantised", &|| kept(n, tone::quantize(gray.view(), &tone::QuantizeRules::bits(2)))),
        ("a curve", &|| kept(3 * n, tone::Tone::new(tone::Curve::negative()).applied(view))),
        ("picture", &|| kept(3 * n, Ok(Picture::from(frame.clone())))),
    ];
    for (name, work) in works {
        let before = budget.held();
        let (made, bytes) = work();
        assert!(budget.held() >= before + bytes, "{name}: {} bytes of {bytes}", budget.held() - before);
        drop(made);
        assert_eq!(budget.held(), before, "{name}");
    }
}

#[test]
fn what_is_made_of_a_picture_is_charged_where_the_picture_is() {
    let size = Size::new(40, 30);
    let budget = MemoryBudget::new(MUCH);
    let picture = Picture::from(rgb(size)).charged_to(&budget).unwrap();
    let gray = picture.gray(GrayWeights::Bt709).unwrap();
    let white = Planes::new(size).with("v", Frame::filled(size, Gray::new(7i32)).unwrap()).unwrap();
    let planes = Picture::from(white).charged_to(&budget).unwrap();
    let half = Region::new(0..20, 0..15).unwrap();
    type Work<'a> = &'a dyn Fn() -> rahmen::Result<Picture>;
    let works: [(&str, Work<'_>); 17] = [
        ("crop", &|| picture.crop(half)),
        ("crop of planes", &|| planes.crop(half)),
        ("resize", &|| picture.resize(Size::new(99, 99), &ResizeRules::default())),
        ("resize of planes", &|| planes.resize(Size::new(99, 99), &ResizeRules::default())),
        ("gray", &|| picture.gray(GrayWeights::Mean)),
        ("color", &|| gray.color()),
        ("depth", &|| picture.to_depth(Depth::U16)),
        ("converted", &|| picture.converted(Depth::F32, Layout::Rgba, &Default::default())),
        ("flatten", &|| picture.flatten([0.0; 3])),
        ("space", &|| picture.to_space(&ColorSpace::DISPLAY_P3, &Default::default())),
        ("model", &|| picture.to_model(Model::Lab, &Default::default())),
        ("false colour", &|| {
            gray.false_color(Ramp::named("fathom").unwrap(), flow::RampLimits::Used, &Default::default())
        }),
        ("oriented", &|| picture.oriented(Orientation::RotatedLeft)),
        ("oriented planes", &|| planes.oriented(Orientation::RotatedLeft)),
        ("adaptive", &|| gray.apply(&flow::EqualizeAdaptive::new(Default::default()))),
        ("rotated", &|| picture.apply(&flow::RotateBy::new(9.0, Default::default()))),
        ("codes", &|| gray.apply(&flow::ToCodes)),
    ];
    for (name, work) in works {
        let before = budget.held();
        let made = work().unwrap();
        let bytes = made.pixel_format().bytes(made.size());
        assert_eq!(budget.held(), before + bytes, "{name}: of {bytes} bytes");
        // And what is made of that.
        drop(made.crop(Region::new(0..1, 0..1).unwrap()).unwrap());
        drop(made);
        assert_eq!(budget.held(), before, "{name}");
    }
}

#[test]
fn what_is_made_without_a_budget_is_charged_to_none() {
    let budget = MemoryBudget::new(1000);
    let small = Frame::<Gray<u8>>::new(Size::new(10, 10)).unwrap().charged_to(&budget).unwrap();
    // Beside it, and of what has none.
    let large = Frame::<Gray<u8>>::new(Size::new(1000, 1000)).unwrap();
    let other = color::convert::<_, Rgb<u16>>(large.view(), &Default::default()).unwrap();
    assert_eq!(budget.held(), 100);
    // A file's own limit is of its reading alone.
    let file = file::encode(&large, FileFormat::Png, WriteOptions::default()).unwrap();
    let limits = file::Limits::default().memory(1_010_000);
    let read = file::decode(&file, ReadOptions::default().limits(limits)).unwrap();
    read.to_depth(Depth::F32).unwrap();
    drop((small, large, other, read));
    assert_eq!(budget.held(), 0);
}

/// A step that makes its rows anew, as one from outside does: without a budget.
struct Outside;

impl Step for Outside {
    fn name(&self) -> &'static str {
        "outside"
    }

    fn plan(&self, input: &Facts) -> rahmen::Result<Box<dyn Stage>> {
        Ok(flow::by_rows(input.clone(), |content, _| Content::new(content.size(), &content.pixel_format())))
    }
}

#[test]
fn a_chain_charges_strips_of_steps_and_sources_from_outside() {
    let picture = Picture::from(rgb(Size::new(100, 100)));
    let chain = || Chain::new(Box::new(PictureSource::new(picture.clone())), vec![Box::new(Outside)]).unwrap();
    let budget = MemoryBudget::new(MUCH);
    let mut mine = chain().charged_to(&budget).unwrap();
    let strip = Source::next(&mut mine, 10).unwrap().unwrap();
    // The strip, and what the chain holds of its source.
    assert_eq!(budget.held(), 2 * 3000);
    drop((strip, mine));
    let made = chain().charged_to(&budget).unwrap().picture().unwrap();
    assert_eq!(budget.held(), 30_000);
    drop(made);
    assert_eq!(budget.held(), 0);
    let little = MemoryBudget::new(20_000);
    let error = chain().charged_to(&little).unwrap().picture().unwrap_err();
    assert!(matches!(error.kind(), ErrorKind::Budget { limit: 20_000, held: 0, asked: 30_000 }), "{error:?}");
}

#[test]
fn a_budget_holds_on_the_threads_of_any_pool() {
    let file = file::encode(&rgb(Size::new(900, 900)), FileFormat::Png, WriteOptions::default()).unwrap();
    let pool = rayon_core::ThreadPoolBuilder::new().num_threads(2).build().unwrap();
    let budget = MemoryBudget::new(3_000_000);
    let under = || ReadOptions::default().budget(&budget);
    let picture = pool.install(|| file::decode(&file, under())).unwrap();
    assert_eq!(budget.held(), 2_430_000);
    for work in
        [|p: &Picture| p.to_depth(Depth::U16), |p: &Picture| p.resize(Size::new(950, 950), &ResizeRules::default())]
    {
        let error = pool.install(|| work(&picture)).unwrap_err();
        assert!(matches!(error.kind(), ErrorKind::Budget { limit: 3_000_000, .. }), "{error}");
        assert!(error.to_string().ends_with("give a larger `MemoryBudget`, or hold less at once"), "{error}");
    }
    let mut writer = Vec::new();
    let options = WriteOptions::default().format(FileFormat::Jpeg).progressive().budget(&budget);
    let error = Writer::to_stream(&mut writer, &picture.facts(), options).unwrap_err();
    assert!(matches!(error.kind(), ErrorKind::Budget { limit: 3_000_000, .. }), "{error}");
    drop(picture);
    assert_eq!(budget.held(), 0);
}

/// One request of many: reads, works on all threads of the pool, writes; the error's limit must be its own.
fn request(file: &[u8], number: usize) -> bool {
    let limit = [None, Some(1 << 20), Some(12 << 20), Some(64 << 20)][number % 4];
    let budget = limit.map(MemoryBudget::new);
    let mut options = ReadOptions::default();
    if let Some(budget) = &budget {
        options = options.budget(budget);
    }
    let work = || {
        let picture = file::decode(file, options)?;
        let large = picture.resize(Size::new(1200, 1200), &ResizeRules::default())?;
        let wide = large.to_depth(Depth::U16)?;
        file::encode(&wide, FileFormat::Tiff, WriteOptions::default())
    };
    let done = work();
    match (&done, limit) {
        (Err(error), Some(limit)) => {
            assert!(matches!(error.kind(), ErrorKind::Budget { limit: found, .. } if *found == limit), "{error}");
        }
        (Err(error), None) => panic!("a request without a budget failed: {error}"),
        (Ok(_), limit) => assert!(limit.is_none_or(|limit| limit > 12 << 20)),
    }
    assert_eq!(budget.map_or(0, |budget| budget.held()), 0);
    done.is_ok()
}

#[test]
fn one_requests_budget_fails_no_other_work_in_the_same_pool() {
    let file = file::encode(&rgb(Size::new(600, 600)), FileFormat::Png, WriteOptions::default()).unwrap();
    let pool = rayon_core::ThreadPoolBuilder::new().num_threads(3).build().unwrap();
    let (good, bad) = (AtomicUsize::new(0), AtomicUsize::new(0));
    pool.scope(|scope| {
        for number in 0..60 {
            let (file, good, bad) = (&file, &good, &bad);
            scope.spawn(move |_| {
                let count = if request(file, number) { good } else { bad };
                count.fetch_add(1, Ordering::Relaxed);
            });
        }
    });
    assert_eq!((good.into_inner(), bad.into_inner()), (30, 30));
}

#[test]
fn a_budget_of_a_reader_is_that_of_its_strips_and_of_what_a_writer_holds() {
    let file = file::encode(&rgb(Size::new(300, 300)), FileFormat::Tiff, WriteOptions::default()).unwrap();
    let budget = MemoryBudget::new(MUCH);
    let mut reader =
        Reader::from_seekable(std::io::Cursor::new(&file), ReadOptions::default().budget(&budget)).unwrap();
    let before = budget.held();
    let strip = Source::next(&mut reader, 100).unwrap().unwrap();
    assert!(budget.held() >= before + 90_000);
    drop((strip, reader));
    assert_eq!(budget.held(), 0);
    let reader = Reader::from_seekable(std::io::Cursor::new(&file), ReadOptions::default().budget(&budget)).unwrap();
    let facts = reader.facts().clone();
    let before = budget.held();
    let writer = Writer::to_stream(Vec::new(), &facts, WriteOptions::default().format(FileFormat::Jpeg)).unwrap();
    // Coefficients of two bytes for each of three components.
    assert!(budget.held() >= before + 6 * 90_000, "{}", budget.held());
    drop((writer, reader, facts));
    assert_eq!(budget.held(), 0);
}

#[test]
fn tiles_are_put_together_under_the_budget_of_the_first() {
    let size = Size::new(64, 64);
    let budget = MemoryBudget::new(MUCH);
    let frame = rgb(size).charged_to(&budget).unwrap();
    let grid = TileGrid::new(size, Size::new(32, 32), (16, 16), Rest::Pad).unwrap();
    let mut most = 0;
    let made = grid.assemble(Overlap::Average, |tile| {
        most = most.max(budget.held());
        frame.view().cut_tile(&grid, &tile, Edge::Clamp)
    });
    // Sums of eight bytes a number and counts of four a pixel.
    assert!(most >= 64 * 64 * (3 * 8 + 4), "{most}");
    drop((made, frame));
    assert_eq!(budget.held(), 0);
}
