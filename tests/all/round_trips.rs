//! Crop and save of every layout and integer depth through PNG and PAM: the same samples come back.
#![cfg(all(feature = "png", feature = "pnm"))]

use rahmen::file::{ReadOptions, Reader, Writer};
use rahmen::flow::{Chain, Crop, Step};
use rahmen::frame::Visitor;
use rahmen::{Frame, GrayAlpha, Picture, PicturePixel, Region, Rgb, Rgba, Sample, Size, View};
use rahmen::{Gray, pixel::samples_of_mut};

fn picture<P: PicturePixel>(size: Size) -> Frame<P> {
    let full = P::Number::FULL;
    Frame::from_fn(size, |x, y| {
        let mut pixel = P::splat(full);
        for (c, sample) in (0u32..).zip(samples_of_mut(std::slice::from_mut(&mut pixel))) {
            let code = (x * 7919 + y * 104_729 + c * 31_337).wrapping_mul(2_654_435_761) >> 16;
            *sample = P::Number::from_fraction(f64::from(code) / 65_535.0);
        }
        pixel
    })
    .unwrap()
}

fn check<P: PicturePixel>() {
    let folder = tempfile::tempdir().unwrap();
    for size in [Size::new(1, 1), Size::new(37, 23), Size::new(256, 3), Size::new(3, 300)] {
        let frame = picture::<P>(size);
        for extension in ["png", "pam"] {
            let path = folder.path().join(format!("all.{extension}"));
            rahmen::write(&path, &Picture::from(frame.clone())).unwrap();
            assert!(
                rahmen::read(&path).unwrap().frame::<P>().unwrap() == frame,
                "{} {extension} {size}",
                P::describe()
            );
            let region =
                Region::new(size.width / 3..size.width, size.height / 4..size.height - size.height / 3).unwrap();
            let cut = folder.path().join(format!("cut.{extension}"));
            let reader = Reader::open(&path, ReadOptions::default()).unwrap();
            let steps: Vec<Box<dyn Step>> = vec![Box::new(Crop::new(region))];
            let mut chain = Chain::new(Box::new(reader), steps).unwrap();
            let facts = chain.facts().clone();
            chain.run_into(&mut Writer::create(&cut, &facts, Default::default()).unwrap()).unwrap();
            let wanted = frame.region(region).unwrap();
            assert!(rahmen::read(&cut).unwrap().view::<P>().unwrap() == wanted, "{} {extension} {size}", P::describe());
        }
    }
}

#[test]
fn samples_come_back_as_they_were() {
    check::<Gray<u8>>();
    check::<Gray<u16>>();
    check::<GrayAlpha<u8>>();
    check::<GrayAlpha<u16>>();
    check::<Rgb<u8>>();
    check::<Rgb<u16>>();
    check::<Rgba<u8>>();
    check::<Rgba<u16>>();
}

#[test]
fn a_visitor_sees_the_type_that_is_there() {
    struct Name;
    impl Visitor for Name {
        type Out = String;
        fn run<P: PicturePixel>(self, view: View<'_, P>) -> String {
            format!("{} {}", view.size(), P::describe())
        }
    }
    let picture = Picture::from(Frame::<Rgba<u16>>::new(Size::new(3, 2)).unwrap());
    assert_eq!(picture.visit(Name).unwrap(), "3x2 rgb+alpha u16");
}
