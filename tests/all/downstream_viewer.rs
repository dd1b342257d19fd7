//! A viewer's backend: any file, upright, as blue-first bytes in the padded rows of a window, at most 800x600.

use rahmen::color::ConvertRules;
use rahmen::convert::depth::Window;
use rahmen::file::{ReadOptions, Reader};
use rahmen::flow::{self, Chain, Orient, PickPlanes, RawSink, Resize, Step};
use rahmen::frame::{ChannelOrder, RawLayout};
use rahmen::resample::{Kernel, ResizeRules, Target};
use rahmen::{Depth, Frame, Gray, Picture, PixelFormat, Planes, Rgb, Size, Transfer};

fn show(path: &str, most: Size) -> rahmen::Result<(Vec<u8>, RawLayout)> {
    let mut reader = Reader::open(path, ReadOptions::default())?;
    let mut rules = ConvertRules::default();
    if reader.facts().metadata.meaning.needs_window() && reader.facts().metadata.value_range().is_none() {
        let (low, high) = flow::used_range(&mut reader)?.unwrap_or((0.0, 1.0));
        rules = rules.window(Window::new(low, if high > low { high } else { low + 1.0 })?);
    }
    let mut steps: Vec<Box<dyn Step>> = Vec::new();
    if matches!(&reader.facts().pixel_format, PixelFormat::Planes { names, .. } if names.len() > 4) {
        steps.push(Box::new(PickPlanes::new(vec![0])));
    }
    let light = ResizeRules::of(Kernel::CatmullRom, &reader.facts().metadata).unwrap();
    steps.extend([
        Box::new(Orient::upright()) as Box<dyn Step>,
        Box::new(Resize::new(Target::ShrinkToFit(most), light)),
    ]);
    let mut chain = Chain::new(Box::new(reader), steps)?;
    let size = chain.facts().size;
    let stride = (size.width as usize * 4).next_multiple_of(256);
    let layout = RawLayout::new(size, ChannelOrder::Bgra, Depth::U8).stride(stride);
    let mut bytes = vec![0xEE; layout.bytes_needed()?];
    let facts = chain.facts().clone();
    chain.run_into(&mut RawSink::by(&layout, &mut bytes, &facts, &rules)?)?;
    Ok((bytes, layout))
}

#[test]
fn any_file_is_upright_blue_first_and_padded() {
    let shown = |path: &str| show(path, Size::new(800, 600)).unwrap();
    let (bytes, layout) = shown("cli/demo/quay-dawn.png");
    let stored = rahmen::read("cli/demo/quay-dawn.png").unwrap().frame::<Rgb<u8>>().unwrap();
    let (Rgb { r, g, b }, at) = (stored[(3, 7)], 7 * layout.stride.unwrap() + 3 * 4);
    assert_eq!((layout.size, &bytes[at..at + 4]), (stored.size(), &[b, g, r, 255][..]));
    assert!(bytes[480 * 4..2048].iter().all(|padding| *padding == 0xEE));
    assert_eq!(show("cli/demo/quay-turned.jpg", Size::new(60, 600)).unwrap().1.size.width, 60);
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name).to_str().unwrap().to_string();
    let mut light = Picture::from(Frame::filled(Size::new(2, 2), Rgb::new(0.445f32, 0.0194, 0.016)).unwrap());
    light.metadata_mut().transfer = Transfer::Linear;
    light.save(path("light.pfm")).unwrap();
    assert_eq!(shown(&path("light.pfm")).0[..4], [34, 38, 178, 255]);
    let plane = |low: f64| Frame::from_fn(Size::new(2, 1), |x, _| Gray::new(low + f64::from(x) * 90.0)).unwrap();
    let many = (0..6).try_fold(Planes::new(Size::new(2, 1)), |all, i| all.with(format!("band {i}"), plane(i.into())));
    Picture::from(many.unwrap()).save(path("six.npy")).unwrap();
    // 90 of the range 0..95 of all planes.
    assert_eq!(shown(&path("six.npy")).0[..8], [0, 0, 0, 255, 242, 242, 242, 255]);
}
