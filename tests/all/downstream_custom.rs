//! A format, a step and a kernel from outside: what the example `add_a_format` adds stands beside the library's own, however the
//! bytes come and the rows are asked for.
#![cfg(feature = "png")]

#[path = "../../examples/add_a_format/median.rs"]
mod median;
#[path = "../../examples/add_a_format/tide.rs"]
mod tide;

use rahmen::access::Edge;
use rahmen::file::{Formats, Limits, ReadOptions};
use rahmen::flow::{Chain, Source};
use rahmen::resample::{CustomKernel, Kernel, ResizeRules};
use rahmen::{ErrorKind, FileFormat, Gray, Rgb, Size, Threads};

fn formats() -> Formats {
    Formats::default().with(tide::Tide)
}

#[test]
fn a_format_from_outside_is_read_and_written_like_the_librarys_own() {
    let folder = tempfile::tempdir().unwrap();
    let (dawn, path) = (rahmen::read("cli/demo/quay-dawn.png").unwrap(), folder.path().join("dawn.tide"));
    formats().write(&path, &dawn, Default::default()).unwrap();
    let bytes = std::fs::read(&path).unwrap();
    assert_eq!(formats().encode(&dawn, FileFormat::Other("tide"), Default::default()).unwrap(), bytes);
    // By content, whatever its name; in pieces, by a stream; facts, skipping and rewinding.
    let other = folder.path().join("dawn.png");
    std::fs::copy(&path, &other).unwrap();
    assert!(formats().read(&other, Default::default()).unwrap().content() == dawn.content());
    let stream = formats().open_stream(std::io::Read::chain(&bytes[..5], &bytes[5..]), Default::default()).unwrap();
    assert!(stream.read_whole().unwrap().content() == dawn.content());
    let facts = formats().facts(&path, Default::default()).unwrap();
    assert_eq!((facts.format, facts.size), (Some(FileFormat::Other("tide")), dawn.size()));
    let mut reader = formats().open(&path, ReadOptions::default()).unwrap();
    reader.skip(100).unwrap();
    let strip = reader.next(7).unwrap().unwrap();
    let wanted = dawn.content().crop(dawn.size().region().rows(100..107).unwrap()).unwrap();
    assert!(strip.first_row == 100 && strip.content == wanted);
    reader.rewind().unwrap();
    assert!(reader.read_whole().unwrap().content() == dawn.content());
    // What is cut is an error with its place, salvaged as far as it goes; limits hold; others do not know it.
    let error = formats().decode(&bytes[..9000], Default::default()).unwrap_err();
    assert_eq!(error.to_string(), "tide at byte 9000: the file ends early: row 6 expected");
    let rows = formats().open_seekable(std::io::Cursor::new(&bytes[..9000]), ReadOptions::default().salvage());
    assert_eq!(rows.unwrap().read_damaged().unwrap().1.unwrap().rows_lost(), 314);
    let low = ReadOptions::default().limits(Limits::default().side(400));
    assert!(matches!(formats().decode(&bytes, low).unwrap_err().kind(), ErrorKind::Limit { .. }));
    assert!(rahmen::read(&path).is_err() && rahmen::write(&path, &dawn).unwrap_err().to_string().contains(".png"));
    let deep = dawn.to_depth(rahmen::Depth::U16).unwrap();
    let error = formats().write(&path, &deep, Default::default()).unwrap_err().to_string();
    assert!(error.contains("tide cannot hold rgb u16"), "{error}");
    assert_eq!(std::fs::read(&path).unwrap(), bytes);
}

#[test]
fn a_step_and_a_kernel_from_outside_stream() {
    let dawn = rahmen::read("cli/demo/quay-dawn.png").unwrap();
    let view = dawn.view::<Rgb<u8>>().unwrap();
    let at = |x: i64, y: i64| view.get(x.clamp(0, 479) as u32, y.clamp(0, 319) as u32).unwrap().g;
    for each in [1, 3, 64, 320] {
        let reader = rahmen::file::Reader::open("cli/demo/quay-dawn.png", Default::default()).unwrap();
        let mut chain = Chain::new(Box::new(reader), vec![Box::new(median::Median)]).unwrap();
        let mut next = 0;
        while let Some(strip) = chain.next(each).unwrap() {
            let rows = strip.content.pixels().unwrap().view::<Rgb<u8>>().unwrap();
            for (x, y) in [(0i64, 0), (479, rows.height() as i64 - 1), (200, 0)] {
                let place = |i: i64| at(x + i % 3 - 1, i64::from(strip.first_row) + y + i / 3 - 1);
                let mut nine: Vec<u8> = (0..9).map(place).collect();
                nine.sort_unstable();
                assert_eq!(rows[(x as u32, y as u32)].g, nine[4], "{each}: {x},{y} of {:?}", strip.rows());
            }
            next = strip.rows().end;
        }
        assert_eq!(next, 320);
    }
    // A triangle of one's own is the library's.
    let own = |reach: f64| Kernel::Custom(CustomKernel::new(move |t| (1.0 - t.abs() / reach).max(0.0), reach).unwrap());
    let fog = rahmen::read("cli/demo/quay-fog.png").unwrap().frame::<Gray<u8>>().unwrap();
    let small = |kernel| fog.resize(Size::new(100, 66), &ResizeRules::new(kernel)).unwrap();
    assert!(small(own(1.0)) == small(Kernel::Linear) && small(own(1.5)) != small(Kernel::Linear));
    let calm = fog.view().map_around((1, 1), Edge::Clamp, Threads::ALL, |around| around.centre()).unwrap();
    assert!(calm == fog);
}
