//! Rows go into views and foreign memory as whole pictures do: whatever the layout, the strips, the threads and the meaning of the
//! numbers; and the calls of a picture keep its metadata as a chain does.
#![cfg(feature = "png")]

use rahmen::color::{AlphaRule, ConvertRules, GrayWeights};
use rahmen::file::{ReadOptions, Reader, encode};
use rahmen::flow::{self, Chain, Convert, PictureSource, RawSink, Sink, ToCodes, ViewSink, apply};
use rahmen::frame::{ChannelOrder, RawAlpha, RawLayout, Resolution, ResolutionUnit};
use rahmen::resample::{Kernel, ResizeRules, Target};
use rahmen::{
    Depth, FileFormat, Frame, Gray, GrayAlpha, Layout, Meaning, Orientation, Picture, Planes, Region, Rgb, Rgba, Size,
    Threads, Transfer,
};
use std::io::Cursor;

const SIZE: Size = Size::new(37, 29);

fn rgb() -> Frame<Rgb<u8>> {
    Frame::random(SIZE, Rgb::new(0, 0, 0), Rgb::new(255, 255, 255), 3).unwrap()
}

fn rgba() -> Frame<Rgba<u8>> {
    Frame::random(SIZE, Rgba::default(), Rgba::new(255, 255, 255, 255), 4).unwrap()
}

/// Runs a chain of strips of some rows into a sink.
fn in_strips(picture: &Picture, rows: u32, sink: &mut dyn Sink) -> rahmen::Result<()> {
    use rahmen::flow::Source;
    let mut source = PictureSource::new(picture.clone());
    while let Some(strip) = source.next(rows)? {
        sink.put(&strip)?;
    }
    sink.finish()
}

fn layouts(order: ChannelOrder) -> Vec<RawLayout> {
    let plain = RawLayout::new(SIZE, order, Depth::U8);
    let channels = order.layout().channels();
    vec![
        plain,
        plain.stride(37 * channels + 11).offset(5),
        plain.bottom_up(),
        plain.stride(256).bottom_up().offset(3),
        plain.planar(),
        plain.planar().stride(40).plane_stride(40 * 29 + 7).offset(1),
    ]
}

#[test]
fn strips_in_foreign_memory_are_the_whole_picture() {
    let (opaque, clear) = (Picture::from(rgb()), Picture::from(rgba()));
    for order in [ChannelOrder::Bgra, ChannelOrder::Argb, ChannelOrder::Rgba] {
        for layout in layouts(order) {
            for alpha in [RawAlpha::Straight, RawAlpha::Premultiplied] {
                let layout = layout.alpha(alpha);
                for picture in [&opaque, &clear] {
                    let pixels = picture.pixels().unwrap().converted(Depth::U8, Layout::Rgba, &Default::default());
                    let mut wanted = vec![0xEE; layout.bytes_needed().unwrap() + 9];
                    layout.write(&pixels.unwrap(), &mut wanted).unwrap();
                    for rows in [1, 5, 29] {
                        let mut found = vec![0xEE; wanted.len()];
                        let mut sink = RawSink::new(&layout, &mut found, &picture.facts()).unwrap();
                        in_strips(picture, rows, &mut sink).unwrap();
                        assert!(found == wanted, "{layout:?} in strips of {rows}");
                    }
                }
            }
        }
    }
}

#[test]
fn files_are_read_into_memory_on_one_thread_and_two() {
    let file = encode(&rgb(), FileFormat::Png, Default::default()).unwrap();
    let reader = |options| Reader::from_seekable(Cursor::new(file.as_slice()), options).unwrap();
    let layout = RawLayout::new(SIZE, ChannelOrder::Bgra, Depth::U8).stride(192);
    let mut wanted = vec![7; layout.bytes_needed().unwrap()];
    layout.write_rows(0, Picture::from(rgb()).pixels().unwrap(), &mut wanted).unwrap();
    for threads in [Threads::ONE, Threads::at_most(2), Threads::ALL] {
        let rules = ConvertRules::default().threads(threads);
        let mut found = vec![7; wanted.len()];
        reader(ReadOptions::default()).read_raw(&layout, &mut found, &rules).unwrap();
        assert_eq!(found, wanted);
        // With a change on the way it goes through a chain.
        let mut wide = Frame::<Rgba<u16>>::new(SIZE).unwrap();
        reader(ReadOptions::default().depth(Depth::U16)).read_into(wide.view_mut(), &rules).unwrap();
        let Rgb { r, g, b } = rgb()[(9, 8)].map(|v| u16::from(v) * 257);
        assert_eq!(wide[(9, 8)], Rgba::new(r, g, b, 65_535));
    }
    // What does not fit is said before a byte is written.
    let mut short = vec![7; wanted.len() - 1];
    assert!(reader(ReadOptions::default()).read_raw(&layout, &mut short, &ConvertRules::default()).is_err());
    assert!(short.iter().all(|byte| *byte == 7));
    let mut small = Frame::<Rgb<u8>>::new(Size::new(37, 28)).unwrap();
    assert!(reader(ReadOptions::default()).read_into(small.view_mut(), &ConvertRules::default()).is_err());
    // A file that ends early is an error, after the rows that came.
    let cut = Reader::from_seekable(Cursor::new(&file[..file.len() / 2]), ReadOptions::default()).unwrap();
    let error = cut.read_raw(&layout, &mut vec![0; wanted.len()], &ConvertRules::default()).unwrap_err();
    assert!(error.to_string().contains("ends early"), "{error}");
}

#[test]
fn whatever_numbers_mean_they_become_what_a_view_holds() {
    let into = |picture: &Picture, rules: &ConvertRules| -> rahmen::Result<Frame<Rgba<u8>>> {
        let mut frame = Frame::<Rgba<u8>>::new(picture.size())?;
        let mut sink = ViewSink::by(frame.view_mut(), &picture.facts(), rules)?;
        in_strips(picture, 3, &mut sink)?;
        drop(sink);
        Ok(frame)
    };
    let same = |picture: &Picture, rules: &ConvertRules| {
        let whole = picture.converted(Depth::U8, Layout::Rgba, rules).unwrap().frame::<Rgba<u8>>().unwrap();
        assert_eq!(into(picture, rules).unwrap(), whole);
        whole
    };
    let plain = ConvertRules::default();
    // Codes of a camera, unscaled.
    let codes = Frame::<Gray<u16>>::from_fn(SIZE, |x, y| Gray::new((x * 100 + y) as u16)).unwrap();
    assert_eq!(
        same(&Picture::of_codes(codes, 4095).unwrap(), &plain)[(20, 3)].r,
        ((2003 * 255 * 2 + 4095) / 8190) as u8
    );
    // Linear light, values with a range and without one, planes, indices.
    let mut light = Picture::from(Frame::filled(SIZE, Gray::new(0.5f32)).unwrap());
    light.metadata_mut().transfer = Transfer::Linear;
    assert_eq!(same(&light, &plain)[(0, 0)], Rgba::new(188, 188, 188, 255));
    assert_eq!(same(&light, &plain.keep_linear())[(0, 0)].g, 128);
    let mut values = Picture::from(Frame::filled(SIZE, Gray::new(15.0f32)).unwrap());
    values.metadata_mut().meaning = Meaning::values();
    assert!(into(&values, &plain).is_err());
    values.metadata_mut().meaning = Meaning::Values { unit: None, range: Some((10.0, 20.0)) };
    assert_eq!(same(&values, &plain)[(5, 5)].b, 128);
    let window = rahmen::convert::depth::Window::new(0.0, 30.0).unwrap();
    let plane = |v: i16| Frame::filled(SIZE, Gray::new(v)).unwrap();
    let planes = Planes::new(SIZE).with("a", plane(0)).unwrap().with("b", plane(15)).unwrap();
    let planes = Picture::from(planes.with("c", plane(30)).unwrap());
    assert!(into(&planes, &plain).is_err());
    assert_eq!(same(&planes, &plain.window(window))[(1, 1)], Rgba::new(0, 128, 255, 255));
    let few = Frame::from_fn(SIZE, |x, _| if x < 20 { Rgb::new(200u8, 10, 0) } else { Rgb::new(1, 2, 3) }).unwrap();
    let mut source = PictureSource::new(few.clone().into());
    let indices = apply(few.into(), &[&flow::ToIndices::of_source(&mut source).unwrap()]).unwrap();
    assert_eq!(indices.metadata().meaning, Meaning::Indices);
    assert_eq!(same(&indices, &plain)[(30, 2)], Rgba::new(1, 2, 3, 255));
    // Alpha goes where the rules say.
    let clear = Picture::from(Frame::filled(SIZE, GrayAlpha::new(100u8, 51)).unwrap());
    assert!(clear.converted(Depth::U8, Layout::Rgb, &plain).is_err());
    let white = clear.converted(Depth::U8, Layout::Rgb, &plain.alpha(AlphaRule::Flatten([1.0; 3]))).unwrap();
    assert_eq!(white.view::<Rgb<u8>>().unwrap()[(0, 0)], Rgb::new(224, 224, 224));
}

#[test]
fn the_calls_of_a_picture_are_the_steps_of_a_chain() {
    let mut picture = Picture::from(rgb());
    picture.metadata_mut().resolution = Some(Resolution { x: 100.0, y: 200.0, unit: ResolutionUnit::Inch });
    picture.metadata_mut().orientation = Orientation::RotatedRight;
    let chained = |step: Box<dyn flow::Step>| {
        let mut chain = Chain::new(Box::new(PictureSource::new(picture.clone())), vec![step]).unwrap();
        chain.picture().unwrap()
    };
    let part = Region::new(3..30, 2..20).unwrap();
    assert_eq!(picture.crop(part).unwrap(), chained(Box::new(flow::Crop::new(part))));
    let rules = ResizeRules::new(Kernel::CatmullRom);
    let half = picture.resize(Target::Scale(0.5, 0.5), &rules).unwrap();
    assert_eq!(half, chained(Box::new(flow::Resize::new(Target::Scale(0.5, 0.5), rules))));
    // 19 columns of 37, 15 rows of 29.
    let resolution = half.metadata().resolution.unwrap();
    assert!((resolution.x - 100.0 * 19.0 / 37.0).abs() < 1e-9 && (resolution.y - 200.0 * 15.0 / 29.0).abs() < 1e-9);
    assert_eq!(picture.gray(GrayWeights::Bt601).unwrap(), chained(Box::new(flow::ToGray::new(GrayWeights::Bt601))));
    assert_eq!(picture.to_depth(Depth::U16).unwrap(), chained(Box::new(flow::ToDepth::new(Depth::U16))));
    let wide = Convert::new(Depth::F32, Layout::GrayAlpha);
    let converted = picture.converted(Depth::F32, Layout::GrayAlpha, &ConvertRules::default()).unwrap();
    assert_eq!(converted, chained(Box::new(wide)));
    assert_eq!(picture.clone().upright().unwrap(), chained(Box::new(flow::Orient::upright())));
    // Unscaled codes are scaled before any call that computes, and stay in those that move.
    let codes = Frame::<Gray<u16>>::from_fn(SIZE, |x, _| Gray::new(x as u16 * 100)).unwrap();
    let codes = Picture::of_codes(codes, 4095).unwrap();
    let small = codes.resize(Size::new(18, 14), &ResizeRules::new(Kernel::Box)).unwrap();
    // They remember their max code, to which they are rounded on writing.
    assert!(
        small.metadata().max_codes == Some(vec![4095]) && small.view::<Gray<u16>>().unwrap()[(17, 3)].value > 50_000
    );
    let cut = codes.crop(part).unwrap();
    assert_eq!(cut.view::<Gray<u16>>().unwrap()[(1, 0)].value, 400);
    assert_eq!(apply(cut.clone(), &[&ToCodes]).unwrap(), cut);
}
