//! A chain asks its source for few rows at a time, whatever its steps do with them, gives the same as the steps one by one,
//! says how far it is, and refuses steps that ask for what cannot be had.

use rahmen::access::Edge;
use rahmen::flow::{
    self, BlankSource, Chain, Crop, Fill, Filling, Find, FindTone, Orient, PictureSink, PictureSource, Resize, Source,
    Stage, Step, Strip, ToGray, apply,
};
use rahmen::resample::{Kernel, ResizeRules, Target};
use rahmen::tone::{Basis, EqualizeBy};
use rahmen::{
    Content, ErrorKind, Facts, Frame, Layout, Metadata, Orientation, Picture, PixelFormat, Region, Rgb, Size,
};
use std::ops::{ControlFlow, Range};
use std::sync::atomic::{AtomicU64, Ordering};

/// Rows made on the way, and the most that were asked for at once, in bytes.
struct Drawn {
    facts: Facts,
    next: u32,
    most: &'static AtomicU64,
}

fn drawn(size: Size, orientation: Orientation, most: &'static AtomicU64) -> Drawn {
    let format = PixelFormat::Pixels { depth: rahmen::Depth::U8, layout: Layout::Rgb };
    most.store(0, Ordering::Relaxed);
    let mut metadata = Metadata::default();
    metadata.orientation = orientation;
    Drawn { facts: Facts::new(size, format, metadata), next: 0, most }
}

impl Source for Drawn {
    fn facts(&self) -> &Facts {
        &self.facts
    }
    fn next(&mut self, rows: u32) -> rahmen::Result<Option<Strip>> {
        let first_row = self.next;
        let rows = rows.min(self.facts.size.height - first_row);
        if rows == 0 {
            return Ok(None);
        }
        self.next += rows;
        let frame = Frame::from_fn(Size::new(self.facts.size.width, rows), |x, y| {
            Rgb::new((x / 7) as u8, ((first_row + y) / 5) as u8, (x ^ (first_row + y)) as u8)
        })?;
        let content = Content::from(frame);
        self.most.fetch_max(content.pixel_format().bytes(content.size()), Ordering::Relaxed);
        Ok(Some(Strip { first_row, content }))
    }
    fn skip(&mut self, rows: u32) -> rahmen::Result<()> {
        self.next += rows;
        Ok(())
    }
    fn rewind(&mut self) -> rahmen::Result<()> {
        self.next = 0;
        Ok(())
    }
}

fn resize(target: Target) -> Box<dyn Step> {
    Box::new(Resize::new(target, ResizeRules::new(Kernel::CatmullRom)))
}

#[test]
fn the_source_gives_few_rows_at_a_time_whatever_the_factor() {
    static MOST: AtomicU64 = AtomicU64::new(0);
    let size = Size::new(3000, 3000);
    let mut cases: Vec<(&str, Vec<Box<dyn Step>>)> = vec![
        ("enlarged", vec![resize(Target::Exact(Size::new(3200, 3100)))]),
        ("a curve and a shrink", vec![Box::new(ToGray::default()), resize(Target::Scale(0.02, 0.02))]),
        ("two shrinks", vec![resize(Target::Scale(0.1, 0.1)), resize(Target::Scale(0.1, 0.1))]),
        ("rotated behind", vec![resize(Target::Scale(0.1, 0.1)), Box::new(Orient::new(Orientation::RotatedRight))]),
        ("rotated before", vec![Box::new(Orient::new(Orientation::RotatedRight)), resize(Target::Scale(0.1, 0.1))]),
        (
            "equalised",
            vec![
                Box::new(FindTone::new(Find::Equalize(EqualizeBy::Cumulative), Basis::EachChannel)),
                resize(Target::Exact(Size::new(2, 2))),
            ],
        ),
    ];
    for (width, height) in [(1, 1), (2, 3000), (3000, 3), (40, 30), (300, 1)] {
        cases.push(("shrunk", vec![resize(Target::Exact(Size::new(width, height)))]));
    }
    for (name, steps) in cases {
        let mut chain = Chain::new(Box::new(drawn(size, Orientation::Upright, &MOST)), steps).unwrap();
        let to = chain.facts().size;
        assert_eq!(chain.picture().unwrap().size(), to);
        let most = MOST.load(Ordering::Relaxed);
        assert!(most <= 2 << 20, "{name} to {to}: {most} bytes at once");
    }
}

#[test]
fn what_goes_in_row_by_row_comes_out_as_from_the_whole() {
    static MOST: AtomicU64 = AtomicU64::new(0);
    // A row of 3 MB: a shrink by 40 cannot hold the rows of its kernel within a strip.
    let size = Size::new(100_000, 120);
    let whole = || Chain::new(Box::new(drawn(size, Orientation::Upright, &MOST)), vec![]).unwrap().picture().unwrap();
    for edge in [Edge::Clamp, Edge::Constant([0.9, 0.1, 0.5, 1.0])] {
        let rules = ResizeRules::new(Kernel::Lanczos3).edge(edge);
        let step = Resize::new(Target::Exact(Size::new(77, 3)), rules);
        let wanted = apply(whole(), &[&step]).unwrap();
        let source = Box::new(drawn(size, Orientation::Upright, &MOST));
        let mut chain = Chain::new(source, vec![Box::new(step.clone())]).unwrap();
        assert!(chain.picture().unwrap() == wanted, "{edge:?}");
        // Again from the start, row by row, the first one passed over.
        chain.rewind().unwrap();
        chain.skip(1).unwrap();
        let second = chain.next(1).unwrap().unwrap();
        assert!(second.content == wanted.content().crop(Region::new(0..77, 1..2).unwrap()).unwrap());
    }
    assert!(MOST.load(Ordering::Relaxed) <= 2 << 20);
    let crop = || Box::new(Crop::new(Region::new(10..60, 1..2).unwrap()));
    let step = || Box::new(Resize::new(Target::Exact(Size::new(77, 3)), ResizeRules::new(Kernel::CatmullRom)));
    let wanted = apply(whole(), &[step().as_ref(), crop().as_ref()]).unwrap();
    let source = Box::new(drawn(size, Orientation::Upright, &MOST));
    assert!(Chain::new(source, vec![step(), crop()]).unwrap().picture().unwrap() == wanted);
}

#[test]
fn an_orientation_changes_places_with_a_resize_and_the_picture_stays() {
    static MOST: AtomicU64 = AtomicU64::new(0);
    let size = Size::new(1400, 1000);
    for exif in 1..=8 {
        let orientation = Orientation::from_exif(exif).unwrap();
        let stored = Chain::new(Box::new(drawn(size, orientation, &MOST)), vec![]).unwrap().picture().unwrap();
        for target in [Target::Fit(Size::new(90, 120)), Target::Exact(Size::new(31, 47)), Target::Scale(1.5, 1.25)] {
            for upright_first in [true, false] {
                let make = || -> Vec<Box<dyn Step>> {
                    let upright: Box<dyn Step> = Box::new(Orient::upright());
                    if upright_first { vec![upright, resize(target)] } else { vec![resize(target), upright] }
                };
                let steps = make();
                let one_by_one = apply(stored.clone(), &[steps[0].as_ref(), steps[1].as_ref()]).unwrap();
                let mut chain = Chain::new(Box::new(drawn(size, orientation, &MOST)), make()).unwrap();
                assert_eq!(chain.facts(), &one_by_one.facts());
                let found = chain.picture().unwrap();
                assert_eq!(found.metadata(), one_by_one.metadata());
                // The passes may come in the other order, and round otherwise once in a while.
                let (a, b) = (one_by_one.view::<Rgb<u8>>().unwrap(), found.view::<Rgb<u8>>().unwrap());
                let apart = a.pixels().zip(b.pixels()).map(|(a, b)| {
                    [(a.r, b.r), (a.g, b.g), (a.b, b.b)].map(|(a, b)| a.abs_diff(b)).into_iter().max().unwrap()
                });
                assert!(apart.max().unwrap() <= 1, "{exif} {target:?} {upright_first}");
            }
        }
    }
}

/// The rows that are asked for.
type Ask = fn(Range<u32>) -> Range<u32>;

/// A step that asks for rows that the test says.
struct Asks(Ask);

struct Asking(Ask, Facts);

impl Step for Asks {
    fn name(&self) -> &'static str {
        "asks"
    }
    fn plan(&self, input: &Facts) -> rahmen::Result<Box<dyn Stage>> {
        Ok(Box::new(Asking(self.0, input.clone())))
    }
}

impl Stage for Asking {
    fn facts(&self) -> &Facts {
        &self.1
    }
    fn rows_needed(&self, output: Range<u32>) -> Range<u32> {
        (self.0)(output)
    }
    fn run(&mut self, _: &Strip, output: Range<u32>) -> rahmen::Result<Content> {
        Content::new(Size::new(self.1.size.width, output.end - output.start), &self.1.pixel_format)
    }
}

#[test]
#[allow(clippy::reversed_empty_ranges)]
fn steps_that_ask_for_what_cannot_be_had_are_named() {
    let picture = || Picture::from(Frame::filled(Size::new(4, 9), Rgb::new(1u8, 2, 3)).unwrap());
    let cases: [(Ask, &str); 4] = [
        (|_| 5..2, "the step asks asks for input rows 5..2 of a picture with rows 0..9"),
        (|out| out.start..out.end + 1, "the step asks asks for input rows 8..10 of a picture with rows 0..9"),
        (|out| 8 - out.start..9 - out.start, "the step asks asks for input row 7 behind row 8; later rows must not"),
        (|_| u32::MAX - 1..u32::MAX, "the step asks asks for input rows 4294967294..4294967295 of a picture"),
    ];
    for (asks, wanted) in cases {
        let mut chain = Chain::new(Box::new(PictureSource::new(picture())), vec![Box::new(Asks(asks))]).unwrap();
        let error = loop {
            match chain.next(1) {
                Ok(Some(_)) => {}
                Ok(None) => panic!("no error: {wanted}"),
                Err(error) => break error,
            }
        };
        assert!(error.to_string().starts_with(wanted), "{error}");
        assert!(matches!(error.kind(), ErrorKind::WrongOrder(_)));
    }
    // Nothing needed is fine.
    let mut chain = Chain::new(Box::new(PictureSource::new(picture())), vec![Box::new(Asks(|_| 0..0))]).unwrap();
    assert!(chain.picture().is_err() || chain.facts().size == Size::new(4, 9));
}

#[test]
fn no_rows_are_asked_for_and_none_come() {
    let mut source = PictureSource::new(Frame::filled(Size::new(4, 3), Rgb::new(1u8, 2, 3)).unwrap().into());
    assert!(source.next(0).unwrap().is_none());
    let mut chain = Chain::new(Box::new(&mut source), vec![Box::new(ToGray::default())]).unwrap();
    assert!(chain.next(0).unwrap().is_none());
    assert_eq!(chain.next(2).unwrap().unwrap().rows(), 0..2);
    assert!(chain.next(0).unwrap().is_none());
    assert_eq!(chain.next(2).unwrap().unwrap().rows(), 2..3);
    assert!(chain.next(0).unwrap().is_none() && chain.next(1).unwrap().is_none());
    // And a file says the same.
    let folder = tempfile::tempdir().unwrap();
    let path = folder.path().join("few.png");
    rahmen::write(&path, &Frame::filled(Size::new(4, 3), Rgb::new(1u8, 2, 3)).unwrap()).unwrap();
    let mut reader = rahmen::file::Reader::open(&path, Default::default()).unwrap();
    assert!(reader.next(0).unwrap().is_none());
    assert_eq!(reader.next(2).unwrap().unwrap().rows(), 0..2);
    assert!(reader.next(0).unwrap().is_none());
    assert_eq!(reader.next(9).unwrap().unwrap().rows(), 2..3);
    assert!(reader.next(0).unwrap().is_none() && reader.next(1).unwrap().is_none());
}

#[test]
fn an_observer_sees_every_round_and_may_end_the_work() {
    static MOST: AtomicU64 = AtomicU64::new(0);
    let size = Size::new(2000, 1500);
    let chain = || {
        let equalize = FindTone::new(Find::Equalize(EqualizeBy::Cumulative), Basis::EachChannel);
        Chain::new(Box::new(drawn(size, Orientation::Upright, &MOST)), vec![Box::new(equalize)]).unwrap()
    };
    let mut told = Vec::new();
    let mut sink = PictureSink::new(chain().facts()).unwrap();
    chain()
        .run_observed(&mut sink, &mut |progress| {
            told.push((progress.rows, progress.of));
            ControlFlow::Continue(())
        })
        .unwrap();
    assert!(told.len() > 8 && told.windows(2).all(|two| two[0].0 <= two[1].0), "{told:?}");
    assert_eq!(told.last(), Some(&(3000, 3000)));
    let mut sink = PictureSink::new(chain().facts()).unwrap();
    let ended = chain().run_observed(&mut sink, &mut |progress| match progress.rows > 2000 {
        true => ControlFlow::Break(()),
        false => ControlFlow::Continue(()),
    });
    assert!(matches!(ended.unwrap_err().kind(), ErrorKind::Cancelled));
}

#[test]
fn a_blank_source_is_what_a_fill_makes_a_picture_of() {
    let format = PixelFormat::Pixels { depth: rahmen::Depth::U8, layout: Layout::Rgb };
    let facts = Facts::new(Size::new(5, 4), format, Metadata::default());
    let fill = Fill::new(Region::new(1..3, 1..4).unwrap(), Filling::Color([1.0, 0.0, 0.2], 1.0));
    let made = Chain::new(Box::new(BlankSource::new(facts)), vec![Box::new(fill)]).unwrap().picture().unwrap();
    let view = made.view::<Rgb<u8>>().unwrap();
    assert_eq!((view[(0, 0)], view[(2, 3)]), (Rgb::new(0, 0, 0), Rgb::new(255, 0, 51)));
    let negative = flow::Retone::negative();
    assert_eq!(apply(made, &[&negative]).unwrap().view::<Rgb<u8>>().unwrap()[(0, 0)], Rgb::new(255, 255, 255));
}
