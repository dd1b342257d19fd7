//! Channel work: split, reordered, merged from two pictures, foreign order in and out, many planes put together anew.

use rahmen::convert::channels::{self, Take};
use rahmen::frame::{ChannelOrder, RawLayout};
use rahmen::resample::{Area, Kernel, ResizeRules, resize_planes};
use rahmen::{Depth, Frame, Gray, Picture, Planes, Region, Rgb, Rgba, Size};

#[test]
fn channels_go_apart_and_together() {
    let folder = tempfile::tempdir().unwrap();
    let path = |name: &str| folder.path().join(name);
    let dawn = rahmen::read("cli/demo/quay-dawn.png").unwrap();
    let pixels = dawn.view::<Rgb<u8>>().unwrap();
    for (name, plane) in channels::split(pixels).unwrap().iter() {
        rahmen::write(path(&format!("dawn-{name}.png")), plane).unwrap();
    }
    assert_eq!(rahmen::read(path("dawn-g.png")).unwrap().view::<Gray<u8>>().unwrap()[(7, 9)].value, pixels[(7, 9)].g);
    let swapped = dawn.pixels().unwrap().select(&[2, 1, 0].map(Take::Channel)).unwrap();
    let [r, g, b]: [u8; 3] = pixels[(7, 9)].into();
    assert_eq!(swapped.view::<Rgb<u8>>().unwrap()[(7, 9)], Rgb::from([b, g, r]));
    // The fog's gray as alpha of a region of the dawn.
    let fog = rahmen::read("cli/demo/quay-fog.png").unwrap().frame::<Gray<u8>>().unwrap();
    let part = Region::new(100..300, 50..250).unwrap();
    let joined = pixels.region(part).unwrap().zip(&fog.region(part).unwrap(), |c, a| Rgba::new(c.r, c.g, c.b, a.value));
    rahmen::write(path("merged.png"), &joined.unwrap()).unwrap();
    assert_eq!(rahmen::read(path("merged.png")).unwrap().view::<Rgba<u8>>().unwrap()[(1, 2)].a, fog[(101, 52)].value);

    let bytes: Vec<u8> = (0..60).collect();
    let layout = RawLayout::new(Size::new(5, 4), ChannelOrder::Bgr, Depth::U8);
    let frame = layout.read(&bytes).unwrap().into_frame::<Rgb<u8>>().unwrap();
    assert_eq!((frame[(0, 0)], frame[(4, 3)]), (Rgb::new(2, 1, 0), Rgb::new(59, 58, 57)));
    let mut back = vec![0; 60];
    layout.write_view(frame.view(), &mut back).unwrap();
    assert_eq!(back, bytes);

    let plane = |k: i32| Frame::from_fn(Size::new(64, 48), |x, y| Gray::new(x as i32 - y as i32 * k)).unwrap();
    let six = (0..6).try_fold(Planes::new(Size::new(64, 48)), |all, k| all.with(format!("band {k}"), plane(k)));
    Picture::from(six.unwrap()).save(path("six.npy")).unwrap();
    let read = rahmen::read(path("six.npy")).unwrap();
    let counted = read.histogram().unwrap();
    assert_eq!((counted.channels.len(), counted.channels[5].stats.min), (6, -235.0));
    let planes = read.planes::<i32>().unwrap();
    let mixed =
        planes[0].view().zip(&planes[1].view(), |a, b| Gray::new(f64::from(a.value) + f64::from(b.value) / 3.0));
    let mut made = planes.map(planes.size(), |plane| plane.view().cast_unscaled::<Gray<f64>>()).unwrap();
    let names: Vec<String> = made.names().map(str::to_string).collect();
    made.remove(&names[0]).unwrap();
    made.rename(&names[5], "last").unwrap();
    made.push("mixed", mixed.unwrap()).unwrap();
    made.reorder(&["mixed", "last", &names[4], &names[3], &names[2], &names[1]]).unwrap();
    let small = resize_planes(&made, Area::of(made.size()), Size::new(32, 24), &ResizeRules::new(Kernel::Box)).unwrap();
    assert_eq!((small["mixed"][(3, 0)].value, small.len()), (6.5 + 6.0 / 3.0, 6));
    let error = read.view::<Gray<u8>>().unwrap_err().to_string();
    assert!(error.contains("6 planes of i32"), "{error}");
}
